package bind_test

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/demo"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// carried does carry_weights with a file that is at hand.
func carried(s studio.State, glb []byte, params string) (studio.State, studio.Outcome, error) {
	f, blobs := studio.Upload{Name: "bound.glb", Data: glb}.Blobs()
	entry, op, err := studio.ParseOperation("carry_weights", []byte(fmt.Sprintf(`{"file":{"name":%q,"blob":%q}%s}`, f.Name, f.Blob, params)))
	if err != nil {
		return s, studio.Outcome{}, err
	}
	studio.AttachFiles(op, func(string) ([]byte, error) { return blobs[0].Data, nil }, reading.Default)
	return studio.Apply(context.Background(), entry, op, s, nil)
}

// Weights of a bound file come onto the same mesh, a finer one, a subdivided and a shuffled
// one, joints under other names; what is too far is filled from its neighbours and told.
func TestWeightsAreCarriedOverFromAFile(t *testing.T) {
	need.Time(t)
	s := studiotest.Bound(t)
	var glb bytes.Buffer
	require.NoError(t, handoff.Write(&glb, &s, "glb", 0))
	off := func(a, b studio.State, same func(v int) int) float64 {
		sum := 0.0
		for v := range b.Mesh.Points {
			for j, name := range b.Weights.Joints {
				for i, other := range a.Weights.Joints {
					if other == name {
						sum += math.Abs(a.Weights.Value(same(v), int32(i)) - b.Weights.Value(v, int32(j)))
					}
				}
			}
		}
		return sum / 2 / float64(len(b.Mesh.Points))
	}
	bare := s
	bare.Weights, bare.Bind, bare.Binding = nil, nil, nil
	out, told, err := carried(bare, glb.Bytes(), "")
	require.NoError(t, err)
	require.Contains(t, told.Sentence, fmt.Sprint(len(s.Mesh.Points), " vertices"))
	require.Less(t, off(s, out, func(v int) int { return v }), 1e-3)
	require.NoError(t, out.Weights.Validate())
	require.Empty(t, out.Stray())

	// Finer, and subdivided: held against the weights at the nearest vertex of the first.
	fine := bare
	fine.Mesh, _ = demo.Odile(0.015)
	sub := bare
	sub.Mesh = s.Mesh.CatmullClark(s.Mesh.Points)
	tree := geom.NewPointTree(s.Mesh.World())
	for what, x := range map[string]studio.State{"finer": fine, "subdivided": sub} {
		got, _, err := carried(x, glb.Bytes(), "")
		require.NoError(t, err, what)
		require.Empty(t, got.Stray(), what)
		points := x.Mesh.World()
		require.Less(t, off(s, got, func(v int) int { k, _, _ := tree.Nearest(points[v]); return int(k) }), 0.06, what) // a vertex is half an edge away
	}

	// Names and sizes differ: paired by meaning, and scaled.
	other := bare
	other.Mesh = s.Mesh.Bake(mesh.Placement{Scale: 10, Up: "y"})
	other.Skeleton = s.Skeleton.Clone()
	for i := range other.Skeleton.Joints {
		other.Skeleton.Joints[i].Name = "rig:" + other.Skeleton.Joints[i].Name
		other.Skeleton.Joints[i].Pos = r3.Scale(10, other.Skeleton.Joints[i].Pos)
	}
	got, told, err := carried(other, glb.Bytes(), `,"scale":10,"from":"vertex","within":0.5`)
	require.NoError(t, err)
	require.Empty(t, told.Left)
	require.Contains(t, got.Weights.Joints, "rig:head")
	require.Empty(t, got.Stray())

	// An arm held elsewhere is too far: filled along the surface, evenly, and told.
	away := bare
	moved := *s.Mesh
	moved.Points = append([]r3.Vec(nil), s.Mesh.Points...)
	hand := s.Skeleton.Joints[s.Skeleton.Index("hand_l")].Pos
	gone := 0
	for v, p := range moved.Points {
		if p.X > hand.X {
			moved.Points[v].Y += 0.3
			gone++
		}
	}
	away.Mesh = &moved
	got, told, err = carried(away, glb.Bytes(), `,"within":0.01`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "filled from their neighbours")
	require.Len(t, got.Bind.Report.Ways, 2)
	require.InDelta(t, gone, got.Bind.Report.Ways[1].Vertices, 40)
	require.Empty(t, got.Stray())
	require.NoError(t, got.Weights.Validate())

	for params, why := range map[string]string{`,"from":"above"`: "normal", `,"within":-1`: "0 metres or more", `,"scale":100,"within":0.01`: "give a scale"} {
		_, _, err := carried(bare, glb.Bytes(), params)
		require.True(t, studio.IsInput(err), params)
		require.ErrorContains(t, err, why)
	}
	_, _, err = carried(bare, []byte("no glb"), "")
	require.True(t, studio.IsInput(err))
	_, _, err = studiotest.Try(bare, "carry_weights", "")
	require.ErrorContains(t, err, "name the file")
}
