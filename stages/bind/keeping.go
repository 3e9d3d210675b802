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
	before, to, locked := widened(s, made)
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

// widened returns the weights of a state with the joints of others besides its own, the numbers that these
// have there, and which joints are locked.
func widened(s studio.State, other *weights.Weights) (own *weights.Weights, to []int32, locked []bool) {
	own = &weights.Weights{Joints: s.Weights.Joints, Of: s.Weights.Of, Mix: s.Weights.Mix}
	to = make([]int32, len(other.Joints))
	for k, name := range other.Joints {
		to[k] = own.Add(name)
	}
	locked = make([]bool, len(own.Joints))
	for k, name := range own.Joints {
		i := s.Skeleton.Index(name)
		locked[k] = i >= 0 && lockedJoint(s.Skeleton.Joints[i])
	}
	return own, to, locked
}
