package bind

import (
	"slices"

	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

// Keeping is what a bind leaves as it was, besides the weights of locked joints.
type Keeping struct {
	// KeepHand keeps the weights of vertices that were set by hand since the last bind.
	KeepHand bool `json:"keep_hand,omitempty"`
}

func (k Keeping) keepsHand() bool { return k.KeepHand }

// withKept returns weights that a bind made with what is to stay of the earlier ones: those of
// locked joints exactly, and, where asked, vertices that were set by hand. It reports whether there
// was anything to keep.
func withKept(s studio.State, made *weights.Weights, params any) (*weights.Weights, bool) {
	hand := false
	if k, ok := params.(interface{ keepsHand() bool }); ok && k.keepsHand() {
		hand = len(s.ByHand()) > 0
	}
	locks := slices.ContainsFunc(s.Skeleton.Joints, lockedJoint)
	if s.Weights == nil || len(s.Weights.Of) != len(made.Of) || !locks && !hand {
		return made, false
	}
	before := &weights.Weights{Joints: s.Weights.Joints, Of: s.Weights.Of, Mix: s.Weights.Mix}
	to := make([]int32, len(made.Joints))
	for k, name := range made.Joints {
		to[k] = before.Add(name)
	}
	locked := make([]bool, len(before.Joints))
	for k, name := range before.Joints {
		i := s.Skeleton.Index(name)
		locked[k] = i >= 0 && lockedJoint(s.Skeleton.Joints[i])
	}
	var open []bool
	if hand {
		open = make([]bool, len(made.Of))
		for v := range open {
			open[v] = true
		}
		for _, v := range s.ByHand() {
			open[v] = false
		}
	}
	e := weights.Edit(before, locked, open, 0)
	for v, list := range made.Of {
		own := weights.Renumbered(list, to)
		if len(before.Of[v]) == 0 {
			if open == nil || open[v] {
				e.Give(int32(v), own)
			}
			continue
		}
		e.Replace(int32(v), own)
	}
	return e.Weights(), true
}

func lockedJoint(j skeleton.Joint) bool { return j.WeightsLocked }
