// The test reel under the plate: a strip of its frames, each as high and as dark as its worst measure, with
// a mark where each part begins. It is scrubbed, stepped through and played; what it shows is a pose like
// any other.
import { getBuffer, getJSON } from './api.js';
import { openBundle } from './bundle.js';
import { anglesFrom, turned } from './pose.js';
import { joints, on, set, store } from './session.js';

const box = document.getElementById('reel'), canvas = box.querySelector('canvas'), slider = box.querySelector('[role=slider]');
const say = box.querySelector('.frame'), play = box.querySelector('[data-reel=play]');
let reel = null; // what the server says of it, with the poses
let loading = '', playing = 0, top = 2; // limits that the strip is high

export const reelNow = () => reel;

const shown = () => store.stage === 'motion' && Boolean(store.character?.joints.length);

// load fetches the reel of the head, if it is another than the one that is here.
async function load() {
  box.hidden = !shown();
  if (box.hidden) { halt(); return; }
  const key = `${store.id}/${store.character.reel}`;
  if (loading === key) return;
  loading = key;
  halt();
  try {
    const r = await getJSON(`/api/characters/${store.id}/sheet`);
    const b = openBundle(await getBuffer(`/view/reel/${r.revision}`)), c = b.meta.clips[0];
    if (loading !== key) return;
    const at = reel?.frame ?? -1;
    reel = { ...r, step: c.step, names: r.names, joints: c.joints, turns: b.turns_0, root: b.root_0, count: b.root_0.length / 3, frame: -1 };
    if (at >= 0 && at < reel.count) reel.frame = at;
  } catch (e) { loading = ''; set({ say: `The reel did not come: ${e.message}` }); return; }
  set({ reel });
  draw();
  label();
}

// showFrame poses the character as a frame has it; −1 is rest.
export function showFrame(f) {
  if (!reel) return;
  reel.frame = Math.max(-1, Math.min(reel.count - 1, f));
  const pose = new Map(), list = joints(), width = reel.joints.length;
  if (reel.frame >= 0) {
    reel.at ??= reel.joints.map((n) => list.findIndex((j) => j.name === n));
    reel.at.forEach((i, k) => {
      const o = 4 * (reel.frame * width + k);
      const a = i >= 0 && anglesFrom(reel.turns.slice(o, o + 4), list[i].order);
      if (a && turned(a)) pose.set(i, a);
    });
    const o = 3 * reel.frame, move = [reel.root[o], reel.root[o + 1], reel.root[o + 2]];
    store.move = move.some((x) => x !== 0) ? move : null;
  } else store.move = null;
  set({ pose });
  draw();
  label();
}

const segmentAt = (f) => reel.segments.find((s) => f >= s.from && f < s.to);

function label() {
  if (!reel) return;
  const f = reel.frame, worst = reel.frames?.[f];
  const text = f < 0 ? 'at rest' : reel.names[f] === 'rest' ? `back at rest (${segmentAt(f)?.name ?? ''})` : reel.names[f];
  const measured = f < 0 ? '' : worst === undefined ? 'not measured yet' : reel.kinds[f] < 0 ? 'nothing found' : `${reel.seen?.[f] ?? ''}${worst > 1 ? ' ▲' : ''}${reel.stale ? ', before the change' : ''}`;
  say.querySelector('b').textContent = text;
  say.querySelector('span').textContent = measured;
  say.classList.toggle('over', worst > 1);
  slider.setAttribute('aria-valuemax', reel.count - 1);
  slider.setAttribute('aria-valuenow', Math.max(0, f));
  slider.setAttribute('aria-valuetext', f < 0 ? 'at rest' : `frame ${f + 1} of ${reel.count}, ${text}${measured ? `, ${measured}` : ''}`);
}

const colour = (name) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

function draw() {
  if (!reel || box.hidden) return;
  const ratio = devicePixelRatio || 1, w = canvas.clientWidth, h = canvas.clientHeight;
  if (!w) return;
  canvas.width = w * ratio;
  canvas.height = h * ratio;
  const g = canvas.getContext('2d'), floor = h - 15, per = w / reel.count, high = floor - 3;
  g.scale(ratio, ratio);
  const ink = colour('--ink'), soft = colour('--soft'), faint = colour('--faint'), teal = colour('--teal'), rust = colour('--rust');
  top = Math.max(1.4, Math.min(4, ...[Math.max(1.4, ...(reel.frames ?? [0]).map((x) => 1.05 * x))]));
  const y = (x) => floor - high * Math.min(1, x / top);
  // Parts: alternate grounds, a tick and the name of those with room for it.
  g.font = "500 11px 'Alegreya Sans', sans-serif";
  reel.segments.forEach((s, k) => {
    const x = s.from * per, wide = (s.to - s.from) * per;
    if (k % 2) { g.fillStyle = faint; g.globalAlpha = 0.35; g.fillRect(x, 0, wide, floor); g.globalAlpha = 1; }
  });
  let group = null;
  const flush = () => {
    if (!group) return;
    const x = group.from * per, wide = (group.to - group.from) * per;
    g.strokeStyle = soft;
    g.beginPath();
    g.moveTo(x + 0.5, floor);
    g.lineTo(x + 0.5, floor + 4);
    g.stroke();
    const text = group.name;
    if (wide > 26) {
      g.save();
      g.beginPath();
      g.rect(x, floor, wide - 3, 15);
      g.clip();
      g.fillStyle = soft;
      g.fillText(text, x + 3, h - 3);
      g.restore();
    }
  };
  for (const s of reel.segments) {
    const name = s.joint || s.name;
    if (group?.name === name) group.to = s.to; else { flush(); group = { name, from: s.from, to: s.to }; }
  }
  flush();
  for (let f = 0; f < reel.count; f++) {
    const x = reel.frames?.[f] ?? 0;
    if (x <= 0) continue;
    g.fillStyle = x > 1 ? rust : teal;
    g.globalAlpha = reel.stale ? 0.4 : 1;
    g.fillRect(f * per, y(x), Math.max(1, per - 0.4), floor - y(x));
    g.globalAlpha = 1;
  }
  g.strokeStyle = ink;
  g.setLineDash([4, 3]);
  g.beginPath();
  g.moveTo(0, y(1));
  g.lineTo(w, y(1));
  g.stroke();
  g.setLineDash([]);
  g.beginPath();
  g.moveTo(0, floor + 0.5);
  g.lineTo(w, floor + 0.5);
  g.stroke();
  if (reel.frame >= 0) { // the needle
    const x = (reel.frame + 0.5) * per;
    g.fillStyle = ink;
    g.fillRect(x - 0.75, 0, 1.5, floor);
    g.beginPath();
    g.moveTo(x - 5, 0);
    g.lineTo(x + 5, 0);
    g.lineTo(x, 7);
    g.fill();
  }
}

