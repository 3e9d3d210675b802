package motion

import (
	"context"
	"fmt"

	"wisemarrow/core/deform"
	"wisemarrow/core/solve"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

// guarded is a state with solved weights that spoil as little as can be, and how it was measured.
type guarded struct {
	*solve.Guarded
	state studio.State
	sheet *studio.Sheet
}

// guard gives places that solved weights spoil their former weights back, in part. before is the sheet of the state as it
// is, influences the cap, and with the state with other weights.
func guard(
	ctx context.Context,
	s *studio.State,
	before *studio.Sheet,
	solved *weights.Weights,
	influences int,
	with func(w *weights.Weights) (studio.State, error),
) (out guarded, err error) {
	skin, o, err := s.Tried(before.Asked)
	if err != nil {
		return out, err
	}
	reel := s.Reel(before.Asked, true)
	locked := make([]bool, len(solved.Joints)) // helper joints that were added come last, unlocked
	copy(locked, s.LockedWeights())
	out.Guarded, err = solve.Guard{
		Mesh: s.Mesh, Skeleton: s.Skeleton, Marks: s.Settings.Marks, Was: s.Weights, Cap: influences, Locked: locked,
		Check: func(w *weights.Weights) ([]deform.Fault, error) {
			if out.state, err = with(w); err != nil {
				return nil, err
			}
			if out.sheet, err = studio.Measure(ctx, &out.state, before.Asked, nil); err != nil {
				return nil, err
			}
			return out.sheet.Faults, nil
		},
		Before: func(kind string, frame int) (float64, error) {
			return skin.SpotTimes(ctx, reel, kind, frame, o)
		},
	}.Keep(solved)
	return out, err
}

// mostSpoiled is how many spots that are spoiled are told one by one.
const mostSpoiled = 5

// says tells what was given back, and what is spoiled still.
func (g guarded) says() (steps []string) {
	if n := len(g.Spoiled); n > 0 {
		steps = append(steps, fmt.Sprintf(
			"as solved, %s worse and over the limit: %s got their former weights back in part",
			wording.Count(n, "spot was", "spots were"), wording.Count(g.Back, "vertex", "vertices"),
		))
	}
	return append(steps, spoiledSays(g.Left)...)
}

func spoiledSays(list []solve.Spoiled) (out []string) {
	for k, x := range list {
		if k == mostSpoiled {
			return append(out, fmt.Sprintf("and %d more", len(list)-k))
		}
		out = append(out, fmt.Sprintf("worse than before: in %s %s, %.2f → %.2f of the limit", x.Pose, Seen(x.Fault), x.Was, x.Times))
	}
	return out
}
