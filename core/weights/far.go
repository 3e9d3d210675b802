package weights

import (
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// A joint's weight falls off with the distance from its bone: beyond the bone that is nearest, by how often its own
// reach, no automatic bind of the cast and of strangers has more than 0.55, 0.18, 0.12, 0.065, 0.028, 0.018, 0.011
// in steps of a quarter from 0.25 on (measured here, bench/tables/planted.md; no source). farMost lies above these.

// farMost is the most that a joint may have of a vertex that is so many reaches farther from its bone than from the
// nearest one.
func farMost(reaches float64) float64 {
	if reaches < 0.5 {
		return 1
	}
	return math.Max(0.006, 0.75*math.Exp(-2*reaches))
}

// faintFar is below what weight a far one is a trace, which shows little and costs an influence.
const faintFar = 0.02

// bonesOf are the bones of the joints that have weights, by joint of the weights.
func (e *Editor) bonesOf(s *skeleton.Skeleton) [][]skeleton.Bone {
	used := make([]bool, len(e.Joints))
	for v := range e.Of {
		for _, x := range e.Of[v] {
			used[x.Joint] = true
		}
	}
	at, of := make([]bool, len(s.Joints)), make([]int, len(s.Joints))
	for k, name := range e.Joints {
		if i := s.Index(name); i >= 0 && used[k] {
			at[i], of[i] = true, k
		}
	}
	out := make([][]skeleton.Bone, len(e.Joints))
	for _, b := range s.Leading(at) {
		out[of[b.Joint]] = append(out[of[b.Joint]], b)
	}
	return out
}

// toBones is how far a place is from the nearest of some bones, infinite where there are none.
func toBones(p r3.Vec, bones []skeleton.Bone) float64 {
	best := math.Inf(1)
	for _, b := range bones {
		on, _ := geom.ClosestOnSegment(p, b.A, b.B)
		best = math.Min(best, r3.Norm2(r3.Sub(p, on)))
	}
	return math.Sqrt(best)
}

// far are weights that are much farther from their bone than weights reach. What follows one list of joints as a
// whole piece, as a thing that is held, is left out, and joints without a bone. Vertices
// that the partner of the joint at home there leads are far too, where partner is not nil.
func (e *Editor) far(n *Net, s *skeleton.Skeleton, partner []int32) []Problem {
	bones := e.bonesOf(s)
	distance := func(p r3.Vec, j int) float64 { return toBones(p, bones[j]) }
	home, nearest := make([]int32, len(n.At)), make([]float64, len(n.At))
	geom.Chunks(len(n.At), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			home[v], nearest[v] = -1, math.Inf(1)
			for j := range bones {
				if d := distance(n.At[v], j); d < nearest[v] {
					home[v], nearest[v] = int32(j), d
				}
			}
		}
	})
	reach := make([]float64, len(bones))
	own := make([][]float64, len(bones))
	for v, h := range home {
		if h >= 0 {
			own[h] = append(own[h], nearest[v])
		}
	}
	for j := range own {
		radius, length := 0.0, 0.0
		if len(own[j]) > 0 {
			slices.Sort(own[j])
			radius = own[j][len(own[j])*3/4]
		}
		for _, b := range bones[j] {
			length = math.Max(length, r3.Norm(r3.Sub(b.B, b.A)))
		}
		reach[j] = math.Max(2.5*radius, 0.35*length)
	}
	piece := n.pieces()
	stiff := e.stiffPieces(piece)
	found := make([][]Problem, (len(e.Of)+511)/512)
	geom.Chunks(len(e.Of), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			if home[v] < 0 || len(e.Of[v]) == 0 || stiff[piece[v]] {
				continue
			}
			worst := Problem{}
			for _, x := range e.Of[v] {
				if x.Joint == home[v] || len(bones[x.Joint]) == 0 || reach[x.Joint] == 0 {
					continue
				}
				reaches := (distance(n.At[v], int(x.Joint)) - nearest[v]) / reach[x.Joint]
				if x.Value > farMost(reaches) && x.Value > worst.Size {
					kind := ProblemFar
					if x.Value < faintFar {
						kind = ProblemTrace
					}
					worst = Problem{int32(v), kind, x.Joint, x.Value}
				}
			}
			if j := e.Of[v][0].Joint; partner != nil && partner[j] != j && worst.Kind == "" {
				// The other side's joint leads, though this side's is at home here.
				own := distance(n.At[v], int(partner[j]))
				if own < wrongSide*distance(n.At[v], int(j)) && own < nearest[v]+reach[partner[j]] {
					worst = Problem{int32(v), ProblemFar, j, e.Of[v][0].Value}
				}
			}
			if worst.Kind != "" {
				found[lo/512] = append(found[lo/512], worst)
			}
		}
	})
	return slices.Concat(found...)
}

// wrongSide is how much nearer the partner of a leading joint must be for that to be the wrong one.
const wrongSide = 0.4

// stiffPieces tells the pieces of which all vertices have the same list.
func (e *Editor) stiffPieces(piece []int32) []bool {
	count := int32(0)
	for _, p := range piece {
		count = max(count, p+1)
	}
	first, out := make([]int32, count), make([]bool, count)
	for p := range out {
		out[p], first[p] = true, -1
	}
	for v, p := range piece {
		if first[p] < 0 {
			first[p] = int32(v)
		}
		out[p] = out[p] && slices.Equal(e.Of[v], e.Of[first[p]])
	}
	return out
}

// DropFar takes weights away that are far from their bone, and traces there; it returns how many vertices had any.
func (e *Editor) DropFar(vertices []int32, n *Net, s *skeleton.Skeleton, partner []int32) int {
	for v := range e.Of {
		e.At(int32(v))
	}
	asked := make([]bool, len(e.Of))
	for _, v := range e.All(vertices) {
		asked[v] = true
	}
	count := 0
	for range mostFarAt { // each time the worst of each vertex
		again := false
		for _, p := range e.far(n, s, partner) {
			if !asked[p.Vertex] || e.Locked[p.Joint] {
				continue
			}
			gone := make([]bool, len(e.Joints))
			gone[p.Joint] = true
			if e.Free(p.Vertex, gone, n) {
				again = true
				count++
			}
		}
		if !again {
			break
		}
	}
	return count
}

// mostFarAt is how many far weights are taken from one vertex.
const mostFarAt = 8
