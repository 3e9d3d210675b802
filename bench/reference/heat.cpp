// A heat bind as a program of its own, to time the whole of ours beside: reads an OBJ and bones
// (joint ax ay az bx by bz a line), finds nearest bones and whether vertices see them through a
// tree of boxes, assembles the cotangent Laplacian, solves by SuiteSparse (AMD, supernodal; Debian's
// libsuitesparse-dev), caps at four and writes a row a vertex. One core, as the library is.
#include <suitesparse/cholmod.h>
#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <vector>

struct V { double x, y, z; };
static V operator-(V a, V b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
static V operator+(V a, V b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
static V operator*(double k, V a) { return {k * a.x, k * a.y, k * a.z}; }
static double dot(V a, V b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
static V cross(V a, V b) { return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x}; }
static double norm(V a) { return std::sqrt(dot(a, a)); }

static std::vector<V> points;
struct T { int v[3]; };
static std::vector<T> tris;
struct Node { double lo[3], hi[3]; int first, count, right; };
static std::vector<Node> nodes;
static std::vector<int> order;
static std::vector<V> centre;

static int build(int lo, int hi) {
  Node n{{1e300, 1e300, 1e300}, {-1e300, -1e300, -1e300}, lo, hi - lo, -1};
  for (int k = lo; k < hi; k++)
    for (int c : tris[order[k]].v) {
      double p[3] = {points[c].x, points[c].y, points[c].z};
      for (int a = 0; a < 3; a++) n.lo[a] = std::min(n.lo[a], p[a]), n.hi[a] = std::max(n.hi[a], p[a]);
    }
  int at = nodes.size();
  nodes.push_back(n);
  if (hi - lo > 4) {
    int axis = 0;
    for (int a = 1; a < 3; a++)
      if (n.hi[a] - n.lo[a] > n.hi[axis] - n.lo[axis]) axis = a;
    int mid = (lo + hi) / 2;
    std::nth_element(order.begin() + lo, order.begin() + mid, order.begin() + hi, [axis](int a, int b) { return (&centre[a].x)[axis] < (&centre[b].x)[axis]; });
    build(lo, mid);
    int right = build(mid, hi);
    nodes[at].right = right;
    nodes[at].count = 0;
  }
  return at;
}

// blocked reports whether a triangle that does not have v lies between a and b.
static bool blocked(V a, V b, int v) {
  V d = b - a;
  double o[3] = {a.x, a.y, a.z}, inv[3] = {1 / d.x, 1 / d.y, 1 / d.z};
  int stack[64], top = 0;
  stack[top++] = 0;
  while (top) {
    const Node &n = nodes[stack[--top]];
    double lo = 0, hi = 1;
    for (int k = 0; k < 3; k++) {
      double t0 = (n.lo[k] - o[k]) * inv[k], t1 = (n.hi[k] - o[k]) * inv[k];
      if (t0 > t1) std::swap(t0, t1);
      lo = t0 > lo ? t0 : lo;
      hi = t1 < hi ? t1 : hi;
    }
    if (lo > hi) continue;
    if (n.count == 0) {
      stack[top++] = n.right;
      stack[top++] = (int)(&n - &nodes[0]) + 1;
      continue;
    }
    for (int k = n.first; k < n.first + n.count; k++) {
      const T &t = tris[order[k]];
      if (t.v[0] == v || t.v[1] == v || t.v[2] == v) continue;
      V e1 = points[t.v[1]] - points[t.v[0]], e2 = points[t.v[2]] - points[t.v[0]], p = cross(d, e2);
      double det = dot(e1, p);
      if (det == 0) continue;
      V s = a - points[t.v[0]];
      double u = dot(s, p) / det;
      if (u < 0 || u > 1) continue;
      V q = cross(s, e1);
      double w = dot(d, q) / det, x = dot(e2, q) / det;
      if (w >= 0 && u + w <= 1 && x > 1e-9 && x < 1) return true;
    }
  }
  return false;
}

int main(int, char **argv) {
  FILE *f = fopen(argv[1], "r");
  char line[4096];
  while (f && fgets(line, sizeof line, f)) {
    if (line[0] == 'v' && line[1] == ' ') {
      char *at = line + 2;
      V p;
      p.x = strtod(at, &at), p.y = strtod(at, &at), p.z = strtod(at, &at);
      points.push_back(p);
    } else if (line[0] == 'f') {
      std::vector<int> c;
      for (char *w = strtok(line + 1, " \n\r"); w; w = strtok(nullptr, " \n\r")) c.push_back(atoi(w) - 1);
      for (size_t k = 1; k + 1 < c.size(); k++) tris.push_back({{c[0], c[k], c[k + 1]}});
    }
  }
  fclose(f);
  struct Bone { int joint; V a, b; };
  std::vector<Bone> bones;
  f = fopen(argv[2], "r");
  Bone b;
  int joints = 0;
  while (f && fscanf(f, "%d %lf %lf %lf %lf %lf %lf", &b.joint, &b.a.x, &b.a.y, &b.a.z, &b.b.x, &b.b.y, &b.b.z) == 7) bones.push_back(b), joints = std::max(joints, b.joint + 1);
  fclose(f);
  int n = points.size();
  order.resize(tris.size());
  centre.resize(tris.size());
  for (size_t k = 0; k < tris.size(); k++) order[k] = k, centre[k] = points[tris[k].v[0]] + points[tris[k].v[1]] + points[tris[k].v[2]];
  nodes.reserve(tris.size());
  build(0, tris.size());
  std::vector<V> normal(n, V{0, 0, 0});
  std::vector<double> mass(n, 0), diagonal(n, 0);
  std::vector<std::vector<std::pair<int, double>>> row(n);
  auto add = [&](int i, int j, double w) {
    if (i < j) std::swap(i, j);
    for (auto &x : row[j])
      if (x.first == i) { x.second -= w; return; }
    row[j].push_back({i, -w});
  };
  for (const T &t : tris) {
    V area = cross(points[t.v[1]] - points[t.v[0]], points[t.v[2]] - points[t.v[0]]);
    double twice = norm(area);
    if (twice == 0) continue;
    for (int k = 0; k < 3; k++) {
      int i = t.v[k], j = t.v[(k + 1) % 3], o = t.v[(k + 2) % 3];
      double w = dot(points[i] - points[o], points[j] - points[o]) / twice / 2;
      add(i, j, w);
      diagonal[i] += w, diagonal[j] += w;
      mass[i] += twice / 6;
      normal[i] = normal[i] + area;
    }
  }
  std::vector<std::vector<int>> near(n);
  std::vector<double> heat(n, 0);
  for (int v = 0; v < n; v++) {
    double best = 1e300;
    std::vector<std::pair<double, int>> all;
    std::vector<V> on(bones.size());
    for (size_t k = 0; k < bones.size(); k++) {
      V ab = bones[k].b - bones[k].a;
      double l = dot(ab, ab), t = l > 0 ? std::min(1.0, std::max(0.0, dot(points[v] - bones[k].a, ab) / l)) : 0;
      on[k] = bones[k].a + t * ab;
      double d = norm(points[v] - on[k]);
      best = std::min(best, d);
      all.push_back({d, (int)k});
    }
    bool seen = false;
    for (auto &x : all)
      if (x.first <= best * (1 + 1e-4)) {
        if (std::find(near[v].begin(), near[v].end(), bones[x.second].joint) == near[v].end()) near[v].push_back(bones[x.second].joint);
        seen = seen || (dot(on[x.second] - points[v], normal[v]) < 0 && !blocked(points[v], on[x.second], v));
      }
    if (seen) heat[v] = 1 / std::max(best * best, 1e-12);
  }
  cholmod_common c;
  cholmod_start(&c);
  c.nmethods = 1;
  c.method[0].ordering = CHOLMOD_AMD;
  size_t entries = n;
  for (auto &r : row) entries += r.size();
  cholmod_sparse *a = cholmod_allocate_sparse(n, n, entries, 0, 1, -1, CHOLMOD_REAL, &c);
  int at = 0;
  for (int j = 0; j < n; j++) {
    ((int *)a->p)[j] = at;
    ((int *)a->i)[at] = j, ((double *)a->x)[at++] = diagonal[j] + mass[j] * heat[j] + 1e-12;
    for (auto &x : row[j]) ((int *)a->i)[at] = x.first, ((double *)a->x)[at++] = x.second;
  }
  ((int *)a->p)[n] = at;
  cholmod_dense *rhs = cholmod_zeros(n, joints, CHOLMOD_REAL, &c);
  for (int v = 0; v < n; v++)
    for (int j : near[v]) ((double *)rhs->x)[(size_t)j * n + v] = mass[v] * heat[v] / near[v].size();
  cholmod_sort(a, &c);
  cholmod_factor *l = cholmod_analyze(a, &c);
  cholmod_factorize(a, l, &c);
  cholmod_dense *w = cholmod_solve(CHOLMOD_A, l, rhs, &c);
  f = fopen(argv[3], "w");
  for (int v = 0; v < n; v++) {
    std::vector<std::pair<double, int>> list;
    for (int j = 0; j < joints; j++) {
      double x = ((double *)w->x)[(size_t)j * n + v];
      if (x > 0) list.push_back({-x, j});
    }
    std::sort(list.begin(), list.end());
    if (list.size() > 4) list.resize(4);
    double sum = 0;
    for (auto &x : list) sum -= x.first;
    for (auto &x : list) fprintf(f, "%d %.9g ", x.second, -x.first / sum);
    fprintf(f, "\n");
  }
  fclose(f);
}
