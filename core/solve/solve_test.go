package solve_test

import (
	"context"
	"fmt"
	"math"
	"runtime"
	"slices"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/guide"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/solve"
	"wisemarrow/core/weights"
	"wisemarrow/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// chain is a tube along X with joints at every third of it, and weights that change about each over a width.
func chain(width float64) (*mesh.Mesh, *skeleton.Skeleton, *weights.Weights) {
	m := solids.Tube(3, 0.2, 48, 16)
	s := &skeleton.Skeleton{}
	for i, name := range []string{"a", "b", "c", "end"} {
		s.Joints = append(s.Joints, skeleton.Joint{Name: name, Parent: i - 1, Pos: r3.Vec{X: float64(i)}, Rot: geom.Identity})
	}
	col := make([][]float64, 3)
	for k := range col {
		col[k] = make([]float64, len(m.Points))
	}
	for v, p := range m.Points {
		over := func(at float64) float64 { return math.Max(0, math.Min(1, 0.5+(p.X-at)/width)) }
		col[2][v] = over(2)
		col[1][v] = over(1) - col[2][v]
		col[0][v] = 1 - over(1)
	}
	return m, s, weights.FromColumns([]string{"a", "b", "c"}, col, len(m.Points), weights.Limits{})
}

// turns are poses about all axes.
func turns() (out []pose.Pose) {
	for _, axis := range []r3.Vec{{Y: 1}, {Z: 1}, {X: 1}} {
		for _, angle := range []float64{-0.9, 0.5, 1.3} {
			out = append(out, pose.Pose{"b": geom.AxisAngle(axis, angle)}, pose.Pose{"c": geom.AxisAngle(axis, angle)})
		}
	}
	return out
}

// told is a problem whose guide is the skin with known weights.
func told(m *mesh.Mesh, s *skeleton.Skeleton, from, known *weights.Weights, o solve.Options) *solve.Problem {
	p := solve.New(m, from, s, o)
	for _, x := range turns() {
		p.Add(pose.Skin(s, x), deform.Bound(m.World(), known, s, x, nil), 1)
	}
	return p
}

func solved(t *testing.T, p *solve.Problem) *solve.Solved {
	t.Helper()
	out, err := p.Solve(context.Background())
	require.NoError(t, err)
	require.NoError(t, out.Weights.Validate())
	return out
}

// A motion that was made by known weights gives them back (in the manner of Le & Deng 2012, section 5, who recover
// weights of motions that they made): within 0.02 from a bind that is twice as soft.
func TestKnownWeightsAreRecovered(t *testing.T) {
	m, s, known := chain(0.5)
	_, _, from := chain(1.0)
	out := solved(t, told(m, s, from, known, solve.Options{Dial: 1}))
	assert.Less(t, out.After, out.Before/20)
	worst := 0.0
	for v := range m.Points {
		for j := range known.Joints {
			worst = max(worst, math.Abs(known.Value(v, int32(j))-out.Weights.Value(v, int32(j))))
		}
	}
	assert.Less(t, worst, 0.02)
	assert.Positive(t, out.Changed)
	for v, left := range out.Left(out.Weights) {
		assert.Less(t, left, 0.003, "vertex %d", v)
	}
}

// On a limb whose guide is the same share of two joints everywhere the optimum is that share, by hand: no step along
// the surface costs anything there. The dial leads from the bind to it.
func TestTheDialLeadsFromTheBindToTheGuide(t *testing.T) {
	m, s, _ := chain(0.5)
	even := func(share float64) *weights.Weights {
		w := weights.New([]string{"a", "b", "c"}, len(m.Points))
		for v := range w.Of {
			w.Of[v] = []weights.Influence{{Joint: 0, Value: share}, {Joint: 1, Value: 1 - share}}
			weights.Sort(w.Of[v])
		}
		return w
	}
	from, known := even(0.3), even(0.7)
	before := math.Inf(1)
	var far []float64
	for _, dial := range []float64{0, 0.01, 0.5, 1} {
		out := solved(t, told(m, s, from, known, solve.Options{Dial: dial}))
		assert.Less(t, out.After, before+1e-12, "dial %g", dial)
		before = out.After
		far = append(far, out.After)
		switch dial {
		case 0:
			assert.Same(t, from, out.Weights)
		case 1:
			for v := range m.Points {
				require.InDelta(t, 0.7, out.Weights.Value(v, 0), 0.01)
			}
		}
	}
	assert.Greater(t, far[1], 10*far[2])
	assert.Greater(t, far[2], 1.2*far[3])
}

func TestWhatIsLockedFixedOrCapped(t *testing.T) {
	m, s, known := chain(0.5)
	_, _, from := chain(1.4) // a, b and c at once
	fixed := make([]bool, len(m.Points))
	for v := range fixed {
		fixed[v] = m.Points[v].Y > 0.1
	}
	out := solved(t, told(m, s, from, known, solve.Options{Dial: 1, Fixed: fixed}))
	for v := range fixed {
		if fixed[v] {
			require.Equal(t, from.Of[v], out.Weights.Of[v])
		}
	}
	out = solved(t, told(m, s, from, known, solve.Options{Dial: 1, Locked: []bool{false, false, true}}))
	for v := range m.Points {
		require.Equal(t, from.Value(v, 2), out.Weights.Value(v, 2))
		sum := 0.0
		for _, x := range out.Weights.Of[v] {
			sum += x.Value
		}
		require.InDelta(t, 1, sum, 1e-9)
	}
	// A cap of two where three bend: what leaves does so next to zero.
	_, _, three := chain(1.8)
	out = solved(t, told(m, s, from, three, solve.Options{Dial: 1, Limits: weights.Limits{Cap: 2, Trace: 0.01}}))
	table := m.Edges()
	for _, e := range table.Edges {
		for j := range int32(3) {
			a, b := out.Weights.Value(int(e.A), j), out.Weights.Value(int(e.B), j)
			if (a == 0) != (b == 0) {
				require.Less(t, max(a, b), 0.25, "joint %d between %d and %d", j, e.A, e.B)
			}
		}
	}
	for v := range out.Weights.Of {
		require.LessOrEqual(t, len(out.Weights.Of[v]), 2)
	}
	both := solved(t, told(m, s, from, three, solve.Options{Dial: 1, Limits: weights.Limits{Cap: 2}, Locked: []bool{false, false, true}}))
	for v := range m.Points {
		require.Equal(t, from.Value(v, 2), both.Weights.Value(v, 2))
		if from.Value(v, 2) < 1 {
			require.LessOrEqual(t, len(both.Weights.Of[v]), 2, "the cap holds with a locked joint too")
		}
	}
}

// A body that is even comes out even to the last bit, buttons keep their shape, cracks stay shut, and no core count
// changes a bit.
func TestEvenBodiesPiecesAndCores(t *testing.T) {
	m, s := demo.Bram(0.03)
	w, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	run := func() *solve.Solved {
		g, err := guide.NewSolid(context.Background(), m, w, s, guide.Options{Nodes: 1500})
		require.NoError(t, err)
		out, err := solve.ForMotion(context.Background(), m, w, s, g,
			solve.Options{Limits: bind.DefaultOptions.Limits, Dial: 1, Marks: skeleton.DefaultMarks}, nil, nil)
		require.NoError(t, err)
		return out
	}
	out := run()
	assert.Equal(t, out.All, out.Frames)
	assert.Less(t, out.After, 0.8*out.Before)
	rigid := weights.RigidPieces(m, w)
	first := map[int32]int{}
	for v, k := range rigid {
		if k < 0 {
			continue
		}
		if _, ok := first[k]; !ok {
			first[k] = v
		}
		require.Equal(t, out.Weights.Of[first[k]], out.Weights.Of[v], "a button is still one")
	}
	require.NotEmpty(t, first)
	pairs := s.Pairs(skeleton.DefaultMarks)
	partner := make([]int32, len(w.Joints))
	for k, name := range w.Joints {
		partner[k] = int32(k)
		if i := pairs.Partner[s.Index(name)]; i >= 0 {
			partner[k] = int32(slices.Index(w.Joints, s.Joints[i].Name))
		}
	}
	tree := geom.NewPointTree(m.World())
	even, all := 0, 0
	for v, p := range m.World() {
		o, _, d := tree.Nearest(r3.Vec{X: -p.X, Y: p.Y, Z: p.Z})
		if d > 1e-6 || rigid[v] >= 0 {
			continue
		}
		all++
		if slices.Equal(weights.Mirror(out.Weights.Of[v], partner), out.Weights.Of[o]) {
			even++
		}
	}
	assert.Greater(t, float64(even), 0.9*float64(all), "%d of %d", even, all)
	before := runtime.GOMAXPROCS(1)
	one := run()
	runtime.GOMAXPROCS(before)
	assert.Equal(t, out.Weights, one.Weights)
}

// Where it can be stopped it keeps what was told so far; what cannot bend is refused.
func TestSolvingStops(t *testing.T) {
	m, s, w := chain(0.5)
	g, err := guide.NewSolid(context.Background(), m, w, s, guide.Options{})
	require.NoError(t, err)
	out, err := solve.ForMotion(context.Background(), m, w, s, g, solve.Options{Dial: 1}, func() bool { return true }, nil)
	require.NoError(t, err)
	assert.Positive(t, out.Frames)
	assert.Empty(t, out.Still)
	odd := s.Clone()
	odd.Joints = append(odd.Joints, skeleton.Joint{Name: "knob", Parent: 1, Pos: r3.Vec{X: 1.5, Y: 0.2}, Rot: geom.Identity})
	knobbed := &weights.Weights{Joints: append(slices.Clone(w.Joints), "knob"), Of: slices.Clone(w.Of)}
	knobbed.Of[300] = []weights.Influence{{Joint: 1, Value: 0.8}, {Joint: 3, Value: 0.2}}
	g2, err := guide.NewSolid(context.Background(), m, knobbed, odd, guide.Options{})
	require.NoError(t, err)
	out, err = solve.ForMotion(context.Background(), m, knobbed, odd, g2, solve.Options{Dial: 1}, nil, nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"knob"}, out.Still, "it has no bone of its own to turn")
	gone, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = solve.ForMotion(gone, m, w, s, g, solve.Options{Dial: 1}, nil, nil)
	require.ErrorIs(t, err, context.Canceled)
	still := &skeleton.Skeleton{Joints: []skeleton.Joint{{Name: "a", Parent: -1, Rot: geom.Identity}}}
	_, err = solve.ForMotion(context.Background(), m, w, still, g, solve.Options{Dial: 1}, nil, nil)
	require.ErrorIs(t, err, solve.ErrNoMotion)
}

