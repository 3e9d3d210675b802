// The page of people: each form and button asks the server for one change, then the page
// is fetched anew.
import { post } from './api.js';
import { ask } from './ask.js';

const refusal = document.querySelector('.refusal');

async function change(what, body) {
  refusal.hidden = true;
  try {
    await post(`/api/people${what ? `/${what}` : ''}`, body);
    location.reload();
  } catch (e) {
    refusal.textContent = e.message;
    refusal.hidden = false;
    refusal.scrollIntoView({ block: 'nearest' });
  }
}

const nameOf = (e) => e.closest('[data-name]')?.dataset.name ?? '';

for (const form of document.querySelectorAll('form[data-do]')) {
  form.addEventListener('submit', (e) => {
    e.preventDefault();
    change(form.dataset.do, Object.fromEntries(new FormData(form)));
  });
}

for (const select of document.querySelectorAll('select[data-do]')) {
  select.addEventListener('change', () => change('role', { name: nameOf(select), role: select.value }));
}

for (const b of document.querySelectorAll('button[data-do]')) {
  b.addEventListener('click', async () => {
    const name = nameOf(b);
    if (b.dataset.do === 'password') { newPassword(name); return; }
    const [title, text, yes] = b.dataset.do === 'remove'
      ? [`Remove ${name}?`, 'They are signed out and lose access. Their signed work stays.', 'Remove']
      : [`Sign ${name || 'yourself'} out everywhere?`, 'All sessions end, on every machine.', 'Sign out'];
    if (await ask(title, text, yes)) change(b.dataset.do, { name });
  });
}

function newPassword(name) {
  const d = document.createElement('dialog');
  d.className = 'sheet';
  d.setAttribute('aria-label', `New password for ${name}`);
  d.innerHTML = '<form method="dialog" class="lines"><h2></h2><p>They are signed out everywhere. Tell them the password yourself.</p><label><span>New password</span><input name="password" type="password" autocomplete="new-password" minlength="12" maxlength="128"></label><div class="ends"><button class="button" value="no" formnovalidate>Cancel</button><button class="button is-primary" value="yes">Set password</button></div></form>';
  d.querySelector('h2').textContent = `New password for ${name}`;
  document.body.append(d);
  d.showModal();
  d.querySelector('input').focus();
  d.addEventListener('close', () => {
    const password = d.querySelector('input').value;
    d.remove();
    if (d.returnValue === 'yes') change('password', { name, password });
  });
}
