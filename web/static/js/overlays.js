// Drawn over the skin with the same vertex program, so that it follows the pose: the spots of a finding, the preview
// of an operation, the selection, the probe, vertices as dots, normals, and the faces just painted.
import { BufferAttribute, BufferGeometry, Group, LineBasicMaterial, LineSegments, Mesh, Points, ShaderMaterial } from 'three';
import { ink } from './ink.js';
import { dots, vertex } from './programs.js';

export class Overlays {
  constructor(skin) {
    this.skin = skin;
    this.found = new Group();
    this.would = new Group();
    this.chosen = new Group();
    this.probe = new Points(skin.geometry(new Uint32Array([0])), skin.flatMaterial('--rust', 1, true));
    this.probe.material.uniforms.size = { value: 11 };
    this.probe.visible = false;
    this.probe.frustumCulled = false;
    this.probe.renderOrder = 8;
    this.dots = null;
    this.hairs = null;
    this.patch = null;
    this.trianglesAt = null;
    skin.group.add(this.found, this.would, this.chosen, this.probe);
  }

  // all are the points and lines and faces that stand where the vertices do.
  all() { return [this.probe, this.dots, ...this.found.children, ...this.would.children, ...this.chosen.children].filter(Boolean); }

  // mark shows places: those of a finding, those that an operation would touch,
  // or chosen faces, each in a group and an ink of its own.
  mark(group, where, name) {
    const { skin } = this;
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
      for (let t = 0; t < skin.faces.length; t++) {
        if (wanted.has(skin.faces[t])) index.push(skin.triangles[3 * t], skin.triangles[3 * t + 1], skin.triangles[3 * t + 2]);
      }
      add(new Mesh(skin.geometry(new Uint32Array(index)), skin.flatMaterial(name, 0.85)));
    }
    if (where.edges?.length) {
      add(new LineSegments(skin.geometry(new Uint32Array(where.edges.flat().map((v) => skin.drawnOf[v]))), skin.flatMaterial(name, 1)));
      add(this.points(where.edges.flat(), 5, name));
    }
    if (where.vertices?.length) add(this.points(where.vertices, where.vertices.length > 100 ? 3.5 : 7, name));
  }

  points(list, size, name) {
    const { skin } = this, p = new Points(skin.geometry(new Uint32Array(list.map((v) => skin.drawnOf[v]))), skin.flatMaterial(name, 1, true));
    p.material.uniforms.size = { value: size };
    return p;
  }

  // showNormals draws a hair along the normal of every vertex.
  showNormals(yes, length) {
    const { skin } = this;
    if (yes && !this.hairs) {
      const p = skin.attributes.position.array, n = skin.attributes.normal.array;
      const ends = new Float32Array(2 * p.length);
      for (let i = 0; i < p.length / 3; i++) for (let k = 0; k < 3; k++) { ends[6 * i + k] = p[3 * i + k]; ends[6 * i + 3 + k] = p[3 * i + k] + length * n[3 * i + k]; }
      this.hairs = new LineSegments(new BufferGeometry().setAttribute('position', new BufferAttribute(ends, 3)), new LineBasicMaterial({ color: ink('--axis-z'), transparent: true, opacity: 0.7 }));
      this.hairs.frustumCulled = false;
      skin.group.add(this.hairs);
    }
    if (this.hairs) this.hairs.visible = yes;
  }

  // showDots draws the vertices as points, each in the colour of the chosen joint's weight, or takes them away.
  showDots(yes) {
    const { skin } = this;
    if (yes && !this.dots) {
      const u = skin.material.uniforms;
      this.dots = new Points(skin.geometry(Uint32Array.from(skin.drawnOf.filter((d) => d >= 0))), new ShaderMaterial({
        vertexShader: vertex, fragmentShader: dots, defines: { DOTS: 1, ...(skin.mixes && { MIXES: 1 }), ...(skin.raised && { BENT: 1 }) },
        uniforms: { ...skin.shared, size: { value: 5 * Math.min(devicePixelRatio, 2) }, paper: u.paper, inkColour: u.inkColour, stop: u.stop },
      }));
      this.dots.frustumCulled = false;
      this.dots.renderOrder = 3;
      skin.group.add(this.dots);
    }
    if (this.dots) this.dots.visible = yes;
  }

  markProbe(v) {
    this.probe.visible = v >= 0;
    if (v < 0) return;
    const a = this.probe.geometry.index;
    a.array[0] = this.skin.drawnOf[v];
    a.needsUpdate = true;
  }

  // patchOf is the faces at some vertices, to be drawn over the skin.
  patchOf(vertices) {
    const { skin } = this;
    if (!this.trianglesAt) { // vertex → its triangles
      const first = new Uint32Array(skin.vertices + 1);
      for (const d of skin.triangles) first[skin.base[d] + 1]++;
      for (let v = 0; v < skin.vertices; v++) first[v + 1] += first[v];
      const fill = first.slice(), list = new Uint32Array(skin.triangles.length);
      skin.triangles.forEach((d, i) => { list[fill[skin.base[d]]++] = Math.floor(i / 3); });
      this.trianglesAt = { first, list };
    }
    const { first, list } = this.trianglesAt, seen = new Set(), index = [];
    for (const v of vertices) {
      for (let i = first[v]; i < first[v + 1]; i++) {
        const t = list[i];
        if (seen.has(t) || skin.hiddenTriangles?.[t]) continue;
        seen.add(t);
        index.push(skin.triangles[3 * t], skin.triangles[3 * t + 1], skin.triangles[3 * t + 2]);
      }
    }
    if (!this.patch) {
      this.patch = new Mesh(skin.geometry(new Uint32Array(0)), skin.material);
      this.patch.frustumCulled = false;
      this.patch.visible = false;
    }
    this.patch.geometry.setIndex(new BufferAttribute(new Uint32Array(index), 1));
    return this.patch;
  }
}
