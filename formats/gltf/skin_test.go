package gltf_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"math"
	"os"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// arm is a tube of three rings on three joints.
func arm() *gltf.Scene {
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{
		{Name: "upper", Parent: -1, Rot: geom.AxisAngle(r3.Vec{Z: 1}, 0.4)},
		{Name: "fore", Parent: 0, Pos: r3.Vec{X: 1}, Rot: geom.AxisAngle(r3.Vec{X: 1}, 1)},
		{Name: "hand", Parent: 1, Pos: r3.Vec{X: 2, Y: 0.1}, Rot: geom.Identity}}}
	m := &mesh.Mesh{Start: []int32{0}, Parts: []mesh.Part{mesh.NewPart("arm")}}
	w := weights.New([]string{"upper", "fore", "hand"}, 12)
	for ring := range 3 {
		for k := range 4 {
			a := float64(k) * math.Pi / 2
			v := len(m.Points)
			m.Points = append(m.Points, r3.Vec{X: float64(ring), Y: 0.25 * math.Cos(a), Z: 0.25 * math.Sin(a)})
			w.Of[v] = []weights.Influence{{Joint: int32(ring), Value: 0.75}, {Joint: int32((ring + 1) % 3), Value: 0.25}}
		}
	}
	for ring := range 2 {
		for k := range 4 {
			a, b := int32(4*ring+k), int32(4*ring+(k+1)%4)
			m.AddFace(0, a, b, b+4, a+4)
		}
	}
	return &gltf.Scene{Mesh: m, Skeleton: s, Weights: w}
}

// changed writes a scene and changes the JSON of the file.
func changed(t *testing.T, x *gltf.Scene, change func(doc map[string]any)) []byte {
	t.Helper()
	var buf bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&buf, x))
	data := buf.Bytes()
	n := binary.LittleEndian.Uint32(data[12:])
	var doc map[string]any
	require.NoError(t, json.Unmarshal(data[20:20+n], &doc))
	change(doc)
	text, err := json.Marshal(doc)
	require.NoError(t, err)
	for len(text)%4 != 0 {
		text = append(text, ' ')
	}
	out := append([]byte(nil), data[:12]...)
	out = binary.LittleEndian.AppendUint32(out, uint32(len(text)))
	out = append(out, "JSON"...)
	out = append(append(out, text...), data[20+n:]...)
	binary.LittleEndian.PutUint32(out[8:], uint32(len(out)))
	return out
}

func node(doc map[string]any, name string) map[string]any {
	for _, n := range doc["nodes"].([]any) {
		if n.(map[string]any)["name"] == name {
			return n.(map[string]any)
		}
	}
	return nil
}

