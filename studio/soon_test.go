package studio_test

import (
	"context"
	"testing"
	"time"

	"wisemarrow/core/mesh"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// A large mesh is shown before it is measured: its stages say that they are being checked, its size is told, and
// who asks again gets the review once it is there. A small one is waited for.
func TestALargeMeshIsShownBeforeItIsMeasured(t *testing.T) {
	need.Time(t)
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("sheet")}}
	const n = 400
	for z := range n {
		for x := range n {
			m.Points = append(m.Points, r3.Vec{X: float64(x) / n, Y: float64(z) / n})
		}
	}
	for z := range n - 1 {
		for x := range n - 1 {
			at := int32(z*n + x)
			m.AddFace(0, at, at+1, at+n+1, at+n)
		}
	}
	memory, x, _ := studiotest.Begun(t, studio.State{Mesh: m, Settings: studio.DefaultSettings()})
	r := memory.Past[0]
	release := x.HoldChecks()
	begun := time.Now()
	soon, err := x.ReviewSoon(context.Background(), r)
	require.NoError(t, err)
	require.Less(t, time.Since(begun), 10*time.Second, "it waits for no check")
	require.True(t, soon.Checking())
	require.Equal(t, studio.Checking, soon.Stage("intake").State)
	require.Equal(t, "untouched", soon.Stage("bind").State)
	require.Equal(t, n*n, soon.Facts.Vertices)
	require.InDelta(t, 1, soon.Facts.Height, 0.01)
	release()
	require.Eventually(t, func() bool {
		soon, err = x.ReviewSoon(context.Background(), r)
		return err == nil && !soon.Checking()
	}, time.Minute, 50*time.Millisecond)
	all, err := x.Review(context.Background(), r)
	require.NoError(t, err)
	require.Equal(t, all, soon)
	require.NotEmpty(t, soon.Stage("intake").Findings)

	small, y, _ := studiotest.Begun(t, studiotest.Odile())
	now, err := y.ReviewSoon(context.Background(), small.Past[0])
	require.NoError(t, err)
	require.False(t, now.Checking())
}
