package shape

import (
	"fmt"

	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// Difference makes the target that brings points to places, in one frame; ways no longer than a length are left out.
func Difference(name string, points, places []r3.Vec, smallest float64) mesh.Shape {
	out := mesh.Shape{Name: name}
	for v, p := range places {
		if d := r3.Sub(p, points[v]); r3.Norm(d) > smallest {
			out.Vertex, out.Offset = append(out.Vertex, int32(v)), append(out.Offset, d)
		}
	}
	return out
}

// Largest is the longest offset of a target, meters, and the vertex that has it, -1 where nothing moves.
func Largest(t mesh.Shape) (length float64, vertex int32) {
	vertex = -1
	for k, d := range t.Offset {
		if n := r3.Norm(d); n > length {
			length, vertex = n, t.Vertex[k]
		}
	}
	return length, vertex
}

// Mapped returns a target with every offset put through f; offsets that f makes nothing are left out.
func Mapped(t mesh.Shape, f func(v int32, offset r3.Vec) r3.Vec) mesh.Shape {
	out := mesh.Shape{Name: t.Name}
	for k, v := range t.Vertex {
		if d := f(v, t.Offset[k]); d != (r3.Vec{}) {
			out.Vertex, out.Offset = append(out.Vertex, v), append(out.Offset, d)
		}
	}
	return out
}

// Sum adds b, times over, to a.
func Sum(a, b mesh.Shape, times float64) mesh.Shape {
	out := mesh.Shape{Name: a.Name}
	i, k := 0, 0
	for i < len(a.Vertex) || k < len(b.Vertex) {
		switch {
		case k == len(b.Vertex) || i < len(a.Vertex) && a.Vertex[i] < b.Vertex[k]:
			out.Vertex, out.Offset = append(out.Vertex, a.Vertex[i]), append(out.Offset, a.Offset[i])
			i++
		case i == len(a.Vertex) || b.Vertex[k] < a.Vertex[i]:
			out.Vertex, out.Offset = append(out.Vertex, b.Vertex[k]), append(out.Offset, r3.Scale(times, b.Offset[k]))
			k++
		default:
			if d := r3.Add(a.Offset[i], r3.Scale(times, b.Offset[k])); d != (r3.Vec{}) {
				out.Vertex, out.Offset = append(out.Vertex, a.Vertex[i]), append(out.Offset, d)
			}
			i, k = i+1, k+1
		}
	}
	return out
}

// Split parts a target into what moves its left and its right side, with shares of the left by vertex, 0 to 1. Offsets are
// as they are stored, in single precision, and so is what comes back: both halves sum to the whole, exactly.
func Split(t mesh.Shape, left []float64) (l, r mesh.Shape) {
	l, r = mesh.Shape{Name: t.Name}, mesh.Shape{Name: t.Name}
	for k, v := range t.Vertex {
		d := t.Offset[k]
		a := r3.Vec{X: part(d.X, left[v]), Y: part(d.Y, left[v]), Z: part(d.Z, left[v])}
		if b := r3.Sub(d, a); b != (r3.Vec{}) {
			r.Vertex, r.Offset = append(r.Vertex, v), append(r.Offset, b)
		}
		if a != (r3.Vec{}) {
			l.Vertex, l.Offset = append(l.Vertex, v), append(l.Offset, a)
		}
	}
	return l, r
}

// part is a share of a number in single precision such that what is left is one too: it is cut to the last place of the whole.
func part(x, share float64) float64 {
	switch share {
	case 0:
		return 0
	case 1:
		return x
	}
	whole := float32(x)
	a := whole * float32(share)
	return float64(whole - (whole - a)) // the rest is rounded once, and both sum to the whole
}

// Unique is a name that none of the others has: with a number after it where it is taken.
func Unique(name string, taken func(string) bool) string {
	for k := 2; ; k++ {
		if !taken(name) {
			return name
		}
		if next := fmt.Sprintf("%s_%d", name, k); !taken(next) {
			return next
		}
	}
}
