import AxeBuilder from '@axe-core/playwright';
import { expect, test } from './test.js';
import { errors } from './open.js';

test('the cast shows every character with its picture and stages', async ({ page }) => {
  const bad = errors(page);
  await page.goto('/');
  await expect(page.locator('h1').first()).toHaveText('The Saltmarsh Lantern Troupe');
  for (const name of ['Odile', 'Bram', 'Odile as delivered']) await expect(page.getByRole('link', { name, exact: true })).toBeVisible();
  const widths = await page.locator('.portrait img').evaluateAll(async (all) => { await Promise.all(all.map((i) => i.decode())); return all.map((i) => i.naturalWidth); });
  expect(widths.slice(0, 3)).toEqual([440, 440, 440]);
  expect((await new AxeBuilder({ page }).analyze()).violations).toEqual([]);
  expect(bad).toEqual([]);
});

test('a broken file is refused with its line, a good one opens at Intake, and can be removed', async ({ page }) => {
  await page.goto('/');
  const before = await page.locator('.card-plate').count();
  await page.setInputFiles('#file', { name: 'torn.obj', mimeType: 'text/plain', buffer: Buffer.from('v 0 0 0\nv 1 0\n') });
  await expect(page.locator('.refusal')).toContainText('torn.obj: line 2');
  await page.setInputFiles('#file', { name: 'wedge.obj', mimeType: 'text/plain', buffer: Buffer.from('v -0.5 0 0\nv 0.5 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 3 1 4\n') });
  await page.waitForURL(/\/intake$/);
  await expect(page.locator('#tray')).toContainText('Checked: no findings');
  await page.goto('/');
  await expect(page.locator('.card-plate')).toHaveCount(before + 1);
  await page.locator('.card-plate', { hasText: 'wedge' }).getByRole('button', { name: 'Remove wedge' }).click();
  await page.getByRole('button', { name: 'Remove', exact: true }).click();
  await expect(page.locator('.card-plate')).toHaveCount(before);
});

test('characters are found, sorted, renamed and duplicated on the cast', async ({ page }) => {
  const bad = errors(page);
  await page.goto('/');
  await page.setInputFiles('#file', { name: 'zither.obj', mimeType: 'text/plain', buffer: Buffer.from('v -0.5 0 0\nv 0.5 0 0\nv 0 1 0\nv 0 0 1\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 3 1 4\n') });
  await page.waitForURL(/\/intake$/);
  await page.goto('/');
  const card = (name) => page.locator('.card-plate').filter({ has: page.getByRole('link', { name, exact: true }) });
  await card('zither').hover();
  await card('zither').getByRole('button', { name: 'Duplicate' }).click();
  await expect(card('zither 2')).toBeVisible();
  await card('zither 2').hover();
  await card('zither 2').getByRole('button', { name: 'Rename' }).click();
  const field = page.getByRole('textbox', { name: 'New name of zither 2' });
  await field.fill('zither');
  await field.press('Enter');
  await expect(page.locator('.refusal')).toContainText('"zither 3" is free');
  await field.fill('aulos');
  await field.press('Enter');
  await expect(card('aulos')).toBeVisible();
  await page.locator('#cast-sort').selectOption('name');
  const names = await page.locator('.cards h2').allTextContents();
  expect(names.map((n) => n.trim())).toEqual(names.map((n) => n.trim()).sort((a, b) => a.localeCompare(b, 'en', { numeric: true })));
  await page.getByRole('searchbox', { name: 'Find a character' }).fill('zith');
  await expect(page.locator('.card-plate:visible')).toHaveCount(1);
  await page.getByRole('searchbox', { name: 'Find a character' }).fill('');
  for (const name of ['zither', 'aulos']) {
    await card(name).getByRole('button', { name: `Remove ${name}` }).click();
    await page.getByRole('button', { name: 'Remove', exact: true }).click();
    await expect(card(name)).toHaveCount(0);
  }
  expect(bad).toEqual([]);
});

test('an address that leads nowhere says so', async ({ page }) => {
  await page.goto('/characters/nobody/intake');
  await expect(page.getByRole('link', { name: 'Back to the cast' })).toBeVisible();
});
