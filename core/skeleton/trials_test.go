package skeleton_test

import (
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// A knee folds back, an elbow forward, a raised arm goes up; both sides are mirror images, and
// the axes that joints were given are no matter.
func TestTrialsFollowTheBody(t *testing.T) {
	s := skeleton.Biped(1.7)
	trials := s.Trials(skeleton.DefaultMarks)
	find := func(list []skeleton.Trial, joint, name string) skeleton.Trial {
		for _, x := range list {
			if s.Joints[x.Joint].Name == joint && x.Name == name {
				return x
			}
		}
		require.Fail(t, "no trial", "%s %s", joint, name)
		return skeleton.Trial{}
	}
	goes := func(joint, name string) r3.Vec { // where the bone's end goes with the most
		x := find(trials, joint, name)
		bone := r3.Vec{}
		for i, j := range s.Joints {
			if j.Parent == x.Joint {
				bone = r3.Sub(s.Joints[i].Pos, s.Joints[x.Joint].Pos)
				break
			}
		}
		return r3.Sub(geom.Rotate(geom.AxisAngle(x.Axis, 0.3), bone), bone)
	}
	require.Negative(t, goes("shank_l", "bend").Z)
	require.Positive(t, goes("forearm_l", "bend").Z)
	require.Positive(t, goes("thigh_r", "bend").Z)
	require.Positive(t, goes("upper_arm_l", "side").Y)
	for _, joint := range []string{"upper_arm", "forearm", "thigh", "shank"} {
		a, b := goes(joint+"_l", "bend"), goes(joint+"_r", "bend")
		require.InDelta(t, 0, r3.Norm(r3.Sub(a, r3.Vec{X: -b.X, Y: b.Y, Z: b.Z})), 1e-9, joint)
		require.Equal(t, find(trials, joint+"_l", "bend").Degrees, find(trials, joint+"_r", "bend").Degrees)
	}
	knee := find(trials, "shank_l", "bend")
	require.Contains(t, knee.Source, "AAOS")
	require.LessOrEqual(t, knee.Degrees[1], 135.0)
	require.Equal(t, [2]float64{-25, 25}, find(trials, "head", "bend").Degrees)
	for _, x := range trials {
		require.InDelta(t, 1, r3.Norm(x.Axis), 1e-9)
		require.Less(t, x.Degrees[0], x.Degrees[1])
		require.LessOrEqual(t, math.Max(-x.Degrees[0], x.Degrees[1]), 180.0)
		require.NotEmpty(t, x.Source)
	}
	rolled := s.Clone()
	for i := range rolled.Joints {
		rolled.Joints[i].Rot = quat.Mul(geom.AxisAngle(r3.Vec{Z: 1}, float64(i)), rolled.Joints[i].Rot)
	}
	require.Equal(t, trials, rolled.Trials(skeleton.DefaultMarks))
}
