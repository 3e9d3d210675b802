package deform_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/dualquat"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// twistable is a tube along X with joints at its start, middle and end, weights that change evenly
// around the middle.
func twistable(mix float64) (*mesh.Mesh, *skeleton.Skeleton, *weights.Weights) {
	m := solids.Tube(2, 0.2, 40, 24)
	s := &skeleton.Skeleton{
		Joints: []skeleton.Joint{
			{Name: "a", Parent: -1, Rot: geom.Identity, Mix: mix},
			{Name: "b", Parent: 0, Pos: r3.Vec{X: 1}, Rot: geom.Identity, Mix: mix},
		},
	}
	a, b := make([]float64, len(m.Points)), make([]float64, len(m.Points))
	for v, p := range m.Points {
		b[v] = math.Max(0, math.Min(1, 0.5+(p.X-1)/0.8))
		a[v] = 1 - b[v]
	}
	return m, s, weights.FromColumns([]string{"a", "b"}, [][]float64{a, b}, len(m.Points), weights.Limits{})
}

// Held against gonum's dual quaternions (gonum.org/v1/gonum/num/dualquat): the same places
// for random motions and weights.
func TestDualQuaternionsEqualGonums(t *testing.T) {
	m, s, w := twistable(1)
	rng := rand.New(rand.NewPCG(2, 7))
	for range 20 {
		p := pose.Pose{"a": geom.AxisAngle(r3.Vec{X: rng.NormFloat64(), Y: rng.NormFloat64(), Z: rng.NormFloat64()}, 2*rng.Float64()),
			"b": geom.AxisAngle(r3.Vec{X: rng.NormFloat64(), Y: rng.NormFloat64(), Z: rng.NormFloat64()}, 3*rng.Float64())}
		got := deform.Bound(m.Points, w, s, p, nil)
		var duals []dualquat.Number
		for _, x := range pose.Skin(s, p) {
			o := x.Point(r3.Vec{})
			q := geom.FromAxes(r3.Sub(x.Point(r3.Vec{X: 1}), o), r3.Sub(x.Point(r3.Vec{Y: 1}), o), r3.Sub(x.Point(r3.Vec{Z: 1}), o))
			duals = append(
				duals,
				dualquat.Number{Real: q, Dual: quat.Scale(0.5, quat.Mul(quat.Number{Imag: o.X, Jmag: o.Y, Kmag: o.Z}, q))},
			)
		}
		for v, at := range m.Points {
			var sum dualquat.Number
			first := duals[w.Of[v][0].Joint].Real
			for _, x := range w.Of[v] {
				d := duals[x.Joint]
				by := x.Value
				if quat.Mul(quat.Conj(first), d.Real).Real < 0 {
					by = -by
				}
				sum = dualquat.Add(sum, dualquat.Scale(by, d))
			}
			sum = dualquat.Mul(sum, dualquat.Number{Real: quat.Number{Real: 1 / quat.Abs(sum.Real)}})
			// q p q̄, with the dual part of the conjugate negated.
			point := dualquat.Number{Real: quat.Number{Real: 1}, Dual: quat.Number{Imag: at.X, Jmag: at.Y, Kmag: at.Z}}
			moved := dualquat.Mul(dualquat.Mul(sum, point), dualquat.Conj(sum)).Dual
			require.InDelta(t, 0, r3.Norm(r3.Sub(got[v], r3.Vec{X: moved.Imag, Y: moved.Jmag, Z: moved.Kmag})), 1e-9)
		}
	}
}

// Twisted by half a turn a tube keeps its radius by dual quaternions and loses it by linear
// blending: where both joints pull alike it is gone (Kavan et al. 2007, the candy wrapper).
// Bent by a right angle it keeps more of its volume. Half a mix lies between; rest is still.
func TestATwistedTubeKeepsItsRadius(t *testing.T) {
	radius := func(points []r3.Vec) float64 {
		least := math.Inf(1)
		for _, p := range points {
			least = math.Min(least, math.Hypot(p.Y, p.Z))
		}
		return least
	}
	ring := func(m *mesh.Mesh, points []r3.Vec) []r3.Vec { // the mantle, without the caps' middles
		var out []r3.Vec
		for v, p := range m.Points {
			if math.Hypot(p.Y, p.Z) > 0.19 {
				out = append(out, points[v])
			}
		}
		return out
	}
	m, s, w := twistable(1)
	turn := pose.Pose{"b": pose.Turn(180, 0, 0)}
	require.InDelta(t, 0.2, radius(ring(m, deform.Bound(m.Points, w, s, turn, nil))), 1e-9)
	m, linear, w := twistable(0)
	require.Less(t, radius(ring(m, deform.Bound(m.Points, w, linear, turn, nil))), 0.02)
	m, half, w := twistable(0.5)
	between := radius(ring(m, deform.Bound(m.Points, w, half, turn, nil)))
	require.Greater(t, between, 0.05)
	require.Less(t, between, 0.15)

	tris, _ := m.Triangles()
	volume := func(s *skeleton.Skeleton) float64 {
		skin, err := deform.NewSkin(m.Points, tris, w, s, nil)
		require.NoError(t, err)
		x := skin.Measure(map[string][4]float64{"b": {0, 0, 90}})
		return x.Volume / x.Rest
	}
	require.Greater(t, volume(s), volume(linear))
	t.Logf("a tube bent by 90° keeps %.3f of its volume linearly, %.3f by dual quaternions", volume(linear), volume(s))
	require.Equal(t, m.Points, deform.Bound(m.Points, w, s, nil, nil), "rest is exactly still")
	require.Error(
		t,
		(&skeleton.Skeleton{Joints: []skeleton.Joint{{Name: "a", Parent: -1, Rot: geom.Identity, Mix: math.NaN()}}}).Validate(),
	)
}
