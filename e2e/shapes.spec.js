import { expect, test } from './test.js';
import { bound, errors, marrow } from './open.js';

const made = [];
test.afterEach(async ({ page }) => { for (const id of made.splice(0)) await page.request.post(`/api/characters/${id}/remove`); });

// How far the skin that is drawn is from the skin without shape targets, at most, in the pose that is shown.
const moved = (page) => marrow(page, (m) => {
  const { skin } = m.plate, now = skin.attributes.position.array, own = skin.ownPlaces ?? now;
  let most = 0;
  for (let i = 0; i < now.length; i += 3) most = Math.max(most, Math.hypot(now[i] - own[i], now[i + 1] - own[i + 1], now[i + 2] - own[i + 2]));
  return most;
});

test('correctives are computed, come on with the joint, and are handed off', async ({ page }) => {
  test.setTimeout(180_000);
  const wrong = errors(page);
  const id = await bound(page, 'Odile', 'Corrected', 'shapes', made);
  await expect(page.locator('#shapes')).toContainText('No shape targets yet');
  await page.getByRole('button', { name: 'Compute correctives' }).click();
  const rows = page.locator('.targets li');
  await expect(rows.first()).toBeVisible({ timeout: 120_000 });
  await expect(page.locator('.strip')).toContainText(/Added \d+ correctives?: average ratio to limit/);
  expect(await moved(page)).toBe(0);

  await rows.first().locator('b').click();
  await page.getByRole('button', { name: 'Pose the joint there' }).click();
  await expect(rows.first().locator('output')).toHaveText('1.00');
  expect(await moved(page)).toBeGreaterThan(0.002);
  await page.getByRole('button', { name: 'Mute', exact: true }).click();
  await expect(rows.first()).toHaveClass(/muted/);
  await expect(rows.first().locator('output')).toHaveText('0.00');
  await page.keyboard.press('Control+z');
  await expect(rows.first()).not.toHaveClass(/muted/);

  // A slider holds a target by hand; one that a joint brings on goes back to it.
  const slider = rows.nth(1).getByRole('slider');
  await slider.focus();
  await page.keyboard.press('End');
  await expect(rows.nth(1).locator('output')).not.toHaveText('1.00');
  await page.getByRole('button', { name: 'By hand only' }).click();
  await expect(rows.nth(1).locator('.by')).toHaveCount(0);

  const glb = await (await page.request.get(`/characters/${id}/handoff/reel`)).body();
  const doc = JSON.parse(glb.subarray(20, 20 + glb.readUInt32LE(12)).toString());
  expect(doc.meshes[0].extras.targetNames.length).toBe(await rows.count());
  expect(doc.animations[0].channels.some((c) => c.target.path === 'weights')).toBe(true);
  expect(wrong).toEqual([]);
});
