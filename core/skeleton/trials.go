package skeleton

import (
	"math"
	"strings"

	"gonum.org/v1/gonum/spatial/r3"
)

// Trial is a turn that a joint is tried with: about a world axis at rest, from the least to
// the most degrees, both counted from rest.
type Trial struct {
	Joint   int
	Name    string // "bend", "side" or "twist"
	Axis    r3.Vec
	Degrees [2]float64
	Source  string
}

// Where the ranges of trials come from.
const (
	fromAAOS   = "AAOS, Joint Motion, 1965 (from memory)"
	fromCommon = "common practice, no source"
)

// Trials are the turns that show what a skin does: each joint that carries others or leads
// skin through its usual range about its named axes, whatever axes it was given. Ranges of
// people are those of UsualOf, narrowed where a joint at rest is on its way already; the
// others are common practice, no source: head 25° up and down and 45° to each side, joints of
// spines and tails some 20°, limbs of beasts 40°.
func (s *Skeleton) Trials(x Marks) []Trial {
	b := s.body(x)
	_, bends := s.WithAxesOf(nil, DefaultConvention, DefaultConvention).directions(nil, DefaultConvention, x)
	var out []Trial
	for i := range s.Joints {
		d := b.aims[i]
		if r3.Norm2(d) == 0 { // an end joint turns nothing
			continue
		}
		bend, ok := b.flexes(i)
		if !ok {
			bend = bends[i]
		}
		if r3.Norm2(bend) == 0 {
			continue
		}
		r, source := b.trial(i)
		side := r3.Cross(d, bend)
		if away := r3.Cross(side, d); b.outward(i, away) < 0 {
			side = r3.Scale(-1, side) // positive is away from the middle, of arms up
		}
		for _, t := range []struct {
			name    string
			axis    r3.Vec
			degrees [2]float64
		}{{"bend", bend, r.Bend}, {"side", side, r.Side}, {"twist", d, r.Twist}} {
			if t.degrees[0] != 0 || t.degrees[1] != 0 {
				out = append(out, Trial{Joint: i, Name: t.name, Axis: t.axis, Degrees: t.degrees, Source: source})
			}
		}
	}
	return out
}

// Acts tells for each joint which joint of a body it stands for, and on which side.
func (s *Skeleton) Acts(x Marks) ([]Motion, []Side) {
	b := s.body(x)
	sides := make([]Side, len(s.Joints))
	for i := range s.Joints {
		sides[i] = b.side(i)
	}
	return b.motion, sides
}

// outward is above 0 for a way that leads away from the middle, of arms up too.
func (b *body) outward(i int, way r3.Vec) float64 {
	out := 0.0
	switch b.side(i) {
	case Left:
		out = way.X
	case Right:
		out = -way.X
	}
	switch b.motion[i] {
	case Girdle, Shoulder, Elbow, Wrist:
		out += way.Y
	}
	return out
}

// trial returns the ranges from rest that a joint is tried with.
func (b *body) trial(i int) (Ranges, string) {
	even := func(bend, side, twist float64) Ranges {
		return Ranges{[2]float64{-bend, bend}, [2]float64{-side, side}, [2]float64{-twist, twist}}
	}
	if b.motion[i] == Twist {
		return even(0, 0, 45), fromCommon
	}
	if r, known := b.ranges(i); known {
		switch b.motion[i] {
		case Shoulder:
			// Raised from where it hangs at rest up to above the head, and down to the side.
			hangs := math.Acos(max(-1, min(1, -b.aims[i].Y))) * 180 / math.Pi
			r.Side = [2]float64{-math.Max(0, hangs-15), math.Max(0, 165-hangs)}
			r.Bend, r.Twist = [2]float64{-40, 80}, [2]float64{-60, 60}
		case Elbow, Knee, Finger:
			_, bent := b.fold(i)
			r.Bend[1] = math.Max(0, r.Bend[1]-15-bent*180/math.Pi) // flesh stops it before
		case Hip:
			r.Bend[1] = 100
		}
		return r, fromAAOS
	}
	switch b.motion[i] {
	case Trunk:
		name := strings.ToLower(b.s.Joints[i].Name)
		switch {
		case strings.Contains(name, "head"), strings.Contains(name, "neck"):
			return even(25, 20, 45), fromCommon
		case b.s.Joints[i].Parent < 0:
			return even(0, 0, 0), fromCommon // turns the whole
		}
		return even(20, 15, 15), fromCommon
	case Tail:
		return even(25, 25, 10), fromCommon
	case Jaw:
		return Ranges{Bend: [2]float64{0, 25}}, fromCommon
	case Girdle:
		return even(15, 15, 0), fromCommon
	case Shoulder, Hip:
		return even(40, 20, 20), fromCommon
	case Elbow, Knee, Ankle, Wrist, Toe, Finger, Thumb:
		return Ranges{Bend: [2]float64{-20, 50}}, fromCommon
	}
	if b.s.Joints[i].Parent < 0 {
		return even(0, 0, 0), fromCommon
	}
	return even(25, 25, 20), fromCommon
}
