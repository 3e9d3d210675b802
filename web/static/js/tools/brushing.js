// Brushes on the surface: the ring, the touches of a stroke, and the strokes on their way to the server. Core in
// the worker computes what a touch does; the stroke itself is what is stored. What a brush changes, and how that
// is shown, is the business of its craft (paint.js, sculpt.js):
//
//   stage, hand   where it is at work, and with which hand of the store
//   brush     radius, hard, pen: what pressure does, 'strength', 'radius' or ''
//   open()    what a stroke needs, { op, params, chosen, start }, or what is to be said; null where there is nothing to brush
//   put(m, changed)   shows what a touch of a stroke has changed, vertices and values
//   seen(vertices)    draws that, where put does not
//   moves     what is brushed changes where the skin is
//   drag(m, pane, x, y)   where one takes hold and drags: how far the hand has gone; none else
//   ended(m)  a stroke is whole and on its way
import { Vector3 } from 'three';
import { core } from '../core.js';
import { ranges } from '../fill.js';
import { toScreen } from '../pick.js';
import { operate, refresh, set, store } from '../session.js';
import { loadCore, unload } from './measures.js';

/** @type {Record<string, any>} the crafts by their hands */
export const craftsOf = {};

// craftAt is the one at work, if any.
export const craftAt = () => (craftsOf[store.hand]?.stage === store.stage ? craftsOf[store.hand] : null);

export const took = []; // milliseconds that touches took to be shown, for the tests

let plate = null;
let stroke = null; // { craft, op, params, chosen, touches, waiting, busy, at, ready, failed }
let queue = []; // strokes that the server has not got yet, with their brushes
let sending = false;

export const brushing = () => Boolean(stroke) || queue.length > 0 || sending;

