import { readFileSync } from 'node:fs';
import { expect, test } from './test.js';
import validator from 'gltf-validator';
import { bound, errors, ids, marrow, open } from './open.js';

const made = [];
test.afterAll(async ({ request }) => { for (const id of made) await request.post(`/api/characters/${id}/remove`, { data: {} }); });

// From a file to the bound GLB without a hand on the mouse; what the stage's main button does takes five keys at
// the most.
test('a character is taken from its file to the GLB by the keyboard alone', async ({ page }, info) => {
  test.setTimeout(180_000);
  const wrong = errors(page);
  const obj = await (await page.request.get(`/characters/${(await ids(page)).Odile}/handoff/obj`)).body();
  await page.goto('/');
  const chooser = page.waitForEvent('filechooser', { timeout: 60_000 }); // asked for early: the browser is told in its own time
  let tabs = 0;
  while (await page.evaluate(() => document.activeElement?.id) !== 'file') { await page.keyboard.press('Tab'); expect(++tabs, 'the field is near the top').toBeLessThan(12); }
  await page.keyboard.press('Enter');
  await (await chooser).setFiles({ name: 'keys.obj', mimeType: 'text/plain', buffer: obj });
  await page.waitForURL(/\/intake$/, { timeout: 60_000 });
  made.push(page.url().split('/').at(-2));
  await expect(page.locator('body[data-ready]')).toBeAttached({ timeout: 30_000 });
  const stage = async (key, name) => { await page.keyboard.press(key); await expect(page.locator(`#tray[data-stage=${name}] header`)).toBeVisible(); };
  const main = async () => { await page.keyboard.press('Enter'); await expect(page.locator('#tray .is-primary:focus')).toBeVisible(); await page.keyboard.press('Enter'); };

  await stage('2', 'placement');
  await main();
  await expect.poll(() => marrow(page, (m) => m.store.character.joints.length), { timeout: 60_000 }).toBeGreaterThan(20);
  await stage('3', 'axes');
  await main();
  await expect.poll(() => marrow(page, (m) => m.store.character.undo), { timeout: 30_000 }).toMatch(/axes|Aligned/);
  await stage('5', 'bind');
  await main();
  await expect.poll(() => marrow(page, (m) => Boolean(m.store.character.weights)), { timeout: 90_000 }).toBe(true);
  await stage('9', 'handoff');
  const wait = page.waitForEvent('download');
  await main();
  const out = info.outputPath('keys.glb');
  await (await wait).saveAs(out);
  expect((await validator.validateBytes(new Uint8Array(readFileSync(out)))).issues.numErrors).toBe(0);
  expect(wrong).toEqual([]);
});

test('the finder finds joints, parts and files, and goes to them', async ({ page }) => {
  await open(page, 'Odile', 'weights');
  const find = async (words) => { await page.keyboard.press('/'); await page.keyboard.type(words); await page.keyboard.press('Enter'); };
  await find('joint hand_r');
  expect(await marrow(page, (m) => m.store.character.joints[m.store.chosen].name)).toBe('hand_r');
  await find('download csv');
  await expect(page.locator('#tray a[href$="/handoff/csv"]:focus')).toBeVisible();
  const part = await marrow(page, (m) => m.store.character.parts[0].name);
  await find(`part ${part}`.toLowerCase());
  await expect(page.locator('#tray[data-stage=intake]')).toBeAttached();
  await expect.poll(() => marrow(page, (m) => m.store.faces.size)).toBeGreaterThan(0);
  await find('nothing is called so');
  await expect(page.locator('#finder .none')).toContainText('No command, joint, part or file');
});

