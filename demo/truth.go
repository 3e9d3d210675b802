package demo

import (
	"math"
	"strings"

	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// FitError returns how far the joints of a fit are from the true ones of the
// same names, those of fingers left out: the mean and the worst as shares of the
// height, and the worst joint.
func FitError(fit, truth *skeleton.Skeleton, height float64) (mean, worst float64, joint string) {
	n := 0.0
	for _, j := range fit.Joints {
		i := truth.Index(j.Name)
		if i < 0 || OfFinger(j.Name) {
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

var fingers = []string{"thumb", "index", "middle", "ring", "little"}

// OfFinger reports whether a joint is one of a finger.
func OfFinger(joint string) bool {
	stem, _, _ := strings.Cut(joint, "_")
	for _, f := range fingers {
		if f == stem {
			return true
		}
	}
	return false
}

// FingersFound returns how many fingers of a fit are right: the tip within 0.15 of
// the hand's length of the true one and every joint within a fifth; and how many others
// have no joint that is said to be sure.
func FingersFound(fit, truth *skeleton.Skeleton) (right, unsure, all int) {
	for _, side := range []string{"_l", "_r"} {
		w, e := truth.Index("hand"+side), truth.Index("hand_end"+side)
		if w < 0 || e < 0 {
			continue
		}
		hand := r3.Norm(r3.Sub(truth.Joints[e].Pos, truth.Joints[w].Pos))
		for _, finger := range fingers {
			if truth.Index(finger+"_1"+side) < 0 {
				continue
			}
			all++
			good, sure := true, false
			for _, k := range []string{"_1", "_2", "_3", "_end"} {
				i, t := fit.Index(finger+k+side), truth.Index(finger+k+side)
				limit := 0.2
				if k == "_end" {
					limit = 0.15
				}
				if i < 0 || r3.Norm(r3.Sub(fit.Joints[i].Pos, truth.Joints[t].Pos)) > limit*hand {
					good = false
				}
				sure = sure || i >= 0 && fit.Joints[i].Confidence >= skeleton.Sure
			}
			if good {
				right++
			} else if !sure {
				unsure++
			}
		}
	}
	return right, unsure, all
}
