// Shapes: sliders that hold shape targets by hand, what brings them on, and targets from files.
import { getBuffer, post, upload } from '../api.js';
import { chooseAt } from '../plate.js';
import { anglesFrom, turnFrom } from '../pose.js';
import { chosenJoint, chosenNames, joints, on, operate, posesByName, set, setPoses, store } from '../session.js';
import { angleAbout } from '../shape-values.js';
import * as brushing from './brushing.js';
import * as choosing from './choosing.js';
import { drawKnots } from './knots.js';
import { reach } from './reach.js';
import * as sculpt from './sculpt.js';
import { turnChosen } from './weights.js';

const tray = document.getElementById('tray');
let picked = '', filter = ''; // the target that is worked on, and what is searched for

export const tool = {
  stage: 'shapes',
  posed: true,
  bent: true,
  get handle() { return store.hand !== 'pose' ? '' : moving() ? 'move' : store.character?.weights && chosenJoint() && !chosenJoint().end ? 'turn' : ''; },
  click: chooseAt,
  enter(plate) { tool.plate = plate; sculpt.sculptOn(plate, () => picked); },
  taken() { show(); }, // values are those of the rig that is here now
  leave() {
    brushing.hideRing();
    choosing.end();
    if (store.heldShapes) set({ heldShapes: null });
    reach(tool.plate, null);
  },
  show: () => ({ chosen: choosing.marked() }),
  cursor: () => ({ pose: '', choose: 'crosshair', sculpt: 'none' })[store.hand],
  // down takes hold for sculpting and choosing; with Alt the view turns as ever, and with Ctrl a joint is selected.
  down(plate, pane, x, y, e) {
    if (!['sculpt', 'choose'].includes(store.hand) || !store.character.mesh || e.altKey) return false;
    if (store.hand === 'choose') return choosing.begin(plate, pane, x, y, e);
    if ((e.ctrlKey || e.metaKey) && chooseAt(plate, pane, x, y, e)) return true;
    return brushing.begin(sculpt.craft, pane, x, y, e);
  },
  move(plate, pane, x, y, e) { if (store.hand === 'sculpt') brushing.move(pane, x, y, e); else choosing.move(plate, pane, x, y); },
  up(plate, pane, x, y, e) { if (store.hand === 'sculpt') brushing.end(); else choosing.up(plate, pane, x, y, e); },
  cancel() { brushing.cancel(); choosing.end(); },
  hover(plate, pane, x, y) { if (store.hand === 'sculpt') brushing.point(sculpt.craft, pane, x, y); },
  turning: turnChosen,
  // The rules move a joint of the build that is picked, at rest: the skin stays, and only later poses bend there.
  grip(plate) { tool.gripped = moving() ? { list: plate.posed.joints, i: store.chosen, start: plate.posed.at[store.chosen].clone(), to: null } : null; },
  gripping(plate, to) {
    const g = tool.gripped;
    if (!g) return;
    g.to = to;
    plate.seat(g.list.map((j, i) => (i === g.i ? { ...j, pos: to.toArray() } : j)));
  },
  async let(plate) {
    const g = tool.gripped, t = targetOf(picked);
    tool.gripped = null;
    if (g?.to && t) {
      const by = g.to.clone().sub(g.start).toArray(), value = valueOf(picked), was = t.joints?.[joints()[g.i].name] ?? {};
      await operate('shift_joint', { target: picked, joint: joints()[g.i].name, move: by.map((d, k) => (was.move?.[k] ?? 0) + d / value), turn: degreesOf(was), mirror: mirrored(g.i) });
    }
    plate.reseat();
  },
};

// moving tells whether a joint of the picked build is to be moved, in a pose in which it can be: at rest, with the target on.
function moving() {
  return Boolean(tray.querySelector('[name=move]')?.checked && targetOf(picked) && chosenJoint() && !store.pose.size && Math.abs(valueOf(picked)) > 0.05);
}

const valueOf = (name) => tool.plate?.shapes.values(joints(), store.pose, store.heldShapes)[rig()?.targets.findIndex((t) => t.name === name)] ?? 0;
const degreesOf = (shift) => (shift.turn ?? [0, 0, 0]).map((x) => x * 180 / Math.PI);
const mirrored = (i) => Boolean(tray.querySelector('[data-shape=shift_joint] [name=mirror]')?.checked) && (joints()[i].partner ?? -1) >= 0;

const rig = () => store.character?.shapes ?? null;
const targetOf = (name) => rig()?.targets.find((t) => t.name === name);

