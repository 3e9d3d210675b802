package geom

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// TrianglesCross reports whether two triangles pass through each other along a
// line longer than eps. Triangles that only touch, at a corner, an edge or in
// one plane, do not cross, so neighbours on a surface may be asked as they are
// (interval test of Möller 1997, with the crossing points themselves compared).
func TrianglesCross(p, q [3]r3.Vec, eps float64) bool {
	// One triangle after the other, since most lie on one side of the first. r3.Norm guards against overflow, slowly.
	nq := TriangleNormal(q[0], q[1], q[2])
	lq := math.Sqrt(r3.Norm2(nq))
	if lq == 0 {
		return false
	}
	nq = r3.Scale(1/lq, nq)
	a0, a1, ok := cutBy(p, q[0], nq, eps)
	if !ok {
		return false
	}
	np := TriangleNormal(p[0], p[1], p[2])
	lp := math.Sqrt(r3.Norm2(np))
	if lp == 0 {
		return false
	}
	np = r3.Scale(1/lp, np)
	b0, b1, ok := cutBy(q, p[0], np, eps)
	if !ok {
		return false
	}
	dir := r3.Cross(np, nq)
	l := r3.Norm(dir)
	if l < 1e-9 {
		return false
	}
	dir = r3.Scale(1/l, dir)
	s0, s1, t0, t1 := 0.0, r3.Dot(r3.Sub(a1, a0), dir), r3.Dot(r3.Sub(b0, a0), dir), r3.Dot(r3.Sub(b1, a0), dir)
	if s1 < s0 {
		s0, s1 = s1, s0
	}
	if t1 < t0 {
		t0, t1 = t1, t0
	}
	return math.Min(s1, t1)-math.Max(s0, t0) > eps
}

// cutBy returns the segment in which the plane through at with unit normal n
// cuts a triangle; false when the triangle lies on one side of it.
func cutBy(p [3]r3.Vec, at, n r3.Vec, eps float64) (from, to r3.Vec, ok bool) {
	var d [3]float64
	below, above := false, false
	for i, v := range p {
		d[i] = r3.Dot(r3.Sub(v, at), n)
		if math.Abs(d[i]) <= eps {
			d[i] = 0
		}
		below, above = below || d[i] < 0, above || d[i] > 0
	}
	if !below || !above {
		return from, to, false
	}
	var ends [2]r3.Vec
	k := 0
	for i := range 3 {
		j := (i + 1) % 3
		switch {
		case d[i] == 0:
			ends[k] = p[i]
			k++
		case d[i]*d[j] < 0:
			ends[k] = r3.Add(p[i], r3.Scale(d[i]/(d[i]-d[j]), r3.Sub(p[j], p[i])))
			k++
		}
		if k == 2 {
			break
		}
	}
	return ends[0], ends[1], k == 2
}

// MaxCrossings is how many crossing pairs are looked for.
const MaxCrossings = 100_000

// Crossings returns the pairs of triangles that cross along a line longer than
// eps, each pair ascending, in the order of the tree. It is the tree against
// itself: nodes whose boxes are apart are passed over. Where triangles lie in each
// other's boxes by the thousand it ends after an Effort, or with MaxCrossings; all
// tells whether it did not have to.
func (t *Tree) Crossings(eps float64) (pairs [][2]int32, all bool) {
	if len(t.nodes) == 0 {
		return nil, true
	}
	// Pairs of nodes to look into, split until there are enough to share out;
	// how they are split depends on the tree alone.
	tasks := [][2]int32{{0, 0}}
	for len(tasks) < 4096 {
		var next [][2]int32
		split := false
		for _, k := range tasks {
			below := t.descend(k[0], k[1])
			if below == nil {
				next = append(next, k)
				continue
			}
			split = true
			next = append(next, below...)
		}
		tasks = next
		if !split {
			break
		}
	}
	boxes := make([]Box, len(t.tris))
	Chunks(len(boxes), 4096, func(lo, hi int) {
		for f := lo; f < hi; f++ {
			p := t.corners(int32(f))
			boxes[f] = boxOfThree(&p)
		}
	})
	effort := Effort(len(t.tris))
	found := make([]crossing, len(tasks))
	done := Bounded(len(tasks), 1, effort, func(i, _ int) int {
		c := &found[i]
		*c = crossing{Tree: t, eps: eps, left: effort / 64, boxes: boxes}
		c.cross(tasks[i][0], tasks[i][1])
		// Pairs weigh so much that MaxCrossings of them end it.
		return effort/64 - c.left + effort/MaxCrossings*len(c.pairs)
	})
	all = done == len(tasks)
	for i := range found[:done] {
		pairs = append(pairs, found[i].pairs...)
		all = all && !found[i].cut
	}
	if len(pairs) > MaxCrossings {
		pairs, all = pairs[:MaxCrossings], false
	}
	return pairs, all
}

