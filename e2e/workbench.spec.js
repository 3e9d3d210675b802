import AxeBuilder from '@axe-core/playwright';
import { expect, test } from './test.js';
import { choose, copy, errors, joint, marrow, open } from './open.js';

test('every stage opens without a complaint, in light and dark', async ({ page }) => {
  const bad = errors(page);
  await open(page, 'Odile', 'intake');
  for (const theme of ['light', 'dark']) {
    await page.evaluate((t) => { document.documentElement.dataset.theme = t; dispatchEvent(new Event('themechange')); }, theme);
    for (const key of ['1', '2', '3', '4', '5', '6', '7', '8']) {
      await page.keyboard.press(key);
      await expect(page.locator('.spine [aria-current]')).toHaveCount(1);
      await expect(page.locator('.checking')).toHaveCount(0); // what is checked is paler
      await page.waitForTimeout(150);
      // Colors that are still on their way are none of the theme's.
      await page.evaluate(() => Promise.all(document.getAnimations().filter((a) => a.effect.getComputedTiming().endTime < Infinity).map((a) => a.finished.catch(() => null))));
      // The page is the same in the dark but for its colors.
      const axe = new AxeBuilder({ page }), found = (await (theme === 'light' ? axe : axe.withRules(['color-contrast'])).analyze()).violations;
      expect(found.map((v) => `${key} ${theme}: ${v.id} ${v.nodes.map((n) => n.target).join(' ')}`)).toEqual([]);
    }
  }
  expect(bad).toEqual([]);
});

test('Odile as delivered is mended by the remedies that her findings offer', async ({ page }) => {
  await open(page, 'Odile as delivered', 'intake');
  await page.getByRole('button', { name: /Scale by 0.01/ }).click();
  await expect(page.locator('.saying')).toContainText('caled by 0.01, made z up');
  for (const [code, gone] of [['doubled_faces', 'Remove duplicate'], ['duplicate_vertices', 'Weld them'], ['loose_vertices', 'Remove them'], ['inverted_faces', 'Flip them outward']]) {
    const finding = page.locator(`.finding[data-code=${code}]`);
    if (await finding.count() === 0) continue; // mended along with another
    await finding.getByRole('button', { name: 'Show' }).click();
    await expect(finding.getByRole('button', { name: 'Show' })).toHaveAttribute('aria-pressed', 'true');
    expect(await marrow(page, (m) => m.plate.skin.overlays.found.children.length)).toBeGreaterThan(0);
    await finding.getByRole('button', { name: gone }).click();
    await expect(finding).toHaveCount(0);
  }
  await expect(page.locator('.finding:not(.note)')).toHaveCount(0); // the many-sided crown and the scarf are notes
  await expect(page.locator('.spine [data-stage=intake]')).toHaveClass('clear');
  const title = await page.locator('#undo').getAttribute('title');
  expect(title).toContain('Undo: Flipped');
  await page.keyboard.press('Control+z');
  await expect(page.locator('.finding[data-code=inverted_faces]')).toHaveCount(1);
  await page.keyboard.press('Control+Shift+z');
  await expect(page.locator('.finding[data-code=inverted_faces]')).toHaveCount(0);
});

