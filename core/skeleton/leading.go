package skeleton

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// besideLine is how far a chain may lie from the bone to an end joint, over the length that both go beside
	// each other, to be one with it: where it alone goes along, where others do too, as fingers, and
	// for two with the bone between them. Jaws under a snout, ears beside a crown and thumbs beside a mitten are
	// farther. Common practice, no source.
	besideLine, besideWithOthers, besideBoth = 0.1, 0.25, 0.3
	// alongCos is the least cosine between chain and bone, alongReach how much of the bone beyond its beginning
	// the chain must reach.
	alongCos, alongReach = 0.8, 0.75
)

// Leading returns the bones by which the chosen joints lead a skin, in world frame: those of Bones, and of a
// chosen joint without children its point; helper joints have none. The bone from a joint to an end joint stops where a chain of the same
// joint goes on along it: a hand's, whose end is at the tips of the fingers, at the knuckles. Otherwise it would
// hold half of the finger that it runs through.
func (s *Skeleton) Leading(deform []bool) []Bone {
	children := s.Children()
	var out []Bone
	for i, list := range children {
		if !deform[i] || s.Joints[i].Helper != nil {
			continue
		}
		for _, c := range list {
			b := Bone{i, c, s.Joints[i].Pos, s.Joints[c].Pos}
			if len(children[c]) == 0 && !deform[c] && len(list) > 1 {
				to := s.goesOnAt(b, list, children, deform)
				if to <= 0 {
					continue
				}
				b.B = r3.Add(b.A, r3.Scale(to, r3.Sub(b.B, b.A)))
			}
			out = append(out, b)
		}
		if len(list) == 0 {
			out = append(out, Bone{i, -1, s.Joints[i].Pos, s.Joints[i].Pos})
		}
	}
	return out
}

// goesOnAt returns from which share of its length on a bone to an end joint is a chain of its joint's, 1 where
// none runs along it.
func (s *Skeleton) goesOnAt(b Bone, siblings []int, children [][]int, deform []bool) float64 {
	along := r3.Sub(b.B, b.A)
	length := r3.Norm(along)
	if length == 0 {
		return 1
	}
	along = r3.Scale(1/length, along)
	aside := func(p r3.Vec) (share float64, off r3.Vec) {
		d := r3.Sub(p, b.A)
		y := r3.Dot(d, along)
		return y / length, r3.Sub(d, r3.Scale(y, along))
	}
	type chain struct {
		from, far float64
		off       r3.Vec
	}
	var chains []chain
	for _, c := range siblings {
		if c == b.Child || !deform[c] || len(children[c]) == 0 {
			continue
		}
		tip := c
		for len(children[tip]) > 0 {
			tip = children[tip][0]
		}
		way := r3.Sub(s.Joints[tip].Pos, s.Joints[c].Pos)
		from, off := aside(s.Joints[c].Pos)
		end, offEnd := aside(s.Joints[tip].Pos)
		if from >= 1 || r3.Dot(way, along) < alongCos*r3.Norm(way) || end-from < alongReach*(1-from) {
			continue
		}
		last := math.Min(end, 1)
		offLast := r3.Add(off, r3.Scale((last-from)/(end-from), r3.Sub(offEnd, off)))
		far := math.Max(r3.Norm(off), r3.Norm(offLast)) / ((last - from) * length)
		chains = append(chains, chain{from, far, off})
	}
	limit := besideLine
	if len(chains) > 1 {
		limit = besideWithOthers
	}
	to := math.Inf(-1)
	for i, c := range chains {
		if c.far <= limit {
			to = math.Max(to, c.from)
		}
		for _, o := range chains[:i] {
			if math.Max(c.far, o.far) <= besideBoth && r3.Dot(c.off, o.off) < 0 {
				to = math.Max(to, math.Max(c.from, o.from))
			}
		}
	}
	if math.IsInf(to, -1) {
		return 1
	}
	return math.Max(0, to)
}
