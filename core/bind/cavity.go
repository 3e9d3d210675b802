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

// looking tells for each bone whether the surface looks at it: of one within a mesh that is
// turned inside out, and of one in a hollow of a mesh that is not.
func looking(t *geom.Tree, bones []skeleton.Bone) []bool {
	sense := make([]int, len(bones)) // of the places within, those that a surface looks away from, less the others
	all := 0
	for i, bone := range bones {
		alongBone(bone, 5, func(p r3.Vec) {
			switch w := t.Winding(p); {
			case w > 0.5:
				sense[i]++
			case w < -0.5:
				sense[i]--
			}
		})
		all += sense[i]
	}
	out := make([]bool, len(bones))
	for i, bone := range bones {
		switch {
		case sense[i] != 0:
			out[i] = sense[i] < 0
		case inHollow(t, bone):
			out[i] = all >= 0
		default:
			out[i] = all < 0
		}
	}
	return out
}
