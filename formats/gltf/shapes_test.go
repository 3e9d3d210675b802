package gltf_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/demo"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// shaped is a small character with a shape target of few vertices, one of many, one that a joint brings on, and a motion.
func shaped(t *testing.T) *gltf.Scene {
	m, s := demo.Odile(0.06)
	w := weights.New([]string{"hips"}, len(m.Points))
	for v := range w.Of {
		w.Of[v] = []weights.Influence{{Joint: 0, Value: 1}}
	}
	few, many, driven := mesh.Shape{Name: "few"}, mesh.Shape{Name: "many"}, mesh.Shape{Name: "elbow_l"}
	for v := range int32(len(m.Points)) {
		if v < 5 {
			few.Vertex, few.Offset = append(few.Vertex, v), append(few.Offset, r3.Vec{Y: 0.25})
		}
		many.Vertex, many.Offset = append(many.Vertex, v), append(many.Offset, r3.Vec{X: 0.125, Z: float64(v % 3)})
	}
	driven.Vertex, driven.Offset = []int32{7}, []r3.Vec{{Z: 0.5}}
	m.Shapes = []mesh.Shape{few, many, driven}
	rig := &shape.Rig{
		Targets: []shape.Target{
			{Name: "few", Value: 0.5, Group: "face"}, {Name: "many", Muted: true, Range: &[2]float64{-1, 2}},
			{
				Name: "elbow_l",
				Driver: &shape.Driver{
					Joint: "forearm_l",
					Axis:  "bend",
					Knots: []shape.Knot{{Degrees: 60, Value: 0.25}, {Degrees: 120, Value: 1}},
				},
			},
		},
		Groups: []shape.Group{{Name: "face", Times: 0.5}},
	}
	require.NoError(t, rig.Validate())
	clip := &pose.Clip{Name: "bend", Step: 1.0 / 24, Joints: []string{"forearm_l"}}
	for _, x := range s.Trials(skeleton.DefaultMarks) {
		if s.Joints[x.Joint].Name == "forearm_l" && x.Name == "bend" {
			for _, degrees := range []float64{0, 60, 90, 120} {
				clip.Turns = append(clip.Turns, []quat.Number{pose.AboutWorld(s, x, degrees)})
				clip.Root = append(clip.Root, r3.Vec{})
			}
		}
	}
	require.Len(t, clip.Turns, 4)
	return &gltf.Scene{Mesh: m, Skeleton: s, Weights: w, Shapes: rig, Marks: skeleton.DefaultMarks, Clips: []*pose.Clip{clip}}
}

// What is written comes back exactly, few offsets are written sparsely, and for programs that know nothing of drivers the
// motion has how far on each target is in every frame.
func TestShapeTargetsComeBackWithWhatBringsThemOn(t *testing.T) {
	x := shaped(t)
	var file bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&file, x))
	back, err := gltf.Decode(bytes.NewReader(file.Bytes()), nil, reading.Limits{})
	require.NoError(t, err)
	require.Empty(t, back.Notes)
	require.Len(t, back.Mesh.Shapes, 3)
	for k := range x.Mesh.Shapes {
		require.Equal(t, x.Mesh.Shapes[k], back.Mesh.Shapes[k])
	}
	about := back.Shapes.Targets[2].Driver.About
	require.NotNil(t, about)
	require.InDelta(t, 1, math.Sqrt(about[0]*about[0]+about[1]*about[1]+about[2]*about[2]), 1e-9)
	back.Shapes.Targets[2].Driver.About = nil
	require.Equal(t, x.Shapes, back.Shapes)
	again := back.Shapes.For(back.Skeleton, skeleton.DefaultMarks)
	require.Equal(t, []float64{0.25, 0, 0}, again.Values(nil))

	doc, bin := chunks(t, file.Bytes())
	mesh := doc["meshes"].([]any)[0].(map[string]any)
	require.Equal(t, []any{0.25, 0.0, 0.0}, mesh["weights"])
	accessors := doc["accessors"].([]any)
	targets := mesh["primitives"].([]any)[0].(map[string]any)["targets"].([]any)
	at := func(k int) map[string]any {
		return accessors[int(targets[k].(map[string]any)["POSITION"].(float64))].(map[string]any)
	}
	require.NotNil(t, at(0)["sparse"])
	require.Nil(t, at(0)["bufferView"])
	require.Nil(t, at(1)["sparse"])
	require.Equal(t, []any{0.0, 0.25, 0.0}, at(0)["max"])

	animation := doc["animations"].([]any)[0].(map[string]any)
	found := false
	for _, c := range animation["channels"].([]any) {
		c := c.(map[string]any)
		if c["target"].(map[string]any)["path"] != "weights" {
			continue
		}
		found = true
		output := animation["samplers"].([]any)[int(c["sampler"].(float64))].(map[string]any)["output"].(float64)
		a := accessors[int(output)].(map[string]any)
		require.Equal(t, 12.0, a["count"], "three targets in each of four frames")
		view := doc["bufferViews"].([]any)[int(a["bufferView"].(float64))].(map[string]any)
		from, _ := view["byteOffset"].(float64)
		var values []float32
		for k := range 12 {
			values = append(values, math.Float32frombits(binary.LittleEndian.Uint32(bin[int(from)+4*k:])))
		}
		for f, want := range []float64{0, 0.25, 0.625, 1} {
			require.InDelta(t, 0.25, values[3*f], 1e-6)
			require.InDelta(t, 0, values[3*f+1], 1e-6)
			require.InDelta(t, want, values[3*f+2], 1e-5, "frame %d", f)
		}
	}
	require.True(t, found)

	// Where no target ever changes there is nothing to tell.
	x.Shapes.Targets[2].Driver = nil
	file.Reset()
	require.NoError(t, gltf.EncodeGLB(&file, x))
	doc, _ = chunks(t, file.Bytes())
	for _, c := range doc["animations"].([]any)[0].(map[string]any)["channels"].([]any) {
		require.NotEqual(t, "weights", c.(map[string]any)["target"].(map[string]any)["path"])
	}
}

