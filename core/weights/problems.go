package weights

import (
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// Kinds of problems of weights, in the order in which a map shows them.
const (
	ProblemIsland = "island" // a share that is cut off along the surface from the joint's main region
	ProblemFar    = "far"    // a weight far from the joint's bone, farther than weights reach
	ProblemStep   = "step"   // weights that differ far more from a neighbor's than those around them do
	ProblemMirror = "mirror" // shares that differ from those of the mirror image
	ProblemTrace  = "trace"  // a faint weight far from the joint's bone
	ProblemBare   = "bare"   // no weights at all
)

// Problem is what is wrong at a vertex. Size is, of an island and of what is far, the weight; of a step and a
// mirror image, half the sum of the differences of weights.
type Problem struct {
	Vertex int32   `json:"vertex"`
	Kind   string  `json:"kind"`
	Joint  int32   `json:"joint"` // to blame, -1 where it is none
	Size   float64 `json:"size"`
}

const (
	// islandFaint is below what share an island counts for nothing.
	islandFaint = 0.005
	// islandPeak is how large the largest weight of an island is at least: a fainter one cannot be seen.
	islandPeak = 0.08
	// islandAway is from how many times the mean distance of a joint's main region from its bone on a region is cut off.
	islandAway = 1.8
	// mirrorLimit is what a vertex and its image may differ by.
	mirrorLimit = 0.05
)

// Problems finds what is wrong with weights: bare vertices, islands, what is far from its bone where s is not nil,
// steps, differences from the mirror image where m is not nil, and traces. Each vertex has its worst, in this order.
func (e *Editor) Problems(n *Net, s *skeleton.Skeleton, m *Mirrored, partner []int32) []Problem {
	worst := make([]Problem, len(e.Of))
	put := func(v, joint int32, kind string, size float64) {
		if x := &worst[v]; x.Kind == "" || x.Kind == kind && x.Size < size {
			*x = Problem{v, kind, joint, size}
		}
	}
	used := make([]bool, len(e.Of))
	for _, t := range n.Tris {
		for _, v := range t {
			used[v] = true
		}
	}
	for v := range e.Of {
		e.At(int32(v))
		if used[v] && len(e.Of[v]) == 0 {
			put(int32(v), -1, ProblemBare, 1)
		}
	}
	for _, x := range e.islands(n, s) {
		put(x.Vertex, x.Joint, ProblemIsland, x.Size)
	}
	var far []Problem
	if s != nil {
		far = e.far(n, s, partner)
	}
	for _, x := range far {
		if x.Kind == ProblemFar {
			put(x.Vertex, x.Joint, x.Kind, x.Size)
		}
	}
	for _, x := range n.surface().steps(e.Of) {
		put(x.Vertex, x.Joint, x.Kind, x.Size)
	}
	if m != nil {
		for v := range e.Of {
			if image := m.Image(e, n, int32(v), partner); len(image) > 0 && len(e.Of[v]) > 0 {
				if d := apart(e.Of[v], image); d > mirrorLimit {
					put(int32(v), -1, ProblemMirror, d)
				}
			}
		}
	}
	for _, x := range far {
		put(x.Vertex, x.Joint, x.Kind, x.Size)
	}
	return slices.DeleteFunc(worst, func(p Problem) bool { return p.Kind == "" })
}

// pieces numbers the sets of vertices that edges join.
func (n *Net) pieces() []int32 {
	out := make([]int32, len(n.At))
	for v := range out {
		out[v] = -1
	}
	next := int32(0)
	var stack []int32
	for v := range out {
		if out[v] >= 0 {
			continue
		}
		stack = append(stack[:0], int32(v))
		out[v] = next
		for len(stack) > 0 {
			x := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			for _, k := range n.Near(x) {
				if out[k] < 0 {
					out[k] = next
					stack = append(stack, k)
				}
			}
		}
		next++
	}
	return out
}

// islands are weights of joints that are cut off, on one piece of the surface, from where the
// joint has most there. Where s is not nil what is about as near to the bone as that is none: a ring round a limb
// that others part in two.
func (e *Editor) islands(n *Net, s *skeleton.Skeleton) []Problem {
	piece := n.pieces()
	distance := func(r3.Vec, int) float64 { return 0 }
	if s != nil {
		bones := e.bonesOf(s)
		distance = func(p r3.Vec, j int) float64 { return toBones(p, bones[j]) }
	}
	of := make([][]int32, len(e.Joints))
	for v, list := range e.Of {
		for _, x := range list {
			if x.Value >= islandFaint {
				of[x.Joint] = append(of[x.Joint], int32(v))
			}
		}
	}
	found := make([][]Problem, len(e.Joints))
	geom.Chunks(len(e.Joints), 1, func(j, _ int) {
		region := make(map[int32]int32, len(of[j])) // + 1
		for _, v := range of[j] {
			region[v] = 0
		}
		var weight []float64
		home := map[int32]int32{} // by piece: its heaviest region
		var stack []int32
		for _, v := range of[j] {
			if region[v] != 0 {
				continue
			}
			weight = append(weight, 0)
			k := int32(len(weight))
			region[v] = k
			stack = append(stack[:0], v)
			for len(stack) > 0 {
				x := stack[len(stack)-1]
				stack = stack[:len(stack)-1]
				weight[k-1] += e.value(x, int32(j))
				for _, y := range n.Near(x) {
					if r, ok := region[y]; ok && r == 0 {
						region[y] = k
						stack = append(stack, y)
					}
				}
			}
			if h := home[piece[v]]; h == 0 || weight[k-1] > weight[h-1] {
				home[piece[v]] = k
			}
		}
		peak, away := make([]float64, len(weight)+1), make([]float64, len(weight)+1)
		for _, v := range of[j] {
			r, x := region[v], e.value(v, int32(j))
			peak[r] = max(peak[r], x)
			away[r] += float64(x*distance(n.At[v], j)) / weight[r-1]
		}
		for _, v := range of[j] {
			r, own := region[v], home[piece[v]]
			if r != own && peak[r] >= islandPeak && (s == nil || math.IsInf(away[own], 1) || away[r] > islandAway*away[own]) {
				found[j] = append(found[j], Problem{v, ProblemIsland, int32(j), e.value(v, int32(j))})
			}
		}
	})
	var out []Problem
	for _, list := range found {
		out = append(out, list...)
	}
	return out
}

// value is Value of a vertex that was rounded before.
func (e *Editor) value(v, j int32) float64 { return value(e.Of[v], j) }

// DropIslands takes shares that are cut off away; it returns how many vertices had any.
func (e *Editor) DropIslands(vertices []int32, n *Net, s *skeleton.Skeleton) int {
	for v := range e.Of {
		e.At(int32(v))
	}
	asked := map[int32]bool{}
	for _, v := range e.All(vertices) {
		asked[v] = true
	}
	count := 0
	for _, p := range e.islands(n, s) {
		if !asked[p.Vertex] || e.Locked[p.Joint] {
			continue
		}
		gone := make([]bool, len(e.Joints))
		gone[p.Joint] = true
		if e.Free(p.Vertex, gone, n) {
			count++
		}
	}
	return count
}
