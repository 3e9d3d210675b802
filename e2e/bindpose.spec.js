import { expect, test } from './test.js';
import { choose, joint, marrow, open } from './open.js';

const saying = (page) => page.locator('#saying');
const finding = (page, text) => page.locator('#tray .finding', { hasText: text });

// How far the drawn skin is from the mesh as it was bound.
const skinOff = (page) => marrow(page, (m) => {
  const s = m.plate.skinned(), p = m.plate.skin.attributes.position.array;
  let far = 0;
  s.positions.forEach((v, i) => { far = Math.max(far, Math.abs(v - p[i])); });
  return far;
});

// A rig that came with two bind poses, a joint hung elsewhere, a hand moved under the skin,
// rolls that jump and a side that runs the wrong way is put right, by what the findings offer.
test('a spoiled rig is put right in under two minutes', async ({ page }) => {
  const begun = Date.now();
  await open(page, 'Bram as rigged', 'axes');
  await expect(finding(page, 'bends backward')).toBeVisible();
  await expect(finding(page, 'roll abruptly')).toBeVisible();
  await page.getByRole('button', { name: 'Apply safe alignments' }).click();
  await expect(saying(page)).toContainText('→ 0');
  await expect(page.locator('#tray .finding.harms')).toHaveCount(0);

  await page.locator('.spine [data-stage=bindpose] a').click();
  await expect(finding(page, 'bound in 2 poses')).toBeVisible();
  await expect(finding(page, 'moved since the bind')).toBeVisible();
  await expect(finding(page, 'reparented since the bind')).toBeVisible();
  await finding(page, 'moved since the bind').getByRole('button', { name: 'Return to the bind pose' }).click();
  await expect(saying(page)).toContainText('joints off 3 → 0');
  await finding(page, 'bound in 2 poses').getByRole('button', { name: 'Unify to the first record' }).click();
  await expect(saying(page)).toContainText('records 2 → 1');
  await page.locator('.spine [data-stage=placement] a').click();
  await expect(page.locator('#tray h2')).toHaveText('Placement');
  await choose(page, 'clavicle_r');
  await page.locator('#reparent select').selectOption('spine_3');
  await page.locator('#reparent button').click();
  await expect(saying(page)).toContainText('Reparented clavicle_r to spine_3');
  await page.locator('.spine [data-stage=bindpose] a').click();
  await expect(page.locator('#tray h2')).toHaveText('Bind pose');
  await expect(page.locator('#tray .finding')).toHaveCount(0);
  await expect(page.locator('#tray .clear')).toBeVisible();
  expect(await skinOff(page)).toBe(0);
  expect(Date.now() - begun).toBeLessThan(120_000);
});

test('the bind pose and the current pose are shown by turns, and joints are moved in a loose skin', async ({ page }) => {
  const id = await open(page, 'Odile', 'bindpose');
  const glb = await (await page.request.get(`/characters/${id}/handoff/glb`)).body();
  const made = await (await page.request.post('/api/characters', { multipart: { file: { name: 'loose.glb', mimeType: 'model/gltf-binary', buffer: glb }, name: 'Loose skin', production: 'The Saltmarsh Lantern Troupe' } })).json();
  await page.goto(`/characters/${made.id}/bindpose`);
  await page.waitForSelector('body[data-ready]');
  expect(await skinOff(page)).toBe(0);
  const move = async (dx) => {
    const c = await (await page.request.get(`/api/characters/${made.id}`)).json(), at = c.joints.find((j) => j.name === 'hand_l').pos;
    const r = await page.request.post(`/api/characters/${made.id}/ops`, { data: { op: 'move_joint', params: { joint: 'hand_l', to: [at[0] + dx, at[1], at[2]], branch: true, both: false }, base: c.head, confirmed: true } });
    expect(r.ok()).toBe(true);
  };
  const bound = (await joint(page, 'hand_l')).pos;
  await move(0.06);
  await expect(finding(page, 'moved since the bind')).toBeVisible();
  expect(await skinOff(page)).toBeGreaterThan(0.05);
  const shown = () => marrow(page, (m) => m.plate.posed.at[m.store.character.joints.findIndex((j) => j.name === 'hand_l')].x);
  expect(await shown()).toBeCloseTo(bound[0] + 0.06, 5);
  await page.locator('#canvas').focus();
  await page.keyboard.press('q');
  expect(await shown()).toBeCloseTo(bound[0], 6);
  expect(await skinOff(page)).toBe(0);
  await expect(page.locator('[name=posed][value=bind]')).toBeChecked();
  await page.keyboard.press('q');
  expect(await skinOff(page)).toBeGreaterThan(0.05);

  // At the placement stage the mesh is as it was modelled.
  await page.locator('.spine [data-stage=placement] a').click();
  await expect.poll(() => skinOff(page)).toBe(0);
  await page.locator('.spine [data-stage=bindpose] a').click();
  await page.keyboard.press('g');
  await expect(saying(page)).toContainText('Returned to the bind pose');
  await page.getByRole('button', { name: 'Loosen the skin' }).click();
  await expect(finding(page, 'The skin is loose')).toBeVisible();
  await page.keyboard.press('6'); // it is told at every stage, with the way to end it
  await expect(page.locator('.caption .loose')).toContainText('Reattach');
  await page.keyboard.press('4');
  await move(0.03);
  await expect.poll(shown).toBeCloseTo(bound[0] + 0.03, 5);
  expect(await skinOff(page)).toBe(0);
  await page.locator('#tray section').getByRole('button', { name: 'Reattach the skin' }).click();
  await expect(saying(page)).toContainText('off by 0 mm');

  // A pose that is made here becomes the bind pose.
  await choose(page, 'upper_arm_l');
  await page.getByRole('slider', { name: 'side of upper_arm_l' }).focus();
  for (let k = 0; k < 3; k++) await page.keyboard.press('Shift+ArrowUp');
  const seen = await marrow(page, (m) => Array.from(m.plate.skinned().positions.slice(0, 3000)));
  expect(await skinOff(page)).toBeGreaterThan(0.02);
  await page.getByRole('button', { name: 'Make this the bind pose' }).click();
  await expect(saying(page)).toContainText('Made this the bind pose');
  expect(await skinOff(page)).toBe(0);
  expect(await marrow(page, (m) => m.store.pose.size)).toBe(0);
  const now = await marrow(page, (m) => Array.from(m.plate.skinned().positions.slice(0, 3000)));
  expect(Math.max(...now.map((v, i) => Math.abs(v - seen[i])))).toBeLessThan(2e-6);
  await page.getByRole('button', { name: 'T pose, arms level' }).click();
  await expect(saying(page)).toContainText('→ 0.0°');
  await expect(page.locator('#tray .past li').first()).toContainText('Posed the arms');
});

