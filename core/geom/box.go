// Package geom holds the plain geometry that the rest of core stands on:
// boxes, segments, triangles, a tree over triangles and rigid transforms.
//
// Points and directions are gonum r3.Vec in metres, right-handed, Y up.
package geom

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// Box is an axis-aligned box. The zero Box is the point at the origin; use
// EmptyBox as the start of a union.
type Box struct{ Min, Max r3.Vec }

// EmptyBox contains nothing; extending it by a point gives that point.
func EmptyBox() Box {
	inf := math.Inf(1)
	return Box{r3.Vec{X: inf, Y: inf, Z: inf}, r3.Vec{X: -inf, Y: -inf, Z: -inf}}
}

// BoxOf returns the smallest box around the points; EmptyBox for none.
func BoxOf(points []r3.Vec) Box {
	b := EmptyBox()
	for _, p := range points {
		b = b.Add(p)
	}
	return b
}

// Add returns the box grown to contain p.
func (b Box) Add(p r3.Vec) Box {
	return Box{
		r3.Vec{X: min(b.Min.X, p.X), Y: min(b.Min.Y, p.Y), Z: min(b.Min.Z, p.Z)},
		r3.Vec{X: max(b.Max.X, p.X), Y: max(b.Max.Y, p.Y), Z: max(b.Max.Z, p.Z)},
	}
}

// Union returns the smallest box around both.
func (b Box) Union(o Box) Box { return b.Add(o.Min).Add(o.Max) }

// Empty reports whether the box holds no point.
func (b Box) Empty() bool { return b.Min.X > b.Max.X || b.Min.Y > b.Max.Y || b.Min.Z > b.Max.Z }

// Size returns the edge lengths.
func (b Box) Size() r3.Vec { return r3.Sub(b.Max, b.Min) }

// Centre returns the middle of the box.
func (b Box) Centre() r3.Vec { return r3.Scale(0.5, r3.Add(b.Min, b.Max)) }

// Diagonal returns the length of the space diagonal, 0 for an empty box. All
// relative tolerances of core are fractions of it.
func (b Box) Diagonal() float64 {
	if b.Empty() {
		return 0
	}
	return r3.Norm(b.Size())
}

// Pad returns the box grown by d on every side.
func (b Box) Pad(d float64) Box {
	v := r3.Vec{X: d, Y: d, Z: d}
	return Box{r3.Sub(b.Min, v), r3.Add(b.Max, v)}
}

// Overlaps reports whether two boxes share a place.
func (b Box) Overlaps(o Box) bool {
	return b.Min.X <= o.Max.X && o.Min.X <= b.Max.X && b.Min.Y <= o.Max.Y && o.Min.Y <= b.Max.Y && b.Min.Z <= o.Max.Z && o.Min.Z <= b.Max.Z
}

// Intersect returns what is in both boxes, an empty box for nothing.
func (b Box) Intersect(o Box) Box {
	return Box{
		r3.Vec{X: max(b.Min.X, o.Min.X), Y: max(b.Min.Y, o.Min.Y), Z: max(b.Min.Z, o.Min.Z)},
		r3.Vec{X: min(b.Max.X, o.Max.X), Y: min(b.Max.Y, o.Max.Y), Z: min(b.Max.Z, o.Max.Z)},
	}
}

// Distance2 returns the squared distance from p to the box, 0 inside.
func (b Box) Distance2(p r3.Vec) float64 {
	dx := max(0, max(b.Min.X-p.X, p.X-b.Max.X))
	dy := max(0, max(b.Min.Y-p.Y, p.Y-b.Max.Y))
	dz := max(0, max(b.Min.Z-p.Z, p.Z-b.Max.Z))
	return dx*dx + dy*dy + dz*dz
}
