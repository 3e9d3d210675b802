package placement_test

import (
	"context"
	"encoding/json"
	"testing"

	"wisemarrow/core/skeleton"
	"wisemarrow/demo"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/placement"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// lower moves joints down by so many thicknesses of their limbs, as a rigger's hand would.
func lower(t *testing.T, s studio.State, by float64, joints ...string) studio.State {
	t.Helper()
	for _, name := range joints {
		p := studiotest.At(t, s, name)
		s = studiotest.Do(t, s, "move_joint", studiotest.Encoded(t, map[string]any{
			"joint": name, "to": [3]float64{p.X, p.Y - by*s.Fit.Fitted[name].Thickness, p.Z}, "branch": false, "both": true,
		}))
	}
	return s
}

// What is corrected on three characters of a production is offered on the fourth: it is shown, does not touch what a
// person placed, can be left out and switched off, and nothing of it happens by itself.
func TestWhatIsCorrectedIsOfferedOnTheNext(t *testing.T) {
	need.Time(t)
	ctx := context.Background()
	fitted := func(m int) studio.State {
		mesh, _ := demo.Odile(0.03)
		if m > 0 {
			mesh, _ = demo.Bram(0.03)
		}
		return studiotest.Do(t, studio.State{Mesh: mesh, Settings: studio.DefaultSettings()}, "fit_starter", `{"starter":"biped"}`)
	}
	odile, bram := fitted(0), fitted(1)
	posed, _ := demo.Poses(6, 5)[4].Make()
	third := studiotest.Do(t, studio.State{Mesh: posed, Settings: studio.DefaultSettings()}, "fit_starter", `{"starter":"biped"}`)
	mesh, _ := demo.Poses(5, 1)[0].Make()
	next := studiotest.Do(t, studio.State{Mesh: mesh, Settings: studio.DefaultSettings()}, "fit_starter", `{"starter":"biped"}`)
	_, x, c := studiotest.Begun(t, next)
	add := func(name string, s studio.State) {
		_, err := x.Add(ctx, studio.Character{Production: c.Production, Name: name}, "tester", s, "came in")
		require.NoError(t, err)
	}
	style := func() studio.HouseStyle {
		h, err := x.HouseStyle(ctx, c.ID)
		require.NoError(t, err)
		return h
	}
	require.Empty(t, style().Habits)
	add("Odile", lower(t, odile, 0.5, "hips", "thigh_l"))
	add("Odile again", lower(t, odile, 0.5, "hips", "thigh_l")) // the same hands did the same on the same body
	require.Empty(t, style().Habits, "a copy is no second character")
	add("Bram", lower(t, bram, 0.4, "hips", "thigh_r", "shank_l"))
	require.Empty(t, style().Habits, "two agree by chance")
	add("A third", lower(t, third, 0.45, "hips", "thigh_r"))
	add("Bram as fitted", bram)
	h := style()
	require.Len(t, h.Habits, 2)
	here := placement.StyleFor(h, &next)
	require.Len(t, here.Rows, 2)
	require.Len(t, here.Places, 3)

	out, told, err := studiotest.Try(next, "follow_style", studiotest.Encoded(t, here.Does))
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "Placed hips, thigh_l, thigh_r as on earlier characters")
	for _, name := range []string{"hips", "thigh_l", "thigh_r"} {
		thick := next.Fit.Fitted[name].Thickness
		moved := r3.Norm(r3.Sub(studiotest.At(t, out, name), studiotest.At(t, next, name)))
		require.InDelta(t, 0.45*thick, moved, 0.1*thick, name) // the third strides: down is not down along its thighs
		require.Contains(t, out.Skeleton.Joints[out.Skeleton.Index(name)].Reason, "then as on 3 earlier characters")
		require.False(t, out.Fit.Fitted[name].ByHand)
	}
	require.Equal(t, studiotest.At(t, next, "shank_l"), studiotest.At(t, out, "shank_l"))
	require.Empty(t, placement.StyleFor(h, &out).Rows, "nothing is left to offer")
	_, _, err = studiotest.Try(out, "follow_style", studiotest.Encoded(t, here.Does))
	require.ErrorContains(t, err, "already stand there")

	// One of its joints alone; and what is placed by hand or pinned stays.
	one := here.Does
	one.Only = []string{"thigh"}
	out = studiotest.Do(t, next, "follow_style", studiotest.Encoded(t, one))
	require.Equal(t, studiotest.At(t, next, "hips"), studiotest.At(t, out, "hips"))
	require.NotEqual(t, studiotest.At(t, next, "thigh_r"), studiotest.At(t, out, "thigh_r"))
	hand := lower(t, next, 0.1, "thigh_l")
	hand = studiotest.Do(t, hand, "mark_joints", `{"joints":["hips"],"pinned":true}`)
	require.Empty(t, placement.StyleFor(h, &hand).Rows)

	// It survives other names, another size, and a fit of other joints; a fit of all forgets.
	renamed := studiotest.Do(t, hand, "rename_joint", `{"joint":"thigh_l","name":"ham_l"}`)
	require.True(t, renamed.Fit.Fitted["ham_l"].ByHand)
	require.NotContains(t, renamed.Fit.Fitted, "thigh_l")
	large := studiotest.Do(t, hand, "bake_transform", `{"scale":2}`)
	require.InDelta(t, 2*hand.Fit.Fitted["thigh_l"].Thickness, large.Fit.Fitted["thigh_l"].Thickness, 1e-9)
	part := studiotest.Do(t, hand, "fit_starter", `{"starter":"biped","only":["forearm_l"]}`)
	require.True(t, part.Fit.Fitted["thigh_l"].ByHand)
	all := studiotest.Do(t, hand, "fit_starter", `{"starter":"biped"}`)
	require.False(t, all.Fit.Fitted["thigh_l"].ByHand)

	// The production's choices.
	_, err = x.ChooseStyle(ctx, c.ID, studio.StyleChoice{LeftOut: []string{"thigh"}})
	require.NoError(t, err)
	here = placement.StyleFor(style(), &next)
	require.Len(t, here.Rows, 1)
	require.Equal(t, []string{"thigh"}, here.Out)
	_, err = x.ChooseStyle(ctx, c.ID, studio.StyleChoice{Off: true})
	require.NoError(t, err)
	require.Empty(t, placement.StyleFor(style(), &next).Rows)
	_, err = x.ChooseStyle(ctx, c.ID, studio.StyleChoice{LeftOut: []string{"\x00"}})
	require.Error(t, err)
}

