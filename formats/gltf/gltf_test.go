package gltf_test

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"strings"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/formats/bvh"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/look"
	"wisemarrow/formats/reading"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// patch is a 3×3 quad grid in two parts, bound to two joints.
func patch() (*mesh.Mesh, *skeleton.Skeleton, *weights.Weights) {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("left half"), mesh.NewPart("right half")}}
	m.Parts[1].Colour = [3]float32{0.5, 0.25, 0.125}
	for i := range 9 {
		m.Points = append(m.Points, r3.Vec{X: float64(i%3) / 3, Y: float64(i/3) / 3, Z: math.Sin(float64(i)) / 10})
	}
	for i, f := range [][4]int32{{0, 1, 4, 3}, {3, 4, 7, 6}, {1, 2, 5, 4}, {4, 5, 8, 7}} {
		m.AddFace(int32(i/2), f[0], f[1], f[2], f[3])
	}
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{
		{Name: "hips", Parent: -1, Pos: r3.Vec{Y: 0.1}, Rot: geom.AxisAngle(r3.Vec{Z: 1}, 0.5)},
		{Name: "thigh_l", Parent: 0, Pos: r3.Vec{X: 0.4, Y: 0.2, Z: 0.1}, Rot: geom.AxisAngle(r3.Vec{X: 1, Y: 1}, 1.5)}}}
	w := weights.New([]string{"hips", "thigh_l"}, 9)
	for v := range w.Of {
		t := float64(v) / 8
		w.Of[v] = weights.Clean([]weights.Influence{{Joint: 0, Value: 1 - t}, {Joint: 1, Value: t}}, weights.Limits{Cap: 4})
	}
	return m, s, w
}

func TestRoundTripIsExactToFloat32(t *testing.T) {
	m, s, w := patch()
	var buf bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&buf, &gltf.Scene{Mesh: m, Skeleton: s, Weights: w}))
	back, err := gltf.Decode(&buf, nil, reading.Default)
	require.NoError(t, err)
	require.Len(t, back.Mesh.Points, 9)
	require.Zero(t, back.Joined)
	for v, p := range m.Points {
		q := back.Mesh.Points[v]
		require.Equal(t, [3]float32{float32(p.X), float32(p.Y), float32(p.Z)}, [3]float32{float32(q.X), float32(q.Y), float32(q.Z)})
		for _, x := range w.Of[v] {
			require.InDelta(t, x.Value, back.Weights.Value(v, x.Joint), 1e-7)
		}
	}
	require.Equal(t, "left half", back.Mesh.Parts[0].Name)
	require.Equal(t, m.Parts[1].Colour, back.Mesh.Parts[1].Colour)
	for i, j := range s.Joints {
		require.Equal(t, j.Name, back.Skeleton.Joints[i].Name)
		require.InDelta(t, 0, r3.Norm(r3.Sub(j.Pos, back.Skeleton.Joints[i].Pos)), 1e-12)
		require.InDelta(t, j.Rot.Real, back.Skeleton.Joints[i].Rot.Real, 1e-12)
	}
}

func TestSkeletonFileRoundTrip(t *testing.T) {
	s, err := skeleton.Biped(1.7).Orient(nil, skeleton.DefaultConvention, skeleton.DefaultMarks)
	require.NoError(t, err)
	var buf bytes.Buffer
	require.NoError(t, gltf.EncodeSkeleton(&buf, s))
	back, err := gltf.Decode(&buf, nil, reading.Default)
	require.NoError(t, err)
	require.Nil(t, back.Mesh)
	require.Len(t, back.Skeleton.Joints, len(s.Joints))
	for _, j := range s.Joints {
		i, err := back.Skeleton.Find(j.Name)
		require.NoError(t, err)
		require.InDelta(t, 0, r3.Norm(r3.Sub(j.Pos, back.Skeleton.Joints[i].Pos)), 1e-9)
	}
}

