// The placement stage: starters, drawing, several joints at once, taking over.
import { expect, test } from './test.js';
import validator from 'gltf-validator';
import { choose, copy, errors, ids, joint, marrow, open } from './open.js';

const names = (page) => marrow(page, (m) => m.store.character.joints.map((j) => j.name));

async function fresh(page, name, as) {
  const id = await copy(page, name, as);
  await page.goto(`/characters/${id}/placement`);
  await expect(page.locator('body[data-ready]')).toBeAttached({ timeout: 30_000 });
  return id;
}

test('the joints of a starter follow its numbers before it is fitted', async ({ page }) => {
  const bad = errors(page);
  await fresh(page, 'Sedge', 'Sedge afresh');
  await page.locator('#starter select[name=starter]').selectOption('quadruped');
  await expect(page.locator('#starter-joints')).toContainText('joints, shown');
  const before = Number((await page.locator('#starter-joints').textContent()).split(' ')[0]);
  const tail = page.locator('#starter input[name=tail]');
  await tail.fill(String(Number(await tail.inputValue()) + 3));
  await expect(page.locator('#starter-joints')).toContainText(`${before + 3} joints`);
  expect(await marrow(page, (m) => m.store.ghost.length)).toBe(before + 3);
  await page.getByRole('button', { name: 'Fit to the mesh' }).click();
  await expect(page.locator('.saying')).toContainText('Fitted the quadruped', { timeout: 60_000 });
  await expect.poll(async () => (await names(page)).length).toBe(before + 3);
  expect(bad).toEqual([]);
});

test('a chain is drawn by clicks into the middle of the volume', async ({ page }) => {
  await fresh(page, 'Odile', 'Odile by hand');
  await page.keyboard.press('i');
  const spots = await marrow(page, (m) => {
    const pane = m.plate.view.panes[0], r = pane.element.getBoundingClientRect(), box = m.plate.view.box;
    return [0.55, 0.65, 0.72].map((h) => {
      const v = box.getCenter(box.min.clone());
      v.y = box.min.y + h * (box.max.y - box.min.y);
      v.project(pane.camera);
      return [r.x + (v.x + 1) / 2 * r.width, r.y + (1 - v.y) / 2 * r.height];
    });
  });
  await page.keyboard.press('Escape');
  // A tip of a limb, for fits that do not find it, is shown in the same way.
  await page.locator('#tips summary').click();
  await page.locator('#tips [data-tip=hand_l]').click();
  await page.mouse.click(...spots[0]);
  await expect(page.locator('#tips .is-given')).toHaveText('hand_l');
  expect(await marrow(page, (m) => m.plate.tips.spots.given.visible)).toBe(true);
  await page.keyboard.press('i');
  for (const [i, at] of spots.entries()) {
    await page.mouse.click(...at);
    await expect.poll(() => marrow(page, (m) => m.store.drawing?.length ?? 0)).toBe(i + 1);
  }
  await page.keyboard.press('Enter');
  await expect(page.locator('.saying')).toContainText('Drew a chain');
  const list = await marrow(page, (m) => m.store.character.joints);
  expect(list.length).toBe(3);
  for (const j of list) expect(Math.abs(j.pos[0])).toBeLessThan(0.05); // in the middle, not on the skin
  await page.keyboard.press('Control+z');
  await expect.poll(async () => (await names(page)).length).toBe(0);
});

test('several joints are chosen in the ledger and acted on at once', async ({ page }) => {
  await open(page, 'Plover', 'placement');
  await page.locator('#ledger .fold').click();
  const list = await names(page);
  const row = (i) => page.locator(`#ledger .row[data-joint="${i}"]`);
  await row(2).click();
  await row(3).click({ modifiers: ['Shift'] });
  await expect(page.locator('#ledger .row[aria-selected=true]')).toHaveCount(2);
  await page.locator('#choose-more').selectOption('branch');
  expect(await page.locator('#ledger .row[aria-selected=true]').count()).toBeGreaterThan(2);
  await row(2).click();
  await page.getByRole('button', { name: 'Pin', exact: true }).click();
  await expect.poll(async () => (await joint(page, list[2])).pinned).toBe(true);
  await page.keyboard.press('Control+z');
  await expect.poll(async () => Boolean((await joint(page, list[2])).pinned)).toBe(false);
});

