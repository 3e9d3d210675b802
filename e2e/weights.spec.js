import { expect, test } from './test.js';
import { bound, choose, errors, marrow } from './open.js';

// What a test made goes again, so that the cast is as it was.
const made = [];
test.afterEach(async ({ page }) => { for (const id of made.splice(0)) await page.request.post(`/api/characters/${id}/remove`); });

const own = (page, name, as) => bound(page, name, as, 'weights', made);

// spot is where a joint stands on the screen.
const spot = (page, name, u = 0) => marrow(page, (m, [n, along]) => {
  const list = m.store.character.joints, i = list.findIndex((j) => j.name === n), k = list.findIndex((j) => j.parent === i), { plate } = m, pane = plate.view.panes[0];
  const q = plate.posed.at[i].clone().lerp(plate.posed.at[k], along).project(pane.camera), r = pane.element.getBoundingClientRect();
  return [r.left + (q.x * 0.5 + 0.5) * r.width, r.top + (0.5 - q.y * 0.5) * r.height];
}, [name, u]);

// shares is the sum of what joints have of all vertices, as the page draws it.
const shares = (page, ...names) => marrow(page, (m, list) => {
  const { width, joint, value } = m.plate.skin.influences, n = m.store.character.joints.length;
  return list.map((name) => { const i = m.store.character.joints.findIndex((j) => j.name === name); let sum = 0; for (let k = 0; k < value.length; k++) if (value[k] > 0 && joint[k] % n === i) sum += value[k]; void width; return sum; });
}, names);

const settled = (page) => expect.poll(() => marrow(page, (m) => m.store.painting)).toBe(false);

async function drag(page, [x0, y0], [x1, y1]) {
  await page.mouse.move(x0, y0);
  await page.mouse.down();
  for (let k = 1; k <= 8; k++) await page.mouse.move(x0 + ((x1 - x0) * k) / 8, y0 + ((y1 - y0) * k) / 8);
}

test('a stroke paints both sides, is taken back by Esc and by undo, and is stored as it was seen', async ({ page }) => {
  const wrong = errors(page);
  const id = await own(page, 'Odile', 'Painted');
  await choose(page, 'forearm_l');
  await page.keyboard.press('i');
  await expect(page.locator('#brush')).toBeVisible();
  const before = await shares(page, 'forearm_l', 'forearm_r');
  const a = await spot(page, 'upper_arm_l', 0.75), b = await spot(page, 'upper_arm_l', 0.4);
  // The radius goes with the pointer while O is held, and back.
  const radius = () => page.locator('[data-of=radius]').textContent(), was = await radius();
  await page.mouse.move(...a);
  await page.keyboard.down('o');
  await page.mouse.move(a[0] + 1, a[1]);
  await page.mouse.move(a[0] + 101, a[1], { steps: 4 });
  expect(parseFloat(await radius())).toBeCloseTo(2 * parseFloat(was), 0);
  await page.mouse.move(a[0] + 1, a[1], { steps: 4 });
  await page.keyboard.up('o');
  expect(await radius()).toBe(was);
  await drag(page, a, b);
  await expect.poll(async () => (await shares(page, 'forearm_l'))[0]).toBeGreaterThan(before[0] + 5);
  await page.keyboard.press('Escape');
  await page.mouse.up();
  await settled(page);
  expect((await shares(page, 'forearm_l'))[0]).toBeCloseTo(before[0], 2);

  await drag(page, a, b);
  await page.mouse.up();
  await expect(page.locator('[role=status]').filter({ hasText: 'Added to forearm_l with the brush, on both sides' }).first()).toBeVisible();
  await settled(page);
  const after = await shares(page, 'forearm_l', 'forearm_r');
  expect(after[0]).toBeGreaterThan(before[0] + 5);
  expect(after[1]).toBeGreaterThan(before[1] + 5);
  // What the worker painted is what the server has stored.
  const csv = await (await page.request.get(`/characters/${id}/handoff/csv`)).text();
  const stored = csv.split('\n').slice(1).filter((l) => l.includes('forearm_l')).reduce((s, l) => s + Number(l.split(',').at(-1)), 0);
  expect(stored).toBeCloseTo(after[0], 2);
  await page.keyboard.press('Control+z');
  await expect.poll(async () => (await shares(page, 'forearm_l'))[0]).toBeCloseTo(before[0], 2);

  // Two strokes in quick succession, on a turned arm, both arrive.
  await marrow(page, (m) => m.set({ pose: new Map([[m.store.character.joints.findIndex((j) => j.name === 'upper_arm_l'), [0, 0, 20]]]) }));
  await page.locator('#brush').getByText('take', { exact: true }).click();
  const c = await spot(page, 'forearm_l', 0.2), d = await spot(page, 'forearm_l', 0.6);
  await drag(page, c, d);
  await page.mouse.up();
  await drag(page, d, c);
  await page.mouse.up();
  await settled(page);
  expect((await shares(page, 'forearm_l'))[0]).toBeLessThan(before[0] - 5);
  const { by_hand: hand } = (await (await page.request.get(`/api/characters/${id}`)).json()).vertices;
  expect(hand).toBeGreaterThan(10);
  expect(wrong).toEqual([]);
});

