// Where joints stand when they are turned; the same as core/pose in Go, which a
// test compares it with. A pose is degrees about a joint's own axes, in
// the order of its turns: X, then Y, then Z at first, and, where it is lengthened, by how much.
import { Euler, Matrix4, Quaternion, Vector3 } from 'three';

const rad = Math.PI / 180;
const axes = [new Vector3(1, 0, 0), new Vector3(0, 1, 0), new Vector3(0, 0, 1)];

// turnOf is the turn of degrees about X, Y and Z, made in an order: the first axis turns
// within the second, and that within the third.
export function turnOf(angles, out = new Quaternion(), order = 'xyz') {
  const q = new Quaternion();
  out.identity();
  for (const name of order || 'xyz') {
    const k = 'xyz'.indexOf(name);
    out.premultiply(q.setFromAxisAngle(axes[k], angles[k] * rad));
  }
  return out;
}

// anglesOf is the inverse of turnOf, with the angle about the middle axis between −90 and 90
// degrees.
export function anglesOf(q, order = 'xyz') {
  const e = new Euler().setFromQuaternion(q, /** @type {any} */ ([...(order || 'xyz')].reverse().join('').toUpperCase()));
  return [e.x / rad, e.y / rad, e.z / rad];
}

// turnFrom is a turn as core has it, x y z w: its length is how long the joint is.
export function turnFrom(angles, order) {
  return turnOf(angles, new Quaternion(), order).toArray().map((v) => v * (angles[3] ?? 1));
}

// anglesFrom is the inverse of turnFrom.
export function anglesFrom(list, order) {
  const q = new Quaternion().fromArray(list), long = q.length(), out = anglesOf(q.normalize(), order);
  if (Math.abs(long - 1) > 1e-4) out.push(Math.round(1e4 * long) / 1e4);
  return out;
}

// turned tells whether angles do anything.
export const turned = (a) => a.some((v, k) => (k < 3 ? v !== 0 : v !== 1));

// stretched is the matrix of what scales or shears before a joint's turn, by columns.
const stretched = (m) => new Matrix4().set(m[0], m[3], m[6], 0, m[1], m[4], m[7], 0, m[2], m[5], m[8], 0, 0, 0, 0, 1);
const one = new Vector3(1, 1, 1);

// rotation and place of a joint of a record of the bind pose
const frameOf = (j) => ({ at: new Vector3(j.Pos.X, j.Pos.Y, j.Pos.Z), turn: new Quaternion(j.Rot.Imag, j.Rot.Jmag, j.Rot.Kmag, j.Rot.Real) });

export class Posed {
  // joints as the character has them; binding is the poses that the skin was bound in, null
  // where that is the one in which the joints stand. first are the joints that binding is of where
  // joints are those of another build: what is done to the skin at rest is done there too.
  constructor(joints, binding = null, first = joints) {
    this.joints = joints;
    const restAt = joints.map((j) => new Vector3(...j.pos));
    const restTurn = joints.map((j) => new Quaternion(...j.rot));
    this.local = joints.map((j, i) => {
      if (j.parent < 0) return { at: restAt[i].clone(), turn: restTurn[i].clone() };
      const back = restTurn[j.parent].clone().invert();
      return { at: restAt[i].clone().sub(restAt[j.parent]).applyQuaternion(back), turn: back.multiply(restTurn[i]) };
    });
    // The way to what hangs from a joint, in its own frame (core/pose.Bones).
    this.bone = joints.map(() => new Vector3());
    joints.forEach((j, i) => { if (j.parent >= 0 && !j.helper) this.bone[j.parent].add(this.local[i].at); });
    for (const b of this.bone) b.normalize();
    const at = new Map(joints.map((j, i) => [j.name, i]));
    // Helper joints turn by themselves: which joint each follows, and what leads from that one's axes to its own.
    this.rules = joints.map((j, i) => {
      const driver = at.get(j.helper?.driver);
      if (driver === undefined) return null;
      return { driver, share: j.helper.share, axis: j.helper.axis && new Vector3(...j.helper.axis), to: restTurn[i].clone().invert().multiply(restTurn[driver]) };
    });
    const rest = joints.map((_, i) => ({ inverse: new Matrix4().compose(restAt[i], restTurn[i], one).invert(), still: true }));
    this.records = [rest];
    if (binding) {
      const rests = first.map((j) => ({ at: new Vector3(...j.pos), turn: new Quaternion(...j.rot) }));
      this.records = binding.records.map((r) => {
        const at = new Map(r.skeleton.Joints.map((j) => [j.Name, j]));
        return joints.map((j, i) => {
          const f = at.get(j.name), s = r.stretch?.[j.name];
          if (!f) return { inverse: null, still: true };
          const { at: p, turn } = frameOf(f), m = new Matrix4().compose(p, turn, one);
          if (s) m.multiply(stretched(s));
          if (Math.abs(m.determinant()) < 1e-12) return { inverse: null, still: true };
          m.invert();
          if (first !== joints) m.premultiply(new Matrix4().compose(rests[i].at, rests[i].turn, one)).premultiply(rest[i].inverse);
          return { inverse: m, still: !s && p.equals(rests[i].at) && turn.equals(rests[i].turn) };
        });
      });
    }
    this.rest = rest;
    this.at = joints.map(() => new Vector3());
    this.turn = joints.map(() => new Quaternion());
    this.world = joints.map(() => new Matrix4());
    // What each joint's turn does to the skin, by record: its matrix from the mesh as it was
    // bound to the pose, less the identity, so that rest is exactly still (core/deform says
    // why).
    this.skin = new Float32Array(16 * Math.max(1, joints.length * this.records.length));
    this.turned = joints.map(() => false);
    this.scratch = new Matrix4();
    this.q = new Quaternion();
    this.long = joints.map(() => 1);
    this.draw = new Matrix4();
  }

