// What the pose does to the skin, measured as it changes: by core in the browser, or
// by the server where that does not run.
import { post } from '../api.js';
import { core, why } from '../core.js';
import { joints, on, posesByName, store } from '../session.js';

const tray = document.getElementById('tray');
let plate = null, loaded = '', busy = false, again = false;

// measureOn says of which plate the skin is measured.
export function measureOn(p) { plate = p; }

const shown = () => store.stage === 'weights' && Boolean(store.character?.weights) && Boolean(tray.querySelector('#measures'));

// arrays are what core needs of the character, by the vertices of the mesh itself.
function arrays({ skin, columns }) {
  const points = new Float32Array(3 * skin.vertices), p = skin.placesAtRest;
  skin.drawnOf.forEach((d, v) => { for (let k = 0; k < 3; k++) points[3 * v + k] = p[3 * d + k]; });
  const triangles = skin.triangles.map((d) => skin.base[d]);
  const c = store.character.weights ?? { joints: [], columns: {} }, all = c.joints.map((n) => columns.byHash.get(c.columns[n]));
  const start = new Uint32Array(all.length + 1);
  all.forEach((x, k) => { start[k + 1] = start[k] + x.vertex.length; });
  const vertex = new Uint32Array(start[all.length]), value = new Float32Array(start[all.length]);
  all.forEach((x, k) => { vertex.set(x.vertex, start[k]); value.set(x.value, start[k]); });
  const { rig, targets } = plate.shapes, shaped = new Uint32Array(targets.length + 1);
  targets.forEach((x, k) => { shaped[k + 1] = shaped[k] + x.vertex.length; });
  const moves = new Uint32Array(shaped[targets.length]), offsets = new Float32Array(3 * moves.length);
  targets.forEach((x, k) => { moves.set(x.vertex, shaped[k]); offsets.set(x.offset, 3 * shaped[k]); });
  return {
    rig, shaped, moves, offsets, points, triangles, edges: skin.edges.map((d) => skin.base[d]), closed: closed(skin), joints: c.joints, start, vertex, value, said: columns.mix.vertex, shares: columns.mix.share,
    skeleton: joints().map(({ name, parent, pos, rot, order, mix, long, thick, helper }) => ({ name, parent, pos, rot, order, mix, long, thick, helper })), binding: store.character.binding ?? null, rules: rules(),
  };
}

// closed are the vertices that may not be changed: those that are hidden, and of hidden parts.
function closed(skin) {
  const open = new Uint8Array(skin.vertices), out = [], parts = store.character.parts;
  if (!parts.some((p) => p.hidden) && !store.character.vertices?.hidden) return new Uint32Array(0);
  for (let t = 0; t < skin.faces.length; t++) if (!parts[skin.parts[skin.faces[t]]].hidden) for (let k = 0; k < 3; k++) open[skin.base[skin.triangles[3 * t + k]]] = 1;
  for (let v = 0; v < skin.vertices; v++) if (!open[v] || skin.gone?.[v]) out.push(v);
  return Uint32Array.from(out);
}

const rules = () => ({
  deforms: joints().map((j) => j.deforms), locked: joints().filter((j) => j.weightsLocked).map((j) => j.name), partner: joints().map((j) => j.partner),
  plane: store.character.plane, cap: store.character.cap ?? 0, marks: store.character.marks,
});

// loadCore has core in the worker hold the character as it is stored; while strokes are on their
// way it holds what they have made of it, and keeps that.
export async function loadCore() {
  const c = store.character;
  const key = [c.mesh, JSON.stringify(c.shapes ?? null), JSON.stringify(c.weights), c.mix, joints().map((j) => [j.name, j.pos, j.rot, j.order, j.mix, j.long, j.thick, j.helper?.driver, j.helper?.share].join()).join(), numberOf(c.binding), c.vertices?.hidden, c.parts.map((p) => p.hidden).join(), JSON.stringify(rules())].join('|');
  if (loaded === key || (store.painting && loaded.startsWith(`${c.mesh}|`))) return;
  loading = loading.catch(() => {}).then(async () => {
    if (loaded === key) return;
    await core('load', arrays(plate));
    loaded = key;
  });
  await loading;
}
let loading = Promise.resolve();

// unload has core load the character again before its next answer: what it holds was not stored.
export function unload() { loaded = ''; }

// numberOf tells one bind pose from another without reading it.
const numbers = new WeakMap();
let last = 0;
function numberOf(binding) {
  if (!binding) return 0;
  if (!numbers.has(binding)) numbers.set(binding, ++last);
  return numbers.get(binding);
}

// measured returns the measures of the pose.
export async function measured(pose = posesByName()) {
  if (!why()) {
    try {
      await loadCore();
      return await core('measure', { pose });
    } catch (e) { if (!why()) throw e; }
  }
  return post(`/api/characters/${store.id}/measure`, pose);
}

// update measures what is shown; while it is at it, only the last change is kept.
async function update() {
  if (!shown() || store.painting) return;
  if (busy) { again = true; return; }
  busy = true;
  try {
    do {
      again = false;
      put(await measured());
      const { beside } = store;
      besides(beside && await post(`/api/characters/${store.id}/measure?kept=${encodeURIComponent(beside)}`, posesByName()));
      if (why()) await new Promise((r) => { setTimeout(r, 300); }); // a server is not asked at every frame
    } while (again && shown());
  } catch (e) { note(`It could not be measured: ${e.message}`); } finally { busy = false; }
}

// volume says which limb loses or gains most.
function volume(m) {
  if (!m.limb) return 'unchanged';
  const percent = Math.abs(100 * m.change);
  return `${m.limb} ${m.change < 0 ? '\u2212' : '+'}${percent.toFixed(percent < 10 ? 1 : 0)}%`;
}

function put(m) {
  const box = tray.querySelector('#measures');
  if (!box) return;
  const say = (name, text) => { box.querySelector(`[data-m=${name}]`).textContent = text; };
  say('farthest', m.vertex < 0 ? 'still: 0 mm' : m.farthest < 0.1 ? `${(1000 * m.farthest).toPrecision(3)} mm` : `${(100 * m.farthest).toFixed(1)} cm`);
  say('volume', volume(m));
  say('longest', `to ${(100 * m.longest).toFixed(0)}%`);
  say('shortest', `to ${(100 * m.shortest).toFixed(0)}%`);
  note(why() ? `Measured by the server: WebAssembly did not start here (${why()}).` : '');
}

// besides puts the measures of the result that is shown beside after those of now.
function besides(m) {
  for (const d of tray.querySelectorAll('#measures .beside')) d.remove();
  if (!m) return;
  const text = { farthest: `${(100 * m.farthest).toFixed(1)} cm`, volume: volume(m), longest: `${(100 * m.longest).toFixed(0)}%`, shortest: `${(100 * m.shortest).toFixed(0)}%` };
  for (const [name, t] of Object.entries(text)) {
    const dd = document.createElement('dd');
    dd.className = 'beside';
    dd.title = store.beside;
    dd.textContent = t;
    tray.querySelector(`#measures [data-m=${name}]`).after(dd);
  }
}

function note(text) {
  const p = tray.querySelector('#measures [data-m=note]');
  if (!p) return;
  p.textContent = text;
  p.hidden = !text;
}

on('pose character beside painted', update);
document.addEventListener('trayloaded', update);
