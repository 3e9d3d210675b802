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
  c.setAttribute('role', 'cell');
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

export function draw() {
  const list = joints();
  fold.querySelector('.count').textContent = list.length ? `${list.length} joints` : 'no joints yet';
  if (wrap.hidden) return;
  const words = filter.value.toLowerCase();
  const frag = document.createDocumentFragment();
  const head = document.createElement('div');
  head.className = 'row head';
  head.setAttribute('role', 'row');
  for (const [text, name] of [['Joint', 'name'], ['Side', 'side'], ['Placed', 'placed'], ['X cm', 'num'], ['Y cm', 'num'], ['Z cm', 'num'], ['Bound', 'bound'], ['Leads', 'num']]) {
    const c = cell(text, name);
    c.setAttribute('role', 'columnheader');
    head.append(c);
  }
  frag.append(head);
  for (const [i, deep] of branches(list)) {
    const j = list[i];
    if (words && !j.name.toLowerCase().includes(words)) continue;
    const row = document.createElement('div');
    row.className = `row ${j.side} ${j.bound}`;
    row.dataset.joint = i;
    row.tabIndex = i === store.chosen || (store.chosen < 0 && i === 0) ? 0 : -1;
    row.setAttribute('role', 'row');
    row.setAttribute('aria-selected', i === store.chosen || store.also.has(i));
    row.draggable = true;
    const name = cell(j.name, 'name');
    name.style.paddingInlineStart = `${0.5 + 0.8 * Math.min(deep, 8) + 0.08 * Math.max(0, deep - 8)}rem`;
    name.title = j.name;
    const marks = [j.pinned && 'pinned', j.locked && 'locked', j.hidden && 'hidden'].filter(Boolean).join(', ');
    const placed = cell(marks || (j.reason ? `${Math.round(100 * j.confidence)} %` : 'by hand'), 'placed');
    placed.title = j.reason;
    if (j.reason) placed.style.setProperty('--sure', j.confidence);
    const bound = cell(j.end ? 'end joint' : j.bound, 'bound');
    bound.title = j.cause;
    row.append(name, cell({ left: '● left', right: '▬ right', centre: '' }[j.side], 'side'), placed, ...j.pos.map((v) => cell((100 * v).toFixed(1).replace(/^-0\.0$/, '0.0'), 'num')), bound, cell(j.bound && !j.end ? j.leads : '', 'num'));
    frag.append(row);
  }
  rows.replaceChildren(frag);
  rows.setAttribute('role', 'table');
}

rows.addEventListener('click', (e) => {
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
