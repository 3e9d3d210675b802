// The motion check: every joint through its usual range, measured by the server; a place leads to its
// frame, with the joint that is to blame and the vertices chosen, and what may mend it.
import { Quaternion } from 'three';
import { post } from '../api.js';
import { anglesOf } from '../pose.js';
import { joints, on, operate, remember, posesByName, set, setPoses, store } from '../session.js';

const tray = document.getElementById('tray');
const kinds = { spill: 'moves what is another’s', stretch: 'draws out', crush: 'presses together', flip: 'turns inside out', volume: 'volume' };
let found = null, before = null; // of which weights, and what came out before

const keyOf = () => JSON.stringify([store.character.weights, store.character.mesh, joints().map((j) => [j.pos, j.rot, j.mix])]);

async function check() {
  const box = tray.querySelector('#bends'), b = box.querySelector('[data-bends]'), say = box.querySelector('output');
  b.disabled = true;
  say.textContent = 'Bending …';
  const key = keyOf();
  try {
    const m = await post(`/api/characters/${store.id}/bends`, {});
    if (found && found.id === store.id && found.key !== key) before = found;
    found = { id: store.id, key, ...m };
    draw();
  } catch (e) { say.textContent = e.message; }
  b.disabled = false;
}

// go shows a frame of the reel.
function go(frame) {
  const p = found.poses[frame], i = joints().findIndex((j) => j.name === p.joint);
  if (i < 0) return;
  const was = posesByName();
  set({ pose: new Map([[i, anglesOf(new Quaternion(...p.turn), joints()[i].order)]]) });
  const now = posesByName();
  remember(`the pose ${p.name}`, 'pose', () => setPoses(was), () => setPoses(now));
}

function lead(place) {
  go(place.frame);
  const to = joints().findIndex((j) => j.name === (place.blame[0]?.joint ?? place.turned));
  set({ chosen: to, also: new Set(), vertices: [...new Set(place.where?.length ? place.where : [place.vertex])].sort((a, b) => a - b) });
}

function draw() {
  const box = tray.querySelector('#bends');
  if (!box || found?.id !== store.id) return;
  const stale = found.key !== keyOf(), say = box.querySelector('output'), list = box.querySelector('.places'), strip = box.querySelector('.strip');
  const then = before && before.id === store.id ? ` It was ${before.score.toFixed(2)}, ${before.over} over.` : '';
  say.textContent = stale ? `Of before the last change: ${found.score.toFixed(2)} on average, ${found.over} over their limits. Bend again.` : `${found.frames} frames: ${found.score.toFixed(2)} of the limit on average, ${found.over} over theirs.${then}`;
  strip.toggleAttribute('hidden', false);
  strip.setAttribute('viewBox', `0 0 ${found.worst.length} 20`);
  strip.replaceChildren(...found.worst.map((w, k) => {
    const r = document.createElementNS('http://www.w3.org/2000/svg', 'rect'), h = Math.min(20, 1 + 12 * w);
    for (const [n, v] of Object.entries({ x: k, y: 20 - h, width: 1, height: h, class: w > 1 ? 'over' : '', 'data-frame': k })) r.setAttribute(n, v);
    return r;
  }));
  list.replaceChildren(...found.places.map((p) => {
    const li = document.createElement('li'), to = document.createElement('button');
    to.type = 'button';
    to.className = p.times > 1 ? 'over' : '';
    to.textContent = `${kinds[p.kind]}: ${p.pose}`;
    to.title = `${p.times.toFixed(2)} of its limit; ${p.blame.map((x) => `${x.joint} ${(100 * x.share).toFixed(0)} %`).join(', ')}`;
    to.addEventListener('click', () => lead(p));
    const times = document.createElement('span');
    times.textContent = p.times.toFixed(2);
    li.append(to, times);
    for (const r of p.remedies ?? []) {
      const b = document.createElement('button');
      Object.assign(b, { type: 'button', className: `button is-small${p.times > 1 ? ' is-mend' : ''}`, textContent: r.label, disabled: stale });
      b.addEventListener('click', async () => { if (await operate(r.op, r.params)) draw(); });
      li.append(b);
    }
    return li;
  }));
}

tray.addEventListener('click', (e) => {
  if (e.target.closest('[data-bends]')) check();
  const frame = e.target.closest('#bends .strip [data-frame]');
  if (frame) go(Number(frame.dataset.frame));
});
document.addEventListener('trayloaded', draw);
on('character', draw);
