// The history of a character, page by page, and as a script to be taken away.
import { getJSON } from './api.js';
import { refused, store } from './session.js';

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
  return li;
}

async function page() {
  const p = await getJSON(`/api/characters/${store.id}/history${last ? `?before=${last}` : ''}`);
  list.append(...p.revisions.map(item));
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
