package motion_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/pose"
	"wisemarrow/core/weights"
	"wisemarrow/formats/bundle"
	"wisemarrow/formats/bvh"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/motion"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func by(s studio.State, joint string) []int32 {
	return s.Weights.By(int32(slices.Index(s.Weights.Joints, joint)), 0.5, 1)
}

// A hand that is tied to a leg is the first place, with the leg to blame; its remedy takes it away in one
// go, and measured again it is gone, with the numbers of before beside.
func TestAMotionCheckLeadsToTheFaultAndItsRemedyMendsIt(t *testing.T) {
	s := studiotest.Bound(t)
	found := studio.CheckOnly(&s, "motion")
	require.Len(t, found, 1)
	require.Equal(t, "motion_untried", found[0].Code)
	s = studiotest.Do(t, s, "check_motion", `{"steps":2}`)
	clean := s.Sheet
	require.LessOrEqual(t, clean.Over, 8, "%v", clean.Faults[0])
	require.Zero(t, clean.Rest)
	for _, f := range studio.CheckOnly(&s, "motion") { // of a coarse body with three influences
		require.Contains(t, []string{"motion_stretch", "motion_crush", "motion_volume"}, f.Code)
		require.Contains(t, f.Why, "The worst: ")
	}
	require.NotNil(t, s.Bind.Score)
	require.Len(t, clean.Kinds, len(clean.Frames))
	require.Equal(t, len(clean.Frames), clean.Segments[len(clean.Segments)-1].To)

	spoiled := studiotest.Do(
		t,
		s,
		"set_weights",
		fmt.Sprintf(`{"joint":"shank_r","vertices":%q,"value":0.5}`, weights.Ranges(by(s, "hand_l"))),
	)
	require.True(t, spoiled.Sheet.Stale)
	require.Nil(t, spoiled.Bind.Score, "the score was of other weights")
	require.Equal(t, "motion_stale", studio.CheckOnly(&spoiled, "motion")[0].Code)
	spoiled = studiotest.Do(t, spoiled, "check_motion", `{"steps":2}`)
	require.Equal(t, clean.Score, spoiled.Sheet.Before.Score)
	require.Greater(t, spoiled.Sheet.Score, clean.Score)
	first := motion.Places(&spoiled)[0]
	require.Equal(t, deform.FaultSpill, first.Kind)
	require.Equal(t, "shank_r", first.Blame[0].Joint)
	require.Greater(t, first.Times, 1.0)
	require.Equal(t, first.Pose, poseOf(spoiled, first.Frame), "the frame that is named is that of the reel that is looked at")
	told := studio.CheckOnly(&spoiled, "motion")
	require.Equal(t, "motion_spill", told[0].Code)
	require.Contains(t, told[0].Where.Joints, "shank_r")

	mended := studiotest.Do(t, spoiled, first.Remedies[0].Op, string(first.Remedies[0].Params))
	mended = studiotest.Do(t, mended, "check_motion", `{"steps":2}`)
	require.Equal(t, spoiled.Sheet.Over, mended.Sheet.Before.Over)
	require.LessOrEqual(t, mended.Sheet.Worst[deform.FaultSpill], 1.0)
	require.LessOrEqual(t, mended.Sheet.Over, clean.Over)
	require.Less(t, mended.Sheet.Score, spoiled.Sheet.Score)

	_, err := studio.Measure(context.Background(), &s, studio.ReelRequest{Amount: math.NaN(), Steps: 2}, nil)
	require.True(t, studio.IsInput(err))
	for _, bad := range []string{`{"amount":0}`, `{"steps":0}`, `{"steps":1000}`, `{"kinds":["dance"]}`, `{"joints":["nobody"]}`, `{"kept":"nothing"}`} {
		_, _, err := studiotest.Try(s, "check_motion", bad)
		require.True(t, studio.IsInput(err), bad)
	}
}

func poseOf(s studio.State, frame int) string {
	return s.Reel(s.Sheet.Asked, true).Frames[frame].Name
}

// A pose that is kept comes back whatever axes the joints are given, and is tried with the others.
func TestPosesAreKept(t *testing.T) {
	s := studiotest.Bound(t)
	s = studiotest.Do(t, s, "save_pose", `{"name":"wave","turns":{"forearm_l":[0,0.5,0,0.8]},"move":[0,0.1,0]}`)
	require.Len(t, s.Poses, 1)
	own := func(s studio.State) int {
		n := 0
		for _, x := range s.Reel(studio.Usual, false).Segments {
			if x.Name == "wave" {
				n++
			}
		}
		return n
	}
	require.Equal(t, 1, own(s))
	again := studiotest.Do(t, s, "save_pose", `{"name":"wave","turns":{"forearm_l":[0,0.4,0,0.8]}}`)
	require.Len(t, again.Poses, 1, "one of that name is replaced")
	renamed := studiotest.Do(t, s, "rename_joint", `{"joint":"forearm_l","name":"lower_arm_l"}`)
	require.Equal(t, []string{"lower_arm_l"}, renamed.Poses[0].Joints)
	require.Empty(t, studiotest.Do(t, s, "drop_pose", `{"name":"wave"}`).Poses)
	for _, bad := range []string{`{"name":""}`, `{"name":"x"}`, `{"name":"x","turns":{"nobody":[0,0,0,1]}}`, `{"name":"x","turns":{"head":[0,0,0,0]}}`} {
		_, _, err := studiotest.Try(s, "save_pose", bad)
		require.True(t, studio.IsInput(err), bad)
	}
	_, _, err := studiotest.Try(s, "drop_pose", `{"name":"nothing"}`)
	require.True(t, studio.IsInput(err))
}

