package skeleton

import (
	"fmt"
	"math"
	"reflect"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Mirroring says what making the other side did or would do.
type Mirroring struct {
	Updated []string `json:"updated"` // partners that were there already
	Made    []string `json:"made"`
	Left    []string `json:"left"`    // joints of the other side that nothing on this side matches
	Centred []string `json:"centred"` // centre joints that were drawn into the middle plane
}

// MakeOther makes the side opposite to from out of it: for every joint whose name
// marks the side from, its partner gets the mirrored place, parent and axes;
// partners that are there are updated, not doubled. Joints without a mark that
// lie within tolerance metres of the plane are drawn onto it. The axes are mirrored
// by the side behaviour of the convention.
func (s *Skeleton) MakeOther(from Side, tolerance float64, c Convention, x Marks) (*Skeleton, Mirroring, error) {
	var m Mirroring
	if from == Centre {
		return nil, m, fmt.Errorf("the side to mirror from is left or right")
	}
	plane := s.MirrorPlane(x)
	out := s.Clone()
	number := map[string]int{}
	for i, j := range out.Joints {
		number[j.Name] = i
	}
	for i := range out.Joints {
		j := &out.Joints[i]
		if x.Of(j.Name) == Centre && j.Pos.X != plane && math.Abs(j.Pos.X-plane) <= tolerance {
			j.Pos.X = plane
			m.Centred = append(m.Centred, j.Name)
		}
	}
	any := false
	matched := map[string]bool{}
	for i := range s.Joints { // parents come before children
		j := out.Joints[i]
		if x.Of(j.Name) != from {
			continue
		}
		any = true
		name, _ := x.Partner(j.Name)
		matched[name] = true
		parent := j.Parent
		if parent >= 0 {
			if other, ok := x.Partner(out.Joints[parent].Name); ok {
				k, there := number[other]
				if !there {
					return nil, m, fmt.Errorf("%s has parent %s, which has no partner yet", j.Name, out.Joints[parent].Name)
				}
				parent = k
			}
		}
		c := s.AxesOf(i, c)
		made := Joint{
			Name:    name,
			Parent:  parent,
			Pos:     Mirrored(j.Pos, plane),
			Rot:     mirrorTurn(j.Rot, c),
			Axes:    j.Axes,
			Pinned:  j.Pinned,
			Locked:  j.Locked,
			Hidden:  j.Hidden,
			Deforms: j.Deforms,
			Mix:     j.Mix,
			Order:   j.Order,
			Keeps:   j.Keeps.mirrored(plane, c),
		}
		if h := j.Helper; h != nil {
			other := *h
			if to, ok := x.Partner(h.Driver); ok {
				other.Driver = to
			}
			made.Helper = &other
		}
		if k, ok := number[name]; ok {
			if !alike(out.Joints[k], made) {
				m.Updated = append(m.Updated, name)
			}
			out.Joints[k] = made
			continue
		}
		number[name] = len(out.Joints)
		out.Joints = append(out.Joints, made)
		m.Made = append(m.Made, name)
	}
	if !any {
		return nil, m, fmt.Errorf("no joint's name is marked %q: mark the sides of names first", x.mark(from))
	}
	for _, j := range s.Joints {
		if side := x.Of(j.Name); side != Centre && side != from && !matched[j.Name] {
			m.Left = append(m.Left, j.Name)
		}
	}
	return out.ordered(), m, nil
}

// alike reports whether two joints are one, constraints and rules by what they say.
func alike(a, b Joint) bool {
	return reflect.DeepEqual(a, b)
}

// mirrorTurn mirrors axes in the plane X = const. A turn about a is seen in the
// mirror as the opposite turn about the mirror image of a. So for "mirror", where
// equal turns look mirrored, all axes are the negated mirror image; for "bend" the
// bend axis alone is negated, and the aim keeps along the bone.
func mirrorTurn(q quat.Number, c Convention) quat.Number {
	axes := map[string]r3.Vec{}
	for name, v := range map[string]r3.Vec{"x": {X: 1}, "y": {Y: 1}, "z": {Z: 1}} {
		w := geom.Rotate(q, v)
		w.X = -w.X
		if c.Sides == "mirror" || name == c.Bend {
			w = r3.Scale(-1, w)
		}
		axes[name] = w
	}
	return geom.FromAxes(axes["x"], axes["y"], axes["z"])
}

// MarkSides gives the joints off the plane the mark of their side, and takes a
// wrong one away; joints within tolerance metres of the plane get none. It
// returns the new names by the old ones.
func (s *Skeleton) MarkSides(tolerance float64, x Marks) (*Skeleton, map[string]string, error) {
	plane := s.MirrorPlane(x)
	out := s.Clone()
	renamed := map[string]string{}
	for i := range out.Joints {
		j := &out.Joints[i]
		stem, side := x.Split(j.Name)
		want := Centre
		switch {
		case j.Pos.X > plane+tolerance:
			want = Left
		case j.Pos.X < plane-tolerance:
			want = Right
		}
		if want != side {
			name := x.Join(stem, want)
			renamed[j.Name] = name
			j.Name = name
		}
	}
	helpersRenamed(out.Joints, renamed)
	if err := out.Validate(); err != nil {
		return nil, nil, fmt.Errorf("%w once the sides are marked: rename one of them first", err)
	}
	return out, renamed, nil
}
