import { expect, test } from './test.js';
import { bound, choose, errors, marrow } from './open.js';

const made = [];
test.afterEach(async ({ page }) => { for (const id of made.splice(0)) await page.request.post(`/api/characters/${id}/remove`); });

const settled = (page) => expect.poll(() => marrow(page, (m) => m.store.painting), { timeout: 15_000 }).toBe(false);

// at is where a joint stands on the screen, a little beside it.
const at = (page, name, x = 6, y = 6) => marrow(page, (m, [n, dx, dy]) => {
  const { plate, store } = m, pane = plate.view.panes[0], i = store.character.joints.findIndex((j) => j.name === n), q = plate.posed.at[i].clone().project(pane.camera), r = pane.element.getBoundingClientRect();
  return [r.left + (q.x * 0.5 + 0.5) * r.width + dx, r.top + (0.5 - q.y * 0.5) * r.height + dy];
}, [name, x, y]);

const drag = async (page, [x, y], dx, dy) => {
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + dx / 2, y + dy / 2, { steps: 3 });
  await page.mouse.move(x + dx, y + dy, { steps: 4 });
  await page.mouse.up();
};

// drawn is the target with a name as it is drawn: by vertex, and what the skin at rest is moved by in all.
const drawn = (page, name) => marrow(page, (m, n) => {
  const { plate, store } = m, k = store.character.shapes.targets.findIndex((t) => t.name === n), t = plate.shapes.targets[k], out = {};
  t.vertex.forEach((v, i) => { out[v] = [...t.offset.slice(3 * i, 3 * i + 3)]; });
  return out;
}, name);
const moved = (page) => marrow(page, (m) => {
  const { skin } = m.plate, now = skin.attributes.position.array, own = skin.placesAtRest;
  let most = 0;
  for (let i = 0; i < now.length; i += 3) most = Math.max(most, Math.hypot(now[i] - own[i], now[i + 1] - own[i + 1], now[i + 2] - own[i + 2]));
  return most;
});

test('a corrective is made in a pose, sculpted, stored as it was seen, and comes on with the joint', async ({ page }) => {
  test.setTimeout(120_000);
  const wrong = errors(page);
  const id = await bound(page, 'Odile', 'Sculpted', 'weights', made);
  // A map of the weights does not stay on the skin.
  await marrow(page, (m) => m.set({ map: 'count' }));
  await expect.poll(() => marrow(page, (m) => m.plate.skin.byVertex)).toBe(true);
  await page.locator('.spine [data-stage=shapes] a').click();
  await expect(page.locator('#shapes')).toBeVisible();
  await expect.poll(() => marrow(page, (m) => m.plate.skin.byVertex)).toBe(false);
  const joint = 'forearm_l';
  await choose(page, joint);
  await marrow(page, (m, n) => { const i = m.store.character.joints.findIndex((j) => j.name === n), c = m.store.character.joints[i].axes ?? m.store.character.convention, a = [0, 0, 0]; a['xyz'.indexOf(c.bend)] = 35; m.set({ pose: new Map([[i, a]]) }); }, joint);
  await page.keyboard.press('i');
  await expect(page.locator('#sculpt')).toBeVisible();
  await page.getByRole('button', { name: 'New target here' }).click();
  const stem = joint.replace(/_l$/, '_pose_l'), row = page.locator(`.targets li[data-target=${stem}]`);
  await expect(row).toHaveClass(/picked/);
  await expect(row).toContainText(/forearm_l bend, on at -?35°/);
  await expect(row.locator('output')).toHaveText('1.00');
  await expect(page.locator('[data-m=largest]')).toHaveText('moves nothing yet');

  // Grab: the skin goes along, and what the worker made of it is what the server has.
  const from = await at(page, joint);
  await drag(page, from, 30, -20);
  const seen = await moved(page);
  expect(seen).toBeGreaterThan(0.001);
  await settled(page);
  await expect(page.locator('.strip')).toContainText(`Dragged ${stem}`);
  await expect(page.locator('[data-m=largest]')).toContainText('vertices');
  expect(await moved(page)).toBeCloseTo(seen, 6);
  const before = await drawn(page, stem);
  await page.reload();
  await page.waitForSelector('body[data-ready]');
  expect(await drawn(page, stem)).toEqual(before);
  await marrow(page, (m) => m.set({ pose: new Map() }));
  expect(await moved(page)).toBe(0); // at rest it is off

  // A brush over several places, on both sides; Esc takes it back, and so does undo.
  await page.locator(`.targets li[data-target=${stem}] b`).click();
  await page.getByRole('button', { name: 'Pose the joint there' }).click();
  await page.keyboard.press('i');
  await page.locator('#sculpt [value=smooth]').check({ force: true });
  await drag(page, await at(page, joint), 16, 10);
  await settled(page);
  await expect(page.locator('.strip')).toContainText(`Smoothed ${stem}`);
  const smoothed = await drawn(page, stem);
  expect(smoothed).not.toEqual(before);
  await page.locator('#canvas').focus();
  await page.keyboard.press('Control+z');
  await expect.poll(() => drawn(page, stem)).toEqual(before);
  const [x, y] = await at(page, joint);
  await page.locator('#sculpt [value=inflate]').check({ force: true });
  const still = await moved(page);
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + 12, y + 8, { steps: 4 });
  await expect.poll(() => moved(page)).not.toBeCloseTo(still, 6);
  await page.keyboard.press('Escape');
  await page.mouse.up();
  await settled(page);
  expect(await moved(page)).toBeCloseTo(still, 6);
  expect(await drawn(page, stem)).toEqual(before);

  // Mirrored, driver included, it is on with the other side.
  await page.getByRole('button', { name: 'Mirror', exact: true }).click();
  await expect(page.locator(`.targets li[data-target=${stem.replace(/_l$/, '_r')}]`)).toContainText(joint.replace(/_l$/, '_r'));
  const glb = await (await page.request.get(`/characters/${id}/handoff/glb`)).body();
  const doc = JSON.parse(glb.subarray(20, 20 + glb.readUInt32LE(12)).toString());
  expect(doc.meshes[0].extras.targetNames).toContain(stem);
  expect(wrong).toEqual([]);
});

