package weights_test

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"wisemarrow/core/internal/solids"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func list(pairs ...float64) []weights.Influence {
	var out []weights.Influence
	for i := 0; i < len(pairs); i += 2 {
		out = append(out, weights.Influence{Joint: int32(pairs[i]), Value: pairs[i+1]})
	}
	return out
}

// Worked by hand: what one joint gains the others lose in their proportion; a locked one stays.
func TestSharesAreTakenInProportion(t *testing.T) {
	w := weights.New([]string{"a", "b", "c", "d"}, 4)
	w.Of[0] = list(0, 0.5, 1, 0.25, 2, 0.25)
	w.Of[1] = list(0, 0.5, 1, 0.25, 2, 0.25)
	w.Of[2] = list(0, 1)
	w.Of[3] = list(0, 0.5, 1, 0.5)
	e := weights.Edit(w, nil, nil, 0)
	require.True(t, e.Set(0, 0, 0.75))
	require.Equal(t, list(0, 0.75, 1, 0.125, 2, 0.125), e.Of[0])

	locked := weights.Edit(w, []bool{false, true, false, false}, nil, 0)
	require.True(t, locked.Set(1, 0, 0.7))
	require.InDelta(t, 0.7, locked.Value(1, 0), 1e-7)
	require.Equal(t, 0.25, locked.Value(1, 1), "exactly as it was")
	require.InDelta(t, 0.05, locked.Value(1, 2), 1e-7)
	require.True(t, locked.Set(1, 0, 1))
	require.Equal(t, 0.75, locked.Value(1, 0), "as much as the locked one leaves")
	require.False(t, locked.Set(1, 1, 1), "the locked one itself")

	e.Heir[0] = 3
	require.True(t, e.Set(2, 0, 0.25))
	require.Equal(t, list(3, 0.75, 0, 0.25), e.Of[2], "what nobody has goes to the heir")
	e.Heir[3] = -1
	e.Heir[0] = -1
	before := slices.Clone(e.Of[3])
	e.Set(3, 1, 0)
	require.Equal(t, list(0, 1), e.Of[3])
	e.Set(3, 0, 0.2)
	require.Equal(t, list(0, 1), e.Of[3], "without an heir it keeps all")
	require.NotEqual(t, before, e.Of[3])
	require.Equal(t, list(0, 0.5, 1, 0.5), w.Of[3], "the original is never changed")

	closed := weights.Edit(w, nil, []bool{false, true, true, true}, 0)
	require.False(t, closed.Set(0, 0, 0))
	require.Equal(t, []int32{0, 2, 3}, e.Changed())
}

func TestJointsAreTakenAway(t *testing.T) {
	n := net(t, solids.Plate(2))
	w := weights.New([]string{"arm", "hand", "spine"}, len(n.At))
	for v := range w.Of {
		w.Of[v] = list(2, 1)
	}
	w.Of[4] = list(0, 0.5, 1, 0.3, 2, 0.2)
	w.Of[0] = list(1, 1)
	gone := []bool{true, true, false}
	e := weights.Edit(w, nil, nil, 0)
	require.True(t, e.Free(4, gone, n))
	require.Equal(t, list(2, 1), e.Of[4])
	require.True(t, e.Free(0, gone, n))
	require.Equal(t, list(2, 1), e.Of[0], "by what the neighbors have")
	alone := weights.Edit(w, nil, nil, 0)
	require.False(t, alone.Free(0, gone, nil), "nobody could take it")
	alone.Heir[1] = 0
	alone.Heir[0] = 2
	require.True(t, alone.Free(0, gone, nil))
	require.Equal(t, list(2, 1), alone.Of[0], "the heir of the heir")
}

