// The character's surface: one draw call, deformed on the graphics card by the
// same weights and matrices that core/deform uses; weight maps and found places
// are drawn with the same vertex program, so that they follow the pose.
import {
  BufferAttribute, BufferGeometry, Camera, Color, DataTexture, DoubleSide, FloatType, FrontSide, Group, LineBasicMaterial, LineSegments, Matrix4, Mesh, Points, Quaternion, RGBAFormat, Scene, ShaderMaterial, Vector3, Vector4, WebGLRenderTarget,
} from 'three';
import { Bender } from './bend.js';
import { ink, leaderInk, stops } from './ink.js';
import { dots, flat, fragment, perRow, vertex } from './programs.js';
import { Subdivided } from './subdivided.js';

const ramp = () => stops().map((s) => { const c = new Color(s); return new Vector3(c.r, c.g, c.b); });

export class Skin {
  constructor(bundle) {
    this.group = new Group();
    this.base = bundle.base;
    this.triangles = bundle.index;
    this.faces = bundle.face;
    this.edges = bundle.edge;
    this.vertices = bundle.meta.vertices;
    const n = bundle.base.length;
    this.attributes = {
      position: new BufferAttribute(bundle.position, 3),
      normal: new BufferAttribute(bundle.normal, 3),
      colour: new BufferAttribute(bundle.colour, 3),
      jointA: new BufferAttribute(new Float32Array(4 * n), 4),
      weightA: new BufferAttribute(new Float32Array(4 * n), 4),
      jointB: new BufferAttribute(new Float32Array(4 * n), 4),
      weightB: new BufferAttribute(new Float32Array(4 * n), 4),
    };
    this.drawnOf = new Int32Array(this.vertices).fill(-1); // vertex → first drawn
    for (let i = n - 1; i >= 0; i--) this.drawnOf[bundle.base[i]] = i;
    this.turns = new DataTexture(new Float32Array(16), 4, 1, RGBAFormat, FloatType);
    this.inks = new DataTexture(new Float32Array(4), 1, 1, RGBAFormat, FloatType);
    this.shared = {
      turns: { value: this.turns }, inks: { value: this.inks }, bound: { value: false }, more: { value: true }, wide: { value: false }, mode: { value: 0 }, chosen: { value: -1 }, joints: { value: 1 }, size: { value: 7 },
    };
    this.material = new ShaderMaterial({
      vertexShader: vertex, fragmentShader: fragment, defines: {}, side: DoubleSide,
      uniforms: {
        ...this.shared, alpha: { value: 1 }, faded: { value: 0 }, paper: { value: new Color() }, inkColour: { value: new Color() }, stop: { value: ramp() },
      },
    });
    this.mesh = new Mesh(this.geometry(bundle.index), this.material);
    this.bender = new Bender(this);
    this.mesh.frustumCulled = false;
    this.wire = new LineSegments(this.geometry(bundle.edge), this.flatMaterial('--ink', 0.34));
    this.wire.frustumCulled = false;
    this.wire.visible = false;
    this.found = new Group();
    this.would = new Group();
    this.chosen = new Group();
    this.parts = bundle.part;
    this.pieceOf = bundle.piece;
    this.ownColour = bundle.colour;
    this.probe = new Points(this.geometry(new Uint32Array([0])), this.flatMaterial('--rust', 1, true));
    this.probe.material.uniforms.size = { value: 11 };
    this.probe.visible = false;
    this.probe.frustumCulled = false;
    this.probe.renderOrder = 8;
    this.group.add(this.mesh, this.wire, this.found, this.would, this.chosen, this.probe);
    this.restyle();
  }

  geometry(index) {
    const g = new BufferGeometry();
    for (const [name, a] of Object.entries({ ...this.attributes, ...this.raised })) g.setAttribute(name, a);
    g.setIndex(new BufferAttribute(index, 1));
    return g;
  }

