// What a production keeps for all its characters: starters and maps of names, and
// laying a starter over joints by such a map.
import { post } from '../api.js';
import { ask } from '../ask.js';
import { starterParams } from './placement.js';
import { joints, operate, set, store } from '../session.js';
import { loadTray } from '../tray.js';

const tray = document.getElementById('tray');
const shelf = (path, body) => post(`/api/characters/${store.id}/shelf${path}`, body);

async function keep(body) {
  try {
    const kept = await shelf('', body);
    await loadTray();
    return kept;
  } catch (e) { set({ say: e.message }); return null; }
}

tray.addEventListener('submit', async (e) => {
  if (e.target.id !== 'keep-starter') return;
  e.preventDefault();
  const f = e.target.elements;
  delete f.name.dataset.touched;
  if (await keep({ kind: 'starter', name: f.name.value, like: f.like.value })) set({ say: `Kept as the starter ${f.name.value} of this production.` });
});

tray.addEventListener('click', async (e) => {
  if (e.target.closest('[data-keep-rules]') && await keep({ kind: 'rules' })) set({ say: 'Kept the convention and the policy of the bind pose as the production\'s: characters that come later begin with them.' });
  const discard = e.target.closest('[data-discard]');
  if (discard) {
    const name = discard.form.elements.starter.value.replace(/^own:/, '');
    if (!await ask(`Discard the starter ${name}?`, 'Characters that were fitted with it stay as they are. This cannot be undone.', 'Discard')) return;
    try { await shelf('/discard', { kind: 'starter', name }); await loadTray(); set({ say: `Discarded the starter ${name}.`, ghost: null }); } catch (err) { set({ say: err.message }); }
  }
  if (e.target.closest('#lay-over')) layOver(e.target.closest('#lay-over'));
});

// The house style: what is offered of it is the production's choice, and its places are shown while it is pointed at.
tray.addEventListener('click', async (e) => {
  const b = e.target.closest('[data-style], [data-style-out], [data-style-in]');
  if (!b) return;
  const style = JSON.parse(b.closest('#house').dataset.choice), { style: turn, styleOut: out, styleIn: back } = b.dataset;
  if (turn) style.off = turn === 'off';
  style.leftOut = (style.leftOut ?? []).filter((j) => j !== back).concat(out ? [out] : []);
  if (!await keep({ kind: 'style', style })) return;
  const said = turn ? `The house style of this production is switched ${turn}.` : out ? `${out} is left out of the house style.` : `${back} is in the house style again.`;
  set({ ghost: null, say: said });
});
for (const [event, shown] of [['mouseover', true], ['mouseout', false], ['focusin', true], ['focusout', false]]) {
  tray.addEventListener(event, (e) => {
    const house = e.target.closest('#house');
    if (house && house.contains(e.relatedTarget)) return;
    if (house) set({ ghost: shown ? JSON.parse(house.dataset.ghost) : null });
  });
}

