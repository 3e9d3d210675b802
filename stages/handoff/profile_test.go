package handoff_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/profile"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

func chosen(t *testing.T, s studio.State, p profile.Profile) studio.State {
	t.Helper()
	raw, err := json.Marshal(map[string]any{"profile": p})
	require.NoError(t, err)
	return studiotest.Do(t, s, "choose_profile", string(raw))
}

func needs(s studio.State) map[string]finding.Finding {
	out := map[string]finding.Finding{}
	for _, f := range studio.CheckOnly(&s, "handoff") {
		if strings.HasPrefix(f.Code, "needs_") {
			out[f.Code] = f
		}
	}
	return out
}

// untidy is Odile, bound, with much that receivers do not take: a second root and a joint that moves nothing, names of other
// letters, a face of four corners, a vertex without faces, 30 cm above the floor, two parts.
func untidy(t *testing.T) studio.State {
	t.Helper()
	s := studiotest.Bound(t)
	m := *s.Mesh
	m.Points = append(m.Points[:len(m.Points):len(m.Points)], r3.Vec{X: 3})
	s = s.WithMesh(&m, originOf(len(s.Mesh.Points), 1))
	sk := s.Skeleton.Clone()
	sk.Joints = append(sk.Joints,
		skeleton.Joint{Name: "idle", Parent: 0, Pos: r3.Vec{Y: 1}, Rot: geom.Identity},
		skeleton.Joint{Name: "Second Root", Parent: -1, Pos: r3.Vec{Z: 1}, Rot: geom.Identity})
	s.Skeleton = sk
	return s.Moved(mesh.Placement{Scale: 1.02, Up: "y", Turn: 0})
}

func originOf(n, more int) mesh.Origin {
	out := make(mesh.Origin, 0, n+more)
	for v := range n {
		out = append(out, int32(v))
	}
	for range more {
		out = append(out, -1)
	}
	return out
}

// Make it so meets what can be met without moving the skin, leaves the rest with what it would do, and the skin is where it was.
func TestMakeItSo(t *testing.T) {
	s := untidy(t)
	p, ok := profile.Find("Real-time, 4 influences")
	require.True(t, ok)
	p.Zero, p.Rest, p.Floor, p.Clear = true, "t", false, false
	s = chosen(t, s, p)
	before := needs(s)
	for _, code := range []string{profile.Leftovers, profile.OneRoot, profile.NoIdle, profile.Zero, profile.JointNames} {
		require.Contains(t, before, code)
		require.Equal(t, finding.Blocks, before[code].Severity)
		require.NotEmpty(t, before[code].Remedies, code)
	}
	out, told, err := studiotest.Try(s, "meet_profile", `{}`)
	require.NoError(t, err)
	after := needs(out)
	for _, code := range []string{profile.Leftovers, profile.Triangles, profile.OneRoot, profile.NoIdle, profile.Zero, profile.JointNames} {
		require.False(t, after[code].Count > 0, "%s: %v", code, told.Left)
	}
	require.NotEmpty(t, told.Steps)
	require.Equal(t, fmt.Sprint(len(after)), told.After)
	for _, left := range told.Left {
		require.Contains(t, left, ": ")
	}
	// The skin moves as it did, joint for joint, when joints turn in the world as they did.
	turn := geom.AxisAngle(r3.Unit(r3.Vec{X: 1, Y: 1}), 0.7)
	for _, name := range []string{"forearm_l", "shank_r", "spine_2"} {
		about := func(s studio.State) []r3.Vec {
			j := s.Skeleton.Joints[s.Skeleton.Index(name)]
			own := quat.Mul(quat.Mul(quat.Conj(j.Rot), turn), j.Rot)
			return deform.Bound(s.Mesh.World(), s.Weights, s.Skeleton, pose.Pose{name: own}, s.Binding)
		}
		a, b := about(s), about(out)
		require.Len(t, b, len(a)-1, "the loose vertex went")
		worst := 0.0
		for v := range b {
			worst = math.Max(worst, r3.Norm(r3.Sub(a[v], b[v])))
		}
		require.Less(t, worst, 1e-5*1.7, name)
	}
	_, _, err = studiotest.Try(out, "meet_profile", `{}`)
	require.ErrorIs(t, err, studio.ErrNothing, "what is left changes the skin, and is left again")
}

