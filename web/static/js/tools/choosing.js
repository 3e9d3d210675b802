// Choosing vertices: by click, box and lasso, through the mesh or only what is seen; along
// edges; and by what core knows of the surface. The chosen ones have a table of who moves them.
import { Vector3 } from 'three';
import { post, upload } from '../api.js';
import { core, why } from '../core.js';
import { ranges } from '../fill.js';
import { chosenJoint, chosenNames, joints, on, operate, set, store } from '../session.js';
import { rayAt } from '../pick.js';
import { loadCore } from './measures.js';

const icons = new URL('../../vendor/icons.svg', import.meta.url).pathname;
const tray = document.getElementById('tray');
const ns = 'http://www.w3.org/2000/svg';
let plate = null, drag = null, last = -1;

export function chooseOn(p) { plate = p; }

// shown is the choice as the plate marks it; one object a choice, so that it is drawn once.
let mark = null;
export function marked() {
  if (!store.vertices.length) return null;
  if (mark?.of !== store.vertices) mark = { of: store.vertices, vertices: store.vertices };
  return mark;
}

export const take = (list) => set({ vertices: [...list] });

function add(list, e) {
  const now = new Set(e.shiftKey || e.ctrlKey ? store.vertices : []);
  for (const v of list) if (e.ctrlKey) now.delete(v); else now.add(v);
  take([...now].sort((a, b) => a - b));
}

export function begin(p, pane, x, y, e) {
  if (e.altKey) return false;
  const lasso = tray.querySelector('#choice [name=lasso]')?.checked;
  const svg = document.createElementNS(ns, 'svg');
  svg.setAttribute('class', 'instrument rope');
  const path = document.createElementNS(ns, 'path');
  svg.append(path);
  pane.element.append(svg);
  drag = { pane, lasso, from: [x, y], places: [[x, y]], svg, path, e };
  return true;
}

const rope = () => {
  if (drag.lasso) return drag.places;
  const [x0, y0] = drag.from, [x1, y1] = drag.places.at(-1);
  return [[x0, y0], [x1, y0], [x1, y1], [x0, y1]];
};

export function move(p, pane, x, y) {
  if (!drag) return;
  if (drag.lasso) drag.places.push([x, y]); else drag.places[1] = [x, y];
  drag.path.setAttribute('d', `M${rope().map((q) => q.map((v) => v.toFixed(1)).join(' ')).join('L')}Z`);
}

export function up(p, pane, x, y, e) {
  if (!drag) return;
  const d = drag, places = rope();
  end();
  if (Math.hypot(x - d.from[0], y - d.from[1]) < 4 && places.length < 6) { click(pane, x, y, e); return; }
  add(within(pane, places), e);
}

export function end() {
  drag?.svg.remove();
  drag = null;
}

// click takes the vertex under the pointer; twice on the same edge, the line of edges; with a
// key held, the way from the last one.
async function click(pane, x, y, e) {
  const v = plate.picker.vertexAt(pane, x, y);
  if (v < 0) { if (!e.shiftKey && !e.ctrlKey) take([]); return; }
  if (e.detail >= 2 && last >= 0) {
    const edge = plate.picker.cornersAt(pane, x, y).slice(0, 2), n = await ask('loop', edge, e);
    if (n === 2) set({ say: 'No edge continues straight from this one: select by a path, or grow the selection.' });
    return;
  }
  last = v;
  add([v], e);
}

