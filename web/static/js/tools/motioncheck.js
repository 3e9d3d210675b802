// Motion check: the test reel, its score sheet and worst places, and posing by hand: turning joints, pulling
// hands and feet while others are held, poses that are kept, motions of others.
import { Plane, Quaternion, Vector3 } from 'three';
import { post, upload } from '../api.js';
import { core, why } from '../core.js';
import { rayAt } from '../pick.js';
import { chooseAt } from '../plate.js';
import { anglesFrom, turned, turnFrom } from '../pose.js';
import { halt, reelNow, showFrame, step, stepPart, togglePlay, worstFrame } from '../reel.js';
import { choose, chosenJoint, chosenNames, joints, on, operate, posesByName, remember, set, setPoses, store } from '../session.js';
import { turnChosen } from './weights.js';

const tray = document.getElementById('tray');
const held = new Map(); // joints that are held, by name: where, world metres
let copied = null;

export const tool = {
  stage: 'motion',
  posed: true,
  bent: true,
  enter(plate) { tool.plate = plate; },
  leave() { halt(); },
  get handle() { return store.pulling || !chosenJoint() || chosenJoint().end ? '' : 'turn'; },
  cursor: () => '',
  down(plate, pane, x, y, e) {
    if (!store.pulling || !store.bones) return false;
    const i = plate.shownJoint(pane, x, y);
    if (i < 0) return false;
    choose(i, e.shiftKey);
    if (e.shiftKey) return true;
    halt();
    tool.drag = { i, before: snapshot(), plane: new Plane().setFromNormalAndCoplanarPoint(pane.camera.getWorldDirection(new Vector3()), plate.posed.at[i]), moved: false };
    return true;
  },
  move(plate, pane, x, y) {
    const d = tool.drag, [fx, fy] = pane.from;
    if (!d || (Math.hypot(x - fx, y - fy) < 3 && !d.moved)) return;
    const to = rayAt(pane, x, y).intersectPlane(d.plane, new Vector3());
    if (!to) return;
    d.moved = true;
    pull(joints()[d.i].name, to);
  },
  async up() {
    const d = tool.drag;
    tool.drag = null;
    if (!d?.moved) return;
    await pulling;
    done(`the pull of ${joints()[d.i].name}`, d.before);
  },
  cancel() { if (tool.drag) restore(tool.drag.before); tool.drag = null; },
  click(plate, pane, x, y, e) { chooseAt(plate, pane, x, y, e); },
  show: () => ({ mode: 0, chosen: store.places }),
  turning(axis, degrees) {
    set({ posed: true });
    turnChosen(axis, degrees);
  },
};

// Poses --------------------------------------------------------------------------

const snapshot = () => ({ pose: posesByName(), move: store.move });
function restore(s) {
  store.move = s.move;
  setPoses(s.pose);
}

// done lets undo take a pose back.
function done(what, before) {
  const after = snapshot();
  remember(what, 'hand', () => restore(before), () => restore(after));
}

// turns are those of the pose that is shown, about the joints' own axes.
function turns() {
  const out = {};
  for (const [i, a] of store.pose) if (turned(a)) out[joints()[i].name] = turnFrom(a, joints()[i].order);
  return out;
}

function take(answer) {
  const list = joints(), pose = new Map();
  for (const [name, t] of Object.entries(answer.turns)) {
    const i = list.findIndex((j) => j.name === name);
    if (i >= 0) pose.set(i, anglesFrom(t, list[i].order));
  }
  store.move = answer.move.some((x) => x !== 0) ? answer.move : null;
  set({ pose, posed: true });
}

// hand asks core, or the server where that does not run.
async function hand(asked) {
  const q = { turns: turns(), move: store.move ?? [0, 0, 0], ...asked };
  if (!why()) {
    try {
      return await core('hand', { skeleton: (tool.plate?.posed.joints ?? joints()).map(({ name, parent, pos, rot, order, long, thick, helper }) => ({ name, parent, pos, rot, order, long, thick, helper })), marks: store.character.marks, does: q });
    } catch (e) { if (!why()) throw e; }
  }
  return post(`/api/characters/${store.id}/hand`, q);
}

let pulling = Promise.resolve(), next = null;

