// Tips of limbs in the view: those that the fit found, those that a person has
// shown, and the one that is pointed at in the tray.
import { BufferGeometry, Float32BufferAttribute, Points, PointsMaterial } from 'three';
import { ink } from './ink.js';
import { store } from './store.js';

const kinds = { found: ['--teal', 9], given: ['--amber', 11], pointed: ['--rust', 15] };

// tips returns places by kind: a shown tip stands for the found one of its name.
export function tips() {
  const out = { found: [], given: [], pointed: [] };
  for (const [name, at] of Object.entries({ ...store.character?.fit?.tips, ...store.tips })) {
    const kind = name === (store.tip || store.tipPointed) ? 'pointed' : store.tips[name] ? 'given' : 'found';
    out[kind].push(...at);
  }
  return out;
}

export class TipSpots {
  constructor(scene) {
    this.spots = Object.fromEntries(Object.entries(kinds).map(([kind, [, size]]) => {
      const p = new Points(new BufferGeometry(), new PointsMaterial({ size, sizeAttenuation: false, depthTest: false, transparent: true }));
      p.frustumCulled = false;
      p.renderOrder = 20;
      scene.add(p);
      return [kind, p];
    }));
  }

  update() {
    const list = tips();
    for (const [kind, p] of Object.entries(this.spots)) {
      const asked = kind === 'given' || store.tip || store.tipPointed; // found ones would hide the end joints
      p.visible = Boolean(asked) && store.stage === 'placement' && store.bones && list[kind].length > 0;
      p.material.color.copy(ink(kinds[kind][0]));
      p.geometry.dispose();
      p.geometry = new BufferGeometry().setAttribute('position', new Float32BufferAttribute(list[kind], 3));
    }
  }
}
