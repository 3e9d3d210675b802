package deform_test

import (
	"context"
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
	trials := []skeleton.Trial{{Joint: 1, Name: "bend", Axis: r3.Vec{Z: 1}, Degrees: [2]float64{-40, 60}}}
	reel := pose.NewReel(s, trials, 3, 1)
	require.Len(t, reel.Frames, 6)
	require.Equal(t, s.Joints[1].Name+" bend 60°", reel.Frames[5].Name)
	check := func(w *weights.Weights) *deform.Checked {
		skin, err := deform.NewSkin(points, tris, w, s, nil)
		require.NoError(t, err)
		c, err := skin.Check(context.Background(), reel, nil)
		require.NoError(t, err)
		require.Len(t, c.Frames, 6)
		require.Zero(t, c.Rest)
		return c
	}
	kinds := func(c *deform.Checked) map[string]deform.Fault {
		out := map[string]deform.Fault{}
		for _, f := range c.Faults {
			out[f.Kind] = f
		}
		return out
	}
	clean := check(w)
	require.Zero(t, clean.Over())
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
	stretch := kinds(bad)[deform.FaultStretch]
	require.Greater(t, stretch.Size, kinds(clean)[deform.FaultStretch].Size)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	skin, err := deform.NewSkin(points, tris, w, s, nil)
	require.NoError(t, err)
	_, err = skin.Check(ctx, reel, nil)
	require.ErrorIs(t, err, context.Canceled)
}