// hold shows a target at a value, before it is stored; null lets go of it.
function hold(name, value) {
  const held = new Map(store.heldShapes ?? []);
  if (value === null) held.delete(name); else held.set(name, value);
  set({ heldShapes: held.size ? held : null });
}

function pick(name) {
  picked = targetOf(name) ? name : '';
  show();
  document.dispatchEvent(new Event('targetpicked'));
  document.dispatchEvent(new Event('redraw'));
}

// show puts what a pose brings on, and what is picked, into the tray.
function show() {
  if (store.stage !== 'shapes') return;
  const values = tool.plate?.shapes.values(joints(), store.pose, store.heldShapes) ?? [], list = rig()?.targets ?? [];
  const among = tray.querySelector('[name=find-touched]')?.checked && store.vertices.length ? new Set(store.vertices) : null;
  const release = tray.querySelector('[data-release]');
  if (release) release.hidden = !store.heldShapes;
  const soloed = list.some((t) => t.solo) || rig()?.groups?.some((g) => g.solo);
  for (const li of tray.querySelectorAll('.targets li[data-target]')) {
    const k = list.findIndex((t) => t.name === li.dataset.target), slider = li.querySelector('input'), out = li.querySelector('output');
    li.classList.toggle('held', Boolean(store.heldShapes?.has(li.dataset.target)));
    li.hidden = (Boolean(filter) && !li.dataset.target.toLowerCase().includes(filter)) || (among && k >= 0 && !tool.plate.shapes.targets[k]?.vertex.some((v) => among.has(v)));
    li.classList.toggle('picked', li.dataset.target === picked);
    if (k < 0) continue;
    li.classList.toggle('silent', Boolean(soloed) && !values[k]);
    if (slider !== document.activeElement || 'driven' in slider.dataset) slider.value = values[k];
    out.textContent = values[k].toFixed(2);
  }
  const acts = tray.querySelector('#target-acts'), t = targetOf(picked);
  showReach(acts);
  if (!acts) return;
  acts.hidden = !t;
  if (!t) return;
  acts.querySelector('h4').textContent = t.name;
  acts.querySelector('[data-shape=mute_targets]').textContent = t.muted ? 'Unmute' : 'Mute';
  acts.querySelector('[data-shape=lock_targets]').textContent = t.lock ? 'Unlock' : 'Lock';
  acts.querySelector('[data-pose-there]').disabled = !t.driver?.about && !t.near;
  acts.querySelector('[data-shape=free_targets]').disabled = !t.driver && !t.near && !t.between && !t.meets;
  const name = acts.querySelector('[name=name]');
  if (name !== document.activeElement) name.value = t.name;
  showShifts(acts, t);
  showKnots(acts, t);
  acts.querySelector('[data-shape=solo_targets]').textContent = t.solo ? 'End solo' : 'Solo';
  const group = acts.querySelector('[name=group]');
  if (group !== document.activeElement) group.value = t.group ?? '';
  if (t.driver) {
    acts.querySelector('[name=axis]').value = t.driver.axis;
    acts.querySelector('[name=degrees]').value = top(t.driver).degrees;
  }
}

// showReach colors the skin by what the picked target moves, if that is wanted.
function showReach(acts) {
  const wanted = acts?.querySelector('[name=reach]').checked, k = rig()?.targets.findIndex((x) => x.name === picked) ?? -1;
  const most = reach(tool.plate, wanted && k >= 0 ? tool.plate.shapes.targets[k] : null), said = acts?.querySelector('[data-reach]');
  if (said) said.textContent = most ? `gray is still, dark is ${1000 * most < 99.5 ? `${(1000 * most).toPrecision(3)} mm` : `${(100 * most).toFixed(1)} cm`}` : '';
}

// showKnots draws the curve of a driver.
function showKnots(acts, t) {
  const box = acts.querySelector('#knots'), d = t.driver;
  box.hidden = !d;
  if (!d) return;
  box.querySelector('[name=smooth]').checked = Boolean(d.smooth);
  const i = joints().findIndex((j) => j.name === d.joint), angles = i >= 0 && store.pose.get(i);
  const angle = d.about && angles ? angleAbout(turnFrom(angles, joints()[i].order), d.about) : null;
  drawKnots(box.querySelector('svg'), d, angle, (knots) => changeDriver(t, { knots }));
}

