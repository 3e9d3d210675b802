// The programs that the graphics card draws the skin with: vertices are bent by their joints, linearly and by
// dual quaternions, and shown plain, by a weight or by the leading joint; flat in one ink, and as dots.

// perRow is how many joints stand in a row of the textures: four texels each stay
// below the 2,048 that every graphics card takes.
export const perRow = 256;

export const vertex = /* glsl */ `
#define PER_ROW ${perRow}
uniform sampler2D turns;
uniform sampler2D inks;
uniform bool bound;
uniform bool more;
uniform bool wide;
uniform int mode;
uniform int chosen;
uniform int joints;
uniform float size;
#ifdef READ_BACK
uniform float rows;
#endif
attribute vec3 colour;
#ifdef MIXES
attribute float said; // 0: as the joints have it, else 1 and the share of dual quaternions
#endif
#ifndef BENT
attribute vec4 jointA;
attribute vec4 weightA;
attribute vec4 jointB;
attribute vec4 weightB;
attribute vec4 jointC;
attribute vec4 weightC;
attribute vec4 jointD;
attribute vec4 weightD;
#else
attribute float share; // of the chosen joint
#endif
varying vec3 vColour;
varying vec3 vNormal;
varying vec3 vView;
varying float vWeight;
#ifndef BENT
mat4 turnOf(float j) {
  int i = int(j + 0.5), k = 4 * (i % PER_ROW), r = i / PER_ROW;
  return mat4(texelFetch(turns, ivec2(k, r), 0), texelFetch(turns, ivec2(k + 1, r), 0), texelFetch(turns, ivec2(k + 2, r), 0), texelFetch(turns, ivec2(k + 3, r), 0));
}
#ifdef MIXES
// A motion as a dual quaternion (Kavan et al. 2007): its rotation, and half its way times that.
vec4 times(vec4 a, vec4 b) { return vec4(a.w * b.xyz + b.w * a.xyz + cross(a.xyz, b.xyz), a.w * b.w - dot(a.xyz, b.xyz)); }
vec4 rotation(mat3 m) {
  vec4 q;
  float t = m[0][0] + m[1][1] + m[2][2];
  if (t > 0.0) q = vec4(m[1][2] - m[2][1], m[2][0] - m[0][2], m[0][1] - m[1][0], 1.0 + t);
  else if (m[0][0] > m[1][1] && m[0][0] > m[2][2]) q = vec4(1.0 + m[0][0] - m[1][1] - m[2][2], m[1][0] + m[0][1], m[2][0] + m[0][2], m[1][2] - m[2][1]);
  else if (m[1][1] > m[2][2]) q = vec4(m[1][0] + m[0][1], 1.0 + m[1][1] - m[0][0] - m[2][2], m[2][1] + m[1][2], m[2][0] - m[0][2]);
  else q = vec4(m[2][0] + m[0][2], m[2][1] + m[1][2], 1.0 + m[2][2] - m[0][0] - m[1][1], m[0][1] - m[1][0]);
  return normalize(q);
}
bool rigid(mat3 m) {
  vec3 a = m[0], b = m[1], c = m[2];
  return max(max(abs(dot(a, a) - 1.0), abs(dot(b, b) - 1.0)), max(max(abs(dot(c, c) - 1.0), abs(dot(a, b))), max(max(abs(dot(b, c)), abs(dot(c, a))), abs(dot(cross(a, b), c) - 1.0)))) < 1e-4;
}
#endif
struct Blend { mat4 m; float sum; float mix; vec4 turn; vec4 way; vec4 first; bool whole; };
// follow adds what four joints do to a vertex.
void follow(vec4 joint, vec4 weight, inout Blend x) {
  for (int k = 0; k < 4; k++) {
    if (weight[k] <= 0.0) continue;
    mat4 t = turnOf(joint[k]);
    x.m += weight[k] * t;
    x.sum += weight[k];
    if (int(joint[k] + 0.5) % joints == chosen) vWeight += weight[k];
#ifdef MIXES
    int i = int(joint[k] + 0.5);
    x.mix += weight[k] * texelFetch(inks, ivec2(i % PER_ROW, i / PER_ROW), 0).a;
    mat3 r = mat3(t) + mat3(1.0);
    if (!rigid(r)) { x.whole = false; continue; }
    vec4 q = rotation(r), d = 0.5 * times(vec4(t[3].xyz, 0.0), q);
    if (x.first == vec4(0.0)) x.first = q;
    float w = dot(q, x.first) < 0.0 ? -weight[k] : weight[k];
    x.turn += w * q;
    x.way += w * d;
#endif
  }
}
#endif
void main() {
  vec4 p = vec4(position, 1.0);
  vec3 n = normal;
  vWeight = 0.0;
  vColour = colour;
#ifdef BENT
  vWeight = share;
#else
  if (bound) {
    Blend x = Blend(mat4(0.0), 0.0, 0.0, vec4(0.0), vec4(0.0), vec4(0.0), true);
    follow(jointA, weightA, x);
    if (more) follow(jointB, weightB, x);
    if (wide) { follow(jointC, weightC, x); follow(jointD, weightD, x); }
    mat4 m = x.m;
    float sum = x.sum;
    // The matrices are less the identity: what they add to rest.
    vec3 by = (m * p).xyz, nby = mat3(m) * n;
#ifdef MIXES
    if (said > 0.0) x.mix = said - 1.0;
    if (x.mix > 0.0 && x.whole && dot(x.turn, x.turn) > 0.0) {
      float l = length(x.turn);
      vec4 q = x.turn / l, w = times(x.way / l, vec4(-q.xyz, q.w));
      vec3 c = 2.0 * cross(q.xyz, p.xyz), cn = 2.0 * cross(q.xyz, n);
      by = mix(by, q.w * c + cross(q.xyz, c) + 2.0 * w.xyz, min(1.0, x.mix));
      nby = mix(nby, q.w * cn + cross(q.xyz, cn), min(1.0, x.mix));
    }
#endif
    p.xyz += by;
    n += nby;
    if (mode == 2) { int i = int(jointA.x + 0.5); vColour = sum > 0.0 ? texelFetch(inks, ivec2(i % PER_ROW, i / PER_ROW), 0).rgb : vec3(0.8, 0.1, 0.1); }
  }
#endif
#ifdef READ_BACK
  // Each vertex writes where it stands to a pixel of its own.
  vView = p.xyz;
  gl_Position = vec4((vec2(float(gl_VertexID % READ_BACK), float(gl_VertexID / READ_BACK)) + 0.5) / vec2(float(READ_BACK), rows) * 2.0 - 1.0, 0.0, 1.0);
  gl_PointSize = 1.0;
  return;
#endif
  vec4 view = modelViewMatrix * p;
  vView = view.xyz;
  vNormal = normalMatrix * n;
  gl_Position = projectionMatrix * view;
#ifdef DOTS
  gl_Position.z -= 2e-4 * gl_Position.w; // before the skin that they lie on
#endif
  gl_PointSize = size;
#ifdef DOTS
  if (vWeight < 0.0005) gl_PointSize *= 0.5;
#endif
}`;