func TestHardenTracesCapHandAndMean(t *testing.T) {
	w := weights.New([]string{"a", "b", "c"}, 3)
	w.Of[0] = list(0, 0.55, 1, 0.445, 2, 0.005)
	w.Of[1] = list(0, 0.4, 1, 0.35, 2, 0.25)
	w.Of[2] = list(2, 1)
	e := weights.Edit(w, nil, nil, 0)
	require.Equal(t, []int32{0}, e.Traces(nil, 0.01, false))
	require.Empty(t, e.Changed(), "it was only asked")
	e.Traces(nil, 0.01, true)
	require.InDelta(t, 0.55/0.995, e.Value(0, 0), 1e-6)
	e.Harden([]int32{1}, 4)
	require.Equal(t, list(0, 0.5, 1, 0.25, 2, 0.25), e.Of[1])
	e.Harden([]int32{1}, 1)
	require.Equal(t, list(0, 1), e.Of[1])

	e = weights.Edit(w, nil, nil, 0)
	require.Equal(t, 2, e.CapAt(nil, 2, alone(t, 3)))
	require.Len(t, e.Of[1], 2)
	e = weights.Edit(w, nil, nil, 0)
	e.Hand(nil, []bool{false, true, true}, 0)
	for v := range w.Of {
		require.Equal(t, list(0, 1), e.Of[v])
	}
	e = weights.Edit(w, nil, nil, 0)
	e.Mean([]int32{0, 1, 2})
	require.Equal(t, e.Of[0], e.Of[2])
	require.InDelta(t, (0.005+0.25+1)/3, e.Value(1, 2), 1e-6)
}

// A border blended over a width goes evenly from one side to the other: half at the middle,
// whole beyond.
func TestABorderIsBlended(t *testing.T) {
	n := net(t, solids.Plate(40))
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, p := range n.At {
		lo, hi = math.Min(lo, p.X), math.Max(hi, p.X)
	}
	middle := (lo+hi)/2 + 1e-6
	w := weights.New([]string{"a", "b"}, len(n.At))
	for v, p := range n.At {
		w.Of[v] = list(1, 1)
		if p.X < middle {
			w.Of[v] = list(0, 1)
		}
	}
	e := weights.Edit(w, nil, nil, 0)
	width := 0.4 * (hi - lo)
	require.Positive(t, e.Blend(0, 1, width, nil, n))
	for v, p := range n.At {
		switch d := p.X - middle; {
		case math.Abs(d) > width/2+0.05*(hi-lo):
			require.Len(t, e.Of[v], 1)
		case math.Abs(d) < 0.01*(hi-lo):
			require.InDelta(t, 0.5, e.Value(int32(v), 0), 0.1)
		}
	}
	require.NoError(t, e.Weights().Validate())
}

func TestStraysAreSettled(t *testing.T) {
	n := net(t, solids.Plate(10))
	w := weights.New([]string{"a", "b"}, len(n.At))
	for v := range w.Of {
		w.Of[v] = list(0, 0.9, 1, 0.1)
	}
	w.Of[60] = list(1, 1)
	e := weights.Edit(w, nil, nil, 0)
	require.Equal(t, []int32{60}, e.Strays(nil, n))
	require.Equal(t, 1, e.Settle(nil, n))
	require.InDelta(t, 0.9, e.Value(60, 0), 1e-6)
}

// stroked is a stroke by hand and what came out.
func stroked(
	t *testing.T,
	e *weights.Editor,
	n *weights.Net,
	b weights.Brush,
	sides weights.Sides,
	touches ...weights.Touch,
) *weights.Stroke {
	t.Helper()
	s, err := weights.NewStroke(b, e, n, sides)
	require.NoError(t, err)
	for _, x := range touches {
		_, err := s.Touch(x)
		require.NoError(t, err)
	}
	return s
}

