package fit_test

import (
	"context"
	"strings"
	"testing"

	"wisemarrow/core/fit"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/demo"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// Two bodies side by side are told, and not fitted as one.
func TestTwoBodiesAreTold(t *testing.T) {
	need.Time(t)
	one, _ := demo.Odile(0.025)
	for _, scale := range []float64{1, 0.8} {
		other, _ := demo.Odile(0.025)
		for i, p := range other.Points {
			other.Points[i] = r3.Add(r3.Scale(scale, p), r3.Vec{X: 2.2})
		}
		_, _, err := fit.Fit(context.Background(), mesh.Join(one, other), fit.Options{Params: params(t, "biped")}, nil)
		require.ErrorContains(t, err, "2 bodies side by side")
	}
}

// A body on a plinth is fitted as without it, standing or not.
func TestAPlinthIsLeftOut(t *testing.T) {
	need.Time(t)
	for i, v := range []demo.Variant{demo.Variants()[3], demo.Poses(5, 7)[6], demo.Variants()[3]} { // one stands, one sits
		m, truth := v.Make()
		half := []float64{0.6, 0.6, 2.5}[i] // of a plinth, or a floor
		low := 1e9
		for _, p := range m.Points {
			low = min(low, p.Y)
		}
		plinth := solids.Box(r3.Vec{X: -half, Y: low - 0.11, Z: -half}, r3.Vec{X: half, Y: low + 0.01, Z: half})
		s, report, err := fit.Fit(context.Background(), mesh.Join(m, plinth), fit.Options{Params: v.Params}, nil)
		require.NoError(t, err, v.Name)
		mean, worst, at := demo.FitError(s, truth, truth.Height())
		t.Logf("%s: mean %.1f %%, worst %.1f %% at %s", v.Name, 100*mean, 100*worst, at)
		require.Less(t, mean, 0.025, v.Name)
		require.Contains(t, strings.Join(report.Notes, "\n"), "plinth or floor")
	}
}
