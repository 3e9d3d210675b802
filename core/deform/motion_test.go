package deform_test

import (
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

// How far two weights are apart is what the two deformed skins are apart, over all poses that are tried.
func TestApartIsTheDifferenceOfTheTwoSkins(t *testing.T) {
	points, _, a, s := bar(40)
	s.Joints = append(s.Joints, skeleton.Joint{Name: "tip", Parent: 1, Pos: r3.Vec{X: 2}, Rot: geom.Identity})
	b := weights.New(a.Joints, len(a.Of))
	copy(b.Of, a.Of)
	for v := 10; v < 30; v += 3 { // a few follow both joints evenly
		b.Of[v] = []weights.Influence{{Joint: 0, Value: 0.5}, {Joint: 1, Value: 0.5}}
	}
	got, in := deform.Apart(points, a, b, s, skeleton.DefaultMarks)
	want, where := 0.0, ""
	for _, p := range deform.Affordable(pose.Extremes(s, s.Trials(skeleton.DefaultMarks), 1), s, a) {
		one, other := deform.Bound(points, a, s, p.Pose, nil), deform.Bound(points, b, s, p.Pose, nil)
		for v := range one {
			if d := r3.Norm(r3.Sub(one[v], other[v])); d > want {
				want, where = d, p.Name
			}
		}
	}
	require.Greater(t, want, 1e-3)
	require.InDelta(t, want, got, 1e-12)
	require.Equal(t, where, in)
	same, none := deform.Apart(points, a, a, s, skeleton.DefaultMarks)
	require.Zero(t, same)
	require.Empty(t, none)
	// By dual quaternions the skins are apart by something else, and that is told.
	s.Joints[1].Mix = 1
	bent, _ := deform.Apart(points, a, b, s, skeleton.DefaultMarks)
	require.Greater(t, math.Abs(bent-got), 1e-6)
}
