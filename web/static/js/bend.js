// The skin as core bends it, drawn. Where there is no graphics card a picture of 20,000 vertices costs more than
// a tenth of a second: for fetching matrices and influences at each corner of each triangle, seen or not. Here
// core bends each vertex once, and only triangles that face the eye are drawn. It is for linear blending; the
// weight of one joint comes along as a number a vertex.
import { Box3, BufferAttribute, BufferGeometry, FrontSide, Matrix4, Mesh, ShaderMaterial, Vector3 } from 'three';
import { isHere } from './core.js';
import { leaderInk, nobody } from './ink.js';

export class Bender {
  constructor(skin) {
    this.skin = skin;
    this.on = false;
    this.mesh = null;
    this.leaders = null;
    /** @type {Uint8Array | null} */
    this.sides = null;
  }

  // turn says whether core bends the skin from now on; joint is the one whose weight is shown, −1 for none;
  // with leaders each vertex has the colour of the joint that leads it.
  turn(on, joint, leaders = false) {
    const { skin } = this;
    on = Boolean(on && skin.influences && !skin.mixes && isHere());
    if (on && !this.mesh) this.make();
    if (this.mesh) this.mesh.visible = on;
    if (on || this.on) skin.mesh.visible = !on;
    const begun = on && !this.on;
    this.on = on;
    if (!on) return;
    const { transparent, depthWrite, side } = skin.material, m = this.mesh.material;
    if (m.transparent !== transparent || m.side !== side) Object.assign(m, { transparent, depthWrite, side, needsUpdate: true });
    this.weigh(joint);
    this.mesh.geometry.setAttribute('colour', leaders ? this.led() : skin.attributes.colour);
    if (begun) this.bend();
  }

  make() {
    const { skin } = this, n = skin.base.length, g = new BufferGeometry();
    this.position = new BufferAttribute(new Float32Array(3 * n), 3);
    this.normal = new BufferAttribute(new Float32Array(3 * n), 3);
    this.share = new BufferAttribute(new Float32Array(n), 1);
    this.index = new BufferAttribute(new Uint32Array(skin.triangles.length), 1);
    for (const [name, a] of Object.entries({ position: this.position, normal: this.normal, colour: skin.attributes.colour, share: this.share })) g.setAttribute(name, a);
    g.setIndex(this.index);
    const { vertexShader, fragmentShader, uniforms } = skin.material;
    this.mesh = new Mesh(g, new ShaderMaterial({ vertexShader, fragmentShader, uniforms, defines: { BENT: 1 } }));
    this.mesh.frustumCulled = false;
    skin.group.add(this.mesh);
  }

  // weigh puts the weight of a joint beside the vertices.
  weigh(joint) {
    const { influences: t, base } = this.skin;
    if (this.weighed?.joint === joint && this.weighed.of === t && this.weighed.version === t.version) return;
    this.weighed = { joint, of: t, version: t.version };
    const of = t.weightsOf(joint), out = this.share.array;
    for (let i = 0; i < base.length; i++) out[i] = of[base[i]];
    this.share.needsUpdate = true;
  }

  // led is the colour of each vertex's leading joint.
  led() {
    const { influences: t, base } = this.skin, inks = Array.from({ length: t.joints }, (_, i) => leaderInk(i));
    this.leaders ??= new BufferAttribute(new Float32Array(3 * base.length), 3);
    const out = this.leaders.array;
    for (let i = 0; i < base.length; i++) {
      const c = inks[t.leaderOf(base[i])] ?? nobody;
      out[3 * i] = c.r; out[3 * i + 1] = c.g; out[3 * i + 2] = c.b;
    }
    this.leaders.needsUpdate = true;
    return this.leaders;
  }

  // bend takes places and normals of the pose.
  bend() {
    const { places, normals } = this.skin.places.bent();
    this.position.array.set(places);
    this.normal.array.set(normals);
    this.position.needsUpdate = this.normal.needsUpdate = true;
  }

