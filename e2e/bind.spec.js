import { expect, test } from './test.js';
import { choose, copy, errors, marrow, open } from './open.js';

// What a test made goes again, so that the cast is as it was.
const made = [];
test.afterEach(async ({ page }) => { for (const id of made.splice(0)) await page.request.post(`/api/characters/${id}/remove`); });

test('the layer is reported, and told what to follow', async ({ page }) => {
  test.setTimeout(120_000); // the server is still looking through the cast
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
  await expect(page.getByRole('button', { name: 'Follow the selected joint' })).toBeDisabled(); // none is chosen
  await give.click();
  await expect(page.locator('[role=status]').filter({ hasText: 'Set plate_1_l to follow the surface under them' }).first()).toBeVisible({ timeout: 60_000 });
  await page.keyboard.press('Control+z');
  await expect(page.locator('[role=status]').filter({ hasText: /Undid|Undone/ }).first()).toBeVisible();
  expect(wrong).toEqual([]);
});

test('weights are carried over from a bound file', async ({ page }) => {
  const wrong = errors(page);
  const odile = await open(page, 'Odile', 'bind');
  const glb = await (await page.request.get(`/characters/${odile}/handoff/glb`)).body();
  const id = await copy(page, 'Odile', 'Carried');
  made.push(id);
  const at = async () => (await page.request.get(`/api/characters/${id}`)).json();
  const r = await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'fit_starter', params: {}, base: (await at()).head } });
  expect(r.ok()).toBe(true);
  await expect.poll(async () => (await at()).joints?.length ?? 0, { timeout: 30_000 }).toBeGreaterThan(20);
  await page.goto(`/characters/${id}/bind`);
  await page.waitForSelector('body[data-ready]');
  await page.locator('#carry summary').click();
  await page.locator('#carry-file').setInputFiles({ name: 'bound.glb', mimeType: 'model/gltf-binary', buffer: glb });
  await expect(page.locator('.said, [role=status]').filter({ hasText: /Carried weights over from bound.glb: [\d\s,]+ vertices/ }).first()).toBeVisible({ timeout: 30_000 });
  await expect(page.locator('#tray')).toContainText('22 of 22 joints lead vertices');
  expect(wrong).toEqual([]);
});

test('a kept result is seen beside the weights of now, in the same pose', async ({ page }) => {
  const wrong = errors(page);
  const odile = await open(page, 'Odile', 'bind');
  const glb = await (await page.request.get(`/characters/${odile}/handoff/glb`)).body();
  const { id } = await (await page.request.post('/api/characters', { multipart: { file: { name: 'two.glb', mimeType: 'model/gltf-binary', buffer: glb }, name: 'Two binds' } })).json();
  made.push(id);
  const at = async () => (await page.request.get(`/api/characters/${id}`)).json();
  const op = async (name, params) => {
    const before = (await at()).head;
    expect((await page.request.post(`/api/characters/${id}/ops`, { data: { op: name, params, base: before, confirmed: true } })).ok()).toBe(true);
    await expect.poll(async () => (await at()).head, { timeout: 30_000 }).not.toBe(before);
  };
  await op('keep_result', { name: 'soft' });
  await op('bind_near', { influences: 1, smooth: 0 });
  await page.goto(`/characters/${id}/weights`);
  await page.waitForSelector('body[data-ready]');
  await page.locator('#compare').getByRole('button', { name: 'soft' }).click();
  await expect(page.locator('.pane-name')).toHaveText(['Now', 'soft']);
  await marrow(page, (m) => m.set({ pose: new Map([[m.store.character.joints.findIndex((j) => j.name === 'forearm_l'), [70, 0, 0]]]) }));
  await expect(page.locator('#measures .beside')).toHaveCount(4);
  const [apart, same, seen] = await marrow(page, (m) => {
    const { plate } = m, [a, b] = plate.view.panes;
    a.camera.position.x += 0.4;
    a.controls.update();
    const here = plate.seen().places, there = plate.seen(plate.beside.skin).places;
    plate.view.draw();
    return [Math.max(...here.map((p, i) => Math.hypot(...[0, 1, 2].map((k) => p[k] - there[i][k])))), a.camera.position.distanceTo(b.camera.position), plate.beside.skin.group.visible && !plate.skin.group.visible];
  });
  expect(apart).toBeGreaterThan(0.01);
  expect(same).toBeLessThan(1e-9);
  expect(seen).toBe(true); // the last pane that was drawn shows the kept one
  await page.locator('[name=map][value=apart]').check();
  await expect(page.locator('[data-map-says]')).toContainText('how much the weights differ from soft');
  await page.locator('#compare').getByRole('button', { name: 'soft' }).click();
  await expect(page.locator('.pane-name')).toHaveCount(1);
  await expect(page.locator('#measures .beside')).toHaveCount(0);
  expect(await marrow(page, (m) => m.plate.skin.group.visible)).toBe(true);
  expect(wrong).toEqual([]);
});