test('vertices are chosen, their table edited, locked, hidden and mirrored', async ({ page }) => {
  const wrong = errors(page);
  await own(page, 'Odile', 'Chosen');
  await choose(page, 'hand_l');
  await page.keyboard.press('f');
  const count = () => marrow(page, (m) => m.store.vertices.length);
  const [x, y] = await spot(page, 'hand_l', 0.5);
  await drag(page, [x - 40, y - 40], [x + 40, y + 40]);
  await page.mouse.up();
  await expect.poll(count).toBeGreaterThan(20);
  const boxed = await count();
  await page.keyboard.press('g');
  await expect.poll(count).toBeGreaterThan(boxed);
  await page.locator('#choice').getByRole('button', { name: 'Mirror' }).click();
  await expect.poll(() => marrow(page, (m) => m.plate.skin.attributes.position.array[3 * m.plate.skin.drawnOf[m.store.vertices[0]]] < 0)).toBe(true);
  await page.locator('#choice').getByRole('button', { name: 'Mirror' }).click();
  const share = page.getByRole('spinbutton', { name: 'Share of hand_l', exact: true });
  await share.fill('0.8');
  await page.keyboard.press('Tab');
  await expect(page.locator('[role=status]').filter({ hasText: 'Set hand_l to 0.8' }).first()).toBeVisible();
  await expect(share).toHaveValue('0.8');
  await page.getByRole('button', { name: 'Lock the weights of hand_l' }).click();
  await expect(share).toBeDisabled();
  await page.locator('#edits [data-fill=smooth_weights]').click();
  await expect(page.locator('[role=status]').filter({ hasText: /Smoothed all joints, 1 time/ }).first()).toBeVisible();
  await expect(share).toHaveValue('0.8');
  await page.getByRole('button', { name: 'Unlock the weights of hand_l' }).click();
  await expect(share).toBeEnabled();
  await page.locator('#choice').getByRole('button', { name: 'Hide unselected' }).click();
  await expect.poll(() => marrow(page, (m) => m.store.character.vertices.hidden.length)).toBeGreaterThan(0);
  await page.locator('#choice').getByRole('button', { name: 'Show all' }).click();
  await expect.poll(() => marrow(page, (m) => m.store.character.vertices.hidden)).toBe('');
  await page.locator('#keep-choice [name=name]').fill('left hand');
  await page.locator('#keep-choice').getByRole('button', { name: 'Keep' }).click();
  await expect(page.locator('#choice [name=kept] option')).toHaveCount(2);
  await page.locator('#choice').getByRole('button', { name: 'None' }).click();
  await page.locator('#choice [name=kept]').selectOption('left hand');
  await expect.poll(count).toBeGreaterThan(20);
  await page.locator('#choice').getByRole('button', { name: 'None' }).click();

  await page.locator('#edits summary', { hasText: 'Mirror' }).click();
  await page.locator('[data-look=mirror]').click();
  await expect(page.locator('[data-mirror]')).toContainText('have another for their image');
  await page.locator('#mirror').getByRole('button', { name: 'Mirror' }).click();
  await expect(page.locator('[role=status]').filter({ hasText: 'Mirrored weights from the left' }).first()).toBeVisible();
  await page.locator('#choice').getByRole('button', { name: 'All', exact: true }).click();
  await page.locator('#edits summary', { hasText: 'Boundaries' }).click();
  await page.locator('[data-does=drop_traces] [name=below]').fill('0.03');
  await expect(page.locator('[data-traces]')).toContainText('the skin would move by');
  expect(wrong).toEqual([]);
});