test('the ledger sorts by its columns, and what is chosen comes first in the panel', async ({ page }) => {
  await open(page, 'Sedge', 'placement');
  await page.locator('#ledger .fold').click();
  const names = () => page.locator('#ledger [data-joint] .name').allTextContents();
  const hanging = await names();
  await page.getByRole('columnheader', { name: /Confidence/ }).getByRole('button').click();
  await expect(page.getByRole('columnheader', { name: /Confidence/ })).toHaveAttribute('aria-sort', 'ascending');
  const sure = await page.locator('#ledger [data-joint] .placed').allTextContents();
  const shares = sure.map((t) => (t.endsWith('%') ? parseFloat(t) : 200));
  expect(shares).toEqual([...shares].sort((a, b) => a - b));
  await page.keyboard.press('Enter'); // the heading keeps the focus
  await expect(page.getByRole('columnheader', { name: /Confidence/ })).toHaveAttribute('aria-sort', 'descending');
  await page.keyboard.press('Enter');
  expect(await names()).toEqual(hanging);
  const above = () => page.evaluate(() => document.querySelector('#joint-panel').getBoundingClientRect().top - document.querySelector('#tray .findings').getBoundingClientRect().top);
  expect(await above()).toBeGreaterThan(0);
  await choose(page, 'head');
  expect(await above()).toBeLessThan(0);
  await choose(page, 'nobody');
  expect(await above()).toBeGreaterThan(0);
});

test('a joint off the middle is centred, and removed joints come back as the other side', async ({ page }) => {
  await fresh(page, 'Odile', 'Odile to be centred');
  await page.getByRole('button', { name: 'Fit to the mesh' }).click();
  await expect(page.locator('.saying')).toContainText('Fitted the biped', { timeout: 60_000 });
  await expect.poll(() => joint(page, 'shank_l')).toBeTruthy();
  const was = await joint(page, 'shank_l');
  await choose(page, 'shank_l');
  await page.locator('#branch').uncheck();
  const x = page.locator('#move input[name=x]');
  await x.fill((100 * was.pos[0] + 3).toFixed(2));
  await page.locator('#move button').click();
  await expect.poll(async () => Math.abs((await joint(page, 'shank_l')).pos[0] - was.pos[0])).toBeGreaterThan(0.02);
  await page.keyboard.press('g');
  await expect(page.locator('.saying')).toContainText('Centered');
  await expect.poll(async () => Math.abs((await joint(page, 'shank_l')).pos[0] - was.pos[0])).toBeLessThan(0.015);

  const count = (await names(page)).length;
  await choose(page, 'hand_r');
  await page.getByRole('button', { name: 'Remove', exact: true }).click();
  await expect.poll(async () => (await names(page)).length).toBe(count - 1);
  const make = page.getByRole('button', { name: 'Mirror', exact: true });
  await make.hover();
  await expect(page.locator('form[data-op=make_other] .preview')).toContainText(/nothing changed yet: .* new: hand_r/);
  expect((await names(page)).length).toBe(count - 1);
  await make.click();
  await expect(page.locator('.saying')).toContainText('Made the other side');
  await expect.poll(async () => (await names(page)).includes('hand_r')).toBe(true);
});

