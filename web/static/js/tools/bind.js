// Bind: choosing the joints that the report names, and which of them deform.
import { getBuffer, upload } from '../api.js';
import { ranges } from '../fill.js';
import { chooseAt } from '../plate.js';
import { chosenJoint, chosenNames, on, operate, set, store } from '../session.js';

export const tool = {
  stage: 'bind',
  capsules: false, // those of the chosen joint are shown
  enter(plate) { tool.plate = plate; },
  click: chooseAt,
  show: () => ({}),
  sized: ({ joint, child, stops }) => operate('set_capsule', { joint, child, stops, both: store.both }),
};

const tray = document.getElementById('tray');
const layers = () => [...new Set([...tray.querySelectorAll('.layers input:checked')].map((i) => i.value))];

// ticked says what the buttons under the table would change, before they do.
function ticked() {
  const p = tray.querySelector('#ticked');
  if (!p) return;
  const boxes = [...tray.querySelectorAll('.layers input:checked')], sum = (name) => boxes.reduce((n, b) => n + Number(b.dataset[name]), 0);
  const count = (n, one, many) => `${n.toLocaleString('en')} ${n === 1 ? one : many}`;
  p.textContent = boxes.length ? `Selected: ${count(layers().length, 'part', 'parts')}, ${count(sum('pieces'), 'piece', 'pieces')}, ${count(sum('vertices'), 'vertex', 'vertices')}; nothing else is changed.` : 'Check the parts to change.';
}

// ready lets the ways be chosen that make sense: for what is marked, and one joint.
function ready() {
  for (const b of tray.querySelectorAll('[data-anew]')) b.disabled = !chosenNames().length;
  for (const b of tray.querySelectorAll('[data-shell]')) b.disabled = !layers().length;
  ticked();
  for (const b of tray.querySelectorAll('[data-give]')) b.disabled = !layers().length || (b.dataset.give === 'joint' && chosenNames().length !== 1);
}
tray.addEventListener('change', (e) => { if (e.target.closest('.layers')) ready(); });
on('chosen also', ready);
document.addEventListener('trayloaded', ready);

// The stops of the chosen joint's capsules, to be typed.
function stops() {
  const table = document.getElementById('stops'), box = tray.querySelector('[data-capsules]');
  if (!table) return;
  box.checked = tool.capsules;
  const j = chosenJoint(), list = j && tool.capsules ? (store.character.capsules ?? []).filter((c) => c.joint === j.name) : [];
  table.hidden = !list.length;
  table.tBodies[0].replaceChildren(...list.flatMap((c) => c.stops.map((s, k) => {
    const tr = document.createElement('tr'), th = document.createElement('th');
    th.scope = 'row';
    th.textContent = k ? '' : c.child || 'its end';
    const cell = (field, by, label) => {
      const td = document.createElement('td'), i = document.createElement('input');
      Object.assign(i, { type: 'number', step: 'any', min: 0, value: +(by * s[field]).toFixed(1) });
      i.setAttribute('aria-label', `${label} of stop ${k + 1} to ${c.child || 'its end'}`);
      i.addEventListener('change', () => {
        const next = c.stops.map((x) => ({ ...x }));
        next[k][field] = Number(i.value) / by;
        if (i.reportValidity()) tool.sized({ ...c, stops: next });
      });
      td.className = 'num';
      td.append(i);
      return td;
    };
    const acts = document.createElement('td'), act = (text, label, does) => {
      const b = document.createElement('button');
      Object.assign(b, { type: 'button', className: 'button is-small', textContent: text });
      b.setAttribute('aria-label', label);
      b.addEventListener('click', does);
      acts.append(b);
    };
    const after = c.stops[k + 1];
    if (after) act('+', `A stop after stop ${k + 1}`, () => tool.sized({ ...c, stops: c.stops.toSpliced(k + 1, 0, { at: (s.at + after.at) / 2, inner: (s.inner + after.inner) / 2, outer: (s.outer + after.outer) / 2 }) }));
    if (c.stops.length > 1) act('−', `Remove stop ${k + 1}`, () => tool.sized({ ...c, stops: c.stops.toSpliced(k, 1) }));
    tr.append(th, cell('at', 100, 'Place in percent'), cell('inner', 1000, 'Inner radius in millimeters'), cell('outer', 1000, 'Outer radius in millimeters'), acts);
    return tr;
  })));
}
on('chosen character', stops);
document.addEventListener('trayloaded', stops);
tray.addEventListener('change', async (e) => {
  if (!e.target.matches('[data-capsules]')) return;
  tool.capsules = e.target.checked;
  if (tool.capsules && !store.character.capsules?.length) await operate('size_capsules', {});
  tool.plate?.drawBones();
  stops();
});

// carry sends a bound file, which the server keeps, and takes its weights.
async function carry(files) {
  const form = new FormData(), box = document.getElementById('carry'), value = (name) => box.querySelector(`[name=${name}]`).value;
  for (const f of files) form.append('file', f, f.name);
  set({ say: `Reading ${files[0].name}` });
  try {
    const { file } = await upload(`/api/characters/${store.id}/match`, form, () => {});
    set({ say: '' });
    await operate('carry_weights', { file, from: value('from'), within: Number(value('within')), scale: Number(value('scale')) });
  } catch (e) {
    set({ say: e.message });
  }
}
tray.addEventListener('change', async (e) => {
  const { id, files, value } = e.target;
  if (id === 'carry-file' && files.length) {
    await carry([...files]);
    e.target.value = '';
  }
  if (id === 'carry-part' && value) {
    const box = document.getElementById('carry'), of = (name) => box.querySelector(`[name=${name}]`).value, { vertices } = store;
    e.target.value = '';
    if (!vertices.length && !layers().length) { set({ say: 'Select vertices at Weights & pose, or check layers, to receive the part’s weights.' }); return; }
    await operate('carry_weights', { parts: [value], ...(vertices.length ? { vertices: ranges(vertices) } : { onto: layers() }), from: of('from'), within: Number(of('within')) });
  }
  if (id === 'carry-from' && value) {
    const name = e.target.selectedOptions[0].text;
    e.target.value = '';
    try { await carry([new File([await getBuffer(`/characters/${value}/handoff/glb`)], `${name}.glb`)]); } catch (x) { set({ say: x.message }); }
  }
});

tray.addEventListener('submit', (e) => {
  if (e.target.id !== 'ladder') return;
  e.preventDefault();
  const steps = [...e.target.querySelectorAll('[name=step]:checked')].map((i) => i.value), parts = layers();
  if (!steps.length) set({ say: 'Select at least one step.' });
  else operate('mend_bind', { steps, ...(parts.length && { parts }) });
});

tray.addEventListener('click', (e) => {
  const give = e.target.closest('[data-give]'), anew = e.target.closest('[data-anew]');
  if (anew) operate('bind_joints', { joints: chosenNames(), method: anew.parentElement.querySelector('[name=anew]').value });
  if (e.target.closest('[data-shell]')) operate('bind_shell', { parts: layers() });
  if (give) operate('give_pieces', { parts: layers(), how: give.dataset.give, ...(give.dataset.give === 'joint' && { joint: chosenNames()[0] }) });
  const b = e.target.closest('[data-deform]');
  const take = e.target.closest('[data-take]');
  if (take) operate('take_result', { name: take.dataset.take, joints: chosenNames() });
  if (b) operate('set_deform', { joints: chosenNames(), deform: b.dataset.deform });
});
