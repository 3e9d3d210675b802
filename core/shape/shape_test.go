package shape_test

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

// arm is a shoulder, an elbow that bends and a wrist, with axes turned anyhow.
func arm() *skeleton.Skeleton {
	turn := geom.Normalise(quat.Number{Real: 0.7, Imag: 0.1, Jmag: 0.4, Kmag: -0.3})
	return &skeleton.Skeleton{Joints: []skeleton.Joint{
		{Name: "spine_1", Parent: -1, Pos: r3.Vec{Y: 1}, Rot: geom.Identity},
		{Name: "upper_arm_l", Parent: 0, Pos: r3.Vec{X: 0.2, Y: 1.4}, Rot: turn},
		{Name: "forearm_l", Parent: 1, Pos: r3.Vec{X: 0.5, Y: 1.4, Z: -0.01}, Rot: turn},
		{Name: "hand_l", Parent: 2, Pos: r3.Vec{X: 0.75, Y: 1.4}, Rot: turn},
	}}
}

func trial(t *testing.T, s *skeleton.Skeleton, joint, axis string) skeleton.Trial {
	for _, x := range s.Trials(skeleton.DefaultMarks) {
		if s.Joints[x.Joint].Name == joint && x.Name == axis {
			return x
		}
	}
	require.Fail(t, "no such axis", "%s %s", joint, axis)
	return skeleton.Trial{}
}

// A driver is exact at its knots, off at rest, and between and beyond its knots never above or below them, whatever other
// turns the joint makes.
func TestDriversAreExactAtTheirKnots(t *testing.T) {
	s := arm()
	bend, twist := trial(t, s, "forearm_l", "bend"), trial(t, s, "forearm_l", "twist")
	rapid.Check(t, func(rt *rapid.T) {
		d := &shape.Driver{Joint: "forearm_l", Axis: "bend", Smooth: rapid.Bool().Draw(rt, "smooth")}
		at := rapid.Float64Range(-170, -60).Draw(rt, "first")
		for range rapid.IntRange(1, 5).Draw(rt, "knots") {
			if at != 0 {
				d.Knots = append(d.Knots, shape.Knot{Degrees: at, Value: rapid.Float64Range(-1, 2).Draw(rt, "value")})
			}
			at += rapid.Float64Range(5, 60).Draw(rt, "step")
		}
		r := &shape.Rig{Targets: []shape.Target{{Name: "bulge", Driver: d}}}
		if err := r.Validate(); err != nil {
			rt.Fatal(err)
		}
		e := r.For(s, skeleton.DefaultMarks)
		if len(e.Lost) > 0 || e.Values(nil)[0] != 0 || e.Values(pose.Pose{"hand_l": pose.Turn(0, 50, 0)})[0] != 0 {
			rt.Fatal("it is on at rest, or lost")
		}
		least, most := 0.0, 0.0
		for _, k := range d.Knots {
			least, most = min(least, k.Value), max(most, k.Value)
			q := pose.AboutWorld(s, bend, k.Degrees)
			if got := e.Values(pose.Pose{"forearm_l": q})[0]; math.Abs(got-k.Value) > 1e-9 {
				rt.Fatalf("%v at %g°: %v", got, k.Degrees, d.Knots)
			}
			q = quat.Mul(q, pose.AboutWorld(s, twist, 20)) // a twist after it changes nothing of what it is bent by, nearly
			if got := e.Values(pose.Pose{"forearm_l": q})[0]; math.Abs(got-d.At(k.Degrees)) > 1e-6 {
				rt.Fatalf("with a twist %v at %g°", got, k.Degrees)
			}
		}
		for degrees := -180.0; degrees <= 180; degrees += 7 {
			if x := d.At(degrees); x < least-1e-9 || x > most+1e-9 {
				rt.Fatalf("%v at %g°, beyond %v", x, degrees, d.Knots)
			}
		}
	})
}

