// The workbench page: brings the modules together.
import { getJSON, post } from './api.js';
import { Commands } from './commands.js';
import { draw as drawLedger, toggleLedger } from './ledger.js';
import { setIntake, step as stepPlace } from './intake.js';
import { stops } from './ink.js';
import './motion.js';
import { Plate } from './plate.js';
import { again, chosenNames, setPlacement } from './placement.js';
import { chosenJoint, joints, on, set, store } from './store.js';
import { setShelf } from './shelf.js';
import { setTakeover } from './takeover.js';
import { loadTray, setOperate, typed } from './tray.js';
import { watch } from './work.js';

const $ = (id) => document.getElementById(id);
const numerals = ['I', 'II', 'III', 'IV', 'V', 'VI', 'VII', 'VIII', 'IX'];
let early = getJSON(`/api/characters/${store.id}`); // on its way while the view is set up
const plate = new Plate(operate);
const commands = new Commands();

// refresh brings everything to the server's head.
async function refresh() {
  const name = chosenJoint()?.name, before = joints();
  const character = await (early ?? getJSON(`/api/characters/${store.id}`));
  early = null;
  store.character = character;
  const besides = new Set([...store.also].map((i) => before[i]?.name));
  const kept = name ? character.joints.findIndex((j) => j.name === name) : -1;
  if (character.joints.length !== store.poseJoints) { store.pose = new Map(); store.poseJoints = character.joints.length; }
  store.also = new Set(character.joints.map((j, i) => (besides.has(j.name) ? i : -1)).filter((i) => i >= 0));
  store.probed = null;
  store.would = null;
  if (store.finding && !character.stages.find((s) => s.name === store.finding.stage)?.findings.some((f) => f.code === store.finding.code)) store.finding = null;
  await plate.load();
  set({ character, chosen: kept, finding: store.finding });
  frameOfPage();
  await loadTray();
  $('notice').hidden = true;
}

function frameOfPage() {
  const c = store.character;
  for (const [name, sentence] of [['undo', c.undo], ['redo', c.redo]]) {
    const b = $(name);
    b.disabled = !sentence;
    b.title = sentence ? `${name === 'undo' ? 'Undo' : 'Redo'}: ${sentence}` : `Nothing to ${name}`;
  }
  for (const s of c.stages) {
    const li = document.querySelector(`.spine [data-stage=${s.name}]`);
    const open = s.findings.filter((f) => f.severity !== 'note').length;
    li.className = s.state;
    li.querySelector('.state').textContent = { untouched: 'not begun', findings: `${open} findings open`, clear: 'clear' }[s.state];
    const tally = li.querySelector('.tally');
    tally.hidden = !open || s.state === 'untouched';
    tally.textContent = open;
    tally.setAttribute('aria-hidden', 'true');
  }
  caption();
}

function caption() {
  const i = store.character.stages.findIndex((s) => s.name === store.stage);
  const s = store.character.stages[i];
  $('caption').innerHTML = '<b></b><span></span>';
  $('caption').firstChild.textContent = `Plate ${numerals[i]}`;
  $('caption').lastChild.textContent = s.title;
  for (const li of document.querySelectorAll('.spine li')) {
    const a = li.querySelector('a');
    if (li.dataset.stage === store.stage) a.setAttribute('aria-current', 'step'); else a.removeAttribute('aria-current');
  }
  mapKey();
}

function mapKey() {
  const box = $('mapkey');
  const on = store.stage === 'weights' && store.character?.weights;
  box.hidden = !on || store.map === 'plain' || (store.map === 'joint' && !chosenJoint());
  if (box.hidden) return;
  if (store.map === 'joint') {
    box.innerHTML = '<b></b><div class="ramp"><i class="zero"></i><i class="bar"></i></div><div class="ends"><span>none</span><span>0.5</span><span>1</span></div>';
    box.querySelector('b').textContent = chosenJoint().name;
    box.querySelector('.bar').style.background = `linear-gradient(90deg, ${stops.join(',')})`;
  } else {
    box.innerHTML = '<b>Leading joint</b><p>Each patch follows one joint most. Click the skin to ask which.</p>';
  }
}