test('drawing where no mesh is goes on as far away as the place before', async ({ page }) => {
  const id = await bound(page, 'Odile', 'Tail in the air', 'placement', made);
  await page.keyboard.press('s'); // from the side
  await page.keyboard.press('i');
  const pane = await page.locator('.pane').first().boundingBox();
  await page.mouse.click(pane.x + 30, pane.y + 60);
  await expect.poll(() => marrow(page, (m) => m.store.drawing.length)).toBe(1);
  await expect(page.locator('#saying')).toContainText('No mesh is there');
  await page.mouse.click(pane.x + 60, pane.y + 90);
  await expect.poll(() => marrow(page, (m) => m.store.drawing.length)).toBe(2);
  const [a, b] = await marrow(page, (m) => m.store.drawing.map((p) => p.x));
  expect(Math.abs(a - b)).toBeLessThan(1e-6); // in one plane that faces the side view
  await page.keyboard.press('Enter');
  await expect.poll(() => marrow(page, (m) => m.store.character.undo)).toMatch(/chain|Drew/i);
  expect(id).toBeTruthy();
});

test('what is clicked while an answer is awaited is done after it', async ({ page }) => {
  const id = await bound(page, 'Odile', 'Two clicks', 'placement', made);
  const steps = async () => (await (await page.request.get(`/api/characters/${id}/history`)).json()).revisions.length;
  const before = await steps();
  await page.evaluate(() => { document.querySelector('[data-op=remove_ends]').click(); document.querySelector('[data-op=add_ends]').click(); });
  await expect.poll(steps, { timeout: 20_000 }).toBe(before + 2);
  await expect(page.locator('#notice')).toBeHidden();
});

test('a body of any height is seen in every view', async ({ page }) => {
  const box = [];
  for (const y of [0, 151]) for (const [x, z] of [[-20, -10], [20, -10], [20, 10], [-20, 10]]) box.push(`v ${x} ${y} ${z}`);
  const obj = `${box.join('\n')}\nf 1 2 3 4\nf 8 7 6 5\nf 1 5 6 2\nf 2 6 7 3\nf 3 7 8 4\nf 4 8 5 1\n`;
  const { id } = await (await page.request.post('/api/characters', { multipart: { file: { name: 'tower.obj', mimeType: 'text/plain', buffer: Buffer.from(obj) }, name: 'Tower' } })).json();
  made.push(id);
  await page.goto(`/characters/${id}/placement`);
  await page.waitForSelector('body[data-ready]');
  for (const key of ['f', 's', 't', 'v']) {
    await page.keyboard.press(key);
    await page.waitForTimeout(300);
    const [near, far, away, size] = await marrow(page, (m) => { const p = m.plate.view.panes[0]; return [p.camera.near, p.camera.far, p.camera.position.distanceTo(p.controls.target), 160]; });
    expect(away - size / 2).toBeGreaterThan(near);
    expect(away + size / 2).toBeLessThan(far);
    // The middle of the picture is not the paper.
    const hit = await marrow(page, (m) => { const p = m.plate.view.panes[0]; return m.plate.picker.vertexAt(p, p.width / 2, p.height / 2, m.plate.posed.skin); });
    expect(hit).toBeGreaterThanOrEqual(0);
  }
});

test('a ticked layer stays the only one, and what a button would change is told', async ({ page }) => {
  await open(page, 'Tansy', 'bind');
  const boxes = page.locator('.layers input[name=layer]');
  await expect(boxes.first()).toBeAttached();
  const n = await boxes.count();
  await boxes.first().check();
  await expect(page.locator('#ticked')).toContainText(/Selected: 1 part, .*nothing else is changed/);
  await page.keyboard.press('6');
  await page.keyboard.press('5');
  await expect(boxes).toHaveCount(n);
  expect(await page.locator('.layers input[name=layer]:checked').count()).toBeLessThanOrEqual(1);
});

test('a finding is shown by a click anywhere on it, and the cost of the cap is a map', async ({ page }) => {
  await open(page, 'Odile as delivered', 'intake');
  const first = page.locator('.finding:has([data-show])').first();
  await first.locator('p').first().click();
  await expect.poll(() => marrow(page, (m) => m.store.finding?.code ?? '')).not.toBe('');
  await first.locator('h3').click();
  await expect.poll(() => marrow(page, (m) => m.store.finding?.code ?? '')).toBe('');
  await open(page, 'Odile', 'weights');
  await page.locator('.maps input[value=cap]').check();
  await expect(page.locator('[data-map-says]')).toContainText(/how far the cap of \d+ moves the skin .* up to [\d.]+ (mm|cm)/);
});