// In-betweens and combinations are stored as what they add: with hats of straight lines the sum is exact at each.
func TestInBetweensAndCombinationsAddUp(t *testing.T) {
	r := &shape.Rig{
		Targets: []shape.Target{
			{Name: "both", Meets: &shape.Meets{Of: []string{"smile", "open"}}},
			{Name: "half", Between: &shape.Between{Of: "smile", At: 0.5}},
			{Name: "more", Between: &shape.Between{Of: "smile", At: 0.8}},
			{Name: "smile", Value: 0.5, Group: "mouth"},
			{Name: "open", Value: 0.6},
			{Name: "least", Meets: &shape.Meets{Of: []string{"smile", "open"}, Least: true}},
			{Name: "off", Value: 1, Muted: true},
		},
		Groups: []shape.Group{{Name: "mouth", In: "face", Times: 1}, {Name: "face", Times: 1}},
	}
	require.NoError(t, r.Validate())
	e := r.For(nil, skeleton.DefaultMarks)
	require.True(t, e.Moves())
	assert.InDeltaSlice(t, []float64{0.3, 1, 0, 0.5, 0.6, 0.5, 0}, e.Values(nil), 1e-12)
	for value, want := range map[float64][2]float64{
		0: {0, 0}, 0.25: {0.5, 0}, 0.65: {0.5, 0.5}, 0.8: {0, 1}, 0.9: {0, 0.5}, 1: {0, 0}, 1.2: {0, 0},
	} {
		r.Targets[3].Value = value
		got := r.For(nil, skeleton.DefaultMarks).Values(nil)
		assert.InDelta(t, want[0], got[1], 1e-9, "half at %g", value)
		assert.InDelta(t, want[1], got[2], 1e-9, "more at %g", value)
	}
	r.Targets[3].Value = 1
	r.Groups[1].Times = 0.5
	assert.InDelta(t, 0.5, r.For(nil, skeleton.DefaultMarks).Values(nil)[3], 1e-12, "a group within a group")
	r.Groups[0].Muted = true
	assert.Zero(t, r.For(nil, skeleton.DefaultMarks).Values(nil)[0], "what is made of something that is off")
}

func TestRigsThatCannotBeAreRefused(t *testing.T) {
	driver := &shape.Driver{Joint: "a", Axis: "bend", Knots: []shape.Knot{{Degrees: 30, Value: 1}}}
	knots := func(k ...shape.Knot) *shape.Driver { return &shape.Driver{Joint: "a", Axis: "bend", Knots: k} }
	for says, r := range map[string]shape.Rig{
		"taken or empty": {Targets: []shape.Target{{Name: "a"}, {Name: "a"}}},
		"depends on itself": {Targets: []shape.Target{
			{Name: "a", Meets: &shape.Meets{Of: []string{"b", "c"}}}, {Name: "b", Between: &shape.Between{Of: "a", At: 0.5}}, {Name: "c"},
		}},
		"is an in-between of": {Targets: []shape.Target{
			{Name: "a", Between: &shape.Between{Of: "c", At: 0.5}}, {Name: "b", Between: &shape.Between{Of: "c", At: 0.5}}, {Name: "c"},
		}},
		"not at 1":          {Targets: []shape.Target{{Name: "a", Between: &shape.Between{Of: "c", At: 1}}}},
		"two different":     {Targets: []shape.Target{{Name: "a", Meets: &shape.Meets{Of: []string{"b"}}}}},
		"more than one":     {Targets: []shape.Target{{Name: "a", Driver: driver, Between: &shape.Between{Of: "c", At: 0.5}}}},
		"no axis":           {Targets: []shape.Target{{Name: "a", Driver: &shape.Driver{Axis: "roll", Knots: driver.Knots}}}},
		"no knot":           {Targets: []shape.Target{{Name: "a", Driver: knots()}}},
		"none is 0":         {Targets: []shape.Target{{Name: "a", Driver: knots(shape.Knot{Degrees: 0, Value: 1})}}},
		"angles ascend":     {Targets: []shape.Target{{Name: "a", Driver: knots(shape.Knot{Degrees: 20, Value: 1}, shape.Knot{Degrees: 10, Value: 1})}}},
		"knot 1 is NaN":     {Targets: []shape.Target{{Name: "a", Driver: knots(shape.Knot{Degrees: 20, Value: math.NaN()})}}},
		"a value of":        {Targets: []shape.Target{{Name: "a", Range: &[2]float64{1, 0}}}},
		"within itself":     {Groups: []shape.Group{{Name: "x", In: "y", Times: 1}, {Name: "y", In: "x", Times: 1}}},
		"a multiplier of":   {Groups: []shape.Group{{Name: "x", Times: math.Inf(1)}}},
		"at most 200 are ":  {Groups: make([]shape.Group, 201)},
		"at most 1000 are ": {Targets: make([]shape.Target, 1001)},
	} {
		assert.ErrorContains(t, r.Validate(), says)
	}
}

