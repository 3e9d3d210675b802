// Placement: dragging and nudging joints, several at once, the starter before it is
// fitted, drawing chains, and centring.
import { Plane, Vector3 } from 'three';
import { post } from '../api.js';
import { ask } from '../ask.js';
import { rayAt, toScreen } from '../pick.js';
import { reckon } from '../reckon.js';
import { choose, chosenJoint, chosenNames, corrections, facing, forgetLocal, joints, on, operate, remember, set, store } from '../session.js';
import { middle } from '../plate.js';
import { forms } from '../tray.js';
import { TipSpots } from './tips.js';

const tray = document.getElementById('tray');

// In the view -------------------------------------------------------------------

export const tool = {
  stage: 'placement',
  from: 'front',
  through: true,
  handle: 'move',

  enter(plate) { this.tips ??= plate.tips = new TipSpots(plate.view.scene); },
  leave(plate) {
    this.tips?.update(plate.box);
    if (store.drawing) { set({ drawing: null }); forgetLocal('drawing'); }
    hideStarter();
  },
  show(plate) {
    this.tips?.update(plate.box);
    return { would: store.would, ghost: store.ghost ?? (store.drawing?.length ? store.drawing.map((p, i) => ({ name: String(i), parent: i - 1, pos: p.toArray(), rot: [0, 0, 0, 1] })) : null) };
  },
  cursor: () => (store.drawing || store.tip ? 'crosshair' : ''),

  // down takes hold of the joint under the pointer, or with Shift begins a box.
  down(plate, pane, x, y, e) {
    if (!store.bones || store.drawing || store.tip) return false;
    const i = plate.shownJoint(pane, x, y);
    if (i < 0 && e.shiftKey) {
      this.boxed = document.createElement('div');
      this.boxed.className = 'marquee';
      pane.element.append(this.boxed);
      return true;
    }
    if (i < 0) return false;
    choose(i, e.shiftKey);
    this.drag = e.shiftKey || joints()[i].locked ? null : { ...plate.hold(i), plane: new Plane().setFromNormalAndCoplanarPoint(pane.camera.getWorldDirection(new Vector3()), plate.posed.at[i]) };
    return true;
  },
  move(plate, pane, x, y, e) {
    const [fx, fy] = pane.from;
    if (this.boxed) {
      Object.assign(this.boxed.style, { left: `${Math.min(x, fx)}px`, top: `${Math.min(y, fy)}px`, width: `${Math.abs(x - fx)}px`, height: `${Math.abs(y - fy)}px` });
      return;
    }
    if (!this.drag) return;
    const to = rayAt(pane, x, y).intersectPlane(this.drag.plane, new Vector3());
    if (!to || Math.hypot(x - fx, y - fy) < 3 && !this.drag.moved) return;
    this.drag.moved = true;
    preview(plate, this.drag, (store.centred && middle(plate, pane, x, y)) || constrained(pane, this.drag, to, e.shiftKey));
  },
  up(plate, pane, x, y) {
    if (this.boxed) {
      const [fx, fy] = pane.from;
      this.boxed.remove();
      this.boxed = null;
      const inside = plate.posed.at.map((p, i) => [toScreen(pane, p), i]).filter(([p, i]) => !joints()[i].hidden && p.x >= Math.min(x, fx) && p.x <= Math.max(x, fx) && p.y >= Math.min(y, fy) && p.y <= Math.max(y, fy)).map(([, i]) => i);
      if (inside.length) set({ also: new Set([...store.also, ...(store.chosen >= 0 ? [store.chosen] : []), ...inside]), chosen: inside[0] });
      return;
    }
    const d = this.drag;
    this.drag = null;
    if (d?.moved) drop(plate, d);
  },
  cancel(plate) {
    this.boxed?.remove();
    this.boxed = this.drag = null;
    plate.setJoints(joints());
    plate.bend();
  },
  async click(plate, pane, x, y, e) {
    if (store.drawing || store.tip) {
      const p = middle(plate, pane, x, y);
      if (store.tip && p) giveTip(p);
      else if (store.tip) set({ say: 'There is no mesh under the pointer.' });
      else if (p) draw(p);
      else drawInTheAir(plate, pane, x, y);
      return;
    }
    if (store.bones && plate.shownJoint(pane, x, y) >= 0) return; // chosen as it was taken hold of
    if (e.altKey && store.chosen >= 0) { // a ring of the skin
      const v = plate.picker.vertexAt(pane, x, y);
      if (v >= 0) await operate('centre_ring', { joint: chosenJoint().name, vertex: v, both: store.both });
    }
  },

  // The rules: grip begins a move, gripped goes on with it, let ends it.
  grip(plate) { this.gripped = plate.hold(store.chosen); },
  gripping(plate, to) { if (this.gripped) preview(plate, this.gripped, to); },
  let(plate) {
    const d = this.gripped;
    this.gripped = null;
    if (d?.to) drop(plate, d);
  },
};

