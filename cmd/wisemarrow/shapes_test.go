package main

import (
	"path/filepath"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/shape"
	"wisemarrow/demo"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// A child's body comes in from a file, the skeleton follows it, and it is baked to a character of its own.
func TestABuildOnTheCommandLine(t *testing.T) {
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	good := func(args ...string) string {
		t.Helper()
		code, out, errs := command(t, args...)
		require.Equal(t, exitGood, code, errs)
		return out
	}
	m, _ := demo.Odile(0.03)
	writeOBJ(t, at("odile.obj"), m)
	good("fit", at("odile.obj"), "--starter", "biped", "-o", at("odile.gltf"))
	good("bind", at("odile.obj"), "--skeleton", at("odile.gltf"), "-o", at("bound.glb"))
	bound, err := readMesh(at("bound.glb"))
	require.NoError(t, err)
	truth, points := demo.Young.Of(bound.Mesh.World(), bound.Skeleton)
	child := *bound.Mesh
	child.Points, child.Shapes = points, nil
	writeOBJ(t, at("child.obj"), &child)

	require.Contains(t, good("shapes", "list", at("bound.glb")), "has no shape targets")
	good("shapes", "add", at("bound.glb"), "--target", at("child.obj"), "--name", "young", "-o", at("a.glb"))
	require.Contains(t, good("shapes", "follow", at("a.glb"), "--target", "young", "-o", at("b.glb"), "--report", "-"), "joints move")
	require.Contains(t, good("shapes", "list", at("b.glb")), "young")
	require.Contains(t, good("shapes", "list", at("b.glb"), "--report", "-"), `"joints": 2`)
	good("shapes", "set", at("b.glb"), "--target", "young", "--value", "1", "-o", at("dialed.glb"))
	good("shapes", "bake", at("b.glb"), "--set", "young=1", "-o", at("c.glb"))

	baked, err := readMesh(at("c.glb"))
	require.NoError(t, err)
	require.Empty(t, baked.Mesh.Shapes)
	height := geom.BoxOf(points).Size().Y
	for i, j := range baked.Skeleton.Joints {
		require.InDelta(t, 0, r3.Norm(r3.Sub(j.Pos, truth.Joints[i].Pos))/height, 0.015, j.Name)
	}
	dialed, err := readMesh(at("dialed.glb"))
	require.NoError(t, err)
	rig := dialed.Rig()
	require.Equal(t, map[string]float64{"young": 1}, rig.Hand())
	built := rig.For(dialed.Skeleton, dialed.Settings.Marks).Built([]float64{1})
	for i, j := range built.Joints {
		require.InDelta(t, 0, r3.Norm(r3.Sub(j.Pos, baked.Skeleton.Joints[i].Pos)), 1e-5, j.Name)
	}
	require.Len(t, shape.Places(dialed.Mesh.World(), dialed.Mesh.WorldShapes(), []float64{1}), len(baked.Mesh.Points))

	for _, bad := range [][]string{
		{"shapes", "bake", at("b.glb"), "--set", "young=x"},
		{"shapes", "bake", at("b.glb"), "--set", "old=1"},
		{"shapes", "follow", at("b.glb"), "--target", "old"},
		{"shapes", "add", at("bound.glb"), "--target", at("none.obj")},
		{"shapes", "list", at("none.glb")},
	} {
		code, _, errs := command(t, bad...)
		require.Equal(t, exitInput, code, bad)
		require.NotEmpty(t, errs)
	}
}
