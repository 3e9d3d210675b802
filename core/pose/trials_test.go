package pose_test

import (
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// A trial turns a joint about its world axis whatever its own axes are, and each end of a
// range is one pose.
func TestExtremesTurnAboutTheWorldsAxis(t *testing.T) {
	s := skeleton.Biped(1.7)
	for i := range s.Joints {
		s.Joints[i].Rot = geom.Normalise(quat.Mul(geom.AxisAngle(r3.Unit(r3.Vec{X: 1, Y: 2, Z: float64(i)}), float64(i)), s.Joints[i].Rot))
	}
	trials := s.Trials(skeleton.DefaultMarks)
	poses := pose.Extremes(s, trials, 1)
	require.Greater(t, len(poses), len(trials))
	for _, x := range trials {
		p := pose.Pose{s.Joints[x.Joint].Name: pose.AboutWorld(s, x, 50)}
		world := pose.Skin(s, p)[x.Joint]
		at := s.Joints[x.Joint].Pos
		for _, d := range []r3.Vec{{X: 1}, {Y: 1}, {Z: 1}} {
			want := r3.Add(at, geom.Rotate(geom.AxisAngle(x.Axis, 50*math.Pi/180), d))
			require.InDelta(t, 0, r3.Norm(r3.Sub(want, world.Point(r3.Add(at, d)))), 1e-9, x.Name)
		}
	}
	for _, p := range poses {
		require.Len(t, p.Pose, 1)
		require.Contains(t, p.Name, s.Joints[p.Joint].Name)
	}
}

// Where not all can be tried, the poses of the joints with the greatest weight are, in order.
func TestTheHeaviestPosesAreKept(t *testing.T) {
	list := []pose.Tried{{Name: "a", Joint: 0}, {Name: "b", Joint: 1}, {Name: "c", Joint: 2}, {Name: "d", Joint: 1}}
	require.Equal(t, list, pose.Heaviest(list, []float64{1, 2, 3}, 4))
	require.Equal(t, []pose.Tried{list[1], list[2], list[3]}, pose.Heaviest(list, []float64{1, 2, 3}, 3))
	require.Equal(t, []pose.Tried{list[0], list[1]}, pose.Heaviest(list, []float64{9, 2, 1}, 2))
}
