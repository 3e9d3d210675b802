package motion_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/solve"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/motion"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// solving is solve_weights with files as guides.
func solving(t *testing.T, params map[string]any, u studio.Upload) (studio.Entry, studio.Operation) {
	t.Helper()
	file, blobs := u.Blobs()
	params["guides"] = file
	raw, err := json.Marshal(params)
	require.NoError(t, err)
	entry, op, err := studio.ParseOperation("solve_weights", raw)
	require.NoError(t, err)
	studio.AttachFiles(op, func(hash string) ([]byte, error) {
		i := slices.IndexFunc(blobs, func(b studio.Blob) bool { return b.Hash == hash })
		return blobs[i].Data, nil
	}, reading.Default)
	return entry, op
}

func guidesOf(t *testing.T, s studio.State, u studio.Upload) ([]solve.Given, error) {
	t.Helper()
	_, op := solving(t, map[string]any{}, u)
	return motion.Guides(context.Background(), &s, op.(studio.FileReader).Files()[0], 1)
}

// Meshes that somebody posed are read whichever way they come, and their poses found; what is no mesh of this character is
// refused. That weights follow them is tested in core/solve.
func TestWeightsAreSolvedForPosesFromFiles(t *testing.T) {
	s := studiotest.Bound(t)
	points := s.Mesh.World()
	// The skin as it is bound, in random poses, a meter up and pushed forward a little more towards the head.
	posed := func(k int) []r3.Vec {
		out := deform.Bound(points, s.Weights, s.Skeleton, pose.Anyhow(s.Skeleton, s.Settings.Marks, 5, 3)[k].Pose, nil)
		for v := range out {
			out[v] = r3.Add(out[v], r3.Vec{Y: 1, Z: 0.5 + 0.01*points[v].Y})
		}
		return out
	}
	asOBJ := func(places []r3.Vec) []byte {
		m := *s.Mesh
		m.Points = places
		var b bytes.Buffer
		require.NoError(t, obj.Encode(&b, &m))
		return b.Bytes()
	}
	objs := studio.Upload{
		Name:   "one.obj",
		Data:   asOBJ(posed(0)),
		Beside: map[string][]byte{"two.obj": asOBJ(posed(1)), "notes.txt": []byte("no mesh")},
	}
	arms := map[string]any{"joints": []string{"upper_arm_l", "upper_arm_r", "clavicle_l", "clavicle_r"}, "take": "kept", "counts": 50}
	entry, op := solving(t, arms, objs)
	_, told, err := studio.Apply(context.Background(), entry, op, s, nil)
	require.NoError(t, err)
	require.Contains(t, strings.Join(told.Steps, "\n"), "2 guides from one.obj")

	shapes := *s.Mesh
	shapes.Shapes = nil
	for k := range 2 {
		x := mesh.Shape{Name: fmt.Sprintf("frame %d", k)}
		for v, at := range posed(k) {
			x.Vertex, x.Offset = append(x.Vertex, int32(v)), append(x.Offset, r3.Sub(at, points[v]))
		}
		shapes.Shapes = append(shapes.Shapes, x)
	}
	var glb bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&glb, &gltf.Scene{Mesh: &shapes}))
	list, err := guidesOf(t, s, studio.Upload{Name: "baked.glb", Data: glb.Bytes()})
	require.NoError(t, err)
	require.Len(t, list, 2)
	require.Equal(t, "frame 1", list[1].Name)
	require.InDelta(t, 1, list[0].Move.Y, 0.01, "where the whole went")
	require.Less(t, solve.FarFromGiven(points, s.Skeleton, s.Weights, list), 0.01)

	fewer := *s.Mesh
	fewer.Points = append(slices.Clone(points), r3.Vec{})
	var odd bytes.Buffer
	require.NoError(t, obj.Encode(&odd, &fewer))
	wide := make([]r3.Vec, len(points))
	mixed := slices.Clone(points)
	slices.Reverse(mixed)
	for v, p := range points {
		wide[v] = r3.Scale(100, p)
	}
	for says, u := range map[string]studio.Upload{
		"it must have the same vertices":  {Name: "more.obj", Data: odd.Bytes()},
		"in the units of the character":   {Name: "wide.obj", Data: asOBJ(wide)},
		"vertices in the same order":      {Name: "mixed.obj", Data: asOBJ(mixed)},
		"second.obj":                      {Name: "one.obj", Data: asOBJ(posed(0)), Beside: map[string][]byte{"second.obj": []byte("v 1 2 nan\n")}},
		"files ending in \".txt\" cannot": {Name: "no.txt", Data: []byte("no mesh")},
	} {
		_, err := guidesOf(t, s, u)
		require.True(t, studio.IsInput(err), "%v", err)
		require.ErrorContains(t, err, says)
	}
}
