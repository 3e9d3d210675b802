// The session: the character that is open, what is chosen of it, how it is posed and
// shown, and operating on it. Modules read `store`, change it through `set`, and hear
// of changes by name. Joints that are chosen or posed are kept by name, so that a
// character that comes back with other joints can never mean another one.
import { change, getJSON, Refusal } from './api.js';
import { ask } from './ask.js';
import { notice, quiet, say } from './notices.js';

const events = new EventTarget();
let chosenName = '', alsoNames = new Set(), poses = new Map();
let cached = {}; // what was worked out of names for the joints at hand

export const store = {
  id: document.body.dataset.character,
  stage: document.body.dataset.stage,
  character: null, // the answer of /api/characters/{id}
  works: [], // long work that is queued or runs
  panel: '', // the id of the panel that is here, so that only what is other in the next one is sent
  move: null, // [x, y, z] metres of the root, while a motion is shown
  map: 'joint', // on the weights stage: joint, leader or plain
  wire: false,
  dots: false, // the vertices as points
  through: null, // null: as the stage wants
  bones: true,
  both: true,
  branch: true,
  finding: null, // { code, stage, where, all, at }: where is all, or the place at
  would: null, // what an operation that is looked at would touch
  faces: new Set(), // chosen at the intake
  pieces: false, // coloured by piece
  normals: false,
  smooth: 0, // levels of the subdivided preview
  smoothSkin: false, // the smoothed surface at the weights
  measuring: false,
  ghost: null, // joints of a starter before it is fitted
  drawing: null, // places of a chain that is being drawn
  centred: false, // dragged joints stay in the middle of the volume
  along: 'world', // the axes of the arrows: world, joint or parent
  step: 0, // metres that drags are rounded to; 0 is none
  tip: '', // of the fit, to be shown by a click
  shown: {}, // places that a person has shown for the next fit, by name
  facing: null, // that a person has said for it; '' is as found, null as before
  tipPointed: '', // in the tray
  probed: null, // { vertex, movers }
  vertices: [], // that are chosen at the weights, ascending
  hand: 'pose', // what the pointer does there: pose, choose, paint or sculpt
  playing: false, // a reel plays
  reel: null, // the one that is shown under the plate
  posed: false, // said when a hand has posed: the reel is left
  swing: false, // said while a joint swings to and fro
  pulling: false, // at the motion check: a hand pulls joints and does not turn them
  places: null, // of a fault that is shown: { vertices }
  painting: false, // strokes are on their way: what is stored is behind what is seen
  painted: false, // said when they have arrived
  axes: { all: true, size: 1 }, // which joints' axes are drawn, and how large
  /** @type {Map<string, number> | null} shape targets that a hand holds, by name */
  heldShapes: null,
  beside: '', // the kept result that is shown in a second pane
  bindShown: false, // at the bind pose: the recorded pose is shown, not the current one

  // chosen is the number of the chosen joint, -1 for none; also those besides it.
  get chosen() { return numbers().get(chosenName) ?? -1; },
  get also() { return once('also', alsoNames, () => new Set([...alsoNames].map((n) => numbers().get(n)).filter((i) => i !== undefined))); },
  // pose holds degrees about the joints' own axes, [x, y, z] by number.
  get pose() { return once('pose', poses, () => new Map([...poses].flatMap(([n, a]) => (numbers().has(n) ? [/** @type {[number, number[]]} */ ([numbers().get(n), a])] : [])))); },
};

export const joints = () => store.character?.joints ?? [];
export const chosenJoint = () => joints()[store.chosen] ?? null;

// conventionOf is by which the axes of a joint are named: that of its chain, or the character's.
export const conventionOf = (i) => joints()[i]?.axes ?? store.character.convention;

// numbers are the joints' numbers by name.
function numbers() {
  return once('numbers', null, () => new Map(joints().map((j, i) => [j.name, i])));
}

// once works something out for the joints at hand and what it is made of.
function once(key, of, make) {
  if (cached.joints !== joints()) cached = { joints: joints() };
  if (!cached[key] || cached[key].of !== of) cached[key] = { of, value: make() };
  return cached[key].value;
}