// crossing looks for the pairs that cross below a pair of nodes.
type crossing struct {
	*Tree
	eps   float64
	left  int // steps
	cut   bool
	pairs [][2]int32
	boxes []Box // of the triangles: most pairs are told apart by them
}

// descend returns the pairs of nodes one level below a pair whose boxes meet,
// nil for two leaves.
func (t *Tree) descend(a, b int32) [][2]int32 {
	m, n := &t.nodes[a], &t.nodes[b]
	switch {
	case a == b && m.count == 0:
		out := [][2]int32{{m.first, m.first}, {m.second, m.second}}
		if t.meet(m.first, m.second) {
			out = append(out, [2]int32{m.first, m.second})
		}
		return out
	case m.count > 0 && n.count > 0:
		return nil
	}
	out := [][2]int32{}
	try := func(x, y int32) {
		if t.meet(x, y) {
			out = append(out, [2]int32{x, y})
		}
	}
	// The larger one is opened.
	if n.count > 0 || m.count == 0 && m.extent() > n.extent() {
		try(m.first, b)
		try(m.second, b)
	} else {
		try(a, n.first)
		try(a, n.second)
	}
	return out
}

// extent is how large a node is, to compare it: the square of its box's diagonal.
func (n *node) extent() float64 {
	x, y, z := n.max.X-n.min.X, n.max.Y-n.min.Y, n.max.Z-n.min.Z
	return x*x + y*y + z*z
}

func (t *Tree) meet(a, b int32) bool {
	m, n := &t.nodes[a], &t.nodes[b]
	return m.min.X <= n.max.X && n.min.X <= m.max.X && m.min.Y <= n.max.Y && n.min.Y <= m.max.Y && m.min.Z <= n.max.Z && n.min.Z <= m.max.Z
}

func (t *crossing) cross(a, b int32) {
	if t.left--; t.left < 0 || len(t.pairs) > MaxCrossings {
		t.cut = true
		return
	}
	m, n := &t.nodes[a], &t.nodes[b]
	if m.count > 0 && n.count > 0 {
		t.crossLeaves(a, b)
		return
	}
	if a == b {
		t.cross(m.first, m.first)
		t.cross(m.second, m.second)
		if t.meet(m.first, m.second) {
			t.cross(m.first, m.second)
		}
		return
	}
	if n.count > 0 || m.count == 0 && m.extent() > n.extent() {
		for _, c := range [2]int32{m.first, m.second} {
			if t.meet(c, b) {
				t.cross(c, b)
			}
		}
		return
	}
	for _, c := range [2]int32{n.first, n.second} {
		if t.meet(a, c) {
			t.cross(a, c)
		}
	}
}

func (t *crossing) crossLeaves(a, b int32) {
	m, n := &t.nodes[a], &t.nodes[b]
	t.left -= int(m.count * n.count)
	others := t.order[n.first : n.first+n.count]
	for i, f := range t.order[m.first : m.first+m.count] {
		pb := &t.boxes[f]
		from := 0
		if a == b {
			from = i + 1
		} else if !pb.meets(&Box{n.min, n.max}) {
			continue
		}
		for k := from; k < len(others); k++ {
			g := others[k]
			if !pb.meets(&t.boxes[g]) || sharesEdge(t.tris[f], t.tris[g]) {
				continue
			}
			p, q := t.corners(f), t.corners(g)
			// In ascending order, so that rounding falls the same way always.
			if f < g && !TrianglesCross(p, q, t.eps) || f > g && !TrianglesCross(q, p, t.eps) {
				continue
			}
			t.pairs = append(t.pairs, [2]int32{min(f, g), max(f, g)})
		}
	}
}

// corners are the places of a triangle's corners.
func (t *Tree) corners(f int32) [3]r3.Vec {
	u := &t.tris[f]
	return [3]r3.Vec{t.points[u[0]], t.points[u[1]], t.points[u[2]]}
}

// meets reports whether two boxes have a place in common.
func (b *Box) meets(c *Box) bool {
	return b.Min.X <= c.Max.X && c.Min.X <= b.Max.X && b.Min.Y <= c.Max.Y && c.Min.Y <= b.Max.Y && b.Min.Z <= c.Max.Z && c.Min.Z <= b.Max.Z
}

// boxOfThree is the box of a triangle.
func boxOfThree(p *[3]r3.Vec) Box {
	a, b, c := &p[0], &p[1], &p[2]
	return Box{
		r3.Vec{X: min(a.X, b.X, c.X), Y: min(a.Y, b.Y, c.Y), Z: min(a.Z, b.Z, c.Z)},
		r3.Vec{X: max(a.X, b.X, c.X), Y: max(a.Y, b.Y, c.Y), Z: max(a.Z, b.Z, c.Z)},
	}
}

func sharesEdge(a, b [3]int32) bool {
	n := 0
	for _, v := range a {
		if v == b[0] || v == b[1] || v == b[2] {
			n++
		}
	}
	return n >= 2
}
