import { execFileSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { expect, test } from './test.js';
import { bound, errors, framesOf, marrow } from './open.js';

const made = [];
test.afterEach(async ({ page }) => { for (const id of made.splice(0)) await page.request.post(`/api/characters/${id}/remove`); });

// How far the skin that is drawn is from the skin without shape targets, at most, in the pose that is shown.
const moved = (page) => marrow(page, (m) => {
  const { skin } = m.plate, now = skin.attributes.position.array, own = skin.placesAtRest;
  let most = 0;
  for (let i = 0; i < now.length; i += 3) most = Math.max(most, Math.hypot(now[i] - own[i], now[i + 1] - own[i + 1], now[i + 2] - own[i + 2]));
  return most;
});

test('correctives are computed, come on with the joint, and are handed off', async ({ page }) => {
  test.setTimeout(180_000);
  const wrong = errors(page);
  const id = await bound(page, 'Odile', 'Corrected', 'shapes', made);
  await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'remove_targets', params: { targets: await marrow(page, (m) => m.store.character.shapes?.targets.map((t) => t.name)) }, base: await marrow(page, (m) => m.store.character.head), key: 'none', confirmed: true } });
  await page.reload();
  await expect(page.locator('#shapes')).toContainText('No shape targets yet');
  await page.getByRole('button', { name: 'Compute correctives' }).click();
  const rows = page.locator('.targets li');
  await expect(rows.first()).toBeVisible({ timeout: 120_000 });
  await expect(page.locator('.strip')).toContainText(/Added \d+ correctives?: average ratio to limit/);
  expect(await moved(page)).toBe(0);

  await rows.first().locator('b').click();
  await page.getByRole('button', { name: 'Pose the joint there' }).click();
  await expect(rows.first().locator('output')).toHaveText('1.00');
  expect(await moved(page)).toBeGreaterThan(0.002);
  await page.getByRole('button', { name: 'Mute', exact: true }).click();
  await expect(rows.first()).toHaveClass(/muted/);
  await expect(rows.first().locator('output')).toHaveText('0.00');
  await page.keyboard.press('Control+z');
  await expect(rows.first()).not.toHaveClass(/muted/);

  // A slider holds a target by hand; one that a joint brings on goes back to it.
  const slider = rows.nth(1).getByRole('slider');
  await slider.focus();
  await page.keyboard.press('End');
  await expect(rows.nth(1).locator('output')).not.toHaveText('1.00');
  await page.getByRole('button', { name: 'By hand only' }).click();
  await expect(rows.nth(1).locator('.by')).toHaveCount(0);

  const glb = await (await page.request.get(`/characters/${id}/handoff/reel`)).body();
  const doc = JSON.parse(glb.subarray(20, 20 + glb.readUInt32LE(12)).toString());
  expect(doc.meshes[0].extras.targetNames.length).toBe(await rows.count());
  expect(doc.animations[0].channels.some((c) => c.target.path === 'weights')).toBe(true);
  expect(wrong).toEqual([]);
});