export function brushOn(p) {
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
function weighed(touch, e, pen) {
  const p = pressed(e);
  return { ...touch, p: pen === 'strength' ? Math.round(1000 * p) / 1000 : 1, ...(pen === 'radius' && p < 1 && { w: Math.max(0.1, Math.round(1000 * p) / 1000) }) };
}

// begin takes hold where there is skin under the pointer.
export function begin(craft, pane, x, y, e) {
  if (e.altKey) return false;
  const hit = hitAt(pane, x, y);
  if (!hit) return false;
  const asked = craft.open();
  if (!asked) return false;
  if (typeof asked === 'string') { set({ say: asked }); return true; }
  if (queue.some((s) => s.craft !== craft)) { set({ say: 'The last strokes are still being stored: try again in a moment.' }); return true; }
  stroke = { ...asked, craft, touches: [], waiting: [], busy: false, at: [x, y], ready: null, failed: '' };
  store.painting = true;
  const mine = stroke, { name, ...fields } = asked.start;
  mine.ready = loadCore().then(() => core(name, { ...fields, chosen: mine.chosen })).catch((err) => { mine.failed = err.message; set({ say: err.message }); });
  if (craft.drag?.(mine, pane, x, y, hit)) mine.first = weighed(hit.touch, e, craft.brush.pen);
  else touch(hit, e);
  return true;
}

function touch(hit, e) {
  if (stroke.touches.length + stroke.waiting.length >= 4000) return;
  stroke.waiting.push(weighed(hit.touch, e, stroke.craft.brush.pen));
  flush();
}

// flush lets core do what is waiting; while it is at it, more gathers.
async function flush() {
  const mine = stroke;
  if (!mine || mine.busy) return;
  mine.busy = true;
  await mine.ready;
  while (mine.waiting.length && !mine.failed && !mine.ended) {
    const from = performance.now();
    try {
      const changed = await done(mine);
      mine.craft.seen?.(changed.vertex);
      if (took.push(performance.now() - from) > 500) took.shift();
      if (mine.craft.moves || store.pose.size) plate.picker.stale = true; // posed skin moves with its weights
    } catch (err) { mine.failed = err.message; set({ say: err.message }); }
  }
  mine.busy = false;
}

// done has core do what is waiting, and shows it.
async function done(mine) {
  const list = mine.waiting.splice(0), changed = await core('touch', { touches: list });
  mine.craft.put(mine, changed);
  if (mine.first) mine.touches = list.slice(-1); else mine.touches.push(...list); // of a hand that drags only how far it went counts
  return changed;
}

export function move(pane, x, y, e) {
  if (!stroke) return;
  if (stroke.first) {
    stroke.waiting = [{ ...stroke.first, m: stroke.craft.drag(stroke, pane, x, y) }];
    flush();
    point(stroke.craft, pane, x, y);
    return;
  }
  const events = e.getCoalescedEvents?.() ?? [];
  const r = pane.element.getBoundingClientRect();
  const last = events.at(-1), places = events.length ? events.map((v) => [v.clientX - r.left, v.clientY - r.top, v]) : [];
  if (!last || Math.hypot(last.clientX - r.left - x, last.clientY - r.top - y) > 2) places.push([x, y, e]);
  for (const [px, py, ev] of places) {
    // Between two places of the pointer touches lie a quarter of the radius apart.
    const [x0, y0] = stroke.at, step = Math.max(3, (0.25 * stroke.craft.brush.radius) / plate.view.metresPerPixel(pane)), n = Math.floor(Math.hypot(px - x0, py - y0) / step);
    if (n < 1) continue;
    for (let k = 1; k <= Math.min(n, 24); k++) {
      const hit = hitAt(pane, x0 + ((px - x0) * k) / Math.min(n, 24), y0 + ((py - y0) * k) / Math.min(n, 24));
      if (hit) touch(hit, ev);
    }
    stroke.at = [px, py];
  }
  point(stroke.craft, pane, x, y);
}

export async function end() {
  const mine = stroke;
  if (!mine) return;
  stroke = null;
  await mine.ready;
  while (mine.busy) await new Promise((r) => { setTimeout(r, 4); });
  if (mine.waiting.length && !mine.failed) try { await done(mine); } catch (err) { mine.failed = err.message; }
  mine.ended = true;
  if (mine.failed || !mine.touches.length) { await back(mine); return; }
  await core('end', { back: false }).catch(() => {});
  mine.craft.ended?.(mine);
  plate.view.invalidate();
  queue.push(mine);
  send();
}

async function back(mine) {
  try {
    if (!mine.failed) mine.craft.put(mine, await core('end', { back: true }));
  } catch { /* what could not be done need not be taken back */ }
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
  const key = (s) => JSON.stringify([s.op, s.params, s.chosen && [...s.chosen]]), first = queue[0], same = key(first);
  let n = 1;
  while (n < queue.length && n < 16 && key(queue[n]) === same) n++;
  const list = queue.splice(0, n);
  const taken = await operate(first.op, { ...first.params, strokes: list.map((s) => s.touches), ...(first.chosen && { vertices: ranges(first.chosen) }) });
  sending = false;
  if (!taken) { // what was done on top of it is gone with it
    queue = [];
    first.craft.lost?.();
    unload();
  }
  if (queue.length) send(); else idle();
}

// idle brings the page to what is stored, once no stroke is on its way.
function idle() {
  if (brushing()) return;
  store.painting = false;
  refresh().then(() => plate.retake()).catch((e) => { set({ say: e.message }); return plate.retake(); }).then(() => set({ painted: true }), () => {});
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

export function point(craft, pane, x, y) {
  if (!svg) return;
  const { brush } = craft;
  if (sizing) {
    sizing.from ??= { x, y, radius: brush.radius };
    craft.setBrush({ radius: sizing.from.radius * 2 ** ((x - sizing.from.x) / 100) });
    ({ x, y } = sizing.from);
  }
  const hit = store.hand === craft.hand && store.character ? hitAt(pane, x, y) : null;
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

addEventListener('keydown', (e) => { if (e.key === 'Escape' && cancel()) { e.preventDefault(); e.stopImmediatePropagation(); } }, { capture: true });

// What panels of brushes share ---------------------------------------------------

const length = (m) => `${(100 * m).toFixed(m < 0.1 ? 1 : 0)} cm`;

// kept is a brush with what was kept of it under a key.
export function kept(key, brush) {
  try { Object.assign(brush, JSON.parse(localStorage.getItem(key)) ?? {}); } catch { /* what was kept is no brush */ }
  return brush;
}
export function keep(key, brush) { try { localStorage.setItem(key, JSON.stringify(brush)); } catch { /* without storage the brush is new each time */ } }

// bounded keeps the radius of a brush within what makes sense on a character of its height.
export function bounded(brush) { brush.radius = Math.min(3 * brush.height, Math.max(brush.height / 5000, brush.radius)); }

// fit keeps the radius the same part of the character: another one may be a tenth or ten times as tall.
export function fit(craft) {
  const height = store.character?.facts?.height, { brush } = craft;
  if (!(height > 0) || Math.abs(height / brush.height - 1) < 0.02) return;
  const radius = (brush.radius * height) / brush.height;
  brush.height = height;
  craft.setBrush({ radius });
}

const ticks = ['through', 'facing', 'both', 'builds', 'only'];

// fill puts a brush into its panel; dials are its numbers from 0 to 1, besides the radius.
export function fill(box, brush, dials) {
  for (const r of box.querySelectorAll('[name=mode]')) r.checked = r.value === brush.mode;
  for (const name of dials) {
    box.querySelector(`[name=${name}]`).value = brush[name];
    box.querySelector(`[data-of=${name}]`).textContent = brush[name].toFixed(2);
  }
  box.querySelector('[name=radius]').value = Math.log10(brush.radius);
  box.querySelector('[data-of=radius]').textContent = length(brush.radius);
  for (const name of ticks) box.querySelector(`[name=${name}]`).checked = brush[name];
  box.querySelector('[name=pen]').value = brush.pen;
}

// entered is what an event in a panel sets of its brush.
export function entered({ target }, brush) {
  const { name, type, value, checked } = target;
  delete target.dataset.touched;
  if (!(name in brush)) return {};
  if (name === 'radius') return { radius: 10 ** Number(value) };
  return { [name]: type === 'checkbox' ? checked : typeof brush[name] === 'number' ? Number(value) : value };
}

// profile draws the edge of a brush: how strong it is from the middle to its radius.
export function profile(box, hard, strength) {
  const points = [];
  for (let k = -40; k <= 40; k++) {
    const u = Math.abs(k) / 40, s = u <= hard ? 1 : (1 - u) / (1 - hard);
    points.push(`${k + 41},${23 - 21 * (u >= 1 ? 0 : s * s * (3 - 2 * s)) * strength}`);
  }
  box.querySelector('.profile polyline').setAttribute('points', points.join(' '));
}