export function halt() {
  cancelAnimationFrame(playing);
  if (playing) set({ playing: false });
  playing = 0;
  play.setAttribute('aria-pressed', 'false');
  play.querySelector('span').textContent = 'Play';
}

// togglePlay plays on from the frame that is shown; the frame follows the clock, so that a slow machine
// passes frames over and keeps the time.
export function togglePlay() {
  if (!reel) return;
  if (playing) { halt(); return; }
  set({ playing: true });
  play.setAttribute('aria-pressed', 'true');
  play.querySelector('span').textContent = 'Stop';
  let from = performance.now(), start = reel.frame >= reel.count - 1 ? 0 : Math.max(0, reel.frame), last = -1;
  const next = (now) => {
    if (!playing || !reel) return;
    const speed = Number(box.querySelector('[name=speed]').value), part = box.querySelector('[name=part]').checked ? segmentAt(start) : null;
    let f = start + Math.floor((now - from) / 1000 / reel.step * speed);
    const end = part ? part.to : reel.count;
    if (f >= end) {
      if (!box.querySelector('[name=loop]').checked) { showFrame(end - 1); halt(); return; }
      from = now;
      start = part ? part.from : 0;
      f = start;
    }
    if (f !== last) { last = f; showFrame(f); }
    playing = requestAnimationFrame(next);
  };
  playing = requestAnimationFrame(next);
}

export const step = (by) => { halt(); if (reel) showFrame(reel.frame < 0 && by > 0 ? 0 : reel.frame + by); };

// stepPart goes to the next part or the one before, by what is tried and not by each of its ends.
export function stepPart(by) {
  halt();
  if (!reel) return;
  const starts = reel.segments.map((s) => s.from), f = reel.frame;
  const to = by > 0 ? starts.find((s) => s > f) : starts.findLast((s) => s < f);
  if (to !== undefined) showFrame(to); else if (by < 0) showFrame(0);
}

// worstFrame goes to the worst frame of all.
export function worstFrame() {
  halt();
  if (!reel?.frames) return;
  showFrame(reel.frames.indexOf(Math.max(...reel.frames)));
}

function scrub(e) {
  const r = canvas.getBoundingClientRect();
  showFrame(Math.floor(Math.max(0, Math.min(0.9999, (e.clientX - r.left) / r.width)) * reel.count));
}
slider.addEventListener('pointerdown', (e) => {
  if (!reel || e.button !== 0) return;
  halt();
  slider.setPointerCapture(e.pointerId);
  slider.held = true;
  scrub(e);
});
slider.addEventListener('pointermove', (e) => {
  if (slider.held) { scrub(e); return; }
  if (!reel) return;
  const r = canvas.getBoundingClientRect(), f = Math.floor((e.clientX - r.left) / r.width * reel.count);
  slider.title = reel.names[f] ? `${reel.names[f]}${reel.seen?.[f] ? `: ${reel.seen[f]}` : ''}` : '';
});
for (const end of ['pointerup', 'pointercancel']) slider.addEventListener(end, () => { slider.held = false; });
slider.addEventListener('keydown', (e) => {
  const f = { ArrowLeft: () => step(-1), ArrowRight: () => step(1), PageUp: () => stepPart(-1), PageDown: () => stepPart(1), Home: () => { halt(); showFrame(0); }, End: () => { halt(); showFrame(reel.count - 1); } }[e.key];
  if (!f || !reel) return;
  e.preventDefault();
  e.stopPropagation();
  f();
});
box.addEventListener('click', (e) => { const b = e.target.closest('[data-reel]'); if (b) ({ play: togglePlay, back: () => step(-1), on: () => step(1), worst: worstFrame, rest: () => { halt(); showFrame(-1); } })[b.dataset.reel](); });

new ResizeObserver(draw).observe(canvas);
addEventListener('themechange', draw);
on('character stage', load);
on('stage', () => { if (!shown()) store.move = null; });
// A pose that was made by hand is no frame.
on('posed', () => { if (reel) { halt(); reel.frame = -1; draw(); label(); } });
