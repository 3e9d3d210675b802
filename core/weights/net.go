package weights

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// Net is the surface that weights lie on, as a brush goes over it: places at rest in world
// metres, rounded to float32 as a page has them, triangles, and the edges of the polygons.
type Net struct {
	At   []r3.Vec
	Tris [][3]int32

	start, near []int32 // neighbours along edges, ascending
	first, fan  []int32 // triangles around each vertex
	normal      []r3.Vec
	tree        *geom.Tree // made when it is first asked for
	best        []float64  // of Along, while it is on its way
	state       []uint8
}

// NewNet prepares a surface. Edges are pairs of vertices, each once or twice.
func NewNet(at []r3.Vec, tris [][3]int32, edges [][2]int32) (*Net, error) {
	n := &Net{At: make([]r3.Vec, len(at)), Tris: tris}
	for i, p := range at {
		n.At[i] = geom.Single(p)
		if !geom.Finite(n.At[i]) {
			return nil, errInvalid
		}
	}
	inside := func(v int32) bool { return v >= 0 && int(v) < len(at) }
	for _, t := range tris {
		if !inside(t[0]) || !inside(t[1]) || !inside(t[2]) {
			return nil, errors.New("a triangle names a vertex that is not there")
		}
	}
	pairs := make([][2]int32, 0, 2*len(edges))
	for _, e := range edges {
		if !inside(e[0]) || !inside(e[1]) {
			return nil, errors.New("an edge names a vertex that is not there")
		}
		if e[0] != e[1] {
			pairs = append(pairs, e, [2]int32{e[1], e[0]})
		}
	}
	slices.SortFunc(pairs, func(a, b [2]int32) int { return cmp.Or(cmp.Compare(a[0], b[0]), cmp.Compare(a[1], b[1])) })
	pairs = slices.Compact(pairs)
	n.start = make([]int32, len(at)+1)
	for _, p := range pairs {
		n.start[p[0]+1]++
		n.near = append(n.near, p[1])
	}
	n.first = make([]int32, len(at)+1)
	for _, t := range tris {
		for _, v := range t {
			n.first[v+1]++
		}
	}
	for v := range at {
		n.start[v+1] += n.start[v]
		n.first[v+1] += n.first[v]
	}
	n.fan = make([]int32, 3*len(tris))
	fill := slices.Clone(n.first)
	for i, t := range tris {
		for _, v := range t {
			n.fan[fill[v]] = int32(i)
			fill[v]++
		}
	}
	n.turnNormals()
	return n, nil
}

// turnNormals works out the normals of the vertices, by the area of their triangles.
func (n *Net) turnNormals() {
	n.normal = make([]r3.Vec, len(n.At))
	for _, t := range n.Tris {
		normal := geom.TriangleNormal(n.At[t[0]], n.At[t[1]], n.At[t[2]])
		for _, v := range t {
			n.normal[v] = r3.Add(n.normal[v], normal)
		}
	}
}

// Moved is the surface with its vertices at other places.
func (n *Net) Moved(at []r3.Vec) (*Net, error) {
	if len(at) != len(n.At) {
		return nil, fmt.Errorf("%d places of %d vertices", len(at), len(n.At))
	}
	for _, p := range at {
		if !geom.Finite(p) {
			return nil, errInvalid
		}
	}
	out := &Net{At: at, Tris: n.Tris, start: n.start, near: n.near, first: n.first, fan: n.fan}
	out.turnNormals()
	return out, nil
}

var errInvalid = errors.New("a vertex has an invalid position")

// Fan returns the triangles around a vertex, ascending.
func (n *Net) Fan(v int32) []int32 { return n.fan[n.first[v]:n.first[v+1]] }

// NetOf is the surface of a mesh, in world frame.
func NetOf(m *mesh.Mesh) (*Net, error) {
	tris, _ := m.Triangles()
	table := m.Edges().Edges
	edges := make([][2]int32, len(table))
	for i, e := range table {
		edges[i] = [2]int32{e.A, e.B}
	}
	return NewNet(m.World(), tris, edges)
}

// Near returns the vertices that share an edge with v, ascending.
func (n *Net) Near(v int32) []int32 { return n.near[n.start[v]:n.start[v+1]] }

// Tree is a search tree over the triangles.
func (n *Net) Tree() *geom.Tree {
	if n.tree == nil {
		n.tree = geom.NewTree(n.At, n.Tris)
	}
	return n.tree
}

// In returns the place of a triangle's barycentric coordinates b and c; a's is the rest.
func (n *Net) In(tri int32, b, c float64) r3.Vec {
	t := n.Tris[tri]
	return r3.Add(r3.Scale(1-b-c, n.At[t[0]]), r3.Add(r3.Scale(b, n.At[t[1]]), r3.Scale(c, n.At[t[2]])))
}