// operate sends an operation made on the head that is shown. It returns whether
// it was taken; a refusal is told and loses nothing.
async function operate(op, params) {
  document.body.classList.add('sending');
  const slow = setTimeout(() => say('Working on it …'), 700); // a large mesh takes its time
  try {
    const answer = await post(`/api/characters/${store.id}/ops`, { op, params, base: store.character.head });
    if (answer.work) return true;
    await refresh();
    say(answer.revision.outcome.sentence);
    return true;
  } catch (e) {
    refused(e);
    return false;
  } finally {
    clearTimeout(slow);
    document.body.classList.remove('sending');
  }
}

function refused(e) {
  if (e.status !== 409) { notice(e.message); return; }
  notice(e.message, 'Reload', () => refresh().catch(refused));
}

function notice(text, label, act) {
  const box = $('notice');
  box.replaceChildren();
  const p = document.createElement('p');
  p.textContent = text;
  box.append(p);
  const button = (name, f) => {
    const b = document.createElement('button');
    b.type = 'button';
    b.className = 'button is-small';
    b.textContent = name;
    b.addEventListener('click', () => { box.hidden = true; f?.(); });
    box.append(b);
  };
  if (label) button(label, act);
  button('Close');
  box.hidden = false;
}

let silence;
function say(text) {
  $('saying').textContent = text;
  clearTimeout(silence);
  silence = setTimeout(() => { $('saying').textContent = ''; }, 9000);
}
Object.defineProperty(store, 'say', { set: say });

async function step(which) {
  try {
    const sentence = store.character[which];
    await post(`/api/characters/${store.id}/${which}`, { base: store.character.head });
    await refresh();
    say(`${which === 'undo' ? 'Undone' : 'Redone'}: ${sentence}`);
  } catch (e) { refused(e); }
}

async function goTo(stage, push = true) {
  if (push && stage !== store.stage) history.pushState({}, '', `/characters/${store.id}/${stage}`);
  store.finding = null;
  store.would = null;
  document.body.dataset.stage = stage;
  if (store.measuring) set({ measuring: false });
  set({ stage });
  plate.bend();
  caption();
  await loadTray();
}

document.querySelector('.spine').addEventListener('click', (e) => {
  const li = e.target.closest('li');
  if (!li || e.ctrlKey || e.metaKey || e.shiftKey) return;
  e.preventDefault();
  goTo(li.dataset.stage);
});
addEventListener('popstate', () => goTo(location.pathname.split('/')[3], false));
document.addEventListener('frame', () => plate.frame());
document.addEventListener('submit', (e) => {
  if (e.target.id !== 'handoff') return;
  const blocked = store.character.stages.find((s) => s.name === 'handoff').findings.some((f) => f.severity === 'blocks');
  say(blocked ? 'Handed over with open findings: they are listed above.' : 'Handed over.');
});

async function showHistory() {
  const list = await getJSON(`/api/characters/${store.id}/history`);
  $('history').querySelector('.past').replaceChildren(...list.map((r) => {
    const li = document.createElement('li');
    if (r.id === store.character.head) li.setAttribute('aria-current', 'true');
    const b = document.createElement('b');
    b.textContent = r.outcome.sentence;
    const s = document.createElement('span');
    s.textContent = `${r.author}, ${new Date(r.time).toLocaleString()}`;
    li.append(b, s);
    return li;
  }));
  $('history').showModal();
}

