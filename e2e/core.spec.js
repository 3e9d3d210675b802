// Core as WebAssembly in the page, against the server's.
import { expect, test } from './test.js';
import { errors, marrow, open } from './open.js';

const poses = [{}, { forearm_l: [80, 0, 0] }, { upper_arm_l: [10, 0, 0, 1.4], thigh_r: [0, 0, 0, 0.8] }, { upper_arm_l: [25, -10, 50], forearm_l: [70, 0, 0], thigh_r: [-60, 12, 0], shank_r: [80, 0, 0], head: [0, 40, 10], spine_2: [10, 15, -5] }, { hips: [12.5, 33.25, -7.125], nobody: [1, 2, 3] }];

test('what the page measures is what the server measures, to the last bit', async ({ page }) => {
  const bad = errors(page);
  for (const name of ['Odile', 'Bram']) {
    const id = await open(page, name, 'weights');
    for (const pose of poses) {
      const here = await page.evaluate(async (p) => {
        const base = document.querySelector('script[type=module][src]').src;
        const { measured } = await import(new URL('./tools/measures.js', base));
        const { why } = await import(new URL('./core.js', base));
        return [await measured(p), why()];
      }, pose);
      const there = await (await page.request.post(`/api/characters/${id}/measure`, { data: pose })).text();
      expect(here[1], 'it runs here').toBe('');
      expect(here[0]).toEqual(JSON.parse(there));
    }
    const rest = JSON.parse(await (await page.request.post(`/api/characters/${id}/measure`, { data: {} })).text());
    expect([rest.farthest, rest.vertex, rest.volume]).toEqual([0, -1, rest.rest]);
  }
  expect(bad).toEqual([]);
});

test('measures follow the pose, and without WebAssembly the server measures and it is said', async ({ page }) => {
  await open(page, 'Odile', 'weights');
  const farthest = page.locator('#measures [data-m=farthest]');
  await expect(farthest).toHaveText('still: 0 mm');
  await marrow(page, (m) => m.set({ chosen: m.store.character.joints.findIndex((j) => j.name === 'forearm_l') }));
  await page.locator('#angles [name=nx]').fill('80');
  await expect(farthest).toContainText('cm');
  const said = await farthest.textContent();
  await page.route('**/core.wasm', (route) => route.abort());
  await page.reload();
  await expect(page.locator('body[data-ready]')).toBeAttached({ timeout: 30_000 });
  await expect(page.locator('#measures [data-m=note]')).toContainText('Measured by the server');
  await expect(farthest).toHaveText(said); // the pose outlived the page
});