// constrained is a place that a joint is dragged to, rounded to the step along the
// pane's axes, and with straight along one of them alone.
function constrained(pane, drag, to, straight) {
  const by = to.clone().sub(drag.start), out = drag.start.clone();
  const axes = [0, 1].map((k) => new Vector3().setFromMatrixColumn(pane.camera.matrixWorld, k));
  let along = axes.map((a) => a.dot(by));
  if (straight) along = Math.abs(along[0]) > Math.abs(along[1]) ? [along[0], 0] : [0, along[1]];
  if (store.step) along = along.map((v) => Math.round(v / store.step) * store.step);
  axes.forEach((a, k) => out.addScaledVector(a, along[k]));
  return out;
}

// preview shows where a dragged joint would go; the server decides at the drop.
function preview(plate, d, to) {
  d.to = to;
  const by = to.clone().sub(d.start), list = joints(), places = d.rest.map((p) => p.clone());
  const shift = (i, v) => {
    const hangs = (k) => { for (let q = k; q >= 0; q = list[q].parent) if (q === i) return true; return false; };
    places.forEach((p, k) => { if (k === i || (store.branch && hangs(k))) p.add(v); });
  };
  shift(d.joint, by);
  if (store.both && list[d.joint].partner >= 0) {
    const partner = list[d.joint].partner, mirrored = new Vector3(2 * store.character.plane - to.x, to.y, to.z);
    shift(partner, mirrored.sub(d.rest[partner]));
  }
  plate.showPlaces(places);
  document.dispatchEvent(new CustomEvent('jointdragged', { detail: to.toArray() }));
}

async function drop(plate, d) {
  const kept = await operate('move_joint', { joint: d.name, to: d.to.toArray(), branch: store.branch, both: store.both });
  if (!kept) { plate.setJoints(joints()); plate.bend(); }
}

// nudge moves the chosen joint by steps along the first pane's axes; the server
// hears of it when the keys rest.
let nudged, resting;
function nudge(plate, x, y, step) {
  const i = store.chosen, pane = plate.view.panes[0];
  if (i < 0 || joints()[i].locked) return;
  nudged ??= { ...plate.hold(i), to: plate.posed.at[i].clone() };
  const right = new Vector3().setFromMatrixColumn(pane.camera.matrixWorld, 0), up = new Vector3().setFromMatrixColumn(pane.camera.matrixWorld, 1);
  preview(plate, nudged, nudged.to.clone().addScaledVector(right, x * step).addScaledVector(up, y * step));
  clearTimeout(resting);
  resting = setTimeout(() => { const d = nudged; nudged = null; drop(plate, d); }, 420);
}

// draw adds a place to the chain that is being drawn; undo takes it back.
function draw(p) {
  const before = store.drawing, after = [...before, p];
  set({ drawing: after });
  remember(`place ${after.length} of the chain`, `drawing ${after.length}`, () => set({ drawing: before }), () => set({ drawing: after }));
}

// drawInTheAir adds a place that no mesh is under, as of a tail, a cape or a strap: in the plane
// through the last place that faces the pane, else through the joint that the chain will hang
// from, else through the middle of the character.
function drawInTheAir(plate, pane, x, y) {
  const last = store.drawing.at(-1) ?? plate.posed.at[store.chosen] ?? plate.box.getCenter(new Vector3());
  const plane = new Plane().setFromNormalAndCoplanarPoint(pane.camera.getWorldDirection(new Vector3()), last);
  const p = rayAt(pane, x, y).intersectPlane(plane, new Vector3());
  if (!p) return;
  draw(p);
  set({ say: store.drawing.length > 1 ? 'No mesh there: placed as far away as the click before.' : store.chosen >= 0 ? `No mesh is there: as far away as ${chosenJoint().name}.` : 'No mesh is there: as far away as the middle of the character.' });
}

