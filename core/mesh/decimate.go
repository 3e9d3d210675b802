package mesh

import (
	"context"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// DecimateOptions say how a mesh is decimated.
type DecimateOptions struct {
	// Vertices is how many are to remain; more do where borders and pieces need them.
	Vertices int
	// Keep leaves each vertex that remains where it is, so that what belongs to it is carried over by its origin.
	Keep bool
	// Even is how much an even spacing counts against nearness to the surface: 0 is not at all, as published; at
	// 0.01 flat places keep vertices too, as what bends needs them.
	Even float64
}

const (
	// borderPlane is how much a plane across a border counts against one of a face: Garland & Heckbert's "large penalty".
	borderPlane = 100
	// leastCos is how far a face may turn in one collapse.
	leastCos = 0.2
	// thinnest is the least that a face is of an equilateral one by its area over its squared sides, unless it was so before.
	thinnest = 0.05
)

// Decimate returns a triangle mesh of fewer vertices in world frame, and which vertex of m each comes from. Edges are
// collapsed in the order of their quadric error (Garland & Heckbert, Surface Simplification Using Quadric Error
// Metrics, 1997), equal ones by number. Collapses follow edges alone and keep the link of an edge whole, so pieces
// stay apart and none vanishes, holes stay open, and what is manifold remains so; edges of three and more faces stay.
// Borders of the mesh and between parts are held by planes across them. Attributes of corners are left out.
func (m *Mesh) Decimate(ctx context.Context, o DecimateOptions) (*Mesh, Origin, error) {
	if o.Vertices < 4 {
		return nil, nil, fmt.Errorf("a mesh is decimated to 4 vertices or more, not %d", o.Vertices)
	}
	d := newDecimation(m, o)
	for alive := d.used; alive > o.Vertices && len(d.queue) > 0; {
		next := d.queue.Pop()
		e := d.edges[next.At]
		if d.gone[e.a] || d.gone[e.b] || next.Way != e.cost {
			continue // it was put in again with another cost, or is no more
		}
		if !d.collapse(e) {
			d.edges[next.At].waits = true
			continue
		}
		if alive--; alive%1024 == 0 && ctx.Err() != nil {
			return nil, nil, ctx.Err()
		}
	}
	return d.mesh()
}

// quadric is the sum of squared distances from planes: the upper half of a symmetric 4×4 matrix.
type quadric [10]float64

func (q *quadric) add(r *quadric) {
	for i := range q {
		q[i] += r[i]
	}
}

// plane adds that of a unit normal through a point.
func (q *quadric) plane(n, p r3.Vec, times float64) {
	d := -r3.Dot(n, p)
	for i, x := range [10]float64{n.X * n.X, n.X * n.Y, n.X * n.Z, n.X * d, n.Y * n.Y, n.Y * n.Z, n.Y * d, n.Z * n.Z, n.Z * d, d * d} {
		q[i] += times * x
	}
}

// at is the error of a place.
func (q *quadric) at(p r3.Vec) float64 {
	return q[0]*p.X*p.X + 2*q[1]*p.X*p.Y + 2*q[2]*p.X*p.Z + 2*q[3]*p.X +
		q[4]*p.Y*p.Y + 2*q[5]*p.Y*p.Z + 2*q[6]*p.Y +
		q[7]*p.Z*p.Z + 2*q[8]*p.Z + q[9]
}

// least is the place of the least error, by Cramer's rule; ok is false where it is not one place.
func (q *quadric) least() (p r3.Vec, ok bool) {
	r0, r1, r2 := r3.Vec{X: q[0], Y: q[1], Z: q[2]}, r3.Vec{X: q[1], Y: q[4], Z: q[5]}, r3.Vec{X: q[2], Y: q[5], Z: q[7]}
	b := r3.Vec{X: -q[3], Y: -q[6], Z: -q[8]}
	det, size := r3.Dot(r0, r3.Cross(r1, r2)), q[0]+q[4]+q[7]
	if !(math.Abs(det) > 1e-9*size*size*size) {
		return p, false
	}
	// The matrix is symmetric, so its rows are its columns.
	return r3.Vec{
		X: r3.Dot(b, r3.Cross(r1, r2)) / det,
		Y: r3.Dot(r0, r3.Cross(b, r2)) / det,
		Z: r3.Dot(r0, r3.Cross(r1, b)) / det,
	}, true
}

// decimated is an edge of a mesh that is being decimated.
type decimated struct {
	a, b  int32
	cost  float64
	to    r3.Vec
	waits bool // it would fold something as its surroundings are
}

type decimation struct {
	m       *Mesh
	o       DecimateOptions
	centre  r3.Vec // places are about it, where quadrics lose no digits
	points  []r3.Vec
	tris    [][3]int32
	part    []int32
	dead    []bool    // of the triangles
	around  [][]int32 // by vertex: its triangles, dead ones among them
	at      [][]int32 // by vertex: its edges
	gone    []bool
	fixed   []bool // on an edge of three faces or more
	border  []bool
	quadric []quadric
	edges   []decimated
	queue   geom.Queue
	used    int
	from    []int32 // by vertex: the one that it was
	mark    []int32
	marked  int32
}

func newDecimation(m *Mesh, o DecimateOptions) *decimation {
	n := len(m.Points)
	d := &decimation{m: m, o: o, around: make([][]int32, n), at: make([][]int32, n), gone: make([]bool, n), fixed: make([]bool, n),
		border: make([]bool, n), quadric: make([]quadric, n), from: identityOrigin(n), mark: make([]int32, n)}
	world := m.World()
	d.centre = geom.BoxOf(world).Centre()
	for _, p := range world {
		d.points = append(d.points, r3.Sub(p, d.centre))
	}
	tris, face := m.Triangles()
	flat := &Mesh{Points: d.points, Parts: m.Parts}
	for i, t := range tris {
		if t[0] == t[1] || t[1] == t[2] || t[2] == t[0] {
			continue
		}
		k := int32(len(d.tris))
		d.tris, d.part = append(d.tris, t), append(d.part, m.PartOf(int(face[i])))
		flat.AddFace(0, t[0], t[1], t[2])
		normal := normalOf(d.points, t)
		long := r3.Norm(normal)
		var q quadric
		if long > 0 {
			q.plane(r3.Scale(1/long, normal), d.points[t[0]], long/6)
		}
		for _, v := range t {
			d.around[v] = append(d.around[v], k)
			own := q
			for _, axis := range [3]r3.Vec{{X: 1}, {Y: 1}, {Z: 1}} {
				own.plane(axis, d.points[v], o.Even*long/6)
			}
			d.quadric[v].add(&own)
		}
	}
	d.dead = make([]bool, len(d.tris))
	table := flat.Edges()
	for _, x := range table.Edges {
		uses := table.Of(x)
		seam := len(uses) == 2 && d.part[uses[0].Face] != d.part[uses[1].Face]
		if len(uses) > 2 {
			d.fixed[x.A], d.fixed[x.B] = true, true
		}
		if len(uses) == 1 || seam {
			along := r3.Sub(d.points[x.B], d.points[x.A])
			for _, u := range uses {
				t := d.tris[u.Face]
				across := r3.Cross(along, normalOf(d.points, t))
				if long := r3.Norm(across); long > 0 {
					var q quadric
					q.plane(r3.Scale(1/long, across), d.points[x.A], borderPlane*r3.Norm2(along))
					d.quadric[x.A].add(&q)
					d.quadric[x.B].add(&q)
				}
			}
		}
		if len(uses) == 1 {
			d.border[x.A], d.border[x.B] = true, true
		}
	}
	for v := range d.around {
		if len(d.around[v]) > 0 {
			d.used++
		}
	}
	for _, x := range table.Edges {
		k := int32(len(d.edges))
		d.edges = append(d.edges, decimated{a: x.A, b: x.B})
		d.at[x.A], d.at[x.B] = append(d.at[x.A], k), append(d.at[x.B], k)
		d.price(k)
	}
	return d
}

// price works out where an edge would go and what that costs, and puts it in the queue.
func (d *decimation) price(k int32) {
	e := &d.edges[k]
	e.waits = false
	if d.fixed[e.a] || d.fixed[e.b] {
		e.cost = math.Inf(1)
		return
	}
	q := d.quadric[e.a]
	q.add(&d.quadric[e.b])
	a, b := d.points[e.a], d.points[e.b]
	e.to, e.cost = a, q.at(a)
	try := func(p r3.Vec) {
		if c := q.at(p); c < e.cost {
			e.to, e.cost = p, c
		}
	}
	switch {
	case d.border[e.a] && !d.border[e.b]:
	case d.border[e.b] && !d.border[e.a]:
		e.to, e.cost = b, q.at(b)
	default:
		try(b)
		if d.o.Keep {
			break
		}
		try(r3.Scale(0.5, r3.Add(a, b)))
		if p, ok := q.least(); ok && r3.Norm(r3.Sub(p, a)) < 2*r3.Norm(r3.Sub(b, a)) {
			try(p)
		}
	}
	e.cost = max(0, e.cost)
	d.queue.Push(geom.Step{At: k, Way: e.cost})
}

// collapse draws an edge together, if nothing is folded or joined by that.
func (d *decimation) collapse(e decimated) bool {
	a, b := e.a, e.b
	if e.to == d.points[b] {
		a, b = b, a // a stays
	}
	shared := 0
	for _, t := range d.around[a] {
		if !d.dead[t] && has(d.tris[t], b) {
			shared++
		}
	}
	if shared == 0 || d.border[a] && d.border[b] && shared != 1 || !d.linked(a, b, shared) {
		return false
	}
	for _, v := range [2]int32{a, b} {
		other := a + b - v
		for _, t := range d.around[v] {
			if !d.dead[t] && !has(d.tris[t], other) && !d.stays(d.tris[t], v, e.to) {
				return false
			}
		}
	}
	for _, t := range d.around[b] {
		switch {
		case d.dead[t]:
		case has(d.tris[t], a):
			d.dead[t] = true
		default:
			for i, v := range d.tris[t] {
				if v == b {
					d.tris[t][i] = a
				}
			}
			d.around[a] = append(d.around[a], t)
		}
	}
	d.around[a] = slices.DeleteFunc(d.around[a], func(t int32) bool { return d.dead[t] })
	d.around[b], d.gone[b] = nil, true
	d.points[a] = e.to
	d.quadric[a].add(&d.quadric[b])
	d.border[a] = d.border[a] || d.border[b]
	// Edges that became one are kept once.
	d.marked++
	var kept []int32
	for _, list := range [2][]int32{d.at[a], d.at[b]} {
		for _, k := range list {
			x := &d.edges[k]
			if x.a == b {
				x.a = a
			}
			if x.b == b {
				x.b = a
			}
			other := x.a + x.b - a
			if x.a == x.b || d.gone[other] {
				continue
			}
			if d.mark[other] == d.marked {
				x.cost = -1 // what is in the queue of it is of no use any more
				continue
			}
			d.mark[other] = d.marked
			kept = append(kept, k)
		}
	}
	d.at[a], d.at[b] = kept, nil
	for _, k := range kept {
		d.price(k)
	}
	for _, k := range kept { // what could not be drawn together beside it may be now
		w := d.edges[k].a + d.edges[k].b - a
		for _, i := range d.at[w] {
			if d.edges[i].waits {
				d.price(i)
			}
		}
	}
	return true
}

// linked reports whether an edge can be drawn together and leave what is around it as it was: its ends have no
// neighbor in common but across its faces (Dey et al. 1999), and more than a tetrahedron is left.
func (d *decimation) linked(a, b int32, shared int) bool {
	d.marked++
	ring := 0
	each := func(v int32, visit func(w int32)) {
		for _, t := range d.around[v] {
			if !d.dead[t] {
				for _, w := range d.tris[t] {
					if w != a && w != b {
						visit(w)
					}
				}
			}
		}
	}
	each(a, func(w int32) {
		if d.mark[w] != d.marked {
			d.mark[w] = d.marked
			ring++
		}
	})
	first := d.marked
	d.marked++
	common := 0
	each(b, func(w int32) {
		if d.mark[w] == first {
			common++
		}
		if d.mark[w] != first && d.mark[w] != d.marked {
			ring++
		}
		d.mark[w] = d.marked
	})
	return common == shared && ring > shared+1
}

// stays reports whether a face looks the same way, and is no needle, when one corner moves.
func (d *decimation) stays(t [3]int32, v int32, to r3.Vec) bool {
	before := normalOf(d.points, t)
	var p [3]r3.Vec
	for i, w := range t {
		if p[i] = d.points[w]; w == v {
			p[i] = to
		}
	}
	after := r3.Cross(r3.Sub(p[1], p[0]), r3.Sub(p[2], p[0]))
	area, was := r3.Norm(after), r3.Norm(before)
	if was == 0 {
		return true
	}
	if !(r3.Dot(before, after) > leastCos*was*area) {
		return false
	}
	sides := func(a, b, c r3.Vec) float64 {
		return r3.Norm2(r3.Sub(b, a)) + r3.Norm2(r3.Sub(c, b)) + r3.Norm2(r3.Sub(a, c))
	}
	round := 2 * math.Sqrt(3) * area / sides(p[0], p[1], p[2])
	return round > thinnest || round*sides(d.points[t[0]], d.points[t[1]], d.points[t[2]]) >= 2*math.Sqrt(3)*was
}

func normalOf(p []r3.Vec, t [3]int32) r3.Vec { return geom.TriangleNormal(p[t[0]], p[t[1]], p[t[2]]) }

func has(t [3]int32, v int32) bool { return t[0] == v || t[1] == v || t[2] == v }

// mesh returns what is left.
func (d *decimation) mesh() (*Mesh, Origin, error) {
	out := &Mesh{Parts: slices.Clone(d.m.Parts), Start: []int32{0}}
	for i := range out.Parts {
		out.Parts[i].Frame = geom.IdentityMatrix // the points are in the world
	}
	to := make([]int32, len(d.points))
	var origin Origin
	for v := range d.points {
		to[v] = -1
		if !d.gone[v] && len(d.around[v]) > 0 {
			to[v] = int32(len(out.Points))
			out.Points, origin = append(out.Points, r3.Add(d.points[v], d.centre)), append(origin, int32(v))
		}
	}
	for i, t := range d.tris {
		if !d.dead[i] {
			out.AddFace(d.part[i], to[t[0]], to[t[1]], to[t[2]])
		}
	}
	return out, origin, nil
}
