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
func SkinThrough(
	ctx context.Context,
	points []r3.Vec,
	body [][3]int32,
	layers [][]int32,
	w *weights.Weights,
	s *skeleton.Skeleton,
	b *pose.Binding,
	poses []pose.Tried,
) ([]Through, error) {
	out := make([]Through, len(layers))
	if len(body) == 0 || len(layers) == 0 {
		return out, nil
	}
	for k := range out {
		out[k].Tried = len(poses)
	}
	l := newLayersOver(points, body, layers)
	for _, p := range poses {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		for k, under := range l.under(Bound(points, w, s, p.Pose, b)) {
			if len(under) == 0 {
				continue
			}
			one := Through{Pose: p.Name, Tried: len(poses), Vertices: len(under), Poses: out[k].Poses + 1}
			for _, u := range under {
				one.Deepest = math.Max(one.Deepest, u.deep)
				if len(one.Where) < mostThrough {
					one.Where = append(one.Where, u.vertex)
				}
			}
			if one.Vertices > out[k].Vertices || one.Vertices == out[k].Vertices && one.Deepest > out[k].Deepest {
				out[k] = one
			} else {
				out[k].Poses = one.Poses
			}
		}
	}
	return out, nil
}

// layersOver finds what of layers sinks under the skin of a body, pose by pose.
type layersOver struct {
	body    [][3]int32
	rest    *geom.Tree
	depth   float64
	outside [][]int32 // by layer: those that are outside the body at rest
	seeds   [][]int32 // by layer: the triangle nearest to each of them at rest
	facing  float64   // 1 where its faces look outward, -1 where the body is turned inside out
}

// newLayersOver returns nil where there is no body or no layer.
func newLayersOver(points []r3.Vec, body [][3]int32, layers [][]int32) *layersOver {
	if len(body) == 0 || len(layers) == 0 {
		return nil
	}
	l := &layersOver{body: body, rest: geom.NewTree(points, body), outside: make([][]int32, len(layers))}
	l.rest.PrepareWinding()
	volume := 0.0
	for _, t := range body {
		volume += signedVolume(points[t[0]], points[t[1]], points[t[2]])
	}
	l.facing = math.Copysign(1, volume)
	l.depth = throughDepth * l.rest.Box().Size().Y
	for k, list := range layers {
		keep := make([]bool, len(list))
		geom.Chunks(len(list), 512, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				keep[i] = math.Abs(l.rest.Winding(points[list[i]])) < 0.5
			}
		})
		for i, yes := range keep {
			if yes {
				l.outside[k] = append(l.outside[k], list[i])
			}
		}
		seeds := make([]int32, len(l.outside[k]))
		geom.Chunks(len(seeds), 256, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				seeds[i], _, _ = l.rest.Nearest(points[l.outside[k][i]])
			}
		})
		l.seeds = append(l.seeds, seeds)
	}
	return l
}

// sunk is a vertex of a layer under the skin.
type sunk struct {
	vertex int32
	deep   float64 // metres
}

// under are, by layer, its vertices that a pose brings under the skin. The winding number, which takes
// longer, is only asked of those that are behind the nearest face.
func (l *layersOver) under(posed []r3.Vec) [][]sunk {
	out := make([][]sunk, len(l.outside))
	tree := l.rest.Moved(posed)
	some := false
	behind := make([][]float64, len(l.outside))
	for k, list := range l.outside {
		far := make([]float64, len(list))
		geom.Chunks(len(list), 256, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				at := posed[list[i]] // also one that stays: the body may come to it
				// What was nearest at rest is mostly near in a pose: nothing beyond it is looked at.
				seed := l.body[l.seeds[k][i]]
				on := geom.ClosestOnTriangle(at, posed[seed[0]], posed[seed[1]], posed[seed[2]])
				t, d := seed, r3.Norm(r3.Sub(at, on))
				if tri, nearer, by := tree.NearestOf(at, d, nil); tri >= 0 {
					t, on, d = l.body[tri], nearer, by
				}
				if d > l.depth && l.facing*r3.Dot(r3.Sub(at, on), geom.TriangleNormal(posed[t[0]], posed[t[1]], posed[t[2]])) < 0 {
					far[i] = d
				}
			}
		})
		behind[k] = far
		some = some || slices.Max(append(far, 0)) > 0
	}
	if !some { // as mostly
		return out
	}
	tree.PrepareWinding()
	for k, list := range l.outside {
		deep := behind[k]
		geom.Chunks(len(list), 256, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				if deep[i] > 0 && math.Abs(tree.Winding(posed[list[i]])) < 0.5 {
					deep[i] = 0
				}
			}
		})
		for i, d := range deep {
			if d > l.depth {
				out[k] = append(out[k], sunk{list[i], d})
			}
		}
	}
	return out
}

// mostMoved bounds how many vertices are posed in all when poses are tried: about two seconds.
const mostMoved, fewestPoses = 5_000_000, 24

// Affordable keeps as many poses as a skin of n vertices can be tried in within some seconds,
// those of the joints that move most of it.
func Affordable(list []pose.Tried, s *skeleton.Skeleton, w *weights.Weights) []pose.Tried {
	return affordable(list, s, w, mostMoved, fewestPoses)
}

// affordable keeps as many poses as move so many vertices in all, and a few at least.
func affordable(list []pose.Tried, s *skeleton.Skeleton, w *weights.Weights, most, fewest int) []pose.Tried {
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
	return pose.Heaviest(list, moved, max(fewest, most/max(1, len(w.Of))))
}
