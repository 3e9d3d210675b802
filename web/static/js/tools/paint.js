// Painting weights, and how vertices blend.
import { why } from '../core.js';
import { chosenJoint, on, set, store } from '../session.js';
import { bounded, craftsOf, entered, fill, fit, hideRing, keep, kept, profile } from './brushing.js';
import { recolour } from './maps.js';
import { loadCore } from './measures.js';

const tray = document.getElementById('tray');
const key = 'brush';

export const brush = kept(key, { mode: 'add', value: 1, opacity: 0.6, radius: 0.08, hard: 0.3, through: false, facing: false, both: true, builds: false, pen: 'strength', only: false, what: 'share', height: 1.7 });

if (!['strength', 'radius', ''].includes(brush.pen)) brush.pen = 'strength'; // kept under a former name

let plate = null;
export function paintOn(p) { plate = p; }

// of is the brush as an operation has it.
const of = () => ({ joint: chosenJoint()?.name ?? '', mode: brush.mode, value: brush.value, opacity: brush.opacity, radius: brush.radius, hard: brush.hard, ...(brush.through && { through: true }), ...(brush.facing && { facing: true }), ...(brush.both && { both: true }), ...(brush.builds && { builds: true }) });

export const craft = {
  stage: 'weights',
  hand: 'paint',
  brush,
  setBrush,
  open() {
    if (!store.character.weights) return null;
    if (!chosenJoint() && brush.mode !== 'even' && brush.what !== 'mix') return 'Select the joint to paint, in the ledger or with Ctrl on its ring.';
    if (why()) return `The brush needs WebAssembly, which did not start here (${why()}). Set weights in the table of vertices instead.`;
    const params = of(), mix = brush.what === 'mix';
    return { op: mix ? 'paint_mix' : 'paint_weights', params, chosen: brush.only && store.vertices.length ? Uint32Array.from(store.vertices) : null, start: { name: 'begin', brush: params, mix } };
  },
  put(mine, changed) {
    if (mine.op === 'paint_mix') { plate.skin.remix(changed); recolour(changed.vertex); } else { plate.skin.repaint(changed); plate.skin.subdivided?.repaint(); }
  },
  // seen draws what a touch has changed: its faces alone, where nothing moves with its weights.
  seen(vertices) {
    if (plate.skin.subdivided && store.pose.size) plate.skin.subdivided.pose();
    if (store.pose.size || plate.tool.swung || store.beside || !['joint', 'leader'].includes(store.map) || plate.skin.material.transparent) { plate.view.invalidate(); return; }
    const patch = (plate.skin.subdivided ?? plate.skin.overlays).patchOf(vertices);
    if (patch.parent !== plate.view.scene) plate.view.scene.add(patch);
    patch.visible = true;
    plate.view.patch([patch, plate.bones.group]);
    patch.visible = false;
  },
};

craftsOf.paint = craft;

// The panel ---------------------------------------------------------------------

export function panel() {
  const box = tray.querySelector('#brush');
  if (!box) return;
  fill(box, brush, ['value', 'opacity', 'hard']);
  box.querySelector('[name=what]').value = brush.what;
  const valued = !['smooth', 'even'].includes(brush.mode);
  box.querySelector('[name=value]').disabled = !valued;
  box.querySelector('[name=value]').max = brush.mode === 'scale' ? 4 : 1;
  profile(box, brush.hard, brush.opacity);
}

export function setBrush(changes) {
  Object.assign(brush, changes);
  bounded(brush);
  if (brush.mode !== 'scale') brush.value = Math.min(1, brush.value);
  keep(key, brush);
  panel();
}
on('character', () => fit(craft));
document.addEventListener('trayloaded', () => fit(craft));

on('map', () => { if (store.map === 'mix' && brush.what !== 'mix') setBrush({ what: 'mix' }); else if (['joint', 'leader'].includes(store.map) && brush.what === 'mix') setBrush({ what: 'share' }); });
tray.addEventListener('input', (e) => {
  const box = e.target.closest('#brush');
  if (!box) return;
  if (e.target.name === 'what') set({ map: e.target.value === 'mix' ? 'mix' : 'joint' });
  setBrush(entered(e, brush));
});
document.addEventListener('trayloaded', panel);
on('hand', () => { if (!['paint', 'sculpt'].includes(store.hand)) hideRing(); else if (!why()) loadCore().catch((e) => set({ say: e.message })); });
