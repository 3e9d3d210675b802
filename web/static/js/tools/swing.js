// Swinging the chosen joint to and fro through its usual range while a key is held; what is
// stored and the pose stay as they are, and painting goes on.
import { chosenJoint, conventionOf, set, store } from '../session.js';

const time = 2400; // milliseconds there and back
let going = null;

export const swung = () => going?.pose ?? null;

export function swingJoint() {
  const j = chosenJoint();
  if (going || !j || j.end) return;
  const i = store.chosen, axis = 'xyz'.indexOf(conventionOf(i).bend), base = store.pose.get(i) ?? [0, 0, 0];
  const known = j.bend && (j.bend[0] || j.bend[1]) ? j.bend : [-30, 30];
  going = { pose: new Map(store.pose), frame: 0 };
  const from = performance.now();
  const step = (now) => {
    if (!going) return;
    const u = 0.5 - 0.5 * Math.cos((2 * Math.PI * (now - from)) / time), angles = [...base];
    angles[axis] = base[axis] + known[0] + (known[1] - known[0]) * u;
    going.pose = new Map(store.pose).set(i, angles);
    set({ swing: true });
    going.frame = requestAnimationFrame(step);
  };
  going.frame = requestAnimationFrame(step);
}

export function stillJoint() {
  if (!going) return;
  cancelAnimationFrame(going.frame);
  going = null;
  set({ swing: false });
}
