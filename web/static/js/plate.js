// The plate: the character, its skeleton and what a hand does to them in the
// panes: choosing, dragging and turning joints, probing the skin.
import { Box3, DoubleSide, Object3D, Plane, Vector3 } from 'three';
import { TransformControls } from 'three/addons/controls/TransformControls.js';
import { Bones } from './bones.js';
import { openBundle } from './bundle.js';
import { getBuffer, getJSON } from './api.js';
import { ink } from './ink.js';
import { chooseFace } from './intake.js';
import { Measure } from './measure.js';
import { choose, giveTip } from './placement.js';
import { Picker, jointAt, rayAt, toScreen } from './pick.js';
import { Posed, anglesOf } from './pose.js';
import { Skin } from './skin.js';
import { joints, on, set, store } from './store.js';
import { TipSpots } from './tips.js';
import { Viewport } from './viewport.js';

export class Plate {
  constructor(operate) {
    this.operate = operate;
    this.view = new Viewport(document.getElementById('canvas'), document.getElementById('panes'));
    this.bones = new Bones();
    this.view.scene.add(this.bones.group);
    this.posed = new Posed([]);
    this.handle = new Object3D();
    this.view.scene.add(this.handle);
    this.tips = new TipSpots(this.view.scene);
    this.view.onpanes = (panes) => panes.forEach((p) => this.listen(p));
    this.view.onpanes(this.view.panes);
    this.measure = new Measure(this.view);
    this.view.drawn = () => { this.scaleBar(); this.measure.place(); };
    on('pose', () => this.bend());
    on('also ghost drawing tip shown tipPointed along step', () => this.drawBones());
    on('chosen map wire through bones stage finding probed would faces pieces normals', () => this.show());
    on('smooth stage', () => this.smoothen());
    addEventListener('themechange', () => { this.view.restyle(); this.skin?.restyle(); this.bones.restyle(); this.show(); });
  }

  // load brings mesh, weights and skeleton to what the server has.
  async load() {
    const c = store.character;
    if (this.meshHash !== c.mesh) {
      const bundle = openBundle(await getBuffer(`/view/mesh/${c.head}`));
      const first = !this.skin;
      if (this.skin) { this.view.scene.remove(this.skin.group); this.skin.dispose(); }
      this.skin = new Skin(bundle);
      this.marks = [];
      this.fine = '';
      store.faces = new Set();
      store.would = null;
      store.faceText = (f) => this.faceText(f);
      this.picker = new Picker(this.skin);
      this.view.scene.add(this.skin.group);
      this.meshHash = c.mesh;
      this.weightsKey = '';
      const box = new Box3().setFromArray(bundle.position);
      const grown = !this.box || this.box.getSize(new Vector3()).distanceTo(box.getSize(new Vector3())) > 0.2 * box.getSize(new Vector3()).length();
      this.box = box;
      this.view.furnish(box);
      if (first || grown) this.view.frame(box);
    }
    this.setJoints(c.joints);
    if (this.weightsKey !== c.weights) {
      if (c.weights) this.skin.setWeights(openBundle(await getBuffer(`/view/weights/${c.head}`)), c.joints);
      else this.skin.dropWeights();
      this.weightsKey = c.weights;
    }
    this.bend();
    this.show();
  }

  setJoints(list) {
    this.posed = new Posed(list);
    this.bones.setJoints(list, store.character.convention, this.box.getSize(new Vector3()).y);
  }

  // bend puts skin and bones into the pose; the stages before the bind show rest.
  bend() {
    const pose = store.stage === 'weights' ? store.pose : new Map();
    this.posed.update(pose, store.stage === 'weights' ? store.move : null);
    this.skin?.setPose(this.posed.skin);
    if (this.picker) this.picker.stale = true;
    this.drawBones();
  }

  // drawBones follows a pose: nothing else of the picture changes with it.
  drawBones() {
    if (!this.skin || !store.character) return;
    this.ghostly();
    this.tips.update(this.box);
    this.bones.group.visible = store.bones && store.stage !== 'intake';
    if (joints().length && this.bones.group.visible) this.bones.update(this.posed, store.chosen, store.stage === 'axes', store.also);
    this.turner();
    this.view.invalidate();
  }

