package formats_test

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"encoding/json"
	"encoding/xml"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/formats/collada"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/look"
	"wisemarrow/formats/outgoing"
	"wisemarrow/formats/reading"
	"wisemarrow/formats/usd"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// sleeved is an arm of quads on three joints, a sleeve around it that is another object with two parts, a vertex without weights,
// a motion, a target and a picture; names are such as formats do not like.
func sleeved() *gltf.Scene {
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{
		{Name: "upper.l", Parent: -1, Rot: geom.AxisAngle(r3.Vec{Z: 1}, 0.4)},
		{Name: "1 fore <l>", Parent: 0, Pos: r3.Vec{X: 1}, Rot: geom.AxisAngle(r3.Vec{X: 1}, 1)},
		{Name: "hand", Parent: 1, Pos: r3.Vec{X: 2, Y: 0.1}, Rot: geom.Identity}}}
	m := &mesh.Mesh{Start: []int32{0}, Parts: []mesh.Part{mesh.NewPart("skin"), mesh.NewPart("cloth"), mesh.NewPart("hem & seam")}}
	m.Parts[0].Object, m.Parts[1].Object, m.Parts[2].Object = `Arm "left"`, "Sleeve", "Sleeve"
	m.Parts[1].Colour = [3]float32{0.25, 0.5, 1}
	w := weights.New([]string{"upper.l", "1 fore <l>", "hand"}, 24)
	for o := range 2 {
		for ring := range 3 {
			for k := range 4 {
				a := float64(k) * math.Pi / 2
				v := len(m.Points)
				r := 0.25 + 0.1*float64(o)
				m.Points = append(m.Points, r3.Vec{X: float64(ring), Y: r * math.Cos(a), Z: r * math.Sin(a)})
				w.Of[v] = []weights.Influence{{Joint: int32(ring), Value: 0.75}, {Joint: int32((ring + 1) % 3), Value: 0.25}}
			}
		}
		for ring := range 2 {
			for k := range 4 {
				a, b := int32(12*o+4*ring+k), int32(12*o+4*ring+(k+1)%4)
				m.AddFace(int32(o+o*ring), a, b, b+4, a+4)
			}
		}
	}
	w.Of[3] = nil
	for range m.Corner {
		m.UV = append(m.UV, [2]float32{float32(len(m.UV)) / 64, 0.25})
	}
	m.Shapes = []mesh.Shape{{Name: "tense", Vertex: []int32{4, 16}, Offset: []r3.Vec{{Y: 0.1}, {Z: 0.1}}}}
	c := &pose.Clip{Name: "wave 1", Step: 0.1, Joints: []string{"1 fore <l>"}}
	for f := range 4 {
		c.Root = append(c.Root, r3.Vec{X: 0.1 * float64(f)})
		c.Turns = append(c.Turns, []quat.Number{geom.AxisAngle(r3.Vec{Y: 1}, 0.3*float64(f))})
	}
	png := []byte("\x89PNG\r\n\x1a\nnot much of one")
	l := &look.Look{Materials: []json.RawMessage{[]byte(`{"name":"Skin","pbrMetallicRoughness":{"baseColorTexture":{"index":0}}}`)},
		Textures: []json.RawMessage{[]byte(`{"source":0}`)}, Images: []look.Image{{Mime: "image/png", Data: png}}}
	m.Parts[0].Material = 1
	return &gltf.Scene{Mesh: m, Skeleton: s, Weights: w, Clips: []*pose.Clip{c}, Look: l, Stamp: map[string]string{"a": `b "c" --> d`}}
}

