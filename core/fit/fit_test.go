package fit_test

import (
	"context"
	"math"
	"testing"

	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func params(t *testing.T, name string) skeleton.Params {
	t.Helper()
	k, err := skeleton.FindKind(name)
	require.NoError(t, err)
	return k.Default
}

// A chain in a straight tube lies on its axis at even steps, whichever way the
// tube points.
func TestAChainLiesOnTheAxisOfATube(t *testing.T) {
	p := params(t, "chain")
	p.Count = 8
	for _, axis := range []r3.Vec{{X: 1}, {Y: 1}, {X: 1, Y: 1, Z: 1}} {
		m := solids.Tube(4, 0.3, 20, 16)
		q := geom.Between(r3.Vec{X: 1}, r3.Unit(axis))
		for i, v := range m.Points {
			m.Points[i] = geom.Rotate(q, v)
		}
		s, r, err := fit.Fit(context.Background(), m, fit.Options{Params: p}, nil)
		require.NoError(t, err)
		require.Len(t, s.Joints, 9)
		for i, j := range s.Joints {
			local := geom.Rotate(geom.Between(r3.Unit(axis), r3.Vec{X: 1}), j.Pos)
			off := 0.06
			if i == 0 || i == len(s.Joints)-1 {
				off = 0.2 // a flat end has no one farthest place: its rim is as far as its middle
			}
			require.Less(t, math.Hypot(local.Y, local.Z), off, j.Name)
			if i > 0 {
				require.InDelta(t, 0.5, r3.Norm(r3.Sub(j.Pos, s.Joints[i-1].Pos)), 0.1)
			}
		}
		require.Equal(t, "chain", r.Starter)
	}
}

func TestParametersAndBodiesThatWillNotDo(t *testing.T) {
	need.Time(t)
	m := solids.Sphere(2)
	p := params(t, "biped")
	p.Spine = 9
	_, _, err := fit.Fit(context.Background(), m, fit.Options{Params: p}, nil)
	require.ErrorContains(t, err, "spine is 1 to 6")
	_, _, err = fit.Fit(context.Background(), &mesh.Mesh{}, fit.Options{Params: params(t, "bird")}, nil)
	require.ErrorIs(t, err, fit.ErrNoBody)
	_, _, err = fit.Fit(context.Background(), m, fit.Options{Params: params(t, "quadruped")}, nil)
	require.Error(t, err, "a ball has no four feet")
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, _, err = fit.Fit(ctx, m, fit.Options{Params: params(t, "biped")}, nil)
	require.ErrorIs(t, err, context.Canceled)
}

// Moving least squares reproduces what an affine map does to all vertices.
func TestFollowReproducesAffineChanges(t *testing.T) {
	m := solids.Tube(2, 0.3, 10, 12)
	s := &skeleton.Skeleton{
		Joints: []skeleton.Joint{
			{Name: "a", Parent: -1, Pos: r3.Vec{X: 0.4}, Rot: geom.Identity},
			{Name: "b", Parent: 0, Pos: r3.Vec{X: 1.5, Y: 0.1}, Rot: geom.Identity},
		},
	}
	q := geom.AxisAngle(r3.Vec{X: 1, Y: 2}, 0.7)
	move := func(p r3.Vec) r3.Vec {
		return r3.Add(geom.Rotate(q, r3.Scale(1.3, r3.Vec{X: p.X, Y: 1.2 * p.Y, Z: p.Z})), r3.Vec{Z: 3})
	}
	after := make([]r3.Vec, len(m.Points))
	for i, p := range m.Points {
		after[i] = move(p)
	}
	out, _ := fit.Follow(s, m.Points, after, nil)
	for i, j := range s.Joints {
		require.InDelta(t, 0, r3.Norm(r3.Sub(move(j.Pos), out.Joints[i].Pos)), 1e-9)
	}
	still, off := fit.Follow(s, m.Points, m.Points, nil)
	for i, j := range still.Joints {
		require.InDelta(t, 0, off[i], 1e-12)
		require.InDelta(t, 0, r3.Norm(r3.Sub(s.Joints[i].Pos, j.Pos)), 1e-12, "nothing moves with nothing")
	}
}

func TestSnapCarriesWhatTheMapDoesNotName(t *testing.T) {
	p := params(t, "biped")
	p.Fingers = 3
	theirs := skeleton.Biped(1.9)
	names := map[string]string{}
	vrm, err := skeleton.FindNameMap("vrm")
	require.NoError(t, err)
	renamed := map[string]string{}
	for ours, other := range vrm.Joints {
		if theirs.Index(ours) >= 0 {
			renamed[ours] = other
			names[ours] = other
		}
	}
	theirs, err = theirs.RenameMany(renamed)
	require.NoError(t, err)
	s, missing, err := fit.Snap(p, theirs, names)
	require.NoError(t, err)
	require.Contains(t, missing, "head_end")
	require.Contains(t, missing, "index_1_l")
	require.NotContains(t, missing, "hips")
	plain, err := p.Build()
	require.NoError(t, err)
	k := 1.9 / p.Height
	for i, j := range plain.Joints {
		require.InDelta(t, 0, r3.Norm(r3.Sub(r3.Scale(k, j.Pos), s.Joints[i].Pos)), 1e-6, "%s", j.Name)
	}
	_, _, err = fit.Snap(p, theirs, map[string]string{"hips": "nobody"})
	require.Error(t, err)
}