// What a file says of its shape targets and cannot be followed is told, and they are set by hand.
func TestShapesThatCannotBeFollowedAreSetByHand(t *testing.T) {
	x := shaped(t)
	var file bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&file, x))
	broken := bytes.Replace(file.Bytes(), []byte(`"axis":"bend"`), []byte(`"axis":"bent"`), 1)
	back, err := gltf.Decode(bytes.NewReader(broken), nil, reading.Limits{})
	require.NoError(t, err)
	require.Contains(t, back.Notes[0], "set by hand")
	require.Nil(t, back.Shapes.Targets[2].Driver)
	require.Len(t, back.Mesh.Shapes, 3)

	// Values of another program are kept.
	other := bytes.Replace(file.Bytes(), []byte(`"shapes":{"targets"`), []byte(`"figure":{"targets"`), 1)
	back, err = gltf.Decode(bytes.NewReader(other), nil, reading.Limits{})
	require.NoError(t, err)
	require.Equal(t, 0.25, back.Shapes.Targets[0].Value)
}

// A file that says too much of its shape targets is read without that, and it is told.
func TestTooManyGroupsOfShapesAreToldOf(t *testing.T) {
	x := shaped(t)
	x.Shapes.Groups = nil
	for k := range shape.MostGroups + 1 {
		x.Shapes.Groups = append(x.Shapes.Groups, shape.Group{Name: fmt.Sprint("g", k), Times: 1})
	}
	var file bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&file, x))
	back, err := gltf.Decode(bytes.NewReader(file.Bytes()), nil, reading.Limits{})
	require.NoError(t, err)
	require.Contains(t, strings.Join(back.Notes, "\n"), "at most 1000 in 200 are read")
	require.Len(t, back.Mesh.Shapes, 3)
	require.Nil(t, back.Shapes.Targets[2].Driver)
}

// chunks are the JSON and the binary chunk of a GLB.
func chunks(t *testing.T, data []byte) (map[string]any, []byte) {
	n := binary.LittleEndian.Uint32(data[12:])
	var doc map[string]any
	require.NoError(t, json.Unmarshal(data[20:20+n], &doc))
	return doc, data[20+n+8:]
}