// What moves the skin is measured, told, and done only where it is asked for.
func TestWhatMovesTheSkinIsAskedFor(t *testing.T) {
	s := studiotest.Do(t, studiotest.Bound(t), "bind_heat", `{"influences":8,"trace":0}`)
	p := profile.Profile{Name: "two", Influences: 2}
	next, steps, err := handoff.Meet(context.Background(), s, &p, nil, nil)
	require.NoError(t, err)
	require.Len(t, steps, 1)
	require.False(t, steps[0].Made)
	require.Equal(t, "asks", steps[0].Loss)
	require.Greater(t, steps[0].Apart, 1e-4)
	require.NotEmpty(t, steps[0].Pose)
	require.Contains(t, steps[0].Said, "would move the skin by up to")
	require.Same(t, s.Weights, next.Weights)

	p.Rounding = 1000*steps[0].Apart + 0.1
	next, steps, err = handoff.Meet(context.Background(), s, &p, nil, nil)
	require.NoError(t, err)
	require.Equal(t, "allowed", steps[0].Loss)
	require.True(t, steps[0].Made)
	require.Empty(t, p.Check(profile.Given{Mesh: next.Mesh, Skeleton: next.Skeleton, Weights: next.Weights}))

	p.Rounding = 0
	next, steps, err = handoff.Meet(context.Background(), s, &p, []string{profile.Influences}, nil)
	require.NoError(t, err)
	require.True(t, steps[0].Made)
	require.NotSame(t, s.Weights, next.Weights)

	arms := profile.Profile{Name: "arms", Rest: "t"}
	_, steps, err = handoff.Meet(context.Background(), s, &arms, nil, nil)
	require.NoError(t, err)
	require.Len(t, steps, 1)
	require.Equal(t, "asks", steps[0].Loss, "the arms would be elsewhere at rest")
	require.Greater(t, steps[0].Apart, 0.05)
}

// Names of a public naming keep their sides, and what drives shape targets.
func TestNamesOfThePublicNaming(t *testing.T) {
	s := studiotest.Bound(t)
	out := studiotest.Do(t, s, "fit_names", `{"names":{"standard":"vrm"}}`)
	require.GreaterOrEqual(t, out.Skeleton.Index("leftUpperArm"), 0)
	a, b := s.Skeleton.Pairs(s.Settings.Marks).Partner, out.Skeleton.Pairs(out.Settings.Marks).Partner
	require.Equal(t, a, b, "left and right are still partners")
	_, _, err := studiotest.Try(out, "fit_names", `{"names":{"standard":"vrm"}}`)
	require.ErrorIs(t, err, studio.ErrNothing)
	_, _, err = studiotest.Try(s, "fit_names", `{"names":{"letters":"runes"}}`)
	require.True(t, studio.IsInput(err))

	var file bytes.Buffer
	for _, state := range []studio.State{s, out} { // by our names, and by its own
		file.Reset()
		require.NoError(t, handoff.Write(&file, &state, "vrm", handoff.Options{Name: "Odile"}))
		var doc struct {
			Used       []string `json:"extensionsUsed"`
			Extensions struct {
				VRM struct {
					Version string `json:"specVersion"`
					Meta    struct {
						Name    string   `json:"name"`
						Authors []string `json:"authors"`
						License string   `json:"licenseUrl"`
					} `json:"meta"`
					Humanoid struct {
						Bones map[string]struct{ Node int } `json:"humanBones"`
					} `json:"humanoid"`
				} `json:"VRMC_vrm"`
			} `json:"extensions"`
			Nodes []struct{ Name string } `json:"nodes"`
		}
		data := file.Bytes()
		require.NoError(t, json.Unmarshal(data[20:20+binary.LittleEndian.Uint32(data[12:])], &doc))
		require.Equal(t, []string{"VRMC_vrm"}, doc.Used)
		v := doc.Extensions.VRM
		require.Equal(t, "1.0", v.Version)
		require.Equal(t, "Odile", v.Meta.Name)
		require.NotEmpty(t, v.Meta.Authors)
		for _, bone := range gltf.AvatarNeeds {
			require.Contains(t, v.Humanoid.Bones, bone)
		}
		at := v.Humanoid.Bones["leftLowerArm"].Node
		require.Contains(t, []string{"forearm_l", "leftLowerArm"}, doc.Nodes[at].Name)
	}
	bare := s
	sk := s.Skeleton.Clone()
	sk.Joints[sk.Index("head")].Name = "bob"
	bare.Skeleton = sk
	err = handoff.Write(&file, &bare, "vrm", handoff.Options{})
	require.True(t, studio.IsInput(err))
	require.Contains(t, err.Error(), "head")
}

