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

// Bodies in poses and in garments: the fit is near, and what it says to be sure is so. Every sixth of those that bench/
// fits; none is worse than in the table.
func TestPosesAndGarmentsAreFittedOrSaidToBeUnsure(t *testing.T) {
	need.Time(t)
	table, err := ReadFits("../bench/tables/fits.csv")
	require.NoError(t, err)
	for _, population := range [][]Variant{Poses(1, 52), Garments(1, 48)} {
		sure, near, right, hinges := 0, 0, 0, 0
		for i, v := range population {
			if i%6 != 1 {
				continue
			}
			m, truth := v.Make()
			require.NoError(t, m.Validate(), v.Name)
			s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: v.Params}, nil)
			require.NoError(t, err, v.Name)
			mean, worst, at := FitErrorOf(v, s, truth, report)
			t.Logf("%-80s mean %.1f %%, worst %.1f %% at %s", v.Name, 100*mean, 100*worst, at)
			require.True(t, table.Has(v.Name), v.Name)
			require.Empty(t, table.Worse(v.Name, mean, worst), v.Name)
			turned, err := s.Orient(nil, skeleton.DefaultConvention, skeleton.DefaultMarks)
			require.NoError(t, err)
			for _, off := range PosedHingeErrors(turned, truth) {
				hinges++
				if off < 20 {
					right++
				}
			}
			for _, j := range s.Joints {
				if OfFinger(j.Name) || j.Confidence < skeleton.Sure {
					continue
				}
				sure++
				if r3.Norm(r3.Sub(j.Pos, truth.Joints[truth.Index(j.Name)].Pos)) < 0.03*v.Height {
					near++
				}
			}
		}
		require.Greater(t, sure, 100)
		require.GreaterOrEqual(t, float64(near), 0.9*float64(sure), "%d sure, %d of them near", sure, near)
		require.GreaterOrEqual(t, float64(right), 0.8*float64(hinges), "%d hinges, %d right", hinges, right)
	}
}
