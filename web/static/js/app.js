// The workbench page: brings the modules together.
import { getJSON } from './api.js';
import { Commands } from './commands.js';
import { showFinding, step as stepPlace } from './findings.js';
import { showHistory } from './history.js';
import { stops } from './ink.js';
import { draw as drawLedger, toggleLedger } from './ledger.js';
import { notice } from './notices.js';
import { Plate } from './plate.js';
import { begin, chosenJoint, joints, next, on, operate, prepare, refresh, refused, set, step, store } from './session.js';
import * as axes from './tools/axes.js';
import * as bind from './tools/bind.js';
import * as bindpose from './tools/bindpose.js';
import * as handoff from './tools/handoff.js';
import * as intake from './tools/intake.js';
import * as motioncheck from './tools/motioncheck.js';
import * as placement from './tools/placement.js';
import * as shapes from './tools/shapes.js';
import * as weights from './tools/weights.js';
import { chooseOn } from './tools/choosing.js';
import { mapOn } from './tools/maps.js';
import { measureOn } from './tools/measures.js';
import { brushOn, took } from './tools/brushing.js';
import { paintOn } from './tools/paint.js';
import './tools/shelf.js';
import './tools/takeover.js';
import { commands as stepCommands } from './steps.js';
import { loadTray, prepareTray, typed } from './tray.js';
import { watch } from './work.js';

// A stage is a module here, a template and a folder of the server.
/** @type {any[]} each with its tool, and some with commands and ways to fill parameters of their own */
const stages = [intake, placement, axes, bindpose, bind, weights, motioncheck, shapes, handoff];

const $ = (id) => document.getElementById(id);
const numerals = ['I', 'II', 'III', 'IV', 'V', 'VI', 'VII', 'VIII', 'IX'];
const early = getJSON(`/api/characters/${store.id}?stage=${store.stage}`); // on its way while the view is set up
const plate = new Plate(new Map(stages.map((s) => [s.tool.stage, s.tool])));
const commands = new Commands();
measureOn(plate);
chooseOn(plate);
mapOn(plate);
brushOn(plate);
paintOn(plate);
prepare((c) => plate.prepare(c));
prepare(prepareTray);

function frameOfPage() {
  for (const s of store.character.stages) {
    const li = document.querySelector(`.spine [data-stage=${s.name}]`);
    const open = s.findings.filter((f) => f.severity !== 'note').length;
    li.className = s.state;
    li.querySelector('.state').textContent = { untouched: 'not started', findings: `${open} open ${open === 1 ? 'finding' : 'findings'}`, clear: 'no findings', checking: 'being measured' }[s.state];
    const tally = li.querySelector('.tally');
    tally.hidden = !open || s.state === 'untouched';
    tally.textContent = open;
    tally.setAttribute('aria-hidden', 'true');
  }
  undoButtons();
  caption();
  // What is still being measured is asked for until it is there.
  clearTimeout(checking);
  if (store.character.stages.some((s) => s.state === 'checking')) checking = setTimeout(() => refresh().catch(() => frameOfPage()), 1500);
}

let checking = 0;

function undoButtons() {
  for (const name of ['undo', 'redo']) {
    const b = $(name), what = next(name);
    b.disabled = !what;
    b.title = what ? `${name === 'undo' ? 'Undo' : 'Redo'}: ${what}` : `Nothing to ${name}`;
  }
}

function caption() {
  const i = store.character.stages.findIndex((s) => s.name === store.stage);
  $('caption').innerHTML = '<b></b><span></span>';
  $('caption').firstChild.textContent = `Plate ${numerals[i]}`;
  $('caption').lastChild.textContent = store.character.stages[i].title;
  if (store.character.loose) {
    const b = document.createElement('button');
    Object.assign(b, { type: 'button', className: 'loose', textContent: 'The skin is loose · Reattach', title: 'Joints move without the skin until you reattach it' });
    b.addEventListener('click', () => operate('take_hold', {}));
    $('caption').append(b);
  }
  for (const li of document.querySelectorAll('.spine li')) {
    const a = li.querySelector('a');
    if (li.dataset.stage === store.stage) a.setAttribute('aria-current', 'step'); else a.removeAttribute('aria-current');
  }
  mapKey();
}

function mapKey() {
  const box = $('mapkey');
  const shown = store.stage === 'weights' && store.character?.weights;
  box.hidden = !shown || !['joint', 'leader'].includes(store.map) || (store.map === 'joint' && !chosenJoint());
  if (box.hidden) return;
  if (store.map === 'joint') {
    box.innerHTML = '<b></b><div class="ramp"><i class="zero"></i><i class="bar"></i></div><div class="ends"><span>none</span><span>0.5</span><span>1</span></div>';
    box.querySelector('b').textContent = chosenJoint().name;
    box.querySelector('.bar').style.background = `linear-gradient(90deg, ${stops().join(',')})`;
  } else {
    box.innerHTML = '<b>Leading joint</b><p>Each patch follows one joint most. Click the skin to ask which.</p>';
  }
}

