// Versions at Handoff: kept under a name, compared, restored from; files that came back, and those that were handed over.
import { getJSON, post, upload } from '../api.js';
import { ask } from '../ask.js';
import { chosenNames, joints, on, operate, refused, set, store } from '../session.js';

const tray = document.getElementById('tray');
const $ = (id) => /** @type {any} */ (document.getElementById(id));
const made = (tag, text = '', className = '') => Object.assign(document.createElement(tag), { textContent: text, className });
const when = (t) => new Date(t).toLocaleString('en-GB', { day: 'numeric', month: 'short', year: 'numeric', hour: '2-digit', minute: '2-digit' });
// length says a distance in meters in the unit that a person would.
export const length = (m) => (m >= 0.01 ? `${(100 * m).toFixed(1)} cm` : m < 1e-6 ? 'under 0.001 mm' : `${(1000 * m).toPrecision(2)} mm`);

const pictureWide = 240; // pixels

// picture is the view as a small PNG, base64.
function picture() {
  const from = /** @type {HTMLCanvasElement} */ (document.querySelector('canvas')), to = document.createElement('canvas');
  to.width = pictureWide;
  to.height = Math.max(1, Math.round((pictureWide * from.height) / from.width));
  to.getContext('2d').drawImage(from, 0, 0, to.width, to.height);
  return to.toDataURL('image/png').split(',')[1];
}

let known = { versions: [], deliveries: [], cut: false, head: 0 }, asked = '';

async function load(again = false) {
  const c = store.character, now = `${store.id} ${c?.head}`;
  if (store.stage !== 'handoff' || !c) return;
  if (again || asked !== now) {
    asked = now;
    try { known = await getJSON(`/api/characters/${store.id}/versions`); } catch (e) { set({ say: e.message }); return; }
    if (asked !== now) return;
  }
  show();
}

function row(v) {
  const li = made('li', '', v.withdrawn ? 'withdrawn' : ''), text = made('div'), name = made('b', v.name);
  if (v.pictured) li.append(Object.assign(made('img'), { src: `/characters/${store.id}/versions/${v.id}/picture`, alt: '', loading: 'lazy' }));
  text.append(name, made('small', `${v.author}, ${when(v.time)}, revision ${v.revision}${v.score === undefined ? '' : `, score ${v.score.toFixed(2)}`}${v.profile ? `, for ${v.profile}` : ''}`));
  if (v.note) text.append(made('p', v.note));
  if (v.came.length) text.append(made('small', `New findings: ${v.came.slice(0, 3).join('; ')}${v.came.length > 3 ? ` and ${v.came.length - 3} more` : ''}.`));
  if (v.went.length) text.append(made('small', `Gone: ${v.went.slice(0, 3).join('; ')}${v.went.length > 3 ? ` and ${v.went.length - 3} more` : ''}.`));
  if (v.withdrawn) text.append(made('small', `Withdrawn by ${v.withdrawnBy}: ${v.withdrawn}`, 'why'));
  const acts = made('div', '', 'tool row'), compare = Object.assign(made('button', v.head ? 'As it is now' : 'Compare with now', 'button is-small'), { type: 'button', disabled: v.head });
  compare.dataset.compareFrom = v.revision;
  acts.append(compare);
  if (!v.withdrawn) acts.append(Object.assign(made('button', 'Withdraw', 'button is-small'), { type: 'button', title: 'Say why it should not be used' }));
  if (!v.withdrawn) acts.lastChild.dataset.withdraw = v.id;
  text.append(acts);
  li.append(text);
  return li;
}