// within returns the vertices inside a rope: those that are seen, or all.
function within(pane, places) {
  const { skin } = plate, p = skin.raised ? skin.raised.position.array : skin.places.now();
  const through = tray.querySelector('#choice [name=through]')?.checked, out = [];
  const { camera, width, height } = pane, at = new Vector3();
  const inside = (x, y) => {
    let yes = false;
    for (let i = 0, k = places.length - 1; i < places.length; k = i++) {
      const [xi, yi] = places[i], [xk, yk] = places[k];
      if (yi > y !== yk > y && x < ((xk - xi) * (y - yi)) / (yk - yi) + xi) yes = !yes;
    }
    return yes;
  };
  const size = plate.box.getSize(new Vector3()).length();
  for (let v = 0; v < skin.vertices; v++) {
    const i = skin.drawnOf[v];
    if (i < 0 || skin.gone?.[v]) continue;
    at.set(p[3 * i], p[3 * i + 1], p[3 * i + 2]).project(camera);
    const x = (at.x * 0.5 + 0.5) * width, y = (0.5 - at.y * 0.5) * height;
    if (at.z > 1 || !inside(x, y)) continue;
    if (!through) { // what lies in front of it hides it
      const ray = rayAt(pane, x, y), hit = plate.picker.hit(pane, x, y);
      const depth = at.set(p[3 * i], p[3 * i + 1], p[3 * i + 2]).sub(ray.origin).dot(ray.direction);
      if (hit && hit.distance < depth - 0.004 * size) continue;
    }
    out.push(v);
  }
  return out;
}

// ask lets core change the choice.
export async function ask(how, chosen = store.vertices, e = null, from = 0, to = 1) {
  if (why()) { set({ say: `This needs WebAssembly, which did not start here (${why()}).` }); return 0; }
  try {
    await loadCore();
    const list = [...await core('choose', { how, chosen: Uint32Array.from(chosen), joint: chosenJoint()?.name ?? '', from, to })];
    if (e) add(list, e); else take(list);
    return list.length;
  } catch (err) { set({ say: err.message }); return 0; }
}

// The panel -----------------------------------------------------------------------

let copied = -1; // the vertex whose weights are pasted
let asked = 0;
async function ledger() {
  const count = tray.querySelector('#choice output'), box = tray.querySelector('#shares');
  if (!count) return;
  const n = store.vertices.length;
  count.textContent = n ? `${n.toLocaleString('en')} selected` : 'None selected';
  for (const b of tray.querySelectorAll('[data-needs-vertices]')) b.disabled = !n;
  if (!box) return; // influences are told at Weights
  const copy = tray.querySelector('[data-copy-vertex]'), paste = tray.querySelector('[data-edit=paste]');
  copy.disabled = n !== 1;
  paste.disabled = !n || copied < 0;
  paste.textContent = copied < 0 ? 'Paste onto selected' : `Paste those of vertex ${copied}`;
  box.hidden = !n;
  if (!n || store.painting) return;
  const turn = ++asked;
  let rows = [];
  if (!why()) {
    try { await loadCore(); rows = await core('ledger', { vertices: Uint32Array.from(store.vertices) }); } catch (err) { set({ say: err.message }); return; }
  }
  if (turn !== asked) return;
  const most = 24, chosen = chosenJoint()?.name;
  if (chosen && !rows.some((r) => r.joint === chosen)) rows.push({ joint: chosen, vertices: 0, least: 0, most: 0, mean: 0 });
  const body = box.tBodies[0], focus = body.contains(document.activeElement) ? document.activeElement.getAttribute('aria-label') : '';
  body.replaceChildren(...rows.slice(0, most).map((r) => row(r, n)));
  if (focus) [...body.querySelectorAll('input')].find((i) => i.getAttribute('aria-label') === focus)?.focus({ preventScroll: true });
  box.querySelector('caption').textContent = rows.length > most ? `Influences: the first ${most} of ${rows.length}` : 'Influences';
}