test('a skeleton is taken over from a file after a look at the pairs', async ({ page }) => {
  const all = await ids(page);
  await fresh(page, 'Odile', 'Odile in spare clothes');
  const file = async (name) => ({ name: `${name}.gltf`, mimeType: 'model/gltf+json', buffer: await (await page.request.get(`/characters/${all[name]}/handoff/skeleton`)).body() });
  await page.setInputFiles('#take-file', await file('Odile'));
  const dialog = page.locator('dialog.takeover');
  await expect(dialog).toContainText('come as they are');
  await dialog.getByRole('button', { name: 'Bring it in' }).click();
  await expect.poll(async () => (await names(page)).includes('hand_l')).toBe(true);
  // Once more, now that there are joints: each is paired by its name, and what
  // becomes of it is told before anything is done.
  await page.setInputFiles('#take-file', await file('Bram'));
  const line = (name) => dialog.locator('tbody.theirs tr').filter({ has: page.getByRole('rowheader', { name, exact: true }) });
  await expect(line('hand_l')).toContainText('name');
  await expect(line('hand_l').locator('td').last()).toHaveText(/^moves \d+\.\d cm$/);
  await line('hand_l').locator('select').selectOption({ label: 'leave it out' });
  await expect(line('hand_l').locator('td').last()).toHaveText('left out');
  await expect(dialog.locator('tbody.ours tr', { hasText: 'hand_l' })).toContainText('stays');
  await dialog.locator('[name=obsolete]').selectOption('drop');
  await expect(dialog.locator('tbody.ours tr', { hasText: 'hand_l' })).toContainText('dropped');
  await expect(dialog.locator('.would')).toContainText(/[1-9]\d* removed/);
  await dialog.locator('[name=scale]').fill('-1');
  await dialog.getByRole('button', { name: 'Bring it in' }).click();
  await expect(dialog).toBeVisible(); // the scale is refused
  await dialog.getByRole('button', { name: 'Cancel', exact: true }).click();
  await expect(dialog).toHaveCount(0);
  expect(await names(page)).toContain('hand_l');
});

const waving = `HIERARCHY
ROOT hips
{
  OFFSET 0 0.9 0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT spine_1
  {
    OFFSET 0 0.3 0
    CHANNELS 3 Zrotation Xrotation Yrotation
    End Site
    {
      OFFSET 0 0.4 0
    }
  }
}
MOTION
Frames: 3
Frame Time: 0.1
0 0.9 0 0 0 0 0 0 0
0 0.9 0 0 0 0 30 0 0
0.5 0.9 0 0 0 0 60 0 0
`;

test('a motion comes with a skeleton, is kept, shown and dropped', async ({ page }) => {
  const list = errors(page);
  await fresh(page, 'Odile', 'Odile who waves');
  await page.setInputFiles('#take-file', { name: 'waving.bvh', mimeType: 'text/plain', buffer: Buffer.from(waving) });
  const dialog = page.locator('dialog.takeover');
  await expect(dialog).toContainText('keep its motion, 3 frames');
  await dialog.locator('[name=scale]').fill('1'); // it is no whole body, so the proposal is wrong
  await dialog.locator('[name=here]').uncheck();
  await dialog.getByRole('button', { name: 'Bring it in' }).click();
  await expect(page.locator('.saying')).toContainText('its motion of 3 frames is kept');
  await expect(page.locator('#motions')).toContainText('waving.bvh');
  await page.locator('.spine [data-stage=bind] a').click();
  await page.getByRole('button', { name: 'Bind', exact: true }).click();
  await expect.poll(() => marrow(page, (m) => Boolean(m.store.character.weights)), { timeout: 60_000 }).toBe(true);
  await page.locator('.spine [data-stage=weights] a').click();
  const top = () => marrow(page, (m) => m.plate.posed.at.at(-1).toArray());
  const rest = await top();
  await page.locator('#motion [name=frame]').fill('2');
  await expect(page.locator('#motion output')).toHaveText('frame 3 of 3');
  const bent = await top();
  expect(bent[0]).toBeGreaterThan(rest[0] + 0.5 - 0.4 * Math.sin(Math.PI / 3) - 0.01);
  expect(bent[1]).toBeCloseTo(rest[1] - 0.4 * (1 - Math.cos(Math.PI / 3)), 2); // bent by 60 degrees at spine_1
  await page.locator('#motion [data-play]').click();
  await expect(page.locator('#motion [data-play]')).toHaveText('Stop');
  await page.locator('#motion [data-play]').click();
  await page.keyboard.press('0');
  expect(await top()).toEqual(rest);
  // It goes along at the handoff; the Khronos validator (npm gltf-validator) reads it.
  const glb = await (await page.request.get(`/characters/${await marrow(page, (m) => m.store.id)}/handoff/glb`)).body();
  const report = await validator.validateBytes(new Uint8Array(glb));
  expect(report.issues.messages.filter((m) => m.severity < 2)).toEqual([]);
  expect(report.info.animationCount).toBe(1);
  await page.locator('.spine [data-stage=placement] a').click();
  await page.locator('#motions').getByRole('button', { name: 'Remove' }).click();
  await expect(page.locator('#motions')).toHaveCount(0);
  expect(list).toEqual([]);
});

