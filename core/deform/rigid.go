package deform

import (
	"math"
	"slices"
)

// rigidThing is what keeps its shape: its lengths are measured between its outermost vertices.
type rigidThing struct {
	vertices []int32
	pairs    [][2]int32
	rest     []float64
}

// rigidThings prepares things that are to keep their shape, each as its vertices.
func rigidThings(s *Skin, things [][]int32) []rigidThing {
	var out []rigidThing
	for _, list := range things {
		if len(list) < 2 {
			continue
		}
		var outer []int32
		for _, less := range []func(a, b int32) bool{
			func(a, b int32) bool { return s.points[a].X < s.points[b].X },
			func(a, b int32) bool { return s.points[a].Y < s.points[b].Y },
			func(a, b int32) bool { return s.points[a].Z < s.points[b].Z },
		} {
			lo, hi := list[0], list[0]
			for _, v := range list {
				if less(v, lo) {
					lo = v
				}
				if less(hi, v) {
					hi = v
				}
			}
			outer = append(outer, lo, hi)
		}
		slices.Sort(outer)
		outer = slices.Compact(outer)
		t := rigidThing{vertices: list}
		longest := 0.0
		for i, a := range outer {
			for _, b := range outer[:i] {
				longest = math.Max(longest, distance(s.points[a], s.points[b]))
			}
		}
		for i, a := range outer {
			for _, b := range outer[:i] {
				if l := distance(s.points[a], s.points[b]); l > longest/4 {
					t.pairs, t.rest = append(t.pairs, [2]int32{a, b}), append(t.rest, l)
				}
			}
		}
		if len(t.pairs) > 0 {
			out = append(out, t)
		}
	}
	return out
}

// bentThings is the most that a thing that is to keep its shape changes a length of it.
func (c *checking) bentThings(w *scratch) *Fault {
	worst, which := 0.0, -1
	for i := range c.rigid {
		t := &c.rigid[i]
		if !slices.ContainsFunc(t.pairs, func(p [2]int32) bool { return w.moved[p[0]] || w.moved[p[1]] }) {
			continue
		}
		for k, p := range t.pairs {
			if d := distance(w.posed[p[0]], w.posed[p[1]])/t.rest[k] - 1; math.Abs(d) > math.Abs(worst) {
				worst, which = d, i
			}
		}
	}
	if which < 0 {
		return nil
	}
	t := &c.rigid[which]
	f := c.fault(FaultRigid, math.Abs(worst), t.vertices[0], w, t.vertices, c.shared(t.vertices[0], nil))
	f.Change = worst
	return f
}