func TestStrokes(t *testing.T) {
	n := net(t, solids.Plate(30))
	start := func() *weights.Editor {
		w := weights.New([]string{"a", "b"}, len(n.At))
		for v := range w.Of {
			w.Of[v] = list(0, 0.75, 1, 0.25)
		}
		return weights.Edit(w, nil, nil, 0)
	}
	middle := weights.Touch{Tri: int32(len(n.Tris) / 2), B: 0.3, C: 0.3, Pressure: 1}
	v := n.Tris[middle.Tri][0]
	brush := weights.Brush{Joint: "b", Mode: weights.BrushSet, Value: 1, Opacity: 0.5, Tip: weights.Tip{Radius: 3, Hard: 0.5}}
	e := start()
	s := stroked(t, e, n, brush, weights.Sides{}, middle, middle, middle)
	require.InDelta(t, 0.25+0.5*0.75, e.Value(v, 1), 1e-6, "a stroke does once what its strongest touch does")
	require.Equal(t, s.Reached(), len(e.Changed()))
	s.Undo()
	for v := range e.Of {
		require.Equal(t, list(0, 0.75, 1, 0.25), e.Of[v])
	}
	brush.Builds = true
	e = start()
	stroked(t, e, n, brush, weights.Sides{}, middle, middle)
	require.InDelta(t, 1-0.75*0.25, e.Value(v, 1), 1e-6, "half of what is left each time")
	for mode, want := range map[string]float64{weights.BrushAdd: 0.25 + 0.5*0.4, weights.BrushTake: 0.05,
		weights.BrushScale: 0.25 * (1 - 0.5*0.6), weights.BrushSmooth: 0.25, weights.BrushEven: 0.25} {
		e := start()
		stroked(
			t,
			e,
			n,
			weights.Brush{Joint: "b", Mode: mode, Value: 0.4, Opacity: 0.5, Tip: weights.Tip{Radius: 3, Hard: 1}},
			weights.Sides{},
			middle,
		)
		require.InDelta(t, want, e.Value(v, 1), 1e-6, mode)
	}
	// The order of touches is no matter, and those between the same places are the same.
	other := weights.Touch{Tri: middle.Tri + 14, B: 0.1, C: 0.2, Pressure: 0.7, Wide: 0.8}
	brush.Builds = false
	one, two := start(), start()
	stroked(t, one, n, brush, weights.Sides{}, middle, other)
	stroked(t, two, n, brush, weights.Sides{}, other, middle)
	require.Equal(t, one.Of, two.Of)
	for _, bad := range []weights.Touch{{Tri: -1, Pressure: 1}, {Tri: 1e6, Pressure: 1}, {B: 2, Pressure: 1},
		{B: math.NaN(), Pressure: 1}, {Pressure: 2}, {Pressure: math.NaN()}, {Pressure: 1, Wide: -1}} {
		_, err := s.Touch(bad)
		require.Error(t, err, fmt.Sprint(bad))
	}
	for _, bad := range []weights.Brush{{Mode: "wipe"}, {Joint: "nobody", Mode: "set", Tip: weights.Tip{Radius: 1}},
		{Joint: "a", Mode: "set", Tip: weights.Tip{Radius: 0}},
		{Joint: "a", Mode: "set", Value: 2, Tip: weights.Tip{Radius: 1}}, {Joint: "a", Mode: "set", Tip: weights.Tip{Radius: math.NaN()}},
		{Joint: "a", Mode: "set", Opacity: -1, Tip: weights.Tip{Radius: 1}},
		{Joint: "a", Mode: "set", Tip: weights.Tip{Radius: 1, Hard: 7}}} {
		_, err := weights.NewStroke(bad, start(), n, weights.Sides{})
		require.Error(t, err, fmt.Sprint(bad))
	}
	_, err := weights.NewStroke(brush, weights.Edit(start().Weights(), []bool{false, true}, nil, 0), n, weights.Sides{})
	require.ErrorContains(t, err, "locked")
}

// On a symmetric plate a stroke with both sides does the same to the partner on the other one.
func TestAStrokeOnBothSides(t *testing.T) {
	m := solids.Plate(30)
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, p := range m.Points {
		lo, hi = math.Min(lo, p.X), math.Max(hi, p.X)
	}
	n := net(t, m)
	w := weights.New([]string{"spine", "arm_l", "arm_r"}, len(n.At))
	for v := range w.Of {
		w.Of[v] = list(0, 1)
	}
	sides := weights.Sides{Plane: (lo + hi) / 2, Partner: []int32{0, 2, 1}}
	for _, tri := range []int32{40, int32(len(n.Tris)/2 + 28)} { // far from the middle, and over it
		for _, builds := range []bool{false, true} {
			e := weights.Edit(w, nil, nil, 0)
			stroked(
				t,
				e,
				n,
				weights.Brush{
					Joint:   "arm_l",
					Mode:    weights.BrushAdd,
					Value:   0.4,
					Opacity: 1,
					Tip:     weights.Tip{Radius: 3, Both: true, Builds: builds},
				},
				sides,
				weights.Touch{Tri: tri, B: 0.3, C: 0.3, Pressure: 1},
				weights.Touch{Tri: tri + 2, B: 0.3, C: 0.3, Pressure: 1},
			)
			left, right := 0.0, 0.0
			for v := range e.Of {
				left, right = left+e.Value(int32(v), 1), right+e.Value(int32(v), 2)
			}
			require.Positive(t, left)
			require.InDelta(t, left, right, 0.05*left)
			require.NoError(t, e.Weights().Validate())
		}
	}
}

