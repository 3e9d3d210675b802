package deform_test

import (
	"fmt"
	"math"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func arm() *skeleton.Skeleton {
	return &skeleton.Skeleton{Joints: []skeleton.Joint{
		{Name: "upper", Parent: -1, Rot: geom.AxisAngle(r3.Vec{Y: 1}, 0.4)},
		{Name: "lower", Parent: 0, Pos: r3.Vec{X: 1}, Rot: geom.AxisAngle(r3.Vec{X: 1}, -0.7)},
	}}
}

func TestRestIsExactlyStill(t *testing.T) {
	points := []r3.Vec{{X: 0.3, Y: 2}, {X: 1.5, Z: -1}}
	w := weights.New([]string{"upper", "lower"}, 2)
	// As stored: rounded to float32, so that they do not quite sum to 1.
	a, b := float64(float32(0.1)), float64(float32(0.9))
	w.Of[0] = []weights.Influence{{Joint: 1, Value: b}, {Joint: 0, Value: a}}
	require.NotEqual(t, 1.0, a+b)
	for v, p := range deform.Linear(points, w, pose.Skin(arm(), nil)) {
		require.Equal(t, points[v], p)
	}
	// A joint that is not turned, below none that is, leaves its skin exactly still.
	s := arm()
	s.Joints = append(s.Joints, skeleton.Joint{Name: "other", Parent: 0, Pos: r3.Vec{Y: 1}, Rot: geom.AxisAngle(r3.Vec{Z: 1}, 1.1)})
	m := pose.Skin(s, pose.Pose{"lower": pose.Turn(30, 20, 10)})
	require.Equal(t, geom.IdentityMatrix, m[0])
	require.Equal(t, geom.IdentityMatrix, m[2])
}

// A vertex wholly of a joint moves rigidly with it; one shared evenly lies
// half way between, which is the formula of Magnenat-Thalmann et al. 1988.
func TestRigidAndShared(t *testing.T) {
	s := arm()
	s.Joints[1].Rot = geom.Identity
	points := []r3.Vec{{X: 2}, {X: 2}, {X: 2}}
	w := weights.New([]string{"upper", "lower"}, 3)
	w.Of[0] = []weights.Influence{{Joint: 1, Value: 1}}
	w.Of[1] = []weights.Influence{{Joint: 0, Value: 0.5}, {Joint: 1, Value: 0.5}}
	out := deform.Linear(points, w, pose.Skin(s, pose.Pose{"lower": pose.Turn(0, 0, 90)}))
	require.InDelta(t, 0, r3.Norm(r3.Sub(out[0], r3.Vec{X: 1, Y: 1})), 1e-12)
	require.InDelta(t, 0, r3.Norm(r3.Sub(out[1], r3.Vec{X: 1.5, Y: 0.5})), 1e-12)
	require.Equal(t, points[2], out[2], "without weights it stays")
}

func TestTurnIsAboutTheJointsOwnAxesInOrder(t *testing.T) {
	q := pose.Turn(90, 0, 90)
	require.InDelta(t, 0, r3.Norm(r3.Sub(geom.Rotate(q, r3.Vec{Y: 1}), r3.Vec{Z: 1})), 1e-12)
	s := arm()
	m := pose.World(s, pose.Pose{"upper": pose.Turn(0, 30, 0)})
	at := m[1].Point(r3.Vec{})
	require.InDelta(t, math.Cos(math.Pi/6), at.X, 1e-12, "the joint turns about its own Y, which is the world's")
	require.InDelta(t, 1, r3.Norm(at), 1e-12, "bones keep their length")
}

func ExampleLinear() {
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{{Name: "root", Parent: -1, Rot: geom.Identity}}}
	w := weights.New([]string{"root"}, 1)
	w.Of[0] = []weights.Influence{{Joint: 0, Value: 1}}
	out := deform.Linear([]r3.Vec{{X: 1}}, w, pose.Skin(s, pose.Pose{"root": pose.Turn(0, 0, 180)}))
	fmt.Printf("%.0f %.0f\n", out[0].X, math.Abs(out[0].Y))
	// Output: -1 0
}
