// What takes hold of the chosen joint, drawn over the first pane like drafting
// instruments. For turning: a dial for each motion of the joint, bend, side and twist, with
// ticks of ten degrees, the usual range shaded and the angle written at its needle. For
// moving: a rule along each axis with ticks of a nice length. Each is a slider that the
// keyboard reaches: arrows turn or move it, Shift tenfold.
import { Plane, Quaternion, Vector3 } from 'three';
import { rayAt, toScreen } from './pick.js';
import { turnOf } from './pose.js';

const ns = 'http://www.w3.org/2000/svg';
const unit = { x: new Vector3(1, 0, 0), y: new Vector3(0, 1, 0), z: new Vector3(0, 0, 1) };
const rad = Math.PI / 180;
const radii = { bend: 84, side: 62, twist: 42 }; // pixels
const ruleFrom = 26, ruleLong = 96; // pixels from the joint

function make(name, attributes, parent) {
  const e = document.createElementNS(ns, name);
  for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
  parent?.append(e);
  return e;
}

// axesOf are the axes about which the three angles of a pose turn a joint, in the world:
// the first of its order turns within the second, and that within the third. base is the
// joint's turn at rest under its parent.
function axesOf(base, angles, order) {
  const out = {};
  [...order].forEach((axis, n) => {
    const outer = angles.map((a, k) => (order.indexOf('xyz'[k]) > n ? a : 0));
    out[axis] = unit[axis].clone().applyQuaternion(base.clone().multiply(turnOf(outer, new Quaternion(), order)));
  });
  return out;
}

export class Instrument {
  // says is told of what a hand does: begin(), turn(axis, degrees), move(to), end().
  constructor(view, says) {
    this.view = view;
    this.says = says;
    this.svg = make('svg', { class: 'instrument' });
    this.parts = new Map(); // by what they are: { g, hit, ... }
    this.held = null;
  }

  // show draws it for what: { mode, name, at, ... } or takes it away for null.
  show(what) {
    const kind = what ? `${what.mode} ${what.name} ${what.mode === 'turn' ? what.dials.map((d) => d.axis).join('') : ''}` : '';
    if (kind !== this.kind) {
      const focus = this.svg.contains(document.activeElement) ? /** @type {any} */ (document.activeElement).dataset.part : '';
      this.kind = kind;
      this.svg.replaceChildren();
      this.parts.clear();
      if (what) for (const d of what.mode === 'turn' ? what.dials : what.rules) this.part(what, d);
      if (focus) this.svg.querySelector(`[data-part=${focus}]`)?.focus({ preventScroll: true });
    }
    this.what = what;
    if (what) this.draw();
  }

  part(what, d) {
    const name = d.motion ?? d.axis;
    const g = make('g', { class: `part ${d.axis}`, tabindex: 0, role: 'slider', 'data-part': name, 'aria-label': what.mode === 'turn' ? `${d.motion} of ${what.name}` : `${what.name} along ${d.axis.toUpperCase()}` }, this.svg);
    const p = { g, name, shade: make('path', { class: 'shade' }, g), line: make('path', { class: 'line' }, g), ticks: make('path', { class: 'ticks' }, g), needle: make('path', { class: 'needle' }, g), hit: make('path', { class: 'hit' }, g), text: make('text', { class: 'label' }, g) };
    this.parts.set(name, p);
    p.hit.addEventListener('pointerdown', (e) => this.grab(e, name));
    g.addEventListener('keydown', (e) => this.key(e, name));
  }

  // Pixels on the pane, and how many metres one is at the joint.
  get pane() { return this.view.panes[0]; }

  metres() {
    const { camera, height } = this.pane;
    if (!camera.isPerspectiveCamera) return this.view.metresPerPixel(this.pane);
    const ahead = this.what.at.clone().sub(camera.position).dot(camera.getWorldDirection(new Vector3()));
    return (2 * Math.tan((camera.fov * Math.PI) / 360) * Math.max(ahead, 1e-6)) / height;
  }

