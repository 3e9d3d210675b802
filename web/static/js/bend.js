// The skin as core bends it, drawn. Where there is no graphics card a picture of 20,000 vertices costs more than
// a tenth of a second: for fetching matrices and influences at each corner of each triangle, seen or not. Here
// core bends each vertex once, and only triangles that face the eye are drawn. It is for linear blending; the
// weight of one joint comes along as a number a vertex.
import { BufferAttribute, BufferGeometry, FrontSide, Mesh, ShaderMaterial, Vector3 } from 'three';
import { isHere } from './core.js';
import { leaderInk, nobody } from './ink.js';

export class Bender {
  constructor(skin) {
    this.skin = skin;
    this.on = false;
    this.mesh = null;
    this.leaders = null;
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

  // face leaves out the triangles that turn away from a camera, where their backs are not drawn.
  face(camera) {
    if (!this.on) return;
    const all = this.skin.mesh.geometry.index.array, out = this.index.array, at = this.position.array, g = this.mesh.geometry;
    let n = 0;
    if (this.mesh.material.side !== FrontSide) { out.set(all); n = all.length; } else {
      const eye = new Vector3().setFromMatrixPosition(camera.matrixWorld), back = camera.getWorldDirection(new Vector3()).negate(), far = camera.isPerspectiveCamera ? 1 : 0;
      for (let t = 0; t < all.length; t += 3) {
        const a = 3 * all[t], b = 3 * all[t + 1], c = 3 * all[t + 2];
        const x = at[a], y = at[a + 1], z = at[a + 2], ux = at[b] - x, uy = at[b + 1] - y, uz = at[b + 2] - z, vx = at[c] - x, vy = at[c + 1] - y, vz = at[c + 2] - z;
        const ex = far ? eye.x - x : back.x, ey = far ? eye.y - y : back.y, ez = far ? eye.z - z : back.z;
        if ((uy * vz - uz * vy) * ex + (uz * vx - ux * vz) * ey + (ux * vy - uy * vx) * ez <= 0) continue;
        out[n] = all[t]; out[n + 1] = all[t + 1]; out[n + 2] = all[t + 2];
        n += 3;
      }
    }
    this.index.clearUpdateRanges();
    this.index.addUpdateRange(0, n);
    this.index.needsUpdate = true;
    g.setDrawRange(0, n);
  }
}
