package geom_test

import (
	"math/rand/v2"
	"testing"

	"wisemarrow/core/geom"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// A tree that was moved answers as a new one does.
func TestAMovedTreeAnswersAsANewOne(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 9))
	random := func() r3.Vec { return r3.Vec{X: rng.Float64(), Y: rng.Float64(), Z: rng.Float64()} }
	points := make([]r3.Vec, 300)
	for i := range points {
		points[i] = random()
	}
	tris := make([][3]int32, 200)
	for i := range tris {
		tris[i] = [3]int32{int32(rng.IntN(300)), int32(rng.IntN(300)), int32(rng.IntN(300))}
	}
	tree := geom.NewTree(points, tris)
	posed := make([]r3.Vec, len(points))
	for i, p := range points {
		posed[i] = r3.Add(r3.Scale(1.5, p), r3.Scale(0.1, random()))
	}
	moved, fresh := tree.Moved(posed), geom.NewTree(posed, tris)
	require.InDelta(t, 0, r3.Norm(r3.Sub(fresh.Box().Max, moved.Box().Max)), 1e-9)
	for range 200 {
		p := random()
		_, _, a := moved.Nearest(p)
		_, _, b := fresh.Nearest(p)
		require.InDelta(t, b, a, 1e-12)
		require.InDelta(t, fresh.Winding(p), moved.Winding(p), 0.05)
		q := random()
		require.Equal(t, fresh.Blocked(p, q, nil), moved.Blocked(p, q, nil))
	}
	_, _, d := tree.Nearest(points[tris[0][0]])
	require.Zero(t, d, "the old one stays")
}
