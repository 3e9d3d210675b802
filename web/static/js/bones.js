// The skeleton as it is drawn here: a joint is a small ring, a bone a quill: an even
// hairline shaft with barbs on the side towards which the joint bends, so that the roll is
// seen at a glance, and a nib where it ends at the child. Lines have one width on the
// screen, near and far, so that the bones of a hand do not hide the hand. Left is amber
// with a dot, right teal with a bar.
import {
  BufferAttribute, BufferGeometry, Color, DoubleSide, DynamicDrawUsage, Group, LineSegments, LineBasicMaterial, Mesh, Points, ShaderMaterial, Vector2, Vector3, Vector4,
} from 'three';
import { ink } from './ink.js';

const barbs = 8;
const strokesPerBone = 2 + barbs;
const fanStrokes = 14; // a bone of the fan that shows how the roll runs along a chain
// Pixels: the shaft, that of a chosen bone, barbs, and the nib: how wide, where it begins
// and ends before the middle of the child's ring.
const shaftWide = 2, chosenWide = 3, barbWide = 1.3, nib = { wide: 5.5, from: 17, to: 6 };
const unit = { x: new Vector3(1, 0, 0), y: new Vector3(0, 1, 0), z: new Vector3(0, 0, 1) };

// Seen from the side, what lies on the far side of the middle is fainter: the two legs
// stand on each other there.
const nearness = /* glsl */ `
float nearness(float before, float depth) {
  return depth <= 0.0 ? 1.0 : 1.0 - smoothstep(0.005 * depth, 0.05 * depth, -before);
}
`;

// A stroke is drawn from four corners: each knows its end, the other end, and by how many
// pixels it stands beside the line and along it.
const strokeVertex = `${nearness}
uniform vec2 screen;
uniform float pixel;
attribute vec3 toward;
attribute vec2 offset;
attribute vec3 tint;
uniform vec3 middle;
uniform float depth;
varying vec3 vTint;
varying float vNear;
void main() {
  vTint = tint;
  vNear = nearness((modelViewMatrix * vec4(position, 1.0)).z - (viewMatrix * vec4(middle, 1.0)).z, depth);
  vec4 a = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
  vec4 b = projectionMatrix * modelViewMatrix * vec4(toward, 1.0);
  vec2 d = (b.xy / max(b.w, 1e-4) - a.xy / max(a.w, 1e-4)) * 0.5 * screen;
  float l = length(d);
  d = l > 1e-3 ? d / l : vec2(1.0, 0.0);
  vec2 px = vec2(-d.y, d.x) * offset.x * pixel + d * min(offset.y * pixel, 0.45 * l);
  a.xy += px / (0.5 * screen) * a.w;
  gl_Position = a;
}`;

const strokeFragment = /* glsl */ `
varying vec3 vTint;
varying float vNear;
void main() {
  gl_FragColor = vec4(vTint, 0.94 * mix(0.3, 1.0, vNear));
  #include <colorspace_fragment>
}`;

const ringVertex = `${nearness}
uniform float pixel;
attribute vec3 tint;
attribute float side;
attribute float big;
uniform vec3 middle;
uniform float depth;
varying vec3 vTint;
varying float vSide;
varying float vBig;
varying float vNear;
void main() {
  vTint = tint; vSide = side; vBig = big;
  vNear = big > 0.5 ? 1.0 : nearness((modelViewMatrix * vec4(position, 1.0)).z - (viewMatrix * vec4(middle, 1.0)).z, depth);
  gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
  gl_PointSize = (big > 0.5 ? 19.0 : 13.0) * pixel;
}`;

const ringFragment = /* glsl */ `
uniform vec3 paper;
varying vec3 vTint;
varying float vSide;
varying float vBig;
varying float vNear;
void main() {
  vec2 p = gl_PointCoord * 2.0 - 1.0;
  float r = length(p);
  float soft = 0.12;
  float disc = 1.0 - smoothstep(1.0 - soft, 1.0, r);
  if (disc <= 0.0) discard;
  float line = smoothstep(0.60, 0.68, r);
  if (vSide > 0.5 && vSide < 1.5) line = max(line, 1.0 - smoothstep(0.20, 0.30, r));
  if (vSide > 1.5) line = max(line, (1.0 - smoothstep(0.10, 0.18, abs(p.y))) * (1.0 - smoothstep(0.34, 0.42, abs(p.x))));
  if (vBig > 0.5) line = max(line, 1.0 - smoothstep(0.34, 0.42, r));
  gl_FragColor = vec4(mix(paper, vTint, line), disc * mix(0.72, 1.0, line) * mix(0.35, 1.0, vNear));
  #include <colorspace_fragment>
}`;

