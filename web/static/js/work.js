// Long work on its way: what it does, how far it is, and the way to stop it.
import { post } from './api.js';
import { listen } from './news.js';
import { operations, set, store } from './session.js';

const box = document.getElementById('work');
const told = new Set();
let opened = false;

// watch listens for the head and the work of the character.
export function watch(onHead) {
  let before = Promise.resolve();
  listen(store.id, (news) => {
    if (news.trouble) { set({ say: news.trouble }); return; }
    draw(news.works ?? []);
    // One after the other, and the end of a work is told when it can be seen.
    before = before.then(async () => {
      await sent();
      if (news.head !== store.character.head) await onHead();
      tell(news.works ?? []);
    });
  });
}

// sent waits for the answer to what is being sent, which may bring the same head. News are
// not passed over meanwhile: long work may have ended before its sender knows that it began.
async function sent() {
  while (document.body.classList.contains('sending')) await new Promise((f) => setTimeout(f, 50));
}

const open = (w) => w.state === 'queued' || w.state === 'running';

// tell says how works ended, each once; those that had ended before are silent.
function tell(works) {
  for (const w of works) {
    if (open(w) || told.has(w.id)) continue;
    told.add(w.id);
    if (opened) set({ say: w.state === 'done' ? w.message : `${w.label}: ${w.message}` });
  }
  opened = true;
}

function draw(works) {
  const running = works.filter(open);
  store.works = running;
  box.hidden = !running.length;
  document.body.classList.toggle('busy', running.length > 0);
  if (!running.length) { box.replaceChildren(); return; }
  const w = running[0];
  if (box.dataset.work !== w.id || !box.firstChild) {
    box.dataset.work = w.id;
    box.innerHTML = '<p><b></b> <span></span></p><progress max="1"></progress><button type="button" class="button is-small" data-enough hidden title="It ends with the best that it has found so far">Stop and keep the best</button> <button type="button" class="button is-small" data-cancel>Cancel</button>';
    const enough = box.querySelector('[data-enough]');
    enough.hidden = !operations.find((o) => o.name === w.op)?.keeps;
    enough.addEventListener('click', async () => {
      enough.disabled = true;
      try { await post(`/api/works/${w.id}/enough`); } catch (e) { enough.disabled = false; set({ say: e.message }); }
    });
    box.querySelector('[data-cancel]').addEventListener('click', async () => {
      try { await post(`/api/works/${w.id}/cancel`); } catch (e) { set({ say: e.message }); }
    });
  }
  box.querySelector('b').textContent = w.label;
  const after = running.slice(1).map((x) => x.label);
  box.querySelector('span').textContent = w.what + (after.length ? ` · then ${after.slice(0, 2).join(', ')}${after.length > 2 ? ` and ${after.length - 2} more` : ''}` : '');
  box.querySelector('progress').value = w.share;
}