// A file is in the unit and up axis that the profile has, with its parts apart, its weights in whole numbers that sum to 1, and
// without what it leaves out.
func TestFilesAsTheProfileHasThem(t *testing.T) {
	s := studiotest.Bound(t)
	height := geom.BoxOf(s.Mesh.World()).Size().Y
	p := profile.Profile{Name: "house", WeightBits: 8, File: profile.File{Unit: "cm", Up: "z", Leave: []string{"motions", "targets", "attributes", "textures"}}}
	var file bytes.Buffer
	require.NoError(t, handoff.Write(&file, &s, "obj", handoff.Options{Profile: &p}))
	back := readOBJ(t, file.Bytes())
	require.InDelta(t, 100*height, back.Size().Z, 1e-2, "centimeters, Z up")
	file.Reset()
	require.NoError(t, handoff.Write(&file, &s, "usda", handoff.Options{Profile: &p}))
	for _, line := range []string{"metersPerUnit = 0.01", `upAxis = "Z"`} {
		require.True(t, strings.Contains(file.String(), line), line)
	}
	file.Reset()
	require.NoError(t, handoff.Write(&file, &s, "glb", handoff.Options{Profile: &p}))
	scene, err := gltf.Decode(&file, nil, reading.Default)
	require.NoError(t, err)
	require.InDelta(t, height, geom.BoxOf(scene.Mesh.World()).Size().Y, 1e-5, "glTF is in meters, Y up, whatever is asked for")
	for v, list := range scene.Weights.Of {
		sum := 0.0
		for _, x := range list {
			sum += x.Value
			require.InDelta(t, math.Round(255*x.Value), 255*x.Value, 1e-4)
		}
		require.InDelta(t, 1, sum, 1e-6, "vertex %d", v)
	}
	stamped := handoff.Options{Name: "Odile", Stamp: &handoff.Stamp{Program: "Wise Marrow", Character: "abc", Revision: 7}}
	for what, text := range map[string]string{"glb": `"revision":7`, "usda": `\"revision\":7`, "dae": `&#34;revision&#34;:7`} {
		file.Reset()
		require.NoError(t, handoff.Write(&file, &s, what, stamped))
		require.True(t, bytes.Contains(file.Bytes(), []byte(text)), what)
		var again bytes.Buffer
		require.NoError(t, handoff.Write(&again, &s, what, stamped))
		require.True(t, bytes.Equal(file.Bytes(), again.Bytes()), "%s is the same file, byte for byte", what)
	}
}

func readOBJ(t *testing.T, data []byte) geom.Box {
	t.Helper()
	var list []r3.Vec
	for line := range strings.Lines(string(data)) {
		var p r3.Vec
		if n, _ := fmt.Sscanf(line, "v %g %g %g", &p.X, &p.Y, &p.Z); n == 3 {
			list = append(list, p)
		}
	}
	return geom.BoxOf(list)
}