test('a skeleton is kept as a starter of the production, fitted to another character and discarded', async ({ page }) => {
  const list = errors(page);
  await fresh(page, 'Odile', 'Odile as the house has her');
  await page.getByRole('button', { name: 'Fit to the mesh' }).click();
  await expect(page.locator('.saying')).toContainText('Fitted the biped', { timeout: 60_000 });
  await expect.poll(() => joint(page, 'hand_l')).toBeTruthy();
  await page.locator('#keep-starter [name=name]').fill('House figure');
  await page.locator('#keep-starter button').click();
  await expect(page.locator('.saying')).toContainText('Kept as the starter House figure');
  const kept = await names(page);

  await fresh(page, 'Bram', 'Bram as the house has him');
  await page.locator('#starter [name=starter]').selectOption('own:House figure');
  await expect(page.locator('#starter-joints')).toContainText(`${kept.length} joints`);
  await expect(page.locator('#starter [data-count=spine]')).toBeHidden();
  await page.getByRole('button', { name: 'Fit to the mesh' }).click();
  await expect(page.locator('.saying')).toContainText('Fitted the starter House figure', { timeout: 60_000 });
  await expect.poll(() => names(page)).toEqual(kept);
  await page.locator('.anew summary').click();
  await expect(page.locator('#starter [name=starter]')).toHaveValue('own:House figure');
  await page.locator('[data-discard=starter]').click();
  await page.getByRole('button', { name: 'Discard', exact: true }).click();
  await expect(page.locator('#starter option[value^=own]')).toHaveCount(0);
  expect(list).toEqual([]);
});

test('a starter is laid over joints by names that are chosen and kept', async ({ page }) => {
  const list = errors(page);
  await fresh(page, 'Odile', 'Odile under other names');
  await page.setInputFiles('#take-file', { name: 'bones.bvh', mimeType: 'text/plain', buffer: Buffer.from(waving.replace('ROOT hips', 'ROOT pelvis_bone').replace('JOINT spine_1', 'JOINT back_bone')) });
  await page.getByRole('button', { name: 'Bring it in' }).click();
  await expect.poll(() => names(page)).toContain('back_bone');
  await page.locator('#lay-over').click();
  const dialog = page.locator('dialog.takeover');
  await expect(dialog.locator('.would')).toContainText('No joint is matched yet');
  await expect(dialog.getByRole('button', { name: 'Snap' })).toBeDisabled();
  await dialog.locator('[data-ours=hips]').selectOption('pelvis_bone');
  await dialog.locator('[data-ours=spine_1]').selectOption('pelvis_bone');
  await expect(dialog.locator('.would')).toContainText('pelvis_bone is selected twice');
  await dialog.locator('[data-ours=spine_1]').selectOption('back_bone');
  await dialog.locator('[name=as]').fill('Bone names');
  await dialog.getByRole('button', { name: 'Keep', exact: true }).click();
  await expect(dialog.locator('[name=map]')).toHaveValue('Bone names');
  await dialog.locator('[name=map]').selectOption('vrm');
  await expect(dialog.locator('[data-ours=hips]')).toHaveValue('');
  await dialog.locator('[name=map]').selectOption('Bone names');
  await expect(dialog.locator('[data-ours=spine_1]')).toHaveValue('back_bone');
  const at = (await joint(page, 'back_bone')).pos;
  await dialog.getByRole('button', { name: 'Snap' }).click();
  await expect(page.locator('.saying')).toContainText('Laid the biped over the joints: 2 of');
  await expect.poll(async () => (await joint(page, 'spine_1'))?.pos).toEqual(at);
  await page.getByRole('button', { name: 'Select them' }).click();
  expect(await marrow(page, (m) => m.store.also.size)).toBe((await names(page)).length - 2);
  await page.locator('#lay-over').click();
  await dialog.locator('[name=map]').selectOption('Bone names');
  await dialog.getByRole('button', { name: 'Discard these names' }).click();
  await expect(dialog.locator('[name=map] option', { hasText: 'Bone names' })).toHaveCount(0);
  expect(list).toEqual([]);
});

