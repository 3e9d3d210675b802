// Sculpting shape targets: the brush of the Shapes stage, in any pose, and moving selected vertices.
import { Vector3 } from 'three';
import { core, why } from '../core.js';
import { ranges } from '../fill.js';
import { toScreen } from '../pick.js';
import { joints, on, operate, set, store } from '../session.js';
import { turnFrom } from '../pose.js';
import { bounded, brushing, craftsOf, entered, fill, fit, keep, kept, profile } from './brushing.js';
import { loadCore } from './measures.js';
import { touched } from './reach.js';

const tray = document.getElementById('tray');
const key = 'sculpt';
const leastOn = 0.05; // core/sculpt: so far on a target must be

export const brush = kept(key, { mode: 'grab', strength: 0.5, radius: 0.12, hard: 0.2, along: 'view', other: '', through: false, facing: false, both: false, builds: true, pen: 'strength', only: false, height: 1.7 });

let plate = null;
/** @type {() => string} the target that is worked on */
let picked = () => '';
/** @type {{ name: string, of: object, at: Float32Array } | null} offsets of the target that is sculpted, by vertex */
let now = null;

export function sculptOn(p, pickedTarget) { plate = p; picked = pickedTarget; }

// turnsShown are the turns of the pose that is shown, about the joints' own axes, by name.
export function turnsShown() {
  return Object.fromEntries([...store.pose].map(([i, a]) => [joints()[i].name, turnFrom(a, joints()[i].order)]));
}

const numberOf = (name) => store.character?.shapes?.targets.findIndex((t) => t.name === name) ?? -1;
const valueOf = (name) => plate.shapes.values(joints(), store.pose, store.heldShapes)[numberOf(name)] ?? 0;

// there is where is sculpted, as an operation has it.
function there(name = picked()) {
  return { target: name, ...(store.pose.size && { turns: turnsShown() }), ...(store.heldShapes && { held: Object.fromEntries(store.heldShapes) }) };
}

// holdPicked sees to it that what is sculpted is seen: a target that is off is held whole. It returns what is to be said, '' where it can be sculpted.
function holdPicked() {
  const name = picked(), t = store.character?.shapes?.targets[numberOf(name)];
  if (!t) return 'Select a shape target to sculpt, or add one.';
  if (t.lock) return `${name} is locked: unlock it first.`;
  if (t.muted) return `${name} is muted: unmute it first.`;
  if (Math.abs(valueOf(name)) < leastOn) {
    set({ heldShapes: new Map(store.heldShapes ?? []).set(name, 1) });
    if (Math.abs(valueOf(name)) < leastOn) return `${name} cannot be seen: its group is muted, or another target has solo.`;
  }
  return '';
}

export const craft = {
  stage: 'shapes',
  hand: 'sculpt',
  brush,
  setBrush,
  moves: true,
  open() {
    const no = why() ? `The brush needs WebAssembly, which did not start here (${why()}). Move selected vertices by typed lengths instead.` : holdPicked();
    if (no) return no;
    if (brush.mode === 'match' && numberOf(brush.other) < 0) return 'Select the target to match.';
    const { mode, strength, radius, hard } = brush, at = there();
    const params = { ...at, mode, strength, radius, hard, ...(mode === 'grab' && brush.along === 'normal' && { normal: true }), ...(mode === 'match' && { other: brush.other }), ...(brush.through && { through: true }), ...(brush.facing && { facing: true }), ...(brush.both && { both: true }), ...(brush.builds && mode !== 'grab' && { builds: true }) };
    return { op: 'sculpt_target', params, at, value: valueOf(at.target), offsets: offsets(at.target), chosen: brush.only && store.vertices.length ? Uint32Array.from(store.vertices) : null, start: { name: 'sculpt', brush: params, there: at } };
  },
  // put moves what a touch has changed by what it changed the offset, as far as the target is on.
  put(mine, { vertex, value }) {
    const by = new Float32Array(value.length), { at } = mine.offsets;
    for (let i = 0; i < vertex.length; i++) {
      for (let k = 0; k < 3; k++) { by[3 * i + k] = mine.value * (value[3 * i + k] - at[3 * vertex[i] + k]); at[3 * vertex[i] + k] = value[3 * i + k]; }
    }
    const box = plate.skin.nudge(vertex, by);
    if (box) plate.touched(box); else plate.view.invalidate();
    touched(plate, vertex, value);
  },
  // drag takes hold, and then tells how far the hand has gone in the plane through where it did.
  drag(mine, pane, x, y, hit) {
    if (brush.mode !== 'grab') return null;
    if (hit) { mine.from = { point: hit.point.clone(), x, y }; return [0, 0, 0]; }
    const { from } = mine, depth = from.point.clone().project(pane.camera).z, s = toScreen(pane, from.point);
    const to = new Vector3(((s.x + x - from.x) / pane.width) * 2 - 1, 1 - ((s.y + y - from.y) / pane.height) * 2, depth).unproject(pane.camera);
    return to.sub(from.point).toArray().map((v) => Math.round(1e7 * v) / 1e7);
  },
  // ended has the targets of the page be as they are now, until they come from the server.
  ended(mine) {
    const k = numberOf(mine.at.target);
    if (k >= 0) plate.shapes.sculpted(k, mine.offsets.at);
    mine.offsets.of = plate.shapes.targets[k];
    measure();
  },
  // lost restores the stored targets at once, before core loads them again; they are drawn once no stroke is under way.
  lost() { now = null; plate.shapes.restore(); plate.skin.reshaper.reset(); },
};
craftsOf.sculpt = craft;