test('a young Odile bends at her own joints, and becomes a character of her own', async ({ page }) => {
  test.setTimeout(120_000);
  const wrong = errors(page);
  const id = await bound(page, 'Odile', 'Grown down', 'shapes', made);
  const row = page.locator('.targets li[data-target=young]');
  await expect(row).toContainText('joints follow');
  const places = () => marrow(page, (m) => Object.fromEntries(m.store.character.joints.map((j, i) => [j.name, m.plate.posed.at[i].toArray()])));
  const before = await places();
  await row.locator('b').click();
  await row.getByRole('slider').focus();
  await page.keyboard.press('End');
  await expect(page.locator('.strip')).toContainText('Set young to 1.00');
  expect((await places()).head[1]).toBeLessThan(0.75 * before.head[1]);
  await expect(page.locator('#shifts tbody tr').first()).toContainText('head');

  // Posed, the page draws what core computes.
  const far = await page.evaluate(async ([base, id]) => {
    const m = globalThis.marrow, rest = m.plate.seen().places.map((p) => [...p]);
    m.set({ pose: new Map(m.store.character.joints.flatMap((j, i) => ({ forearm_l: [[i, [10, 40, 60]]], thigh_r: [[i, [0, 50, -20]]], spine_2: [[i, [15, 5, 0]]] }[j.name] ?? []))) });
    const now = m.plate.seen().places, drawn = Math.max(...now.map((p, i) => Math.hypot(p[0] - rest[i][0], p[1] - rest[i][1], p[2] - rest[i][2])));
    const { measured } = await import(new URL('./tools/measures.js', base));
    const pose = { forearm_l: [10, 40, 60, 0], thigh_r: [0, 50, -20, 0], spine_2: [15, 5, 0, 0] };
    const server = await (await fetch(`/api/characters/${id}/measure`, { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(pose) })).json();
    return { drawn, here: (await measured(pose)).farthest, server: server.farthest };
  }, [await page.evaluate(() => document.querySelector('script[type=module][src]').src), id]);
  expect(far.here).toBe(far.server);
  expect(Math.abs(far.drawn - far.server)).toBeLessThan(1e-4);
  await marrow(page, (m) => m.set({ pose: new Map() }));

  // A joint of the build is moved in the view by its rule, on both sides, and what is typed moves it back.
  await marrow(page, (m) => m.set({ chosen: m.store.character.joints.findIndex((j) => j.name === 'forearm_l') }));
  const x = page.locator('#shifts [name=x]');
  const was = Number(await x.inputValue());
  await x.fill(String(was + 20));
  await page.locator('[data-shape=shift_joint]').getByRole('button', { name: 'Move' }).click();
  await expect(page.locator('.strip')).toContainText('forearm_l is moved by');
  const moved = await places();
  await page.keyboard.press('Control+z');
  await expect.poll(async () => Math.abs((await places()).forearm_l[0] - moved.forearm_l[0] + 0.02)).toBeLessThan(1e-3);

  // Two sets of values, one of which is measured beside the character as it is.
  await page.getByPlaceholder('Name these values…').fill('child');
  await page.locator('[data-shape=keep_values]').getByRole('button', { name: 'Keep' }).click();
  await expect(page.locator('.sets li')).toContainText('child');
  await page.getByRole('button', { name: 'Reset sliders' }).click();
  await expect(row.locator('output')).toHaveText('0.00');
  await page.locator('.sets li').getByRole('button', { name: 'Use' }).click();
  await expect(row.locator('output')).toHaveText('1.00');

  await page.getByRole('button', { name: 'Bake as a new character' }).click();
  await page.waitForURL((u) => !u.pathname.includes(id), { timeout: 30_000 });
  made.push(new URL(page.url()).pathname.split('/')[2]);
  await expect(page.locator('body[data-ready]')).toBeAttached({ timeout: 30_000 });
  expect(await marrow(page, (m) => m.store.character.joints.find((j) => j.name === 'head').pos[1])).toBeLessThan(0.75 * before.head[1]);
  expect(wrong).toEqual([]);
});

test('a face has groups, a combination and an in-between', async ({ page }) => {
  const wrong = errors(page);
  const id = await bound(page, 'Bram', 'Amused', 'shapes', made);
  const row = (name) => page.locator(`.targets li[data-target=${name}]`), value = (name) => row(name).locator('output');
  await page.locator('.sets li', { hasText: 'amused' }).getByRole('button', { name: 'Use' }).click();
  await expect(value('smile_l')).toHaveText('0.80');
  await expect(value('brow_arch_l')).toHaveText('1.00'); // half way up
  await expect(value('smile_open')).toHaveText('0.00');
  await row('mouth_open').getByRole('slider').focus();
  await page.keyboard.press('End');
  await expect(value('smile_open')).toHaveText('0.48'); // 0.8 × 0.6 × 1
  await expect(value('mustache_lift_l')).toHaveText('0.80');
  await expect(page.locator('.strip')).toContainText('Set mouth_open to 1.00');

  const mouth = page.locator('.targets li[data-group=mouth]');
  await mouth.getByLabel('Multiplier of mouth').fill('0.5');
  await mouth.getByLabel('Multiplier of mouth').press('Tab');
  await expect(value('smile_l')).toHaveText('0.40');
  await page.keyboard.press('Control+z');
  await expect(value('smile_l')).toHaveText('0.80');
  await mouth.getByRole('button', { name: 'Solo' }).click();
  await expect(value('brow_up_l')).toHaveText('0.00');
  await expect(row('brow_up_l')).toHaveClass(/silent/);
  await mouth.getByRole('button', { name: 'Solo' }).click();
  await expect(value('brow_up_l')).toHaveText('0.50');

  // A target is moved to another group by name, and dragged to one: on what is in it already, for the list scrolls.
  await row('brow_down_l').locator('b').click();
  await page.locator('[data-shape=group_targets] input').fill('frown');
  await page.locator('[data-shape=group_targets]').getByRole('button', { name: 'Move' }).click();
  await expect(page.locator('.targets li[data-group=frown]')).toBeVisible();
  await row('brow_down_l').scrollIntoViewIfNeeded();
  await row('brow_down_l').locator('b').dragTo(row('smile_open').locator('b'));
  await expect.poll(() => marrow(page, (m) => m.store.character.shapes.targets.find((t) => t.name === 'brow_down_l').group)).toBe('mouth');
  expect(await marrow(page, (m) => m.store.character.id ?? m.store.id)).toBe(id);
  expect(wrong).toEqual([]);
});

