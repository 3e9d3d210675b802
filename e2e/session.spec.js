// What is chosen, posed and typed survives what happens elsewhere; undo, focus, the finder.
import { expect, test } from './test.js';
import { choose, copy, errors, joint, marrow, open } from './open.js';

const saying = (page) => page.locator('.saying');

async function fitted(page, as) {
  const id = await copy(page, 'Odile', as);
  const state = () => page.request.get(`/api/characters/${id}`).then((r) => r.json());
  const { head } = await state();
  await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'fit_starter', base: head } });
  await expect.poll(async () => (await state()).joints.length, { timeout: 60_000 }).toBe(27);
  await page.goto(`/characters/${id}/placement`);
  await expect(page.locator('body[data-ready]')).toBeAttached({ timeout: 30_000 });
  return { id, state };
}

test('a joint that is removed elsewhere never makes another one act', async ({ page }) => {
  const { id, state } = await fitted(page, 'Removed elsewhere');
  await choose(page, 'shank_l');
  const before = await state();
  const first = before.joints.findIndex((j) => j.name === 'spine_2');
  expect(first).toBeLessThan(before.joints.findIndex((j) => j.name === 'shank_l'));
  await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'remove_joints', params: { joints: ['spine_2'] }, base: before.head } });
  await expect.poll(() => marrow(page, (m) => m.store.character.joints.length)).toBe(26);
  expect(await marrow(page, (m) => m.store.character.joints[m.store.chosen].name)).toBe('shank_l');
  await page.getByRole('button', { name: 'Pin', exact: true }).click();
  await expect(saying(page)).toHaveText('Pinned shank_l');
  // The chosen one itself is gone: nothing is chosen then.
  const now = await state();
  await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'remove_joints', params: { joints: ['shank_l'] }, base: now.head } });
  await expect.poll(() => marrow(page, (m) => m.store.chosen)).toBe(-1);
});

test('a pose has an undo of its own, before the bind, and outlives a reload', async ({ page }) => {
  const id = await open(page, 'Odile', 'weights');
  const head = await marrow(page, (m) => m.store.character.head);
  await choose(page, 'forearm_l');
  const angle = () => marrow(page, (m) => m.store.pose.get(m.store.character.joints.findIndex((j) => j.name === 'forearm_l')) ?? null);
  await page.locator('#angles [name=nx]').fill('40');
  await page.waitForTimeout(1100); // the next is a step of its own
  await page.locator('#angles [name=ny]').fill('15');
  expect(await angle()).toEqual([40, 15, 0]);
  await page.locator('#angles [name=ny]').press('Escape'); // leaves the field
  expect(await page.evaluate(() => document.activeElement.id)).toBe('canvas');
  await expect(page.locator('#undo')).toHaveAttribute('title', 'Undo: the pose of forearm_l');
  await page.keyboard.press('Control+z');
  expect(await angle()).toEqual([40, 0, 0]);
  await page.keyboard.press('Control+z');
  expect(await angle()).toBe(null);
  await page.keyboard.press('Control+Shift+z');
  expect(await angle()).toEqual([40, 0, 0]);
  expect((await (await page.request.get(`/api/characters/${id}`)).json()).head, 'the bind is not undone').toBe(head);
  await page.reload();
  await expect(page.locator('body[data-ready]')).toBeAttached({ timeout: 30_000 });
  expect(await angle()).toEqual([40, 0, 0]);
});

test('a chain that is being drawn is taken back place by place', async ({ page }) => {
  const id = await copy(page, 'Odile', 'Drawn and undrawn');
  await page.goto(`/characters/${id}/placement`);
  await expect(page.locator('body[data-ready]')).toBeAttached({ timeout: 30_000 });
  await page.keyboard.press('i');
  const pane = await page.locator('.pane').boundingBox();
  for (const h of [0.5, 0.42, 0.36]) await page.mouse.click(pane.x + pane.width / 2, pane.y + h * pane.height);
  const drawn = () => marrow(page, (m) => m.store.drawing?.length);
  expect(await drawn()).toBe(3);
  await page.keyboard.press('Control+z');
  expect(await drawn()).toBe(2);
  await page.keyboard.press('Control+Shift+z');
  expect(await drawn()).toBe(3);
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Enter');
  await expect(saying(page)).toContainText('Drew a chain of 2');
});

test('the focus stays where it was, and Enter without a change records nothing', async ({ page }) => {
  const { state } = await fitted(page, 'Kept in focus');
  await choose(page, 'shank_l');
  const before = (await state()).head;
  const y = page.locator('#move [name=y]');
  await y.focus();
  await y.press('Enter');
  await page.locator('#rename [name=name]').focus();
  await page.locator('#rename [name=name]').press('Enter');
  await page.waitForTimeout(400);
  expect((await state()).head).toBe(before);
  await y.fill('40');
  await y.press('Enter');
  await expect(saying(page)).toContainText('Moved shank_l');
  expect(await page.evaluate(() => [document.activeElement.name, document.activeElement.form?.id])).toEqual(['y', 'move']);
  const pin = page.getByRole('button', { name: 'Pin', exact: true });
  await pin.focus();
  await page.keyboard.press('Enter');
  await expect(saying(page)).toHaveText('Pinned shank_l');
  expect(await page.evaluate(() => document.activeElement.dataset.mark)).toBe('pinned');
});

