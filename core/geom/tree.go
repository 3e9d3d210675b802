package geom

import (
	"math"
	"slices"
	"sort"

	"gonum.org/v1/gonum/spatial/r3"
)

// Tree is a bounding-box tree over triangles, for nearest points, rays and
// winding numbers. It is immutable after NewTree and safe for concurrent use.
type Tree struct {
	points []r3.Vec
	tris   [][3]int32
	order  []int32 // triangle ids, leaf by leaf
	nodes  []node
	dipole []dipole // one a node, for Winding
	pad    float64  // keeps rays that graze a box from being lost to rounding
}

// node is a leaf when count > 0: triangles order[first : first+count]; else
// its children are nodes first and second.
type node struct {
	min, max      r3.Vec
	first, second int32
	count         int32
}

const leafSize = 4

// NewTree builds the tree over tris, whose entries index points. The slices
// are kept, not copied. Building splits at the median of the longest axis of
// the centroids, so that its shape depends on nothing but the input.
func NewTree(points []r3.Vec, tris [][3]int32) *Tree {
	t := &Tree{points: points, tris: tris, order: make([]int32, len(tris))}
	if len(tris) == 0 {
		return t
	}
	box := EmptyBox() // of these triangles; points may hold many others
	centroid := make([]r3.Vec, len(tris))
	for i, f := range tris {
		t.order[i] = int32(i)
		a, b, c := points[f[0]], points[f[1]], points[f[2]]
		box = box.Add(a).Add(b).Add(c)
		centroid[i] = r3.Scale(1.0/3, r3.Add(a, r3.Add(b, c)))
	}
	t.pad = 1e-12 * box.Diagonal()
	t.nodes = make([]node, treeNodes(len(tris)))
	t.build(0, 0, int32(len(tris)), centroid, 3)
	return t
}

// NewPointTree builds a tree over points alone, as triangles without extent, for the
// nearest of them.
func NewPointTree(points []r3.Vec) *Tree {
	tris := make([][3]int32, len(points))
	for i := range tris {
		tris[i] = [3]int32{int32(i), int32(i), int32(i)}
	}
	return NewTree(points, tris)
}

// treeNodes is the number of nodes that a subtree over n triangles takes.
func treeNodes(n int) int {
	if n <= leafSize {
		return 1
	}
	return 1 + treeNodes(n/2) + treeNodes(n-n/2)
}

func (t *Tree) build(at int32, lo, hi int32, centroid []r3.Vec, fork int) {
	n := &t.nodes[at]
	if hi-lo <= leafSize {
		b := EmptyBox()
		for _, f := range t.order[lo:hi] {
			for _, v := range t.tris[f] {
				b = b.Add(t.points[v])
			}
		}
		b = b.Pad(t.pad)
		n.min, n.max, n.first, n.count = b.Min, b.Max, lo, hi-lo
		return
	}
	cb := EmptyBox()
	for _, f := range t.order[lo:hi] {
		cb = cb.Add(centroid[f])
	}
	s := cb.Size()
	axis := 0
	if s.Y > s.X && s.Y >= s.Z {
		axis = 1
	} else if s.Z > s.X {
		axis = 2
	}
	half := (hi - lo) / 2
	selectNth(t.order[lo:hi], int(half), centroid, axis)
	left := at + 1
	right := left + int32(treeNodes(int(half)))
	if fork > 0 && hi-lo > 4096 {
		Both(func() { t.build(left, lo, lo+half, centroid, fork-1) }, func() { t.build(right, lo+half, hi, centroid, fork-1) })
	} else {
		t.build(left, lo, lo+half, centroid, 0)
		t.build(right, lo+half, hi, centroid, 0)
	}
	b := Box{t.nodes[left].min, t.nodes[left].max}.Union(Box{t.nodes[right].min, t.nodes[right].max})
	n.min, n.max, n.first, n.second = b.Min, b.Max, left, right
}