  flatMaterial(name, alpha, round = false) {
    const m = new ShaderMaterial({
      vertexShader: vertex, fragmentShader: flat, defines: {}, transparent: true, depthTest: !round, side: DoubleSide, polygonOffset: true, polygonOffsetFactor: -2, polygonOffsetUnits: -2,
      uniforms: { ...this.shared, tint: { value: ink(name) }, alpha: { value: alpha }, round: { value: round } },
    });
    m.ink = name;
    if (this.raised) m.defines.BENT = 1;
    if (this.mixes) m.defines.MIXES = 1;
    return m;
  }

  // restyle takes the colours of the page anew.
  restyle() {
    this.material.uniforms.paper.value.copy(ink('--plaster'));
    this.material.uniforms.inkColour.value.copy(ink('--ink-deep'));
    this.material.uniforms.stop.value = ramp();
    this.group.traverse((o) => { if (o.material?.ink) o.material.uniforms.tint.value.copy(ink(o.material.ink)); });
  }

  // setWeights takes a table of `width` joints a vertex and their shares; list is the joints
  // of the skeleton.
  setWeights({ width, joint, value }, list, records = 1, said = null) {
    const joints = list.length;
    this.mix = list.map((j) => j.mix ?? 0);
    this.say(said);
    this.influences = { width, joint, value };
    if (width > 8) this.widen();
    this.shared.wide.value = width > 8;
    ['A', 'B', 'C', 'D'].forEach((set, n) => {
      const j = this.attributes[`joint${set}`], w = this.attributes[`weight${set}`];
      if (!j) return;
      for (let i = 0; i < this.base.length; i++) {
        const v = this.base[i] * width + 4 * n;
        for (let k = 0; k < 4; k++) {
          j.array[4 * i + k] = 4 * n < width ? joint[v + k] : 0;
          w.array[4 * i + k] = 4 * n < width ? value[v + k] : 0;
        }
      }
      j.needsUpdate = w.needsUpdate = true;
    });
    const rows = Math.ceil((joints * records) / perRow) || 1, inks = new Float32Array(4 * perRow * rows);
    this.shared.joints.value = Math.max(1, joints);
    for (let i = 0; i < joints * records; i++) { const c = leaderInk(i % joints); inks.set([c.r, c.g, c.b, this.mix[i % joints]], 4 * i); }
    this.inks.dispose();
    this.inks = new DataTexture(inks, perRow, rows, RGBAFormat, FloatType);
    this.inks.needsUpdate = true;
    this.shared.inks.value = this.inks;
    this.shared.bound.value = true;
    this.shared.more.value = this.needsMore();
    this.bender.turn(this.bender.on, this.shared.chosen.value, this.shared.mode.value === 2);
    if (this.bender.on && this.matrices) this.bender.bend(this.matrices);
    this.subdivided?.pose();
    this.subdivided?.repaint();
  }

  // needsMore tells whether any vertex follows more than four joints.
  needsMore() {
    const { width, value } = this.influences;
    for (let v = 0; v < this.vertices; v++) for (let k = 4; k < width; k++) if (value[v * width + k] > 0) return true;
    return false;
  }

  // repaint puts new influences of some vertices in place: { vertex, width, joint, value }, as core
  // paints them; joints is how many the skeleton has.
  repaint({ vertex, width, joint, value }, joints) {
    if (!vertex.length) return;
    this.shared.more.value ||= width > 4;
    const t = this.influences;
    if (width > t.width) { // a wider table for all
      const wide = width > 8 ? 16 : 8, next = { width: wide, joint: new Float32Array(wide * this.vertices), value: new Float32Array(wide * this.vertices) };
      for (let v = 0; v < this.vertices; v++) for (let k = 0; k < t.width; k++) { next.joint[v * wide + k] = t.joint[v * t.width + k]; next.value[v * wide + k] = t.value[v * t.width + k]; }
      this.influences = next;
      if (wide > 8) this.widen();
      this.shared.wide.value = wide > 8;
      this.place(Array.from({ length: this.vertices }, (_, v) => v));
    }
    const table = this.influences;
    for (let i = 0; i < vertex.length; i++) {
      const v = vertex[i], at = v * table.width, record = Math.floor(table.joint[at] / joints) * joints;
      for (let k = 0; k < table.width; k++) {
        table.joint[at + k] = k < width ? joint[i * width + k] + record : record;
        table.value[at + k] = k < width ? value[i * width + k] : 0;
      }
    }
    this.place(vertex);
  }