async function goTo(stage, push = true) {
  if (stage === store.stage) return;
  if (push) history.pushState({}, '', `/characters/${store.id}/${stage}`);
  store.finding = null;
  store.would = null;
  document.body.dataset.stage = stage;
  if (store.measuring) set({ measuring: false });
  set({ stage });
  plate.turnTo(stage);
  viewMarks(); // after the stage's own way to show things
  caption();
  undoButtons();
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
document.addEventListener('show', (/** @type {CustomEvent} */ e) => showFinding(e.detail.stage, e.detail.code));

const add = commands.add.bind(commands);
// What a stage adds belongs to it.
for (const s of stages) s.commands?.((name, label, keys, run, able, more) => add(name, label, keys, run, able, { stage: s.tool.stage, ...more }), plate);
stepCommands(add);
add('finder', 'Find a command', ['/'], () => commands.openFinder(), undefined, { words: 'search' });
add('help', 'Show all keys', ['?'], () => { commands.help($('help').querySelector('.keys')); $('help').showModal(); $('help').scrollTop = 0; }, undefined, { words: 'shortcuts keyboard' });
add('undo', 'Undo', ['Ctrl+Z'], () => step('undo'), () => Boolean(next('undo')), { words: 'back revert' });
add('redo', 'Redo', ['Ctrl+Shift+Z'], () => step('redo'), () => Boolean(next('redo')), { words: 'again' });
add('history', 'Show the history', ['H'], () => showHistory(), undefined, { words: 'log revisions versions script' });
[...document.querySelectorAll('.spine li')].forEach((li, i) => add(`stage-${li.dataset.stage}`, `Go to ${li.querySelector('.stage-name').textContent}`, [String(i + 1)], () => goTo(li.dataset.stage)));
['front', 'side', 'top', 'free'].forEach((kind, i) => add(kind, `Look from the ${['front', 'left side', 'top', 'free eye'][i]}`, [['F', 'S', 'T', 'V'][i]], () => { plate.view.chosen = true; plate.view.turn(kind); plate.show(); }, undefined, { words: 'view camera orthographic perspective' }));
add('panes', 'One pane, two or three', ['P'], () => { plate.view.chosen = true; plate.view.setPanes([['front', 'side'], ['front', 'side', 'free'], ['free']][plate.view.panes.length - 1]); plate.show(); }, undefined, { words: 'split view layout' });
add('frame', 'Frame selection or finding', ['.'], () => plate.frame(), undefined, { words: 'zoom focus fit view' });
add('frameAll', 'Frame the whole character', ['A'], () => plate.view.frame(plate.box), undefined, { words: 'zoom extents home fit view' });
for (const [name, key, x, y] of [['left', 'arrowleft', -1, 0], ['right', 'arrowright', 1, 0], ['up', 'arrowup', 0, 1], ['down', 'arrowdown', 0, -1]]) {
  add(`look-${name}`, `Turn or move the view ${name}`, [key], () => plate.view.orbit(x, y), undefined, { family: 'Orbit (free view), pan (fixed view)' });
}
add('nearer', 'Nearer', ['+', '='], () => plate.view.nearer(1.25), undefined, { words: 'zoom in' });
add('farther', 'Farther', ['-'], () => plate.view.nearer(0.8), undefined, { words: 'zoom out' });
const inView = () => document.activeElement?.id === 'canvas' || document.activeElement === document.body;
add('cutDeeper', 'Cut deeper into the view', ['pagedown'], () => plate.view.cutBy(0.05), inView, { words: 'clipping plane section inside mouth slice', family: 'Cut into the view, or less' });
add('cutLess', 'Cut less deep into the view', ['pageup'], () => plate.view.cutBy(-0.05), inView, { words: 'clipping plane section slice', family: 'Cut into the view, or less' });
add('cutNone', 'Show the whole again, without a cut', null, () => plate.view.cutBy(-1), undefined, { words: 'clipping plane section slice off' });
add('wire', 'Show or hide edges', ['E'], () => set({ wire: !store.wire }), undefined, { words: 'wireframe' });
add('through', 'Toggle see-through', ['X'], () => set({ through: !plate.skin.material.transparent }), undefined, { words: 'x-ray transparent' });
add('bones', 'Show or hide bones', ['B'], () => set({ bones: !store.bones }), undefined, { words: 'joints skeleton visibility' });
add('measure', 'Measure a distance', ['D'], () => set({ measuring: !store.measuring }), undefined, { words: 'length ruler' });
add('nextPlace', 'Next spot of the finding', [']'], () => stepPlace(1), () => Boolean(store.finding));
add('lastPlace', 'Previous spot of the finding', ['['], () => stepPlace(-1), () => Boolean(store.finding));
add('report', 'Open the report to print', null, () => open(`/characters/${store.id}/report`, '_blank'), undefined, { words: 'print pdf check' });
add('script', 'Take the history away as a script', null, () => { location.href = `/characters/${store.id}/script`; }, undefined, { words: 'export steps batch replay' });
add('ledger', 'Open or fold the ledger', ['L'], () => toggleLedger(), undefined, { words: 'table joints outliner list' });
add('next', 'Select the next joint', ['J'], () => chooseBy(1), () => joints().length > 0);
add('previous', 'Select the joint before', ['K'], () => chooseBy(-1), () => joints().length > 0);
add('none', 'Clear the selection', ['escape'], () => set({ chosen: -1, finding: null, probed: null, faces: new Set(), measuring: false, also: new Set(), drawing: null, tip: '', ghost: null }), undefined, { words: 'deselect clear' });
add('cast', 'Back to the cast', ['C'], () => { location.href = '/'; }, undefined, { words: 'home open characters' });
add('main', 'Go to the main button of the stage', ['enter'], () => toMain(), () => inView() && !store.drawing && Boolean(mainButton()), { words: 'primary next step do fit bind set try download' });

// What the finder finds besides commands: joints, parts of the mesh, and files to take away.
commands.addSource(() => joints().map((j, i) => ({ name: `joint-${i}`, label: j.name, words: `joint ${j.name}`.toLowerCase(), about: 'joint', run: () => { set({ also: new Set(), chosen: i }); plate.frame(); $('canvas').focus(); } })));
commands.addSource(() => (store.character.parts ?? []).map((p) => ({ name: `part-${p.name}`, label: p.name, words: `part piece ${p.name}`.toLowerCase(), about: 'part of the mesh', run: () => showPart(p.name) })));
commands.addSource(() => JSON.parse($('formats').textContent).map((f) => ({ name: `file-${f.name}`, label: f.label, words: `download export save file take away ${f.label}`.toLowerCase(), about: 'file', run: () => toFile(f) })));

// showPart chooses all faces of a part, at the intake.
async function showPart(name) {
  await goTo('intake');
  const k = store.character.parts.findIndex((p) => p.name === name), faces = new Set();
  plate.skin.parts.forEach((p, f) => { if (p === k) faces.add(f); });
  set({ faces, finding: null });
  plate.frame();
  const row = document.querySelector(`#parts tr[data-part="${CSS.escape(name)}"]`);
  row?.scrollIntoView({ block: 'center' });
}

async function toFile(f) {
  await goTo('handoff');
  const select = /** @type {any} */ (document.getElementById('handoff-format')), rig = [...(select?.options ?? [])].some((o) => o.value === f.name && !o.disabled);
  if (rig) { select.value = f.name; select.dispatchEvent(new Event('change', { bubbles: true })); }
  const link = /** @type {any} */ (document.querySelector(rig ? '#handoff button:not([disabled])' : `#tray a[href*="/handoff/${f.name}"]`));
  link?.focus();
  set({ say: link ? `${f.label}: Enter downloads it.` : `${f.label}: something is missing for it yet, as a skeleton or weights.` });
}

// mainButton is the first of the stage's main buttons that is to be seen.
function mainButton() { return [...document.querySelectorAll('#tray .button.is-primary:not([disabled])')].find((b) => b.offsetParent); }

// toMain puts the focus on it: pressing it is one more key, so that none is pressed by mistake.
function toMain() {
  const b = mainButton();
  b.scrollIntoView({ block: 'nearest' });
  b.focus();
  set({ say: `${b.textContent.trim()}: press Enter or the space bar.` });
}

const own = Object.assign({}, ...stages.map((s) => s.own ?? {}));
commands.addOperations(Object.fromEntries(Object.entries(own).map(([op, f]) => [op, () => f(plate)])), goTo);
commands.byName.set('draw', commands.byName.get('op-draw_chain')); // as buttons call them
commands.byName.set('centre', commands.byName.get('op-centre_joints'));

function chooseBy(by) {
  const n = joints().length;
  set({ also: new Set(), chosen: (store.chosen + by + n) % n });
}

on('character', frameOfPage);
on('local', undoButtons);
addEventListener('themechange', mapKey);
on('chosen map', mapKey);
// viewMarks shows on the buttons what the view is doing.
function viewMarks() {
  for (const [command, name] of [['measure', 'measuring'], ['pieces', 'pieces'], ['normals', 'normals'], ['smooth', 'smooth']]) document.querySelector(`.viewbar [data-command=${command}]`)?.setAttribute('aria-pressed', Boolean(store[name]));
  document.querySelector('.viewbar [data-command=smooth]').textContent = ['Smooth', 'Smooth ×1', 'Smooth ×2'][store.smooth];
  for (const name of ['wire', 'bones']) document.querySelector(`.viewbar [data-command=${name}]`)?.setAttribute('aria-pressed', store[name]);
  document.querySelector('.viewbar [data-command=through]')?.setAttribute('aria-pressed', Boolean(plate.skin?.material.transparent));
}
on('character chosen wire through bones pieces normals smooth measuring finding', viewMarks);

try {
  await begin(early);
  $('loading').hidden = true;
  drawLedger();
  document.body.dataset.ready = 'true';
  watch(async () => {
    if (typed().size) { notice('Someone else changed the character. Reload: what you typed is kept.', 'Reload', () => refresh().catch(refused)); return; }
    await refresh().catch(refused);
  });
} catch (e) {
  $('loading').querySelector('p').textContent = e.message ?? 'The plate could not be drawn.';
  $('loading').classList.add('failed');
  throw e;
}

// The tests ask the page what it draws.
globalThis.marrow = { store, plate, set, took };