// pull draws a joint to a place; of many calls only the last that waits is done. Each begins from where the
// hand took hold, so that a pull and its way back end where they began.
function pull(name, to) {
  if (!next) {
    pulling = pulling.then(async () => {
      const q = next;
      next = null;
      try {
        const a = await hand(q);
        take(a);
        const off = document.querySelector('#pose output');
        if (off) off.textContent = a.off > 0.002 ? `${name} stays ${(100 * a.off).toFixed(1)} cm off: nothing more gives way` : a.slid > 0.001 ? `held joints slip ${(1000 * a.slid).toFixed(1)} mm` : '';
      } catch (e) { set({ say: e.message }); }
    });
  }
  const whole = tray.querySelector('#pose [name=whole]'), chain = tray.querySelector('#pose [name=chain]');
  next = { do: 'pull', ...(tool.drag.base ??= { turns: turns(), move: store.move ?? [0, 0, 0] }), joint: name, to: to.toArray(), whole: whole?.checked ?? true, long: Number(tray.querySelector('#pose [name=long]')?.value || 1), chain: Number(chain?.value ?? 0), held: Object.fromEntries(held) };
}

function toggleHeld(names) {
  for (const n of names) {
    const i = joints().findIndex((j) => j.name === n);
    if (held.has(n)) held.delete(n); else if (i >= 0) held.set(n, tool.plate.posed.at[i].toArray());
  }
  panel();
}

async function mirrorPose() {
  const before = snapshot();
  take(await hand({ do: 'mirror' }));
  done('the mirrored pose', before);
}

function resetChain() {
  const i = store.chosen, before = snapshot(), pose = new Map(store.pose);
  if (i < 0) return;
  const below = (k) => { for (let p = k; p >= 0; p = joints()[p].parent) if (p === i) return true; return false; };
  for (const k of [...pose.keys()]) if (below(k)) pose.delete(k);
  set({ pose, posed: true });
  done(`the reset below ${joints()[i].name}`, before);
}

function resetAll() {
  const before = snapshot();
  store.move = null;
  set({ pose: new Map(), posed: true });
  showFrame(-1);
  done('the reset of the pose', before);
}

// copy takes the turns of the chosen joints with what hangs from them, else of all; paste puts them back, to
// the other side's joints if wanted.
function copy() {
  const list = joints(), chosen = new Set(chosenNames());
  const in_ = (i) => { if (!chosen.size) return true; for (let p = i; p >= 0; p = list[p].parent) if (chosen.has(list[p].name)) return true; return false; };
  copied = Object.fromEntries(Object.entries(turns()).filter(([n]) => in_(list.findIndex((j) => j.name === n))));
  set({ say: `Copied the turns of ${Object.keys(copied).length} joints.` });
  panel();
}

async function paste(other) {
  if (!copied) return;
  const before = snapshot();
  let t = copied;
  if (other) t = (await hand({ do: 'mirror', turns: copied, move: [0, 0, 0] })).turns;
  take({ turns: { ...turns(), ...t }, move: store.move ?? [0, 0, 0] });
  done('the pasted pose', before);
}

function showKept(name, share) {
  const p = store.character.poses.find((x) => x.name === name);
  if (!p) return;
  const before = tool.from ?? (tool.from = { ...snapshot(), turns: turns() });
  const out = {}, a = new Quaternion(), b = new Quaternion();
  for (const n of new Set([...Object.keys(before.turns), ...Object.keys(p.turns)])) {
    a.fromArray(before.turns[n] ?? [0, 0, 0, 1]);
    b.fromArray(p.turns[n] ?? [0, 0, 0, 1]);
    const long = a.length() + share * (b.length() - a.length());
    out[n] = a.normalize().slerp(b.normalize(), share).toArray().map((v) => v * long);
  }
  const m = before.move ?? [0, 0, 0];
  take({ turns: out, move: m.map((x, k) => x + share * (p.move[k] - x)) });
}

// The panel ------------------------------------------------------------------------

const kinds = { spill: 'moves what is another’s', stretch: 'stretches', crush: 'squashes', pinch: 'sharp fold', flip: 'turns inside out', volume: 'volume', cross: 'goes through itself', through: 'comes through a layer', rigid: 'bends a rigid piece' };

function lead(place) {
  halt();
  showFrame(place.frame);
  const to = joints().findIndex((j) => j.name === (place.blame?.[0]?.joint ?? place.turned));
  const list = numbers(place.where);
  set({ chosen: to, also: new Set(), vertices: list.length ? list : [place.vertex], places: { vertices: list.length ? list : [place.vertex] } });
  document.dispatchEvent(new CustomEvent('redraw'));
  tool.plate.view.frame(aroundPlace(place));
}

