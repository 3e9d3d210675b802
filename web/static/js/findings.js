// Findings in the page: showing where one is, stepping through its places, and what
// an operation would do before it is done.
import { getJSON, post } from './api.js';
import { on, set, store } from './session.js';

const tray = document.getElementById('tray');
const icons = new URL('../vendor/icons.svg', import.meta.url).pathname;

// showFinding shows a finding of a stage, or hides it when it is shown.
export async function showFinding(stage, code) {
  if (store.finding?.code === code && store.finding.stage === stage) { set({ finding: null }); return; }
  try {
    const where = await getJSON(`/api/characters/${store.id}/where/${stage}/${code}`);
    set({ finding: { stage, code, where, all: where, at: -1 } });
    const first = where.joints?.[0];
    if (first) set({ chosen: store.character.joints.findIndex((j) => j.name === first) });
    document.dispatchEvent(new CustomEvent('frame'));
  } catch (e) { set({ say: e.message }); }
}

// step goes to the next place of the shown finding; before the first and behind
// the last all are shown together.
export function step(by) {
  const f = store.finding;
  const spots = f?.all.spots ?? [];
  if (spots.length < 2) return;
  const n = spots.length + 1;
  const at = (f.at + 1 + by + n) % n - 1;
  set({ finding: { ...f, at, where: at < 0 ? f.all : spots[at] } });
  document.dispatchEvent(new CustomEvent('frame'));
}

// stepper draws the way through the places under the shown finding.
function stepper() {
  for (const old of tray.querySelectorAll('.stepper')) old.remove();
  const f = store.finding;
  const spots = f?.all.spots ?? [];
  const li = f && tray.querySelector(`.finding[data-code="${f.code}"][data-stage="${f.stage}"]`);
  if (!li || spots.length < 2) return;
  const box = document.createElement('div');
  box.className = 'stepper';
  const button = (name, label, by) => {
    const b = document.createElement('button');
    b.type = 'button';
    b.className = 'quiet';
    b.innerHTML = `<svg class="glyph" aria-hidden="true"><use href="${icons}#${name}"></use></svg><span class="is-sr-only"></span>`;
    b.lastChild.textContent = label;
    b.addEventListener('click', () => step(by));
    return b;
  };
  const text = document.createElement('p');
  text.setAttribute('aria-live', 'polite');
  const b = document.createElement('b');
  b.textContent = f.at < 0 ? `All ${spots.length} spots` : `${f.at + 1} of ${spots.length}`;
  text.append(b, ` ${f.at < 0 ? '' : spots[f.at].label}`);
  box.append(button('chevron-left', 'Previous spot', -1), text, button('chevron-right', 'Next spot', 1));
  li.append(box);
}

// What would be done ---------------------------------------------------------

let asked = 0;
let waiting;

// wouldDo asks the server and says the answer in the nearest line for it.
async function wouldDo(op, params, line) {
  const turn = ++asked;
  line.hidden = false;
  line.className = 'preview';
  line.textContent = 'Trying …';
  try {
    const p = await post(`/api/characters/${store.id}/preview`, { op, params, base: store.character.head });
    if (turn !== asked) return;
    line.textContent = said(p);
    set({ would: p.where });
  } catch (e) {
    if (turn !== asked) return;
    line.classList.add('refused');
    line.textContent = e.message;
    set({ would: null });
  }
}

function said(p) {
  const changes = [['vertices', 'vertices'], ['faces', 'faces'], ['pieces', 'pieces'], ['borders', 'open borders']]
    .filter(([k]) => p.before[k] !== p.after[k]).map(([k, name]) => `${name} ${p.before[k].toLocaleString('en')} → ${p.after[k].toLocaleString('en')}`);
  if (Math.abs(p.before.height - p.after.height) > 1e-4 * p.before.height) changes.push(`height ${p.before.height.toPrecision(3)} → ${p.after.height.toPrecision(3)} m`);
  const touched = p.where.vertices?.length ?? 0;
  if (touched) changes.push(`${touched.toLocaleString('en')} vertices change, shown in teal`);
  // What leaves the mesh alone tells of itself.
  const told = [p.outcome.sentence, ...(p.outcome.steps ?? []), ...(p.outcome.left?.length ? [`remaining: ${p.outcome.left.join(', ')}`] : [])].join('. ');
  const out = [changes.length ? `Would: ${changes.join(', ')}.` : `Previewed, nothing changed yet: ${told}.`];
  if (p.mended.length) out.push(`Mends: ${p.mended.join('; ')}.`);
  if (p.caused.length) out.push(`Brings: ${p.caused.join('; ')}.`);
  return out.join(' ');
}

