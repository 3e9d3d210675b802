// The character's surface: one draw call, deformed on the graphics card by the
// same weights and matrices that core/deform uses; weight maps and found places
// are drawn with the same vertex program, so that they follow the pose.
import { BufferAttribute, BufferGeometry, Color, DataTexture, DoubleSide, FloatType, FrontSide, Group, LineSegments, Mesh, RGBAFormat, ShaderMaterial, Vector3 } from 'three';
import { Bender } from './bend.js';
import { Influences } from './influences.js';
import { ink, leaderInk, stops } from './ink.js';
import { Overlays } from './overlays.js';
import { Places } from './places.js';
import { flat, fragment, perRow, vertex } from './programs.js';
import { Reshaper } from './reshape.js';
import { Subdivided } from './subdivided.js';

const ramp = () => stops().map((s) => { const c = new Color(s); return new Vector3(c.r, c.g, c.b); });

export class Skin {
  constructor(bundle, renderer) {
    this.group = new Group();
    /** @type {Influences | null} */
    this.influences = null;
    /** @type {Float32Array | null} the skin matrices of the pose, less the identity */
    this.matrices = null;
    this.poses = 0; // how often that has changed
    this.mixes = false; // the vertex programs know of dual quaternions
    /** @type {Subdivided | null} */
    this.subdivided = null;
    this.raised = null;
    this.fine = null;
    this.hiddenTriangles = null;
    this.byVertex = false;
    this.painted = false;
    this.reshaper = new Reshaper(this);
    this.unbent = false; // the places at rest are others, and nobody has bent them yet
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
    this.parts = bundle.part;
    this.pieceOf = bundle.piece;
    this.ownColour = bundle.colour;
    this.group.add(this.mesh, this.wire);
    this.overlays = new Overlays(this);
    this.places = new Places(this, renderer);
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
    m.userData.ink = name;
    if (this.raised) m.defines.BENT = 1;
    if (this.mixes) m.defines.MIXES = 1;
    return m;
  }

  // restyle takes the colours of the page anew.
  restyle() {
    this.material.uniforms.paper.value.copy(ink('--plaster'));
    this.material.uniforms.inkColour.value.copy(ink('--ink-deep'));
    this.material.uniforms.stop.value = ramp();
    this.group.traverse((o) => { const name = o.material?.userData.ink; if (name) o.material.uniforms.tint.value.copy(ink(name)); });
  }

  // setWeights takes a table of `width` joints a vertex and their shares; list is the joints
  // of the skeleton.
  setWeights({ width, joint, value }, list, records = 1, said = null) {
    const joints = list.length, mix = list.map((j) => j.mix ?? 0);
    this.influences = new Influences({ width, joint, value }, mix);
    this.say(said);
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
    for (let i = 0; i < joints * records; i++) { const c = leaderInk(i % joints); inks.set([c.r, c.g, c.b, mix[i % joints]], 4 * i); }
    this.inks.dispose();
    this.inks = new DataTexture(inks, perRow, rows, RGBAFormat, FloatType);
    this.inks.needsUpdate = true;
    this.shared.inks.value = this.inks;
    this.shared.bound.value = true;
    this.shared.more.value = this.influences.more();
    if (this.matrices?.length !== 16 * joints * records) this.matrices = null; // of other joints: the plate bends it by these
    this.rebend();
    this.subdivided?.pose();
    this.subdivided?.repaint();
  }

  // rebend has core bend the skin by what has changed of its weights, if it does.
  rebend() {
    this.bender.turn(this.bender.on, this.shared.chosen.value, this.shared.mode.value === 2);
    if (this.bender.on && this.matrices) this.bender.bend();
  }


  // repaint puts new influences of some vertices in place: { vertex, width, joint, value }, as core
  // paints them.
  repaint(changed) {
    if (!changed.vertex.length) return;
    this.shared.more.value ||= changed.width > 4;
    const t = this.influences;
    if (t.put(changed)) { // a wider table for all
      if (t.width > 8) this.widen();
      this.shared.wide.value = t.width > 8;
      this.place(Array.from({ length: this.vertices }, (_, v) => v));
    } else this.place(changed.vertex);
    this.rebend();
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
    this.attributes.said?.array.fill(0);
    if (this.attributes.said) this.attributes.said.needsUpdate = true;
    if (said?.vertex.length) this.remix({ vertex: said.vertex, value: said.share });
    else this.blend(this.influences.mixes);
  }

