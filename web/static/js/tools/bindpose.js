// The bind pose: seeing it and the current pose by turns, going back, and making what is
// seen the new one.
import { chooseAt } from '../plate.js';
import { atBind } from '../pose.js';
import { chosenJoint, joints, on, operate, posesByName, set, setPoses, store } from '../session.js';
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
  // Where joints stand elsewhere than they were bound, the bind pose is drawn beside them.
  show: () => ({ ghost: store.bindShown ? null : recorded() }),
  turning: turnChosen,
  enter: (plate) => plate.reseat(),
  leave(plate) { store.bindShown = false; plate.reseat(); },
};

// recorded are the joints as they were bound, of those that stand elsewhere, with what they
// hang from; null where there are none.
function recorded() {
  const list = joints(), at = atBind(list, store.character.binding);
  const off = list.map((j, i) => j.pos.some((v, k) => Math.abs(v - at[i].pos[k]) > 1e-5));
  if (!off.some(Boolean)) return null;
  const drawn = [...off];
  list.forEach((j, i) => { if (off[i] && j.parent >= 0) drawn[j.parent] = true; });
  return at.map((j, i) => ({ ...j, hidden: !drawn[i] }));
}

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
