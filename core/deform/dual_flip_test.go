package deform

import (
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// A rotation is two quaternions, one the other's negative. Halfway between 20° and 340° lies none at all, not half a
// turn: of two that point apart one is turned round before they are added (Kavan et al. 2007, section 4.1).
func TestBlendingTakesTheShortWayRound(t *testing.T) {
	at := func(degrees float64) dual {
		return dualOf(geom.Compose(r3.Vec{}, geom.AxisAngle(r3.Vec{X: 1}, degrees*math.Pi/180), r3.Vec{X: 1, Y: 1, Z: 1}))
	}
	list := []weights.Influence{{Joint: 0, Value: 0.5}, {Joint: 1, Value: 0.5}}
	p := r3.Vec{X: 0.3, Y: 1, Z: 0.2}
	for _, pair := range [][2]float64{{20, 340}, {340, 20}, {-20, 20}, {179, 181}, {100, -100}} {
		got, ok := blended(p, list, []dual{at(pair[0]), at(pair[1])})
		require.True(t, ok)
		mean := (pair[0] + pair[1]) / 2
		if math.Abs(pair[0]-pair[1]) > 180 {
			mean += 180
		}
		want := geom.Rotate(geom.AxisAngle(r3.Vec{X: 1}, mean*math.Pi/180), p)
		require.InDelta(t, 0, r3.Norm(r3.Sub(want, got)), 1e-9, "%v", pair)
	}
}