test('the maps tell how many, how far and what is wrong; a table of weights comes back', async ({ page }) => {
  const wrong = errors(page);
  const id = await own(page, 'Odile', 'Mapped');
  await choose(page, 'forearm_l');
  const says = page.locator('[data-map-says]');
  const coloured = () => marrow(page, (m) => Boolean(m.plate.skin.byVertex));
  for (const [map, text] of [['count', 'influences per vertex'], ['motion', 'how far forearm_l moves the skin'], ['problems', 'asymmetric weight'], ['several', 'forearm_l']]) {
    await page.locator(`[name=map][value=${map}]`).check();
    await expect(says).toContainText(text);
    expect(await coloured()).toBe(true);
  }
  await page.locator('[name=map][value=joint]').check();
  await expect.poll(coloured).toBe(false);
  await page.keyboard.down('s');
  const turned = () => marrow(page, (m) => Math.max(...m.plate.posed.skin.map(Math.abs)));
  await expect.poll(turned).toBeGreaterThan(0.05);
  await page.keyboard.up('s');
  await expect.poll(turned).toBeLessThan(1e-6);

  const csv = await (await page.request.get(`/characters/${id}/handoff/csv`)).text();
  const lines = csv.split('\n'), hand = lines.map((l) => (l.startsWith('0,') ? null : l)).filter((l) => l !== null);
  const zero = lines.find((l) => l.startsWith('0,')).split(',');
  zero[4] = 'head';
  zero[5] = '1';
  await page.locator('#edits summary', { hasText: 'Tables' }).click();
  await page.locator('#table-file').setInputFiles({ name: 'weights.csv', mimeType: 'text/csv', buffer: Buffer.from([hand[0], zero.join(','), ...hand.slice(1)].join('\n')) });
  await expect(page.locator('[role=status]').filter({ hasText: 'Took weights from weights.csv: 1 vertex changed' }).first()).toBeVisible();
  expect(wrong).toEqual([]);
});

// A map that was chosen by the pointer is no work that could be lost: what comes from elsewhere is shown,
// and in the panel that comes then each map is still itself.
test('a map that is chosen does not keep what comes from elsewhere away, and the maps stay themselves', async ({ page }) => {
  const id = await own(page, 'Odile', 'Maps');
  await page.locator('[name=map][value=leader]').check();
  await page.locator('#edits [name=passes]').fill('2');
  const head = await marrow(page, (m) => m.store.character.head);
  await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'set_weights', base: head, params: { joint: 'head', vertices: '100-400', value: 1 } } });
  await expect.poll(() => marrow(page, (m) => m.store.character.head)).not.toBe(head);
  await expect(page.locator('#edits [name=passes]')).toHaveValue('2');
  await page.locator('[name=map][value=count]').check();
  expect(await marrow(page, (m) => m.store.map)).toBe('count');
});

