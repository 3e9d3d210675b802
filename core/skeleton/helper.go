package skeleton

import (
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Helper is the rule by which a helper joint turns: by a share of the turn of another joint. Nobody poses it, and
// it has no children.
type Helper struct {
	// Driver is the joint that it follows. The helper is a child of the driver or of a joint above it.
	Driver string `json:"driver"`
	// Twist: only what the driver turns about its own bone counts.
	Twist bool `json:"twist,omitempty"`
	// Share is how much of the turn it makes, -1 to 1. A negative share of a child of the driver takes
	// that much of the turn back.
	Share float64 `json:"share"`
}

// Says is the rule in words.
func (h *Helper) Says() string {
	what := "turn"
	if h.Twist {
		what = "twist"
	}
	if h.Share < 0 {
		return fmt.Sprintf("takes back %.0f%% of the %s of %s", -100*h.Share, what, h.Driver)
	}
	return fmt.Sprintf("follows %.0f%% of the %s of %s", 100*h.Share, what, h.Driver)
}

// Helpers are the helper joints, ascending.
func (s *Skeleton) Helpers() (out []int) {
	for i, j := range s.Joints {
		if j.Helper != nil {
			out = append(out, i)
		}
	}
	return out
}

// Hanging returns the children of every joint with its helper joints, ascending.
func (s *Skeleton) Hanging() [][]int {
	out := s.Children()
	for _, i := range s.Helpers() {
		if p := s.Joints[i].Parent; p >= 0 {
			out[p] = append(out[p], i)
		}
	}
	for _, list := range out {
		slices.Sort(list)
	}
	return out
}

// WithoutHelpers returns the skeleton without its helper joints.
func (s *Skeleton) WithoutHelpers() *Skeleton {
	gone := s.Helpers()
	if len(gone) == 0 {
		return s
	}
	out, _, err := s.Remove(gone)
	if err != nil { // only helpers: Validate has refused that
		return s
	}
	return out
}

// WithoutRules returns the skeleton with its helper joints as joints like any others.
func (s *Skeleton) WithoutRules() *Skeleton {
	list := s.Helpers()
	if len(list) == 0 {
		return s
	}
	out := s.Clone()
	for _, i := range list {
		out.Joints[i].Helper = nil
	}
	return out
}

// CheckHelpers reports the first helper joint whose rule cannot be followed.
func (s *Skeleton) CheckHelpers() error {
	for _, j := range s.Joints {
		if j.Parent >= 0 && s.Joints[j.Parent].Helper != nil {
			return fmt.Errorf(
				"joint %q is the child of the helper joint %q, which carries nothing: choose another parent",
				j.Name,
				s.Joints[j.Parent].Name,
			)
		}
		h := j.Helper
		if h == nil {
			continue
		}
		d := s.Index(h.Driver)
		switch {
		case j.Parent < 0:
			return fmt.Errorf("helper joint %q has no parent", j.Name)
		case !(math.Abs(h.Share) <= 1) || h.Share == 0:
			return fmt.Errorf("helper joint %q makes %g of a turn, and may make -1 to 1, not 0", j.Name, h.Share)
		case d < 0:
			return fmt.Errorf("helper joint %q follows %q, which is not there: remove the helper joint first", j.Name, h.Driver)
		case s.Joints[d].Helper != nil:
			return fmt.Errorf("helper joint %q follows another helper joint, %q", j.Name, h.Driver)
		}
		if !slices.Contains(s.above(d), j.Parent) {
			return fmt.Errorf(
				"helper joint %q follows %q, but is not a child of it or of a joint above it: remove the helper joint first",
				j.Name,
				h.Driver,
			)
		}
	}
	return nil
}

// above are joint i, its parent, and so on up to the root.
func (s *Skeleton) above(i int) (out []int) {
	for ; i >= 0; i = s.Joints[i].Parent {
		out = append(out, i)
	}
	return out
}

// Driven returns the turn of helper joint i about its own axes at rest when its driver, joint d, is turned by q about its
// own.
func (s *Skeleton) Driven(i, d int, q quat.Number) quat.Number {
	h := s.Joints[i].Helper
	q = geom.Normalise(q)
	if h.Twist {
		q = geom.TwistAbout(q, s.TwistAxis(d))
	}
	q = geom.Power(q, h.Share)
	to := quat.Mul(quat.Conj(s.Joints[i].Rot), s.Joints[d].Rot)
	return geom.Normalise(quat.Mul(to, quat.Mul(q, quat.Conj(to))))
}

// TwistAxis is the way of joint i's bone at rest, in its own axes: what it twists about. It is zero for an end joint.
func (s *Skeleton) TwistAxis(i int) r3.Vec {
	return geom.Rotate(quat.Conj(s.Joints[i].Rot), s.aim(i, s.Children()))
}

// helpersRenamed returns joints whose rules follow new names of their drivers.
func helpersRenamed(joints []Joint, names map[string]string) {
	for i := range joints {
		h := joints[i].Helper
		if h == nil {
			continue
		}
		if to, ok := names[h.Driver]; ok {
			made := *h
			made.Driver = to
			joints[i].Helper = &made
		}
	}
}
