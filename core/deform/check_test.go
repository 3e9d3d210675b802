package deform_test

import (
	"context"
	"encoding/json"
	"fmt"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// A bar of two bones: bent with even weights nothing spills, and what is far from the bend is
// neither drawn out nor crushed; a vertex at the far end of the first bone that is given to the second is
// found, with the second to blame.
func TestASkinIsCheckedThroughAReel(t *testing.T) {
	points, tris, w, s := bar(24)
	reel := bends(s, -40, -20, 20, 40, 60, 60)
	reel.Frames[5].Same = 4
	check := func(w *weights.Weights) *deform.Checked {
		skin, err := deform.NewSkin(points, tris, w, s, nil)
		require.NoError(t, err)
		c, err := skin.Check(context.Background(), reel, deform.CheckOptions{}, nil)
		require.NoError(t, err)
		require.Len(t, c.Frames, 6)
		require.Zero(t, c.Rest)
		return c
	}
	clean := check(w)
	require.Zero(t, clean.Over)
	spoiled := &weights.Weights{Joints: w.Joints, Of: append([][]weights.Influence(nil), w.Of...)}
	first := 0
	for v, p := range points {
		if p.X < points[first].X {
			first = v
		}
	}
	k := int32(1)
	if w.Joints[0] == s.Joints[1].Name {
		k = 0
	}
	spoiled.Of[first] = []weights.Influence{{Joint: k, Value: 1}}
	bad := check(spoiled)
	require.Greater(t, bad.Score, clean.Score)
	require.Greater(t, bad.Worst[deform.FaultStretch], clean.Worst[deform.FaultStretch])
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	skin, err := deform.NewSkin(points, tris, w, s, nil)
	require.NoError(t, err)
	_, err = skin.Check(ctx, reel, deform.CheckOptions{}, nil)
	require.ErrorIs(t, err, context.Canceled)
}

// bends turns the second joint by degrees about Z.
func bends(s *skeleton.Skeleton, degrees ...float64) *pose.Reel {
	r := &pose.Reel{Step: 1, Segments: []pose.Segment{{Name: "bend", Kind: pose.SegmentRange, To: len(degrees)}}}
	for _, d := range degrees {
		t := skeleton.Trial{Joint: 1, Axis: r3.Vec{Z: 1}}
		r.Frames = append(r.Frames, pose.Frame{Tried: pose.Tried{Name: fmt.Sprintf("bend %.0f°", d), Joint: 1, Pose: pose.Pose{s.Joints[1].Name: pose.AboutWorld(s, t, d)}}, Same: -1})
	}
	return r
}

// A crease is found where neighbouring faces come to lie on each other, a crossing where one end is bent into
// the other, volume where a limb collapses; each only then, and the frames of the way back are not measured again.
func TestKindsOfFaults(t *testing.T) {
	points, tris, w, s := bar(24)
	skin, err := deform.NewSkin(points, tris, w, s, nil)
	require.NoError(t, err)
	c, err := skin.Check(context.Background(), bends(s, 30, 178), deform.CheckOptions{Cross: 1}, nil)
	require.NoError(t, err)
	require.Equal(t, 2, c.Crossed)
	require.Zero(t, c.Frames[0].Times[deform.FaultCross])
	require.Zero(t, c.Frames[0].Times[deform.FaultPinch])
	require.Positive(t, c.Frames[1].Times[deform.FaultCross], "bent back on itself it goes through itself")
	require.Positive(t, c.Frames[1].Times[deform.FaultPinch])
	require.Greater(t, c.Frames[1].Times[deform.FaultVolume], c.Frames[0].Times[deform.FaultVolume])
	require.Equal(t, c.Frames[1].Worst, c.Frames[1].Times[c.Frames[1].Kind])

	// The same on one core and on several: frames are put together in order.
	again, err := skin.Check(context.Background(), bends(s, 30, 178), deform.CheckOptions{Cross: 1}, nil)
	require.NoError(t, err)
	require.Equal(t, c, again)

	data, err := json.Marshal(c.Faults)
	require.NoError(t, err)
	var back []deform.Fault
	require.NoError(t, json.Unmarshal(data, &back))
	require.Equal(t, len(c.Faults[0].Where), len(back[0].Where))

	// A layer a millimetre over the bar that does not go along comes to lie under the skin.
	over := append([]r3.Vec(nil), points...)
	weight := &weights.Weights{Joints: w.Joints, Of: append([][]weights.Influence(nil), w.Of...)}
	var layer []int32
	for _, p := range points {
		if p.X > 1.2 && p.Y > 0 {
			layer = append(layer, int32(len(over)))
			over = append(over, r3.Vec{X: p.X, Y: p.Y + 0.01, Z: p.Z / 2}) // over its middle
			weight.Of = append(weight.Of, []weights.Influence{{Joint: 1, Value: 1}})
		}
	}
	require.NotEmpty(t, layer)
	two, err := deform.NewSkin(over, tris, weight, s, nil)
	require.NoError(t, err)
	c, err = two.Check(context.Background(), bends(s, 0, 30), deform.CheckOptions{Cover: 1, Body: tris, Layers: [][]int32{layer}}, nil)
	require.NoError(t, err)
	require.Zero(t, c.Frames[0].Times[deform.FaultThrough])
	require.Greater(t, c.Frames[1].Times[deform.FaultThrough], 1.0)
}
