// The bind pose: seeing it and the current pose by turns, going back, and making what is
// seen the new one.
import { chooseAt } from '../plate.js';
import { chosenJoint, on, operate, posesByName, set, setPoses, store } from '../session.js';
import { forms } from '../tray.js';
import { turnChosen } from './weights.js';

const tray = document.getElementById('tray');

export const tool = {
  stage: 'bindpose',
  held: true,
  get posed() { return !store.bindShown; },
  get atBind() { return store.bindShown; },
  get handle() { return store.character?.weights && !store.bindShown && chosenJoint() && !chosenJoint().end ? 'turn' : ''; },
  click: chooseAt,
  show: () => ({}),
  turning: turnChosen,
  enter: (plate) => plate.reseat(),
  leave(plate) { store.bindShown = false; plate.reseat(); },
};

export function commands(add, plate) {
  const here = () => store.stage === 'bindpose' && Boolean(store.character?.weights);
  add('bindShown', 'Show the bind pose or the current pose', ['Q'], () => set({ bindShown: !store.bindShown }), here, { words: 'toggle rest original compare' });
  on('bindShown', () => { plate.reseat(); shown(); });
}

forms.set('rest-pose', {
  async send() {
    if (!await operate('rest_pose', { angles: posesByName() })) return false;
    setPoses({});
    return true;
  },
});

function shown() {
  for (const r of tray.querySelectorAll('[name=posed]')) r.checked = (r.value === 'bind') === Boolean(store.bindShown);
}

tray.addEventListener('input', (e) => { if (e.target.name === 'posed') set({ bindShown: e.target.value === 'bind' }); });
document.addEventListener('trayloaded', shown);
