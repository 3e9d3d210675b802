package demo

import (
	"context"
	"math"
	"strings"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// seated returns the ferrywoman sitting on the ground, and her true skeleton.
func seated(t *testing.T) (*mesh.Mesh, *skeleton.Skeleton) {
	t.Helper()
	m, s := Stranger{Figure: OdileFigure, Head: 1}.Make(80)
	w, _, err := bind.Heat(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	p := pose.Pose{
		"thigh_l":     pose.Turn(-80, 8, 0),
		"thigh_r":     pose.Turn(-80, -8, 0),
		"upper_arm_l": pose.Turn(-20, 0, 0),
		"upper_arm_r": pose.Turn(-20, 0, 0),
	}
	m.Points = deform.Linear(m.Points, w, pose.Skin(s, p))
	out := s.Clone()
	for i, x := range pose.World(s, p) {
		out.Joints[i].Pos = x.Point(r3.Vec{})
	}
	return m, out
}

// A body that sits, or lies in the file whichever way, is fitted in the frame of its own trunk, and how it lies is told.
func TestBodiesInAnyPostureAreFitted(t *testing.T) {
	need.Time(t)
	params := skeleton.Kinds[0].Default
	m, truth := seated(t)
	s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: params}, nil)
	require.NoError(t, err)
	mean, worst, at := FitError(s, truth, OdileFigure.Height)
	t.Logf("seated: mean %.1f %%, worst %.1f %% at %s", 100*mean, 100*worst, at)
	require.Less(t, mean, 0.025)
	require.Less(t, worst, 0.08, at)
	require.Contains(t, report.Notes[len(report.Notes)-1], "in a pose")

	for says, turn := range map[string]quat.Number{
		"lying on its back": geom.AxisAngle(r3.Vec{X: 1}, -math.Pi/2),
		"lying face down":   geom.AxisAngle(r3.Vec{X: 1}, math.Pi/2),
		"lying on its side": geom.AxisAngle(r3.Vec{Z: 1}, math.Pi/2),
		"upside down":       geom.AxisAngle(r3.Vec{X: 1}, math.Pi),
	} {
		m, truth := Odile(0.02)
		for i, p := range m.Points {
			m.Points[i] = geom.Rotate(turn, p)
		}
		for i, j := range truth.Joints {
			truth.Joints[i].Pos = geom.Rotate(turn, j.Pos)
		}
		s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: params}, nil)
		require.NoError(t, err, says)
		mean, worst, at := FitError(s, truth, OdileFigure.Height)
		t.Logf("%s: mean %.1f %%, worst %.1f %% at %s", says, 100*mean, 100*worst, at)
		require.Less(t, mean, 0.015, says)
		require.Less(t, worst, 0.05, "%s: %s", says, at)
		require.Contains(t, strings.Join(report.Notes, "\n"), says)
	}
}

// Where head, hands and feet of a body that lies cannot be told, the tips are asked for; with them it is fitted.
func TestABodyThatCannotBeReadAsksForItsTips(t *testing.T) {
	need.Time(t)
	params := skeleton.Kinds[0].Default
	m, truth := Stranger{Figure: OdileFigure, Head: 1, Hem: 0.06, Flare: 2}.Make(80)
	turn := geom.AxisAngle(r3.Vec{X: 1}, math.Pi/2)
	for i, p := range m.Points {
		m.Points[i] = geom.Rotate(turn, p)
	}
	_, _, err := fit.Fit(context.Background(), m, fit.Options{Params: params}, nil)
	require.ErrorContains(t, err, "it sits, kneels or bends over")
	require.ErrorContains(t, err, "missing: head, hand_l, hand_r, foot_l, foot_r")
	tip := func(joint string) r3.Vec { return geom.Rotate(turn, truth.Joints[truth.Index(joint)].Pos) }
	shown := map[string]r3.Vec{
		"head":   tip("head_end"),
		"hand_l": tip("hand_end_l"),
		"hand_r": tip("hand_end_r"),
		"foot_l": tip("toe_end_l"),
	}
	_, _, err = fit.Fit(context.Background(), m, fit.Options{Params: params, Shown: fit.Shown{Places: shown}}, nil)
	require.ErrorContains(t, err, "missing: foot_r")
	shown["foot_r"] = tip("toe_end_r")
	s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: params, Shown: fit.Shown{Places: shown}}, nil)
	require.NoError(t, err)
	for _, name := range []string{"head_end", "hand_end_l", "toe_end_r"} {
		require.InDelta(t, 0, r3.Norm(r3.Sub(s.Joints[s.Index(name)].Pos, tip(name))), 0.03, name)
	}
	for _, j := range s.Joints {
		require.True(t, j.Confidence < skeleton.Sure || j.Confidence > 0.94, "only what was shown is sure, not %s", j.Name)
	}
	t.Log(report.Notes)
}

// Legs that stand close hide neither feet nor tail; legs that touch are asked for.
func TestLegsThatStandClose(t *testing.T) {
	need.Time(t)
	f := SedgeFigure
	f.Leg, f.Close = 1.25, 0.4
	m, truth := sedge(f, 0.0125)
	s, _, err := fit.Fit(context.Background(), m, fit.Options{Params: OtterParams}, nil)
	require.NoError(t, err)
	_, worst, at := FitError(s, truth, truth.Height())
	require.Less(t, worst, 0.055, at)
	f.Close = 0.65
	m, _ = sedge(f, 0.0125)
	_, _, err = fit.Fit(context.Background(), m, fit.Options{Params: OtterParams}, nil)
	require.ErrorContains(t, err, "mark the feet")
}
