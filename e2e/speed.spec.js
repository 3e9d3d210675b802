// How long hands wait in the page: SPEED=1 npx playwright test speed. It prints and
// judges nothing; the machine may be slow.
import { test } from '@playwright/test';
import { copy } from './open.js';

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
