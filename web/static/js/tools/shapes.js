// Shapes: sliders that hold shape targets by hand, what brings them on, and targets from files.
import { upload } from '../api.js';
import { chooseAt } from '../plate.js';
import { anglesFrom } from '../pose.js';
import { chosenJoint, joints, on, operate, posesByName, set, setPoses, store } from '../session.js';
import { turnChosen } from './weights.js';

const tray = document.getElementById('tray');
let picked = '', filter = ''; // the target that is worked on, and what is searched for

export const tool = {
  stage: 'shapes',
  posed: true,
  bent: true,
  get handle() { return store.character?.weights && chosenJoint() && !chosenJoint().end ? 'turn' : ''; },
  click: chooseAt,
  enter(plate) { tool.plate = plate; },
  leave() { if (store.heldShapes) set({ heldShapes: null }); },
  show: () => ({ chosen: touched() }),
  turning: turnChosen,
};

const rig = () => store.character?.shapes ?? null;
const targetOf = (name) => rig()?.targets.find((t) => t.name === name);

// touched are the vertices that the target moves which is worked on.
function touched() {
  const k = rig()?.targets.findIndex((t) => t.name === picked) ?? -1;
  return k < 0 ? null : tool.plate?.shapes.targets[k]?.vertex ?? null;
}

// hold shows a target at a value, before it is stored; null lets go of it.
function hold(name, value) {
  const held = new Map(store.heldShapes ?? []);
  if (value === null) held.delete(name); else held.set(name, value);
  set({ heldShapes: held.size ? held : null });
}

function pick(name) {
  picked = targetOf(name) ? name : '';
  show();
  document.dispatchEvent(new Event('redraw'));
}

// show puts what a pose brings on, and what is picked, into the tray.
function show() {
  if (store.stage !== 'shapes') return;
  const values = tool.plate?.shapes.values(joints(), store.pose, store.heldShapes) ?? [], list = rig()?.targets ?? [];
  for (const li of tray.querySelectorAll('.targets li')) {
    const k = list.findIndex((t) => t.name === li.dataset.target), slider = li.querySelector('input'), out = li.querySelector('output');
    li.hidden = Boolean(filter) && !li.dataset.target.toLowerCase().includes(filter);
    li.classList.toggle('picked', li.dataset.target === picked);
    if (k < 0) continue;
    if (slider !== document.activeElement || 'driven' in slider.dataset) slider.value = values[k];
    out.textContent = values[k].toFixed(2);
  }
  const acts = tray.querySelector('#target-acts'), t = targetOf(picked);
  if (!acts) return;
  acts.hidden = !t;
  if (!t) return;
  acts.querySelector('h4').textContent = t.name;
  acts.querySelector('[data-shape=mute_targets]').textContent = t.muted ? 'Unmute' : 'Mute';
  acts.querySelector('[data-shape=lock_targets]').textContent = t.lock ? 'Unlock' : 'Lock';
  acts.querySelector('[data-pose-there]').disabled = !t.driver?.about;
  acts.querySelector('[data-shape=free_targets]').disabled = !t.driver && !t.between && !t.meets;
  const name = acts.querySelector('[name=name]');
  if (name !== document.activeElement) name.value = t.name;
  if (t.driver) {
    acts.querySelector('[name=axis]').value = t.driver.axis;
    acts.querySelector('[name=degrees]').value = top(t.driver).degrees;
  }
}

// top is the knot at which a driver has its target farthest on.
const top = (d) => d.knots.reduce((a, b) => (Math.abs(b.value) > Math.abs(a.value) ? b : a));

tray.addEventListener('input', (e) => {
  if (store.stage !== 'shapes') return;
  if (e.target.name === 'find-target') { filter = e.target.value.trim().toLowerCase(); show(); return; }
  const li = e.target.closest('.targets li');
  if (!li || e.target.type !== 'range') return;
  picked = li.dataset.target;
  hold(picked, Number(e.target.value));
});

// A slider that is let go is stored; one that a joint brings on goes back to it.
tray.addEventListener('change', async (e) => {
  const li = e.target.closest('.targets li');
  if (store.stage !== 'shapes' || !li || e.target.type !== 'range') return;
  const name = li.dataset.target;
  if (!('driven' in e.target.dataset)) await operate('set_target', { target: name, value: Number(e.target.value) });
  hold(name, null);
});

