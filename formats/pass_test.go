package formats_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"strings"
	"testing"
	"unicode/utf16"

	"wisemarrow/core/mesh"
	"wisemarrow/formats"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/reading"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// dot is the smallest PNG.
var dot = []byte(
	"\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x00\x01\x00\x00\x00\x01\x08\x06\x00\x00\x00\x1f\x15\xc4\x89\x00\x00\x00\rIDATx\x9cc\xf8\xff\xff?\x00\x05\xfe\x02\xfe\xa75\x81\x84\x00\x00\x00\x00IEND\xaeB`\x82",
)

func TestUTF16(t *testing.T) {
	for name, order := range map[string]binary.AppendByteOrder{"\xff\xfe": binary.LittleEndian, "\xfe\xff": binary.BigEndian} {
		data := []byte(name)
		for _, u := range utf16.Encode([]rune(cube + "o Fährfrau\n")) {
			data = order.AppendUint16(data, u)
		}
		m := read(t, "a.obj", string(data))
		require.Equal(t, 6, m.Faces())
	}
	_, err := formats.Decode("a.obj", strings.NewReader("\xff\xfea"), nil, reading.Default)
	require.ErrorContains(t, err, "half a character")
	require.Equal(t, 6, read(t, "a.obj", "\xef\xbb\xbf"+cube).Faces())
}

func TestOBJLinesBecomeLooseEdges(t *testing.T) {
	m := read(t, "a.obj", cube+"v 9 9 9\nv 9 9 8\nl 9 10 1\n")
	require.Equal(t, [][2]int32{{8, 9}, {9, 0}}, m.Lines)
	_, err := formats.Decode("a.obj", strings.NewReader("v 0 0 0\nl 1 2\n"), nil, reading.Default)
	require.ErrorContains(t, err, "line 2")
}

// Materials and pictures of an .mtl are said in glTF's words and handed over;
// texture coordinates and normals come back as they were.
func TestOBJMaterialsReachTheHandoff(t *testing.T) {
	files := map[string][]byte{
		"coat.mtl":    []byte("newmtl oilskin\nKd 1 0.5 0\nNs 0\nd 0.5\nmap_Kd -s 1 1 tex\\oil.png\nnewmtl spare\nmap_Kd gone.png\n"),
		"tex/oil.png": dot,
	}
	beside := func(name string) ([]byte, error) {
		if b, ok := files[name]; ok {
			return b, nil
		}
		return nil, os.ErrNotExist
	}
	text := "mtllib coat.mtl\n" + strings.Replace(cube, "g sides", "usemtl oilskin", 1)
	s, err := formats.Decode("a.obj", strings.NewReader(text), beside, reading.Default)
	require.NoError(t, err)
	require.Len(t, s.Look.Materials, 2)
	require.Len(t, s.Look.Images, 1)
	require.Equal(t, 1, s.Mesh.Parts[1].Material)
	require.InDelta(t, 1, s.Mesh.Parts[1].Colour[0], 1e-6)
	require.Contains(t, strings.Join(s.Notes, " "), "gone.png")
	var out bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&out, s))
	back, err := gltf.Decode(bytes.NewReader(out.Bytes()), nil, reading.Default)
	require.NoError(t, err)
	require.Equal(t, dot, back.Look.Images[0].Data)
	var m struct {
		Name string
		PBR  struct {
			BaseColorTexture struct{ Index int }
		} `json:"pbrMetallicRoughness"`
		AlphaMode string
	}
	require.NoError(t, json.Unmarshal(back.Look.Materials[back.Mesh.Parts[1].Material-1], &m))
	require.Equal(t, "oilskin", m.Name)
	require.Equal(t, "BLEND", m.AlphaMode)

	out.Reset()
	require.NoError(t, obj.Encode(&out, s.Mesh))
	again := read(t, "again.obj", out.String())
	require.Equal(t, s.Mesh.UV, again.UV)
	require.Equal(t, s.Mesh.Normal, again.Normal)

	s, err = formats.Decode(
		"a.obj",
		strings.NewReader(text),
		func(string) ([]byte, error) { return nil, errors.New("not there") },
		reading.Default,
	)
	require.NoError(t, err)
	require.Nil(t, s.Look)
	require.Contains(t, s.Notes[0], "coat.mtl")
}

