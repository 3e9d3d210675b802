package axes_test

import (
	"context"
	"encoding/json"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/pose"
	"wisemarrow/demo"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/axes"
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
	require.Equal(
		t,
		"Oriented 1 joint: off their bone 0 → 0; 8 of 8 hinges fold the way they should; nothing moved",
		r.Outcome.Sentence,
	)
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

// The rig that the demo spoiled is aligned by one action: no axis that harms is left, and
// neither joints nor skin moved.
func TestWhatIsSafeIsAligned(t *testing.T) {
	need.Time(t)
	var s studio.State
	for _, m := range demo.Cast() {
		if m.Name != "Bram as rigged" {
			continue
		}
		made, _ := demo.Bram(0.03)
		s = studio.State{Mesh: made, Settings: studio.DefaultSettings()}
		for _, step := range m.Steps {
			s = studiotest.Do(t, s, step.Op, studiotest.Encoded(t, step.Params))
		}
	}
	before := deform.Bound(s.Mesh.World(), s.Weights, s.Skeleton, nil, s.Binding)
	codes := func(s studio.State) (out []string) {
		for _, f := range studio.CheckOnly(&s, "axes") {
			if f.Severity != finding.Note {
				out = append(out, f.Code)
			}
		}
		return out
	}
	require.Equal(t, []string{"bends_backward", "roll_jump"}, codes(s))
	out, told, err := studiotest.Try(s, "align_safe", "")
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "→ 0")
	require.NotEmpty(t, told.Steps)
	require.Empty(t, codes(out))
	for i, j := range out.Skeleton.Joints {
		require.Equal(t, s.Skeleton.Joints[i].Pos, j.Pos)
	}
	for v, p := range deform.Bound(out.Mesh.World(), out.Weights, out.Skeleton, nil, out.Binding) {
		require.InDelta(t, 0, r3.Norm(r3.Sub(p, before[v])), 1e-9)
	}
	again, told, err := studiotest.Try(out, "align_safe", "")
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "Nothing is safe")
	require.Equal(t, out.Skeleton, again.Skeleton)
}

// Rolls from another joint, axes of the other side, ends, orders of turns; what makes no sense
// is refused.
func TestAxesOfOneJointForOthers(t *testing.T) {
	s := studiotest.Do(t, studiotest.Bound(t), "set_axes", "")
	for _, c := range [][3]string{
		{"match_axes", `{"joint":"spine_1","joints":["spine_2","spine_3"]}`, "Rolled 2 joints like spine_1; nothing moved"},
		{"copy_axes", `{"joints":["upper_arm_l"],"branch":true}`, "to the other side; nothing moved"},
		{"set_order", `{"joints":["shank_l","shank_r"],"order":"yxz"}`, "rotation order of 2 joints"},
	} {
		out, told, err := studiotest.Try(s, c[0], c[1])
		require.NoError(t, err, c[0])
		require.Contains(t, told.Sentence, c[2])
		require.NoError(t, out.Skeleton.Validate())
	}
	rolled := studiotest.Do(t, s, "roll_axes", `{"joints":["head_end"],"degrees":30}`)
	require.Equal(t, rolled.Skeleton.Joints[rolled.Skeleton.Index("head")].Rot, func() any {
		out := studiotest.Do(t, rolled, "align_ends", "")
		return out.Skeleton.Joints[out.Skeleton.Index("head_end")].Rot
	}())
	for _, bad := range [][2]string{{"match_axes", `{"joint":"spine_1","joints":[]}`}, {"match_axes", `{"joint":"nobody","joints":["head"]}`}, {"copy_axes", `{"joints":["head"]}`}, {"copy_axes", `{}`},
		{"align_ends", ""}, {"align_twists", ""}, {"set_order", `{"joints":["head"],"order":"xx"}`}, {"set_order", `{}`}, {"set_axes", `{"from":"moon"}`}} {
		_, _, err := studiotest.Try(s, bad[0], bad[1])
		require.True(t, studio.IsInput(err), "%s %s: %v", bad[0], bad[1], err)
	}
}

