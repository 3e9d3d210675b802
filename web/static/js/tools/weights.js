// Weights and pose: maps of the weights, turning joints, probing the skin.
import { getJSON } from '../api.js';
import { ranges } from '../fill.js';
import { chooseAt } from '../plate.js';
import { choose, chosenJoint, chosenNames, conventionOf, joints, on, operate, posesByName, remember, set, setPoses, store } from '../session.js';
import * as choosing from './choosing.js';
import { swingJoint, swung, stillJoint } from './swing.js';
import './motion.js';
import * as brushing from './brushing.js';
import * as paint from './paint.js';

const tray = document.getElementById('tray');
const kept = `pose/${store.id}`; // over a reload

export const tool = {
  stage: 'weights',
  posed: true,
  get bent() { return store.hand === 'pose'; },
  enter(plate) { tool.plate = plate; },
  leave() { brushing.hideRing(); choosing.end(); stillJoint(); if (store.dots) set({ dots: false }); },
  get swung() { return swung(); },
  get handle() { return store.hand === 'pose' && store.character?.weights && chosenJoint() && !chosenJoint().end ? 'turn' : ''; },
  cursor: () => ({ pose: '', choose: 'crosshair', paint: 'none' })[store.hand],
  // down takes hold for painting and choosing; with Alt the view turns as ever.
  down(plate, pane, x, y, e) {
    if (store.hand === 'pose' || !store.character.weights || (e.altKey && store.hand !== 'pose')) return false;
    // A stroke passes through the rings of joints; with Ctrl one is selected.
    if (store.hand === 'paint' && (e.ctrlKey || e.metaKey) && store.bones && plate.shownJoint(pane, x, y) >= 0) { choose(plate.shownJoint(pane, x, y), e.shiftKey); return true; }
    return store.hand === 'paint' ? brushing.begin(paint.craft, pane, x, y, e) : choosing.begin(plate, pane, x, y, e);
  },
  move(plate, pane, x, y, e) { if (store.hand === 'paint') brushing.move(pane, x, y, e); else choosing.move(plate, pane, x, y); },
  up(plate, pane, x, y, e) { if (store.hand === 'paint') brushing.end(); else choosing.up(plate, pane, x, y, e); },
  cancel() { brushing.cancel(); choosing.end(); },
  hover(plate, pane, x, y) { brushing.point(paint.craft, pane, x, y); },
  async click(plate, pane, x, y, e) {
    if (chooseAt(plate, pane, x, y, e) || !store.character.weights) return;
    const v = plate.picker.vertexAt(pane, x, y);
    if (v < 0) { set({ probed: null }); return; }
    try {
      set({ probed: await getJSON(`/api/characters/${store.id}/probe/${v}`) });
    } catch { set({ probed: null }); }
  },
  show: () => ({ mode: store.character.weights ? { joint: store.chosen >= 0 ? 1 : 0, leader: 2 }[store.map] ?? 0 : 0, probe: store.probed?.vertex ?? -1, chosen: choosing.marked() }),

  turning: turnChosen,
};

// turnChosen is what the dials do: turning the chosen joint about one of its own axes.
// Joints that are chosen besides turn by as much, each about its own axis.
export function turnChosen(axis, degrees) {
  const i = store.chosen, k = 'xyz'.indexOf(axis), map = new Map(store.pose);
  const within = (d) => Math.round(10 * (((d + 540) % 360 + 360) % 360 - 180)) / 10;
  const by = degrees - (store.pose.get(i)?.[k] ?? 0);
  for (const j of [i, ...store.also]) {
    const angles = [...(store.pose.get(j) ?? [0, 0, 0])];
    angles[k] = limited(joints()[j], axis, within(j === i ? degrees : angles[k] + by));
    map.set(j, angles);
  }
  pose(map, `pose of ${joints()[i].name}`);
}

// grown keeps a length within what a joint may become, as a part of its length.
function grown(j, v) {
  const [least, most] = j.long ?? [0.1, 10];
  return Math.max(least, Math.min(most, v));
}

// limited keeps an angle within the limits of a joint's motion about an axis, where that is wanted.
function limited(j, axis, degrees) {
  if (!tray.querySelector('[name=limits]')?.checked) return degrees;
  const { aim, bend } = conventionOf(joints().indexOf(j)), l = { [bend]: j.bend, [aim.at(-1)]: j.twist }[axis] ?? j.aside;
  return l && (l[0] || l[1]) ? Math.max(l[0], Math.min(l[1], degrees)) : degrees;
}

// pose changes the pose; undo takes it back.
function pose(map, what) {
  const before = posesByName();
  set({ pose: map });
  const after = posesByName();
  remember(`the ${what}`, 'pose', () => setPoses(before), () => setPoses(after));
}