// A build is shown by every program: with the joints of the file alone its motions move the skin as core does with those of the
// build, also where a joint that turns brings it on; and they come back as they were.
func TestMotionsAreShownInABuild(t *testing.T) {
	for _, driven := range []bool{false, true} {
		x := shaped(t)
		x.Weights = weights.New(nil, len(x.Mesh.Points))
		for i, j := range x.Skeleton.Joints {
			x.Weights.Joints = append(x.Weights.Joints, j.Name)
			for v := i; v < len(x.Mesh.Points); v += len(x.Skeleton.Joints) {
				x.Weights.Of[v] = []weights.Influence{{Joint: int32(i), Value: 1}}
			}
		}
		k := 0 // by hand, at a quarter
		if driven {
			k = 2
		}
		rng := rand.New(rand.NewPCG(3, 4))
		shifts := map[string]shape.Shift{}
		for _, j := range x.Skeleton.Joints {
			shifts[j.Name] = shape.Shift{
				Move: [3]float64{rng.NormFloat64() / 20, rng.NormFloat64() / 20, rng.NormFloat64() / 20},
				Turn: [3]float64{rng.NormFloat64() / 10, rng.NormFloat64() / 10, rng.NormFloat64() / 10},
			}
		}
		x.Shapes.Targets[k].Joints = shifts
		c := &pose.Clip{Name: "anyhow", Step: 1.0 / 24}
		for _, j := range x.Skeleton.Joints {
			c.Joints = append(c.Joints, j.Name)
		}
		for range 6 {
			var row []quat.Number
			for range c.Joints {
				row = append(row, pose.Turn(40*rng.NormFloat64(), 20*rng.NormFloat64(), 30*rng.NormFloat64()))
			}
			c.Turns, c.Root = append(c.Turns, row), append(c.Root, r3.Vec{X: rng.NormFloat64()})
		}
		x.Clips = append(x.Clips, c)

		tris, _ := x.Mesh.Triangles()
		skin, err := deform.NewSkin(x.Mesh.World(), tris, x.Weights, x.Skeleton, nil)
		require.NoError(t, err)
		values := x.Shapes.For(x.Skeleton, skeleton.DefaultMarks)
		shown := skin.Shaped(x.Mesh.WorldShapes(), values)

		var file bytes.Buffer
		require.NoError(t, gltf.EncodeGLB(&file, x))
		back, err := gltf.Decode(bytes.NewReader(file.Bytes()), nil, reading.Limits{})
		require.NoError(t, err)
		require.Empty(t, back.Notes)
		require.Equal(t, x.Shapes.Targets[k].Joints, back.Shapes.Targets[k].Joints)

		// As a program shows it that knows nothing of builds: by the nodes, their channels, and the inverse bind matrices.
		nodes := worldsIn(t, file.Bytes(), 1, x.Skeleton)
		for f := range c.Frames() {
			p, root := c.At(f)
			want := shown.Places(p)
			rest := shape.Places(x.Mesh.World(), x.Mesh.WorldShapes(), values.Values(p))
			for v, at := range rest {
				joint := x.Weights.Of[v][0].Joint
				bind := pose.InverseBind(x.Skeleton)[joint]
				got := nodes[f][joint].Mul(bind).Point(at)
				require.InDelta(t, 0, r3.Norm(r3.Sub(got, r3.Add(want[v], root))), 2e-5, "vertex %d in frame %d", v, f)
			}
			again, move := back.Clips[1].At(f)
			require.InDelta(t, 0, r3.Norm(r3.Sub(root, move)), 1e-5)
			for name, q := range p {
				require.InDelta(
					t,
					1,
					math.Abs(again[name].Real*q.Real+again[name].Imag*q.Imag+again[name].Jmag*q.Jmag+again[name].Kmag*q.Kmag),
					1e-5,
				)
			}
		}
	}
}

// worldsIn are the world transforms of the joints in the frames of animation k of a file, by its nodes and channels alone.
func worldsIn(t *testing.T, file []byte, k int, s *skeleton.Skeleton) (out [][]geom.Matrix) {
	doc, bin := chunks(t, file)
	accessors, views := doc["accessors"].([]any), doc["bufferViews"].([]any)
	floats := func(i int, width int) []float64 {
		a := accessors[i].(map[string]any)
		view := views[int(a["bufferView"].(float64))].(map[string]any)
		from, _ := view["byteOffset"].(float64)
		var list []float64
		for n := range width * int(a["count"].(float64)) {
			list = append(list, float64(math.Float32frombits(binary.LittleEndian.Uint32(bin[int(from)+4*n:]))))
		}
		return list
	}
	animation := doc["animations"].([]any)[k].(map[string]any)
	type keys struct{ places, turns []float64 }
	of := map[int]*keys{}
	frames := 0
	for _, c := range animation["channels"].([]any) {
		c := c.(map[string]any)
		target := c["target"].(map[string]any)
		output := int(animation["samplers"].([]any)[int(c["sampler"].(float64))].(map[string]any)["output"].(float64))
		node := int(target["node"].(float64))
		if of[node] == nil {
			of[node] = &keys{}
		}
		switch target["path"] {
		case "translation":
			of[node].places = floats(output, 3)
		case "rotation":
			of[node].turns = floats(output, 4)
			frames = len(of[node].turns) / 4
		}
	}
	for f := range frames {
		world := make([]geom.Matrix, len(s.Joints))
		for i, j := range s.Joints {
			at, q := s.Local(i)
			if x := of[i]; x != nil && x.places != nil {
				at = r3.Vec{X: x.places[3*f], Y: x.places[3*f+1], Z: x.places[3*f+2]}
			}
			if x := of[i]; x != nil && x.turns != nil {
				q = geom.Normalise(quat.Number{Imag: x.turns[4*f], Jmag: x.turns[4*f+1], Kmag: x.turns[4*f+2], Real: x.turns[4*f+3]})
			}
			world[i] = geom.Rigid(at, q)
			if j.Parent >= 0 {
				world[i] = world[j.Parent].Mul(world[i])
			}
		}
		out = append(out, world)
	}
	return out
}
