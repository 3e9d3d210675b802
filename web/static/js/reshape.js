// What shape targets and sculpting do to the vertices of a skin at rest, and to its normals. Where only some vertices change, only
// those are computed.

const most = 4e6; // offsets of all targets together up to which is kept which of them move a vertex

export class Reshaper {
  constructor(skin) {
    this.skin = skin;
    /** @type {Float32Array | null} places and normals without any target, once one was on */
    this.places = null;
    /** @type {Float32Array | null} */
    this.normals = null;
    this.targets = [];
    /** @type {number[]} */
    this.values = [];
    this.byTargets = new WeakMap();
    /** @type {{ first: Uint32Array, list: Uint32Array } | null} the triangles around each vertex */
    this.fans = null;
  }

  begin() {
    const { position, normal } = this.skin.attributes;
    this.places ??= new Float32Array(position.array);
    this.normals ??= new Float32Array(normal.array);
    this.skin.drawnWhere();
  }

  // shape has targets be on as far as values say. It returns the vertices whose place or normal is another now, null where that
  // may be any.
  shape(targets, values) {
    const same = targets === this.targets;
    if (!this.places && !values.some((x) => x)) { this.targets = targets; this.values = values; return []; }
    if (same && values.length === this.values.length && values.every((x, k) => x === this.values[k])) return [];
    this.begin();
    const changed = same ? values.flatMap((x, k) => (x !== this.values[k] ? [k] : [])) : [], movers = changed.length ? this.movers(targets) : null;
    this.targets = targets;
    this.values = values;
    if (!movers) { this.all(); return null; }
    const some = new Set();
    for (const k of changed) for (const v of targets[k]?.vertex ?? []) some.add(v);
    if (some.size > this.skin.vertices / 2) { this.all(); return null; }
    for (const v of some) this.put(v, movers);
    return this.light(some, (v) => { for (let m = movers.first[v]; m < movers.first[v + 1]; m++) if (values[movers.target[m]]) return true; return false; });
  }

  // all puts every vertex where the targets have it.
  all() {
    const { skin, targets } = this, { position, normal } = skin.attributes, moved = new Uint8Array(skin.vertices), list = [];
    position.array.set(this.places);
    normal.array.set(this.normals);
    this.values.forEach((value, k) => {
      const t = targets[k];
      if (!value || !t) return;
      t.vertex.forEach((v, i) => {
        if (!moved[v]) { moved[v] = 1; list.push(v); }
        for (let d = skin.drawnFirst[v]; d < skin.drawnFirst[v + 1]; d++) {
          for (let c = 0; c < 3; c++) position.array[3 * skin.drawnAll[d] + c] += value * t.offset[3 * i + c];
        }
      });
    });
    this.light(list, (v) => moved[v]);
  }

  // put puts one vertex where the targets have it, added up in their order.
  put(v, movers) {
    const { skin, targets, values } = this, at = skin.attributes.position.array;
    for (let d = skin.drawnFirst[v]; d < skin.drawnFirst[v + 1]; d++) {
      const to = 3 * skin.drawnAll[d];
      for (let c = 0; c < 3; c++) at[to + c] = this.places[to + c];
      for (let m = movers.first[v]; m < movers.first[v + 1]; m++) {
        const value = values[movers.target[m]];
        if (value) for (let c = 0; c < 3; c++) at[to + c] += value * targets[movers.target[m]].offset[3 * movers.offset[m] + c];
      }
    }
  }

  // movers are, by vertex, the targets that move it and which of their offsets is its: those of v are first[v] to first[v + 1]. null
  // where there are too many.
  movers(targets) {
    if (this.byTargets.has(targets)) return this.byTargets.get(targets);
    let out = null;
    if (targets.reduce((sum, t) => sum + (t?.vertex.length ?? 0), 0) <= most) {
      const first = new Uint32Array(this.skin.vertices + 1);
      for (const t of targets) for (const v of t?.vertex ?? []) first[v + 1]++;
      for (let v = 0; v < this.skin.vertices; v++) first[v + 1] += first[v];
      const fill = first.slice(), target = new Uint16Array(first[this.skin.vertices]), offset = new Uint32Array(target.length);
      targets.forEach((t, k) => t?.vertex.forEach((v, i) => { target[fill[v]] = k; offset[fill[v]++] = i; }));
      out = { first, target, offset };
    }
    this.byTargets.set(targets, out);
    return out;
  }

  // nudge moves vertices by some way each, besides what targets do, and returns those whose place or normal is another now.
  nudge(vertices, by) {
    this.begin();
    const { skin } = this, at = skin.attributes.position.array;
    vertices.forEach((v, i) => {
      for (let d = skin.drawnFirst[v]; d < skin.drawnFirst[v + 1]; d++) for (let c = 0; c < 3; c++) at[3 * skin.drawnAll[d] + c] += by[3 * i + c];
    });
    return this.light(vertices, () => true);
  }

  // reset has the next call of shape compute every vertex.
  reset() { this.targets = []; this.values = []; }

  // around returns the triangles at each vertex: those of v are list[first[v]] to list[first[v + 1]].
  around() {
    if (this.fans) return this.fans;
    const { triangles: t, base, vertices } = this.skin, first = new Uint32Array(vertices + 1), list = new Uint32Array(t.length);
    for (const d of t) first[base[d] + 1]++;
    for (let v = 0; v < vertices; v++) first[v + 1] += first[v];
    const fill = first.slice();
    t.forEach((d, i) => { list[fill[base[d]]++] = Math.floor(i / 3); });
    this.fans = { first, list };
    return this.fans;
  }

  // light turns the normals of vertices that have moved, and of those beside them, by their faces; one with nothing beside it that
  // is moved has its own. It returns all these vertices.
  light(some, moved) {
    const { skin } = this, { position: { array: p }, normal: { array: out } } = skin.attributes, { triangles: t, base } = skin, { first, list } = this.around();
    const seen = new Uint8Array(skin.vertices), those = [];
    for (const v of some) {
      if (!seen[v]) { seen[v] = 1; those.push(v); }
      for (let f = first[v]; f < first[v + 1]; f++) for (let k = 0; k < 3; k++) { const u = base[t[3 * list[f] + k]]; if (!seen[u]) { seen[u] = 1; those.push(u); } }
    }
    for (const v of those) {
      let x = 0, y = 0, z = 0, any = false;
      for (let f = first[v]; f < first[v + 1]; f++) {
        const i = 3 * list[f], a = 3 * t[i], b = 3 * t[i + 1], c = 3 * t[i + 2];
        any ||= Boolean(moved(base[t[i]]) || moved(base[t[i + 1]]) || moved(base[t[i + 2]]));
        const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2], vx = p[c] - p[a], vy = p[c + 1] - p[a + 1], vz = p[c + 2] - p[a + 2];
        x += uy * vz - uz * vy; y += uz * vx - ux * vz; z += ux * vy - uy * vx;
      }
      const long = Math.hypot(x, y, z);
      for (let d = skin.drawnFirst[v]; d < skin.drawnFirst[v + 1]; d++) {
        const to = 3 * skin.drawnAll[d];
        if (!any) for (let c = 0; c < 3; c++) out[to + c] = this.normals[to + c];
        else if (long) { out[to] = x / long; out[to + 1] = y / long; out[to + 2] = z / long; }
      }
    }
    return those;
  }
}