// A helper joint keeps its rule in a file, and a clip turns it for programs that do not know the rule. A rule that cannot
// be followed leaves a joint like any other, and is told.
func TestHelperJointsRoundTrip(t *testing.T) {
	s, err := skeleton.Biped(1.7).Orient(nil, skeleton.DefaultConvention, skeleton.DefaultMarks)
	require.NoError(t, err)
	d := s.Index("thigh_l")
	rule := skeleton.Helper{Driver: "thigh_l", Twist: true, Share: -0.6}
	s.Joints = append(s.Joints, skeleton.Joint{Name: "thigh_untwist_l", Parent: d, Pos: s.Joints[d].Pos, Rot: s.Joints[d].Rot, Helper: &rule})
	require.NoError(t, s.Validate())
	turn := pose.Pose{"thigh_l": pose.Turn(30, 20, -40)}
	clip := pose.Saved("turned", s, turn, r3.Vec{}).AboutOwn(s).WithHelpers(s)
	var buf bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&buf, &gltf.Scene{Skeleton: s, Clips: []*pose.Clip{clip}}))
	back, err := gltf.Decode(bytes.NewReader(buf.Bytes()), nil, reading.Default)
	require.NoError(t, err)
	require.Empty(t, back.Notes)
	i, err := back.Skeleton.Find("thigh_untwist_l")
	require.NoError(t, err)
	require.Equal(t, &rule, back.Skeleton.Joints[i].Helper)
	require.Len(t, back.Clips, 1)
	bare := back.Skeleton.Clone()
	bare.Joints[i].Helper = nil
	p, _ := back.Clips[0].At(0)
	want, got := pose.World(s, turn), pose.World(bare, p)
	for k, j := range s.Joints {
		n, err := back.Skeleton.Find(j.Name)
		require.NoError(t, err)
		at := r3.Vec{X: 0.1, Y: 0.2, Z: 0.3}
		require.InDelta(t, 0, r3.Norm(r3.Sub(want[k].Point(at), got[n].Point(at))), 1e-6, j.Name)
	}

	var text bytes.Buffer
	require.NoError(t, bvh.Encode(&text, s, clip))
	file, err := bvh.Decode(&text, reading.Default)
	require.NoError(t, err)
	k := file.Skeleton.Index("thigh_untwist_l")
	require.GreaterOrEqual(t, k, 0)
	require.Contains(t, file.Clip.Joints, "thigh_untwist_l")

	odd := bytes.ReplaceAll(buf.Bytes(), []byte(`"driver":"thigh_l"`), []byte(`"driver":"nobody_"`))
	back, err = gltf.Decode(bytes.NewReader(odd), nil, reading.Default)
	require.NoError(t, err)
	require.Empty(t, back.Skeleton.Helpers())
	require.Contains(t, strings.Join(back.Notes, "\n"), "rules that cannot be followed")
}

// glTF 2.0: weights sum to 1 and inverse bind matrices undo the rest pose.
func TestWrittenNumbersFollowTheSpecification(t *testing.T) {
	m, s, w := patch()
	w.Of[3] = nil
	var buf bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&buf, &gltf.Scene{Mesh: m, Skeleton: s, Weights: w}))
	back, err := gltf.Decode(bytes.NewReader(buf.Bytes()), nil, reading.Default)
	require.NoError(t, err)
	require.Equal(t, []weights.Influence{{Joint: 0, Value: 1}}, back.Weights.Of[3], "without weights it follows the root")
	for i, b := range pose.InverseBind(s) {
		p := b.Point(s.Joints[i].Pos)
		require.InDelta(t, 0, r3.Norm(p), 1e-12)
	}
	require.EqualValues(t, buf.Len(), binary.LittleEndian.Uint32(buf.Bytes()[8:]))
}