export function commands(add) {
  const here = () => ['weights', 'bindpose'].includes(store.stage);
  add('resetJoint', 'Reset the selected joint', ['R'], () => { const p = new Map(store.pose); p.delete(store.chosen); pose(p, `reset of ${chosenJoint()?.name}`); }, () => here() && store.chosen >= 0, { words: 'rest zero pose' });
  add('resetPose', 'Reset all joints to rest', ['0'], () => { store.move = null; pose(new Map(), 'reset of the pose'); }, here, { words: 'rest bind pose zero' });
  const maps = ['joint', 'several', 'leader', 'count', 'motion', 'problems', 'mix', 'cap', 'apart', 'plain'];
  add('map', 'Next weight map', ['W'], () => set({ map: maps[(maps.indexOf(store.map) + 1) % maps.length] }), () => store.stage === 'weights', { words: 'influence color display' });
  const bound = () => store.stage === 'weights' && Boolean(store.character?.weights);
  const selects = () => bound() || (store.stage === 'shapes' && Boolean(store.character?.mesh));
  const hand = (h) => () => set({ hand: store.hand === h ? 'pose' : h });
  add('paint', 'Paint weights, or stop', ['I'], hand('paint'), bound, { words: 'brush' });
  add('choose', 'Select vertices, or stop', ['F'], hand('choose'), selects, { words: 'select box lasso' });
  const brushed = () => Boolean(brushing.craftAt());
  add('narrower', 'A smaller brush', ['['], () => brushing.craftAt().setBrush({ radius: brushing.craftAt().brush.radius / 1.15 }), brushed, { words: 'radius size' });
  add('wider', 'A larger brush', [']'], () => brushing.craftAt().setBrush({ radius: brushing.craftAt().brush.radius * 1.15 }), brushed, { words: 'radius size' });
  add('size', 'Change the radius with the pointer, while the key is held', ['O'], () => brushing.size(true), brushed, { words: 'brush wider narrower' });
  add('grow', 'Grow the selection by a ring', ['G'], () => choosing.ask('grow'), selects, { words: 'expand selection' });
  add('shrink', 'Shrink the selection by a ring', ['T'], () => choosing.ask('shrink'), selects, { words: 'selection' });
  add('jointUnder', 'Select the leading joint under the pointer', ['Z'], () => leaderUnder(), bound, { words: 'pick joint' });
  add('jointBefore', 'Select the previous joint', ['V'], () => set({ chosen: before, also: new Set() }), bound, { words: 'back last joint' });
  add('restShown', 'Show the bind pose, and the pose again', ['Q'], restShown, bound, { words: 'toggle rest' });
  add('dots', 'Show the vertices with their weight, or not', ['M'], () => set({ dots: !store.dots }), bound, { words: 'points vertex display' });
  add('smoothSkin', 'Show the subdivided surface, or not', ['U'], () => set({ smoothSkin: !store.smoothSkin }), selects, { words: 'subdivision subdivided surface preview' });
  add('swing', 'Swing the selected joint while the key is held', ['S'], () => swingJoint(), bound, { words: 'animate turn to and fro test' });
}

// leaderUnder chooses the joint that leads where the pointer is.
function leaderUnder() {
  const { plate } = tool, { pointer } = plate;
  const v = pointer ? plate.picker?.vertexAt(pointer.pane, pointer.x, pointer.y) ?? -1 : -1;
  if (v < 0) return;
  const leader = plate.skin.influences.leaderOf(v);
  if (leader >= 0) set({ chosen: leader, also: new Set() });
}

let before = -1, now = -1, away = null;
on('chosen', () => { if (store.chosen !== now) { before = now; now = store.chosen; } });

// restShown shows the bind pose, and after that the pose again; weights stay as they are.
function restShown() {
  if (store.pose.size) { away = posesByName(); set({ pose: new Map() }); } else if (away) setPoses(away);
}
addEventListener('keyup', (e) => { if (e.key.toLowerCase() === 's') stillJoint(); });
addEventListener('blur', stillJoint);
on('swing', () => tool.plate?.bend());

// hands shows the hand that is at work; one that the stage does not have gives way.
function hands() {
  const list = [...tray.querySelectorAll('[name=hand]')];
  if (list.length && !list.some((r) => r.value === store.hand)) { set({ hand: 'pose' }); return; }
  for (const r of list) r.checked = r.value === store.hand;
  for (const d of tray.querySelectorAll('[data-hand]')) d.hidden = d.dataset.hand !== store.hand;
}
on('hand', () => { hands(); paint.panel(); tool.plate?.turner(); });
document.addEventListener('trayloaded', hands);

const blendable = () => { for (const b of tray.querySelectorAll('[data-blend=chosen]')) b.disabled = !chosenJoint(); };
on('chosen also character stage', blendable);
tray.addEventListener('click', (e) => {
  const b = e.target.closest('[data-blend]'), mix = b?.parentElement.querySelector('[name=mix]');
  if (!b) return;
  const { vertices } = store, some = vertices.length ? { vertices: ranges(vertices) } : {};
  if (b.dataset.blend === 'joints') operate('drop_mix', some);
  else if (mix.reportValidity()) operate('set_blending', { ...({ chosen: { joints: chosenNames() }, vertices: some }[b.dataset.blend]), mix: Number(mix.value) });
});