// A driver whose joint is gone is off and told, as is what is made of a target that is not there; new names go along.
func TestWhatIsLostIsTold(t *testing.T) {
	knots := []shape.Knot{{Degrees: 90, Value: 1}}
	r := (&shape.Rig{Targets: []shape.Target{
		{Name: "a", Driver: &shape.Driver{Joint: "gone", Axis: "bend", Knots: knots}},
		{Name: "b", Meets: &shape.Meets{Of: []string{"a", "nothing"}}},
		{Name: "c", Driver: &shape.Driver{Joint: "elbow", Axis: "bend", Knots: knots}},
	}}).Renamed(map[string]string{"elbow": "forearm_l"}, nil)
	e := r.For(arm(), skeleton.DefaultMarks)
	assert.Equal(t, []string{"a", "b"}, e.Lost)
	assert.Equal(t, []float64{0, 0, 0}, e.Values(pose.Pose{"gone": pose.Turn(90, 0, 0)}))
	of := r.Of([]string{"c", "new"})
	require.Len(t, of.Targets, 2)
	assert.Equal(t, "forearm_l", of.Targets[0].Driver.Joint)
	assert.Equal(t, shape.Target{Name: "new"}, of.Targets[1])
	assert.False(t, (&shape.Rig{}).For(nil, skeleton.DefaultMarks).Moves())
}

func TestPlacesAddTargetsUp(t *testing.T) {
	points := []r3.Vec{{}, {X: 1}, {X: 2}}
	targets := []mesh.Shape{
		{Name: "up", Vertex: []int32{0, 2}, Offset: []r3.Vec{{Y: 1}, {Y: 2}}}, {Name: "out", Vertex: []int32{2}, Offset: []r3.Vec{{Z: 4}}},
	}
	assert.Equal(t, []r3.Vec{{Y: 0.5}, {X: 1}, {X: 2, Y: 1, Z: -4}}, shape.Places(points, targets, []float64{0.5, -1}))
	same := shape.Places(points, targets, []float64{0, 0})
	assert.Same(t, &points[0], &same[0])
	assert.Equal(t, r3.Vec{X: 2}, points[2], "what was given stays")
}

func ExampleRig() {
	r := &shape.Rig{Targets: []shape.Target{{
		Name:   "elbow_bulge_l",
		Driver: &shape.Driver{Joint: "forearm_l", Axis: "bend", Knots: []shape.Knot{{Degrees: 120, Value: 1}}},
	}}}
	s := arm()
	for _, t := range s.Trials(skeleton.DefaultMarks) {
		if t.Name == "bend" && s.Joints[t.Joint].Name == "forearm_l" {
			p := pose.Pose{"forearm_l": pose.AboutWorld(s, t, 90)}
			fmt.Printf("%.2f\n", r.For(s, skeleton.DefaultMarks).Values(p)[0])
		}
	}
	// Output: 0.75
}