const changeDriver = (t, other) => operate('drive_target', { target: t.name, joint: t.driver.joint, axis: t.driver.axis, degrees: top(t.driver).degrees, knots: t.driver.knots, smooth: Boolean(t.driver.smooth), ...other });

// showShifts lists how far the joints move that follow a target.
function showShifts(acts, t) {
  const box = acts.querySelector('#shifts'), list = Object.entries(t.joints ?? {});
  if (!box) return;
  box.hidden = !list.length && !chosenJoint();
  box.querySelector('table').hidden = !list.length;
  const far = ({ move = [0, 0, 0] }) => Math.hypot(...move);
  list.sort(([a, x], [b, y]) => far(y) - far(x) || a.localeCompare(b, 'en'));
  box.querySelector('tbody').replaceChildren(...list.map(([name, x]) => {
    const tr = document.createElement('tr');
    tr.innerHTML = '<th scope="row"></th><td class="num"></td><td class="num"></td><td class="acts"><button type="button" class="button is-small" data-drop-shift>Remove</button></td>';
    tr.dataset.joint = name;
    tr.children[0].textContent = name;
    tr.children[1].textContent = `${(1000 * far(x)).toFixed(1)} mm`;
    tr.children[2].textContent = `${Math.hypot(...degreesOf(x)).toFixed(1)}°`;
    return tr;
  }));
  const form = box.querySelector('form'), of = t.joints?.[chosenJoint()?.name]?.move ?? [0, 0, 0];
  if (!form.contains(document.activeElement)) ['x', 'y', 'z'].forEach((n, k) => { form.elements[n].value = (1000 * of[k]).toFixed(1); });
  form.querySelector('button').disabled = !chosenJoint();
  form.querySelector('[data-shift-of]').textContent = chosenJoint() ? `${chosenJoint().name} in this build, in mm from where it is without:` : 'Select a joint to place it in this build.';
}

// top is the knot at which a driver has its target farthest on.
const top = (d) => d.knots.reduce((a, b) => (Math.abs(b.value) > Math.abs(a.value) ? b : a));

tray.addEventListener('input', (e) => {
  if (store.stage !== 'shapes') return;
  if (['find-touched', 'reach'].includes(e.target.name)) { show(); tool.plate.show(); return; }
  if (e.target.name === 'find-target') { filter = e.target.value.trim().toLowerCase(); show(); return; }
  const li = e.target.closest('.targets li');
  if (!li?.dataset.target || e.target.type !== 'range') return;
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
  if (li?.dataset.target && e.target.type !== 'range') { pick(li.dataset.target === picked ? '' : li.dataset.target); return; }
  if (e.target.closest('[data-pose-there]') && t) { if (t.near) poseNear(t.near); else if (t.driver?.about) poseThere(t.driver); return; }
  if (await acted(e.target, t)) return;
  const does = e.target.closest('button[data-shape]')?.dataset.shape;
  if (!does || !t) return;
  if (does === 'mute_targets') await operate(does, { targets: [picked], muted: !t.muted });
  else if (does === 'lock_targets') await operate(does, { targets: [picked], locked: !t.lock });
  else if (does === 'solo_targets') await operate(does, { targets: [picked], solo: !t.solo });
  else if (['split_target', 'duplicate_target'].includes(does)) await operate(does, { target: picked });
  else await operate(does, { targets: [picked] });
});

// acted does what buttons of sets, builds and their joints stand for; it tells whether it was one.
async function acted(button, t) {
  const kept = button.closest('[data-set]')?.dataset.set, joint = button.closest('[data-joint]')?.dataset.joint;
  const is = (name) => Boolean(button.closest(`[data-${name}]`));
  if (is('use-set')) await operate('use_values', { name: kept });
  else if (is('drop-set')) await operate('drop_values', { name: kept });
  else if (is('release')) set({ heldShapes: null });
  else if (is('new-target')) await newTarget();
  else if (is('of-shown')) await operate('target_of_shown', { ...(store.pose.size && { turns: sculpt.turnsShown() }), ...(store.heldShapes && { held: Object.fromEntries(store.heldShapes) }) });
  else if (is('reset-targets')) await operate('reset_targets', {});
  else if (is('mute-group')) await regroup(button, (g) => ({ muted: !g.muted }));
  else if (is('solo-group')) await regroup(button, (g) => ({ solo: !g.solo }));
  else if (is('drop-group')) await operate('drop_group', { group: button.closest('[data-group]').dataset.group });
  else if (is('bake-build')) await operate('bake_build', {});
  else if (is('bake-new')) await bakeNew();
  else if (is('drop-shift') && t) await operate('drop_shifts', { targets: [t.name], joints: [joint], takes: 'both' });
  else if (is('drop-shifts') && t) await operate('drop_shifts', { targets: [t.name], takes: 'both' });
  else return false;
  return true;
}

