package skeleton

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// FreeName returns base, or base with the lowest number that no joint has yet.
// The mark of a side stays last.
func (s *Skeleton) FreeName(base string, x Marks) string {
	taken := map[string]bool{}
	for _, j := range s.Joints {
		taken[j.Name] = true
	}
	return freeName(base, x, taken)
}

func freeName(base string, x Marks, taken map[string]bool) string {
	stem, side := x.Split(base)
	out := base
	for n := 2; taken[out]; n++ {
		out = x.Join(fmt.Sprintf("%s_%d", stem, n), side)
	}
	taken[out] = true
	return out
}

// AddChain hangs a chain of joints at world places from parent, -1 for a root.
// They are called base_1, base_2 … with the side mark of base last; a single one
// is called base. The last is an end joint when end is set.
func (s *Skeleton) AddChain(parent int, base string, places []r3.Vec, end bool, x Marks) (*Skeleton, []string, error) {
	if len(places) == 0 {
		return nil, nil, fmt.Errorf("a chain needs at least one position")
	}
	if parent < -1 || parent >= len(s.Joints) {
		return nil, nil, fmt.Errorf("there is no joint %d to parent a chain to", parent)
	}
	stem, side := x.Split(base)
	if !legalName.MatchString(base) {
		return nil, nil, fmt.Errorf(
			"%q is not a valid joint name: use letters, digits, underscores and dots, and begin with a letter or an underscore",
			base,
		)
	}
	out := s.Clone()
	taken := map[string]bool{}
	for _, j := range s.Joints {
		taken[j.Name] = true
	}
	var names []string
	for i, p := range places {
		if !geom.Finite(p) {
			return nil, nil, fmt.Errorf("%v is not a valid position for a joint", p)
		}
		name := base
		switch {
		case end && i == len(places)-1 && i > 0:
			name = x.Join(stem+"_end", side)
		case len(places) > 1 && !(end && len(places) == 2):
			name = x.Join(fmt.Sprintf("%s_%d", stem, i+1), side)
		}
		name = freeName(name, x, taken)
		names = append(names, name)
		made := Joint{Name: name, Parent: parent, Pos: p, Rot: geom.Identity}
		if parent >= 0 {
			made.Axes = out.Joints[parent].Axes
		}
		out.Joints = append(out.Joints, made)
		parent = len(out.Joints) - 1
	}
	return out, names, nil
}

// Insert divides the bone from joint i's parent to i by n new joints at even
// steps, named after the parent.
func (s *Skeleton) Insert(i, n int, x Marks) (*Skeleton, []string, error) {
	p := s.Joints[i].Parent
	if p < 0 {
		return nil, nil, fmt.Errorf("%s is a root: no bone above to split", s.Joints[i].Name)
	}
	if n < 1 || n > 32 {
		return nil, nil, fmt.Errorf("1 to 32 joints can be inserted, not %d", n)
	}
	out := s.Clone()
	taken := map[string]bool{}
	for _, j := range s.Joints {
		taken[j.Name] = true
	}
	stem, side := x.Split(s.Joints[p].Name)
	if x.Of(s.Joints[i].Name) == Centre {
		side = Centre
	}
	a, b := s.Joints[p].Pos, s.Joints[i].Pos
	var names []string
	parent := p
	for k := range n {
		name := freeName(x.Join(fmt.Sprintf("%s_mid_%d", stem, k+1), side), x, taken)
		names = append(names, name)
		out.Joints = append(
			out.Joints,
			Joint{
				Name:   name,
				Parent: parent,
				Pos:    r3.Add(a, r3.Scale(float64(k+1)/float64(n+1), r3.Sub(b, a))),
				Rot:    s.Joints[p].Rot,
				Axes:   s.Joints[p].Axes,
			},
		)
		parent = len(out.Joints) - 1
	}
	out.Joints[i].Parent = parent
	return out.ordered(), names, nil
}

// Removed says what became of what hung from a removed joint.
type Removed struct {
	Joint, Parent string   // Parent is empty where a root was removed
	Children      []string // that hang from Parent now
}