// What a small module in JavaScript is held against (web/test/shape-values.test.mjs): rigs, the turns of joints and the values
// of their targets.
func TestValuesAreWrittenForOtherEvaluators(t *testing.T) {
	type sample struct {
		Turns  map[string][4]float64 `json:"turns"` // x, y, z, w
		Values []float64             `json:"values"`
	}
	type golden struct {
		Rig     *shape.Rig `json:"rig"`
		Samples []sample   `json:"samples"`
	}
	s := arm()
	rng := rand.New(rand.NewPCG(27, 3))
	var list []golden
	for range 20 {
		r := &shape.Rig{
			Groups: []shape.Group{
				{Name: "arm", Times: math.Round(100*rng.Float64()) / 100},
				{Name: "in", In: "arm", Times: 2, Muted: rng.IntN(4) == 0},
			},
		}
		for k, axis := range []string{"bend", "twist", "bend"} {
			d := &shape.Driver{Joint: []string{"forearm_l", "forearm_l", "upper_arm_l"}[k], Axis: axis, Smooth: rng.IntN(2) == 0}
			for at := -150 + 20*rng.Float64(); at < 170; at += 15 + 60*rng.Float64() {
				d.Knots = append(
					d.Knots,
					shape.Knot{Degrees: math.Round(10*at)/10 + 0.05, Value: math.Round(1000*(2*rng.Float64()-0.5)) / 1000},
				)
			}
			r.Targets = append(
				r.Targets,
				shape.Target{Name: fmt.Sprintf("driven_%d", k), Driver: d, Group: []string{"", "arm", "in"}[k], Muted: rng.IntN(6) == 0},
			)
		}
		r.Targets = append(r.Targets,
			shape.Target{Name: "both", Meets: &shape.Meets{Of: []string{"driven_0", "hand"}}},
			shape.Target{Name: "least", Meets: &shape.Meets{Of: []string{"driven_0", "hand", "driven_2"}, Least: true}},
			shape.Target{Name: "half", Between: &shape.Between{Of: "hand", At: 0.5}},
			shape.Target{Name: "most", Between: &shape.Between{Of: "hand", At: 0.75}},
			shape.Target{Name: "hand", Value: math.Round(1000*rng.Float64()) / 1000},
		)
		for k := range rng.IntN(4) { // near poses of one joint, or of two
			n := &shape.Near{Turns: map[string][4]float64{}, Reach: 20 + 80*rng.Float64()}
			for _, name := range []string{"forearm_l", "upper_arm_l"}[:1+k%2] {
				q := pose.Turn(150*rng.Float64(), 100*rng.Float64(), 100*rng.Float64())
				n.Turns[name] = [4]float64{q.Imag, q.Jmag, q.Kmag, q.Real}
			}
			r.Targets = append(r.Targets, shape.Target{Name: fmt.Sprintf("near_%d", k), Near: n})
		}
		switch rng.IntN(6) { // most have no solo
		case 0:
			r.Targets[rng.IntN(len(r.Targets))].Solo = true
		case 1:
			r.Groups[rng.IntN(len(r.Groups))].Solo = true
		}
		require.NoError(t, r.Validate())
		e := r.For(s, skeleton.DefaultMarks)
		g := golden{Rig: e.Described()}
		for range 10 {
			p := pose.Pose{"forearm_l": pose.Turn(360*rng.Float64(), 360*rng.Float64(), 360*rng.Float64())}
			if rng.IntN(2) == 0 {
				p["upper_arm_l"] = pose.Turn(100*rng.Float64(), 100*rng.Float64(), 100*rng.Float64())
			}
			one := sample{Turns: map[string][4]float64{}, Values: e.Values(p)}
			for name, q := range p {
				one.Turns[name] = [4]float64{q.Imag, q.Jmag, q.Kmag, q.Real}
			}
			g.Samples = append(g.Samples, one)
		}
		list = append(list, g)
	}
	const file = "../../web/test/data/shape-values.json"
	if os.Getenv("WISEMARROW_WRITE") != "" {
		data, err := json.Marshal(list)
		require.NoError(t, err)
		require.NoError(t, os.MkdirAll("../../web/test/data", 0o755))
		require.NoError(t, os.WriteFile(file, append(data, '\n'), 0o644))
	}
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	var stored []golden
	require.NoError(t, json.Unmarshal(data, &stored))
	require.Len(t, stored, len(list))
	for k := range list {
		for i := range list[k].Samples {
			assert.InDeltaSlice(t, list[k].Samples[i].Values, stored[k].Samples[i].Values, 1e-9, "write it again with WISEMARROW_WRITE=1")
		}
	}
}