const nameOf = (i) => joints()[i]?.name ?? '';
const keep = {
  chosen: (i) => { chosenName = nameOf(i); },
  also: (set) => { alsoNames = new Set([...set].map(nameOf).filter(Boolean)); },
  pose: (map) => { poses = new Map([...map].flatMap(([i, a]) => (nameOf(i) ? [[nameOf(i), a]] : []))); },
  say: (text) => say(text),
};

/** @param {Partial<typeof store> & {say?: string}} changes fields of the store, or what is to be said */
export function set(changes) {
  for (const [name, value] of Object.entries(changes)) {
    if (keep[name]) keep[name](value); else store[name] = value;
  }
  for (const name of Object.keys(changes)) events.dispatchEvent(new CustomEvent(name));
}

// on calls f whenever one of the names changes.
export function on(names, f) {
  for (const n of names.split(' ')) events.addEventListener(n, f);
}

// posesByName and setPoses are the pose as it is kept over a reload.
export const posesByName = () => Object.fromEntries(poses);
export function setPoses(byName) {
  poses = new Map(Object.entries(byName));
  events.dispatchEvent(new CustomEvent('pose'));
}

// chosenNames are the chosen joint and those chosen besides.
export function chosenNames() {
  return chosenName && numbers().has(chosenName) ? [chosenName, ...[...alsoNames].filter((n) => n !== chosenName && numbers().has(n))] : [];
}

// choose takes a joint; with more it is added to those chosen, or taken out.
export function choose(i, more) {
  if (!more) { set({ also: new Set(), chosen: i }); return; }
  const also = new Set(store.also);
  if (i === store.chosen || also.has(i)) {
    also.delete(i);
    const left = [...also];
    set({ also, chosen: i === store.chosen ? left.at(-1) ?? -1 : store.chosen });
    return;
  }
  if (store.chosen >= 0) also.add(store.chosen);
  also.add(i);
  set({ also, chosen: i });
}

// corrections are what a person has shown of the mesh: for the fit that is there, and
// since.
export const corrections = () => ({ ...store.character?.fit?.shown, ...store.shown });
export const facing = () => store.facing ?? store.character?.fit?.faced ?? '';

// The head --------------------------------------------------------------------

// merged is a character with what has changed since; sections that are not told stay.
function merged(before, news) {
  if (!news.since) return news;
  const out = { ...before, ...news, stages: before.stages.map((s) => news.stages.find((n) => n.name === s.name) ?? s) };
  if (news.moved) out.joints = before.joints.map((j, i) => news.moved[i] ?? j);
  delete out.since;
  delete out.moved;
  return out;
}

// Who prepares loads what a character needs before it is shown, and returns what
// shows it, at once.
const preparing = [];
export function prepare(f) { preparing.push(f); }

let turns = 0;

// show brings the page to a character: everything is loaded first, then all changes
// together, then it is told. A newer call wins over one that is still loading.
async function show(news) {
  const turn = ++turns;
  const character = merged(store.character, news);
  const ready = await Promise.all(preparing.map((f) => f(character, news)));
  if (turn !== turns) return false;
  store.character = character;
  if (store.finding && !character.stages.find((s) => s.name === store.finding.stage)?.findings.some((f) => f.code === store.finding.code)) store.finding = null;
  store.probed = null;
  store.would = null;
  if (store.vertices.length && character.facts.vertices !== undefined && store.vertices.at(-1) >= character.facts.vertices) store.vertices = [];
  for (const f of ready) f?.();
  set({ character, finding: store.finding, chosen: store.chosen });
  return true;
}

// begin shows the character for the first time.
export const begin = async (early) => show(await early);

// refresh asks the server for what has changed.
export async function refresh() {
  const since = store.character ? `?since=${store.character.head}&stage=${store.stage}&panel=${store.panel}` : '';
  return show(await getJSON(`/api/characters/${store.id}${since}`));
}

// operate sends an operation made on the head that is shown. It returns whether it
// was taken; a refusal is told and loses nothing. Where later work would be lost the
// server says so, and it is asked first, whatever the way that led here.
export const operate = (op, params) => inLine(() => send(op, params, false));

