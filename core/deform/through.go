package deform

import (
	"context"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Through is skin that comes through what lies over it.
type Through struct {
	Pose     string  `json:"pose"`     // the worst of those that were tried
	Poses    int     `json:"poses"`    // in which any does
	Tried    int     `json:"tried"`    // poses that were tried
	Vertices int     `json:"vertices"` // of the layer that are under the skin in the worst
	Deepest  float64 `json:"deepest_m"`

	Where []int32 `json:"where,omitempty"` // those vertices, the first mostThrough
}

// mostThrough is how many vertices are named at most.
const mostThrough = 500

// throughDepth is how deep under the skin, over the body's height, a vertex counts as such:
// about 2 mm of a person.
const throughDepth = 0.001

// SkinThrough measures how the vertices of layers, each a list, sink under the skin of a body
// in some poses: a vertex outside the posed body's solid at rest that is inside it, by the
// winding number, and deeper than a thousandth of the height. Places are in world frame.
func SkinThrough(ctx context.Context, points []r3.Vec, body [][3]int32, layers [][]int32, w *weights.Weights, s *skeleton.Skeleton, b *pose.Binding, poses []pose.Tried) ([]Through, error) {
	out := make([]Through, len(layers))
	if len(body) == 0 || len(layers) == 0 {
		return out, nil
	}
	for k := range out {
		out[k].Tried = len(poses)
	}
	rest := geom.NewTree(points, body)
	rest.PrepareWinding()
	depth := throughDepth * rest.Box().Size().Y
	outside := make([][]int32, len(layers))
	for k, list := range layers {
		keep := make([]bool, len(list))
		geom.Chunks(len(list), 512, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				keep[i] = math.Abs(rest.Winding(points[list[i]])) < 0.5
			}
		})
		for i, yes := range keep {
			if yes {
				outside[k] = append(outside[k], list[i])
			}
		}
	}
	for _, p := range poses {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		posed := Bound(points, w, s, p.Pose, b)
		tree := rest.Moved(posed)
		behind := make([][]float64, len(outside)) // how far behind the nearest face, by vertex
		some := false
		for k, list := range outside {
			far := make([]float64, len(list))
			geom.Chunks(len(list), 256, func(lo, hi int) {
				for i := lo; i < hi; i++ {
					at := posed[list[i]]
					if at == points[list[i]] {
						continue
					}
					tri, on, d := tree.Nearest(at)
					t := body[tri]
					if d > depth && r3.Dot(r3.Sub(at, on), geom.TriangleNormal(posed[t[0]], posed[t[1]], posed[t[2]])) < 0 {
						far[i] = d
					}
				}
			})
			behind[k] = far
			some = some || slices.Max(append(far, 0)) > 0
		}
		if !some { // as mostly; the winding number takes longer
			continue
		}
		tree.PrepareWinding()
		for k, list := range outside {
			deep := behind[k]
			geom.Chunks(len(list), 256, func(lo, hi int) {
				for i := lo; i < hi; i++ {
					if deep[i] > 0 && math.Abs(tree.Winding(posed[list[i]])) < 0.5 {
						deep[i] = 0
					}
				}
			})
			one := Through{Pose: p.Name, Tried: len(poses)}
			for i, d := range deep {
				if d > depth {
					one.Vertices++
					one.Deepest = math.Max(one.Deepest, d)
					if len(one.Where) < mostThrough {
						one.Where = append(one.Where, list[i])
					}
				}
			}
			if one.Vertices == 0 {
				continue
			}
			one.Poses = out[k].Poses + 1
			if one.Vertices > out[k].Vertices || one.Vertices == out[k].Vertices && one.Deepest > out[k].Deepest {
				out[k] = one
			} else {
				out[k].Poses = one.Poses
			}
		}
	}
	return out, nil
}

// mostMoved bounds how many vertices are posed in all when poses are tried: about two seconds.
const mostMoved, fewestPoses = 5_000_000, 24

// Affordable keeps as many poses as a skin of n vertices can be tried in within some seconds,
// those of the joints that move most of it.
func Affordable(list []pose.Tried, s *skeleton.Skeleton, w *weights.Weights) []pose.Tried {
	moved := make([]float64, len(s.Joints))
	at := s.Numbers()
	for _, influences := range w.Of {
		for _, x := range influences {
			if i, ok := at[w.Joints[x.Joint]]; ok {
				moved[i] += x.Value
			}
		}
	}
	for i := len(moved) - 1; i > 0; i-- { // what hangs from a joint goes with it
		if p := s.Joints[i].Parent; p >= 0 {
			moved[p] += moved[i]
		}
	}
	return pose.Heaviest(list, moved, max(fewestPoses, mostMoved/max(1, len(w.Of))))
}