// layOver opens the map of names: which joint of the starter stands on which joint
// that is there.
async function layOver(button) {
  const form = tray.querySelector('#starter'), params = starterParams(form);
  if (params.own) { set({ say: 'Choose a kind under “Start over from a starter” to snap; a production starter is fitted instead.' }); return; }
  let list;
  try { list = await post(`/api/characters/${store.id}/starter`, params); } catch (e) { set({ say: e.message }); return; }
  let maps = JSON.parse(button.dataset.names);
  const shipped = maps.length - maps.filter((m) => m.name === m.source).length;
  const title = form.elements.starter.selectedOptions[0].textContent.toLowerCase();
  const d = document.createElement('dialog');
  d.className = 'sheet takeover';
  d.setAttribute('aria-label', `Lay the ${title} over the joints`);
  d.innerHTML = `<form method="dialog"><h2></h2><p class="sum"></p><div class="tool row"><label>Names of <select name="map"></select></label><button type="button" class="button is-small" data-gone hidden>Discard these names</button></div>
<div class="pairs"><table class="report"><thead><tr><th scope="col">Joint of the starter</th><th scope="col">Stands on</th></tr></thead><tbody></tbody></table></div>
<p class="would" role="status"></p>
<div class="tool row"><label>Keep these names as <input name="as" maxlength="63" autocomplete="off"></label><button type="button" class="button is-small" data-keep>Keep</button></div>
<div class="ends"><button type="button" class="button" data-no>Cancel</button><button class="button is-primary" value="yes" autofocus>Snap</button></div></form>`;
  d.querySelector('h2').textContent = `Lay the ${title} over the joints`;
  d.querySelector('.sum').textContent = 'Unmatched joints move along and are listed afterwards, to be placed in the volume. The starter is set under “Start over from a starter”.';
  const f = d.querySelector('form').elements, body = d.querySelector('tbody');
  const picks = new Map();
  for (const j of list) {
    const tr = document.createElement('tr'), th = document.createElement('th'), td = document.createElement('td'), pick = document.createElement('select');
    th.scope = 'row';
    th.textContent = j.name;
    pick.dataset.ours = j.name;
    pick.setAttribute('aria-label', `Joint that ${j.name} stands on`);
    pick.append(new Option('nothing', ''), ...joints().map((x) => new Option(x.name, x.name)));
    picks.set(j.name, pick);
    td.append(pick);
    tr.append(th, td);
    body.append(tr);
  }
  const hits = (m) => list.filter((j) => joints().some((x) => x.name === (m.joints[j.name] ?? (m.name ? '' : j.name)))).length;
  const offer = (chosen) => {
    f.map.replaceChildren(new Option('the starter itself', ''), ...maps.map((m) => new Option(m.source, m.name)));
    f.map.value = chosen;
    use();
  };
  const use = () => {
    const i = maps.findIndex((m) => m.name === f.map.value), m = maps[i] ?? { joints: {} };
    d.querySelector('[data-gone]').hidden = i < shipped;
    for (const [ours, pick] of picks) pick.value = m.joints[ours] ?? (f.map.value ? '' : ours);
    for (const pick of picks.values()) if (pick.selectedIndex < 0) pick.value = '';
    count();
  };
  const pairs = () => Object.fromEntries([...picks].filter(([, p]) => p.value).map(([ours, p]) => [ours, p.value]));
  const count = () => {
    const all = Object.values(pairs()), twice = all.find((n, i) => all.indexOf(n) !== i), would = d.querySelector('.would');
    would.textContent = twice ? `${twice} is selected twice.` : all.length ? `${all.length} of ${list.length} joints stand on one; ${list.length - all.length} are carried along.` : 'No joint is matched yet: choose a naming scheme or pairs.';
    would.classList.toggle('wrong', Boolean(twice));
    d.querySelector('[value=yes]').disabled = d.querySelector('[data-keep]').disabled = Boolean(twice) || !all.length;
  };
  f.map.addEventListener('change', use);
  body.addEventListener('change', count);
  d.querySelector('[data-keep]').addEventListener('click', async () => {
    if (!f.as.value.trim()) { f.as.focus(); return; }
    const kept = await keep({ kind: 'names', name: f.as.value, joints: pairs() });
    const would = d.querySelector('.would');
    if (!kept) { would.textContent = document.getElementById('saying').textContent; would.classList.add('wrong'); return; }
    maps = [...maps.filter((m) => m.name !== kept.name), kept];
    f.as.value = '';
    offer(kept.name);
    would.textContent = `Kept as ${kept.name}. ${would.textContent}`;
  });
  d.querySelector('[data-gone]').addEventListener('click', async () => {
    const name = f.map.value;
    try { await shelf('/discard', { kind: 'names', name }); maps = maps.filter((m) => m.name !== name); await loadTray(); offer(''); } catch (e) { d.querySelector('.would').textContent = e.message; }
  });
  d.querySelector('[data-no]').addEventListener('click', () => d.close('no'));
  d.addEventListener('close', () => {
    d.remove();
    if (d.returnValue === 'yes') operate('snap_starter', { ...params, names: pairs() });
  });
  document.body.append(d);
  offer([{ name: '', joints: {} }, ...maps].reduce((a, b) => (hits(b) > hits(a) ? b : a)).name);
  d.showModal();
}
