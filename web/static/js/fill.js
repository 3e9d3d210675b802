// Parameters of an operation from what is selected and from the fields beside its button, as the registry
// describes them: a template arranges fields and buttons, and no module repeats what an operation takes.
import { chosenJoint, chosenNames, operations, store } from './session.js';

const first = 'Select a joint first, in the view or the ledger.';

// selected is what is selected of a kind of parameter; undefined is nothing.
const selected = {
  joint: () => chosenJoint()?.name,
  joints: () => (chosenNames().length ? chosenNames() : undefined),
  faces: () => (store.faces.size ? [...store.faces] : undefined),
  vertices: () => (store.vertices.length ? ranges(store.vertices) : undefined),
};
const ask = { joint: first, joints: first, faces: 'Select faces first: click them at Intake.', vertices: 'Select vertices first.' };

// ranges writes numbers as "0-14,20".
export function ranges(list) {
  const out = [], sorted = [...list].sort((a, b) => a - b);
  for (let i = 0; i < sorted.length;) {
    let j = i;
    while (sorted[j + 1] === sorted[j] + 1) j++;
    out.push(j > i ? `${sorted[i]}-${sorted[j]}` : `${sorted[i]}`);
    i = j + 1;
  }
  return out.join(',');
}

// valueOf is what a field of a form holds: numbers in the unit of the operation.
export function valueOf(f) {
  if (f.type === 'checkbox') return f.checked;
  if (f.type === 'number') return Number(f.value) * Number(f.dataset.scale ?? 1);
  return f.dataset.number === undefined ? f.value : Number(f.value);
}

// filled are the parameters of an operation, or a sentence that says what is to be selected first. box holds
// the fields beside the button; a select named like a parameter of joints, vertices or faces says whether it
// takes those selected ("chosen") or all. given are set already.
export function filled(op, box, given = {}) {
  const out = { ...given };
  for (const f of operations.find((o) => o.name === op).fields) {
    if (f.name in given) continue;
    const field = box?.querySelector(`[name="${f.name}"]`), of = selected[f.kind];
    if (!of) {
      if (field) out[f.name] = valueOf(field);
      continue;
    }
    if (field ? field.value !== 'chosen' : f.kind === 'joints' && f.optional) continue;
    const found = of();
    if (found === undefined && (field || !f.optional)) return ask[f.kind];
    if (f.count && found.length < f.count) return `Select ${f.count} joints: Shift-click to add to the selection.`;
    if (found !== undefined) out[f.name] = f.count ? found.slice(0, f.count) : found;
  }
  return out;
}
