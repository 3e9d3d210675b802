// Package weights holds the skin weights of a mesh: for each vertex a few
// joints and how strongly it follows each.
package weights

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
)

// Influence is one joint's share in a vertex; Joint indexes Weights.Joints.
type Influence struct {
	Joint int32
	Value float64
}

// Weights are the influences of every vertex, heaviest first. Values of a
// vertex are positive and sum to 1; a vertex without influences has no
// solution.
type Weights struct {
	Joints []string
	Of     [][]Influence
	Mix    *Mix // of dual quaternions by vertex; nil: all vertices as their joints have it
}

// New returns weights for n vertices with none set.
func New(joints []string, n int) *Weights {
	return &Weights{Joints: slices.Clone(joints), Of: make([][]Influence, n)}
}

// Limits say what is kept of a solution.
type Limits struct {
	Cap   int     `json:"cap"`   // influences per vertex at most; 0 is any number
	Trace float64 `json:"trace"` // values below it are dropped, unless it is the largest
}

// FromColumns builds weights from one column of values per joint; a nil column
// is all zero. Each vertex keeps its Cap largest values of at least Trace
// (equal values: the lower joint), faded before the cut as by Clean and renormalised to sum to 1. A vertex whose
// values are all zero stays without influences.
func FromColumns(joints []string, columns [][]float64, n int, l Limits) *Weights {
	w := New(joints, n)
	geom.Chunks(n, 2048, func(lo, hi int) {
		var buf []Influence
		var ends []int32
		var all []Influence // of the range, so that not every vertex is a piece of memory
		for v := lo; v < hi; v++ {
			buf = buf[:0]
			for j, col := range columns {
				if col != nil && col[v] > 0 {
					buf = append(buf, Influence{int32(j), col[v]})
				}
			}
			all = append(all, cleaned(buf, l)...)
			ends = append(ends, int32(len(all)))
		}
		all = slices.Clip(all)
		start := int32(0)
		for k, end := range ends {
			if end > start {
				w.Of[lo+k] = all[start:end:end]
			}
			start = end
		}
	})
	return w
}

// Clean returns the influences that l keeps, heaviest first and normalised; where more than the cap are there,
// they are faded by how near they are to the heaviest that is cut, so that each reaches zero where it leaves.
// Values that are not positive numbers are dropped.
func Clean(list []Influence, l Limits) []Influence {
	return slices.Clone(cleaned(slices.Clone(list), l))
}

// cleaned is Clean within the list's own memory.
func cleaned(list []Influence, l Limits) []Influence {
	out := list[:0]
	for _, x := range list {
		if x.Value > 0 && !math.IsInf(x.Value, 1) {
			out = append(out, x)
		}
	}
	Sort(out)
	out = fade(out, l.Cap)
	for len(out) > 1 && out[len(out)-1].Value < l.Trace {
		out = out[:len(out)-1]
	}
	normalise(out)
	return out
}

// Sort puts influences heaviest first; equal ones by joint.
func Sort(list []Influence) {
	if len(list) > 24 {
		slices.SortFunc(list, func(a, b Influence) int {
			return cmp.Or(cmp.Compare(b.Value, a.Value), cmp.Compare(a.Joint, b.Joint))
		})
		return
	}
	for i := 1; i < len(list); i++ { // a handful mostly
		x, k := list[i], i
		for ; k > 0 && (list[k-1].Value < x.Value || list[k-1].Value == x.Value && list[k-1].Joint > x.Joint); k-- {
			list[k] = list[k-1]
		}
		list[k] = x
	}
}

func normalise(list []Influence) {
	var sum float64
	for _, x := range list {
		sum += x.Value
	}
	if sum == 0 {
		return
	}
	for i := range list {
		list[i].Value /= sum
	}
}

// Add returns the number of a joint, which is added without any share if it is not there. Only
// for weights that are being made.
func (w *Weights) Add(joint string) int32 {
	k := slices.Index(w.Joints, joint)
	if k < 0 {
		k = len(w.Joints)
		w.Joints = append(slices.Clip(w.Joints), joint)
	}
	return int32(k)
}

// Renumbered returns influences with the joints of one list by their numbers in another.
func Renumbered(list []Influence, to []int32) []Influence {
	out := make([]Influence, len(list))
	for k, x := range list {
		out[k] = Influence{Joint: to[x.Joint], Value: x.Value}
	}
	return out
}

// Value returns joint j's share in vertex v.
func (w *Weights) Value(v int, j int32) float64 {
	return value(w.Of[v], j)
}

// Column returns joint j's share in every vertex.
func (w *Weights) Column(j int32) []float64 {
	out := make([]float64, len(w.Of))
	for v := range w.Of {
		out[v] = w.Value(v, j)
	}
	return out
}