// Moved returns the tree over the same triangles with their corners elsewhere: split as
// before, with new boxes, in a small part of the time that a new one takes. It is as right, and
// as fast to ask as long as what was near is still near.
func (t *Tree) Moved(points []r3.Vec) *Tree {
	out := &Tree{points: points, tris: t.tris, order: t.order, nodes: slices.Clone(t.nodes), pad: t.pad}
	for at := len(out.nodes) - 1; at >= 0; at-- { // children come after their parents
		n := &out.nodes[at]
		b := EmptyBox()
		if n.count > 0 {
			for _, f := range t.order[n.first : n.first+n.count] {
				for _, v := range t.tris[f] {
					b = b.Add(points[v])
				}
			}
			b = b.Pad(t.pad)
		} else {
			l, r := &out.nodes[n.first], &out.nodes[n.second]
			b = Box{l.min, l.max}.Union(Box{r.min, r.max})
		}
		n.min, n.max = b.Min, b.Max
	}
	return out
}

func component(v r3.Vec, axis int) float64 {
	switch axis {
	case 0:
		return v.X
	case 1:
		return v.Y
	}
	return v.Z
}

// selectNth puts the k lowest ids (by centroid, then id) before the others.
func selectNth(ids []int32, k int, centroid []r3.Vec, axis int) {
	less := func(a, b int32) bool {
		ca, cb := component(centroid[a], axis), component(centroid[b], axis)
		return ca < cb || ca == cb && a < b
	}
	lo, hi := 0, len(ids)-1
	for hi-lo > 16 {
		mid := (lo + hi) / 2
		if less(ids[mid], ids[lo]) {
			ids[mid], ids[lo] = ids[lo], ids[mid]
		}
		if less(ids[hi], ids[lo]) {
			ids[hi], ids[lo] = ids[lo], ids[hi]
		}
		if less(ids[hi], ids[mid]) {
			ids[hi], ids[mid] = ids[mid], ids[hi]
		}
		pivot := ids[mid]
		i, j := lo, hi
		for i <= j {
			for less(ids[i], pivot) {
				i++
			}
			for less(pivot, ids[j]) {
				j--
			}
			if i <= j {
				ids[i], ids[j] = ids[j], ids[i]
				i++
				j--
			}
		}
		switch {
		case k <= j:
			hi = j
		case k >= i:
			lo = i
		default:
			return
		}
	}
	part := ids[lo : hi+1]
	sort.Slice(part, func(i, j int) bool { return less(part[i], part[j]) })
}

// Len returns the number of triangles.
func (t *Tree) Len() int { return len(t.tris) }

// Box returns the bounds of the whole tree, EmptyBox if it holds nothing.
func (t *Tree) Box() Box {
	if len(t.nodes) == 0 {
		return EmptyBox()
	}
	return Box{t.nodes[0].min, t.nodes[0].max}
}

// Nearest returns the triangle nearest to p, the point on it and the
// distance. The triangle is -1 in an empty tree.
func (t *Tree) Nearest(p r3.Vec) (tri int32, at r3.Vec, distance float64) {
	return t.NearestOf(p, math.Inf(1), nil)
}

// NearestOf is Nearest among the triangles that are less than within away and
// that may welcomes; a nil may welcomes all. Where there is none the triangle
// is -1 and the distance +Inf.
func (t *Tree) NearestOf(p r3.Vec, within float64, may func(tri int32) bool) (tri int32, at r3.Vec, distance float64) {
	return (&Query{Tree: t}).NearestOf(p, within, may)
}

// NearestOf is Tree.NearestOf.
func (q *Query) NearestOf(p r3.Vec, within float64, may func(tri int32) bool) (tri int32, at r3.Vec, distance float64) {
	t := q.Tree
	tri = -1
	if len(t.nodes) == 0 {
		return tri, at, math.Inf(1)
	}
	best := within * within
	type later struct {
		node int32
		away float64 // of its box, squared
	}
	var stack [64]later
	stack[0].away = (Box{t.nodes[0].min, t.nodes[0].max}).Distance2(p)
	q.Steps++
	top := 1
	for top > 0 {
		top--
		if stack[top].away >= best {
			continue
		}
		n := &t.nodes[stack[top].node]
		if n.count > 0 {
			q.Steps += int(n.count)
			for _, f := range t.order[n.first : n.first+n.count] {
				if may != nil && !may(f) {
					continue
				}
				v := t.tris[f]
				on := ClosestOnTriangle(p, t.points[v[0]], t.points[v[1]], t.points[v[2]])
				if d := r3.Norm2(r3.Sub(p, on)); d < best {
					best, tri, at = d, f, on
				}
			}
			continue
		}
		q.Steps += 2
		a, b := &t.nodes[n.first], &t.nodes[n.second]
		near, far := later{n.first, (Box{a.min, a.max}).Distance2(p)}, later{n.second, (Box{b.min, b.max}).Distance2(p)}
		if far.away < near.away {
			near, far = far, near
		}
		if far.away < best {
			stack[top] = far
			top++
		}
		if near.away < best {
			stack[top] = near
			top++
		}
	}
	if tri < 0 {
		return tri, at, math.Inf(1)
	}
	return tri, at, math.Sqrt(best)
}

