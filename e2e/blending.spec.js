import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { expect, test } from '@playwright/test';
import { errors, open } from './open.js';

const turns = { upper_arm_l: [25, -80, 50], forearm_l: [70, 60, 0], thigh_r: [-60, 12, 0], shank_r: [80, 0, 0], head: [0, 60, 10], spine_2: [10, 35, -5] };

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
    await page.getByRole('button', { name: 'For all', exact: true }).click();
    await expect.poll(() => page.evaluate(() => globalThis.marrow.store.character.joints[0].mix ?? 0)).toBe(mix);
    const core = JSON.parse(execFileSync('go', ['run', './e2e/bent', file, JSON.stringify(turns), String(mix)], { maxBuffer: 1 << 28 }));
    const [picked, card] = await page.evaluate((angles) => {
      const m = globalThis.marrow;
      m.set({ pose: new Map(Object.entries(angles).map(([n, a]) => [m.store.character.joints.findIndex((j) => j.name === n), a])) });
      const s = m.plate.skinned(), seen = m.plate.seen(), out = [], of = [];
      s.base.forEach((v, i) => { out[v] = [s.positions[3 * i], s.positions[3 * i + 1], s.positions[3 * i + 2]]; of[v] = seen.places[i].slice(0, 3); });
      return [out, of];
    }, turns);
    const worst = (a, b) => Math.max(...a.map((p, i) => Math.hypot(p[0] - b[i][0], p[1] - b[i][1], p[2] - b[i][2])));
    expect(worst(picked, core.positions)).toBeLessThan(1e-5 * core.height);
    expect(worst(card, core.positions)).toBeLessThan(2e-5 * core.height);
    expect(worst(core.positions, core.linear)).toBeGreaterThan(1e-3 * core.height);
  }
  await page.locator('.spine [data-stage=handoff] a').click();
  await expect(page.locator('#tray')).toContainText('The file carries linear blending only');
  expect(wrong).toEqual([]);
  await page.request.post(`/api/characters/${made.id}/remove`); // the cast is as it was
});
