package weights

import "wisemarrow/core/mesh"

// Merged returns w with the shares of some joints, by name, as other has them: what the
// other joints of w have is scaled to what is left. Where they have nothing, a vertex is as
// other has it whole. Both are of one mesh m, where what is
// more than the limits is cut as by Capped; a joint of other that w lacks counts for none.
func Merged(m *mesh.Mesh, w, other *Weights, joints []string, l Limits) *Weights {
	mine := map[string]int32{}
	for k, name := range w.Joints {
		mine[name] = int32(k)
	}
	to := make([]int32, len(other.Joints)) // joint of other → of w, -1
	for k, name := range other.Joints {
		to[k] = -1
		if i, ok := mine[name]; ok {
			to[k] = i
		}
	}
	chosen := make([]bool, len(w.Joints))
	for _, name := range joints {
		if i, ok := mine[name]; ok {
			chosen[i] = true
		}
	}
	out := New(w.Joints, len(w.Of))
	for v := range w.Of {
		var list, whole []Influence
		taken, had, before := 0.0, 0.0, 0.0
		for _, x := range other.Of[v] {
			i := to[x.Joint]
			if i < 0 {
				continue
			}
			whole = append(whole, Influence{Joint: i, Value: x.Value})
			if chosen[i] {
				list = append(list, Influence{Joint: i, Value: x.Value})
				taken += x.Value
			}
		}
		for _, x := range w.Of[v] {
			if chosen[x.Joint] {
				before += x.Value
			} else {
				had += x.Value
			}
		}
		switch {
		case taken == 0 && before == 0:
			out.Of[v] = w.Of[v]
			continue
		case had == 0 && taken < 1:
			list = whole
		default:
			for _, x := range w.Of[v] {
				if !chosen[x.Joint] {
					list = append(list, Influence{Joint: x.Joint, Value: x.Value * (1 - min(1, taken)) / had})
				}
			}
		}
		if out.Of[v] = Clean(list, Limits{Trace: l.Trace}); len(out.Of[v]) == 0 {
			out.Of[v] = w.Of[v]
		}
	}
	return Capped(m, out, Limits{Cap: l.Cap})
}
