package weights_test

import (
	"testing"

	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

// alone is a net of n vertices without edges.
func alone(t *testing.T, n int) *weights.Net {
	at := make([]r3.Vec, n)
	for i := range at {
		at[i].X = float64(i)
	}
	out, err := weights.NewNet(at, nil, nil)
	require.NoError(t, err)
	return out
}

// A weight that leaves a vertex's set is next to zero there, however large it was: what is kept moves little
// when the weights move little.
func TestTheCutIsContinuous(t *testing.T) {
	kept := func(values ...float64) []float64 {
		var in []weights.Influence
		for j, x := range values {
			in = append(in, weights.Influence{Joint: int32(j), Value: x})
		}
		out := make([]float64, len(values))
		sum := 0.0
		for _, x := range weights.Clean(in, weights.Limits{Cap: 4}) {
			out[x.Joint] = x.Value
			sum += x.Value
		}
		require.InDelta(t, 1, sum, 1e-12)
		return out
	}
	before, after := kept(0.3, 0.25, 0.19, 0.131, 0.129), kept(0.3, 0.25, 0.19, 0.129, 0.131)
	for j := range before {
		require.InDelta(t, before[j], after[j], 0.02, "joint %d", j)
	}
	require.Zero(t, before[4])
	require.Zero(t, after[3])
	require.InDeltaSlice(t, []float64{0.4, 0.3, 0.2, 0.1}, kept(0.4, 0.3, 0.2, 0.1), 1e-15, "what is within the cap stays")
	require.Equal(t, []float64{0.25, 0.25, 0.25, 0.25, 0}, kept(0.2, 0.2, 0.2, 0.2, 0.2), "of equal ones the first stay")
	rapid.Check(t, func(t *rapid.T) {
		a := make([]float64, 6)
		for j := range a {
			a[j] = rapid.Float64Range(0.05, 1).Draw(t, "weight")
		}
		b := append([]float64(nil), a...)
		k := rapid.IntRange(0, 5).Draw(t, "which")
		b[k] += 1e-9
		x, y := kept(a...), kept(b...)
		sorted := append([]float64(nil), a...)
		rest := 0.0 // how much of them is above the fifth
		fifth := fifthOf(sorted)
		for _, v := range a {
			rest += max(0, v-fifth)
		}
		if rest < 0.01 { // all but equal: which ones stay is no longer told by their weights
			return
		}
		for j := range x {
			require.InDelta(t, x[j], y[j], 1e-8/rest)
		}
	})
}

func fifthOf(list []float64) float64 {
	for range 4 {
		most := 0
		for i, x := range list {
			if x > list[most] {
				most = i
			}
		}
		list[most] = -1
	}
	return max(list[0], list[1], list[2], list[3], list[4], list[5])
}

// fan gives a plate six joints whose weights change places across it.
func fan(m *mesh.Mesh) *weights.Weights {
	w := weights.New([]string{"a", "b", "c", "d", "e", "f"}, len(m.Points))
	for v, p := range m.Points {
		var all []weights.Influence
		for j := range 6 {
			all = append(
				all,
				weights.Influence{
					Joint: int32(j),
					Value: 1 / (0.3 + r3.Norm(r3.Sub(p, r3.Vec{X: float64(j % 3), Z: float64(j / 3), Y: 0.2}))),
				},
			)
		}
		w.Of[v] = weights.Clean(all, weights.Limits{})
	}
	return w
}

// No weight above 0.02 stops at an edge for the cut: on one surface, over a crack, by CapAt, and smoothed after.
func TestNoSeamsFromTheCap(t *testing.T) {
	plate := solids.Plate(24)
	for i, p := range plate.Points {
		plate.Points[i] = r3.Vec{X: p.X * 2, Y: p.Y, Z: p.Z}
	}
	whole := fan(plate)
	cut := weights.Capped(plate, whole, weights.Limits{Cap: 4})
	require.NoError(t, cut.Validate())
	few := len(plate.Edges().Edges) / 50 // six joints have nearly the same weight in the middle
	require.LessOrEqual(t, stops(plate, whole, cut, 0.021), few)
	hard := weights.New(whole.Joints, len(whole.Of))
	for v, l := range whole.Of {
		hard.Of[v] = weights.Clean(l[:4], weights.Limits{})
	}
	require.Greater(t, stops(plate, whole, hard, 0.1), 50, "what it is for")

	n, err := weights.NetOf(plate)
	require.NoError(t, err)
	e := weights.Edit(whole, nil, nil, 0)
	require.Equal(t, len(plate.Points), e.CapAt(nil, 4, n))
	require.LessOrEqual(t, stops(plate, whole, e.Weights(), 0.021), few)
	e = weights.Edit(e.Weights(), nil, nil, 4)
	e.Smooth(nil, nil, 3, n)
	smooth := e.Weights()
	require.NoError(t, smooth.Validate())
	require.LessOrEqual(t, stops(plate, whole, smooth, 0.05), few)

	// Each face for itself: vertices in one position are one.
	soup := &mesh.Mesh{Parts: plate.Parts, Start: []int32{0}}
	apart := weights.New(whole.Joints, 0)
	var from []int32
	for f := range plate.Faces() {
		var face []int32
		for _, v := range plate.Face(f) {
			face = append(face, int32(len(soup.Points)))
			soup.Points = append(soup.Points, plate.Points[v])
			apart.Of = append(apart.Of, whole.Of[v])
			from = append(from, v)
		}
		soup.AddFace(0, face...)
	}
	loose := weights.Capped(soup, apart, weights.Limits{Cap: 4})
	first := map[int32]int{}
	for v := range loose.Of {
		k, ok := first[from[v]]
		if !ok {
			first[from[v]] = v
			continue
		}
		require.InDeltaSlice(t, values(loose, k), values(loose, v), 1e-12, "the crack at vertex %d opens", v)
	}
}

func values(w *weights.Weights, v int) (out []float64) {
	for j := range w.Joints {
		out = append(out, w.Value(v, int32(j)))
	}
	return out
}

// stops counts the edges at which the cut ends a weight above a limit.
func stops(m *mesh.Mesh, whole, cut *weights.Weights, limit float64) (n int) {
	for _, e := range m.Edges().Edges {
		for _, p := range [][2]int{{int(e.A), int(e.B)}, {int(e.B), int(e.A)}} {
			for _, x := range cut.Of[p[0]] {
				if was := whole.Value(p[1], x.Joint); cut.Value(p[1], x.Joint) == 0 && was > 0 && x.Value > limit {
					n++
				}
			}
		}
	}
	return n
}

// A brush that brings a fifth joint in lets the fourth go by degrees; a value that is typed is exact.
func TestABrushMakesNoSeamAtTheCap(t *testing.T) {
	w := weights.New([]string{"a", "b", "c", "d", "e"}, 1)
	w.Of[0] = list(0, 0.4, 1, 0.3, 2, 0.2, 3, 0.1)
	at := func(x float64) *weights.Editor {
		n, err := weights.NewNet([]r3.Vec{{}, {X: 1}, {Z: 1}}, [][3]int32{{0, 2, 1}}, [][2]int32{{0, 1}, {1, 2}, {2, 0}})
		require.NoError(t, err)
		all := weights.New(w.Joints, 3)
		for v := range all.Of {
			all.Of[v] = w.Of[0]
		}
		e := weights.Edit(all, nil, nil, 4)
		s, err := weights.NewStroke(
			weights.Brush{Joint: "e", Mode: weights.BrushAdd, Value: x, Opacity: 1, Tip: weights.Tip{Radius: 0.1, Hard: 1}},
			e,
			n,
			weights.Sides{},
		)
		require.NoError(t, err)
		_, err = s.Touch(weights.Touch{Tri: 0, Pressure: 1})
		require.NoError(t, err)
		return e
	}
	before := at(0)
	for i := 1; i <= 400; i++ {
		e := at(float64(i) / 400)
		for j := range int32(5) {
			require.InDelta(t, before.Value(0, j), e.Value(0, j), 0.012, "joint %d at %d", j, i)
		}
		before = e
	}
	require.InDelta(t, 0.3, at(0.3).Value(0, 4), 1e-7, "well above the one that goes it is what was asked")
	e := weights.Edit(w, nil, nil, 4)
	require.True(t, e.Set(0, 4, 0.05))
	require.InDelta(t, 0.05, e.Value(0, 4), 1e-7)
}
