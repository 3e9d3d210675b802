package demo

import (
	"context"
	"slices"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func TestOdileIsClean(t *testing.T) {
	m, s := Odile(0.0135)
	require.NoError(t, m.Validate())
	require.NoError(t, s.Validate())
	facts, list, _ := health.Check(context.Background(), m.Surface(), "biped")
	require.Empty(t, gravest(list)) // but for the end of her scarf she is symmetric
	require.Equal(t, []string{"asymmetric"}, codes(list))
	require.True(t, facts.Closed)
	require.InDelta(t, 1.66, facts.Height, 0.02)
	require.Greater(t, facts.Vertices, 6000)
	require.Less(t, facts.Vertices, 20000)
}

func TestBramHasHisPieces(t *testing.T) {
	m, s := Bram(0.0185)
	facts, list, _ := health.Check(context.Background(), m.Surface(), "")
	require.Equal(t, 12, facts.Pieces) // body, boots, belt, buckle, five buttons, lantern, flame
	require.Empty(t, gravest(list))
	require.Subset(t, codes(list), []string{"separate_pieces", "crossing_pieces", "floating_pieces"})
	tree, _ := m.Tree(m.Points)
	for i, j := range s.Joints {
		if s.Deforming()[i] {
			require.Greater(t, tree.Winding(j.Pos), 0.5, j.Name)
		}
	}
}

func codes(list []finding.Finding) []string {
	var out []string
	for _, f := range list {
		out = append(out, f.Code)
	}
	return out
}

// gravest returns the findings that are more than notes.
func gravest(list []finding.Finding) []finding.Finding {
	return slices.DeleteFunc(slices.Clone(list), func(f finding.Finding) bool { return f.Severity == finding.Note })
}

// Each careless thing is found, and the remedies that the findings carry bring
// her back to the surface that was spoiled, but for the capped crown.
func TestOdileAsDeliveredIsMendedByItsRemedies(t *testing.T) {
	need.Time(t)
	m, _ := OdileAsDelivered(0.0135)
	require.NoError(t, m.Validate())
	_, list, _ := health.Check(context.Background(), m.Surface(), "")
	for _, want := range []string{"size_or_axis", "transform_not_identity", "duplicate_vertices", "non_manifold_edges", "inverted_faces", "doubled_faces", "loose_vertices", "many_sided_faces", "open_borders", "separate_pieces"} {
		require.Contains(t, codes(list), want)
	}
	require.Equal(t, finding.Blocks, finding.Worst(list))

	m = m.Bake(m.GuessPlacement().Placement)
	m, _ = m.DropFaces()
	m, _, err := m.Weld(geom.NearShare*2, false)
	require.NoError(t, err)
	m, _ = m.DropLoose()
	m, _ = m.MakeOutward()
	facts, list, _ := health.Check(context.Background(), m.Surface(), "")
	require.True(t, facts.Closed)
	require.Equal(t, 1, facts.Pieces)
	require.Equal(t, []string{"many_sided_faces", "asymmetric"}, codes(list))
	clean, _ := Odile(0.0135)
	clean = capCrown(clean)
	clean, _ = clean.DropLoose()
	require.Equal(t, clean.Faces(), m.Faces())
	require.Equal(t, clean.Corner, m.Corner, "the topology is the original one")
}

// The mean over all joints and the worst, as shares of the height, against the
// skeletons that the generator built the bodies around.
func TestFitFindsTheTrueJoints(t *testing.T) {
	need.Time(t)
	for name, make := range map[string]func() (*mesh.Mesh, *skeleton.Skeleton){
		"Odile": func() (*mesh.Mesh, *skeleton.Skeleton) { return Odile(0.0135) },
		"Bram":  func() (*mesh.Mesh, *skeleton.Skeleton) { return Bram(0.0185) },
		"Odile, arms out": func() (*mesh.Mesh, *skeleton.Skeleton) {
			f := OdileFigure
			f.Arms = 2
			return odile(f, 0.016)
		},
		"Odile, broad and short": func() (*mesh.Mesh, *skeleton.Skeleton) {
			f := OdileFigure
			f.Height, f.Stout, f.Across, f.Arms = 1.2, 1.2, 0.118, 35
			return odile(f, 0.012)
		},
	} {
		m, truth := make()
		s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: skeleton.Kinds[0].Default}, nil)
		require.NoError(t, err, name)
		mean, worst, at := FitError(s, truth, report.Height)
		require.Less(t, mean, 0.03, name)
		require.Less(t, worst, 0.08, "%s: %s", name, at)
		require.Greater(t, report.Symmetry, 0.95, name)
	}
}

func TestFitTurnsWithTheCharacter(t *testing.T) {
	need.Time(t)
	m, truth := Odile(0.016)
	for _, quarter := range []func(p r3.Vec) r3.Vec{
		func(p r3.Vec) r3.Vec { return r3.Vec{X: -p.X, Y: p.Y, Z: -p.Z} },
		func(p r3.Vec) r3.Vec { return r3.Vec{X: p.Z, Y: p.Y, Z: -p.X} },
		func(p r3.Vec) r3.Vec { return r3.Vec{X: -p.Z, Y: p.Y, Z: p.X} },
	} {
		turned, want := *m, truth.Clone()
		turned.Points = nil
		for _, p := range m.Points {
			turned.Points = append(turned.Points, quarter(p))
		}
		for i := range want.Joints {
			want.Joints[i].Pos = quarter(want.Joints[i].Pos)
		}
		s, report, err := fit.Fit(context.Background(), &turned, fit.Options{Params: skeleton.Kinds[0].Default}, nil)
		require.NoError(t, err)
		mean, worst, at := FitError(s, want, report.Height)
		require.Less(t, mean, 0.03)
		require.Less(t, worst, 0.08, at)
	}
}

func TestFitOfAnEmptyShellSaysWhatToDo(t *testing.T) {
	m, _ := Odile(0.02)
	open := &mesh.Mesh{Points: m.Points, Parts: m.Parts}
	open.AddFace(0, 0, 1, 2)
	_, _, err := fit.Fit(context.Background(), open, fit.Options{Params: skeleton.Kinds[0].Default}, nil)
	require.ErrorIs(t, err, fit.ErrNoBody)
	_, _, err = fit.Fit(context.Background(), &mesh.Mesh{}, fit.Options{Params: skeleton.Kinds[0].Default}, nil)
	require.ErrorIs(t, err, fit.ErrNoBody)
}
