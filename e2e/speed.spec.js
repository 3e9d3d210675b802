// How long hands wait in the page: SPEED=1 npx playwright test speed. It prints and
// judges nothing; the machine may be slow.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { test } from './test.js';
import { choose, copy, marrow } from './open.js';

test.skip(!process.env.SPEED, 'only when figures are wanted');

test('print them', async ({ page }) => {
  const id = await copy(page, 'Odile', 'Timed');
  const state = () => page.request.get(`/api/characters/${id}`).then((r) => r.json());
  await page.request.post(`/api/characters/${id}/ops`, { data: { op: 'fit_starter', base: (await state()).head } });
  while ((await state()).joints.length < 27) await page.waitForTimeout(200);
  await page.goto(`/characters/${id}/placement`);
  await page.waitForSelector('body[data-ready]');
  await page.waitForTimeout(1500);
  const rows = await page.evaluate(async () => {
    const base = document.querySelector('script[type=module][src]').src;
    const { operate, joints, store } = await import(new URL('./session.js', base));
    const at = joints().find((j) => j.name === 'hand_l').pos, settled = [], taken = [];
    for (let k = 0; k < 30; k++) {
      const t = performance.now();
      await operate('move_joint', { joint: 'hand_l', to: [at[0], at[1] + 0.0003 * (k + 1), at[2]], branch: true, both: false });
      taken.push(performance.now() - t);
      await new Promise((r) => { requestAnimationFrame(() => setTimeout(r)); }); // drawn
      settled.push(performance.now() - t);
    }
    const median = (l) => l.toSorted((a, b) => a - b)[l.length >> 1], p95 = (l) => l.toSorted((a, b) => a - b)[Math.floor(0.95 * l.length)];
    return [['move a joint: answered and taken in', median(taken), p95(taken)], ['move a joint: settled on the screen', median(settled), p95(settled)], ['vertices', store.character.facts.vertices, 0]];
  });
  console.log('In the page, software GL (ms)                     median      p95');
  for (const [name, a, b] of rows) console.log(`${name.padEnd(46)} ${a.toFixed(1).padStart(8)} ${b.toFixed(1).padStart(8)}`);
});

// A dab to its picture, and one map to another, at 50,000 vertices: read back from the card, so that
// what is drawn has been drawn.
test('print those of painting', async ({ page }, info) => {
  test.setTimeout(300_000);
  const file = info.outputPath('fine.glb');
  execFileSync('go', ['run', './e2e/fine', '0.00778', file]);
  const made = await (await page.request.post('/api/characters', { multipart: { file: { name: 'fine.glb', mimeType: 'model/gltf-binary', buffer: readFileSync(file) }, name: 'Fine' } })).json();
  await page.goto(`/characters/${made.id}/weights`);
  await page.waitForSelector('body[data-ready]');
  await choose(page, 'forearm_l');
  await page.keyboard.press('i');
  await page.waitForTimeout(6000); // core holds the character
  const at = await marrow(page, (m) => { const { plate } = m, pane = plate.view.panes[0], q = plate.posed.at[m.store.chosen].clone().project(pane.camera), r = pane.element.getBoundingClientRect(); return [r.left + (q.x * 0.5 + 0.5) * r.width - 18, r.top + (0.5 - q.y * 0.5) * r.height - 16]; });
  // What a touch takes from the pointer to pixels that are there.
  await marrow(page, (m) => { const gl = m.plate.view.renderer.getContext(), patch = m.plate.view.patch.bind(m.plate.view), px = new Uint8Array(4); m.plate.view.patch = (t) => { patch(t); gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, px); }; });
  await page.mouse.move(...at);
  await page.mouse.down();
  for (let k = 0; k < 120; k++) { await page.mouse.move(at[0] + (k % 2 ? 8 : 0) + k / 8, at[1] + k / 6); await page.waitForTimeout(25); }
  await page.mouse.up();
  const dabs = await marrow(page, (m) => m.took);
  await page.waitForTimeout(3000);
  await page.keyboard.press('i');
  const maps = {};
  for (const map of ['leader', 'joint', 'count', 'several', 'mix', 'plain', 'joint', 'leader']) {
    (maps[map] ??= []).push(await page.evaluate((name) => new Promise((done) => {
      const m = globalThis.marrow, { view } = m.plate, gl = view.renderer.getContext(), px = new Uint8Array(4), t = performance.now(), { drawn } = view;
      let before = 0;
      view.before = () => { before = performance.now() - t; view.before = null; };
      view.drawn = (v) => { drawn(v); gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, px); view.drawn = drawn; done([performance.now() - t, before]); };
      m.set({ map: name });
    }), map));
    await page.waitForTimeout(700);
  }
  const sorted = dabs.toSorted((a, b) => a - b), vertices = await marrow(page, (m) => m.store.character.facts.vertices);
  console.log(`At ${vertices} vertices, software GL (ms): a dab to its picture ${sorted[sorted.length >> 1].toFixed(0)}, p95 ${sorted[Math.floor(0.95 * sorted.length)].toFixed(0)} (${sorted.length} dabs); maps ${Object.entries(maps).map(([n, l]) => `${n} ${l.map(([all, ours]) => `${all.toFixed(0)} of which ${ours.toFixed(0)} before it is drawn`).join(', ')}`).join('; ')}`);
  await page.request.post(`/api/characters/${made.id}/remove`);
});

