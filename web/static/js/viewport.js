// The drawing surface: one renderer, one or three panes, each with a camera of
// its own; draws only when something has changed.
import { Box3, BufferAttribute, BufferGeometry, LineBasicMaterial, LineSegments, OrthographicCamera, PerspectiveCamera, Scene, Spherical, Vector3, WebGLRenderer } from 'three';
import { OrbitControls } from 'three/addons/controls/OrbitControls.js';
import { ink } from './ink.js';
import { software } from './places.js';

const directions = { front: [0, 0, 1], side: [1, 0, 0], top: [0, 1, 0], free: [0.5, 0.22, 1] };

export class Viewport {
  constructor(canvas, panesElement) {
    this.canvas = canvas;
    this.holder = panesElement;
    this.renderer = new WebGLRenderer({ canvas, antialias: true, alpha: true, preserveDrawingBuffer: true, powerPreference: 'high-performance' });
    this.renderer.setPixelRatio(Math.min(devicePixelRatio, 2));
    this.renderer.setClearAlpha(0);
    this.software = software(this.renderer);
    this.scene = new Scene();
    this.panes = [];
    this.box = new Box3(new Vector3(-0.5, 0, -0.5), new Vector3(0.5, 1.8, 0.5));
    /** @type {(box?: import('three').Box3 | null) => void} */
    this.drawn = () => {};
    /** @type {((p: any) => void) | null} what is done before a pane is drawn */
    this.before = null;
    /** @type {((camera: any, within?: any) => void) | null} */
    this.facing = null;
    /** @type {((panes: any[]) => void) | null} what is told of new panes */
    this.onpanes = null;
    /** @type {import('three').Box3 | null} the only part to draw in the next frame */
    this.part = null;
    this.chosen = false; // a hand has chosen the view
    this.ground = null;
    this.staff = null;
    this.cut = 0; // how much of the character's depth is cut away before the eye
    new ResizeObserver(() => this.resize()).observe(panesElement);
    this.setPanes(['free']);
    this.restyle();
  }

  // setPanes lays out panes of the given kinds; the first is the large one.
  setPanes(kinds) {
    for (const p of this.panes) { p.controls.dispose(); p.element.remove(); }
    this.holder.dataset.count = kinds.length;
    this.panes = kinds.map((kind) => {
      const element = document.createElement('div');
      element.className = 'pane';
      this.holder.append(element);
      const label = document.createElement('span');
      label.className = 'pane-name';
      element.append(label);
      const pane = { element, label };
      this.setKind(pane, kind);
      return pane;
    });
    this.resize();
    this.frame(this.box);
    this.onpanes?.(this.panes);
  }

  setKind(pane, kind) {
    pane.controls?.dispose();
    pane.kind = kind;
    pane.open = undefined;
    pane.label.textContent = { front: 'Front', side: 'Left side', top: 'Top', free: 'Free' }[kind];
    pane.camera = kind === 'free' ? new PerspectiveCamera(26, 1, 0.01, 1000) : new OrthographicCamera(-1, 1, 1, -1, -1000, 1000);
    if (kind === 'top') pane.camera.up.set(0, 0, -1);
    pane.controls = new OrbitControls(pane.camera, pane.element);
    pane.controls.enableDamping = false;
    pane.controls.zoomToCursor = true;
    pane.controls.enableRotate = kind === 'free';
    if (kind !== 'free') pane.controls.mouseButtons = { LEFT: 2, MIDDLE: 1, RIGHT: 2 };
    pane.controls.addEventListener('change', () => this.invalidate());
  }

  // turn makes the first pane another view.
  turn(kind) {
    this.setKind(this.panes[0], kind);
    this.resize();
    this.frame(this.box, this.panes[0]);
    this.onpanes?.(this.panes);
  }

  resize() {
    const w = this.holder.clientWidth, h = this.holder.clientHeight;
    if (!w || !h) return;
    this.renderer.setSize(w, h, false);
    for (const p of this.panes) {
      p.width = p.element.clientWidth;
      p.height = p.element.clientHeight;
      this.fit(p);
    }
    this.invalidate();
  }

