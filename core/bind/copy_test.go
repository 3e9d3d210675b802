package bind_test

import (
	"context"
	"math"
	"slices"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Weights of a copy of a third of the vertices lead the skin nearly where those of the mesh itself do, each piece by
// its own, and buttons keep their shape.
func TestABindOnADecimatedCopy(t *testing.T) {
	m, s := demo.Bram(0.02)
	whole, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	w, r, carried, err := bind.OnDecimated(context.Background(), m, s, bind.DefaultOptions, len(m.Points)/3, nil)
	require.NoError(t, err)
	require.NoError(t, w.Validate())
	assert.Empty(t, w.Unweighted())
	height := geom.BoxOf(m.World()).Size().Y
	assert.Positive(t, carried.Farthest)
	assert.Less(t, carried.Farthest, 0.01*height)
	assert.Contains(t, r.Said, "Bound on a copy of ")
	far, _, _ := deform.ApartQuickly(m.World(), whole, w, s, skeleton.DefaultMarks)
	slices.Sort(far)
	assert.Less(t, far[len(far)/2], 0.002*height)
	assert.Less(t, far[len(far)*99/100], 0.03*height)
	for v := range w.Of {
		sum := 0.0
		for _, x := range w.Of[v] {
			sum += x.Value
		}
		require.LessOrEqual(t, len(w.Of[v]), 4)
		require.InDelta(t, 1, sum, 1e-6)
	}
	pieces := m.Pieces()
	first := map[int32]int{}
	for v, k := range pieces.OfVertex {
		if pieces.Vertices[k] > 200 || len(whole.Of[v]) == 0 {
			continue
		}
		if u, ok := first[k]; !ok {
			first[k] = v
		} else if slices.Equal(whole.Of[u], whole.Of[v]) {
			for _, x := range w.Of[u] {
				require.InDelta(t, x.Value, w.Value(v, x.Joint), 0.02, "piece %d is rigid", k)
			}
		}
	}
	// A mesh that has no more is bound itself.
	same, _, carried, err := bind.OnDecimated(context.Background(), m, s, bind.DefaultOptions, math.MaxInt, nil)
	require.NoError(t, err)
	assert.Equal(t, whole, same)
	assert.Zero(t, carried)
}