function aroundPlace(place) {
  const box = tool.plate.box.clone(), r = 0.14 * box.getSize(new Vector3()).length(), at = new Vector3(...place.place);
  if (store.move) at.add(new Vector3(...store.move));
  box.min.copy(at).subScalar(r);
  box.max.copy(at).addScalar(r);
  return box;
}

// numbers reads ranges as "0-14,20".
function numbers(text) {
  const out = [];
  for (const part of (text ?? '').split(',')) {
    if (!part) continue;
    const [a, b] = part.split('-').map(Number);
    for (let v = a; v <= (b ?? a); v++) out.push(v);
  }
  return out;
}

function places() {
  const box = tray.querySelector('#worst'), r = reelNow();
  if (!box || !r) return;
  const list = box.querySelector('ol');
  // The whole reel was run since; a reel from before the spots says nothing of them.
  if (!r.stale) for (const [key, now] of spots) if (now.head < r.revision) spots.delete(key);
  box.hidden = !r.places.length;
  list.replaceChildren(...r.places.map((p) => {
    const li = document.createElement('li'), to = document.createElement('button');
    to.type = 'button';
    to.className = p.times > 1 ? 'over' : '';
    to.innerHTML = '<b></b><small></small>';
    to.firstChild.textContent = kinds[p.kind];
    to.lastChild.textContent = `${p.pose} · ${p.seen}`;
    to.title = `${p.seen}${p.also ? `; also ${p.also.map((a) => `${a.kind}, ${a.pose}`).join('; ')}` : ''}`;
    // The whole row leads there; the button is for the keyboard.
    li.addEventListener('click', (e) => { if (e.target.closest('button') === to || !e.target.closest('button')) lead(p); });
    const times = document.createElement('span');
    times.className = 'times';
    times.textContent = p.times > 1 ? '▲' : '';
    times.title = p.times > 1 ? 'Over its limit' : '';
    li.append(to, times);
    const by = document.createElement('p');
    by.className = 'hint';
    by.textContent = p.advice && p.times > 1 ? `${p.by} ${p.advice}` : p.by;
    li.append(by);
    const acts = document.createElement('div');
    for (const m of p.remedies ?? []) {
      const b = document.createElement('button');
      Object.assign(b, { type: 'button', className: `button is-small${p.times > 1 ? ' is-mend' : ''}`, textContent: m.label, title: r.stale ? 'Outdated: measured before the last change; this spot is measured again' : '' });
      b.addEventListener('click', () => remedy(m, p));
      acts.append(b);
    }
    li.append(acts);
    const now = spots.get(spotKey(p));
    if (now) li.append(spotLine(now));
    return li;
  }));
}

// remedy does what may mend a place and measures that place again, in its own part of the reel; the
// whole reel is tried when somebody asks for it.
async function remedy(m, place) {
  set({ places: null });
  const head = store.character.head;
  if (!await operate(m.op, m.params)) return;
  // A bind is a work of its own: it is measured when it has come.
  if (store.character.head === head) pending = { head, place }; else await measureSpot(place);
}

let pending = null; // the head that a remedy on its way began at, and its place
on('character', () => {
  if (!pending || store.character.head === pending.head) return;
  const { place } = pending;
  pending = null;
  measureSpot(place);
});
on('stage', () => { pending = null; });

// What places measured after a remedy are now, until the reel is tried again.
const spots = new Map(), spotKey = (p) => `${p.kind}/${p.frame}`;

async function measureSpot(place) {
  const { head } = store.character;
  try {
    const now = await post(`/api/characters/${store.id}/spot`, { kind: place.kind, frame: place.frame });
    if (head !== store.character.head) return;
    spots.set(spotKey(place), { ...now, head });
    set({ say: now.seen ? `There it was: ${now.was}. It is now: ${now.seen}.` : `There it was: ${now.was}. It is gone now.` });
  } catch (e) { set({ say: e.message }); }
  places();
}

function spotLine({ was, seen, limit, over }) {
  const p = document.createElement('p'), b = document.createElement('button');
  p.className = `spot${over ? ' over' : ''}`;
  p.setAttribute('role', 'status');
  p.textContent = `${was} → ${seen || 'none'}${over ? `; the limit is ${limit}` : ', within its limit'} `;
  Object.assign(b, { type: 'button', className: 'button is-small', textContent: 'Run the whole reel', title: 'Other spots may have changed too' });
  b.addEventListener('click', () => operate('check_motion', asked()));
  p.append(b);
  return p;
}

