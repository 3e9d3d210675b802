package motion_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"wisemarrow/core/solve"
	"wisemarrow/core/weights"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/motion"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// Solved weights measure better and take the place of the present ones, which are kept; locked joints, vertices set by
// hand and others than the chosen stay to the last bit.
func TestWeightsAreSolvedForMotion(t *testing.T) {
	s := studiotest.Bound(t)
	hand := by(s, "head")[:4]
	s = s.WithChosen(func(c *studio.Chosen) { c.ByHand = hand })
	out, told, err := studiotest.Try(s, "solve_weights", `{}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "Solved ")
	require.Less(t, out.Sheet.Score, out.Sheet.Before.Score)
	require.LessOrEqual(t, out.Sheet.Over, out.Sheet.Before.Over)
	require.Equal(t, out.Sheet.Score, out.Bind.Score.Score)
	require.True(t, strings.HasSuffix(out.Bind.Report.Method, ", solved for motion"))
	require.Contains(t, strings.Join(told.Steps, "\n"), "poses that were not solved for")
	require.Len(t, out.Kept, 2)
	require.Equal(t, "solved for motion", out.Kept[0].Name)
	require.Equal(t, s.Weights, out.Kept[1].Weights)
	require.NotNil(t, out.Kept[1].Result.Score)
	for _, v := range hand {
		require.Equal(t, s.Weights.Of[v], out.Weights.Of[v])
	}
	most := 0
	for _, list := range s.Weights.Of {
		most = max(most, len(list))
	}
	for _, list := range out.Weights.Of {
		require.LessOrEqual(t, len(list), most)
	}
	back := studiotest.Do(t, out, "take_result", `{"name":"before solving"}`)
	require.Equal(t, s.Weights, back.Weights)

	// Only kept, only some vertices, a joint locked.
	locked := studiotest.Do(t, s, "lock_weights", `{"joints":["hand_l"],"locked":true}`)
	only, all := by(s, "forearm_l"), by(s, "upper_arm_l")
	kept := studiotest.Do(
		t,
		locked,
		"solve_weights",
		fmt.Sprintf(`{"take":"kept","dial":0.5,"vertices":%q}`, weights.Ranges(append(all, only...))),
	)
	require.Equal(t, s.Weights, kept.Weights)
	j := int32(slices.Index(s.Weights.Joints, "hand_l"))
	for v := range s.Weights.Of {
		if !slices.Contains(only, int32(v)) && !slices.Contains(all, int32(v)) {
			require.Equal(t, s.Weights.Of[v], kept.Kept[0].Weights.Of[v])
		}
		require.Equal(t, s.Weights.Value(v, j), kept.Kept[0].Weights.Value(v, j))
	}
	_, _, err = studiotest.Try(s, "solve_weights", `{"spots":true}`)
	require.ErrorContains(t, err, "no motion check yet")
	checked := studiotest.Do(t, s, "check_motion", `{"steps":2}`)
	require.Positive(t, checked.Sheet.Over)
	at := studiotest.Do(t, checked, "solve_weights", `{"spots":true,"take":"always"}`)
	same := 0
	for v := range s.Weights.Of {
		if slices.Equal(s.Weights.Of[v], at.Weights.Of[v]) {
			same++
		}
	}
	require.Positive(t, same, "what is far from the spots stays")
	require.Less(t, same, len(s.Weights.Of))
}

func TestSolvingIsRefusedOrStopped(t *testing.T) {
	s := studiotest.Bound(t)
	for bad, says := range map[string]string{
		`{"dial":0}`:             "0.01",
		`{"dial":2}`:             "1",
		`{"joints":["nobody"]}`:  "nobody",
		`{"take":"perhaps"}`:     "perhaps",
		`{"vertices":"9999999"}`: "9999999",
	} {
		_, _, err := studiotest.Try(s, "solve_weights", bad)
		require.True(t, studio.IsInput(err), bad)
		require.ErrorContains(t, err, says)
	}
	all := make([]int32, len(s.Mesh.Points))
	for v := range all {
		all[v] = int32(v)
	}
	_, _, err := studiotest.Try(s.WithChosen(func(c *studio.Chosen) { c.ByHand = all }), "solve_weights", `{}`)
	require.ErrorContains(t, err, "no vertex is left to solve")
	away := s
	away.Skeleton = s.Skeleton.Clone()
	away.Skeleton.Joints[3].Pos.X += 0.05
	_, _, err = studiotest.Try(away, "solve_weights", `{}`)
	require.ErrorContains(t, err, "at Bind pose")

	// Stopped, it solves for the frames that it has.
	entry, op, err := studio.ParseOperation("solve_weights", []byte(`{"take":"kept"}`))
	require.NoError(t, err)
	require.True(t, entry.Keeps)
	enough := make(chan struct{})
	close(enough)
	_, told, err := studio.Apply(studio.WithEarlyStop(context.Background(), enough), entry, op, s, nil)
	require.NoError(t, err)
	require.Contains(t, strings.Join(told.Left, "\n"), "stopped: solved for")
	gone, cancel := context.WithCancel(context.Background())
	cancel()
	_, _, err = studio.Apply(gone, entry, op, s, nil)
	require.ErrorIs(t, err, context.Canceled)
}

// What was within its limit stays within it: a hand that other weights tie to a leg gets its own back on both sides, the rest
// is as it was solved.
func TestSolvedWeightsSpoilNothing(t *testing.T) {
	ctx := context.Background()
	s := studiotest.Bound(t)
	before, err := studio.Measure(ctx, &s, studio.Usual, nil)
	require.NoError(t, err)
	spoiled := studiotest.Do(t, s, "smooth_weights", fmt.Sprintf(`{"vertices":%q,"passes":2}`, weights.Ranges(by(s, "shank_l"))))
	spoiled = studiotest.Do(
		t,
		spoiled,
		"set_weights",
		fmt.Sprintf(`{"joint":"shank_r","vertices":%q,"value":0.4}`, weights.Ranges(by(s, "hand_l"))),
	)
	asSolved, err := studio.Measure(ctx, &spoiled, studio.Usual, nil)
	require.NoError(t, err)
	require.Greater(t, asSolved.Worst["spill"], 1.5*before.Worst["spill"])
	out, sheet, err := motion.Guard(ctx, &s, before, spoiled.Weights, 4)
	require.NoError(t, err)
	require.NotEmpty(t, out.Spoiled)
	require.Empty(t, out.Left)
	require.LessOrEqual(t, sheet.Worst["spill"], 1.1*before.Worst["spill"])
	differs := 0
	for _, v := range by(s, "shank_l") {
		require.Equal(t, spoiled.Weights.Of[v], out.Weights.Of[v])
		if !slices.Equal(s.Weights.Of[v], out.Weights.Of[v]) {
			differs++
		}
	}
	require.Positive(t, differs)

	// Where nothing is spoiled, nothing is given back.
	out, _, err = motion.Guard(ctx, &s, before, s.Weights, 4)
	require.NoError(t, err)
	require.Empty(t, out.Spoiled)
	require.Zero(t, out.Back)
	require.Equal(t, s.Weights, out.Weights)
}

func TestSolvedWeightsMustMeasureBetterInEachWay(t *testing.T) {
	brief := func(score float64, over int) *studio.Brief { return &studio.Brief{Score: score, Over: over} }
	far := func(mean float64) solve.Distance { return solve.Distance{Mean: mean} }
	require.True(t, motion.Helps(brief(0.3, 2), brief(0.2, 2), far(0.01), far(0.009)))
	require.False(t, motion.Helps(brief(0.3, 2), brief(0.3, 1), far(0.01), far(0.009)), "the score")
	require.False(t, motion.Helps(brief(0.3, 2), brief(0.2, 3), far(0.01), far(0.009)), "places over")
	require.False(t, motion.Helps(brief(0.3, 2), brief(0.2, 2), far(0.01), far(0.011)), "poses that were not solved for")
}
