// The one store of the page: what is open, what is chosen, how it is shown.
// Modules read it, change it through set, and hear of changes by name.

const events = new EventTarget();

export const store = {
  id: document.body.dataset.character,
  stage: document.body.dataset.stage,
  character: null, // the answer of /api/characters/{id}
  chosen: -1, // joint
  pose: new Map(), // joint → [x, y, z] degrees about its own axes
  move: null, // [x, y, z] metres of the root, while a motion is shown
  map: 'joint', // on the weights stage: joint, leader or plain
  wire: false,
  through: null, // null: as the stage wants
  bones: true,
  both: true,
  branch: true,
  finding: null, // { code, stage, where, all, at }: where is all, or the place at
  would: null, // what an operation that is looked at would touch
  faces: new Set(), // chosen at the intake
  pieces: false, // coloured by piece
  normals: false,
  smooth: 0, // levels of the subdivided preview
  measuring: false,
  also: new Set(), // joints chosen besides the chosen one
  ghost: null, // joints of a starter before it is fitted
  drawing: null, // places of a chain that is being drawn
  centred: false, // dragged joints stay in the middle of the volume
  along: 'world', // the axes of the arrows: world, joint or parent
  step: 0, // metres that drags are rounded to; 0 is none
  tip: '', // of the fit, to be shown by a click
  shown: {}, // places that a person has shown for the next fit, by name
  facing: null, // that a person has said for it; '' is as found, null as before
  tipPointed: '', // in the tray
  probed: null, // { vertex, movers }
};

export function set(changes) {
  for (const [name, value] of Object.entries(changes)) {
    store[name] = value;
    events.dispatchEvent(new CustomEvent(name));
  }
}

// on calls f now and whenever one of the names changes.
export function on(names, f) {
  for (const n of names.split(' ')) events.addEventListener(n, f);
}

// corrections are what a person has shown of the mesh: for the fit that is there, and
// since.
export const corrections = () => ({ ...store.character?.fit?.shown, ...store.shown });
export const facing = () => store.facing ?? store.character?.fit?.faced ?? '';

export const joints = () => store.character?.joints ?? [];
export const chosenJoint = () => joints()[store.chosen] ?? null;
