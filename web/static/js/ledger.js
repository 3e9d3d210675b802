// The ledger: the table of joints that folds in from below.
import { choose, chosenJoint, chosenNames, joints, on, set, store } from './session.js';

const rows = document.querySelector('#ledger .rows');
const filter = document.getElementById('ledger-filter');
const wrap = document.querySelector('#ledger .sheetwrap');
const fold = document.querySelector('#ledger .fold');

export function toggleLedger(open = wrap.hidden) {
  wrap.hidden = !open;
  fold.setAttribute('aria-expanded', open);
  document.body.classList.toggle('ledger-open', open);
  if (open) draw();
}

function cell(text, name) {
  const c = document.createElement('span');
  c.className = name;
  c.textContent = text;
  c.setAttribute('role', 'gridcell');
  return c;
}

function keeping(j) {
  const c = cell([j.keeps, j.order && `turns ${j.order}`].filter(Boolean).join('; '), 'keeps');
  c.title = c.textContent;
  return c;
}

// branches returns the joints with their depths, each followed by what hangs from it.
function branches(list) {
  const children = list.map(() => []), out = [];
  list.forEach((j, i) => { if (j.parent >= 0) children[j.parent].push(i); });
  const stack = list.map((j, i) => [i, 0]).filter(([i]) => list[i].parent < 0).reverse();
  while (stack.length) {
    const [i, depth] = stack.pop();
    out.push([i, depth]);
    for (const c of children[i].reverse()) stack.push([c, depth + 1]);
  }
  return out;
}

// stateOf says how a joint was bound, or why it is not asked for.
const stateOf = (j) => (j.helper ? 'helper joint' : j.end ? 'end joint' : j.bound);

// columns are what the ledger has of a joint: its heading, its class, and what it is
// sorted by; null sorts as the joints hang from each other.
/** @type {[string, string, (j: any) => any][]} */
const columns = [
  ['Joint', 'name', (j) => j.name], ['Side', 'side', (j) => j.side], ['Confidence', 'placed', (j) => (j.reason ? j.confidence : 2)],
  ['X cm', 'num', (j) => j.pos[0]], ['Y cm', 'num', (j) => j.pos[1]], ['Z cm', 'num', (j) => j.pos[2]],
  ['State', 'bound', (j) => (stateOf(j) === j.bound ? j.bound : 'zz')], ['Leads', 'num', (j) => (j.end && !j.helper ? -1 : j.leads)],
  ['Constraints', 'keeps', (j) => j.keeps ?? ''],
];
const order = { by: -1, down: false }; // as they hang, at first

// sorted are the joints with their depths in the order of the ledger.
function sorted(list) {
  const all = branches(list);
  if (order.by < 0) return all;
  const key = columns[order.by][2], way = order.down ? -1 : 1;
  const compare = (a, b) => (typeof a === 'string' ? a.localeCompare(b, 'en', { numeric: true }) : a - b);
  return all.map(([i]) => [i, 0]).sort(([a], [b]) => way * compare(key(list[a]), key(list[b])) || a - b);
}

// wanted are the joints whose names have the words, and those that they hang from.
function wanted(list, words) {
  const hit = new Set(), kin = new Set();
  list.forEach((j, i) => {
    if (!j.name.toLowerCase().includes(words)) return;
    hit.add(i);
    if (order.by < 0) for (let p = j.parent; p >= 0; p = list[p].parent) kin.add(p);
  });
  return { hit, kin };
}

// heading is a button that sorts by its column: up, down, and as they hang again.
/** @param {[string, string, (j: any) => any]} column */
function heading([text, name], k) {
  const c = cell('', name);
  c.setAttribute('role', 'columnheader');
  c.setAttribute('aria-sort', order.by !== k ? 'none' : order.down ? 'descending' : 'ascending');
  const b = document.createElement('button');
  b.type = 'button';
  b.dataset.sort = k;
  b.title = `Sort by ${text}`;
  b.textContent = text + (order.by !== k ? '' : order.down ? ' ↓' : ' ↑');
  c.append(b);
  return c;
}