// A slider to its picture with 50 targets, and a sculpting dab until it is shown, on 50,000 vertices.
test('print those of shapes', async ({ page }, info) => {
  test.setTimeout(300_000);
  const file = info.outputPath('fine.glb');
  execFileSync('go', ['run', './e2e/fine', '0.00778', file, '50']);
  const made = await (await page.request.post('/api/characters', { multipart: { file: { name: 'fine.glb', mimeType: 'model/gltf-binary', buffer: readFileSync(file) }, name: 'Fine' } })).json();
  const at = `/api/characters/${made.id}`;
  await page.goto(`/characters/${made.id}/shapes`);
  await page.waitForSelector('body[data-ready]');
  await page.waitForTimeout(6000);
  const slid = await marrow(page, async (m) => {
    const { view } = m.plate, gl = view.renderer.getContext(), px = new Uint8Array(4), { draw } = view, times = [];
    for (let i = 0; i < 60; i++) {
      await new Promise((done) => {
        const t = performance.now();
        view.draw = (...how) => { draw.apply(view, how); gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, px); view.draw = draw; times.push(performance.now() - t); setTimeout(done, 60); };
        m.set({ heldShapes: new Map(Array.from({ length: 50 }, (_, k) => [`t${k}`, k === 20 ? (i + 1) / 61 : 0.5])) });
      });
    }
    return times;
  });
  await page.locator('.targets li[data-target=t3] b').click();
  await page.keyboard.press('i');
  await page.waitForTimeout(4000);
  const dabs = {};
  for (const mode of ['grab', 'inflate', 'smooth']) {
    await page.locator(`#sculpt [value=${mode}]`).check({ force: true });
    const from = await marrow(page, (m) => { const { plate, store } = m, pane = plate.view.panes[0], q = plate.posed.at[store.character.joints.findIndex((j) => j.name === 'forearm_l')].clone().project(pane.camera), r = pane.element.getBoundingClientRect(); m.took.length = 0; return [r.left + (q.x * 0.5 + 0.5) * r.width - 18, r.top + (0.5 - q.y * 0.5) * r.height - 16]; });
    await page.mouse.move(...from);
    await page.mouse.down();
    for (let k = 0; k < 60; k++) { await page.mouse.move(from[0] + (k % 2 ? 8 : 0) + k / 8, from[1] + k / 6); await page.waitForTimeout(25); }
    await page.mouse.up();
    dabs[mode] = await marrow(page, (m) => [...m.took]);
    await page.waitForTimeout(3000);
  }
  const said = (list) => { const s = list.toSorted((a, b) => a - b); return `${s[s.length >> 1].toFixed(0)}, p95 ${s[Math.floor(0.95 * s.length)].toFixed(0)}`; };
  console.log(`At ${await marrow(page, (m) => m.store.character.facts.vertices)} vertices with 50 targets, software GL (ms): a slider to its picture ${said(slid)}; a dab until it is shown ${Object.entries(dabs).map(([n, l]) => `${n} ${said(l)} (${l.length})`).join('; ')}`);
  await page.request.post(`${at}/remove`);
});