test('a drag is rounded to the step, goes straight with Shift, and arrows take the joint\'s axes', async ({ page }) => {
  const list = errors(page);
  const id = await fresh(page, 'Odile', 'Odile in steps');
  await page.setInputFiles('#take-file', { name: 'bones.bvh', mimeType: 'text/plain', buffer: Buffer.from(waving) });
  const dialog = page.locator('dialog.takeover');
  await dialog.locator('[name=scale]').fill('1');
  await dialog.locator('[name=here]').uncheck();
  await dialog.getByRole('button', { name: 'Bring it in' }).click();
  await expect.poll(() => names(page)).toContain('spine_1');
  await page.keyboard.press('f');
  await choose(page, 'spine_1');
  await page.locator('#step').fill('2 cm');
  await page.locator('#step').press('Enter');
  expect(await marrow(page, (m) => m.store.step)).toBeCloseTo(0.02, 9);
  await page.locator('#step').fill('two');
  await page.locator('#step').press('Enter');
  await expect(page.locator('.saying')).toContainText('is not a step');
  expect(await marrow(page, (m) => m.store.step)).toBeCloseTo(0.02, 9);
  const pane = await page.locator('.pane').boundingBox();
  const at = () => marrow(page, (m, name) => {
    const pane = m.plate.view.panes[0], i = m.store.character.joints.findIndex((j) => j.name === name);
    const p = m.plate.posed.at[i].clone().project(pane.camera);
    return [(p.x + 1) / 2 * pane.width, (1 - p.y) / 2 * pane.height];
  }, 'spine_1');
  const drag = async (dx, dy, shift) => {
    const was = (await joint(page, 'spine_1')).pos, [x, y] = await at();
    await page.mouse.move(pane.x + x, pane.y + y);
    await page.mouse.down();
    if (shift) await page.keyboard.down('Shift');
    await page.mouse.move(pane.x + x + dx / 2, pane.y + y + dy / 2);
    await page.mouse.move(pane.x + x + dx, pane.y + y + dy);
    await page.mouse.up();
    if (shift) await page.keyboard.up('Shift');
    await expect.poll(async () => (await joint(page, 'spine_1')).pos).not.toEqual(was);
    const now = (await joint(page, 'spine_1')).pos;
    return now.map((v, k) => v - was[k]);
  };
  await page.locator('#both').uncheck(); // it would hold a joint of the middle in the middle
  const by = await drag(47, -33, false);
  for (const v of by) expect(Math.abs(v / 0.02 - Math.round(v / 0.02))).toBeLessThan(1e-4);
  expect(by[0]).toBeGreaterThan(0.03);
  expect(by[1]).toBeGreaterThan(0.01);
  const straight = await drag(40, 12, true);
  expect(straight[0]).toBeGreaterThan(0.03);
  expect(Math.abs(straight[1])).toBeLessThan(1e-6);

  // Arrows along the joint's own axes, once it has some that are not the world's.
  await page.keyboard.press('o');
  await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'set_axes', base: await marrow(page, (m) => m.store.character.head), params: { aim: 'x', bend: 'z', from: 'bend', sides: 'bend' } } });
  await expect.poll(async () => Math.abs((await joint(page, 'spine_1')).rot[3])).toBeLessThan(0.99);
  await choose(page, 'spine_1');
  const rule = (axis) => marrow(page, (m, a) => m.plate.instrument.what.rules.find((r) => r.axis === a).along.toArray(), axis);
  expect(await rule('y')).toEqual([0, 1, 0]);
  await page.locator('#along').selectOption('joint');
  const own = (await joint(page, 'spine_1')).rot, aim = await rule('x'); // the aim is X now
  const [qx, qy, qz, qw] = own;
  [1 - 2 * (qy * qy + qz * qz), 2 * (qx * qy + qw * qz), 2 * (qx * qz - qw * qy)].forEach((v, k) => expect(aim[k]).toBeCloseTo(v, 6));
  await page.locator('#tray h2').click();
  await page.keyboard.press('y');
  await expect(page.locator('#along')).toHaveValue('parent');
  await page.keyboard.press('p');
  await expect(page.locator('.pane')).toHaveCount(2);
  await page.keyboard.press('p');
  await expect(page.locator('.pane')).toHaveCount(3);
  await page.keyboard.press('p');
  await expect(page.locator('.pane')).toHaveCount(1);
  expect(list).toEqual([]);
});