function row(r, n) {
  const j = joints().find((x) => x.name === r.joint), tr = document.createElement('tr'), th = document.createElement('th');
  th.scope = 'row';
  th.style.setProperty('--share', r.mean);
  const name = document.createElement('button');
  Object.assign(name, { type: 'button', textContent: r.joint, title: r.vertices === n ? `moves all of them, ${r.least.toFixed(3)} to ${r.most.toFixed(3)}` : `moves ${r.vertices} of them, up to ${r.most.toFixed(3)}` });
  name.addEventListener('click', () => set({ chosen: joints().findIndex((x) => x.name === r.joint), also: new Set() }));
  if (chosenJoint()?.name === r.joint) name.setAttribute('aria-current', 'true');
  th.append(name);
  const value = document.createElement('td'), i = document.createElement('input');
  const even = r.most - r.least < 5e-4;
  Object.assign(i, { type: 'number', min: 0, max: 1, step: 'any', disabled: Boolean(j?.weightsLocked) });
  if (even) i.value = String(+r.mean.toFixed(4)); else i.placeholder = r.most < 0.01 ? `≤ ${r.most.toPrecision(1)}` : `${r.least.toFixed(2)}–${r.most.toFixed(2)}`;
  i.setAttribute('aria-label', `Share of ${r.joint}`);
  i.addEventListener('change', () => { if (i.value !== '' && i.reportValidity()) operate('set_weights', { joint: r.joint, vertices: ranges(store.vertices), value: Number(i.value) }); });
  value.append(i);
  const acts = document.createElement('td'), act = (text, label, does, off = false) => {
    const b = document.createElement('button');
    Object.assign(b, { type: 'button', className: 'button is-small', textContent: text, disabled: off });
    b.setAttribute('aria-label', label);
    b.title = label;
    b.addEventListener('click', does);
    acts.append(b);
    return b;
  };
  const locked = Boolean(j?.weightsLocked), vertices = ranges(store.vertices);
  act('−', `Less of ${r.joint}`, () => operate('set_weights', { joint: r.joint, vertices, by: -0.05 }), locked);
  act('+', `More of ${r.joint}`, () => operate('set_weights', { joint: r.joint, vertices, by: 0.05 }), locked);
  act('0', `Remove from ${r.joint}`, () => operate('free_weights', { joints: [r.joint], vertices }), locked);
  act('1', `Set to 1 for ${r.joint}`, () => operate('set_weights', { joint: r.joint, vertices, value: 1 }), locked);
  const lock = act('', locked ? `Unlock the weights of ${r.joint}` : `Lock the weights of ${r.joint}`, () => operate('lock_weights', { joints: [r.joint], locked: !locked }));
  lock.innerHTML = `<svg class="glyph" aria-hidden="true"><use href="${icons}#${locked ? 'lock' : 'lock-open'}"></use></svg>`;
  lock.setAttribute('aria-pressed', String(locked));
  tr.append(th, value, acts);
  return tr;
}

on('vertices', () => { plate?.show(); ledger(); });
on('character chosen painted', ledger);
document.addEventListener('trayloaded', () => { ledger(); kept(); });

function kept() {
  const box = tray.querySelector('#choice [name=kept]');
  if (!box || !store.character) return;
  const { named = [], hidden = '' } = store.character.vertices ?? {};
  box.replaceChildren(new Option('Kept…', ''), ...named.map((x) => new Option(`${x.name} (${x.count})`, x.name)));
  box.disabled = !named.length;
  tray.querySelector('[data-hide=none]').disabled = !hidden;
  tray.querySelector('[data-drop-kept]').disabled = true;
}
on('character', kept);

const parse = (text) => text.split(',').filter(Boolean).flatMap((p) => { const [a, b = a] = p.split('-').map(Number); return Array.from({ length: b - a + 1 }, (_, i) => a + i); });

tray.addEventListener('change', (e) => {
  if (!e.target.matches('#choice [name=kept]')) return;
  const found = store.character.vertices.named.find((x) => x.name === e.target.value);
  if (found) take(parse(found.vertices));
  tray.querySelector('[data-drop-kept]').disabled = !found;
});

