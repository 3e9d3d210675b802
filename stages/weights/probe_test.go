package weights_test

import (
	"testing"

	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/weights"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

func TestProbeTellsDirectAndCarried(t *testing.T) {
	s := studiotest.Bound(t)
	tip := 0
	for v, p := range s.Mesh.Points {
		if p.X > s.Mesh.Points[tip].X {
			tip = v
		}
	}
	p, err := weights.Probe(&s, tip)
	require.NoError(t, err)
	require.Equal(t, "hand_l", p.Movers[0].Joint)
	carried := map[string]float64{}
	for _, m := range p.Movers {
		carried[m.Joint] = m.Carried
	}
	require.InDelta(t, 1, carried["hips"], 1e-9, "the root carries everything")
	require.InDelta(t, 1, carried["clavicle_l"], 0.01)
	require.NotContains(t, carried, "clavicle_r")
	_, err = weights.Probe(&s, -1)
	require.True(t, studio.IsInput(err))
}