const single = ['front', 'side', 'top', 'free'];
commands.add('finder', 'Find a command', ['/'], () => commands.openFinder());
commands.add('help', 'Show all keys', ['?'], () => { commands.help($('help').querySelector('.keys')); $('help').showModal(); });
commands.add('undo', 'Undo', ['Ctrl+Z'], () => step('undo'), () => Boolean(store.character?.undo));
commands.add('redo', 'Redo', ['Ctrl+Shift+Z'], () => step('redo'), () => Boolean(store.character?.redo));
commands.add('history', 'Show the history', ['H'], () => showHistory().catch(refused));
[...document.querySelectorAll('.spine li')].forEach((li, i) => commands.add(`stage-${li.dataset.stage}`, `Go to ${li.querySelector('.stage-name').textContent}`, [String(i + 1)], () => goTo(li.dataset.stage)));
single.forEach((kind, i) => commands.add(kind, `Look from the ${['front', 'left side', 'top', 'free eye'][i]}`, [['F', 'S', 'T', 'V'][i]], () => { plate.view.turn(kind); plate.show(); }));
commands.add('panes', 'One pane, two or three', ['P'], () => { plate.view.setPanes([['front', 'side'], ['front', 'side', 'free'], ['free']][plate.view.panes.length - 1]); plate.show(); });
commands.add('frame', 'Frame what is chosen or found', ['.'], () => plate.frame());
commands.add('frameAll', 'Frame the whole character', ['A'], () => plate.view.frame(plate.box));
const placing = () => store.stage === 'placement';
for (const [name, label, key, x, y] of [['left', 'left', 'arrowleft', -1, 0], ['right', 'right', 'arrowright', 1, 0], ['up', 'up', 'arrowup', 0, 1], ['down', 'down', 'arrowdown', 0, -1]]) {
  commands.add(`nudge-${name}`, `Nudge the chosen joint ${label} by 1 mm`, [key], () => plate.nudge(x, y, 0.001), () => placing() && store.chosen >= 0);
  commands.add(`push-${name}`, `Nudge the chosen joint ${label} by 1 cm`, [`Shift+${key}`], () => plate.nudge(x, y, 0.01), () => placing() && store.chosen >= 0);
  commands.add(`look-${name}`, `Turn or move the view ${label}`, [key], () => plate.view.orbit(x, y));
}
commands.add('draw', 'Draw a chain, each click centred in the volume; Enter ends it', ['I'], () => { set({ drawing: store.drawing ? null : [] }); say(store.drawing ? 'Click along the limb; Enter ends the chain, Escape gives it up.' : ''); }, placing);
commands.add('drawn', 'End the chain that is being drawn', ['enter'], () => endChain(), () => placing() && Boolean(store.drawing));
commands.add('centre', 'Centre the chosen joints in the volume', ['G'], () => operate('centre_joints', { joints: chosenNames(), both: store.both }), () => placing() && store.chosen >= 0);
commands.add('centreUnder', 'Centre the chosen joint under the pointer', ['Z'], () => { const ray = plate.underPointer(); if (ray) operate('centre_along', { joint: chosenJoint().name, ...ray, both: store.both }); }, () => placing() && store.chosen >= 0);
commands.add('centred', 'Keep a dragged joint in the middle of the volume', ['Q'], () => set({ centred: !store.centred }), placing);
commands.add('along', 'Arrows along the world, the joint or its parent', ['Y'], () => set({ along: { world: 'joint', joint: 'parent', parent: 'world' }[store.along] }), placing);
commands.add('hang', 'Hang the chosen joints from the one chosen last', ['U'], () => operate('reparent_joint', { joints: chosenNames().slice(1), parent: chosenJoint().name }), () => placing() && chosenNames().length > 1);
commands.add('step', 'Round drags to 1 mm, 5 mm, 1 cm or not at all', ['O'], () => set({ step: { 0: 0.001, 0.001: 0.005, 0.005: 0.01 }[store.step] ?? 0 }), placing);
commands.add('remove', 'Remove the chosen joints', ['delete'], () => operate('remove_joints', { joints: chosenNames() }), () => placing() && store.chosen >= 0);
commands.add('makeOther', 'Make the right side from the left', null, () => operate('make_other', { from: 'left', tolerance: 0.005 }), placing);
commands.add('nearer', 'Nearer', ['+', '='], () => plate.view.nearer(1.25));
commands.add('farther', 'Farther', ['-'], () => plate.view.nearer(0.8));
commands.add('wire', 'Show or hide edges', ['E'], () => set({ wire: !store.wire }));
commands.add('through', 'See through the skin or not', ['X'], () => set({ through: !plate.skin.material.transparent }));
commands.add('bones', 'Show or hide bones', ['B'], () => set({ bones: !store.bones }));
const atIntake = () => store.stage === 'intake';
commands.add('pieces', 'Colour the pieces or not', ['Y'], () => set({ pieces: !store.pieces }), atIntake);
commands.add('normals', 'Show or hide the normals', ['O'], () => set({ normals: !store.normals }), atIntake);
commands.add('smooth', 'Subdivided preview: one level, two, none', ['U'], () => set({ smooth: (store.smooth + 1) % 3 }), atIntake);
commands.add('measure', 'Measure a distance', ['D'], () => set({ measuring: !store.measuring }));
commands.add('nextPlace', 'Next place of the shown finding', [']'], () => stepPlace(1), () => Boolean(store.finding));
commands.add('lastPlace', 'Place before of the shown finding', ['['], () => stepPlace(-1), () => Boolean(store.finding));
commands.add('mendSafe', 'Mend what is safe', null, () => operate('mend_safe', {}), atIntake);
commands.add('report', 'Open the report to print', null, () => open(`/characters/${store.id}/report`, '_blank'));
commands.add('ledger', 'Open or fold the ledger', ['L'], () => toggleLedger());
commands.add('both', 'Move both sides or one', ['M'], () => set({ both: !store.both }), () => store.stage === 'placement');
commands.add('branch', 'Move with what hangs from it or alone', ['N'], () => set({ branch: !store.branch }), () => store.stage === 'placement');
commands.add('resetJoint', 'Reset the chosen joint', ['R'], () => { const pose = new Map(store.pose); pose.delete(store.chosen); set({ pose }); }, () => store.stage === 'weights');
commands.add('resetPose', 'Reset all joints to rest', ['0'], () => { store.move = null; set({ pose: new Map() }); }, () => store.stage === 'weights');
commands.add('map', 'Next weight map', ['W'], () => set({ map: { joint: 'leader', leader: 'plain', plain: 'joint' }[store.map] }), () => store.stage === 'weights');
commands.add('next', 'Choose the next joint', ['J'], () => choose(1), () => joints().length > 0);
commands.add('previous', 'Choose the joint before', ['K'], () => choose(-1), () => joints().length > 0);
commands.add('none', 'Choose nothing, show no finding', ['escape'], () => set({ chosen: -1, finding: null, probed: null, faces: new Set(), measuring: false, also: new Set(), drawing: null, tip: '', ghost: null }));
commands.add('cast', 'Back to the cast', ['C'], () => { location.href = '/'; });
commands.add('bind', 'Bind by heat', null, () => operate('bind_heat', {}), () => joints().length > 0);
commands.add('fit', 'Fit the starter anew', null, () => operate('fit_starter', store.character.fit ? again() : {}));
commands.add('axes', 'Set the axes of all joints', null, () => operate('set_axes', store.character.convention), () => joints().length > 0);