// On the smoothed surface vertices are where it puts them: picked, painted and marked there, at rest and
// in a pose, in every map; without it all is as before.
test('painting and picking hit the smoothed surface', async ({ page }) => {
  const wrong = errors(page);
  await own(page, 'Odile', 'Smoothed');
  await choose(page, 'forearm_l');
  await page.locator('[name=smooth_skin]').check();
  await expect.poll(() => marrow(page, (m) => Boolean(m.plate.skin.subdivided))).toBe(true);
  for (const bend of [0, 80]) {
    const [asked, hit, inside, off] = await marrow(page, (m, angle) => {
      const { plate } = m, pane = plate.view.panes[0], { skin } = plate, V = plate.posed.at[0].constructor;
      m.set({ pose: new Map(angle ? [[m.store.chosen, [angle, 0, 0]]] : []) });
      pane.camera.updateMatrixWorld();
      const at = skin.raised.position.array, eye = new V().setFromMatrixPosition(pane.camera.matrixWorld);
      let n = 0, same = 0, close = 0, most = 0;
      for (let v = 0; v < skin.vertices; v += 37) {
        const d = skin.drawnOf[v], p = new V(at[3 * d], at[3 * d + 1], at[3 * d + 2]), q = p.clone().project(pane.camera);
        const x = (q.x * 0.5 + 0.5) * pane.width, y = (0.5 - q.y * 0.5) * pane.height, h = plate.picker.hit(pane, x, y, plate.posed.skin);
        if (!h || h.distance < p.distanceTo(eye) - 0.004) continue; // behind something
        n++;
        if (plate.picker.vertexAt(pane, x, y, plate.posed.skin) === v) same++;
        const t = plate.picker.touchAt(pane, x, y, plate.posed.skin).touch, corners = [0, 1, 2].map((k) => skin.base[skin.triangles[3 * t.t + k]]), k = corners.indexOf(v);
        if (k >= 0 && [1 - t.b - t.c, t.b, t.c][k] > 0.8) close++;
        const rest = skin.attributes.position.array;
        if (!angle) most = Math.max(most, p.distanceTo(new V(rest[3 * d], rest[3 * d + 1], rest[3 * d + 2])));
      }
      return [n, same, close, most];
    }, bend);
    expect(asked).toBeGreaterThan(80);
    expect(hit / asked).toBeGreaterThan(0.97);
    expect(inside / asked).toBeGreaterThan(0.97);
    if (!bend) expect(off).toBeGreaterThan(1e-3); // the surface does lie elsewhere than its vertices
  }
  const before = await shares(page, 'forearm_l');
  await page.keyboard.press('i');
  await drag(page, await spot(page, 'upper_arm_l', 0.75), await spot(page, 'upper_arm_l', 0.5));
  await page.mouse.up();
  await expect.poll(async () => (await shares(page, 'forearm_l'))[0]).toBeGreaterThan(before[0] + 3);
  await settled(page);
  await page.keyboard.press('w'); // through the maps
  for (const map of ['leader', 'count', 'mix', 'plain', 'joint']) await marrow(page, (m, name) => m.set({ map: name, dots: name === 'count', wire: name === 'leader' }), map);
  await page.keyboard.press('u');
  await expect.poll(() => marrow(page, (m) => [Boolean(m.plate.skin.subdivided), m.plate.skin.mesh.visible || m.plate.skin.bender.on])).toEqual([false, true]);
  expect(wrong).toEqual([]);
});

test('the weights of an earlier revision are kept from the history and stand beside those of now', async ({ page }) => {
  const wrong = errors(page), id = await own(page, 'Odile', 'Show earlier');
  const head = await marrow(page, (m) => m.store.character.head);
  await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'set_weights', base: head, params: { joint: 'head', vertices: '100-400', value: 1 } } });
  await expect.poll(() => marrow(page, (m) => m.store.character.head)).not.toBe(head);
  await page.keyboard.press('h');
  await page.locator('#history li').nth(1).getByRole('button', { name: 'Keep its weights' }).click();
  await expect.poll(() => marrow(page, (m) => m.store.character.kept.length)).toBe(1);
  await page.locator('[data-beside]').click();
  await expect.poll(() => marrow(page, (m) => m.store.beside)).toContain('revision');
  const [now, then] = await marrow(page, (m) => [m.plate.skin, m.plate.beside.skin].map((s) => { const i = m.store.character.joints.findIndex((j) => j.name === 'head'), { width, joint, value } = s.influences; let sum = 0; for (let k = 100 * width; k < 401 * width; k++) if (joint[k] === i) sum += value[k]; return sum; }));
  expect(now).toBeCloseTo(301, 1);
  expect(then).toBeLessThan(290);
  expect(wrong).toEqual([]);
});