// document builds a .gltf with one triangle; spoil may change it.
func document(spoil func(d map[string]any)) string {
	var b bytes.Buffer
	for _, v := range []float32{0, 0, 0, 1, 0, 0, 0, 1, 0} {
		_ = binary.Write(&b, binary.LittleEndian, v)
	}
	for _, v := range []uint16{0, 1, 2, 0} {
		_ = binary.Write(&b, binary.LittleEndian, v)
	}
	d := map[string]any{
		"asset":  map[string]any{"version": "2.0"},
		"nodes":  []any{map[string]any{"mesh": 0, "translation": []float64{1, 2, 3}, "scale": []float64{2, 2, 2}}},
		"meshes": []any{map[string]any{"primitives": []any{map[string]any{"attributes": map[string]any{"POSITION": 0}, "indices": 1}}}},
		"accessors": []any{
			map[string]any{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"},
			map[string]any{"bufferView": 1, "componentType": 5123, "count": 3, "type": "SCALAR"}},
		"bufferViews": []any{map[string]any{"buffer": 0, "byteLength": 36}, map[string]any{"buffer": 0, "byteOffset": 36, "byteLength": 8}},
		"buffers": []any{
			map[string]any{"byteLength": 44, "uri": "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(b.Bytes())},
		},
	}
	if spoil != nil {
		spoil(d)
	}
	out, _ := json.Marshal(d)
	return string(out)
}

func at(d map[string]any, list string, i int) map[string]any {
	return d[list].([]any)[i].(map[string]any)
}

func TestNodeTransformsAreKeptApart(t *testing.T) {
	s, err := gltf.Decode(strings.NewReader(document(nil)), nil, reading.Default)
	require.NoError(t, err)
	require.True(t, s.Mesh.Framed())
	require.Equal(t, r3.Vec{X: 1}, s.Mesh.Points[1])
	require.Equal(t, r3.Vec{X: 3, Y: 2, Z: 3}, s.Mesh.World()[1])
}

func TestBrokenFilesSayWhere(t *testing.T) {
	for want, spoil := range map[string]func(d map[string]any){
		"version":                 func(d map[string]any) { at2(d, "asset")["version"] = "1.0" },
		"accessor 0":              func(d map[string]any) { at(d, "accessors", 0)["count"] = 4 },
		"accessor 1: it does not": func(d map[string]any) { d["accessors"] = d["accessors"].([]any)[:1] },
		"buffer view 1 reaches":   func(d map[string]any) { at(d, "bufferViews", 1)["byteLength"] = 80 },
		"buffer 0":                func(d map[string]any) { at(d, "buffers", 0)["uri"] = "data:;base64,AA" },
		"needed beside":           func(d map[string]any) { at(d, "buffers", 0)["uri"] = "body.bin" },
		"not among the files":     func(d map[string]any) { at(d, "buffers", 0)["uri"] = "../../etc/passwd" },
		"node 0: its child":       func(d map[string]any) { at(d, "nodes", 0)["children"] = []int{0} },
		"in a circle": func(d map[string]any) {
			d["nodes"] = []any{map[string]any{"children": []int{1}}, map[string]any{"children": []int{2}}, map[string]any{"children": []int{1}}}
		},
		"KHR_draco":    func(d map[string]any) { d["extensionsRequired"] = []string{"KHR_draco_mesh_compression"} },
		"no positions": func(d map[string]any) { prim(d)["attributes"] = map[string]any{} },
		"an index names": func(d map[string]any) {
			at(d, "accessors", 1)["componentType"] = 5121
			at(d, "bufferViews", 1)["byteOffset"] = 12
		},
		"not a quaternion":    func(d map[string]any) { at(d, "nodes", 0)["rotation"] = []float64{0, 0, 0, 0} },
		"not a finite number": func(d map[string]any) { at(d, "bufferViews", 0)["byteOffset"] = 0; nan(d) },
		"size limit":          func(d map[string]any) { at(d, "accessors", 0)["count"] = 1 << 40 },
		"mesh 7":              func(d map[string]any) { at(d, "nodes", 0)["mesh"] = 7 },
	} {
		_, err := gltf.Decode(strings.NewReader(document(spoil)), nil, reading.Default)
		if want == "in a circle" {
			require.Error(t, err)
			continue
		}
		require.ErrorContains(t, err, want, want)
	}
}

func at2(d map[string]any, name string) map[string]any { return d[name].(map[string]any) }

func prim(d map[string]any) map[string]any {
	return at(d, "meshes", 0)["primitives"].([]any)[0].(map[string]any)
}

func nan(d map[string]any) {
	b := make([]byte, 44)
	binary.LittleEndian.PutUint32(b, math.Float32bits(float32(math.NaN())))
	at(d, "buffers", 0)["uri"] = "data:;base64," + base64.StdEncoding.EncodeToString(b)
}

func TestSplitVerticesAreOneAndSplitAgain(t *testing.T) {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("m")}, Points: []r3.Vec{{}, {X: 1}, {Y: 1}, {X: 1, Y: 1}}}
	m.AddFace(0, 0, 1, 2)
	m.AddFace(0, 2, 1, 3)
	m.UV = [][2]float32{{0, 0}, {0.5, 0}, {0, 0.5}, {0.9, 0.1}, {0.8, 0.2}, {1, 1}}
	var buf bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&buf, &gltf.Scene{Mesh: m}))
	back, err := gltf.Decode(&buf, nil, reading.Default)
	require.NoError(t, err)
	require.Len(t, back.Mesh.Points, 4)
	require.Equal(t, 2, back.Joined)
	require.Equal(t, m.UV, back.Mesh.UV)
}

