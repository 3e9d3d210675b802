package demo

import (
	"math"

	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// FitError returns how far the joints of a fit are from the true ones of the
// same names: the mean and the worst as shares of the height, and the worst
// joint.
func FitError(fit, truth *skeleton.Skeleton, height float64) (mean, worst float64, joint string) {
	n := 0.0
	for _, j := range fit.Joints {
		i := truth.Index(j.Name)
		if i < 0 {
			continue
		}
		d := r3.Norm(r3.Sub(j.Pos, truth.Joints[i].Pos)) / height
		mean += d
		n++
		if d > worst {
			worst, joint = d, j.Name
		}
	}
	if n == 0 {
		return math.Inf(1), math.Inf(1), "no joint has a name of the truth"
	}
	return mean / n, worst, joint
}
