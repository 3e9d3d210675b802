package weights

import (
	"fmt"
	"slices"
)

// Mix is how much of what its joints do to a vertex goes by dual quaternions, 0 to 1, where a
// person has said so by vertex; elsewhere it is as the joints have it. Vertices ascend. It is not
// changed in place.
type Mix struct {
	Vertices []int32
	Values   []float32
}

// ByJoints is the value of a vertex, in a list of all, that is mixed as its joints are.
const ByJoints = -1

// Check reports values that are none, of a mesh of n vertices.
func (m *Mix) Check(n int) error {
	if len(m.Vertices) != len(m.Values) {
		return fmt.Errorf("the mix has %d vertices and %d values", len(m.Vertices), len(m.Values))
	}
	for i, v := range m.Vertices {
		switch {
		case v < 0 || int(v) >= n || i > 0 && v <= m.Vertices[i-1]:
			return fmt.Errorf("the mix names vertex %d of %d after %d", v, n, m.Vertices[max(0, i-1)])
		case !(m.Values[i] >= 0 && m.Values[i] <= 1):
			return fmt.Errorf("vertex %d blends %g by dual quaternions: it must be 0 to 1", v, m.Values[i])
		}
	}
	return nil
}

// All returns the value of each of n vertices, ByJoints for those that have none; nil for a nil mix.
func (m *Mix) All(n int) []float64 {
	if m == nil || len(m.Vertices) == 0 {
		return nil
	}
	out := make([]float64, n)
	for v := range out {
		out[v] = ByJoints
	}
	for i, v := range m.Vertices {
		if int(v) < n {
			out[v] = float64(m.Values[i])
		}
	}
	return out
}

// MixOf makes a mix of the values of all vertices; nil where there are none.
func MixOf(all []float64) *Mix {
	out := &Mix{}
	for v, x := range all {
		if x >= 0 {
			out.Vertices, out.Values = append(out.Vertices, int32(v)), append(out.Values, float32(x))
		}
	}
	if len(out.Vertices) == 0 {
		return nil
	}
	return out
}

// gathered returns the mix of a mesh whose vertex v comes from the old vertex origin[v] of n.
func (m *Mix) gathered(origin []int32, n int) *Mix {
	old := m.All(n)
	if old == nil {
		return nil
	}
	all := make([]float64, len(origin))
	for v, o := range origin {
		all[v] = ByJoints
		if o >= 0 && int(o) < n {
			all[v] = old[o]
		}
	}
	return MixOf(all)
}

// MixJoint is what a brush paints that paints the mix: the mix is edited as the weights of two
// joints, this one and LinearJoint.
const (
	MixJoint    = "dual quaternions"
	LinearJoint = "linear"
)

// EditMix begins to change the mix of vertices: an editor of two joints, so that a brush, and all
// else that changes weights, does the same to it. now is the share of each vertex as it is, whoever
// says so; open is as for Edit.
func EditMix(now []float64, open []bool) *Editor {
	w := New([]string{LinearJoint, MixJoint}, len(now))
	for v, x := range now {
		w.Of[v] = Clean([]Influence{{0, 1 - x}, {1, x}}, Limits{})
	}
	return Edit(w, nil, open, 0)
}

// Mixed returns w with the mix of the vertices that e has changed; w itself stays.
func (e *Editor) Mixed(w *Weights) *Weights {
	all := w.Mix.All(len(w.Of))
	if all == nil {
		all = slices.Repeat([]float64{ByJoints}, len(w.Of))
	}
	for _, v := range e.Changed() {
		all[v] = e.Value(v, 1)
	}
	out := *w
	out.Mix = MixOf(all)
	return &out
}
