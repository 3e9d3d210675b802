// The tray: the panel of the current stage, rendered by the server. Forms with
// data-op become operations; what was typed survives a reload of the panel, and the
// focus stays where it was.
import { getAnswer } from './api.js';
import { ask } from './ask.js';
import { filled, valueOf } from './fill.js';
import { forgetWould, showFinding } from './findings.js';
import { reckon } from './reckon.js';
import { chosenJoint, chosenNames, joints, on, operate, set, store } from './session.js';

const tray = document.getElementById('tray');
let fresh = 0, shown = '';
let held = { id: '', html: '' }; // the panel that came last, as the server knows it

// whole is a panel as it was sent, or put together of what was sent and what is here; null where that does not fit.
function whole(sent, stage) {
  if (sent?.of !== stage) return null;
  if (sent.same) return sent.id === held.id ? held : null;
  if (!sent.cut) return { id: sent.id, html: sent.html };
  const [head, tail] = sent.cut;
  return sent.from === held.id ? { id: sent.id, html: held.html.slice(0, head) + (sent.html ?? '') + held.html.slice(held.html.length - tail) } : null;
}

async function fetched(stage) {
  const r = await getAnswer(`/characters/${store.id}/tray/${stage}`);
  return { id: r.headers.get('Panel') ?? '', html: await r.text() };
}

// forms are those that a tool sends itself, by id: { needsJoint, send(form) }.
export const forms = new Map();

// Fields that are typed into; what radio buttons say is the page's own, which puts it into each panel.
const fields = 'input[name]:not([type=radio]), select[name]';
// Boxes of one name are told apart by what they stand for.
const fieldKey = (f) => `${f.form?.dataset.op ?? f.form?.id}/${f.name}${f.type === 'checkbox' && f.hasAttribute('value') ? `/${f.value}` : ''}`;

// typed returns what was changed by hand and not sent; with all also what only says how things are shown
// (in [data-view]), which is kept when the panel comes anew but is nothing to be lost.
export function typed(all = false) {
  const out = new Map();
  for (const f of tray.querySelectorAll(fields)) if (all ? f.dataset.touched : f.dataset.touched === '1') out.set(fieldKey(f), f.type === 'checkbox' ? f.checked : f.value);
  return out;
}

tray.addEventListener('input', (e) => { if (e.target.name) e.target.dataset.touched = e.target.closest('[data-view]') ? 'view' : '1'; });

// prepareTray loads the panel for a character that is about to be shown.
export async function prepareTray(character, news) {
  const stage = store.stage;
  // The answer may be to what was asked at a stage that has been left since.
  const panel = whole(news.panel, stage) ?? await fetched(stage);
  return () => { if (stage === store.stage) put(panel); };
}

// loadTray brings the panel of the stage.
export async function loadTray() {
  const turn = ++fresh;
  try {
    const panel = await fetched(store.stage);
    if (turn === fresh) put(panel);
  } catch (e) {
    if (turn !== fresh) return;
    shown = '';
    tray.innerHTML = '<p class="begin" role="alert"></p>';
    tray.firstChild.textContent = e.message;
  }
}

// A panel that comes while a button of this one is pressed waits until it is let go: else the click would be lost
// with its button.
let pressed = false, waiting = null;
tray.addEventListener('pointerdown', () => { pressed = true; });
const released = () => setTimeout(() => { // after the click
  pressed = false;
  if (waiting?.stage === store.stage) put(waiting.panel); else waiting = null;
});
for (const end of ['pointerup', 'pointercancel']) addEventListener(end, released, true);
addEventListener('pointermove', (e) => { if (pressed && !e.buttons) released(); }, true); // let go outside the window

// put shows a panel. One that is there already is left as it is.
function put(panel) {
  const { html } = panel;
  held = panel;
  store.panel = panel.id;
  fresh++;
  const same = tray.dataset.stage === store.stage;
  waiting = pressed && same ? { panel, stage: store.stage } : null;
  if (waiting) return;
  if (html !== shown || !same) {
    const keep = typed(true), top = tray.scrollTop, focus = focused();
    const open = new Set([...tray.querySelectorAll('details[open]:not(.group) > summary')].map((d) => d.textContent));
    shown = html;
    tray.innerHTML = html;
    tray.dataset.stage = store.stage;
    for (const f of tray.querySelectorAll(fields)) {
      const v = keep.get(fieldKey(f));
      if (v === undefined) continue;
      if (f.type === 'checkbox') f.checked = v; else f.value = v;
      f.dataset.touched = f.closest('[data-view]') ? 'view' : '1';
    }
    for (const form of tray.querySelectorAll('form[data-op]')) form.params = () => paramsOf(form);
    foldable();
    if (same) for (const d of tray.querySelectorAll('details:not(.group) > summary')) if (open.has(d.textContent)) d.parentElement.open = true;
    fill();
    document.dispatchEvent(new CustomEvent('trayloaded'));
    tray.scrollTop = same ? top : 0;
    if (same) focus?.();
    return;
  }
  fill();
  document.dispatchEvent(new CustomEvent('trayloaded'));
}