  // ghostly shows the joints of a starter before it is fitted, and a chain that is
  // being drawn.
  ghostly() {
    const list = store.ghost ?? (store.drawing?.length ? store.drawing.map((p, i) => ({ name: String(i), parent: i - 1, pos: p.toArray(), rot: [0, 0, 0, 1] })) : null);
    if (!this.ghost) { this.ghost = new Bones(); this.view.scene.add(this.ghost.group); }
    this.ghost.group.visible = Boolean(list) && store.stage === 'placement';
    if (!this.ghost.group.visible) return;
    const all = list.map((j) => ({ ...j, side: 'centre', ghost: true, end: false }));
    this.ghost.setJoints(all, store.character.convention, this.box.getSize(new Vector3()).y);
    const posed = new Posed(all);
    posed.update(new Map());
    this.ghost.update(posed, -1, false);
  }

  // middle returns the middle between entry and exit of the mesh under a place of
  // a pane; null where there is no mesh.
  middle(pane, x, y) {
    this.picker.hit(pane, x, y, this.posed.skin);
    const ray = rayAt(pane, x, y);
    const hits = this.picker.tree.raycast(ray, DoubleSide).sort((a, b) => a.distance - b.distance);
    const step = 1e-5 * this.box.getSize(new Vector3()).length();
    const apart = hits.filter((h, i) => i === 0 || h.distance - hits[i - 1].distance > step);
    return apart.length > 1 ? apart[0].point.clone().lerp(apart[1].point, 0.5) : null;
  }

  show() {
    if (!this.skin || !store.character) return;
    const weights = store.stage === 'weights' && store.character.weights;
    const mode = weights ? { joint: store.chosen >= 0 ? 1 : 0, leader: 2, plain: 0 }[store.map] : 0;
    const places = store.finding?.where;
    const through = store.through ?? (store.stage === 'placement' || store.stage === 'axes' || Boolean(places && !places.joints?.length));
    const solid = store.character.facts.closed && !store.character.stages[0].findings.some((f) => f.code === 'inverted_faces' || f.code === 'inside_out');
    this.skin.show({ mode, chosen: store.chosen, through, wire: store.wire, faded: Boolean(places), solid });
    const intake = store.stage === 'intake';
    const chosen = intake && store.faces.size ? { faces: [...store.faces] } : null;
    [[this.skin.found, places, '--rust'], [this.skin.would, intake ? store.would : null, '--teal'], [this.skin.chosen, chosen, '--amber']].forEach(([group, what, name], i) => {
      if (this.marks[i] === what) return;
      this.skin.mark(group, what, name);
      this.marks[i] = what;
    });
    this.skin.hiddenParts = store.character.parts.map((p) => p.hidden);
    this.skin.setHidden(this.skin.hiddenParts);
    this.skin.colourPieces(intake && store.pieces);
    this.skin.showNormals(intake && store.normals, 0.012 * this.box.getSize(new Vector3()).length());
    this.skin.markProbe(store.probed && store.stage === 'weights' ? store.probed.vertex : -1);
    this.drawBones();
  }

  // smoothen fetches the subdivided surface when it is wanted.
  async smoothen() {
    if (!this.skin) return;
    const levels = store.stage === 'intake' ? store.smooth : 0;
    const key = `${this.meshHash}/${levels}`;
    if (this.fine === key) return;
    this.fine = key;
    try {
      this.skin.showSmooth(levels ? openBundle(await getBuffer(`/view/smooth/${store.character.head}/${levels}`)) : null);
    } catch (e) { this.fine = ''; set({ smooth: 0, say: e.message }); }
    this.view.invalidate();
  }

  // faceText says what a face is.
  faceText(f) {
    const part = store.character.parts[this.skin.parts[f]];
    let sides = 2, piece = 0;
    for (let t = 0; t < this.skin.faces.length; t++) if (this.skin.faces[t] === f) { sides++; piece = this.skin.pieceOf[this.skin.triangles[3 * t]]; }
    return `${sides} sides, in ${part.name}, piece ${piece + 1}`;
  }

