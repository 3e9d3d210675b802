// Axes: choosing joints and seeing their axes; trying what a turn about each does; rolling
// by hand; limits and goals.
import { chooseAt } from '../plate.js';
import { chosenJoint, chosenNames, conventionOf, joints, on, operate, set, store } from '../session.js';
import { forms } from '../tray.js';

const tray = document.getElementById('tray');
const swingBy = 30, swingTime = 1800; // degrees to either side, milliseconds there and back
let plate = null, swing = null, roll = null;

export const tool = {
  stage: 'axes',
  through: true,
  axes: true,
  get held() { return true; },
  get handle() { return chosenJoint() && !chosenJoint().end && !swing ? 'roll' : ''; },
  get swung() { return swing?.pose ?? null; },
  get rolled() { return roll?.degrees ?? 0; },
  click: chooseAt,
  show: () => ({}),
  enter(p) { plate = p; },
  leave() { still(); },

  // Rolling by the dial: the barbs swing round with the hand, and the roll is set at its end.
  grip() { roll = { i: store.chosen, name: chosenJoint().name, degrees: 0 }; },
  turning(axis, degrees) {
    if (roll) roll.degrees = Math.round(10 * degrees) / 10;
    plate.bend();
  },
  async let() {
    const r = roll;
    if (r?.degrees) await operate('roll_axes', { joints: [r.name], degrees: r.degrees });
    roll = null;
    plate.bend();
  },
  beforeBones({ posed }) {
    if (!roll?.degrees) return;
    const { aim } = conventionOf(roll.i), q = posed.turn[roll.i], half = (roll.degrees * Math.PI) / 360;
    const by = q.clone().set(0, 0, 0, Math.cos(half));
    by[aim] = Math.sin(half);
    q.multiply(by);
  },
};

// The same turn of the partner: side and twist run the other way there, where the same
// positive turn bends both sides.
function mirrored(motion, i) { return motion !== 'bend' && conventionOf(i).sides !== 'mirror' ? -1 : 1; }

// swing turns the chosen joint to and fro about one of its axes, and its partner likewise.
function begin(motion) {
  still();
  const i = store.chosen, { aim, bend } = conventionOf(i);
  if (i < 0 || chosenJoint().end) { set({ say: 'Select a joint that is not an end joint.' }); return; }
  const axis = { bend, twist: aim, side: ['x', 'y', 'z'].find((a) => a !== aim && a !== bend) }[motion];
  const from = performance.now();
  swing = { motion, frame: 0, pose: new Map() };
  const step = (now) => {
    const degrees = swingBy * Math.sin((2 * Math.PI * (now - from)) / swingTime);
    const angles = (by) => { const a = [0, 0, 0]; a['xyz'.indexOf(axis)] = by; return a; };
    swing.pose = new Map([[i, angles(degrees)]]);
    const partner = joints()[i]?.partner ?? -1;
    if (partner >= 0) swing.pose.set(partner, angles(mirrored(motion, i) * degrees));
    plate.bend();
    swing.frame = requestAnimationFrame(step);
  };
  swing.frame = requestAnimationFrame(step);
}

function still() {
  if (!swing) return;
  cancelAnimationFrame(swing.frame);
  swing = null;
  plate.bend();
}

for (const [start, end] of [['pointerover', 'pointerout'], ['focusin', 'focusout']]) {
  tray.addEventListener(start, (e) => {
    const b = e.target.closest('[data-swing]');
    if (b && (start === 'pointerover' || b.matches(':focus-visible'))) begin(b.dataset.swing);
  });
  tray.addEventListener(end, (e) => { if (e.target.closest('[data-swing]')) still(); });
}

tray.addEventListener('input', (e) => {
  if (e.target.name === 'axes-all') set({ axes: { ...store.axes, all: e.target.value === 'all' } });
  if (e.target.name === 'axes-size') set({ axes: { ...store.axes, size: Number(e.target.value) } });
});

// range reads two fields of a form; null where both are empty.
function range(form, name, empty = 0) {
  const [low, high] = ['low', 'high'].map((end) => form.elements[`${name}-${end}`].value);
  if (low === '' && high === '') return undefined;
  return [Number(low || empty), Number(high || empty)];
}

forms.set('limits', { needsJoint: true, send: (form) => operate('limit_joints', { joints: chosenNames(), bend: range(form, 'bend'), side: range(form, 'side'), twist: range(form, 'twist'), length: range(form, 'length', 1), both: store.both }) });
forms.set('goal', { needsJoint: true, send: (form) => operate('set_goal', { joint: chosenJoint().name, bones: Number(form.elements.bones.value), both: store.both }) });
forms.set('look', { needsJoint: true, send: () => operate('look_at', { joint: chosenJoint().name, both: store.both }) });
forms.set('usual', { needsJoint: true, send: () => operate('limit_joints', { joints: chosenNames(), usual: true, both: store.both }) });
forms.set('order', { needsJoint: true, send: (form) => operate('set_order', { joints: chosenNames(), order: form.elements.order.value }) });
forms.set('match', {
  needsJoint: true,
  send() {
    const names = chosenNames();
    if (names.length < 2) { set({ say: 'Shift-select the joints, then the one whose roll to match last.' }); return false; }
    return operate('match_axes', { joint: names[0], joints: names.slice(1) });
  },
});

function fill() {
  if (store.stage !== 'axes') return;
  const j = chosenJoint(), keeps = tray.querySelector('#keeps');
  if (keeps) keeps.textContent = j ? `${j.name}: ${j.keeps || 'no constraints'}; rotation order ${j.order || 'xyz'}.` : 'Select a joint in the view or the ledger; Shift adds more.';
  for (const r of tray.querySelectorAll('[name=axes-all]')) r.checked = (r.value === 'all') === store.axes.all;
  const size = tray.querySelector('[name=axes-size]');
  if (size) size.value = store.axes.size;
  const order = tray.querySelector('#order select');
  if (order && j) order.value = j.order || 'xyz';
}
document.addEventListener('trayloaded', fill);
on('chosen character axes', fill);

export const own = { set_axes: () => operate('set_axes', store.character.convention) };