test('every operation is found by its words, and where it does not apply the finder says why', async ({ page }) => {
  const bad = errors(page);
  const id = await copy(page, 'Odile', 'Found');
  await page.goto(`/characters/${id}/intake`);
  await expect(page.locator('body[data-ready]')).toBeAttached({ timeout: 30_000 });
  const list = JSON.parse(await page.locator('#operations').textContent());
  expect(list.length).toBeGreaterThan(45);
  await page.keyboard.press('/');
  const lost = await page.evaluate((all) => {
    const input = document.querySelector('#finder input'), out = [];
    for (const o of all) {
      for (const words of [o.label, ...o.words.split(' '), o.name.replaceAll('_', ' ')]) {
        input.value = words;
        input.dispatchEvent(new Event('input'));
        if (!document.querySelector(`#finder [data-name="op-${o.name}"]`)) out.push(`${o.name}: ${words}`);
      }
    }
    return out;
  }, list);
  expect(lost).toEqual([]);
  // There is no skeleton: a rig's operations say so, and do nothing.
  await page.locator('#finder input').fill('reparent');
  await expect(page.locator('#finder [data-name=op-reparent_joint]')).toContainText('no skeleton yet');
  await page.keyboard.press('Enter');
  await expect(saying(page)).toContainText('Reparent joints: the character has no skeleton yet');
  // One that a person has to fill in is led to.
  await page.keyboard.press('/');
  await page.locator('#finder input').fill('stitch');
  await page.keyboard.press('Enter');
  await expect(page.locator('form[data-op=weld] [name=distance]')).toBeFocused();
  // One that needs nothing is done.
  await page.keyboard.press('Escape');
  await page.keyboard.press('/');
  await page.locator('#finder input').fill('isolated points');
  await page.keyboard.press('Enter');
  await expect(saying(page)).toContainText('Removed loose vertices');
  expect(bad).toEqual([]);
});

test('what would be lost is asked, whatever the way that leads there', async ({ page }) => {
  const id = await open(page, 'Odile', 'weights');
  const head = await marrow(page, (m) => m.store.character.head);
  await page.keyboard.press('/');
  await page.locator('#finder input').fill('fit the starter');
  await page.keyboard.press('Enter');
  const dialog = page.locator('dialog[open]');
  await expect(dialog).toContainText('removes the weights');
  await dialog.getByRole('button', { name: 'Cancel' }).click();
  expect((await (await page.request.get(`/api/characters/${id}`)).json()).head).toBe(head);
  const answer = await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'fit_starter', base: head } });
  expect(answer.status()).toBe(428);
  expect((await answer.json()).loses).toContain('removes the weights');
});

test('the history is paged and taken away as a script', async ({ page }) => {
  const { id, state } = await fitted(page, 'Long history');
  let { head } = await state();
  for (let i = 0; i < 60; i++) head = (await (await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'mark_joints', params: { joints: ['head'], hidden: i % 2 === 0 }, base: head } })).json()).revision.id;
  await expect.poll(() => marrow(page, (m) => m.store.character.head)).toBe(head);
  await page.keyboard.press('h');
  const rows = page.locator('#history .past li');
  await expect(rows).toHaveCount(50);
  await page.getByRole('button', { name: 'Show earlier' }).click();
  await expect(rows).toHaveCount(62);
  await expect(page.getByRole('button', { name: 'Show earlier' })).toBeHidden();
  const wait = page.waitForEvent('download');
  await page.getByRole('link', { name: 'Download as script' }).click();
  const file = await (await wait).createReadStream();
  let text = '';
  for await (const part of file) text += part;
  const lines = text.trim().split('\n').map((l) => JSON.parse(l));
  expect(lines[0].op).toBe('fit_starter');
  expect(lines.length).toBe(61);
});

test('a change answers with what it changed, and weights come by joint', async ({ page }) => {
  const id = await open(page, 'Odile', 'placement');
  const { head } = await (await page.request.get(`/api/characters/${id}`)).json();
  const whole = (await (await page.request.get(`/api/characters/${id}`)).body()).length;
  const at = (await joint(page, 'hand_l')).pos;
  const answer = await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'move_joint', params: { joint: 'hand_l', to: [at[0], at[1] + 0.001, at[2]], both: false }, base: head } });
  const { state } = await answer.json();
  expect(Object.keys(state.moved).length).toBeLessThan(4);
  expect(state.weights).toBeUndefined();
  expect(state.facts).toBeUndefined();
  expect((await answer.body()).length).toBeLessThan(whole / 4);
  const asked = [];
  page.on('request', (r) => { if (r.url().includes('/view/')) asked.push(new URL(r.url()).pathname); });
  await expect.poll(() => marrow(page, (m) => m.store.character.head)).toBe(state.head);
  expect(asked, 'neither mesh nor weights are loaded again').toEqual([]);
  expect((await joint(page, 'hand_l')).pos[1]).toBeCloseTo(at[1] + 0.001, 9);
  const column = await page.request.get(`/view/weights/${state.head}/hand_l`);
  expect(column.headers()['cache-control']).toContain('immutable');
  expect((await column.body()).length).toBeLessThan(30_000);
  await page.request.post(`/api/characters/${id}/undo`, { data: { base: state.head } });
});

test('an answer that comes after the stage was left does not bring its panel', async ({ page }) => {
  const id = await copy(page, 'Odile', 'left early');
  await page.goto(`/characters/${id}/placement`);
  await expect(page.locator('body[data-ready]')).toBeAttached();
  await page.route('**/ops', async (route) => { const r = await route.fetch(); await new Promise((f) => setTimeout(f, 1200)); await route.fulfill({ response: r }); });
  await page.locator('#starter button.is-primary').click();
  await page.locator('.spine [data-stage=axes] a').click();
  await expect.poll(() => marrow(page, (m) => m.store.character.joints.length), { timeout: 30_000 }).toBeGreaterThan(20);
  await expect(page.locator('#tray h2')).toHaveText('Axes');
  await expect(page.locator('#tray form[data-op=set_axes]')).toBeVisible();
});