// Whatever is done: sums are 1 within 1e-6, nothing is negative, caps hold, locked and closed
// weights are exactly as they were.
func TestWhateverIsEditedStaysSound(t *testing.T) {
	n := net(t, solids.Plate(6))
	rapid.Check(t, func(t *rapid.T) {
		joints := []string{"a", "b", "c", "d", "e"}
		w := weights.New(joints, len(n.At))
		for v := range w.Of {
			var x []weights.Influence
			for j := range joints {
				if value := rapid.Float64Range(0, 1).Draw(t, "w"); value > 0.4 {
					x = append(x, weights.Influence{Joint: int32(j), Value: value})
				}
			}
			if len(x) == 0 {
				x = list(0, 1)
			}
			w.Of[v] = weights.Clean(x, weights.Limits{Cap: 3})
		}
		for v := range w.Of { // as they are stored
			e := weights.Edit(w, nil, nil, 0)
			w.Of[v] = e.At(int32(v))
		}
		locked, open := make([]bool, len(joints)), make([]bool, len(n.At))
		for j := range locked {
			locked[j] = rapid.Bool().Draw(t, "locked") && j > 1
		}
		for v := range open {
			open[v] = rapid.IntRange(0, 3).Draw(t, "open") > 0
		}
		e := weights.Edit(w, locked, open, 3)
		for j := range e.Heir {
			e.Heir[j] = int32(j) - 1
		}
		for range 6 {
			v, j := int32(rapid.IntRange(0, len(n.At)-1).Draw(t, "v")), int32(rapid.IntRange(0, 4).Draw(t, "j"))
			switch rapid.IntRange(0, 8).Draw(t, "what") {
			case 0:
				e.Set(v, j, rapid.Float64Range(-1, 2).Draw(t, "to"))
			case 1:
				gone := make([]bool, 5)
				gone[j], gone[(j+2)%5] = true, true
				e.Free(v, gone, n)
			case 2:
				e.Smooth(nil, nil, 1, n)
			case 3:
				e.Smooth(nil, []int32{j}, 2, n)
			case 4:
				e.Harden([]int32{v, (v + 1) % int32(len(n.At))}, rapid.IntRange(0, 7).Draw(t, "steps"))
			case 5:
				e.Traces(nil, rapid.Float64Range(0, 0.4).Draw(t, "below"), true)
			case 6:
				e.CapAt(nil, rapid.IntRange(1, 3).Draw(t, "cap"), n)
			case 7:
				e.Blend(j, (j+1)%5, 3, nil, n)
			case 8:
				mode := rapid.SampledFrom([]string{"set", "add", "take", "scale", "smooth", "even"}).Draw(t, "mode")
				s, err := weights.NewStroke(
					weights.Brush{
						Joint:   joints[j],
						Mode:    mode,
						Value:   rapid.Float64Range(0, 1).Draw(t, "value"),
						Opacity: 1,
						Tip: weights.Tip{
							Radius: 2,
							Both:   rapid.Bool().Draw(t, "both"),
							Builds: rapid.Bool().Draw(t, "builds"),
						},
					},
					e,
					n,
					weights.Sides{Partner: []int32{0, 2, 1, 3, 4}},
				)
				if err != nil {
					continue
				}
				for range 2 {
					if _, err := s.Touch(weights.Touch{Tri: int32(rapid.IntRange(0, len(n.Tris)-1).Draw(t, "tri")), B: 0.2, C: 0.3,
						Pressure: 1}); err != nil {
						t.Fatal(err)
					}
				}
			}
		}
		for v, x := range e.Of {
			sum := 0.0
			for _, y := range x {
				if !(y.Value > 0) {
					t.Fatalf("vertex %d has %g", v, y.Value)
				}
				sum += y.Value
			}
			if math.Abs(sum-1) > 1e-6 {
				t.Fatalf("vertex %d sums to %g: %v, before %v, locked %v", v, sum, x, w.Of[v], locked)
			}
			held := 0
			for _, y := range x {
				if locked[y.Joint] {
					held++
				}
			}
			if len(x) > max(3, held+1) {
				t.Fatalf("vertex %d has %d: %v, before %v, locked %v", v, len(x), x, w.Of[v], locked)
			}
			if !open[v] && !slices.Equal(x, w.Of[v]) {
				t.Fatalf("closed vertex %d changed", v)
			}
			for j := range joints {
				if locked[j] && e.Value(int32(v), int32(j)) != weights.Edit(w, nil, nil, 0).Value(int32(v), int32(j)) {
					t.Fatalf("locked joint %d changed at %d", j, v)
				}
			}
		}
	})
}

