package main

import (
	"bytes"
	"context"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"
	"wisemarrow/formats/bvh"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/built"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

var binary string

func TestMain(m *testing.M) { built.Main(m, "wisemarrow", &binary) }

// command runs the program and returns its exit code and both outputs.
func command(t *testing.T, args ...string) (code int, stdout, stderr string) {
	t.Helper()
	c := exec.Command(binary, args...)
	var out, errs bytes.Buffer
	c.Stdout, c.Stderr = &out, &errs
	if err := c.Run(); err != nil {
		var exit *exec.ExitError
		require.ErrorAs(t, err, &exit)
	}
	return c.ProcessState.ExitCode(), out.String(), errs.String()
}

func TestFilesFromMeshToBoundCharacter(t *testing.T) {
	dir := t.TempDir()
	body, skel, bound := filepath.Join(dir, "odile.obj"), filepath.Join(dir, "skeleton.gltf"), filepath.Join(dir, "bound.glb")
	m, truth := demo.Odile(0.02)
	writeOBJ(t, body, m)

	code, out, errs := command(t, "check", body, "--report", "-")
	require.Equal(t, exitGood, code, errs)
	var check checkReport
	require.NoError(t, json.Unmarshal([]byte(out), &check))
	require.Equal(t, len(m.Points), check.Mesh.Vertices)
	require.Equal(t, finding.Note, finding.Worst(check.Findings))

	report := filepath.Join(dir, "fit.json")
	code, _, errs = command(t, "fit", body, "--starter", "biped", "-o", skel, "--report", report)
	require.Equal(t, exitGood, code, errs)
	require.FileExists(t, report)
	s, err := readSkeleton(skel)
	require.NoError(t, err)
	mean, worst, at := demo.FitError(s, truth, check.Mesh.Height)
	require.Less(t, mean, 0.03)
	require.Less(t, worst, 0.08, at)

	code, out, errs = command(t, "bind", body, "--skeleton", skel, "--method", "heat", "--influences", "4", "-o", bound, "--report", "-")
	require.Equal(t, exitGood, code, errs)
	var told struct {
		Joints []struct {
			Name, State, Cause string
			Vertices           int
		}
		Pieces     []struct{ State string }
		Unweighted int
	}
	require.NoError(t, json.Unmarshal([]byte(out), &told))
	require.Len(t, told.Joints, len(s.Joints))
	require.Zero(t, told.Unweighted)
	code, _, errs = command(t, "bind", body, "--skeleton", skel, "--method", "heat", "--laplacian", "robust", "--influences", "16")
	require.Equal(t, exitGood, code, errs)
	code, _, errs = command(
		t,
		"bind",
		body,
		"--skeleton",
		skel,
		"--method",
		"carry",
		"--from",
		bound,
		"--within",
		"0.01",
		"-o",
		filepath.Join(dir, "carried.glb"),
	)
	require.Equal(t, exitGood, code, errs)
	require.Contains(t, errs, "Carried weights over from")
	code, _, errs = command(t, "bind", body, "--skeleton", skel, "--method", "carry")
	require.Equal(t, exitInput, code)
	require.Contains(t, errs, "--from")
	require.NotContains(t, out, "milli", "nothing measured by a clock is in a report")
	f, err := os.Open(bound)
	require.NoError(t, err)
	defer f.Close()
	scene, err := gltf.Decode(f, nil, reading.Default)
	require.NoError(t, err)
	require.NotNil(t, scene.Weights)
}

// A script is run on several files; one that it does not suit is told and left, and the
// exit code is that of the worst. What it wrote is held against the handoff.
func TestAScriptIsRunOnSeveralFiles(t *testing.T) {
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	m, _ := demo.Odile(0.02)
	writeOBJ(t, at("odile.obj"), m)
	for i := range m.Points {
		m.Points[i] = r3.Scale(1.1, m.Points[i])
	}
	writeOBJ(t, at("tall.obj"), m)
	write := func(name, text string) { require.NoError(t, os.WriteFile(at(name), []byte(text), 0o644)) }
	write("steps.jsonl", `{"op":"import","params":{"file":{"name":"left_out.obj","blob":"aa"}}}
{"op":"mend_safe"}
{"op":"fit_starter","params":{"starter":"biped"}}
{"op":"set_axes"}
{"op":"bind_heat","params":{"influences":3}}
`)
	out, rep := at("out"), at("report")
	code, _, errs := command(t, "run", at("steps.jsonl"), at("odile.obj"), at("tall.obj"), "-o", out, "--report", rep)
	require.Equal(t, exitGood, code, errs)
	require.Contains(t, errs, "2 of 2:")
	require.Contains(t, errs, "step 5 of 5")
	for _, name := range []string{"odile", "tall"} {
		var r ranReport
		data, err := os.ReadFile(filepath.Join(rep, name+".json"))
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(data, &r))
		require.Len(t, r.Steps, 4)
		require.Contains(t, r.Steps[3].Outcome.Sentence, "Bound by heat")
		code, text, errs := command(
			t,
			"handoff",
			filepath.Join(out, name+".glb"),
			"--influences",
			"2",
			"-o",
			at(name+"_2.glb"),
			"--report",
			"-",
		)
		require.Equal(t, exitGood, code, errs)
		require.NotContains(t, text, "unweighted")
		scene, err := readScene(at(name + "_2.glb"))
		require.NoError(t, err)
		for _, list := range scene.Weights.Of {
			require.LessOrEqual(t, len(list), 2)
		}
	}

	write("flat.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
	code, _, errs = command(t, "run", at("steps.jsonl"), at("flat.obj"), at("odile.obj"), "-o", out, "--report", rep)
	require.Equal(t, exitInput, code)
	require.Contains(t, errs, "flat.obj: step 3, fit_starter")
	require.Contains(t, errs, "2 of 2:", "the others go on")
	require.Contains(t, errs, "1 of 2 files were refused")
	for text, says := range map[string]string{"": "no operation", "{\"op\":\"fly\"}\n": "line 1", "hello\n": "not a JSON"} {
		write("bad.jsonl", text)
		code, _, errs = command(t, "run", at("bad.jsonl"), at("odile.obj"))
		require.Equal(t, exitInput, code)
		require.Contains(t, errs, says)
	}
	require.NoError(t, os.Mkdir(at("other"), 0o755))
	writeOBJ(t, at("other/odile.obj"), m)
	code, _, errs = command(t, "run", at("steps.jsonl"), at("odile.obj"), at("other/odile.obj"), "-o", out)
	require.Equal(t, exitInput, code)
	require.Contains(t, errs, "under one name")
	code, _, errs = command(t, "handoff", at("odile.obj"))
	require.Equal(t, exitFindings, code, errs)
	require.Contains(t, errs, "not bound yet")
}

func TestAMeshAlongZIsFittedInItsOwnCoordinates(t *testing.T) {
	dir := t.TempDir()
	body, skel := filepath.Join(dir, "delivered.glb"), filepath.Join(dir, "skeleton.gltf")
	m, _ := demo.OdileAsDelivered(0.02)
	f, err := os.Create(body)
	require.NoError(t, err)
	require.NoError(t, gltf.EncodeGLB(f, &gltf.Scene{Mesh: m}))
	require.NoError(t, f.Close())
	code, _, errs := command(t, "check", body)
	require.Equal(t, exitGood, code, "the format states unit and axis: a guess against it harms")
	require.Contains(t, errs, "size_or_axis")
	loose := filepath.Join(dir, "delivered.obj") // states neither
	writeOBJ(t, loose, m)
	code, _, errs = command(t, "check", loose)
	require.Equal(t, exitFindings, code, "the unit and axis block")
	require.Contains(t, errs, "size_or_axis")
	code, _, errs = command(t, "fit", body, "-o", skel)
	require.Equal(t, exitGood, code, errs)
	s, err := readSkeleton(skel)
	require.NoError(t, err)
	head, hips := s.Joints[s.Index("head")].Pos, s.Joints[s.Index("hips")].Pos
	require.Greater(t, head.Z-hips.Z, 40.0, "centimetres along Z")
	code, _, errs = command(t, "bind", body, "--skeleton", skel, "--up", "z", "--scale", "0.01", "-o", filepath.Join(dir, "bound.glb"))
	require.Contains(t, []int{exitGood, exitFindings}, code, errs)
	scene, err := readScene(filepath.Join(dir, "bound.glb"))
	require.NoError(t, err)
	require.InDelta(t, 1.66, scene.Mesh.Measure().Height, 0.05)
}

// A starter with numbers of its own, written, read as a BVH by the bind.
func TestStartersWithNumbersAndSkeletonsOfBVH(t *testing.T) {
	dir := t.TempDir()
	body, skel, motion, bound := filepath.Join(
		dir,
		"kite.obj",
	), filepath.Join(
		dir,
		"kite.gltf",
	), filepath.Join(
		dir,
		"kite.bvh",
	), filepath.Join(
		dir,
		"kite.glb",
	)
	m, _ := demo.KiteTail(0.02)
	writeOBJ(t, body, m)
	code, _, errs := command(t, "fit", body, "--scale", "1", "--up", "y", "--starter", "chain", "--set", "count=7", "-o", skel)
	require.Equal(t, exitGood, code, errs)
	s, err := readSkeleton(skel)
	require.NoError(t, err)
	require.Len(t, s.Joints, 8)
	f, err := os.Create(motion)
	require.NoError(t, err)
	require.NoError(t, bvh.Encode(f, s, nil))
	require.NoError(t, f.Close())
	code, _, errs = command(t, "bind", body, "--skeleton", motion, "-o", bound)
	require.NotEqual(t, exitInput, code, errs)
	require.FileExists(t, bound)
	for set, want := range map[string]string{"count=many": "neither a number", "count=900": "2 to 64", "horns=2": "horns"} {
		code, _, errs = command(t, "fit", body, "--starter", "chain", "--set", set)
		require.Equal(t, exitInput, code, set)
		require.Contains(t, errs, want)
	}
}

// A skeleton of one's own is fitted like a starter, and the facing may be said.
func TestFitOfAnOwnSkeletonAndAFacing(t *testing.T) {
	dir := t.TempDir()
	body, house, back, rope := filepath.Join(
		dir,
		"odile.obj",
	), filepath.Join(
		dir,
		"house.gltf",
	), filepath.Join(
		dir,
		"back.gltf",
	), filepath.Join(
		dir,
		"rope.gltf",
	)
	m, truth := demo.Odile(0.02)
	writeOBJ(t, body, m)
	own, names, err := truth.AddChain(truth.Index("head"), "plume", []r3.Vec{{Y: 1.8}, {Y: 1.9}}, true, skeleton.DefaultMarks)
	require.NoError(t, err)
	write := func(path string, s *skeleton.Skeleton) {
		f, err := os.Create(path)
		require.NoError(t, err)
		require.NoError(t, gltf.EncodeSkeleton(f, s))
		require.NoError(t, f.Close())
	}
	write(house, own)
	code, _, errs := command(t, "fit", body, "--scale", "1", "--up", "y", "--own", house, "-o", back)
	require.NotEqual(t, exitInput, code, errs)
	s, err := readSkeleton(back)
	require.NoError(t, err)
	require.Len(t, s.Joints, len(own.Joints))
	require.GreaterOrEqual(t, s.Index(names[0]), 0)
	left := s.Joints[s.Index("hand_l")].Pos.X
	code, _, errs = command(t, "fit", body, "--scale", "1", "--up", "y", "--facing", "-z", "-o", back)
	require.NotEqual(t, exitInput, code, errs)
	s, err = readSkeleton(back)
	require.NoError(t, err)
	require.Negative(t, left*s.Joints[s.Index("hand_l")].Pos.X, "left and right change places")
	write(
		rope,
		&skeleton.Skeleton{
			Joints: []skeleton.Joint{{Name: "a", Parent: -1, Rot: geom.Identity}, {Name: "b", Pos: r3.Vec{Y: 1}, Rot: geom.Identity}},
		},
	)
	for want, args := range map[string][]string{"too few joints": {"--own", rope}, "+x, -x, +z or -z": {"--facing", "up"}} {
		code, _, errs = command(t, append([]string{"fit", body}, args...)...)
		require.Equal(t, exitInput, code)
		require.Contains(t, errs, want)
	}
}

func TestRepairAndOrient(t *testing.T) {
	dir := t.TempDir()
	body, mended, skel := filepath.Join(dir, "delivered.glb"), filepath.Join(dir, "mended.obj"), filepath.Join(dir, "s.gltf")
	m, s := demo.OdileAsDelivered(0.02)
	f, err := os.Create(body)
	require.NoError(t, err)
	require.NoError(t, gltf.EncodeGLB(f, &gltf.Scene{Mesh: m}))
	require.NoError(t, f.Close())
	code, out, errs := command(t, "repair", body, "--up", "z", "--scale", "0.01", "-o", mended, "--report", "-")
	require.Equal(t, exitGood, code, errs)
	var told struct{ Found, Left []struct{ Code string } }
	require.NoError(t, json.Unmarshal([]byte(out), &told))
	require.Greater(t, len(told.Found), 4)
	for _, f := range told.Left { // her scarf is asymmetric; the cap of the hat was cut into thin triangles
		require.Contains(t, []string{"asymmetric", "needle_faces"}, f.Code)
	}
	again, err := readMesh(mended)
	require.NoError(t, err)
	require.True(t, again.Mesh.Measure().Closed)
	code, _, errs = command(t, "repair", body, "-o", filepath.Join(dir, "a.xyz"))
	require.Equal(t, exitInput, code)
	require.Contains(t, errs, "no handoff")
	require.NoFileExists(t, filepath.Join(dir, "a.xyz"))

	f, err = os.Create(skel)
	require.NoError(t, err)
	require.NoError(t, gltf.EncodeSkeleton(f, s))
	require.NoError(t, f.Close())
	code, _, errs = command(t, "orient", skel, "--aim", "x", "--bend", "z", "-o", skel)
	require.Equal(t, exitGood, code, errs)
	turned, err := readSkeleton(skel)
	require.NoError(t, err)
	c := skeleton.DefaultConvention
	c.Aim, c.Bend = "x", "z"
	for i, off := range turned.AxesOff(c, skeleton.DefaultMarks) {
		require.Less(t, off, 1e-6, turned.Joints[i].Name)
	}
	code, _, errs = command(t, "orient", skel, "--aim", "up")
	require.Equal(t, exitInput, code)
	require.Contains(t, errs, "aim axis")
}

func TestExitCodesAndMessages(t *testing.T) {
	dir := t.TempDir()
	broken := filepath.Join(dir, "broken.obj")
	require.NoError(t, os.WriteFile(broken, []byte("v 1 2 3\nf 1 2 3\n"), 0o644))
	code, _, errs := command(t, "check", broken)
	require.Equal(t, exitInput, code)
	require.Contains(t, errs, "broken.obj: line 2")
	code, _, errs = command(t, "bind", broken)
	require.Equal(t, exitInput, code)
	require.Contains(t, errs, "skeleton")
	code, _, _ = command(t, "check", filepath.Join(dir, "none.obj"))
	require.Equal(t, exitInput, code)

	bram, skel := filepath.Join(dir, "bram.glb"), filepath.Join(dir, "bram.gltf")
	m, s := demo.Bram(0.022)
	write := func(path string, enc func(f *os.File) error) {
		f, err := os.Create(path)
		require.NoError(t, err)
		require.NoError(t, enc(f))
		require.NoError(t, f.Close())
	}
	write(bram, func(f *os.File) error { return gltf.EncodeGLB(f, &gltf.Scene{Mesh: m}) })
	write(skel, func(f *os.File) error { return gltf.EncodeSkeleton(f, s) })
	code, _, errs = command(t, "bind", bram, "--skeleton", skel, "--method", "heat")
	require.Equal(t, exitFindings, code, "buttons have no weights")
	require.Contains(t, errs, "unweighted_vertices")
	code, _, errs = command(t, "bind", bram, "--skeleton", skel, "--method", "heat", "--mend")
	require.Equal(t, exitGood, code, errs)
	code, told, errs := command(t, "bind", bram, "--skeleton", skel, "--report", "-")
	require.Equal(t, exitGood, code, errs)
	require.Contains(t, told, `"how": "as the surface under them"`)
	code, _, errs = command(t, "bind", bram, "--skeleton", skel, "--method", "magic")
	require.Equal(t, exitInput, code, errs)
	for _, c := range []string{"check", "repair", "fit", "orient", "bind", "test", "handoff"} {
		code, out, _ := command(t, c, "--help")
		require.Equal(t, exitGood, code)
		require.Contains(t, out, "Examples:")
	}
}

func writeOBJ(t *testing.T, path string, m *mesh.Mesh) {
	t.Helper()
	f, err := os.Create(path)
	require.NoError(t, err)
	require.NoError(t, obj.Encode(f, m))
	require.NoError(t, f.Close())
}

// The bind pose of a file is checked, gone back to, recorded anew and made of what is shown;
// axes that are wrong are aligned with the skin still.
func TestBindPoseOnTheCommandLine(t *testing.T) {
	need.Time(t)
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	m, s := demo.Odile(0.03)
	w, _, err := bind.Heat(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	away := s.Clone()
	for _, i := range s.Branch(s.Index("hand_l")) {
		away.Joints[i].Pos.Y += 0.05
	}
	write := func(name string, sk *skeleton.Skeleton) {
		f, err := os.Create(at(name))
		require.NoError(t, err)
		require.NoError(t, gltf.EncodeGLB(f, &gltf.Scene{Mesh: m, Skeleton: sk, Weights: w, Binding: pose.Recorded(s)}))
		require.NoError(t, f.Close())
	}
	write("good.glb", s)
	write("away.glb", away)
	code, _, errs := command(t, "bindpose", "check", at("good.glb"))
	require.Zero(t, code, errs)
	code, out, errs := command(t, "bindpose", "check", at("away.glb"), "--report", "-")
	require.Equal(t, 1, code, errs)
	var told struct {
		Now      float64           `json:"skin_off_now_m"`
		Findings []finding.Finding `json:"findings"`
	}
	require.NoError(t, json.Unmarshal([]byte(out), &told))
	require.InDelta(t, 0.05, told.Now, 0.001)
	require.Equal(t, "moved_under_skin", told.Findings[0].Code)
	for _, verb := range [][]string{{"restore"}, {"rerecord"}, {"rest"}, {"rest", "--arms", "45"}} {
		args := append([]string{"bindpose"}, append(verb, at("away.glb"), "-o", at("out.glb"))...)
		code, _, errs = command(t, args...)
		require.Zero(t, code, errs)
		code, _, errs = command(t, "bindpose", "check", at("out.glb"))
		require.Zero(t, code, "%v: %s", verb, errs)
	}
	code, _, errs = command(t, "bindpose", "rerecord", at("away.glb"), "--joints", "nobody")
	require.Equal(t, 2, code, errs)
	code, _, errs = command(t, "orient", at("good.glb"), "--safe", "-o", at("aligned.glb"))
	require.Zero(t, code, errs)
	code, _, errs = command(t, "bindpose", "check", at("aligned.glb"))
	require.Zero(t, code, errs)
	code, _, errs = command(t, "bindpose", "check", at("nothing.glb"))
	require.Equal(t, 2, code, errs)
	f, err := os.Create(at("mesh.obj"))
	require.NoError(t, err)
	require.NoError(t, obj.Encode(f, m))
	require.NoError(t, f.Close())
	code, _, errs = command(t, "bindpose", "check", at("mesh.obj"))
	require.Equal(t, 2, code)
	require.Contains(t, errs, "it is not bound")
}

// Weights are changed, written and read, and binds are told apart by their motion.
func TestWeightsAndMotionOnTheCommandLine(t *testing.T) {
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	m, sk := demo.Odile(0.03)
	writeOBJ(t, at("mesh.obj"), m)
	f, err := os.Create(at("skeleton.gltf"))
	require.NoError(t, err)
	require.NoError(t, gltf.EncodeSkeleton(f, sk))
	require.NoError(t, f.Close())
	score := func(file string) (over int, mean float64) {
		code, _, errs := command(t, "test", at(file), "--steps", "1", "--report", at("test.json"))
		require.Contains(t, []int{0, 1}, code, errs)
		data, err := os.ReadFile(at("test.json"))
		require.NoError(t, err)
		var told struct {
			Over   int     `json:"over"`
			Score  float64 `json:"score"`
			Faults []struct {
				Turned string `json:"turned"`
			} `json:"faults"`
		}
		require.NoError(t, json.Unmarshal(data, &told))
		require.NotEmpty(t, told.Faults)
		require.Equal(t, told.Over > 0, code == 1)
		return told.Over, told.Score
	}
	var scores []float64
	for _, method := range [][]string{{"auto"}, {"shell", "--cubes", "64"}, {"capsules"}, {"near", "--influences", "1"}} {
		code, _, errs := command(
			t,
			append(
				[]string{"bind", at("mesh.obj"), "--skeleton", at("skeleton.gltf"), "-o", at(method[0] + ".glb"), "--method"},
				method...)...)
		require.Contains(t, []int{0, 1}, code, errs)
		_, s := score(method[0] + ".glb")
		scores = append(scores, s)
	}
	// Where nothing is to be changed that is said, and the file is written.
	for _, args := range [][]string{{"weights", "cap", at("auto.glb"), "--influences", "16"}, {"weights", "settle", at("capsules.glb")}, {"weights", "far", at("auto.glb")}} {
		code, _, errs := command(t, append(args, "-o", at("same.glb"), "--report", at("same.json"))...)
		require.Equal(t, 0, code, errs)
		require.FileExists(t, at("same.glb"))
		require.NoError(t, os.Remove(at("same.glb")))
	}
	require.Less(t, scores[0], scores[3], "hard weights bend worse")
	// Three binds of one character are ranked as the eye ranks them: evened, by distance, hard.
	code, _, errs := command(
		t,
		"bind",
		at("mesh.obj"),
		"--skeleton",
		at("skeleton.gltf"),
		"-o",
		at("tight.glb"),
		"--method",
		"near",
		"--falloff",
		"10",
	)
	require.Contains(t, []int{0, 1}, code, errs)
	code, out, errs := command(
		t,
		"test",
		at("near.glb"),
		at("tight.glb"),
		at("auto.glb"),
		"--steps",
		"1",
		"--reel",
		"ranges",
		"--worst",
		"1",
		"--report",
		at("rank.json"),
	)
	require.Equal(t, 1, code, errs)
	first, second, third := strings.Index(
		out,
		"1. "+at("auto.glb"),
	), strings.Index(
		out,
		"2. "+at("tight.glb"),
	), strings.Index(
		out,
		"3. "+at("near.glb"),
	)
	require.True(t, first >= 0 && second > first && third > second, out)
	for _, args := range [][]string{
		{"smooth", at("auto.glb"), "--passes", "2"}, {"mirror", at("auto.glb"), "--from", "right", "--tolerance", "0.02"}, {"set", at("auto.glb"), "--joint", "head", "--vertices", "0-9", "--value", "0.3"},
		{"drop", at("auto.glb"), "--below", "0.1"}, {"cap", at("auto.glb"), "--influences", "2"}, {"harden", at("auto.glb"), "--steps", "4"}, {"hand", at("auto.glb"), "--joints", "forearm_l", "--to", "upper_arm_l"},
		{"blend", at("auto.glb"), "--joints", "forearm_l,upper_arm_l", "--width", "0.1"}, {"carry", at("near.glb"), "--file", at("auto.glb")},
	} {
		code, _, errs := command(t, append(append([]string{"weights"}, args...), "-o", at("out.glb"))...)
		require.Zero(t, code, "%v: %s", args, errs)
	}
	// Any operation of the workbench is done by name, with flags made of its description.
	code, out, errs = command(
		t,
		"do",
		"roll_axes",
		at("auto.glb"),
		"--joints",
		"forearm_l",
		"--degrees",
		"15",
		"-o",
		at("out.glb"),
		"--report",
		"-",
	)
	require.Zero(t, code, errs)
	require.Contains(t, out, "15")
	code, out, errs = command(t, "do", "roll_axes", "--help")
	require.Zero(t, code, errs)
	require.Contains(t, out, "(from -360 to 360°)")
	code, out, errs = command(t, "do", "--help")
	require.Zero(t, code, errs)
	for _, op := range []string{"weld ", "fit_starter ", "roll_axes ", "bind_auto ", "check_motion "} {
		require.Contains(t, out, op)
	}
	for _, table := range []string{"w.csv", "w.json"} {
		code, _, errs := command(t, "weights", "write", at("auto.glb"), "-o", at(table))
		require.Zero(t, code, errs)
		code, out, errs := command(t, "weights", "read", at("near.glb"), "--file", at(table), "-o", at("back.glb"), "--report", "-")
		require.Zero(t, code, errs)
		require.Contains(t, out, "Took weights from "+table)
	}
	for _, bad := range [][]string{{"weights", "smooth", at("mesh.obj")}, {"weights", "set", at("auto.glb"), "--joint", "head"}, {"weights", "read", at("auto.glb"), "--file", at("mesh.obj")}, {"weights", "smooth", at("auto.glb"), "--passes", "0"}, {"do", "roll_axes", at("auto.glb"), "--joints", "head", "--degrees", "400"}, {"do", "mirror_weights", at("auto.glb"), "--by", "guess"},
		{"test", at("mesh.obj")}, {"test", at("auto.glb"), "--amount", "9"}, {"test", at("auto.glb"), "--reel", "dance"}, {"test", at("none.glb")}} {
		code, _, _ := command(t, bad...)
		require.Equal(t, 2, code, bad)
	}
}

// A house style from a file places the joints that it has habits for; what is no house style is told.
func TestAHouseStyleIsFollowed(t *testing.T) {
	need.Time(t)
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	body, style, plain, styled := at("odile.obj"), at("style.json"), at("plain.gltf"), at("styled.gltf")
	m, _ := demo.Odile(0.02)
	writeOBJ(t, body, m)
	require.NoError(t, os.WriteFile(style, []byte(`{"habits":[{"starter":"biped","joint":"shank","offset":{"X":0,"Y":0,"Z":0.5},"count":3,"of":3}]}`), 0o600))
	joint := func(name string, args ...string) r3.Vec {
		t.Helper()
		code, _, errs := command(t, append([]string{"fit", body, "--scale", "1", "--up", "y"}, args...)...)
		require.NotEqual(t, exitInput, code, errs)
		s, err := readSkeleton(args[1])
		require.NoError(t, err)
		return s.Joints[s.Index(name)].Pos
	}
	was, is := joint("shank_l", "-o", plain), joint("shank_l", "-o", styled, "--style", style)
	require.Greater(t, is.Z-was.Z, 0.01)
	require.InDelta(t, was.Y, is.Y, 0.01)
	for text, why := range map[string]string{"{": "no house style", `{"habits":[{"joint":""}]}`: "names no joint"} {
		require.NoError(t, os.WriteFile(style, []byte(text), 0o600))
		code, _, errs := command(t, "fit", body, "--style", style)
		require.Equal(t, exitInput, code)
		require.Contains(t, errs, why)
	}
	code, _, errs := command(t, "fit", body, "--style", at("missing.json"))
	require.Equal(t, exitInput, code)
	require.Contains(t, errs, "missing.json")
}
