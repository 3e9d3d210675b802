// Handoff: what the receiver needs, what is done about it, and looking once more at what goes out.
import { getJSON, post } from '../api.js';
import { ask } from '../ask.js';
import { operate, on, set, store } from '../session.js';
import { chooseAt } from '../plate.js';
import { loadTray } from '../tray.js';
import { length } from './versions.js';

export const tool = { stage: 'handoff', click: chooseAt, show: () => ({}) };

export function commands(add) {
  add('keep-version', 'Keep this as a version', ['N'], () => { const f = /** @type {any} */ (document.querySelector('#keep-version [name=name]')); f?.scrollIntoView({ block: 'center' }); f?.focus(); }, () => store.stage === 'handoff', { words: 'save milestone name snapshot publish' });
}

const tray = document.getElementById('tray');

// asked gets an answer about the character as it is, once for each revision and use, and passes over one that comes late.
function asked(path, show) {
  let key = '', known = null;
  return async () => {
    const c = store.character, now = `${store.id} ${c?.head}`;
    if (store.stage !== 'handoff' || !c) return;
    if (key !== now) {
      key = now;
      known = null;
      try { known = await getJSON(`/api/characters/${store.id}/${path}`); } catch (e) { set({ say: e.message }); }
      if (key !== now) return;
    }
    if (known) show(known);
  };
}

// The profile: chosen by the select, edited in its form, kept by the production.
const form = () => /** @type {any} */ (document.getElementById('profile-form'));
const fields = () => /** @type {any[]} */ ([...form().elements].filter((e) => e.name));

// fill writes a profile into the form; names of fields are the paths of its rules.
function fill(profile) {
  for (const e of fields()) {
    const value = e.name.split('.').reduce((x, k) => x?.[k], profile);
    if (e.type === 'checkbox') e.checked = Array.isArray(value) ? value.includes(e.value) : value === true;
    else e.value = value ?? '';
  }
}

// collected is the profile that the form says, over the rules of another that it has no fields for.
function collected(of) {
  const out = { file: of?.file?.avatar ? { avatar: of.file.avatar } : {}, names: {} };
  for (const e of fields()) {
    const path = e.name.split('.'), last = path.pop(), at = path.length ? out[path[0]] : out;
    if (e.type === 'checkbox' && last === 'leaveOut') { if (e.checked) (at[last] ??= []).push(e.value); continue; }
    if (e.type === 'checkbox') { if (e.checked) at[last] = true; continue; }
    if (e.value === '') continue;
    const number = e.type === 'number' || 'number' in e.dataset;
    if (number && Number(e.value) === 0 && !('zero' in e.dataset)) continue;
    at[last] = number ? Number(e.value) : e.value;
  }
  for (const k of ['file', 'names']) if (!Object.keys(out[k]).length) delete out[k];
  return out;
}

const picked = () => { const v = /** @type {any} */ (document.getElementById('profile')).value; return v ? JSON.parse(v) : null; };

async function choose(profile) {
  await operate('choose_profile', profile ? { profile } : {});
}

tray.addEventListener('change', async (e) => {
  const t = /** @type {any} */ (e.target);
  if (t.id === 'profile') await choose(picked());
  if (t.id === 'handoff-format') format();
  if (t.closest('#plan')) also();
  if (t.id === 'profile-json' && t.files.length) {
    try { fill(JSON.parse(await t.files[0].text())); set({ say: `Read ${t.files[0].name}: keep it, and it is checked.` }); } catch { set({ say: `${t.files[0].name} is not JSON.` }); }
    t.value = '';
  }
});

tray.addEventListener('click', async (e) => {
  const t = /** @type {any} */ (e.target), edit = t.closest('[data-edit-profile]');
  if (edit) {
    form().hidden = !form().hidden;
    edit.setAttribute('aria-expanded', String(!form().hidden));
    if (!form().hidden) { fill(picked() ?? {}); form().elements.name.focus(); }
  }
  if (t.closest('[data-save-profile]')) {
    const a = document.createElement('a');
    a.href = URL.createObjectURL(new Blob([JSON.stringify(picked(), null, 2)], { type: 'application/json' }));
    a.download = `${picked().name}.json`;
    a.click();
    setTimeout(() => URL.revokeObjectURL(a.href), 1000);
  }
  if (t.closest('[data-meet]')) await operate('meet_profile', { also: checked() });
  if (t.closest('[data-discard-profile]')) {
    const { name } = picked();
    if (!await ask(`Remove the profile ${name}?`, 'Characters that were given it keep it. This cannot be undone.', 'Remove')) return;
    try { await post(`/api/characters/${store.id}/shelf/discard`, { kind: 'profile', name }); await loadTray(); set({ say: `Removed the profile ${name} from this production.` }); } catch (err) { set({ say: err.message }); }
  }
});

