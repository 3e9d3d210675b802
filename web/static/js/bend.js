// The skin bent on the processor. Where there is no graphics card a picture of 20,000 vertices costs more than
// a tenth of a second: for fetching matrices and influences at each corner of each triangle, seen or not. Here
// each vertex is bent once, with the same sums, and only triangles that face the eye are drawn. It is for
// linear blending; the weight of one joint comes along as a number a vertex.
import { BufferAttribute, BufferGeometry, FrontSide, Mesh, ShaderMaterial, Vector3 } from 'three';
import { leaderInk } from './ink.js';

const none = { r: 0.8, g: 0.1, b: 0.1 }; // of a vertex that no joint leads, as the vertex program has it

// software tells whether the drawing is done without a graphics card.
export function software(renderer) {
  const gl = renderer.getContext(), info = gl.getExtension('WEBGL_debug_renderer_info');
  return /swiftshader|llvmpipe|software/i.test(String(gl.getParameter(info ? info.UNMASKED_RENDERER_WEBGL : gl.RENDERER)));
}

export class Bender {
  constructor(skin) {
    this.skin = skin;
    this.on = false;
  }

  // turn says whether the skin is bent here from now on; joint is the one whose weight is shown, −1 for none;
  // with leaders each vertex has the colour of the joint that leads it.
  turn(on, joint, leaders = false) {
    const { skin } = this;
    on = Boolean(on && skin.influences && !skin.mixes);
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
    if (begun) this.bend(skin.matrices);
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
    const { influences: t, base, shared } = this.skin;
    if (this.weighed?.joint === joint && this.weighed.of === t) return;
    this.weighed = { joint, of: t };
    const n = shared.joints.value, out = this.share.array;
    for (let i = 0; i < base.length; i++) {
      let sum = 0;
      if (joint >= 0) for (let k = 0, v = base[i] * t.width; k < t.width; k++, v++) if (t.value[v] > 0 && t.joint[v] % n === joint) sum += t.value[v];
      out[i] = sum;
    }
    this.share.needsUpdate = true;
  }

  // led is the colour of each vertex's leading joint.
  led() {
    const { influences: t, base, shared } = this.skin, n = shared.joints.value, inks = Array.from({ length: n }, (_, i) => leaderInk(i));
    this.leaders ??= new BufferAttribute(new Float32Array(3 * base.length), 3);
    const out = this.leaders.array;
    for (let i = 0; i < base.length; i++) {
      const v = base[i] * t.width, c = t.value[v] > 0 ? inks[t.joint[v] % n] : none;
      out[3 * i] = c.r; out[3 * i + 1] = c.g; out[3 * i + 2] = c.b;
    }
    this.leaders.needsUpdate = true;
    return this.leaders;
  }

  // bend works out places and normals; what no turned joint has a share in stays as it was.
  bend(matrices) {
    const { skin } = this, { width, joint, value } = skin.influences, p = skin.attributes.position.array, q = skin.attributes.normal.array;
    const at = this.position.array, n = this.normal.array, moves = new Uint8Array(matrices.length / 16);
    for (let j = 0; j < moves.length; j++) for (let k = 0; k < 16 && !moves[j]; k++) if (matrices[16 * j + k] !== 0) moves[j] = 1;
    const m = new Float64Array(12);
    for (let i = 0; i < skin.base.length; i++) {
      m.fill(0);
      let moved = false;
      for (let k = 0, v = skin.base[i] * width; k < width; k++, v++) {
        const w = value[v];
        if (w === 0 || !moves[joint[v]]) continue;
        moved = true;
        const o = 16 * joint[v];
        for (let c = 0; c < 4; c++) { m[3 * c] += w * matrices[o + 4 * c]; m[3 * c + 1] += w * matrices[o + 4 * c + 1]; m[3 * c + 2] += w * matrices[o + 4 * c + 2]; }
      }
      const o = 3 * i, x = p[o], y = p[o + 1], z = p[o + 2], a = q[o], b = q[o + 1], c = q[o + 2];
      if (!moved) { at[o] = x; at[o + 1] = y; at[o + 2] = z; n[o] = a; n[o + 1] = b; n[o + 2] = c; continue; }
      for (let k = 0; k < 3; k++) {
        at[o + k] = p[o + k] + m[k] * x + m[3 + k] * y + m[6 + k] * z + m[9 + k];
        n[o + k] = q[o + k] + m[k] * a + m[3 + k] * b + m[6 + k] * c;
      }
    }
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
