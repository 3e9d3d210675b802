package solve

import (
	"fmt"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
)

// partly is from what share of a vertex that moves with a joint, and up to what, it bends when the joint turns.
const partly = 0.01

// mostFrames is how many poses weights are solved for.
const mostFrames = 300

// Frames are the poses that weights are solved for: each joint at the given shares of both ends of its usual ranges,
// alone where it moves something, but several joints in one pose where no vertex bends by two of them; then the fists,
// figures and gaits of the test reel. Of more than 300 they are so many, evenly spread; left is how many are left out.
func Frames(s *skeleton.Skeleton, w *weights.Weights, x skeleton.Marks, shares []float64) (out []pose.Tried, left int) {
	meets := meeting(s, w)
	for _, share := range shares {
		ends := pose.Extremes(s, s.Trials(x), share)
		for len(ends) > 0 {
			p := pose.Tried{Joint: -1, Pose: pose.Pose{}}
			var joints []int
			var rest []pose.Tried
			for _, t := range ends {
				free := true
				for _, k := range joints {
					free = free && !meets[t.Joint][k]
				}
				if !free {
					rest = append(rest, t)
					continue
				}
				if joints = append(joints, t.Joint); len(joints) == 1 {
					p.Name = t.Name
				}
				for name, q := range t.Pose {
					p.Pose[name] = q
				}
			}
			if n := len(joints) - 1; n > 0 {
				p.Name = fmt.Sprintf("%s and %d more", p.Name, n)
			}
			out = append(out, p)
			ends = rest
		}
	}
	o := pose.DefaultReel
	o.Marks, o.Steps = x, 2
	o.Kinds = []string{pose.SegmentFist, pose.SegmentFigure, pose.SegmentGait}
	for _, f := range pose.NewReel(s, o).Frames {
		if f.Same < 0 {
			out = append(out, f.Tried)
		}
	}
	if n := len(out); n > mostFrames {
		for k := range mostFrames {
			out[k] = out[k*n/mostFrames]
		}
		return out[:mostFrames], n - mostFrames
	}
	return out, 0
}

// meeting tells of each two joints whether a vertex bends by both.
func meeting(s *skeleton.Skeleton, w *weights.Weights) [][]bool {
	at, n := s.Numbers(), len(s.Joints)
	number := make([]int, len(w.Joints))
	for k, name := range w.Joints {
		number[k] = -1
		if i, ok := at[name]; ok {
			number[k] = i
		}
	}
	out := make([][]bool, n)
	for i := range out {
		out[i] = make([]bool, n)
		out[i][i] = true
	}
	share := make([]float64, n) // of a vertex, by joint: how much of it moves when that turns
	var bends []int
	for _, list := range w.Of {
		bends = bends[:0]
		for _, x := range list {
			for i := number[x.Joint]; i >= 0; i = s.Joints[i].Parent {
				if share[i] == 0 {
					bends = append(bends, i)
				}
				share[i] += x.Value
			}
		}
		all := bends
		bends = bends[:0]
		for _, i := range all {
			if share[i] > partly && share[i] < 1-partly {
				bends = append(bends, i)
			}
			share[i] = 0
		}
		for _, i := range bends {
			for _, k := range bends {
				out[i][k] = true
			}
		}
	}
	return out
}