test('fit, drag both sides, type a coordinate, undo', async ({ page }) => {
  const id = await copy(page, 'Odile', 'Fitted');
  await page.goto(`/characters/${id}/placement`);
  await expect(page.locator('body[data-ready]')).toBeAttached();
  await page.getByRole('button', { name: 'Fit to the mesh' }).click();
  await expect(page.locator('.ledger .count')).toHaveText('27 joints', { timeout: 30_000 });
  await page.keyboard.press('f');
  await page.waitForTimeout(300);
  const before = await joint(page, 'forearm_l'), other = await joint(page, 'forearm_r');
  const at = await marrow(page, (m) => {
    const i = m.store.character.joints.findIndex((j) => j.name === 'forearm_l');
    const pane = m.plate.view.panes[0], r = pane.element.getBoundingClientRect(), v = m.plate.posed.at[i].clone().project(pane.camera);
    return [r.left + (v.x * 0.5 + 0.5) * r.width, r.top + (0.5 - v.y * 0.5) * r.height];
  });
  await page.mouse.move(...at);
  await page.mouse.down();
  await page.mouse.move(at[0] + 20, at[1] - 12, { steps: 4 });
  await page.mouse.up();
  await expect(page.locator('.saying')).toContainText('Moved forearm_l and its partner');
  const after = await joint(page, 'forearm_l'), mirrored = await joint(page, 'forearm_r');
  expect(after.pos[0]).toBeGreaterThan(before.pos[0] + 0.01);
  expect(after.pos[2]).toBeCloseTo(before.pos[2], 6); // in the plane of the pane
  expect(mirrored.pos[0]).toBeCloseTo(-after.pos[0] + 2 * await marrow(page, (m) => m.store.character.plane), 5);
  await page.locator('#undo').click();
  await expect.poll(async () => (await joint(page, 'forearm_l')).pos[0]).toBeCloseTo(before.pos[0], 6);
  await choose(page, 'forearm_l');
  await page.locator('#both').uncheck();
  await page.locator('#move [name=y]').fill('100 + 2.5*2');
  await page.locator('#move [name=y]').press('Enter');
  await expect.poll(async () => (await joint(page, 'forearm_l')).pos[1]).toBeCloseTo(1.05, 6);
  expect((await joint(page, 'forearm_r')).pos[1]).toBeCloseTo(other.pos[1], 6);
  await page.locator('#move [name=y]').fill('high');
  await page.locator('#move [name=y]').press('Enter');
  await expect(page.locator('.saying')).toContainText('is not a length');
  await expect(page.locator('#move [name=y]')).toHaveValue('high');
});

test('an arrow moves a joint along one axis, alone if asked', async ({ page }) => {
  const id = await copy(page, 'Odile', 'Arrows');
  const { head } = await (await page.request.get(`/api/characters/${id}`)).json();
  await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'fit_starter', base: head } });
  await expect.poll(async () => (await (await page.request.get(`/api/characters/${id}`)).json()).joints.length, { timeout: 30_000 }).toBe(27);
  await page.goto(`/characters/${id}/placement`);
  await expect(page.locator('body[data-ready]')).toBeAttached();
  await page.keyboard.press('f');
  await choose(page, 'head');
  await page.locator('#branch').uncheck();
  await page.locator('#both').uncheck();
  await page.waitForTimeout(500);
  const before = await joint(page, 'head'), end = await joint(page, 'head_end');
  const grip = await marrow(page, (m) => {
    const pane = m.plate.view.panes[0], r = pane.element.getBoundingClientRect();
    const v = m.plate.posed.at[m.store.chosen].clone().project(pane.camera);
    return [r.left + (v.x * 0.5 + 0.5) * r.width, r.top + (0.5 - v.y * 0.5) * r.height];
  });
  await page.mouse.move(grip[0], grip[1] - 60); // on the rule along Y
  await page.mouse.down();
  await page.mouse.move(grip[0] + 15, grip[1] - 100, { steps: 5 });
  await expect(page.locator('.instrument [data-part=y] .label')).toContainText(/Y \d+\.\d mm/);
  await page.mouse.up();
  await expect(page.locator('.saying')).toContainText('Moved head');
  const after = await joint(page, 'head');
  expect(after.pos[1]).toBeGreaterThan(before.pos[1] + 0.01);
  expect(after.pos[0]).toBeCloseTo(before.pos[0], 5);
  expect((await joint(page, 'head_end')).pos).toEqual(end.pos);
});