test('what the fit understood is shown and corrected in the view', async ({ page }) => {
  const list = errors(page);
  await fresh(page, 'Odile', 'Odile corrected');
  await page.getByRole('button', { name: 'Fit to the mesh' }).click();
  await expect.poll(() => joint(page, 'hand_l'), { timeout: 60_000 }).toBeTruthy();
  const seen = () => marrow(page, (m) => [m.plate.tips.plane.visible, m.plate.tips.spots.pointed.visible]);
  await page.locator('[data-tip="middle plane"]').hover();
  await expect.poll(seen).toEqual([true, false]);
  await page.locator('[data-tip="begin arm_l"]').hover();
  await expect.poll(seen).toEqual([false, true]);
  const found = (await marrow(page, (m) => m.store.character.fit.begins.arm_l));
  await page.locator('[data-tip="begin arm_l"]').click();
  await page.keyboard.press('f');
  const at = await marrow(page, (m) => {
    const pane = m.plate.view.panes[0], list = m.store.character.joints;
    const a = m.plate.posed.at[list.findIndex((j) => j.name === 'forearm_l')], b = m.plate.posed.at[list.findIndex((j) => j.name === 'upper_arm_l')];
    const p = a.clone().lerp(b, 0.5).project(pane.camera);
    return [(p.x + 1) / 2 * pane.width, (1 - p.y) / 2 * pane.height];
  });
  const pane = await page.locator('.pane').boundingBox();
  await page.mouse.click(pane.x + at[0], pane.y + at[1]);
  await expect(page.locator('[data-tip="begin arm_l"]')).toHaveClass(/is-given/);
  const head = (await marrow(page, (m) => m.store.character.head));
  await page.getByRole('button', { name: 'Fit again' }).click();
  await expect.poll(() => marrow(page, (m) => m.store.character.head), { timeout: 60_000 }).not.toBe(head);
  const now = (await marrow(page, (m) => m.store.character.fit.begins.arm_l));
  expect(Math.hypot(...now.map((v, k) => v - found[k]))).toBeGreaterThan(0.03);

  // What was shown is kept with the fit, for whoever opens it next, until it is
  // forgotten.
  await page.reload();
  await expect(page.locator('body[data-ready]')).toBeAttached({ timeout: 30_000 });
  await expect(page.locator('[data-tip="begin arm_l"]')).toHaveClass(/is-given/);
  const again = await marrow(page, (m) => m.store.character.head);
  await page.getByRole('button', { name: 'Fit again' }).click();
  const kept = () => marrow(page, (m) => m.store.character.fit.begins.arm_l);
  await expect.poll(() => marrow(page, (m) => m.store.character.head), { timeout: 60_000 }).not.toBe(again);
  expect(await kept()).toEqual(now);
  await page.getByRole('button', { name: 'Clear marks' }).click();
  await expect.poll(kept, { timeout: 60_000 }).toEqual(found);
  await expect(page.locator('[data-tip="begin arm_l"]')).not.toHaveClass(/is-given/);
  await expect(page.getByRole('button', { name: 'Clear marks' })).toBeHidden();

  // Turned to face back, left and right change places.
  const left = (await joint(page, 'hand_l')).pos[0];
  await page.locator('#again [name=facing]').selectOption('-z');
  await page.getByRole('button', { name: 'Fit again' }).click();
  await expect.poll(async () => Math.sign((await joint(page, 'hand_l')).pos[0]), { timeout: 60_000 }).toBe(-Math.sign(left));
  expect(list).toEqual([]);
});

