package bind

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// wallThickness is how thick, over the body's height, a wall is at most of which the outer
	// side goes with the inner one.
	wallThickness = 0.03
	// wallRound is how much longer than through the wall the way along the surface to the
	// nearest vertex that sees a bone must be: heat that comes so far round says nothing.
	wallRound = 4
	// wallFar is how far round, over the body's height, it must be at least, so that the inside
	// of an ear is no wall.
	wallFar = 0.06
	// wallShare is how much of its piece the far side must be.
	wallShare = 0.03
)

// walls gives the far sides of thin walls the weights of the sides that see bones: where a
// body has two skins that meet only at a rim, the outer one sees no bone and heat reaches it
// round the rim alone. It returns the vertices that it gave new ones.
func (l *layering) walls(w *weights.Weights, r *rounds, limits weights.Limits) []bool {
	if r == nil {
		return nil
	}
	height, thick := r.height, wallThickness*r.height
	sees, round := r.sees, r.way
	var seen [][3]int32 // and what is near such
	known := func(v int32) bool { return round[v] < wallFar*height }
	for _, t := range l.bodyTris() {
		if known(t[0]) && known(t[1]) && known(t[2]) && len(w.Of[t[0]]) > 0 && len(w.Of[t[1]]) > 0 && len(w.Of[t[2]]) > 0 {
			seen = append(seen, t)
		}
	}
	if len(seen) == 0 {
		return nil
	}
	tree := geom.NewTree(l.points, seen)
	given := make([]bool, len(l.points))
	next := make([][]weights.Influence, len(l.points))
	geom.Chunks(len(l.points), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			if sees[v] || !l.isBody(int32(v)) || round[v] < wallFar*height {
				continue
			}
			tri, at, d := tree.NearestOf(l.points[v], thick, nil)
			if tri < 0 || round[v] < wallRound*d {
				continue
			}
			t := seen[tri]
			next[v] = w.Blend(t[:], barycentric(at, l.points[t[0]], l.points[t[1]], l.points[t[2]]), limits)
			given[v] = true
		}
	})
	of := make([]int, l.pieces.Count())
	for v, yes := range given {
		if yes {
			of[l.pieces.OfVertex[v]]++
		}
	}
	some := false
	for v, yes := range given {
		p := l.pieces.OfVertex[v]
		given[v] = yes && float64(of[p]) >= wallShare*float64(l.pieces.Vertices[p])
		if given[v] {
			w.Of[v], some = next[v], true
		}
	}
	if !some {
		return nil
	}
	l.even(w, given, clothReach, limits)
	return given
}

// rounds is how far heat comes to the vertices of the body that see no bone.
type rounds struct {
	sees   []bool    // as widely has it
	way    []float64 // along the surface to the nearest that sees one, metres; longest where it is longer
	height float64   // of the body, metres
}

// longest is up to how far round ways are measured.
func (r *rounds) longest() float64 { return 2 * wallRound * wallThickness * r.height }

// rounds measures them; nil where all see one.
func (l *layering) rounds(sees []bool) *rounds {
	r := &rounds{sees: l.widely(sees), height: geom.BoxOf(l.points).Size().Y}
	for v := range l.points {
		if l.isBody(int32(v)) && !r.sees[v] {
			r.way = l.alongToSeen(r.sees, r.longest())
			return r
		}
	}
	return nil
}

// farRound tells the vertices of the body that no side of a wall gave weights and that heat reaches only from far
// round, much farther than their nearest bone is: what comes that way may be of any joint, as the head's at the
// thighs of a figure with walls.
func (l *layering) farRound(r *rounds, given []bool, deform []bool) []bool {
	out := make([]bool, len(l.points))
	if r == nil {
		return out
	}
	bones := l.s.Leading(deform)
	geom.Chunks(len(l.points), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			if given != nil && given[v] || !l.isBody(int32(v)) || r.way[v] < 2*wallFar*r.height {
				continue
			}
			near := math.Inf(1)
			for _, b := range bones {
				on, _ := geom.ClosestOnSegment(l.points[v], b.A, b.B)
				near = math.Min(near, r3.Norm(r3.Sub(on, l.points[v])))
			}
			out[v] = r.way[v] >= math.Min(r.longest(), wallRound*near)
		}
	})
	return out
}

// widely leaves out vertices that see a bone and most of whose neighbours do not: a gap
// between two surfaces that some ray slips through.
func (l *layering) widely(sees []bool) []bool {
	start, to := l.m.Edges().Neighbours(len(l.points))
	for range 3 {
		next := make([]bool, len(sees))
		for v, yes := range sees {
			n := 0
			for _, k := range to[start[v]:start[v+1]] {
				if sees[k] {
					n++
				}
			}
			next[v] = yes && 2*n > int(start[v+1]-start[v])
		}
		sees = next
	}
	return sees
}

// alongToSeen is for each vertex the way along edges to the nearest that sees a bone, metres,
// and far where it is longer.
func (l *layering) alongToSeen(sees []bool, far float64) []float64 {
	out := make([]float64, len(l.points))
	var q geom.Queue
	for v, yes := range sees {
		if !yes {
			out[v] = far
		} else if l.isBody(int32(v)) {
			q.Push(geom.Step{At: int32(v), Way: 0})
		}
	}
	start, to := l.m.Edges().Neighbours(len(l.points))
	for len(q) > 0 {
		x := q.Pop()
		if x.Way > out[x.At] {
			continue
		}
		for _, k := range to[start[x.At]:start[x.At+1]] {
			if way := x.Way + r3.Norm(r3.Sub(l.points[k], l.points[x.At])); way < out[k] {
				out[k] = way
				q.Push(geom.Step{At: k, Way: way})
			}
		}
	}
	return out
}