async function endChain() {
  const places = store.drawing;
  set({ drawing: null });
  forgetLocal();
  if (places.length) await operate('draw_chain', { parent: chosenJoint()?.name ?? '', places: places.map((p) => p.toArray()), end: places.length > 1 });
}

// Commands ------------------------------------------------------------------------

export function commands(add, plate) {
  const here = () => store.stage === 'placement', held = () => here() && store.chosen >= 0;
  for (const [name, key, x, y] of [['left', 'arrowleft', -1, 0], ['right', 'arrowright', 1, 0], ['up', 'arrowup', 0, 1], ['down', 'arrowdown', 0, -1]]) {
    add(`nudge-${name}`, `Nudge the selected joint ${name} by 1 mm`, [key], () => nudge(plate, x, y, 0.001), held, { family: 'Nudge by 1 mm (Shift: 1 cm)' });
    add(`push-${name}`, `Nudge the selected joint ${name} by 1 cm`, [`Shift+${key}`], () => nudge(plate, x, y, 0.01), held, { family: 'Nudge by 1 mm (Shift: 1 cm)' });
  }
  add('drawn', 'End the chain that is being drawn', ['enter'], () => endChain(), () => here() && Boolean(store.drawing));
  add('centred', 'Keep a dragged joint in the middle of the volume', ['Q'], () => set({ centred: !store.centred }), here);
  add('along', 'Arrows along the world, the joint or its parent', ['Y'], () => set({ along: { world: 'joint', joint: 'parent', parent: 'world' }[store.along] }), here);
  add('centreUnder', 'Center the selected joint under the pointer', ['Z'], () => own.centre_along(plate), held);
  add('hang', 'Reparent to the last selected', ['U'], () => operate('reparent_joint', { joints: chosenNames().slice(1), parent: chosenJoint().name }), () => here() && chosenNames().length > 1, { words: 'parent reparent hierarchy attach' });
  add('step', 'Round drags to 1 mm, 5 mm, 1 cm or not at all', ['O'], () => set({ step: { 0: 0.001, 0.001: 0.005, 0.005: 0.01 }[store.step] ?? 0 }), here, { words: 'snap grid' });
  add('both', 'Move both sides or one', ['M'], () => set({ both: !store.both }), here, { words: 'mirror symmetry' });
  add('branch', 'Move with descendants or alone', ['N'], () => set({ branch: !store.branch }), here, { words: 'hierarchy children' });
}

// own are the operations whose parameters this tool fills in.
export const own = {
  draw_chain: () => { if (store.stage === 'placement') { set({ drawing: store.drawing ? null : [] }); if (!store.drawing) forgetLocal(); set({ say: store.drawing ? 'Click along the limb. Enter ends the chain, Escape cancels it, Ctrl+Z undoes the last click.' : '' }); } },
  centre_joints: () => (store.chosen >= 0 ? operate('centre_joints', { joints: chosenNames(), both: store.both }) : set({ say: 'Select a joint first, in the view or the ledger.' })),
  centre_along: (plate) => { const ray = plate?.underPointer?.(); if (ray && store.chosen >= 0) operate('centre_along', { joint: chosenJoint().name, ...ray, both: store.both }); else set({ say: 'Center along the view: select a joint, point at the mesh, press Z.' }); },
  centre_ring: () => set({ say: 'Center in a loop: select a joint, then Alt-click the skin beside it.' }),
  remove_joints: () => removeChosen(),
  fit_starter: () => (store.character.fit ? operate('fit_starter', again()) : tray.querySelector('#starter .is-primary')?.focus()),
};

async function removeChosen() {
  const names = chosenNames();
  if (!names.length) { set({ say: 'Select a joint first, in the view or the ledger.' }); return; }
  if (names.length > 1 && !await ask(`Remove ${names.length} joints?`, 'Their children attach to the nearest remaining ancestor, in place. Undo brings them back.', 'Remove')) return;
  await operate('remove_joints', { joints: names });
}

document.addEventListener('reparent', (/** @type {CustomEvent} */ e) => operate('reparent_joint', e.detail));
on('drawing tip shown tipPointed ghost', () => document.dispatchEvent(new CustomEvent('redraw')));