function asked() {
  const form = tray.querySelector('#try');
  if (!form) return {};
  const out = { amount: Number(form.elements.amount.value) / 100, steps: Number(form.elements.steps.value) };
  if (form.elements.only.checked && chosenNames().length) out.joints = chosenNames();
  if (form.elements.ranges.checked) out.kinds = ['range'];
  const builds = [...form.querySelectorAll('[name=build]:checked')].map((b) => b.value);
  if (builds.length) out.builds = builds;
  return out;
}

function score() {
  const box = tray.querySelector('#score'), r = reelNow();
  if (!box || !r) return;
  const s = r.sheet, say = box.querySelector('p');
  box.querySelector('table').hidden = box.querySelector('.tool.row').hidden = !s;
  if (!s) { say.textContent = `${r.count} frames: every joint through its range, then figures and steps. Not measured yet.`; return; }
  const then = r.before ? ` It was ${r.before.score.toFixed(2)}, ${r.before.over} over.` : '';
  const over = s.over === 1 ? '1 spot is over its limit' : s.over ? `${s.over} spots are over their limits` : 'no spot is over its limit';
  say.textContent = `${r.stale ? 'Outdated: ' : ''}${s.score.toFixed(2)} of the limit on average, ${over}.${then}`;
  say.classList.toggle('over', s.over > 0);
  const other = store.beside && r.kept[store.beside];
  box.querySelector('thead').hidden = !other;
  if (other) {
    say.textContent += ` ${store.beside}: ${other.score.toFixed(2)}, ${other.over} over.`;
    box.querySelector('thead th:last-child').textContent = store.beside;
  }
  box.querySelector('tbody').replaceChildren(...r.faults.map((k, i) => {
    const tr = document.createElement('tr'), x = s.worst[k] ?? 0, was = r.before?.worst?.[k];
    const unseen = (k === 'cross' && !r.crossed) || ((k === 'through' || k === 'rigid') && !r.layers);
    tr.innerHTML = '<th scope="row"></th><td class="gauge"><i></i></td><td class="num"></td>';
    tr.children[0].textContent = kinds[k];
    const bar = tr.querySelector('i');
    bar.style.width = `${Math.min(100, 50 * x)}%`;
    bar.className = x > 1 ? 'over' : '';
    tr.children[2].textContent = unseen ? 'no layer' : `${x > 1 ? '▲ ' : ''}${r.short?.[i] ?? ''}${was !== undefined && was !== x ? ` (${x > was ? '↑' : '↓'})` : ''}`;
    if (other) {
      const td = document.createElement('td'), y = other.worst[k] ?? 0;
      td.className = `num${y > x ? ' worse' : y < x ? ' lesser' : ''}`;
      td.textContent = `${y > 1 ? '▲ ' : ''}${y.toFixed(2)}`;
      tr.append(td);
    }
    tr.title = unseen ? 'No layers' : `At worst ${r.worst?.[i] ?? ''}; the limit is ${r.limits[i]}${was !== undefined && was !== x ? `; it was ${(was / x).toFixed(2)} times this` : ''}`;
    return tr;
  }));
}

function panel() {
  const box = tray.querySelector('#pose');
  if (!box) return;
  for (const r of box.querySelectorAll('[name=posehand]')) r.checked = (r.value === 'pull') === Boolean(store.pulling);
  for (const d of box.querySelectorAll('[data-posehand]')) d.hidden = (d.dataset.posehand === 'pull') !== Boolean(store.pulling);
  const names = chosenNames();
  const b = box.querySelector('[data-hold]');
  b.disabled = !names.length;
  b.textContent = names.length && names.every((n) => held.has(n)) ? 'Release' : 'Hold here';
  box.querySelector('.held').textContent = held.size ? `Held: ${[...held.keys()].join(', ')}` : 'Nothing held.';
  for (const p of box.querySelectorAll('[data-paste]')) p.disabled = !copied;
  box.querySelector('[data-chain]').disabled = store.chosen < 0;
  if (store.pulling !== undefined) tool.plate?.turner();
}

