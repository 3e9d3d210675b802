// Package deform carries the skin along with its joints and measures the
// result.
package deform

import (
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Linear returns the points moved by linear blend skinning (Magnenat-Thalmann et al. 1988): the mean of
// how far each joint's matrix takes a point, by its weights. Written so, and not as the mean of the
// places, a point stays exactly where it is at rest, though weights that were stored sum to 1 only to
// rounding. matrices take rest to posed world positions and are in the order of w.Joints. Points without
// weights stay where they are.
func Linear(points []r3.Vec, w *weights.Weights, matrices []geom.Matrix) []r3.Vec {
	return linear(points, w, func(int) []geom.Matrix { return matrices })
}

// LinearBound is Linear for a skin whose vertices were bound in several poses: matrices are
// by record of the binding. A nil b has one.
func LinearBound(points []r3.Vec, w *weights.Weights, matrices [][]geom.Matrix, b *pose.Binding) []r3.Vec {
	if b == nil || b.Of == nil {
		return Linear(points, w, matrices[0])
	}
	return linear(points, w, func(v int) []geom.Matrix { return matrices[b.RecordOf(v)] })
}

// InOrder brings matrices of a skeleton's joints, by record, into the order of the joints
// of weights; a joint that the skeleton lacks leaves the skin where it is.
func InOrder(s *skeleton.Skeleton, w *weights.Weights, matrices [][]geom.Matrix) [][]geom.Matrix {
	at := s.Numbers()
	out := make([][]geom.Matrix, len(matrices))
	for r, list := range matrices {
		out[r] = make([]geom.Matrix, len(w.Joints))
		for k, name := range w.Joints {
			out[r][k] = geom.IdentityMatrix
			if i, ok := at[name]; ok {
				out[r][k] = list[i]
			}
		}
	}
	return out
}

// Bound returns where the vertices stand when the joints of s are turned by p, by the
// poses that they were bound in and blended as each joint has it: linearly, by dual
// quaternions, or between the two.
func Bound(points []r3.Vec, w *weights.Weights, s *skeleton.Skeleton, p pose.Pose, b *pose.Binding) []r3.Vec {
	return boundBy(points, w, s, pose.SkinMatrices(s, p, b), b)
}

// boundBy is Bound by matrices of the joints of s, by record.
func boundBy(points []r3.Vec, w *weights.Weights, s *skeleton.Skeleton, by [][]geom.Matrix, b *pose.Binding) []r3.Vec {
	matrices := InOrder(s, w, by)
	out := LinearBound(points, w, matrices, b)
	if mix := mixes(s, w); mix != nil {
		record := func(int) int { return 0 }
		if b != nil && b.Of != nil {
			record = b.RecordOf
		}
		mixed(points, out, w, matrices, record, mix)
	}
	return out
}

func linear(points []r3.Vec, w *weights.Weights, of func(v int) []geom.Matrix) []r3.Vec {
	out := make([]r3.Vec, len(points))
	geom.Chunks(len(points), 4096, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			if len(w.Of[v]) == 0 {
				out[v] = points[v]
				continue
			}
			p := points[v]
			matrices := of(v)
			var by r3.Vec
			for _, x := range w.Of[v] {
				by = r3.Add(by, r3.Scale(x.Value, r3.Sub(matrices[x.Joint].Point(p), p)))
			}
			out[v] = r3.Add(p, by)
		}
	})
	return out
}