// rich is a scene with all that glTF can bring along with a mesh.
func rich() *gltf.Scene {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("a"), mesh.NewPart("b")}, Points: []r3.Vec{{}, {X: 1}, {X: 1, Y: 1}, {Y: 1}}}
	m.AddFace(0, 0, 1, 2)
	m.AddFace(1, 0, 2, 3)
	m.Extra = []mesh.Attribute{{Name: "COLOR_0", Width: 4}, {Name: "TEXCOORD_1", Width: 2}}
	for c := range m.Corner {
		m.UV = append(m.UV, [2]float32{float32(c) / 8, 0.5})
		m.Normal = append(m.Normal, [3]float32{0, 0, 1})
		m.Extra[0].Values = append(m.Extra[0].Values, 0.25, 0.5, float32(c)/16, 1)
		m.Extra[1].Values = append(m.Extra[1].Values, 0.125, float32(c)/4)
	}
	m.Shapes = []mesh.Shape{{Name: "smile", Vertex: []int32{1, 3}, Offset: []r3.Vec{{Z: 0.5}, {X: -0.25}}}, {Name: "still"}}
	return &gltf.Scene{Mesh: m}
}

func TestGLBKeepsAttributesAndShapes(t *testing.T) {
	s := rich()
	var out bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&out, s))
	back, err := gltf.Decode(bytes.NewReader(out.Bytes()), nil, reading.Default)
	require.NoError(t, err)
	require.Len(t, back.Mesh.Points, 4, "split for its attributes, one for the bind")
	require.Equal(t, s.Mesh.UV, back.Mesh.UV)
	require.Equal(t, s.Mesh.Extra, back.Mesh.Extra)
	require.Equal(t, "smile", back.Mesh.Shapes[0].Name)
	require.Equal(t, s.Mesh.Shapes[0].Offset, back.Mesh.Shapes[0].Offset)
	require.Len(t, back.Mesh.Shapes, 2)
	require.Empty(t, back.Mesh.Shapes[1].Vertex)
}

func TestMissingPicturesLeaveColours(t *testing.T) {
	doc := `{"asset":{"version":"2.0"},"images":[{"uri":"skin.png"}],"textures":[{"source":0}],
	"materials":[{"name":"skin","pbrMetallicRoughness":{"baseColorFactor":[1,0,0,1],"baseColorTexture":{"index":0}},"normalTexture":{"index":0}}]}`
	s, err := formats.Decode("a.gltf", strings.NewReader(doc), func(string) ([]byte, error) { return nil, os.ErrNotExist }, reading.Default)
	require.NoError(t, err)
	require.Contains(t, s.Notes[0], "skin.png")
	require.NotContains(t, string(s.Look.Materials[0]), "Texture")
	require.Contains(t, string(s.Look.Materials[0]), "baseColorFactor")
	s, err = formats.Decode("a.gltf", strings.NewReader(doc), func(string) ([]byte, error) { return dot, nil }, reading.Default)
	require.NoError(t, err)
	require.Contains(t, string(s.Look.Materials[0]), "normalTexture")
	for _, uri := range []string{"../a.png", "/etc/passwd", "http://x/a.png"} {
		s, err := formats.Decode(
			"a.gltf",
			strings.NewReader(strings.Replace(doc, "skin.png", uri, 1)),
			func(name string) ([]byte, error) { return nil, fmt.Errorf("asked for %s", name) },
			reading.Default,
		)
		require.NoError(t, err)
		require.NotContains(t, s.Notes[0], "asked for")
	}
}