export function commands(add) {
  const here = () => store.stage === 'motion';
  const reeling = () => here() && Boolean(reelNow());
  add('playReel', 'Play the reel, or stop', ['R'], togglePlay, reeling, { words: 'animate timeline' });
  add('frameOn', 'The next frame of the reel', [']'], () => step(1), reeling, { words: 'timeline step' });
  add('frameBack', 'The frame before', ['['], () => step(-1), reeling, { words: 'timeline step' });
  add('partOn', 'The next part of the reel', ['}'], () => stepPart(1), reeling, { words: 'timeline jump' });
  add('partBack', 'The part of the reel before', ['{'], () => stepPart(-1), reeling, { words: 'timeline jump' });
  add('worstFrame', 'The worst frame of the reel', ['W'], worstFrame, reeling, { words: 'jump fault' });
  add('pull', 'Pull or rotate joints', ['I'], () => set({ pulling: !store.pulling }), here, { words: 'ik reach drag inverse kinematics' });
  add('hold', 'Hold the selected joints in place, or release them', ['G'], () => toggleHeld(chosenNames()), () => here() && store.chosen >= 0, { words: 'pin plant foot ik' });
  add('mirrorPose', 'Mirror the pose', ['M'], () => mirrorPose(), here, { words: 'flip sides' });
  add('copyPose', 'Copy the pose of the selected joints and their descendants', ['Y'], copy, here, { words: 'clipboard' });
  add('pastePose', 'Paste the pose', ['U'], () => paste(false), () => here() && Boolean(copied), { words: 'clipboard' });
  add('pasteOther', 'Paste mirrored', ['O'], () => paste(true), () => here() && Boolean(copied), { words: 'clipboard mirror' });
  add('resetChain', 'Reset the selected branch', ['N'], resetChain, () => here() && store.chosen >= 0, { words: 'rest zero' });
  add('resetJointHere', 'Reset the selected joints', null, () => { const before = snapshot(), p = new Map(store.pose); for (const i of [store.chosen, ...store.also]) p.delete(i); set({ pose: p, posed: true }); done('the reset of joints', before); }, () => here() && store.chosen >= 0, { words: 'rest zero pose' });
  add('resetAllPose', 'Reset all joints to rest', ['0'], resetAll, here, { words: 'rest bind pose zero' });
}

// What operations need of the panel is asked there.
export const own = {
  check_motion: () => operate('check_motion', asked()),
  solve_weights: () => tray.querySelector('#solve [data-fill]')?.focus(),
  add_helpers: () => tray.querySelector('#helpers form button')?.focus(),
  best_bind: () => tray.querySelector('#best select')?.focus(),
  save_pose: () => tray.querySelector('#keep-pose [name=name]')?.focus(),
  drop_pose: () => tray.querySelector('#poses select')?.focus(),
  lay_motion: () => tray.querySelector('#lay [type=file]')?.click(),
};

// guides sends meshes in poses, and has the next solution made for them too; none takes them back.
async function guides(files) {
  const solve = tray.querySelector('#solve [data-fill=solve_weights]'), said = tray.querySelector('#guides-chosen'), form = new FormData();
  const show = (file, text) => {
    solve.dataset.params = JSON.stringify(file ? { guides: file } : {});
    said.textContent = text;
    tray.querySelector('#no-guides').hidden = !file;
  };
  if (!files.length) { show(null, ''); return; }
  for (const f of files) form.append('file', f, f.name);
  show(null, `Reading ${files[0].name}`);
  try {
    const { file } = await upload(`/api/characters/${store.id}/guides`, form, () => {});
    show(file, files.length > 1 ? `${files.length} files, from ${files[0].name} to ${files.at(-1).name}` : files[0].name);
  } catch (x) { show(null, x.message); }
}
tray.addEventListener('change', (e) => {
  if (e.target.id !== 'guide-files' || !e.target.files.length) return;
  const files = [...e.target.files].sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }));
  e.target.value = '';
  guides(files);
});
tray.addEventListener('click', (e) => { if (e.target.closest('#no-guides')) guides([]); });

