import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from './test.js';
import validator from 'gltf-validator';
import { open } from './open.js';

const turns = { upper_arm_l: [25, -10, 50], forearm_l: [70, 0, 0], thigh_r: [-60, 12, 0], shank_r: [80, 0, 0], head: [0, 40, 10], spine_2: [10, 15, -5] };

// The Khronos validator (npm gltf-validator).
test('the GLB has no error and no warning', async ({ page }, info) => {
  await open(page, 'Odile', 'handoff');
  const wait = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Bound character, GLB' }).click();
  const file = info.outputPath('odile.glb');
  await (await wait).saveAs(file);
  const report = await validator.validateBytes(new Uint8Array(readFileSync(file)));
  expect(report.issues.messages.filter((m) => m.severity < 2)).toEqual([]);
  expect([report.issues.numErrors, report.issues.numWarnings]).toEqual([0, 0]);
  expect(report.info.maxInfluences).toBe(4);
});

test('what caps and eight bits cost the skin is told before the download', async ({ page }) => {
  await open(page, 'Odile', 'handoff');
  const rows = page.locator('#costs tbody tr');
  await expect(rows).toHaveCount(4);
  await expect(rows.nth(0)).toContainText('up to 4');
  await expect(rows.nth(2)).toContainText('none');
  await expect(rows.nth(3)).toContainText(/8 bits each.*[cm]m/);
  await rows.nth(3).click();
  await expect(page.locator('[role=status]').filter({ hasText: /farthest at vertex \d+/ }).first()).toBeVisible();
});

// three.js' own SkinnedMesh on the same file against core/deform, and the
// page's preview against both, to 1e-5 of the height.
test('three.js, core/deform and the preview bend alike', async ({ page }, info) => {
  await bendAlike(page, info, await open(page, 'Odile', 'weights'));
});

// The same of a file that comes in with its skin, and of joints that do not stand where the
// skin was bound to them.
test('they bend alike where joints were moved under the skin', async ({ page }, info) => {
  const id = await open(page, 'Odile', 'weights');
  const glb = await (await page.request.get(`/characters/${id}/handoff/glb?influences=4`)).body();
  const made = await (await page.request.post('/api/characters', { multipart: { file: { name: 'moved.glb', mimeType: 'model/gltf-binary', buffer: glb }, name: 'Moved under the skin' } })).json();
  const at = async () => (await (await page.request.get(`/api/characters/${made.id}`)).json());
  const before = await at(), hand = before.joints.find((j) => j.name === 'forearm_l').pos;
  const r = await page.request.post(`/api/characters/${made.id}/ops`, { data: { op: 'move_joint', params: { joint: 'forearm_l', to: [hand[0] + 0.04, hand[1] + 0.05, hand[2] - 0.03], branch: true, both: false }, base: before.head } });
  expect(r.ok()).toBe(true);
  expect((await at()).binding.records).toHaveLength(1);
  await page.goto(`/characters/${made.id}/weights`);
  await page.waitForSelector('body[data-ready]');
  await bendAlike(page, info, made.id);
});

// Nine and more joints a vertex: three.js takes four, so the card against core/deform alone.
test('sixteen joints a vertex bend alike', async ({ page }, info) => {
  const odile = await open(page, 'Odile', 'weights');
  const glb = await (await page.request.get(`/characters/${odile}/handoff/glb?influences=4`)).body();
  const made = await (await page.request.post('/api/characters', { multipart: { file: { name: 'wide.glb', mimeType: 'model/gltf-binary', buffer: glb }, name: 'Wide' } })).json();
  const head = async () => (await (await page.request.get(`/api/characters/${made.id}`)).json()).head, before = await head();
  const r = await page.request.post(`/api/characters/${made.id}/ops`, { data: { op: 'bind_heat', params: { influences: 16, trace: 0 }, base: before, confirmed: true } });
  expect(r.ok()).toBe(true);
  await expect.poll(head, { timeout: 60_000 }).not.toBe(before);
  await page.goto(`/characters/${made.id}/weights`);
  await page.waitForSelector('body[data-ready]');
  expect(await page.evaluate(() => globalThis.marrow.plate.skin.influences.width)).toBe(16);
  await bendAlike(page, info, made.id, 16);
  await page.request.post(`/api/characters/${made.id}/remove`);
});

