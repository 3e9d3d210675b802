// The plate: the character and its skeleton in the panes. What a hand does there is
// the business of the tool of the stage: `down` may take hold, then it gets `move` and
// `up`; else it gets `click`. `show` says how the character is drawn for it.
import { Box3, DoubleSide, Quaternion, Vector3 } from 'three';
import { getBuffer } from './api.js';
import { Beside } from './beside.js';
import { Bones } from './bones.js';
import { openBundle } from './bundle.js';
import { Capsules } from './capsules.js';
import { bringHere, isHere } from './core.js';
import { Instrument, dialsOf } from './instrument.js';
import { Measure } from './measure.js';
import { notice } from './notices.js';
import { Picker, jointAt, rayAt } from './pick.js';
import { Posed, atBind, recordsOf } from './pose.js';
import { choose, conventionOf, joints, on, set, store } from './session.js';
import { Shapes } from './shapes.js';
import { Skin } from './skin.js';
import { carried } from './tools/tips.js';
import { Viewport } from './viewport.js';
import { Columns } from './weights.js';

export class Plate {
  constructor(tools) {
    this.tools = tools;
    this.view = new Viewport(document.getElementById('canvas'), document.getElementById('panes'));
    this.bones = new Bones();
    this.view.scene.add(this.bones.group);
    this.posed = new Posed([]);
    this.columns = new Columns();
    this.shapes = new Shapes();
    this.beside = new Beside(this);
    /** @type {Promise<void> | null} core on its way to the page's thread */
    this.bringing = null;
    this.instrument = new Instrument(this.view, {
      begin: () => this.tool.grip?.(this),
      turn: (axis, degrees) => this.tool.turning?.(axis, degrees),
      move: (to) => this.tool.gripping?.(this, to),
      end: () => this.tool.let?.(this),
    });
    this.capsules = new Capsules(this.view, (c) => this.tool.sized?.(c));
    this.view.onpanes = (panes) => panes.forEach((p) => this.listen(p));
    this.view.onpanes(this.view.panes);
    this.measure = new Measure(this.view);
    this.view.facing = (camera, within) => { this.skin?.bender.face(camera, within); this.beside.skin?.bender.face(camera); };
    this.view.drawn = (box) => { if (box) return; this.scaleBar(); this.measure.place(); this.instrument.draw(); this.capsules.draw(); };
    on('pose', () => this.bend());
    on('heldShapes', () => this.reshape());
    on('playing', () => this.view.coarse(store.playing));
    on('also along step axes', () => this.drawBones());
    on('vertices hand chosen map wire dots through bones finding probed would faces pieces normals', () => this.show());
    document.addEventListener('redraw', () => this.show());
    on('smooth stage', () => this.smoothen());
    on('smoothSkin stage character', () => this.raise());
    addEventListener('themechange', () => { this.view.restyle(); this.skin?.restyle(); this.bones.restyle(); this.show(); });
    this.tool = this.tools.get(store.stage);
    this.lookFrom();
    this.tool?.enter?.(this);
  }

  // lookFrom takes the view that the stage opens with: straight where things are placed.
  // One that a hand has chosen stays.
  lookFrom() {
    const from = this.tool?.from ?? 'free';
    if (!this.view.chosen && this.view.panes.length === 1 && this.view.panes[0].kind !== from) this.view.turn(from);
  }

  // turnTo changes the tool with the stage.
  turnTo(stage) {
    this.tool?.leave?.(this);
    this.beside.close();
    this.tool = this.tools.get(stage);
    this.lookFrom();
    this.tool?.enter?.(this);
    this.bend();
    this.show();
  }

  // prepare loads what a character needs besides what is here, and returns what shows
  // it, at once.
  async prepare(c) {
    const [mesh, weights, shapes] = await Promise.all([
      this.meshKey === c.mesh ? null : getBuffer(`/view/mesh/${c.head}`),
      c.weights ? this.columns.load(c) : null,
      this.shapes.load(c),
    ]);
    const bundle = mesh && openBundle(mesh);
    return () => { shapes(); this.take(c, bundle, weights); };
  }

