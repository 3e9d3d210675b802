package solve_test

import (
	"context"
	"math"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/guide"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/solve"
	"wisemarrow/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// A skin that was posed by known turns gives them back, however far they go and wherever the whole went; with the skin
// sculpted on top of it, the pose stays about the same.
func TestThePoseOfASkinIsFound(t *testing.T) {
	ctx := context.Background()
	m, s := demo.Odile(0.03)
	w, _, err := bind.Automatic(ctx, m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	points := m.World()
	height := geom.BoxOf(points).Size().Y
	move := r3.Vec{X: 0.3, Y: -0.1, Z: 2}
	for k, x := range pose.Anyhow(s, skeleton.DefaultMarks, 77, 8) {
		places := deform.Bound(points, w, s, x.Pose, nil)
		for v := range places {
			places[v] = r3.Add(places[v], move)
		}
		p, went, err := solve.PoseOf(ctx, points, s, w, places)
		require.NoError(t, err)
		far := solve.FarFromGiven(points, s, w, []solve.Given{{Pose: p, Move: went, Places: places}})
		require.Less(t, far, 1e-4*height, x.Name)
		for name, q := range x.Pose {
			if got, ok := p[name]; ok {
				d := quat.Mul(quat.Conj(geom.Normalise(q)), got)
				angle := 2 * math.Atan2(math.Sqrt(d.Imag*d.Imag+d.Jmag*d.Jmag+d.Kmag*d.Kmag), math.Abs(d.Real)) * 180 / math.Pi
				assert.Less(t, angle, 1.0, "%s of pose %d", name, k)
			}
		}
		for v := range places { // a hand has pushed the skin about by 2 cm
			places[v] = r3.Add(places[v], r3.Vec{X: 0.02 * math.Sin(30*points[v].Y), Z: 0.02 * math.Cos(40*points[v].X)})
		}
		p, went, err = solve.PoseOf(ctx, points, s, w, places)
		require.NoError(t, err)
		require.Less(t, solve.FarFromGiven(points, s, w, []solve.Given{{Pose: p, Move: went, Places: places}}), 0.025)
	}
}

// What somebody sculpted counts: weights made by hand come back from a few poses of a skin that they moved.
func TestWeightsFollowGivenPoses(t *testing.T) {
	ctx := context.Background()
	m, s, known := chain(0.4)
	_, _, from := chain(1.2)
	g, err := guide.NewSolid(ctx, m, from, s, guide.Options{})
	require.NoError(t, err)
	var given []solve.Given
	for _, x := range turns() {
		given = append(given, solve.Given{Pose: x, Places: deform.Bound(m.World(), known, s, x, nil), Times: 100})
	}
	o := solve.Options{Dial: 1}
	plain, err := solve.ForMotion(ctx, m, from, s, g, o, nil, nil)
	require.NoError(t, err)
	o.Given = given
	out, err := solve.ForMotion(ctx, m, from, s, g, o, nil, nil)
	require.NoError(t, err)
	before, without, with := solve.FarFromGiven(m.World(), s, from, given), solve.FarFromGiven(m.World(), s, plain.Weights, given),
		solve.FarFromGiven(m.World(), s, out.Weights, given)
	assert.Less(t, with, 0.2*before)
	assert.Less(t, with, 0.5*without)
	for v := range m.Points {
		for j := range known.Joints {
			require.InDelta(t, known.Value(v, int32(j)), out.Weights.Value(v, int32(j)), 0.08, "vertex %d", v)
		}
	}
}
