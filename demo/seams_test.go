package demo

import (
	"context"
	"math"
	"slices"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/finding"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
)

// stops counts the edges at which the cut to a cap ends a joint's weight that is above a limit.
func stops(m *mesh.Mesh, whole, cut *weights.Weights, limit float64) (n int) {
	for _, e := range m.Edges().Edges {
		most := 0.0
		for _, p := range [][2]int{{int(e.A), int(e.B)}, {int(e.B), int(e.A)}} {
			for _, x := range cut.Of[p[0]] {
				was := whole.Value(p[1], x.Joint)
				if cut.Value(p[1], x.Joint) == 0 && was > 0 {
					most = math.Max(most, x.Value)
				}
			}
		}
		if most > limit {
			n++
		}
	}
	return n
}

// unfaded is the cut that keeps the heaviest as they are.
func unfaded(w *weights.Weights, most int) *weights.Weights {
	out := weights.New(w.Joints, len(w.Of))
	for v, list := range w.Of {
		out.Of[v] = weights.Clean(list[:min(most, len(list))], weights.Limits{})
	}
	return out
}

// Whatever binds it, no weight stops at an edge because a vertex follows four joints at most. 0.02 is asked; where
// five and more joints have nearly the same weight a few edges may have more.
func TestNoBindHasSeamsFromItsCap(t *testing.T) {
	need.Time(t)
	type way func(m *mesh.Mesh, s *skeleton.Skeleton, most int) (*weights.Weights, error)
	ctx := context.Background()
	heat := func(most int) bind.Options { o := bind.DefaultOptions; o.Cap = most; return o }
	distance := func(most int) bind.DistanceOptions { o := bind.DefaultDistance; o.Cap = most; return o }
	ways := map[string]way{
		"automatic": func(m *mesh.Mesh, s *skeleton.Skeleton, most int) (*weights.Weights, error) {
			w, _, err := bind.Automatic(ctx, m, s, heat(most), nil)
			return w, err
		},
		"heat": func(m *mesh.Mesh, s *skeleton.Skeleton, most int) (*weights.Weights, error) {
			w, _, err := bind.Heat(ctx, m, s, heat(most), nil)
			return w, err
		},
		"volume": func(m *mesh.Mesh, s *skeleton.Skeleton, most int) (*weights.Weights, error) {
			w, _, err := bind.Volume(ctx, m, s, distance(most), nil)
			return w, err
		},
		"distance": func(m *mesh.Mesh, s *skeleton.Skeleton, most int) (*weights.Weights, error) {
			w, _, err := bind.Near(ctx, m, s, distance(most), nil)
			return w, err
		},
		"shell": func(m *mesh.Mesh, s *skeleton.Skeleton, most int) (*weights.Weights, error) {
			w, _, _, err := bind.OverShell(ctx, m, s, heat(most), 0, true, nil)
			return w, err
		},
	}
	for _, c := range []struct {
		name string
		make func() (*mesh.Mesh, *skeleton.Skeleton)
		ways []string
	}{
		{"Odile", func() (*mesh.Mesh, *skeleton.Skeleton) { return Odile(0.0165) }, []string{"automatic", "heat", "volume", "distance", "shell"}},
		{"Tansy", func() (*mesh.Mesh, *skeleton.Skeleton) { return Tansy(0.02) }, []string{"automatic"}},
		{"Sedge", func() (*mesh.Mesh, *skeleton.Skeleton) { return Sedge(0.013) }, []string{"automatic"}},
	} {
		m, s := c.make()
		for _, name := range c.ways {
			whole, err := ways[name](m, s, 0)
			require.NoError(t, err)
			cut, err := ways[name](m, s, 4)
			require.NoError(t, err)
			require.NoError(t, cut.Validate())
			for v, list := range cut.Of {
				require.LessOrEqual(t, len(list), 4, "vertex %d", v)
			}
			hard := unfaded(whole, 4)
			edges := len(m.Edges().Edges)
			t.Logf(
				"%s, %s: %d edges, of which weights stop above 0.02 at %d, 0.03 at %d, 0.1 at %d; unfaded %d, %d, %d",
				c.name,
				name,
				edges,
				stops(
					m,
					whole,
					cut,
					0.02,
				),
				stops(m, whole, cut, 0.03),
				stops(m, whole, cut, 0.1),
				stops(m, whole, hard, 0.02),
				stops(m, whole, hard, 0.03),
				stops(m, whole, hard, 0.1),
			)
			require.LessOrEqual(t, 1000*stops(m, whole, cut, 0.021), edges, "%s, %s", c.name, name)
			require.LessOrEqual(t, 1000*stops(m, whole, cut, 0.1), edges, "%s, %s", c.name, name)
		}
	}
}

// What the cap costs is told in meters, with where and in which pose, and a higher one costs less.
func TestWhatACapCostsIsTold(t *testing.T) {
	need.Time(t)
	m, s := Odile(0.02)
	cost := map[int]float64{}
	for _, most := range []int{2, 4, 8, 0} {
		o := bind.DefaultOptions
		o.Cap = most
		_, r, err := bind.Automatic(context.Background(), m, s, o, nil)
		require.NoError(t, err)
		if most == 0 {
			require.Nil(t, r.Capped)
			continue
		}
		require.NotNil(t, r.Capped)
		require.NotEmpty(t, r.Capped.Pose)
		require.NotEmpty(t, r.Capped.Where)
		require.Len(t, r.Capped.Far, len(m.Points), "a map of it")
		require.Equal(t, byte(255), slices.Max(r.Capped.Far))
		for _, v := range r.Capped.Where {
			require.GreaterOrEqual(t, r.Capped.Far[v], byte(127))
		}
		cost[most] = r.Capped.Farthest
		told := slices.ContainsFunc(r.Findings(), func(f finding.Finding) bool { return f.Code == "cap_cost" })
		require.Equal(t, r.Capped.Farthest >= 0.01*r.Capped.Height, told)
	}
	t.Log(cost)
	require.Greater(t, cost[2], cost[4])
	require.Greater(t, cost[4], cost[8])
}

// Every method says what its cap cost.
func TestEveryBindSaysWhatItsCapCosts(t *testing.T) {
	need.Time(t)
	m, s := Odile(0.02)
	o := bind.DefaultOptions
	o.Cap = 2
	ctx := context.Background()
	for name, do := range map[string]func() (*weights.Weights, *bind.Report, error){
		"heat": func() (*weights.Weights, *bind.Report, error) { return bind.Heat(ctx, m, s, o, nil) },
		"distance": func() (*weights.Weights, *bind.Report, error) {
			d := bind.DefaultDistance
			d.Limits = o.Limits
			return bind.Near(ctx, m, s, d, nil)
		},
	} {
		w, r, err := do()
		require.NoError(t, err, name)
		require.Len(t, w.Of, len(m.Points))
		require.NotNil(t, r.Capped, name)
		require.Positive(t, r.Capped.Farthest, name)
	}
}
