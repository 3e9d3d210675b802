// Handoff: looking once more at what goes out.
import { set, store } from '../session.js';
import { chooseAt } from '../plate.js';

export const tool = { stage: 'handoff', click: chooseAt, show: () => ({}) };

document.addEventListener('submit', (e) => {
  if (/** @type {any} */ (e.target).id !== 'handoff') return;
  const blocked = store.character.stages.find((s) => s.name === 'handoff').findings.some((f) => f.severity === 'blocks');
  set({ say: blocked ? 'Handed over with open findings: they are listed above.' : 'Handed over.' });
});
