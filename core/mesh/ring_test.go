package mesh_test

import (
	"math"
	"testing"

	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// The cut of a tube along X, square to it, is a circle of its radius about its
// axis; one along the axis does not stay on one ring of the tube.
func TestTheRingOfATubeIsItsCircle(t *testing.T) {
	m := solids.Tube(4, 0.3, 20, 24)
	s := m.Surface()
	v := int32(-1)
	for i, p := range m.Points {
		if math.Abs(p.X-2) < 0.15 && math.Hypot(p.Y, p.Z) > 0.29 {
			v = int32(i)
			break
		}
	}
	require.GreaterOrEqual(t, v, int32(0))
	ring := s.Ring(v, r3.Vec{X: 1})
	require.GreaterOrEqual(t, len(ring), 24)
	for _, p := range ring {
		require.InDelta(t, m.Points[v].X, p.X, 1e-5)
		require.InDelta(t, 0.3, math.Hypot(p.Y, p.Z), 0.01)
	}
	middle := mesh.RingMiddle(ring)
	require.InDelta(t, 0, math.Hypot(middle.Y, middle.Z), 1e-3)
	for _, p := range s.Ring(v, r3.Vec{X: 1, Y: 0.3}) { // askew: an ellipse in its plane
		require.InDelta(t, 0, r3.Dot(r3.Sub(p, m.Points[v]), r3.Unit(r3.Vec{X: 1, Y: 0.3})), 1e-5)
	}
}
