package skeleton

import (
	"errors"
	"fmt"
	"math"
	"strings"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Side of a joint. The character's left is +X.
type Side int

const (
	Centre Side = iota
	Left
	Right
)

// Marks are what names of sides begin or end with.
type Marks struct {
	Left   string `json:"left"`
	Right  string `json:"right"`
	Before bool   `json:"before,omitempty"` // names begin with them
}

// DefaultMarks are the endings _l and _r, which the names of starters have.
var DefaultMarks = Marks{Left: "_l", Right: "_r"}

// Check reports marks that cannot be told apart.
func (x Marks) Check() error {
	within := strings.HasSuffix
	if x.Before {
		within = strings.HasPrefix
	}
	switch {
	case x.Left == "" || x.Right == "":
		return errors.New("both sides need a mark")
	case within(x.Left, x.Right) || within(x.Right, x.Left):
		return fmt.Errorf("the marks of left and right must differ, and none may be part of the other: not %q and %q", x.Left, x.Right)
	}
	return nil
}

// Of returns the side that a name is marked with.
func (x Marks) Of(name string) Side {
	_, side := x.Split(name)
	return side
}

// Split takes the mark of a side off a name. A name of nothing but a mark has no
// side.
func (x Marks) Split(name string) (stem string, side Side) {
	cut := strings.CutSuffix
	if x.Before {
		cut = strings.CutPrefix
	}
	for _, side := range [2]Side{Left, Right} {
		if mark := x.mark(side); mark != "" {
			if stem, ok := cut(name, mark); ok && stem != "" {
				return stem, side
			}
		}
	}
	return name, Centre
}

// Join puts the mark of a side to a name.
func (x Marks) Join(stem string, side Side) string {
	if x.Before {
		return x.mark(side) + stem
	}
	return stem + x.mark(side)
}

func (x Marks) mark(side Side) string {
	switch side {
	case Left:
		return x.Left
	case Right:
		return x.Right
	}
	return ""
}

// Translate returns a name with the marks of another way to mark sides.
func (x Marks) Translate(name string, to Marks) string { return to.Join(x.Split(name)) }

// Other returns the opposite side.
func (s Side) Other() Side {
	return [3]Side{Centre: Centre, Left: Right, Right: Left}[s]
}

// Partner returns the name of the same joint on the other side; ok is false
// for a name without a side.
func (x Marks) Partner(name string) (partner string, ok bool) {
	stem, side := x.Split(name)
	if side == Centre {
		return "", false
	}
	return x.Join(stem, side.Other()), true
}

// pairShare is how far from each other's mirror image two joints may be that pair
// by place, as a share of the skeleton's size; they are at least a quarter of that
// from the plane, and nearer to the image than to the plane.
const pairShare = 0.02

// Pairs says which joints belong together across the middle plane.
type Pairs struct {
	Partner []int  // of each joint, -1 without one
	Sides   []Side // by the mark in the name, else by the place of a pair found by place
	Plane   float64
	Reach   float64 // metres from the plane within which an unmarked joint is a centre joint
}

// Pairs finds the pairs by the marks in names; joints that this leaves alone pair
// by place with their mirror image, if each is the other's nearest.
func (s *Skeleton) Pairs(x Marks) Pairs {
	size := geom.EmptyBox()
	number := make(map[string]int, len(s.Joints))
	for i, j := range s.Joints {
		size = size.Add(j.Pos)
		number[j.Name] = i
	}
	p := Pairs{Partner: make([]int, len(s.Joints)), Sides: make([]Side, len(s.Joints)), Plane: s.MirrorPlane(x)}
	if !size.Empty() {
		p.Reach = pairShare * r3.Norm(size.Size())
	}
	var left, right []int // off the plane and alone
	for i, j := range s.Joints {
		p.Partner[i], p.Sides[i] = -1, x.Of(j.Name)
		if name, ok := x.Partner(j.Name); ok {
			if k, there := number[name]; there {
				p.Partner[i] = k
				continue
			}
		}
		switch off := j.Pos.X - p.Plane; {
		case off > p.Reach/4 && p.Sides[i] != Right:
			left = append(left, i)
		case off < -p.Reach/4 && p.Sides[i] != Left:
			right = append(right, i)
		}
	}
	nearest := func(i int, among []int) int {
		best, at := math.Min(p.Reach, math.Abs(s.Joints[i].Pos.X-p.Plane)), -1
		want := Mirrored(s.Joints[i].Pos, p.Plane)
		for _, k := range among {
			if d := r3.Norm(r3.Sub(s.Joints[k].Pos, want)); d < best {
				best, at = d, k
			}
		}
		return at
	}
	for _, i := range left {
		if k := nearest(i, right); k >= 0 && nearest(k, left) == i {
			p.Partner[i], p.Partner[k] = k, i
			p.Sides[i], p.Sides[k] = Left, Right
		}
	}
	return p
}

// Any reports whether there is a pair at all.
func (p Pairs) Any() bool {
	for _, k := range p.Partner {
		if k >= 0 {
			return true
		}
	}
	return false
}

// Middle reports whether joint i of s belongs in the middle plane: it has no side
// and lies there, in a skeleton that has pairs.
func (p Pairs) Middle(s *Skeleton, i int) bool {
	return p.Sides[i] == Centre && p.Partner[i] < 0 && math.Abs(s.Joints[i].Pos.X-p.Plane) <= p.Reach && p.Any()
}

// PartnerOf returns the joint on the other side, -1 if there is none.
func (s *Skeleton) PartnerOf(i int, x Marks) int { return s.Pairs(x).Partner[i] }

// MirrorPlane returns the X of the plane between left and right: the middle of
// the joints without a side, or of all pairs if every joint has one. Where no
// name marks a side it is the X of the first root.
func (s *Skeleton) MirrorPlane(x Marks) float64 {
	centre, n, all := 0.0, 0.0, 0.0
	for _, j := range s.Joints {
		all += j.Pos.X
		if x.Of(j.Name) == Centre {
			centre, n = centre+j.Pos.X, n+1
		}
	}
	switch count := float64(len(s.Joints)); {
	case count == 0:
		return 0
	case n == 0:
		return all / count
	case n == count:
		return s.Joints[0].Pos.X // parents come first
	}
	return centre / n
}

// Mirrored returns p on the other side of the plane X = plane.
func Mirrored(p r3.Vec, plane float64) r3.Vec {
	return r3.Vec{X: 2*plane - p.X, Y: p.Y, Z: p.Z}
}

// Height returns the extent of the joints along Y.
func (s *Skeleton) Height() float64 {
	b := geom.EmptyBox()
	for _, j := range s.Joints {
		b = b.Add(j.Pos)
	}
	if b.Empty() {
		return 0
	}
	return b.Size().Y
}
