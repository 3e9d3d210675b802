// Painting weights: the brush on the surface, its ring, and the strokes on their way to the
// server. Core in the worker computes what a touch does; the stroke itself is what is stored.
import { Vector3 } from 'three';
import { core, why } from '../core.js';
import { ranges } from '../fill.js';
import { toScreen } from '../pick.js';
import { chosenJoint, on, operate, refresh, set, store } from '../session.js';
import { recolour } from './maps.js';
import { loadCore } from './measures.js';

const tray = document.getElementById('tray');
const key = 'brush';

export const brush = { mode: 'add', value: 1, opacity: 0.6, radius: 0.08, hard: 0.3, through: false, facing: false, both: true, builds: false, pen: 'opacity', only: false, what: 'share', height: 1.7 };
try { Object.assign(brush, JSON.parse(localStorage.getItem(key)) ?? {}); } catch { /* what was kept is no brush */ }
const keep = () => { try { localStorage.setItem(key, JSON.stringify(brush)); } catch { /* without storage the brush is new each time */ } };

export const took = []; // milliseconds that touches took to be painted, for the tests

let plate = null;
let stroke = null; // { touches, sent, last, vertices, pose }
let queue = []; // strokes that the server has not got yet, with their brushes
let sending = false;

export const painting = () => Boolean(stroke) || queue.length > 0 || sending;

export function paintOn(p) {
  plate = p;
  ring();
}

// hitAt is the touch under a place: the triangle and where in it, whatever the pose.
function hitAt(pane, x, y) {
  const hit = plate.picker.touchAt(pane, x, y);
  return hit && { ...hit, touch: { t: hit.touch.t, b: clean(hit.touch.b), c: clean(hit.touch.c) } };
}
const clean = (v) => Math.round(1e6 * Math.min(1, Math.max(0, v || 0))) / 1e6;

const pressed = (e) => (e.pointerType === 'pen' && e.pressure > 0 ? e.pressure : 1);
function weighed(touch, e) {
  const p = pressed(e);
  return { ...touch, p: brush.pen === 'opacity' ? Math.round(1000 * p) / 1000 : 1, ...(brush.pen === 'radius' && p < 1 && { w: Math.max(0.1, Math.round(1000 * p) / 1000) }) };
}

// of is the brush as an operation has it.
const of = () => ({ joint: chosenJoint()?.name ?? '', mode: brush.mode, value: brush.value, opacity: brush.opacity, radius: brush.radius, hard: brush.hard, ...(brush.through && { through: true }), ...(brush.facing && { facing: true }), ...(brush.both && { both: true }), ...(brush.builds && { builds: true }) });

// begin takes hold where there is skin under the pointer.
export function begin(p, pane, x, y, e) {
  if (e.altKey || !store.character.weights) return false;
  const hit = hitAt(pane, x, y);
  if (!hit) return false;
  if (!chosenJoint() && brush.mode !== 'even' && brush.what !== 'mix') { set({ say: 'Select the joint to paint, in the ledger or with Ctrl on its ring.' }); return true; }
  if (why()) { set({ say: `The brush needs WebAssembly, which did not start here (${why()}). Set weights in the table of vertices instead.` }); return true; }
  const chosen = brush.only && store.vertices.length ? Uint32Array.from(store.vertices) : null;
  stroke = { op: brush.what === 'mix' ? 'paint_mix' : 'paint_weights', brush: of(), chosen, touches: [], waiting: [], busy: false, at: [x, y], ready: null, failed: '' };
  store.painting = true;
  const mine = stroke;
  mine.ready = loadCore().then(() => core('begin', { brush: mine.brush, chosen, mix: mine.op === 'paint_mix' })).catch((err) => { mine.failed = err.message; set({ say: err.message }); });
  touch(hit, e);
  return true;
}

function touch(hit, e) {
  if (stroke.touches.length + stroke.waiting.length >= 4000) return;
  stroke.waiting.push(weighed(hit.touch, e));
  flush();
}

// flush lets core paint what is waiting; while it is at it, more gathers.
async function flush() {
  const mine = stroke;
  if (!mine || mine.busy) return;
  mine.busy = true;
  await mine.ready;
  while (mine.waiting.length && !mine.failed && !mine.ended) {
    const list = mine.waiting.splice(0);
    const from = performance.now();
    try {
      const changed = await core('touch', { touches: list });
      put(mine, changed);
      mine.touches.push(...list);
      seen(changed.vertex);
      if (took.push(performance.now() - from) > 500) took.shift();
      if (store.pose.size) plate.picker.stale = true; // posed skin moves with its weights
    } catch (err) { mine.failed = err.message; set({ say: err.message }); }
  }
  mine.busy = false;
}

// put shows what a touch of a stroke has changed.
function put(mine, changed) {
  if (mine.op === 'paint_mix') { plate.skin.remix(changed); recolour(changed.vertex); } else { plate.skin.repaint(changed); plate.skin.subdivided?.repaint(); }
}