// Several binds are compared, kept with their scores, and the best is taken: a spoiled one is none.
func TestTheBestOfSeveralBindsIsTaken(t *testing.T) {
	s := studiotest.Bound(t)
	s = studiotest.Do(t, s, "set_weights", fmt.Sprintf(`{"joint":"shank_r","vertices":%q,"value":0.5}`, weights.Ranges(by(s, "hand_l"))))
	best := studiotest.Do(t, s, "best_bind", `{"ways":["automatic","distance"],"steps":1}`)
	require.Less(t, best.Sheet.Score, best.Sheet.Before.Score)
	require.LessOrEqual(t, best.Sheet.Worst[deform.FaultSpill], 1.0)
	require.Greater(t, best.Sheet.Before.Worst[deform.FaultSpill], 1.0)
	require.NotNil(t, best.Bind.Score)
	require.Len(t, best.Kept, 3, "and what was there")
	require.Equal(t, s.Weights, best.Kept[0].Weights)
	for _, k := range best.Kept {
		require.NotNil(t, k.Result.Score, k.Name)
	}
	none := studiotest.Do(t, s, "best_bind", `{"ways":["automatic"],"take":"none","steps":1}`)
	require.Equal(t, s.Weights, none.Weights)
	joints := studiotest.Do(t, s, "best_bind", `{"ways":["automatic","distance"],"take":"joints","steps":1}`)
	require.LessOrEqual(t, joints.Sheet.Score, best.Sheet.Score+1e-9)
	for _, list := range joints.Weights.Of {
		sum := 0.0
		for _, x := range list {
			sum += x.Value
		}
		require.InDelta(t, 1, sum, 1e-6)
	}
	// What was set by hand is not replaced unasked.
	for take, warns := range map[string]bool{"best": true, "joints": true, "none": false} {
		e, op, err := studio.ParseOperation("best_bind", []byte(`{"take":"`+take+`"}`))
		require.NoError(t, err)
		require.NotNil(t, e.Loses)
		require.Equal(t, warns, e.Loses(&s, op) != "", take)
	}
	for _, bad := range []string{`{"ways":["magic"]}`, `{"take":"all"}`, `{"steps":0}`} {
		_, _, err := studiotest.Try(s, "best_bind", bad)
		require.True(t, studio.IsInput(err), bad)
	}
}

// A comparison that is stopped ends at once, also in the middle of a way, with the best of those that were tried.
func TestAComparisonIsStoppedAndKeepsWhatItHas(t *testing.T) {
	s := studiotest.Bound(t)
	s = studiotest.Do(t, s, "set_weights", fmt.Sprintf(`{"joint":"shank_r","vertices":%q,"value":0.5}`, weights.Ranges(by(s, "hand_l"))))
	entry, op, err := studio.ParseOperation("best_bind", []byte(`{"ways":["distance","automatic","heat"],"steps":1}`))
	require.NoError(t, err)
	require.True(t, entry.Keeps)
	for at, left := range map[string]string{"Binding: automatic": "stopped while", "Trying automatic": "stopped while trying automatic"} {
		enough := make(chan struct{})
		end := sync.OnceFunc(func() { close(enough) })
		out, told, err := studio.Apply(studio.WithEarlyStop(context.Background(), enough), entry, op, s, func(what string, _ float64) {
			if what == at {
				end()
			}
		})
		require.NoError(t, err)
		require.LessOrEqual(t, out.Sheet.Worst[deform.FaultSpill], 1.0, "the best of those that were tried is taken")
		require.Contains(t, strings.Join(told.Left, "\n"), left)
		for _, k := range out.Kept {
			require.NotContains(t, []string{"tried: automatic", "tried: heat"}, k.Name)
		}
	}
}

