package demo

import (
	"context"
	"testing"

	"wisemarrow/core/fit"
	"wisemarrow/core/skeleton"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// Hands on the hips, folded or on the thighs touch the body and are none of it, whether they are one surface with their
// arms or plugged into these.
func TestLimbsThatTouchAreToldApart(t *testing.T) {
	need.Time(t)
	table, err := ReadFits("../bench/tables/fits.csv")
	require.NoError(t, err)
	list := Contacts(1, 24)
	sure, near := 0, 0
	for _, i := range []int{4, 7, 8, 12, 13} {
		v := list[i]
		m, truth := v.Make()
		s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: v.Params}, nil)
		require.NoError(t, err, v.Name)
		mean, worst, at := FitErrorOf(v, s, truth, report)
		t.Logf("%-80s mean %.1f %%, worst %.1f %% at %s", v.Name, 100*mean, 100*worst, at)
		require.True(t, table.Has(v.Name), v.Name)
		require.Empty(t, table.Worse(v.Name, mean, worst), v.Name)
		require.Less(t, mean, 0.03, v.Name)
		for _, j := range s.Joints {
			if !OfFinger(j.Name) && j.Confidence >= skeleton.Sure {
				sure++
				if r3.Norm(r3.Sub(j.Pos, truth.Joints[truth.Index(j.Name)].Pos)) < 0.03*v.Height {
					near++
				}
			}
		}
	}
	require.Greater(t, sure, 50)
	require.GreaterOrEqual(t, float64(near), 0.95*float64(sure), "%d sure, %d of them near", sure, near)
}