async function bendAlike(page, info, id, influences = 4) {
  const glb = await (await page.request.get(`/characters/${id}/handoff/glb?influences=${influences}`)).body();
  const file = info.outputPath('odile.glb');
  (await import('node:fs')).writeFileSync(file, glb);
  const core = JSON.parse(execFileSync('go', ['run', './e2e/bent', file, JSON.stringify(turns)], { maxBuffer: 1 << 28 }));
  await page.route('**/loaders/**', (route) => route.fulfill({ path: join('node_modules/three/examples/jsm', new URL(route.request().url()).pathname.split('/loaders/')[1]), contentType: 'text/javascript' }));
  const three = influences === 4 && await page.evaluate(async ([base64, angles]) => {
    const { GLTFLoader } = await import('/loaders/loaders/GLTFLoader.js');
    const { Quaternion, Vector3 } = await import('three');
    const bytes = Uint8Array.from(atob(base64), (c) => c.charCodeAt(0));
    const { scene } = await new GLTFLoader().parseAsync(bytes.buffer, '');
    const skinned = [];
    scene.traverse((o) => { if (o.isSkinnedMesh) skinned.push(o); });
    for (const [name, [x, y, z]] of Object.entries(angles)) {
      const bone = scene.getObjectByName(name), q = new Quaternion();
      for (const [axis, a] of [[[0, 0, 1], z], [[0, 1, 0], y], [[1, 0, 0], x]]) bone.quaternion.multiply(q.setFromAxisAngle(new Vector3(...axis), (a * Math.PI) / 180));
    }
    scene.updateMatrixWorld(true);
    const mesh = skinned[0], n = mesh.geometry.attributes.position.count, out = [], v = new Vector3();
    for (let i = 0; i < n; i++) { mesh.getVertexPosition(i, v).applyMatrix4(mesh.matrixWorld); out.push([v.x, v.y, v.z]); }
    const { skinIndex, skinWeight } = mesh.geometry.attributes, bone = mesh.skeleton.bones.findIndex((b) => b.name === 'forearm_l');
    const map = Array.from({ length: n }, (_, i) => { let sum = 0; for (let k = 0; k < 4; k++) if (skinIndex.getComponent(i, k) === bone) sum += skinWeight.getComponent(i, k); return sum; });
    return { out, map };
  }, [glb.toString('base64'), turns]);
  const worst = (a, b) => Math.max(...a.map((p, i) => Math.hypot(p[0] - b[i][0], p[1] - b[i][1], p[2] - b[i][2])));
  if (three) {
    expect(three.out.length).toBe(core.positions.length);
    expect(worst(three.out, core.positions)).toBeLessThan(1e-5 * core.height);
    // And the map of a joint that the page draws is the one that three.js reads.
    const map = await page.evaluate(() => {
      const { skin } = globalThis.marrow.plate, { width, joint, value } = skin.influences, list = globalThis.marrow.store.character.joints, j = list.findIndex((x) => x.name === 'forearm_l');
      return Array.from({ length: skin.vertices }, (_, v) => { let sum = 0; for (let k = 0; k < width; k++) if (value[v * width + k] > 0 && joint[v * width + k] % list.length === j) sum += value[v * width + k]; return sum; });
    });
    expect(Math.max(...map)).toBeGreaterThan(0.9);
    expect(Math.max(...map.map((x, v) => Math.abs(x - three.map[v])))).toBeLessThan(1e-5);
  }
  const preview = await page.evaluate((angles) => {
    const m = globalThis.marrow;
    m.set({ pose: new Map(Object.entries(angles).map(([n, a]) => [m.store.character.joints.findIndex((j) => j.name === n), a])) });
    const s = m.plate.skinned(), out = [], seen = m.plate.seen(), card = [];
    s.base.forEach((v, i) => { out[v] = [s.positions[3 * i], s.positions[3 * i + 1], s.positions[3 * i + 2]]; card[v] = seen.places[i]; });
    return [out, card];
  }, turns);
  expect(worst(preview[0], core.positions)).toBeLessThan(1e-5 * core.height);
  // What the graphics card itself makes of it, read back from there.
  expect(worst(preview[1], core.positions)).toBeLessThan(1e-5 * core.height);
}

// At rest nothing moves, on the card either: not by the rounding of stored weights.
test('the skin at rest is exactly still', async ({ page }) => {
  await open(page, 'Bram', 'weights');
  const [moved, n] = await page.evaluate(() => {
    const { plate } = globalThis.marrow, s = plate.seen(), p = plate.skin.attributes.position.array;
    let far = 0;
    s.places.forEach((q, i) => { for (let k = 0; k < 3; k++) far = Math.max(far, Math.abs(q[k] - p[3 * i + k])); });
    return [far, s.places.length];
  });
  expect(n).toBeGreaterThan(10_000);
  expect(moved).toBe(0);
});

// The textures of the skin hold as many joints as a character may have: 4,000. The last
// one is turned, and a vertex of it moves.
test('the skin follows the four-thousandth joint', async ({ page }) => {
  await open(page, 'Odile', 'weights');
  const places = await page.evaluate(() => {
    const { plate } = globalThis.marrow, n = 4000, v = 7;
    const names = Array.from({ length: n }, (_, i) => `j${i}`);
    const { skin } = plate, value = new Float32Array(4 * skin.vertices), joint = new Float32Array(4 * skin.vertices);
    for (let i = 0; i < skin.vertices; i++) { value[4 * i] = 1; joint[4 * i] = i === v ? n - 1 : i % (n - 1); }
    skin.setWeights({ width: 4, joint, value }, names.map((name) => ({ name })));
    const moves = new Float32Array(16 * n);
    moves[16 * (n - 1) + 12] = 0.25; // the last joint is moved along X
    moves[16 * 300 + 13] = 0.5; // and one in the second row along Y
    skin.setPose(moves);
    const s = plate.seen(), p = skin.attributes.position.array, at = (w) => { const i = s.base.indexOf(w); return s.places[i].slice(0, 3).map((x, k) => x - p[3 * i + k]); };
    return [at(v), at(300), at(301), skin.turns.image.width];
  });
  expect(places[0][0]).toBeCloseTo(0.25, 6);
  expect(places[1][1]).toBeCloseTo(0.5, 6);
  expect(places[2]).toEqual([0, 0, 0]);
  expect(places[3]).toBeLessThanOrEqual(2048);
});
