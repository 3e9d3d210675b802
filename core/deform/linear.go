// Package deform carries the skin along with its joints and measures the
// result.
package deform

import (
	"wisemarrow/core/geom"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Linear returns the points moved by linear blend skinning (Magnenat-Thalmann
// et al. 1988): the mean of how far each joint's matrix takes a point, by its
// weights. Written so, and not as the mean of the places, a point stays exactly where
// it is at rest, though weights that were stored sum to 1 only to rounding. matrices take rest to posed world positions and are in the order of
// w.Joints. Points without weights stay where they are.
func Linear(points []r3.Vec, w *weights.Weights, matrices []geom.Matrix) []r3.Vec {
	out := make([]r3.Vec, len(points))
	geom.Chunks(len(points), 4096, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			if len(w.Of[v]) == 0 {
				out[v] = points[v]
				continue
			}
			p := points[v]
			var by r3.Vec
			for _, x := range w.Of[v] {
				by = r3.Add(by, r3.Scale(x.Value, r3.Sub(matrices[x.Joint].Point(p), p)))
			}
			out[v] = r3.Add(p, by)
		}
	})
	return out
}
