// Where joints stand when they are turned; the same as core/pose in Go, which a
// test compares it with. A pose is degrees about a joint's own X, then Y, then Z.
import { Matrix4, Quaternion, Vector3 } from 'three';

const rad = Math.PI / 180;
const axes = [new Vector3(1, 0, 0), new Vector3(0, 1, 0), new Vector3(0, 0, 1)];

export function turnOf([x, y, z], out = new Quaternion()) {
  const q = new Quaternion();
  out.setFromAxisAngle(axes[2], z * rad);
  out.multiply(q.setFromAxisAngle(axes[1], y * rad));
  return out.multiply(q.setFromAxisAngle(axes[0], x * rad));
}

// anglesOf is the inverse of turnOf, with Y between −90 and 90 degrees.
export function anglesOf(q) {
  const m = new Matrix4().makeRotationFromQuaternion(q).elements;
  const s = Math.max(-1, Math.min(1, -m[2]));
  const y = Math.asin(s);
  const flat = Math.abs(s) > 0.999999;
  const x = flat ? Math.atan2(-m[9], m[5]) : Math.atan2(m[6], m[10]);
  const z = flat ? 0 : Math.atan2(m[1], m[0]);
  return [x / rad, y / rad, z / rad];
}

export class Posed {
  constructor(joints) {
    this.joints = joints;
    const restAt = joints.map((j) => new Vector3(...j.pos));
    const restTurn = joints.map((j) => new Quaternion(...j.rot));
    this.local = joints.map((j, i) => {
      if (j.parent < 0) return { at: restAt[i].clone(), turn: restTurn[i].clone() };
      const back = restTurn[j.parent].clone().invert();
      return { at: restAt[i].clone().sub(restAt[j.parent]).applyQuaternion(back), turn: back.multiply(restTurn[i]) };
    });
    const one = new Vector3(1, 1, 1);
    this.inverse = joints.map((_, i) => new Matrix4().compose(restAt[i], restTurn[i], one).invert());
    this.at = joints.map(() => new Vector3());
    this.turn = joints.map(() => new Quaternion());
    this.world = joints.map(() => new Matrix4());
    // What each joint's turn does to the skin: its matrix from rest to the pose, less the
    // identity, so that rest is exactly still (core/deform says why).
    this.skin = new Float32Array(16 * Math.max(1, joints.length));
    this.turned = joints.map(() => false);
    this.scratch = new Matrix4();
    this.q = new Quaternion();
    this.one = one;
  }

  // update computes places, turns and skin matrices for a pose; move shifts what
  // has no parent.
  update(pose, move = null) {
    this.joints.forEach((j, i) => {
      const { at, turn } = this.local[i];
      this.turn[i].copy(turn);
      const angles = pose.get(i);
      if (angles) this.turn[i].multiply(turnOf(angles, this.q));
      this.at[i].copy(at);
      if (j.parent >= 0) {
        this.at[i].applyQuaternion(this.turn[j.parent]).add(this.at[j.parent]);
        this.turn[i].premultiply(this.turn[j.parent]);
      } else if (move) {
        this.at[i].x += move[0];
        this.at[i].y += move[1];
        this.at[i].z += move[2];
      }
      this.world[i].compose(this.at[i], this.turn[i], this.one);
      this.turned[i] = Boolean(angles?.some((a) => a !== 0)) || (j.parent < 0 ? Boolean(move) : this.turned[j.parent]);
      if (!this.turned[i]) { this.skin.fill(0, 16 * i, 16 * i + 16); return; }
      const m = this.scratch.multiplyMatrices(this.world[i], this.inverse[i]).elements;
      for (let k = 0; k < 16; k++) this.skin[16 * i + k] = k % 5 === 0 ? m[k] - 1 : m[k];
    });
  }
}
