package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"wisemarrow/core/compare"
	"wisemarrow/demo"
	"wisemarrow/stages/handoff"

	"github.com/stretchr/testify/require"
)

// A bound character is made to fit a profile in the file alone, each format is written by its ending, what was changed is told by
// compare, and who writes no stamp has none.
func TestHandoffByProfile(t *testing.T) {
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	m, _ := demo.Odile(0.02)
	writeOBJ(t, at("odile.obj"), m)
	require.NoError(t, os.WriteFile(at("steps.jsonl"), []byte(`{"op":"fit_starter","params":{"starter":"biped"}}
{"op":"set_axes"}
{"op":"bind_heat","params":{"influences":8}}
`), 0o600))
	code, _, errs := command(t, "run", at("steps.jsonl"), at("odile.obj"), "-o", at("bound"))
	require.Equal(t, exitGood, code, errs)
	bound := at("bound/odile.glb")

	house := `{"name":"House","oneRoot":true,"names":{"prefix":"ch_"},"file":{"unit":"cm","up":"z"}}`
	require.NoError(t, os.WriteFile(at("house.json"), []byte(house), 0o600))
	code, text, errs := command(t, "handoff", bound, "--profile", at("house.json"), "-o", at("out.glb"), "--report", "-")
	require.Equal(t, exitGood, code, errs)
	require.Contains(t, errs, "joint names do not fit")
	var r handedOff
	require.NoError(t, json.Unmarshal([]byte(text), &r))
	require.Equal(t, "House", r.Profile)
	require.Len(t, r.Steps, 1)
	require.True(t, r.Steps[0].Made)
	require.Equal(t, at("out.glb"), r.Wrote)
	scene, err := readScene(at("out.glb"))
	require.NoError(t, err)
	for _, j := range scene.Skeleton.Joints {
		require.Regexp(t, "^ch_", j.Name)
	}

	code, text, _ = command(t, "compare", bound, at("out.glb"), "--report", at("changes.json"))
	require.Equal(t, exitFindings, code)
	require.Contains(t, text, "joints were renamed")
	var c compare.Report
	data, err := os.ReadFile(at("changes.json"))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &c))
	require.Len(t, c.Joints, len(scene.Skeleton.Joints))
	code, text, _ = command(t, "compare", bound, bound)
	require.Equal(t, exitGood, code)
	require.Contains(t, text, "Nothing differs")

	for _, end := range []string{"vrm", "usda", "usdz", "dae", "obj", "bvh"} {
		code, _, errs = command(t, "handoff", bound, "--profile", at("house.json"), "-o", at("out."+end))
		require.Equal(t, exitGood, code, "%s: %s", end, errs)
		info, err := os.Stat(at("out." + end))
		require.NoError(t, err)
		require.Greater(t, info.Size(), int64(1000))
	}
	require.Contains(t, errs, "wrote")

	// What blocks is told, and what cannot be is refused, with nothing written.
	require.NoError(t, os.WriteFile(at("strict.json"), []byte(`{"name":"Strict","joints":5}`), 0o600))
	code, _, errs = command(t, "handoff", bound, "--profile", at("strict.json"))
	require.Equal(t, exitFindings, code)
	require.Contains(t, errs, "takes at most 5")
	require.NoError(t, os.WriteFile(at("bad.json"), []byte(`{"name":"Bad","influences":"four"}`), 0o600))
	for _, args := range [][]string{
		{"--profile", at("bad.json")}, {"--profile", "nobody"}, {"-o", at("out.xyz")}, {"--format", "poem", "-o", at("out.xyz")}, {"--also", "needs_rest"},
	} {
		code, _, errs = command(t, append([]string{"handoff", bound}, args...)...)
		require.Equal(t, exitInput, code, "%v: %s", args, errs)
	}
	_, err = os.Stat(at("out.xyz"))
	require.True(t, os.IsNotExist(err))

	code, _, errs = command(t, "which", at("out.glb"))
	require.Equal(t, exitFindings, code)
	require.Contains(t, errs, "carries no stamp")
	s, err := readMesh(bound)
	require.NoError(t, err)
	f, err := os.Create(at("stamped.usdz"))
	require.NoError(t, err)
	require.NoError(t, handoff.Write(f, &s, "usdz", handoff.Options{Stamp: &handoff.Stamp{Character: "a", Name: "Odile", Revision: 4, Version: "Out"}}))
	require.NoError(t, f.Close())
	code, text, _ = command(t, "which", at("stamped.usdz"))
	require.Equal(t, exitGood, code)
	require.Contains(t, text, "Odile, revision 4")
	require.Contains(t, text, "version Out")
	for _, c := range []string{"compare", "which"} {
		code, out, _ := command(t, c, "--help")
		require.Equal(t, exitGood, code)
		require.Contains(t, out, "Examples:")
	}
}
