package main

import (
	"os"
	"path/filepath"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"

	"github.com/stretchr/testify/require"
)

// A folder of meshes in poses is solved for, and helper joints go into a file and come back from it.
func TestWeightsAreSolvedForAFolderAndHelped(t *testing.T) {
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	m, _ := demo.KiteTail(0.02)
	writeOBJ(t, at("kite.obj"), m)
	code, _, errs := command(t, "fit", at("kite.obj"), "--scale", "1", "--up", "y", "--starter", "chain", "--set", "count=7", "-o", at("kite.gltf"))
	require.Equal(t, exitGood, code, errs)
	code, _, errs = command(t, "bind", at("kite.obj"), "--skeleton", at("kite.gltf"), "-o", at("bound.glb"))
	require.NotEqual(t, exitInput, code, errs)
	state, err := readMesh(at("bound.glb"))
	require.NoError(t, err)
	s := state.Skeleton
	require.NoError(t, os.Mkdir(at("sculpted"), 0o700))
	for k, x := range pose.Anyhow(s, skeleton.DefaultMarks, 3, 2) {
		posed := *state.Mesh
		posed.Points = deform.Bound(state.Mesh.World(), state.Weights, s, x.Pose, nil)
		writeOBJ(t, at([]string{"sculpted/a.obj", "sculpted/b.obj"}[k]), &posed)
	}
	require.NoError(t, os.WriteFile(at("sculpted/notes.txt"), []byte("a note"), 0o600))
	code, _, errs = command(t, "weights", "solve", at("bound.glb"), "--guides", at("sculpted"), "--take", "always", "--report", at("told.json"), "-o", at("solved.glb"))
	require.Equal(t, exitGood, code, errs)
	told, err := os.ReadFile(at("told.json"))
	require.NoError(t, err)
	require.Contains(t, string(told), "2 guides from a.obj")
	code, _, errs = command(t, "weights", "solve", at("bound.glb"), "--guides", dir+"/none")
	require.Equal(t, exitInput, code)
	require.Contains(t, errs, "none")
	require.NoError(t, os.Mkdir(at("empty"), 0o700))
	code, _, errs = command(t, "weights", "solve", at("bound.glb"), "--guides", at("empty"))
	require.Equal(t, exitInput, code)
	require.Contains(t, errs, "holds no mesh file")

	code, _, errs = command(t, "weights", "helpers", at("bound.glb"), "--take", "always", "--most", "2", "-o", at("helped.glb"))
	require.Equal(t, exitGood, code, errs)
	helped, err := readMesh(at("helped.glb"))
	require.NoError(t, err)
	list := helped.Skeleton.Helpers()
	require.NotEmpty(t, list, errs)
	require.Contains(t, helped.Weights.Joints, helped.Skeleton.Joints[list[0]].Name)
	code, _, errs = command(t, "weights", "remove-helpers", at("helped.glb"), "-o", at("plain.glb"))
	require.Equal(t, exitGood, code, errs)
	plain, err := readMesh(at("plain.glb"))
	require.NoError(t, err)
	require.Empty(t, plain.Skeleton.Helpers())
	require.Len(t, plain.Skeleton.Joints, len(s.Joints))
}
