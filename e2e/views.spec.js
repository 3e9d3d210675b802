import { expect, test } from './test.js';
import { choose, copy, errors, marrow, open } from './open.js';

const panes = (page) => marrow(page, (m) => m.plate.view.panes.map((p) => ({ kind: p.kind, straight: Boolean(p.camera.isOrthographicCamera) })));

// share is how much of a pane's height or breadth the character takes, whichever is more.
const share = (page, k) => marrow(page, (m, i) => {
  const p = m.plate.view.panes[i], size = m.plate.box.max.clone().sub(m.plate.box.min);
  const px = m.plate.view.metresPerPixel(p);
  return Math.max((p.kind === 'side' ? size.z : size.x) / px / p.width, size.y / px / p.height);
}, k);

test('placing opens straight from the front, and a view that was chosen stays', async ({ page }) => {
  await open(page, 'Odile', 'placement');
  expect(await panes(page)).toEqual([{ kind: 'front', straight: true }]);
  await page.locator('.spine [data-stage=bind] a').click();
  await expect.poll(() => panes(page)).toEqual([{ kind: 'free', straight: false }]);
  await page.locator('#canvas').focus();
  await page.keyboard.press('s');
  await page.locator('.spine [data-stage=placement] a').click();
  await expect(page.locator('#tray h2')).toHaveText('Placement');
  expect(await panes(page)).toEqual([{ kind: 'side', straight: true }]);
});

test('each pane is filled, and the staff never stands across the character', async ({ page }) => {
  for (const name of ['Odile', 'Sedge']) {
    await open(page, name, 'placement');
    await page.locator('#canvas').focus();
    await page.keyboard.press('p'); // front and side
    await expect.poll(() => panes(page).then((l) => l.length)).toBe(2);
    for (const k of [0, 1]) expect(await share(page, k)).toBeGreaterThan(0.6);
    const across = await marrow(page, (m) => m.plate.view.panes.filter((p) => {
      const v = m.plate.view;
      v.stand(p);
      if (!v.staff.visible) return false;
      const right = v.staff.position.clone().setFromMatrixColumn(p.camera.matrixWorld, 0);
      const c = v.box.min.clone().add(v.box.max).multiplyScalar(0.5), size = v.box.max.clone().sub(v.box.min);
      return Math.abs(v.staff.position.clone().sub(c).dot(right)) < (Math.abs(right.x) * size.x + Math.abs(right.z) * size.z) / 2;
    }).length);
    expect(across).toBe(0);
  }
});

test('the help has the keys of the stage, those of everywhere and the mouse, from its top', async ({ page }) => {
  await open(page, 'Odile', 'placement');
  await page.locator('#canvas').focus();
  await page.keyboard.press('?');
  const help = page.locator('#help');
  await expect(help.locator('h3')).toHaveText(['Placement', 'Everywhere', 'With the mouse']);
  await expect(help.locator('section').first()).toContainText('Center in the volume');
  await expect(help).not.toContainText('Color the pieces'); // the intake's
  await expect(help.locator('section').last()).toContainText('Nearer or farther');
  expect(await help.evaluate((d) => d.scrollTop)).toBe(0);
  await expect(help.locator('p', { hasText: 'Nudge' })).toHaveCount(1);
});

test('full weight stands out from the ground in light and in dark', async ({ page }) => {
  await open(page, 'Odile', 'weights');
  await choose(page, 'forearm_l');
  for (const dark of [false, true]) {
    if (dark) await page.locator('[data-command=theme], #theme').first().click();
    const [full, paper] = await page.evaluate(() => {
      const light = (c) => { const [r, g, b] = c.match(/\d+(\.\d+)?/g).map((x) => (x / 255) ** 2.2); return 0.2126 * r + 0.7152 * g + 0.0722 * b; };
      const bar = getComputedStyle(document.querySelector('#mapkey .bar')).backgroundImage.match(/rgb\([^)]*\)/g).at(-1);
      return [light(bar), light(getComputedStyle(document.body).backgroundColor)];
    });
    const contrast = (Math.max(full, paper) + 0.05) / (Math.min(full, paper) + 0.05);
    expect(contrast).toBeGreaterThan(4.5);
  }
});

test('the starter that stands for a fit goes when the fit is there, however late its answer', async ({ page }) => {
  const id = await copy(page, 'Odile', 'ghostless');
  await page.goto(`/characters/${id}/placement`);
  await expect(page.locator('body[data-ready]')).toBeAttached();
  await page.route('**/starter', async (route) => { const r = await route.fetch(); await new Promise((f) => setTimeout(f, 4000)); await route.fulfill({ response: r }); });
  const late = page.waitForResponse('**/starter');
  await page.locator('#starter [name=spine]').fill('4');
  await page.locator('#starter button.is-primary').click();
  await expect.poll(() => marrow(page, (m) => m.store.character.joints.length), { timeout: 30_000 }).toBeGreaterThan(20);
  await late;
  await page.waitForTimeout(300);
  expect(await marrow(page, (m) => m.store.ghost)).toBe(null);
});