// Leader returns the joint with the largest share in vertex v, -1 if none.
func (w *Weights) Leader(v int) int32 {
	if len(w.Of[v]) == 0 {
		return -1
	}
	return w.Of[v][0].Joint
}

// Unweighted returns the vertices without influences.
func (w *Weights) Unweighted() []int32 {
	var out []int32
	for v := range w.Of {
		if len(w.Of[v]) == 0 {
			out = append(out, int32(v))
		}
	}
	return out
}

// Blend returns the weighted mean of several vertices' influences, cleaned to
// l; shares are the weights of the mean.
func (w *Weights) Blend(vertices []int32, shares []float64, l Limits) []Influence {
	sum := map[int32]float64{}
	for i, v := range vertices {
		for _, x := range w.Of[v] {
			sum[x.Joint] += shares[i] * x.Value
		}
	}
	list := make([]Influence, 0, len(sum))
	for j, x := range sum {
		list = append(list, Influence{j, x})
	}
	return Clean(list, l)
}

// Gather carries the weights over to a mesh whose vertex v comes from the old
// vertex origin[v]; -1 is a vertex without weights.
func (w *Weights) Gather(origin []int32) *Weights {
	out := New(w.Joints, len(origin))
	out.Mix = w.Mix.gathered(origin, len(w.Of))
	for v, o := range origin {
		if o >= 0 && int(o) < len(w.Of) {
			out.Of[v] = w.Of[o]
		}
	}
	return out
}

// Mirror returns one vertex's influences with every joint replaced by its
// partner; partner[j] is j itself for a joint without one.
func Mirror(list []Influence, partner []int32) []Influence {
	out := make([]Influence, len(list))
	for i, x := range list {
		out[i] = Influence{partner[x.Joint], x.Value}
	}
	Sort(out)
	return out
}

// Handed returns the weights with joints renamed (new names by old ones), and the
// shares of removed joints given to others ("" drops them; what is left of a
// vertex is normalised).
func (w *Weights) Handed(renamed, removed map[string]string) *Weights {
	out := &Weights{Of: make([][]Influence, len(w.Of)), Mix: w.Mix}
	number := map[string]int32{}
	var names []string
	for _, n := range w.Joints {
		if _, gone := removed[n]; gone {
			continue
		}
		if r, ok := renamed[n]; ok {
			n = r
		}
		number[n] = int32(len(names))
		names = append(names, n)
	}
	to := make([]int32, len(w.Joints))
	for i, n := range w.Joints {
		for range len(w.Joints) { // a removed joint may be given to a removed one
			p, gone := removed[n]
			if !gone {
				break
			}
			n = p
		}
		if r, ok := renamed[n]; ok {
			n = r
		}
		k, ok := number[n]
		switch {
		case ok:
		case n != "" && !contains(removed, n): // it had no weights so far
			k = int32(len(names))
			number[n] = k
			names = append(names, n)
		default:
			k = -1
		}
		to[i] = k
	}
	out.Joints = names
	for v, list := range w.Of {
		sum := map[int32]float64{}
		same := true
		for _, x := range list {
			k := to[x.Joint]
			same = same && k == x.Joint
			if k >= 0 {
				sum[k] += x.Value
			}
		}
		if same {
			out.Of[v] = list
			continue
		}
		next := make([]Influence, 0, len(sum))
		for k, value := range sum {
			next = append(next, Influence{k, value})
		}
		out.Of[v] = Clean(next, Limits{})
	}
	return out
}

func contains(m map[string]string, k string) bool {
	_, ok := m[k]
	return ok
}

// Validate reports the first vertex whose influences name no joint, are not
// positive, repeat a joint, or do not sum to 1 within 1e-5.
func (w *Weights) Validate() error {
	for v, list := range w.Of {
		sum := 0.0
		for i, x := range list {
			if x.Joint < 0 || int(x.Joint) >= len(w.Joints) {
				return fmt.Errorf("vertex %d is moved by joint %d of %d", v, x.Joint, len(w.Joints))
			}
			if !(x.Value > 0) || math.IsInf(x.Value, 0) {
				return fmt.Errorf("vertex %d has the weight %g", v, x.Value)
			}
			for _, y := range list[:i] {
				if y.Joint == x.Joint {
					return fmt.Errorf("vertex %d names joint %q twice", v, w.Joints[x.Joint])
				}
			}
			sum += x.Value
		}
		if len(list) > 0 && math.Abs(sum-1) > 1e-5 {
			return fmt.Errorf("the weights of vertex %d sum to %g", v, sum)
		}
	}
	return nil
}
