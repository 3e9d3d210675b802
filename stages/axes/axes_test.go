package axes_test

import (
	"context"
	"encoding/json"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/pose"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func TestSettingAxesMovesNeitherJointsNorSkin(t *testing.T) {
	s := studiotest.Bound(t)
	out := studiotest.Do(t, s, "set_axes", `{"aim":"x","bend":"z","sides":"mirror","world":[0,0,1],"from":"bend"}`)
	rest := deform.Linear(out.Mesh.Points, out.Weights, pose.Skin(out.Skeleton, nil))
	for v, p := range rest {
		require.InDelta(t, 0, r3.Norm(r3.Sub(p, s.Mesh.Points[v])), 1e-12)
	}
}

// What set_axes says of the hinges is what was measured, and a flipped roll is found, with
// a remedy that mends it.
func TestARollThatIsFlippedIsFoundAndMended(t *testing.T) {
	s := studiotest.Do(t, studiotest.Odile(), "fit_starter", "")
	s, told, err := studiotest.Try(s, "set_axes", `{"aim":"y","bend":"x","from":"bend","world":[1,0,0],"sides":"bend"}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "0; 8 of 8 hinges fold the way they should")
	_, x, c := studiotest.Begun(t, s)
	r, _, err := x.Do(context.Background(), c.ID, c.Head, "roll_axes", json.RawMessage(`{"joints":["shank_l"],"degrees":180}`), "tester")
	require.NoError(t, err)
	found := map[string]finding.Finding{}
	for _, f := range studiotest.Findings(t, x, r, "axes") {
		found[f.Code] = f
	}
	require.Equal(t, []string{"shank_l"}, found["bends_backward"].Where.Joints)
	params, err := json.Marshal(found["bends_backward"].Remedies[0].Params)
	require.NoError(t, err)
	r, _, err = x.Do(context.Background(), c.ID, r.ID, "set_axes", params, "tester")
	require.NoError(t, err)
	require.Equal(t, "Set the axes of 1 joint: 0 off their bone became 0; 8 of 8 hinges fold the way they should; nothing moved", r.Outcome.Sentence)
	require.Empty(t, studiotest.Findings(t, x, r, "axes"))
}

// The roll of a branch turns together; no joint moves, and what makes no sense is refused.
func TestTheRollOfABranch(t *testing.T) {
	s := studiotest.Do(t, studiotest.Do(t, studiotest.Odile(), "fit_starter", ""), "set_axes", "")
	out := studiotest.Do(t, s, "roll_axes", `{"joints":["upper_arm_l"],"branch":true,"degrees":30}`)
	turned := 0
	for i, j := range out.Skeleton.Joints {
		require.Equal(t, s.Skeleton.Joints[i].Pos, j.Pos)
		if j.Rot != s.Skeleton.Joints[i].Rot {
			turned++
		}
	}
	require.Equal(t, len(s.Skeleton.Branch(s.Skeleton.Index("upper_arm_l"))), turned)
	for _, bad := range []string{`{"joints":[],"degrees":30}`, `{"joints":["upper_arm_l"],"degrees":361}`, `{"joints":["nobody"],"degrees":3}`} {
		_, _, err := studiotest.Try(s, "roll_axes", bad)
		require.True(t, studio.IsInput(err), bad)
	}
}
