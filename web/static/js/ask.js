// A question that can be answered from the keyboard.

export function ask(title, text, yes) {
  const d = document.createElement('dialog');
  d.className = 'sheet';
  d.setAttribute('aria-label', title);
  d.innerHTML = '<form method="dialog"><h2></h2><p></p><div class="ends"><button class="button" value="no">Cancel</button><button class="button is-grave" value="yes"></button></div></form>';
  d.querySelector('h2').textContent = title;
  d.querySelector('p').textContent = text;
  d.querySelector('[value=yes]').textContent = yes;
  document.body.append(d);
  d.showModal();
  return new Promise((resolve) => d.addEventListener('close', () => { d.remove(); resolve(d.returnValue === 'yes'); }));
}