test('no name is cut at 1024 by 700', async ({ page }) => {
  await page.setViewportSize({ width: 1024, height: 700 });
  await open(page, 'Odile', 'placement');
  const cut = await page.evaluate(() => [...document.querySelectorAll('.spine .stage-name, .caption b, .caption span, .viewbar button')].filter((e) => e.offsetParent && e.scrollWidth > e.clientWidth + 1 && getComputedStyle(e).overflow !== 'visible').map((e) => e.textContent));
  expect(cut).toEqual([]);
});

test('see through says what the view does at every stage', async ({ page }) => {
  await open(page, 'Odile', 'placement');
  for (const stage of ['bind', 'placement', 'handoff', 'axes', 'weights']) {
    await page.locator(`.spine [data-stage=${stage}] a`).click();
    await expect(page.locator(`body[data-stage=${stage}]`)).toBeAttached();
    const shown = await marrow(page, (m) => m.plate.skin.material.transparent);
    await expect(page.locator('.viewbar [data-command=through]')).toHaveAttribute('aria-pressed', String(shown));
  }
});

// A group of the panel folds and stays folded, at its stage alone; what leads to a form in it
// opens it.
test('groups of the panel fold and remember', async ({ page }) => {
  await open(page, 'Odile', 'placement');
  const group = page.locator('.tray .group', { has: page.getByRole('heading', { name: 'Names', exact: true }) });
  const form = group.locator('form[data-op=name_sides]');
  await expect(form).toBeVisible();
  await group.locator('summary').click();
  await expect(form).toBeHidden();
  await page.reload();
  await page.waitForSelector('body[data-ready]');
  await expect(form).toBeHidden();
  await page.keyboard.press('/');
  await page.getByRole('combobox', { name: 'Command' }).fill('change the side marks');
  await page.keyboard.press('Enter');
  await expect(form).toBeVisible();
});

// Where backs of faces can be seen, the view says how they look.
test('the colour of backs is explained where backs are seen', async ({ page }) => {
  await open(page, 'Odile as delivered', 'intake');
  await expect(page.locator('#backs')).toBeVisible();
  await page.keyboard.press('x');
  await expect(page.locator('#backs')).toBeHidden();
  await open(page, 'Odile', 'weights');
  await expect(page.locator('#backs')).toBeHidden();
});

test('a view is cut into, and what is picked lies behind the cut; vertices are drawn with their weight', async ({ page }) => {
  const wrong = errors(page);
  await open(page, 'Odile', 'weights');
  await page.locator('#canvas').focus();
  const far = () => marrow(page, (m) => { const { plate } = m, pane = plate.view.panes[0]; return plate.picker.hit(pane, pane.width / 2, 0.42 * pane.height, plate.posed.skin)?.distance ?? -1; });
  const eye = () => marrow(page, (m) => { const { plate } = m, pane = plate.view.panes[0], h = plate.picker.hit(pane, pane.width / 2, 0.42 * pane.height, plate.posed.skin); return h ? h.point.distanceTo(pane.camera.position) : -1; });
  expect(await far()).toBeGreaterThan(0);
  const before = await eye();
  for (let k = 0; k < 10; k++) await page.keyboard.press('PageDown');
  await expect(page.locator('.pane-name')).toContainText('cut 50%');
  await expect.poll(eye).toBeGreaterThan(before + 0.05);
  for (let k = 0; k < 10; k++) await page.keyboard.press('PageUp');
  await expect.poll(async () => Math.abs(await eye() - before)).toBeLessThan(1e-6);
  await page.keyboard.press('m');
  expect(await marrow(page, (m) => m.plate.skin.overlays.dots.visible && m.plate.skin.overlays.dots.geometry.index.count === m.plate.skin.vertices)).toBe(true);
  await page.keyboard.press('m');
  expect(await marrow(page, (m) => m.plate.skin.overlays.dots.visible)).toBe(false);
  expect(wrong).toEqual([]);
});

// Marks share the skin's numbers: when they go these must not go with them, or a map stays on the skin.
test('a map leaves no colours behind where vertices were chosen', async ({ page }) => {
  await open(page, 'Odile', 'weights');
  await marrow(page, (m) => m.set({ map: 'plain', bones: false }));
  const seen = () => page.evaluate(() => {
    const { view } = globalThis.marrow.plate, gl = view.renderer.getContext(), w = gl.drawingBufferWidth, h = gl.drawingBufferHeight, all = new Uint8Array(4 * w * h);
    view.draw();
    gl.readPixels(0, 0, w, h, gl.RGBA, gl.UNSIGNED_BYTE, all);
    const sum = [0, 0, 0];
    for (let i = 0; i < all.length; i += 4) for (let k = 0; k < 3; k++) sum[k] += all[i + k] / (w * h);
    return sum;
  });
  const before = await seen();
  await marrow(page, (m) => m.set({ hand: 'choose', vertices: [1, 2, 3] }));
  await marrow(page, (m) => m.set({ map: 'count' }));
  await expect.poll(async () => Math.max(...(await seen()).map((x, k) => Math.abs(x - before[k])))).toBeGreaterThan(3);
  await marrow(page, (m) => m.set({ vertices: [4, 5] }));
  await marrow(page, (m) => m.set({ vertices: [], map: 'plain', hand: 'pose' }));
  await expect.poll(async () => Math.max(...(await seen()).map((x, k) => Math.abs(x - before[k])))).toBeLessThan(0.5);
});
