package fit_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Axes go along with their bones: what they make with the bone and with the plane of the bend is the same in every build, so that
// a hinge stays one.
func TestAxesStayTrueInABuild(t *testing.T) {
	_, s := demo.Odile(0.06)
	rng := rand.New(rand.NewPCG(4, 27))
	for range 20 {
		after, _ := demo.Proportions(rng).Of([]r3.Vec{{}, {Y: 1}}, s)
		// Bones of a limb are longer or shorter, and point elsewhere: the hand is drawn in and back.
		for _, name := range []string{"hand_l", "hand_end_l", "foot_r", "toe_r", "toe_end_r"} {
			i := after.Index(name)
			after.Joints[i].Pos = r3.Add(after.Joints[i].Pos, r3.Vec{X: -0.03, Y: 0.04, Z: 0.08})
		}
		out := fit.Realigned(s, after)
		for _, limb := range [][3]string{{"upper_arm_l", "forearm_l", "hand_l"}, {"thigh_r", "shank_r", "foot_r"}} {
			a, b := inLimb(s, limb), inLimb(out, limb)
			for k := range a {
				require.InDelta(t, 0, r3.Norm(r3.Sub(a[k], b[k])), 1e-9, limb[1])
			}
		}
		for i, j := range out.Joints {
			require.Equal(t, after.Joints[i].Pos, j.Pos)
			require.InDelta(t, 1, quat.Abs(j.Rot), 1e-9)
		}
	}
	require.Equal(t, s, fit.Realigned(s, s))

	// A body that is turned as a whole has its axes turned as it is.
	q := geom.AxisAngle(r3.Vec{X: 1, Y: 2, Z: -1}, 0.7)
	turned := s.Transform(geom.Rigid(r3.Vec{Y: 1}, q), q)
	only := s.Clone()
	for i := range only.Joints {
		only.Joints[i].Pos = turned.Joints[i].Pos
	}
	for i, j := range fit.Realigned(s, only).Joints {
		x := turned.Joints[i].Rot
		dot := j.Rot.Real*x.Real + j.Rot.Imag*x.Imag + j.Rot.Jmag*x.Jmag + j.Rot.Kmag*x.Kmag
		require.InDelta(t, 1, math.Abs(dot), 1e-9, j.Name)
	}
}

// inLimb are the axes of the middle joint of a limb by the lower bone, the normal of the bend's plane, and across both.
func inLimb(s *skeleton.Skeleton, limb [3]string) (out []r3.Vec) {
	at := func(k int) r3.Vec { return s.Joints[s.Index(limb[k])].Pos }
	upper, lower := r3.Unit(r3.Sub(at(1), at(0))), r3.Unit(r3.Sub(at(2), at(1)))
	normal := r3.Unit(r3.Cross(upper, lower))
	rot := s.Joints[s.Index(limb[1])].Rot
	for _, axis := range []r3.Vec{{X: 1}, {Y: 1}, {Z: 1}} {
		d := geom.Rotate(rot, axis)
		out = append(out, r3.Vec{X: r3.Dot(d, lower), Y: r3.Dot(d, normal), Z: r3.Dot(d, r3.Cross(lower, normal))})
	}
	return out
}