export function draw() {
  const list = joints();
  fold.querySelector('.count').textContent = list.length ? `${list.length} joints` : 'no joints yet';
  if (wrap.hidden) return;
  const words = filter.value.toLowerCase();
  const frag = document.createDocumentFragment();
  const head = document.createElement('div');
  head.className = 'row head';
  head.setAttribute('role', 'row');
  head.append(...columns.map(heading));
  frag.append(head);
  const { hit, kin } = wanted(list, words);
  for (const [i, deep] of sorted(list)) {
    const j = list[i];
    if (!hit.has(i) && !kin.has(i)) continue;
    const row = document.createElement('div');
    row.className = `row ${j.side} ${j.bound}${hit.has(i) ? '' : ' kin'}`;
    row.dataset.joint = i;
    row.tabIndex = i === store.chosen || (store.chosen < 0 && i === 0) ? 0 : -1;
    row.setAttribute('role', 'row');
    row.setAttribute('aria-level', deep + 1);
    row.setAttribute('aria-selected', i === store.chosen || store.also.has(i));
    row.draggable = true;
    const name = cell(j.name, 'name');
    name.style.paddingInlineStart = `${0.5 + 0.8 * Math.min(deep, 8) + 0.08 * Math.max(0, deep - 8)}rem`;
    name.title = j.name;
    const marks = [j.pinned && 'pinned', j.locked && 'locked', j.hidden && 'hidden'].filter(Boolean).join(', ');
    const placed = cell(marks || (j.reason ? `${Math.round(100 * j.confidence)}%` : 'by hand'), 'placed');
    placed.title = j.reason;
    if (j.reason) placed.style.setProperty('--sure', j.confidence);
    const bound = cell(stateOf(j), 'bound');
    bound.title = j.helper?.says ?? j.cause;
    row.append(name, cell({ left: '● left', right: '▬ right', centre: '' }[j.side], 'side'), placed, ...j.pos.map((v) => cell((100 * v).toFixed(1).replace(/^-0\.0$/, '0.0'), 'num')), bound, cell(j.bound && (!j.end || j.helper) ? j.leads : '', 'num'), keeping(j));
    frag.append(row);
  }
  const focus = document.activeElement?.closest?.('#ledger [data-sort]')?.dataset.sort;
  rows.replaceChildren(frag);
  rows.setAttribute('role', 'treegrid');
  rows.setAttribute('aria-label', 'Joints');
  rows.setAttribute('aria-multiselectable', true);
  if (focus) rows.querySelector(`[data-sort="${focus}"]`).focus();
}

rows.addEventListener('click', (e) => {
  const b = e.target.closest('[data-sort]');
  if (b) {
    const k = Number(b.dataset.sort);
    if (order.by !== k) Object.assign(order, { by: k, down: false });
    else if (!order.down) order.down = true;
    else order.by = -1;
    draw();
    return;
  }
  const row = e.target.closest('[data-joint]');
  if (row) choose(Number(row.dataset.joint), e.shiftKey || e.ctrlKey || e.metaKey);
});
rows.addEventListener('keydown', (e) => {
  const row = e.target.closest('[data-joint]');
  if (!row) return;
  const next = e.key === 'ArrowDown' ? row.nextElementSibling : e.key === 'ArrowUp' ? row.previousElementSibling : null;
  if (next?.dataset.joint) {
    e.preventDefault();
    set({ chosen: Number(next.dataset.joint) });
    rows.querySelector('[aria-selected=true]')?.focus();
  }
});
// A joint dragged onto another hangs from it; its place is kept.
let dragged = -1;
rows.addEventListener('dragstart', (e) => { dragged = Number(e.target.closest('[data-joint]')?.dataset.joint ?? -1); e.dataTransfer.setData('text/plain', joints()[dragged]?.name ?? ''); });
rows.addEventListener('dragover', (e) => { if (dragged >= 0 && e.target.closest('[data-joint]')) e.preventDefault(); });
rows.addEventListener('drop', (e) => {
  const row = e.target.closest('[data-joint]');
  if (!row || dragged < 0) return;
  e.preventDefault();
  const onto = Number(row.dataset.joint), chosen = new Set([store.chosen, ...store.also]);
  const also = chosen.has(dragged) && !chosen.has(onto); // all that are chosen
  if (onto !== dragged) document.dispatchEvent(new CustomEvent('reparent', { detail: { joints: also ? chosenNames() : [joints()[dragged].name], parent: joints()[onto].name } }));
  dragged = -1;
});
filter.addEventListener('input', draw);
on('character', draw);
// Choosing changes marks alone: the table may be long.
on('chosen also', () => {
  for (const row of rows.querySelectorAll('[data-joint]')) {
    const i = Number(row.dataset.joint);
    row.tabIndex = i === store.chosen || (store.chosen < 0 && i === 0) ? 0 : -1;
    row.setAttribute('aria-selected', i === store.chosen || store.also.has(i));
  }
  if (chosenJoint()) rows.querySelector('[aria-selected=true]')?.scrollIntoView({ block: 'nearest' });
});