  // coarse draws with fewer pixels where there is no graphics card, while something plays.
  coarse(on) {
    const ratio = Math.min(devicePixelRatio, 2) * (on && this.software ? 0.6 : 1);
    if (ratio === this.renderer.getPixelRatio()) return;
    this.renderer.setPixelRatio(ratio);
    this.resize();
  }

  fit(p) {
    const aspect = p.width / Math.max(1, p.height);
    if (p.camera.isPerspectiveCamera) p.camera.aspect = aspect;
    else {
      const half = p.half ?? 1;
      Object.assign(p.camera, { left: -half * aspect, right: half * aspect, top: half, bottom: -half });
    }
    p.camera.updateProjectionMatrix();
  }

  // frame looks at a box, in one pane or all.
  frame(box, only) {
    const centre = box.getCenter(new Vector3()), size = box.getSize(new Vector3());
    const half = (p) => {
      const wide = p.kind === 'side' ? size.z : p.kind === 'free' ? Math.hypot(size.x, size.z) * 0.86 : size.x;
      return 0.60 * Math.max(p.kind === 'top' ? size.z : size.y, wide / (p.width / Math.max(1, p.height) || 1), 1e-3);
    };
    // Straight views show things at one size, so that heights meet across panes, unless
    // one would be left small in its pane.
    const straight = this.panes.filter((p) => p.kind !== 'free');
    const finest = Math.max(...straight.map((p) => half(p) / Math.max(1, p.height)));
    for (const p of only ? [only] : this.panes) {
      const own = half(p), shared = finest * Math.max(1, p.height);
      p.half = p.kind !== 'free' && shared > 0 && shared < 1.3 * own ? shared : own;
      const dir = p.camera.isPerspectiveCamera && p.controls.target.distanceTo(p.camera.position) > 0 && p.framed
        ? p.camera.position.clone().sub(p.controls.target).normalize() : new Vector3(...directions[p.kind]).normalize();
      const far = p.camera.isPerspectiveCamera ? p.half / Math.tan((p.camera.fov * Math.PI) / 360) + size.z / 2 : 10 * Math.max(size.length(), 1);
      p.camera.zoom = 1;
      p.controls.target.copy(centre);
      p.camera.position.copy(centre).addScaledVector(dir, far);
      p.open = p.camera.isPerspectiveCamera ? far / 200 : 0; // by what is looked at, which may be of any size
      p.camera.near = p.open;
      p.camera.far = p.camera.isPerspectiveCamera ? far * 40 : far * 4;
      p.framed = true;
      this.fit(p);
      p.controls.update();
    }
    this.invalidate();
  }

  // orbit turns the first pane's view by so many steps of 7.5°, or moves it where
  // it does not turn.
  orbit(x, y) {
    const p = this.panes[0];
    const target = p.controls.target;
    if (p.kind === 'free') {
      const s = new Spherical().setFromVector3(p.camera.position.clone().sub(target));
      s.theta -= (x * Math.PI) / 24;
      s.phi = Math.min(Math.PI - 0.05, Math.max(0.05, s.phi - (y * Math.PI) / 24));
      p.camera.position.setFromSpherical(s).add(target);
    } else {
      const step = 60 * this.metresPerPixel(p);
      const right = new Vector3().setFromMatrixColumn(p.camera.matrixWorld, 0), up = new Vector3().setFromMatrixColumn(p.camera.matrixWorld, 1);
      const by = right.multiplyScalar(x * step).addScaledVector(up, y * step);
      p.camera.position.add(by);
      target.add(by);
    }
    p.controls.update();
    this.invalidate();
  }

