// The values of shape targets as the page and the readers of our files work them out, against core/shape.
import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import test from 'node:test';
import { Posed } from '../static/js/pose.js';
import { builtJoints, shapeValues, valueAt } from '../static/js/shape-values.js';

test('values are those of core', () => {
  const list = JSON.parse(readFileSync(new URL('data/shape-values.json', import.meta.url), 'utf8'));
  let on = 0;
  for (const { rig, samples } of list) {
    for (const { turns, values } of samples) {
      const got = shapeValues(rig, (name) => turns[name] ?? null);
      assert.equal(got.length, values.length);
      got.forEach((x, k) => assert.ok(Math.abs(x - values[k]) < 1e-9, `${rig.targets[k].name}: ${x}, by core ${values[k]}`));
      on += got.filter((x) => x !== 0).length;
    }
  }
  assert.ok(on > 500);
});

test('a hand holds what it likes, and what is made of it follows', () => {
  const rig = { targets: [{ name: 'smile', value: 0 }, { name: 'half', between: { of: 'smile', at: 0.5 } }, { name: 'driven', driver: { joint: 'a', axis: 'bend', about: [1, 0, 0], knots: [{ degrees: 90, value: 1 }] } }] };
  assert.deepEqual(shapeValues(rig, () => null), [0, 0, 0]);
  assert.deepEqual(shapeValues(rig, () => null, new Map([['smile', 0.25], ['driven', 0.7]])), [0.25, 0.5, 0.7]);
  const q = Math.PI / 8;
  assert.ok(Math.abs(shapeValues(rig, () => [Math.sin(q), 0, 0, Math.cos(q)])[2] - 0.5) < 1e-12);
  assert.equal(valueAt({ knots: [{ degrees: 90, value: 1 }] }, 170), 1);
  assert.equal(valueAt({ knots: [{ degrees: 90, value: 1 }] }, -30), 0);
});

test('a build moves the skin as core does, and only from rest', () => {
  const list = JSON.parse(readFileSync(new URL('data/builds.json', import.meta.url), 'utf8'));
  for (const { joints, binding, rig, values, angles, matrices } of list) {
    const built = builtJoints(rig, values, joints), p = new Posed(built, binding, joints), rest = new Posed(joints, binding);
    assert.deepEqual(shapeValues(rig, () => null), values);
    assert.equal(builtJoints(rig, values.map(() => 0), joints), joints);
    const turned = new Map(joints.flatMap((j, i) => (angles[j.name] ? [[i, angles[j.name]]] : [])));
    p.update(turned);
    matrices.forEach((record, r) => record.forEach((m, i) => m.forEach((x, k) => {
      const got = p.skin[16 * (r * joints.length + i) + k] + (k % 5 === 0 ? 1 : 0);
      assert.ok(Math.abs(got - x) < 1e-6, `record ${r}, joint ${i}: ${got}, by core ${x}`);
    })));
    p.update(new Map());
    rest.update(new Map());
    p.skin.forEach((x, k) => assert.ok(Math.abs(x - rest.skin[k]) < 1e-6, 'what was done to the skin at rest is still done'));
  }
});