  // retouch updates places and normals of some vertices, and returns a box around where they were and are.
  retouch(vertices) {
    const { skin } = this, points = [], box = new Box3(), p = new Vector3(), { array } = this.position;
    skin.drawnWhere();
    for (const v of vertices) for (let d = skin.drawnFirst[v]; d < skin.drawnFirst[v + 1]; d++) points.push(skin.drawnAll[d]);
    const { places, normals } = skin.places.retouched(Uint32Array.from(points));
    points.forEach((d, i) => {
      box.expandByPoint(p.fromArray(array, 3 * d)).expandByPoint(p.fromArray(places, 3 * i));
      for (let c = 0; c < 3; c++) { array[3 * d + c] = places[3 * i + c]; this.normal.array[3 * d + c] = normals[3 * i + c]; }
    });
    this.position.needsUpdate = this.normal.needsUpdate = true;
    return box;
  }

  // face leaves out the triangles that turn away from a camera, where their backs are not drawn, and those beyond a rectangle
  // in which alone is drawn, in clip space.
  face(camera, within = null) {
    if (!this.on) return;
    const all = this.skin.mesh.geometry.index.array, out = this.index.array, at = this.position.array, g = this.mesh.geometry;
    let n = 0;
    const seen = within ? this.outside(camera, within) : null, gone = (a, b, c) => seen[a] & seen[b] & seen[c];
    if (this.mesh.material.side !== FrontSide && !seen) { out.set(all); n = all.length; } else {
      const eye = new Vector3().setFromMatrixPosition(camera.matrixWorld), back = camera.getWorldDirection(new Vector3()).negate(), far = camera.isPerspectiveCamera ? 1 : 0;
      const both = this.mesh.material.side !== FrontSide;
      for (let t = 0; t < all.length; t += 3) {
        if (seen && gone(all[t], all[t + 1], all[t + 2])) continue;
        const a = 3 * all[t], b = 3 * all[t + 1], c = 3 * all[t + 2];
        const x = at[a], y = at[a + 1], z = at[a + 2], ux = at[b] - x, uy = at[b + 1] - y, uz = at[b + 2] - z, vx = at[c] - x, vy = at[c + 1] - y, vz = at[c + 2] - z;
        const ex = far ? eye.x - x : back.x, ey = far ? eye.y - y : back.y, ez = far ? eye.z - z : back.z;
        if (!both && (uy * vz - uz * vy) * ex + (uz * vx - ux * vz) * ey + (ux * vy - uy * vx) * ez <= 0) continue;
        out[n] = all[t]; out[n + 1] = all[t + 1]; out[n + 2] = all[t + 2];
        n += 3;
      }
    }
    this.index.clearUpdateRanges();
    this.index.addUpdateRange(0, n);
    this.index.needsUpdate = true;
    g.setDrawRange(0, n);
  }

  // outside tells by drawn point on which sides of a rectangle it lies: 1 left, 2 right, 4 below, 8 above; a triangle all of whose
  // corners share a side is not in it.
  outside(camera, { left, right, bottom, top }) {
    const m = new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse.copy(camera.matrixWorld).invert()).elements, at = this.position.array, out = this.sides ??= new Uint8Array(at.length / 3);
    for (let i = 0, k = 0; k < at.length; i++, k += 3) {
      const x = at[k], y = at[k + 1], z = at[k + 2], w = m[3] * x + m[7] * y + m[11] * z + m[15];
      const u = m[0] * x + m[4] * y + m[8] * z + m[12], v = m[1] * x + m[5] * y + m[9] * z + m[13];
      out[i] = w <= 0 ? 0 : (u < left * w ? 1 : 0) | (u > right * w ? 2 : 0) | (v < bottom * w ? 4 : 0) | (v > top * w ? 8 : 0);
    }
    return out;
  }
}