  // nearer brings the first pane's view nearer by a factor.
  nearer(factor) {
    const p = this.panes[0];
    if (p.camera.isPerspectiveCamera) p.camera.position.sub(p.controls.target).divideScalar(factor).add(p.controls.target);
    else { p.camera.zoom *= factor; p.camera.updateProjectionMatrix(); }
    p.controls.update();
    this.invalidate();
  }

  invalidate() {
    this.part = null;
    if (this.waiting) return;
    this.waiting = requestAnimationFrame(() => { this.waiting = 0; this.draw(true, this.part); this.part = null; });
  }

  // redraw draws only a box of the world in the next frame: everything that has changed is inside it.
  redraw(box) {
    if (this.waiting && !this.part) return; // all is drawn anyway
    const part = this.part?.union(box) ?? box.clone();
    if (!this.waiting) this.invalidate();
    this.part = part;
  }

  // patch draws some things over what is there: where only little has changed and nothing has
  // moved, as under a brush, a frame then costs as much as that.
  patch(things) {
    if (this.waiting) return; // all is drawn anyway
    const others = this.scene.children.filter((o) => o.visible && !things.includes(o));
    for (const o of others) o.visible = false;
    this.renderer.autoClear = false;
    this.draw(false);
    this.renderer.autoClear = true;
    for (const o of others) o.visible = true;
  }

  // draw draws the panes, whole or what was patched, of a box only where that lies.
  draw(whole = true, box = null) {
    const r = this.renderer;
    const all = this.holder.getBoundingClientRect();
    r.setScissorTest(true);
    for (const p of this.panes) {
      const e = p.element.getBoundingClientRect();
      const x = e.left - all.left, y = all.bottom - e.bottom;
      r.setViewport(x, y, e.width, e.height);
      r.setScissor(x, y, e.width, e.height);
      if (whole) this.stand(p);
      this.slice(p);
      const within = box && this.within(box, p.camera, e.width, e.height);
      if (within) {
        if (!(within.right > within.left && within.top > within.bottom)) continue;
        const of = (v, size) => Math.round(((v + 1) / 2) * size), [lo, low] = [of(within.left, e.width), of(within.bottom, e.height)];
        r.setScissor(x + lo, y + low, of(within.right, e.width) - lo, of(within.top, e.height) - low);
      }
      this.before?.(p);
      this.facing?.(p.camera, within);
      r.render(this.scene, p.camera);
    }
    if (whole) this.drawn(box);
  }

  // within is where a box lies in a pane, in clip space, with a few pixels around; null where it reaches behind the eye.
  within(box, camera, width, height) {
    camera.updateMatrixWorld();
    const out = { left: 1, right: -1, bottom: 1, top: -1 }, p = new Vector3(), { min, max } = box, way = camera.getWorldDirection(new Vector3()), eye = new Vector3().setFromMatrixPosition(camera.matrixWorld);
    for (let k = 0; k < 8; k++) {
      p.set(k & 1 ? max.x : min.x, k & 2 ? max.y : min.y, k & 4 ? max.z : min.z);
      if (camera.isPerspectiveCamera && p.clone().sub(eye).dot(way) <= camera.near) return null;
      p.project(camera);
      Object.assign(out, { left: Math.min(out.left, p.x), right: Math.max(out.right, p.x), bottom: Math.min(out.bottom, p.y), top: Math.max(out.top, p.y) });
    }
    const wide = 8 / width, tall = 8 / height;
    return { left: Math.max(-1, out.left - wide), right: Math.min(1, out.right + wide), bottom: Math.max(-1, out.bottom - tall), top: Math.min(1, out.top + tall) };
  }

  // slice cuts away what of the box is nearest to the eye of a pane; picking goes by it too (rayAt).
  slice(p) {
    const c = p.camera;
    p.open ??= c.near;
    let near = p.open;
    if (this.cut > 0) {
      c.updateMatrixWorld();
      const way = c.getWorldDirection(new Vector3()), eye = new Vector3().setFromMatrixPosition(c.matrixWorld), { min, max } = this.box;
      let lo = Infinity, hi = -Infinity;
      for (let k = 0; k < 8; k++) {
        const t = new Vector3(k & 1 ? max.x : min.x, k & 2 ? max.y : min.y, k & 4 ? max.z : min.z).sub(eye).dot(way);
        lo = Math.min(lo, t);
        hi = Math.max(hi, t);
      }
      near = Math.max(near, lo + this.cut * (hi - lo));
    }
    if (near === c.near) return;
    c.near = near;
    c.updateProjectionMatrix();
  }