  // turner shows what takes hold of the chosen joint: arrows along the axes of the
  // world, the joint or its parent for placing, rings about its own axes for posing.
  turner() {
    const bound = store.stage === 'weights' && store.character.weights;
    const mode = store.chosen < 0 ? '' : store.stage === 'placement' && store.bones ? 'translate' : bound && !joints()[store.chosen].end ? 'rotate' : '';
    const pane = this.view.panes[0];
    if (this.turning && (this.turning.camera !== pane.camera || this.turning.mode !== mode)) {
      this.view.scene.remove(this.turning.helper);
      this.turning.controls.dispose();
      this.turning = null;
    }
    if (!mode) return;
    if (!this.turning) {
      const controls = new TransformControls(pane.camera, pane.element);
      controls.setMode(mode);
      controls.setSize(mode === 'rotate' ? 0.62 : 0.5);
      controls.setColors?.(ink('--axis-x'), ink('--axis-y'), ink('--axis-z'), ink('--rust'));
      controls.attach(this.handle);
      const helper = controls.getHelper();
      this.view.scene.add(helper);
      controls.addEventListener('change', () => this.view.invalidate());
      controls.addEventListener('dragging-changed', (e) => {
        pane.controls.enabled = !e.value;
        if (mode === 'translate') this.grip(e.value);
      });
      controls.addEventListener('objectChange', () => {
        if (mode === 'rotate') this.turned();
        else if (this.gripped) this.preview(this.gripped, this.handle.position.clone());
      });
      this.turning = { controls, helper, mode, camera: pane.camera };
    }
    if (!this.turning.controls.dragging) {
      this.handle.position.copy(this.posed.at[store.chosen]);
      const parent = joints()[store.chosen].parent;
      if (mode === 'rotate' || store.along === 'joint') this.handle.quaternion.copy(this.posed.turn[store.chosen]);
      else if (store.along === 'parent' && parent >= 0) this.handle.quaternion.copy(this.posed.turn[parent]);
      else this.handle.quaternion.identity();
      this.turning.controls.setSpace(mode === 'rotate' || store.along !== 'world' ? 'local' : 'world');
      this.turning.controls.setTranslationSnap(store.step || null);
    }
  }

  // grip begins or ends a move by the arrows.
  grip(held) {
    if (held) { this.gripped = this.hold(store.chosen); return; }
    const d = this.gripped;
    this.gripped = null;
    if (d?.to) this.drop(d);
  }

  // hold remembers where everything is before a joint is moved.
  hold(joint) {
    return { joint, start: this.posed.at[joint].clone(), rest: joints().map((j) => new Vector3(...j.pos)), moved: false };
  }

  turned() {
    const i = store.chosen, parent = joints()[i].parent;
    const q = this.handle.quaternion.clone();
    if (parent >= 0) q.premultiply(this.posed.turn[parent].clone().invert());
    q.premultiply(this.posed.local[i].turn.clone().invert());
    const pose = new Map(store.pose);
    pose.set(i, anglesOf(q));
    set({ pose });
  }

  listen(pane) {
    if (pane.listening) return;
    pane.listening = true;
    const at = (e) => { const r = pane.element.getBoundingClientRect(); return [e.clientX - r.left, e.clientY - r.top]; };
    pane.element.addEventListener('pointerdown', (e) => {
      if (e.button !== 0) return;
      const [x, y] = at(e);
      pane.from = [x, y];
      if (store.stage !== 'placement' || !store.bones) return;
      if (store.drawing || store.tip || store.measuring) return;
      const i = this.shownJoint(pane, x, y);
      if (i < 0 && e.shiftKey) { // a box around joints
        e.stopImmediatePropagation();
        pane.element.setPointerCapture(e.pointerId);
        pane.boxed = document.createElement('div');
        pane.boxed.className = 'marquee';
        pane.element.append(pane.boxed);
        return;
      }
      if (i < 0) return;
      e.stopImmediatePropagation();
      pane.element.setPointerCapture(e.pointerId);
      choose(i, e.shiftKey);
      if (e.shiftKey || joints()[i].locked) return;
      const normal = pane.camera.getWorldDirection(new Vector3());
      pane.drag = { ...this.hold(i), plane: new Plane().setFromNormalAndCoplanarPoint(normal, this.posed.at[i]) };
    }, { capture: true });
    pane.element.addEventListener('pointermove', (e) => {
      const [x, y] = at(e);
      this.pointer = { pane, x, y };
      if (pane.boxed) {
        const [fx, fy] = pane.from;
        Object.assign(pane.boxed.style, { left: `${Math.min(x, fx)}px`, top: `${Math.min(y, fy)}px`, width: `${Math.abs(x - fx)}px`, height: `${Math.abs(y - fy)}px` });
        return;
      }
      if (!pane.drag) {
        pane.element.style.cursor = store.bones && store.stage !== 'intake' && this.shownJoint(pane, x, y) >= 0 ? 'pointer' : store.drawing || store.tip || store.measuring ? 'crosshair' : '';
        return;
      }
      const to = rayAt(pane, x, y).intersectPlane(pane.drag.plane, new Vector3());
      if (!to || Math.hypot(x - pane.from[0], y - pane.from[1]) < 3 && !pane.drag.moved) return;
      pane.drag.moved = true;
      this.preview(pane.drag, (store.centred && this.middle(pane, x, y)) || this.constrained(pane, to, e.shiftKey));
    });
    const end = (e) => {
      const [x, y] = at(e);
      if (pane.boxed) {
        const [fx, fy] = pane.from;
        pane.boxed.remove();
        pane.boxed = null;
        pane.from = null;
        const inside = this.posed.at.map((p, i) => [toScreen(pane, p), i]).filter(([p, i]) => !joints()[i].hidden && p.x >= Math.min(x, fx) && p.x <= Math.max(x, fx) && p.y >= Math.min(y, fy) && p.y <= Math.max(y, fy)).map(([, i]) => i);
        if (inside.length) set({ also: new Set([...store.also, ...(store.chosen >= 0 ? [store.chosen] : []), ...inside]), chosen: inside[0] });
        return;
      }
      const still = pane.from && Math.hypot(x - pane.from[0], y - pane.from[1]) < 4;
      pane.from = null;
      if (pane.drag) {
        const d = pane.drag;
        pane.drag = null;
        if (d.moved) this.drop(d);
        return;
      }
      if (still && e.button === 0) this.click(pane, x, y, e);
    };
    pane.element.addEventListener('pointerup', end);
    pane.element.addEventListener('pointercancel', () => { if (pane.drag) { pane.drag = null; this.load(); } });
  }