  take(c, bundle, weights) {
    if (bundle) {
      const first = !this.skin;
      if (this.skin && Object.keys(store.shown).length) {
        const shown = carried(store.shown, this.skin.attributes.position.array, bundle.position);
        set({ shown: shown ?? {} });
        if (!shown) setTimeout(() => notice('The mesh has changed, so the places that you marked were cleared: mark them again.')); // after what the change says
      }
      if (this.skin) { this.view.scene.remove(this.skin.group); this.skin.dispose(); }
      this.skin = new Skin(bundle, this.view.renderer);
      this.marks = [];
      this.fine = '';
      store.faces = new Set();
      store.would = null;
      store.faceText = (f) => this.faceText(f);
      this.picker = new Picker(this.skin);
      this.view.scene.add(this.skin.group);
      this.meshKey = c.mesh;
      this.weightsKey = '';
      const box = new Box3().setFromArray(bundle.position);
      const grown = !this.box || this.box.getSize(new Vector3()).distanceTo(box.getSize(new Vector3())) > 0.2 * box.getSize(new Vector3()).length();
      this.box = box;
      this.view.furnish(box);
      if (first || grown) this.view.frame(box);
    }
    const names = c.joints.map((j) => j.name);
    const key = weights ? `${weights.key}${weights.mix.hash}${names.join('\n')}${c.binding?.of ?? ''}${c.joints.map((j) => j.mix ?? '')}` : '';
    if (this.weightsKey !== key && !(store.painting && weights && this.weightsKey)) {
      if (weights) this.skin.setWeights(weights.table(names, this.skin.vertices, recordsOf(c.binding)), c.joints, c.binding?.records.length ?? 1, weights.mix);
      else this.skin.dropWeights();
      this.weightsKey = key;
    }
    this.setJoints(c.joints, c);
    if (!this.beside.holds(c)) this.beside.close();
    this.bend();
    this.show();
    this.tool?.taken?.();
  }

  // retake puts the weights and shape targets that are stored in place of what was painted and sculpted on the way to them.
  async retake() {
    const c = store.character;
    this.shapes.restore();
    if (c.weights) this.take(c, null, await this.columns.load(c)); else this.bend();
    if (this.picker) this.picker.stale = true;
  }

  setJoints(list, c = store.character) {
    this.rest = this.tool?.atBind ? atBind(list, c.binding) : list;
    this.posed = new Posed(this.rest, c.binding);
    this.builtAs = '';
    this.bones.setJoints(list, c.convention, this.box.getSize(new Vector3()).y);
    this.bones.within(this.box.getCenter(new Vector3()), this.box.getSize(new Vector3()).x);
  }

  // reseat puts the joints where the tool wants them: as they stand, or as they were bound.
  reseat() {
    if (!store.character || !this.box) return;
    this.setJoints(store.character.joints);
    this.bend();
    this.show();
  }

  // seat shows joints of a build at other places, at rest, while a hand moves them.
  seat(list) {
    this.posed = new Posed(list, store.character.binding, this.rest);
    this.posed.update(new Map());
    this.drawBones();
  }

  // showPlaces shows the joints at other places, while a hand moves them.
  showPlaces(places) {
    this.posed = new Posed(joints().map((j, i) => ({ ...j, pos: places[i].toArray() })), store.character.binding);
    this.posed.update(new Map());
    this.bones.update(this.posed, store.chosen, false, store.also);
    this.turner();
    this.view.invalidate();
  }

  // bend puts skin and bones into the pose; stages that do not pose show rest.
  bend() {
    const pose = this.tool?.swung ?? (this.tool?.posed ? store.pose : new Map());
    const values = this.shapes.values(this.rest ?? [], pose, store.heldShapes).map((x) => (this.tool?.posed ? x : 0)); // elsewhere joints are edited as they are
    this.build(values);
    this.posed.update(pose, this.tool?.posed ? store.move : null, Boolean(this.tool?.held ?? this.tool?.posed));
    if (!store.painting || this.tool?.stage !== 'shapes') this.skin?.shape(this.shapes.targets, values); // a stroke moves it itself
    this.skin?.setPose(this.posed.skin);
    this.beside.pose(this.posed.skin);
    if (this.picker) this.picker.stale = true;
    this.drawBones();
  }