  // cutBy cuts deeper, or less deep.
  cutBy(by) {
    this.cut = Math.max(0, Math.min(0.95, this.cut + by));
    for (const p of this.panes) p.label.textContent = `${p.label.textContent.split(',')[0]}${this.cut > 0 ? `, cut ${Math.round(100 * this.cut)}%` : ''}`;
    this.invalidate();
  }

  // stand puts the staff beside the character as a pane sees it, never across it.
  stand(p) {
    this.staff.visible = p.kind !== 'top';
    p.camera.updateMatrixWorld();
    const right = new Vector3().setFromMatrixColumn(p.camera.matrixWorld, 0).setY(0);
    if (!this.staff.visible || right.length() < 1e-6) return;
    right.normalize();
    const size = this.box.getSize(new Vector3()), centre = this.box.getCenter(new Vector3());
    const reach = (Math.abs(right.x) * size.x + Math.abs(right.z) * size.z) / 2 + 1.2 * this.step;
    this.staff.visible = p.kind === 'free' || reach < (p.half * p.width) / Math.max(1, p.height); // half a staff at the edge says nothing
    this.staff.position.set(centre.x - reach * right.x, this.box.min.y, centre.z - reach * right.z);
    this.staff.rotation.y = Math.atan2(-right.z, right.x);
  }

  // metresPerPixel at the point that the pane looks at.
  metresPerPixel(p) {
    if (p.camera.isPerspectiveCamera) return (2 * Math.tan((p.camera.fov * Math.PI) / 360) * p.camera.position.distanceTo(p.controls.target)) / p.height;
    return (2 * p.half) / p.camera.zoom / p.height;
  }

  // furnish rules the ground and makes a measuring staff.
  furnish(box) {
    this.box = box;
    const size = box.getSize(new Vector3()), centre = box.getCenter(new Vector3());
    const raw = Math.max(size.x, size.y, size.z, 1e-6) / 16, ten = 10 ** Math.floor(Math.log10(raw));
    const step = ten * [1, 2, 5, 10].find((k) => k * ten >= raw);
    this.step = step;
    const reach = Math.ceil(Math.max(size.x, size.z) / step / 2 + 4) * step;
    const lines = [];
    const cx = Math.round(centre.x / step) * step, cz = Math.round(centre.z / step) * step;
    for (let t = -reach; t <= reach + 1e-9; t += step) lines.push(cx + t, box.min.y, cz - reach, cx + t, box.min.y, cz + reach, cx - reach, box.min.y, cz + t, cx + reach, box.min.y, cz + t);
    const staff = [0, 0, 0, 0, Math.ceil(size.y / step) * step, 0];
    for (let k = 0; k <= Math.ceil(size.y / step); k++) {
      const w = (k % 10 === 0 ? 1.0 : k % 5 === 0 ? 0.7 : 0.4) * step;
      staff.push(0, k * step, 0, w, k * step, 0);
    }
    const drawn = (before, list, opacity) => {
      if (before) { this.scene.remove(before); before.geometry.dispose(); }
      const g = new BufferGeometry().setAttribute('position', new BufferAttribute(new Float32Array(list), 3));
      const out = new LineSegments(g, new LineBasicMaterial({ color: ink('--ink'), transparent: true, opacity }));
      this.scene.add(out);
      return out;
    };
    this.ground = drawn(this.ground, lines, 0.13);
    this.staff = drawn(this.staff, staff, 0.55);
  }

  restyle() {
    this.furnish(this.box);
    this.invalidate();
  }
}