  // drawnWhere numbers, by vertex, all that is drawn of it.
  drawnWhere() {
    if (this.drawnFirst) return;
    this.drawnFirst = new Uint32Array(this.vertices + 1);
    for (const v of this.base) this.drawnFirst[v + 1]++;
    for (let v = 0; v < this.vertices; v++) this.drawnFirst[v + 1] += this.drawnFirst[v];
    const fill = this.drawnFirst.slice();
    this.drawnAll = new Uint32Array(this.base.length);
    this.base.forEach((v, i) => { this.drawnAll[fill[v]++] = i; });
  }

  // place writes the influences of vertices to all that is drawn of them.
  place(vertices) {
    this.drawnWhere();
    const { width, joint, value } = this.influences;
    ['A', 'B', 'C', 'D'].forEach((set, n) => {
      const j = this.attributes[`joint${set}`], w = this.attributes[`weight${set}`];
      if (!j || 4 * n >= width) return;
      for (const v of vertices) {
        for (let d = this.drawnFirst[v]; d < this.drawnFirst[v + 1]; d++) {
          const i = this.drawnAll[d];
          for (let k = 0; k < 4; k++) { j.array[4 * i + k] = joint[v * width + 4 * n + k]; w.array[4 * i + k] = value[v * width + 4 * n + k]; }
        }
      }
      j.needsUpdate = w.needsUpdate = true;
    });
  }

  // patchOf is the faces at some vertices, to be drawn over the skin.
  patchOf(vertices) {
    if (!this.trianglesAt) { // vertex → its triangles
      const first = new Uint32Array(this.vertices + 1);
      for (const d of this.triangles) first[this.base[d] + 1]++;
      for (let v = 0; v < this.vertices; v++) first[v + 1] += first[v];
      const fill = first.slice(), list = new Uint32Array(this.triangles.length);
      this.triangles.forEach((d, i) => { list[fill[this.base[d]]++] = Math.floor(i / 3); });
      this.trianglesAt = { first, list };
    }
    const { first, list } = this.trianglesAt, seen = new Set(), index = [];
    for (const v of vertices) {
      for (let i = first[v]; i < first[v + 1]; i++) {
        const t = list[i];
        if (seen.has(t) || this.hiddenTriangles?.[t]) continue;
        seen.add(t);
        index.push(this.triangles[3 * t], this.triangles[3 * t + 1], this.triangles[3 * t + 2]);
      }
    }
    if (!this.patch) {
      this.patch = new Mesh(this.geometry(new Uint32Array(0)), this.material);
      this.patch.frustumCulled = false;
      this.patch.visible = false;
    }
    this.patch.geometry.setIndex(new BufferAttribute(new Uint32Array(index), 1));
    return this.patch;
  }

  // colourBy draws the skin in a colour for each vertex (r, g, b), or in its own for null.
  colourBy(colours) {
    if (!colours && !this.byVertex) return;
    this.byVertex = Boolean(colours);
    const c = this.attributes.colour;
    if (!colours) c.array = this.ownColour;
    else {
      c.array = new Float32Array(this.ownColour.length);
      this.base.forEach((v, i) => { c.array[3 * i] = colours[3 * v]; c.array[3 * i + 1] = colours[3 * v + 1]; c.array[3 * i + 2] = colours[3 * v + 2]; });
    }
    c.needsUpdate = true;
    this.painted = false;
    this.subdivided?.repaint();
  }

