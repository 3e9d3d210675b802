package bind_test

import (
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// Weights that change evenly along a tube are the same on a tube with other
// rings, to within the facets.
func TestCarryOverFollowsPlacesNotNumbers(t *testing.T) {
	from, to := solids.Tube(2, 0.3, 10, 24), solids.Tube(2, 0.3, 7, 17)
	a, b := make([]float64, len(from.Points)), make([]float64, len(from.Points))
	for v, p := range from.Points {
		a[v], b[v] = 1-p.X/2, p.X/2
	}
	w := weights.FromColumns([]string{"a", "b"}, [][]float64{a, b}, len(from.Points), weights.Limits{Cap: 2})
	out, err := bind.CarryOver(from, w, to, weights.Limits{Cap: 2})
	require.NoError(t, err)
	require.NoError(t, out.Validate())
	for v, p := range to.Points {
		require.InDelta(t, p.X/2, out.Value(v, 1), 0.01)
	}
	same, err := bind.CarryOver(from, w, from, weights.Limits{Cap: 2})
	require.NoError(t, err)
	for v := range from.Points {
		require.InDelta(t, w.Value(v, 0), same.Value(v, 0), 1e-9)
	}
	// By the order of vertices, wherever they have gone.
	bent := *from
	bent.Points = append([]r3.Vec(nil), from.Points...)
	for i := range bent.Points {
		bent.Points[i].Y += 0.3 * bent.Points[i].X
	}
	ordered, told, err := bind.Carry(from, w, &bent, bind.CarryOptions{Limits: weights.Limits{Cap: 2}, From: bind.FromOrder})
	require.NoError(t, err)
	require.Equal(t, len(from.Points), told.Vertices)
	require.Equal(t, w.Of, ordered.Of)
	_, _, err = bind.Carry(from, w, to, bind.CarryOptions{Limits: weights.Limits{Cap: 2}, From: bind.FromOrder})
	require.ErrorContains(t, err, "order does not apply")
	_, err = bind.CarryOver(from, weights.New([]string{"a"}, len(from.Points)), to, weights.Limits{Cap: 2})
	require.ErrorContains(t, err, "no face")
}
