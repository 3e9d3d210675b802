// The curve of a driver over the angle of its joint: points that are dragged, added and removed. What it says is sent when a hand
// lets go; until then only the drawing follows.
import { valueAt } from '../shape-values.js';

const space = 'http://www.w3.org/2000/svg', wide = 320, high = 130, edge = 18;

const made = (name, attributes, into, text = '') => {
  const out = document.createElementNS(space, name);
  for (const [k, v] of Object.entries(attributes)) out.setAttribute(k, v);
  if (text) out.textContent = text;
  into.append(out);
  return out;
};

// drawKnots draws a driver; change(knots) is called when a hand has changed them. angle is that of the pose, or null.
export function drawKnots(svg, driver, angle, change) {
  if (svg.dataset.held) return; // a hand is at it
  let { knots } = driver;
  const angles = [...knots.map((k) => k.degrees), 0], values = [...knots.map((k) => k.value), 0, 1];
  const a = Math.min(...angles, 0) - 15, b = Math.max(...angles, 0) + 15, low = Math.min(...values), top = Math.max(...values);
  const x = (d) => edge + ((d - a) / (b - a)) * (wide - 2 * edge), y = (v) => high - edge - ((v - low) / (top - low)) * (high - 2 * edge);
  const degrees = (px) => a + ((px - edge) / (wide - 2 * edge)) * (b - a), value = (py) => low + ((high - edge - py) / (high - 2 * edge)) * (top - low);
  const at = (e) => { const r = svg.getBoundingClientRect(); return [((e.clientX - r.left) / r.width) * wide, ((e.clientY - r.top) / r.height) * high]; };
  const line = () => Array.from({ length: 97 }, (_, i) => { const d = a + ((b - a) * i) / 96; return `${x(d).toFixed(1)},${y(valueAt({ knots, smooth: driver.smooth }, d)).toFixed(1)}`; }).join(' ');

  const focused = [...svg.querySelectorAll('circle')].indexOf(document.activeElement);
  svg.replaceChildren();
  made('line', { class: 'axis', x1: edge, x2: wide - edge, y1: y(0), y2: y(0) }, svg);
  made('line', { class: 'axis', x1: x(0), x2: x(0), y1: edge / 2, y2: high - edge }, svg);
  if (angle !== null) made('line', { class: 'axis now', x1: x(Math.max(a, Math.min(b, angle))), x2: x(Math.max(a, Math.min(b, angle))), y1: edge / 2, y2: high - edge, 'stroke-dasharray': '3 3' }, svg);
  const curve = made('polyline', { class: 'line', points: line() }, svg);
  made('text', { x: x(0) + 3, y: high - 5 }, svg, 'rest');
  knots.forEach((k, i) => {
    const label = made('text', { x: x(k.degrees) - 10, y: high - 5 }, svg, `${Math.round(k.degrees)}°`);
    const dot = made('circle', { cx: x(k.degrees), cy: y(k.value), r: 6, tabindex: 0, role: 'slider', 'aria-label': `${Math.round(100 * k.value)}% at ${k.degrees}°`, 'aria-valuenow': k.value }, svg);
    if (i === focused) dot.focus();
    const put = (d, v) => {
      const left = Math.max(-180, ...knots.filter((_, n) => n !== i).map((o) => o.degrees).filter((o) => o < k.degrees), k.degrees > 0 ? 0 : -181) + 1;
      const right = Math.min(180, ...knots.filter((_, n) => n !== i).map((o) => o.degrees).filter((o) => o > k.degrees), k.degrees < 0 ? 0 : 181) - 1;
      const next = { degrees: Math.round(Math.max(left, Math.min(right, d))), value: Math.round(100 * Math.max(-10, Math.min(10, v))) / 100 };
      knots = knots.map((o, n) => (n === i ? next : o));
      dot.setAttribute('cx', x(next.degrees));
      dot.setAttribute('cy', y(next.value));
      label.textContent = `${next.degrees}°`;
      curve.setAttribute('points', line());
    };
    dot.addEventListener('pointerdown', (e) => { dot.setPointerCapture(e.pointerId); svg.dataset.held = '1'; });
    dot.addEventListener('pointermove', (e) => { if (svg.dataset.held) { const [px, py] = at(e); put(degrees(px), value(py)); } });
    const end = () => { if (svg.dataset.held) { delete svg.dataset.held; if (knots !== driver.knots) change(knots); } };
    dot.addEventListener('pointerup', end);
    dot.addEventListener('pointercancel', end);
    dot.addEventListener('keydown', (e) => {
      const now = knots[i], by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 0.05], ArrowDown: [0, -0.05] }[e.key];
      if (by) { e.preventDefault(); e.stopPropagation(); put(now.degrees + by[0], now.value + by[1]); change(knots); }
      if ((e.key === 'Delete' || e.key === 'Backspace') && knots.length > 1) { e.preventDefault(); e.stopPropagation(); change(knots.filter((_, n) => n !== i)); }
    });
  });
  svg.ondblclick = (e) => {
    const [px, py] = at(e), d = Math.round(degrees(px));
    if (d && Math.abs(d) <= 180 && !knots.some((k) => k.degrees === d)) change([...knots, { degrees: d, value: Math.round(100 * value(py)) / 100 }].sort((p, q) => p.degrees - q.degrees));
  };
}
