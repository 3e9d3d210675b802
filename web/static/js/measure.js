// Measuring a distance: two clicks on the character, a line between them and its
// length beside it.
import { BufferAttribute, BufferGeometry, LineBasicMaterial, LineSegments, Points, PointsMaterial } from 'three';
import { ink } from './ink.js';
import { toScreen } from './pick.js';
import { on, set, store } from './session.js';

export class Measure {
  constructor(view) {
    this.view = view;
    this.places = [];
    this.line = new LineSegments(new BufferGeometry().setAttribute('position', new BufferAttribute(new Float32Array(6), 3)), new LineBasicMaterial({ color: ink('--rust'), depthTest: false, transparent: true }));
    this.ends = new Points(this.line.geometry, new PointsMaterial({ color: ink('--rust'), size: 8, sizeAttenuation: false, depthTest: false, transparent: true }));
    for (const o of [this.line, this.ends]) { o.frustumCulled = false; o.renderOrder = 9; o.visible = false; view.scene.add(o); }
    this.label = document.createElement('output');
    this.label.className = 'length';
    this.label.hidden = true;
    document.getElementById('panes').after(this.label);
    on('measuring', () => this.clear());
  }

  // take adds a place; a third begins anew.
  take(point) {
    if (this.places.length > 1) this.places = [];
    this.places.push(point.clone());
    const p = this.line.geometry.attributes.position;
    this.places.forEach((v, i) => v.toArray(p.array, 3 * i));
    if (this.places.length === 1) this.places[0].toArray(p.array, 3);
    p.needsUpdate = true;
    this.line.visible = this.ends.visible = true;
    if (this.places.length === 2) {
      const [a, b] = this.places, d = b.clone().sub(a);
      const cm = (v) => (100 * v).toFixed(Math.abs(v) < 0.1 ? 2 : 1);
      this.label.textContent = `${cm(d.length())} cm`;
      set({ say: `${cm(d.length())} cm between the two points: ${cm(d.x)} along X, ${cm(d.y)} along Y, ${cm(d.z)} along Z.` });
    }
    this.view.invalidate();
  }

  clear() {
    this.places = [];
    this.line.visible = this.ends.visible = false;
    this.label.hidden = true;
    if (store.measuring) set({ say: 'Click two points on the character. D or Escape ends it.' });
    this.view.invalidate();
  }

  // place puts the label beside the middle of the line, in the first pane.
  place() {
    const pane = this.view.panes[0];
    this.label.hidden = this.places.length < 2;
    if (this.label.hidden) return;
    const at = toScreen(pane, this.places[0].clone().lerp(this.places[1], 0.5));
    this.label.style.transform = `translate(${Math.round(at.x + 10)}px, ${Math.round(at.y - 12)}px)`;
  }
}
