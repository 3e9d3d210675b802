// What the page says stays until it was read, and news reach every tab.
import { expect, test } from './test.js';
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
  await expect(notice).toContainText('reload and try again');
  const head = await marrow(page, (m) => m.store.character.head);
  news.release();
  await expect.poll(() => marrow(page, (m) => m.store.character.head)).not.toBe(head);
  await expect(notice).toBeVisible();
  await page.locator('[data-op=make_outward]').click(); // again, and it is taken
  await expect(page.locator('.saying')).toContainText('Flipped 0 faces');
  await expect(notice).toBeHidden();
});

test('the notice stays until the page is reloaded', async ({ page }, info) => {
  await page.locator('[data-op=weld] [name=distance]').fill('0.5');
  await change(page, idOf(info), 'make_outward');
  const notice = page.locator('#notice');
  await expect(notice).toContainText('what you typed is kept');
  const news = await hold(page);
  await notice.getByRole('button', { name: 'Reload' }).click();
  await expect.poll(() => news.held).toBeGreaterThan(0);
  await expect(notice).toBeVisible();
  await expect(notice.getByRole('button', { name: 'Reload' })).toBeDisabled();
  news.release();
  await expect(notice).toBeHidden();
  await expect(page.locator('[data-op=weld] [name=distance]')).toHaveValue('0.5');
});

// A browser has six connections to a server; streams of their own for ten tabs would
// leave none for anything else.
test('ten tabs of two characters work, and each hears of changes', async ({ page, context }, info) => {
  test.setTimeout(240_000);
  const ids = [idOf(info), await copy(page, 'Odile', 'Second of ten tabs')];
  await page.goto(`/characters/${ids[0]}/intake`);
  const tabs = [page];
  for (let k = 1; k < 10; k++) {
    const tab = await context.newPage();
    await tab.goto(`/characters/${ids[k % 2]}/intake`);
    await expect(tab.locator('body[data-ready]'), `tab ${k + 1}`).toBeAttached({ timeout: 60_000 });
    tabs.push(tab);
  }
  const heads = [];
  for (const id of ids) {
    expect((await change(page, id, 'make_outward')).status()).toBe(200);
    heads.push((await (await page.request.get(`/api/characters/${id}`)).json()).head);
  }
  for (const [k, tab] of tabs.entries()) {
    await expect.poll(() => marrow(tab, (m) => m.store.character.head), { timeout: 30_000, message: `tab ${k + 1}` }).toBe(heads[k % 2]);
  }
  // Tabs that are closed are forgotten; the last one left still works and hears.
  for (const tab of tabs.slice(0, 9)) await tab.close();
  const last = tabs[9];
  await last.locator('[data-op=make_outward]').click();
  await expect(last.locator('.saying')).toContainText('Flipped 0 faces');
  const { head } = await (await last.request.get(`/api/characters/${ids[1]}`)).json();
  await last.request.post(`/api/characters/${ids[1]}/undo`, { data: { base: head } });
  await expect.poll(() => marrow(last, (m) => m.store.character.head), { timeout: 60_000 }).not.toBe(head);
});