  // constrained is a place that a joint is dragged to, rounded to the step along the
  // pane's axes, and with straight along one of them alone.
  constrained(pane, to, straight) {
    const start = pane.drag.start, by = to.clone().sub(start), out = start.clone();
    const axes = [0, 1].map((k) => new Vector3().setFromMatrixColumn(pane.camera.matrixWorld, k));
    let along = axes.map((a) => a.dot(by));
    if (straight) along = Math.abs(along[0]) > Math.abs(along[1]) ? [along[0], 0] : [0, along[1]];
    if (store.step) along = along.map((v) => Math.round(v / store.step) * store.step);
    axes.forEach((a, k) => out.addScaledVector(a, along[k]));
    return out;
  }

  // shownJoint is the joint under a place of a pane, of those that are shown.
  shownJoint(pane, x, y) {
    const list = joints();
    const shown = this.posed.at.map((p, i) => (list[i]?.hidden ? new Vector3(1e9, 1e9, 1e9) : p));
    return jointAt(pane, shown, x, y);
  }

  // underPointer is the ray under the pointer, for centring by a key.
  underPointer() {
    if (!this.pointer) return null;
    const ray = rayAt(this.pointer.pane, this.pointer.x, this.pointer.y);
    const d = ray.direction;
    // From behind the eye on, so that orthographic panes reach all of the mesh.
    const from = ray.origin.clone().addScaledVector(d, -4 * this.box.getSize(new Vector3()).length());
    return { from: from.toArray(), way: d.toArray() };
  }

  // nudge moves the chosen joint by steps along the first pane's axes; the server
  // hears of it when the keys rest.
  nudge(x, y, step) {
    const i = store.chosen, pane = this.view.panes[0];
    if (i < 0 || joints()[i].locked) return;
    this.nudged ??= { ...this.hold(i), to: this.posed.at[i].clone() };
    const right = new Vector3().setFromMatrixColumn(pane.camera.matrixWorld, 0), up = new Vector3().setFromMatrixColumn(pane.camera.matrixWorld, 1);
    this.preview(this.nudged, this.nudged.to.clone().addScaledVector(right, x * step).addScaledVector(up, y * step));
    clearTimeout(this.resting);
    this.resting = setTimeout(() => { const d = this.nudged; this.nudged = null; this.drop(d); }, 420);
  }

  // preview shows where a dragged joint would go; the server decides at the drop.
  preview(d, to) {
    d.to = to;
    const by = to.clone().sub(d.start);
    const list = joints();
    const places = d.rest.map((p) => p.clone());
    const shift = (i, v) => {
      const hangs = (k) => { for (let q = k; q >= 0; q = list[q].parent) if (q === i) return true; return false; };
      places.forEach((p, k) => { if (k === i || (store.branch && hangs(k))) p.add(v); });
    };
    shift(d.joint, by);
    if (store.both && list[d.joint].partner >= 0) {
      const partner = list[d.joint].partner;
      const mirrored = new Vector3(2 * store.character.plane - to.x, to.y, to.z);
      shift(partner, mirrored.sub(d.rest[partner]));
    }
    this.posed = new Posed(list.map((j, i) => ({ ...j, pos: places[i].toArray() })));
    this.posed.update(new Map());
    this.bones.update(this.posed, store.chosen, false, store.also);
    this.view.invalidate();
    document.dispatchEvent(new CustomEvent('jointdragged', { detail: to.toArray() }));
  }

