// The capsules around the bones of the chosen joint, drawn over the first pane as their
// outline: whole line where a vertex follows wholly, dashed where it ceases to. A grip stands
// on both at each stop; dragged or by the arrow keys it sets the radius there.
import { Vector3 } from 'three';
import { toScreen } from './pick.js';

const ns = 'http://www.w3.org/2000/svg';

function make(name, attributes, parent) {
  const e = document.createElementNS(ns, name);
  for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
  parent?.append(e);
  return e;
}

export class Capsules {
  // set is told of a capsule that a hand has changed.
  constructor(view, set) {
    this.view = view;
    this.set = set;
    this.svg = make('svg', { class: 'instrument capsules' });
    this.list = [];
    this.parts = new Map(); // by bone: its lines and grips
  }

  get pane() { return this.view.panes[0]; }

  // show draws capsules, each { joint, child, stops, a, b } with the ends of its bone; those
  // that are held have grips.
  show(list) {
    const key = JSON.stringify(list.map((c) => [c.joint, c.child, c.stops.length]));
    this.list = list;
    if (key !== this.key) {
      const focus = /** @type {any} */ (document.activeElement)?.dataset?.grip;
      this.key = key;
      this.svg.replaceChildren();
      for (const c of list) this.part(c);
      if (focus) this.svg.querySelector(`[data-grip="${focus}"]`)?.focus({ preventScroll: true });
    }
    if (list.length) this.draw(); else this.svg.remove();
  }

  part(c) {
    const g = make('g', { class: 'capsule' }, this.svg);
    const lines = { inner: make('path', { class: 'line' }, g), outer: make('path', { class: 'line outer' }, g) };
    const grips = c.stops.flatMap((_, k) => ['inner', 'outer'].map((which) => {
      const grip = make('circle', { r: 5, class: `grip ${which}`, tabindex: 0, role: 'slider', 'data-grip': `${c.joint}/${c.child}/${k}/${which}`, 'aria-label': `${which} radius of ${c.joint}, stop ${k + 1}` }, g);
      grip.addEventListener('pointerdown', (e) => this.grab(e, c.joint, c.child, k, which));
      grip.addEventListener('keydown', (e) => this.press(e, c.joint, c.child, k, which));
      return grip;
    }));
    this.parts.set(`${c.joint}/${c.child}`, { lines, grips });
  }

  find(joint, child) { return this.list.find((c) => c.joint === joint && c.child === child); }

  // across is the direction in the pane's plane that is square to a bone.
  across(c) {
    const { camera } = this.pane, middle = c.a.clone().lerp(c.b, 0.5);
    const look = camera.isPerspectiveCamera ? middle.sub(camera.position).normalize() : camera.getWorldDirection(new Vector3());
    const side = c.b.clone().sub(c.a).cross(look);
    return side.lengthSq() > 1e-12 ? side.normalize() : new Vector3(1, 0, 0).applyQuaternion(camera.quaternion);
  }

  draw() {
    if (!this.list.length) return;
    const { element, width, height } = this.pane;
    if (this.svg.parentNode !== element) element.append(this.svg);
    this.svg.setAttribute('viewBox', `0 0 ${width} ${height}`);
    for (const c of this.list) {
      const { lines, grips } = this.parts.get(`${c.joint}/${c.child}`), side = this.across(c), along = c.b.clone().sub(c.a);
      const end = along.lengthSq() > 1e-12 ? along.clone().normalize() : side.clone().applyAxisAngle(new Vector3(0, 0, 1), Math.PI / 2);
      for (const which of ['inner', 'outer']) {
        const at = (k, angle) => {
          const s = c.stops[k], p = c.a.clone().addScaledVector(along, s.at);
          return toScreen(this.pane, p.addScaledVector(side, s[which] * Math.cos(angle)).addScaledVector(end, s[which] * Math.sin(angle)));
        };
        const last = c.stops.length - 1, points = [];
        for (let k = 0; k <= last; k++) points.push(at(k, 0));
        for (let a = 0; a <= 12; a++) points.push(at(last, (Math.PI * a) / 12));
        for (let k = last; k >= 0; k--) points.push(at(k, Math.PI));
        for (let a = 0; a <= 12; a++) points.push(at(0, Math.PI + (Math.PI * a) / 12));
        lines[which].setAttribute('d', `M${points.map((p) => `${p.x.toFixed(1)} ${p.y.toFixed(1)}`).join('L')}Z`);
        c.stops.forEach((s, k) => {
          const p = at(k, 0), grip = grips[2 * k + (which === 'outer' ? 1 : 0)];
          grip.setAttribute('cx', p.x.toFixed(1));
          grip.setAttribute('cy', p.y.toFixed(1));
          grip.setAttribute('aria-valuenow', (1000 * s[which]).toFixed(1));
          grip.setAttribute('aria-valuetext', `${(1000 * s[which]).toFixed(1)} millimeters`);
        });
      }
    }
  }

  // changed is a capsule with one radius set; the other gives way.
  changed(c, k, which, radius) {
    const stops = c.stops.map((s) => ({ ...s }));
    const s = stops[k];
    s[which] = Math.max(which === 'outer' ? 1e-4 : 0, radius);
    if (which === 'inner') s.outer = Math.max(s.outer, s.inner + 1e-4); else s.inner = Math.min(s.inner, s.outer);
    return stops;
  }

  grab(e, joint, child, k, which) {
    if (e.button !== 0) return;
    e.preventDefault();
    e.stopPropagation();
    const grip = e.target, r = this.pane.element.getBoundingClientRect();
    grip.focus({ preventScroll: true });
    grip.setPointerCapture(e.pointerId);
    const before = this.find(joint, child).stops;
    const move = (ev) => {
      ev.stopPropagation();
      const c = this.find(joint, child), along = c.b.clone().sub(c.a), p = c.a.clone().addScaledVector(along, c.stops[k].at), side = this.across(c);
      const o = toScreen(this.pane, p), to = toScreen(this.pane, p.clone().addScaledVector(side, 0.1)), dx = to.x - o.x, dy = to.y - o.y;
      const radius = 0.1 * (((ev.clientX - r.left - o.x) * dx + (ev.clientY - r.top - o.y) * dy) / Math.max(1e-6, dx * dx + dy * dy));
      c.stops = this.changed(c, k, which, Math.abs(radius));
      this.draw();
    };
    const end = (ev) => {
      ev.stopPropagation();
      for (const [type, f] of [['pointermove', move], ['pointerup', end], ['pointercancel', end]]) grip.removeEventListener(type, f);
      const c = this.find(joint, child);
      if (!c) return;
      if (ev.type === 'pointercancel') { c.stops = before; this.draw(); return; }
      if (c.stops !== before) this.set(c);
    };
    for (const [type, f] of [['pointermove', move], ['pointerup', end], ['pointercancel', end]]) grip.addEventListener(type, f);
  }

  press(e, joint, child, k, which) {
    const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
    if (!way || e.ctrlKey || e.altKey || e.metaKey) return;
    e.preventDefault();
    e.stopPropagation();
    const c = this.find(joint, child);
    c.stops = this.changed(c, k, which, c.stops[k][which] + way * (e.shiftKey ? 0.01 : 0.001));
    this.draw();
    clearTimeout(this.soon);
    this.soon = setTimeout(() => this.set(c), 400);
  }
}
