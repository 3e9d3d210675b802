import { expect, test } from '@playwright/test';
import { copy, errors, open } from './open.js';

test('what lies over the body is reported, and told what to follow', async ({ page }) => {
  const wrong = errors(page);
  await open(page, 'Tansy', 'bind');
  const row = (name) => page.locator('.layers tr', { has: page.locator(`th:text-is("${name}")`) });
  for (const [name, kind] of [['coat', 'cloth'], ['shirt', 'cloth'], ['belt', 'cloth'], ['eye_l', 'rigid'], ['button_1', 'rigid'], ['teeth_upper', 'rigid']]) await expect(row(name)).toContainText(kind);
  await expect(row('coat')).toContainText('100');
  await expect(row('hair_cards')).toContainText('160 pieces');
  await expect(page.locator('.said')).toContainText('Every vertex has weights');
  const give = page.getByRole('button', { name: 'Follow the surface', exact: true });
  await expect(give).toBeDisabled();
  await row('plate_1_l').locator('input').check();
  await expect(page.getByRole('button', { name: 'Follow the chosen joint' })).toBeDisabled(); // none is chosen
  await give.click();
  await expect(page.locator('[role=status]').filter({ hasText: 'Let plate_1_l follow the surface under them' }).first()).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.locator('[role=status]').filter({ hasText: /Undid|Undone/ }).first()).toBeVisible();
  expect(wrong).toEqual([]);
});

test('weights are carried over from a bound file', async ({ page }) => {
  const wrong = errors(page);
  const odile = await open(page, 'Odile', 'bind');
  const glb = await (await page.request.get(`/characters/${odile}/handoff/glb`)).body();
  const id = await copy(page, 'Odile', 'Carried');
  const at = async () => (await page.request.get(`/api/characters/${id}`)).json();
  const r = await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'fit_starter', params: {}, base: (await at()).head } });
  expect(r.ok()).toBe(true);
  await expect.poll(async () => (await at()).joints?.length ?? 0, { timeout: 30_000 }).toBeGreaterThan(20);
  await page.goto(`/characters/${id}/bind`);
  await page.waitForSelector('body[data-ready]');
  await page.locator('#carry summary').click();
  await page.locator('#carry-file').setInputFiles({ name: 'bound.glb', mimeType: 'model/gltf-binary', buffer: glb });
  await expect(page.locator('.said, [role=status]').filter({ hasText: /Carried weights over from bound.glb: [\d,  ]+ vertices/ }).first()).toBeVisible({ timeout: 30_000 });
  await expect(page.locator('#tray')).toContainText('22 of 22 joints lead some');
  expect(wrong).toEqual([]);
});