  // recolour gives some vertices other colours, where each has one of its own.
  recolour(vertices, inks) {
    if (!this.byVertex) return;
    this.drawnWhere();
    const c = this.attributes.colour;
    vertices.forEach((v, i) => { for (let k = this.drawnFirst[v]; k < this.drawnFirst[v + 1]; k++) c.array.set([inks[i].r, inks[i].g, inks[i].b], 3 * this.drawnAll[k]); });
    c.needsUpdate = true;
    this.subdivided?.repaint();
  }

  // say takes of which vertices it was said how they blend: { vertex, share }.
  say(said) {
    this.said = null;
    this.attributes.said?.array.fill(0);
    if (this.attributes.said) this.attributes.said.needsUpdate = true;
    if (said?.vertex.length) this.remix({ vertex: said.vertex, value: said.share });
    else this.blend(this.mix.some((x) => x > 0));
  }

  // remix puts what was said of some vertices in place: { vertex, value }.
  remix({ vertex, value }) {
    if (!vertex.length) return;
    this.said ??= new Float32Array(this.vertices);
    if (!this.attributes.said) this.attach('said', 1);
    const a = this.attributes.said;
    this.drawnWhere();
    for (let i = 0; i < vertex.length; i++) {
      const v = vertex[i];
      this.said[v] = 1 + value[i];
      for (let k = this.drawnFirst[v]; k < this.drawnFirst[v + 1]; k++) a.array[this.drawnAll[k]] = this.said[v];
    }
    a.needsUpdate = true;
    this.blend(true);
    this.bender.turn(this.bender.on, this.shared.chosen.value, this.shared.mode.value === 2);
  }

  // shareOf is how much of a vertex goes by dual quaternions.
  shareOf(v) {
    if (this.said?.[v] > 0) return this.said[v] - 1;
    const { width, joint, value } = this.influences;
    let sum = 0;
    for (let k = v * width; k < (v + 1) * width; k++) if (value[k] > 0) sum += value[k] * this.mix[joint[k] % this.mix.length];
    return Math.min(1, sum);
  }

  // blend has the vertex programs made with dual quaternions or without: few characters need
  // them, and without them the programs are made in half the time.
  blend(mixes) {
    if (mixes === Boolean(this.mixes)) return;
    this.mixes = mixes;
    this.group.traverse(({ material: m }) => {
      if (m?.vertexShader !== vertex) return;
      if (mixes) m.defines.MIXES = 1; else delete m.defines.MIXES;
      m.needsUpdate = true;
    });
  }

  // widen makes room for nine and more joints a vertex, which few characters have.
  widen() {
    for (const name of ['jointC', 'weightC', 'jointD', 'weightD']) {
      if (!this.attributes[name]) this.attach(name, 4);
    }
  }

  // attach gives all that is drawn a further attribute of zeros.
  attach(name, size) {
    this.attributes[name] = new BufferAttribute(new Float32Array(size * this.base.length), size);
    this.group.traverse(({ geometry: g }) => { if (g?.attributes.jointA === this.attributes.jointA) g.setAttribute(name, this.attributes[name]); });
  }

  dropWeights() {
    this.influences = null;
    this.shared.bound.value = false;
    this.bender.turn(false, -1);
  }

  // setPose takes the skin matrices less the identity; the texture is made once per
  // skeleton.
  setPose(matrices) {
    const rows = Math.ceil(matrices.length / 16 / perRow) || 1;
    if (this.turns.image.height !== rows || this.turns.image.width !== 4 * perRow) {
      this.turns.dispose();
      this.turns = new DataTexture(new Float32Array(16 * perRow * rows), 4 * perRow, rows, RGBAFormat, FloatType);
      this.shared.turns.value = this.turns;
    }
    this.turns.image.data.set(matrices);
    this.turns.needsUpdate = true;
    this.matrices = matrices;
    if (this.bender.on) this.bender.bend(matrices);
    this.subdivided?.pose();
  }