export class Bones {
  constructor() {
    this.group = new Group();
    this.quills = new Mesh(new BufferGeometry(), new ShaderMaterial({ vertexShader: strokeVertex, fragmentShader: strokeFragment, side: DoubleSide, depthTest: false, transparent: true, uniforms: { pixel: { value: devicePixelRatio }, screen: { value: new Vector2(1, 1) } } }));
    this.breadth = 0;
    this.deep = { middle: { value: new Vector3() }, depth: { value: 0 } };
    Object.assign(this.quills.material.uniforms, this.deep);
    const view = new Vector4();
    const look = new Vector3();
    const fromSide = (camera, material) => { // each pane looks from elsewhere
      look.setFromMatrixColumn(camera.matrixWorld, 2);
      this.deep.depth.value = Math.abs(look.x) > 0.8 ? this.breadth : 0;
      material.uniformsNeedUpdate = true;
    };
    this.quills.onBeforeRender = (renderer, scene, camera) => { // and has a size of its own
      fromSide(camera, this.quills.material);
      renderer.getCurrentViewport(view);
      this.quills.material.uniforms.screen.value.set(view.z, view.w);
    };
    this.rings = new Points(new BufferGeometry(), new ShaderMaterial({ vertexShader: ringVertex, fragmentShader: ringFragment, transparent: true, depthTest: false, uniforms: { pixel: { value: devicePixelRatio }, paper: { value: new Color() } } }));
    Object.assign(this.rings.material.uniforms, this.deep);
    this.rings.onBeforeRender = (renderer, scene, camera) => fromSide(camera, this.rings.material);
    this.axes = new LineSegments(new BufferGeometry(), new LineBasicMaterial({ vertexColors: true, depthTest: false, transparent: true }));
    this.fan = new LineSegments(new BufferGeometry(), new LineBasicMaterial({ color: ink('--axis-x'), depthTest: false, transparent: true, opacity: 0.65 }));
    this.goals = new LineSegments(new BufferGeometry(), new LineBasicMaterial({ color: ink('--rust'), depthTest: false, transparent: true }));
    this.goals.renderOrder = 8;
    this.quills.renderOrder = 6;
    this.fan.renderOrder = 7;
    this.axes.renderOrder = 7;
    this.rings.renderOrder = 9;
    for (const o of [this.quills, this.rings, this.axes, this.fan, this.goals]) { o.frustumCulled = false; this.group.add(o); }
  }

  // within tells the middle of the character and how broad it is, for what is on the far
  // side to be fainter.
  within(middle, breadth) { this.deep.middle.value.copy(middle); this.breadth = breadth; }

  // setJoints makes the buffers for a skeleton; update fills them.
  setJoints(joints, convention, height) {
    this.joints = joints;
    this.convention = convention;
    this.height = height;
    this.list = [];
    // What a view from the left has behind is drawn first.
    const behind = { right: 0, centre: 1, left: 2 };
    const order = joints.map((_, i) => i).sort((a, b) => behind[joints[a].side] - behind[joints[b].side] || a - b);
    for (const i of order) { const up = joints[i].parent; if (up >= 0 && !joints[i].helper && !joints[i].hidden && !joints[up].hidden) this.list.push([up, i]); }
    const dynamic = (n, width) => new BufferAttribute(new Float32Array(n * width), width).setUsage(DynamicDrawUsage);
    const make = (o, n, names) => {
      o.geometry.dispose();
      o.geometry = new BufferGeometry();
      for (const [name, width] of Object.entries(names)) o.geometry.setAttribute(name, dynamic(n, width));
    };
    make(this.quills, 6 * strokesPerBone * this.list.length, { position: 3, toward: 3, offset: 2, tint: 3 });
    make(this.rings, joints.length, { position: 3, tint: 3, side: 1, big: 1 });
    this.rings.geometry.setIndex(order);
    make(this.axes, 6 * joints.length, { position: 3, color: 3 });
    this.drawGoals();
    make(this.fan, 2 * fanStrokes * this.list.length, { position: 3 });
  }

