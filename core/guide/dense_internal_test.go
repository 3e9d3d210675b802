package guide

import (
	"context"
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r3"
)

// svdTurn is the rotation nearest to a matrix by its singular values (Sorkine & Alexa 2007, equation 6), by gonum.
func svdTurn(t *testing.T, a turn) turn {
	t.Helper()
	m := mat.NewDense(3, 3, []float64{a[0].X, a[1].X, a[2].X, a[0].Y, a[1].Y, a[2].Y, a[0].Z, a[1].Z, a[2].Z})
	var svd mat.SVD
	require.True(t, svd.Factorize(m, mat.SVDFull))
	var u, v, r mat.Dense
	svd.UTo(&u)
	svd.VTo(&v)
	r.Mul(&u, v.T())
	if mat.Det(&r) < 0 {
		for i := range 3 {
			u.Set(i, 2, -u.At(i, 2))
		}
		r.Mul(&u, v.T())
	}
	col := func(k int) r3.Vec { return r3.Vec{X: r.At(0, k), Y: r.At(1, k), Z: r.At(2, k)} }
	return turn{col(0), col(1), col(2)}
}

// A bar that is bent, twisted and stretched comes to rest where the same equations are at rest, solved densely by
// gonum: a further step of theirs, with turns by singular values and places by a dense solve, moves nothing.
func TestRestIsThatOfTheDenseEquations(t *testing.T) {
	m := solids.Tube(1, 0.12, 14, 10)
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{
		{Name: "a", Parent: -1, Rot: geom.Identity},
		{Name: "b", Parent: 0, Pos: r3.Vec{X: 0.5}, Rot: geom.Identity},
		{Name: "end", Parent: 1, Pos: r3.Vec{X: 1}, Rot: geom.Identity},
	}}
	a, b := make([]float64, len(m.Points)), make([]float64, len(m.Points))
	for v, p := range m.Points {
		b[v] = math.Max(0, math.Min(1, 0.5+(p.X-0.5)/0.5))
		a[v] = 1 - b[v]
	}
	w := weights.FromColumns([]string{"a", "b"}, [][]float64{a, b}, len(m.Points), weights.Limits{})
	g, err := NewSolid(context.Background(), m, w, s, Options{})
	require.NoError(t, err)
	n := len(g.nodes)
	for name, p := range map[string]pose.Pose{
		"bent":      {"b": geom.AxisAngle(r3.Vec{Z: 1}, 1.5)},
		"twisted":   {"b": geom.AxisAngle(r3.Vec{X: 1}, 1.4)},
		"stretched": {"a": pose.Lengthened(geom.Identity, 1.2)},
	} {
		got, err := g.Pose(context.Background(), p, Options{Steps: 400})
		require.NoError(t, err)
		x := g.begin(p)
		dense, right := mat.NewSymDense(n, nil), mat.NewDense(n, 3, nil)
		turns := make([]turn, n)
		for v := range n {
			var sum turn
			for k := g.start[v]; k < g.start[v+1]; k++ {
				sum.add(r3.Scale(g.stiff[k], r3.Sub(g.nodes[g.to[k]], g.nodes[v])), r3.Sub(got.Nodes[g.to[k]], got.Nodes[v]))
			}
			r := g.rods[v]
			sum.add(r.along, r3.Sub(x.cores[v], got.Nodes[v]))
			turns[v] = svdTurn(t, sum)
		}
		for v := range n {
			var sum r3.Vec
			diagonal := 0.0
			for k := g.start[v]; k < g.start[v+1]; k++ {
				o := g.to[k]
				e := r3.Sub(g.nodes[v], g.nodes[o])
				diagonal += g.stiff[k]
				if int(o) > v {
					dense.SetSym(v, int(o), -g.stiff[k])
				}
				sum = r3.Add(sum, r3.Scale(g.stiff[k]/2, r3.Add(turns[v].of(e), turns[o].of(e))))
			}
			r := g.rods[v]
			diagonal += r.stiff + r.own
			sum = r3.Add(sum, r3.Sub(r3.Scale(r.stiff, x.cores[v]), turns[v].of(r.along)))
			sum = r3.Add(sum, r3.Scale(r.own, x.own[v]))
			dense.SetSym(v, v, diagonal)
			right.SetRow(v, []float64{sum.X, sum.Y, sum.Z})
		}
		var cholesky mat.Cholesky
		require.True(t, cholesky.Factorize(dense))
		var places mat.Dense
		require.NoError(t, cholesky.SolveTo(&places, right))
		for v := range n {
			d := r3.Norm(r3.Sub(got.Nodes[v], r3.Vec{X: places.At(v, 0), Y: places.At(v, 1), Z: places.At(v, 2)}))
			require.Less(t, d, 2e-5, "%s: node %d moves by %g m", name, v, d)
		}
	}
}
