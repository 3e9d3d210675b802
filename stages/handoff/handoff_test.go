package handoff_test

import (
	"archive/zip"
	"bytes"
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
	"wisemarrow/core/shape"
	"wisemarrow/core/weights"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/obj"
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
		require.NoError(t, handoff.Write(&b, &s, what, handoff.Options{Influences: 4}))
		require.True(t, strings.HasPrefix(b.String(), start), what)
	}
	bare := studiotest.Odile()
	require.True(t, studio.IsInput(handoff.Write(&bytes.Buffer{}, &bare, "skeleton", handoff.Options{Influences: 4})))
	require.True(t, studio.IsInput(handoff.Write(&bytes.Buffer{}, &bare, "poem", handoff.Options{Influences: 4})))
	require.Equal(t, "odile_as_delivered.glb", handoff.FileName("Odile as delivered", "glb"))
	require.Equal(t, "mü_ller_skeleton.gltf", handoff.FileName("Mü/ller", "skeleton"))
	require.Equal(t, "水鳥_2.glb", handoff.FileName("水鳥 2", "glb"))
	require.Equal(t, "___x__.glb", handoff.FileName("../x\"\n", "glb"))
	require.Less(t, len(handoff.FileName(strings.Repeat("a", 5000), "glb")), 100)
}

// Each shape target is an OBJ of its own in a ZIP, alone and fully on, and comes back as it was.
func TestTargetsAreHandedOffAsFiles(t *testing.T) {
	s := studiotest.Bound(t)
	require.True(t, studio.IsInput(handoff.Write(&bytes.Buffer{}, &s, "targets", handoff.Options{})))
	m := *s.Mesh
	m.Shapes = []mesh.Shape{
		{Name: "Smile", Vertex: []int32{3}, Offset: []r3.Vec{{Y: 0.25}}},
		{Name: "smile", Vertex: []int32{4}, Offset: []r3.Vec{{X: 0.5}}},
		{Name: "../up", Vertex: []int32{5}, Offset: []r3.Vec{{Z: -0.125}}},
	}
	s.Mesh = &m
	s = studiotest.Do(t, s, "set_target", `{"target":"Smile","value":1}`)
	var b bytes.Buffer
	require.NoError(t, handoff.Write(&b, &s, "targets", handoff.Options{}))
	file, err := zip.NewReader(bytes.NewReader(b.Bytes()), int64(b.Len()))
	require.NoError(t, err)
	require.Len(t, file.File, 3)
	for k, name := range []string{"Smile.obj", "smile_2.obj", "___up.obj"} {
		require.Equal(t, name, file.File[k].Name)
		r, err := file.File[k].Open()
		require.NoError(t, err)
		scene, err := obj.Decode(r, nil, reading.Default)
		require.NoError(t, err)
		target := shape.Difference("t", s.Mesh.World(), scene.Mesh.World(), 1e-6)
		require.Equal(t, m.Shapes[k].Vertex, target.Vertex)
		require.InDelta(t, 0, r3.Norm(r3.Sub(m.Shapes[k].Offset[0], target.Offset[0])), 1e-6)
	}
	require.Equal(t, "odile_targets.zip", handoff.FileName("Odile", "targets"))
}

