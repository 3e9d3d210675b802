package fit_test

import (
	"math"
	"testing"

	"wisemarrow/core/fit"
	"wisemarrow/core/geom"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// Tips that were found or pointed out go with the mesh: a quarter turn about Y, ten times as large, a meter up.
func TestWhatWasPointedOutMovesWithTheMesh(t *testing.T) {
	r := &fit.Report{Height: 1.7, Crotch: 0.8, Plane: r3.Vec{X: 0.1}, Left: r3.Vec{X: 1}, Facing: r3.Vec{Z: 1}, Faced: "front",
		Tips: map[string][]float64{
			"hand_l": {0.5, 1, 0.2},
		}, Begin: map[string][]float64{"arm_l": {0.2, 1.3, 0}}, Shown: map[string][]float64{"tail": {0, 1, -0.6}}}
	turn := geom.AxisAngle(r3.Vec{Y: 1}, math.Pi/2)
	by := geom.Compose(r3.Vec{Y: 1}, turn, r3.Vec{X: 10, Y: 10, Z: 10})
	out := r.Moved(by, turn, 10)
	near := func(want r3.Vec, got []float64) {
		t.Helper()
		require.InDeltaSlice(t, []float64{want.X, want.Y, want.Z}, got, 1e-12)
	}
	near(r3.Vec{X: 2, Y: 11, Z: -5}, out.Tips["hand_l"])
	near(r3.Vec{X: 0, Y: 14, Z: -2}, out.Begin["arm_l"])
	near(r3.Vec{X: -6, Y: 11, Z: 0}, out.Shown["tail"])
	require.InDelta(t, 17, out.Height, 1e-12)
	require.InDelta(t, 9, out.Crotch, 1e-12)
	require.InDelta(t, 0, r3.Norm(r3.Sub(r3.Vec{Z: -1}, out.Left)), 1e-12)
	require.InDelta(t, 0, r3.Norm(r3.Sub(r3.Vec{X: 1}, out.Facing)), 1e-12)
	require.Empty(t, out.Faced)
	require.Equal(t, []float64{0.5, 1, 0.2}, r.Tips["hand_l"], "the first stays")
}