  // show sets how the surface is drawn: mode 0 its colours, 1 the chosen joint's
  // weights, 2 the leading joint. Of a solid surface nobody sees the backs, so
  // they are not drawn. bent: it may be bent on the processor.
  show({ mode, chosen, through, wire, faded, solid, bent }) {
    this.shared.mode.value = mode;
    this.shared.chosen.value = chosen;
    const u = this.material.uniforms;
    u.alpha.value = through ? 0.34 : 1;
    u.faded.value = faded ? 0.6 : 0;
    const side = through || solid ? FrontSide : DoubleSide;
    if (this.material.transparent !== through || this.material.side !== side) {
      this.material.transparent = through;
      this.material.depthWrite = !through;
      this.material.side = side;
      this.material.needsUpdate = true;
    }
    this.wire.visible = wire;
    this.bender.turn(bent && !this.subdivided, mode === 1 ? chosen : -1, mode === 2);
    if (!this.subdivided) return;
    this.mesh.visible = this.wire.visible = false;
    this.subdivided.show({ mode, chosen, wire });
    this.shareRaised(chosen);
  }

  // mark shows places: those of a finding, those that an operation would touch,
  // or chosen faces, each in a group and an ink of its own.
  mark(group, where, name) {
    for (const o of [...group.children]) {
      group.remove(o);
      // What is shared stays: with a geometry its buffers go, and the others would draw from them as they were.
      for (const name of Object.keys(o.geometry.attributes)) o.geometry.deleteAttribute(name);
      o.geometry.dispose();
      o.material.dispose();
    }
    if (!where) return;
    const add = (o) => { o.frustumCulled = false; o.renderOrder = 5; group.add(o); };
    if (where.faces?.length) {
      const wanted = new Set(where.faces);
      const index = [];
      for (let t = 0; t < this.faces.length; t++) {
        if (wanted.has(this.faces[t])) index.push(this.triangles[3 * t], this.triangles[3 * t + 1], this.triangles[3 * t + 2]);
      }
      add(new Mesh(this.geometry(new Uint32Array(index)), this.flatMaterial(name, 0.85)));
    }
    if (where.edges?.length) {
      add(new LineSegments(this.geometry(new Uint32Array(where.edges.flat().map((v) => this.drawnOf[v]))), this.flatMaterial(name, 1)));
      add(this.points(where.edges.flat(), 5, name));
    }
    if (where.vertices?.length) add(this.points(where.vertices, where.vertices.length > 100 ? 3.5 : 7, name));
  }

  points(list, size, name) {
    const p = new Points(this.geometry(new Uint32Array(list.map((v) => this.drawnOf[v]))), this.flatMaterial(name, 1, true));
    p.material.uniforms.size = { value: size };
    return p;
  }

  // setHidden leaves the faces of hidden parts out of the drawing, and those at hidden vertices,
  // which are ranges as "0-14,20".
  setHidden(parts, vertices = '') {
    const key = `${parts.join()}/${vertices}`;
    if (key === this.hiddenKey) return;
    this.hiddenKey = key;
    const hidden = parts.some(Boolean) || vertices ? new Uint8Array(this.faces.length) : null, gone = new Uint8Array(this.vertices);
    for (const part of vertices.split(',').filter(Boolean)) { const [a, b = a] = part.split('-').map(Number); gone.fill(1, a, b + 1); }
    if (hidden) for (let t = 0; t < this.faces.length; t++) hidden[t] = parts[this.parts[this.faces[t]]] || gone[this.base[this.triangles[3 * t]]] || gone[this.base[this.triangles[3 * t + 1]]] || gone[this.base[this.triangles[3 * t + 2]]] ? 1 : 0;
    this.hiddenTriangles = hidden;
    this.gone = gone;
    const shown = (index) => {
      if (!hidden) return index;
      const out = [];
      for (let t = 0; t < this.faces.length; t++) if (!hidden[t]) out.push(index[3 * t], index[3 * t + 1], index[3 * t + 2]);
      return new Uint32Array(out);
    };
    const index = shown(this.triangles);
    this.mesh.geometry.setIndex(new BufferAttribute(index, 1));
    const seen = new Uint8Array(this.vertices);
    for (const i of index) seen[this.base[i]] = 1;
    const all = this.edges, edges = [];
    for (let i = 0; i < all.length; i += 2) if (seen[this.base[all[i]]] && seen[this.base[all[i + 1]]]) edges.push(all[i], all[i + 1]);
    this.wire.geometry.setIndex(new BufferAttribute(hidden ? new Uint32Array(edges) : all, 1));
    this.subdivided?.hide();
  }

