// Package skeleton holds the joints of a character: their hierarchy, names and
// sides, editing, starters, fitting into a mesh, and joint axes.
package skeleton

import (
	"errors"
	"fmt"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Joint is a pivot at rest. Pos and Rot are in world frame; Rot takes the
// joint's own axes to world directions.
type Joint struct {
	Name   string
	Parent int // index of the parent, always lower than the joint's own; -1 for a root
	Pos    r3.Vec
	Rot    quat.Number
	// Confidence (0..1) and Reason say how the joint was placed; Reason is empty
	// once a person has set it.
	Confidence float64
	Reason     string
	// Pinned joints stay where they are when the rest is fitted, Locked ones
	// refuse to be moved at all, Hidden ones are not shown.
	Pinned, Locked, Hidden bool `json:",omitempty"`
	// Deforms says whether the joint carries weights: "on", "off", or "" as is usual.
	Deforms string `json:",omitempty"`
	// WeightsLocked: its weights stay exactly as they are, whatever is done to the others'.
	WeightsLocked bool `json:",omitempty"`
	// Mix is how much of what the joint does to the skin is blended by dual quaternions: 0 is
	// none, all linear, 1 all.
	Mix float64 `json:",omitempty"`
	// Order is that in which turns about the joint's own axes are made: "xyz", the usual one
	// and "", turns about X first, within Y, within Z.
	Order string `json:",omitempty"`
	// Axes is the convention of the joint's axes where its chain has one of its own; zero is
	// the character's.
	Axes Convention `json:",omitzero"`
	// Keeps is what the joint keeps to when it is posed; nil is nothing.
	Keeps *Constraints `json:",omitempty"`
	// Helper is the rule by which the joint turns by itself; nil is one that is posed.
	Helper *Helper `json:",omitempty"`
}

// Skeleton is a list of joints, parents before children. A Skeleton that is
// shared is never written to: edits return a new one.
type Skeleton struct{ Joints []Joint }

// Clone returns a copy that may be written to.
func (s *Skeleton) Clone() *Skeleton {
	return &Skeleton{append([]Joint(nil), s.Joints...)}
}

// Index returns the joint of that name, -1 if there is none.
func (s *Skeleton) Index(name string) int {
	for i, j := range s.Joints {
		if j.Name == name {
			return i
		}
	}
	return -1
}

// NoJointError names a joint that the skeleton lacks.
type NoJointError string

func (e NoJointError) Error() string { return fmt.Sprintf("the skeleton has no joint %q", string(e)) }

// Find returns the joint of that name or an NoJointError.
func (s *Skeleton) Find(name string) (int, error) {
	if i := s.Index(name); i >= 0 {
		return i, nil
	}
	return 0, NoJointError(name)
}

// ErrEmpty means that there is no joint at all.
var ErrEmpty = errors.New("the skeleton has no joints")

// Validate reports the first inconsistency: no joints, parents after children,
// duplicate or empty names, positions or rotations that are no number.
func (s *Skeleton) Validate() error {
	if len(s.Joints) == 0 {
		return ErrEmpty
	}
	seen := map[string]bool{}
	for i, j := range s.Joints {
		switch {
		case j.Name == "":
			return fmt.Errorf("joint %d has no name", i)
		case seen[j.Name]:
			return fmt.Errorf("two joints are called %q", j.Name)
		case j.Parent >= i || j.Parent < -1:
			return fmt.Errorf("joint %q has parent %d, which is not before it", j.Name, j.Parent)
		case !geom.Finite(j.Pos):
			return fmt.Errorf("joint %q is at %v, which is not a valid position", j.Name, j.Pos)
		case !(quat.Abs(j.Rot) > 0.99 && quat.Abs(j.Rot) < 1.01):
			return fmt.Errorf("joint %q has the rotation %v, which is not a unit quaternion", j.Name, j.Rot)
		case !(j.Mix >= 0 && j.Mix <= 1):
			return fmt.Errorf("joint %q: blending is 0 (linear) to 1 (dual quaternions), not %g", j.Name, j.Mix)
		case j.Deforms != "" && j.Deforms != "on" && j.Deforms != "off":
			return fmt.Errorf("joint %q deforms %q, and may be \"on\", \"off\" or as is usual", j.Name, j.Deforms)
		case !IsOrder(j.Order):
			return fmt.Errorf("joint %q has the order of turns %q, which is none of x, y and z", j.Name, j.Order)
		}
		if j.Keeps != nil {
			if err := j.Keeps.Validate(); err != nil {
				return fmt.Errorf("joint %q: %w", j.Name, err)
			}
		}
		seen[j.Name] = true
	}
	return s.CheckHelpers()
}

// Orders are the orders in which turns about three axes can be made.
var Orders = []string{"xyz", "yzx", "zxy", "xzy", "yxz", "zyx"}

// IsOrder reports whether turns can be made in that order; "" is the usual one.
func IsOrder(order string) bool { return order == "" || slices.Contains(Orders, order) }

// Children returns the children of every joint, ascending, without helper joints: a bone does not lead to those.
func (s *Skeleton) Children() [][]int {
	out := make([][]int, len(s.Joints))
	for i, j := range s.Joints {
		if j.Parent >= 0 && j.Helper == nil {
			out[j.Parent] = append(out[j.Parent], i)
		}
	}
	return out
}

// Branch returns joint i and everything that hangs from it, ascending.
func (s *Skeleton) Branch(i int) []int {
	in := make([]bool, len(s.Joints))
	in[i] = true
	out := []int{i}
	for k := i + 1; k < len(s.Joints); k++ {
		if p := s.Joints[k].Parent; p >= 0 && in[p] {
			in[k] = true
			out = append(out, k)
		}
	}
	return out
}

// Bone is the segment from a joint to one of its children, in world frame.
type Bone struct {
	Joint, Child int
	A, B         r3.Vec
}

// Bones returns a bone for every child of every joint, by joint.
func (s *Skeleton) Bones() []Bone {
	var out []Bone
	for i, list := range s.Children() {
		for _, c := range list {
			out = append(out, Bone{i, c, s.Joints[i].Pos, s.Joints[c].Pos})
		}
	}
	return out
}

// Deforming returns which joints carry weights: all but end joints, helper joints too, and a joint on its own,
// unless one says otherwise.
func (s *Skeleton) Deforming() []bool {
	out := make([]bool, len(s.Joints))
	for i, list := range s.Children() {
		switch s.Joints[i].Deforms {
		case "on":
			out[i] = true
		case "off":
		default:
			out[i] = len(list) > 0 || s.Joints[i].Parent < 0 || s.Joints[i].Helper != nil
		}
	}
	return out
}

// Local returns joint i's translation and rotation relative to its parent.
func (s *Skeleton) Local(i int) (r3.Vec, quat.Number) {
	j := s.Joints[i]
	if j.Parent < 0 {
		return j.Pos, j.Rot
	}
	p := s.Joints[j.Parent]
	inv := quat.Conj(p.Rot)
	return geom.Rotate(inv, r3.Sub(j.Pos, p.Pos)), geom.Normalise(quat.Mul(inv, j.Rot))
}

// Numbers returns the number of every joint by its name.
func (s *Skeleton) Numbers() map[string]int {
	out := make(map[string]int, len(s.Joints))
	for i, j := range s.Joints {
		out[j.Name] = i
	}
	return out
}

// Size returns the diagonal of the box around the joints, metres.
func (s *Skeleton) Size() float64 {
	b := geom.EmptyBox()
	for _, j := range s.Joints {
		b = b.Add(j.Pos)
	}
	if b.Empty() {
		return 0
	}
	return b.Diagonal()
}
