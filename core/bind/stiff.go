package bind

import (
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/mat"
)

// leastSize is how small, of its size, a thing that keeps its shape may become in motion: vertices that share one
// mix of joints shrink toward the middle of where these take them. Below it goes with one joint.
const leastSize = 0.9

// stiff tells what a mix of joints does to the size of what follows it, in both ends of the usual ranges.
type stiff struct {
	s     *skeleton.Skeleton
	poses [][]geom.Matrix
}

func newStiff(s *skeleton.Skeleton) *stiff {
	out := &stiff{s: s}
	for _, p := range pose.Extremes(s, s.Trials(skeleton.DefaultMarks), 1) {
		out.poses = append(out.poses, pose.Skin(s, p.Pose))
	}
	return out
}

// keeping returns a mix of joints where what follows it keeps its size, else its leading joint alone.
func (k *stiff) keeping(list []weights.Influence, joints []string) []weights.Influence {
	if len(list) > 1 && k.size(list, joints) < leastSize {
		return []weights.Influence{{Joint: list[0].Joint, Value: 1}}
	}
	return list
}

// size is how small a thing becomes at least in some direction, over its size at rest: the least singular value of
// what a linear blend of rotations does.
func (k *stiff) size(list []weights.Influence, joints []string) float64 {
	of := make([]int, len(list))
	for i, x := range list {
		of[i] = k.s.Index(joints[x.Joint])
	}
	least := 1.0
	var d mat.SVD
	for _, m := range k.poses {
		sum, same := mat.NewDense(3, 3, nil), true
		for i, x := range list {
			at := geom.IdentityMatrix
			if of[i] >= 0 {
				at = m[of[i]]
			}
			first := geom.IdentityMatrix
			if of[0] >= 0 {
				first = m[of[0]]
			}
			same = same && at == first
			for r := range 3 {
				for c := range 3 {
					sum.Set(r, c, sum.At(r, c)+x.Value*at[4*r+c])
				}
			}
		}
		if same {
			continue
		}
		if d.Factorize(sum, mat.SVDNone) {
			least = min(least, slices.Min(d.Values(nil)))
		}
	}
	return least
}