func FuzzDecode(f *testing.F) {
	m, s, w := patch()
	var buf bytes.Buffer
	_ = gltf.EncodeGLB(&buf, &gltf.Scene{Mesh: m, Skeleton: s, Weights: w})
	f.Add(buf.Bytes())
	f.Add([]byte(document(nil)))
	limits := reading.Limits{Bytes: 1 << 20, Vertices: 2000}
	f.Fuzz(func(t *testing.T, data []byte) {
		scene, err := gltf.Decode(bytes.NewReader(data), nil, limits)
		if err != nil {
			return
		}
		if scene.Mesh != nil {
			if err := scene.Mesh.Validate(); err != nil {
				t.Fatal("a mesh that was read is not sound:", err)
			}
		}
		if scene.Skeleton != nil {
			if err := scene.Skeleton.Validate(); err != nil {
				t.Fatal("a skeleton that was read is not sound:", err)
			}
		}
	})
}

// everything is a document with a skin, sparse and normalised accessors, a shape
// target, further attributes, strips, materials with textures, and a node tree.
const everything = `{"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0]}],
"nodes":[{"children":[1,2],"scale":[1,2,1]},{"mesh":0,"skin":0,"translation":[1,0,0]},{"name":"a","children":[3],"rotation":[0,0,0,1]},{"name":"b","matrix":[1,0,0,0,0,1,0,0,0,0,1,0,0,1,0,1]},{"mesh":0}],
"meshes":[{"primitives":[{"attributes":{"POSITION":0,"NORMAL":0,"TEXCOORD_0":1,"COLOR_0":2,"JOINTS_0":3,"WEIGHTS_0":2},"indices":4,"mode":5,"material":0,"targets":[{"POSITION":5}]}],"extras":{"targetNames":["up"]}}],
"skins":[{"joints":[2,3]}],"materials":[{"pbrMetallicRoughness":{"baseColorFactor":[1,0,0,1],"baseColorTexture":{"index":0}}}],
"textures":[{"source":0}],"images":[{"bufferView":0,"mimeType":"image/png"}],
"accessors":[{"bufferView":0,"componentType":5126,"count":4,"type":"VEC3"},{"bufferView":1,"byteOffset":2,"componentType":5123,"normalized":true,"count":4,"type":"VEC2"},
{"bufferView":1,"componentType":5121,"normalized":true,"count":4,"type":"VEC4"},{"bufferView":2,"componentType":5121,"count":4,"type":"VEC4"},{"bufferView":3,"componentType":5121,"count":6,"type":"SCALAR"},
{"componentType":5126,"count":4,"type":"VEC3","sparse":{"count":2,"indices":{"bufferView":2,"byteOffset":1,"componentType":5121},"values":{"bufferView":0}}}],
"bufferViews":[{"buffer":0,"byteLength":48},{"buffer":0,"byteOffset":8,"byteLength":40,"byteStride":8},{"buffer":0,"byteOffset":48,"byteLength":16},{"buffer":0,"byteOffset":64,"byteLength":8}],
"buffers":[{"byteLength":72,"uri":"data:application/octet-stream;base64,%s"}]}`

var number = regexp.MustCompile(`-?\d+(?:\.\d+)?`)

