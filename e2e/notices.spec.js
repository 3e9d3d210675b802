// What the page says stays until it was read.
import { expect, test } from '@playwright/test';
import { copy, marrow } from './open.js';

const change = async (page, id, op, params = {}) => {
  const { head } = await (await page.request.get(`/api/characters/${id}`)).json();
  return page.request.post(`/api/characters/${id}/ops`, { data: { op, params, base: head, confirmed: true } });
};

// hold keeps the news on their way to the page until they are released.
async function hold(page) {
  const news = { held: 0 };
  const gate = new Promise((release) => { news.release = release; });
  await page.route('**/api/characters/*?since=*', async (r) => {
    news.held++;
    await gate;
    await r.continue();
  });
  return news;
}

test.beforeEach(async ({ page }, info) => {
  const id = await copy(page, 'Odile', info.title);
  info.annotations.push({ type: 'id', description: id });
  await page.goto(`/characters/${id}/intake`);
  await expect(page.locator('body[data-ready]')).toBeAttached({ timeout: 30_000 });
});

const idOf = (info) => info.annotations[0].description;

test('news from elsewhere do not take a refusal away before it was read', async ({ page }, info) => {
  const news = await hold(page);
  await change(page, idOf(info), 'make_outward');
  await expect.poll(() => news.held).toBeGreaterThan(0);
  await page.locator('[data-op=make_outward]').click(); // still on the old revision
  const notice = page.locator('#notice');
  await expect(notice).toContainText('reload it');
  const head = await marrow(page, (m) => m.store.character.head);
  news.release();
  await expect.poll(() => marrow(page, (m) => m.store.character.head)).not.toBe(head);
  await expect(notice).toBeVisible();
  await page.locator('[data-op=make_outward]').click(); // again, and it is taken
  await expect(page.locator('.saying')).toContainText('Turned 0 faces');
  await expect(notice).toBeHidden();
});

test('the notice stays until the page is reloaded', async ({ page }, info) => {
  await page.locator('[data-op=weld] [name=distance]').fill('0.5');
  await change(page, idOf(info), 'make_outward');
  const notice = page.locator('#notice');
  await expect(notice).toContainText('kept when you reload');
  const news = await hold(page);
  await notice.getByRole('button', { name: 'Reload' }).click();
  await expect.poll(() => news.held).toBeGreaterThan(0);
  await expect(notice).toBeVisible();
  await expect(notice.getByRole('button', { name: 'Reload' })).toBeDisabled();
  news.release();
  await expect(notice).toBeHidden();
  await expect(page.locator('[data-op=weld] [name=distance]')).toHaveValue('0.5');
});