// What COLLADA we write is valid by its schema (Debian's opencollada-tools), well formed whatever names are, and read by assimp.
func TestColladaIsValidAndRead(t *testing.T) {
	x := sleeved()
	var b bytes.Buffer
	require.NoError(t, collada.Encode(&b, x, collada.Options{Name: "A & B", Unit: 0.01, ZUp: true}))
	text := b.String()
	d := xml.NewDecoder(strings.NewReader(text))
	for {
		_, err := d.Token()
		if err == io.EOF {
			break
		}
		require.NoError(t, err)
	}
	for _, line := range []string{`<unit name="centimeter" meter="0.01"/>`, `<up_axis>Z_UP</up_axis>`, "<comments>{&#34;a&#34;:"} {
		assert.True(t, strings.Contains(text, line), line)
	}
	assert.Equal(t, 3, strings.Count(text, "<polylist "), "a list for each part")
	assert.Equal(t, 2, strings.Count(text, "<skin "))
	assert.Equal(t, 1+1, strings.Count(text, "<animation "), "the root that moves and the joint that turns")
	path := filepath.Join(t.TempDir(), "sleeved.dae")
	require.NoError(t, os.WriteFile(path, b.Bytes(), 0o600))
	if tool, err := exec.LookPath("opencolladavalidator"); err == nil || os.Getenv("CI") != "" {
		out, err := exec.Command(tool, path).CombinedOutput()
		require.NoError(t, err, string(out))
		require.Contains(t, string(out), "is valid")
	}
	if tool, err := exec.LookPath("assimp"); err == nil || os.Getenv("CI") != "" {
		out, err := exec.Command(tool, "info", path, "--raw").CombinedOutput()
		require.NoError(t, err, string(out))
		for _, line := range []string{"Meshes:             3", "Animations:         1", "Bones:              "} {
			require.Contains(t, string(out), line)
		}
	}
}

// USD has each object as a mesh with the polygons that it has, subsets of it by material, the skin, a target and the motion.
func TestUSDHasWhatThereIs(t *testing.T) {
	x := sleeved()
	var b bytes.Buffer
	require.NoError(t, usd.Encode(&b, x, usd.Options{Name: "A", Unit: 0.01, ZUp: true}))
	text := b.String()
	for _, line := range []string{
		"#usda 1.0\n", "metersPerUnit = 0.01", `upAxis = "Z"`, `def Mesh "Arm__left_"`, `displayName = "Arm \"left\""`, `def Mesh "Sleeve"`,
		`uniform token[] joints = ["upper_l", "upper_l/_1_fore__l_", "upper_l/_1_fore__l_/hand"]`,
		`uniform token[] jointNames = ["upper.l", "1 fore <l>", "hand"]`, `def GeomSubset "hem___seam"`, `def BlendShape "tense"`,
		"uniform int[] pointIndices = [4]", "rel skel:animationSource = </Character/Skeleton/wave_1>", "endTimeCode = 9",
		"int[] faceVertexCounts = [4, 4, 4, 4, 4, 4, 4, 4]", "elementSize = 2", `doc = "{\"a\":\"b`,
	} {
		assert.True(t, strings.Contains(text, line), line)
	}
	assert.Equal(t, 2, strings.Count(text, `def BlendShape "tense"`), "in both objects")
	assert.Equal(t, strings.Count(text, "{"), strings.Count(text, "}"))
	assert.False(t, strings.Contains(text, "NaN"))
}

// A package has no compression, its files begin at multiples of 64 bytes, and the layer is the first (USDZ specification).
func TestUSDZIsAligned(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, usd.EncodePacked(&b, sleeved(), usd.Options{Name: "A"}))
	data := b.Bytes()
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	var names []string
	for _, f := range z.File {
		names = append(names, f.Name)
		at, err := f.DataOffset()
		require.NoError(t, err)
		assert.Zero(t, at%64, f.Name)
		assert.Equal(t, zip.Store, f.Method)
		r, err := f.Open()
		require.NoError(t, err)
		_, err = io.ReadAll(r) // its check sum is right
		require.NoError(t, err)
	}
	assert.Equal(t, []string{"character.usda", "textures/0.png"}, names)
	layer, err := z.File[0].Open()
	require.NoError(t, err)
	text, err := io.ReadAll(layer)
	require.NoError(t, err)
	assert.Contains(t, string(text), "asset inputs:file = @textures/0.png@")
}