export function forgetWould() {
  clearTimeout(waiting);
  asked++;
  for (const p of tray.querySelectorAll('.preview')) p.hidden = true;
  if (store.would) set({ would: null });
}

const tried = 'button.is-mend, button.is-tried';
const lineOf = (b) => (b.form?.querySelector('.preview') ?? b.closest('.finding, .safe')?.querySelector('.preview') ?? b.closest('section')?.querySelector(':scope > .preview, :scope > .group > .preview'));

for (const [begin, end] of [['pointerover', 'pointerout'], ['focusin', 'focusout']]) {
  tray.addEventListener(begin, (e) => {
    const b = e.target.closest(tried);
    if (!b || !['intake', 'placement'].includes(tray.dataset.stage) || (begin === 'focusin' && !b.matches(':focus-visible'))) return;
    const line = lineOf(b);
    if (!line) return;
    clearTimeout(waiting);
    waiting = setTimeout(() => (b.dataset.op ? wouldDo(b.dataset.op, JSON.parse(b.dataset.params || '{}'), line) : wouldDo(b.form.dataset.op, b.form.params(), line)), 350);
  });
  tray.addEventListener(end, (e) => { if (e.target.closest(tried) && !e.target.closest(tried).contains(e.relatedTarget)) forgetWould(); });
}

// A form that can be tried says at every change what it would do.
tray.addEventListener('input', (e) => {
  const form = e.target.closest('form[data-preview]');
  if (e.target.classList.contains('threshold')) {
    const d = form.elements.distance;
    d.value = Number((10 ** Number(e.target.value)).toPrecision(2));
    d.dataset.touched = '1';
  } else if (e.target.name === 'distance' && form) {
    form.querySelector('.threshold').value = Math.log10(Math.max(1e-4, Number(e.target.value)));
  }
  if (!form) return;
  clearTimeout(waiting);
  waiting = setTimeout(() => { if (form.checkValidity()) wouldDo(form.dataset.op, form.params(), form.querySelector('.preview')); }, 220);
});
tray.addEventListener('change', (e) => { const form = e.target.closest('form[data-at-once]'); if (form) form.requestSubmit(); });

// Remedies, tried ------------------------------------------------------------

// Every remedy that is shown is tried on a copy by the server, once the panel has rested
// for a moment. One that does not help is taken away, and it is said why.
let trial, timer;
const mostAsked = 40;

function tryRemedies() {
  trial?.abort();
  clearTimeout(timer);
  if (!tray.querySelector('[data-try]:not([data-tried])')) return;
  const mine = trial = new AbortController();
  let asked = 0;
  const ask = async () => {
    if (mine !== trial || ++asked > mostAsked) return;
    if (document.hidden) { timer = setTimeout(ask, 2000); return; }
    try {
      const { head, tries, waiting } = await getJSON(`/api/characters/${store.id}/tries/${tray.dataset.stage}`, mine.signal);
      if (mine !== trial || head !== store.character?.head) return;
      if (waiting) timer = setTimeout(ask, 700 + 100 * asked); else for (const t of tries) tell(t);
    } catch { /* nothing is known then, and nothing is said */ }
  };
  timer = setTimeout(ask, 1200); // who only passes by a stage has nothing tried
}

function tell(t) {
  const button = tray.querySelector(`[data-try="${t.finding}/${t.remedy}"]:not([data-tried])`), list = button?.closest('.finding').querySelector('.tries');
  if (!list) return;
  const li = document.createElement('li');
  const b = document.createElement('b');
  b.textContent = button.textContent;
  li.append(b, t.ran && !t.helps ? `: no effect, ${t.said}` : `: ${t.said}`);
  button.dataset.tried = '1';
  // They are told in the order of what they mend; who points at them finds them where they are.
  const acts = button.parentElement, rest = acts.querySelector('[data-try]:not([data-tried]), button.is-small:not(.is-mend):not([data-show])');
  if (t.ran && !t.helps) button.remove();
  else if (t.ran && !button.closest('.finding').matches(':hover, :focus-within')) acts.insertBefore(button, rest);
  list.append(li);
  list.hidden = false;
}

on('finding', stepper);
document.addEventListener('trayloaded', () => { stepper(); tryRemedies(); });

