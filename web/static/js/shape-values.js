// How far on shape targets are in a pose, from what a GLB of ours says in the extras of its mesh (docs/shapes.md): a small
// module for who reads such a file, and what the page draws by. core/shape is what it is held against.

// angleAbout is the turn, in degrees, that a rotation from rest [x, y, z, w] makes about an axis of the joint's own.
export function angleAbout(rotation, axis) {
  const [x, y, z, w] = rotation, [a, b, c] = axis;
  const degrees = 2 * Math.atan2(x * a + y * b + z * c, w) * 180 / Math.PI;
  return degrees > 180 ? degrees - 360 : degrees < -180 ? degrees + 360 : degrees;
}

// knotsOf are the knots of a driver with the one at rest, ascending.
const knotsOf = ({ knots }) => [...knots, { degrees: 0, value: 0 }].sort((p, q) => p.degrees - q.degrees);

// slopes lead smoothly through knots and never beyond them (Fritsch & Butland 1984, with the ends as gonum has them).
function slopes(knots) {
  const n = knots.length, x = knots.map((k) => k.degrees), d = [];
  for (let i = 0; i + 1 < n; i++) d.push((knots[i + 1].value - knots[i].value) / (x[i + 1] - x[i]));
  if (n === 2) return [d[0], d[0]];
  const edge = (own, inner, hE, h, f) => {
    const g = (f * own - hE * inner) / h;
    if (g * own <= 0) return 0;
    return own * inner <= 0 && Math.abs(g) > 3 * Math.abs(own) ? 3 * own : g;
  };
  return knots.map((_, i) => {
    if (i === 0) return edge(d[0], d[1], x[1] - x[0], x[2] - x[0], x[1] + x[2] - 2 * x[0]);
    if (i === n - 1) return edge(d[n - 2], d[n - 3], x[n - 1] - x[n - 2], x[n - 1] - x[n - 3], 2 * x[n - 1] - x[n - 3] - x[n - 2]);
    if (d[i - 1] * d[i] <= 0) return 0;
    return 3 * (x[i + 1] - x[i - 1]) / ((2 * x[i + 1] - x[i - 1] - x[i]) / d[i - 1] + (x[i + 1] + x[i] - 2 * x[i - 1]) / d[i]);
  });
}

// valueAt is how far on a driver brings its target at an angle.
export function valueAt(driver, degrees) {
  const knots = knotsOf(driver), last = knots.length - 1;
  if (degrees <= knots[0].degrees) return knots[0].value;
  if (degrees >= knots[last].degrees) return knots[last].value;
  let i = 0;
  while (knots[i + 1].degrees < degrees) i++;
  const p = knots[i], q = knots[i + 1], h = q.degrees - p.degrees, t = (degrees - p.degrees) / h;
  if (!driver.smooth) return p.value + t * (q.value - p.value);
  const m = slopes(knots);
  return (1 + 2 * t) * (1 - t) ** 2 * p.value + t * (1 - t) ** 2 * h * m[i] + t * t * (3 - 2 * t) * q.value + t * t * (t - 1) * h * m[i + 1];
}

// times is what the groups that a target is in make of it.
function times(groups, name) {
  let out = 1;
  for (let k = 0; name && k <= groups.length; k++) {
    const g = groups.find((x) => x.name === name);
    if (!g) break;
    if (g.muted) return 0;
    out *= g.times;
    name = g.in;
  }
  return out;
}

// apart is the angle between two rotations, degrees.
function apart(a, b) {
  const long = Math.hypot(...a) * Math.hypot(...b), dot = (a[0] * b[0] + a[1] * b[1] + a[2] * b[2] + a[3] * b[3]) / long;
  // By the sine too, which is exact where they are nearly the same.
  const v = [0, 1, 2].map((k) => (a[3] * b[k] - b[3] * a[k] - (a[(k + 1) % 3] * b[(k + 2) % 3] - a[(k + 2) % 3] * b[(k + 1) % 3])) / long);
  return 2 * Math.atan2(Math.hypot(...v), Math.abs(dot)) * 180 / Math.PI;
}

// inverted is the inverse of a matrix by rows, null where it has none (Gauss and Jordan, by the largest of each column).
function inverted(rows) {
  const n = rows.length, m = rows.map((r, i) => [...r, ...r.map((_, k) => (k === i ? 1 : 0))]);
  for (let c = 0; c < n; c++) {
    let best = c;
    for (let r = c; r < n; r++) if (Math.abs(m[r][c]) > Math.abs(m[best][c])) best = r;
    [m[c], m[best]] = [m[best], m[c]];
    if (Math.abs(m[c][c]) < 1e-14) return null;
    m[c] = m[c].map((x) => x / m[c][c]);
    for (let r = 0; r < n; r++) { const f = m[r][c]; if (r !== c && f) m[r] = m[r].map((x, k) => x - f * m[c][k]); }
  }
  return m.map((r) => r.slice(n));
}

const solved = new WeakMap(); // by rig: what brings on targets near poses of the same joints

// fields are the targets near poses of the same joints, each with the shares by which a pose has its own target on and no other.
function fields(rig) {
  if (solved.has(rig)) return solved.get(rig);
  const by = new Map(), rest = [0, 0, 0, 1];
  rig.targets.forEach((t, i) => {
    if (!t.near) return;
    const joints = Object.keys(t.near.turns).sort(), key = joints.join('\n');
    if (!by.has(key)) by.set(key, { joints, targets: [], poses: [joints.map(() => rest)], reach: [Infinity] });
    const f = by.get(key);
    f.targets.push(i);
    f.poses.push(joints.map((n) => t.near.turns[n]));
    f.reach.push(t.near.reach);
    f.reach[0] = Math.min(f.reach[0], t.near.reach);
  });
  const out = [...by.values()];
  const largest = (rows) => Math.max(...rows.map((r) => r.reduce((sum, x) => sum + Math.abs(x), 0)));
  for (const f of out) {
    const rows = f.poses.map((p) => pulls(f, p)), shares = inverted(rows);
    f.shares = shares && largest(rows) * largest(shares) < 1e8 ? shares : null; // else two poses are all but the same
  }
  solved.set(rig, out);
  return out;
}

