package demo

import (
	"context"
	"slices"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
)

func checked(t *testing.T, m *mesh.Mesh, s *skeleton.Skeleton, w *weights.Weights) *deform.Checked {
	t.Helper()
	tris, _ := m.Triangles()
	skin, err := deform.NewSkin(m.World(), tris, w, s, nil)
	require.NoError(t, err)
	c, err := skin.Check(context.Background(), pose.NewReel(s, s.Trials(skeleton.DefaultMarks), 2, 1), nil)
	require.NoError(t, err)
	require.Zero(t, c.Rest, "at rest the skin is exactly still")
	return c
}

// Automatic binds of the cast come through their ranges within the limits; those that give each
// vertex wholly to one joint do not, and score worse.
func TestTheReelTellsBindsApart(t *testing.T) {
	need.Time(t)
	for _, c := range []struct {
		name string
		make func() (*mesh.Mesh, *skeleton.Skeleton)
	}{{"Odile", func() (*mesh.Mesh, *skeleton.Skeleton) { return Odile(0.022) }}, {"Bram", func() (*mesh.Mesh, *skeleton.Skeleton) { return Bram(0.03) }}, {"Sedge", func() (*mesh.Mesh, *skeleton.Skeleton) { return Sedge(0.02) }}} {
		m, s := c.make()
		auto, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
		require.NoError(t, err)
		good := checked(t, m, s, auto)
		hard := bind.DefaultDistance
		hard.Cap, hard.Smooth = 1, 0
		whole, _, err := bind.Near(context.Background(), m, s, hard, nil)
		require.NoError(t, err)
		bad := checked(t, m, s, whole)
		t.Logf("%s: %.2f automatic, worst %s of %s at %.2f of its limit; %.2f hard, %d over", c.name, good.Score, good.Faults[0].Kind, good.Faults[0].Turned, good.Faults[0].Times, bad.Score, bad.Over())
		require.Zero(t, good.Over(), "%s: %v", c.name, good.Faults[0])
		require.Positive(t, bad.Over(), c.name)
		require.Less(t, 1.5*good.Score, bad.Score, c.name)
	}
}

// A bind that was spoiled on purpose: what was done to it are the first places of the list, with
// the joint that is to blame.
func TestWhatWasSpoiledIsFoundFirst(t *testing.T) {
	m, s := Odile(0.022)
	w, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	spoil := func(from, to string, share float64, v func(v int) bool) {
		a, b := int32(slices.Index(w.Joints, from)), int32(slices.Index(w.Joints, to))
		for i := range w.Of {
			if x := w.Value(i, a); x > 0.5 && (v == nil || v(i)) {
				e := weights.Edit(w, nil, nil, 0)
				e.Set(int32(i), b, share)
				w.Of[i] = e.Of[i]
			}
		}
	}
	spoil("hand_l", "shank_r", 0.5, nil)                                                                     // a hand tied to a leg
	spoil("head", "forearm_l", 0.2, func(v int) bool { return m.Points[v].Y > 0.95*s.Height() || v%2 == 0 }) // an arm that pulls the head
	c := checked(t, m, s, w)
	found := map[string]int{}
	for i, f := range c.Faults[:6] {
		if f.Kind == deform.FaultSpill {
			if _, ok := found[f.Turned]; !ok {
				found[f.Turned] = i
			}
			require.Equal(t, map[string]string{"shank_r": "shank_r", "thigh_r": "shank_r", "forearm_l": "forearm_l", "upper_arm_l": "forearm_l", "clavicle_l": "forearm_l"}[f.Turned], f.Blame[0].Joint, "%v", f)
			require.Greater(t, f.Times, 1.0)
		}
	}
	require.Contains(t, found, "shank_r")
	require.True(t, slices.ContainsFunc(c.Faults[:12], func(f deform.Fault) bool {
		return f.Kind == deform.FaultSpill && f.Blame[0].Joint == "forearm_l"
	}), "the arm that pulls the head")
}