// Smoothing draws each vertex to what its neighbors had before the stroke: two touches beside each other give the
// same in either order.
func TestAStrokeThatSmoothsHasNoOrder(t *testing.T) {
	n := net(t, solids.Plate(14))
	w := weights.New([]string{"a", "b", "c"}, len(n.At))
	for v, p := range n.At { // a bend in the middle, so that means differ from what is there
		x := 0.1 + 0.05*math.Abs(p.X-7) + 0.02*math.Mod(p.Z, 3)
		w.Of[v] = weights.Clean(list(0, 1-x, 1, 0.7*x, 2, 0.3*x), weights.Limits{})
	}
	one, other := weights.Touch{
		Tri:      int32(len(n.Tris) / 2),
		B:        0.3,
		C:        0.3,
		Pressure: 1,
	}, weights.Touch{
		Tri:      int32(len(n.Tris)/2 + 6),
		B:        0.3,
		C:        0.3,
		Pressure: 0.8,
	}
	for _, mode := range []string{weights.BrushSmooth, weights.BrushEven} {
		brush := weights.Brush{Joint: "b", Mode: mode, Opacity: 0.9, Tip: weights.Tip{Radius: 3, Hard: 0.5}}
		a, b := weights.Edit(w, nil, nil, 0), weights.Edit(w, nil, nil, 0)
		stroked(t, a, n, brush, weights.Sides{}, one, other)
		stroked(t, b, n, brush, weights.Sides{}, other, one)
		require.NotEmpty(t, a.Changed())
		require.Equal(t, a.Of, b.Of, mode)
	}
}

// Values that are no numbers, none, or too few are no weights, wherever they come from.
func TestValuesThatAreNoWeights(t *testing.T) {
	for _, x := range []float64{math.NaN(), math.Inf(1), math.Inf(-1), 0, -0.1} {
		w := weights.New([]string{"a", "b"}, 1)
		w.Of[0] = []weights.Influence{{Joint: 0, Value: 1}, {Joint: 1, Value: x}}
		require.Error(t, w.Validate(), "%g", x)
		for _, y := range weights.Clean(w.Of[0], weights.Limits{}) {
			require.False(t, math.IsNaN(y.Value) || math.IsInf(y.Value, 0), "%g", x)
		}
	}
}

// On the border of two joints the neighbors do not agree with each other: nothing there is a stray.
func TestABorderHasNoStrays(t *testing.T) {
	n := net(t, solids.Plate(12))
	w := weights.New([]string{"a", "b", "c"}, len(n.At))
	for v, p := range n.At {
		w.Of[v] = list(0, 1)
		if p.X > 6 {
			w.Of[v] = list(1, 1)
		}
		if p.X == 6 && p.Z == 6 {
			w.Of[v] = list(2, 1)
		}
	}
	require.Empty(t, weights.Edit(w, nil, nil, 0).Strays(nil, n))
}
