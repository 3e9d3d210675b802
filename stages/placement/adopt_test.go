package placement_test

import (
	"bytes"
	"context"
	"encoding/json"
	"testing"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/bundle"
	"wisemarrow/formats/bvh"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/placement"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// wave is a motion in which one joint turns, with the skeleton as a file.
func wave(t *testing.T, s *skeleton.Skeleton, joint string) []byte {
	t.Helper()
	c := &pose.Clip{Name: "wave", Step: 0.04}
	for _, j := range s.Joints {
		c.Joints = append(c.Joints, j.Name)
	}
	for f := range 5 {
		row := make([]quat.Number, len(c.Joints))
		for i := range row {
			row[i] = quat.Number{Real: 1}
			if c.Joints[i] == joint {
				row[i] = pose.Turn(0, 0, 10*float64(f))
			}
		}
		c.Turns, c.Root = append(c.Turns, row), append(c.Root, r3.Vec{X: 0.1 * float64(f)})
	}
	var file bytes.Buffer
	require.NoError(t, bvh.Encode(&file, s, c))
	return file.Bytes()
}

// The motion of a file is stored with the character, follows names and joints that
// are taken out, and comes back from the store as it was.
func TestTheMotionOfAFileIsKept(t *testing.T) {
	ctx := context.Background()
	s := studiotest.Bound(t)
	file := wave(t, s.Skeleton, "forearm_l")
	store, x, c := studiotest.Begun(t, s)
	m, err := matchFile(x, c, "wave.bvh", file)
	require.NoError(t, err)
	require.Equal(t, 5, m.Frames)
	require.Equal(t, 1.0, m.Scale)
	require.False(t, m.Away)
	match := map[string]string{}
	for _, p := range m.Matches {
		match[p.Theirs] = p.Ours
	}
	params := func(more map[string]any) json.RawMessage {
		all := map[string]any{"file": m.File, "motion": true, "match": match, "obsolete": "keep", "parenting": "keep"}
		for k, v := range more {
			all[k] = v
		}
		return json.RawMessage(studiotest.Encoded(t, all))
	}
	rev, _, err := x.Do(ctx, c.ID, c.Head, "adopt_skeleton", params(nil), "tester")
	require.NoError(t, err)
	require.Contains(t, rev.Outcome.Sentence, "its motion of 5 frames is kept")
	_, _, err = x.Do(ctx, c.ID, c.Head, "adopt_skeleton", params(nil), "tester")
	var stale studio.StaleError
	require.ErrorAs(t, err, &stale)

	// Read again from the store by another studio.
	head := func() studio.State {
		fresh := studio.New(store, x.Limits())
		now, err := x.Character(ctx, c.ID)
		require.NoError(t, err)
		r, err := x.Revision(ctx, now.Head)
		require.NoError(t, err)
		state, err := fresh.Load(ctx, r)
		require.NoError(t, err)
		return *state
	}
	kept := head()
	require.Equal(t, []studio.MotionOf{{Name: "wave.bvh", Frames: 5, Seconds: 0.2}}, kept.Motions())
	place := func(s studio.State, joint string, frame int) r3.Vec {
		p, _ := s.Clips[0].AboutOwn(s.Skeleton).At(frame)
		return pose.World(s.Skeleton, p)[s.Skeleton.Index(joint)].Point(r3.Vec{})
	}
	require.Greater(t, r3.Norm(r3.Sub(place(kept, "hand_l", 4), place(kept, "hand_l", 0))), 0.05, "the arm waves")
	require.InDelta(t, 0.4, kept.Clips[0].Root[4].X, 1e-6)

	renamed := studiotest.Do(t, kept, "rename_joint", `{"joint":"forearm_l","name":"elbow_l"}`)
	require.InDelta(t, 0, r3.Norm(r3.Sub(place(renamed, "hand_l", 4), place(kept, "hand_l", 4))), 1e-6)
	turned := studiotest.Do(t, kept, "set_axes", `{"aim":"x","bend":"z","from":"bend","sides":"mirror"}`)
	require.InDelta(t, 0, r3.Norm(r3.Sub(place(turned, "hand_l", 4), place(kept, "hand_l", 4))), 1e-6)
	// Without the elbow the hand itself waves.
	short := studiotest.Do(t, kept, "remove_joints", `{"joints":["forearm_l"]}`)
	require.Greater(t, r3.Norm(r3.Sub(place(short, "hand_end_l", 4), place(short, "hand_end_l", 0))), 0.02)
	require.NotContains(t, short.Clips[0].Joints, "forearm_l")
	view, err := bundle.Clips(kept.Clips)
	require.NoError(t, err)
	require.Greater(t, len(view), 5*4*4*len(kept.Clips[0].Joints))

	// Brought here from elsewhere, it begins where the character stands.
	low := s.Skeleton.Clone()
	for i := range low.Joints {
		low.Joints[i].Pos = r3.Sub(low.Joints[i].Pos, r3.Vec{Y: studiotest.At(t, s, "hips").Y, X: 3})
	}
	now, err := x.Character(ctx, c.ID)
	require.NoError(t, err)
	file = wave(t, low, "forearm_l")
	m, err = matchFile(x, c, "low.bvh", file)
	require.NoError(t, err)
	require.True(t, m.Away)
	_, _, err = x.Do(ctx, c.ID, now.Head, "adopt_skeleton", params(map[string]any{"here": true}), "tester")
	require.NoError(t, err)
	both := head()
	require.Len(t, both.Motions(), 2)
	require.InDelta(t, studiotest.At(t, s, "hips").Y, studiotest.At(t, both, "hips").Y, 1e-6)
	require.InDelta(t, -studiotest.At(t, s, "hips").Y, both.Clips[1].Root[0].Y, 1e-6, "the motion has the hips at the ground")
	require.InDelta(t, 0, both.Clips[1].Root[0].X, 1e-6)
	require.InDelta(t, 0.4, both.Clips[1].Root[4].X, 1e-6)

	none := studiotest.Do(t, kept, "drop_clip", `{"clip":"wave.bvh"}`)
	require.Empty(t, none.Motions())
	_, _, err = studiotest.Try(none, "drop_clip", `{"clip":"wave.bvh"}`)
	require.ErrorContains(t, err, "no motion")
}

// Joints that are left out are not taken; what hangs from them goes to their
// parent. The table says what becomes of every joint.
func TestJointsAreChosenWhenASkeletonIsTaken(t *testing.T) {
	s := studiotest.Bound(t)
	theirs := placement.TheirsOf(s.Skeleton)
	all := map[string]string{}
	for i := range theirs {
		all[theirs[i].Name] = theirs[i].Name
		theirs[i].Pos[1] += 5 // it stands elsewhere
	}
	leave := []string{"forearm_l", "hand_l"}
	for _, n := range leave {
		delete(all, n)
	}
	out, told, err := studiotest.Try(
		s,
		"adopt_skeleton",
		studiotest.Encoded(
			t,
			map[string]any{
				"theirs":    theirs,
				"source":    "a test",
				"match":     all,
				"leave":     leave,
				"obsolete":  "drop",
				"parenting": "take",
				"here":      true,
			},
		),
	)
	require.NoError(t, err)
	require.Less(t, out.Skeleton.Index("hand_l"), 0)
	k := out.Skeleton.Index("hand_end_l")
	require.Equal(t, "upper_arm_l", out.Skeleton.Joints[out.Skeleton.Joints[k].Parent].Name)
	require.InDelta(t, studiotest.At(t, s, "head").Y, studiotest.At(t, out, "head").Y, 1e-9, "brought to where the character stands")
	sums(t, out)
	became := map[string]skeleton.Adopted{}
	for _, j := range told.Joints {
		became[j.Joint] = j
	}
	require.Equal(t, "dropped", became["hand_l"].What)
	require.Equal(t, "upper_arm_l", became["hand_l"].To)
	require.Contains(t, became["hand_l"].String(), "its weights go to upper_arm_l")
	require.Equal(t, "untouched", became["head"].What)

	_, _, err = studiotest.Try(
		s,
		"adopt_skeleton",
		studiotest.Encoded(t, map[string]any{"theirs": theirs[:1], "match": map[string]string{}, "leave": []string{theirs[0].Name}}),
	)
	require.ErrorContains(t, err, "no joint left")
	_, _, err = studiotest.Try(s, "adopt_skeleton", studiotest.Encoded(t, map[string]any{"theirs": theirs, "match": all, "scale": 1e6}))
	require.ErrorContains(t, err, "out of range")
}

// matchFile brings a file in and pairs its joints.
func matchFile(x *studio.Studio, c studio.Character, name string, data []byte) (placement.Matching, error) {
	f, err := x.TakeIn(context.Background(), studio.Upload{Name: name, Data: data})
	if err != nil {
		return placement.Matching{}, err
	}
	return placement.MatchFile(context.Background(), x, c.ID, f)
}

func match(t *testing.T, x *studio.Studio, c studio.Character, file []byte) placement.Matching {
	t.Helper()
	m, err := matchFile(x, c, "bones.bvh", file)
	require.NoError(t, err)
	return m
}