  async drop(d) {
    const kept = await this.operate('move_joint', { joint: joints()[d.joint].name, to: d.to.toArray(), branch: store.branch, both: store.both });
    if (!kept) { this.setJoints(joints()); this.bend(); }
  }

  async click(pane, x, y, e) {
    if (store.measuring) {
      const hit = this.picker.hit(pane, x, y, this.posed.skin);
      if (hit) this.measure.take(hit.point);
      return;
    }
    if (store.stage === 'intake') {
      chooseFace(this.picker.faceAt(pane, x, y, this.posed.skin), e.altKey ? 'part' : e.shiftKey ? 'more' : 'one', this.skin.parts);
      return;
    }
    if (store.stage === 'placement' && (store.drawing || store.tip)) {
      const p = this.middle(pane, x, y);
      if (!p) set({ say: 'There is no mesh under the pointer.' });
      else if (store.tip) giveTip(p);
      else set({ drawing: [...store.drawing, p] });
      return;
    }
    if (store.bones && store.stage !== 'intake') {
      const i = this.shownJoint(pane, x, y);
      if (i >= 0) { if (store.stage !== 'placement') choose(i, e.shiftKey); return; }
    }
    if (store.stage === 'placement' && e.altKey && store.chosen >= 0) { // a ring of the skin
      const v = this.picker.vertexAt(pane, x, y, this.posed.skin);
      if (v >= 0) await this.operate('centre_ring', { joint: joints()[store.chosen].name, vertex: v, both: store.both });
      return;
    }
    if (store.stage !== 'weights' || !store.character.weights) return;
    const v = this.picker.vertexAt(pane, x, y, this.posed.skin);
    if (v < 0) { set({ probed: null }); return; }
    try {
      set({ probed: await getJSON(`/api/characters/${store.id}/probe/${v}`) });
    } catch { set({ probed: null }); }
  }

  // frame looks at what is chosen or found, else at all.
  frame() {
    const box = new Box3();
    const where = store.finding?.where;
    if (where) {
      const p = this.skin.attributes.position.array;
      const add = (v) => { const i = 3 * this.skin.drawnOf[v]; box.expandByPoint(new Vector3(p[i], p[i + 1], p[i + 2])); };
      where.vertices?.forEach(add);
      where.edges?.flat().forEach(add);
      if (where.faces?.length) {
        const wanted = new Set(where.faces);
        for (let t = 0; t < this.skin.faces.length; t++) if (wanted.has(this.skin.faces[t])) for (let k = 0; k < 3; k++) add(this.skin.base[this.skin.triangles[3 * t + k]]);
      }
      where.joints?.forEach((name) => { const i = joints().findIndex((j) => j.name === name); if (i >= 0) box.expandByPoint(this.posed.at[i]); });
    } else if (store.stage === 'intake' && store.faces.size) {
      const p = this.skin.attributes.position.array;
      for (let t = 0; t < this.skin.faces.length; t++) if (store.faces.has(this.skin.faces[t])) for (let k = 0; k < 3; k++) { const i = 3 * this.skin.triangles[3 * t + k]; box.expandByPoint(new Vector3(p[i], p[i + 1], p[i + 2])); }
    } else if (store.chosen >= 0 && store.stage !== 'intake') box.expandByPoint(this.posed.at[store.chosen]);
    if (box.isEmpty()) { this.view.frame(this.box); return; }
    const all = this.box.getSize(new Vector3()).length();
    box.expandByScalar(Math.max(0.06 * all, 0.12 * box.getSize(new Vector3()).length()));
    this.view.frame(box);
  }

  scaleBar() {
    const m = this.view.metresPerPixel(this.view.panes[0]) * 110;
    if (!Number.isFinite(m) || m <= 0) return;
    const ten = 10 ** Math.floor(Math.log10(m));
    const nice = [5, 2, 1].find((k) => k * ten <= m) * ten;
    const bar = document.getElementById('scale');
    bar.firstElementChild.style.width = `${(nice / m) * 110}px`;
    bar.lastElementChild.textContent = nice >= 1 ? `${nice} m` : nice >= 0.01 ? `${Math.round(nice * 100)} cm` : `${+(nice * 1000).toPrecision(2)} mm`;
  }

  // measured is what the graphics card's inputs say, for the tests.
  skinned() {
    return { matrices: Array.from(this.posed.skin), positions: this.skin.bent(this.posed.skin, new Float32Array(3 * this.skin.base.length)), base: this.skin.base };
  }
}