// foldable makes each section with a heading a group that folds, and stays folded when the
// panel comes again.
function foldable() {
  for (const section of tray.querySelectorAll('section')) {
    const head = section.querySelector(':scope > h3.rule');
    if (!head) continue;
    const group = document.createElement('details'), summary = document.createElement('summary');
    const key = `fold/${store.stage}/${head.textContent}`;
    group.className = 'group';
    group.open = localStorage.getItem(key) === null;
    summary.append(head);
    group.append(summary, ...section.childNodes);
    section.append(group);
    group.addEventListener('toggle', () => { if (group.open) localStorage.removeItem(key); else localStorage.setItem(key, 'folded'); });
  }
}

// focused returns what puts the focus back to where it is in the panel: on the same
// control of the new one, or the one at its place.
function focused() {
  const at = /** @type {any} */ (document.activeElement);
  if (!at || !tray.contains(at)) return null;
  const all = () => [...tray.querySelectorAll('a, button, input, select, summary, [tabindex]')].filter((e) => !e.hidden && e.offsetParent);
  const key = (e) => (e.name ? fieldKey(e) : [e.tagName, e.id, e.dataset.op, e.dataset.params, e.dataset.command, e.dataset.show, e.form?.dataset.op, e.textContent].join('|'));
  const mine = key(at), place = all().indexOf(at), range = at.selectionStart === undefined || at.type === 'number' ? null : [at.selectionStart, at.selectionEnd];
  return () => {
    const list = all(), near = list[Math.min(place, list.length - 1)];
    // A button never hands the focus to a field, where the next key would be typed.
    const found = list.find((e) => key(e) === mine) ?? (near?.tagName === at.tagName ? near : document.getElementById('canvas'));
    found.focus({ preventScroll: true });
    if (range && found?.setSelectionRange && key(found) === mine) { try { found.setSelectionRange(...range); } catch { /* a field without a selection */ } }
  };
}

// paramsOf reads a form: numbers as numbers, in the unit of the operation; a field called
// by.arm is arm within by.
function paramsOf(form, submitter) {
  const out = {};
  for (const f of form.elements) {
    if (!f.name) continue;
    const [name, within] = f.name.split('.').reverse(), to = within ? out[within] ??= {} : out;
    to[name] = valueOf(f);
  }
  if (submitter?.dataset.chosen !== undefined) {
    out.joints = chosenNames();
    if (submitter.dataset.chosen === 'branch') out.branch = true;
  }
  return out;
}

tray.addEventListener('submit', async (e) => {
  const form = e.target;
  if (form.id === 'move') { e.preventDefault(); await move(form); return; }
  const own = forms.get(form.id);
  if (own) {
    e.preventDefault();
    if (own.needsJoint && !chosenJoint()) { set({ say: 'Select a joint first, in the view or the ledger.' }); return; }
    const fields = [...form.elements].filter((f) => f.dataset.touched);
    if (await own.send(form)) fields.forEach((f) => delete f.dataset.touched);
    return;
  }
  if (!form.dataset.op) return;
  e.preventDefault();
  if (e.submitter?.dataset.chosen !== undefined && !chosenJoint()) { set({ say: 'Select a joint first, in the view or the ledger.' }); return; }
  const params = paramsOf(form, e.submitter);
  if (form.id === 'rename') {
    params.joint = chosenJoint().name;
    if (params.name === params.joint) return;
  }
  if (form.dataset.op === 'stretch_chain') Object.assign(params, { joint: chosenNames()[0], both: store.both });
  forgetWould();
  const fields = [...form.elements].filter((f) => f.dataset.touched);
  fields.forEach((f) => delete f.dataset.touched);
  if (!await operate(form.dataset.op, params)) fields.forEach((f) => { f.dataset.touched = '1'; });
});

// reveal brings a part of the panel to where it is seen, with all that it is folded into opened,
// and the focus to its first control.
function reveal(part) {
  if (!part) return;
  for (let d = part.closest('details'); d; d = d.parentElement.closest('details')) d.open = true;
  part.scrollIntoView({ block: 'center' });
  part.querySelector('button, input, select')?.focus({ preventScroll: true });
}

