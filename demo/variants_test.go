package demo

import (
	"context"
	"strings"
	"testing"

	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// Every seventh of the sixty variants; bench/ fits them all. The limits are those
// that the kinds of the cast reach, as shares of the height.
func TestFitFindsTheTrueJointsOfVariants(t *testing.T) {
	need.Time(t)
	table, err := ReadFits("../bench/tables/fits.csv")
	require.NoError(t, err)
	limits := map[string][2]float64{"biped": {0.025, 0.07}, "quadruped": {0.035, 0.07}, "bird": {0.035, 0.1}}
	for i, v := range Variants() {
		if i%7 != 3 {
			continue
		}
		m, truth := v.Make()
		s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: v.Params}, nil)
		require.NoError(t, err, v.Name)
		mean, worst, at := FitError(s, truth, report.Height)
		t.Logf("%-45s mean %.1f %%, worst %.1f %% at %s", v.Name, 100*mean, 100*worst, at)
		limit := limits[v.Params.Starter]
		require.Less(t, mean, limit[0], v.Name)
		require.Less(t, worst, limit[1], "%s: %s", v.Name, at)
		require.True(t, table.Has(v.Name), v.Name)
		require.Empty(t, table.Worse(v.Name, mean, worst), v.Name)
	}
}

// All joints of the fitted cast lie inside, but those at the ends, and sides
// mirror each other.
func TestTheCastIsFittedInside(t *testing.T) {
	need.Time(t)
	for _, c := range []struct {
		name   string
		params skeleton.Params
		make   func(float64) (*mesh.Mesh, *skeleton.Skeleton)
		cell   float64
	}{
		{"Sedge", OtterParams, Sedge, 0.016}, {"Plover", PloverParams, Plover, 0.0065},
	} {
		m, truth := c.make(c.cell)
		s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: c.params}, nil)
		require.NoError(t, err, c.name)
		require.Len(t, s.Joints, len(truth.Joints), c.name)
		solid, _ := m.Tree(m.Points)
		plane := report.Plane.X
		kind, err := skeleton.FindKind(c.params.Starter)
		require.NoError(t, err)
		for _, name := range kind.Shown { // each can be shown, so each is told
			if limb, begins := strings.CutPrefix(name, "begin "); begins {
				require.Contains(t, report.Begin, limb, c.name)
			} else if name != fit.MiddlePlane {
				require.Contains(t, report.Tips, name, c.name)
			}
		}
		for i, j := range s.Joints {
			require.GreaterOrEqual(t, truth.Index(j.Name), 0, "%s: %s", c.name, j.Name)
			if s.Deforming()[i] {
				require.Greater(t, solid.Winding(j.Pos), 0.5, "%s: %s", c.name, j.Name)
			}
			if k := s.PartnerOf(i, skeleton.Marks{Left: "_l", Right: "_r"}); k >= 0 {
				require.InDelta(
					t,
					0,
					r3.Norm(r3.Sub(skeleton.Mirrored(j.Pos, plane), s.Joints[k].Pos)),
					0.03*report.Height,
					"%s: %s",
					c.name,
					j.Name,
				)
			}
		}
	}
}

// A kite's tail has no sides: the chain lies in it from end to end.
func TestAChainRunsThroughTheKiteTail(t *testing.T) {
	need.Time(t)
	m, truth := KiteTail(0.012)
	p, err := skeleton.FindKind("chain")
	require.NoError(t, err)
	p.Default.Count = 10
	s, _, err := fit.Fit(context.Background(), m, fit.Options{Params: p.Default}, nil)
	require.NoError(t, err)
	require.Len(t, s.Joints, 11)
	box := geom.EmptyBox()
	for _, v := range m.Points {
		box = box.Add(v)
	}
	for _, j := range s.Joints { // near the true line, wherever along it
		near := 1.0
		for i, b := range truth.Joints {
			if b.Parent >= 0 {
				at, _ := geom.ClosestOnSegment(j.Pos, truth.Joints[b.Parent].Pos, truth.Joints[i].Pos)
				near = min(near, r3.Norm(r3.Sub(j.Pos, at)))
			}
		}
		require.Less(t, near, 0.03*r3.Norm(box.Size()), j.Name)
	}
}

// With few joints a chain that is closer where it bends follows the tail better
// than an even one.
func TestACurvedChainFollowsTheTailBetter(t *testing.T) {
	need.Time(t)
	m, truth := KiteTail(0.012)
	kind, err := skeleton.FindKind("chain")
	require.NoError(t, err)
	off := func(curved bool) float64 {
		p := kind.Default
		p.Count, p.Curved = 5, curved
		s, _, err := fit.Fit(context.Background(), m, fit.Options{Params: p}, nil)
		require.NoError(t, err)
		worst := 0.0
		for _, j := range truth.Joints {
			near := 1e9
			for i, k := range s.Joints {
				if k.Parent >= 0 {
					q, _ := geom.ClosestOnSegment(j.Pos, s.Joints[k.Parent].Pos, s.Joints[i].Pos)
					near = min(near, r3.Norm(r3.Sub(q, j.Pos)))
				}
			}
			worst = max(worst, near)
		}
		return worst
	}
	even, curved := off(false), off(true)
	t.Logf("farthest from the true line: even %.3f m, curved %.3f m", even, curved)
	require.Less(t, curved, even)
}