// FuzzNumbers changes numbers of a document that has everything, and its data,
// so that what hangs on indices, counts and offsets is reached.
func FuzzNumbers(f *testing.F) {
	f.Add(uint16(0), int64(0), uint16(1), int64(1), []byte("\x00\x01\x01\x02\x02\x03"))
	f.Add(uint16(40), int64(-1), uint16(70), int64(1<<40), []byte{})
	limits := reading.Limits{Bytes: 1 << 20, Vertices: 2000}
	f.Fuzz(func(t *testing.T, a uint16, x int64, b uint16, y int64, data []byte) {
		bin := make([]byte, 72)
		copy(bin[64:], "\x00\x01\x02\x03\x01\x02")
		copy(bin[48:], data)
		copy(bin, data)
		places := number.FindAllStringIndex(everything, -1)
		edit := map[int]int64{int(a) % len(places): x, int(b) % len(places): y}
		var out strings.Builder
		last := 0
		for i, p := range places {
			if v, ok := edit[i]; ok {
				out.WriteString(everything[last:p[0]])
				fmt.Fprint(&out, v)
				last = p[1]
			}
		}
		out.WriteString(everything[last:])
		doc := strings.Replace(out.String(), "%s", base64.StdEncoding.EncodeToString(bin), 1)
		scene, err := gltf.Decode(strings.NewReader(doc), nil, limits)
		if err != nil {
			return
		}
		if scene.Mesh != nil {
			if err := scene.Mesh.Validate(); err != nil {
				t.Fatal("a mesh that was read is not sound:", err)
			}
		}
		if scene.Weights != nil {
			if err := scene.Weights.Validate(); err != nil {
				t.Fatal("weights that were read are not sound:", err)
			}
		}
		var again bytes.Buffer
		if err := gltf.EncodeGLB(&again, scene); err != nil {
			t.Fatal("what was read cannot be written:", err)
		}
		if _, err := gltf.Decode(&again, nil, reading.Default); err != nil {
			t.Fatal("what was written cannot be read:", err)
		}
	})
}

func TestTheDocumentWithEverythingIsRead(t *testing.T) {
	bin := make([]byte, 72)
	copy(bin[48:], []byte{0, 1, 1, 0})
	copy(bin[64:], []byte{0, 1, 2, 3, 1, 2})
	for i := range 12 {
		binary.LittleEndian.PutUint32(bin[4*i:], math.Float32bits(float32(i*i%7)))
	}
	s, err := gltf.Decode(strings.NewReader(fmt.Sprintf(everything, base64.StdEncoding.EncodeToString(bin))), nil, reading.Default)
	require.NoError(t, err)
	require.NotEmpty(t, s.Mesh.Points)
	require.Len(t, s.Skeleton.Joints, 2)
	require.Len(t, s.Mesh.Shapes, 1)
	require.NotNil(t, s.Look)
}

func ExampleDecode() {
	s, err := gltf.Decode(strings.NewReader(document(nil)), nil, reading.Default)
	fmt.Println(len(s.Mesh.Points), s.Mesh.Faces(), err)
	// Output: 3 1 <nil>
}

