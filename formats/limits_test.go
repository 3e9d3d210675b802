package formats_test

import (
	"encoding/json"
	"fmt"
	"runtime"
	"strings"
	"testing"

	"wisemarrow/formats"
	"wisemarrow/formats/bvh"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/reading"

	"github.com/stretchr/testify/require"
)

func repeat[T any](n int, of func(i int) T) (out []T) {
	for i := range n {
		out = append(out, of(i))
	}
	return out
}

type object = map[string]any

// bomb is a .gltf of a few kilobytes or less per entry that would unfold to far more;
// its arrays have no view, so that they are zeros and need no bytes.
func bomb(change func(d object)) string {
	d := object{
		"asset":     object{"version": "2.0"},
		"nodes":     []object{{"mesh": 0}},
		"meshes":    []object{{"primitives": []object{{"attributes": object{"POSITION": 0}}}}},
		"accessors": []object{{"componentType": 5126, "count": 3000, "type": "VEC3"}},
	}
	change(d)
	out, _ := json.Marshal(d)
	return string(out)
}

// Short files that would become large are refused before anything is made of them,
// and the error names what there is too much of.
func TestShortFilesThatUnfoldAreRefused(t *testing.T) {
	few := reading.Limits{Bytes: 1 << 20, Vertices: 10_000, Joints: 20, Parts: 30, Shapes: 5, Numbers: 100_000}
	primitive := func(accessor int) object { return object{"attributes": object{"POSITION": accessor}} }
	for want, change := range map[string]func(d object){
		"31 primitives, and 30": func(d object) {
			d["meshes"] = []object{{"primitives": repeat(31, func(int) object { return primitive(0) })}}
		},
		"40 primitives with all its instances": func(d object) {
			d["nodes"] = repeat(40, func(int) object { return object{"mesh": 0} })
		},
		"10000 vertices: it has 12000": func(d object) { // one array in the scene again and again
			d["nodes"] = repeat(4, func(int) object { return object{"mesh": 0} })
		},
		"unfold to more than 100000 numbers": func(d object) {
			p := primitive(0)
			for i := 1; i < 14; i++ {
				p["attributes"].(object)[fmt.Sprintf("COLOR_%d", i)] = i
			}
			d["meshes"] = []object{{"primitives": []object{p}}}
			d["accessors"] = repeat(14, func(int) object { return object{"componentType": 5126, "count": 3000, "type": "VEC4"} })
			d["accessors"].([]object)[0]["type"] = "VEC3"
		},
		"6 shape targets": func(d object) {
			p := primitive(0)
			p["targets"] = repeat(6, func(int) object { return object{"POSITION": 0} })
			d["meshes"] = []object{{"primitives": []object{p}}}
		},
		"21 joints, and 20": func(d object) {
			d["nodes"] = append(repeat(21, func(int) object { return object{} }), object{"mesh": 0, "skin": 0})
			d["skins"] = []object{{"joints": repeat(21, func(i int) int { return i })}}
		},
	} {
		_, err := gltf.Decode(strings.NewReader(bomb(change)), nil, few)
		require.ErrorIs(t, err, reading.ErrTooLarge, want)
		require.ErrorContains(t, err, want)
	}
	s, err := gltf.Decode(strings.NewReader(bomb(func(object) {})), nil, few)
	require.NoError(t, err, "as such the file is good")
	require.NotEmpty(t, s.Mesh.Points)
}

// Limits that are left out are the defaults: a reader without any would read for ever.
func TestLimitsLeftOutAreTheDefaults(t *testing.T) {
	require.Equal(t, reading.Default, reading.Limits{}.Full())
	l := reading.Limits{Joints: 7}.Full()
	require.Equal(t, 7, l.Joints)
	require.Equal(t, reading.Default.Bytes, l.Bytes)
	for name, text := range map[string]string{
		"a.obj":  "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
		"a.off":  "OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n",
		"a.ply":  "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nelement face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n",
		"a.stl":  "solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid a\n",
		"a.gltf": bomb(func(object) {}),
	} {
		s, err := formats.Decode(name, strings.NewReader(text), nil, reading.Limits{})
		require.NoError(t, err, name)
		require.NotEmpty(t, s.Mesh.Points, name)
	}
}

