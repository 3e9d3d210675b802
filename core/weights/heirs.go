package weights

import "wisemarrow/core/skeleton"

// Heirs are, by joint of weights, who takes what nobody else of a vertex can: the nearest joint
// above that deforms and has weights, else the first below that does; -1 for none.
func Heirs(joints []string, s *skeleton.Skeleton, deforms []bool) []int32 {
	number := make(map[string]int32, len(joints))
	for k, name := range joints {
		number[name] = int32(k)
	}
	at := s.Numbers()
	column := func(i int) int32 {
		if k, ok := number[s.Joints[i].Name]; ok && deforms[i] {
			return k
		}
		return -1
	}
	children := s.Children()
	out := make([]int32, len(joints))
	for k, name := range joints {
		out[k] = -1
		i, ok := at[name]
		if !ok {
			continue
		}
		for p := s.Joints[i].Parent; p >= 0 && out[k] < 0; p = s.Joints[p].Parent {
			out[k] = column(p)
		}
		for below := children[i]; len(below) > 0 && out[k] < 0; {
			next := below[0]
			out[k] = column(next)
			below = children[next]
		}
	}
	return out
}
