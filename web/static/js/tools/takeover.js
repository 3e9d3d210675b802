// Taking over a skeleton from a file or another character: the pairs, and what
// becomes of every joint, before anything is done.
import { getJSON, post, upload } from '../api.js';
import { joints, operate, set, store } from '../session.js';

const tray = document.getElementById('tray');
const LEAVE = '\u0000'; // no joint has this name

const formOf = (files) => {
  const form = new FormData();
  for (const f of files) form.append('file', f, f.name);
  return form;
};

tray.addEventListener('change', (e) => {
  if (e.target.id === 'take-from' && e.target.value) { const id = e.target.value; e.target.value = ''; takeOver(getJSON(`/api/characters/${store.id}/match?from=${id}`)); }
  if (e.target.id === 'take-file' && e.target.files.length) {
    const files = [...e.target.files];
    e.target.value = '';
    set({ say: `Reading ${files[0].name}` });
    takeOver(upload(`/api/characters/${store.id}/match`, formOf(files), () => {}));
  }
});

function row(name, ...cells) {
  const tr = document.createElement('tr');
  const th = document.createElement('th');
  th.scope = 'row';
  th.textContent = name;
  tr.append(th, ...cells.map((c) => { const td = document.createElement('td'); td.append(c); return td; }));
  return tr;
}

// becomes says what happens to a joint.
function becomes(j) {
  switch (j?.what) {
    case undefined: return '';
    case 'moved': return `moves ${(100 * j.by).toFixed(1)} cm`;
    case 'added': return j.theirs && j.theirs !== j.joint ? `added as ${j.joint}` : 'added';
    case 'reparented': return `${j.by ? `moves ${(100 * j.by).toFixed(1)} cm, ` : ''}from ${j.from || 'a root'} to ${j.to || 'a root'}`;
    case 'dropped': return `dropped${store.character.weights ? `, weights to ${j.to || 'none'}` : ''}`;
    default: return 'stays';
  }
}

async function takeOver(coming) {
  let m;
  try { m = await coming; } catch (e) { set({ say: e.message }); return; }
  set({ say: '' });
  const d = document.createElement('dialog');
  d.className = 'sheet takeover';
  d.setAttribute('aria-label', `Take over the skeleton of ${m.source}`);
  d.innerHTML = `<form method="dialog"><h2></h2><p class="sum"></p>
<div class="pairs"><table class="report"><thead><tr><th scope="col">Theirs</th><th scope="col">Ours</th><th scope="col">Paired by</th><th scope="col">Becomes</th></tr></thead><tbody class="theirs"></tbody><tbody class="ours"></tbody></table></div>
<div class="tool row"><label>Joints that they lack <select name="obsolete"><option value="keep">keep</option><option value="drop">drop, children to the grandparent</option></select></label><label>Hierarchy <select name="parenting"><option value="keep">keep ours</option><option value="take">take theirs</option></select></label><label>Scale <input name="scale" type="number" step="any" min="0.0001" max="1000000" required></label><label class="tick" hidden><input type="checkbox" name="here" checked> <span>stand it where the character stands</span></label><label class="tick" hidden><input type="checkbox" name="motion" checked> <span></span></label></div>
<p class="would" role="status"></p>
<div class="ends"><button type="button" class="button" data-no>Cancel</button><button class="button is-primary" value="yes" autofocus>Bring it in</button></div></form>`;
  d.querySelector('h2').textContent = `Take over the skeleton of ${m.source}`;
  const none = joints().length === 0, f = d.querySelector('form').elements;
  d.querySelector('.sum').textContent = none ? `${m.theirs.length} joints. This character has no skeleton yet, so they come as they are.`
    : `${m.matches.length} joints are paired, ${m.alone.length} of theirs are new, ${m.ours.length} of ours they lack.${m.matches.some((p) => p.how === 'place') ? ' Pairs by place want a look.' : ''}`;
  f.scale.value = m.scale;
  for (const name of ['obsolete', 'parenting']) f[name].closest('label').hidden = none;
  f.here.parentElement.hidden = !m.away;
  if (m.file && m.frames) {
    f.motion.parentElement.hidden = false;
    f.motion.parentElement.querySelector('span').textContent = `keep its motion, ${m.frames} frames`;
  }
  const by = new Map(m.matches.map((p) => [p.theirs, p]));
  const lines = new Map();
  d.querySelector('.theirs').append(...m.theirs.map((t) => {
    const p = by.get(t.name), pick = document.createElement('select');
    pick.dataset.theirs = t.name;
    pick.setAttribute('aria-label', `Our joint for ${t.name}`);
    pick.append(new Option('new joint', ''), new Option('leave it out', LEAVE), ...joints().map((j) => new Option(j.name, j.name)));
    pick.value = p?.ours ?? '';
    const tr = row(t.name, pick, p ? { name: 'name', like: 'meaning of the name', place: 'place: confirm', limb: 'its position in the limb' }[p.how] ?? p.how : '', '');
    if (p?.how === 'place') tr.children[2].className = 'unsure';
    pick.addEventListener('change', () => { tr.children[2].textContent = pick.value && pick.value !== LEAVE ? 'you' : ''; tr.children[2].className = ''; });
    lines.set(t.name, tr);
    return tr;
  }));

  const params = () => {
    const match = {}, leave = [];
    for (const p of d.querySelectorAll('select[data-theirs]')) {
      if (p.value === LEAVE) leave.push(p.dataset.theirs); else if (p.value) match[p.dataset.theirs] = p.value;
    }
    return { ...(m.file ? { file: m.file, motion: Boolean(m.frames && f.motion.checked) } : { theirs: m.theirs }), source: m.source, match, leave, obsolete: f.obsolete.value, parenting: f.parenting.value, scale: Number(f.scale.value), here: m.away && f.here.checked };
  };
  let turn = 0, waiting;
  const tryIt = async () => {
    const mine = ++turn, would = d.querySelector('.would'), yes = d.querySelector('[value=yes]');
    if (!f.scale.checkValidity()) return;
    try {
      const p = await post(`/api/characters/${store.id}/preview`, { op: 'adopt_skeleton', params: params() });
      if (mine !== turn) return;
      const list = p.outcome.joints ?? [], theirs = new Map(list.filter((j) => j.theirs).map((j) => [j.theirs, j]));
      for (const [name, tr] of lines) {
        const j = theirs.get(name);
        tr.lastChild.textContent = j ? becomes(j) : 'left out';
        tr.className = j ? j.what : 'left';
      }
      d.querySelector('.ours').replaceChildren(...list.filter((j) => !j.theirs).map((j) => { const tr = row('', j.joint, '', becomes(j)); tr.className = j.what; return tr; }));
      const n = (what) => list.filter((j) => j.what === what).length;
      would.textContent = none ? `${list.length} joints are taken.` : `${n('moved')} move, ${n('added')} added, ${n('dropped')} removed, ${n('reparented')} reparented, ${n('untouched')} unchanged.`;
      would.classList.remove('wrong');
      yes.disabled = false;
    } catch (e) {
      if (mine !== turn) return;
      would.textContent = e.message;
      would.classList.add('wrong');
      yes.disabled = true;
    }
  };
  d.addEventListener('input', () => { clearTimeout(waiting); waiting = setTimeout(tryIt, 120); });
  d.querySelector('[data-no]').addEventListener('click', () => d.close('no'));
  d.addEventListener('close', () => {
    d.remove();
    if (d.returnValue !== 'yes') return;
    operate('adopt_skeleton', params());
  });
  document.body.append(d);
  d.showModal();
  tryIt();
}
