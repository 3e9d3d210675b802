// Modules of the page that need none.
import assert from 'node:assert/strict';
import { test } from 'node:test';
import { openBundle } from '../static/js/bundle.js';
import { Influences } from '../static/js/influences.js';
import { Posed, anglesOf, turnOf } from '../static/js/pose.js';
import { reckon } from '../static/js/reckon.js';

test('lengths may be typed as sums', () => {
  const said = ['12.5', '10+2.5*2', '(1+2)*3', '-4', '40/2', '1,5', ' 7 cm', '.5', '2-', '', 'alert(1)', '1e5', '(1', '1 2', '--3', '3 mm', '1 m - 35mm', '2in', '1ft/2', '2*3cm', '5 km', '1/0'];
  const want = [12.5, 15, 9, -4, 20, 1.5, 7, 0.5, NaN, NaN, NaN, NaN, NaN, 12, 3, 0.30000000000000004, 96.5, 5.08, 15.24, 6, NaN, NaN];
  assert.deepEqual(said.map(reckon), want);
});

test('angles and turns undo each other', () => {
  let far = 0;
  for (let x = -175; x <= 175; x += 35) {
    for (let y = -89; y <= 89; y += 17.8) {
      for (let z = -170; z <= 170; z += 34) {
        for (const order of ['xyz', 'zxy', 'yzx']) {
          const middle = order[1], a = { x: middle === 'x' ? y : x, y: middle === 'y' ? y : x, z: middle === 'z' ? y : z };
          const q = turnOf([a.x, a.y, a.z], undefined, order);
          far = Math.max(far, 1 - Math.abs(q.dot(turnOf(anglesOf(q, order), undefined, order))));
        }
      }
    }
  }
  assert.ok(far < 1e-12, `off by ${far}`);
});

test('a posed skeleton keeps the lengths of its bones, and its rest is exact', () => {
  const joints = [[-1, 0, 1, 0], [0, 0.1, 1.3, 0.02], [1, 0.4, 1.3, -0.03], [2, 0.7, 1.28, 0.01], [0, 0.09, 0.5, 0.02]].map(([parent, ...pos], i) => ({ name: `j${i}`, parent, pos, rot: [0, Math.sin(0.1 * i), 0, Math.cos(0.1 * i)], order: 'xyz' }));
  const p = new Posed(joints), long = (i) => p.at[i].distanceTo(p.at[joints[i].parent]);
  p.update(new Map());
  joints.forEach((j, i) => j.pos.forEach((x, k) => assert.ok(Math.abs(x - p.at[i].getComponent(k)) < 1e-12)));
  assert.ok(p.skin.every((x) => x === 0), 'rest is exactly still');
  const before = joints.map((j, i) => (j.parent < 0 ? 0 : long(i)));
  p.update(new Map(joints.map((_, i) => [i, [(7 * i + 30) % 60, (11 * i) % 50, (13 * i) % 40]])));
  joints.forEach((j, i) => { if (j.parent >= 0) assert.ok(Math.abs(long(i) - before[i]) < 1e-12); });
  assert.ok(p.at[3].distanceTo({ x: 0.7, y: 1.28, z: 0.01 }) > 0.05);
});

test('helper joints turn by their rules', () => {
  const s = (deg) => Math.sin((deg * Math.PI) / 360), c = (deg) => Math.cos((deg * Math.PI) / 360);
  const joints = [
    { name: 'a', parent: -1, pos: [0, 0, 0], rot: [0, 0, 0, 1] },
    { name: 'b', parent: 0, pos: [1, 0, 0], rot: [0, s(90), 0, c(90)], order: 'xyz' }, // its own Z goes along the bone, the world's X
    { name: 'end', parent: 1, pos: [2, 0, 0], rot: [0, 0, 0, 1] },
    { name: 'half', parent: 0, pos: [1, 0, 0], rot: [0, 0, 0, 1], helper: { driver: 'b', share: 0.5 } },
    { name: 'untwist', parent: 1, pos: [1.2, 0, 0], rot: [0, 0, 0, 1], helper: { driver: 'b', share: -0.5, axis: [0, 0, 1] } },
  ];
  const p = new Posed(joints), about = (i, x, y, z, w) => {
    const q = p.turn[i], rest = joints[i].rot; // against its rest, about the world's axes
    const turned = q.clone().multiply(q.clone().set(...rest).invert());
    assert.ok(Math.abs(Math.abs(turned.x * x + turned.y * y + turned.z * z + turned.w * w) - 1) < 1e-12, joints[i].name);
  };
  p.update(new Map([[1, [0, 0, 80]]])); // a twist about the bone
  about(1, s(80), 0, 0, c(80));
  about(3, s(40), 0, 0, c(40));
  about(4, s(40), 0, 0, c(40));
  assert.ok(p.turned[3] && p.turned[4]);
  p.update(new Map([[1, [0, 60, 0]]])); // a bend takes the untwisted part along
  about(3, 0, s(30), 0, c(30));
  about(4, 0, s(60), 0, c(60));
  p.update(new Map());
  assert.ok(p.skin.every((x) => x === 0));
  assert.deepEqual(p.bone[1].toArray().map((x) => Math.round(1e6 * x) / 1e6 + 0), [0, 0, 1], 'a bone does not lead to a helper joint');
});

test('what is no bundle is refused', () => {
  for (const b of [new ArrayBuffer(0), new TextEncoder().encode('{"error":"gone"}').buffer]) assert.throws(() => openBundle(b), /no bundle/);
});

const table = () => new Influences({ width: 4, joint: Float32Array.from([0, 1, 0, 0, 2, 3, 0, 0, 0, 0, 0, 0]), value: Float32Array.from([0.75, 0.25, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0]) }, [0, 0.5]);

test('influences tell weights, leaders and how vertices blend; joints of further records are the same joints', () => {
  const t = table();
  assert.equal(t.vertices, 3);
  assert.deepEqual([...t.weightsOf(0)], [0.75, 1, 0]);
  assert.deepEqual([...t.weightsOf(1)], [0.25, 0, 0]);
  assert.deepEqual([...t.weightsOf(-1)], [0, 0, 0]);
  assert.deepEqual([0, 1, 2].map((v) => t.leaderOf(v)), [0, 0, -1]);
  assert.deepEqual([0, 1, 2].map((v) => t.shareOf(v)), [0.125, 0, 0]);
  assert.equal(t.mixes, true);
  assert.equal(t.more(), false);
  t.say([1], [0.5]);
  assert.deepEqual([0, 1, 2].map((v) => t.shareOf(v)), [0.125, 0.5, 0]);
});

test('painted influences take their places, in the record of their vertex, and make the table wider where they must', () => {
  const t = table(), { version } = t;
  assert.equal(t.put({ vertex: [1], width: 2, joint: [1, 0], value: [0.5, 0.5] }), false);
  assert.deepEqual([...t.joint.slice(4, 8)], [3, 2, 2, 2], 'the second record');
  assert.deepEqual([...t.weightsOf(1)], [0.25, 0.5, 0]);
  assert.ok(t.version > version);
  assert.equal(t.put({ vertex: [2], width: 6, joint: [0, 1, 0, 1, 0, 1], value: [0.4, 0.2, 0.1, 0.1, 0.1, 0.1] }), true);
  assert.equal(t.width, 8);
  assert.ok(t.more());
  assert.deepEqual([...t.weightsOf(0)].map((x) => Math.round(100 * x)), [75, 50, 60], 'who was there stays');
});
