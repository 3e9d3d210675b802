package browser_test

import (
	"encoding/json"
	"testing"

	"wisemarrow/browser"
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// fin is a triangle that hangs on two joints, as arrays and as the server has it.
func fin(t *testing.T) (browser.Arrays, *deform.Skin) {
	t.Helper()
	s := &skeleton.Skeleton{
		Joints: []skeleton.Joint{
			{Name: "root", Parent: -1, Rot: geom.Identity},
			{Name: "tip", Parent: 0, Pos: r3.Vec{X: 1}, Rot: geom.AxisAngle(r3.Vec{Y: 1}, 0.3)},
		},
	}
	w := weights.New([]string{"tip", "root"}, 3)
	w.Of[0] = []weights.Influence{{Joint: 1, Value: 1}}
	w.Of[1] = []weights.Influence{{Joint: 0, Value: 0.75}, {Joint: 1, Value: 0.25}}
	w.Of[2] = []weights.Influence{{Joint: 0, Value: 1}}
	skin, err := deform.NewSkin([]r3.Vec{{}, {X: 1, Y: 0.5}, {X: 2}}, [][3]int32{{0, 1, 2}}, w, s, nil)
	require.NoError(t, err)
	q := s.Joints[1].Rot
	return browser.Arrays{Points: []float32{0, 0, 0, 1, 0.5, 0, 2, 0, 0}, Triangles: []uint32{0, 1, 2}, Columns: []string{"tip", "root"},
		Start: []uint32{0, 2, 4}, Vertex: []uint32{1, 2, 0, 1}, Value: []float32{0.75, 1, 1, 0.25},
		Joints: []browser.Joint{
			{Name: "root", Parent: -1, Rot: [4]float64{0, 0, 0, 1}},
			{Name: "tip", Pos: [3]float64{1, 0, 0}, Rot: [4]float64{q.Imag, q.Jmag, q.Kmag, q.Real}},
		}}, skin
}

func TestArraysMeasureWhatTheServerMeasures(t *testing.T) {
	a, server := fin(t)
	skin, err := a.Skin()
	require.NoError(t, err)
	got, err := browser.Measure(skin, `{"tip":[10,20,30],"root":[0,5,0]}`)
	require.NoError(t, err)
	want, err := json.Marshal(server.Measure(map[string][4]float64{"tip": {10, 20, 30}, "root": {0, 5, 0}}))
	require.NoError(t, err)
	require.Equal(t, string(want), got)
	_, err = browser.Measure(skin, `{"tip":"far"}`)
	require.Error(t, err)
}

// Shape targets are on in the browser as they are on the server.
func TestArraysHaveShapeTargets(t *testing.T) {
	a, server := fin(t)
	a.Rig = &shape.Rig{Targets: []shape.Target{{Name: "up", Value: 0.5}, {Name: "off"}}}
	a.Shaped, a.Moves, a.Offsets = []uint32{0, 2, 2}, []uint32{0, 2}, []float32{0, 1, 0, 0, 0, 2}
	skin, err := a.Skin()
	require.NoError(t, err)
	targets := []mesh.Shape{{Name: "up", Vertex: []int32{0, 2}, Offset: []r3.Vec{{Y: 1}, {Z: 2}}}, {Name: "off"}}
	_, _, _, s := server.Parts()
	angles := map[string][4]float64{"tip": {10, 20, 30}}
	require.Equal(t, server.Shaped(targets, a.Rig.For(s, skeleton.DefaultMarks)).Posed(angles), skin.Posed(angles))
	require.NotEqual(t, server.Posed(angles), skin.Posed(angles))
	for _, spoil := range []func(){func() { a.Moves[1] = 3 }, func() { a.Shaped = a.Shaped[:2] }, func() { a.Rig.Targets[1].Name = "up" }} {
		spoil()
		_, err = a.Skin()
		require.Error(t, err)
		a.Moves[1], a.Shaped = 2, []uint32{0, 2, 2}
	}
}

func TestArraysThatDoNotFitAreRefused(t *testing.T) {
	for name, spoil := range map[string]func(a *browser.Arrays){
		"points":    func(a *browser.Arrays) { a.Points = a.Points[:8] },
		"triangles": func(a *browser.Arrays) { a.Triangles[2] = 77 },
		"start":     func(a *browser.Arrays) { a.Start = a.Start[:2] },
		"backwards": func(a *browser.Arrays) { a.Start[1] = 9 },
		"vertex":    func(a *browser.Arrays) { a.Vertex[0] = 3 },
		"value":     func(a *browser.Arrays) { a.Value = a.Value[1:] },
		"parent":    func(a *browser.Arrays) { a.Joints[0].Parent = 1 },
	} {
		a, _ := fin(t)
		spoil(&a)
		_, err := a.Skin()
		require.Error(t, err, name)
	}
}
