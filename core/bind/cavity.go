package bind

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// enclosedShare is the share of directions in which a place outside the solid must meet the
// surface to count as in a hollow of it, as under a coat whose body was taken away.
const enclosedShare = 0.7

// around are the 26 directions to the neighbours of a cube.
var around = func() (out []r3.Vec) {
	for x := -1.0; x <= 1; x++ {
		for y := -1.0; y <= 1; y++ {
			for z := -1.0; z <= 1; z++ {
				if v := (r3.Vec{X: x, Y: y, Z: z}); v != (r3.Vec{}) {
					out = append(out, r3.Unit(v))
				}
			}
		}
	}
	return out
}()

// enclosed reports whether a place is in a hollow: its winding number is about 0 and yet the
// surface is met in most directions. PrepareWinding comes before it.
func enclosed(t *geom.Tree, p r3.Vec) bool {
	if math.Abs(t.Winding(p)) > 0.5 {
		return false
	}
	far := t.Box().Diagonal()
	met := 0
	for _, d := range around {
		if t.Blocked(p, r3.Add(p, r3.Scale(far, d)), nil) {
			met++
		}
	}
	return float64(met) >= enclosedShare*float64(len(around))
}

// alongBone calls f with the places at which a bone is asked.
func alongBone(bone skeleton.Bone, n int, f func(p r3.Vec)) {
	for k := range n {
		f(r3.Add(bone.A, r3.Scale((float64(k)+0.5)/float64(n), r3.Sub(bone.B, bone.A))))
	}
}

// inHollow reports whether most of a bone is in a hollow.
func inHollow(t *geom.Tree, bone skeleton.Bone) bool {
	n := 0
	alongBone(bone, 5, func(p r3.Vec) {
		if enclosed(t, p) {
			n++
		}
	})
	return n >= 3
}

// insideOut reports whether most of a bone is within a surface that looks inward.
func insideOut(t *geom.Tree, bone skeleton.Bone) bool {
	n := 0
	alongBone(bone, 5, func(p r3.Vec) {
		if t.Winding(p) < -0.5 {
			n++
		}
	})
	return n >= 3
}
