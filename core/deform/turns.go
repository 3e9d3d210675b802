package deform

import (
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// TurnsOf returns for each of n vertices the linear part of its blended matrix: how the
// surface around it is turned and stretched. matrices are by record and in the order of
// w.Joints. A vertex without weights has the identity.
func TurnsOf(n int, w *weights.Weights, matrices [][]geom.Matrix, b *pose.Binding) func(v int) geom.Matrix {
	return func(v int) geom.Matrix {
		out := geom.IdentityMatrix
		if v < 0 || v >= n || len(w.Of[v]) == 0 {
			return out
		}
		record := 0
		if b != nil {
			record = b.RecordOf(v)
		}
		for _, x := range w.Of[v] {
			m := matrices[record][x.Joint]
			for k := range 12 {
				add := m[k] - geom.IdentityMatrix[k]
				out[k] += x.Value * add
			}
		}
		return out
	}
}

// NormalBy returns a normal of a surface whose places go through the linear part of m, of
// unit length: through its cofactors, which keep it square to the surface. A normal that
// vanishes stays what it was.
func NormalBy(m geom.Matrix, n r3.Vec) r3.Vec {
	a, b, c := r3.Vec{X: m[0], Y: m[1], Z: m[2]}, r3.Vec{X: m[4], Y: m[5], Z: m[6]}, r3.Vec{X: m[8], Y: m[9], Z: m[10]}
	out := r3.Add(r3.Scale(n.X, r3.Cross(b, c)), r3.Add(r3.Scale(n.Y, r3.Cross(c, a)), r3.Scale(n.Z, r3.Cross(a, b))))
	if l := r3.Norm(out); l > 1e-12 {
		return r3.Scale(1/l, out)
	}
	return n
}