async function endChain() {
  const places = store.drawing;
  set({ drawing: null });
  if (!places.length) return;
  await operate('draw_chain', { parent: chosenJoint()?.name ?? '', places: places.map((p) => p.toArray()), end: places.length > 1 });
}

document.addEventListener('reparent', (e) => operate('reparent_joint', e.detail));

function choose(by) {
  const n = joints().length;
  set({ also: new Set(), chosen: (store.chosen + by + n) % n });
}

on('chosen map', mapKey);
on('wire through bones pieces normals smooth measuring', () => {
  for (const [command, name] of [['measure', 'measuring'], ['pieces', 'pieces'], ['normals', 'normals'], ['smooth', 'smooth']]) document.querySelector(`.viewbar [data-command=${command}]`)?.setAttribute('aria-pressed', Boolean(store[name]));
  document.querySelector('.viewbar [data-command=smooth]').textContent = ['Smooth', 'Smooth ×1', 'Smooth ×2'][store.smooth];
  for (const name of ['wire', 'bones']) document.querySelector(`.viewbar [data-command=${name}]`)?.setAttribute('aria-pressed', store[name]);
  document.querySelector('.viewbar [data-command=through]')?.setAttribute('aria-pressed', Boolean(plate.skin?.material.transparent));
});

setOperate(operate);
setIntake({ operate, refresh });
setPlacement(operate);
setTakeover({ operate, refresh });
setShelf(operate);
try {
  await refresh();
  $('loading').hidden = true;
  set({ wire: store.wire });
  drawLedger();
  document.body.dataset.ready = 'true';
  watch(async () => {
    if (typed().size) { notice('The character has changed elsewhere. What you typed is kept when you reload.', 'Reload', () => refresh().catch(refused)); return; }
    await refresh().catch(refused);
  });
} catch (e) {
  $('loading').querySelector('p').textContent = e.message ?? 'The plate could not be laid out.';
  $('loading').classList.add('failed');
  throw e;
}

// The tests ask the page what it draws.
globalThis.marrow = { store, plate, set };