// newTarget adds an empty target, brought on by the pose that is shown, and takes it up for sculpting.
async function newTarget() {
  const field = tray.querySelector('#sculpt [name=new-name]'), name = field.value.trim(), before = new Set(rig()?.targets.map((t) => t.name));
  if (!await operate('new_target', { ...(name && { name }), ...(store.pose.size && { turns: sculpt.turnsShown() }) })) return;
  field.value = '';
  pick(rig()?.targets.find((t) => !before.has(t.name))?.name ?? '');
}

// regroup sets something of the group that an element belongs to.
function regroup(element, change) {
  const g = rig()?.groups?.find((x) => x.name === element.closest('[data-group]').dataset.group);
  return g && operate('set_group', { group: g.name, times: g.times, muted: Boolean(g.muted), solo: Boolean(g.solo), in: g.in ?? '', ...change(g) });
}

// A target is dragged to a group, or to what is in none.
tray.addEventListener('dragstart', (e) => { const li = e.target.closest?.('.targets li[data-target]'); if (li) e.dataTransfer.setData('text/x-shape-target', li.dataset.target); });
tray.addEventListener('dragover', (e) => { if (e.target.closest?.('.targets li') && e.dataTransfer.types.includes('text/x-shape-target')) e.preventDefault(); });
tray.addEventListener('drop', async (e) => {
  const li = e.target.closest?.('.targets li'), name = e.dataTransfer.getData('text/x-shape-target');
  if (!li || !name) return;
  e.preventDefault();
  const group = li.dataset.group ?? targetOf(li.dataset.target)?.group ?? '';
  if ((targetOf(name)?.group ?? '') !== group) await operate('group_targets', { targets: [name], group });
});

// bakeNew makes a copy of the character and bakes that, and goes there.
async function bakeNew() {
  try {
    const made = await post(`/api/characters/${store.id}/duplicate`, { op: 'bake_build', params: {} });
    location.href = made.url;
  } catch (x) { set({ say: x.message }); }
}

tray.addEventListener('keydown', (e) => {
  const li = e.target.closest('.targets li');
  if (li && e.target === li && (e.key === 'Enter' || e.key === ' ')) { e.preventDefault(); pick(li.dataset.target); }
});

