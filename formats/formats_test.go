package formats_test

import (
	"bytes"
	"context"
	"encoding/binary"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/formats"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
)

func read(t *testing.T, name, text string) *mesh.Mesh {
	t.Helper()
	s, err := formats.Decode(name, strings.NewReader(text), nil, reading.Default)
	require.NoError(t, err)
	return s.Mesh
}

const cube = `# a cube
o body
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
v 0 0 1
v 1 0 1
v 1 1 1
v 0 1 1
vt 0 0
vn 0 0 1
f 4 3 2 1
g sides
f 5/1/1 6/1/1 7/1/1 8/1/1
f 1 2 6 5
f -6 -5 -1 -2
f 1 5 8 4
f 2 3 7 \
6
`

// Lines that end in a remark are read as if it were not there; a name may hold a #.
func TestOBJRemarksAtTheEndOfLines(t *testing.T) {
	m := read(
		t,
		"a.obj",
		"g body#2 # the left one\nv 0 0 0 # origin\nv 1 0 0\t#x\nv 0 1 0 #\nvn 0 0 1 # up\nf 1//1 2//1 3//1 # the only face\nl 1 2 # an edge\n",
	)
	require.Len(t, m.Points, 3)
	require.Equal(t, 1, m.Faces())
	require.Len(t, m.Lines, 1)
	require.Equal(t, "body#2", m.Parts[0].Name)
}

func TestOBJ(t *testing.T) {
	m := read(t, "cube.obj", cube)
	f := m.Measure()
	require.Equal(t, 6, f.Quads)
	require.Equal(t, []string{"body", "body/sides"}, []string{m.Parts[0].Name, m.Parts[1].Name})
	require.Len(t, m.UV, 24)
	require.Equal(t, float32(1), m.Normal[4][2])
	var buf bytes.Buffer
	require.NoError(t, obj.Encode(&buf, m))
	again := read(t, "again.obj", buf.String())
	require.Equal(t, m.Points, again.Points)
	require.Equal(t, m.Corner, again.Corner)
}

func TestTextFormatsNameTheLine(t *testing.T) {
	for name, cases := range map[string]map[string]string{
		"a.obj": {"v 1 2": "line 1: 2 numbers", "v 1 2 x": "line 1", "v 0 0 0\nf 1 2 3": "line 2: the face names vertex 2", "v 0 0 0\n\nf 1 1": "line 3: a face needs three", "v 1e999 0 0": "line 1", "\x00\x01": "binary data"},
		"a.off": {"PLY": "line 1", "OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 9": "line 6", "OFF\n2 0 0\n0 0 0": "ends too early", "OFF\n-1 0 0": "line 2"},
		"a.ply": {"plx": "line 1", "ply\nformat ascii 1.0\nelement vertex 2\nproperty float x\nproperty float y\nproperty float z\nend_header\n1 2 3": "vertex 1", "ply\nformat ascii 1.0\nelement vertex 2\nproperty float x\nend_header\n1": "no property y", "ply\nformat odd 1.0\nend_header\n": "odd", "ply\nelement vertex 1\nproperty funny x\nend_header\n": "line 3"},
		"a.stl": {"solid\nfacet normal 0 0 1\nvertex 1 2\n": "line 3", "solid\nvertex 0 0 0\n": "middle of a facet", "nothing": "line 1"},
		"a.xyz": {"": "cannot be read"},
	} {
		for text, want := range cases {
			_, err := formats.Decode(name, strings.NewReader(text), nil, reading.Default)
			require.ErrorContains(t, err, want, "%s %q", name, text)
			require.ErrorContains(t, err, name)
		}
	}
}

func TestPLYInBothByteOrders(t *testing.T) {
	for name, order := range map[string]binary.ByteOrder{"binary_little_endian": binary.LittleEndian, "binary_big_endian": binary.BigEndian} {
		var b bytes.Buffer
		b.WriteString(
			"ply\nformat " + name + " 1.0\ncomment made here\nelement vertex 4\nproperty double x\nproperty float y\nproperty short z\nproperty uchar red\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n",
		)
		for i := range 4 {
			_ = binary.Write(&b, order, float64(i&1))
			_ = binary.Write(&b, order, float32(i>>1))
			_ = binary.Write(&b, order, int16(-2))
			b.WriteByte(7)
		}
		b.WriteByte(4)
		_ = binary.Write(&b, order, []int32{0, 1, 3, 2})
		m := read(t, "a.ply", b.String())
		require.Equal(t, []int32{0, 1, 3, 2}, m.Corner)
		require.Equal(t, -2.0, m.Points[3].Z)
		require.Equal(t, 1.0, m.Points[3].X)
	}
}

func TestBinarySTLJoinsCorners(t *testing.T) {
	var b bytes.Buffer
	b.Write(make([]byte, 80))
	_ = binary.Write(&b, binary.LittleEndian, uint32(2))
	for _, tri := range [][9]float32{{0, 0, 0, 1, 0, 0, 0, 1, 0}, {0, 1, 0, 1, 0, 0, 1, 1, 0}} {
		_ = binary.Write(&b, binary.LittleEndian, [3]float32{0, 0, 1})
		_ = binary.Write(&b, binary.LittleEndian, tri)
		_ = binary.Write(&b, binary.LittleEndian, uint16(0))
	}
	m := read(t, "a.stl", b.String())
	require.Len(t, m.Points, 4)
	require.Equal(t, 2, m.Faces())
	_, err := formats.Decode("a.stl", bytes.NewReader(b.Bytes()[:120]), nil, reading.Default)
	require.ErrorContains(t, err, "announces 2 triangles")
}

