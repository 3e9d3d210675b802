package weights_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"testing"

	core "wisemarrow/core/weights"
	"wisemarrow/formats"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/intake"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// The elephant (CGAL's examples, Debian's libcgal-demo) is alike on both sides, but no vertex has an image in
// its place and it stands in a step: where there is surface at the mirrored place its weights are taken, and of
// what was unlike two thirds are alike then; what is left is told.
func TestAnElephantIsMirrored(t *testing.T) {
	need.Time(t)
	f, err := os.Open(filepath.Join(os.Getenv("WISEMARROW_MESHES"), "elephant.off"))
	if err != nil {
		need.Skip(t, "WISEMARROW_MESHES has no elephant")
	}
	defer f.Close()
	scene, err := formats.Decode("elephant.off", f, nil, reading.Default)
	require.NoError(t, err)
	s := intake.StateOf(scene, "elephant.off")
	s = studiotest.Do(t, s, "fit_starter", `{"starter":"quadruped"}`)
	s = studiotest.Do(t, s, "bind_auto", `{}`)
	tolerance := 0.01 * s.Skeleton.Height() // it stands in a step
	plane := core.Plane{Normal: r3.Vec{X: 1}, Offset: s.Skeleton.MirrorPlane(s.Settings.Marks)}
	net, err := core.NetOf(s.Mesh)
	require.NoError(t, err)
	images, err := net.Mirror(plane, core.MirrorPlace, tolerance, nil)
	require.NoError(t, err)
	unlike := func(s studio.State) (n int) {
		partner := make([]int32, len(s.Weights.Joints))
		for k, name := range s.Weights.Joints {
			partner[k] = int32(k)
			if other, ok := s.Settings.Marks.Partner(name); ok {
				if i := slices.Index(s.Weights.Joints, other); i >= 0 {
					partner[k] = int32(i)
				}
			}
		}
		for _, p := range core.Edit(s.Weights, nil, nil, 0).Problems(net, nil, images, partner) {
			if p.Kind == core.ProblemMirror {
				n++
			}
		}
		return n
	}
	spoiled := studiotest.Do(t, s, "free_weights", `{"joints":["thigh_r"]}`)
	before := unlike(spoiled)
	require.Greater(t, before, 100)
	mended, told, err := studiotest.Try(spoiled, "mirror_weights", fmt.Sprintf(`{"from":"left","tolerance":%g}`, tolerance))
	require.NoError(t, err)
	require.NoError(t, mended.Weights.Validate())
	t.Logf(
		"%d of %d vertices have an image, %d lie between; %d were unlike it, %d are left; %s",
		images.Matched,
		len(net.At),
		images.Between,
		before,
		unlike(mended),
		told.Sentence,
	)
	require.Less(t, 5*unlike(mended), 2*before)
}
