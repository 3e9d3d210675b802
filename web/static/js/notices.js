// What the page says: a line that passes, and a notice that stays until it is
// dismissed or its cause is gone.

const line = document.getElementById('saying');
const box = document.getElementById('notice');
let silence;

export function say(text) {
  line.textContent = text;
  line.title = text;
  if (line.scrollWidth > line.clientWidth + 1) notice(text); // it would be cut off before it says what to do
  clearTimeout(silence);
  silence = setTimeout(() => { line.textContent = ''; }, 9000);
}

let notices = 0;

// notice shows a text until it is dismissed or quiet takes it away. A button with an
// action stays pressed until the action is done: what is clicked meanwhile would meet
// a page that is about to change.
export function notice(text, label, act) {
  notices++;
  box.replaceChildren();
  const p = document.createElement('p');
  p.textContent = text;
  box.append(p);
  const button = (name, f) => {
    const b = document.createElement('button');
    b.type = 'button';
    b.className = 'button is-small';
    b.textContent = name;
    b.addEventListener('click', async () => {
      const mine = notices;
      b.disabled = true;
      await f?.();
      if (mine === notices) box.hidden = true;
    });
    box.append(b);
  };
  if (label) button(label, act);
  button('Close');
  box.hidden = false;
}

// quiet takes the notice away, when what a person did was taken. What came from
// elsewhere hides no refusal: nobody may have read it yet.
export function quiet() { box.hidden = true; }