tray.addEventListener('submit', async (e) => {
  const t = /** @type {any} */ (e.target);
  if (t.id === 'profile-form') {
    e.preventDefault();
    const profile = collected(picked());
    try { await post(`/api/characters/${store.id}/shelf`, { kind: 'profile', profile }); } catch (err) { set({ say: err.message }); return; }
    form().hidden = true;
    await choose(profile);
    await loadTray();
  }
  if (t.id !== 'handoff') return;
  const blocked = store.character.stages.find((s) => s.name === 'handoff').findings.some((f) => f.severity === 'blocks');
  set({ say: blocked && !t.elements.namedItem('fit')?.checked ? 'Handed over with open findings: they are listed above.' : 'Handed over.' });
});

// The plan: what is done about each rule that is not met.
const checked = () => [...document.querySelectorAll('#plan input:checked:not(:disabled)')].map((x) => /** @type {any} */ (x).value);

function also() {
  const field = /** @type {any} */ (document.querySelector('#handoff [name=also]'));
  if (field) field.value = checked().join(',');
}

let loses = {};
const plan = asked('handoffplan', (known) => {
  loses = known.loses;
  format();
  const box = document.getElementById('plan');
  if (!box) return;
  const own = document.querySelector('#profile option:checked')?.hasAttribute('data-own'), discard = document.querySelector('[data-discard-profile]');
  if (discard) /** @type {any} */ (discard).hidden = !own;
  const keep = new Set(checked());
  box.hidden = !known.steps.length;
  box.querySelector('ul').replaceChildren(...known.steps.map((x) => {
    const li = document.createElement('li'), label = document.createElement('label'), tick = document.createElement('input'), what = document.createElement('b'), said = document.createElement('small');
    tick.type = 'checkbox';
    tick.value = x.code;
    tick.checked = x.made || keep.has(x.code);
    tick.disabled = x.loss !== 'asks';
    what.textContent = x.does || x.title;
    said.textContent = x.made ? `${x.title}. ${x.loss === 'allowed' ? `Moves the skin by up to ${length(x.apart_m)}, which the profile allows.` : 'The skin stays.'}` : x.lost?.length ? `${x.title}. Would leave these shape targets without what brings them on: ${x.lost.join(', ')}.` : x.loss === 'asks' ? `${x.title}. Would move the skin by up to ${length(x.apart_m)}${x.pose ? ` in ${x.pose}` : ''}.` : `${x.title}: ${x.said}.`;
    label.className = 'tick';
    label.append(tick, what);
    li.className = x.made ? '' : 'weak';
    li.append(label, said);
    return li;
  }));
  also();
});

// format has the form ask for the chosen format, and says what it leaves out.
function format() {
  const form = /** @type {any} */ (document.getElementById('handoff')), select = /** @type {any} */ (document.getElementById('handoff-format'));
  if (!form || !select) return;
  form.action = `/characters/${store.id}/handoff/${select.value}`;
  form.querySelector('button span').textContent = select.selectedOptions[0]?.textContent ?? '';
  const line = document.getElementById('loses'), list = loses[select.value] ?? [];
  line.hidden = !list.length;
  line.textContent = list.length ? `Not in this file: ${list.join('; ')}.` : '';
}

// costs shows what caps and roundings of a target cost.
const costs = asked('handoffcost', (known) => {
  const box = document.getElementById('costs');
  if (!box || !known.length) return;
  box.hidden = false;
  box.querySelector('tbody').replaceChildren(...known.map((x) => {
    const tr = document.createElement('tr'), a = document.createElement('th'), b = document.createElement('td'), d = document.createElement('td');
    a.scope = 'row';
    a.textContent = x.bits ? `up to ${x.influences}, ${x.bits} bits each` : `up to ${x.influences}`;
    b.className = d.className = 'num';
    b.textContent = x.changed ? x.changed.toLocaleString('en') : 'none';
    d.textContent = x.changed ? length(x.farthest_m) : '0';
    tr.className = x.over ? 'weak' : '';
    if (x.vertex >= 0) {
      tr.tabIndex = 0;
      tr.title = `vertex ${x.vertex}, in ${x.pose}`;
      const look = () => set({ places: { vertices: [x.vertex] }, say: `Up to ${x.influences}: farthest at vertex ${x.vertex}, in ${x.pose}.` });
      tr.addEventListener('click', look);
      tr.addEventListener('keydown', (e) => { if (e.key === 'Enter') look(); });
    }
    tr.append(a, b, d);
    return tr;
  }));
});

for (const show of [plan, () => { if (store.character?.weights) costs(); }]) {
  document.addEventListener('trayloaded', show);
  on('character', show);
}