export const fragment = /* glsl */ `
uniform int mode;
uniform float alpha;
uniform float faded;
uniform vec3 paper;
uniform vec3 inkColour;
uniform vec3 stop[6];
varying vec3 vColour;
varying vec3 vNormal;
varying vec3 vView;
varying float vWeight;
vec3 ramp(float w) {
  float x = clamp(w, 0.0, 1.0) * 5.0;
  int i = int(min(floor(x), 4.0));
  return mix(stop[i], stop[i + 1], x - float(i));
}
void main() {
  vec3 n = normalize(vNormal);
  vec3 eye = isOrthographic ? vec3(0.0, 0.0, 1.0) : normalize(-vView);
  float face = gl_FrontFacing ? 1.0 : -1.0;
  n *= face;
  vec3 base = vColour;
  if (mode == 1) base = vWeight < 0.0005 ? mix(paper, vec3(0.62), 0.32) : ramp(vWeight);
  base = mix(base, paper, faded);
  float key = max(0.0, dot(n, normalize(vec3(-0.42, 0.72, 0.62))));
  float sky = 0.5 + 0.5 * n.y;
  vec3 lit = base * (0.44 + 0.20 * sky + 0.50 * key);
  float rim = 1.0 - max(0.0, dot(n, eye));
  lit = mix(lit, inkColour, smoothstep(0.62, 1.0, rim) * 0.62);
  if (face < 0.0) lit = mix(lit, vec3(0.70, 0.22, 0.16), 0.55);
  gl_FragColor = vec4(lit, alpha + (1.0 - alpha) * 0.55 * smoothstep(0.55, 1.0, rim));
  #include <colorspace_fragment>
}`;

export const flat = /* glsl */ `
uniform vec3 tint;
uniform float alpha;
uniform bool round;
void main() {
  if (round && length(gl_PointCoord - 0.5) > 0.5) discard;
  gl_FragColor = vec4(tint, alpha);
  #include <colorspace_fragment>
}`;

export const dots = /* glsl */ `
uniform vec3 paper;
uniform vec3 inkColour;
uniform vec3 stop[6];
varying float vWeight;
vec3 ramp(float w) {
  float x = clamp(w, 0.0, 1.0) * 5.0;
  int i = int(min(floor(x), 4.0));
  return mix(stop[i], stop[i + 1], x - float(i));
}
void main() {
  float r = length(gl_PointCoord - 0.5);
  if (r > 0.5) discard;
  gl_FragColor = vec4(vWeight < 0.0005 ? mix(paper, inkColour, 0.5) : r > 0.36 ? inkColour : ramp(vWeight), 1.0);
  #include <colorspace_fragment>
}`;
