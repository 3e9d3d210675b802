package skeleton

import (
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

// Suffixes are the endings that mark the sides of a name.
type Suffixes struct {
	Left  string `json:"left"`
	Right string `json:"right"`
}

// DefaultSuffixes are _l and _r.
var DefaultSuffixes = Suffixes{"_l", "_r"}

// Of returns the side that a name's ending marks.
func (x Suffixes) Of(name string) Side {
	switch {
	case x.Left != "" && strings.HasSuffix(name, x.Left):
		return Left
	case x.Right != "" && strings.HasSuffix(name, x.Right):
		return Right
	}
	return Centre
}

// Partner returns the name of the same joint on the other side; ok is false
// for a name without a side.
func (x Suffixes) Partner(name string) (partner string, ok bool) {
	switch x.Of(name) {
	case Left:
		return strings.TrimSuffix(name, x.Left) + x.Right, true
	case Right:
		return strings.TrimSuffix(name, x.Right) + x.Left, true
	}
	return "", false
}

// PartnerOf returns the joint on the other side, -1 if there is none.
func (s *Skeleton) PartnerOf(i int, x Suffixes) int {
	name, ok := x.Partner(s.Joints[i].Name)
	if !ok {
		return -1
	}
	return s.Index(name)
}

// MirrorPlane returns the X of the plane between left and right: the middle of
// the joints without a side, or of all pairs if every joint has one.
func (s *Skeleton) MirrorPlane(x Suffixes) float64 {
	sum, n := 0.0, 0.0
	for _, j := range s.Joints {
		if x.Of(j.Name) == Centre {
			sum, n = sum+j.Pos.X, n+1
		}
	}
	if n == 0 {
		for _, j := range s.Joints {
			sum, n = sum+j.Pos.X, n+1
		}
	}
	if n == 0 {
		return 0
	}
	return sum / n
}

// Mirrored returns p on the other side of the plane X = plane.
func Mirrored(p r3.Vec, plane float64) r3.Vec {
	return r3.Vec{X: 2*plane - p.X, Y: p.Y, Z: p.Z}
}

// SideGap returns how far the partner of joint i is from its mirror image, in
// metres; NaN for a joint without partner.
func (s *Skeleton) SideGap(i int, x Suffixes, plane float64) float64 {
	p := s.PartnerOf(i, x)
	if p < 0 {
		return math.NaN()
	}
	return r3.Norm(r3.Sub(Mirrored(s.Joints[i].Pos, plane), s.Joints[p].Pos))
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
