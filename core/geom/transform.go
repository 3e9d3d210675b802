package geom

import (
	"math"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Identity is the rotation that turns nothing.
var Identity = quat.Number{Real: 1}

// Rotate returns v turned by the unit quaternion q.
func Rotate(q quat.Number, v r3.Vec) r3.Vec {
	u := r3.Vec{X: q.Imag, Y: q.Jmag, Z: q.Kmag}
	t := r3.Scale(2, r3.Cross(u, v))
	return r3.Add(v, r3.Add(r3.Scale(q.Real, t), r3.Cross(u, t)))
}

// AxisAngle returns the rotation by angle radians about axis, by the
// right-hand rule. A zero axis gives Identity.
func AxisAngle(axis r3.Vec, angle float64) quat.Number {
	l := r3.Norm(axis)
	if l == 0 {
		return Identity
	}
	s, c := math.Sincos(angle / 2)
	s /= l
	return quat.Number{Real: c, Imag: s * axis.X, Jmag: s * axis.Y, Kmag: s * axis.Z}
}

// Normalise returns q with unit length and a non-negative real part; a zero or
// non-finite q gives Identity.
func Normalise(q quat.Number) quat.Number {
	l := quat.Abs(q)
	if l == 0 || math.IsNaN(l) || math.IsInf(l, 0) {
		return Identity
	}
	if q.Real < 0 {
		l = -l
	}
	return quat.Scale(1/l, q)
}

// FromAxes returns the rotation that takes X, Y, Z to the given right-handed
// orthonormal directions (Shepperd 1978).
func FromAxes(x, y, z r3.Vec) quat.Number {
	m00, m11, m22 := x.X, y.Y, z.Z
	var q quat.Number
	switch tr := m00 + m11 + m22; {
	case tr > 0:
		s := 2 * math.Sqrt(tr+1)
		q = quat.Number{Real: s / 4, Imag: (y.Z - z.Y) / s, Jmag: (z.X - x.Z) / s, Kmag: (x.Y - y.X) / s}
	case m00 > m11 && m00 > m22:
		s := 2 * math.Sqrt(1+m00-m11-m22)
		q = quat.Number{Real: (y.Z - z.Y) / s, Imag: s / 4, Jmag: (y.X + x.Y) / s, Kmag: (z.X + x.Z) / s}
	case m11 > m22:
		s := 2 * math.Sqrt(1+m11-m00-m22)
		q = quat.Number{Real: (z.X - x.Z) / s, Imag: (y.X + x.Y) / s, Jmag: s / 4, Kmag: (z.Y + y.Z) / s}
	default:
		s := 2 * math.Sqrt(1+m22-m00-m11)
		q = quat.Number{Real: (x.Y - y.X) / s, Imag: (z.X + x.Z) / s, Jmag: (z.Y + y.Z) / s, Kmag: s / 4}
	}
	return Normalise(q)
}

// Angle returns the angle from one rotation to another, radians, 0 to π; exactly 0 for the same.
func Angle(a, b quat.Number) float64 {
	if a == b {
		return 0
	}
	d := quat.Mul(quat.Conj(a), b)
	return 2 * math.Atan2(math.Sqrt(d.Imag*d.Imag+d.Jmag*d.Jmag+d.Kmag*d.Kmag), math.Abs(d.Real))
}

// Between returns the shortest rotation that takes direction a to b.
func Between(a, b r3.Vec) quat.Number {
	a, b = r3.Unit(a), r3.Unit(b)
	d := r3.Dot(a, b)
	if d < -1+1e-12 {
		ortho := r3.Cross(a, r3.Vec{X: 1})
		if r3.Norm2(ortho) < 1e-6 {
			ortho = r3.Cross(a, r3.Vec{Y: 1})
		}
		return AxisAngle(ortho, math.Pi)
	}
	c := r3.Cross(a, b)
	return Normalise(quat.Number{Real: 1 + d, Imag: c.X, Jmag: c.Y, Kmag: c.Z})
}

// Matrix is an affine map, column-major as in glTF 2.0: m[12:15] is the
// translation.
type Matrix [16]float64

// IdentityMatrix maps every point to itself.
var IdentityMatrix = Matrix{0: 1, 5: 1, 10: 1, 15: 1}

// Compose returns the matrix that scales, then rotates, then translates.
func Compose(t r3.Vec, q quat.Number, s r3.Vec) Matrix {
	x := r3.Scale(s.X, Rotate(q, r3.Vec{X: 1}))
	y := r3.Scale(s.Y, Rotate(q, r3.Vec{Y: 1}))
	z := r3.Scale(s.Z, Rotate(q, r3.Vec{Z: 1}))
	return Matrix{x.X, x.Y, x.Z, 0, y.X, y.Y, y.Z, 0, z.X, z.Y, z.Z, 0, t.X, t.Y, t.Z, 1}
}

// Rigid returns the matrix of a rotation followed by a translation.
func Rigid(t r3.Vec, q quat.Number) Matrix { return Compose(t, q, r3.Vec{X: 1, Y: 1, Z: 1}) }

// Mul returns m·n: n is applied first.
func (m Matrix) Mul(n Matrix) Matrix {
	var r Matrix
	for c := 0; c < 4; c++ {
		for i := 0; i < 4; i++ {
			r[4*c+i] = m[i]*n[4*c] + m[4+i]*n[4*c+1] + m[8+i]*n[4*c+2] + m[12+i]*n[4*c+3]
		}
	}
	return r
}

// Point returns the image of a point.
func (m Matrix) Point(p r3.Vec) r3.Vec {
	return r3.Vec{
		X: m[0]*p.X + m[4]*p.Y + m[8]*p.Z + m[12],
		Y: m[1]*p.X + m[5]*p.Y + m[9]*p.Z + m[13],
		Z: m[2]*p.X + m[6]*p.Y + m[10]*p.Z + m[14],
	}
}

// Direction returns the image of a direction (no translation).
func (m Matrix) Direction(p r3.Vec) r3.Vec {
	return r3.Vec{
		X: m[0]*p.X + m[4]*p.Y + m[8]*p.Z,
		Y: m[1]*p.X + m[5]*p.Y + m[9]*p.Z,
		Z: m[2]*p.X + m[6]*p.Y + m[10]*p.Z,
	}
}

// Determinant returns the determinant of the linear part; it is negative when
// the map mirrors.
func (m Matrix) Determinant() float64 {
	x, y, z := m.axes()
	return r3.Dot(x, r3.Cross(y, z))
}

func (m Matrix) axes() (x, y, z r3.Vec) {
	return r3.Vec{X: m[0], Y: m[1], Z: m[2]}, r3.Vec{X: m[4], Y: m[5], Z: m[6]}, r3.Vec{X: m[8], Y: m[9], Z: m[10]}
}

// Decompose splits the map into translation, rotation and scale; a mirroring
// map gets a negative X scale. Shear is lost: the axes are orthonormalised in
// the order X, Y, Z.
func (m Matrix) Decompose() (t r3.Vec, q quat.Number, s r3.Vec) {
	x, y, z := m.axes()
	t = r3.Vec{X: m[12], Y: m[13], Z: m[14]}
	s = r3.Vec{X: r3.Norm(x), Y: r3.Norm(y), Z: r3.Norm(z)}
	if s.X == 0 || s.Y == 0 || s.Z == 0 {
		return t, Identity, s
	}
	x = r3.Scale(1/s.X, x)
	y = r3.Sub(y, r3.Scale(r3.Dot(x, y), x))
	if r3.Norm2(y) == 0 {
		return t, Identity, s
	}
	y = r3.Unit(y)
	w := r3.Cross(x, y)
	if r3.Dot(w, z) < 0 {
		s.X, x = -s.X, r3.Scale(-1, x)
		w = r3.Cross(x, y)
	}
	return t, FromAxes(x, y, w), s
}

// Inverse returns the inverse of an affine map; false where it has none: the determinant
// is nothing beside the lengths of the columns.
func (m Matrix) Inverse() (Matrix, bool) {
	a, b, c := m.axes()
	bc, ca, ab := r3.Cross(b, c), r3.Cross(c, a), r3.Cross(a, b)
	d := r3.Dot(a, bc)
	if size := r3.Norm(a) * r3.Norm(b) * r3.Norm(c); size == 0 || !(math.Abs(d) > 1e-9*size) {
		return IdentityMatrix, false
	}
	out := Matrix{bc.X / d, ca.X / d, ab.X / d, 0, bc.Y / d, ca.Y / d, ab.Y / d, 0, bc.Z / d, ca.Z / d, ab.Z / d, 0, 0, 0, 0, 1}
	t := out.Direction(r3.Vec{X: m[12], Y: m[13], Z: m[14]})
	out[12], out[13], out[14] = -t.X, -t.Y, -t.Z
	return out, true
}

// Normal returns where the map takes a normal of a surface, of unit length: through its
// cofactors, which keep it square to the surface. One that vanishes stays what it was.
func (m Matrix) Normal(n r3.Vec) r3.Vec {
	a, b, c := m.axes()
	out := r3.Add(r3.Scale(n.X, r3.Cross(b, c)), r3.Add(r3.Scale(n.Y, r3.Cross(c, a)), r3.Scale(n.Z, r3.Cross(a, b))))
	if l := r3.Norm(out); l > 1e-300 {
		return r3.Scale(1/l, out)
	}
	return n
}

// Single is a vector rounded to float32, as files and pages have it.
func Single(p r3.Vec) r3.Vec {
	return r3.Vec{X: float64(float32(p.X)), Y: float64(float32(p.Y)), Z: float64(float32(p.Z))}
}

// Finite reports whether every coordinate of p is a finite number.
func Finite(p r3.Vec) bool {
	return !math.IsNaN(p.X+p.Y+p.Z) && !math.IsInf(p.X+p.Y+p.Z, 0)
}

// Power returns a share of a rotation, about the same axis: by its shorter way, below half a turn.
func Power(q quat.Number, share float64) quat.Number {
	q = Normalise(q)
	v := r3.Vec{X: q.Imag, Y: q.Jmag, Z: q.Kmag}
	return AxisAngle(v, share*2*math.Atan2(r3.Norm(v), q.Real))
}

// TwistAbout returns the part of a rotation that turns about an axis: q is that part after a swing of the axis. A zero
// axis gives Identity.
func TwistAbout(q quat.Number, axis r3.Vec) quat.Number {
	l := r3.Norm2(axis)
	if l == 0 {
		return Identity
	}
	d := (q.Imag*axis.X + q.Jmag*axis.Y + q.Kmag*axis.Z) / l
	return Normalise(quat.Number{Real: q.Real, Imag: d * axis.X, Jmag: d * axis.Y, Kmag: d * axis.Z})
}