test('a dial turns the chosen joint by the pointer and the keyboard, and says when that is unusual', async ({ page }) => {
  await open(page, 'Odile', 'weights');
  await choose(page, 'forearm_l');
  const angle = () => marrow(page, (m) => m.store.pose.get(m.store.chosen) ?? [0, 0, 0]);
  const dial = page.getByRole('slider', { name: 'bend of forearm_l' });
  await expect(page.getByRole('slider', { name: /of forearm_l/ })).toHaveCount(3);
  await expect(dial).toHaveAttribute('aria-valuenow', '0');
  await dial.focus();
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('Shift+ArrowUp');
  expect(await angle()).toEqual([11, 0, 0]);
  await expect(dial).toHaveAttribute('aria-valuetext', '11 degrees');
  await page.keyboard.press('Shift+ArrowDown');
  await page.keyboard.press('Shift+ArrowDown');
  await page.keyboard.press('Shift+ArrowDown');
  await expect(dial).toHaveAttribute('aria-valuetext', '-19 degrees, beyond what is usual'); // an elbow opens no farther than straight
  await page.keyboard.press('Control+z');
  await marrow(page, (m) => m.set({ pose: new Map() }));

  // By the pointer: round the dial by a quarter, from its needle on.
  const at = (degrees) => marrow(page, (m, a) => {
    const i = m.plate.instrument, d = i.what.dials.find((x) => x.motion === 'twist'), r = i.pane.element.getBoundingClientRect();
    const p = i.onDial(d, a, 42, i.metres());
    return [r.left + p.x, r.top + p.y];
  }, degrees);
  await page.evaluate(() => document.querySelector('.viewbar [data-command=side], .viewbar [data-command]')?.blur?.());
  const path = [];
  for (let a = 60; a <= 150; a += 15) path.push(await at(a));
  await page.mouse.move(...path[0]);
  await page.mouse.down();
  for (const p of path.slice(1)) await page.mouse.move(...p);
  await page.mouse.up();
  const [x, y, z] = await angle();
  expect([x, z]).toEqual([0, 0]);
  expect(Math.abs(y - 90)).toBeLessThan(4);
  await page.keyboard.press('Control+z');
});

test('bind as a job, read the report, let the pieces follow', async ({ page }) => {
  await open(page, 'Bram', 'bind');
  await expect(page.locator('.finding[data-code=unweighted_vertices]')).toContainText('vertices have no weights');
  await page.getByRole('button', { name: 'Bind by heat' }).click();
  await expect(page.locator('.saying')).toContainText('Bound by heat', { timeout: 30_000 });
  await page.getByRole('button', { name: /follow the surface/ }).click();
  await expect(page.locator('.saying')).toContainText('→ 0');
  await expect(page.locator('.spine [data-stage=handoff]')).toHaveClass('clear');
});

test('turning a joint bends the skin at once, and the probe tells what moves a vertex', async ({ page }) => {
  await open(page, 'Odile', 'weights');
  await choose(page, 'forearm_l');
  await expect(page.locator('#mapkey')).toContainText('forearm_l');
  const spot = () => marrow(page, (m) => { const s = m.plate.skinned(); let far = 0; for (let i = 0; i < s.base.length; i++) far = Math.max(far, s.positions[3 * i]); return far; });
  const rest = await spot();
  await page.locator('#angles [name=nx]').fill('80');
  expect(await spot()).toBeLessThan(rest - 0.03);
  await page.keyboard.press('Escape');
  await marrow(page, (m) => m.set({ pose: new Map() }));
  expect(await spot()).toBeCloseTo(rest, 6);
  await page.keyboard.press('b'); // without bones a click meets the skin
  const r = await page.locator('.pane').boundingBox();
  await page.mouse.click(r.x + r.width / 2, r.y + r.height * 0.42);
  await expect(page.locator('.probe ol li').first()).toBeVisible();
  await expect(page.locator('.probe')).toContainText('carries 1.000');
});

test('two browsers on one character: the slower one is told and keeps what it typed', async ({ browser, page }) => {
  const id = await copy(page, 'Odile', 'Shared');
  const other = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
  for (const p of [page, other]) {
    await p.goto(`/characters/${id}/intake`);
    await expect(p.locator('body[data-ready]')).toBeAttached();
  }
  await page.locator('[data-op=weld] [name=distance]').fill('0.77');
  await other.locator('[data-op=make_outward]').click();
  await expect(other.locator('.saying')).toContainText('Flipped 0 faces');
  await expect(page.locator('#notice')).toContainText('Someone else changed');
  await page.locator('[data-op=weld] button').click(); // on the old revision
  await expect(page.locator('#notice')).toContainText('reload and try again');
  await page.getByRole('button', { name: 'Reload' }).click();
  await expect(page.locator('#notice')).toBeHidden();
  await expect(page.locator('[data-op=weld] [name=distance]')).toHaveValue('0.77');
  await page.locator('[data-op=weld] button').click();
  await expect(page.locator('.saying')).toContainText('Welded');
  await expect.poll(() => marrow(other, (m) => m.store.character.undo)).toContain('Welded'); // follows by itself
  await other.context().close();
});

