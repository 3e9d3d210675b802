// What the page says: a line that passes, and a notice that stays until it is
// dismissed or its cause is gone.

const line = document.getElementById('saying');
const box = document.getElementById('notice');
let silence;

export function say(text) {
  line.textContent = text;
  clearTimeout(silence);
  silence = setTimeout(() => { line.textContent = ''; }, 9000);
}

export function notice(text, label, act) {
  box.replaceChildren();
  const p = document.createElement('p');
  p.textContent = text;
  box.append(p);
  const button = (name, f) => {
    const b = document.createElement('button');
    b.type = 'button';
    b.className = 'button is-small';
    b.textContent = name;
    b.addEventListener('click', () => { box.hidden = true; f?.(); });
    box.append(b);
  };
  if (label) button(label, act);
  button('Close');
  box.hidden = false;
}

// quiet takes the notice away: its cause is gone.
export function quiet() { box.hidden = true; }