tray.addEventListener('click', (e) => {
  if (e.target.closest('[data-copy-vertex]')) { [copied] = store.vertices; ledger(); set({ say: `Copied vertex ${copied}: select others, then paste.` }); return; }
  const b = e.target.closest('[data-among], [data-hide], [data-drop-kept], [data-edit]');
  if (!b || b.disabled) return;
  const vertices = ranges(store.vertices);
  if (b.dataset.among === 'none') take([]);
  else if (b.dataset.among === 'by') ask('by', [], e, ...['from', 'to'].map((n) => Number(tray.querySelector(`#choice [name=${n}]`).value)));
  else if (b.dataset.among === 'path') ask('path', store.vertices);
  else if (b.dataset.among) ask(b.dataset.among);
  if (b.dataset.hide === 'chosen') operate('hide_vertices', { vertices }).then((ok) => { if (ok) take([]); });
  if (b.dataset.hide === 'others') operate('hide_vertices', { vertices, others: true });
  if (b.dataset.hide === 'none') operate('hide_vertices', { vertices: '' });
  if (b.dataset.dropKept !== undefined) operate('drop_selection', { name: tray.querySelector('#choice [name=kept]').value });
  if (b.dataset.edit) edit(b, vertices);
});

tray.addEventListener('submit', (e) => {
  if (e.target.id !== 'keep-choice') return;
  e.preventDefault();
  const name = e.target.elements.name.value.trim();
  if (name) operate('keep_selection', { name, vertices: ranges(store.vertices) });
});

// What dropping traces and a mirroring would do is told before.
let soon = 0;
async function traces() {
  const box = tray.querySelector('[data-traces]'), below = Number(tray.querySelector('[data-does=drop_traces] [name=below]')?.value);
  if (!box || !(below > 0) || below >= 0.5 || !box.offsetParent) return;
  clearTimeout(soon);
  soon = setTimeout(async () => {
    try {
      const t = await post(`/api/characters/${store.id}/traces`, { below, vertices: ranges(store.vertices) });
      box.textContent = t.vertices ? `${t.vertices.toLocaleString('en')} vertices have any; the skin would move by ${(1000 * t.farthest).toPrecision(2)} mm at most (${t.in}).` : 'No vertex has any.';
    } catch (e) { box.textContent = e.message; }
  }, 250);
}
tray.addEventListener('input', (e) => { if (e.target.closest('[data-does=drop_traces]')) traces(); });
tray.addEventListener('toggle', traces, { capture: true });
on('vertices', traces);
document.addEventListener('trayloaded', traces);

tray.addEventListener('click', async (e) => {
  if (!e.target.closest('[data-look=mirror]')) return;
  const f = e.target.closest('form').elements, box = tray.querySelector('[data-mirror]');
  try {
    const m = await post(`/api/characters/${store.id}/mirror`, { from: f.from.value, by: f.by.value, tolerance: Number(f.tolerance.value), offset: Number(f.offset.value) });
    box.textContent = `${m.matched.toLocaleString('en')} vertices have another for their image, ${m.between.toLocaleString('en')} a place between some, ${m.missing.toLocaleString('en')} none${m.missing ? ' (they are chosen now)' : ''}; ${(1000 * m.farthest).toPrecision(2)} mm off at most.${m.joints.length ? ` Without a partner: ${m.joints.join(', ')}.` : ''}`;
    if (m.missing) take(m.unmatched);
  } catch (x) { box.textContent = x.message; }
});
tray.addEventListener('change', async (e) => {
  if (e.target.id !== 'table-file' || !e.target.files.length) return;
  const [file] = e.target.files, form = new FormData();
  e.target.value = '';
  form.append('file', file, file.name);
  try {
    const { file: kept } = await upload(`/api/characters/${store.id}/table`, form, () => {});
    await operate('import_weights', { file: kept });
  } catch (x) { set({ say: x.message }); }
});

// edit does what a button of the stage's changes says that takes more than what is selected.
function edit(b, vertices) {
  const names = chosenNames();
  switch (b.dataset.edit) {
    case 'hand': return names.length > 1 ? operate('hand_weights', { joints: names.slice(1), to: names[0], ...(vertices && { vertices }) }) : set({ say: 'Select two joints or more: the last selected gets the weights of the others.' });
    case 'paste': return operate('copy_weights', { from: copied, vertices });
    case 'unlock': return operate('lock_weights', { joints: joints().filter((j) => j.weightsLocked).map((j) => j.name), locked: false });
    default: return false;
  }
}