func TestSkeletonsOfTooManyJointsAreRefused(t *testing.T) {
	var b strings.Builder
	b.WriteString("HIERARCHY\n")
	for i := range 30 {
		word := "JOINT"
		if i == 0 {
			word = "ROOT"
		}
		fmt.Fprintf(&b, "%s j%d\n{\nOFFSET 0 1 0\nCHANNELS 3 Zrotation Xrotation Yrotation\n", word, i)
	}
	b.WriteString("End Site\n{\nOFFSET 0 1 0\n}\n" + strings.Repeat("}\n", 30) + "MOTION\nFrames: 0\nFrame Time: 0.04\n")
	_, err := bvh.Decode(strings.NewReader(b.String()), reading.Limits{Joints: 30})
	require.ErrorIs(t, err, reading.ErrTooLarge)
	require.ErrorContains(t, err, "more than 30 joints")
	f, err := bvh.Decode(strings.NewReader(b.String()), reading.Limits{Joints: 31})
	require.NoError(t, err)
	require.Len(t, f.Skeleton.Joints, 31)
}

// Names are no reason to refuse a mesh: what goes beyond the limit is kept in the last
// part, and said.
func TestGroupsBeyondTheLimitKeepTheirFaces(t *testing.T) {
	var b strings.Builder
	b.WriteString("v 0 0 0\nv 1 0 0\nv 0 1 0\n")
	for i := range 12 {
		fmt.Fprintf(&b, "g group%d\nf 1 2 3\n", i)
	}
	f, err := obj.Decode(strings.NewReader(b.String()), nil, reading.Limits{Parts: 5})
	require.NoError(t, err)
	require.Len(t, f.Mesh.Parts, 5)
	require.Equal(t, 12, f.Mesh.Faces())
	require.Contains(t, strings.Join(f.Notes, "\n"), "more than 5 groups")
	f, err = obj.Decode(strings.NewReader(b.String()), nil, reading.Default)
	require.NoError(t, err)
	require.Len(t, f.Mesh.Parts, 12)
	require.Empty(t, f.Notes)
}

// A line that goes on over very many lines is copied once, not once for each: the
// memory that reading takes grows with the file, not with its square.
func TestALineOverManyLinesTakesMemoryLikeTheFile(t *testing.T) {
	took := func(lines int) float64 {
		text := "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n# " + strings.Repeat("and on and on and on \\\n", lines) + "\n"
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		f, err := obj.Decode(strings.NewReader(text), nil, reading.Default)
		runtime.ReadMemStats(&after)
		require.NoError(t, err)
		require.Equal(t, 1, f.Mesh.Faces())
		return float64(after.TotalAlloc - before.TotalAlloc)
	}
	took(10)
	require.Less(t, took(40_000)/took(10_000), 8.0, "4 times the lines")
}

// Names that come twice get a number, and never one that another has, in every format
// that has joints.
func TestNodesOfOneNameAreToldApart(t *testing.T) {
	names := []string{"a", "a_2", "a", "a", "a_2", ""}
	f, err := gltf.Decode(strings.NewReader(bomb(func(d object) {
		d["nodes"] = append(repeat(len(names), func(i int) object { return object{"name": names[i]} }), object{"mesh": 0, "skin": 0})
		d["skins"] = []object{{"joints": repeat(len(names), func(i int) int { return i })}}
	})), nil, reading.Default)
	require.NoError(t, err)
	require.NoError(t, f.Skeleton.Validate())
	require.Len(t, f.Skeleton.Joints, len(names))
}

// A short file that claims millions of vertices is refused at once, whatever it claims them with.
func TestClaimsWithoutBytesAreRefusedAtOnce(t *testing.T) {
	for name, text := range map[string]string{
		"vertices.ply": "ply\nformat ascii 1.0\nelement vertex 2000000\nelement face 0\nproperty list uchar int vertex_indices\nend_header\n",
		"others.ply":   "ply\nformat ascii 1.0\nelement thing 1000000000\nelement vertex 2000000\nproperty float x\nproperty float y\nproperty float z\nend_header\n",
		"zeros.gltf":   `{"asset":{"version":"2.0"},"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"accessors":[{"componentType":5126,"count":1999998,"type":"VEC3"}]}`,
		"targets.gltf": `{"asset":{"version":"2.0"},"nodes":[{"mesh":0}],"meshes":[{"primitives":[{"attributes":{"POSITION":0},"targets":[{"POSITION":1},{"POSITION":2},{"POSITION":3}]}]}],"accessors":[{"componentType":5126,"count":18000,"type":"VEC3"},{"componentType":5126,"count":1800000,"type":"VEC3"},{"componentType":5126,"count":1800000,"type":"VEC3"},{"componentType":5126,"count":1800000,"type":"VEC3"}]}`,
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, err := formats.Decode(name, strings.NewReader(text), nil, reading.Default)
		runtime.ReadMemStats(&after)
		require.Error(t, err, name)
		require.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(20<<20), "%s allocates by what it claims", name)
	}
}