// bySpec evaluates the skinning equation of glTF 2.0 (3.7.3.3 and 5.28) on the file itself,
// with nothing of ours but the matrix type: the corners of the first primitive of each
// skinned node, as bags of places.
func bySpec(t *testing.T, data, beside []byte) []r3.Vec {
	t.Helper()
	text, bin := data, beside
	if bytes.HasPrefix(data, []byte("glTF")) {
		n := binary.LittleEndian.Uint32(data[12:])
		text, bin = data[20:20+n], data[28+n:]
	}
	var doc struct {
		Nodes []struct {
			Children                     []int
			Translation, Rotation, Scale []float64
			Matrix                       []float64
			Mesh, Skin                   *int
		}
		Meshes []struct {
			Primitives []struct {
				Attributes map[string]int
				Indices    *int
			}
		}
		Skins []struct {
			InverseBindMatrices *int
			Joints              []int
		}
		Accessors   []struct{ BufferView, ByteOffset, ComponentType, Count int }
		BufferViews []struct{ Buffer, ByteOffset, ByteLength, ByteStride int }
	}
	require.NoError(t, json.Unmarshal(text, &doc))
	numbers := func(i, width int) [][]float64 {
		a := doc.Accessors[i]
		v := doc.BufferViews[a.BufferView]
		size := map[int]int{5121: 1, 5123: 2, 5125: 4, 5126: 4}[a.ComponentType]
		stride := v.ByteStride
		if stride == 0 {
			stride = width * size
		}
		out := make([][]float64, a.Count)
		for k := range out {
			for c := range width {
				at := bin[v.ByteOffset+a.ByteOffset+k*stride+c*size:]
				x := 0.0
				switch a.ComponentType {
				case 5121:
					x = float64(at[0])
				case 5123:
					x = float64(binary.LittleEndian.Uint16(at))
				case 5125:
					x = float64(binary.LittleEndian.Uint32(at))
				default:
					x = float64(math.Float32frombits(binary.LittleEndian.Uint32(at)))
				}
				out[k] = append(out[k], x)
			}
		}
		return out
	}
	world := make([]geom.Matrix, len(doc.Nodes))
	var walk func(i int, up geom.Matrix)
	isChild := map[int]bool{}
	for _, n := range doc.Nodes {
		for _, c := range n.Children {
			isChild[c] = true
		}
	}
	walk = func(i int, up geom.Matrix) {
		n := doc.Nodes[i]
		m := geom.IdentityMatrix
		if n.Matrix != nil {
			copy(m[:], n.Matrix)
		} else {
			p, q, s := r3.Vec{}, quat.Number{Real: 1}, r3.Vec{X: 1, Y: 1, Z: 1}
			if v := n.Translation; v != nil {
				p = r3.Vec{X: v[0], Y: v[1], Z: v[2]}
			}
			if v := n.Rotation; v != nil {
				q = quat.Number{Imag: v[0], Jmag: v[1], Kmag: v[2], Real: v[3]}
			}
			if v := n.Scale; v != nil {
				s = r3.Vec{X: v[0], Y: v[1], Z: v[2]}
			}
			m = geom.Compose(p, q, s)
		}
		world[i] = up.Mul(m)
		for _, c := range n.Children {
			walk(c, world[i])
		}
	}
	for i := range doc.Nodes {
		if !isChild[i] {
			walk(i, geom.IdentityMatrix)
		}
	}
	var out []r3.Vec
	for _, n := range doc.Nodes {
		if n.Mesh == nil || n.Skin == nil {
			continue
		}
		sk, p := doc.Skins[*n.Skin], doc.Meshes[*n.Mesh].Primitives[0]
		inverse := numbers(*sk.InverseBindMatrices, 16)
		js, ws := numbers(p.Attributes["JOINTS_0"], 4), numbers(p.Attributes["WEIGHTS_0"], 4)
		for v, x := range numbers(p.Attributes["POSITION"], 3) {
			at := r3.Vec{X: x[0], Y: x[1], Z: x[2]}
			sum := r3.Vec{}
			for k := range 4 {
				j := int(js[v][k])
				var b geom.Matrix
				copy(b[:], inverse[j])
				sum = r3.Add(sum, r3.Scale(ws[v][k], world[sk.Joints[j]].Mul(b).Point(at)))
			}
			out = append(out, sum)
		}
	}
	return out
}

// asShown is where we say that the vertices of a file stand.
func asShown(x *gltf.Scene) []r3.Vec {
	return deform.Bound(x.Mesh.World(), x.Weights, x.Skeleton, nil, x.Binding)
}

// within requires every place of a to be near one of b, and the reverse.
func within(t *testing.T, a, b []r3.Vec, limit float64) {
	t.Helper()
	for _, pair := range [2][2][]r3.Vec{{a, b}, {b, a}} {
		for _, p := range pair[0] {
			least := math.Inf(1)
			for _, q := range pair[1] {
				least = math.Min(least, r3.Norm(r3.Sub(p, q)))
			}
			require.Less(t, least, limit)
		}
	}
}

// Files whose joints do not stand as they were bound, or that were bound in another frame or
// unit, are shown where the specification says, and what differs is known.
func TestImportedSkinsAreShownAsTheSpecificationSays(t *testing.T) {
	for name, c := range map[string]struct {
		change  func(doc map[string]any)
		records int
		moved   []string // under the skin
		still   bool
	}{
		"as written":     {func(map[string]any) {}, 1, nil, true},
		"moved under":    {func(d map[string]any) { node(d, "hand")["translation"] = []float64{1.2, 0.3, 0} }, 1, []string{"hand"}, false},
		"the root moved": {func(d map[string]any) { node(d, "upper")["translation"] = []float64{0, 0.5, 0} }, 1, nil, true},
		"turned under":   {func(d map[string]any) { node(d, "fore")["rotation"] = []float64{0, 0, 0.6, 0.8} }, 1, []string{"fore", "hand"}, false},
		"another unit and up": {func(d map[string]any) {
			above(d, map[string]any{"scale": []float64{0.01, 0.01, 0.01}, "rotation": []float64{-math.Sqrt2 / 2, 0, 0, math.Sqrt2 / 2}})
		}, 1, nil, true},
		"mirrored":       {func(d map[string]any) { above(d, map[string]any{"scale": []float64{-1, 1, 1}}) }, 1, nil, true},
		"a joint scaled": {func(d map[string]any) { node(d, "hand")["scale"] = []float64{1, 2, 1} }, 1, nil, false},
	} {
		t.Run(name, func(t *testing.T) {
			data := changed(t, arm(), c.change)
			x, err := gltf.Decode(bytes.NewReader(data), nil, reading.Default)
			require.NoError(t, err)
			require.NotNil(t, x.Binding)
			within(t, bySpec(t, data, nil), asShown(x), 1e-5)
			require.Len(t, x.Binding.Records, c.records)
			require.Equal(t, c.still, x.Binding.Still(x.Skeleton), "%v", x.Notes)
			var moved []string
			for _, d := range x.Binding.Drifts(x.Skeleton, 0) {
				require.False(t, d.Hung || d.Missing || d.Singular)
				if d.Off(1e-4, 0.01) && d.Stretch < 1e-3 {
					moved = append(moved, d.Joint)
				}
			}
			require.Equal(t, c.moved, moved)
			// Written again it shows the same.
			var buf bytes.Buffer
			require.NoError(t, gltf.EncodeGLB(&buf, x))
			within(t, bySpec(t, buf.Bytes(), nil), asShown(x), 1e-5)
		})
	}
}

