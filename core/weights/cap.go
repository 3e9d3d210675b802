package weights

import (
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// A cap that keeps the heaviest influences of each vertex makes seams: where the kept set changes from one
// vertex to the next, a weight as large as 1/(cap+1) stops at an edge. So weights are faded before the cut: each
// loses as much as the heaviest that is cut has (fade), and along the surface what remains at the border of a
// joint's region is at most seamStep (Capped). A kept set then changes only where the weight that leaves is next
// to zero. No source; measured in demo/seams_test.go.

const (
	// seamStep is the most that a joint may have next to a vertex that lost it to the cut; k edges from there it may
	// have k² of it, so that a ramp begins gently.
	seamStep = 0.019
	// seamRings is how many edges the ramp is long, and seamMost the weight from which on a step is the solution's
	// own, as on a coarse mesh, and stays; so does that of the leading joint.
	seamRings = 2
	seamMost  = 0.2
)

// fade cuts a list, heaviest first, to at most so many, and takes from each what the heaviest that is cut has, so
// that a weight reaches zero where it leaves. Where all are as heavy as that one, the first stay as they are. The
// sum is not kept.
func fade(list []Influence, most int) []Influence {
	if most <= 0 || len(list) <= most {
		return list
	}
	cut := list[most].Value
	if list[0].Value <= cut {
		return list[:most]
	}
	list = list[:most]
	for i, x := range list {
		list[i].Value = x.Value - cut
	}
	for list[len(list)-1].Value <= least*list[0].Value {
		list = list[:len(list)-1]
	}
	return list
}

// Capped returns weights of a mesh with at most l.Cap influences per vertex and none below l.Trace, faded so
// that the cut leaves no seam: at a vertex next to one that lost a joint to the cut, that joint has no more than
// seamStep, unless it steps by seamMost or leads there. Vertices in one position count as neighbors. Lists that need
// no change are those of w.
func Capped(m *mesh.Mesh, w *Weights, l Limits) *Weights {
	out, over := cutEach(w, l)
	if over {
		start, to := m.Edges().Neighbours(len(m.Points))
		eased(w, out, l, surfaceOf(m.World(), func(v int32) []int32 { return to[start[v]:start[v+1]] }))
	}
	return out
}

// cutEach cleans the lists of each vertex that are over limits; over tells whether any was over the cap.
func cutEach(w *Weights, l Limits) (out *Weights, over bool) {
	out = &Weights{Joints: w.Joints, Of: make([][]Influence, len(w.Of)), Mix: w.Mix}
	some := make([]bool, (len(w.Of)+cappedChunk-1)/cappedChunk)
	geom.Chunks(len(w.Of), cappedChunk, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			list := w.Of[v]
			many := l.Cap > 0 && len(list) > l.Cap
			some[lo/cappedChunk] = some[lo/cappedChunk] || many
			if many || len(list) > 1 && list[len(list)-1].Value < l.Trace {
				list = Clean(list, l)
			}
			out.Of[v] = list
		}
	})
	return out, slices.Contains(some, true)
}

// eased lets the weights that a cut left end gently along a surface, and evens the steps that it made where many
// joints have nearly the same weight, each vertex among the joints that it has; what is an outlier still is settled.
func eased(whole, cut *Weights, l Limits, s *surface) {
	ramps := func() {
		limit := seamLimits(whole, cut, s.near, s.same)
		geom.Chunks(len(cut.Of), cappedChunk, func(lo, hi int) {
			for v := lo; v < hi; v++ {
				if limit[v] != nil {
					cut.Of[v] = Clean(limited(cut.Of[v], limit[v]), l)
				}
			}
		})
	}
	ramps()
	made := slices.DeleteFunc(s.steps(cut.Of), func(p Problem) bool {
		was := 0.0
		for _, k := range s.near(p.Vertex) {
			was = max(was, apart(whole.Of[p.Vertex], whole.Of[k]))
		}
		return was > p.Size/2
	})
	if len(made) > 0 {
		s.even(cut, made, nil, func(v int32) []Influence { return Clean(s.own(cut.Of, v), l) })
		ramps()
	}
	for range 2 {
		s.settle(cut, s.steps(cut.Of), l)
	}
}

const cappedChunk = 1024

// sameAs is, by vertex, the next one in the same position, in a ring; nil where there are none.
func sameAs(at []r3.Vec) []int32 {
	last, first := make(map[r3.Vec]int32, len(at)), map[r3.Vec]int32{}
	next := make([]int32, len(at))
	for i, p := range at {
		v := int32(i)
		next[v] = v
		if k, ok := last[p]; ok {
			if _, several := first[p]; !several {
				first[p] = k
			}
			next[k], next[v] = v, first[p]
		}
		last[p] = v
	}
	if len(first) == 0 {
		return nil
	}
	return next
}

// seamLimits are, by vertex, the most that its joints may have so that weights end gently at vertices that the
// cut left without them; nil where nothing is limited.
func seamLimits(raw, cut *Weights, near func(v int32) []int32, same []int32) [][]Influence {
	limit := make([][]Influence, len(raw.Of))
	of := make([][]int32, len(raw.Joints)) // by joint: the vertices that the cut left without it
	for v, list := range raw.Of {
		for _, x := range list {
			if value(cut.Of[v], x.Joint) == 0 {
				of[x.Joint] = append(of[x.Joint], int32(v))
			}
		}
	}
	type bound struct {
		vertex int32
		most   float64
	}
	found := make([][]bound, len(of))
	geom.Chunks(len(of), 1, func(j, _ int) {
		joint := int32(j)
		ring := of[j]
		done := map[int32]bool{}
		for k := 1; k <= seamRings && len(ring) > 0; k++ {
			var next []int32
			for _, v := range ring {
				reach := func(u int32) {
					if !done[u] && value(cut.Of[u], joint) > seamStep {
						done[u] = true
						next = append(next, u)
					}
				}
				for _, u := range near(v) {
					reach(u)
					for x := twin(same, u); x != u; x = same[x] {
						reach(x)
					}
				}
			}
			ring = next
			for _, u := range ring {
				most := seamStep * float64(k*k)
				if has := value(cut.Of[u], joint); has > most && has < seamMost && cut.Of[u][0].Joint != joint {
					found[j] = append(found[j], bound{u, most})
				}
			}
		}
	})
	for j, list := range found {
		for _, b := range list {
			limit[b.vertex] = append(limit[b.vertex], Influence{int32(j), b.most})
		}
	}
	return limit
}

// twin is the next vertex in the same position, v itself where there is none.
func twin(same []int32, v int32) int32 {
	if same == nil {
		return v
	}
	return same[v]
}

// limited returns a list with no more than most of each joint, normalized. Four rounds bring what normalizing adds
// below a twentieth of a limit.
func limited(list, most []Influence) []Influence {
	out := slices.Clone(list)
	for range 4 {
		for i, x := range out {
			if b := bounded(most, x.Joint); b >= 0 && x.Value > b {
				out[i].Value = b
			}
		}
		normalise(out)
	}
	Sort(out)
	return out
}

// bounded is the most that a joint may have, -1 where it is not limited.
func bounded(most []Influence, joint int32) float64 {
	for _, x := range most {
		if x.Joint == joint {
			return x.Value
		}
	}
	return -1
}

// value is what a list has of a joint.
func value(list []Influence, joint int32) float64 {
	for _, x := range list {
		if x.Joint == joint {
			return x.Value
		}
	}
	return 0
}
