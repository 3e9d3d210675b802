package deform_test

import (
	"math"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// bar is a closed square bar along X from 0 to 2 with n sections, the first half of
// one joint, the second of the other, shared in between.
func bar(n int) ([]r3.Vec, [][3]int32, *weights.Weights, *skeleton.Skeleton) {
	var points []r3.Vec
	var tris [][3]int32
	w := weights.New([]string{"lower", "upper"}, 4*(n+1)) // not in the skeleton's order
	for i := range n + 1 {
		x := 2 * float64(i) / float64(n)
		for _, c := range [4][2]float64{{-0.1, -0.1}, {0.1, -0.1}, {0.1, 0.1}, {-0.1, 0.1}} {
			share := math.Max(0, math.Min(1, (x-0.75)/0.5))
			if share > 0 {
				w.Of[len(points)] = append(w.Of[len(points)], weights.Influence{Joint: 0, Value: share})
			}
			if share < 1 {
				w.Of[len(points)] = append(w.Of[len(points)], weights.Influence{Joint: 1, Value: 1 - share})
			}
			points = append(points, r3.Vec{X: x, Y: c[0], Z: c[1]})
		}
	}
	quad := func(a, b, c, d int32) { tris = append(tris, [3]int32{a, b, c}, [3]int32{a, c, d}) }
	for i := range int32(n) {
		for k := range int32(4) {
			a, b := 4*i+k, 4*i+(k+1)%4
			quad(a, a+4, b+4, b)
		}
	}
	e := int32(4 * n)
	quad(0, 1, 2, 3)
	quad(e+3, e+2, e+1, e)
	s := &skeleton.Skeleton{
		Joints: []skeleton.Joint{
			{Name: "upper", Parent: -1, Rot: geom.Identity},
			{Name: "lower", Parent: 0, Pos: r3.Vec{X: 1}, Rot: geom.Identity},
		},
	}
	return points, tris, w, s
}

func TestMeasuresOfABar(t *testing.T) {
	points, tris, w, s := bar(40)
	skin, err := deform.NewSkin(points, tris, w, s, nil)
	require.NoError(t, err)
	rest := skin.Measure(nil)
	require.Equal(t, deform.Measures{Vertex: -1, Rest: rest.Rest, Volume: rest.Rest, Longest: 1, Shortest: 1}, rest)
	require.InDelta(t, 2*0.2*0.2, math.Abs(rest.Rest), 1e-7, "length times width times height")

	// Turned as a whole it is moved rigidly: nothing stretches, the volume stays, and the
	// far corner moves by its distance from the axis times the chord of the angle.
	whole := skin.Measure(map[string][4]float64{"upper": {0, 0, 60}})
	require.InDelta(t, math.Hypot(2, 0.1)*2*math.Sin(math.Pi/6), whole.Farthest, 1e-6)
	require.InDelta(t, whole.Rest, whole.Volume, 1e-9)
	require.InDelta(t, 1, whole.Longest, 1e-6)
	require.InDelta(t, 1, whole.Shortest, 1e-6)

	// Bent in the middle, linear blending loses volume on the inside (the textbook's
	// collapse) and stretches the outside.
	bent := skin.Measure(map[string][4]float64{"lower": {0, 0, 100}})
	require.Less(t, math.Abs(bent.Volume), 0.985*math.Abs(bent.Rest))
	require.Greater(t, bent.Longest, 1.02)
	require.Less(t, bent.Shortest, 0.9)
	require.Equal(
		t,
		bent,
		skin.Measure(map[string][4]float64{"lower": {0, 0, 100}, "nobody": {50, 0, 0}, "upper": {math.NaN(), 0, 0}}),
		"what is no joint or no angle turns nothing",
	)

	_, err = deform.NewSkin(points[1:], tris, w, s, nil)
	require.Error(t, err)
	_, err = deform.NewSkin(points, [][3]int32{{0, 1, 9999}}, w, s, nil)
	require.Error(t, err)
}