// Remove takes joints out; their children go to the nearest parent that stays
// and keep their world places and axes.
func (s *Skeleton) Remove(which []int) (*Skeleton, []Removed, error) {
	gone := make([]bool, len(s.Joints))
	for _, i := range which {
		gone[i] = true
	}
	if !slices.Contains(gone, false) {
		return nil, nil, fmt.Errorf("that would remove every joint: remove fewer, or undo to where there was no skeleton")
	}
	stays := func(i int) int {
		for i >= 0 && gone[i] {
			i = s.Joints[i].Parent
		}
		return i
	}
	var told []Removed
	number := make([]int, len(s.Joints))
	out := &Skeleton{}
	for i, j := range s.Joints {
		if gone[i] {
			r := Removed{Joint: j.Name}
			if p := stays(i); p >= 0 {
				r.Parent = s.Joints[p].Name
			}
			told = append(told, r)
			continue
		}
		if p := j.Parent; p >= 0 {
			if gone[p] {
				for k := range told {
					if told[k].Joint == s.Joints[p].Name {
						told[k].Children = append(told[k].Children, j.Name)
					}
				}
			}
			j.Parent = -1
			if q := stays(p); q >= 0 {
				j.Parent = number[q]
			}
		}
		number[i] = len(out.Joints)
		out.Joints = append(out.Joints, j)
	}
	return out, told, nil
}

// Reparent hangs joint i from parent, -1 for a root; world places and axes stay.
// It fails when parent hangs from i.
func (s *Skeleton) Reparent(i, parent int) (*Skeleton, error) {
	for p := parent; p >= 0; p = s.Joints[p].Parent {
		if p == i {
			return nil, fmt.Errorf("%s is a descendant of %s: a joint cannot be its own ancestor", s.Joints[parent].Name, s.Joints[i].Name)
		}
	}
	out := s.Clone()
	out.Joints[i].Parent = parent
	return out.ordered(), nil
}

// ordered returns the joints parents first, otherwise in the order they have.
func (s *Skeleton) ordered() *Skeleton {
	var order []int
	placed := make([]bool, len(s.Joints))
	var place func(i int)
	place = func(i int) {
		if placed[i] {
			return
		}
		placed[i] = true
		if p := s.Joints[i].Parent; p >= 0 {
			place(p)
		}
		order = append(order, i)
	}
	for i := range s.Joints {
		place(i)
	}
	number := make([]int, len(s.Joints))
	for k, i := range order {
		number[i] = k
	}
	out := &Skeleton{}
	for _, i := range order {
		j := s.Joints[i]
		if j.Parent >= 0 {
			j.Parent = number[j.Parent]
		}
		out.Joints = append(out.Joints, j)
	}
	return out
}

// Duplicate copies a branch beside itself, moved by a way, under new names.
func (s *Skeleton) Duplicate(i int, by r3.Vec, x Marks) (*Skeleton, []string) {
	out := s.Clone()
	taken := map[string]bool{}
	for _, j := range s.Joints {
		taken[j.Name] = true
	}
	number, renamed := map[int]int{}, map[string]string{}
	var names []string
	for _, k := range s.Branch(i) {
		j := s.Joints[k]
		if n, ok := number[j.Parent]; ok {
			j.Parent = n
		}
		j.Name = freeName(j.Name, x, taken)
		j.Pos = r3.Add(j.Pos, by)
		j.Keeps = j.Keeps.at(func(p r3.Vec) r3.Vec { return r3.Add(p, by) })
		j.Confidence, j.Reason = 0, ""
		number[k] = len(out.Joints)
		names = append(names, j.Name)
		out.Joints = append(out.Joints, j)
		renamed[s.Joints[k].Name] = j.Name
	}
	helpersRenamed(out.Joints[len(s.Joints):], renamed)
	return out, names
}

// OneRoot makes root the only joint without a parent: the other roots hang from
// it.
func (s *Skeleton) OneRoot(root int) (*Skeleton, int, error) {
	if s.Joints[root].Parent >= 0 {
		return nil, 0, fmt.Errorf("%s is not a root: select a joint without a parent", s.Joints[root].Name)
	}
	out, n := s.Clone(), 0
	for i := range out.Joints {
		if out.Joints[i].Parent < 0 && i != root {
			out.Joints[i].Parent = root
			n++
		}
	}
	return out.ordered(), n, nil
}

// AddEnds gives every chosen last joint an end joint, straight on by half its
// bone; RemoveEnds takes end joints (called …_end) away.
func (s *Skeleton) AddEnds(which []int, x Marks) (*Skeleton, []string) {
	out := s.Clone()
	children := s.Children()
	taken := map[string]bool{}
	for _, j := range s.Joints {
		taken[j.Name] = true
	}
	var names []string
	for _, i := range which {
		if len(children[i]) > 0 || IsEnd(s.Joints[i].Name, x) || s.Joints[i].Helper != nil {
			continue
		}
		stem, side := x.Split(s.Joints[i].Name)
		way := r3.Vec{Y: 0.05}
		if p := s.Joints[i].Parent; p >= 0 {
			way = r3.Scale(0.5, r3.Sub(s.Joints[i].Pos, s.Joints[p].Pos))
		}
		name := freeName(x.Join(stem+"_end", side), x, taken)
		names = append(names, name)
		out.Joints = append(
			out.Joints,
			Joint{Name: name, Parent: i, Pos: r3.Add(s.Joints[i].Pos, way), Rot: s.Joints[i].Rot, Axes: s.Joints[i].Axes},
		)
	}
	return out, names
}