// above hangs the roots of a file from a node of its own.
func above(doc map[string]any, n map[string]any) {
	nodes := doc["nodes"].([]any)
	scene := doc["scenes"].([]any)[0].(map[string]any)
	n["children"] = scene["nodes"]
	doc["nodes"] = append(nodes, n)
	scene["nodes"] = []any{len(nodes)}
}

// Two skins that were bound in different poses are two records; one that says the same of
// its joints is joined. A matrix that cannot be inverted is known, and a broken list refused.
func TestSkinsOfSeveralPoses(t *testing.T) {
	two := func(spoil func(m []byte)) []byte {
		return changed(t, arm(), func(d map[string]any) {
			skin := d["skins"].([]any)[0].(map[string]any)
			d["skins"] = append(
				d["skins"].([]any),
				map[string]any{"joints": skin["joints"], "inverseBindMatrices": skin["inverseBindMatrices"], "skeleton": 2},
			)
			for _, n := range d["nodes"].([]any) {
				if m := n.(map[string]any); m["mesh"] != nil {
					d["nodes"] = append(
						d["nodes"].([]any),
						map[string]any{"name": "again", "mesh": m["mesh"], "skin": 1, "translation": []float64{5, 0, 0}},
					)
					scene := d["scenes"].([]any)[0].(map[string]any)
					scene["nodes"] = append(scene["nodes"].([]any), len(d["nodes"].([]any))-1)
					break
				}
			}
		})
	}
	data := two(nil)
	x, err := gltf.Decode(bytes.NewReader(data), nil, reading.Default)
	require.NoError(t, err)
	require.Len(t, x.Binding.Records, 1, "both say the same")
	require.Contains(t, x.Notes, "2 joints of skin 1 are outside the root it names")
	require.Contains(t, x.Notes, "1 skinned mesh is under nodes with a transform, which glTF ignores")

	// The second skin without matrices was bound with every joint at the origin.
	data = changed(t, arm(), func(d map[string]any) {
		d["skins"].([]any)[0].(map[string]any)["inverseBindMatrices"] = nil
	})
	x, err = gltf.Decode(bytes.NewReader(data), nil, reading.Default)
	require.NoError(t, err)
	require.False(t, x.Binding.Still(x.Skeleton))
	data = changed(t, arm(), func(d map[string]any) {
		a := d["accessors"].([]any)[int(d["skins"].([]any)[0].(map[string]any)["inverseBindMatrices"].(float64))].(map[string]any)
		a["count"] = 2
	})
	_, err = gltf.Decode(bytes.NewReader(data), nil, reading.Default)
	require.ErrorContains(t, err, "2 inverse bind matrices for 3 joints")
}

