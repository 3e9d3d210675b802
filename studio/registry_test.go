package studio_test

import (
	"fmt"
	"testing"

	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func TestMistakesAreTheCallersAndSayWhat(t *testing.T) {
	empty := studiotest.Odile()
	for _, c := range []struct{ op, params, want string }{
		{"fly", "", `no operation "fly"`},
		{"weld", `{"distance":-1}`, "above 0 m"},
		{"weld", `{"distance":"far"}`, "cannot be read"},
		{"weld", `{"distance":1,"sideways":true}`, "unknown field"},
		{"move_joint", `{"joint":"hips","to":[0,0,0]}`, "no skeleton"},
		{"bind_heat", "", "no skeleton"},
		{"follow_beneath", "", "no skeleton"},
		{"bake_transform", `{"scale":0}`, "Scale must be"},
		{"bake_transform", `{"up":"sideways"}`, "Up axis must be y, z or -z"},
		{"fit_starter", `{"starter":"octopus"}`, "octopus"},
		{"set_axes", "", "no skeleton"},
	} {
		_, _, err := studiotest.Try(empty, c.op, c.params)
		require.True(t, studio.IsInput(err), "%s: %v", c.op, err)
		require.ErrorContains(t, err, c.want)
	}
	s := studiotest.Do(t, empty, "fit_starter", "")
	for _, c := range []struct{ op, params, want string }{
		{"move_joint", `{"joint":"wing","to":[0,0,0]}`, `no joint "wing"`},
		{"move_joint", `{"joint":"hips","to":[1e30,0,0]}`, "not a valid position"},
		{"bind_heat", `{"influences":17}`, "from 1 to 16"},
		{"bind_heat", `{"skip":["wing"]}`, "wing"},
		{"set_axes", `{"aim":"y","bend":"y"}`, "different"},
	} {
		_, _, err := studiotest.Try(s, c.op, c.params)
		require.True(t, studio.IsInput(err), "%s %s: %v", c.op, c.params, err)
		require.ErrorContains(t, err, c.want)
	}
}

func TestEveryOperationHasALabelAndAKnownStage(t *testing.T) {
	for _, e := range studio.Operations() {
		require.NotEmpty(t, e.Label, e.Name)
		require.True(t, studio.IsStage(e.Stage), e.Name)
		require.NotNil(t, e.New())
	}
}

func TestRepairsCarryWeightsOver(t *testing.T) {
	s := studiotest.Bound(t)
	n := len(s.Mesh.Points)
	m := *s.Mesh
	m.Points = append([]r3.Vec{{Y: 3}}, m.Points...)
	m.Corner = append([]int32(nil), m.Corner...)
	for i := range m.Corner {
		m.Corner[i]++
	}
	w := *s.Weights
	w.Of = append(w.Of[:0:0], nil)
	w.Of = append(w.Of, s.Weights.Of...)
	s.Mesh, s.Weights = &m, &w
	out, told, err := studiotest.Try(s, "drop_loose", "")
	require.NoError(t, err)
	require.Len(t, out.Mesh.Points, n)
	require.Equal(t, w.Of[1:], out.Weights.Of)
	require.Equal(t, fmt.Sprint(n+1), told.Before)
	require.Len(t, s.Mesh.Points, n+1, "the state before is untouched")
}

func TestRenameCarriesWeightsAndReport(t *testing.T) {
	s := studiotest.Do(t, studiotest.Bound(t), "rename_joint", `{"joint":"shank_l","name":"calf_l"}`)
	require.Contains(t, s.Weights.Joints, "calf_l")
	require.GreaterOrEqual(t, s.Bind.Skeleton.Index("calf_l"), 0)
	_, _, err := studiotest.Try(s, "rename_joint", `{"joint":"calf_l","name":"thigh_l"}`)
	require.True(t, studio.IsInput(err))
}

// An operation that takes the last face away would leave a character that nothing can
// be done with any more; it is refused, whichever it is.
func TestTheLastFaceStays(t *testing.T) {
	s := studiotest.Odile()
	var all []int32
	for f := range s.Mesh.Faces() {
		all = append(all, int32(f))
	}
	out, told, err := studiotest.Try(s, "drop_chosen", studiotest.Encoded(t, map[string]any{"faces": all}))
	require.True(t, studio.IsInput(err), "%v", err)
	require.ErrorContains(t, err, "every face")
	require.Empty(t, told.Sentence)
	require.Equal(t, s.Mesh.Faces(), out.Mesh.Faces())
}

func TestJointsAreNotInsertedBeyondTheLimit(t *testing.T) {
	s := studiotest.Bound(t)
	joint := s.Skeleton.Joints[len(s.Skeleton.Joints)-1].Name
	for _, n := range []int{studio.MaxJoints, 1 << 40, -1} {
		_, _, err := studiotest.Try(s, "insert_joints", studiotest.Encoded(t, map[string]any{"joints": []string{joint}, "count": n}))
		require.True(t, studio.IsInput(err), "%d: %v", n, err)
	}
}
