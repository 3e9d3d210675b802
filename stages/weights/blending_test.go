package weights_test

import (
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/internal/studiotest"
	_ "wisemarrow/stages/handoff" // its findings are looked at
	"wisemarrow/stages/weights"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// Joints are told how they blend, the measures follow, and the handoff tells what a file
// would lose; all linear again there is nothing to tell.
func TestJointsBlendByDualQuaternions(t *testing.T) {
	s := studiotest.Bound(t)
	bent := map[string][4]float64{"forearm_l": {0, 90, 0}, "spine_2": {0, 60, 0}}
	linear, err := weights.Measure(&s, bent)
	require.NoError(t, err)
	require.Contains(t, weights.Blends(s.Skeleton, s.Weights), "All joints blend linearly")
	some := studiotest.Do(t, s, "set_blending", `{"joints":["forearm_l","upper_arm_l"],"mix":0.5}`)
	require.Contains(t, weights.Blends(some.Skeleton, some.Weights), "2 of ")
	all := studiotest.Do(t, s, "set_blending", `{"mix":1}`)
	require.Contains(t, weights.Blends(all.Skeleton, all.Weights), "All joints blend by dual quaternions")
	dual, err := weights.Measure(&all, bent)
	require.NoError(t, err)
	require.Greater(t, dual.Volume, linear.Volume)
	note := func(s studio.State) bool {
		for _, f := range studio.CheckOnly(&s, "handoff") {
			if f.Code == "blending_linear" {
				require.Greater(t, f.Evidence[0].Value, 1e-3)
				require.NotEmpty(t, f.Remedies)
				return true
			}
		}
		return false
	}
	require.True(t, note(all))
	back := studiotest.Do(t, all, "set_blending", `{"mix":0}`)
	require.False(t, note(back))
	require.Equal(t, s.Skeleton, back.Skeleton)
	apart, in, _ := deform.LinearApart(s.Mesh.World(), s.Weights, some.Skeleton, nil, s.Settings.Marks)
	require.Positive(t, apart)
	require.NotEmpty(t, in)
	for _, bad := range []string{`{"mix":2}`, `{"mix":-0.1}`, `{"joints":["nobody"],"mix":1}`} {
		_, _, err := studiotest.Try(s, "set_blending", bad)
		require.True(t, studio.IsInput(err), bad)
	}
}