// A motion comes back as it was written, and the three interpolations are those of the
// specification (worked by hand).
func TestMotionsOfFilesAreRead(t *testing.T) {
	x := arm()
	c := &pose.Clip{Name: "wave", Step: 1.0 / 24, Joints: []string{"fore", "hand"}}
	for f := range 30 {
		c.Turns = append(
			c.Turns,
			[]quat.Number{geom.AxisAngle(r3.Vec{Z: 1}, 0.03*float64(f)), geom.AxisAngle(r3.Vec{X: 1}, -0.02*float64(f))},
		)
		c.Root = append(c.Root, r3.Vec{Y: 0.01 * float64(f)})
	}
	x.Clips = []*pose.Clip{c}
	var buf bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&buf, x))
	y, err := gltf.Decode(bytes.NewReader(buf.Bytes()), nil, reading.Default)
	require.NoError(t, err)
	require.Len(t, y.Clips, 1)
	require.Equal(t, "wave", y.Clips[0].Name)
	require.Equal(t, 30, y.Clips[0].Frames())
	for f := range 30 {
		p, root := c.At(f)
		q, moved := y.Clips[0].At(f)
		require.InDelta(t, 0, r3.Norm(r3.Sub(root, moved)), 1e-6)
		a, b := pose.World(x.Skeleton, p), pose.World(y.Skeleton, q)
		for i := range a {
			for k := range a[i] {
				require.InDelta(t, a[i][k], b[i][k], 2e-6)
			}
		}
	}
	for how, half := range map[string]float64{"STEP": 0, "LINEAR": 0.5, "CUBICSPLINE": 0.5*0.5*0.5*-2 + 3*0.25} {
		data := motionOf(t, how)
		z, err := gltf.Decode(bytes.NewReader(data), nil, reading.Default)
		require.NoError(t, err, how)
		k := int(math.Round(0.5 / z.Clips[0].Step))
		require.InDelta(t, half, z.Clips[0].Root[k].X, 1e-6, how)
	}
}

// motionOf is a file in which a root goes from 0 to 1 along X in a second.
func motionOf(t *testing.T, how string) []byte {
	t.Helper()
	values := []float32{0, 0, 0, 1, 0, 0}
	if how == "CUBICSPLINE" { // without tangents
		values = []float32{0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0}
	}
	var bin bytes.Buffer
	require.NoError(t, binary.Write(&bin, binary.LittleEndian, []float32{0, 1}))
	require.NoError(t, binary.Write(&bin, binary.LittleEndian, values))
	doc := map[string]any{
		"asset": map[string]any{"version": "2.0"},
		"nodes": []any{
			map[string]any{"name": "root", "children": []int{1}},
			map[string]any{"name": "tip", "translation": []float64{0, 1, 0}},
		},
		"scenes":  []any{map[string]any{"nodes": []int{0}}},
		"buffers": []any{map[string]any{"byteLength": bin.Len()}},
		"bufferViews": []any{
			map[string]any{"buffer": 0, "byteLength": 8},
			map[string]any{"buffer": 0, "byteOffset": 8, "byteLength": bin.Len() - 8},
		},
		"accessors": []any{
			map[string]any{"bufferView": 0, "componentType": 5126, "count": 2, "type": "SCALAR"},
			map[string]any{"bufferView": 1, "componentType": 5126, "count": len(values) / 3, "type": "VEC3"},
		},
		"animations": []any{
			map[string]any{
				"channels": []any{map[string]any{"sampler": 0, "target": map[string]any{"node": 0, "path": "translation"}}},
				"samplers": []any{map[string]any{"input": 0, "output": 1, "interpolation": how}},
			},
		},
	}
	text, err := json.Marshal(doc)
	require.NoError(t, err)
	for len(text)%4 != 0 {
		text = append(text, ' ')
	}
	out := []byte("glTF")
	for _, n := range []int{2, 28 + len(text) + bin.Len(), len(text)} {
		out = binary.LittleEndian.AppendUint32(out, uint32(n))
	}
	out = append(append(out, "JSON"...), text...)
	out = binary.LittleEndian.AppendUint32(out, uint32(bin.Len()))
	return append(append(out, "BIN\x00"...), bin.Bytes()...)
}

// simple_skin of Debian's assimp-testmodels: shown as the specification says, with its motion.
func TestSimpleSkin(t *testing.T) {
	const dir = "/usr/share/assimp/models/glTF2/simple_skin/"
	data, err := os.ReadFile(dir + "simple_skin.gltf")
	if err != nil {
		need.Skip(t, "assimp-testmodels: %v", err)
	}
	x, err := gltf.Decode(bytes.NewReader(data), func(name string) ([]byte, error) { return os.ReadFile(dir + name) }, reading.Default)
	require.NoError(t, err)
	require.True(t, x.Binding.Still(x.Skeleton))
	require.Len(t, x.Clips, 1)
	require.InDelta(t, 5.5, x.Clips[0].Step*float64(x.Clips[0].Frames()-1), 0.05)
	require.Len(t, x.Skeleton.Joints, 2)
	// The strip of the tutorial stands between −0.5 and 0.5, from 0 to 2.
	box := geom.BoxOf(asShown(x))
	require.InDelta(t, 0, r3.Norm(r3.Sub(box.Min, r3.Vec{X: -0.5})), 1e-5)
	require.InDelta(t, 0, r3.Norm(r3.Sub(box.Max, r3.Vec{X: 0.5, Y: 2})), 1e-5)
}
