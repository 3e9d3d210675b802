package stages_test

import (
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/internal/studiotest"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// Each stage has a few first steps; none is done for a character that has nothing yet, none that is measured while
// the stage is still being measured, and on the way from file to handoff they are done one by one.
func TestFirstStepsAreDoneAsTheWorkGoesOn(t *testing.T) {
	done := func(s *studio.State, name, state string, found []finding.Finding) (out []string) {
		for _, step := range studio.StepsOf(&studio.Reviewed{Name: name, State: state, Findings: found}, s) {
			if step.Done {
				out = append(out, step.What)
			}
		}
		return out
	}
	for _, st := range studio.Stages() {
		require.GreaterOrEqual(t, len(st.Steps), 3, st.Name)
		require.LessOrEqual(t, len(st.Steps), 5, st.Name)
		require.Empty(t, done(&studio.State{}, st.Name, "untouched", nil), st.Name)
	}
	s := studiotest.Odile()
	require.Empty(t, done(&s, "intake", studio.Checking, nil))
	check := func(name string) []string { return done(&s, name, "clear", studio.CheckOnly(&s, name)) }
	require.Equal(
		t,
		[]string{"Get unit, up axis and height right", "Turn it to face front, on the ground", "Fix or accept what else is found"},
		check("intake"),
	)
	require.Empty(t, check("placement"))
	s = studiotest.Do(t, s, "set_kind", `{"kind":"biped"}`)
	s = studiotest.Do(t, s, "fit_starter", "")
	require.Len(t, check("intake"), 5)
	require.Contains(t, check("placement"), "Choose a starter and fit it")
	require.NotContains(t, check("placement"), "Go on to Axes")
	require.NotContains(t, check("axes"), "Set the convention and orient all joints")
	s = studiotest.Do(t, s, "set_axes", "")
	require.Contains(t, check("placement"), "Go on to Axes")
	require.Len(t, check("axes"), 4, "all but the bind")
	require.Empty(t, check("bind"))
	s = studiotest.Do(t, s, "bind_heat", "")
	require.Len(t, check("axes"), 5)
	require.Contains(t, check("bind"), "Give every vertex weights")
	require.NotContains(t, check("bind"), "Go on to the motion check")
	require.Empty(t, check("motion"))
	s = studiotest.Do(t, s, "check_motion", `{"steps":1}`)
	require.Contains(t, check("motion"), "Run the test reel")
	require.Contains(t, check("handoff"), "Run the motion check")
}