  // colourPieces paints every piece in an ink of its own, or the parts' colours.
  colourPieces(yes) {
    if (this.byVertex || Boolean(this.painted) === yes) return;
    this.painted = yes;
    const c = this.attributes.colour;
    if (!yes) c.array = this.ownColour;
    else {
      c.array = new Float32Array(this.ownColour.length);
      for (let i = 0; i < this.pieceOf.length; i++) { const k = leaderInk(this.pieceOf[i]); c.array.set([k.r, k.g, k.b], 3 * i); }
    }
    c.needsUpdate = true;
  }

  // showNormals draws a hair along the normal of every vertex.
  showNormals(yes, length) {
    if (yes && !this.hairs) {
      const p = this.attributes.position.array, n = this.attributes.normal.array;
      const ends = new Float32Array(2 * p.length);
      for (let i = 0; i < p.length / 3; i++) for (let k = 0; k < 3; k++) { ends[6 * i + k] = p[3 * i + k]; ends[6 * i + 3 + k] = p[3 * i + k] + length * n[3 * i + k]; }
      this.hairs = new LineSegments(new BufferGeometry().setAttribute('position', new BufferAttribute(ends, 3)), new LineBasicMaterial({ color: ink('--axis-z'), transparent: true, opacity: 0.7 }));
      this.hairs.frustumCulled = false;
      this.group.add(this.hairs);
    }
    if (this.hairs) this.hairs.visible = yes;
  }

  // subdivide draws the smoothed surface that a bundle tells of in place of the faces, and all else where
  // it puts the vertices; null takes it away.
  subdivide(bundle) {
    this.subdivided?.dispose();
    this.subdivided = null;
    this.raise(null);
    this.mesh.visible = true;
    if (!bundle) return;
    this.bender.turn(false, -1);
    this.mesh.visible = this.wire.visible = false;
    this.subdivided = new Subdivided(this, bundle);
    this.subdivided.pose();
  }

  // shareRaised gives the raised vertices the weight of a joint, by which they are coloured.
  shareRaised(joint) {
    const { influences: t, raised } = this, n = this.shared.joints.value;
    if (!raised || !t) return;
    this.base.forEach((v, i) => {
      let sum = 0;
      if (joint >= 0) for (let k = v * t.width; k < (v + 1) * t.width; k++) if (t.value[k] > 0 && t.joint[k] % n === joint) sum += t.value[k];
      raised.share.array[i] = sum;
    });
    raised.share.needsUpdate = true;
  }