// Choosing ------------------------------------------------------------------------

function chooseMore(what) {
  const list = joints(), i = store.chosen;
  if (i < 0) return;
  const hangs = (k) => { for (let q = k; q >= 0; q = list[q].parent) if (q === i) return true; return false; };
  const also = new Set([...store.also, i]);
  if (what === 'partner') { for (const k of [...also]) if (list[k].partner >= 0) also.add(list[k].partner); }
  if (what === 'all') list.forEach((_, k) => also.add(k));
  if (what === 'side') list.forEach((j, k) => { if (j.side === list[i].side) also.add(k); });
  if (what === 'branch') list.forEach((_, k) => { if (hangs(k)) also.add(k); });
  if (what === 'chain') {
    const children = list.map(() => []);
    list.forEach((j, k) => { if (j.parent >= 0) children[j.parent].push(k); });
    for (let k = i; children[k].length === 1; k = children[k][0]) also.add(children[k][0]);
    for (let k = i; list[k].parent >= 0 && children[list[k].parent].length === 1; k = list[k].parent) also.add(list[k].parent);
  }
  set({ also });
}

// The starter ------------------------------------------------------------------

function starterForm() {
  const form = tray.querySelector('#starter');
  if (!form || form.dataset.filled) return;
  form.dataset.filled = '1';
  form.kinds = JSON.parse(form.dataset.starters);
  form.own = JSON.parse(form.dataset.own);
  const now = JSON.parse(form.dataset.now);
  if (form.own.some((o) => o.name === form.dataset.nowOwn)) form.elements.starter.value = `own:${form.dataset.nowOwn}`;
  else if (now?.starter) form.elements.starter.value = now.starter;
  fillStarter(form, ownOf(form) ? null : now?.starter ? now : null);
}

// ownOf is the starter of the production that is chosen, if one is.
const ownOf = (form) => form.own.find((o) => `own:${o.name}` === form.elements.starter.value);

function fillStarter(form, params) {
  const own = ownOf(form);
  const kind = form.kinds.find((k) => k.Name === (own ? own.like.starter : form.elements.starter.value));
  form.querySelector('[data-discard]').hidden = !own;
  const p = params ?? kind.Default;
  for (const label of form.querySelectorAll('[data-count]')) {
    const name = label.dataset.count, f = form.elements[name];
    label.hidden = Boolean(own) || !kind.Reads?.includes(name);
    f.disabled = label.hidden;
    if (name === 'neck') f.max = form.elements.starter.value === 'biped' ? 3 : 6;
    if (f.dataset.touched && params === undefined) continue;
    if (f.type === 'checkbox') f.checked = Boolean(p[name]); else f.value = p[name] ?? f.value;
  }
  form.querySelector('#starter-joints').textContent = '';
  const offered = form.querySelector('#tips');
  if (!offered) return;
  offered.hidden = !kind.Shown;
  offered.querySelector('.tips').replaceChildren(...(kind.Shown ?? []).map((name) => {
    const b = document.createElement('button');
    b.type = 'button';
    b.className = `button is-small${corrections()[name] ? ' is-given' : ''}`;
    b.dataset.tip = name;
    b.textContent = name;
    return b;
  }));
}

// again are the parameters of the fit that is there, with what was corrected.
export const again = () => ({ ...store.character.fit.params, own: store.character.fit.own, shown: corrections(), facing: facing() });

export function starterParams(form) {
  const own = ownOf(form);
  if (own) return { ...own.like, own };
  const out = { starter: form.elements.starter.value };
  for (const f of form.elements) {
    if (!f.name || f.disabled || f.name === 'starter') continue;
    out[f.name] = f.type === 'checkbox' ? f.checked : Number(f.value);
  }
  return out;
}

let turn = 0;
async function showStarter(form) {
  const mine = ++turn;
  if (!form.checkValidity()) return;
  try {
    const list = await post(`/api/characters/${store.id}/starter`, starterParams(form));
    if (mine !== turn) return;
    const read = form.elements.starter.value === 'shape';
    form.querySelector('#starter-joints').textContent = read && list.length
      ? `${list.length} joints on the limbs that were read.` : list.length
      ? `${list.length} joints, shown at their usual places before they are fitted.`
      : 'The fit reads the limbs from the shape and names them.';
    set({ ghost: list });
  } catch (e) { if (mine === turn) form.querySelector('#starter-joints').textContent = e.message; }
}

