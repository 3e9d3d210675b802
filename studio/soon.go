package studio

import (
	"context"
	"time"

	"wisemarrow/core/mesh"
)

// Checking is the state of a stage of which it is not known yet what there is to say.
const Checking = "checking"

const (
	// checkedAtOnce is up to how many vertices a check is waited for.
	checkedAtOnce = 150_000
	// soonWaits is how long that of a larger mesh is waited for before the page is shown without.
	soonWaits = 600 * time.Millisecond
	// soonLimit ends a check that nobody waits for any more, whatever it is at.
	soonLimit = 10 * time.Minute
)

// ReviewSoon is Review, but of a large mesh that was not measured yet: then it is begun, and what is returned
// says of each stage that it is being checked, and of the mesh what is known without. Who asks again gets the
// review once it is there.
func (x *Studio) ReviewSoon(ctx context.Context, r Revision) (*Review, error) {
	s, err := x.Load(ctx, r)
	if err != nil || s.Mesh == nil || len(s.Mesh.Points) <= checkedAtOnce {
		if err != nil {
			return nil, err
		}
		return x.Review(ctx, r)
	}
	type answer struct {
		review *Review
		err    error
	}
	done := make(chan answer, 1)
	go func() {
		within, cancel := context.WithTimeout(context.WithoutCancel(ctx), soonLimit)
		defer cancel()
		review, err := x.Review(within, r)
		done <- answer{review, err}
	}()
	select {
	case a := <-done:
		return a.review, a.err
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-time.After(soonWaits):
	}
	out := &Review{Facts: s.Mesh.Counts()}
	for _, st := range stages {
		one := st.reviewed(s, nil)
		if one.State != "untouched" {
			one.State = Checking
		}
		out.Stages = append(out.Stages, one)
	}
	return out, nil
}

// FactsSoon is Facts, or what is known of a large mesh before it was measured.
func (x *Studio) FactsSoon(ctx context.Context, r Revision) (mesh.Facts, error) {
	review, err := x.ReviewSoon(ctx, r)
	if err != nil {
		return mesh.Facts{}, err
	}
	return review.Facts, nil
}

// Checking reports whether anything of a review is still being measured.
func (r *Review) Checking() bool {
	for _, st := range r.Stages {
		if st.State == Checking {
			return true
		}
	}
	return false
}