test('a place that was marked goes along when the mesh is turned, and is cleared when it becomes another', async ({ page }) => {
  const id = await copy(page, 'Odile', 'Marked and turned');
  await page.goto(`/characters/${id}/placement`);
  await page.waitForSelector('body[data-ready]');
  const operate = (op, params) => page.evaluate(async ([o, p]) => { const { operate: go } = await import(new URL('./session.js', document.querySelector('script[type=module][src]').src)); await go(o, p); }, [op, params]);
  await marrow(page, (m) => { const p = m.plate.skin.attributes.position.array; m.set({ shown: { hand_l: [p[300] + 0.1, p[301], p[302] + 0.02] } }); });
  const before = await marrow(page, (m) => m.store.shown.hand_l);
  await operate('bake_transform', { scale: 2, up: 'y', turn: 90, stand: false });
  const after = await marrow(page, (m) => m.store.shown.hand_l);
  // Turned by 90° about Y, x goes to −z and z to x.
  [2 * before[2], 2 * before[1], -2 * before[0]].forEach((v, k) => expect(after[k]).toBeCloseTo(v, 4));
  const count = () => marrow(page, (m) => Object.keys(m.store.shown).length);
  await operate('drop_chosen', { faces: Array.from({ length: 300 }, (_, k) => k) });
  await operate('drop_loose', {});
  expect(await count()).toBe(0);
  await expect(page.locator('#notice')).toContainText('mark them again');
  await page.request.post(`/api/characters/${id}/remove`, { data: {} });
});

test('a click is not lost when its panel comes anew between press and release', async ({ page }) => {
  const id = await fresh(page, 'Odile', 'Pressed slowly');
  const fit = page.getByRole('button', { name: 'Fit to the mesh' });
  const box = await fit.boundingBox(), { head } = await (await page.request.get(`/api/characters/${id}`)).json();
  await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
  await page.mouse.down();
  // What is told of the starter's joints comes when the button has the focus, and does not move it.
  await expect(page.locator('#starter-joints')).toContainText('joints, shown');
  expect((await fit.boundingBox()).y).toBe(box.y);
  await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'name_sides', params: { left: '_west', right: '_east' }, base: head } });
  await expect.poll(() => marrow(page, (m) => m.store.character.head)).toBeGreaterThan(head);
  await page.waitForTimeout(300);
  await page.mouse.up();
  await expect(page.locator('.saying')).toContainText('Fitted the biped', { timeout: 60_000 });
  expect((await names(page)).some((n) => n.endsWith('_west'))).toBe(true);
  await page.request.post(`/api/characters/${id}/remove`, { data: {} });
});