async function move(form) {
  if (![...form.elements].some((f) => f.dataset.touched)) return; // nothing was typed
  const to = [];
  for (const name of ['x', 'y', 'z']) {
    const v = reckon(form.elements[name].value);
    form.elements[name].setAttribute('aria-invalid', Number.isNaN(v));
    if (Number.isNaN(v)) { form.elements[name].focus(); set({ say: `“${form.elements[name].value}” is not a length. Type centimeters or a unit, such as 12.5, 3 mm or 10+2.5.` }); return; }
    to.push(v / 100);
  }
  for (const f of form.elements) delete f.dataset.touched;
  await operate('move_joint', { joint: chosenJoint().name, to, branch: store.branch, both: store.both });
}

tray.addEventListener('click', async (e) => {
  const go = e.target.closest('[data-goto]');
  if (go) { e.preventDefault(); document.querySelector(`.spine [data-stage=${go.dataset.goto}] a`).click(); return; }
  const show = e.target.closest('[data-show]');
  if (show) { await showFinding(show.dataset.from, show.dataset.show); return; }
  const open = e.target.closest('[data-open]');
  if (open) {
    const [, stage] = open.dataset.open.split('stage/');
    if (stage) document.querySelector(`.spine [data-stage=${stage}] a`).click(); else reveal(document.getElementById(open.dataset.open));
    return;
  }
  const mend = e.target.closest('button[data-op]');
  if (mend) {
    if (mend.dataset.confirm && !await ask(mend.textContent, mend.dataset.confirm, mend.textContent)) return;
    forgetWould();
    await operate(mend.dataset.op, JSON.parse(mend.dataset.params || '{}'));
    return;
  }
  const fill = e.target.closest('button[data-fill]');
  if (fill) {
    const box = fill.closest('.tool, form');
    if ([...box.querySelectorAll('input')].some((f) => !f.reportValidity())) return;
    const params = filled(fill.dataset.fill, box, JSON.parse(fill.dataset.params || '{}'));
    if (typeof params === 'string') set({ say: params }); else await operate(fill.dataset.fill, params);
    return;
  }
  const found = e.target.closest('.finding');
  if (found && !e.target.closest('button, a, input, label, select, summary, .stepper') && !getSelection().toString()) found.querySelector('[data-show], [data-open]')?.click();
  const row = e.target.closest('tr[data-joint]');
  if (row) set({ chosen: joints().findIndex((j) => j.name === row.dataset.joint) });
});
tray.addEventListener('keydown', (e) => { if (e.key === 'Enter' && e.target.matches('tr[data-joint]')) e.target.click(); });

// fill puts the chosen joint, its angles and the probe into the panel.
function fill() {
  const j = chosenJoint();
  for (const b of tray.querySelectorAll('[data-show]')) {
    const on = store.finding?.code === b.dataset.show && store.finding.stage === b.dataset.from;
    b.setAttribute('aria-pressed', on);
  }
  for (const r of tray.querySelectorAll('tr[data-joint]')) r.classList.toggle('chosen', r.dataset.joint === j?.name);
  jointFirst(Boolean(j));
  const moveForm = tray.querySelector('#move');
  if (moveForm) {
    moveForm.hidden = !j;
    tray.querySelector('#rename').hidden = !j;
    moveForm.parentElement.querySelector('.hint').hidden = Boolean(j);
    if (j) {
      moveForm.querySelector('h4').textContent = j.name;
      moveForm.querySelector('.reason').textContent = j.reason ? `${Math.round(100 * j.confidence)}% sure: ${j.reason}.` : 'Placed by hand.';
      coordinates(j.pos);
      const name = tray.querySelector('#rename [name=name]');
      if (!name.dataset.touched) name.value = j.name;
    }
    tray.querySelector('#both').checked = store.both;
    tray.querySelector('#branch').checked = store.branch;
  }
}

// jointFirst brings the panel of the chosen joint to the top: what is chosen comes before
// what is to be said of the whole.
function jointFirst(chosen) {
  const panel = tray.querySelector('#joint-panel'), top = tray.querySelector('header'), list = tray.querySelector('.findings');
  if (!panel || !list) return;
  if (chosen && panel.previousElementSibling !== top) top.after(panel);
  else if (!chosen && panel.previousElementSibling === top) list.after(panel);
}

function coordinates(pos) {
  const form = tray.querySelector('#move');
  if (!form) return;
  ['x', 'y', 'z'].forEach((n, i) => { if (!form.elements[n].dataset.touched) form.elements[n].value = (100 * pos[i]).toFixed(2); });
}

tray.addEventListener('input', (e) => {
  if (e.target.id === 'both') set({ both: e.target.checked });
  if (e.target.id === 'branch') set({ branch: e.target.checked });
});

document.addEventListener('jointdragged', (/** @type {CustomEvent} */ e) => coordinates(e.detail));
on('chosen finding both branch', () => {
  for (const f of tray.querySelectorAll('#move input')) delete f.dataset.touched;
  fill();
});
