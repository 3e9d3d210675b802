// Motions that came with a skeleton, shown on the bound character.
import { Quaternion } from 'three';
import { getBuffer } from '../api.js';
import { openBundle } from '../bundle.js';
import { anglesOf } from '../pose.js';
import { joints, on, set, store } from '../session.js';

const tray = document.getElementById('tray');
let shown = null; // { key, name, step, at, turns, root, frames, frame }
let playing = 0;

const panel = () => tray.querySelector('#motion');

async function open(k) {
  const key = `${store.character.head}/${k}`;
  if (shown?.key === key) return shown;
  const b = openBundle(await getBuffer(`/view/motion/${key}`));
  const c = b.meta.clips[0], list = joints();
  shown = { key, step: c.step, width: c.joints.length, at: c.joints.map((n) => list.findIndex((j) => j.name === n)), turns: b.turns_0, root: b.root_0, frames: b.root_0.length / 3, frame: 0 };
  return shown;
}

function show(m, frame) {
  m.frame = frame;
  const pose = new Map(), q = new Quaternion();
  m.at.forEach((i, k) => { if (i >= 0) pose.set(i, anglesOf(q.fromArray(m.turns, 4 * (frame * m.width + k)), joints()[i].order)); });
  store.move = [...m.root.slice(3 * frame, 3 * frame + 3)];
  set({ pose });
  const p = panel();
  if (!p) return;
  p.querySelector('[name=frame]').max = m.frames - 1;
  p.querySelector('[name=frame]').value = frame;
  p.querySelector('output').textContent = `frame ${frame + 1} of ${m.frames}`;
}

function halt() {
  cancelAnimationFrame(playing);
  playing = 0;
  const b = panel()?.querySelector('[data-play]');
  if (b) b.textContent = 'Play';
}

function play(m) {
  let from = performance.now() - 1000 * m.step * (m.frame >= m.frames - 1 ? 0 : m.frame);
  panel().querySelector('[data-play]').textContent = 'Stop';
  const next = (now) => {
    if (!panel()) { halt(); return; }
    const frame = Math.floor((now - from) / 1000 / m.step);
    if (frame >= m.frames) from = now;
    show(m, Math.max(0, Math.min(m.frames - 1, frame)));
    playing = requestAnimationFrame(next);
  };
  playing = requestAnimationFrame(next);
}

const chosen = () => open(Number(panel().querySelector('[name=clip]').value));

tray.addEventListener('click', async (e) => {
  if (!e.target.closest('[data-play]')) return;
  if (playing) { halt(); return; }
  try { play(await chosen()); } catch (err) { set({ say: err.message }); }
});
tray.addEventListener('input', async (e) => {
  if (!e.target.closest('#motion')) return;
  halt();
  try { const m = await chosen(); show(m, e.target.name === 'frame' ? Math.min(m.frames - 1, Number(e.target.value)) : 0); } catch (err) { set({ say: err.message }); }
});
on('stage', () => { halt(); store.move = null; });
on('character', () => { halt(); shown = null; });
