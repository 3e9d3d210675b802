package skeleton

import (
	"fmt"
	"regexp"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Move puts joint i at to (world). With branch, everything that hangs from it
// moves along; else its children stay. With both, the partner on the other side
// makes the mirrored move, taking its branch along likewise. Moved joints
// forget how they had been placed.
func (s *Skeleton) Move(i int, to r3.Vec, branch, both bool, x Marks) *Skeleton {
	out := s.Clone()
	pairs := s.Pairs(x)
	partner := -1
	if both {
		partner = pairs.Partner[i]
		if pairs.Middle(s, i) {
			to.X = pairs.Plane
		}
	}
	out.shift(i, r3.Sub(to, s.Joints[i].Pos), branch)
	if partner >= 0 {
		out.shift(partner, r3.Sub(Mirrored(to, pairs.Plane), s.Joints[partner].Pos), branch)
	}
	return out
}

func (s *Skeleton) shift(i int, by r3.Vec, branch bool) {
	moved := []int{i}
	if branch {
		moved = s.Branch(i)
	}
	for k, j := range s.Joints { // helper joints stay at their drivers
		if j.Helper != nil && j.Helper.Driver == s.Joints[i].Name && !slices.Contains(moved, k) {
			moved = append(moved, k)
		}
	}
	for _, k := range moved {
		s.Joints[k].Pos = r3.Add(s.Joints[k].Pos, by)
		s.Joints[k].Confidence, s.Joints[k].Reason = 0, ""
	}
}

// legalName is what targets of the handoff take: letters, digits, underscores and dots, not starting with a digit.
var legalName = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_.]{0,62}$`)

// Rename gives joint i another name. Names are letters, digits, underscores and dots,
// at most 63, and each is used once.
func (s *Skeleton) Rename(i int, name string) (*Skeleton, error) {
	if !legalName.MatchString(name) {
		return nil, fmt.Errorf(
			"%q is not a valid joint name: use letters, digits, underscores and dots, at most 63, and begin with a letter or an underscore",
			name,
		)
	}
	if k := s.Index(name); k >= 0 && k != i {
		return nil, fmt.Errorf("another joint is already called %q", name)
	}
	out := s.Clone()
	out.Joints[i].Name = name
	helpersRenamed(out.Joints, map[string]string{s.Joints[i].Name: name})
	return out, nil
}

// Transform returns the skeleton with every joint at its image under to, a
// similarity whose turn is rot.
func (s *Skeleton) Transform(to geom.Matrix, rot quat.Number) *Skeleton {
	out := s.Clone()
	for i := range out.Joints {
		j := &out.Joints[i]
		j.Pos = to.Point(j.Pos)
		j.Rot = geom.Normalise(quat.Mul(rot, j.Rot))
		j.Keeps = j.Keeps.at(to.Point)
	}
	return out
}