// The motion of a file is laid on: one that was handed over here comes back as it was; what brings none, or fits
// nowhere, is refused, and pairs that are said go first.
func TestAMotionOfAFileIsLaidOn(t *testing.T) {
	s := studiotest.Bound(t)
	var file bytes.Buffer
	reel := s.Reel(studio.ReelRequest{Amount: 1, Steps: 2, Kinds: []string{pose.SegmentGait}}, true)
	require.NoError(t, bvh.Encode(&file, s.Skeleton, reel.Clip(s.Skeleton, "steps")))
	_, x, c := studiotest.Begun(t, s)
	ctx := context.Background()
	take := func(name, text string) studio.File {
		f, err := x.TakeIn(ctx, studio.Upload{Name: name, Data: []byte(text)})
		require.NoError(t, err)
		return f
	}
	walk := take("walk.bvh", file.String())
	look, err := motion.LayingOf(ctx, x, &s, walk)
	require.NoError(t, err)
	require.Equal(t, "shank_l", look.Pairs["shank_l"])
	require.Equal(t, len(reel.Frames), look.Frames)
	do := func(head int64, params map[string]any) (studio.Revision, error) {
		data, err := json.Marshal(params)
		require.NoError(t, err)
		r, _, err := x.Do(ctx, c.ID, head, "lay_motion", data, "tester")
		return r, err
	}
	r, err := do(c.Head, map[string]any{"file": walk, "feet": false, "pairs": map[string]string{"head": ""}})
	require.NoError(t, err)
	now, err := x.Load(ctx, r)
	require.NoError(t, err)
	require.Len(t, now.Clips, 1)
	require.NotContains(t, now.Clips[0].Joints, "head", "a pair that is said to be none")
	laid := now.Clips[0].AboutOwn(now.Skeleton)
	for f := 0; f < laid.Frames(); f += 7 {
		p, move := laid.At(f)
		a, b := pose.NewStanding(now.Skeleton, p, move), pose.NewStanding(now.Skeleton, reel.Frames[f].Pose, reel.Frames[f].Move)
		for _, name := range []string{"foot_l", "hand_r", "neck"} {
			i := now.Skeleton.Index(name)
			require.Less(t, r3.Norm(r3.Sub(a.At[i], b.At[i])), 1e-4, "%s in frame %d", name, f)
		}
	}
	for _, bad := range []map[string]any{{}, {"file": take("no.bvh", "HIERARCHY")}, {"file": walk, "pairs": map[string]string{"nobody": "head"}}, {"file": walk, "pairs": map[string]string{"head": "nobody"}}} {
		_, err := do(r.ID, bad)
		require.True(t, studio.IsInput(err), "%v: %v", bad, err)
	}
}

// What a page asks of the reel and of poses.
func TestThePageIsTold(t *testing.T) {
	s := studiotest.Bound(t)
	shown := motion.Shown(&s)
	require.Nil(t, shown.Sheet)
	require.Equal(t, len(shown.Names), shown.Segments[len(shown.Segments)-1].To)
	data, err := motion.ReelBundle(&s)
	require.NoError(t, err)
	clips, err := bundle.ReadClips(data)
	require.NoError(t, err)
	require.Equal(t, len(shown.Names), clips[0].Frames())
	s = studiotest.Do(t, s, "check_motion", `{"steps":1,"kinds":["figure"]}`)
	shown = motion.Shown(&s)
	require.Len(t, shown.Frames, len(shown.Names))
	require.NotNil(t, motion.Posed(&s, 0))
	require.Nil(t, motion.Posed(&s, 1_000_000))
	for _, k := range motion.KindRows(s.Sheet) {
		require.NotEmpty(t, k.Title)
	}
	turned := studiotest.Do(t, s, "save_pose", `{"name":"own","turns":{"head":[0,0.3,0,0.9]}}`)
	require.True(t, motion.Shown(&turned).Stale)
	_, err = motion.Handed(&studio.State{}, motion.HandRequest{Do: "mirror"})
	require.True(t, studio.IsInput(err))
	_, err = motion.Handed(&s, motion.HandRequest{Do: "dance"})
	require.True(t, studio.IsInput(err))
}

// A place measured again alone is what the whole reel says of it, before and after a remedy; what is no
// place of the sheet is refused.
func TestAPlaceIsMeasuredAlone(t *testing.T) {
	ctx := context.Background()
	s := studiotest.Bound(t)
	s = studiotest.Do(t, s, "set_weights", fmt.Sprintf(`{"joint":"shank_r","vertices":%q,"value":0.5}`, weights.Ranges(by(s, "hand_l"))))
	s = studiotest.Do(t, s, "check_motion", `{"steps":2}`)
	require.GreaterOrEqual(t, len(s.Sheet.Faults), 5)
	for _, f := range s.Sheet.Faults[:5] {
		now, err := motion.MeasureSpot(ctx, &s, motion.SpotRequest{Kind: f.Kind, Frame: f.Frame})
		require.NoError(t, err)
		require.InDelta(t, f.Times, now.Times, 1e-3, "%s in %s", f.Kind, f.Pose)
		require.Equal(t, now.Was, now.Seen)
	}
	places := motion.Places(&s)
	params := places[0].Remedies[0].Params
	after := studiotest.Do(t, s, places[0].Remedies[0].Op, string(params))
	spot, err := motion.MeasureSpot(ctx, &after, motion.SpotRequest{Kind: places[0].Kind, Frame: places[0].Frame})
	require.NoError(t, err)
	require.False(t, spot.Over)
	require.Less(t, spot.Times, places[0].Times)
	_, err = motion.MeasureSpot(ctx, &after, motion.SpotRequest{Kind: "spill", Frame: 100000})
	require.ErrorContains(t, err, "no such spot")
	untried := studiotest.Bound(t)
	_, err = motion.MeasureSpot(ctx, &untried, motion.SpotRequest{Kind: "spill"})
	require.ErrorContains(t, err, "no motion check yet")
}