const pulls = (f, turns) => f.poses.map((p, k) => Math.exp(-p.reduce((sum, q, j) => sum + apart(q, turns[j]) ** 2, 0) / f.reach[k] ** 2));

// nearValues are how far on the targets near poses are, by their number.
function nearValues(rig, turnOf) {
  const out = new Map();
  for (const f of fields(rig)) {
    const turns = f.joints.map((n) => turnOf(n) ?? [0, 0, 0, 1]);
    if (!f.shares || turns.every((q) => apart(q, [0, 0, 0, 1]) === 0)) continue;
    const p = pulls(f, turns);
    f.targets.forEach((i, k) => out.set(i, Math.max(0, Math.min(1, p.reduce((sum, x, j) => sum + x * f.shares[j][k + 1], 0)))));
  }
  return out;
}

// shapeValues are the values of all targets. turnOf returns the rotation of a joint from rest, about its own axes, [x, y, z, w],
// or null where it is not turned; held, unless null, has values that a hand holds, by name.
export function shapeValues(rig, turnOf, held = null) {
  const { targets, groups = [] } = rig, near = nearValues(rig, turnOf), at = new Map(targets.map((t, i) => [t.name, i])), out = new Array(targets.length).fill(null);
  const value = (i) => {
    if (i === undefined) return 0;
    if (out[i] !== null) return out[i];
    out[i] = 0; // what depends on itself is off
    const t = targets[i];
    let x = t.value ?? 0;
    if (held?.has(t.name)) x = held.get(t.name);
    else if (t.driver) {
      const turn = t.driver.about && turnOf(t.driver.joint);
      x = turn ? valueAt(t.driver, angleAbout(turn, t.driver.about)) : 0;
    } else if (t.near) x = near.get(i) ?? 0;
    else if (t.between) {
      const { of, at: middle } = t.between, others = targets.filter((o) => o.between?.of === of).map((o) => o.between.at);
      const low = Math.max(0, ...others.filter((o) => o < middle)), high = Math.min(1, ...others.filter((o) => o > middle)), y = value(at.get(of));
      x = y <= low || y >= high ? 0 : y <= middle ? (y - low) / (middle - low) : (high - y) / (high - middle);
    } else if (t.meets) {
      const list = t.meets.of.map((n) => Math.max(0, Math.min(1, value(at.get(n)))));
      x = t.meets.least ? Math.min(...list) : list.reduce((p, q) => p * q, 1);
    }
    out[i] = t.muted ? 0 : x * times(groups, t.group);
    return out[i];
  };
  targets.forEach((_, i) => value(i));
  const mute = silent(targets, groups, at);
  return mute ? out.map((x, i) => (mute[i] ? 0 : x)) : out;
}

// silent tells of each target whether it is, because another has solo that it is not made of; null where none has.
function silent(targets, groups, at) {
  if (!targets.some((t) => t.solo) && !groups.some((g) => g.solo)) return null;
  const heard = new Array(targets.length).fill(null);
  const hears = (i) => {
    if (heard[i] !== null) return heard[i];
    heard[i] = false; // what depends on itself is not
    const t = targets[i];
    let yes = Boolean(t.solo);
    for (let k = 0, g = groups.find((x) => x.name === t.group); g && k <= groups.length; k++, g = groups.find((x) => x.name === g.in)) yes ||= Boolean(g.solo);
    for (const n of t.between ? [t.between.of] : t.meets?.of ?? []) yes = (at.has(n) && hears(at.get(n))) || yes;
    heard[i] = yes;
    return yes;
  };
  return targets.map((_, i) => !hears(i));
}

// turnedBy is a rotation [x, y, z, w] with a rotation vector made of it, in the world.
function turnedBy(rotation, by) {
  const [x, y, z, w] = rotation, [a, b, c] = by;
  const angle = Math.hypot(a, b, c);
  if (!angle) return [x, y, z, w];
  const s = Math.sin(angle / 2) / angle, [p, q, r, t] = [a * s, b * s, c * s, Math.cos(angle / 2)];
  return [t * x + p * w + q * z - r * y, t * y - p * z + q * w + r * x, t * z + p * y - q * x + r * w, t * w - p * x - q * y - r * z];
}

// builtJoints are joints, { name, pos, rot: [x, y, z, w] } at rest in the world, where targets that are on as values say have
// them; the very same list where none moves any. A skin is moved from rest by what a pose does to these joints.
export function builtJoints({ targets }, values, joints) {
  const on = targets.map((t, i) => ({ shifts: t.joints, value: values[i] })).filter((t) => t.value && t.shifts && Object.keys(t.shifts).length);
  if (!on.length) return joints;
  return joints.map((j) => {
    const move = [0, 0, 0], turn = [0, 0, 0];
    for (const { shifts, value } of on) {
      for (let k = 0; k < 3; k++) { move[k] += value * (shifts[j.name]?.move?.[k] ?? 0); turn[k] += value * (shifts[j.name]?.turn?.[k] ?? 0); }
    }
    return { ...j, pos: j.pos.map((x, k) => x + move[k]), rot: turnedBy(j.rot, turn) };
  });
}
