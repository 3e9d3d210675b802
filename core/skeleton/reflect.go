package skeleton

import (
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Reflected returns, for points at rest in world frame, where each is on the other side of the body, told by the
// joints and not by a plane: a point keeps its place in the frame of the bone beside it, and that bone's partner
// stands where it may stand, in another pose, longer or shorter. Between bones the images are blended by how near
// each is. c names the axes, which must be set alike on both sides (CheckRolls). The second result is on which
// side a point is: above 0 left, below 0 right, by the nearest bone; of bones of the middle by the mirror plane.
func (s *Skeleton) Reflected(points []r3.Vec, c Convention, x Marks) (images []r3.Vec, side []float64) {
	pairs := s.Pairs(x)
	bones := s.Leading(s.Deforming())
	long := make([]float64, len(s.Joints))
	for _, b := range bones {
		long[b.Joint] = math.Max(long[b.Joint], r3.Norm(r3.Sub(b.B, b.A)))
	}
	across := make([]func(p r3.Vec) r3.Vec, len(s.Joints))
	for i := range across {
		across[i] = s.across(i, pairs, long, c)
	}
	images, side = make([]r3.Vec, len(points)), make([]float64, len(points))
	geom.Chunks(len(points), 512, func(lo, hi int) {
		far := make([]float64, len(bones))
		for v := lo; v < hi; v++ {
			p, best, at := points[v], math.Inf(1), -1
			for k, b := range bones {
				on, _ := geom.ClosestOnSegment(p, b.A, b.B)
				far[k] = r3.Norm(r3.Sub(p, on))
				if far[k] < best {
					best, at = far[k], b.Joint
				}
			}
			if at < 0 {
				images[v] = Mirrored(p, pairs.Plane)
				continue
			}
			least, sum := math.Max(best, 1e-9), 0.0
			var image r3.Vec
			for k, b := range bones {
				if far[k] > 2*least {
					continue
				}
				w := math.Pow(least/math.Max(far[k], 1e-9), 8)
				sum += w
				image = r3.Add(image, r3.Scale(w, across[b.Joint](p)))
			}
			images[v] = r3.Scale(1/sum, image)
			switch pairs.Sides[at] {
			case Left:
				side[v] = 1
			case Right:
				side[v] = -1
			default:
				side[v] = p.X - pairs.Plane
			}
		}
	})
	return images, side
}

// across is how a place beside joint i goes to the other side.
func (s *Skeleton) across(i int, pairs Pairs, long []float64, c Convention) func(p r3.Vec) r3.Vec {
	k := pairs.Partner[i]
	if k < 0 {
		k = i
	}
	own, other := s.AxesOf(i, c), s.AxesOf(k, c)
	if k != i && own != other { // their axes cannot be held against each other
		return func(p r3.Vec) r3.Vec { return Mirrored(p, pairs.Plane) }
	}
	scale := 1.0
	if long[i] > 0 && long[k] > 0 {
		scale = long[k] / long[i]
	}
	names := []string{"x", "y", "z"}
	turned := names[slices.Index(names, own.Bend)] // the axis that the mirror image has the other way round
	if k == i {
		most := -1.0
		for _, name := range names {
			if d := math.Abs(axisOf(s.Joints[i], name).X); d > most {
				most, turned = d, name
			}
		}
	}
	var from, to [3]r3.Vec
	for a, name := range names {
		from[a], to[a] = axisOf(s.Joints[i], name), axisOf(s.Joints[k], name)
		if name == turned || k != i && own.Sides == "mirror" {
			to[a] = r3.Scale(-1, to[a])
		}
		to[a] = r3.Scale(scale, to[a])
	}
	at, there := s.Joints[i].Pos, s.Joints[k].Pos
	return func(p r3.Vec) r3.Vec {
		d, out := r3.Sub(p, at), there
		for a := range from {
			out = r3.Add(out, r3.Scale(r3.Dot(d, from[a]), to[a]))
		}
		return out
	}
}
