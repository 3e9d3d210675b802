package deform

import (
	"math"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Flat is from what ratio of its least to its greatest stretch on a blend of a vertex has no inverse that is of use: what a
// step at rest does in the pose is lost along a line.
const Flat = 0.05

// Back is the step at rest that a blend (Skin.Blends) makes a step in the pose of. Where the blend flattens, by a ratio of
// less than flat, it is the shortest step whose image is nearest to that one, by least squares, and flattened.
func Back(m geom.Matrix, step r3.Vec, flat float64) (rest r3.Vec, flattened bool) {
	if inverse, ok := m.Inverse(); ok && !flattens(m, flat) {
		return inverse.Direction(step), false
	}
	return leastSquares(m, step, flat), true
}

// flattens reports whether a map shrinks some direction to almost nothing. The least stretch over the greatest is at least the
// determinant over the greatest cubed, which is at most √3 times the longest column: only what is under that is decomposed.
func flattens(m geom.Matrix, flat float64) bool {
	longest := 0.0
	for c := range 3 {
		longest = math.Max(longest, r3.Norm(m.Direction(unit(c))))
	}
	if math.Abs(m.Determinant()) > flat*3*math.Sqrt(3)*longest*longest*longest {
		return false
	}
	s := singular(m)
	values := s.Values(nil)
	return values[2] < flat*values[0]
}

func unit(c int) r3.Vec { return [3]r3.Vec{{X: 1}, {Y: 1}, {Z: 1}}[c] }

func singular(m geom.Matrix) *mat.SVD {
	a := mat.NewDense(3, 3, nil)
	for c := range 3 {
		d := m.Direction(unit(c))
		a.Set(0, c, d.X)
		a.Set(1, c, d.Y)
		a.Set(2, c, d.Z)
	}
	var s mat.SVD
	s.Factorize(a, mat.SVDFull)
	return &s
}

// leastSquares is the shortest step whose image is nearest to another, along the directions that are not flattened.
func leastSquares(m geom.Matrix, to r3.Vec, flat float64) r3.Vec {
	s := singular(m)
	values := s.Values(nil)
	var u, v mat.Dense
	s.UTo(&u)
	s.VTo(&v)
	var out r3.Vec
	for k, x := range values {
		if x < flat*values[0] || x == 0 {
			continue
		}
		along := (u.At(0, k)*to.X + u.At(1, k)*to.Y + u.At(2, k)*to.Z) / x
		out = r3.Add(out, r3.Scale(along, r3.Vec{X: v.At(0, k), Y: v.At(1, k), Z: v.At(2, k)}))
	}
	return out
}
