package geom_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"wisemarrow/core/geom"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// manifold asks that every edge has two faces that run along it in opposite ways, and that the
// faces around every vertex are one fan.
func manifold(t *testing.T, quads [][4]int32) {
	t.Helper()
	ways := map[[2]int32]int{}
	next := map[int32]map[int32]int32{} // around a vertex: from the corner before to the corner after
	for _, q := range quads {
		for k, a := range q {
			ways[[2]int32{a, q[(k+1)%4]}]++
			if next[a] == nil {
				next[a] = map[int32]int32{}
			}
			next[a][q[(k+1)%4]] = q[(k+3)%4]
		}
	}
	for e, n := range ways {
		require.Equal(t, 1, n)
		require.Equal(t, 1, ways[[2]int32{e[1], e[0]}])
	}
	for v, fan := range next {
		var first int32
		for a := range fan {
			first = a
			break
		}
		n := 0
		for at := first; ; n++ {
			at = fan[at]
			if at == first {
				n++
				break
			}
		}
		require.Equal(t, len(fan), n, "vertex %d has more than one fan", v)
	}
}

// However cubes lie, composed they have a hull that is closed, a manifold and looks outward.
func TestTheHullOfWhateverCubesIsAManifold(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 7))
	for range 60 {
		v := &geom.Voxels{Cell: 0.5, NX: 12, NY: 11, NZ: 10, Inside: make([]bool, 12*11*10)}
		for i := range v.Inside {
			if x, y, z := v.Coords(i); min(x, y, z) >= 2 && x < 10 && y < 9 && z < 8 {
				v.Inside[i] = rng.Float64() < 0.35
			}
		}
		before := 0
		for range v.Filled() {
			before++
		}
		v.Compose()
		after := 0
		for range v.Filled() {
			after++
		}
		require.GreaterOrEqual(t, after, before)
		points, quads := v.Hull()
		manifold(t, quads)
		volume := 0.0
		for _, q := range quads {
			for _, tri := range [2][3]int32{{q[0], q[1], q[2]}, {q[0], q[2], q[3]}} {
				volume += r3.Dot(points[tri[0]], r3.Cross(points[tri[1]], points[tri[2]])) / 6
			}
		}
		require.Positive(t, volume)
		require.LessOrEqual(t, volume, float64(after)*0.125+1e-9)
	}
}

// A ball of cubes has the volume and the area of the ball, within the grain.
func TestTheHullOfABall(t *testing.T) {
	v := &geom.Voxels{Cell: 0.05, NX: 60, NY: 60, NZ: 60, Inside: make([]bool, 60*60*60), Origin: r3.Vec{X: -1.475, Y: -1.475, Z: -1.475}}
	for i := range v.Inside {
		v.Inside[i] = r3.Norm(v.Centre(i)) < 1
	}
	v.Compose()
	points, quads := v.Hull()
	manifold(t, quads)
	for _, p := range points {
		require.InDelta(t, 1, r3.Norm(p), 0.06)
	}
	grown := v.Padded(3)
	grown.Grow(2)
	inside := 0
	for range grown.Filled() {
		inside++
	}
	require.Greater(t, float64(inside)*math.Pow(0.05, 3), 4.0/3*math.Pi)
}
