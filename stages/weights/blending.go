package weights

import (
	"context"
	"fmt"

	"wisemarrow/core/skeleton"
	"wisemarrow/studio"
)

func init() {
	studio.Register(studio.Entry{Name: "set_blending", Label: "Say how joints blend", Stage: "weights", Words: "dual quaternion linear mixed volume twist skinning", From: studio.FromForm, Needs: []studio.Need{studio.NeedSkeleton}, New: func() studio.Operation { return &SetBlending{} }})
}

// SetBlending says how much of what joints do to the skin is blended by dual quaternions: 0
// is none, all linear, 1 all. No joints are all.
type SetBlending struct {
	Joints []string `json:"joints,omitempty"`
	Mix    float64  `json:"mix"`
}

// Apply implements studio.Operation.
func (o *SetBlending) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if !(o.Mix >= 0 && o.Mix <= 1) {
		return s, studio.Outcome{}, studio.Wrong("the mix is from 0, all linear, to 1, all dual quaternions, not %g", o.Mix)
	}
	which := make([]int, len(s.Skeleton.Joints))
	for i := range which {
		which[i] = i
	}
	if len(o.Joints) > 0 {
		var err error
		if which, err = s.JointsNamed(o.Joints); err != nil {
			return s, studio.Outcome{}, err
		}
	}
	next := s.Skeleton.Clone()
	changed := 0
	for _, i := range which {
		if next.Joints[i].Mix != o.Mix {
			changed++
		}
		next.Joints[i].Mix = o.Mix
	}
	s.Skeleton = next
	what := fmt.Sprintf("by %.0f %% dual quaternions", 100*o.Mix)
	switch o.Mix {
	case 0:
		what = "linearly"
	case 1:
		what = "by dual quaternions"
	}
	return s, studio.Outcome{Sentence: fmt.Sprintf("Let %d joints blend %s: %d changed", len(which), what, changed), After: fmt.Sprint(changed)}, nil
}

// Blends says how the joints of a skeleton blend.
func Blends(s *skeleton.Skeleton) string {
	if s == nil {
		return ""
	}
	n, whole := 0, true
	for _, j := range s.Joints {
		if j.Mix > 0 {
			n++
		}
		whole = whole && j.Mix == 1
	}
	switch {
	case n == 0:
		return "All joints blend linearly."
	case whole:
		return "All joints blend by dual quaternions."
	}
	return fmt.Sprintf("%d of %d joints blend by dual quaternions, in part or whole.", n, len(s.Joints))
}
