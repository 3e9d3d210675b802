package motion

import (
	"context"

	"wisemarrow/core/solve"
	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

// Helps tells whether solved weights are better, and Guides are read from files.
var (
	Helps  = helps
	Guides = given
)

// Guard is what is left of weights of a state that spoil places of it.
func Guard(
	ctx context.Context,
	s *studio.State,
	before *studio.Sheet,
	w *weights.Weights,
	influences int,
) (*solve.Guarded, *studio.Sheet, error) {
	out, err := guard(ctx, s, before, w, influences, func(w *weights.Weights) (studio.State, error) {
		state := *s
		state.Weights = w
		return state, nil
	})
	return out.Guarded, out.sheet, err
}
