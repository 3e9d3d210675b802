// The history of a character, page by page, and as a script to be taken away.
import { getBuffer, getJSON, upload } from './api.js';
import { operate, refused, set, store } from './session.js';

const dialog = document.getElementById('history');
const list = dialog.querySelector('.past');
const more = dialog.querySelector('[data-more]');
let last = 0;

function item(r) {
  const li = document.createElement('li');
  if (r.id === store.character.head) li.setAttribute('aria-current', 'true');
  const b = document.createElement('b');
  b.textContent = r.outcome.sentence;
  const s = document.createElement('span');
  s.textContent = `${r.author}, ${new Date(r.time).toLocaleString()}`;
  li.append(b, s);
  if (r.bound && r.id !== store.character.head) {
    const keep = document.createElement('button');
    Object.assign(keep, { type: 'button', className: 'button is-small', textContent: 'Keep its weights', title: 'Keep them under a name, to compare or use' });
    keep.addEventListener('click', () => { keepOf(r).catch(refused); });
    li.append(keep);
  }
  return li;
}

// keepOf keeps the weights that the character had at a revision, on the mesh of now.
async function keepOf(r) {
  dialog.close();
  set({ say: 'Reading those weights' });
  const when = new Date(r.time).toISOString().slice(0, 16).replace('T', ' '), form = new FormData();
  form.append('file', new File([await getBuffer(`/characters/${store.id}/handoff/glb?at=${r.id}`)], `${store.character.name} as of ${when}.glb`));
  const { file } = await upload(`/api/characters/${store.id}/match`, form, () => {});
  set({ say: '' });
  await operate('keep_result', { name: `revision ${r.id}, ${when}`.slice(0, 60), file });
}

const sitting = 5 * 60_000; // milliseconds between strokes of one step

// grouped puts strokes that follow each other on one joint into one step, which unfolds; undo still takes
// them back one by one.
function grouped(revisions) {
  const out = [];
  for (let i = 0; i < revisions.length;) {
    const r = revisions[i], same = (x) => ['paint_weights', 'paint_mix'].includes(r.op) && x.op === r.op && x.author === r.author && x.outcome.sentence.split(':')[0] === r.outcome.sentence.split(':')[0];
    let k = i + 1;
    while (k < revisions.length && same(revisions[k]) && Date.parse(revisions[k - 1].time) - Date.parse(revisions[k].time) < sitting) k++;
    if (k - i < 2) out.push(item(r)); else {
      const li = document.createElement('li'), d = document.createElement('details'), s = document.createElement('summary'), ul = document.createElement('ul');
      s.innerHTML = '<b></b><span></span>';
      s.firstChild.textContent = `${r.outcome.sentence.split(':')[0]}: ${k - i} times`;
      s.lastChild.textContent = `${r.author}, ${new Date(revisions[k - 1].time).toLocaleString()} to ${new Date(r.time).toLocaleTimeString()}`;
      ul.append(...revisions.slice(i, k).map(item));
      d.append(s, ul);
      li.append(d);
      if (revisions.slice(i, k).some((x) => x.id === store.character.head)) li.setAttribute('aria-current', 'true');
      out.push(li);
    }
    i = k;
  }
  return out;
}

async function page() {
  const p = await getJSON(`/api/characters/${store.id}/history${last ? `?before=${last}` : ''}`);
  list.append(...grouped(p.revisions));
  last = p.revisions.at(-1)?.id ?? last;
  more.hidden = !p.more;
}

more.addEventListener('click', () => page().catch(refused));

export async function showHistory() {
  last = 0;
  list.replaceChildren();
  try {
    await page();
    dialog.showModal();
  } catch (e) { refused(e); }
}