test('a joint is tried by pointing, rolled by its dial, limited and given a goal', async ({ page }) => {
  const id = await open(page, 'Odile', 'axes');
  const glb = await (await page.request.get(`/characters/${id}/handoff/glb`)).body();
  const made = await (await page.request.post('/api/characters', { multipart: { file: { name: 'axes.glb', mimeType: 'model/gltf-binary', buffer: glb }, name: 'Axes tried', production: 'The Saltmarsh Lantern Troupe' } })).json();
  await page.goto(`/characters/${made.id}/axes`);
  await page.waitForSelector('body[data-ready]');
  await choose(page, 'forearm_l');
  const hands = () => marrow(page, (m) => ['hand_l', 'hand_r'].map((n) => m.plate.posed.at[m.store.character.joints.findIndex((j) => j.name === n)].toArray()));
  const rest = await hands();
  await page.locator('[data-swing=bend]').hover();
  await expect.poll(async () => (await hands())[0][2] - rest[0][2]).toBeGreaterThan(0.03);
  const [l, r] = await hands();
  expect(Math.abs(l[2] - r[2])).toBeLessThan(0.012); // the partner does the same
  await page.mouse.move(500, 400);
  await expect.poll(async () => Math.abs((await hands())[0][2] - rest[0][2])).toBeLessThan(1e-9);

  const dial = page.getByRole('slider', { name: 'twist of forearm_l' });
  await expect(page.getByRole('slider', { name: /of forearm_l/ })).toHaveCount(1);
  await dial.focus();
  await page.keyboard.press('Shift+ArrowUp');
  await expect(saying(page)).toContainText('Rolled 1 joint by 10°; nothing moved');
  await page.keyboard.press('Control+z');
  await expect(saying(page)).toContainText('Undone');

  await page.getByRole('button', { name: 'Use typical limits' }).click();
  await expect(saying(page)).toContainText('Set limits on forearm_l');
  await page.locator('#limits [name=twist-low]').fill('-20');
  await page.locator('#limits [name=twist-high]').fill('35');
  await page.getByRole('button', { name: 'Set limits on selected' }).click();
  await expect(page.locator('#keeps')).toContainText('twist -20 to 35°');
  expect((await joint(page, 'forearm_r')).twist).toEqual([-35, 20]);
  await choose(page, 'hand_l');
  await page.locator('#goal button').click();
  await expect(page.locator('#keeps')).toContainText('goal of 2 bones');
  await page.keyboard.press('l');
  await expect(page.locator('#ledger .row', { hasText: 'hand_l' }).first()).toContainText('goal of 2 bones');
  await page.locator('#order select').selectOption('zxy');
  await page.getByRole('button', { name: 'Set for selected' }).click();
  await expect(page.locator('#keeps')).toContainText('rotation order zxy');
});