test('capsules are sized, dragged on both sides and taken back; the ladder mends what heat left', async ({ page }) => {
  const wrong = errors(page);
  const odile = await open(page, 'Bram', 'bind');
  const obj = await (await page.request.get(`/characters/${odile}/handoff/glb`)).body();
  const { id } = await (await page.request.post('/api/characters', { multipart: { file: { name: 'capsules.glb', mimeType: 'model/gltf-binary', buffer: obj }, name: 'Capsules' } })).json();
  made.push(id);
  await page.goto(`/characters/${id}/bind`);
  await page.waitForSelector('body[data-ready]');
  await page.locator('#capsules summary').click();
  await page.locator('[data-capsules]').check();
  const capsule = (joint) => marrow(page, (m, n) => m.store.character.capsules.find((c) => c.joint === n), joint);
  await expect.poll(() => capsule('forearm_l')).toBeTruthy();
  await choose(page, 'forearm_l');
  const grip = page.locator('.grip.outer').first(), before = await capsule('forearm_r');
  const { x, y } = await grip.boundingBox();
  await page.mouse.move(x + 5, y + 5);
  await page.mouse.down();
  await page.mouse.move(x + 25, y - 15, { steps: 3 });
  await page.mouse.up();
  await expect.poll(async () => (await capsule('forearm_r')).stops[0].outer).not.toBe(before.stops[0].outer);
  expect((await capsule('forearm_l')).stops).toEqual((await capsule('forearm_r')).stops);
  await page.locator('#stops').getByRole('spinbutton', { name: 'Inner radius in millimeters of stop 1 to hand_l' }).fill('12');
  await page.keyboard.press('Tab');
  await expect.poll(async () => (await capsule('forearm_l')).stops[0].inner).toBeCloseTo(0.012, 6);
  await grip.focus();
  await page.keyboard.press('ArrowUp');
  const was = (await capsule('forearm_l')).stops[0].outer;
  await expect.poll(async () => (await capsule('forearm_l')).stops[0].outer).toBeCloseTo(was + 0.001, 6);
  await page.locator('[data-op=bind_capsules] button').click();
  await page.locator('dialog[open]').getByRole('button', { name: 'Bind by capsules' }).click(); // the weights came with the file
  await expect(page.locator('[role=status]').filter({ hasText: 'Bound by capsules' }).first()).toBeVisible({ timeout: 30_000 });
  await page.locator('details.method:has([data-op=bind_heat]) > summary').click();
  await page.locator('[data-op=bind_heat] button').click();
  const last = async () => (await (await page.request.get(`/api/characters/${id}`)).json()).undo;
  await expect.poll(last, { timeout: 30_000 }).toContain('Bound by heat');
  await expect(page.locator('#tray')).toContainText('have no weights');
  const mend = page.getByRole('button', { name: 'Repair step by step' });
  await expect(mend).toBeVisible({ timeout: 30_000 });
  // By chosen steps: the closed shell alone, and not what would come before it.
  await page.getByText('Repair by selected steps').click();
  for (const name of ['beneath', 'joints', 'auto', 'volume', 'near']) await page.locator(`#ladder [value=${name}]`).uncheck();
  await page.getByRole('button', { name: 'Run these steps' }).click();
  await expect.poll(() => marrow(page, (m) => m.store.character.undo), { timeout: 60_000 }).toContain('Repaired the bind');
  await page.keyboard.press('Control+z');
  await expect.poll(last).toContain('Bound by heat');
  await expect(mend).toBeVisible({ timeout: 30_000 });
  await mend.click();
  await expect(mend).toHaveCount(0, { timeout: 60_000 }); // nothing is left to mend
  expect(await last()).toContain('Repaired the bind');
  expect(wrong).toEqual([]);
});