  // raise puts points and lines at the vertices where the smoothed surface has them, or back.
  raise(surface) {
    if (!surface && !this.raised) return;
    const begun = Boolean(surface) !== Boolean(this.raised);
    if (surface) {
      this.raised ??= { position: new BufferAttribute(new Float32Array(3 * this.base.length), 3), share: new BufferAttribute(new Float32Array(this.base.length), 1) };
      const at = this.raised.position, from = surface.position.array;
      this.base.forEach((v, i) => { for (let k = 0; k < 3; k++) at.array[3 * i + k] = from[3 * v + k]; });
      at.needsUpdate = true;
    }
    if (!begun) return;
    const of = surface ? this.raised.position : this.attributes.position;
    for (const o of [this.wire, this.probe, this.dots, ...this.found.children, ...this.would.children, ...this.chosen.children]) {
      if (!o) continue;
      o.geometry.setAttribute('position', of);
      if (surface) { o.geometry.setAttribute('share', this.raised.share); o.material.defines.BENT = 1; } else delete o.material.defines.BENT;
      o.material.needsUpdate = true;
    }
    if (!surface) this.raised = null;
  }

  // showSmooth draws a subdivided surface instead of the base mesh; null takes
  // it away. The edges stay those of the base mesh.
  showSmooth(bundle) {
    if (this.fine) { this.group.remove(this.fine); this.fine.geometry.dispose(); this.fine = null; }
    if (bundle) {
      const g = new BufferGeometry();
      const n = bundle.base.length;
      for (const [name, width] of [['position', 3], ['normal', 3], ['colour', 3]]) g.setAttribute(name, new BufferAttribute(bundle[name], width));
      for (const name of ['jointA', 'weightA', 'jointB', 'weightB']) g.setAttribute(name, new BufferAttribute(new Float32Array(4 * n), 4));
      g.setIndex(new BufferAttribute(bundle.index, 1));
      this.fine = new Mesh(g, this.material);
      this.fine.frustumCulled = false;
      this.group.add(this.fine);
    }
    this.mesh.visible = !this.fine;
  }

  // showDots draws the vertices as points, each in the colour of the chosen joint's weight, or takes them away.
  showDots(yes) {
    if (yes && !this.dots) {
      const u = this.material.uniforms;
      this.dots = new Points(this.geometry(Uint32Array.from(this.drawnOf.filter((d) => d >= 0))), new ShaderMaterial({
        vertexShader: vertex, fragmentShader: dots, defines: { DOTS: 1, ...(this.mixes && { MIXES: 1 }), ...(this.raised && { BENT: 1 }) },
        uniforms: { ...this.shared, size: { value: 5 * Math.min(devicePixelRatio, 2) }, paper: u.paper, inkColour: u.inkColour, stop: u.stop },
      }));
      this.dots.frustumCulled = false;
      this.dots.renderOrder = 3;
      this.group.add(this.dots);
    }
    if (this.dots) this.dots.visible = yes;
  }

  markProbe(v) {
    this.probe.visible = v >= 0;
    if (v < 0) return;
    const a = this.probe.geometry.index;
    a.array[0] = this.drawnOf[v];
    a.needsUpdate = true;
  }

  // bent returns the deformed positions of all drawn vertices, for picking.
  bent(matrices, out) {
    const p = this.attributes.position.array;
    if (!this.influences) { out.set(p); return out; }
    const { width, joint, value } = this.influences;
    for (let i = 0; i < this.base.length; i++) {
      const x = p[3 * i], y = p[3 * i + 1], z = p[3 * i + 2];
      let a = x, b = y, c = z;
      const d = this.mixes && this.dualAt(i, matrices, x, y, z);
      for (let k = 0, v = this.base[i] * width; k < width; k++, v++) {
        const w = value[v];
        if (w === 0) continue;
        const m = 16 * joint[v];
        a += w * (matrices[m] * x + matrices[m + 4] * y + matrices[m + 8] * z + matrices[m + 12]);
        b += w * (matrices[m + 1] * x + matrices[m + 5] * y + matrices[m + 9] * z + matrices[m + 13]);
        c += w * (matrices[m + 2] * x + matrices[m + 6] * y + matrices[m + 10] * z + matrices[m + 14]);
      }
      if (d) { a += d.mix * (d.at.x - a); b += d.mix * (d.at.y - b); c += d.mix * (d.at.z - c); }
      out[3 * i] = a; out[3 * i + 1] = b; out[3 * i + 2] = c;
    }
    return out;
  }

