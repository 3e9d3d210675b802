// The cast page: bringing in a mesh by drop or choice, removing a character,
// and the name that work is signed with.
import { bring, getText, post } from './api.js';
import { ask } from './ask.js';

const form = document.getElementById('bring'); // not there for who may only look
const input = document.getElementById('file');
const way = form?.querySelector('.way');
const refusal = form?.querySelector('.refusal');

async function take(files) {
  if (!files.length) return;
  refusal.hidden = true;
  const total = [...files].reduce((n, f) => n + f.size, 0);
  if (total > form.dataset.limit * 1024 * 1024) {
    refuse(`These files have ${Math.ceil(total / 1048576)} MB; the limit is ${form.dataset.limit} MB. Thin the mesh, or have the limit raised where the server is started.`);
    return;
  }
  const data = new FormData();
  const production = form.elements.production;
  if (!production.reportValidity()) { input.value = ''; return; }
  localStorage.setItem('production', production.value); // the next file mostly goes there too
  data.set('production', production.value);
  for (const f of files) data.append('file', f, f.name);
  way.hidden = false;
  const bar = way.querySelector('progress'), text = way.querySelector('span');
  text.textContent = `Sending ${files[0].name}`;
  try {
    const made = await bring('/api/characters', data, (share) => {
      bar.value = share;
      if (share >= 1) { bar.removeAttribute('value'); text.textContent = 'Reading and checking it'; }
    }, () => { text.textContent = 'No answer came: whether it arrived is not known yet. Asking …'; });
    location.href = made.url;
  } catch (e) {
    way.hidden = true;
    refuse(e.message);
  }
}

function refuse(text) {
  if (!refusal) return;
  refusal.textContent = text;
  refusal.hidden = false;
  input.value = '';
  refusal.scrollIntoView({ block: 'nearest' });
}

if (form) {
  const last = localStorage.getItem('production');
  if ([...form.querySelectorAll('#productions option')].some((o) => o.value === last)) form.elements.production.value = last;
  input.addEventListener('change', () => take(input.files));
  for (const type of ['dragenter', 'dragover']) addEventListener(type, (e) => { e.preventDefault(); document.body.classList.add('dropping'); });
  for (const type of ['dragleave', 'drop']) addEventListener(type, (/** @type {DragEvent} */ e) => { if (type === 'drop' || !e.relatedTarget) document.body.classList.remove('dropping'); });
  addEventListener('drop', (e) => { e.preventDefault(); take(e.dataTransfer.files); });
}

// What can be done to a character from its card.
document.addEventListener('click', async (e) => {
  const copy = e.target.closest('[data-duplicate]');
  if (copy) {
    copy.disabled = true;
    try { await post(`/api/characters/${copy.dataset.duplicate}/duplicate`); location.reload(); } catch (error) { refuse(error.message); copy.disabled = false; }
    return;
  }
  const name = e.target.closest('[data-rename]');
  if (name) { rename(name); return; }
  const b = e.target.closest('[data-remove]');
  if (!b) return;
  if (!await ask(`Remove ${b.dataset.name}?`, 'This removes the character with its skeleton, weights and history.', 'Remove')) return;
  try {
    await post(`/api/characters/${b.dataset.remove}/remove`);
    b.closest('li').remove();
  } catch (error) { refuse(error.message); }
});

// rename puts a field in the place of the name: Enter keeps it, Escape leaves it.
function rename(button) {
  const card = button.closest('li'), link = card.querySelector('h2 a'), input = document.createElement('input');
  input.value = link.textContent;
  input.maxLength = 120;
  input.setAttribute('aria-label', `New name of ${link.textContent}`);
  link.hidden = true;
  link.after(input);
  input.focus();
  input.select();
  let over = false;
  const end = async (keep) => {
    if (over) return;
    over = true;
    const wanted = input.value.trim();
    if (keep && wanted && wanted !== link.textContent) {
      try {
        link.textContent = (await post(`/api/characters/${button.dataset.rename}/rename`, { name: wanted })).name;
        card.dataset.name = link.textContent;
        const gone = card.querySelector('[data-remove]');
        if (gone) Object.assign(gone, { title: `Remove ${link.textContent}`, ariaLabel: `Remove ${link.textContent}` }).dataset.name = link.textContent;
      } catch (error) {
        over = false;
        refuse(error.message);
        input.focus();
        return;
      }
    }
    input.remove();
    link.hidden = false;
    button.focus();
  };
  input.addEventListener('keydown', (e) => {
    if (e.key === 'Enter') end(true);
    if (e.key === 'Escape') end(false);
  });
  input.addEventListener('blur', () => end(true));
}

// Finding and sorting, within each production.
const cards = () => [...document.querySelectorAll('.cards > li')];
cards().forEach((li, i) => { li.dataset.came = i; });
document.getElementById('cast-filter')?.addEventListener('input', (e) => {
  const words = e.target.value.toLowerCase();
  for (const li of cards()) li.hidden = !li.dataset.name.toLowerCase().includes(words);
  for (const s of document.querySelectorAll('.cast section[aria-label]')) s.hidden = !s.querySelector('.cards > li:not([hidden])');
});
document.getElementById('cast-sort')?.addEventListener('change', (e) => {
  for (const list of document.querySelectorAll('.cards')) {
    list.append(...[...list.children].sort((a, b) => (e.target.value ? a.dataset.name.localeCompare(b.dataset.name, 'en', { numeric: true }) : a.dataset.came - b.dataset.came)));
  }
});

// Cards below are asked for when they are about to be seen, those that are in view together.
const laterAtOnce = 40;
const wanted = [];
let soon = 0;
const seen = new IntersectionObserver((entries) => {
  for (const e of entries) if (e.isIntersecting) { seen.unobserve(e.target); wanted.push(e.target); }
  clearTimeout(soon);
  if (wanted.length) soon = setTimeout(bringLater, 60);
}, { rootMargin: '600px' });
for (const li of document.querySelectorAll('[data-later]')) seen.observe(li);

async function bringLater() {
  const list = wanted.splice(0, laterAtOnce);
  if (wanted.length) soon = setTimeout(bringLater, 0);
  try {
    const box = document.createElement('ul');
    box.innerHTML = await getText(`/cards?ids=${list.map((li) => li.dataset.later).join(',')}`);
    const made = new Map([...box.querySelectorAll(':scope > li')].map((li) => [li.querySelector('a').getAttribute('href').split('/')[2], li]));
    for (const li of list) {
      const card = made.get(li.dataset.later);
      if (!card) { li.remove(); continue; } // gone meanwhile
      card.dataset.came = li.dataset.came;
      card.hidden = li.hidden;
      li.replaceWith(card);
      if (card.dataset.pending) pending.push(card);
    }
    fillIn();
  } catch (e) { refuse(e.message); for (const li of list) seen.observe(li); }
}

// Cards whose state is not known yet are asked for, two at a time.
const pending = [...document.querySelectorAll('[data-pending]')];
let filling = 0;
async function fillIn() {
  if (filling >= 2) return;
  filling++;
  for (let li = pending.shift(); li; li = pending.shift()) {
    try {
      const box = document.createElement('ul');
      box.innerHTML = await getText(`/characters/${li.dataset.pending}/card`);
      const card = box.querySelector('li');
      card.dataset.came = li.dataset.came;
      card.hidden = li.hidden;
      li.replaceWith(card);
    } catch (e) { li.querySelector('.facts').textContent = e.message; }
  }
  filling--;
}
fillIn();
fillIn();

document.getElementById('author')?.addEventListener('change', (e) => { post('/api/author', { name: e.target.value }).catch((error) => refuse(error.message)); });