// Sides may be marked otherwise here, and the starter may be one of the production's own.
func TestCorrectionsAreRememberedByWhateverName(t *testing.T) {
	need.Time(t)
	m, _ := demo.Odile(0.03)
	s := studio.State{Mesh: m, Settings: studio.DefaultSettings()}
	s.Settings.Marks = skeleton.Marks{Left: "L_", Right: "R_", Before: true}
	s = studiotest.Do(t, s, "fit_starter", `{"starter":"biped"}`)
	require.Equal(t, "thigh_r", s.Fit.Fitted["R_thigh"].Kind)
	s = lower(t, s, 0.5, "R_thigh")
	require.True(t, s.Fit.Fitted["L_thigh"].ByHand)
	require.InDelta(t, s.Fit.Fitted["L_thigh"].Moved.Y, s.Fit.Fitted["R_thigh"].Moved.Y, 0.05)
	own := map[string]any{"name": "Ours", "like": map[string]any{"starter": "biped", "height": 1, "spine": 3, "neck": 1}, "names": map[string]string{"hips": "pelvis"},
		"skeleton": json.RawMessage(studiotest.Encoded(t, renamedHips(t)))}
	ours := studiotest.Do(t, studio.State{Mesh: m, Settings: studio.DefaultSettings()}, "fit_starter", studiotest.Encoded(t, map[string]any{"own": own}))
	require.Equal(t, "hips", ours.Fit.Fitted["pelvis"].Kind)
}

func renamedHips(t *testing.T) *skeleton.Skeleton {
	t.Helper()
	s, err := skeleton.Biped(1).RenameMany(map[string]string{"hips": "pelvis"})
	require.NoError(t, err)
	return s
}

func TestAHouseStyleThatCannotBeFollowedIsRefused(t *testing.T) {
	s := studiotest.Bound(t)
	for params, why := range map[string]string{
		`{"style":{"habits":[{"starter":"biped","joint":"hips","offset":{"X":0,"Y":99,"Z":0},"count":2,"of":2}]}}`: "thicknesses",
		`{"style":{"habits":[{"starter":"biped","offset":{},"count":2,"of":2}]}}`:                                  "names no joint",
	} {
		_, _, err := studiotest.Try(s, "follow_style", params)
		require.ErrorContains(t, err, why)
	}
	s.Fit = nil
	_, _, err := studiotest.Try(s, "follow_style", `{"style":{"habits":[]}}`)
	require.ErrorContains(t, err, "fit a biped")
}