// seen draws what a touch has changed: its faces alone, where nothing moves with its weights.
function seen(vertices) {
  if (plate.skin.subdivided && store.pose.size) plate.skin.subdivided.pose();
  if (store.pose.size || plate.tool.swung || store.beside || !['joint', 'leader'].includes(store.map) || plate.skin.material.transparent) { plate.view.invalidate(); return; }
  const patch = (plate.skin.subdivided ?? plate.skin.overlays).patchOf(vertices);
  if (patch.parent !== plate.view.scene) plate.view.scene.add(patch);
  patch.visible = true;
  plate.view.patch([patch, plate.bones.group]);
  patch.visible = false;
}

export function move(p, pane, x, y, e) {
  if (!stroke) return;
  const events = e.getCoalescedEvents?.() ?? [];
  const r = pane.element.getBoundingClientRect();
  const last = events.at(-1), places = events.length ? events.map((v) => [v.clientX - r.left, v.clientY - r.top, v]) : [];
  if (!last || Math.hypot(last.clientX - r.left - x, last.clientY - r.top - y) > 2) places.push([x, y, e]);
  for (const [px, py, ev] of places) {
    // Between two places of the pointer touches lie a quarter of the radius apart.
    const [x0, y0] = stroke.at, step = Math.max(3, (0.25 * brush.radius) / plate.view.metresPerPixel(pane)), n = Math.floor(Math.hypot(px - x0, py - y0) / step);
    if (n < 1) continue;
    for (let k = 1; k <= Math.min(n, 24); k++) {
      const hit = hitAt(pane, x0 + ((px - x0) * k) / Math.min(n, 24), y0 + ((py - y0) * k) / Math.min(n, 24));
      if (hit) touch(hit, ev);
    }
    stroke.at = [px, py];
  }
  point(pane, x, y);
}

export async function end() {
  const mine = stroke;
  if (!mine) return;
  stroke = null;
  await mine.ready;
  while (mine.busy) await new Promise((r) => { setTimeout(r, 4); });
  if (mine.waiting.length && !mine.failed) {
    const list = mine.waiting.splice(0);
    try { put(mine, await core('touch', { touches: list })); mine.touches.push(...list); } catch (err) { mine.failed = err.message; }
  }
  mine.ended = true;
  if (mine.failed || !mine.touches.length) { await back(mine); return; }
  await core('end', { back: false }).catch(() => {});
  plate.view.invalidate();
  queue.push(mine);
  send();
}

async function back(mine) {
  try {
    if (!mine.failed) put(mine, await core('end', { back: true }));
  } catch { /* what could not be painted need not be taken back */ }
  plate.view.invalidate();
  idle();
}

// cancel takes back the stroke under way.
export function cancel() {
  const mine = stroke;
  if (!mine) return false;
  stroke = null;
  mine.ended = true;
  mine.waiting.length = 0;
  mine.ready.then(async () => { while (mine.busy) await new Promise((r) => { setTimeout(r, 4); }); await back(mine); set({ say: 'The stroke was taken back.' }); });
  return true;
}

// send stores the strokes that are waiting, those of one brush together, one after the other.
async function send() {
  if (sending || !queue.length) return;
  sending = true;
  const first = queue[0], same = JSON.stringify([first.op, first.brush, first.chosen && [...first.chosen]]);
  let n = 1;
  while (n < queue.length && n < 16 && JSON.stringify([queue[n].op, queue[n].brush, queue[n].chosen && [...queue[n].chosen]]) === same) n++;
  const list = queue.splice(0, n);
  const taken = await operate(first.op, { ...first.brush, strokes: list.map((s) => s.touches), ...(first.chosen && { vertices: ranges(first.chosen) }) });
  sending = false;
  if (!taken) queue = []; // what was painted on it is gone with it
  if (queue.length) send(); else idle();
}

// idle brings the page to what is stored, once no stroke is on its way.
function idle() {
  if (painting()) return;
  store.painting = false;
  refresh().then(() => { plate.retake(); set({ painted: true }); }).catch((e) => set({ say: e.message }));
}

// The ring on the surface: the radius, and within it where the brush is full. It is drawn over
// the pane, so that it costs no frame of the skin.
let svg = null;
const ns = 'http://www.w3.org/2000/svg';
function ring() {
  if (svg) return;
  svg = document.createElementNS(ns, 'svg');
  svg.setAttribute('class', 'instrument ring');
  for (const c of ['halo', 'edge', 'halo', 'full']) { const path = document.createElementNS(ns, 'path'); path.setAttribute('class', c); svg.append(path); }
}

// While its key is held the pointer changes the radius, to the right wider; the ring stays where it was.
let sizing = null;
export function size(on) { sizing = on ? sizing ?? {} : null; }
addEventListener('keyup', (e) => { if (e.key.toLowerCase() === 'o') size(false); });
addEventListener('blur', () => size(false));

