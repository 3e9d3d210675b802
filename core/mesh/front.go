package mesh

import (
	"math"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Front is the direction in which a body looks, along its plane of symmetry, and what tells it
// from the opposite one.
type Front struct {
	Ahead r3.Vec  // unit, level, in the frame of the points
	Turn  float64 // degrees about Y that bring Ahead to +Z, in (-180, 180]
	Signs []Sign
	Sure  bool // false where the signs are too few, or contradict each other
}

// Sign is something that shows where the front is.
type Sign struct {
	What   string
	By     float64 // metres by which it lies ahead; below zero it speaks against Ahead
	weight float64
}

// FindFront tells the front of an upright body (Y up) from the back: toes lie ahead of ankles,
// knees ahead of the line from ankle to hip, a nose ahead of the face beside it, hands ahead of
// the shoulders; of a body that is longer than high, the head's end is the higher one. Toes
// weigh as much as three others. The limits are shares of the height that the figures of people in
// Drillis & Contini (1966) pass several times over and the noise of a symmetric body does not
// (measured on the bodies of package demo).
func FindFront(points []r3.Vec, s Symmetry) Front {
	out := Front{Ahead: r3.Cross(s.Normal, r3.Vec{Y: 1})} // X × Y = Z
	box := geom.BoxOf(points)
	h := box.Size().Y
	if h > 0 {
		out.Signs = signs(points, s, out.Ahead, box.Min.Y, h)
	}
	sum := 0.0
	for _, x := range out.Signs {
		sum += math.Copysign(x.weight, x.By)
	}
	out.Sure = math.Abs(sum) >= 1
	if sum < 0 {
		out.Ahead = r3.Scale(-1, out.Ahead)
		for i := range out.Signs {
			out.Signs[i].By *= -1
		}
	}
	out.Turn = -math.Atan2(out.Ahead.X, out.Ahead.Z) * 180 / math.Pi
	return out
}

// mean of places along the direction ahead; of fewer than eight vertices it tells nothing.
type mean struct{ sum, n float64 }

func (m *mean) add(v float64) { m.sum, m.n = m.sum+v, m.n+1 }

func (m mean) at() float64 {
	if m.n < 8 {
		return math.NaN()
	}
	return m.sum / m.n
}

// signs measures what tells the front; ground is the lowest Y and h the height, in metres.
func signs(points []r3.Vec, s Symmetry, ahead r3.Vec, ground, h float64) []Sign {
	place := func(p r3.Vec) (high, along, aside float64) {
		return (p.Y - ground) / h, r3.Dot(p, ahead), math.Abs(r3.Dot(s.Normal, p)-s.Offset) / h
	}
	low, far, wide := math.Inf(1), math.Inf(-1), 0.0
	for _, p := range points {
		_, along, aside := place(p)
		low, far, wide = math.Min(low, along), math.Max(far, along), math.Max(wide, aside)
	}
	var toe, ankle, knee, hip, hand, shoulder mean
	// How far the middle of the face and what is beside it reach, ahead and back.
	middle, beside := [2]float64{math.Inf(-1), math.Inf(-1)}, [2]float64{math.Inf(-1), math.Inf(-1)}
	var ends [2]float64 // the greatest height near either end
	reach := func(to *[2]float64, along float64) {
		to[0], to[1] = math.Max(to[0], along), math.Max(to[1], -along)
	}
	for _, p := range points {
		high, along, aside := place(p)
		switch {
		case high < 0.03:
			toe.add(along)
		case high > 0.06 && high < 0.12:
			ankle.add(along)
		case high > 0.26 && high < 0.30 && aside < 0.12:
			knee.add(along)
		case high > 0.44 && high < 0.50 && aside < 0.12:
			hip.add(along)
		case high > 0.70 && high < 0.82 && aside < 0.15:
			shoulder.add(along)
		case high > 0.88 && high < 0.96 && aside < 0.015:
			reach(&middle, along)
		case high > 0.88 && high < 0.96 && aside > 0.02 && aside < 0.04:
			reach(&beside, along)
		}
		if aside > 0.9*wide {
			hand.add(along)
		}
		if along < low+0.15*(far-low) {
			ends[0] = math.Max(ends[0], high)
		}
		if along > far-0.15*(far-low) {
			ends[1] = math.Max(ends[1], high)
		}
	}
	var out []Sign
	// tell keeps what is large enough to tell anything; what was not measured is NaN or endless.
	tell := func(what string, by, least, weight float64) {
		if math.Abs(by) >= least*h && !math.IsInf(by, 0) {
			out = append(out, Sign{what, by, weight})
		}
	}
	if (far-low)/h > 0.8 && far-low > 1.3*wide*2*h {
		tell("toes ahead of ankles", toe.at()-ankle.at(), 0.006, 0.5)
		tell("front end higher than the other", (ends[1]-ends[0])*h, 0.08, 1)
		return out
	}
	tell("toes ahead of ankles", toe.at()-ankle.at(), 0.006, 1.5)
	tell("knees ahead of the legs", knee.at()-(hip.at()+ankle.at())/2, 0.004, 0.5)
	tell("nose ahead of the face", middle[0]-beside[0]-(middle[1]-beside[1]), 0.008, 0.5)
	tell("hands ahead of the shoulders", hand.at()-shoulder.at(), 0.008, 0.5)
	return out
}
