package demo

import (
	"math"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// HingeErrors returns by how many degrees each elbow, hip, knee and ankle of a skeleton in
// the default convention folds off the way that the cast was made to fold: elbows and hips
// forward, knees back, feet up, standing hocks forward; clearly bent ones in the plane of
// their bones. It is written without the rules of core, to hold them against.
func HingeErrors(s *skeleton.Skeleton) map[string]float64 {
	out := map[string]float64{}
	for _, h := range []struct {
		joint, child, before string
		to                   r3.Vec
	}{{"forearm", "hand", "upper_arm", r3.Vec{Z: 1}}, {"shank", "foot", "thigh", r3.Vec{Z: -1}}, {"thigh", "shank", "", r3.Vec{Z: 1}}, {"foot", "toe", "shank", r3.Vec{Y: 1}}} {
		for _, side := range []string{"_l", "_r"} {
			a, b, p := s.Index(h.joint+side), s.Index(h.child+side), s.Index(h.before+side)
			if a < 0 || b < 0 {
				continue
			}
			d := r3.Unit(r3.Sub(s.Joints[b].Pos, s.Joints[a].Pos))
			to := h.to
			if strings.HasPrefix(h.joint, "foot") && d.Y < -0.7 {
				to = r3.Vec{Z: 1}
			}
			want := r3.Unit(r3.Cross(d, to))
			if p >= 0 {
				own := r3.Cross(r3.Unit(r3.Sub(s.Joints[a].Pos, s.Joints[p].Pos)), d)
				if r3.Norm(own) > math.Sin(40*math.Pi/180) {
					want = r3.Unit(own)
				}
			}
			axis := geom.Rotate(s.Joints[a].Rot, r3.Vec{X: 1})
			out[h.joint+side] = math.Acos(math.Max(-1, math.Min(1, r3.Dot(axis, want)))) * 180 / math.Pi
		}
	}
	return out
}

// PosedHingeErrors is HingeErrors for a body in a pose, held against the true skeleton: elbows, knees and hips fold in the
// plane in which elbow and knee are truly bent, by 30° or more, and feet towards their shins.
func PosedHingeErrors(s, truth *skeleton.Skeleton) map[string]float64 {
	out := map[string]float64{}
	for _, side := range []string{"_l", "_r"} {
		at := func(name string) r3.Vec { return truth.Joints[truth.Index(name+side)].Pos }
		bend := func(a, b, c string, least float64) (r3.Vec, bool) {
			axis := r3.Cross(r3.Unit(r3.Sub(at(b), at(a))), r3.Unit(r3.Sub(at(c), at(b))))
			return r3.Scale(1/math.Max(1e-9, r3.Norm(axis)), axis), r3.Norm(axis) > least
		}
		want := map[string]r3.Vec{}
		if axis, ok := bend("upper_arm", "forearm", "hand", 0.5); ok {
			want["forearm"] = axis
		}
		if axis, ok := bend("thigh", "shank", "foot", 0.5); ok {
			want["shank"], want["thigh"] = axis, r3.Scale(-1, axis)
		}
		if axis, ok := bend("shank", "foot", "toe", 0.3); ok {
			want["foot"] = axis
		}
		for name, axis := range want {
			i := s.Index(name + side)
			if i < 0 {
				continue
			}
			own := geom.Rotate(s.Joints[i].Rot, r3.Vec{X: 1})
			out[name+side] = math.Acos(math.Max(-1, math.Min(1, r3.Dot(own, axis)))) * 180 / math.Pi
		}
	}
	return out
}