  // update computes places, turns and skin matrices for a pose; move shifts what
  // has no parent. Where the skin is not held it stays with the joints as they stand.
  update(pose, move = null, held = true) {
    const n = this.joints.length;
    this.joints.forEach((j, i) => {
      const { at, turn } = this.local[i];
      this.turn[i].copy(turn);
      const rule = this.rules[i], angles = pose.get(rule ? rule.driver : i);
      if (angles) this.turn[i].multiply(rule ? this.driven(rule, angles) : turnOf(angles, this.q, j.order));
      this.at[i].copy(at);
      this.long[i] = !rule && angles?.[3] > 0 && this.bone[i].lengthSq() > 0 ? angles[3] : 1;
      if (j.parent >= 0 && this.long[j.parent] !== 1) this.at[i].addScaledVector(this.bone[j.parent], (this.long[j.parent] - 1) * at.dot(this.bone[j.parent]));
      if (j.parent >= 0) {
        this.at[i].applyQuaternion(this.turn[j.parent]).add(this.at[j.parent]);
        this.turn[i].premultiply(this.turn[j.parent]);
      } else if (move) {
        this.at[i].x += move[0];
        this.at[i].y += move[1];
        this.at[i].z += move[2];
      }
      this.world[i].compose(this.at[i], this.turn[i], one);
      this.turned[i] = Boolean(angles && turned(angles)) || (j.parent < 0 ? Boolean(move) : this.turned[j.parent]);
      this.records.forEach((record, r) => {
        const { inverse, still } = held ? record[i] : this.rest[i], to = 16 * (r * n + i);
        if (!inverse || (still && !this.turned[i])) { this.skin.fill(0, to, to + 16); return; }
        this.scratch.copy(this.world[i]);
        if (this.long[i] !== 1) this.scratch.multiply(this.drawn(i));
        const m = this.scratch.multiply(inverse).elements;
        for (let k = 0; k < 16; k++) this.skin[to + k] = k % 5 === 0 ? m[k] - 1 : m[k];
      });
    });
  }

  // driven is the turn of a helper joint: a share of what its driver turns, or of what that twists.
  driven({ driver, share, axis, to }, angles) {
    const q = turnOf(angles, this.q, this.joints[driver].order);
    if (axis) {
      const d = (q.x * axis.x + q.y * axis.y + q.z * axis.z) / (axis.lengthSq() || 1);
      q.set(d * axis.x, d * axis.y, d * axis.z, q.w);
      if (q.lengthSq() > 0) q.normalize(); else q.identity();
    }
    if (q.w < 0) q.set(-q.x, -q.y, -q.z, -q.w);
    const s = Math.hypot(q.x, q.y, q.z), half = share * Math.atan2(s, q.w), k = s > 0 ? Math.sin(half) / s : 0;
    q.set(k * q.x, k * q.y, k * q.z, Math.cos(half));
    return q.premultiply(to).multiply(to.clone().invert());
  }

  // drawn is what a joint that is lengthened does to its skin: longer along the bone, and thinner so that the
  // volume stays, or as thick as it was.
  drawn(i) {
    const { x, y, z } = this.bone[i], across = this.joints[i].thick ? 1 : 1 / Math.sqrt(this.long[i]), d = this.long[i] - across;
    return this.draw.set(across + d * x * x, d * x * y, d * x * z, 0, d * x * y, across + d * y * y, d * y * z, 0, d * x * z, d * y * z, across + d * z * z, 0, 0, 0, 0, 1);
  }
}

// recordsOf are the numbers of the records by vertex, null where all are of the first.
export const recordsOf = (binding) => (binding?.of ? Uint8Array.from(atob(binding.of), (c) => c.charCodeAt(0)) : null);

// atBind are the joints where the first record has them.
export function atBind(joints, binding) {
  if (!binding) return joints;
  const at = new Map(binding.records[0].skeleton.Joints.map((j) => [j.Name, j]));
  return joints.map((j) => {
    const f = at.get(j.name);
    return f ? { ...j, pos: [f.Pos.X, f.Pos.Y, f.Pos.Z], rot: [f.Rot.Imag, f.Rot.Jmag, f.Rot.Kmag, f.Rot.Real] } : j;
  });
}
