package browser_test

import (
	"os"
	"regexp"
	"slices"
	"testing"

	"wisemarrow/browser"
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// What a page draws without a graphics card stands where core has the vertices, linearly and by dual
// quaternions; at rest exactly where it was, and its normals turn along.
func TestWhatIsDrawnStandsWhereCoreHasIt(t *testing.T) {
	s := &skeleton.Skeleton{
		Joints: []skeleton.Joint{
			{Name: "root", Parent: -1, Rot: geom.Identity},
			{Name: "tip", Parent: 0, Pos: r3.Vec{X: 1}, Rot: geom.Identity},
		},
	}
	w := weights.New([]string{"root", "tip"}, 3)
	w.Of = [][]weights.Influence{{{Joint: 0, Value: 1}}, {{Joint: 0, Value: 0.5}, {Joint: 1, Value: 0.5}}, {{Joint: 1, Value: 1}}}
	rest := []r3.Vec{{X: 0.25}, {X: 1, Y: 0.5}, {X: 1.75}}
	base := []uint32{0, 1, 1, 2} // the middle one is drawn twice, with two normals
	var places, normals []float32
	for _, v := range base {
		places = append(places, float32(rest[v].X), float32(rest[v].Y), float32(rest[v].Z))
	}
	normals = []float32{0, 1, 0, 0, 1, 0, 1, 0, 0, 0, 1, 0}
	d, err := browser.NewDrawn(places, normals, base, 3)
	require.NoError(t, err)
	require.NoError(t, d.Weigh([]uint32{0, 1, 2}, 2, []float32{0, 0, 0, 1, 1, 0}, []float32{1, 0, 0.5, 0.5, 1, 0}))

	still, turned, err := d.Bend(make([]float32, 32), nil)
	require.NoError(t, err)
	require.Equal(t, places, still)
	require.Equal(t, normals, turned)

	p := pose.Pose{"tip": pose.Turn(0, 0, 90)}
	matrices := pose.Skin(s, p)
	var given []float32
	for _, m := range matrices {
		for k := range 16 {
			given = append(given, float32(m[k]-geom.IdentityMatrix[k]))
		}
	}
	for _, mix := range []float64{0, 1} {
		w.Mix = &weights.Mix{Vertices: []int32{0, 1, 2}, Values: []float32{float32(mix), float32(mix), float32(mix)}}
		want := deform.Bound(rest, w, s, p, nil)
		at, turned, err := d.Bend(given, []float32{float32(mix), float32(mix), float32(mix)})
		require.NoError(t, err)
		for i, v := range base {
			require.InDelta(t, want[v].X, at[3*i], 1e-6, "dual quaternions %g, point %d", mix, i)
			require.InDelta(t, want[v].Y, at[3*i+1], 1e-6, "dual quaternions %g, point %d", mix, i)
		}
		require.InDelta(t, -1, turned[9], 1e-6, "up has become backward")
	}

	// Some points at other places at rest stand where they do when all are told anew, and the others as they did.
	moved := slices.Clone(places)
	for _, i := range []int{3, 6} { // the middle one, drawn twice
		moved[i+1] += 0.25
	}
	other, err := browser.NewDrawn(moved, normals, base, 3)
	require.NoError(t, err)
	require.NoError(t, other.Weigh([]uint32{0, 1, 2}, 2, []float32{0, 0, 0, 1, 1, 0}, []float32{1, 0, 0.5, 0.5, 1, 0}))
	want, wantTurned, err := other.Bend(given, nil)
	require.NoError(t, err)
	some, turns, err := d.Retouch([]uint32{1, 2}, moved[3:9], normals[3:9], given, nil)
	require.NoError(t, err)
	require.Equal(t, want[3:9], some)
	require.Equal(t, wantTurned[3:9], turns)
	all, _, err := d.Bend(given, nil)
	require.NoError(t, err)
	require.Equal(t, want, all)
	_, _, err = d.Retouch([]uint32{9}, moved[3:6], normals[3:6], given, nil)
	require.ErrorContains(t, err, "no point 9")
	_, _, err = d.Retouch([]uint32{1, 2}, moved[3:6], normals[3:6], given, nil)
	require.Error(t, err)

	for name, bad := range map[string]error{
		"cut short":      d.Weigh([]uint32{0}, 2, []float32{0}, []float32{1}),
		"another vertex": d.Weigh([]uint32{9}, 1, []float32{0}, []float32{1}),
	} {
		require.Error(t, bad, name)
	}
	require.NoError(t, d.Weigh([]uint32{0}, 1, []float32{7}, []float32{1}))
	_, _, err = d.Bend(given, nil)
	require.ErrorContains(t, err, "matrix 7 of 2")
	_, err = browser.NewDrawn(places, normals, []uint32{0, 1, 1, 3}, 3)
	require.Error(t, err)
}

// The graphics card and core call the same matrix rigid.
func TestTheGraphicsCardCallsRigidWhatCoreDoes(t *testing.T) {
	program, err := os.ReadFile("../web/static/js/programs.js")
	require.NoError(t, err)
	found := regexp.MustCompile(`bool rigid\(mat3 m\) \{(?s:.*?)< ([0-9.e-]+);`).FindSubmatch(program)
	require.NotNil(t, found)
	source, err := os.ReadFile("../core/deform/dual.go")
	require.NoError(t, err)
	require.Contains(t, string(source), "rigidWithin = "+string(found[1])+"\n")
}
