// Which joints move each vertex and by how much: `width` joints a vertex, the heaviest first, by their
// numbers; the joints of further records of the bind pose count on from there.

export class Influences {
  /**
   * @param {{width: number, joint: Float32Array, value: Float32Array}} table
   * @param {number[]} mix per joint, the share of dual quaternions
   */
  constructor({ width, joint, value }, mix) {
    this.width = width;
    this.joint = joint;
    this.value = value;
    this.mix = mix;
    /** @type {Float32Array | null} by vertex, 1 and the share of dual quaternions where that was said, else 0 */
    this.said = null;
    this.version = 0; // that what is made of them can tell whether they have changed
  }

  get vertices() { return this.value.length / this.width; }

  get joints() { return Math.max(1, this.mix.length); }

  // mixes tells whether any of the skin goes by dual quaternions.
  get mixes() { return Boolean(this.said) || this.mix.some((x) => x > 0); }

  // more tells whether any vertex follows more than four joints.
  more() {
    const { width, value, vertices } = this;
    for (let v = 0; v < vertices; v++) for (let k = 4; k < width; k++) if (value[v * width + k] > 0) return true;
    return false;
  }

  // weightsOf are the weights of a joint by vertex; of −1 there are none.
  weightsOf(joint) {
    const { width, vertices, joints } = this, out = new Float32Array(vertices);
    if (joint >= 0) for (let v = 0, k = 0; v < vertices; v++) for (const end = k + width; k < end; k++) if (this.value[k] > 0 && this.joint[k] % joints === joint) out[v] += this.value[k];
    return out;
  }

  // leaderOf is the joint that leads a vertex, −1 for none.
  leaderOf(v) { return this.value[v * this.width] > 0 ? this.joint[v * this.width] % this.joints : -1; }

  // shareOf is how much of a vertex goes by dual quaternions.
  shareOf(v) {
    if (this.said?.[v] > 0) return this.said[v] - 1;
    const { width, joint, value, mix } = this;
    let sum = 0;
    for (let k = v * width; k < (v + 1) * width; k++) if (value[k] > 0) sum += value[k] * mix[joint[k] % mix.length];
    return Math.min(1, sum);
  }

  // say takes of which vertices it was said how they blend.
  say(vertex, share) {
    this.said ??= new Float32Array(this.vertices);
    for (let i = 0; i < vertex.length; i++) this.said[vertex[i]] = 1 + share[i];
    this.version++;
  }

  // put takes new influences of some vertices, as core paints them: { vertex, width, joint, value }. It tells
  // whether the table has become wider.
  put({ vertex, width, joint, value }) {
    const wider = width > this.width;
    if (wider) this.widen(width > 8 ? 16 : 8);
    for (let i = 0; i < vertex.length; i++) {
      const at = vertex[i] * this.width, record = Math.floor(this.joint[at] / this.joints) * this.joints;
      for (let k = 0; k < this.width; k++) {
        this.joint[at + k] = k < width ? joint[i * width + k] + record : record;
        this.value[at + k] = k < width ? value[i * width + k] : 0;
      }
    }
    this.version++;
    return wider;
  }

  widen(width) {
    const n = this.vertices, joint = new Float32Array(width * n), value = new Float32Array(width * n);
    for (let v = 0; v < n; v++) for (let k = 0; k < this.width; k++) { joint[v * width + k] = this.joint[v * this.width + k]; value[v * width + k] = this.value[v * this.width + k]; }
    Object.assign(this, { width, joint, value });
  }
}
