package geom_test

import (
	"testing"

	"wisemarrow/core/geom"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

func TestTrianglesCrossOnlyWhenTheyPassThrough(t *testing.T) {
	flat := [3]r3.Vec{{}, {X: 2}, {Z: 2}}
	for name, c := range map[string]struct {
		q    [3]r3.Vec
		want bool
	}{
		"through the middle":     {[3]r3.Vec{{X: 0.5, Y: -1, Z: 0.5}, {X: 0.5, Y: 1, Z: 0.5}, {X: 0.6, Y: 1, Z: 0.1}}, true},
		"above":                  {[3]r3.Vec{{X: 0.5, Y: 0.1, Z: 0.5}, {X: 0.5, Y: 1, Z: 0.5}, {X: 0.6, Y: 1, Z: 0.1}}, false},
		"touches with a corner":  {[3]r3.Vec{{X: 0.5, Z: 0.5}, {X: 0.5, Y: 1, Z: 0.5}, {X: 0.6, Y: 1, Z: 0.1}}, false},
		"shares an edge":         {[3]r3.Vec{{}, {X: 2}, {Y: 1, Z: -1}}, false},
		"shares a corner, apart": {[3]r3.Vec{{}, {X: -1, Y: 1}, {X: -1, Y: -1}}, false},
		"shares a corner, cuts":  {[3]r3.Vec{{}, {X: 1, Y: 1, Z: 1}, {X: 1, Y: -1, Z: 1}}, true},
		"in one plane":           {[3]r3.Vec{{X: 0.1, Z: 0.1}, {X: 1, Z: 0.1}, {X: 0.1, Z: 1}}, false},
		"beside":                 {[3]r3.Vec{{X: 5, Y: -1, Z: 5}, {X: 5, Y: 1, Z: 5}, {X: 6, Y: 1, Z: 5}}, false},
		"without area":           {[3]r3.Vec{{X: 0.5, Y: -1, Z: 0.5}, {X: 0.5, Y: 1, Z: 0.5}, {X: 0.5, Y: 2, Z: 0.5}}, false},
	} {
		require.Equal(t, c.want, geom.TrianglesCross(flat, c.q, 1e-9), name)
		require.Equal(t, c.want, geom.TrianglesCross(c.q, flat, 1e-9), name)
	}
}

// The tree finds the pairs that asking every pair finds.
func TestCrossingsAreThoseOfEveryPair(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		num := rapid.Float64Range(-1, 1)
		n := rapid.IntRange(1, 60).Draw(t, "triangles")
		var points []r3.Vec
		var tris [][3]int32
		for i := range n {
			c := r3.Vec{X: num.Draw(t, "x"), Y: num.Draw(t, "y"), Z: num.Draw(t, "z")}
			for range 3 {
				points = append(points, r3.Add(c, r3.Vec{X: 0.4 * num.Draw(t, "a"), Y: 0.4 * num.Draw(t, "b"), Z: 0.4 * num.Draw(t, "c")}))
			}
			tris = append(tris, [3]int32{int32(3 * i), int32(3*i + 1), int32(3*i + 2)})
		}
		want := map[[2]int32]bool{}
		at := func(i int) [3]r3.Vec { return [3]r3.Vec{points[3*i], points[3*i+1], points[3*i+2]} }
		for i := range n {
			for j := range i {
				if geom.TrianglesCross(at(j), at(i), 1e-9) {
					want[[2]int32{int32(j), int32(i)}] = true
				}
			}
		}
		got, all := geom.NewTree(points, tris).Crossings(1e-9)
		require.True(t, all)
		for _, p := range got {
			require.True(t, want[p], "%v", p)
			delete(want, p)
		}
		for p := range want {
			a, b := geom.BoxOf(points[3*p[0]:3*p[0]+3]), geom.BoxOf(points[3*p[1]:3*p[1]+3])
			if a.Min.X > b.Max.X || b.Min.X > a.Max.X || a.Min.Y > b.Max.Y || b.Min.Y > a.Max.Y || a.Min.Z > b.Max.Z || b.Min.Z > a.Max.Z {
				continue // apart by less than the tolerance: no crossing either way
			}
			t.Fatalf("missed %v and %v", at(int(p[0])), at(int(p[1])))
		}
	})
}

func TestNearestOfKeepsToWhatIsWelcome(t *testing.T) {
	points := []r3.Vec{{}, {X: 1}, {Z: 1}, {Y: 3}, {X: 1, Y: 3}, {Y: 3, Z: 1}}
	tree := geom.NewTree(points, [][3]int32{{0, 1, 2}, {3, 4, 5}})
	tri, _, d := tree.NearestOf(r3.Vec{Y: 1}, 10, func(tri int32) bool { return tri == 1 })
	require.EqualValues(t, 1, tri)
	require.InDelta(t, 2, d, 1e-12)
	tri, _, _ = tree.NearestOf(r3.Vec{Y: 1}, 0.5, nil)
	require.EqualValues(t, -1, tri)
}

// Two triangles that share a vertex alone cross where one goes through the other's side across from it.
func TestTrianglesThatShareAVertexMayCross(t *testing.T) {
	points := []r3.Vec{{}, {X: 2, Y: -1}, {X: 2, Y: 1}, {X: 1, Z: -1}, {X: 3, Z: 1}}
	require.NotEmpty(t, crossed(points, [3]int32{0, 1, 2}, [3]int32{0, 3, 4}))
	points[4] = r3.Vec{X: 3, Z: -1}
	require.Empty(t, crossed(points, [3]int32{0, 1, 2}, [3]int32{0, 3, 4}), "on one side of it")
}

func crossed(points []r3.Vec, tris ...[3]int32) [][2]int32 {
	pairs, _ := geom.NewTree(points, tris).Crossings(1e-9)
	return pairs
}