  // reshape has targets be on as far as a hand holds them: where no joint moves with them, only what they move is drawn.
  reshape() {
    if (!this.tool?.posed || this.tool.swung || store.painting || !this.skin || !store.character) { this.bend(); return; }
    const values = this.shapes.values(this.rest ?? [], store.pose, store.heldShapes), list = this.shapes.built(this.rest ?? [], values);
    if ((list === this.rest ? '' : values.join()) !== this.builtAs) { this.bend(); return; }
    const box = this.skin.shape(this.shapes.targets, values);
    if (box === null) { this.bend(); return; }
    if (this.picker) this.picker.stale = true;
    if (box) this.touched(box);
  }

  // touched draws what has changed in a box of the world.
  touched(box) {
    if (this.beside.skin || this.skin.material.transparent) this.view.invalidate(); else this.view.redraw(box);
  }

  // build puts the joints where shape targets have them that are on.
  build(values) {
    const list = this.shapes.built(this.rest ?? [], values), key = list === this.rest ? '' : values.join();
    if (key === this.builtAs) return;
    this.builtAs = key;
    this.posed = new Posed(list, store.character.binding, this.rest);
  }

  // drawBones follows a pose: nothing else of the picture changes with it.
  drawBones() {
    if (!this.skin || !store.character) return;
    this.bones.group.visible = store.bones && this.tool?.bones !== false;
    this.tool?.beforeBones?.(this);
    if (joints().length && this.bones.group.visible) this.bones.update(this.posed, store.chosen, this.tool?.axes ? store.axes : null, store.also);
    this.turner();
    this.encapsule();
    this.view.invalidate();
  }

  // ghostly shows joints that are not there yet.
  ghostly(list) {
    if (!this.ghost) { this.ghost = new Bones(); this.view.scene.add(this.ghost.group); }
    this.ghost.group.visible = Boolean(list);
    if (!list) return;
    const all = list.map((j) => ({ ...j, side: 'centre', ghost: true, end: false }));
    this.ghost.setJoints(all, store.character.convention, this.box.getSize(new Vector3()).y);
    const posed = new Posed(all);
    posed.update(new Map());
    this.ghost.update(posed, -1, null);
  }

  show() {
    if (!this.skin || !store.character || !this.tool) return;
    const how = this.tool.show(this), { overlays } = this.skin;
    const places = store.finding?.where;
    const through = store.through ?? Boolean(this.tool.through || (places && !places.joints?.length));
    const solid = store.character.facts.closed && !store.character.stages[0].findings.some((f) => f.code === 'inverted_faces' || f.code === 'inside_out');
    const look = { mode: how.mode ?? 0, chosen: store.chosen, through, wire: store.wire, faded: Boolean(places), solid, bent: this.view.software && Boolean(this.tool.bent) };
    if (look.bent && !isHere()) this.bringing ??= bringHere().then(() => this.show(), () => {}); // without it the card's program bends, slowly
    this.skin.show(look);
    this.beside.show(look);
    document.getElementById('backs').hidden = through || solid;
    [[overlays.found, places, '--rust'], [overlays.would, how.would, '--teal'], [overlays.chosen, how.chosen, '--amber']].forEach(([group, what, name], i) => {
      if (this.marks[i] === what) return;
      overlays.mark(group, what, name);
      this.marks[i] = what;
    });
    this.skin.setHidden(store.character.parts.map((p) => p.hidden), store.character.vertices?.hidden);
    this.skin.colourPieces(Boolean(how.pieces));
    overlays.showNormals(Boolean(how.normals), 0.012 * this.box.getSize(new Vector3()).length());
    overlays.markProbe(how.probe ?? -1);
    overlays.showDots(store.dots);
    this.ghostly(how.ghost ?? null);
    this.drawBones();
  }

  // smoothen fetches the subdivided surface when it is wanted.
  async smoothen() {
    if (!this.skin) return;
    const levels = store.stage === 'intake' ? store.smooth : 0;
    const key = `${this.meshKey}/${levels}`;
    if (this.fine === key) return;
    this.fine = key;
    try {
      this.skin.showSmooth(levels ? openBundle(await getBuffer(`/view/smooth/${store.character.head}/${levels}`)) : null);
    } catch (e) { this.fine = ''; set({ smooth: 0, say: e.message }); }
    this.view.invalidate();
  }

