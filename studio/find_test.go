package studio_test

import (
	"strings"
	"testing"

	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// Every operation can be found by what it is called and by what the trade calls it, and
// is refused with the reason where it does not apply.
func TestEveryOperationIsFoundAndRefusedWithAReason(t *testing.T) {
	all := ""
	for _, e := range studio.Operations() {
		require.GreaterOrEqual(t, len(strings.Fields(e.Words)), 2, e.Name)
		require.Contains(
			t,
			[]string{studio.FromNothing, studio.FromJoints, studio.FromJoint, studio.FromFaces, studio.FromForm},
			e.From,
			e.Name,
		)
		all += " " + strings.ToLower(e.Label+" "+e.Words)
		why := e.Missing(&studio.State{})
		require.Equal(t, len(e.Needs) == 0, why == "", e.Name)
		if why != "" {
			_, _, err := studiotest.Try(studio.State{Settings: studio.DefaultSettings()}, e.Name, "")
			require.ErrorContains(t, err, why, e.Name)
			require.True(t, studio.IsInput(err))
		}
	}
	for _, word := range []string{"mirror", "weld", "delete", "rename", "roll", "orient", "parent", "copy", "scale", "freeze", "normals", "symmetry", "merge", "template", "weights"} {
		require.Contains(t, all, word)
	}
}

// What an operation would lose is known from the state that it is done to.
func TestWhatAnOperationWouldLoseIsTold(t *testing.T) {
	need.Time(t)
	loses := func(s studio.State, op, params string) string {
		e, parsed, err := studio.ParseOperation(op, []byte(params))
		require.NoError(t, err)
		if e.Loses == nil {
			return ""
		}
		return e.Loses(&s, parsed)
	}
	s := studiotest.Bound(t)
	require.Contains(t, loses(s, "fit_starter", ""), "removes the weights")
	require.Empty(t, loses(s, "fit_starter", `{"only":["hand_l"]}`))
	require.Empty(t, loses(studiotest.Odile(), "fit_starter", ""))
	s.Weights, s.Bind = nil, nil
	require.Empty(t, loses(s, "fit_starter", ""), "the joints stand as they were fitted")
	moved := studiotest.Do(t, s, "move_joint", `{"joint":"hand_l","to":[0.7,1.1,0.05]}`)
	require.Contains(t, loses(moved, "fit_starter", ""), "hand-placed")
	b := studiotest.Bound(t)
	record := *b.Bind
	record.Operation = "import"
	b.Bind = &record
	require.Contains(t, loses(b, "bind_heat", ""), "the file's weights")
}
