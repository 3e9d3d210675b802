// What a fit understood, in the view: tips of limbs, where limbs begin and the
// middle plane, as found, as a person has shown them, and what is pointed at.
import { BufferGeometry, Float32BufferAttribute, LineDashedMaterial, LineLoop, Points, PointsMaterial, Vector3 } from 'three';
import { ink } from '../ink.js';
import { corrections, store } from '../session.js';

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
