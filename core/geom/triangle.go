package geom

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// ClosestOnSegment returns the point of segment ab nearest to p and its
// parameter t in [0,1] from a to b. A segment of no length gives a and 0.
func ClosestOnSegment(p, a, b r3.Vec) (r3.Vec, float64) {
	ab := r3.Sub(b, a)
	l2 := r3.Norm2(ab)
	if l2 == 0 {
		return a, 0
	}
	t := max(0, min(1, r3.Dot(r3.Sub(p, a), ab)/l2))
	return r3.Add(a, r3.Scale(t, ab)), t
}

// ClosestOnTriangle returns the point of triangle abc nearest to p
// (Ericson, Real-Time Collision Detection, 2005, section 5.1.5). A triangle of no area
// is the longest of its sides.
func ClosestOnTriangle(p, a, b, c r3.Vec) r3.Vec {
	ab, ac, ap := r3.Sub(b, a), r3.Sub(c, a), r3.Sub(p, a)
	d1, d2 := r3.Dot(ab, ap), r3.Dot(ac, ap)
	if d1 <= 0 && d2 <= 0 {
		return a
	}
	bp := r3.Sub(p, b)
	d3, d4 := r3.Dot(ab, bp), r3.Dot(ac, bp)
	if d3 >= 0 && d4 <= d3 {
		return b
	}
	if vc := d1*d4 - d3*d2; vc <= 0 && d1 >= 0 && d3 <= 0 {
		if d1 == d3 { // a is b
			return onSides(p, a, b, c)
		}
		return r3.Add(a, r3.Scale(d1/(d1-d3), ab))
	}
	cp := r3.Sub(p, c)
	d5, d6 := r3.Dot(ab, cp), r3.Dot(ac, cp)
	if d6 >= 0 && d5 <= d6 {
		return c
	}
	if vb := d5*d2 - d1*d6; vb <= 0 && d2 >= 0 && d6 <= 0 {
		if d2 == d6 { // a is c
			return onSides(p, a, b, c)
		}
		return r3.Add(a, r3.Scale(d2/(d2-d6), ac))
	}
	va := d3*d6 - d5*d4
	if va <= 0 && d4-d3 >= 0 && d5-d6 >= 0 {
		if d4-d3 == 0 && d5-d6 == 0 { // b is c
			return onSides(p, a, b, c)
		}
		return r3.Add(b, r3.Scale((d4-d3)/((d4-d3)+(d5-d6)), r3.Sub(c, b)))
	}
	vb, vc := d5*d2-d1*d6, d1*d4-d3*d2
	s := va + vb + vc
	if s <= 1e-10*r3.Norm2(ab)*r3.Norm2(ac) { // what is left of the area is rounding
		return onSides(p, a, b, c)
	}
	return r3.Add(a, r3.Add(r3.Scale(vb/s, ab), r3.Scale(vc/s, ac)))
}

// onSides returns the point nearest to p on the sides of a triangle.
func onSides(p, a, b, c r3.Vec) r3.Vec {
	best, _ := ClosestOnSegment(p, a, b)
	for _, s := range [2][2]r3.Vec{{b, c}, {c, a}} {
		if q, _ := ClosestOnSegment(p, s[0], s[1]); r3.Norm2(r3.Sub(q, p)) < r3.Norm2(r3.Sub(best, p)) {
			best = q
		}
	}
	return best
}

// TriangleNormal returns the normal of abc with the length of twice its area.
func TriangleNormal(a, b, c r3.Vec) r3.Vec { return r3.Cross(r3.Sub(b, a), r3.Sub(c, a)) }

// RayTriangle returns the parameter t at which origin + t·dir meets triangle
// abc from either side (Möller & Trumbore 1997).
func RayTriangle(origin, dir, a, b, c r3.Vec) (t float64, hit bool) {
	return rayTriangle(origin, dir, a, b, c, 0)
}

// rayTriangle is RayTriangle of a triangle that reaches over its sides by a share, so that no
// ray slips through between two.
func rayTriangle(origin, dir, a, b, c r3.Vec, over float64) (t float64, hit bool) {
	e1, e2 := r3.Sub(b, a), r3.Sub(c, a)
	p := r3.Cross(dir, e2)
	det := r3.Dot(e1, p)
	if det == 0 {
		return 0, false
	}
	inv := 1 / det
	s := r3.Sub(origin, a)
	u := r3.Dot(s, p) * inv
	if u < -over || u > 1+over {
		return 0, false
	}
	q := r3.Cross(s, e1)
	v := r3.Dot(dir, q) * inv
	if v < -over || u+v > 1+over {
		return 0, false
	}
	return r3.Dot(e2, q) * inv, true
}

// SolidAngle returns the signed solid angle of triangle abc seen from p, in
// steradians (Van Oosterom & Strackee 1983).
func SolidAngle(p, a, b, c r3.Vec) float64 {
	x, y, z := r3.Sub(a, p), r3.Sub(b, p), r3.Sub(c, p)
	lx, ly, lz := math.Sqrt(r3.Norm2(x)), math.Sqrt(r3.Norm2(y)), math.Sqrt(r3.Norm2(z)) // r3.Norm guards against overflow, slowly
	det := r3.Dot(x, r3.Cross(y, z))
	den := lx*ly*lz + r3.Dot(x, y)*lz + r3.Dot(y, z)*lx + r3.Dot(z, x)*ly
	return 2 * math.Atan2(det, den)
}

// Barycentric returns the shares of a, b and c in a point of their triangle; of one without
// area all is a's.
func Barycentric(p, a, b, c r3.Vec) [3]float64 {
	n := TriangleNormal(a, b, c)
	l2 := r3.Norm2(n)
	if l2 == 0 {
		return [3]float64{1, 0, 0}
	}
	u := math.Max(0, r3.Dot(TriangleNormal(p, b, c), n)/l2)
	v := math.Max(0, r3.Dot(TriangleNormal(a, p, c), n)/l2)
	return [3]float64{u, v, math.Max(0, 1-u-v)}
}