// Hit is one crossing of a ray with a triangle.
type Hit struct {
	T   float64
	Tri int32
}

// Hits returns all crossings of origin + t·dir with t in [lo, hi], sorted by t.
func (t *Tree) Hits(origin, dir r3.Vec, lo, hi float64) []Hit {
	return (&Query{Tree: t}).Hits(origin, dir, lo, hi)
}

// Hits is Tree.Hits.
func (q *Query) Hits(origin, dir r3.Vec, lo, hi float64) []Hit {
	var out []Hit
	q.walk(origin, dir, lo, hi, 0, func(tri int32, at float64) bool {
		out = append(out, Hit{at, tri})
		return true
	})
	sort.Slice(out, func(i, j int) bool {
		return out[i].T < out[j].T || out[i].T == out[j].T && out[i].Tri < out[j].Tri
	})
	return out
}

// Blocked reports whether anything but the triangles that ignore names lies
// on the open segment from a to b. ignore may be nil.
func (t *Tree) Blocked(a, b r3.Vec, ignore func(tri int32) bool) bool {
	blocked := false
	(&Query{Tree: t}).walk(a, r3.Sub(b, a), 0, 1, edgeOver, func(tri int32, _ float64) bool {
		if ignore != nil && ignore(tri) {
			return true
		}
		blocked = true
		return false
	})
	return blocked
}

// edgeOver is by what share triangles reach over their sides where it matters that nothing
// slips through, and not how often something is met.
const edgeOver = 1e-9

// walk visits the crossings in no particular order until visit returns false.
func (q *Query) walk(origin, dir r3.Vec, lo, hi, over float64, visit func(tri int32, at float64) bool) {
	t := q.Tree
	if len(t.nodes) == 0 {
		return
	}
	ix, iy, iz := 1/dir.X, 1/dir.Y, 1/dir.Z
	var stack [64]int32
	top := 1
	for top > 0 {
		top--
		q.Steps++
		n := &t.nodes[stack[top]]
		if !slab(n, origin, ix, iy, iz, lo, hi) {
			continue
		}
		if n.count > 0 {
			q.Steps += int(n.count)
			for _, f := range t.order[n.first : n.first+n.count] {
				v := t.tris[f]
				at, ok := rayTriangle(origin, dir, t.points[v[0]], t.points[v[1]], t.points[v[2]], over)
				if ok && at >= lo && at <= hi && !visit(f, at) {
					return
				}
			}
			continue
		}
		stack[top], stack[top+1] = n.second, n.first
		top += 2
	}
}

// slab tests a ray against a node's box. An infinite inverse with the origin
// on the face gives NaN, whose comparisons are false and so keep the node.
func slab(n *node, o r3.Vec, ix, iy, iz, lo, hi float64) bool {
	a, b := (n.min.X-o.X)*ix, (n.max.X-o.X)*ix
	if a > b {
		a, b = b, a
	}
	if a > lo {
		lo = a
	}
	if b < hi {
		hi = b
	}
	a, b = (n.min.Y-o.Y)*iy, (n.max.Y-o.Y)*iy
	if a > b {
		a, b = b, a
	}
	if a > lo {
		lo = a
	}
	if b < hi {
		hi = b
	}
	a, b = (n.min.Z-o.Z)*iz, (n.max.Z-o.Z)*iz
	if a > b {
		a, b = b, a
	}
	if a > lo {
		lo = a
	}
	if b < hi {
		hi = b
	}
	return lo <= hi
}
