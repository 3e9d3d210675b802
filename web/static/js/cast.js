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
  data.set('production', form.elements.production.value);
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
  refusal.textContent = text;
  refusal.hidden = false;
  input.value = '';
}

if (form) {
  input.addEventListener('change', () => take(input.files));
  for (const type of ['dragenter', 'dragover']) addEventListener(type, (e) => { e.preventDefault(); document.body.classList.add('dropping'); });
  for (const type of ['dragleave', 'drop']) addEventListener(type, (e) => { if (type === 'drop' || !e.relatedTarget) document.body.classList.remove('dropping'); });
  addEventListener('drop', (e) => { e.preventDefault(); take(e.dataTransfer.files); });
}

document.addEventListener('click', async (e) => {
  const b = e.target.closest('[data-remove]');
  if (!b) return;
  if (!await ask(`Remove ${b.dataset.name}?`, 'The character leaves the cast, with its skeleton, weights and history.', 'Remove')) return;
  try {
    await post(`/api/characters/${b.dataset.remove}/remove`);
    b.closest('li').remove();
  } catch (error) { refuse(error.message); }
});

// Cards whose state is not known yet are asked for, two at a time.
const pending = [...document.querySelectorAll('[data-pending]')];
async function fillIn() {
  for (let li = pending.shift(); li; li = pending.shift()) {
    try {
      const box = document.createElement('ul');
      box.innerHTML = await getText(`/characters/${li.dataset.pending}/card`);
      li.replaceWith(box.firstElementChild);
    } catch (e) { li.querySelector('.facts').textContent = e.message; }
  }
}
fillIn();
fillIn();

document.getElementById('author')?.addEventListener('change', (e) => { post('/api/author', { name: e.target.value }).catch((error) => refuse(error.message)); });
