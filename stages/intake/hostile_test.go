package intake_test

import (
	"bytes"
	"context"
	"strings"
	"testing"

	"wisemarrow/core/health"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/hostile"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/intake"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// Meshes made to break things are checked, told and mended without a crash; whatever
// is said to be mended is measured again, and what comes out can be stored and opened.
func TestHostileMeshesAreCheckedAndMended(t *testing.T) {
	for name, made := range hostile.Meshes {
		for _, n := range []int{3, 4, 30, 300} {
			m := made(n)
			if m.Faces() == 0 {
				continue
			}
			s := studio.State{Mesh: m, Settings: studio.DefaultSettings()}
			facts, list, _ := health.Check(context.Background(), m.Surface(), "")
			require.NotNil(t, facts, name)
			for _, f := range list {
				require.NotEmpty(t, f.Title, "%s: %s", name, f.Code)
				for _, v := range f.Where.Vertices {
					require.Less(t, int(v), len(m.Points), "%s: %s", name, f.Code)
				}
			}
			mended, told, err := studiotest.Try(s, "mend_safe", "")
			if err != nil {
				require.True(t, studio.IsInput(err), "%s of %d: %v", name, n, err)
				continue
			}
			require.NotEmpty(t, told.Sentence, name)
			require.NoError(t, mended.Mesh.Validate(), "%s of %d", name, n)
			require.Len(t, told.Left, len(codes(mended)), "%s of %d: what is said to be left is what is left", name, n)
			var b bytes.Buffer
			require.NoError(t, gltf.EncodeGLB(&b, &gltf.Scene{Mesh: mended.Mesh}), name)
		}
	}
}

// The same meshes as files: read, stored, opened again.
func TestHostileMeshesAreBroughtInOrRefusedWithAReason(t *testing.T) {
	need.Time(t)
	for name, made := range hostile.Meshes {
		var b bytes.Buffer
		require.NoError(t, gltf.EncodeGLB(&b, &gltf.Scene{Mesh: made(120)}), name)
		m := studiotest.NewMemory()
		x := studio.New(m, reading.Default)
		c, err := intake.Bring(ctx, x, studio.Character{Production: "P", Name: name}, "tester", upload(t, "a.glb", &b))
		if err != nil {
			require.True(t, studio.IsInput(err), "%s: %v", name, err)
			continue
		}
		_, _, s, err := x.Head(ctx, c.ID)
		require.NoError(t, err, name)
		require.NotZero(t, s.Mesh.Faces(), name)
	}
}

// A cloud of points or lines alone has no surface: nothing could be bound to it, and
// that is said when it comes in, not five stages later.
func TestFilesWithoutFacesAreRefused(t *testing.T) {
	x := studio.New(studiotest.NewMemory(), reading.Default)
	for name, text := range map[string]string{
		"cloud.obj": "v 0 0 0\nv 1 0 0\nv 0 1 0\n",
		"lines.obj": "v 0 0 0\nv 1 0 0\nv 0 1 0\nl 1 2 3\n",
		"cloud.off": "OFF\n3 0 0\n0 0 0\n1 0 0\n0 1 0\n",
		"cloud.ply": "ply\nformat ascii 1.0\nelement vertex 2\nproperty float x\nproperty float y\nproperty float z\nend_header\n0 0 0\n1 0 0\n",
	} {
		_, err := intake.Bring(ctx, x, studio.Character{Production: "P"}, "tester", upload(t, name, strings.NewReader(text)))
		require.True(t, studio.IsInput(err), "%s: %v", name, err)
		require.ErrorContains(t, err, "no surface to bind", name)
		require.Equal(t, name == "lines.obj", strings.Contains(err.Error(), "lines"), name)
		require.ErrorContains(t, err, name, "the error names the file")
	}
}

// A size that would collapse the mesh to a point, or blow it up, is refused.
func TestHeightsOfNobodyAreRefused(t *testing.T) {
	s := studiotest.Odile()
	for _, height := range []string{"0", "-1.7", "1e-300", "0.0009", "1001", "1e300"} {
		_, _, err := studiotest.Try(s, "real_size", `{"height":`+height+`}`)
		require.True(t, studio.IsInput(err), height)
		require.ErrorContains(t, err, "Height must be", height)
	}
	for _, scale := range []string{"1e-300", "1e300", "-1"} {
		_, _, err := studiotest.Try(s, "bake_transform", `{"scale":`+scale+`}`)
		require.True(t, studio.IsInput(err), scale)
	}
	for _, height := range []string{"0.001", "1000"} {
		_, _, err := studiotest.Try(s, "real_size", `{"height":`+height+`}`)
		require.NoError(t, err, height)
	}
}
