package solve

import (
	"cmp"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// mostJoints is how many joints are weighed at a vertex, besides those that it has.
	mostJoints = 10
	// within is how far along the surface beyond the vertices that a joint moves it may come to move others, of the
	// way from the vertex to its bone; moves is from what weight on it does.
	within, moves = 0.6, 0.01
	// leastStiff and mostStiff bound the cotangents of an edge: obtuse triangles would push weights apart.
	leastStiff, mostStiff = 0.05, 10
)

// units are what is solved as one: vertices of a crack, and pieces that keep their shape.
type units struct {
	of    [][]int32 // by unit: its vertices
	by    []int32   // by vertex: its unit
	fixed []bool
	mass  []float64 // by unit: its area over the mean one
	start []int32   // by unit: its first neighbor
	to    []int32
	stiff []float64 // by neighbor
	mate  []int32   // by neighbor: the same, seen from the other side
}

// unitsOf puts vertices together that are bound alike. Those without weights, and those that are to stay, are units of their own.
func unitsOf(m *mesh.Mesh, w *weights.Weights, points []r3.Vec, fixed []bool) units {
	x := units{by: make([]int32, len(points))}
	rigid := weights.RigidPieces(m, w)
	byPiece, byPlace := map[int32]int32{}, map[r3.Vec]int32{}
	for v := range points {
		u := int32(len(x.of))
		stays := len(w.Of[v]) == 0 || fixed != nil && fixed[v]
		switch {
		case stays:
		case rigid[v] >= 0:
			u = taken(byPiece, rigid[v], u)
		default:
			// What lies on another surface may be bound otherwise, and stays apart.
			if k := taken(byPlace, points[v], u); k == u || slices.Equal(w.Of[v], w.Of[x.of[k][0]]) {
				u = k
			}
		}
		if int(u) == len(x.of) {
			x.of, x.fixed = append(x.of, nil), append(x.fixed, stays)
		}
		x.by[v] = u
		x.of[u] = append(x.of[u], int32(v))
	}
	x.join(m, points)
	return x
}

// taken is what a key has, or gets.
func taken[K comparable](of map[K]int32, key K, otherwise int32) int32 {
	if u, ok := of[key]; ok {
		return u
	}
	of[key] = otherwise
	return otherwise
}

// join makes units neighbors along edges, by the cotangents across them, and gives each the area about it.
func (x *units) join(m *mesh.Mesh, points []r3.Vec) {
	n := len(x.of)
	first := make([]r3.Vec, n)
	for u, list := range x.of {
		first[u] = points[list[0]]
	}
	tris, _ := m.Triangles()
	x.mass = make([]float64, n)
	var between [][3]int32
	total := 0.0
	for _, t := range tris {
		area := r3.Norm(geom.TriangleNormal(points[t[0]], points[t[1]], points[t[2]])) / 2
		total += area
		u := [3]int32{x.by[t[0]], x.by[t[1]], x.by[t[2]]}
		for _, a := range u {
			x.mass[a] += area / 3
		}
		if u[0] != u[1] && u[1] != u[2] && u[2] != u[0] {
			between = append(between, u)
		}
	}
	for u := range x.mass {
		x.mass[u] *= float64(n) / math.Max(total, 1e-300)
	}
	a, _, _ := mesh.Laplacian(first, between)
	x.start = make([]int32, n+1)
	for u := range n {
		for k := a.Start[u]; k < a.Start[u+1]; k++ {
			if b := a.Col[k]; int(b) != u {
				x.to, x.stiff = append(x.to, b), append(x.stiff, min(max(-a.Val[k], leastStiff), mostStiff))
			}
		}
		x.start[u+1] = int32(len(x.to))
	}
	x.mate = make([]int32, len(x.to))
	for u := range n {
		for k := x.start[u]; k < x.start[u+1]; k++ {
			b := x.to[k]
			i, _ := slices.BinarySearch(x.to[x.start[b]:x.start[b+1]], int32(u))
			x.mate[k] = x.start[b] + int32(i)
		}
	}
}

