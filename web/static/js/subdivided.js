// The smoothed surface at the weights: it follows the vertices wherever they are posed, and the
// vertices, their edges and what is picked and painted are where it puts them. Weights and colours are
// those of the vertices, between them as on their faces.
import { BufferAttribute, BufferGeometry, LineSegments, Mesh, ShaderMaterial, Triangle, Vector3 } from 'three';
import { leaderInk, nobody } from './ink.js';

export class Subdivided {
  constructor(skin, bundle) {
    this.skin = skin;
    this.start = bundle.start; // of each point, its vertices and their shares
    this.vertex = bundle.vertex;
    this.share = bundle.share;
    this.first = bundle.corner_start; // of each face, its corners
    this.corner = bundle.corner;
    this.edge = bundle.edge;
    this.index = bundle.index;
    this.face = bundle.face; // of each triangle
    const n = this.start.length - 1, g = new BufferGeometry();
    this.count = n;
    this.faces = this.first.length - 1;
    this.position = new BufferAttribute(new Float32Array(3 * n), 3);
    this.normal = new BufferAttribute(new Float32Array(3 * n), 3);
    this.colour = new BufferAttribute(new Float32Array(3 * n), 3);
    this.weight = new BufferAttribute(new Float32Array(n), 1);
    for (const [name, a] of Object.entries({ position: this.position, normal: this.normal, colour: this.colour, share: this.weight })) g.setAttribute(name, a);
    g.setIndex(new BufferAttribute(this.index, 1));
    const { vertexShader, fragmentShader, uniforms } = skin.material;
    this.material = new ShaderMaterial({ vertexShader, fragmentShader, uniforms, defines: { BENT: 1 } });
    this.mesh = new Mesh(g, this.material);
    const w = new BufferGeometry(), lines = new Uint32Array(2 * this.edge.length);
    w.setAttribute('position', this.position);
    for (let i = 0, k = 0; i < this.edge.length; i += 2) { const mid = skin.vertices + i / 2; lines[k++] = this.edge[i]; lines[k++] = mid; lines[k++] = mid; lines[k++] = this.edge[i + 1]; }
    w.setIndex(new BufferAttribute(lines, 1));
    const ink = skin.flatMaterial('--ink', 0.34);
    ink.defines.BENT = 1;
    this.wire = new LineSegments(w, ink);
    for (const o of [this.mesh, this.wire]) { o.frustumCulled = false; skin.group.add(o); }
    this.base = new Float32Array(3 * skin.vertices); // where the vertices themselves are, before they are smoothed
    this.centre = new Float32Array(3 * this.faces);
    this.flat = new Float32Array(3 * n); // where each point lies on the faces, at rest
    this.gather(skin.attributes.position.array);
    this.between(this.base, this.flat, 3);
    this.hide();
  }

  // gather takes what is by drawn vertex to what is by vertex.
  gather(from) {
    const { drawnOf } = this.skin;
    for (let v = 0; v < drawnOf.length; v++) { const d = 3 * Math.max(0, drawnOf[v]); for (let k = 0; k < 3; k++) this.base[3 * v + k] = from[d + k]; }
  }

  // centres works out the middle of each face of what its corners have.
  centres(of, out, size) {
    for (let f = 0; f < this.faces; f++) {
      const lo = this.first[f], hi = this.first[f + 1];
      for (let k = 0; k < size; k++) {
        let sum = 0;
        for (let c = lo; c < hi; c++) sum += of[size * this.corner[c] + k];
        out[size * f + k] = sum / (hi - lo);
      }
    }
  }

  // between works out what each point has of what the vertices have, as on their faces.
  between(of, out, size) {
    const v = this.skin.vertices, e = this.edge.length / 2;
    out.set(of.subarray(0, size * v));
    for (let i = 0; i < e; i++) for (let k = 0; k < size; k++) out[size * (v + i) + k] = (of[size * this.edge[2 * i] + k] + of[size * this.edge[2 * i + 1] + k]) / 2;
    this.centres(of, out.subarray(size * (v + e)), size);
  }

