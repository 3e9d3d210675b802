// Package corrective computes shape targets that bring a skin in a pose to where it should be: offsets at rest that joints
// then carry along, for a pose that somebody sculpted or that an elastic solid takes.
package corrective

import (
	"math"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r3"
)

// flat is from what ratio of its least to its greatest stretch on a blend of a vertex has no inverse that is of use: what a
// step at rest does in the pose is lost along a line. What is computed keeps farther from there, as steps that are many times
// as long at rest as in the pose are wrong on the way to it.
const flat, flatComputed = 0.05, 0.25

// Offsets are the ways that vertices must go at rest, world frame in meters, so that in a pose they stand where they are
// wanted: the inverse of what blending does to each, of all blends that the skin has (Lewis, Cordner & Fong, Pose Space
// Deformation, 2000, section 3). Where a blend flattens a vertex, as at the inside of a joint that is folded by linear
// blending, it is solved by least squares; those come in flattened, ascending, and are not all where they are wanted.
func Offsets(skin *deform.Skin, p pose.Pose, want []r3.Vec) (offsets []r3.Vec, flattened []int32) {
	return offsetsOf(skin, p, want, flat)
}

func offsetsOf(skin *deform.Skin, p pose.Pose, want []r3.Vec, flat float64) (offsets []r3.Vec, flattened []int32) {
	blends := skin.Blends(p)
	have := skin.Places(p)
	offsets = make([]r3.Vec, len(want))
	lost := make([]bool, len(want))
	geom.Chunks(len(want), 1024, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			off := r3.Sub(want[v], have[v])
			if off == (r3.Vec{}) {
				continue
			}
			m := blends[v]
			if inverse, ok := m.Inverse(); ok && !flattens(m, flat) {
				offsets[v] = inverse.Direction(off)
				continue
			}
			lost[v] = true
			offsets[v] = leastSquares(m, off, flat)
		}
	})
	for v, yes := range lost {
		if yes {
			flattened = append(flattened, int32(v))
		}
	}
	return offsets, flattened
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
