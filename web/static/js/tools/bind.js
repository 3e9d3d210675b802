// Bind: choosing the joints that the report names, and which of them deform.
import { chooseAt } from '../plate.js';
import { chosenNames, on, operate } from '../session.js';

export const tool = { stage: 'bind', click: chooseAt, show: () => ({}) };

const tray = document.getElementById('tray');
const layers = () => [...new Set([...tray.querySelectorAll('.layers input:checked')].map((i) => i.value))];

// ready lets the ways be chosen that make sense: for what is marked, and one joint.
function ready() {
  for (const b of tray.querySelectorAll('[data-give]')) b.disabled = !layers().length || (b.dataset.give === 'joint' && chosenNames().length !== 1);
}
tray.addEventListener('change', (e) => { if (e.target.closest('.layers')) ready(); });
on('chosen also', ready);

tray.addEventListener('click', (e) => {
  const give = e.target.closest('[data-give]');
  if (give) operate('give_pieces', { parts: layers(), how: give.dataset.give, ...(give.dataset.give === 'joint' && { joint: chosenNames()[0] }) });
  const b = e.target.closest('[data-deform]');
  const take = e.target.closest('[data-take]');
  if (take) operate('take_result', { name: take.dataset.take, joints: chosenNames() });
  if (b) operate('set_deform', { joints: chosenNames(), deform: b.dataset.deform });
});