tray.addEventListener('submit', async (e) => {
  const does = e.target.dataset.shape;
  if (store.stage !== 'shapes' || !does) return;
  e.preventDefault();
  if (does === 'correct_pose') {
    const name = String(new FormData(e.target).get('name'));
    if (!store.pose.size) set({ say: 'Pose the character first: turn the joints to where the skin needs a corrective.' });
    else if (await operate(does, { turns: sculpt.turnsShown(), ...(name ? { name } : {}) })) e.target.reset();
    return;
  }
  if (does === 'keep_values') { await operate(does, { name: String(new FormData(e.target).get('name')) }); return; }
  if (!picked) return;
  const f = new FormData(e.target), number = (k) => Number(f.get(k));
  if (does === 'rename_target') {
    const name = String(f.get('name'));
    if (await operate(does, { target: picked, name })) pick(name);
  } else if (does === 'scale_target') await operate(does, { target: picked, times: number('times'), below: number('below') / 1000 });
  else if (does === 'add_to_target') await operate(does, { target: picked, from: f.get('from'), times: number('times') });
  else if (does === 'drive_by_pose') {
    if (!store.pose.size) { set({ say: 'Pose the character first: the target comes on near the pose that is shown.' }); return; }
    await operate(does, { target: picked, turns: sculpt.turnsShown(), reach: number('reach') });
  } else if (does === 'group_targets') await operate(does, { targets: [picked], group: String(f.get('group')) });
  else if (does === 'place_between') await operate(does, { target: picked, of: f.get('of'), at: number('at') });
  else if (does === 'combine_targets') await operate(does, { target: picked, of: f.getAll('of'), least: f.has('least') });
  else if (does === 'follow_shape') await operate(does, { targets: [picked], takes: f.get('takes'), fit: f.has('fit'), ...(f.has('chosen') ? { joints: chosenNames() } : {}) });
  else if (does === 'shift_joint') {
    const j = chosenJoint(), was = targetOf(picked)?.joints?.[j?.name] ?? {};
    if (j) await operate(does, { target: picked, joint: j.name, move: ['x', 'y', 'z'].map((k) => number(k) / 1000), turn: degreesOf(was), mirror: mirrored(joints().indexOf(j)) });
  } else if (does === 'drive_target') {
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

// poseNear turns the joints to the pose that a target is on in.
function poseNear({ turns }) {
  const list = joints(), out = {};
  for (const [name, q] of Object.entries(turns)) {
    const j = list.find((x) => x.name === name);
    if (j) out[name] = anglesFrom(q, j.order);
  }
  setPoses(out);
}

// addFiles sends files, and adds what they hold.
async function addFiles(files, other = {}) {
  const form = new FormData(), box = tray.querySelector('#add-shapes'), said = box.querySelector('#shapes-said');
  const asked = { match: box.querySelector('[name=match]').value, posed: Boolean(box.querySelector('[name=sculpted]')?.checked), ...other };
  for (const f of files) form.append('file', f, f.name);
  said.textContent = `Reading ${files[0].name}`;
  try {
    const { file } = await upload(`/api/characters/${store.id}/guides`, form, () => {});
    await operate('add_targets', { file, ...asked });
    said.textContent = '';
  } catch (x) { said.textContent = x.message; }
}

tray.addEventListener('change', async (e) => {
  if (e.target.id === 'shape-files' && e.target.files.length) {
    const files = [...e.target.files].sort((a, b) => a.name.localeCompare(b.name, 'en', { numeric: true }));
    e.target.value = '';
    await addFiles(files);
  }
  if (e.target.id === 'shapes-from' && e.target.value) {
    const { value } = e.target, name = e.target.selectedOptions[0].text;
    e.target.value = '';
    // Its targets; as it is bound, at rest.
    try { await addFiles([new File([await getBuffer(`/characters/${value}/handoff/glb`)], `${name}.glb`)], { posed: false }); } catch (x) { set({ say: x.message }); }
  }
});

tray.addEventListener('change', (e) => {
  if (store.stage !== 'shapes') return;
  if (e.target.name === 'move') tool.plate?.turner();
  const t = targetOf(picked);
  if (e.target.name === 'smooth' && t?.driver) changeDriver(t, { smooth: e.target.checked });
  if (e.target.name === 'times' && e.target.closest('[data-group]')) regroup(e.target, () => ({ times: Number(e.target.value) }));
});
document.addEventListener('trayloaded', show);
on('pose heldShapes character stage chosen vertices', show);

const focus = (selector) => () => tray.querySelector(selector)?.focus();
export function commands(add) {
  const here = () => store.stage === 'shapes' && Boolean(store.character?.mesh);
  add('sculpt', 'Sculpt, or stop', ['I'], () => set({ hand: store.hand === 'sculpt' ? 'pose' : 'sculpt' }), here, { words: 'brush grab inflate corrective' });
}

export const own = {
  duplicate_target: focus('.targets li'), target_of_shown: focus('[data-of-shown]'), new_target: focus('#sculpt [name=new-name]'), sculpt_target: () => set({ hand: 'sculpt' }), move_vertices: () => set({ hand: 'choose' }),
  propose_correctives: focus('#correct form button'),
  add_targets: () => tray.querySelector('#shape-files')?.click(),
  set_target: focus('.targets input'),
  mute_targets: focus('.targets li'), lock_targets: focus('.targets li'), add_to_target: focus('.targets li'), rename_target: focus('.targets li'), remove_targets: focus('.targets li'), mirror_targets: focus('.targets li'),
  split_target: focus('.targets li'), scale_target: focus('.targets li'), drive_target: focus('.targets li'), combine_targets: focus('.targets li'),
  correct_pose: focus('[data-shape=correct_pose] button'), drive_by_pose: focus('.targets li'), group_targets: focus('.targets li'), set_group: focus('.targets .group input'), drop_group: focus('[data-drop-group]'), solo_targets: focus('.targets li'),
  follow_shape: focus('.targets li'), shift_joint: focus('.targets li'), drop_shifts: focus('.targets li'), bake_build: focus('[data-bake-build]'), reset_targets: focus('[data-reset-targets]'),
  keep_values: focus('[data-shape=keep_values] input'), use_values: focus('[data-use-set]'), drop_values: focus('[data-drop-set]'), place_between: focus('.targets li'), free_targets: focus('.targets li'),
};
