// Where the drawn vertices stand in the pose, for what the pointer meets and for the smoothed surface: as the
// program of the graphics card that draws the skin has them; where there is no graphics card, which takes a
// tenth of a second for it, as core has them, here in the browser.
import { BufferGeometry, Camera, FloatType, Points, Scene, ShaderMaterial, WebGLRenderTarget } from 'three';
import { bringHere, callHere, isHere } from './core.js';
import { vertex } from './programs.js';

// software tells whether the drawing is done without a graphics card.
export function software(renderer) {
  const gl = renderer.getContext(), info = gl.getExtension('WEBGL_debug_renderer_info');
  return /swiftshader|llvmpipe|software/i.test(String(gl.getParameter(info ? info.UNMASKED_RENDERER_WEBGL : gl.RENDERER)));
}

export class Places {
  constructor(skin, renderer) {
    this.skin = skin;
    this.renderer = renderer;
    const blind = !renderer.extensions.has('EXT_color_buffer_float'); // it cannot write numbers, as some small cards
    this.slow = software(renderer) || blind;
    if (blind) bringHere().catch(() => {});
    this.number = -1; // of the skin in core
    this.old = false; // core knows other places at rest
    /** @type {{ places: Float32Array, normals: Float32Array } | null} */
    this.out = null;
    this.key = '';
    this.at = null;
  }

  // now returns the places, three numbers each. They are not to be changed, and hold until the next pose.
  now() {
    const { skin } = this, rest = skin.attributes.position.array;
    if (skin.bender.on && !skin.unbent) return skin.bender.position.array;
    if (!skin.influences || !skin.matrices?.some((x) => x !== 0)) return rest;
    const key = `${skin.poses} ${skin.influences.version}`;
    if (this.key === key && this.of === skin.influences) return this.at;
    this.at = this.slow && isHere() ? this.bent().places : this.readBack();
    this.key = key;
    this.of = skin.influences;
    return this.at;
  }

  // bent has core bend the skin: places and normals.
  bent() {
    this.tell();
    this.out ??= { places: new Float32Array(3 * this.skin.base.length), normals: new Float32Array(3 * this.skin.base.length) };
    callHere('bend', { skin: this.number, matrices: this.skin.matrices, shares: this.shares, ...this.out });
    return this.out;
  }

  // retouched has core bend some drawn points, whose places and normals at rest are others now: places and normals, point by point.
  retouched(points) {
    const { position, normal } = this.skin.attributes, places = new Float32Array(3 * points.length), normals = new Float32Array(3 * points.length);
    this.tell();
    points.forEach((d, i) => { for (let c = 0; c < 3; c++) { places[3 * i + c] = position.array[3 * d + c]; normals[3 * i + c] = normal.array[3 * d + c]; } });
    callHere('retouch', { skin: this.number, points, places, normals, matrices: this.skin.matrices, shares: this.shares });
    return { places, normals };
  }

  // tell has core know the skin as it is at rest.
  tell() {
    const { skin } = this, t = skin.influences, { position, normal } = skin.attributes;
    if (this.number < 0) {
      this.number = callHere('draw', { places: position.array, normals: normal.array, base: skin.base, vertices: skin.vertices });
      this.old = false;
    }
    if (this.old) callHere('reshape', { skin: this.number, places: position.array, normals: normal.array });
    this.old = false;
    if (this.weighed !== t || this.version !== t.version) {
      callHere('weigh', { skin: this.number, vertex: Uint32Array.from({ length: skin.vertices }, (_, v) => v), width: t.width, matrix: t.joint, value: t.value });
      this.shares = t.mixes ? Float32Array.from({ length: skin.vertices }, (_, v) => t.shareOf(v)) : new Float32Array(0);
      this.weighed = t;
      this.version = t.version;
    }
  }

  // reshaped: the places at rest are others now.
  reshaped() {
    this.key = '';
    this.old = true;
  }

  // readBack asks the graphics card: the vertex program that draws the skin is run once more, and its places
  // are written to pixels of numbers.
  readBack() {
    const { skin, renderer } = this, n = skin.base.length, width = 1024, height = Math.ceil(n / width);
    const target = new WebGLRenderTarget(width, height, { type: FloatType, depthBuffer: false });
    const points = new Points(new BufferGeometry(), new ShaderMaterial({
      vertexShader: vertex, defines: { READ_BACK: width, ...(skin.mixes && { MIXES: 1 }) }, depthTest: false,
      fragmentShader: 'varying vec3 vView; void main() { gl_FragColor = vec4(vView, 1.0); }',
      uniforms: { ...skin.shared, rows: { value: height } },
    }));
    for (const [name, a] of Object.entries(skin.attributes)) points.geometry.setAttribute(name, a);
    points.frustumCulled = false;
    const scene = new Scene(), before = renderer.getRenderTarget(), pixels = new Float32Array(4 * width * height), out = new Float32Array(3 * n);
    scene.add(points);
    renderer.setRenderTarget(target);
    renderer.clear();
    renderer.render(scene, new Camera());
    renderer.readRenderTargetPixels(target, 0, 0, width, height, pixels);
    renderer.setRenderTarget(before);
    target.dispose();
    points.material.dispose();
    for (let i = 0; i < n; i++) for (let k = 0; k < 3; k++) out[3 * i + k] = pixels[4 * i + k];
    return out;
  }

  dispose() { if (this.number >= 0) callHere('leave', { skin: this.number }); }
}