test('the curve of a driver is drawn and edited by hand', async ({ page }) => {
  await bound(page, 'Odile', 'Curved', 'shapes', made);
  const row = page.locator('.targets li[data-target=young]');
  await row.locator('b').click();
  await marrow(page, (m) => m.set({ chosen: m.store.character.joints.findIndex((j) => j.name === 'forearm_l') }));
  await page.locator('[data-shape=drive_target]').getByRole('button', { name: 'Drive' }).click();
  await expect(row).toContainText('forearm_l bend, on at 90°');
  const knots = () => marrow(page, (m) => { const d = m.store.character.shapes.targets.find((t) => t.driver).driver; return d; });
  const dots = page.locator('#knots circle');
  const n = await dots.count();
  expect(n).toBe((await knots()).knots.length);
  await dots.last().focus();
  await page.keyboard.press('ArrowDown');
  await expect.poll(async () => (await knots()).knots.at(-1).value).toBeCloseTo(0.95, 5);
  const box = await page.locator('#knots svg').boundingBox(), dot = await dots.last().boundingBox();
  await page.mouse.move(dot.x + 6, dot.y + 6);
  await page.mouse.down();
  await page.mouse.move(dot.x + 6, box.y + 0.55 * box.height, { steps: 4 });
  await page.mouse.up();
  await expect.poll(async () => (await knots()).knots.at(-1).value).toBeLessThan(0.7);
  await page.mouse.dblclick(box.x + 0.62 * box.width, box.y + 0.3 * box.height);
  await expect(dots).toHaveCount(n + 1);
  await page.locator('#knots [name=smooth]').check();
  await expect.poll(async () => (await knots()).smooth).toBe(true);
  await dots.first().focus();
  await page.keyboard.press('Delete');
  await expect(dots).toHaveCount(n);
});

test('a pose of two joints gets a corrective, which comes on near it', async ({ page }) => {
  test.setTimeout(120_000);
  const wrong = errors(page);
  await bound(page, 'Odile', 'Crouched', 'shapes', made);
  await page.getByRole('button', { name: 'Compute for this pose' }).click();
  await expect(page.locator('.strip')).toContainText('Pose the character first');
  await marrow(page, (m, names) => m.set({ pose: new Map(m.store.character.joints.flatMap((j, i) => {
    const k = names.indexOf(j.name), angles = [0, 0, 0];
    if (k < 0) return [];
    angles['xyz'.indexOf(m.store.character.convention.bend)] = k ? 100 : -90;
    return [[i, angles]];
  })) }), ['thigh_l', 'shank_l']);
  await page.getByLabel('Name of the corrective').fill('crouch_l');
  await page.getByRole('button', { name: 'Compute for this pose' }).click();
  const row = page.locator('.targets li[data-target=crouch_l]');
  await expect(row).toBeVisible({ timeout: 60_000 });
  await expect(row).toContainText('a pose of shank_l, thigh_l');
  await expect(row.locator('output')).toHaveText('1.00');
  await marrow(page, (m) => m.set({ pose: new Map() }));
  await expect(row.locator('output')).toHaveText('0.00');
  await row.locator('b').click();
  await page.getByRole('button', { name: 'Pose the joint there' }).click();
  await expect(row.locator('output')).toHaveText('1.00');
  expect(wrong).toEqual([]);
});