  // shown returns where the drawn vertices are seen: bent, or where the smoothed surface puts them.
  shown(matrices, out) {
    if (!this.raised) return this.bent(matrices, out);
    out.set(this.raised.position.array);
    return out;
  }

  // dualAt is where dual quaternions take a vertex, as the vertex program has it, and how much
  // of that counts; null where none does.
  dualAt(i, matrices, x, y, z) {
    const { width, joint, value } = this.influences, m = new Matrix4(), first = new Quaternion(), turn = new Vector4(0, 0, 0, 0), way = new Vector4(0, 0, 0, 0);
    const mix = this.shareOf(this.base[i]);
    if (!(mix > 0)) return null;
    let some = false;
    for (let k = 0, v = this.base[i] * width; k < width; k++, v++) {
      const w = value[v];
      if (w === 0) continue;
      m.fromArray(matrices, 16 * joint[v]);
      for (const e of [0, 5, 10, 15]) m.elements[e] += 1;
      const e = m.elements;
      if (Math.abs(m.determinant() - 1) > 1e-4 || Math.abs(e[0] ** 2 + e[1] ** 2 + e[2] ** 2 - 1) > 1e-4 || Math.abs(e[4] ** 2 + e[5] ** 2 + e[6] ** 2 - 1) > 1e-4) return null;
      const q = new Quaternion().setFromRotationMatrix(m), d = new Quaternion(e[12] / 2, e[13] / 2, e[14] / 2, 0).multiply(q);
      if (!some) { first.copy(q); some = true; }
      const s = q.dot(first) < 0 ? -w : w;
      turn.add(new Vector4(s * q.x, s * q.y, s * q.z, s * q.w));
      way.add(new Vector4(s * d.x, s * d.y, s * d.z, s * d.w));
    }
    if (turn.length() === 0) return null;
    const l = turn.length(), q = new Quaternion(turn.x / l, turn.y / l, turn.z / l, turn.w / l);
    const t = new Quaternion(way.x / l, way.y / l, way.z / l, way.w / l).multiply(q.clone().conjugate());
    return { mix, at: new Vector3(x, y, z).applyQuaternion(q).add(new Vector3(2 * t.x, 2 * t.y, 2 * t.z)) };
  }

  // readBack returns where the graphics card puts every drawn vertex: the vertex program
  // that draws the skin is run once more and its places are written to pixels of numbers.
  readBack(renderer) {
    const n = this.base.length, width = 1024, height = Math.ceil(n / width);
    const target = new WebGLRenderTarget(width, height, { type: FloatType, depthBuffer: false });
    const points = new Points(new BufferGeometry(), new ShaderMaterial({
      vertexShader: vertex, defines: { READ_BACK: width, ...(this.mixes && { MIXES: 1 }) }, depthTest: false,
      fragmentShader: 'varying vec3 vView; void main() { gl_FragColor = vec4(vView, 1.0); }',
      uniforms: { ...this.shared, rows: { value: height } },
    }));
    for (const [name, a] of Object.entries(this.attributes)) points.geometry.setAttribute(name, a);
    points.frustumCulled = false;
    const scene = new Scene(), before = renderer.getRenderTarget(), out = new Float32Array(4 * width * height);
    scene.add(points);
    renderer.setRenderTarget(target);
    renderer.clear();
    renderer.render(scene, new Camera());
    renderer.readRenderTargetPixels(target, 0, 0, width, height, out);
    renderer.setRenderTarget(before);
    target.dispose();
    points.material.dispose();
    return Array.from({ length: n }, (_, i) => [out[4 * i], out[4 * i + 1], out[4 * i + 2], out[4 * i + 3]]);
  }

  dispose() {
    this.group.traverse((o) => { o.geometry?.dispose(); o.material?.dispose(); });
    this.turns.dispose();
    this.inks.dispose();
  }
}
