package motion_test

import (
	"strings"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/pose"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// Helper joints come with their gains, are part of the bind pose and of the next bind and check, and go again with their
// weights given back.
func TestHelperJointsAreAddedAndRemoved(t *testing.T) {
	s := studiotest.Bound(t)
	out, told, err := studiotest.Try(s, "add_helpers", `{"most":2}`)
	require.NoError(t, err)
	added := out.Skeleton.Joints[len(s.Skeleton.Joints):]
	require.NotEmpty(t, added, told.Sentence)
	require.LessOrEqual(t, len(added), 2)
	require.Contains(t, told.Sentence, "nearer to the guide")
	steps := strings.Join(told.Steps, "\n")
	for _, j := range added {
		require.NotNil(t, j.Helper)
		require.Contains(t, steps, j.Name)
		require.Contains(t, out.Weights.Joints, j.Name)
		require.GreaterOrEqual(t, out.Binding.Records[0].Skeleton.Index(j.Name), 0)
	}
	require.True(t, out.Binding.Still(out.Skeleton))
	require.LessOrEqual(t, out.Sheet.Over, out.Sheet.Before.Over)
	points := out.Mesh.World()
	require.Equal(t, points, deform.Bound(points, out.Weights, out.Skeleton, nil, out.Binding), "rest is exactly still")
	turned := pose.Pose{added[0].Helper.Driver: pose.Turn(20, 30, 40)}
	require.NotEqual(t, points, deform.Bound(points, out.Weights, out.Skeleton, turned, out.Binding))
	require.Equal(t,
		deform.Bound(points, out.Weights, out.Skeleton, turned, nil),
		deform.Bound(points, out.Weights, out.Skeleton, turned, out.Binding), "a helper joint stands in the bind pose like any other")

	for _, stage := range []string{"bind", "weights", "axes", "bindpose", "placement"} {
		had := append(codes(studio.CheckOnly(&s, stage)), "guide_remains") // which is measured with a solution only
		require.Subset(t, had, codes(studio.CheckOnly(&out, stage)), stage)
	}

	// A new name of a driver is one in the rule, and in the bind pose nothing breaks.
	named := studiotest.Do(t, out, "rename_joint", `{"joint":"`+added[0].Helper.Driver+`","name":"other_l"}`)
	require.Equal(t, "other_l", named.Skeleton.Joints[len(s.Skeleton.Joints)].Helper.Driver)
	require.NoError(t, named.Skeleton.Validate())
	require.NoError(t, named.Binding.Validate(len(named.Mesh.Points)))

	// Their drivers cannot go or be cut off without them.
	_, _, err = studiotest.Try(out, "remove_joints", `{"joints":["`+added[0].Helper.Driver+`"]}`)
	require.ErrorContains(t, err, "remove the helper joint first")
	// A bind from the bones knows nothing of them: they stay, without weights, and are not called unbound.
	again := studiotest.Do(t, out, "bind_heat", `{}`)
	for _, j := range again.Bind.Report.Joints {
		if j.Name == added[0].Name {
			require.Equal(t, "idle", string(j.State))
		}
	}

	back, told, err := studiotest.Try(out, "remove_helpers", `{}`)
	require.NoError(t, err)
	require.Equal(t, s.Skeleton.Joints, back.Skeleton.Joints)
	require.Contains(t, told.Sentence, "Removed ")
	require.Subset(t, codes(studio.CheckOnly(&s, "bind")), codes(studio.CheckOnly(&back, "bind")))
	require.NoError(t, back.Weights.Validate())
	require.NotContains(t, back.Weights.Joints, added[0].Name)
	require.Len(t, back.Binding.Records[0].Skeleton.Joints, len(s.Skeleton.Joints))
	for v, list := range back.Weights.Of {
		sum := 0.0
		for _, x := range list {
			sum += x.Value
		}
		require.InDelta(t, 1, sum, 1e-6, "vertex %d", v)
	}
	_, _, err = studiotest.Try(back, "remove_helpers", `{}`)
	require.ErrorIs(t, err, studio.ErrNothing)
	_, _, err = studiotest.Try(out, "remove_helpers", `{"joints":["head"]}`)
	require.ErrorContains(t, err, "only helper joints")
	for bad, says := range map[string]string{`{"most":0}`: "1", `{"most":17}`: "16", `{"dial":0}`: "0.01", `{"take":"kept"}`: "kept"} {
		_, _, err = studiotest.Try(s, "add_helpers", bad)
		require.ErrorContains(t, err, says)
	}
}

func codes(list []finding.Finding) (out []string) {
	for _, f := range list {
		out = append(out, f.Code)
	}
	return out
}
