package deform_test

import (
	"context"
	"encoding/json"
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
		r.Frames = append(
			r.Frames,
			pose.Frame{
				Tried: pose.Tried{
					Name:  fmt.Sprintf("bend %.0f°", d),
					Joint: 1,
					Pose:  pose.Pose{s.Joints[1].Name: pose.AboutWorld(s, t, d)},
				},
				Same: -1,
			},
		)
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

// A tube without ends, of which one end is moved and turned: what it encloses is that of the solid between its rims,
// so that a posed end is no volume, and a squeezed middle is one.
func TestVolumeOfALimbIsBetweenItsRims(t *testing.T) {
	const around, along = 32, 160
	var points []r3.Vec
	var tris [][3]int32
	for i := range along + 1 {
		for k := range around {
			a := 2 * math.Pi * float64(k) / around
			points = append(points, r3.Vec{X: 4 * float64(i) / along, Y: 0.2 * math.Cos(a), Z: 0.2 * math.Sin(a)})
		}
	}
	for i := range int32(along) {
		for k := range int32(around) {
			a, b := around*i+k, around*i+(k+1)%around
			tris = append(tris, [3]int32{a, b, b + around}, [3]int32{a, b + around, a + around})
		}
	}
	w := weights.New([]string{"a", "b", "c"}, len(points))
	for v, p := range points {
		near := int32(1)
		switch {
		case p.X < 1.3:
			near = 0
		case p.X > 2.7:
			near = 2
		}
		w.Of[v] = []weights.Influence{{Joint: near, Value: 1}}
	}
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{
		{Name: "a", Parent: -1, Pos: r3.Vec{X: 0}, Rot: geom.Identity},
		{Name: "b", Parent: 0, Pos: r3.Vec{X: 4. / 3}, Rot: geom.Identity},
		{Name: "c", Parent: 1, Pos: r3.Vec{X: 8. / 3}, Rot: geom.Identity},
		{Name: "end", Parent: 2, Pos: r3.Vec{X: 4}, Rot: geom.Identity}}}
	volume := func(p pose.Pose, mix float64) (most float64, limb string) {
		ww := &weights.Weights{Joints: w.Joints, Of: append([][]weights.Influence(nil), w.Of...)}
		for v, q := range points { // evenly over the second joint
			if x := (q.X - 4./3 + 0.3) / 0.6; x > 0 && x < 1 {
				ww.Of[v] = []weights.Influence{{Joint: 0, Value: 1 - x}, {Joint: 1, Value: x}}
			}
		}
		sk := s.Clone()
		sk.Joints[0].Mix, sk.Joints[1].Mix = mix, mix
		skin, err := deform.NewSkin(points, tris, ww, sk, nil)
		require.NoError(t, err)
		reel := &pose.Reel{
			Step:     1,
			Segments: []pose.Segment{{Name: "x", To: 1}},
			Frames:   []pose.Frame{{Tried: pose.Tried{Name: "x", Joint: -1, Pose: p}, Same: -1}},
		}
		c, err := skin.Check(context.Background(), reel, deform.CheckOptions{}, nil)
		require.NoError(t, err)
		for _, f := range c.Faults {
			if f.Kind == deform.FaultVolume && f.Size > most {
				most, limb = f.Size, f.Limb
				require.Equal(t, math.Abs(f.Change), f.Size)
			}
		}
		return most, limb
	}
	// The far third turned stiffly about its own end: the rim between moves with both, nothing changes but there.
	lost, _ := volume(pose.Pose{"c": pose.Turn(0, 0, 0)}, 0)
	require.Less(t, lost, 1e-6)
	// Twisted by 170° in a zone of 0.6 the tube collapses there: linear blending leaves it nearly nothing at the
	// middle; over the 1.333 long limbs beside it that is about a tenth of each. Dual quaternions keep it.
	lost, limb := volume(pose.Pose{"b": pose.Turn(170, 0, 0)}, 0)
	want := 0.0 // of half the zone, r² = 0.04·(1 − 2x(1−x)(1−cos 170°)) between x of 0 and a half, over the limb's length
	for k := range 1000 {
		x := (float64(k) + 0.5) / 2000
		want += 2 * x * (1 - x) * (1 - math.Cos(170*math.Pi/180)) / 1000 * 0.3 / (4. / 3)
	}
	require.InDelta(t, want, lost, 0.02, "of %s", limb)
	kept, _ := volume(pose.Pose{"b": pose.Turn(170, 0, 0)}, 1)
	require.Less(t, kept, 0.01)
}

