package deform_test

import (
	"context"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// A cover over a bar: bound to the bar's bone nothing comes through it; left behind halfway as
// the bone turns, the bar does, and it is counted in the worst pose.
func TestSkinThroughASleeveIsCounted(t *testing.T) {
	bar := solids.Box(r3.Vec{X: 1, Y: -0.1, Z: -0.1}, r3.Vec{X: 2, Y: 0.1, Z: 0.1})
	cover := solids.Box(r3.Vec{X: 1.2, Y: -0.12, Z: -0.05}, r3.Vec{X: 1.9, Y: 0.12, Z: 0.05})
	m := mesh.Join(bar, cover)
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{
		{
			Name:   "a",
			Parent: -1,
			Rot:    geom.Identity,
		}, {Name: "b", Parent: 0, Pos: r3.Vec{X: 1}, Rot: geom.Identity}, {Name: "end", Parent: 1, Pos: r3.Vec{X: 2}, Rot: geom.Identity}}}
	w := weights.New([]string{"a", "b"}, len(m.Points))
	n := len(bar.Points)
	for v := range m.Points {
		w.Of[v] = []weights.Influence{{Joint: 1, Value: 1}}
	}
	tris, _ := bar.Triangles()
	var sleeve []int32
	for v := n; v < len(m.Points); v++ {
		sleeve = append(sleeve, int32(v))
	}
	poses := []pose.Tried{
		{Name: "rest", Joint: 1},
		{Name: "a little", Joint: 1, Pose: pose.Pose{"b": pose.Turn(0, 0, 5)}},
		{Name: "more", Joint: 1, Pose: pose.Pose{"b": pose.Turn(0, 0, 12)}},
	}
	got, err := deform.SkinThrough(context.Background(), m.Points, tris, [][]int32{sleeve}, w, s, nil, poses)
	require.NoError(t, err)
	require.Zero(t, got[0].Vertices)
	for _, v := range sleeve { // left behind halfway
		w.Of[v] = []weights.Influence{{Joint: 0, Value: 0.5}, {Joint: 1, Value: 0.5}}
	}
	got, err = deform.SkinThrough(context.Background(), m.Points, tris, [][]int32{sleeve}, w, s, nil, poses)
	require.NoError(t, err)
	require.Positive(t, got[0].Vertices)
	require.Equal(t, 2, got[0].Poses)
	require.Len(t, got[0].Where, got[0].Vertices)
	require.Greater(t, got[0].Deepest, 0.001)
	gone, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = deform.SkinThrough(gone, m.Points, tris, [][]int32{sleeve}, w, s, nil, poses)
	require.ErrorIs(t, err, context.Canceled)
}
