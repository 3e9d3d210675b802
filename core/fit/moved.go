package fit

import (
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Moved returns the report of a body that was brought elsewhere by a similarity, of which turn and scale are parts:
// what was found and what a person had pointed out goes along with what it lies on.
func (r *Report) Moved(by geom.Matrix, turn quat.Number, scale float64) *Report {
	out := *r
	places := func(list map[string][]float64) map[string][]float64 {
		if list == nil {
			return nil
		}
		moved := make(map[string][]float64, len(list))
		for name, at := range list {
			if len(at) == 3 {
				p := by.Point(r3.Vec{X: at[0], Y: at[1], Z: at[2]})
				at = []float64{p.X, p.Y, p.Z}
			}
			moved[name] = at
		}
		return moved
	}
	out.Tips, out.Begin, out.Shown = places(r.Tips), places(r.Begin), places(r.Shown)
	out.Plane = by.Point(r.Plane)
	out.Left, out.Facing = geom.Rotate(turn, r.Left), geom.Rotate(turn, r.Facing)
	out.Height *= scale
	if r.Crotch > 0 {
		out.Crotch = by.Point(r3.Vec{X: r.Plane.X, Y: r.Crotch, Z: r.Plane.Z}).Y
	}
	if r.Fitted != nil {
		out.Fitted = make(map[string]Fitted, len(r.Fitted))
		for name, l := range r.Fitted {
			l.Thickness *= scale
			out.Fitted[name] = l
		}
	}
	if r.Shape != nil {
		out.Shape = r.Shape.moved(by, scale)
	}
	if math.Abs(turn.Real) < 1-1e-9 {
		out.Faced = "" // it was said of the old direction
	}
	return &out
}

func (s *Shape) moved(by geom.Matrix, scale float64) *Shape {
	bead := func(b Bead) Bead { return Bead{by.Point(b.At), scale * b.Radius} }
	out := &Shape{Root: bead(s.Root), Chain: s.Chain, Limbs: slices.Clone(s.Limbs)}
	for i := range out.Limbs {
		l := &out.Limbs[i]
		l.Start, l.Arc = scale*l.Start, scale*l.Arc
		l.Line = slices.Clone(l.Line)
		for k := range l.Line {
			l.Line[k] = bead(l.Line[k])
		}
	}
	return out
}
