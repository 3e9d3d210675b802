package demo

import (
	"context"
	"slices"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/weights"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// Tansy's clothes go with what is under them, nothing comes through them, things keep their
// shape, and both sides of a seam go as one.
func TestLayersGoWithTheBody(t *testing.T) {
	need.Time(t)
	m, s := Tansy(0.022)
	w, r, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	require.Zero(t, r.Unweighted)
	for _, j := range r.Joints {
		require.Contains(t, []bind.State{bind.Solved, bind.Idle}, j.State, "%s: %s", j.Name, j.Cause)
	}
	kinds := map[string]string{}
	for _, l := range r.Layers {
		kinds[l.Part] = l.Kind
		require.NotNil(t, l.Through, l.Part)
		if l.Kind == bind.KindCloth {
			require.GreaterOrEqual(t, l.Agreement, 0.97, l.Part)
			require.LessOrEqual(t, float64(l.Through.Vertices), 0.005*float64(l.Vertices), l.Part)
		}
	}
	want := map[string]string{"shirt": bind.KindCloth, "coat": bind.KindCloth, "belt": bind.KindCloth, "hair_cards": bind.KindCard}
	for _, name := range []string{"buckle", "button_1", "button_4", "plate_1_l", "plate_3_r", "eye_l", "eye_r", "teeth_upper", "teeth_lower"} {
		want[name] = bind.KindRigid
	}
	for name, kind := range want {
		require.Equal(t, kind, kinds[name], name)
	}
	require.Empty(t, kinds["skin"])
	pieces := m.Pieces()
	one := map[int32][]weights.Influence{}
	at := map[r3.Vec]int{}
	for f := range m.Faces() {
		kind := kinds[m.Parts[m.PartOf(f)].Name]
		for _, v := range m.Face(f) {
			if kind == bind.KindRigid || kind == bind.KindCard {
				p := pieces.OfVertex[v]
				if one[p] == nil {
					one[p] = w.Of[v]
				}
				require.Equal(t, one[p], w.Of[v], "piece %d of %s shears", p, m.Parts[m.PartOf(f)].Name)
			}
		}
	}
	for v, p := range m.Points {
		if k, ok := at[p]; ok && pieces.OfVertex[k] != pieces.OfVertex[int32(v)] {
			require.Equal(t, w.Of[k], w.Of[v], "a seam opens at %v", p)
		}
		at[p] = v
	}
	// The same cut apart at the waist: both sides of the seam get one weight.
	var upper []bool
	waist := 0.6 * geom.BoxOf(m.Points).Size().Y
	for f := range m.Faces() {
		upper = append(upper, slices.ContainsFunc(m.Face(f), func(v int32) bool { return m.Points[v].Y > waist }))
	}
	whole := len(m.Points)
	cut := crack(m, upper)
	require.Greater(t, len(cut.Points), whole)
	w, r, err = bind.Automatic(context.Background(), cut, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	require.Zero(t, r.Unweighted)
	clear(at)
	for v, p := range cut.Points {
		if k, ok := at[p]; ok {
			require.InDelta(t, 0, apart(w.Of[k], w.Of[v]), 1e-9, "the seam opens at %v", p)
		}
		at[p] = v
	}
}

func apart(a, b []weights.Influence) float64 {
	sum := map[int32]float64{}
	for _, x := range a {
		sum[x.Joint] += x.Value
	}
	for _, x := range b {
		sum[x.Joint] -= x.Value
	}
	out := 0.0
	for _, x := range sum {
		out += max(x, -x)
	}
	return out
}

// What is said to be rigid keeps its size in the whole reel, plates on shoulders too, whose nearest place follows a
// mix of joints; given that mix they shrink, and the motion check says so.
func TestRigidThingsKeepTheirSize(t *testing.T) {
	need.Time(t)
	m, s := Tansy(0.022)
	w, r, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	things := r.Stiff(m)
	require.Greater(t, len(things), 100)
	check := func(w *weights.Weights) *deform.Checked {
		tris, _ := m.Triangles()
		skin, err := deform.NewSkin(m.World(), tris, w, s, nil)
		require.NoError(t, err)
		o := pose.DefaultReel
		o.Steps = 1
		c, err := skin.Check(context.Background(), pose.NewReel(s, o), deform.CheckOptions{Rigid: things}, nil)
		require.NoError(t, err)
		return c
	}
	require.LessOrEqual(t, check(w).Worst[deform.FaultRigid], 1.0)
	mixed := &weights.Weights{Joints: w.Joints, Of: slices.Clone(w.Of)}
	joint := func(name string) int32 { return int32(slices.Index(w.Joints, name)) }
	for f := range m.Faces() {
		if m.Parts[m.PartOf(f)].Name == "plate_1_l" {
			for _, v := range m.Face(f) {
				mixed.Of[v] = []weights.Influence{{Joint: joint("upper_arm_l"), Value: 0.67}, {Joint: joint("clavicle_l"), Value: 0.33}}
			}
		}
	}
	bad := check(mixed)
	require.Greater(t, bad.Worst[deform.FaultRigid], 2.0)
	k := slices.IndexFunc(bad.Faults, func(f deform.Fault) bool { return f.Kind == deform.FaultRigid })
	require.Less(t, bad.Faults[k].Change, -0.2, "it shrinks")
	require.Equal(t, "upper_arm_l", bad.Faults[k].Blame[0].Joint)
}