  tint(j, chosen) {
    if (chosen) return this.inks.rust;
    if (j.ghost) return this.inks.ghost;
    if (j.bound === 'unsolved' || j.bound === 'weak') return this.inks.rust;
    return { left: this.inks.amber, right: this.inks.teal, centre: this.inks.ink }[j.side];
  }

  // drawGoals draws what joints keep to: a cross where a goal is, a lozenge where its limb's
  // bend points, and a line to the place that a joint looks at.
  drawGoals() {
    const p = [], small = 0.014 * this.height;
    const line = (a, b) => p.push(...a, ...b);
    const off = (a, k, by) => a.map((v, i) => (i === k ? v + by : v));
    const lozenge = (a) => { const c = [off(a, 0, small), off(a, 1, small), off(a, 0, -small), off(a, 1, -small)]; c.forEach((q, i) => line(q, c[(i + 1) % 4])); };
    for (const j of this.joints) {
      if (j.hidden) continue;
      if (j.goal) {
        const at = JSON.parse(j.goal), pole = JSON.parse(j.pole);
        for (let k = 0; k < 3; k++) line(off(at, k, -small), off(at, k, small));
        const mid = this.joints[j.parent];
        if (mid) line(mid.pos, pole);
        lozenge(pole);
      }
      if (j.look) { const at = JSON.parse(j.look); line(j.pos, at); lozenge(at); }
    }
    this.goals.geometry.dispose();
    this.goals.geometry = new BufferGeometry().setAttribute('position', new BufferAttribute(new Float32Array(p), 3));
  }

  // chain are the joints that follow one another from where the chosen one's chain begins.
  chain(chosen) {
    const children = this.joints.map(() => []);
    this.joints.forEach((j, i) => { if (j.parent >= 0) children[j.parent].push(i); });
    let i = chosen;
    while (this.joints[i].parent >= 0 && children[this.joints[i].parent].length === 1) i = this.joints[i].parent;
    const out = [i];
    while (children[i].length === 1) { [i] = children[i]; out.push(i); }
    return out;
  }

  // bendOf is the bend axis of a joint, by the convention of its chain.
  bendOf(i) { return unit[(this.joints[i].axes ?? this.convention).bend]; }

  // drawFan shows how the bend axis turns along the chain of the chosen joint: strokes from
  // joint to joint, flat where the roll is even and wrung where it jumps.
  drawFan(posed, chosen, size) {
    const p = this.fan.geometry.attributes.position, bend = (i) => this.bendOf(i);
    let k = 0;
    if (chosen >= 0) {
      const way = this.chain(chosen), long = 0.03 * this.height * size;
      for (let n = 0; n + 1 < way.length && 2 * fanStrokes * (n + 1) <= p.count; n++) {
        const [a, b] = [way[n], way[n + 1]].map((i) => bend(i).clone().applyQuaternion(posed.turn[i]));
        for (let s = 0; s < fanStrokes; s++) {
          const t = s / fanStrokes, at = posed.at[way[n]].clone().lerp(posed.at[way[n + 1]], t), dir = a.clone().lerp(b, t).normalize();
          p.setXYZ(k++, at.x, at.y, at.z);
          at.addScaledVector(dir, long);
          p.setXYZ(k++, at.x, at.y, at.z);
        }
      }
    }
    p.needsUpdate = true;
    this.fan.geometry.setDrawRange(0, k);
  }