  // raise fetches the smoothed surface that the vertices carry at the weights, when it is wanted.
  async raise() {
    if (!this.skin || !store.character) return;
    const wanted = ['weights', 'shapes'].includes(store.stage) && store.smoothSkin;
    if (wanted === Boolean(this.skin.subdivided ?? this.raising)) return;
    if (!wanted) { this.skin.subdivide(null); this.raising = null; this.show(); return; }
    const { skin } = this, mine = {};
    this.raising = mine;
    try {
      const bundle = openBundle(await getBuffer(`/view/subdivision/${store.character.head}`));
      if (this.skin === skin && this.raising === mine) { skin.subdivide(bundle); this.picker.stale = true; this.show(); }
    } catch (e) { set({ smoothSkin: false, say: e.message }); }
    this.raising = null;
  }

  // faceText says what a face is.
  faceText(f) {
    const part = store.character.parts[this.skin.parts[f]];
    let sides = 2, piece = 0;
    for (let t = 0; t < this.skin.faces.length; t++) if (this.skin.faces[t] === f) { sides++; piece = this.skin.pieceOf[this.skin.triangles[3 * t]]; }
    return `${sides} sides, in ${part.name}, piece ${piece + 1}`;
  }

  // encapsule shows the capsules of the chosen joint's bones, where the tool wants them.
  encapsule() {
    const j = joints()[store.chosen], at = (name) => this.posed.at[joints().findIndex((x) => x.name === name)]?.clone();
    this.capsules.show(j && this.tool?.capsules ? (store.character.capsules ?? []).filter((c) => c.joint === j.name).map((c) => {
      const a = at(c.joint), b = at(c.child);
      return { ...c, a, b: b ? a.clone().lerp(b, c.to) : a.clone() };
    }) : []);
  }

  // turner shows what takes hold of the chosen joint: rules along the axes of the world,
  // the joint or its parent for moving, dials about its own for turning.
  turner() {
    const i = store.chosen, mode = i < 0 || !store.bones ? '' : this.tool?.handle ?? '';
    if (!mode) { this.instrument.show(null); return; }
    const j = joints()[i], at = this.posed.at[i].clone();
    const parent = j.parent >= 0 ? this.posed.turn[j.parent] : new Quaternion();
    if (mode === 'turn' || mode === 'roll') {
      const base = parent.clone().multiply(this.posed.local[i].turn);
      const known = (l) => (l && (l[0] || l[1]) ? l : null), usual = { bend: known(j.bend), side: known(j.aside), twist: known(j.twist) };
      const dials = dialsOf({ convention: conventionOf(i), base, angles: mode === 'roll' ? [0, 0, 0] : store.pose.get(i) ?? [0, 0, 0], usual: mode === 'roll' ? {} : usual, order: j.order || 'xyz' });
      this.instrument.show({ mode: 'turn', name: j.name, at, dials: mode === 'roll' ? dials.filter((d) => d.motion === 'twist').map((d) => ({ ...d, motion: 'twist', angle: this.tool.rolled ?? 0 })) : dials });
      return;
    }
    const frame = { world: new Quaternion(), joint: this.posed.turn[i], parent }[store.along];
    const rules = ['x', 'y', 'z'].map((axis, k) => {
      const along = new Vector3().setComponent(k, 1).applyQuaternion(frame);
      return { axis, along, now: at.dot(along) };
    });
    this.instrument.show({ mode, name: j.name, at, rules, step: store.step });
  }

  // hold remembers where everything is before a joint is moved.
  hold(joint) {
    return { joint, name: joints()[joint].name, start: this.posed.at[joint].clone(), rest: joints().map((j) => new Vector3(...j.pos)), moved: false };
  }