// What a format cannot carry is said before it is written.
func TestWhatFormatsLose(t *testing.T) {
	s := studiotest.Bound(t)
	m := *s.Mesh
	m.Shapes = []mesh.Shape{{Name: "smile", Vertex: []int32{3}, Offset: []r3.Vec{{Y: 0.1}}}}
	m.Extra = []mesh.Attribute{{Name: "COLOR_0", Width: 4, Values: make([]float32, 4*len(m.Corner))}}
	s.Mesh = &m
	require.Len(t, handoff.Loses(&s, "glb"), 1, "faces of four corners")
	require.Len(t, handoff.Loses(&s, "obj"), 3)
	require.Len(t, handoff.Loses(&s, "usda"), 1)
	require.Len(t, handoff.Loses(&s, "dae"), 2)
	require.Empty(t, handoff.Loses(&s, "csv"))
	require.Empty(t, handoff.Loses(&studio.State{}, "glb"))
}

func TestProfilesThatAreRefused(t *testing.T) {
	s := studiotest.Bound(t)
	_, _, err := studiotest.Try(s, "choose_profile", `{"profile":{"name":"x","influences":99}}`)
	require.True(t, studio.IsInput(err))
	require.Contains(t, err.Error(), "influences")
	_, _, err = studiotest.Try(s, "choose_profile", `{}`)
	require.ErrorIs(t, err, studio.ErrNothing)
	_, _, err = studiotest.Try(s, "meet_profile", `{}`)
	require.True(t, studio.IsInput(err))
	none := studiotest.Do(t, chosen(t, s, profile.Shipped[0]), "choose_profile", `{}`)
	assert.Nil(t, none.Settings.Profile)
	_, err = handoff.ReadProfile("house.json", func() ([]byte, error) { return []byte(`{"name":"x","score":-1}`), nil })
	require.ErrorContains(t, err, "house.json: score")
	p, err := handoff.ReadProfile("film", func() ([]byte, error) { return nil, fmt.Errorf("not asked") })
	require.NoError(t, err)
	assert.Equal(t, "Film", p.Name)
}

// Rounding that moves the skin farther than the profile allows is found, where and how far; one that allows it is not told so.
func TestRoundingBeyondWhatIsAllowed(t *testing.T) {
	s := studiotest.Do(t, studiotest.Bound(t), "bind_heat", `{"influences":8,"trace":0}`)
	p := profile.Profile{Name: "eight bits", WeightBits: 8, Rounding: 0.01}
	f, ok := needs(chosen(t, s, p))[profile.Rounding]
	require.True(t, ok)
	require.Greater(t, f.Evidence[0].Value, f.Evidence[0].Limit)
	require.Len(t, f.Where.Vertices, 1)
	require.Empty(t, f.Remedies, "no cap is the reason")
	p.Rounding = 1000*f.Evidence[0].Value + 0.001
	require.NotContains(t, needs(chosen(t, s, p)), profile.Rounding)
	p = profile.Profile{Name: "two joints", Influences: 2, Rounding: 0.01}
	f, ok = needs(chosen(t, s, p))[profile.Rounding]
	require.True(t, ok)
	require.NotEmpty(t, f.Remedies)
}

// What leaves shape targets without the joint that brings them on is asked for, though the skin would not move.
func TestWhatDriversLoseIsAskedFor(t *testing.T) {
	s := studiotest.Bound(t)
	m := *s.Mesh
	m.Shapes = []mesh.Shape{{Name: "curl", Vertex: []int32{3}, Offset: []r3.Vec{{Y: 0.01}}}}
	s.Mesh = &m
	s = studiotest.Do(t, s, "drive_target", `{"target":"curl","joint":"head","axis":"bend","degrees":20}`)
	p := profile.Profile{Name: "tidy", NoIdle: true}
	f, ok := needs(chosen(t, s, p))[profile.NoIdle]
	require.True(t, ok)
	require.Contains(t, f.Where.Joints, "head_end", "which gives the head its direction")
	next, steps, err := handoff.Meet(context.Background(), s, &p, nil, nil)
	require.NoError(t, err)
	require.Len(t, steps, 1)
	require.Equal(t, "asks", steps[0].Loss)
	require.Equal(t, []string{"curl"}, steps[0].Lost)
	require.Contains(t, steps[0].Said, "curl")
	require.Same(t, s.Skeleton, next.Skeleton)
	_, steps, err = handoff.Meet(context.Background(), s, &p, []string{profile.NoIdle}, nil)
	require.NoError(t, err)
	require.True(t, steps[0].Made)
}
