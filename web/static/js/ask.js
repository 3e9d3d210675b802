// A question that can be answered from the keyboard.

// ask resolves to whether the answer is yes; with a field, to what was typed in it, "" for no.
export function ask(title, text, yes, field = '') {
  const d = document.createElement('dialog');
  d.className = 'sheet';
  d.setAttribute('aria-label', title);
  d.innerHTML = '<form method="dialog"><h2></h2><p></p><input maxlength="2000" hidden><div class="ends"><button class="button" value="no">Cancel</button><button class="button is-grave" value="yes"></button></div></form>';
  d.querySelector('h2').textContent = title;
  d.querySelector('p').textContent = text;
  d.querySelector('[value=yes]').textContent = yes;
  const input = d.querySelector('input');
  input.hidden = !field;
  input.placeholder = field;
  input.setAttribute('aria-label', field);
  if (field) input.addEventListener('keydown', (e) => { if (e.key === 'Enter') { e.preventDefault(); d.close('yes'); } });
  document.body.append(d);
  d.showModal();
  return new Promise((resolve) => d.addEventListener('close', () => { d.remove(); resolve(field ? (d.returnValue === 'yes' ? input.value.trim() : '') : d.returnValue === 'yes'); }));
}