func TestFromMeshToHandoff(t *testing.T) {
	s := studiotest.Bound(t)
	require.NoError(t, s.Weights.Validate())
	require.Equal(t, 3, s.Bind.Influences())
	for _, x := range s.Weights.Of {
		require.LessOrEqual(t, len(x), 3)
	}
	var buf bytes.Buffer
	require.NoError(t, handoff.Write(&buf, &s, "glb", handoff.Options{Influences: 4}))
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

// What the next department's program would trip over is told, with its number.
func TestWhatTheHandoffTells(t *testing.T) {
	codes := func(s studio.State) map[string]finding.Finding {
		out := map[string]finding.Finding{}
		for _, f := range studio.CheckOnly(&s, "handoff") {
			out[f.Code] = f
		}
		return out
	}
	s := studiotest.Bound(t)
	for code := range codes(s) { // of a coarse body with three influences
		require.Equal(t, "open_weights", code)
	}
	bare := studiotest.Odile()
	require.Contains(t, codes(bare), "not_bound")

	many := studiotest.Do(t, s, "bind_heat", `{"influences":8,"trace":0}`)
	found := codes(many)["many_influences"]
	most := 0
	for _, list := range many.Weights.Of {
		most = max(most, len(list))
	}
	require.Greater(t, most, 4)
	require.Equal(t, float64(most), found.Evidence[0].Value)
	require.Equal(t, 4.0, found.Evidence[0].Limit)
	w := *s.Weights
	w.Of = append(w.Of[:0:0], w.Of...)
	w.Of[0] = []weights.Influence{{Joint: 0, Value: 0.4}, {Joint: 1, Value: 0.3}, {Joint: 2, Value: 0.2}, {Joint: 3, Value: 0.1}}
	four := s
	four.Weights = &w
	require.NotContains(t, codes(four), "many_influences", "four are what most targets take")
	w.Of[0] = []weights.Influence{
		{Joint: 0, Value: 0.4},
		{Joint: 1, Value: 0.3},
		{Joint: 2, Value: 0.15},
		{Joint: 3, Value: 0.1},
		{Joint: 4, Value: 0.05},
	}
	require.Equal(t, 5.0, codes(four)["many_influences"].Evidence[0].Value)
	w.Of[0] = nil
	require.Equal(t, finding.Blocks, codes(four)["unweighted_vertices"].Severity)

	m := *s.Mesh
	m.Parts = append([]mesh.Part(nil), m.Parts...)
	m.Parts[0].Frame = geom.Rigid(r3.Vec{X: 0.5}, geom.Identity)
	framed := s
	framed.Mesh = &m
	require.Contains(t, codes(framed), "transform_not_identity")
	require.NotContains(t, codes(s), "transform_not_identity")

	named := s
	named.Skeleton = s.Skeleton.Clone()
	named.Skeleton.Joints[2].Name = "lower back"
	require.Equal(t, []string{"lower back"}, codes(named)["illegal_names"].Where.Joints)

	moved := studiotest.Do(t, s, "move_joint", `{"joint":"hand_l","to":[0.7,1.1,0.05]}`)
	require.Contains(t, codes(moved), "open_bind", "what is open at a stage goes along")

	// Of every stage, by name and as gravely as there; notes stay where they are.
	lying := s
	lying.Mesh = s.Mesh.Bake(mesh.Placement{Scale: 100, Up: "y"})
	f := codes(lying)["open_intake"]
	require.Equal(t, finding.Blocks, f.Severity)
	require.Equal(t, 1, f.Count)
	require.Equal(t, "Intake: a finding is open", f.Title)
	require.Contains(t, f.Why, "unit or up axis")
	flipped := studiotest.Do(t, studiotest.Do(t, s, "set_axes", ""), "roll_axes", `{"joints":["forearm_l","forearm_r"],"degrees":180}`)
	require.Contains(t, codes(flipped)["open_axes"].Why, "2 joints bend backward.")
	require.Equal(t, finding.Harms, codes(flipped)["open_axes"].Severity)
	require.NotContains(t, codes(flipped), "open_intake")
	bare.Mesh = lying.Mesh
	require.Contains(t, codes(bare), "open_intake", "also before it is bound")
}

// A kept pose that lengthens joints: the handoff tells what a file does with it, in millimetres, and the reel's
// file moves what hangs from the joint, without a scale.
func TestLengthenedJointsInAFile(t *testing.T) {
	s := studiotest.Bound(t)
	q := pose.Lengthened(pose.Turn(0, 0, 30), 1.5)
	s = studiotest.Do(
		t,
		s,
		"save_pose",
		fmt.Sprintf(`{"name":"long arm","turns":{"upper_arm_l":[%g,%g,%g,%g]}}`, q.Imag, q.Jmag, q.Kmag, q.Real),
	)
	var note *finding.Finding
	for _, f := range studio.CheckOnly(&s, "handoff") {
		if f.Code == "joints_lengthen" {
			note = &f
		}
	}
	require.NotNil(t, note)
	require.Greater(t, note.Evidence[0].Value, 1e-3)
	require.Contains(t, note.Why, "long arm")
	var file bytes.Buffer
	require.NoError(t, handoff.Write(&file, &s, "reel", handoff.Options{}))
	data := file.Bytes()
	n := binary.LittleEndian.Uint32(data[12:])
	var doc struct {
		Nodes      []struct{ Name string }
		Animations []struct {
			Channels []struct {
				Sampler int
				Target  struct {
					Node int
					Path string
				}
			}
			Samplers []struct{ Output int }
		}
		Accessors   []struct{ BufferView, ByteOffset, Count int }
		BufferViews []struct{ ByteOffset int }
	}
	require.NoError(t, json.Unmarshal(data[20:20+n], &doc))
	body := data[20+n+8:]
	moved := 0
	for _, c := range doc.Animations[0].Channels {
		require.NotEqual(t, "scale", c.Target.Path)
		if c.Target.Path != "translation" || doc.Nodes[c.Target.Node].Name != "forearm_l" {
			continue
		}
		moved++
		a := doc.Accessors[doc.Animations[0].Samplers[c.Sampler].Output]
		at := doc.BufferViews[a.BufferView].ByteOffset + a.ByteOffset
		most := 0.0
		for f := range a.Count {
			sum := 0.0
			for k := range 3 {
				x := float64(math.Float32frombits(binary.LittleEndian.Uint32(body[at+12*f+4*k:])))
				sum += x * x
			}
			most = math.Max(most, math.Sqrt(sum))
		}
		local, _ := s.Skeleton.Local(s.Skeleton.Index("forearm_l"))
		require.InDelta(t, 1.5*r3.Norm(local), most, 1e-5)
	}
	require.Equal(t, 1, moved)
	require.NoError(t, handoff.Write(&file, &s, "bvh", handoff.Options{}))
}