tray.addEventListener('change', (e) => {
  if (e.target.closest('#angles') && e.target.name === 'thick') operate('limit_joints', { joints: chosenNames(), thick: e.target.checked, both: store.both });
});

tray.addEventListener('input', (e) => {
  const form = e.target.closest('#angles');
  if (form && store.chosen >= 0) {
    const n = e.target.name.at(-1), i = 'xyzl'.indexOf(n), v = Number(e.target.value);
    if (i < 0 || e.target.type === 'checkbox' || !Number.isFinite(v)) return;
    delete e.target.dataset.touched;
    const a = [...(store.pose.get(store.chosen) ?? [0, 0, 0])];
    a[i] = i < 3 ? v : grown(chosenJoint(), v);
    if (a[3] === 1) a.length = 3;
    pose(new Map(store.pose).set(store.chosen, a), `pose of ${chosenJoint().name}`);
  }
  if (e.target.name === 'smooth_skin') set({ smoothSkin: e.target.checked });
  if (e.target.name === 'map') set({ map: e.target.value });
  if (e.target.name === 'hand') set({ hand: e.target.value });
});

// angles puts the angles of the chosen joint into the panel.
function angles() {
  for (const r of tray.querySelectorAll('[name=map]')) r.checked = r.value === store.map;
  for (const r of tray.querySelectorAll('[name=smooth_skin]')) r.checked = store.smoothSkin;
  const form = tray.querySelector('#angles');
  if (!form) return;
  const j = chosenJoint();
  form.hidden = !j;
  form.parentElement.querySelector('.hint').hidden = Boolean(j);
  if (!j) return;
  form.querySelector('h4').textContent = j.helper ? `${j.name} is a helper joint: it ${j.helper.says}` : j.end ? `${j.name} is an end joint: rotating it moves nothing` : j.name;
  const a = store.pose.get(store.chosen) ?? [0, 0, 0];
  ['x', 'y', 'z'].forEach((n, i) => {
    form.elements[n].value = a[i];
    if (document.activeElement !== form.elements[`n${n}`]) form.elements[`n${n}`].value = Math.round(10 * a[i]) / 10;
  });
  const [least, most] = j.long ?? [0.5, 2], { l, nl, thick } = form.elements;
  Object.assign(l, { min: Math.min(least, a[3] ?? 1), max: Math.max(most, a[3] ?? 1), value: a[3] ?? 1 });
  if (document.activeElement !== nl) nl.value = a[3] ?? 1;
  thick.checked = Boolean(j.thick);
  l.disabled = nl.disabled = thick.disabled = j.end;
}

function probe() {
  const box = tray.querySelector('.probe');
  if (!box) return;
  box.replaceChildren();
  const p = store.probed;
  box.parentElement.querySelector('.hint').hidden = Boolean(p);
  if (!p) return;
  const head = document.createElement('p');
  head.textContent = `Vertex ${p.vertex} at ${p.place.map((v) => (100 * v).toFixed(1)).join(', ')} cm`;
  box.append(head);
  if (!p.movers.length) {
    const none = document.createElement('p');
    none.textContent = 'No weights: nothing moves it.';
    box.append(none);
  }
  const list = document.createElement('ol');
  for (const m of p.movers) {
    const li = document.createElement('li');
    li.className = m.direct ? 'direct' : 'carried';
    li.style.setProperty('--share', m.direct ? m.weight : m.carried);
    const b = document.createElement('button');
    b.type = 'button';
    b.textContent = m.joint;
    b.addEventListener('click', () => set({ chosen: joints().findIndex((j) => j.name === m.joint) }));
    const v = document.createElement('span');
    const carries = m.carried > m.weight + 0.0005 ? `carries ${m.carried.toFixed(3)}` : '';
    v.textContent = [m.direct ? m.weight.toFixed(3) : '', carries].filter(Boolean).join(' · ');
    const away = document.createElement('button');
    Object.assign(away, { type: 'button', className: 'button is-small', textContent: 'take away', hidden: !m.direct, title: `Take this vertex away from ${m.joint}; the others share it` });
    away.addEventListener('click', () => operate('free_weights', { joints: [m.joint], vertices: String(p.vertex) }));
    li.append(b, v, away);
    list.append(li);
  }
  box.append(list);
}

on('chosen pose map smoothSkin', angles);
on('probed', probe);
document.addEventListener('trayloaded', () => { angles(); probe(); });
on('pose', () => {
  if (store.move) return; // of a motion that is shown
  try { sessionStorage.setItem(kept, JSON.stringify(posesByName())); } catch { /* without storage the pose ends with the page */ }
});
try { setPoses(JSON.parse(sessionStorage.getItem(kept)) ?? {}); } catch { /* what was kept is no pose: rest */ }