test('three.js shows a motion with a corrective and in a build as core computes it', async ({ page }, info) => {
  test.setTimeout(120_000);
  const id = await bound(page, 'Odile', 'Handed off young', 'shapes', made);
  const head = async () => (await (await page.request.get(`/api/characters/${id}`)).json()).head;
  const ask = async (op, params) => {
    const base = await head();
    expect((await page.request.post(`/api/characters/${id}/ops`, { data: { op, params, base, confirmed: true } })).ok()).toBe(true);
    await expect.poll(head, { timeout: 60_000 }).not.toBe(base);
  };
  await ask('correct_pose', { turns: { shank_l: [Math.sin(1), 0, 0, Math.cos(1)], forearm_r: [Math.sin(1), 0, 0, Math.cos(1)] } });
  await ask('set_target', { target: 'young', value: 0.6 });
  const glb = await (await page.request.get(`/characters/${id}/handoff/reel?influences=4`)).body(), file = info.outputPath('reel.glb');
  writeFileSync(file, glb);
  const doc = JSON.parse(glb.subarray(20, 20 + glb.readUInt32LE(12)).toString());
  expect(doc.animations[0].channels.filter((c) => c.target.path === 'translation').length).toBeGreaterThan(5);
  const count = JSON.parse(execFileSync('go', ['run', './e2e/bent', file, '[]'])).count, frames = Array.from({ length: 10 }, (_, k) => Math.floor(((k + 0.6) * count) / 10));
  const core = JSON.parse(execFileSync('go', ['run', './e2e/bent', file, JSON.stringify(frames)], { maxBuffer: 1 << 29 }));
  const three = await framesOf(page, glb, frames, core.step);
  three.forEach((places, k) => {
    expect(places.length).toBe(core.frames[k].length);
    const apart = Math.max(...places.map((p, i) => Math.hypot(p[0] - core.frames[k][i][0], p[1] - core.frames[k][i][1], p[2] - core.frames[k][i][2])));
    expect(apart, `frame ${frames[k]}`).toBeLessThan(1e-5 * core.height);
  });
});

test('what a slider changes is drawn as if all were drawn', async ({ page }) => {
  const wrong = errors(page);
  await bound(page, 'Bram', 'Slid', 'shapes', made);
  const out = await marrow(page, async (m) => {
    const { plate, store, set } = m, { view, skin } = plate, gl = view.renderer.getContext(), { width, height } = view.canvas;
    const frame = () => new Promise((done) => { requestAnimationFrame(() => requestAnimationFrame(done)); });
    const shot = () => { const px = new Uint8Array(4 * width * height); gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, px); return px; };
    const apart = (a, b) => { let n = 0; for (let i = 0; i < a.length; i += 4) if (Math.abs(a[i] - b[i]) + Math.abs(a[i + 1] - b[i + 1]) + Math.abs(a[i + 2] - b[i + 2]) > 12) n++; return n; };
    const head = store.character.joints.findIndex((j) => j.name === 'head');
    const list = [];
    for (const pose of [new Map(), new Map([[head, [10, 25, 0]]])]) {
      set({ pose });
      await frame(); await frame();
      const names = store.character.shapes.targets.filter((t) => !t.driver && !t.between && !t.meets).map((t) => t.name);
      for (const [k, values] of [[names[0], 1], [names[0], 0.3], [names[1], 1], [names[2], 0.7]].entries()) {
        const before = shot();
        let parts = 0;
        const { draw } = view;
        view.draw = (whole, box) => { if (box) parts++; draw.call(view, whole, box); };
        set({ heldShapes: new Map([...(store.heldShapes ?? []), values]) });
        await frame(); await frame();
        view.draw = draw;
        const some = shot(), places = Float32Array.from(skin.attributes.position.array), normals = Float32Array.from(skin.attributes.normal.array);
        skin.reshaper.reset();
        plate.bend();
        view.invalidate();
        await frame(); await frame();
        const far = (x, y) => x.reduce((sum, v, i) => Math.max(sum, Math.abs(v - y[i])), 0);
        list.push({ k, parts, changed: apart(before, some), wrong: apart(some, shot()), places: far(places, skin.attributes.position.array), normals: far(normals, skin.attributes.normal.array) });
      }
      set({ heldShapes: null });
    }
    return list;
  });
  expect(out.length).toBe(8);
  for (const x of out) {
    expect(x.wrong, JSON.stringify(x)).toBeLessThan(4);
    expect(x.places).toBe(0);
    expect(x.normals).toBeLessThan(1e-6);
  }
  expect(out.some((x) => x.changed > 20 && x.parts > 0)).toBe(true);
  expect(wrong).toEqual([]);
});
