package weights_test

import (
	"context"
	"encoding/json"
	"fmt"
	"testing"

	core "wisemarrow/core/weights"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/weights"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// A hand that is tied to a leg is the first place, with the leg to blame; its remedy takes it away,
// and measured again it is gone.
func TestAMotionCheckLeadsToTheFaultAndItsRemedyMendsIt(t *testing.T) {
	s := studiotest.Bound(t)
	clean, err := weights.CheckMotion(context.Background(), &s)
	require.NoError(t, err)
	require.Positive(t, clean.Frames)
	require.Len(t, clean.Worst, clean.Frames)
	require.Len(t, clean.Poses, clean.Frames)
	spoiled := studiotest.Do(t, s, "set_weights", fmt.Sprintf(`{"joint":"shank_r","vertices":%q,"value":0.5}`, core.Ranges(by(s, "hand_l"))))
	bad, err := weights.CheckMotion(context.Background(), &spoiled)
	require.NoError(t, err)
	require.Greater(t, bad.Score, clean.Score)
	first := bad.Places[0]
	require.Equal(t, "spill", first.Kind)
	require.Equal(t, "shank_r", first.Blame[0].Joint)
	require.Greater(t, first.Times, 1.0)
	mended := spoiled
	for range 3 { // the places that are named are the first of them
		x, err := weights.CheckMotion(context.Background(), &mended)
		require.NoError(t, err)
		if p := x.Places[0]; p.Kind != "spill" || p.Blame[0].Joint != "shank_r" || p.Times <= 1 {
			break
		}
		params, _ := json.Marshal(x.Places[0].Remedies[0].Params)
		mended = studiotest.Do(t, mended, x.Places[0].Remedies[0].Op, string(params))
	}
	again, err := weights.CheckMotion(context.Background(), &mended)
	require.NoError(t, err)
	require.Less(t, again.Score, bad.Score)
	for _, p := range again.Places {
		require.False(t, p.Kind == "spill" && p.Times > 1 && p.Blame[0].Joint == "shank_r", "%v", p.Fault)
	}
	s.Weights = nil
	_, err = weights.CheckMotion(context.Background(), &s)
	require.True(t, studio.IsInput(err))
}
