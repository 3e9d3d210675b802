import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { expect, test } from './test.js';
import { errors, open } from './open.js';

const turns = { upper_arm_l: [25, -80, 50], forearm_l: [70, 60, 0], thigh_r: [-60, 12, 0, 1.3], shank_r: [80, 0, 0], head: [0, 60, 10], spine_2: [10, 35, -5] };

// posed is where picking and the graphics card put each vertex in a pose.
const posed = (page) => page.evaluate((angles) => {
  const m = globalThis.marrow;
  m.set({ pose: new Map(Object.entries(angles).map(([n, a]) => [m.store.character.joints.findIndex((j) => j.name === n), a])) });
  const s = m.plate.skinned(), seen = m.plate.seen(), out = [], of = [];
  s.base.forEach((v, i) => { out[v] = [s.positions[3 * i], s.positions[3 * i + 1], s.positions[3 * i + 2]]; of[v] = seen.places[i].slice(0, 3); });
  return [out, of];
}, turns);
const worst = (a, b) => Math.max(...a.map((p, i) => Math.hypot(p[0] - b[i][0], p[1] - b[i][1], p[2] - b[i][2])));

// What the card and picking make of dual quaternions, whole and mixed, against core/deform.
test('joints blend by dual quaternions as core has it, and the handoff says what a file loses', async ({ page }, info) => {
  const wrong = errors(page);
  const odile = await open(page, 'Odile', 'weights');
  const glb = await (await page.request.get(`/characters/${odile}/handoff/glb`)).body();
  const made = await (await page.request.post('/api/characters', { multipart: { file: { name: 'dual.glb', mimeType: 'model/gltf-binary', buffer: glb }, name: 'Dual' } })).json();
  await page.goto(`/characters/${made.id}/weights`);
  await page.waitForSelector('body[data-ready]');
  await expect(page.locator('#blending')).toContainText('All joints blend linearly');
  const file = info.outputPath('dual.glb');
  writeFileSync(file, await (await page.request.get(`/characters/${made.id}/handoff/glb`)).body());
  for (const mix of [1, 0.4]) {
    await page.locator('#blending [name=mix]').fill(String(mix));
    await page.getByRole('button', { name: 'Set for all', exact: true }).click();
    await expect.poll(() => page.evaluate(() => globalThis.marrow.store.character.joints[0].mix ?? 0)).toBe(mix);
    const core = JSON.parse(execFileSync('go', ['run', './e2e/bent', file, JSON.stringify(turns), String(mix)], { maxBuffer: 1 << 28 }));
    const [picked, card] = await posed(page);
    expect(worst(picked, core.positions)).toBeLessThan(1e-5 * core.height);
    expect(worst(card, core.positions)).toBeLessThan(2e-5 * core.height);
    expect(worst(core.positions, core.linear)).toBeGreaterThan(1e-3 * core.height);
  }
  // Said of vertices with the brush, joints linear again: the page, the card and core, from the file, have the same.
  await page.locator('#blending [name=mix]').fill('0');
  await page.getByRole('button', { name: 'Set for all', exact: true }).click();
  await expect.poll(() => page.evaluate(() => globalThis.marrow.store.character.joints[0].mix ?? 0)).toBe(0);
  await page.evaluate(() => globalThis.marrow.set({ pose: new Map(), chosen: globalThis.marrow.store.character.joints.findIndex((j) => j.name === 'forearm_l') }));
  await page.keyboard.press('i');
  await page.locator('#brush [name=what]').selectOption('mix');
  const at = await page.evaluate(() => {
    const m = globalThis.marrow, pane = m.plate.view.panes[0], v = m.plate.posed.at[m.store.chosen].clone().project(pane.camera), r = pane.element.getBoundingClientRect();
    return [r.left + ((v.x + 1) / 2) * r.width - 16, r.top + ((1 - v.y) / 2) * r.height - 14];
  });
  await page.mouse.move(...at);
  await page.mouse.down();
  await page.mouse.move(at[0] + 12, at[1] + 12, { steps: 3 });
  await page.mouse.up();
  await expect.poll(() => page.evaluate(() => Boolean(globalThis.marrow.store.character.mix) && !globalThis.marrow.store.painting)).toBe(true);
  writeFileSync(file, await (await page.request.get(`/characters/${made.id}/handoff/glb`)).body());
  const core = JSON.parse(execFileSync('go', ['run', './e2e/bent', file, JSON.stringify(turns)], { maxBuffer: 1 << 28 }));
  const [picked, card] = await posed(page);
  expect(worst(picked, core.positions)).toBeLessThan(1e-5 * core.height);
  expect(worst(card, core.positions)).toBeLessThan(2e-5 * core.height);
  const plain = JSON.parse(execFileSync('go', ['run', './e2e/bent', file, JSON.stringify(turns), 'linear'], { maxBuffer: 1 << 28 }));
  expect(worst(core.positions, plain.positions)).toBeGreaterThan(1e-3 * core.height);
  await page.getByRole('button', { name: 'Reset to joints' }).click();
  await expect.poll(() => page.evaluate(() => globalThis.marrow.store.character.mix)).toBe('');
  expect(worst((await posed(page))[1], plain.positions)).toBeLessThan(2e-5 * core.height);
  await page.locator('#blending [name=mix]').fill('0.4');
  await page.getByRole('button', { name: 'Set for all', exact: true }).click();
  await page.locator('.spine [data-stage=handoff] a').click();
  await expect(page.locator('#tray')).toContainText('The file carries linear blending only');
  expect(wrong).toEqual([]);
  await page.request.post(`/api/characters/${made.id}/remove`); // the cast is as it was
});
