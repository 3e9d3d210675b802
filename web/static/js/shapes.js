// The shape targets of a character: their offsets, kept by the hash of their blobs, and how far on each is in a pose.
import { getBuffer } from './api.js';
import { openBundle } from './bundle.js';
import { turnFrom } from './pose.js';
import { store } from './session.js';
import { builtJoints, shapeValues } from './shape-values.js';

export class Shapes {
  constructor() {
    this.byKey = new Map();
    this.rig = null;
    /** @type {string[]} */
    this.keys = []; // by which they are kept, one by one
    /** @type {{ vertex: Int32Array, offset: Float32Array }[]} one by one with the rig's targets */
    this.targets = [];
  }

  // load fetches the targets that a character has and are not here, and returns what puts them in place.
  async load(c) {
    const rig = c.shapes ?? null, keys = rig?.blobs.map((b) => `${c.mesh} ${b}`) ?? [];
    await Promise.all(keys.map(async (key, k) => {
      if (this.byKey.has(key)) return;
      const b = openBundle(await getBuffer(`/view/target/${c.head}/${k}`));
      this.byKey.set(key, { vertex: b.vertex ?? new Int32Array(0), offset: b.offset ?? new Float32Array(0) });
    }));
    return () => {
      this.rig = rig;
      this.keys = keys;
      if (!store.painting || this.targets.length !== keys.length) this.restore(); // strokes on their way are ahead of what is stored
      if (this.byKey.size > 4 * keys.length + 64) this.byKey = new Map(keys.map((key) => [key, this.byKey.get(key)])); // what undo may want again is kept a while
    };
  }

  // restore has the targets be as they are stored.
  restore() { this.targets = this.keys.map((key) => this.byKey.get(key)); }

  // sculpted has a target be as a hand has made it, offsets by vertex, until it comes from where it is stored.
  sculpted(k, at) {
    const vertex = [];
    for (let v = 0; v < at.length / 3; v++) if (at[3 * v] || at[3 * v + 1] || at[3 * v + 2]) vertex.push(v);
    const offset = new Float32Array(3 * vertex.length);
    vertex.forEach((v, i) => offset.set(at.subarray(3 * v, 3 * v + 3), 3 * i));
    this.targets = this.targets.with(k, { vertex: Int32Array.from(vertex), offset });
  }

  // values are how far on each target is when joints are turned by angles, by their number; held has what a hand holds, by name.
  values(joints, pose, held) {
    if (!this.rig) return [];
    const at = new Map(joints.map((j, i) => [j.name, i]));
    return shapeValues(this.rig, (name) => {
      const i = at.get(name), angles = i === undefined ? null : pose.get(i);
      return angles ? turnFrom(angles, joints[i].order) : null;
    }, held);
  }

  // built are joints where the targets have them that are on as values say: the same list where none moves any.
  built(joints, values) { return this.rig ? builtJoints(this.rig, values, joints) : joints; }
}
