package weights_test

import (
	"testing"

	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
)

// The profile of a brush: full within its hard part, half in the middle of the rest, nothing from the radius on, and
// without a corner at either end (smooth step, 3u² − 2u³).
func TestTheProfileOfABrush(t *testing.T) {
	for _, hard := range []float64{0, 0.3, 0.5, 0.9} {
		b := weights.Tip{Hard: hard}
		require.Equal(t, 1.0, b.Falloff(0))
		require.Equal(t, 1.0, b.Falloff(hard))
		require.InDelta(t, 0.5, b.Falloff((1+hard)/2), 1e-12)
		require.InDelta(t, 0.15625, b.Falloff(hard+0.75*(1-hard)), 1e-12)
		require.InDelta(t, 0.84375, b.Falloff(hard+0.25*(1-hard)), 1e-12)
		require.Zero(t, b.Falloff(1))
		require.Zero(t, b.Falloff(2))
		last := 1.0
		for k := range 1001 {
			x := b.Falloff(float64(k) / 1000)
			require.LessOrEqual(t, x, last, "it never rises")
			last = x
		}
	}
	require.Equal(t, 1.0, (&weights.Tip{Hard: 1}).Falloff(0.999))
	require.Zero(t, (&weights.Tip{Hard: 1}).Falloff(1))
}
