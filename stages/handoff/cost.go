package handoff

import (
	"cmp"
	"slices"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

// Cost is what the skin loses by what a target allows: how far it ends up from where all weights take it, when joints turn
// to both ends of their usual ranges one by one.
type Cost struct {
	Influences int     `json:"influences,omitempty"` // at most so many a vertex; 0 is all
	Bits       int     `json:"bits,omitempty"`       // each weight is stored in so many; 0 is 32, as we write them
	Changed    int     `json:"changed"`              // vertices whose weights are others
	Farthest   float64 `json:"farthest_m"`
	Share      float64 `json:"share"`  // of the height
	Vertex     int32   `json:"vertex"` // that is led farthest; -1: none
	Pose       string  `json:"pose"`
	Over       bool    `json:"over"` // more than anybody may call the same skin
}

// Caps are the numbers of influences that a file is written with.
var Caps = []int{4, 8, 16}

// costShows is from what part of the height on a cost is called one: as at the bind.
const costShows = 0.01

// Costs measures what each cap costs, and weights of 8 bits, which many targets store, with the cap that is usual, 4.
func Costs(s *studio.State) []Cost {
	if s.Weights == nil || s.Skeleton == nil || s.Mesh == nil {
		return []Cost{}
	}
	var out []Cost
	points := s.Mesh.World()
	height := geom.BoxOf(points).Size().Y
	for _, n := range append(slices.Clone(Caps), 0) {
		c := Cost{Influences: n, Vertex: -1}
		cut := s.Weights
		if n == 0 {
			c.Influences, c.Bits = Caps[0], 8
		}
		if longest(s.Weights) > c.Influences {
			cut = weights.Capped(s.Mesh, s.Weights, weights.Limits{Cap: c.Influences})
		}
		if c.Bits > 0 {
			cut = InBits(cut, c.Bits)
		}
		for v := range cut.Of {
			if !slices.Equal(cut.Of[v], s.Weights.Of[v]) {
				c.Changed++
			}
		}
		if c.Changed > 0 {
			var far []float64
			far, c.Farthest, c.Pose = deform.ApartQuickly(points, s.Weights, cut, s.Skeleton, s.Settings.Marks)
			for v, d := range far {
				if d == c.Farthest && d > 0 {
					c.Vertex = int32(v)
					break
				}
			}
			c.Share = c.Farthest / max(height, 1e-12)
			c.Over = c.Share > costShows
		}
		out = append(out, c)
	}
	return out
}

func longest(w *weights.Weights) (n int) {
	for _, list := range w.Of {
		n = max(n, len(list))
	}
	return n
}

// InBits are weights as a target stores them in whole numbers of so many bits: rounded, and what is over or missing to a sum
// of 1 taken by the largest, as glTF 2.0 asks of normalized integers (3.7.3.1).
func InBits(w *weights.Weights, bits int) *weights.Weights {
	steps := float64(int(1)<<bits - 1)
	out := &weights.Weights{Joints: w.Joints, Of: make([][]weights.Influence, len(w.Of)), Mix: w.Mix}
	for v, list := range w.Of {
		next := make([]weights.Influence, 0, len(list))
		left := steps
		for _, x := range list {
			n := float64(int(x.Value*steps + 0.5))
			left -= n
			next = append(next, weights.Influence{Joint: x.Joint, Value: n})
		}
		if len(next) > 0 {
			next[0].Value += left // the list begins with the largest
		}
		next = slices.DeleteFunc(next, func(x weights.Influence) bool { return x.Value <= 0 })
		for k := range next {
			next[k].Value /= steps
		}
		slices.SortStableFunc(next, func(a, b weights.Influence) int { return cmp.Compare(b.Value, a.Value) })
		out.Of[v] = next
	}
	return out
}
