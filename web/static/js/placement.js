// The placement stage in the page: several chosen joints, the starter before it is
// fitted, drawing chains, centring, and taking over a skeleton.
import { post } from './api.js';
import { ask } from './ask.js';
import { reckon } from './reckon.js';
import { chosenJoint, corrections, facing, joints, on, set, store } from './store.js';

const tray = document.getElementById('tray');
let operate = async () => false;

export function setPlacement(f) { operate = f; }

// chosenNames are the chosen joint and those chosen besides.
export function chosenNames() {
  const list = joints();
  const all = store.chosen >= 0 ? [store.chosen, ...[...store.also].filter((i) => i !== store.chosen)] : [];
  return all.filter((i) => list[i]).map((i) => list[i].name);
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
    form.querySelector('#starter-joints').textContent = `${list.length} joints, shown at their usual places before they are fitted.`;
    set({ ghost: list });
  } catch (e) { if (mine === turn) form.querySelector('#starter-joints').textContent = e.message; }
}

tray.addEventListener('input', (e) => {
  const form = e.target.closest('#starter');
  if (!form) return;
  if (e.target.name === 'starter') fillStarter(form, null);
  showStarter(form);
});
tray.addEventListener('focusin', (e) => { const form = e.target.closest('#starter'); if (form && !store.ghost) showStarter(form); });
tray.addEventListener('toggle', (e) => { if (e.target.matches('.anew')) { if (e.target.open) showStarter(e.target.querySelector('#starter')); else set({ ghost: null }); } }, true);

// Acts on what is chosen ---------------------------------------------------------

tray.addEventListener('click', async (e) => {
  const b = e.target.closest('button');
  if (!b) return;
  const names = chosenNames();
  if (b.dataset.joints) {
    if (b.dataset.joints === 'remove_joints' && names.length > 1 && !await ask(`Remove ${names.length} joints?`, 'Their children go to the nearest joint that stays and keep their places. Undo brings them back.', 'Remove')) return;
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
    if (await fitAgain({ ...params, own })) {
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
    if (!(v >= 0 && v <= 1000)) { e.target.setAttribute('aria-invalid', 'true'); set({ say: `“${e.target.value}” is no step. Type a length such as 5 mm, or nothing.` }); return; }
    e.target.removeAttribute('aria-invalid');
    set({ step: v / 100 });
  }
});

async function fitAgain(params) {
  if (store.character.weights && !await ask('Fit again?', 'Fitting again replaces the skeleton and drops the weights. Pinned joints stay. Undo brings both back.', 'Fit again')) return false;
  return operate('fit_starter', params);
}

export function giveTip(place) {
  set({ shown: { ...store.shown, [store.tip]: place.toArray() }, say: joints().length ? `${store.tip} is shown there now; fit again, or refit what hangs on it.` : `${store.tip} is shown there now.`, tip: '' });
}

// submitPlacement sends the forms whose parameters depend on what is chosen.
export async function submitPlacement(form) {
  const names = chosenNames(), f = form.elements;
  switch (form.id) {
    case 'swing': return operate('swing_limb', { joint: names[0], degrees: ['x', 'y', 'z'].map((k) => Number(f[k].value)), both: store.both });
    case 'insert': return operate('insert_joints', { joints: names, count: Number(f.count.value) });
    case 'reparent': return operate('reparent_joint', { joints: names, parent: f.parent.value });
    case 'pattern': return operate('rename_joints', { joints: names, pattern: f.pattern.value });
    case 'starter': {
      set({ ghost: null });
      if (joints().length && !await ask('Fit anew?', store.character.weights ? 'Fitting anew replaces the skeleton and drops the weights. Pinned joints stay. Undo brings both back.' : 'Fitting anew replaces the joints that you moved; pinned ones stay. Undo brings them back.', 'Fit anew')) return false;
      const params = starterParams(form), same = params.starter === store.character.fit?.starter; // another kind has other limbs
      return operate('fit_starter', { ...params, shown: same ? corrections() : store.shown, facing: facing() });
    }
    case 'again': {
      set({ facing: f.facing.value });
      return fitAgain(again());
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
    parent.replaceChildren(new Option('none: a root', ''), ...list.filter((_, k) => !hangs(k)).map((x) => new Option(x.name, x.name)));
    parent.value = j.parent >= 0 ? list[j.parent].name : '';
  }
  const n = chosenNames().length;
  const h = tray.querySelector('#move h4');
  if (h && j) h.textContent = n > 1 ? `${j.name} and ${n - 1} more` : j.name;
}
document.addEventListener('trayloaded', fill);
on('chosen also tip shown facing centred along step', fill);
on('stage', () => { if (store.ghost) set({ ghost: null }); });