// Shifts scale with values and add up; at 0 the skeleton is the very same.
func TestJointsStandWhereTargetsHaveThem(t *testing.T) {
	s := skeleton.Biped(1.7)
	a := shape.Shift{Move: [3]float64{0.1, 0.2, -0.1}, Turn: [3]float64{0, 0.4, 0.1}}
	b := shape.Shift{Move: [3]float64{-0.3, 0, 0.05}, Turn: [3]float64{0.2, -0.1, 0}}
	rig := &shape.Rig{Targets: []shape.Target{
		{Name: "a", Joints: map[string]shape.Shift{"hand_l": a, "gone": a}},
		{Name: "b", Joints: map[string]shape.Shift{"hand_l": b}},
	}}
	require.NoError(t, rig.Validate())
	e := rig.For(s, skeleton.DefaultMarks)
	require.True(t, e.Leads())
	require.Same(t, s, e.Built([]float64{0, 0}))
	i := s.Index("hand_l")
	for _, v := range [][]float64{{1, 0}, {0, 1}, {0.5, 0.25}, {-1, 2}} {
		out := e.Built(v)
		got, want := shape.ShiftOf(s.Joints[i], out.Joints[i]), shape.Shift{}.Plus(a, v[0]).Plus(b, v[1])
		for c := range 3 {
			require.InDelta(t, want.Move[c], got.Move[c], 1e-12)
			require.InDelta(t, want.Turn[c], got.Turn[c], 1e-12)
		}
		for k, j := range out.Joints {
			if k != i {
				require.Equal(t, s.Joints[k], j)
			}
		}
	}
	m := a.Mirrored()
	plane := func(p r3.Vec) r3.Vec { return r3.Vec{X: -p.X, Y: p.Y, Z: p.Z} }
	turn := func(x shape.Shift, p r3.Vec) r3.Vec { // of the turn alone, about the origin
		v := r3.Vec{X: x.Turn[0], Y: x.Turn[1], Z: x.Turn[2]}
		return geom.Rotate(geom.AxisAngle(r3.Unit(v), r3.Norm(v)), p)
	}
	p := r3.Vec{X: 0.3, Y: -1, Z: 0.7}
	require.InDelta(t, 0, r3.Norm(r3.Sub(plane(turn(a, p)), turn(m, plane(p)))), 1e-12, "a mirrored turn is the turn of the mirror image")

	q := geom.AxisAngle(r3.Vec{X: 1, Y: 1}, 0.8)
	moved := rig.Moved(q, 2)
	far := s.Transform(geom.Compose(r3.Vec{Y: 3}, q, r3.Vec{X: 2, Y: 2, Z: 2}), q)
	x := moved.For(far, skeleton.DefaultMarks).Built([]float64{1, 1}).Joints[i]
	y := e.Built([]float64{1, 1}).Transform(geom.Compose(r3.Vec{Y: 3}, q, r3.Vec{X: 2, Y: 2, Z: 2}), q).Joints[i]
	require.InDelta(t, 0, r3.Norm(r3.Sub(x.Pos, y.Pos)), 1e-12)
	require.InDelta(t, 1, math.Abs(x.Rot.Real*y.Rot.Real+x.Rot.Imag*y.Rot.Imag+x.Rot.Jmag*y.Rot.Jmag+x.Rot.Kmag*y.Rot.Kmag), 1e-12)

	rig.Targets[0].Joints["hand_l"] = shape.Shift{Move: [3]float64{math.NaN()}}
	require.ErrorContains(t, rig.Validate(), "hand_l")
}

// A set of values has those that it does not name off, and what a joint brings on as it is.
func TestSetsOfValues(t *testing.T) {
	rig := &shape.Rig{
		Targets: []shape.Target{
			{Name: "a", Value: 0.5, Group: "in"},
			{Name: "b", Group: "face"},
			{Name: "c", Driver: &shape.Driver{Joint: "x", Axis: "bend", Knots: []shape.Knot{{Degrees: 9, Value: 1}}}},
		},
		Groups: []shape.Group{{Name: "face", Times: 1}, {Name: "in", In: "face", Times: 1}},
		Sets:   []shape.Set{{Name: "smile", Values: map[string]float64{"b": 0.25}}},
	}
	require.NoError(t, rig.Validate())
	require.Equal(t, map[string]float64{"a": 0.5}, rig.Hand())
	next := rig.Set(rig.Sets[0].Values)
	require.Equal(t, map[string]float64{"b": 0.25}, next.Hand())
	require.NotNil(t, next.Targets[2].Driver)
	require.Equal(t, 0.25, rig.WithNames(map[string]string{"b": "beak"}).Sets[0].Values["beak"])
	require.True(t, rig.Within("in", "face"))
	require.False(t, rig.Within("face", "in"))
	require.False(t, rig.Within("", "face"))
	rig.Sets[0].Values["b"] = math.Inf(1)
	require.ErrorContains(t, rig.Validate(), "smile")
	rig.Sets[0] = shape.Set{}
	require.ErrorContains(t, rig.Validate(), "no name")
}
