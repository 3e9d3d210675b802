package handoff_test

import (
	"bytes"
	"strings"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/pose"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func TestHandoffOfEveryKind(t *testing.T) {
	s := studiotest.Bound(t)
	for what, start := range map[string]string{"glb": "glTF", "skeleton": "{", "obj": "v "} {
		var b bytes.Buffer
		require.NoError(t, handoff.Write(&b, &s, what, 4))
		require.True(t, strings.HasPrefix(b.String(), start), what)
	}
	bare := studiotest.Odile()
	require.True(t, studio.IsInput(handoff.Write(&bytes.Buffer{}, &bare, "skeleton", 4)))
	require.True(t, studio.IsInput(handoff.Write(&bytes.Buffer{}, &bare, "poem", 4)))
	require.Equal(t, "odile_as_delivered.glb", handoff.FileName("Odile as delivered", "glb"))
	require.Equal(t, "m__ller_skeleton.gltf", handoff.FileName("Mü/ller", "skeleton"))
}

func TestFromMeshToHandoff(t *testing.T) {
	s := studiotest.Bound(t)
	require.NoError(t, s.Weights.Validate())
	require.Equal(t, 3, s.Bind.Influences())
	for _, x := range s.Weights.Of {
		require.LessOrEqual(t, len(x), 3)
	}
	var buf bytes.Buffer
	require.NoError(t, handoff.Write(&buf, &s, "glb", 4))
	back, err := gltf.Decode(&buf, nil, reading.Default)
	require.NoError(t, err)
	require.Len(t, back.Mesh.Points, len(s.Mesh.Points))
	turns := pose.Pose{"upper_arm_l": pose.Turn(20, 0, 40), "shank_r": pose.Turn(60, 0, 0)}
	want := deform.Linear(s.Mesh.Points, s.Weights, pose.Skin(s.Skeleton, turns))
	got := deform.Linear(back.Mesh.Points, back.Weights, pose.Skin(back.Skeleton, turns))
	for v := range want {
		require.InDelta(t, 0, r3.Norm(r3.Sub(want[v], got[v])), 1e-5)
	}
}