// colors divides the units that which has so that no two neighbors have one color.
func (x *units) colors(which func(u int) bool) [][]int32 {
	color := make([]int, len(x.of))
	var out [][]int32
	var taken []bool
	for u := range x.of {
		color[u] = -1
		if !which(u) {
			continue
		}
		clear(taken)
		for _, b := range x.to[x.start[u]:x.start[u+1]] {
			if int(b) < u && color[b] >= 0 {
				taken[color[b]] = true
			}
		}
		c := slices.Index(taken, false)
		if c < 0 {
			c = len(out)
			out, taken = append(out, nil), append(taken, false)
		}
		color[u] = c
		out[c] = append(out[c], int32(u))
	}
	return out
}

// allowed lists for each unit the joints that may move it: those that do, and those that move what is near it along
// the surface, so that nothing reaches across a gap.
func (p *Problem) allowed(s *skeleton.Skeleton) [][]int32 {
	n := len(p.of)
	reach := p.reaches(s)
	by := make([][]int32, len(p.w.Joints)) // by joint: the units that it moves
	for u := range n {
		for _, x := range p.w.Of[p.of[u][0]] {
			if x.Value > moves {
				by[x.Joint] = append(by[x.Joint], int32(u))
			}
		}
	}
	type near struct {
		joint int32
		far   float64
	}
	found := make([][]geom.Step, len(by)) // by joint: the units that it may move, and how far they are
	geom.Chunks(len(by), 1, func(lo, hi int) {
		far := make([]float64, n)
		for u := range far {
			far[u] = math.Inf(1)
		}
		for j := lo; j < hi; j++ {
			var queue geom.Queue
			for _, u := range by[j] {
				far[u] = 0
				queue.Push(geom.Step{At: u})
			}
			for len(queue) > 0 {
				x := queue.Pop()
				if x.Way > far[x.At] {
					continue
				}
				found[j] = append(found[j], x)
				a := p.points[p.of[x.At][0]]
				for _, b := range p.to[p.start[x.At]:p.start[x.At+1]] {
					way := x.Way + r3.Norm(r3.Sub(p.points[p.of[b][0]], a))
					if way < far[b] && way <= reach[b] {
						far[b] = way
						queue.Push(geom.Step{At: b, Way: way})
					}
				}
			}
			for _, x := range found[j] {
				far[x.At] = math.Inf(1)
			}
		}
	})
	lists := make([][]near, n)
	for j := range found {
		for _, x := range found[j] {
			lists[x.At] = append(lists[x.At], near{int32(j), x.Way})
		}
	}
	out := make([][]int32, n)
	for u := range n {
		own := p.w.Of[p.of[u][0]]
		for _, x := range own {
			out[u] = append(out[u], x.Joint)
		}
		if !p.fixed[u] {
			slices.SortStableFunc(lists[u], func(a, b near) int { return cmp.Compare(a.far, b.far) })
			for _, x := range lists[u] {
				if len(out[u]) >= mostJoints && len(out[u]) >= len(own) {
					break
				}
				if !slices.Contains(out[u], x.joint) {
					out[u] = append(out[u], x.joint)
				}
			}
		}
		slices.Sort(out[u])
	}
	p.allowHelpers(s, out)
	return out
}

// reaches is, by unit, how far along the surface joints may come to it, metres.
func (p *Problem) reaches(s *skeleton.Skeleton) []float64 {
	deform, of := make([]bool, len(s.Joints)), make([]int, len(s.Joints))
	for k, i := range p.numbers {
		if i >= 0 {
			deform[i], of[i] = true, k
		}
	}
	bones := make([][]skeleton.Bone, len(p.w.Joints))
	for _, b := range s.Leading(deform) {
		bones[of[b.Joint]] = append(bones[of[b.Joint]], b)
	}
	for _, i := range s.Helpers() { // a helper joint has no bone, and reaches as far as its driver
		d := s.Index(s.Joints[i].Helper.Driver)
		if deform[i] && deform[d] {
			bones[of[i]] = bones[of[d]]
		}
	}
	out := make([]float64, len(p.of))
	geom.Chunks(len(p.of), 256, func(lo, hi int) {
		for u := lo; u < hi; u++ {
			v := p.of[u][0]
			best := math.Inf(1)
			for _, x := range p.w.Of[v] {
				for _, b := range bones[x.Joint] {
					on, _ := geom.ClosestOnSegment(p.points[v], b.A, b.B)
					best = min(best, r3.Norm(r3.Sub(on, p.points[v])))
				}
			}
			if !math.IsInf(best, 1) {
				out[u] = within * best
			}
		}
	})
	return out
}