// glTF 2.0, 3.6.2.4 and 4.4: chunks and accessors begin at multiples of four and of the size of their
// components, and the bounds of positions are those of the numbers that are stored, to the bit.
func TestWhatIsWrittenIsAlignedAndBounded(t *testing.T) {
	for _, influences := range []int{1, 3, 5} { // with pictures of one, three and five bytes
		m, s, w := patch()
		for i := range m.Points {
			m.Points[i] = r3.Add(r3.Scale(1.0/3, m.Points[i]), r3.Vec{X: 0.1, Y: 1.0 / 7})
		}
		for v := range w.Of {
			w.Of[v] = weights.Clean(w.Of[v], weights.Limits{Cap: influences})
		}
		var buf bytes.Buffer
		pictures := &look.Look{
			Materials: []json.RawMessage{[]byte(`{"name":"skin"}`)},
			Images: []look.Image{
				{Name: "a", Mime: "image/png", Data: make([]byte, influences)},
				{Name: "b", Mime: "image/png", Data: make([]byte, influences)},
			},
		}
		require.NoError(t, gltf.EncodeGLB(&buf, &gltf.Scene{Mesh: m, Skeleton: s, Weights: w, Look: pictures}))
		data := buf.Bytes()
		require.Zero(t, len(data)%4)
		length := int(binary.LittleEndian.Uint32(data[12:]))
		require.Zero(t, length%4, "the text chunk")
		var doc struct {
			BufferViews []struct{ ByteOffset, ByteLength, ByteStride int }
			Accessors   []struct {
				BufferView, ByteOffset, ComponentType, Count int
				Type                                         string
				Min, Max                                     []float64
			}
			Meshes []struct {
				Primitives []struct{ Attributes map[string]int }
			}
		}
		require.NoError(t, json.Unmarshal(data[20:20+length], &doc))
		bin := data[20+length+8:]
		require.Equal(t, len(bin), int(binary.LittleEndian.Uint32(data[20+length:])))
		require.Zero(t, len(bin)%4, "the binary chunk")
		for k, v := range doc.BufferViews {
			require.Zero(t, v.ByteOffset%4, "view %d", k)
			require.LessOrEqual(t, v.ByteOffset+v.ByteLength, len(bin))
		}
		sizes := map[int]int{5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4}
		for k, a := range doc.Accessors {
			v := doc.BufferViews[a.BufferView]
			require.Zero(t, (v.ByteOffset+a.ByteOffset)%max(4, sizes[a.ComponentType]), "accessor %d", k)
		}
		positions := 0
		for _, x := range doc.Meshes {
			for _, p := range x.Primitives {
				a := doc.Accessors[p.Attributes["POSITION"]]
				lo, hi := []float64{math.Inf(1), math.Inf(1), math.Inf(1)}, []float64{math.Inf(-1), math.Inf(-1), math.Inf(-1)}
				at := doc.BufferViews[a.BufferView].ByteOffset + a.ByteOffset
				for i := range 3 * a.Count {
					x := float64(math.Float32frombits(binary.LittleEndian.Uint32(bin[at+4*i:])))
					lo[i%3], hi[i%3] = math.Min(lo[i%3], x), math.Max(hi[i%3], x)
				}
				require.Equal(t, lo, a.Min)
				require.Equal(t, hi, a.Max)
				positions += a.Count
			}
		}
		require.Positive(t, positions)
	}
}

// Attributes in whole numbers (KHR_mesh_quantization) are read as what they stand for; the node scales them.
func TestQuantizedAttributesAreRead(t *testing.T) {
	var bin []byte
	for _, p := range [][4]int16{{0, 0, 0, 0}, {1000, 0, 0, 0}, {0, 2000, 0, 0}} {
		for _, x := range p {
			bin = binary.LittleEndian.AppendUint16(bin, uint16(x))
		}
	}
	for range 3 {
		bin = append(bin, 0, 0, 127, 0) // +Z, normalized
	}
	text := `{"asset":{"version":"2.0"},"extensionsUsed":["KHR_mesh_quantization"],"extensionsRequired":["KHR_mesh_quantization"],
"buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,` + base64.StdEncoding.EncodeToString(bin) + `"}],
"bufferViews":[{"buffer":0,"byteLength":24,"byteStride":8},{"buffer":0,"byteOffset":24,"byteLength":12,"byteStride":4}],
"accessors":[{"bufferView":0,"componentType":5122,"count":3,"type":"VEC3","min":[0,0,0],"max":[1000,2000,0]},
{"bufferView":1,"componentType":5120,"normalized":true,"count":3,"type":"VEC3"}],
"meshes":[{"name":"flag","primitives":[{"attributes":{"POSITION":0,"NORMAL":1}}]}],
"nodes":[{"mesh":0,"name":"flag","scale":[0.001,0.001,0.001]}],"scenes":[{"nodes":[0]}],"scene":0}`
	x, err := gltf.Decode(strings.NewReader(text), nil, reading.Default)
	require.NoError(t, err)
	points := x.Mesh.World()
	require.InDelta(t, 0, r3.Norm(r3.Sub(points[1], r3.Vec{X: 1})), 1e-12)
	require.InDelta(t, 0, r3.Norm(r3.Sub(points[2], r3.Vec{Y: 2})), 1e-12)
	require.Equal(t, [3]float32{0, 0, 1}, x.Mesh.Normal[0])
	_, err = gltf.Decode(strings.NewReader(strings.ReplaceAll(text, "KHR_mesh_quantization", "EXT_meshopt_compression")), nil, reading.Default)
	require.ErrorContains(t, err, "EXT_meshopt_compression", "what cannot be read is named")
}