// What a person asks for while an answer is awaited waits for it: made on the head that is
// shown now it would be refused as made on an old one.
/** @type {Promise<any>} */
let line = Promise.resolve();
/**
 * @template T
 * @param {() => Promise<T>} f
 * @returns {Promise<T>}
 */
function inLine(f) {
  const mine = line.then(f);
  line = mine.catch(() => {});
  return mine;
}

async function send(op, params, confirmed) {
  document.body.classList.add('sending');
  const slow = setTimeout(() => say('Working on it …'), 700); // a large mesh takes its time
  try {
    const answer = await change(`/api/characters/${store.id}/ops`, { op, params, base: store.character.head, stage: store.stage, panel: store.panel, confirmed }, unknown);
    if (answer.work) { say(begun(labelOf(op))); return true; }
    if (answer.state) await show(answer.state); else await refresh();
    say(answer.revision.outcome.sentence);
    quiet();
    forgetLocal();
    return true;
  } catch (e) {
    if (e.status === 428) {
      const label = labelOf(op);
      clearTimeout(slow);
      document.body.classList.remove('sending');
      return await ask(`${label}?`, e.message, label) ? send(op, params, true) : false;
    }
    refused(e);
    return false;
  } finally {
    clearTimeout(slow);
    document.body.classList.remove('sending');
  }
}

// begun says that long work was taken, and what it waits for: the box shows only what runs.
function begun(label) {
  const before = store.works?.length ?? 0;
  return before ? `${label} waits until ${before === 1 ? 'the work before it has' : `${before} works before it have`} ended.` : `${label}: begun.`;
}

const unknown = () => say('No reply: checking whether it was done …');

export function refused(e) {
  if (!(e instanceof Refusal)) throw e;
  if (e.status !== 409) { notice(e.message); return; }
  notice(e.message, 'Reload', () => refresh().catch(refused));
}

// operations is the registry as the server has it.
export const operations = JSON.parse(document.getElementById('operations').textContent);
const labelOf = (op) => operations.find((o) => o.name === op)?.label ?? op;

// Undo ------------------------------------------------------------------------

// What only this page knows, as a pose or a chain that is being drawn, has an undo of
// its own; it comes before the server's, which begins anew with each operation.
let done = [], undone = [];

// remember takes note of a step of the page: what it is called, and how it is taken
// back and done again. Steps of one kind within a second are one.
export function remember(what, kind, back, again) {
  const last = done.at(-1), now = performance.now();
  if (last && last.kind === kind && now - last.at < 1000) Object.assign(last, { what, again, at: now });
  else done.push({ what, kind, back, again, at: now });
  if (done.length > 200) done.shift();
  undone = [];
  events.dispatchEvent(new CustomEvent('local'));
}

export function forgetLocal(kind) {
  done = kind ? done.filter((s) => s.kind !== kind) : [];
  undone = [];
  events.dispatchEvent(new CustomEvent('local'));
}

const localStep = (which) => {
  const s = (which === 'undo' ? done : undone).at(-1);
  return s && (!['pose', 'hand'].includes(s.kind) || ['weights', 'bindpose', 'motion'].includes(store.stage)) ? s : null;
};

// next is what undo or redo would do, '' for nothing.
export const next = (which) => localStep(which)?.what ?? store.character?.[which] ?? '';

export const step = (which) => inLine(() => stepNow(which));

async function stepNow(which) {
  const local = localStep(which);
  if (local) {
    const [from, to] = which === 'undo' ? [done, undone] : [undone, done];
    to.push(from.pop());
    local[which === 'undo' ? 'back' : 'again']();
    say(`${which === 'undo' ? 'Undone' : 'Redone'}: ${local.what}`);
    events.dispatchEvent(new CustomEvent('local'));
    return;
  }
  try {
    const sentence = store.character[which];
    const answer = await change(`/api/characters/${store.id}/${which}`, { base: store.character.head, stage: store.stage, panel: store.panel }, unknown);
    if (answer.state) await show(answer.state); else await refresh();
    forgetLocal();
    quiet();
    say(`${which === 'undo' ? 'Undone' : 'Redone'}: ${sentence}`);
  } catch (e) { refused(e); }
}