// hideStarter takes the starter away, and one that is still on its way.
function hideStarter() {
  turn++;
  if (store.ghost) set({ ghost: null });
}

// Where a fit is, nothing stands for it any more, whoever made it.
let fitted = null;
on('character', () => {
  const now = JSON.stringify(store.character.fit?.joints?.length ? store.character.fit : null);
  if (fitted !== null && now !== fitted && now !== 'null') hideStarter();
  fitted = now;
});

tray.addEventListener('input', (e) => {
  const form = e.target.closest('#starter');
  if (!form) return;
  if (e.target.name === 'starter') fillStarter(form, null);
  showStarter(form);
});
tray.addEventListener('focusin', (e) => { const form = e.target.closest('#starter'); if (form && !store.ghost) showStarter(form); });
tray.addEventListener('toggle', (e) => { if (e.target.matches('.anew')) { if (e.target.open) showStarter(e.target.querySelector('#starter')); else hideStarter(); } }, true);

// The dial of a shape that was read: joints move along its limbs while it is turned.
tray.addEventListener('input', async (e) => {
  const form = e.target.closest('#dial');
  if (!form) return;
  const mine = ++turn, joints = Number(e.target.value);
  form.querySelector('output').value = String(joints);
  try {
    const list = await post(`/api/characters/${store.id}/starter`, { ...store.character.fit.params, joints });
    if (mine === turn) set({ ghost: list });
  } catch (x) { if (mine === turn) set({ say: x.message }); }
});
let dialed = 0;
tray.addEventListener('change', (e) => {
  if (!e.target.closest('#dial')) return;
  clearTimeout(dialed); // an arrow key that is held changes it with every step
  const joints = Number(e.target.value);
  dialed = window.setTimeout(() => operate('dial_joints', { joints }).finally(hideStarter), 400);
});

// Acts on what is chosen ---------------------------------------------------------

tray.addEventListener('click', async (e) => {
  const b = e.target.closest('button');
  if (!b) return;
  const names = chosenNames();
  if (b.dataset.joints === 'remove_joints') removeChosen();
  else if (b.dataset.joints) {
    const params = { joints: names };
    if (b.dataset.joints === 'slight_bend') params.degrees = 4;
    operate(b.dataset.joints, params);
  }
  if (b.dataset.choose) {
    const wanted = JSON.parse(b.dataset.choose), all = joints().map((j, i) => (wanted.includes(j.name) ? i : -1)).filter((i) => i >= 0);
    set({ also: new Set(all), chosen: all[0] ?? -1 });
  }
  if (b.dataset.mark) operate('mark_joints', { joints: names, [b.dataset.mark]: !chosenJoint()?.[b.dataset.mark] });
  if (b.dataset.unhide !== undefined) operate('mark_joints', { joints: joints().filter((j) => j.hidden).map((j) => j.name), hidden: false });
  if (b.dataset.duplicate !== undefined) operate('duplicate_branch', { joint: names[0], by: [0.05, 0, 0] });
  if (b.dataset.refit !== undefined) {
    const fit = store.character.fit;
    if (!fit) { set({ say: 'This skeleton was not fitted from a starter, so there is nothing to fit a part of it by.' }); return; }
    operate('fit_starter', { ...again(), only: names });
  }
  if (b.dataset.forget !== undefined) {
    const { params, own } = store.character.fit;
    if (await operate('fit_starter', { ...params, own })) {
      delete tray.querySelector('#again [name=facing]').dataset.touched;
      set({ shown: {}, facing: null });
    }
  }
  if (b.dataset.tip) { set({ tip: store.tip === b.dataset.tip ? '' : b.dataset.tip }); set({ say: store.tip ? `Click where ${store.tip} belongs.` : '' }); }
});

for (const [event, pointed] of [['pointerover', true], ['pointerout', false]]) {
  tray.addEventListener(event, (e) => { const b = e.target.closest('[data-tip]'); if (b) set({ tipPointed: pointed ? b.dataset.tip : '' }); });
}

