// Package corrective computes shape targets that bring a skin in a pose to where it should be: offsets at rest that joints
// then carry along, for a pose that somebody sculpted or that an elastic solid takes.
package corrective

import (
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"

	"gonum.org/v1/gonum/spatial/r3"
)

// flatComputed is deform.Flat for what is computed: it keeps farther from there, as steps that are many times as long at rest as
// in the pose are wrong on the way to it.
const flatComputed = 0.25

// Offsets are the ways that vertices must go at rest, world frame in meters, so that in a pose they stand where they are
// wanted: the inverse of what blending does to each, of all blends that the skin has (Lewis, Cordner & Fong, Pose Space
// Deformation, 2000, section 3). Where a blend flattens a vertex, as at the inside of a joint that is folded by linear
// blending, it is solved by least squares; those come in flattened, ascending, and are not all where they are wanted.
func Offsets(skin *deform.Skin, p pose.Pose, want []r3.Vec) (offsets []r3.Vec, flattened []int32) {
	return offsetsOf(skin, p, want, deform.Flat)
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
			offsets[v], lost[v] = deform.Back(blends[v], off, flat)
		}
	})
	for v, yes := range lost {
		if yes {
			flattened = append(flattened, int32(v))
		}
	}
	return offsets, flattened
}