  // pose brings the surface to where the vertices are.
  pose() {
    const { skin, base, centre, vertex, share, start } = this, at = this.position.array, v = skin.vertices;
    this.gather(skin.places.now());
    this.centres(base, centre, 3);
    for (let i = 0; i < this.count; i++) {
      let x = 0, y = 0, z = 0;
      for (let k = start[i]; k < start[i + 1]; k++) {
        const p = vertex[k], of = p < v ? base : centre, o = 3 * (p < v ? p : p - v), s = share[k];
        x += s * of[o]; y += s * of[o + 1]; z += s * of[o + 2];
      }
      at[3 * i] = x; at[3 * i + 1] = y; at[3 * i + 2] = z;
    }
    this.turnNormals();
    this.position.needsUpdate = this.normal.needsUpdate = true;
    skin.raise(this);
  }

  turnNormals() {
    const n = this.normal.array, p = this.position.array, { index } = this;
    n.fill(0);
    for (let t = 0; t < index.length; t += 3) {
      const a = 3 * index[t], b = 3 * index[t + 1], c = 3 * index[t + 2];
      const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2], vx = p[c] - p[a], vy = p[c + 1] - p[a + 1], vz = p[c + 2] - p[a + 2];
      const x = uy * vz - uz * vy, y = uz * vx - ux * vz, z = ux * vy - uy * vx;
      for (const o of [a, b, c]) { n[o] += x; n[o + 1] += y; n[o + 2] += z; }
    }
  }

  // paint takes the colours and the weights of the joint that is shown; mode is as the skin's.
  paint(mode, chosen) {
    const { skin } = this, { influences: t } = skin, n = skin.vertices;
    if (mode === 1) {
      this.between(t ? t.weightsOf(chosen) : new Float32Array(n), this.weight.array, 1);
      this.weight.needsUpdate = true;
      return;
    }
    const of = new Float32Array(3 * n), own = skin.attributes.colour.array;
    for (let v = 0; v < n; v++) {
      if (mode === 2 && t) {
        const leader = t.leaderOf(v), c = leader < 0 ? nobody : leaderInk(leader);
        of[3 * v] = c.r; of[3 * v + 1] = c.g; of[3 * v + 2] = c.b;
      } else { const d = 3 * Math.max(0, skin.drawnOf[v]); for (let k = 0; k < 3; k++) of[3 * v + k] = own[d + k]; }
    }
    this.between(of, this.colour.array, 3);
    this.colour.needsUpdate = true;
  }

  // repaint takes weights and colours anew that have changed.
  repaint() {
    this.paint(this.mode, this.joint);
    this.skin.shareRaised(this.joint);
  }

  // show is as the skin's.
  show({ mode, chosen, wire }) {
    const { transparent, depthWrite, side } = this.skin.material, m = this.material;
    if (m.transparent !== transparent || m.side !== side) Object.assign(m, { transparent, depthWrite, side, needsUpdate: true });
    this.wire.visible = wire;
    this.mode = mode;
    this.joint = chosen;
    this.paint(mode, chosen);
  }

  // hide leaves out the triangles of faces that are hidden.
  hide() {
    const { skin } = this, gone = skin.hiddenTriangles && new Uint8Array(this.faces);
    this.hidden = null;
    if (gone) {
      for (let t = 0; t < skin.faces.length; t++) if (skin.hiddenTriangles[t]) gone[skin.faces[t]] = 1;
      this.hidden = Uint8Array.from(this.face, (f) => gone[f]);
    }
    const list = this.hidden ? this.index.filter((_, i) => !this.hidden[Math.floor(i / 3)]) : this.index;
    this.mesh.geometry.setIndex(new BufferAttribute(list, 1));
  }

  // touch is where on the triangles of the vertices a place of a triangle of this surface lies.
  touch(triangle, point) {
    const at = (of, i) => new Vector3().fromArray(of, 3 * i), { index, skin } = this;
    const [i, j, k] = [index[3 * triangle], index[3 * triangle + 1], index[3 * triangle + 2]], p = this.position.array;
    const b = new Triangle(at(p, i), at(p, j), at(p, k)).getBarycoord(point, new Vector3()) ?? new Vector3(1, 0, 0);
    const place = at(this.flat, i).multiplyScalar(b.x).addScaledVector(at(this.flat, j), b.y).addScaledVector(at(this.flat, k), b.z);
    const rest = skin.attributes.position.array, near = new Vector3();
    let best = null, least = Infinity;
    for (const t of this.trianglesOf(this.face[triangle])) {
      const tri = new Triangle(at(rest, skin.triangles[3 * t]), at(rest, skin.triangles[3 * t + 1]), at(rest, skin.triangles[3 * t + 2]));
      tri.closestPointToPoint(place, near);
      const d = near.distanceToSquared(place);
      if (d < least) { least = d; best = { t, at: tri.getBarycoord(near, new Vector3()) }; }
    }
    return best && { t: best.t, b: best.at?.y ?? 0, c: best.at?.z ?? 0 };
  }

  // trianglesOf are the triangles of a face; those of one face follow each other.
  trianglesOf(face) {
    if (!this.firstOf) {
      this.firstOf = new Uint32Array(this.faces + 1);
      for (const f of this.skin.faces) this.firstOf[f + 1]++;
      for (let f = 0; f < this.faces; f++) this.firstOf[f + 1] += this.firstOf[f];
    }
    return Array.from({ length: this.firstOf[face + 1] - this.firstOf[face] }, (_, i) => this.firstOf[face] + i);
  }

  // cornersOf are the vertices of a face.
  cornersOf(face) { return [...this.corner.subarray(this.first[face], this.first[face + 1])]; }

  // patchOf is the faces at some vertices, to be drawn over what is there.
  patchOf(vertices) {
    if (!this.facesAt) {
      const first = new Uint32Array(this.skin.vertices + 1);
      for (const v of this.corner) first[v + 1]++;
      for (let v = 0; v < this.skin.vertices; v++) first[v + 1] += first[v];
      const fill = first.slice(), list = new Uint32Array(this.corner.length);
      for (let f = 0; f < this.faces; f++) for (let c = this.first[f]; c < this.first[f + 1]; c++) list[fill[this.corner[c]]++] = f;
      this.facesAt = { first, list };
      this.fineOf = new Uint32Array(this.faces + 1); // face → its triangles here
      for (const f of this.face) this.fineOf[f + 1]++;
      for (let f = 0; f < this.faces; f++) this.fineOf[f + 1] += this.fineOf[f];
      this.patch = new Mesh(this.mesh.geometry.clone(), this.material);
      for (const name of ['position', 'normal', 'colour', 'share']) this.patch.geometry.setAttribute(name, this.mesh.geometry.attributes[name]);
      this.patch.frustumCulled = false;
      this.patch.visible = false;
    }
    const seen = new Set(), index = [];
    for (const v of vertices) for (let i = this.facesAt.first[v]; i < this.facesAt.first[v + 1]; i++) seen.add(this.facesAt.list[i]);
    for (const f of seen) for (let t = this.fineOf[f]; t < this.fineOf[f + 1]; t++) if (!this.hidden?.[t]) index.push(this.index[3 * t], this.index[3 * t + 1], this.index[3 * t + 2]);
    this.patch.geometry.setIndex(new BufferAttribute(new Uint32Array(index), 1));
    return this.patch;
  }

  dispose() {
    for (const o of [this.mesh, this.wire]) { this.skin.group.remove(o); o.geometry.dispose(); o.material.dispose(); }
    this.patch?.parent?.remove(this.patch);
    this.patch?.geometry.dispose();
  }
}