tray.addEventListener('change', (e) => {
  if (e.target.id === 'choose-more') { chooseMore(e.target.value); e.target.value = ''; }
  if (e.target.id === 'centred') set({ centred: e.target.checked });
  if (e.target.id === 'along') set({ along: e.target.value });
  if (e.target.id === 'step') {
    const v = e.target.value.trim() ? reckon(e.target.value) : 0;
    if (!(v >= 0 && v <= 1000)) { e.target.setAttribute('aria-invalid', 'true'); set({ say: `“${e.target.value}” is not a step. Enter a length such as 5 mm, or leave it empty.` }); return; }
    e.target.removeAttribute('aria-invalid');
    set({ step: v / 100 });
  }
});

function giveTip(place) {
  set({ shown: { ...store.shown, [store.tip]: place.toArray() }, say: joints().length ? `${store.tip} is shown there now; fit again, or refit what hangs on it.` : `${store.tip} is shown there now.`, tip: '' });
}

// Forms whose parameters depend on what is chosen.
for (const id of ['swing', 'insert', 'reparent', 'pattern']) forms.set(id, { needsJoint: true, send });
for (const id of ['starter', 'again']) forms.set(id, { send });

async function send(form) {
  const names = chosenNames(), f = form.elements;
  switch (form.id) {
    case 'swing': return operate('swing_limb', { joint: names[0], degrees: ['x', 'y', 'z'].map((k) => Number(f[k].value)), both: store.both });
    case 'insert': return operate('insert_joints', { joints: names, count: Number(f.count.value) });
    case 'reparent': return operate('reparent_joint', { joints: names, parent: f.parent.value });
    case 'pattern': return operate('rename_joints', { joints: names, pattern: f.pattern.value });
    case 'starter': {
      hideStarter();
      const params = starterParams(form), same = params.starter === store.character.fit?.starter; // another kind has other limbs
      return operate('fit_starter', { ...params, shown: same ? corrections() : store.shown, facing: facing() });
    }
    case 'again': {
      set({ facing: f.facing.value });
      return operate('fit_starter', again());
    }
    default: return undefined;
  }
}

// fill brings the panel to what is chosen.
function fill() {
  const j = chosenJoint(), list = joints();
  starterForm();
  for (const x of tray.querySelectorAll('.with-chosen, .needs-joint')) x.hidden = !j;
  for (const x of tray.querySelectorAll('button.with')) x.disabled = !j;
  const un = tray.querySelector('[data-unhide]');
  if (un) un.hidden = !list.some((x) => x.hidden);
  if (un && !un.hidden) un.closest('.with-chosen').hidden = false;
  for (const b of tray.querySelectorAll('[data-mark]')) b.setAttribute('aria-pressed', Boolean(j?.[b.dataset.mark]));
  for (const b of tray.querySelectorAll('[data-tip]')) { b.setAttribute('aria-pressed', store.tip === b.dataset.tip); b.classList.toggle('is-given', Boolean(corrections()[b.dataset.tip])); }
  const dial = tray.querySelector('#dial');
  if (dial && dial.dataset.head !== String(store.character.head)) { // it is not taken out of the hand that turns it
    dial.dataset.head = String(store.character.head);
    dial.elements.joints.value = String(joints().length);
    dial.querySelector('output').value = String(joints().length);
  }
  const faces = tray.querySelector('#again [name=facing]');
  if (faces) {
    if (!faces.dataset.touched) faces.value = facing();
    tray.querySelector('[data-forget]').hidden = !Object.keys(corrections()).length && !facing();
  }
  const centred = tray.querySelector('#centred');
  if (centred) {
    centred.checked = store.centred;
    tray.querySelector('#along').value = store.along;
    tray.querySelector('#step').value = store.step ? `${+(1000 * store.step).toPrecision(6)} mm` : '';
  }
  const parent = tray.querySelector('#reparent [name=parent]');
  if (parent && j) {
    const hangs = (k) => { for (let q = k; q >= 0; q = list[q].parent) if (q === store.chosen) return true; return false; };
    parent.replaceChildren(new Option('none (root)', ''), ...list.filter((_, k) => !hangs(k)).map((x) => new Option(x.name, x.name)));
    parent.value = j.parent >= 0 ? list[j.parent].name : '';
  }
  const n = chosenNames().length;
  const h = tray.querySelector('#move h4');
  if (h && j) h.textContent = n > 1 ? `${j.name} and ${n - 1} more` : j.name;
}
document.addEventListener('trayloaded', fill);
on('chosen also tip shown facing centred along step', fill);