function show() {
  const box = $('versions');
  if (!box) return;
  const list = box.querySelector('ol');
  list.hidden = !known.versions.length;
  box.querySelector('[data-none]').hidden = !list.hidden;
  list.replaceChildren(...known.versions.map(row));
  const compare = $('compare');
  compare.hidden = !known.versions.length;
  for (const name of ['from', 'to']) {
    const select = compare.querySelector(`[name=${name}]`), was = select.value;
    select.replaceChildren(...(name === 'to' ? [new Option('now', '')] : []), ...known.versions.map((v) => new Option(v.name, v.revision)));
    if ([...select.options].some((o) => o.value === was)) select.value = was;
  }
  const handed = $('deliveries');
  handed.hidden = !known.deliveries.length;
  handed.querySelector('tbody').replaceChildren(...known.deliveries.map((d) => {
    const tr = made('tr'), file = made('td'), a = Object.assign(made('a', `${d.what}, revision ${d.revision}`), { href: `/characters/${store.id}/handoff/${d.what}?${d.asked}`, title: `SHA-256 ${d.hash}` });
    a.setAttribute('download', '');
    file.append(a, made('small', ` ${(d.size / 1e6).toPrecision(2)} MB${d.profile ? `, ${d.profile}` : ''}`));
    tr.append(file, made('td', `${d.author}, ${when(d.last)}`), made('td', String(d.times), 'num'));
    return tr;
  }));
}

// differences shows what differs between the two that are chosen.
async function differences() {
  const box = $('compare'), from = box.querySelector('[name=from]').value, to = box.querySelector('[name=to]').value;
  const list = box.querySelector('.differs'), table = box.querySelector('table');
  list.replaceChildren(made('li', 'Comparing…'));
  table.hidden = true;
  let r;
  try { r = await getJSON(`/api/characters/${store.id}/compare?from=${from}${to ? `&to=${to}` : ''}`); } catch (e) { list.replaceChildren(made('li', e.message)); return; }
  told(list, table, r);
}

const shown = 30; // joints in a table

function told(list, table, r) {
  list.replaceChildren(...r.said.map((x) => made('li', x)));
  const v = r.weights?.vertex ?? -1;
  if (v >= 0) {
    const li = made('li'), b = Object.assign(made('button', 'Show where the skin differs most', 'button is-small'), { type: 'button' });
    b.addEventListener('click', () => { set({ places: { vertices: [v] }, say: `Farthest apart at vertex ${v}, in ${r.weights.pose}.` }); });
    li.append(b);
    list.append(li);
  }
  if (!table) return;
  table.hidden = !r.joints.length;
  table.querySelector('tbody').replaceChildren(...r.joints.slice(0, shown).map((j) => {
    const tr = made('tr'), th = made('th', j.kind === 'changed' ? (j.was ? `${j.was} → ${j.name}` : j.name) : `${j.name}, ${j.kind}`);
    th.scope = 'row';
    const at = joints().findIndex((x) => x.name === j.name);
    if (at >= 0) {
      tr.tabIndex = 0;
      const look = () => set({ chosen: at });
      tr.addEventListener('click', look);
      tr.addEventListener('keydown', (e) => { if (e.key === 'Enter') look(); });
    }
    tr.append(th, made('td', j.moved_m ? length(j.moved_m) : '', 'num'), made('td', j.turned_deg ? `${j.turned_deg.toFixed(1)}°` : '', 'num'), made('td', j.weights ? j.weights.toLocaleString('en') : '', 'num'));
    return tr;
  }));
  if (r.joints.length > shown) list.append(made('li', `The table shows the first ${shown} of ${r.joints.length} joints.`));
}

