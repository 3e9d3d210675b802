package deform

import (
	"math"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Motion tells how far each vertex moves, metres, when a joint turns through its usual range about
// each of its axes with all that hangs from it: the most over both ends of each. What a joint
// leaves exactly still is exactly 0.
func (s *Skin) Motion(joint int, x skeleton.Marks) []float64 {
	out := make([]float64, len(s.points))
	var trials []skeleton.Trial
	for _, t := range s.skeleton.Trials(x) {
		if t.Joint == joint {
			trials = append(trials, t)
		}
	}
	rest := Bound(s.points, s.weights, s.skeleton, nil, s.binding)
	for _, p := range pose.Extremes(s.skeleton, trials, 1) {
		for v, at := range Bound(s.points, s.weights, s.skeleton, p.Pose, s.binding) {
			out[v] = math.Max(out[v], r3.Norm(r3.Sub(at, rest[v])))
		}
	}
	return out
}

// Apart is how far two weights of the same points lead them apart at most, metres, when joints turn to
// both ends of their usual ranges one by one, and in which pose.
func Apart(points []r3.Vec, a, b *weights.Weights, s *skeleton.Skeleton, x skeleton.Marks) (apart float64, in string) {
	_, apart, in = apartIn(points, a, b, s, Affordable(pose.Extremes(s, s.Trials(x), 1), s, a))
	return apart, in
}

// Of large meshes fewer poses are tried where it must be quick: about half a second.
const quickMoved, quickPoses = 800_000, 12

// ApartQuickly is Apart in fewer poses, those that move most, with how far each point is led apart at most, metres.
func ApartQuickly(points []r3.Vec, a, b *weights.Weights, s *skeleton.Skeleton, x skeleton.Marks) (far []float64, apart float64, in string) {
	return apartIn(points, a, b, s, affordable(pose.Extremes(s, s.Trials(x), 1), s, a, quickMoved, quickPoses))
}

func apartIn(points []r3.Vec, a, b *weights.Weights, s *skeleton.Skeleton, poses []pose.Tried) (far []float64, apart float64, in string) {
	far = make([]float64, len(points))
	for _, p := range poses {
		one, other := Bound(points, a, s, p.Pose, nil), Bound(points, b, s, p.Pose, nil)
		for v := range one {
			d := r3.Norm(r3.Sub(one[v], other[v]))
			far[v] = math.Max(far[v], d)
			if d > apart {
				apart, in = d, p.Name
			}
		}
	}
	return far, apart, in
}