  listen(pane) {
    if (pane.listening) return;
    pane.listening = true;
    const at = (e) => { const r = pane.element.getBoundingClientRect(); return [e.clientX - r.left, e.clientY - r.top]; };
    pane.element.addEventListener('pointerdown', (e) => {
      if (e.button !== 0 || e.target.closest('.instrument')) return;
      const [x, y] = at(e);
      pane.from = [x, y];
      this.view.canvas.focus({ preventScroll: true }); // keys are the view's now
      if (store.measuring || !this.tool?.down?.(this, pane, x, y, e)) return;
      pane.held = this.tool;
      e.stopImmediatePropagation();
      pane.element.setPointerCapture(e.pointerId);
    }, { capture: true });
    pane.element.addEventListener('pointermove', (e) => {
      const [x, y] = at(e);
      this.pointer = { pane, x, y };
      if (pane.held) { pane.held.move?.(this, pane, x, y, e); return; }
      this.tool?.hover?.(this, pane, x, y);
      const over = store.bones && this.tool?.bones !== false && this.shownJoint(pane, x, y) >= 0;
      pane.element.style.cursor = over ? 'pointer' : store.measuring ? 'crosshair' : this.tool?.cursor?.() ?? '';
    });
    pane.element.addEventListener('pointerup', (e) => {
      const [x, y] = at(e), held = pane.held;
      const still = pane.from && Math.hypot(x - pane.from[0], y - pane.from[1]) < 4;
      if (held) { pane.held = null; held.up?.(this, pane, x, y, e); }
      else if (still && e.button === 0) this.click(pane, x, y, e);
      pane.from = null;
    });
    pane.element.addEventListener('pointercancel', () => { const held = pane.held; pane.held = null; held?.cancel?.(this); });
  }

  click(pane, x, y, e) {
    if (!store.measuring) { this.tool?.click?.(this, pane, x, y, e); return; }
    const hit = this.picker.hit(pane, x, y);
    if (hit) this.measure.take(hit.point);
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

  // frame looks at what is chosen or found, else at all.
  frame() {
    const box = new Box3();
    const where = store.finding?.where, intake = store.stage === 'intake';
    const p = this.skin.attributes.position.array;
    const drawn = (i) => box.expandByPoint(new Vector3(p[3 * i], p[3 * i + 1], p[3 * i + 2]));
    const faces = (list) => {
      const wanted = new Set(list);
      for (let t = 0; t < this.skin.faces.length; t++) if (wanted.has(this.skin.faces[t])) for (let k = 0; k < 3; k++) drawn(this.skin.triangles[3 * t + k]);
    };
    if (where) {
      const add = (v) => drawn(this.skin.drawnOf[v]);
      where.vertices?.forEach(add);
      where.edges?.flat().forEach(add);
      if (where.faces?.length) faces(where.faces);
      where.joints?.forEach((name) => { const i = joints().findIndex((j) => j.name === name); if (i >= 0) box.expandByPoint(this.posed.at[i]); });
    } else if (intake && store.faces.size) faces(store.faces);
    else if (store.chosen >= 0 && !intake) box.expandByPoint(this.posed.at[store.chosen]);
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

  // skinned is where the pointer meets the vertices, and seen where the graphics card draws them, for
  // the tests.
  skinned() { return { positions: this.skin.places.now(), base: this.skin.base }; }

  seen(skin = this.skin) {
    const p = skin.places.readBack();
    return { places: Array.from(skin.base, (_, i) => [...p.subarray(3 * i, 3 * i + 3)]), base: skin.base };
  }
}

// chooseAt chooses the joint under the pointer; it tells whether there was one.
export function chooseAt(plate, pane, x, y, e) {
  const i = store.bones ? plate.shownJoint(pane, x, y) : -1;
  if (i >= 0) choose(i, e.shiftKey);
  return i >= 0;
}

// middle returns the middle between entry and exit of the mesh under a place of a
// pane; null where there is no mesh.
export function middle(plate, pane, x, y) {
  plate.picker.hit(pane, x, y);
  const ray = rayAt(pane, x, y);
  const hits = plate.picker.tree.raycast(ray, DoubleSide).sort((a, b) => a.distance - b.distance);
  const step = 1e-5 * plate.box.getSize(new Vector3()).length();
  const apart = hits.filter((h, i) => i === 0 || h.distance - hits[i - 1].distance > step);
  return apart.length > 1 ? apart[0].point.clone().lerp(apart[1].point, 0.5) : null;
}
