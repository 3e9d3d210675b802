package deform

import (
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/weights"
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