  draw() {
    if (!this.what) return;
    const { element, width, height } = this.pane;
    if (this.svg.parentNode !== element) element.append(this.svg);
    this.svg.setAttribute('viewBox', `0 0 ${width} ${height}`);
    const m = this.metres();
    for (const d of this.what.mode === 'turn' ? this.what.dials : this.what.rules) {
      if (this.what.mode === 'turn') this.drawDial(d, m); else this.drawRule(d, m);
    }
    this.spread();
  }

  // spread moves labels that would lie on each other apart, down from the highest.
  spread() {
    const tall = 15, wide = 7, taken = [];
    const list = [...this.parts.values()].filter((p) => p.text.textContent && !p.g.hasAttribute('data-flat')).map((p) => {
      const long = wide * p.text.textContent.length, x = Number(p.text.getAttribute('x')), anchor = p.text.getAttribute('text-anchor');
      return { p, left: anchor === 'end' ? x - long : anchor === 'middle' ? x - long / 2 : x, long, y: Number(p.text.getAttribute('y')) };
    }).sort((a, b) => a.y - b.y);
    for (const l of list) {
      for (const o of taken) if (l.left < o.left + o.long && o.left < l.left + l.long && l.y < o.y + tall) l.y = o.y + tall;
      l.p.text.setAttribute('y', l.y.toFixed(1));
      taken.push(l);
    }
  }

  // onDial is the place of an angle on a dial, as many pixels from the joint.
  onDial(d, degrees, pixels, m) {
    return toScreen(this.pane, d.zero.clone().applyAxisAngle(d.about, degrees * rad).multiplyScalar(pixels * m).add(this.what.at));
  }

  drawDial(d, m) {
    const p = this.parts.get(d.motion), r = radii[d.motion];
    const arc = (from, to, pixels) => {
      const list = [];
      const n = Math.max(2, Math.ceil(Math.abs(to - from) / 6));
      for (let k = 0; k <= n; k++) { const s = this.onDial(d, from + ((to - from) * k) / n, pixels, m); list.push(`${s.x.toFixed(1)} ${s.y.toFixed(1)}`); }
      return list;
    };
    const ring = `M${arc(-180, 180, r).join('L')}Z`;
    p.line.setAttribute('d', ring);
    p.hit.setAttribute('d', ring);
    let ticks = '';
    for (let a = -180; a < 180; a += 10) {
      const s = this.onDial(d, a, r, m), t = this.onDial(d, a, r - (a % 30 === 0 ? 7 : 3.5), m);
      ticks += `M${s.x.toFixed(1)} ${s.y.toFixed(1)}L${t.x.toFixed(1)} ${t.y.toFixed(1)}`;
    }
    p.ticks.setAttribute('d', ticks);
    p.shade.setAttribute('d', d.usual ? `M${arc(d.usual[0], d.usual[1], r).join('L')}L${arc(d.usual[1], d.usual[0], r - 9).join('L')}Z` : '');
    const at = this.onDial(d, d.angle, r + 7, m), root = this.onDial(d, d.angle, r - 12, m);
    p.needle.setAttribute('d', `M${root.x.toFixed(1)} ${root.y.toFixed(1)}L${at.x.toFixed(1)} ${at.y.toFixed(1)}`);
    this.label(p, `${d.motion} ${Math.round(10 * d.angle) / 10}°`, this.onDial(d, d.angle, r + 18, m));
    p.g.setAttribute('aria-valuenow', (Math.round(10 * d.angle) / 10).toString());
    p.g.setAttribute('aria-valuetext', `${Math.round(10 * d.angle) / 10} degrees${d.usual && (d.angle < d.usual[0] || d.angle > d.usual[1]) ? ', beyond what is usual' : ''}`);
    p.g.classList.toggle('beyond', Boolean(d.usual) && (d.angle < d.usual[0] || d.angle > d.usual[1]));
  }

  label(p, text, at) {
    p.text.textContent = text;
    p.text.setAttribute('x', at.x.toFixed(1));
    p.text.setAttribute('y', at.y.toFixed(1));
    const centre = toScreen(this.pane, this.what.at);
    p.text.setAttribute('text-anchor', at.x < centre.x - 12 ? 'end' : at.x > centre.x + 12 ? 'start' : 'middle');
    p.text.setAttribute('dy', at.y > centre.y ? '.8em' : '0');
  }

