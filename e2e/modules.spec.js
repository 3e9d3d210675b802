// The page's own modules, called in the browser that runs them.
import { expect, test } from './test.js';
import { open } from './open.js';

test.beforeEach(async ({ page }) => { await open(page, 'Odile', 'placement'); });

test('lengths may be typed as sums, angles and turns undo each other, bones keep their lengths, what is no bundle is refused', async ({ page }) => {
  const out = await page.evaluate(async (list) => {
    const { reckon } = await import(new URL('./reckon.js', document.querySelector('script[type=module][src]').src));
    return list.map((t) => { const v = reckon(t); return Number.isNaN(v) ? 'no' : v; });
  }, ['12.5', '10+2.5*2', '(1+2)*3', '-4', '40/2', '1,5', ' 7 cm', '.5', '2-', '', 'alert(1)', '1e5', '(1', '1 2', '--3', '3 mm', '1 m - 35mm', '2in', '1ft/2', '2*3cm', '5 km', '1/0']);
  expect(out).toEqual([12.5, 15, 9, -4, 20, 1.5, 7, 0.5, 'no', 'no', 'no', 'no', 'no', 12, 3, 0.30000000000000004, 96.5, 5.08, 15.24, 6, 'no', 'no']);

  // Angles and turns undo each other.
  const worst = await page.evaluate(async () => {
    const { anglesOf, turnOf } = await import(new URL('./pose.js', document.querySelector('script[type=module][src]').src));
    let far = 0;
    for (let x = -175; x <= 175; x += 35) for (let y = -89; y <= 89; y += 17.8) for (let z = -170; z <= 170; z += 34) {
      const q = turnOf([x, y, z]), r = turnOf(anglesOf(q));
      far = Math.max(far, 1 - Math.abs(q.dot(r)));
    }
    return far;
  });
  expect(worst).toBeLessThan(1e-12);

  // A posed skeleton keeps the lengths of its bones, and its rest is exact.
  const [rest, drift] = await page.evaluate(async () => {
    const { Posed } = await import(new URL('./pose.js', document.querySelector('script[type=module][src]').src));
    const joints = globalThis.marrow.store.character.joints, p = new Posed(joints);
    p.update(new Map());
    let off = 0, stretch = 0;
    joints.forEach((j, i) => { off = Math.max(off, Math.hypot(...j.pos.map((v, k) => v - p.at[i].toArray()[k]))); });
    const long = (i) => p.at[i].distanceTo(p.at[joints[i].parent]);
    const before = joints.map((j, i) => (j.parent < 0 ? 0 : long(i)));
    p.update(new Map(joints.map((_, i) => [i, [7 * i % 60, 11 * i % 50, 13 * i % 40]])));
    joints.forEach((j, i) => { if (j.parent >= 0) stretch = Math.max(stretch, Math.abs(long(i) - before[i])); });
    return [off, stretch];
  });
  expect(rest).toBeLessThan(1e-12);
  expect(drift).toBeLessThan(1e-12);

  // What is no bundle is refused.
  const told = await page.evaluate(async () => {
    const { openBundle } = await import(new URL('./bundle.js', document.querySelector('script[type=module][src]').src));
    const out = [];
    for (const b of [new ArrayBuffer(0), new TextEncoder().encode('{"error":"gone"}').buffer]) { try { openBundle(b); out.push('read'); } catch (e) { out.push(e.message); } }
    return out;
  });
  expect(told).toEqual(['This is no bundle.', 'This is no bundle.']);
});

test('a server that is gone is told and nothing typed is lost', async ({ page }) => {
  await page.evaluate(() => { const m = globalThis.marrow; m.set({ chosen: 3 }); });
  await page.route('**/ops', (route) => route.abort());
  await page.locator('#rename [name=name]').fill('breast');
  await page.locator('#rename button').click();
  await expect(page.locator('#saying')).toContainText('checking whether it was done');
  await expect(page.locator('#notice')).toContainText('cannot be reached', { timeout: 25000 });
  await expect(page.locator('#rename [name=name]')).toHaveValue('breast');
  await page.unroute('**/ops');
  await page.route('**/ops', (route) => route.fulfill({ status: 503, contentType: 'application/json', body: '{"error":"The database cannot be reached. Nothing was changed; try again in a moment."}' }));
  await page.locator('#rename button').click();
  await expect(page.locator('#notice')).toContainText('database cannot be reached');
});

test('a change whose answer is lost is done once, and the page gets there', async ({ page }) => {
  await page.evaluate(() => { const m = globalThis.marrow; m.set({ chosen: 3 }); });
  const heads = [];
  let sent = 0;
  await page.route('**/ops', async (route) => {
    sent++;
    const answer = await route.fetch();
    heads.push((await answer.json()).revision?.id);
    if (sent < 3) await route.abort(); else await route.fulfill({ response: answer });
  });
  await page.locator('#rename [name=name]').fill('breast');
  await page.locator('#rename button').click();
  await expect.poll(() => page.evaluate(() => globalThis.marrow.store.character.joints.map((j) => j.name))).toContain('breast');
  await expect.poll(() => sent).toBe(3);
  expect(heads[0]).toBeGreaterThan(0);
  expect(new Set(heads).size).toBe(1);
});

test('the working sizes: nothing essential below the fold, and a phone can read', async ({ page }) => {
  for (const [width, height] of [[1280, 800], [1920, 1080], [1000, 700]]) {
    await page.setViewportSize({ width, height });
    await page.waitForTimeout(200);
    const low = await page.evaluate(() => [...document.querySelectorAll('.strip, .spine li:last-child, .viewbar, .fold, .tray h2')].map((e) => e.getBoundingClientRect()).every((r) => r.bottom <= innerHeight + 1 && r.right <= innerWidth + 1 && r.width > 0));
    expect(low, `${width}×${height}`).toBe(true);
    expect(await page.evaluate(() => document.documentElement.scrollWidth <= innerWidth)).toBe(true);
  }
  await page.setViewportSize({ width: 420, height: 800 });
  expect(await page.evaluate(() => document.documentElement.scrollWidth <= innerWidth)).toBe(true);
});
