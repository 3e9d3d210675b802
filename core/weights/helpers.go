package weights

import (
	"math"
	"slices"

	"wisemarrow/core/skeleton"
)

// WithoutHelpers gives the weights of helper joints, those named or, for nil, all, back to the joints that they stand
// between: the driver, and the nearest joint with weights above it, by the share of the rule. Their columns go.
func (w *Weights) WithoutHelpers(s *skeleton.Skeleton, named []string) *Weights {
	column := map[string]int32{}
	for k, name := range w.Joints {
		column[name] = int32(k)
	}
	type share struct {
		to   int32
		part float64
	}
	gone := map[int32][2]share{}
	for _, i := range s.Helpers() {
		j := s.Joints[i]
		k, ok := column[j.Name]
		if !ok || named != nil && !slices.Contains(named, j.Name) {
			continue
		}
		d := s.Index(j.Helper.Driver)
		above := s.Joints[d].Parent
		for above >= 0 {
			if _, has := column[s.Joints[above].Name]; has {
				break
			}
			above = s.Joints[above].Parent
		}
		below, has := column[j.Helper.Driver]
		part := math.Abs(j.Helper.Share) // of the driver's turn
		if j.Helper.Share < 0 {
			part = 1 - part
		}
		switch {
		case above < 0 && !has:
			continue // nobody to take them
		case above < 0:
			gone[k] = [2]share{{below, 1}, {}}
		case !has:
			gone[k] = [2]share{{column[s.Joints[above].Name], 1}, {}}
		default:
			gone[k] = [2]share{{below, part}, {column[s.Joints[above].Name], 1 - part}}
		}
	}
	if len(gone) == 0 {
		return w
	}
	out := &Weights{Of: make([][]Influence, len(w.Of)), Mix: w.Mix}
	number := make([]int32, len(w.Joints))
	for k, name := range w.Joints {
		number[k] = -1
		if _, yes := gone[int32(k)]; !yes {
			number[k] = int32(len(out.Joints))
			out.Joints = append(out.Joints, name)
		}
	}
	for v, list := range w.Of {
		var next []Influence
		give := func(to int32, value float64) {
			if value == 0 {
				return
			}
			for k := range next {
				if next[k].Joint == number[to] {
					next[k].Value += value
					return
				}
			}
			next = append(next, Influence{Joint: number[to], Value: value})
		}
		for _, x := range list {
			if to, yes := gone[x.Joint]; yes {
				give(to[0].to, to[0].part*x.Value)
				give(to[1].to, to[1].part*x.Value)
			} else {
				give(x.Joint, x.Value)
			}
		}
		Sort(next)
		out.Of[v] = next
	}
	return out
}