test('the dial of a shape moves joints along its limbs, and guesses are accepted at one look', async ({ page }) => {
  const bad = errors(page);
  await fresh(page, 'Samphire', 'Samphire dialed');
  await page.locator('#starter select[name=starter]').selectOption('shape');
  await page.getByRole('button', { name: 'Fit to the mesh' }).click();
  await expect.poll(async () => (await names(page)).length, { timeout: 30_000 }).toBeGreaterThan(20);
  const read = (await names(page)).length;
  const dial = page.locator('#dial input[name=joints]');
  await expect(dial).toHaveValue(String(read));
  await dial.focus();
  for (let k = 0; k < 6; k++) await page.keyboard.press('ArrowRight');
  await expect.poll(async () => (await names(page)).length, { timeout: 30_000 }).toBeGreaterThan(read + 3);
  expect(await names(page)).toContain('leg_a_end_l');
  expect(await marrow(page, (m) => m.store.ghost)).toBe(null);
  await page.getByRole('button', { name: 'As many as the limbs bend' }).click();
  await expect.poll(async () => (await names(page)).length, { timeout: 30_000 }).toBe(read);
  // What the fit guessed is accepted at one look.
  await page.getByRole('button', { name: 'Accept them where they are' }).click();
  await expect(page.locator('#tray')).not.toContainText('under 80% sure');
  expect(bad).toEqual([]);
});

test('what is corrected on three characters is offered on the fourth', async ({ page }) => {
  const bad = errors(page), made = [];
  const fitted = async (from, as) => {
    const obj = await (await page.request.get(`/characters/${(await ids(page))[from]}/handoff/obj`)).body();
    const { id } = await (await page.request.post('/api/characters', { multipart: { file: { name: `${as}.obj`, mimeType: 'text/plain', buffer: obj }, name: as, production: 'House style' } })).json();
    made.push(id);
    const at = async () => (await page.request.get(`/api/characters/${id}`)).json();
    const head = (await at()).head;
    expect((await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'fit_starter', params: { starter: 'biped' }, base: head } })).ok()).toBe(true);
    await expect.poll(async () => ((await at()).joints ?? []).length, { timeout: 60_000 }).toBeGreaterThan(20);
    return { id, at };
  };
  for (const [from, as] of [['Odile', 'One'], ['Bram', 'Two'], ['Tansy', 'Three']]) {
    const { id, at } = await fitted(from, as), s = await at(), p = s.joints.find((j) => j.name === 'thigh_l').pos;
    const moved = await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'move_joint', params: { joint: 'thigh_l', to: [p[0], p[1] + 0.03, p[2]], branch: false, both: true }, base: s.head } });
    expect(moved.ok()).toBe(true);
  }
  const { id } = await fitted('Odile', 'Four');
  await page.goto(`/characters/${id}/placement`);
  await expect(page.locator('body[data-ready]')).toBeAttached({ timeout: 30_000 });
  const house = page.locator('#house'), y = async () => (await joint(page, 'thigh_r')).pos[1], before = await y();
  await expect(house).toContainText('3 of 3');
  await house.hover();
  expect(await marrow(page, (m) => m.store.ghost.length)).toBe(2);
  // It is the production's to leave a joint out, or all.
  await house.getByRole('button', { name: 'Leave thigh out' }).click();
  await expect(house).toContainText('Left out');
  await house.getByRole('button', { name: 'thigh', exact: true }).click();
  await house.getByRole('button', { name: 'Switch off' }).click();
  await expect(house).toContainText('Switched off');
  await house.getByRole('button', { name: 'Switch on' }).click();
  const file = await (await page.request.get(await house.getByRole('link', { name: 'Download' }).getAttribute('href'))).json();
  expect(file.habits[0]).toMatchObject({ starter: 'biped', joint: 'thigh', count: 3, of: 3 });
  expect(await y()).toBe(before); // nothing by itself
  await house.getByRole('button', { name: 'Move 2 joints' }).click();
  await expect(page.locator('.saying')).toContainText('as on earlier characters');
  await expect.poll(y).toBeGreaterThan(before + 0.01);
  await expect(house).toBeHidden();
  await page.keyboard.press('Control+z');
  await expect.poll(y).toBeCloseTo(before, 6);
  for (const one of made) await page.request.post(`/api/characters/${one}/remove`);
  expect(bad).toEqual([]);
});