test('selected vertices are moved by typed lengths, and a stroke that is refused is taken back', async ({ page }) => {
  test.setTimeout(90_000);
  await bound(page, 'Plover', 'Typed', 'shapes', made);
  await page.keyboard.press('i');
  await page.getByLabel('Name of a new target').fill('typed');
  await page.getByRole('button', { name: 'New target here' }).click();
  await expect(page.locator('.targets li[data-target=typed]')).toHaveClass(/picked/);
  await page.keyboard.press('Escape');
  await page.locator('#canvas').focus();
  await page.keyboard.press('f');
  await marrow(page, (m) => m.set({ vertices: [200, 201, 202] }));
  await page.getByLabel('Move along Y').fill('12');
  await page.getByRole('button', { name: 'Move', exact: true }).first().click();
  await expect(page.locator('.strip')).toContainText('Moved vertices of typed: 3 vertices changed, 1.2 cm at most');
  await expect(page.locator('.targets li[data-target=typed]')).toHaveClass(/held/);
  expect(await moved(page)).toBeCloseTo(0.012, 6);
  await page.getByLabel('Only those that move selected vertices').check();
  await expect(page.locator('.targets li[data-target]:visible')).toHaveCount(1);
  await page.getByRole('button', { name: 'Release held' }).click();
  expect(await moved(page)).toBe(0);

  // The server refuses: the skin is as it is stored, and the next stroke begins from there.
  await page.locator('#canvas').focus();
  await page.keyboard.press('i');
  await page.route('**/ops', (route) => route.fulfill({ status: 422, contentType: 'application/json', body: '{"error":"refused for the test"}' }));
  // Nothing is bound here: a mesh is sculpted at rest.
  const body = await marrow(page, (m) => { const { plate } = m, pane = plate.view.panes[0], { skin } = plate, p = skin.attributes.position.array, q = plate.box.min.clone().fromArray(p, 3 * skin.drawnOf[200]).project(pane.camera), r = pane.element.getBoundingClientRect(); return [r.left + (q.x * 0.5 + 0.5) * r.width, r.top + (0.5 - q.y * 0.5) * r.height]; });
  await drag(page, body, 24, 0);
  await expect(page.getByText('refused for the test').first()).toBeVisible();
  await settled(page);
  await expect.poll(() => moved(page)).toBeCloseTo(0.012, 6);
  await page.unroute('**/ops');
  await drag(page, body, 24, 0);
  await settled(page);
  await expect(page.locator('.strip')).toContainText('Dragged typed');
  const seen = await drawn(page, 'typed');
  await page.reload();
  await page.waitForSelector('body[data-ready]');
  expect(await drawn(page, 'typed')).toEqual(seen);
});
