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
	"wisemarrow/core/mesh"
	"wisemarrow/internal/hostile"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
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

// A mesh whose one half has more vertices is symmetric in shape, and is told so.
func TestAShapeIsSymmetricThoughItsVerticesAreNot(t *testing.T) {
	m := figure()
	out := &mesh.Mesh{Points: append([]r3.Vec(nil), m.Points...), Parts: m.Parts}
	for f := range m.Faces() {
		c := m.Face(f)
		var mid r3.Vec
		for _, v := range c {
			mid = r3.Add(mid, r3.Scale(1/float64(len(c)), m.Points[v]))
		}
		if mid.X < 0.01 || len(c) < 4 {
			out.AddFace(m.PartOf(f), c...)
			continue
		}
		k := int32(len(out.Points))
		out.Points = append(out.Points, mid)
		for i, v := range c {
			out.AddFace(m.PartOf(f), v, c[(i+1)%len(c)], k)
		}
	}
	f := find(check(out, ""), "asymmetric")
	require.NotNil(t, f)
	require.Contains(t, f.Title, "The shape is 100.0% symmetric but")
}

// A remedy is offered as it was tried: holes that cannot be filled are none to be filled.
func TestHolesThatCannotBeFilledAreNotOffered(t *testing.T) {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("cards")}}
	for i := range 5 {
		k := int32(len(m.Points))
		x := 2 * float64(i)
		m.Points = append(m.Points, r3.Vec{X: x}, r3.Vec{X: x + 1}, r3.Vec{X: x, Y: 1})
		m.AddFace(0, k, k+1, k+2)
	}
	f := find(check(m, ""), "open_borders")
	require.NotNil(t, f)
	require.Equal(t, 5, f.Count)
	require.Nil(t, f.Data)

	tube := figure()
	tube, _ = tube.DropChosen(append(make([]bool, tube.Faces()-1), true))
	f = find(check(mesh.Join(tube, m), ""), "open_borders")
	require.Equal(t, health.Holes{Edges: f.Data.(health.Holes).Edges, Filled: 1, Small: 6}, f.Data)
}
