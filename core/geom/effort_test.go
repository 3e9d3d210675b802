package geom_test

import (
	"math"
	"math/rand/v2"
	"runtime"
	"sync/atomic"
	"testing"

	"wisemarrow/core/geom"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func TestBoundedEndsInTheSamePlaceOnAnyNumberOfCores(t *testing.T) {
	run := func(cores, effort int) (done int, asked int64) {
		defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(cores))
		var n atomic.Int64
		done = geom.Bounded(10_000, 3, effort, func(lo, hi int) int {
			n.Add(int64(hi - lo))
			return lo % 7
		})
		return done, n.Load()
	}
	done, asked := run(1, 5000)
	require.Equal(t, int64(done), asked)
	require.Less(t, done, 10_000)
	for _, cores := range []int{2, 8} {
		d, a := run(cores, 5000)
		require.Equal(t, done, d)
		require.Equal(t, asked, a)
	}
	done, asked = run(4, math.MaxInt32)
	require.Equal(t, 10_000, done)
	require.EqualValues(t, 10_000, asked)
}

// Triangles whose corners lie on a line or in a point are their longest side; the
// nearest of many points on the sides is the check.
func TestTheNearestPointOfATriangleWithoutArea(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	v := func() r3.Vec { return r3.Vec{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()} }
	for i := range 4000 {
		a, b, p := v(), v(), v()
		c := [...]r3.Vec{a, b, r3.Add(a, r3.Scale(2*r.Float64(), r3.Sub(b, a))), r3.Add(a, r3.Scale(-r.Float64(), r3.Sub(b, a)))}[i%4]
		if i%5 == 0 {
			b, c = a, a
		}
		corners := []r3.Vec{a, b, c}
		k := r.IntN(3)
		a, b, c = corners[k], corners[(k+1)%3], corners[(k+2)%3]
		got := r3.Norm(r3.Sub(geom.ClosestOnTriangle(p, a, b, c), p))
		want := math.Inf(1)
		for _, s := range [][2]r3.Vec{{a, b}, {b, c}, {c, a}} {
			q, _ := geom.ClosestOnSegment(p, s[0], s[1])
			want = math.Min(want, r3.Norm(r3.Sub(q, p)))
		}
		require.InDelta(t, want, got, 1e-9, "%v of %v %v %v", p, a, b, c)
	}
}