// offsets are those of a target by vertex, as the page has them now.
function offsets(name) {
  const of = plate.shapes.targets[numberOf(name)];
  if (now?.name === name && now.of === of) return now;
  const at = new Float32Array(3 * plate.skin.vertices);
  of.vertex.forEach((v, i) => { for (let k = 0; k < 3; k++) at[3 * v + k] = of.offset[3 * i + k]; });
  now = { name, of, at };
  return now;
}

// What was sculpted is measured when the hand rests -------------------------------------

let busy = false, again = false;
async function measure() {
  const box = tray.querySelector('#sculpt-measures');
  if (!box || store.hand !== 'sculpt' || why() || numberOf(picked()) < 0) return;
  if (busy) { again = true; return; }
  busy = true;
  try {
    do {
      again = false;
      if (Math.abs(valueOf(picked())) < leastOn) { tell(null); break; }
      await loadCore();
      tell(await core('sculpted', { there: there() }));
    } while (again);
  } catch { /* a stroke is on its way, after which it is measured again */ } finally { busy = false; }
}

const mm = (m) => (m < 0.0995 ? `${(1000 * m).toPrecision(3)} mm` : `${(100 * m).toFixed(1)} cm`);
function tell(m) {
  const box = tray.querySelector('#sculpt-measures');
  if (!box) return;
  const say = (name, text) => { box.querySelector(`[data-m=${name}]`).textContent = text; };
  const share = Math.abs(100 * (m?.change ?? 0));
  say('largest', !m ? '…' : m.vertices ? `${mm(m.largest)}, ${m.vertices.toLocaleString('en')} ${m.vertices === 1 ? 'vertex' : 'vertices'}` : 'moves nothing yet');
  say('volume', !m ? '…' : m.limb ? `${m.limb} ${m.change < 0 ? '−' : '+'}${share.toFixed(share < 10 ? 1 : 0)}%` : 'unchanged');
  say('crossing', !m ? '…' : m.crossing ? `${m.cut ? 'at least ' : ''}${m.crossing.toLocaleString('en')} ${m.crossing === 1 ? 'triangle' : 'triangles'}` : 'none');
}

// The panel ---------------------------------------------------------------------------

export function panel() {
  const box = tray.querySelector('#sculpt');
  if (!box) return;
  fill(box, brush, ['strength', 'hard']);
  box.querySelector('[name=along]').value = brush.along;
  box.querySelector('[data-for=grab]').hidden = brush.mode !== 'grab';
  box.querySelector('[data-for=match]').hidden = brush.mode !== 'match';
  box.querySelector('[name=strength]').disabled = brush.mode === 'grab';
  box.querySelector('[name=builds]').disabled = brush.mode === 'grab';
  const other = box.querySelector('[name=other]'), names = store.character?.shapes?.targets.map((t) => t.name).filter((n) => n !== picked()) ?? [];
  if ([...other.options].map((o) => o.value).join('\n') !== names.join('\n')) other.replaceChildren(...names.map((n) => new Option(n)));
  if (names.length && !names.includes(brush.other)) brush.other = names[0];
  other.value = brush.other;
  profile(box, brush.hard, brush.mode === 'grab' ? 1 : brush.strength);
  box.querySelector('[data-sculpts]').textContent = picked() ? `Sculpts ${picked()}${store.pose.size ? ' in the pose shown' : ''}${Math.abs(valueOf(picked())) < leastOn ? '; it is off, and is held at 1 once you begin' : ''}.` : 'Select a target below, or add one here.';
}

export function setBrush(changes) {
  Object.assign(brush, changes);
  bounded(brush);
  keep(key, brush);
  panel();
}

on('character', () => fit(craft));
document.addEventListener('trayloaded', () => { fit(craft); panel(); measure(); });
on('pose heldShapes hand painted character', () => { panel(); if (!brushing()) measure(); });
document.addEventListener('targetpicked', () => { panel(); if (!brushing()) measure(); });

tray.addEventListener('input', (e) => {
  if (e.target.closest('#sculpt')) setBrush(entered(e, brush));
});

// moveChosen moves the selected vertices by a length, softly around.
export async function moveChosen(move, soft) {
  if (!store.vertices.length) { set({ say: 'Select the vertices to move.' }); return; }
  const no = holdPicked();
  if (no) { set({ say: no }); return; }
  await operate('move_vertices', { ...there(), vertices: ranges(store.vertices), move, soft });
}

tray.addEventListener('submit', (e) => {
  if (e.target.dataset.sculpts !== 'move') return;
  e.preventDefault();
  const f = new FormData(e.target), m = (n) => Number(f.get(n)) / 1000;
  moveChosen([m('x'), m('y'), m('z')], m('soft'));
});
