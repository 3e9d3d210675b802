package health_test

import (
	"context"
	"fmt"
	"runtime"
	"strings"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/health"
	"wisemarrow/internal/hostile"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
)

// What is made to take forever is measured in part, the same part on any number of
// cores, and what was not measured is said. Speed is in bench/.
func TestMeshesMadeToBeSlowAreMeasuredInPartAndSayingSo(t *testing.T) {
	need.Time(t)
	gives := map[string][]string{
		"all points equal":       {"duplicates", "crossings"},
		"many points at few":     {"duplicates", "crossings"},
		"all points in a plane":  {"crossings"},
		"one huge face":          {"crossings"},
		"a fan around a vertex":  {"crossings"},
		"a fan around an edge":   {"inside", "winding", "crossings"},
		"triangles all crossing": {"winding", "crossings"},
		"many pieces":            nil,
	}
	for name, want := range gives {
		m := hostile.Meshes[name](24_000)
		var said [2]string
		for i, cores := range []int{1, 4} {
			before := runtime.GOMAXPROCS(cores)
			_, list, err := health.Check(context.Background(), m.Surface(), "")
			runtime.GOMAXPROCS(before)
			require.NoError(t, err, name)
			var got []string
			for _, f := range list {
				said[i] += fmt.Sprintf("%s %d %d %s\n", f.Code, f.Count, len(f.Where.Faces), f.Title)
				if part, ok := strings.CutPrefix(f.Code, "unfinished_"); ok {
					got = append(got, part)
					require.Equal(t, finding.Harms, f.Severity)
				}
				require.LessOrEqual(t, len(f.Where.Spots), 2000, "%s: %s", name, f.Code)
			}
			require.ElementsMatch(t, want, got, name)
		}
		require.Equal(t, said[0], said[1], name)
	}
}

// More pairs than anybody looks at are not listed, and not counted as if they were all.
func TestMorePairsThanAreLookedForAreSaidToBeMore(t *testing.T) {
	m := hostile.Meshes["triangles all crossing"](24_000)
	within, between, all := m.Surface().Crossings()
	require.False(t, all)
	require.LessOrEqual(t, len(within)+len(between), geom.MaxCrossings)
	_, list, _ := health.Check(context.Background(), m.Surface(), "")
	f := find(list, "crossing_pieces")
	require.NotNil(t, f)
	require.Contains(t, f.Why, "there may be more")
	require.Contains(t, f.Evidence[0].What, "pairs")
}

func TestACheckEndsWithItsAsker(t *testing.T) {
	ctx, stop := context.WithCancel(context.Background())
	stop()
	_, list, err := health.Check(ctx, figure().Surface(), "")
	require.ErrorIs(t, err, context.Canceled)
	require.Empty(t, list)
}