tray.addEventListener('click', async (e) => {
  if (store.stage !== 'shapes') return;
  const li = e.target.closest('.targets li'), t = targetOf(picked);
  if (li && e.target.type !== 'range') { pick(li.dataset.target === picked ? '' : li.dataset.target); return; }
  if (e.target.closest('[data-pose-there]') && t?.driver?.about) { poseThere(t.driver); return; }
  const does = e.target.closest('button[data-shape]')?.dataset.shape;
  if (!does || !t) return;
  if (does === 'mute_targets') await operate(does, { targets: [picked], muted: !t.muted });
  else if (does === 'lock_targets') await operate(does, { targets: [picked], locked: !t.lock });
  else if (does === 'split_target') await operate(does, { target: picked });
  else await operate(does, { targets: [picked] });
});

tray.addEventListener('keydown', (e) => {
  const li = e.target.closest('.targets li');
  if (li && e.target === li && (e.key === 'Enter' || e.key === ' ')) { e.preventDefault(); pick(li.dataset.target); }
});

tray.addEventListener('submit', async (e) => {
  const does = e.target.dataset.shape;
  if (store.stage !== 'shapes' || !does || !picked) return;
  e.preventDefault();
  const f = new FormData(e.target), number = (k) => Number(f.get(k));
  if (does === 'rename_target') {
    const name = String(f.get('name'));
    if (await operate(does, { target: picked, name })) pick(name);
  } else if (does === 'scale_target') await operate(does, { target: picked, times: number('times'), below: number('below') / 1000 });
  else if (does === 'add_to_target') await operate(does, { target: picked, from: f.get('from'), times: number('times') });
  else if (does === 'drive_target') {
    if (!chosenJoint()) { set({ say: 'Select the joint that is to bring it on, then drive it.' }); return; }
    await operate(does, { target: picked, joint: chosenJoint().name, axis: f.get('axis'), degrees: number('degrees') });
  }
});

// poseThere turns the joint of a driver to where its target is farthest on.
function poseThere({ joint, about, knots }) {
  const i = joints().findIndex((j) => j.name === joint);
  if (i < 0) return;
  const half = top({ knots }).degrees * Math.PI / 360, s = Math.sin(half);
  setPoses({ ...posesByName(), [joint]: anglesFrom([about[0] * s, about[1] * s, about[2] * s, Math.cos(half)], joints()[i].order) });
}

// Files are sent, and what they hold is added.
tray.addEventListener('change', async (e) => {
  if (e.target.id !== 'shape-files' || !e.target.files.length) return;
  const files = [...e.target.files].sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true })), form = new FormData();
  const box = e.target.closest('section'), said = box.querySelector('#shapes-said');
  const asked = { match: box.querySelector('[name=match]').value, posed: Boolean(box.querySelector('[name=sculpted]')?.checked) };
  e.target.value = '';
  for (const f of files) form.append('file', f, f.name);
  said.textContent = `Reading ${files[0].name}`;
  try {
    const { file } = await upload(`/api/characters/${store.id}/guides`, form, () => {});
    await operate('add_targets', { file, ...asked });
    said.textContent = '';
  } catch (x) { said.textContent = x.message; }
});

document.addEventListener('trayloaded', show);
on('pose heldShapes character stage', show);

const focus = (selector) => () => tray.querySelector(selector)?.focus();
export const own = {
  propose_correctives: focus('#correct form button'),
  add_targets: () => tray.querySelector('#shape-files')?.click(),
  set_target: focus('.targets input'),
  mute_targets: focus('.targets li'), lock_targets: focus('.targets li'), add_to_target: focus('.targets li'), rename_target: focus('.targets li'), remove_targets: focus('.targets li'), mirror_targets: focus('.targets li'),
  split_target: focus('.targets li'), scale_target: focus('.targets li'), drive_target: focus('.targets li'), combine_targets: focus('.targets li'),
  place_between: focus('.targets li'), free_targets: focus('.targets li'),
};