// Along returns the vertices within a radius of a place in a triangle, measured along the
// surface, nearest first. A way goes over triangles that are unfolded into one plane one after
// the other, as from a point (Novotni & Klein 2002, "Computing geodesic distances on triangular
// meshes"), so that in a plane lengths are exact. Only one at a time.
func (n *Net) Along(tri int32, at r3.Vec, radius float64) (vertices []int32, distances []float64) {
	var from []geom.Step
	for _, v := range n.Tris[tri] {
		from = append(from, geom.Step{At: v, Way: r3.Norm(r3.Sub(n.At[v], at))})
	}
	return n.reach(from, radius)
}

// From returns the vertices within a radius of others along the surface, those first, with how far they are.
func (n *Net) From(others []int32, radius float64) (vertices []int32, distances []float64) {
	var from []geom.Step
	for _, v := range others {
		from = append(from, geom.Step{At: v})
	}
	return n.reach(from, radius)
}

// reach is Along from vertices that are some way off already.
func (n *Net) reach(from []geom.Step, radius float64) (vertices []int32, distances []float64) {
	if n.best == nil {
		n.best, n.state = make([]float64, len(n.At)), make([]uint8, len(n.At))
	}
	best := n.best
	var reachedAll []int32
	var wait geom.Queue
	offer := func(v int32, d float64) {
		if d > radius || n.state[v] == settled || n.state[v] == offered && d >= best[v] {
			return
		}
		if n.state[v] == unseen {
			reachedAll = append(reachedAll, v)
		}
		best[v], n.state[v] = d, offered
		wait.Push(geom.Step{At: v, Way: d})
	}
	for _, x := range from {
		offer(x.At, x.Way)
	}
	for len(wait) > 0 {
		x := wait.Pop()
		if x.Way > best[x.At] || n.state[x.At] == settled {
			continue
		}
		n.state[x.At] = settled // each once, so that it ends on whatever triangles
		for _, k := range n.Near(x.At) {
			if n.state[k] != settled {
				offer(k, x.Way+r3.Norm(r3.Sub(n.At[k], n.At[x.At])))
			}
		}
		for _, i := range n.Fan(x.At) {
			for _, a := range n.Tris[i] {
				if a == x.At || n.state[a] != settled {
					continue
				}
				for _, c := range n.Tris[i] {
					if c != a && c != x.At && n.state[c] != settled {
						offer(c, unfolded(n.At[x.At], n.At[a], n.At[c], x.Way, best[a]))
					}
				}
				n.across(i, x.At, a, offer)
			}
		}
	}
	all := make([]geom.Step, len(reachedAll))
	for i, v := range reachedAll {
		all[i] = geom.Step{At: v, Way: best[v]}
		n.state[v] = unseen
	}
	slices.SortFunc(all, geom.Step.Compare)
	for _, x := range all {
		vertices, distances = append(vertices, x.At), append(distances, x.Way)
	}
	return vertices, distances
}

// States of a vertex while Along is on its way.
const (
	unseen = iota
	offered
	settled
)

// across offers the vertex beyond edge a–b, of the other triangles at it.
func (n *Net) across(tri, a, b int32, offer func(int32, float64)) {
	for _, i := range n.Fan(a) {
		t := n.Tris[i]
		if i == tri || t[0] != b && t[1] != b && t[2] != b {
			continue
		}
		for _, c := range t {
			if c != a && c != b && n.state[c] != settled {
				offer(c, unfolded(n.At[a], n.At[b], n.At[c], n.best[a], n.best[b]))
			}
		}
	}
}

// unfolded is the distance of c from a source that is da from a and db from b, on the other side
// of a–b when source and triangle lie in one plane; around the ends where the straight way does
// not cross a–b.
func unfolded(a, b, c r3.Vec, da, db float64) float64 {
	around := math.Min(da+r3.Norm(r3.Sub(c, a)), db+r3.Norm(r3.Sub(c, b)))
	ab := r3.Sub(b, a)
	l := r3.Norm(ab)
	if l == 0 {
		return around
	}
	x := (float64(da*da) - float64(db*db) + float64(l*l)) / (2 * l)
	y2 := float64(da*da) - float64(x*x)
	if y2 < 0 {
		return around
	}
	cx := r3.Dot(r3.Sub(c, a), ab) / l
	cy2 := r3.Norm2(r3.Sub(c, a)) - float64(cx*cx)
	sy, cy := math.Sqrt(y2), math.Sqrt(math.Max(0, cy2))
	if sy+cy == 0 {
		return around
	}
	if cross := x + float64((cx-x)*(sy/(sy+cy))); cross < 0 || cross > l {
		return around
	}
	return math.Hypot(cx-x, cy+sy)
}

// Within returns the vertices within a radius of a place through the air, ascending.
func (n *Net) Within(at r3.Vec, radius float64) (vertices []int32, distances []float64) {
	for v, p := range n.At {
		if d := r3.Norm(r3.Sub(p, at)); d <= radius {
			vertices, distances = append(vertices, int32(v)), append(distances, d)
		}
	}
	return vertices, distances
}
