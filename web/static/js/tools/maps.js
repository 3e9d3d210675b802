// The maps of the weights stage beyond those that the graphics card draws: several joints at
// once, the number of influences, how far a joint moves each vertex, and what is wrong where.
import { Color } from 'three';
import { getJSON } from '../api.js';
import { core, why } from '../core.js';
import { ink, stops } from '../ink.js';
import { chosenJoint, joints, on, set, store } from '../session.js';
import { loadCore } from './measures.js';

// Hues for several joints that colour-blind eyes tell apart (Okabe & Ito 2008).
const apart = ['#0072b2', '#e69f00', '#009e73', '#cc79a7', '#56b4e9', '#d55e00', '#f0e442', '#6b6b6b'];
const wrong = ['', '--rust', '--amber', '--teal', '--axis-z', '--moss', '--moss']; // by the number of the kind
let plate = null, turn = 0;

export function mapOn(p) { plate = p; }

// rampOf is the palette as it is now, in 256 steps.
export function rampOf() {
  const list = stops().map((s) => new Color(s)), all = Array.from({ length: 256 }, (_, s) => { const k = Math.min(4.999, s / 51), i = Math.floor(k); return list[i].clone().lerp(list[i + 1], k - i); });
  return (x) => all[Math.round(255 * Math.min(1, Math.max(0, x)))];
}

// nothing is the colour of what has none.
export const nothing = () => ink('--plaster').lerp(new Color(0.62, 0.62, 0.62), 0.32);

export const several = () => [store.chosen, ...store.also].filter((i, k, all) => i >= 0 && all.indexOf(i) === k).slice(0, apart.length);

function mixInks() {
  const bare = nothing(), ramp = rampOf();
  return (x) => (x < 0.0005 ? bare : ramp(x));
}

// recolour shows what was painted of how vertices blend, where that is the map.
export function recolour(vertices) {
  if (store.map !== 'mix') return;
  const of = mixInks();
  plate.skin.recolour(vertices, Array.from(vertices, (v) => of(plate.skin.influences.shareOf(v))));
}

