package skeleton

import (
	"errors"
	"fmt"
	"hash/fnv"
	"math"
	"slices"
	"strings"
	"unicode"

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
		return fmt.Errorf("the left and right marks must differ, and neither may contain the other: not %q and %q", x.Left, x.Right)
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

// Pairs finds the pairs by the marks in names. Joints that no name gives a side are pairs by their place where they
// are mirror images: chains alike to their ends, from one joint in the plane or from a pair, that do not call
// themselves differently; of a skeleton without marks where nearly all of it is. A joint in the plane has no partner.
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
	named := false
	for i, j := range s.Joints {
		p.Partner[i], p.Sides[i] = -1, x.Of(j.Name)
		named = named || p.Sides[i] != Centre
		if name, ok := x.Partner(j.Name); ok {
			if k, there := number[name]; there {
				p.Partner[i] = k
			}
		}
	}
	s.pairsByPlace(&p, named)
	return p
}

// Where no name tells a side the body must support a plane: so large a share of the joints off it have a mirror
// image, and pairs have so many parents in it; the fingers of a hand have one.
const fewestPaired, fewestParents = 0.5, 2

// pairsByPlace pairs joints that no name tells the sides of; named tells that other names do.
func (s *Skeleton) pairsByPlace(p *Pairs, named bool) {
	chains, off := s.shapes(), 0
	partner := slices.Clone(p.Partner)
	aside := func(i int) float64 { return s.Joints[i].Pos.X - p.Plane }
	onPlane := func(i int) bool { return math.Abs(aside(i)) <= p.Reach/4 }
	children := s.Children()
	match := func(list, others []int) {
		for _, i := range list {
			if aside(i) <= p.Reach/4 || partner[i] >= 0 || p.Sides[i] != Centre {
				continue
			}
			best, at := math.Min(p.Reach, aside(i)), -1
			want := Mirrored(s.Joints[i].Pos, p.Plane)
			for _, k := range others {
				if d := r3.Norm(r3.Sub(s.Joints[k].Pos, want)); d < best && partner[k] < 0 && p.Sides[k] == Centre &&
					aside(k) < -p.Reach/4 &&
					chains[i] == chains[k] &&
					sameStem(s.Joints[i].Name, s.Joints[k].Name) {
					best, at = d, k
				}
			}
			if at >= 0 {
				partner[i], partner[at] = at, i
			}
		}
	}
	for i := range s.Joints { // parents come first
		if !onPlane(i) {
			off++
		}
		switch {
		case partner[i] < 0 && onPlane(i):
			match(children[i], children[i])
		case partner[i] > i: // once for both
			match(children[i], children[partner[i]])
			match(children[partner[i]], children[i])
		}
	}
	paired, parents := 0, map[int]bool{}
	for i, k := range partner {
		if k >= 0 {
			paired++
			if up := s.Joints[i].Parent; up >= 0 && onPlane(up) {
				parents[up] = true
			}
		}
	}
	if !named && (float64(paired) < fewestPaired*float64(off) || len(parents) < fewestParents) {
		return
	}
	for i, k := range partner {
		if k < 0 || p.Partner[i] == k {
			continue
		}
		p.Partner[i], p.Sides[i] = k, Left
		if aside(i) < 0 {
			p.Sides[i] = Right
		}
	}
}

// shapes are, by joint, what its branch is like: how the chains below it divide.
func (s *Skeleton) shapes() []string {
	out := make([]string, len(s.Joints))
	children := s.Children()
	for i := len(s.Joints) - 1; i >= 0; i-- {
		var below []string
		for _, k := range children[i] {
			below = append(below, out[k])
		}
		slices.Sort(below)
		out[i] = shortened("(" + strings.Join(below, "") + ")")
	}
	return out
}

// shortened keeps the shapes of large branches short, the same for the same.
func shortened(shape string) string {
	if len(shape) < 200 {
		return shape
	}
	h := fnv.New64a()
	_, _ = h.Write([]byte(shape))
	return fmt.Sprintf("(%x)", h.Sum64())
}

// sameStem reports whether two names are alike but for their numbers and what may tell a side: half of their letters
// at the beginning and the end, or they have none.
func sameStem(a, b string) bool {
	letters := func(name string) (out []rune) {
		for _, r := range name {
			if unicode.IsLetter(r) {
				out = append(out, unicode.ToLower(r))
			}
		}
		return out
	}
	x, y := letters(a), letters(b)
	first, last := 0, 0
	for first < min(len(x), len(y)) && x[first] == y[first] {
		first++
	}
	for last < min(len(x), len(y))-first && x[len(x)-1-last] == y[len(y)-1-last] {
		last++
	}
	return 2*(first+last) >= max(len(x), len(y))
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

// MirrorPlane returns the X of the plane between left and right: the middle of the pairs that names mark, else of
// the joints without a side, the median of each, so that what is drawn on one side alone does not move it. Where no
// name marks a side it is the X of the first root.
func (s *Skeleton) MirrorPlane(x Marks) float64 {
	number := make(map[string]int, len(s.Joints))
	for i, j := range s.Joints {
		number[j.Name] = i
	}
	var middles, centre, all []float64
	for _, j := range s.Joints {
		all = append(all, j.Pos.X)
		if x.Of(j.Name) == Centre {
			centre = append(centre, j.Pos.X)
		}
		if name, ok := x.Partner(j.Name); ok {
			if k, there := number[name]; there {
				middles = append(middles, (j.Pos.X+s.Joints[k].Pos.X)/2)
			}
		}
	}
	switch {
	case len(all) == 0:
		return 0
	case len(centre) == len(all):
		return s.Joints[0].Pos.X // parents come first
	case len(middles) > 0:
		return median(middles)
	case len(centre) > 0:
		return median(centre)
	}
	return median(all)
}

// median of a list, which it sorts; the mean of the middle two.
func median(list []float64) float64 {
	slices.Sort(list)
	n := len(list)
	return (list[(n-1)/2] + list[n/2]) / 2
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