test('the finder, the keys and the history are worked from the keyboard', async ({ page }) => {
  await open(page, 'Odile', 'placement');
  await page.keyboard.press('/');
  await page.keyboard.type('ledger');
  await page.keyboard.press('Enter');
  await expect(page.locator('#ledger .sheetwrap')).toBeVisible();
  await page.locator('#ledger [data-joint]').first().focus();
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  expect(await marrow(page, (m) => m.store.chosen)).toBe(2);
  await page.locator('#ledger-filter').fill('arm_r');
  await expect(page.locator('#ledger [data-joint]:not(.kin)')).toHaveCount(2);
  await expect(page.locator('#ledger .kin').first()).toContainText('hips'); // what they hang from stays
  await page.locator('#ledger-filter').blur();
  await page.keyboard.press('?');
  await expect(page.locator('#help')).toContainText('Frame the whole character');
  await page.keyboard.press('Escape');
  await page.keyboard.press('h');
  await expect(page.locator('#history .past li').nth(3)).toBeVisible(); // what was undone is listed too
  await page.keyboard.press('Escape');
  await page.keyboard.press('p');
  await expect(page.locator('.pane')).toHaveCount(2);
  await page.keyboard.press('p');
  await expect(page.locator('.pane')).toHaveCount(3);
});

test('a long work can be cancelled and changes nothing', async ({ page }) => {
  const id = await copy(page, 'Bram', 'Cancelled');
  const state = () => page.request.get(`/api/characters/${id}`).then((r) => r.json());
  const { head } = await state();
  const { work } = await (await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'fit_starter', base: head } })).json();
  const ended = await (await page.request.post(`/api/works/${work.id}/cancel`)).json();
  expect(ended.state).toBe('cancelled');
  await page.waitForTimeout(2500);
  expect((await state()).head).toBe(head);
});

test('the first steps of a stage are shown to a newcomer, are done one by one, and stay hidden once they are', async ({ page }) => {
  const id = await copy(page, 'Odile', 'Stepped through');
  await page.addInitScript(() => { localStorage.setItem('steps', localStorage.getItem('seen') ?? 'shown'); });
  await page.goto(`/characters/${id}/placement`);
  await page.waitForSelector('body[data-ready]');
  const steps = page.getByRole('region', { name: 'First steps here' });
  await expect(steps.getByRole('listitem')).toHaveCount(5);
  await expect(steps.locator('.done')).toHaveCount(0);
  await page.locator('#starter').getByRole('button', { name: /fit/i }).click();
  await expect(steps.locator('.done').first()).toContainText('Choose a starter and fit it, done', { timeout: 30_000 });
  // What lies over the plate takes no click from it.
  expect(await steps.evaluate((e) => getComputedStyle(e).pointerEvents)).toBe('none');
  await page.keyboard.press('1');
  await expect(steps.getByRole('listitem').first()).toContainText('Set the kind of character');
  await steps.getByRole('button', { name: 'Hide' }).click();
  await expect(steps).toBeHidden();
  await page.keyboard.press('2');
  await expect(page.locator('#tray h2')).toHaveText('Placement');
  await expect(steps).toBeHidden();
  await page.evaluate(() => localStorage.setItem('seen', localStorage.getItem('steps')));
  await page.reload();
  await page.waitForSelector('body[data-ready]');
  await expect(steps).toBeHidden();
  await page.keyboard.press('/');
  await page.keyboard.type('first steps');
  await page.keyboard.press('Enter');
  await expect(steps).toBeVisible();
  await page.request.post(`/api/characters/${id}/remove`, { data: {} });
});