// update colours the skin by the map that is chosen; maps of the graphics card need nothing.
export async function update() {
  const { skin } = plate, mine = ++turn;
  if (store.stage === 'shapes') return; // reach.js colors it there
  if (!skin || store.stage !== 'weights' || !store.character?.weights || !['several', 'count', 'motion', 'problems', 'apart', 'mix', 'cap', 'remains'].includes(store.map)) { skin?.colourBy(null); tell(''); return; }
  const n = skin.vertices, out = new Float32Array(3 * n), put = (v, c) => { out[3 * v] = c.r; out[3 * v + 1] = c.g; out[3 * v + 2] = c.b; };
  const bare = nothing(), ramp = rampOf(), { width, joint, value } = skin.influences, list = joints().length;
  if (store.map === 'count') {
    const inks = Array.from({ length: 17 }, (_, k) => (k ? ramp((k - 1) / 7) : ink('--rust')));
    for (let v = 0; v < n; v++) { let k = 0; for (let i = 0; i < width; i++) if (value[v * width + i] > 0) k++; put(v, inks[k]); }
    tell('influences per vertex: 1 is pale, 8 dark; none is red');
  } else if (store.map === 'mix') {
    const of = mixInks();
    for (let v = 0; v < n; v++) put(v, of(skin.influences.shareOf(v)));
    tell('dual quaternion amount: gray is linear, dark is full');
  } else if (store.map === 'cap') {
    try {
      const { cap, far, farthest_m: most, pose } = await getJSON(`/api/characters/${store.id}/capcost`);
      if (mine !== turn) return;
      const shares = far && atob(far);
      if (!shares || shares.length !== n) { skin.colourBy(null); tell(far ? 'The mesh has changed since the bind: bind again to see what the cap costs.' : 'The cap of this bind cut nothing off.'); return; }
      for (let v = 0; v < n; v++) { const k = shares.charCodeAt(v); put(v, k ? ramp(k / 255) : bare); }
      tell(`how far the cap of ${cap} moves the skin over the usual ranges: up to ${most < 0.1 ? `${(1000 * most).toPrecision(2)} mm` : `${(100 * most).toFixed(0)} cm`} dark, in “${pose}”; gray is not moved`);
    } catch (e) { set({ say: e.message }); return; }
  } else if (store.map === 'remains') {
    try {
      const { far, farthest_m: most, mean_m: mean, frames } = await getJSON(`/api/characters/${store.id}/remains`);
      if (mine !== turn) return;
      const shares = far && atob(far), mm = (x) => `${(1000 * x).toPrecision(2)} mm`;
      if (!shares || shares.length !== n) { skin.colourBy(null); tell(far ? 'The mesh has changed since the weights were solved: solve again.' : 'These weights were not solved for motion.'); return; }
      for (let v = 0; v < n; v++) { const k = shares.charCodeAt(v); put(v, k ? ramp(k / 255) : bare); }
      tell(`how far solving left the skin from the guide, over ${frames} poses: ${mm(mean)} on average, up to ${mm(most)} dark`);
    } catch (e) { set({ say: e.message }); return; }
  } else if (store.map === 'several') {
    const which = new Array(list).fill(null), c = new Color();
    several().forEach((i, k) => { which[i] = new Color(apart[k]); });
    for (let v = 0; v < n; v++) {
      c.copy(bare);
      let sum = 0, r = 0, g = 0, b = 0;
      for (let i = 0; i < width; i++) { const w = value[v * width + i], h = w > 0 && which[joint[v * width + i] % list]; if (h) { sum += w; r += w * h.r; g += w * h.g; b += w * h.b; } }
      if (sum > 0.0005) { c.multiplyScalar(1 - sum); c.r += r; c.g += g; c.b += b; }
      put(v, c);
    }
    tell(several().map((i, k) => ({ ink: apart[k], text: joints()[i].name })));
  } else {
    if (why()) { tell(`This map needs WebAssembly, which did not start here (${why()}).`); skin.colourBy(null); return; }
    try {
      await loadCore();
      if (store.map === 'motion') {
        const j = chosenJoint();
        if (!j) { skin.colourBy(null); tell('Select a joint to see how far it moves each vertex.'); return; }
        const far = await core('motion', { joint: j.name });
        if (mine !== turn) return;
        let most = 0;
        for (const x of far) most = Math.max(most, x);
        const least = 1e-5, span = Math.log10(Math.max(most, 10 * least) / least);
        for (let v = 0; v < n; v++) put(v, far[v] === 0 ? bare : ramp(Math.max(0, Math.log10(Math.max(far[v], least) / least) / span)));
        tell(`how far ${j.name} moves the skin in its usual range: 0.01 mm pale to ${most < 0.1 ? `${(1000 * most).toPrecision(2)} mm` : `${(100 * most).toFixed(0)} cm`} dark, by powers of ten; gray is exactly still`);
      } else if (store.map === 'apart') {
        const b = plate.beside.columns;
        if (!store.beside || !b) { skin.colourBy(null); tell('Show a kept result beside, under Compare, to see where the two differ.'); return; }
        const far = await core('apart', { start: b.start, vertex: b.vertex, value: b.value, joints: b.meta.joints });
        if (mine !== turn) return;
        let most = 0, n01 = 0;
        for (let v = 0; v < n; v++) { most = Math.max(most, far[v]); if (far[v] > 0.01) n01++; put(v, far[v] < 0.0005 ? bare : ramp(far[v])); }
        tell(`how much the weights differ from ${store.beside}, none pale to all dark: ${n01.toLocaleString('en')} vertices by more than 1%, ${(100 * most).toFixed(0)}% at most; gray is the same`);
      } else {
        const { kind, size } = await core('problems');
        if (mine !== turn) return;
        const counts = [0, 0, 0, 0, 0, 0, 0], inks = wrong.map((name) => (name ? ink(name) : bare));
        for (let v = 0; v < n; v++) { counts[kind[v]]++; put(v, kind[v] ? bare.clone().lerp(inks[kind[v]], 0.45 + 0.55 * Math.min(1, size[v])) : bare); }
        tell(['', 'no weights', 'disconnected from its joint', 'a step between neighbors', 'asymmetric weight', 'far from its bone', 'a trace far from its bone'].map((text, k) => ({ ink: wrong[k] && `#${ink(wrong[k]).getHexString()}`, text: `${counts[k].toLocaleString('en')} ${text}` })).slice(1));
      }
    } catch (e) { set({ say: e.message }); return; }
  }
  if (mine !== turn) return;
  skin.colourBy(out);
  plate.view.invalidate();
}

// tell says beside the map what its colours are.
function tell(what) {
  const p = document.querySelector('#tray [data-map-says]');
  if (!p) return;
  p.replaceChildren();
  if (typeof what === 'string') p.textContent = what;
  else for (const { ink: c, text } of what) {
    const s = document.createElement('span'), i = document.createElement('i');
    i.style.background = c;
    s.append(i, text);
    p.append(s);
  }
}

on('map chosen also character stage painted beside', () => { if (plate && !store.painting) update(); });
document.addEventListener('trayloaded', () => { if (plate?.skin && !store.painting) update(); });
addEventListener('themechange', () => { if (plate?.skin) update(); });
