package mesh

import (
	"math"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Groups returns the vertices that lie within distance of each other, in
// groups of two or more, each ascending, ordered by their first vertex. Only
// vertices that may welcomes are compared; nil welcomes all. A chain of near
// vertices is one group.
func Groups(points []r3.Vec, distance float64, may func(v int32) bool) [][]int32 {
	u := newUnion(len(points))
	eachPair(points, distance, may, func(v, w int32) int { u.join(v, w); return 1 })
	return u.groups()
}

// crowd is how many neighbours a vertex is still compared with when too many lie in
// one place: those before it in the order of the file.
const crowd = 64

// eachPair visits the pairs of welcome vertices within distance of each other; visit
// returns how many steps it took. Where vertices lie in one place by the thousand the
// pairs are too many to visit: after a geom.Effort a vertex meets a crowd of its
// neighbours only, and all is false.
func eachPair(points []r3.Vec, distance float64, may func(v int32) bool, visit func(v, w int32) int) (all bool) {
	left := geom.Effort(len(points))
	all = true
	cell := math.Max(distance, geom.BoxOf(points).Diagonal()*geom.SameShare)
	if cell == 0 {
		cell = 1
	}
	type key struct{ x, y, z int64 }
	at := func(p r3.Vec) key {
		return key{int64(math.Floor(p.X / cell)), int64(math.Floor(p.Y / cell)), int64(math.Floor(p.Z / cell))}
	}
	head := make(map[key]int32)
	next := make([]int32, len(points))
	d2 := distance * distance
	for i, p := range points {
		v := int32(i)
		if may != nil && !may(v) {
			continue
		}
		k := at(p)
		for dx := int64(-1); dx <= 1; dx++ {
			for dy := int64(-1); dy <= 1; dy++ {
				for dz := int64(-1); dz <= 1; dz++ {
					w, ok := head[key{k.x + dx, k.y + dy, k.z + dz}]
					for met := 0; ok; met++ {
						if left < 0 && met == crowd {
							all = false
							break
						}
						left--
						if r3.Norm2(r3.Sub(points[w], p)) <= d2 {
							left -= visit(v, w)
						}
						w = next[w]
						ok = w >= 0
					}
				}
			}
		}
		if w, ok := head[k]; ok {
			next[v] = w
		} else {
			next[v] = -1
		}
		head[k] = v
	}
	return all
}

// groups returns the sets of two and more members, each ascending, ordered by
// their first.
func (u union) groups() [][]int32 {
	member := make([]int32, len(u)) // group number + 1 of a root
	var out [][]int32
	for i := range u {
		r := u.find(int32(i))
		if r == int32(i) {
			continue
		}
		if member[r] == 0 {
			out = append(out, []int32{r})
			member[r] = int32(len(out))
		}
		g := member[r] - 1
		out[g] = append(out[g], int32(i))
	}
	return out
}

// Seams are what a weld within a distance would join.
type Seams struct {
	Groups [][]int32 // vertices that become one, each ascending
	Exact  int       // vertices that lie exactly on the first of their group
	Near   int       // the others
	Gap    float64   // the widest, metres
	Cracks int       // pairs of which both lie on an open border
	Apart  int       // pairs left alone, because they belong to two pieces whose borders do not match
	Cut    bool      // too many lie in one place: not every pair was looked at
}

// Extra returns how many vertices the weld would take away.
func (s Seams) Extra() int { return s.Exact + s.Near }

// rim is how many border edges at a vertex are compared with those at another.
const rim = 256

// Seams returns the vertices within distance of each other that a weld may
// join: those on open borders, and loose ones. The vertices of closed surfaces
// that merely lie on each other stay apart. So do borders of two pieces, unless
// across asks for it or they run alongside each other by an edge at least, as
// both sides of a cracked seam do.
func (s *Surface) Seams(distance float64, across bool) Seams {
	m, points, e, p := s.Mesh, s.At, s.Edges, s.Pieces
	inner, border := make([]bool, len(points)), make([]bool, len(points))
	for _, c := range m.Corner {
		inner[c] = true
	}
	var pairsOf [][2]int32 // border edges
	for _, x := range e.Edges {
		if x.Count == 1 {
			inner[x.A], inner[x.B] = false, false
			border[x.A], border[x.B] = true, true
			pairsOf = append(pairsOf, [2]int32{x.A, x.B})
		}
	}
	next := map[int32][]int32{}
	for _, x := range pairsOf {
		next[x[0]] = append(next[x[0]], x[1])
		next[x[1]] = append(next[x[1]], x[0])
	}
	u := newUnion(len(points))
	var out Seams
	d2 := distance * distance
	near := func(v, w int32) bool { return r3.Norm2(r3.Sub(points[v], points[w])) <= d2 }
	matched := func(v, w int32) (yes bool, steps int) {
		for _, a := range next[v][:min(len(next[v]), rim)] {
			for _, b := range next[w][:min(len(next[w]), rim)] {
				if steps++; near(a, b) {
					return true, steps
				}
			}
		}
		out.Cut = out.Cut || max(len(next[v]), len(next[w])) > rim
		return false, steps
	}
	all := eachPair(points, distance, func(v int32) bool { return !inner[v] }, func(v, w int32) int {
		steps := 1
		if !across && border[v] && border[w] && p.OfVertex[v] != p.OfVertex[w] {
			yes, taken := matched(v, w)
			if steps += taken; !yes {
				out.Apart++
				return steps
			}
		}
		u.join(v, w)
		return steps
	})
	out.Cut = out.Cut || !all
	out.Groups = u.groups()
	for _, g := range out.Groups {
		for i, v := range g[1:] {
			gap := r3.Norm(r3.Sub(points[v], points[g[0]]))
			out.Gap = math.Max(out.Gap, gap)
			if gap == 0 {
				out.Exact++
			} else {
				out.Near++
			}
			if border[v] && border[g[i]] {
				out.Cracks++
			}
		}
	}
	return out
}