// The short side of a sliver may be drawn out many times and nobody sees it; a step as long as a hand is wide is
// told, with how many times it is its length.
func TestStretchIsMeasuredAlongALength(t *testing.T) {
	points, tris, w, s := bar(60)
	sliver := append([]r3.Vec(nil), points...)
	ww := &weights.Weights{Joints: w.Joints, Of: append([][]weights.Influence(nil), w.Of...)}
	// A vertex beside another, a hundredth of an edge away, that follows the other joint a little more.
	v := int32(4 * 45)
	sliver = append(sliver, r3.Add(points[v], r3.Vec{X: 0.0003}))
	ww.Of = append(ww.Of, []weights.Influence{{Joint: w.Of[v][0].Joint, Value: 0.97}, {Joint: 1 - w.Of[v][0].Joint, Value: 0.03}})
	cut := append([][3]int32(nil), tris...)
	for i, t := range cut {
		for k := range 3 {
			if t[k] == v && t[(k+1)%3] == v+4 { // its way on goes through the new one
				cut[i][k] = int32(len(sliver) - 1)
				cut = append(cut, [3]int32{v, int32(len(sliver) - 1), t[(k+2)%3]})
			}
		}
	}
	check := func(points []r3.Vec, tris [][3]int32, w *weights.Weights) *deform.Checked {
		skin, err := deform.NewSkin(points, tris, w, s, nil)
		require.NoError(t, err)
		c, err := skin.Check(context.Background(), bends(s, 60), deform.CheckOptions{}, nil)
		require.NoError(t, err)
		return c
	}
	clean, thin := check(points, tris, w), check(sliver, cut, ww)
	require.Less(t, thin.Worst[deform.FaultStretch]-clean.Worst[deform.FaultStretch], 0.4)
	step := &weights.Weights{Joints: w.Joints, Of: append([][]weights.Influence(nil), w.Of...)}
	for v, p := range points { // half of the far end stays behind
		if p.X > 1.6 && p.Y > 0 {
			step.Of[v] = []weights.Influence{{Joint: 1, Value: 1}}
		}
	}
	torn := check(points, tris, step)
	require.Greater(t, torn.Worst[deform.FaultStretch], 1.0)
	for _, f := range torn.Faults {
		if f.Kind == deform.FaultSpill {
			require.Greater(t, f.Away, 0.1, "meters")
		}
	}
}

// The limits, as they are told to people and stored with sheets: a change of one is a change of what is called good.
func TestLimitsOfFaults(t *testing.T) {
	want := map[string]float64{
		deform.FaultSpill:   0.65,
		deform.FaultStretch: 4,
		deform.FaultCrush:   12,
		deform.FaultPinch:   0.003,
		deform.FaultFlip:    0.03,
		deform.FaultVolume:  0.15,
		deform.FaultCross:   0.15,
		deform.FaultThrough: 0.03,
		deform.FaultRigid:   0.1,
	}
	require.Len(t, deform.FaultKinds, len(want))
	for _, kind := range deform.FaultKinds {
		require.Equal(t, want[kind], deform.FaultLimit(kind), kind)
	}
}

// Faces that come to look the other way than the skin around them is turned are found, and no others.
func TestFacesThatTurnInsideOut(t *testing.T) {
	points, tris, w, s := bar(24)
	flips := func(w *weights.Weights, degrees float64) float64 {
		skin, err := deform.NewSkin(points, tris, w, s, nil)
		require.NoError(t, err)
		c, err := skin.Check(context.Background(), bends(s, degrees), deform.CheckOptions{}, nil)
		require.NoError(t, err)
		return c.Frames[0].Times[deform.FaultFlip]
	}
	require.Zero(t, flips(w, 20))
	spoiled := &weights.Weights{Joints: w.Joints, Of: append([][]weights.Influence(nil), w.Of...)}
	hi := math.Inf(-1)
	for _, p := range points {
		hi = math.Max(hi, p.X)
	}
	for v, p := range points { // a row near the far end stays while the end is turned away
		if p.X > 0.9*hi && p.X < 0.97*hi {
			spoiled.Of[v] = []weights.Influence{{Joint: 1 - w.Of[v][0].Joint, Value: 1}}
		}
	}
	require.Positive(t, flips(spoiled, 120))
	require.Zero(t, flips(w, 0))
}
