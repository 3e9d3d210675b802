package health_test

import (
	"context"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// Crumbs beside a body are told with the remedy that drops just them; a mesh that is all
// small pieces has none.
func TestCrumbsBesideABody(t *testing.T) {
	crumb := func(x float64) *mesh.Mesh {
		return solids.Box(r3.Vec{X: x, Y: 1, Z: 0.4}, r3.Vec{X: x + 0.003, Y: 1.002, Z: 0.402})
	}
	find := func(m *mesh.Mesh) *finding.Finding {
		_, list, err := health.Check(context.Background(), m.Surface(), "")
		require.NoError(t, err)
		for i := range list {
			if list[i].Code == "crumbs" {
				return &list[i]
			}
		}
		return nil
	}
	body := solids.Tube(1.7, 0.2, 60, 24)
	button := solids.Box(r3.Vec{X: 0.3, Y: 0.3}, r3.Vec{X: 0.32, Y: 0.32, Z: 0.02})
	f := find(mesh.Join(body, button, crumb(0.1), crumb(0.5), crumb(0.9)))
	require.NotNil(t, f)
	require.Equal(t, 3, f.Count)
	require.Less(t, float64(f.Data.(health.Within)), 0.02, "the button stays")
	require.Nil(t, find(mesh.Join(body, button)))
	var soup []*mesh.Mesh
	for k := range 40 {
		soup = append(soup, crumb(0.04*float64(k)))
	}
	require.Nil(t, find(mesh.Join(soup...)), "small pieces that are all there is are no crumbs")
}
