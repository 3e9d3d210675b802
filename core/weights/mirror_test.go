package weights_test

import (
	"math"
	"slices"
	"testing"

	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func faces(m *mesh.Mesh) [][]int32 {
	out := make([][]int32, m.Faces())
	for f := range out {
		out[f] = m.Face(f)
	}
	return out
}

// sided are weights that go from left to right over a plate, with a joint of each side.
func sided(n *weights.Net, middle, width float64) *weights.Weights {
	w := weights.New([]string{"spine", "arm_l", "arm_r"}, len(n.At))
	for v, p := range n.At {
		x := math.Min(1, math.Abs(p.X-middle)/width)
		j := 1.0
		if p.X < middle {
			j = 2
		}
		w.Of[v] = weights.Clean(list(0, 1-x, j, x), weights.Limits{})
	}
	return w
}

var partner = []int32{0, 2, 1}

// On a symmetric mesh a mirrored side is exactly even with the other, by place and by topology,
// and on one that is sheared topology still finds every vertex.
func TestMirroredWeightsAreEven(t *testing.T) {
	m := solids.Plate(12)
	n := net(t, m)
	plane := weights.Plane{Normal: r3.Vec{X: 1}, Offset: 6}
	for _, method := range []string{weights.MirrorPlace, weights.MirrorTopology} {
		x, err := n.Mirror(plane, method, 0.01, faces(m))
		require.NoError(t, err)
		require.Equal(t, len(n.At), x.Matched, method)
		require.Empty(t, x.Unmatched)
		require.InDelta(t, 0, x.Farthest, 1e-9)
		w := sided(n, 6, 6)
		for v, p := range n.At { // the right side was spoiled by hand
			if p.X < 6 {
				w.Of[v] = list(0, 1)
			}
		}
		e := weights.Edit(w, nil, nil, 0)
		given, left := e.MirrorTo(n, x, plane, 0.01, false, nil, partner)
		require.Equal(t, 7*13, given)
		require.InDelta(t, 0, left, 1e-6)
		want := sided(n, 6, 6)
		for v := range w.Of {
			for j := range int32(3) {
				require.InDelta(t, want.Value(v, j), e.Value(int32(v), j), 1e-6)
			}
		}
		require.NoError(t, e.Weights().Validate())
		require.Empty(t, e.Problems(n, nil, x, partner))
	}
	posed := solids.Plate(12)
	for i := range posed.Points { // one half bent upward
		if p := &posed.Points[i]; p.X < 6 {
			p.Y = (6 - p.X) * 0.8
		}
	}
	n = net(t, posed)
	x, err := n.Mirror(plane, weights.MirrorTopology, 0.01, faces(posed))
	require.NoError(t, err)
	require.Equal(t, len(n.At), x.Matched)
	byPlace, err := n.Mirror(plane, weights.MirrorPlace, 0.01, nil)
	require.NoError(t, err)
	require.NotEmpty(t, byPlace.Unmatched)
	_, err = n.Mirror(plane, "by eye", 0.01, nil)
	require.Error(t, err)
	_, err = n.Mirror(plane, weights.MirrorPlace, math.NaN(), nil)
	require.Error(t, err)
}

func TestProblemsAreFoundAndIslandsDropped(t *testing.T) {
	n := net(t, solids.Plate(20))
	w := weights.New([]string{"spine", "arm_l", "arm_r"}, len(n.At))
	for v := range w.Of {
		w.Of[v] = list(0, 1)
	}
	at := func(x, z int) int { return z*21 + x }
	for x := range 6 {
		for z := range 6 {
			w.Of[at(x, z)] = list(1, 0.4+0.01*float64(x), 0, 0.6-0.01*float64(x))
		}
	}
	w.Of[at(15, 15)] = list(0, 0.9, 1, 0.1)
	w.Of[at(10, 3)] = list(2, 1)
	w.Of[at(3, 18)] = nil
	e := weights.Edit(w, nil, nil, 0)
	kinds := map[string][]int32{}
	for _, p := range e.Problems(n, nil, nil, nil) {
		kinds[p.Kind] = append(kinds[p.Kind], p.Vertex)
	}
	require.Equal(t, []int32{int32(at(15, 15))}, kinds[weights.ProblemIsland])
	require.Equal(t, []int32{int32(at(3, 18))}, kinds[weights.ProblemBare])
	require.Contains(t, kinds[weights.ProblemStep], int32(at(10, 3)))
	require.Equal(t, 1, e.DropIslands(nil, n, nil))
	require.Equal(t, list(0, 1), e.Of[at(15, 15)])
}

func TestSelections(t *testing.T) {
	n := net(t, solids.Plate(10))
	at := func(x, z int) int32 { return int32(z*11 + x) }
	chosen := make([]bool, len(n.At))
	chosen[at(5, 5)] = true
	count := func(b []bool) (c int) {
		for _, yes := range b {
			if yes {
				c++
			}
		}
		return c
	}
	grown := n.Grow(n.Grow(chosen))
	require.Equal(t, 13, count(grown), "a diamond along edges")
	require.Equal(t, 5, count(n.Shrink(grown)))
	require.Equal(t, 8, count(n.Border(grown)))
	require.Equal(t, len(n.At), count(n.Piece(chosen)))
	loop := n.Loop(at(4, 6), at(5, 6))
	require.Len(t, loop, 11, "the whole row")
	for _, v := range loop {
		require.Equal(t, 6.0, n.At[v].Z)
	}
	path := n.Path(at(1, 1), at(4, 3))
	require.Len(t, path, 6)
	require.Nil(t, net(t, mesh.Join(solids.Plate(1), solids.Plate(1))).Path(0, 5))
	tube := net(t, solids.Tube(2, 0.2, 20, 16))
	var a, b int32 = -1, -1
	for v := range tube.At {
		for _, k := range tube.Near(int32(v)) {
			if math.Abs(tube.At[v].X-1) < 1e-9 && math.Abs(tube.At[k].X-1) < 1e-9 {
				a, b = int32(v), k
			}
		}
	}
	require.Len(t, tube.Loop(a, b), 16, "once round the limb")

	// On triangles it goes by the straightest edges, along a row of a plate that is divided.
	divided := net(t, solids.Plate(10).Triangulate(slices.Repeat([]bool{true}, 100)))
	row := divided.Loop(at(4, 6), at(5, 6))
	require.Len(t, row, 11, "the whole row")
	for _, v := range row {
		require.Equal(t, 6.0, divided.At[v].Z)
	}
	text := weights.Ranges([]int32{0, 1, 2, 5, 7, 8})
	require.Equal(t, "0-2,5,7-8", text)
	back, err := weights.ParseRanges(text, 9)
	require.NoError(t, err)
	require.Equal(t, []int32{0, 1, 2, 5, 7, 8}, back)
	for _, bad := range []string{"9", "a", "3-1", "-1", "1-", "0-99999999999999999999", "1,,2"} {
		_, err := weights.ParseRanges(bad, 9)
		require.Error(t, err, bad)
	}
}

// Vertices in the middle of a mirroring get the mean of both sides, each joint of a side as much as its partner,
// whichever side it is taken from.
func TestTheMiddleBecomesEven(t *testing.T) {
	n := net(t, solids.Plate(12))
	for _, front := range []bool{false, true} {
		w := sided(n, 6, 6)
		for v, p := range n.At {
			if p.X == 6 {
				w.Of[v] = list(0, 0.4, 1, 0.5, 2, 0.1)
			}
		}
		plane := weights.Plane{Normal: r3.Vec{X: 1}, Offset: 6}
		m, err := n.Mirror(plane, weights.MirrorPlace, 0.01, nil)
		require.NoError(t, err)
		e := weights.Edit(w, nil, nil, 0)
		e.MirrorTo(n, m, plane, 0.01, front, nil, []int32{0, 2, 1})
		for v, p := range n.At {
			if p.X == 6 {
				require.InDelta(t, e.Value(int32(v), 1), e.Value(int32(v), 2), 1e-6)
				require.InDelta(t, 0.3, e.Value(int32(v), 1), 1e-6)
			}
		}
	}
}