export function point(pane, x, y) {
  if (!svg) return;
  if (sizing) {
    sizing.from ??= { x, y, radius: brush.radius };
    setBrush({ radius: sizing.from.radius * 2 ** ((x - sizing.from.x) / 100) });
    ({ x, y } = sizing.from);
  }
  const hit = store.hand === 'paint' && store.character?.weights ? hitAt(pane, x, y) : null;
  if (!hit) { hideRing(); return; }
  if (svg.parentNode !== pane.element) pane.element.append(svg);
  svg.setAttribute('viewBox', `0 0 ${pane.width} ${pane.height}`);
  const n = hit.normal.clone(), u = new Vector3(n.y, n.z, n.x).cross(n).normalize(), v = n.clone().cross(u).normalize();
  const round = (radius) => {
    const out = [];
    for (let k = 0; k < 48; k++) {
      const at = toScreen(pane, hit.point.clone().addScaledVector(u, radius * Math.cos((k * Math.PI) / 24)).addScaledVector(v, radius * Math.sin((k * Math.PI) / 24)));
      out.push(`${at.x.toFixed(1)} ${at.y.toFixed(1)}`);
    }
    return `M${out.join('L')}Z`;
  };
  const edge = round(brush.radius), full = round(brush.radius * brush.hard);
  [edge, edge, full, full].forEach((d, k) => svg.children[k].setAttribute('d', d));
}

export function hideRing() { svg?.remove(); }

// The panel ---------------------------------------------------------------------

const length = (m) => `${(100 * m).toFixed(m < 0.1 ? 1 : 0)} cm`;

export function panel() {
  const box = tray.querySelector('#brush');
  if (!box) return;
  for (const r of box.querySelectorAll('[name=mode]')) r.checked = r.value === brush.mode;
  for (const name of ['value', 'opacity', 'hard']) {
    box.querySelector(`[name=${name}]`).value = brush[name];
    box.querySelector(`[data-of=${name}]`).textContent = brush[name].toFixed(2);
  }
  box.querySelector('[name=radius]').value = Math.log10(brush.radius);
  box.querySelector('[data-of=radius]').textContent = length(brush.radius);
  for (const name of ['through', 'facing', 'both', 'builds', 'only']) box.querySelector(`[name=${name}]`).checked = brush[name];
  box.querySelector('[name=pen]').value = brush.pen;
  box.querySelector('[name=what]').value = brush.what;
  const valued = !['smooth', 'even'].includes(brush.mode);
  box.querySelector('[name=value]').disabled = !valued;
  box.querySelector('[name=value]').max = brush.mode === 'scale' ? 4 : 1;
  // The profile of the edge, drawn.
  const points = [];
  for (let k = -40; k <= 40; k++) {
    const u = Math.abs(k) / 40, s = u <= brush.hard ? 1 : (1 - u) / (1 - brush.hard);
    points.push(`${k + 41},${23 - 21 * (u >= 1 ? 0 : s * s * (3 - 2 * s)) * brush.opacity}`);
  }
  box.querySelector('.profile polyline').setAttribute('points', points.join(' '));
}

export function setBrush(changes) {
  Object.assign(brush, changes);
  brush.radius = Math.min(3 * brush.height, Math.max(brush.height / 5000, brush.radius));
  if (brush.mode !== 'scale') brush.value = Math.min(1, brush.value);
  keep();
  panel();
}

// fit keeps the radius the same part of the character: another one may be a tenth or ten times as tall.
function fit() {
  const height = store.character?.facts?.height;
  if (!(height > 0) || Math.abs(height / brush.height - 1) < 0.02) return;
  const radius = (brush.radius * height) / brush.height;
  brush.height = height;
  setBrush({ radius });
}
on('character', fit);
document.addEventListener('trayloaded', fit);

on('map', () => { if (store.map === 'mix' && brush.what !== 'mix') setBrush({ what: 'mix' }); else if (['joint', 'leader'].includes(store.map) && brush.what === 'mix') setBrush({ what: 'share' }); });
tray.addEventListener('input', (e) => {
  const box = e.target.closest('#brush');
  if (!box) return;
  const { name, type, value, checked } = e.target;
  delete e.target.dataset.touched;
  if (name === 'what') set({ map: value === 'mix' ? 'mix' : 'joint' });
  if (name === 'radius') setBrush({ radius: 10 ** Number(value) });
  else if (['mode', 'pen', 'what'].includes(name)) setBrush({ [name]: value });
  else if (type === 'checkbox') setBrush({ [name]: checked });
  else if (name) setBrush({ [name]: Number(value) });
});
document.addEventListener('trayloaded', panel);
on('hand', () => { if (store.hand !== 'paint') hideRing(); else if (!why()) loadCore().catch((e) => set({ say: e.message })); });
addEventListener('keydown', (e) => { if (e.key === 'Escape' && cancel()) { e.preventDefault(); e.stopImmediatePropagation(); } }, { capture: true });
