package bundle

import (
	"fmt"
	"slices"

	"wisemarrow/core/weights"
)

// Columns packs weights joint by joint: "vertex", those that the joint moves, and
// "value", how much. Only the joints that want says are packed; the rest are nil.
func Columns(w *weights.Weights, want func(joint int) bool) ([][]byte, error) {
	out := make([][]byte, len(w.Joints))
	asked := make([]bool, len(w.Joints))
	some := false
	for j := range w.Joints {
		asked[j] = want(j)
		some = some || asked[j]
	}
	if !some {
		return out, nil
	}
	vertex, value := make([][]int32, len(w.Joints)), make([][]float32, len(w.Joints))
	for v, list := range w.Of {
		for _, x := range list {
			if asked[x.Joint] {
				vertex[x.Joint] = append(vertex[x.Joint], int32(v))
				value[x.Joint] = append(value[x.Joint], float32(x.Value))
			}
		}
	}
	for j := range out {
		if !asked[j] {
			continue
		}
		var b Bundle
		Ints(&b, "vertex", 1, vertex[j])
		b.Floats("value", 1, value[j])
		var err error
		if out[j], err = b.Bytes(); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// ReadColumns puts packed columns, one a joint, together to weights of n vertices.
// They are not normalised anew, so that packing again gives the same bytes; what was
// packed sums to 1 within float32.
func ReadColumns(joints []string, n int, columns [][]byte) (*weights.Weights, error) {
	w := weights.New(joints, n)
	type column struct {
		vertex []int32
		value  []float32
	}
	list := make([]column, len(joints))
	count := make([]int32, n+1)
	total := 0
	for j, name := range joints {
		b, err := Open(columns[j], nil)
		if err != nil {
			return nil, fmt.Errorf("the weights of %s: %w", name, err)
		}
		c := column{b.ReadInts("vertex"), b.ReadFloats("value")}
		if len(c.vertex) != len(c.value) {
			return nil, fmt.Errorf("the weights of %s have %d vertices and %d values", name, len(c.vertex), len(c.value))
		}
		for _, v := range c.vertex {
			if v < 0 || int(v) >= n {
				return nil, fmt.Errorf("the weights of %s name vertex %d of %d", name, v, n)
			}
			count[v]++
		}
		total += len(c.vertex)
		list[j] = c
	}
	all := make([]weights.Influence, total) // one piece of memory for all vertices
	for v := range n {
		w.Of[v], all = all[:0:count[v]], all[count[v]:]
	}
	for j, c := range list {
		for i, v := range c.vertex {
			w.Of[v] = append(w.Of[v], weights.Influence{Joint: int32(j), Value: float64(c.value[i])})
		}
	}
	for v := range w.Of {
		if len(w.Of[v]) == 0 {
			w.Of[v] = nil
		}
		weights.Sort(w.Of[v])
	}
	return w, w.Validate()
}

// Drawn is how many joints of a vertex a page draws.
const Drawn = 16

// WeightsView packs the columns of all joints together: the joint k of meta.joints
// moves "vertex" from start[k] to start[k+1], by as much as "value" says. A page puts
// sixteen of them on a vertex; of more, as files may have them, it gets the heaviest.
func WeightsView(w *weights.Weights) ([]byte, error) {
	count := make([]int32, len(w.Joints)+1)
	drawn := &weights.Weights{Joints: w.Joints, Of: slices.Clone(w.Of)}
	for v, list := range w.Of {
		if len(list) > Drawn {
			drawn.Of[v] = weights.Clean(list, weights.Limits{Cap: Drawn})
		}
	}
	w = drawn
	for _, list := range w.Of {
		for _, x := range list {
			count[x.Joint+1]++
		}
	}
	for k := 1; k < len(count); k++ {
		count[k] += count[k-1]
	}
	at := append([]int32(nil), count...)
	vertex, value := make([]int32, count[len(w.Joints)]), make([]float32, count[len(w.Joints)])
	for v, list := range w.Of {
		for _, x := range list {
			vertex[at[x.Joint]], value[at[x.Joint]] = int32(v), float32(x.Value)
			at[x.Joint]++
		}
	}
	b := Bundle{Meta: map[string]any{"joints": w.Joints}}
	Ints(&b, "start", 1, count)
	Ints(&b, "vertex", 1, vertex)
	b.Floats("value", 1, value)
	return b.Bytes()
}

// Mix packs what was said of how vertices blend: "vertex" and, for each, "share", how much goes by
// dual quaternions.
func Mix(m *weights.Mix) ([]byte, error) {
	var b Bundle
	Ints(&b, "vertex", 1, m.Vertices)
	b.Floats("share", 1, m.Values)
	return b.Bytes()
}

// ReadMix reads what Mix packs; Check of the mix tells whether it fits the mesh.
func ReadMix(data []byte) (*weights.Mix, error) {
	b, err := Open(data, nil)
	if err != nil {
		return nil, fmt.Errorf("the mix of vertices: %w", err)
	}
	return &weights.Mix{Vertices: b.ReadInts("vertex"), Values: b.ReadFloats("share")}, nil
}