// IsEnd reports whether a name is that of an end joint.
func IsEnd(name string, x Marks) bool {
	stem, _ := x.Split(name)
	return strings.HasSuffix(stem, "_end")
}

// Stretch scales the branch of a joint about it; axes stay.
func (s *Skeleton) Stretch(i int, factor float64) *Skeleton {
	out := s.Clone()
	o := s.Joints[i].Pos
	for _, k := range s.Branch(i)[1:] {
		out.Joints[k].Pos = r3.Add(o, r3.Scale(factor, r3.Sub(s.Joints[k].Pos, o)))
		out.Joints[k].Confidence, out.Joints[k].Reason = 0, ""
	}
	return out
}

// Swing turns the branch of a joint about it, places and axes both.
func (s *Skeleton) Swing(i int, turn quat.Number) *Skeleton {
	out := s.Clone()
	o := s.Joints[i].Pos
	for _, k := range s.Branch(i) {
		j := &out.Joints[k]
		j.Pos = r3.Add(o, geom.Rotate(turn, r3.Sub(j.Pos, o)))
		j.Rot = geom.Normalise(quat.Mul(turn, j.Rot))
		if k != i {
			j.Confidence, j.Reason = 0, ""
		}
	}
	return out
}

// Held names the first locked joint that stands elsewhere in moved.
func (s *Skeleton) Held(moved *Skeleton) error {
	for _, j := range s.Joints {
		if i := moved.Index(j.Name); j.Locked && i >= 0 && moved.Joints[i].Pos != j.Pos {
			return fmt.Errorf("%s is locked: unlock it first", j.Name)
		}
	}
	return nil
}

// MoveAll puts joints at world places, each without what hangs from it.
func (s *Skeleton) MoveAll(to map[int]r3.Vec) (*Skeleton, error) {
	out := s.Clone()
	for i, p := range to {
		j := &out.Joints[i]
		if !geom.Finite(p) {
			return nil, fmt.Errorf("%v is not a valid position for %s", p, j.Name)
		}
		j.Pos, j.Confidence, j.Reason = p, 0, ""
	}
	return out, nil
}

// SlightBend moves a joint between two bones so that they meet at an angle of so
// many degrees: a knee (shank) forward, an elbow (forearm) back, others forward.
func (s *Skeleton) SlightBend(i int, degrees float64, x Marks) (*Skeleton, error) {
	children := s.Children()[i]
	if s.Joints[i].Parent < 0 || len(children) == 0 {
		return nil, fmt.Errorf("%s is not between two bones", s.Joints[i].Name)
	}
	a, b := s.Joints[s.Joints[i].Parent].Pos, s.Joints[children[0]].Pos
	line := r3.Sub(b, a)
	if r3.Norm(line) == 0 {
		return nil, fmt.Errorf("the bones around %s have no length", s.Joints[i].Name)
	}
	axis := r3.Unit(line)
	ahead := r3.Vec{Z: 1}
	if stem, _ := x.Split(s.Joints[i].Name); stem == "forearm" {
		ahead = r3.Vec{Z: -1}
	}
	ahead = r3.Sub(ahead, r3.Scale(r3.Dot(ahead, axis), axis))
	if r3.Norm(ahead) < geom.Slant {
		ahead = r3.Vec{Y: 1}
		ahead = r3.Sub(ahead, r3.Scale(r3.Dot(ahead, axis), axis))
	}
	t := r3.Dot(r3.Sub(s.Joints[i].Pos, a), axis)
	u, v := t, r3.Norm(line)-t
	if u <= 0 || v <= 0 {
		return nil, fmt.Errorf("%s is not between its neighbors", s.Joints[i].Name)
	}
	// The angle between both bones is off/u + off/v for small ones.
	off := degrees * math.Pi / 180 / (1/u + 1/v)
	out := s.Clone()
	out.Joints[i].Pos = r3.Add(r3.Add(a, r3.Scale(t, axis)), r3.Scale(off, r3.Unit(ahead)))
	out.Joints[i].Confidence, out.Joints[i].Reason = 0, ""
	return out, nil
}

// Along returns the direction of a joint's bones: from its parent to its first
// child, or whichever of both there is; not of unit length.
func (s *Skeleton) Along(i int) r3.Vec {
	a, b := s.Joints[i].Pos, s.Joints[i].Pos
	if p := s.Joints[i].Parent; p >= 0 {
		a = s.Joints[p].Pos
	}
	if c := s.Children()[i]; len(c) > 0 {
		b = s.Joints[c[0]].Pos
	}
	return r3.Sub(b, a)
}
