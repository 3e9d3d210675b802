package formats_test

import (
	"bytes"
	"os"
	"slices"
	"strings"
	"testing"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats"
	"wisemarrow/formats/bvh"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// A skeleton comes back from each kind of file that holds one: names, parents,
// places; from a glTF the axes too.
func TestSkeletonsComeBackFromTheirFiles(t *testing.T) {
	none := func(string) ([]byte, error) { return nil, os.ErrNotExist }
	s := skeleton.Biped(1.7)
	write := map[string]func(b *bytes.Buffer) error{
		"a.gltf": func(b *bytes.Buffer) error { return gltf.EncodeSkeleton(b, s) },
		"a.BVH":  func(b *bytes.Buffer) error { return bvh.Encode(b, s, nil) },
	}
	for name, f := range write {
		var b bytes.Buffer
		require.NoError(t, f(&b))
		got, clip, err := formats.DecodeSkeleton(name, &b, none, reading.Default)
		require.NoError(t, err, name)
		require.Nil(t, clip, name)
		require.Len(t, got.Joints, len(s.Joints), name)
		for _, j := range s.Joints {
			i := got.Index(j.Name)
			if i < 0 { // BVH end sites have no names
				require.Equal(t, "a.BVH", name)
				require.Contains(t, j.Name, "_end")
				continue
			}
			require.InDelta(t, 0, r3.Norm(r3.Sub(j.Pos, got.Joints[i].Pos)), 1e-6, "%s: %s", name, j.Name)
			if j.Parent >= 0 {
				require.Equal(t, s.Joints[j.Parent].Name, got.Joints[got.Joints[i].Parent].Name)
			}
		}
	}
	for name, c := range map[string]struct{ text, want string }{
		"a.obj":  {cube, "cannot be read from files ending in"},
		"a.gltf": {`{"asset":{"version":"2.0"}}`, "no"},
		"a.bvh":  {"HIERARCHY\nROOT a\n{\n", "line"},
	} {
		_, _, err := formats.DecodeSkeleton(name, strings.NewReader(c.text), none, reading.Default)
		require.ErrorContains(t, err, name)
		require.ErrorContains(t, err, c.want)
	}
}

// The motion of a glTF comes with its skeleton, as that of a BVH does.
func TestTheMotionOfAGLTFComesWithItsSkeleton(t *testing.T) {
	s := skeleton.Biped(1.7)
	c := &pose.Clip{Name: "nod", Step: 1.0 / 30, Joints: []string{"head"}, Root: make([]r3.Vec, 4)}
	for f := range 4 {
		c.Turns = append(c.Turns, []quat.Number{pose.Turn(float64(5*f), 0, 0)})
	}
	var b bytes.Buffer
	require.NoError(t, gltf.EncodeGLB(&b, &gltf.Scene{Skeleton: s, Clips: []*pose.Clip{c}}))
	got, clip, err := formats.DecodeSkeleton("nod.glb", &b, func(string) ([]byte, error) { return nil, os.ErrNotExist }, reading.Default)
	require.NoError(t, err)
	require.Equal(t, len(s.Joints), len(got.Joints))
	require.Equal(t, 4, clip.Frames())
	head := slices.Index(clip.Joints, "head")
	require.InDelta(t, pose.Turn(15, 0, 0).Imag, clip.Turns[3][head].Imag, 1e-6)
}