tray.addEventListener('submit', async (e) => {
  const form = e.target;
  if (form.id === 'try') { e.preventDefault(); halt(); operate('check_motion', asked()); }
  if (form.id === 'best') { e.preventDefault(); halt(); operate('best_bind', { take: form.elements.take.value }); }
  if (form.id === 'keep-pose') {
    e.preventDefault();
    const field = form.elements.name, name = field.value;
    field.value = '';
    delete field.dataset.touched; // the panel comes anew with the answer
    if (!await operate('save_pose', { name, turns: turns(), move: store.move ?? [0, 0, 0] })) tray.querySelector('#keep-pose [name=name]').value = name;
  }
  if (form.id === 'laying') {
    e.preventDefault();
    const pairs = {};
    for (const s of form.querySelectorAll('select[data-theirs]')) if (s.value !== s.dataset.was) pairs[s.dataset.theirs] = s.value;
    if (await operate('lay_motion', { file: form.laying.file, pairs, feet: form.elements.feet.checked })) form.remove();
  }
});
tray.addEventListener('click', (e) => {
  const b = e.target.closest('button');
  if (!b || store.stage !== 'motion') return;
  if ('hold' in b.dataset) toggleHeld(chosenNames());
  if ('feet' in b.dataset) { for (const j of joints()) if (j.foot && !held.has(j.name)) toggleHeld([j.name]); }
  if ('free' in b.dataset) { held.clear(); panel(); }
  if ('mirrorpose' in b.dataset) mirrorPose();
  if ('copy' in b.dataset) copy();
  if ('paste' in b.dataset) paste(b.dataset.paste === 'other');
  if ('chain' in b.dataset) resetChain();
  if ('allrest' in b.dataset) resetAll();
  if ('droppose' in b.dataset) operate('drop_pose', { name: tray.querySelector('#poses [name=kept]').value });
  if ('dropclip' in b.dataset) operate('drop_clip', { clip: b.dataset.dropclip });
  if ('scorekept' in b.dataset) operate('check_motion', { ...asked(), kept: b.dataset.scorekept });
  if ('takekept' in b.dataset) operate('take_result', { name: b.dataset.takekept });
});
tray.addEventListener('input', async (e) => {
  if (e.target.closest('#angles') && store.stage === 'motion') set({ posed: true });
  if (e.target.name === 'posehand') set({ pulling: e.target.value === 'pull' });
  const box = e.target.closest('#poses');
  if (box) {
    const slide = box.querySelector('[name=share]');
    if (e.target.name === 'kept') { slide.value = 1; tool.from = null; }
    if (e.target.name === 'kept' || e.target.name === 'share') showKept(box.querySelector('[name=kept]').value, Number(slide.value));
  }
  if (e.target.closest('#lay') && e.target.type === 'file' && e.target.files[0]) lookAt(e.target);
});
tray.addEventListener('change', (e) => {
  if (e.target.closest('#poses') && (e.target.name === 'share' || e.target.name === 'kept') && tool.from) { done('the kept pose', tool.from); tool.from = null; }
});

// lookAt shows how the joints of a motion would be paired, to be corrected.
async function lookAt(input) {
  const form = new FormData();
  form.append('file', input.files[0]);
  input.value = '';
  try {
    const l = await upload(`/api/characters/${store.id}/pairs`, form, () => {});
    const f = document.createElement('form');
    f.id = 'laying';
    f.laying = l;
    f.innerHTML = '<p class="hint"></p><label class="tick"><input type="checkbox" name="feet" checked> keep planted feet from sliding</label><details class="method"><summary>Pairs</summary><table class="report"><thead><tr><th scope="col">Theirs</th><th scope="col">Ours</th></tr></thead><tbody></tbody></table></details><div class="tool row"><button class="button is-small is-mend">Retarget</button><button type="button" class="button is-small" data-leave>Leave it</button></div>';
    f.querySelector('p').textContent = `${l.file.name}: ${l.frames} frames; ${Object.keys(l.pairs).length} of its ${l.theirs.length} joints lead one here.`;
    f.querySelector('[data-leave]').addEventListener('click', () => f.remove());
    f.querySelector('tbody').replaceChildren(...l.theirs.map((t) => {
      const tr = document.createElement('tr'), s = document.createElement('select');
      tr.innerHTML = '<th scope="row"></th><td></td>';
      tr.firstChild.textContent = t;
      s.dataset.theirs = t;
      s.dataset.was = l.pairs[t] ?? '';
      s.setAttribute('aria-label', `Ours for ${t}`);
      s.append(new Option('none', ''), ...joints().map((j) => new Option(j.name, j.name)));
      s.value = s.dataset.was;
      tr.lastElementChild.append(s);
      return tr;
    }));
    tray.querySelector('#laying')?.remove();
    tray.querySelector('#lay').append(f);
  } catch (e) { set({ say: e.message }); }
}

const all = () => { if (store.stage === 'motion') { score(); places(); panel(); } };
on('reel beside', all);
on('chosen also pulling', () => { if (store.stage === 'motion') panel(); });
on('character', () => { for (const n of [...held.keys()]) if (!joints().some((j) => j.name === n)) held.delete(n); });
on('pulling', () => tool.plate?.turner());
on('chosen pose stage', () => { if (store.places && store.stage !== 'motion') store.places = null; });
document.addEventListener('trayloaded', all);
