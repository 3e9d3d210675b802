package solve

import (
	"context"
	"math"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/guide"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// A motion that was made by a helper joint of a known share and place gives both back within 1% (of the turn, of the length
// of a bone), after Le & Deng 2012, who recover bones of motions that they made; from half the turn and from the driver's
// own place.
func TestKnownHelperJointsAreRecovered(t *testing.T) {
	m := solids.Tube(3, 0.2, 48, 16)
	s := &skeleton.Skeleton{}
	for i, name := range []string{"a", "b", "c", "end"} {
		s.Joints = append(s.Joints, skeleton.Joint{Name: name, Parent: i - 1, Pos: r3.Vec{X: float64(i)}, Rot: geom.Identity})
	}
	known := s.Clone()
	known.Joints = append(
		known.Joints,
		skeleton.Joint{
			Name: "b_half", Parent: 0, Pos: r3.Vec{X: 1.07, Y: -0.1, Z: 0.04}, Rot: geom.Identity,
			Helper: &skeleton.Helper{Driver: "b", Share: 0.38},
		},
		skeleton.Joint{
			Name: "c_untwist", Parent: 2, Pos: r3.Vec{X: 2.2}, Rot: geom.Identity,
			Helper: &skeleton.Helper{Driver: "c", Twist: true, Share: -0.64},
		},
	)
	require.NoError(t, known.Validate())
	w := weights.New([]string{"a", "b", "c", "b_half", "c_untwist"}, len(m.Points))
	for v, p := range m.World() {
		half := math.Max(0, 1-math.Abs(p.X-1)/0.4)
		twist := math.Max(0, 1-math.Abs(p.X-2.2)/0.5)
		rest := 1 - half - twist
		for j, x := range []float64{rest * b2f(p.X < 1), rest * b2f(p.X >= 1 && p.X < 2), rest * b2f(p.X >= 2), half, twist} {
			if x > 0 {
				w.Of[v] = append(w.Of[v], weights.Influence{Joint: int32(j), Value: x})
			}
		}
		weights.Sort(w.Of[v])
	}
	var poses []pose.Pose
	for _, axis := range []r3.Vec{{Y: 1}, {Z: 1}, {X: 1}} {
		for _, angle := range []float64{-0.9, 0.5, 1.3} {
			poses = append(poses, pose.Pose{"b": geom.AxisAngle(axis, angle)}, pose.Pose{"c": geom.AxisAngle(axis, angle)})
		}
	}
	from := known.Clone()
	from.Joints[4].Pos, from.Joints[4].Helper = s.Joints[1].Pos, &skeleton.Helper{Driver: "b", Share: 0.5}
	from.Joints[5].Helper = &skeleton.Helper{Driver: "c", Twist: true, Share: -0.5}
	for range 6 {
		p := New(m, w, from, Options{Dial: 1})
		from = p.refit(from, len(s.Joints), poses, func(k int, vertices []int32) []r3.Vec {
			all := deform.Bound(m.World(), w, known, poses[k], nil)
			out := make([]r3.Vec, len(vertices))
			for n, v := range vertices {
				out[n] = all[v]
			}
			return out
		})
	}
	assert.InDelta(t, 0.38, from.Joints[4].Helper.Share, 0.01)
	assert.InDelta(t, -0.64, from.Joints[5].Helper.Share, 0.01)
	assert.Less(t, r3.Norm(r3.Sub(from.Joints[4].Pos, known.Joints[4].Pos)), 0.01)
	assert.Equal(t, known.Joints[5].Pos, from.Joints[5].Pos, "where a twist is taken back about its axis says nothing")
}

func b2f(yes bool) float64 {
	if yes {
		return 1
	}
	return 0
}

// A tube whose joint twists keeps round with a helper joint that takes half of the twist back, and no other is added.
// It follows its rule, so that the skin is nearer to the guide, in the poses and at both ends of the twist.
func TestATwistedTubeGetsOneHelperJoint(t *testing.T) {
	m := solids.Tube(3, 0.25, 60, 20)
	s := &skeleton.Skeleton{}
	for i, name := range []string{"root", "neck_1", "head", "head_end"} {
		s.Joints = append(s.Joints, skeleton.Joint{Name: name, Parent: i - 1, Pos: r3.Vec{X: float64(i)}, Rot: geom.Identity})
	}
	w, _, err := bind.Heat(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	g, err := guide.NewSolid(context.Background(), m, w, s, guide.Options{})
	require.NoError(t, err)
	o := Options{Limits: bind.DefaultOptions.Limits, Dial: 1, Marks: skeleton.DefaultMarks}
	plain, err := ForMotion(context.Background(), m, w, s, g, o, nil, nil)
	require.NoError(t, err)
	out, with, gains, err := HelpersForMotion(context.Background(), m, w, s, g, o, 1, nil)
	require.NoError(t, err)
	require.NoError(t, with.Validate())
	require.Len(t, with.Joints, len(s.Joints)+1)
	require.Len(t, gains, 1)
	h := with.Joints[len(s.Joints)]
	assert.True(t, h.Helper.Twist, h.Helper.Says())
	assert.Less(t, gains[0].After, gains[0].Before)
	assert.Less(t, out.After, plain.After)
	require.NoError(t, out.Weights.Validate())
	for v, list := range out.Weights.Of {
		require.LessOrEqual(t, len(list), o.Cap, "vertex %d", v)
	}
	twist := []pose.Tried{{Pose: pose.Pose{h.Helper.Driver: geom.AxisAngle(r3.Vec{X: 1}, 0.7)}}}
	a, err := Distances(context.Background(), m, s, g, twist, plain.Weights)
	require.NoError(t, err)
	b, err := Distances(context.Background(), m, with, g, twist, out.Weights)
	require.NoError(t, err)
	assert.Less(t, b[0].Mean, 0.95*a[0].Mean)

	// Solved again, it finds the same joints there and keeps to their rules; taken away, its weights are its neighbors'.
	again, err := ForMotion(context.Background(), m, out.Weights, with, g, o, nil, nil)
	require.NoError(t, err)
	assert.NotContains(t, again.Still, h.Name)
	assert.LessOrEqual(t, again.After, again.Before)
	assert.Greater(t, again.After, 0.9*again.Before, "they are solved already")
	back := out.Weights.WithoutHelpers(with, nil)
	assert.NotContains(t, back.Joints, h.Name)
	require.NoError(t, back.Validate())

	_, none, gains, err := HelpersForMotion(context.Background(), m, w, s, g, o, 0, nil)
	require.NoError(t, err)
	assert.Len(t, none.Joints, len(s.Joints))
	assert.Empty(t, gains)
}
