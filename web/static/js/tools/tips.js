// What a fit understood, in the view: tips of limbs, where limbs begin and the
// middle plane, as found, as a person has shown them, and what is pointed at.
import { BufferGeometry, Float32BufferAttribute, LineDashedMaterial, LineLoop, Points, PointsMaterial, Vector3 } from 'three';
import { ink } from '../ink.js';
import { corrections, store } from '../session.js';

/** @type {Record<string, [string, number]>} */
const kinds = { found: ['--teal', 9], given: ['--amber', 11], pointed: ['--rust', 15] };
export const MIDDLE = 'middle plane';

const asked = () => store.tip || store.tipPointed;

// places returns what was found or shown by kind: what is shown stands for what was
// found of its name. Beginnings that were found are seen when one is asked for.
export function places() {
  const out = { found: [], given: [], pointed: [] }, fit = store.character?.fit;
  const begins = Object.fromEntries(Object.entries(fit?.begins ?? {}).map(([limb, at]) => [`begin ${limb}`, at]));
  const shown = corrections();
  for (const [name, at] of Object.entries({ ...fit?.tips, ...begins, ...shown })) {
    const kind = name === asked() ? 'pointed' : shown[name] ? 'given' : 'found';
    if (kind === 'found' && asked() === MIDDLE) continue;
    if (kind === 'found' && name.startsWith('begin ') !== asked().startsWith('begin ')) continue;
    out[kind].push(...at);
  }
  return out;
}

export class TipSpots {
  constructor(scene) {
    this.spots = Object.fromEntries(Object.entries(kinds).map(([kind, [, size]]) => {
      const p = new Points(new BufferGeometry(), new PointsMaterial({ size, sizeAttenuation: false, depthTest: false, transparent: true }));
      p.frustumCulled = false;
      p.renderOrder = 20;
      scene.add(p);
      return [kind, p];
    }));
    this.plane = new LineLoop(new BufferGeometry(), new LineDashedMaterial({ dashSize: 0.02, gapSize: 0.012, transparent: true, depthTest: false }));
    this.plane.frustumCulled = false;
    scene.add(this.plane);
  }

  // update draws what is asked for of a body with the given box.
  update(box) {
    const list = places(), here = store.stage === 'placement' && store.bones;
    for (const [kind, p] of Object.entries(this.spots)) {
      // Found ones would hide the end joints.
      p.visible = Boolean(kind === 'given' || asked()) && here && list[kind].length > 0;
      p.material.color.copy(ink(kinds[kind][0]));
      p.geometry.dispose();
      p.geometry = new BufferGeometry().setAttribute('position', new Float32BufferAttribute(list[kind], 3));
    }
    const fit = store.character?.fit;
    this.plane.visible = here && asked() === MIDDLE && Boolean(fit?.left?.X || fit?.left?.Z);
    if (!this.plane.visible) return;
    // A rectangle in the plane, as long and high as the body.
    const vec = (v) => new Vector3(v.X, v.Y, v.Z);
    const shown = corrections()[MIDDLE], through = shown ? new Vector3(...shown) : vec(fit.plane), way = vec(fit.facing);
    const middle = box.getCenter(new Vector3()), reach = 0.55 * box.getSize(new Vector3()).length();
    const along = middle.clone().sub(through).dot(way);
    const foot = through.clone().addScaledVector(way, along).setY(box.min.y);
    const high = new Vector3(0, 1.08 * (box.max.y - box.min.y), 0);
    const corners = [foot.clone().addScaledVector(way, -reach), foot.clone().addScaledVector(way, reach)];
    corners.push(corners[1].clone().add(high), corners[0].clone().add(high));
    this.plane.geometry.dispose();
    this.plane.geometry = new BufferGeometry().setFromPoints(corners);
    this.plane.computeLineDistances();
    this.plane.material.color.copy(ink('--rust'));
    this.plane.material.dashSize = 0.03 * reach;
    this.plane.material.gapSize = 0.02 * reach;
  }
}

// carried brings places that were marked on a mesh to where its vertices have been brought, as a whole: turned,
// scaled and moved. Positions are three numbers a vertex. It is null where the mesh became another.
export function carried(marked, before, after) {
  if (before.length !== after.length || before.length < 9) return null;
  const at = (list, v) => new Vector3().fromArray(list, 3 * v), n = before.length / 3;
  const farthest = (measure) => { let best = 0, most = -1; for (let v = 0; v < n; v++) { const d = measure(at(before, v)); if (d > most) { most = d; best = v; } } return best; };
  const a = 0, b = farthest((p) => p.distanceToSquared(at(before, a)));
  const along = at(before, b).sub(at(before, a)).normalize();
  const c = farthest((p) => p.sub(at(before, a)).cross(along).lengthSq());
  const frame = (list) => {
    const o = at(list, a), x = at(list, b).sub(o), long = x.length(), z = x.clone().cross(at(list, c).sub(o)).normalize();
    x.normalize();
    return { o, long, axes: [x, z.clone().cross(x), z] };
  };
  const from = frame(before), to = frame(after), times = to.long / from.long;
  if (!(from.long > 0) || !(times > 0)) return null;
  const bring = (p) => {
    const q = p.clone().sub(from.o), out = to.o.clone();
    from.axes.forEach((axis, i) => out.addScaledVector(to.axes[i], times * q.dot(axis)));
    return out;
  };
  for (let k = 0; k < 64; k++) {
    const v = Math.floor((k * n) / 64);
    if (!(bring(at(before, v)).distanceTo(at(after, v)) < 2e-4 * to.long)) return null;
  }
  return Object.fromEntries(Object.entries(marked).map(([name, p]) => [name, bring(new Vector3(...p)).toArray()]));
}
