package deform

import (
	"math"
	"slices"

	"wisemarrow/core/geom"
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
	rest := s.bound(s.points, nil)
	for _, p := range pose.Extremes(s.skeleton, trials, 1) {
		for v, at := range s.bound(s.points, p.Pose) {
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
func ApartQuickly(
	points []r3.Vec,
	a, b *weights.Weights,
	s *skeleton.Skeleton,
	x skeleton.Marks,
) (far []float64, apart float64, in string) {
	return apartIn(points, a, b, s, affordable(pose.Extremes(s, s.Trials(x), 1), s, a, quickMoved, quickPoses))
}

func apartIn(points []r3.Vec, a, b *weights.Weights, s *skeleton.Skeleton, poses []pose.Tried) (far []float64, apart float64, in string) {
	far = make([]float64, len(points))
	if slices.Equal(a.Joints, b.Joints) && mixes(s, a) == nil && mixes(s, b) == nil {
		apart, in = linearlyApart(far, points, a, b, s, poses)
		return far, apart, in
	}
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

// linearlyApart is apartIn of weights of the same joints that blend linearly: two skins are apart by what the joints
// whose weights differ do, and only the points where some do are looked at.
func linearlyApart(
	far []float64,
	points []r3.Vec,
	a, b *weights.Weights,
	s *skeleton.Skeleton,
	poses []pose.Tried,
) (apart float64, in string) {
	var list []int32
	var by [][]weights.Influence // what a has more than b, by joint
	for v := range points {
		if slices.Equal(a.Of[v], b.Of[v]) {
			continue
		}
		more := slices.Clone(a.Of[v])
		for _, x := range b.Of[v] {
			i := slices.IndexFunc(more, func(y weights.Influence) bool { return y.Joint == x.Joint })
			if i < 0 {
				i = len(more)
				more = append(more, weights.Influence{Joint: x.Joint})
			}
			more[i].Value -= x.Value
		}
		list, by = append(list, int32(v)), append(by, more)
	}
	now := make([]float64, len(list))
	for _, p := range poses {
		matrices := InOrder(s, a, pose.SkinMatrices(s, p.Pose, nil))[0]
		geom.Chunks(len(list), 1024, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				at, off := points[list[i]], r3.Vec{}
				for _, x := range by[i] {
					off = r3.Add(off, r3.Scale(x.Value, r3.Sub(matrices[x.Joint].Point(at), at)))
				}
				now[i] = r3.Norm2(off)
			}
		})
		for i, d := range now {
			far[list[i]] = max(far[list[i]], d)
			if d > apart {
				apart, in = d, p.Name
			}
		}
	}
	for _, v := range list { // squares until here: a root for each pose would take a third of the time
		far[v] = math.Sqrt(far[v])
	}
	return math.Sqrt(apart), in
}