  // A rule is drawn as long as it looks; ticks are of a nice length that stands some
  // pixels apart.
  drawRule(d, m) {
    const p = this.parts.get(d.axis);
    const here = toScreen(this.pane, this.what.at);
    const along = (pixels) => toScreen(this.pane, this.what.at.clone().addScaledVector(d.along, pixels * m));
    const a = along(ruleFrom), b = along(ruleLong);
    const flat = Math.hypot(b.x - a.x, b.y - a.y) < 14; // it points at the eye
    p.g.toggleAttribute('data-flat', flat);
    const line = `M${a.x.toFixed(1)} ${a.y.toFixed(1)}L${b.x.toFixed(1)} ${b.y.toFixed(1)}`;
    p.line.setAttribute('d', line);
    p.hit.setAttribute('d', line);
    const l = Math.hypot(b.x - here.x, b.y - here.y) || 1, side = { x: -(b.y - here.y) / l, y: (b.x - here.x) / l };
    const ten = 10 ** Math.floor(Math.log10(7 * m)), step = ten * [1, 2, 5, 10].find((k) => k * ten >= 7 * m);
    let ticks = '';
    for (let k = Math.ceil((ruleFrom * m) / step); k * step <= ruleLong * m; k++) {
      const s = along((k * step) / m), w = k % 10 === 0 ? 9 : k % 5 === 0 ? 6.5 : 4;
      ticks += `M${s.x.toFixed(1)} ${s.y.toFixed(1)}L${(s.x + side.x * w).toFixed(1)} ${(s.y + side.y * w).toFixed(1)}`;
    }
    p.ticks.setAttribute('d', ticks);
    p.needle.setAttribute('d', '');
    const by = this.held?.name === d.axis ? this.held.by ?? 0 : 0;
    this.label(p, by ? `${d.axis.toUpperCase()} ${(1000 * by).toFixed(1)} mm` : d.axis.toUpperCase(), along(ruleLong + 12));
    p.g.setAttribute('aria-valuenow', (1000 * d.now).toFixed(1));
    p.g.setAttribute('aria-valuetext', `${(1000 * d.now).toFixed(1)} millimeters`);
  }

  find(name) { return (this.what.mode === 'turn' ? this.what.dials : this.what.rules).find((d) => (d.motion ?? d.axis) === name); }

  grab(e, name) {
    if (e.button !== 0) return;
    e.preventDefault();
    e.stopPropagation();
    const p = this.parts.get(name), d = this.find(name), m = this.metres();
    p.g.focus({ preventScroll: true });
    const r = this.pane.element.getBoundingClientRect(), place = (ev) => /** @type {[number, number]} */ ([ev.clientX - r.left, ev.clientY - r.top]);
    const begun = place(e), start = this.what.at.clone();
    let by;
    if (this.what.mode === 'turn') by = this.turning({ ...d, zero: d.zero.clone(), about: d.about.clone() }, start, begun, m);
    else by = this.sliding(d.along.clone(), start, begun, m);
    this.held = { name };
    p.g.classList.add('held');
    p.hit.setPointerCapture(e.pointerId);
    this.says.begin();
    const move = (ev) => {
      ev.stopPropagation();
      this.step(d, by(...place(ev), ev.shiftKey), start);
    };
    const end = (ev) => {
      ev.stopPropagation();
      for (const [type, f] of [['pointermove', move], ['pointerup', end], ['pointercancel', end]]) p.hit.removeEventListener(type, f);
      this.held = null;
      p.g.classList.remove('held');
      this.says.end();
      this.draw();
    };
    for (const [type, f] of [['pointermove', move], ['pointerup', end], ['pointercancel', end]]) p.hit.addEventListener(type, f);
  }

  // step goes by so many degrees or metres from where it was taken hold of.
  step(d, by, start) {
    if (this.held) this.held.by = by;
    if (this.what.mode === 'turn') this.says.turn(d.axis, d.angle + by);
    else this.says.move(start.clone().addScaledVector(d.along, by));
  }

