// Bind: choosing the joints that the report names, and which of them deform.
import { chooseAt } from '../plate.js';
import { chosenNames, operate } from '../session.js';

export const tool = { stage: 'bind', click: chooseAt, show: () => ({}) };

document.getElementById('tray').addEventListener('click', (e) => {
  const b = e.target.closest('[data-deform]');
  const take = e.target.closest('[data-take]');
  if (take) operate('take_result', { name: take.dataset.take, joints: chosenNames() });
  if (b) operate('set_deform', { joints: chosenNames(), deform: b.dataset.deform });
});
