// Lengths as people type them: sums and products of numbers, each in centimetres
// or with a unit of its own: 12.5+3, 40/2, 1 m - 35 mm, 2*3in.

const units = { mm: 0.1, cm: 1, m: 100, in: 2.54, ft: 30.48 };

// reckon returns centimetres, NaN for what is no length.
export function reckon(text) {
  const t = text.replace(/,/g, '.').replace(/\s+/g, '').toLowerCase();
  let i = 0;
  const atom = () => {
    if (t[i] === '(') { i++; const v = sum(); if (t[i++] !== ')') return NaN; return v; }
    if (t[i] === '-') { i++; return -atom(); }
    if (t[i] === '+') { i++; return atom(); }
    const m = /^(\d+\.?\d*|\.\d+)(mm|cm|m|in|ft)?/.exec(t.slice(i));
    if (!m) return NaN;
    i += m[0].length;
    return Number(m[1]) * units[m[2] ?? 'cm'];
  };
  const product = () => { let v = atom(); while (t[i] === '*' || t[i] === '/') v = t[i++] === '*' ? v * atom() : v / atom(); return v; };
  const sum = () => { let v = product(); while (t[i] === '+' || t[i] === '-') v = t[i++] === '+' ? v + product() : v - product(); return v; };
  const v = sum();
  return i === t.length && Number.isFinite(v) ? v : NaN;
}
