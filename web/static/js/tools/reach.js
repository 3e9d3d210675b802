// The reach of a shape target as colors on the skin: how far it moves each vertex at rest.
import { on, store } from '../session.js';
import { nothing, rampOf } from './maps.js';

/** @type {{ of: object, most: number, ink: (far: number) => import('three').Color } | null} */
let shown = null;

// reach colors the skin by a target, { vertex, offset }, or as it is for null. It returns the largest offset, meters.
export function reach(plate, target) {
  const skin = plate?.skin;
  if (!skin) return 0; // the stage opens before the view has the character
  if (!target?.vertex.length) {
    skin.colourBy(null); // a map of another stage too
    shown = null;
    return 0;
  }
  if (shown?.of === target && skin.byVertex) return shown.most;
  const far = Array.from(target.vertex, (_, i) => Math.hypot(target.offset[3 * i], target.offset[3 * i + 1], target.offset[3 * i + 2]));
  const most = far.reduce((a, b) => Math.max(a, b), 0), bare = nothing(), ramp = rampOf();
  const ink = (x) => (x < 1e-3 * most ? bare : ramp(x / most));
  shown = { of: target, most, ink };
  const out = new Float32Array(3 * skin.vertices);
  for (let v = 0; v < skin.vertices; v++) out.set([bare.r, bare.g, bare.b], 3 * v);
  target.vertex.forEach((v, i) => { const c = ink(far[i]); out.set([c.r, c.g, c.b], 3 * v); });
  skin.colourBy(out);
  return most;
}

// touched colors some vertices by new offsets, while a hand is at them.
export function touched(plate, vertices, offsets) {
  if (!shown || store.stage !== 'shapes') return;
  plate.skin.recolour(vertices, Array.from(vertices, (_, i) => shown.ink(Math.min(shown.most, Math.hypot(offsets[3 * i], offsets[3 * i + 1], offsets[3 * i + 2])))));
}

// At another stage its maps color the skin, and another theme has other colors.
on('stage', () => { if (store.stage !== 'shapes') shown = null; });
addEventListener('themechange', () => { shown = null; });
