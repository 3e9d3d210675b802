package bind_test

import (
	"context"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/geom"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
)

// The skeletons are written by hand from cross-sections of the meshes; the
// meshes are CGAL's examples (Debian's libcgal-demo).
func TestRealMeshesBindWithAllJointsSolved(t *testing.T) {
	need.Time(t)
	for name, lines := range map[string][]string{
		"cow": {
			"hips - -0.36 0.12 0", "spine hips -0.15 0.06 0", "chest spine 0.08 0.06 0", "neck chest 0.22 0.10 0", "head neck 0.34 0.20 0", "muzzle head 0.47 0.17 0",
			"fore_l chest 0.12 -0.06 0.08", "fore_knee_l fore_l 0.098 -0.17 0.08", "fore_hoof_l fore_knee_l 0.125 -0.28 0.09",
			"fore_r chest 0.12 -0.06 -0.08", "fore_knee_r fore_r 0.098 -0.17 -0.08", "fore_hoof_r fore_knee_r 0.125 -0.28 -0.09",
			"hind_l hips -0.36 0.00 0.09", "hind_knee_l hind_l -0.381 -0.185 0.089", "hind_hoof_l hind_knee_l -0.35 -0.28 0.10",
			"hind_r hips -0.36 0.00 -0.09", "hind_knee_r hind_r -0.381 -0.185 -0.089", "hind_hoof_r hind_knee_r -0.35 -0.28 -0.10",
		},
		"elephant": {
			"hips - -0.13 -0.20 0.00", "spine hips -0.02 -0.14 0.01", "chest spine 0.09 -0.07 0.03", "head chest 0.19 0.05 0.00", "head_end head 0.24 0.16 0.00",
			"hind hips -0.12 -0.32 -0.05", "hind_foot hind -0.12 -0.47 -0.05",
			"fore chest 0.13 -0.27 -0.04", "fore_foot fore 0.12 -0.45 -0.05",
		},
	} {
		t.Run(name, func(t *testing.T) {
			m := readOFF(t, name)
			_, findings, _ := health.Check(context.Background(), m.Surface(), "")
			for _, f := range findings { // closed and whole; place and folds are another matter
				require.Contains(t, []string{"off_ground", "not_facing_front", "self_intersections", "asymmetric"}, f.Code)
			}
			s := tree(t, lines...)
			solid, _ := m.Tree(m.Points)
			for i, j := range s.Joints {
				if s.Deforming()[i] {
					require.Greater(t, solid.Winding(j.Pos), 0.5, "%s is inside", j.Name)
				}
			}
			w, r := heat(t, m, s, bind.DefaultOptions)
			for _, j := range r.Joints {
				require.Contains(t, []bind.State{bind.Solved, bind.Idle}, j.State, "%s: %s", j.Name, j.Cause)
			}
			require.Zero(t, r.Unweighted)
			require.Less(t, r.Overshoot, 0.03)
			require.Len(t, w.Of, len(m.Points))
		})
	}
}

// The man stands along Z; the fit is of core/skeleton, the bind of this package.
func TestTheManIsFittedAndBound(t *testing.T) {
	need.Time(t)
	m := readOFF(t, "man")
	g := m.GuessPlacement()
	require.Equal(t, "z", g.Up, g.Reason)
	m = m.Bake(mesh.Placement{Scale: 1, Up: g.Up, Stand: true})
	s := fitted(t, m)
	solid, _ := m.Tree(m.Points)
	for _, j := range s.Joints {
		require.Greater(t, solid.Winding(j.Pos), 0.5, "%s is inside: %s", j.Name, j.Reason)
	}
	_, r := heat(t, m, s, bind.DefaultOptions)
	for _, j := range r.Joints {
		require.Contains(t, []bind.State{bind.Solved, bind.Idle}, j.State, "%s: %s", j.Name, j.Cause)
	}
	require.InDelta(t, 1, geom.BoxOf(m.Points).Size().Y, 1e-6)
}