// Limits, goals and places to look at are given to both sides, told, moved along with their
// joints by whatever operation moves these, and taken away.
func TestWhatJointsKeepTo(t *testing.T) {
	s := studiotest.Do(t, studiotest.Bound(t), "set_axes", "")
	s = studiotest.Do(t, s, "limit_joints", `{"joints":["forearm_l"],"usual":true,"both":true}`)
	s = studiotest.Do(t, s, "limit_joints", `{"joints":["forearm_l"],"twist":[-10,20],"both":true}`)
	s = studiotest.Do(t, s, "set_goal", `{"joint":"hand_l","bones":2,"both":true}`)
	s = studiotest.Do(t, s, "look_at", `{"joint":"head","both":true}`)
	at := func(s studio.State, name string) axes.Keeping {
		return axes.KeepingOf(&s)[s.Skeleton.Index(name)]
	}
	require.Equal(t, [2]float64{-20, 10}, at(s, "forearm_r").Twist)
	require.Contains(t, at(s, "forearm_l").Keeps, "twist -10 to 20°")
	require.NotEmpty(t, at(s, "hand_r").Goal)
	require.NotEmpty(t, at(s, "head").Look)
	moved := studiotest.Do(t, s, "move_joint", `{"joint":"hand_l","to":[0.6,1.1,0.1],"branch":true,"both":false}`)
	require.Equal(t, "[0.6,1.1,0.1]", at(moved, "hand_l").Goal)
	renamed := studiotest.Do(t, s, "rename_joint", `{"joint":"hand_l","name":"paw_l"}`)
	require.NotEmpty(t, at(renamed, "paw_l").Goal)
	free := studiotest.Do(t, s, "free_joints", `{"joints":["hand_l"],"both":true}`)
	require.Empty(t, at(free, "hand_r").Goal)
	for _, bad := range [][2]string{{"limit_joints", `{"joints":["head"],"usual":true}`}, {"limit_joints", `{"joints":["forearm_l"]}`}, {"limit_joints", `{"joints":["forearm_l"],"bend":[50,-50]}`},
		{"set_goal", `{"joint":"hips"}`}, {"set_goal", `{"joint":"hand_l","bones":0}`}, {"look_at", `{"joint":"nobody"}`}, {"free_joints", `{"joints":["spine_1"]}`}} {
		_, _, err := studiotest.Try(s, bad[0], bad[1])
		require.True(t, studio.IsInput(err), "%s %s: %v", bad[0], bad[1], err)
	}
}

// A convention belongs to a chain: an arm with X along its bones is right by its own, and the
// rest by the character's; what hangs from it later takes it over, and what is set anew is set
// by it. One convention for all made 27 joints "not aim" after one limb was set.
func TestALimbHasAConventionOfItsOwn(t *testing.T) {
	s := studiotest.Do(t, studiotest.Do(t, studiotest.Odile(), "fit_starter", ""), "set_axes", "")
	arm := `{"joints":["upper_arm_l"],"branch":true,"aim":"x","bend":"z","from":"bend","world":[1,0,0],"sides":"bend"}`
	s, told, err := studiotest.Try(s, "set_axes", arm)
	require.NoError(t, err)
	require.NotContains(t, told.Sentence, "27")
	require.Equal(t, "y", s.Settings.Convention.Aim)
	codes := func(s studio.State) (out []string) {
		for _, f := range axes.Check(s.Skeleton, nil, s.Settings.Convention, s.Settings.Marks) {
			if f.Severity != finding.Note {
				out = append(out, f.Code)
			}
		}
		return out
	}
	require.Equal(t, []string{"axes_unlike_partner"}, codes(s), "its partner has the character's")
	require.Equal(t, []axes.OwnRow{{Joint: "upper_arm_l", Says: "x along the bone, bends about z"}}, axes.OwnAxes(&s))
	both := studiotest.Do(t, s, "copy_axes", `{"joints":["upper_arm_l"],"branch":true}`)
	require.Empty(t, codes(both))

	// Two of its joints turned by hand: these are named, and set by their own convention.
	off := studiotest.Do(t, both, "roll_axes", `{"joints":["forearm_l"],"degrees":180}`)
	require.Equal(t, "bends_backward", codes(off)[0])
	f := axes.Check(off.Skeleton, nil, off.Settings.Convention, off.Settings.Marks)[0]
	params := f.Remedies[0].Params
	mended := studiotest.Do(t, off, "set_axes", string(params))
	require.Empty(t, codes(mended))
	require.Equal(
		t,
		both.Skeleton.Joints[both.Skeleton.Index("forearm_l")].Rot,
		mended.Skeleton.Joints[mended.Skeleton.Index("forearm_l")].Rot,
	)

	// What is inserted into the chain has its convention, and all at once is one convention again.
	more := studiotest.Do(t, both, "insert_joints", `{"joints":["forearm_l"],"count":1}`)
	for _, j := range more.Skeleton.Joints {
		if j.Parent >= 0 && more.Skeleton.Joints[j.Parent].Name == "upper_arm_l" {
			require.Equal(t, "x", j.Axes.Aim, j.Name)
		}
	}
	whole := studiotest.Do(t, both, "set_axes", "")
	require.Empty(t, axes.OwnAxes(&whole))
	require.Empty(t, codes(whole))
}
