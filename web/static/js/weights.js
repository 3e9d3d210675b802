// The weights of a character, joint by joint: a column is kept by its hash, so that a
// change of one joint loads that alone.
import { getBuffer } from './api.js';
import { openBundle } from './bundle.js';

// none is said of no vertex how it blends.
const none = { hash: '', vertex: new Uint32Array(0), share: new Float32Array(0) };

const most = 16; // joints that move a vertex, as the vertex program takes them

export class Columns {
  constructor() { this.byHash = new Map(); this.mix = none; }

  // load fetches the columns that a character has and are not here, all together where
  // they are many, and returns its weights.
  async load({ head, mix, weights: { joints, columns } }) {
    if ((mix ?? '') !== this.mix.hash) {
      const b = mix ? openBundle(await getBuffer(`/view/mix/${head}`)) : none;
      this.mix = { hash: mix ?? '', vertex: b.vertex, share: b.share };
    }
    const lacking = joints.filter((name) => !this.byHash.has(columns[name]));
    if (lacking.length > 4) {
      const b = openBundle(await getBuffer(`/view/weights/${head}`));
      b.meta.joints.forEach((name, j) => {
        const [from, to] = [b.start[j], b.start[j + 1]];
        this.byHash.set(columns[name], { vertex: b.vertex.subarray(from, to), value: b.value.subarray(from, to) });
      });
    } else {
      await Promise.all(lacking.map(async (name) => {
        const b = openBundle(await getBuffer(`/view/weights/${head}/${encodeURIComponent(name)}`));
        this.byHash.set(columns[name], { vertex: b.vertex, value: b.value });
      }));
    }
    const used = new Map(joints.map((name) => [columns[name], this.byHash.get(columns[name])]));
    if (this.byHash.size > 4 * used.size + 64) this.byHash = used; // what undo may want again is kept a while
    const list = joints.map((name) => [name, this.byHash.get(columns[name])]);
    return { key: joints.map((n) => columns[n]).join(), list, mix: this.mix, table: (names, vertices, of) => table(list, names, vertices, of) };
  }
}

// tableOf puts the columns of a bundle of all joints together.
export const tableOf = (b, names, vertices, of) => table(b.meta.joints.map((name, j) => [name, { vertex: b.vertex.subarray(b.start[j], b.start[j + 1]), value: b.value.subarray(b.start[j], b.start[j + 1]) }]), names, vertices, of);

// table puts the columns together by vertex: at most sixteen joints each, the heaviest
// first, by their numbers in names, and further on for the vertices of further records of
// the bind pose (of). A joint that is not there moves nothing.
function table(list, names, vertices, of) {
  const number = new Map(names.map((n, i) => [n, i]));
  const count = new Uint8Array(vertices);
  for (const [, c] of list) for (const v of c.vertex) if (v < vertices && count[v] < most) count[v]++;
  let widest = 1;
  for (const n of count) if (n > widest) widest = n;
  const width = widest > 8 ? 16 : widest > 4 ? 8 : 4;
  const joint = new Float32Array(width * vertices), value = new Float32Array(width * vertices);
  count.fill(0);
  for (const [name, c] of list) {
    const j = number.get(name);
    if (j === undefined) continue;
    for (let i = 0; i < c.vertex.length; i++) {
      const v = c.vertex[i], x = c.value[i], from = width * v;
      if (v >= vertices || count[v] === width) continue;
      let k = from + count[v]++;
      for (; k > from && value[k - 1] < x; k--) { value[k] = value[k - 1]; joint[k] = joint[k - 1]; }
      value[k] = x;
      joint[k] = j + (of ? of[v] * names.length : 0);
    }
  }
  return { width, joint, value };
}
