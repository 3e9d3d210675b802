// Handoff: looking once more at what goes out.
import { getJSON } from '../api.js';
import { on, set, store } from '../session.js';
import { chooseAt } from '../plate.js';

export const tool = { stage: 'handoff', click: chooseAt, show: () => ({}) };

document.addEventListener('submit', (e) => {
  if (/** @type {any} */ (e.target).id !== 'handoff') return;
  const blocked = store.character.stages.find((s) => s.name === 'handoff').findings.some((f) => f.severity === 'blocks');
  set({ say: blocked ? 'Handed over with open findings: they are listed above.' : 'Handed over.' });
});

// costs shows what caps and roundings of a target cost; costs of another revision are asked for again.
let asked = '', known = [];
async function costs() {
  const c = store.character, key = `${store.id} ${c?.head}`;
  if (store.stage !== 'handoff' || !c?.weights) return;
  if (asked !== key) {
    asked = key;
    known = [];
    try { known = await getJSON(`/api/characters/${store.id}/handoffcost`); } catch (e) { set({ say: e.message }); }
    if (asked !== key) return;
  }
  const box = document.getElementById('costs');
  if (!box || !known.length) return;
  box.hidden = false;
  box.querySelector('tbody').replaceChildren(...known.map((x) => {
    const tr = document.createElement('tr'), a = document.createElement('th'), b = document.createElement('td'), d = document.createElement('td');
    a.scope = 'row';
    a.textContent = x.bits ? `up to ${x.influences}, ${x.bits} bits each` : `up to ${x.influences}`;
    b.className = d.className = 'num';
    b.textContent = x.changed ? x.changed.toLocaleString('en') : 'none';
    d.textContent = x.changed ? `${(1000 * x.farthest_m).toPrecision(2)} mm` : '0';
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
}
document.addEventListener('trayloaded', costs);
on('character', costs);