// Objects come back under their names, in one file and whole: 27 meshes are 27.
func TestObjectsKeepTheirNames(t *testing.T) {
	x := sleeved()
	var b bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&b, x))
	var doc struct {
		Meshes []struct{ Name string }
		Skins  []struct{ Joints []int }
	}
	data := b.Bytes()
	require.NoError(t, json.Unmarshal(data[20:20+binary.LittleEndian.Uint32(data[12:])], &doc))
	require.Len(t, doc.Meshes, 2)
	require.Len(t, doc.Skins, 1)
	assert.Equal(t, `Arm "left"`, doc.Meshes[0].Name)
	back, err := gltf.Decode(bytes.NewReader(data), nil, reading.Default)
	require.NoError(t, err)
	require.Equal(t, x.Mesh.Points[4], back.Mesh.Points[4])
	require.Len(t, back.Mesh.Points, len(x.Mesh.Points), "vertices keep their numbers")
	require.Len(t, back.Mesh.Parts, 3)
	assert.Equal(t, []string{`Arm "left"`, "Sleeve", "Sleeve"}, []string{back.Mesh.Parts[0].Object, back.Mesh.Parts[1].Object, back.Mesh.Parts[2].Object})
	require.Len(t, back.Mesh.Shapes, 1, "one target of both")
	assert.Equal(t, []int32{4, 16}, back.Mesh.Shapes[0].Vertex)

	mixed := sleeved() // objects whose vertices lie among each other stay one, so that vertices keep their numbers
	mixed.Mesh.Parts[2].Object = `Arm "left"`
	assert.Len(t, mixed.Mesh.Objects("skin"), 1)
	between := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("a"), mesh.NewPart("b"), mesh.NewPart("c")}, Points: make([]r3.Vec, 9)}
	between.Parts[0].Object, between.Parts[1].Object, between.Parts[2].Object = "Outer", "Inner", "Outer"
	for f := range int32(3) {
		between.AddFace(f, 3*f, 3*f+1, 3*f+2)
	}
	assert.Len(t, between.Objects("skin"), 1, "no vertex is shared, and still")
	between.Parts[2].Object = "Inner"
	assert.Len(t, between.Objects("skin"), 2)
	apart, origin := mixed.Mesh.PartsApart()
	assert.Len(t, origin, 12+8+8)
	assert.Len(t, apart.Objects("skin"), 3)
	assert.Len(t, apart.Normal, len(apart.Corner))
}

// A motion as local transforms is what the joints do in the world.
func TestPlayedFramesAreThoseOfThePose(t *testing.T) {
	x := sleeved()
	for f, frame := range outgoing.Played(x.Skeleton, nil, x.Clips[0]) {
		p, root := x.Clips[0].At(f)
		want := pose.World(x.Skeleton, p)
		got := make([]geom.Matrix, len(want))
		for i, j := range x.Skeleton.Joints {
			got[i] = geom.Rigid(frame.Move[i], frame.Turn[i])
			if j.Parent >= 0 {
				got[i] = got[j.Parent].Mul(got[i])
			}
			require.InDelta(t, 0, r3.Norm(r3.Sub(r3.Add(want[i].Point(r3.Vec{X: 1}), root), got[i].Point(r3.Vec{X: 1}))), 1e-12)
		}
	}
}

// Several bind poses are refused, not written wrong.
func TestSeveralBindsAreRefused(t *testing.T) {
	x := sleeved()
	x.Binding = &pose.Binding{Records: make([]pose.Record, 2)}
	require.ErrorIs(t, usd.Encode(io.Discard, x, usd.Options{}), gltf.ErrSeveralBinds)
	require.ErrorIs(t, usd.EncodePacked(io.Discard, x, usd.Options{}), gltf.ErrSeveralBinds)
	require.ErrorIs(t, collada.Encode(io.Discard, x, collada.Options{}), gltf.ErrSeveralBinds)
}