  // update follows a pose. axes says of which joints the axes are drawn, and how large; null
  // is none.
  update(posed, chosen, axes, also = new Set()) {
    this.inks ??= this.readInks();
    const taken = (i) => i === chosen || also.has(i);
    const { position, toward, offset, tint: tints } = this.quills.geometry.attributes;
    let k = 0;
    const corner = (at, to, beside, along, t) => {
      position.setXYZ(k, at.x, at.y, at.z);
      toward.setXYZ(k, to.x, to.y, to.z);
      offset.setXY(k, beside, along);
      tints.setXYZ(k, t.r, t.g, t.b);
      k++;
    };
    // stroke is a line from a to b. The corners at b look back, so their sides change.
    const stroke = (a, b, wide, t) => {
      const h = wide / 2;
      corner(a, b, h, 0, t); corner(a, b, -h, 0, t); corner(b, a, h, 0, t);
      corner(a, b, h, 0, t); corner(b, a, h, 0, t); corner(b, a, -h, 0, t);
    };
    for (const [from, to] of this.list) {
      const a = posed.at[from], b = posed.at[to];
      const along = b.clone().sub(a);
      const length = along.length() || 1e-9;
      along.multiplyScalar(1 / length);
      const tint = this.tint(this.joints[from], taken(from));
      const across = this.bendOf(from).clone().applyQuaternion(posed.turn[from]);
      const barb = across.clone().cross(along);
      if (barb.length() < 1e-3) barb.copy(unit.x).cross(along);
      barb.normalize();
      stroke(a, b, taken(from) ? chosenWide : shaftWide, tint);
      const reach = Math.min(0.16 * length, 0.022 * this.height);
      for (let s = 0; s < barbs; s++) {
        const t = 0.26 + (0.5 * s) / (barbs - 1);
        const root = a.clone().addScaledVector(along, t * length);
        stroke(root, root.clone().addScaledVector(barb, reach * (1 - 0.45 * t)).addScaledVector(along, reach * 0.75), barbWide, tint);
      }
      const h = nib.wide / 2;
      corner(b, a, h, nib.from, tint); corner(b, a, -h, nib.from, tint); corner(b, a, 0.4, nib.to, tint);
      corner(b, a, -h, nib.from, tint); corner(b, a, -0.4, nib.to, tint); corner(b, a, 0.4, nib.to, tint);
    }
    for (const x of [position, toward, offset, tints]) x.needsUpdate = true;
    const rp = this.rings.geometry.attributes;
    this.joints.forEach((j, i) => {
      const far = j.hidden ? 1e9 : 0; // a hidden joint is out of sight
      rp.position.setXYZ(i, posed.at[i].x + far, posed.at[i].y, posed.at[i].z);
      const t = this.tint(j, taken(i));
      rp.tint.setXYZ(i, t.r, t.g, t.b);
      rp.side.setX(i, { centre: 0, left: 1, right: 2 }[j.side]);
      rp.big.setX(i, taken(i) ? 1 : 0);
    });
    for (const a of Object.values(rp)) a.needsUpdate = true;
    this.axes.visible = this.fan.visible = this.goals.visible = Boolean(axes);
    if (!axes) return;
    this.drawFan(posed, chosen, axes.size);
    const ap = this.axes.geometry.attributes;
    this.joints.forEach((j, i) => {
      ['x', 'y', 'z'].forEach((name, s) => {
        const end = unit[name].clone().applyQuaternion(posed.turn[i]).multiplyScalar((axes.all || taken(i) ? (i === chosen ? 0.075 : 0.04) : 0) * axes.size * this.height).add(posed.at[i]);
        const t = this.inks[name];
        ap.position.setXYZ(6 * i + 2 * s, posed.at[i].x, posed.at[i].y, posed.at[i].z);
        ap.position.setXYZ(6 * i + 2 * s + 1, end.x, end.y, end.z);
        ap.color.setXYZ(6 * i + 2 * s, t.r, t.g, t.b);
        ap.color.setXYZ(6 * i + 2 * s + 1, t.r, t.g, t.b);
      });
    });
    ap.position.needsUpdate = ap.color.needsUpdate = true;
  }

  readInks() {
    this.rings.material.uniforms.paper.value.copy(ink('--paper'));
    return { ink: ink('--ink'), amber: ink('--amber'), teal: ink('--teal'), rust: ink('--rust'), ghost: ink('--soft'), x: ink('--axis-x'), y: ink('--axis-y'), z: ink('--axis-z') };
  }

  restyle() { this.inks = null; this.fan.material.color.copy(ink('--axis-x')); this.goals.material.color.copy(ink('--rust')); }
}