// No two joints that bend the same skin are in one frame, and every end of every range is in some.
func TestFramesHoldEveryEndOnce(t *testing.T) {
	m, s := demo.Odile(0.03)
	w, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	ends := pose.Extremes(s, s.Trials(skeleton.DefaultMarks), 1)
	frames, left := solve.Frames(s, w, skeleton.DefaultMarks, []float64{1})
	assert.Zero(t, left)
	seen := 0
	for _, f := range frames {
		if len(f.Pose) == 0 {
			continue
		}
		_, left := f.Pose["forearm_l"]
		_, upper := f.Pose["upper_arm_l"]
		if left && upper {
			continue // a figure
		}
		for _, e := range ends {
			for name, q := range e.Pose {
				if f.Pose[name] == q {
					seen++
				}
			}
		}
	}
	assert.GreaterOrEqual(t, seen, len(ends))
	assert.Less(t, len(frames), len(ends), "several joints share a frame")
	var many []float64
	for k := range 40 {
		many = append(many, float64(k+1)/40)
	}
	frames, left = solve.Frames(s, w, skeleton.DefaultMarks, many)
	assert.Len(t, frames, 300)
	assert.Positive(t, left)
}

func ExampleProblem() {
	m, s, known := chain(0.5)
	_, _, soft := chain(1.0)
	p := solve.New(m, soft, s, solve.Options{Dial: 1})
	for _, x := range turns() { // a motion that was made with other weights
		p.Add(pose.Skin(s, x), deform.Bound(m.World(), known, s, x, nil), 1)
	}
	out, _ := p.Solve(context.Background())
	fmt.Println(out.After < out.Before/20)
	// Output: true
}
