package intake_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/core/mesh"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func intakeOf(s studio.State) map[string]finding.Finding {
	out := map[string]finding.Finding{}
	for _, f := range studio.CheckOnly(&s, "intake") {
		out[f.Code] = f
	}
	return out
}

// glTF states unit and axis: a guess against that harms, and does not block. Other files
// state neither.
func TestAGuessAgainstWhatTheFileStatesDoesNotBlock(t *testing.T) {
	s := studiotest.Odile()
	s.Mesh = s.Mesh.Bake(mesh.Placement{Scale: 100, Up: "y"})
	for file, want := range map[string]finding.Severity{"a.obj": finding.Blocks, "a.glb": finding.Harms, "A.GLTF": finding.Harms, "": finding.Blocks} {
		s.Settings.Source = file
		f := intakeOf(s)["size_or_axis"]
		require.Equal(t, want, f.Severity, file)
		require.Equal(t, want == finding.Harms, len(f.Why) > 40 && f.Why[:8] == "The file", file)
	}
}

// A guess can be accepted: it is a note from then on, for later meshes and after a repair
// too, and can be taken up again. What was measured cannot.
func TestAGuessThatIsAcceptedStaysAccepted(t *testing.T) {
	s := studiotest.Odile()
	s.Mesh = s.Mesh.Bake(mesh.Placement{Scale: 100, Up: "y"})
	f := intakeOf(s)["size_or_axis"]
	accept := f.Remedies[len(f.Remedies)-1]
	require.Equal(t, "Accept as intended", accept.Label)
	s = studiotest.Do(t, s, accept.Op, string(accept.Params))
	f = intakeOf(s)["size_or_axis"]
	require.Equal(t, finding.Note, f.Severity)
	require.Contains(t, f.Title, "as intended")
	require.Len(t, f.Remedies, 1)
	again := studiotest.Do(t, s, "drop_loose", "")
	again.Mesh = again.Mesh.Bake(mesh.Placement{Scale: 1.1, Up: "y"})
	require.Equal(t, finding.Note, intakeOf(again)["size_or_axis"].Severity)
	_, _, err := studiotest.Try(s, accept.Op, string(accept.Params))
	require.True(t, studio.IsInput(err))
	s = studiotest.Do(t, s, "accept_finding", string(f.Remedies[0].Params))
	require.Equal(t, finding.Blocks, intakeOf(s)["size_or_axis"].Severity)
	_, _, err = studiotest.Try(s, "accept_finding", `{"code":"inverted_faces"}`)
	require.True(t, studio.IsInput(err))
}

// A safe mend leaves no crumbs behind: fins that would come off as pieces of a face or two
// are left for a person, and said to be left.
func TestASafeMendMakesNoCrumbs(t *testing.T) {
	s := studiotest.Odile()
	m := *s.Mesh
	s.Mesh = &m
	m.Points = append(slices.Clone(m.Points), r3.Vec{X: 0.4, Y: 1, Z: 0.4}, r3.Vec{X: -0.4, Y: 1, Z: 0.4})
	m.Start, m.Corner, m.Part = slices.Clone(m.Start), slices.Clone(m.Corner), slices.Clone(m.Part)
	m.Normal, m.UV = nil, nil
	for i, f := range []int{100, 900} {
		c := m.Face(f)
		m.AddFace(0, c[0], c[1], int32(len(m.Points)-2+i))
	}
	pieces := m.Pieces().Count()
	out, told, err := studiotest.Try(s, "mend_safe", "")
	require.NoError(t, err)
	require.Equal(t, pieces, out.Mesh.Pieces().Count())
	require.Contains(t, strings.Join(told.Left, "\n"), "non-manifold edges")
	apart := studiotest.Do(t, s, "split_ties", "")
	require.Equal(t, pieces+2, apart.Mesh.Pieces().Count(), "who wants it can")
}

// What a bake says is what it did; a number that stays the same is not said to change.
func TestABakeSaysWhatItDid(t *testing.T) {
	s := studiotest.Odile()
	for params, want := range map[string]string{
		`{"scale":1,"up":"y"}`: "There was no transform to bake: nothing moved", `{"scale":2,"up":"y"}`: "Scaled by 2: height 1.66 m → 3.32 m",
		`{"scale":1,"up":"y","turn":90}`: "Rotated by 90°", `{"scale":1,"up":"y","stand":true}`: "Centered it on the ground",
	} {
		_, told, err := studiotest.Try(s, "bake_transform", params)
		require.NoError(t, err)
		require.Equal(t, want, told.Sentence, params)
	}
	_, _, err := studiotest.Try(s, "real_size", fmt.Sprintf(`{"height":%g}`, s.Mesh.Measure().Height))
	require.ErrorContains(t, err, "tall already")
}