  // remix puts what was said of some vertices in place: { vertex, value }.
  remix({ vertex, value }) {
    if (!vertex.length) return;
    this.influences.say(vertex, value);
    if (!this.attributes.said) this.attach('said', 1);
    const a = this.attributes.said;
    this.drawnWhere();
    for (let i = 0; i < vertex.length; i++) {
      const v = vertex[i];
      for (let k = this.drawnFirst[v]; k < this.drawnFirst[v + 1]; k++) a.array[this.drawnAll[k]] = this.influences.said[v];
    }
    a.needsUpdate = true;
    this.blend(true);
    this.bender.turn(this.bender.on, this.shared.chosen.value, this.shared.mode.value === 2);
  }

  // blend has the vertex programs made with dual quaternions or without: few characters need
  // them, and without them the programs are made in half the time.
  blend(mixes) {
    if (mixes === this.mixes) return;
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
    const rows = Math.ceil(matrices.length / 16 / perRow) || 1, { data } = this.turns.image;
    if (this.matrices && !this.unbent && data.length >= matrices.length && matrices.every((x, i) => x === data[i])) return;
    if (this.turns.image.height !== rows || this.turns.image.width !== 4 * perRow) {
      this.turns.dispose();
      this.turns = new DataTexture(new Float32Array(16 * perRow * rows), 4 * perRow, rows, RGBAFormat, FloatType);
      this.shared.turns.value = this.turns;
    }
    this.turns.image.data.set(matrices);
    this.turns.needsUpdate = true;
    this.matrices = matrices;
    this.unbent = false;
    this.poses++;
    if (this.bender.on) this.bender.bend();
    this.subdivided?.pose();
  }

  // placesAtRest are those of what is drawn, without any shape target.
  get placesAtRest() { return this.reshaper.places ?? this.attributes.position.array; }

  // shape has shape targets be on, each as far as its value says. It returns what of the picture is another now: a box in the
  // world, null for all of it, undefined for nothing.
  shape(targets, values) { return this.changed(this.reshaper.shape(targets, values)); }

  // nudge moves vertices at rest by some way each, besides what targets do; it returns what shape does.
  nudge(vertices, by) { return this.changed(this.reshaper.nudge(vertices, by)); }

  // changed tells whoever depends on the places at rest that those of some vertices are others now, null for all.
  changed(some) {
    if (some && !some.length) return undefined;
    this.attributes.position.needsUpdate = this.attributes.normal.needsUpdate = true;
    this.poses++;
    if (some && this.bender.on && !this.unbent) return this.bender.retouch(some);
    this.places.reshaped();
    if (!some) this.unbent = true; // until the pose is set, with which all is bent
    else if (!this.unbent) this.subdivided?.pose();
    return null;
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
    const { influences, raised } = this;
    if (!raised || !influences) return;
    const of = influences.weightsOf(joint);
    this.base.forEach((v, i) => { raised.share.array[i] = of[v]; });
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
    for (const o of [this.wire, ...this.overlays.all()]) {
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
      for (const name of ['position', 'normal', 'colour']) g.setAttribute(name, new BufferAttribute(bundle[name], 3));
      for (const name of ['jointA', 'weightA', 'jointB', 'weightB']) g.setAttribute(name, new BufferAttribute(new Float32Array(4 * n), 4));
      g.setIndex(new BufferAttribute(bundle.index, 1));
      this.fine = new Mesh(g, this.material);
      this.fine.frustumCulled = false;
      this.group.add(this.fine);
    }
    this.mesh.visible = !this.fine;
  }

  dispose() {
    this.places.dispose();
    this.group.traverse((o) => { o.geometry?.dispose(); o.material?.dispose(); });
    this.turns.dispose();
    this.inks.dispose();
  }
}
