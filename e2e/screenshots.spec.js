// Draws docs/screenshots from the demo data: make screenshots.
import { expect, test } from '@playwright/test';
import { choose, marrow, open } from './open.js';

test.skip(!process.env.SCREENSHOTS, 'only on make screenshots');

const shot = async (page, name) => { await page.waitForTimeout(2200); await page.screenshot({ path: `docs/screenshots/${name}.png` }); };

test('draw them', async ({ page }) => {
  await page.goto('/');
  await page.locator('.portrait img').evaluateAll((all) => Promise.all(all.map((i) => i.decode())));
  await shot(page, 'cast');
  await open(page, 'Odile as delivered', 'intake');
  await page.locator('[data-show=duplicate_vertices]').click();
  await shot(page, 'intake');
  await page.keyboard.press('Escape');
  await open(page, 'Bram', 'intake');
  await page.keyboard.press('y');
  await page.locator('.finding[data-code=crossing_pieces]').getByRole('button', { name: 'Show' }).click();
  await page.keyboard.press(']');
  await page.keyboard.press(']');
  await shot(page, 'pieces');
  const bram = page.url().split('/')[4];
  await page.goto(`/characters/${bram}/report`);
  await shot(page, 'report');
  await open(page, 'Odile', 'placement');
  await choose(page, 'forearm_l');
  await page.keyboard.press('p');
  await page.keyboard.press('l');
  await shot(page, 'placement');
  await page.keyboard.press('l');
  await page.keyboard.press('p');
  await page.keyboard.press('3');
  await page.keyboard.press('f');
  await shot(page, 'axes');
  await open(page, 'Bram as rigged', 'bindpose');
  await page.keyboard.press('f');
  await page.locator('.finding[data-code=moved_under_skin] .tries').waitFor();
  await page.locator('[data-show=moved_under_skin]').click();
  await page.keyboard.press('a');
  await shot(page, 'bindpose');
  await page.keyboard.press('Escape');
  await open(page, 'Bram', 'bind');
  await page.locator('[data-show=unweighted_vertices]').click();
  await shot(page, 'bind');
  await open(page, 'Tansy', 'bind');
  await page.locator('[data-show=skin_through]').nth(1).click();
  await page.locator('.layers').evaluate((t) => t.scrollIntoView({ block: 'center' }));
  await shot(page, 'layers');
  await page.keyboard.press('Escape');
  await open(page, 'Odile', 'weights');
  await marrow(page, (m) => {
    const f = (n) => m.store.character.joints.findIndex((j) => j.name === n);
    m.set({ chosen: f('forearm_l'), pose: new Map([[f('upper_arm_l'), [10, 0, 35]], [f('forearm_l'), [75, 0, 0]], [f('upper_arm_r'), [0, 0, -30]], [f('thigh_r'), [55, 0, 0]], [f('shank_r'), [70, 0, 0]], [f('head'), [0, 25, 0]]]) });
  });
  const r = await page.locator('.pane').boundingBox();
  await page.keyboard.press('b');
  await page.mouse.click(r.x + r.width * 0.5, r.y + r.height * 0.44);
  await expect(page.locator('.probe li').first()).toBeVisible();
  await page.keyboard.press('b');
  await shot(page, 'weights');
  await page.keyboard.press('7');
  await marrow(page, (m) => m.set({ chosen: -1 }));
  await shot(page, 'handoff');
  await page.evaluate(() => { document.documentElement.dataset.theme = 'dark'; dispatchEvent(new Event('themechange')); });
  await page.keyboard.press('6');
  await page.keyboard.press('w');
  await shot(page, 'evening');
});
