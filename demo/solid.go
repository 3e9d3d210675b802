// Package demo makes the cast of the Saltmarsh Lantern Troupe: invented
// characters, modelled in code as smooth solids and meshed, together with the
// skeletons that they were modelled around.
package demo

import (
	"math"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// solid is a shape by its signed distance (metres, negative inside), built up
// from primitives in order.
type solid struct {
	prims []prim
	box   geom.Box
}

type prim struct {
	part     int32
	blend    float64 // width over which it melts into what is there
	carve    bool
	distance func(p r3.Vec) float64
	centre   r3.Vec
	radius   float64 // of a ball that holds it
}

// over is how far beneath the surface a later primitive may lie and still give
// it its part: clothes win over what they cover.
const over = 0.007

// at returns the distance at p and the part of the nearest added primitive.
func (s *solid) at(p r3.Vec) (float64, int32) {
	d, part, nearest := math.Inf(1), int32(0), math.Inf(1)
	for i := range s.prims {
		q := &s.prims[i]
		far := norm(r3.Sub(p, q.centre)) - q.radius
		if q.carve {
			if far > q.blend-d {
				continue
			}
			d = -smoothMin(-d, q.distance(p), q.blend)
			continue
		}
		if far > d+q.blend && far > nearest+over {
			continue
		}
		e := q.distance(p)
		if e < nearest+min(over, q.blend) {
			nearest, part = min(nearest, e), q.part
		}
		d = smoothMin(d, e, q.blend)
	}
	return d, part
}

// around keeps in few the primitives of s that at may ask within r of p, so that few.at is
// s.at there, to the last bit, and passes over the others once instead of at every point.
func (s *solid) around(p r3.Vec, r float64, few *solid) {
	few.prims = few.prims[:0]
	// A distance changes by as much as the way between two points, an ellipsoid's estimate by a few times as much.
	slack := 8 * r
	d, nearest := math.Inf(1), math.Inf(1)
	for i := range s.prims {
		q := &s.prims[i]
		far := norm(r3.Sub(p, q.centre)) - q.radius - slack
		if q.carve {
			if far <= q.blend-d {
				few.prims = append(few.prims, *q)
				d = -smoothMin(-d, q.distance(p), q.blend)
			}
			continue
		}
		if far > d+q.blend && far > nearest+over {
			continue
		}
		few.prims = append(few.prims, *q)
		e := q.distance(p)
		if e < nearest+min(over, q.blend) {
			nearest = min(nearest, e)
		}
		d = smoothMin(d, e, q.blend)
	}
}

func smoothMin(a, b, k float64) float64 {
	if k <= 0 || math.IsInf(a, 1) {
		return min(a, b)
	}
	h := max(k-math.Abs(a-b), 0) / k
	return min(a, b) - h*h*k/4
}

func (s *solid) add(q prim) {
	s.prims = append(s.prims, q)
	if !q.carve {
		if len(s.prims) == 1 {
			s.box = geom.EmptyBox()
		}
		r := r3.Vec{X: q.radius, Y: q.radius, Z: q.radius}
		s.box = s.box.Add(r3.Sub(q.centre, r)).Add(r3.Add(q.centre, r))
	}
}

// cone is a round cone: the hull of two balls.
func cone(part int32, a, b r3.Vec, ra, rb, blend float64) prim {
	ab := r3.Sub(b, a)
	l := norm(ab)
	axis := r3.Scale(1/l, ab)
	k := (ra - rb) / l
	side := math.Sqrt(max(0, 1-k*k))
	return prim{part: part, blend: blend, centre: r3.Scale(0.5, r3.Add(a, b)), radius: l/2 + max(ra, rb),
		distance: func(p r3.Vec) float64 {
			q := r3.Sub(p, a)
			y := r3.Dot(q, axis)
			x := math.Sqrt(max(0, r3.Norm2(q)-y*y))
			switch t := y*side - k*x; { // along the slanted side
			case t < 0:
				return math.Hypot(x, y) - ra
			case t > l*side:
				return math.Hypot(x, y-l) - rb
			default:
				return x*side + y*k - ra
			}
		}}
}

// ball is an ellipsoid with semi-axes along the axes of turn; the distance is
// the usual first-order estimate.
func ball(part int32, c, semi r3.Vec, turn quat.Number, blend float64) prim {
	inv := quat.Conj(turn)
	return prim{part: part, blend: blend, centre: c, radius: max(semi.X, max(semi.Y, semi.Z)),
		distance: func(p r3.Vec) float64 {
			q := geom.Rotate(inv, r3.Sub(p, c))
			u := r3.Vec{X: q.X / semi.X, Y: q.Y / semi.Y, Z: q.Z / semi.Z}
			k0 := norm(u)
			k1 := norm(r3.Vec{X: u.X / semi.X, Y: u.Y / semi.Y, Z: u.Z / semi.Z})
			if k1 == 0 {
				return -min(semi.X, min(semi.Y, semi.Z))
			}
			return k0 * (k0 - 1) / k1
		}}
}

// slab is a box with rounded edges.
func slab(part int32, c, half r3.Vec, turn quat.Number, round, blend float64) prim {
	inv := quat.Conj(turn)
	return prim{part: part, blend: blend, centre: c, radius: norm(half),
		distance: func(p r3.Vec) float64 {
			q := geom.Rotate(inv, r3.Sub(p, c))
			x, y, z := math.Abs(q.X)-half.X+round, math.Abs(q.Y)-half.Y+round, math.Abs(q.Z)-half.Z+round
			out := norm(r3.Vec{X: max(x, 0), Y: max(y, 0), Z: max(z, 0)})
			return out + min(max(x, max(y, z)), 0) - round
		}}
}

// skirt is an upright elliptic frustum from radii (rx0, rz0) at y0 to
// (rx1, rz1) at y1, with edges rounded by round.
func skirt(part int32, x, z, y0, y1, rx0, rz0, rx1, rz1, round, blend float64) prim {
	mid := (y0 + y1) / 2
	return prim{part: part, blend: blend, centre: r3.Vec{X: x, Y: mid, Z: z},
		radius: math.Hypot((y1-y0)/2, max(max(rx0, rx1), max(rz0, rz1))),
		distance: func(p r3.Vec) float64 {
			t := max(0, min(1, (p.Y-y0)/(y1-y0)))
			rx, rz := rx0+(rx1-rx0)*t-round, rz0+(rz1-rz0)*t-round
			u, w := (p.X-x)/rx, (p.Z-z)/rz
			k0 := math.Hypot(u, w)
			k1 := math.Hypot(u/rx, w/rz)
			r := -min(rx, rz)
			if k1 > 0 {
				r = k0 * (k0 - 1) / k1
			}
			h := math.Abs(p.Y-mid) - (y1-y0)/2 + round
			return min(max(r, h), 0) + math.Hypot(max(r, 0), max(h, 0)) - round
		}}
}

// ring is a torus whose axis is the Y axis of turn.
func ring(part int32, c r3.Vec, rx, rz, tube float64, turn quat.Number, blend float64) prim {
	inv := quat.Conj(turn)
	return prim{part: part, blend: blend, centre: c, radius: max(rx, rz) + tube,
		distance: func(p r3.Vec) float64 {
			q := geom.Rotate(inv, r3.Sub(p, c))
			u, w := q.X/rx, q.Z/rz
			k0 := math.Hypot(u, w)
			k1 := math.Hypot(u/rx, w/rz)
			r := -min(rx, rz)
			if k1 > 0 {
				r = k0 * (k0 - 1) / k1
			}
			return math.Hypot(r, q.Y) - tube
		}}
}

func carved(q prim) prim {
	q.carve = true
	return q
}

// norm is r3.Norm without its guard against overflow, which is slow.
func norm(v r3.Vec) float64 { return math.Sqrt(r3.Norm2(v)) }