// recognize asks which one a file is, and offers what can be brought in.
async function recognize(file) {
  const form = new FormData(), box = $('which-said');
  form.append('file', file, file.name);
  box.replaceChildren(made('p', `Reading ${file.name}`));
  let r;
  try { r = await upload('/api/which', form, () => {}); } catch (e) { box.replaceChildren(made('p', e.message)); return; }
  box.replaceChildren();
  if (r.revision) {
    const at = r.version ? `version ${r.version.name}` : `revision ${r.revision}`;
    box.append(made('p', `${r.name}, ${at}${r.version?.withdrawn ? ', which was withdrawn' : ''}.`, 'is'));
  }
  box.append(made('p', r.said));
  if (r.handed.length) box.append(made('small', `${r.handed[0].author} took it last, on ${when(r.handed[0].last)}.`));
  if (!r.changed) return;
  const list = made('ul', '', 'differs');
  told(list, null, r.changed);
  box.append(list);
  const own = r.character === store.id, acts = made('div', '', 'tool row');
  if (own && r.file && r.changed.weights?.vertices && store.character.weights) {
    const b = Object.assign(made('button', 'Bring in its weights', 'button is-small is-primary'), { type: 'button' });
    b.addEventListener('click', () => operate('carry_weights', { file: r.file, from: 'vertex' }));
    acts.append(b);
  }
  if (own && r.changed.joints.some((j) => j.kind !== 'changed' || j.moved_m || j.turned_deg || j.was)) {
    const b = Object.assign(made('button', 'Bring in its skeleton', 'button is-small'), { type: 'button', title: 'At Placement, joint by joint' });
    b.addEventListener('click', () => { document.querySelector('.spine [data-stage=placement] a')?.dispatchEvent(new MouseEvent('click', { bubbles: true })); set({ say: 'Choose the file at Bring in a skeleton.' }); });
    acts.append(b);
  }
  if (!own && r.character) acts.append(Object.assign(made('a', `Open ${r.name}`, 'button is-small'), { href: `/characters/${r.character}/handoff` }));
  box.append(acts);
}

export async function keep() {
  const form = $('keep-version');
  if (!form.reportValidity()) return;
  try {
    const v = await post(`/api/characters/${store.id}/versions`, { base: store.character.head, name: form.elements.name.value, note: form.elements.note.value, picture: picture() });
    form.reset();
    for (const e of form.elements) delete e.dataset.touched;
    set({ say: `Kept as the version ${v.name}.` });
    await load(true);
  } catch (e) { refused(e); }
}

tray.addEventListener('submit', (e) => {
  if (/** @type {any} */ (e.target).id !== 'keep-version') return;
  e.preventDefault();
  keep();
});

tray.addEventListener('change', (e) => {
  const t = /** @type {any} */ (e.target);
  if (t.closest('#compare') && ['from', 'to'].includes(t.name)) differences();
  if (t.id === 'which-file' && t.files.length) { recognize(t.files[0]); t.value = ''; }
});

tray.addEventListener('click', async (e) => {
  const t = /** @type {any} */ (e.target), compare = t.closest('[data-compare-from]'), withdraw = t.closest('[data-withdraw]');
  if (compare) {
    const box = $('compare');
    box.querySelector('[name=from]').value = compare.dataset.compareFrom;
    box.querySelector('[name=to]').value = '';
    box.scrollIntoView({ block: 'nearest' });
    differences();
  }
  if (withdraw) {
    const v = known.versions.find((x) => x.id === Number(withdraw.dataset.withdraw));
    const why = await ask(`Withdraw ${v.name}?`, 'It stays in the list, with the reason. Files handed over as this version can still be recognized.', 'Withdraw', 'Why should it not be used?');
    if (!why) return;
    try { await post(`/api/characters/${store.id}/versions/withdraw`, { version: v.id, why }); await load(true); } catch (err) { refused(err); }
  }
  if (t.closest('[data-restore]')) {
    const box = $('compare'), some = box.querySelector('[name=some]').checked, names = chosenNames();
    if (some && !names.length) { set({ say: 'Select joints first, in the view or the ledger.' }); return; }
    await operate('restore', { revision: Number(box.querySelector('[name=from]').value), what: box.querySelector('[name=what]').value, ...(some ? { joints: names } : {}) });
    if ($('compare') && !$('compare').hidden) differences();
  }
});

document.addEventListener('trayloaded', () => load());
on('character', () => load());