func TestLimits(t *testing.T) {
	small := reading.Limits{Bytes: 100, Vertices: 5}
	_, err := formats.Decode("cube.obj", strings.NewReader(cube), nil, small)
	require.ErrorIs(t, err, reading.ErrTooLarge)
	_, err = formats.Decode("cube.obj", strings.NewReader(cube), nil, reading.Limits{Bytes: 1 << 20, Vertices: 5})
	require.ErrorIs(t, err, reading.ErrTooLarge)
	_, err = formats.Decode("a.off", strings.NewReader("OFF\n9999999 1 0\n"), nil, small)
	require.ErrorIs(t, err, reading.ErrTooLarge)
}

var counts = regexp.MustCompile(`(?m)^(Faces|Vertices):\s+(\d+)`)

// elsewhere are files that assimp counts in another way, and why; each was
// looked at by hand.
var elsewhere = map[string]string{
	"testline.obj":              "lines count as faces there",
	"testmixed.obj":             "points and lines count as faces there",
	"testpoints.obj":            "points count as faces there",
	"Cube.gltf":                 "points and lines count as faces there",
	"2CylinderEngine.glb":       "a mesh that several nodes use counts once there",
	"TextureTransformTest.gltf": "a mesh that several nodes use counts once there",
}

// Every file of Debian's assimp-testmodels in our formats is read or refused
// with an error that has a place, never with a crash; where `assimp info --raw`
// reads it too, the number of faces is the same. assimp splits vertices, so those
// are not compared.
func TestAssimpTestModels(t *testing.T) {
	need.Time(t)
	const dir = "/usr/share/assimp/models"
	if _, err := os.Stat(dir); err != nil {
		need.Skip(t, "Debian's assimp-testmodels is not installed")
	}
	read, refused, compared := 0, 0, 0
	err := filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
		ext := strings.ToLower(filepath.Ext(path))
		if err != nil || d.IsDir() || !strings.Contains(".obj .glb .gltf .ply .stl .off", ext) || ext == "" {
			return err
		}
		f, err := os.Open(path)
		if err != nil {
			return err
		}
		defer f.Close()
		beside := func(uri string) ([]byte, error) { return os.ReadFile(filepath.Join(filepath.Dir(path), uri)) }
		s, err := formats.Decode(path, f, beside, reading.Default)
		if err != nil {
			refused++
			require.NotEmpty(t, strings.TrimPrefix(err.Error(), path+": "))
			t.Log("refused:", err)
			return nil
		}
		read++
		if s.Mesh == nil {
			return nil
		}
		_, _, _ = health.Check(context.Background(), s.Mesh.Surface(), "")
		out, err := exec.Command("assimp", "info", path, "--raw").CombinedOutput()
		if err != nil {
			return nil
		}
		for _, c := range counts.FindAllStringSubmatch(string(out), -1) {
			n, _ := strconv.Atoi(c[2])
			if c[1] != "Faces" || n == 0 {
				continue
			}
			compared++
			if n != s.Mesh.Faces() {
				if why := elsewhere[filepath.Base(path)]; why == "" {
					t.Errorf("%s: assimp counts %d faces, we %d, %v", path, n, s.Mesh.Faces(), s.Notes)
				}
			}
		}
		return nil
	})
	require.NoError(t, err)
	t.Logf("%d read, %d refused, %d compared", read, refused, compared)
	require.Greater(t, read, 20)
	require.Greater(t, compared, 20)
}

func fuzz(f *testing.F, name string, seeds ...string) {
	for _, s := range seeds {
		f.Add([]byte(s))
	}
	limits := reading.Limits{Bytes: 1 << 20, Vertices: 2000}
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := formats.Decode(name, bytes.NewReader(data), func(string) ([]byte, error) { return nil, os.ErrNotExist }, limits)
		if err != nil || s.Mesh == nil {
			return
		}
		if err := s.Mesh.Validate(); err != nil {
			t.Fatal("a mesh that was read is not sound:", err)
		}
		if s.Mesh.Faces() < 40 && len(s.Mesh.Points) < 200 {
			_, _, _ = health.Check(context.Background(), s.Mesh.Surface(), "")
		}
	})
}

func FuzzOBJ(f *testing.F) { fuzz(f, "a.obj", cube, "v 0 0 0\nf 1 1 1 1 1\n") }
func FuzzOFF(f *testing.F) { fuzz(f, "a.off", "OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n") }
func FuzzPLY(f *testing.F) {
	fuzz(
		f,
		"a.ply",
		"ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_index\nend_header\n0 0 0 1 0 0 0 1 0\n3 0 1 2\n",
	)
}
func FuzzSTL(f *testing.F) {
	fuzz(f, "a.stl", "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid\n")
}

// The Khronos validator (npm gltf-validator) and Debian's assimp read what we
// write; the validator runs in e2e/handoff.spec.js.
func TestAssimpReadsOurGLB(t *testing.T) {
	if _, err := exec.LookPath("assimp"); err != nil {
		need.Skip(t, "Debian's assimp-utils is not installed")
	}
	m := read(t, "cube.obj", cube)
	path := filepath.Join(t.TempDir(), "cube.glb")
	var buf bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&buf, &gltf.Scene{Mesh: m}))
	require.NoError(t, os.WriteFile(path, buf.Bytes(), 0o644))
	out, err := exec.Command("assimp", "info", path).CombinedOutput()
	require.NoError(t, err, string(out))
	found := map[string]int{}
	for _, c := range counts.FindAllStringSubmatch(string(out), -1) {
		found[c[1]], _ = strconv.Atoi(c[2])
	}
	require.Equal(t, 12, found["Faces"])
}
