// The first steps of a stage, over the plate, until they are hidden: what the server says of them comes with the
// panel. They come back by the finder.

const box = document.getElementById('steps'), list = box.querySelector('ol'), kept = 'steps';

const hidden = () => { try { return localStorage.getItem(kept) === 'hidden'; } catch { return false; } };

function show() {
  const told = document.getElementById('stage-steps');
  list.replaceChildren(...(told ? [told.content.cloneNode(true)] : []));
  box.hidden = hidden() || !list.children.length;
}

// commands adds what shows and hides them.
export function commands(add) {
  add('steps', 'Show the first steps of the stage, or hide them', [], () => {
    try { localStorage.setItem(kept, hidden() ? 'shown' : 'hidden'); } catch { /* without storage they come back with the page */ }
    show();
  }, undefined, { words: 'help tutorial guide begin first hour' });
}

document.addEventListener('trayloaded', show);