  // turning returns by how many degrees the pointer has gone round a dial; of a dial that
  // is seen from the edge, how far along it.
  turning(d, at, [x0, y0], m) {
    const { camera } = this.pane;
    const look = camera.isPerspectiveCamera ? at.clone().sub(camera.position).normalize() : camera.getWorldDirection(new Vector3());
    const plane = new Plane().setFromNormalAndCoplanarPoint(d.about, at), side = d.about.clone().cross(d.zero);
    const angle = (x, y) => {
      const hit = rayAt(this.pane, x, y).intersectPlane(plane, new Vector3())?.sub(at);
      return hit ? Math.atan2(hit.dot(side), hit.dot(d.zero)) / rad : null;
    };
    const round = (v, fine) => (fine ? Math.round(v / 5) * 5 : v);
    if (Math.abs(look.dot(d.about)) > 0.25) {
      let last = angle(x0, y0) ?? 0, gone = 0;
      return (x, y, coarse) => {
        const now = angle(x, y);
        if (now !== null) { gone += ((now - last + 540) % 360) - 180; last = now; }
        return round(gone, coarse);
      };
    }
    const here = this.nearest(d, x0, y0, m), a = this.onDial(d, here - 1, radii[d.motion], m), b = this.onDial(d, here + 1, radii[d.motion], m);
    const t = b.sub(a), l2 = Math.max(t.lengthSq(), 1e-6);
    return (x, y, coarse) => round((2 * ((x - x0) * t.x + (y - y0) * t.y)) / l2, coarse);
  }

  // nearest is the angle of the place of a dial that is nearest to one of the pane.
  nearest(d, x, y, m) {
    let best = 0, least = Infinity;
    for (let a = -180; a < 180; a += 5) {
      const s = this.onDial(d, a, radii[d.motion], m), l = Math.hypot(s.x - x, s.y - y);
      if (l < least) { least = l; best = a; }
    }
    return best;
  }

  // sliding returns how many metres along a rule the pointer has gone.
  sliding(along, at, [x0, y0], m) {
    const a = toScreen(this.pane, at), b = toScreen(this.pane, at.clone().addScaledVector(along, 100 * m));
    const t = b.sub(a), l2 = Math.max(t.lengthSq(), 1);
    return (x, y) => {
      const metres = (100 * m * ((x - x0) * t.x + (y - y0) * t.y)) / l2, { step } = this.what;
      return step ? Math.round(metres / step) * step : metres;
    };
  }

  key(e, name) {
    const way = { ArrowRight: 1, ArrowUp: 1, ArrowLeft: -1, ArrowDown: -1 }[e.key];
    if (!way || e.ctrlKey || e.altKey || e.metaKey) return;
    e.preventDefault();
    e.stopPropagation();
    const d = this.find(name), by = way * (e.shiftKey ? 10 : 1);
    this.says.begin();
    this.step(d, this.what.mode === 'turn' ? by : by * (this.what.step || 0.001), this.what.at.clone());
    this.says.end();
  }
}

// dialsOf are the dials of a joint: about its bend axis, its bone and the third axis. zero
// is where each needle stands at rest: along the bone, of the twist along the barbs.
export function dialsOf({ convention, base, angles, usual, order = 'xyz' }) {
  const axes = axesOf(base, angles, order), third = ['x', 'y', 'z'].find((a) => a !== convention.aim && a !== convention.bend);
  return [['bend', convention.bend, convention.aim], ['side', third, convention.aim], ['twist', convention.aim, third]].map(([motion, axis, zero]) => {
    const k = 'xyz'.indexOf(axis), without = [...angles];
    without[k] = 0;
    const at = unit[zero].clone().applyQuaternion(base.clone().multiply(turnOf(without, new Quaternion(), order)));
    const about = axes[axis];
    at.addScaledVector(about, -at.dot(about)); // square to the axis, whatever the other angles are
    if (at.length() < 1e-3) at.set(about.y, about.z, about.x).cross(about);
    at.normalize();
    return { motion, axis, about, zero: at, angle: angles[k], usual: usual[motion] };
  });
}
