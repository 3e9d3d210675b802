// Package pose computes where joints stand when they are turned: world
// transforms of a posed skeleton and the matrices that carry the skin along.
package pose

import (
	"maps"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Pose holds a turn for each joint, about the joint's own axes at rest; nil, or
// a missing joint, is rest. The length of a turn is how long the joint is (Lengthening).
type Pose map[string]quat.Number

// Turn returns the rotation by angles in degrees about a joint's own X, then Y,
// then Z, each axis carried along by the turns after it.
func Turn(x, y, z float64) quat.Number {
	rad := math.Pi / 180
	qx := geom.AxisAngle(r3.Vec{X: 1}, x*rad)
	qy := geom.AxisAngle(r3.Vec{Y: 1}, y*rad)
	qz := geom.AxisAngle(r3.Vec{Z: 1}, z*rad)
	return quat.Mul(qz, quat.Mul(qy, qx))
}

// TurnIn is Turn in another order: "yzx" turns about Y first, within Z, within X. "" is
// "xyz".
func TurnIn(order string, x, y, z float64) quat.Number {
	if order == "" || order == "xyz" {
		return Turn(x, y, z)
	}
	rad := math.Pi / 180
	q := geom.Identity
	for i := range order {
		switch order[i] {
		case 'x':
			q = quat.Mul(geom.AxisAngle(r3.Vec{X: 1}, x*rad), q)
		case 'y':
			q = quat.Mul(geom.AxisAngle(r3.Vec{Y: 1}, y*rad), q)
		case 'z':
			q = quat.Mul(geom.AxisAngle(r3.Vec{Z: 1}, z*rad), q)
		}
	}
	return q
}

// Angled returns the pose of angles in degrees by name of joint, each in the order of turns of its joint;
// the fourth number is how long the joint is, as a part of its length, 0 for as at rest. A joint that s
// lacks, or angles that are no numbers, are left out.
func Angled(s *skeleton.Skeleton, angles map[string][4]float64) Pose {
	at := s.Numbers()
	out := Pose{}
	for name, a := range angles {
		i, ok := at[name]
		if !ok {
			continue
		}
		if q := TurnIn(s.Joints[i].Order, a[0], a[1], a[2]); !quat.IsNaN(q) {
			if a[3] > 0 && !math.IsInf(a[3], 0) {
				q = Lengthened(q, a[3])
			}
			out[name] = q
		}
	}
	return out
}

// turnOf is what a pose turns joint i by: a helper joint as its rule says, whatever the pose has of it.
func turnOf(s *skeleton.Skeleton, p Pose, i int) (quat.Number, bool) {
	h := s.Joints[i].Helper
	if h == nil {
		q, ok := p[s.Joints[i].Name]
		return q, ok
	}
	q, ok := p[h.Driver]
	d := s.Index(h.Driver)
	if !ok || d < 0 {
		return geom.Identity, false
	}
	return s.Driven(i, d, q), true
}

// WithHelpers returns the pose with what the helper joints of s turn by in it, for who does not know their rules.
func (p Pose) WithHelpers(s *skeleton.Skeleton) Pose {
	list := s.Helpers()
	if len(list) == 0 {
		return p
	}
	out := maps.Clone(p)
	for _, i := range list {
		delete(out, s.Joints[i].Name)
		if q, ok := turnOf(s, p, i); ok {
			out[s.Joints[i].Name] = q
		}
	}
	return out
}

// World returns the posed world transform of every joint, parents first.
func World(s *skeleton.Skeleton, p Pose) []geom.Matrix {
	out := make([]geom.Matrix, len(s.Joints))
	long := lengthens(s, p)
	for i, j := range s.Joints {
		t, q := s.Local(i)
		t = long.place(j.Parent, t)
		if turn, ok := turnOf(s, p, i); ok {
			q = quat.Mul(q, geom.Normalise(turn))
		}
		m := geom.Rigid(t, q)
		if j.Parent >= 0 {
			m = out[j.Parent].Mul(m)
		}
		out[i] = m
	}
	return out
}

// InverseBind returns the matrices that take world positions at rest into each
// joint's frame.
func InverseBind(s *skeleton.Skeleton) []geom.Matrix {
	out := make([]geom.Matrix, len(s.Joints))
	for i, j := range s.Joints {
		inv := quat.Conj(j.Rot)
		out[i] = geom.Rigid(r3.Scale(-1, geom.Rotate(inv, j.Pos)), inv)
	}
	return out
}

// Skin returns each joint's matrix from rest to posed world positions: exactly the
// identity for a joint that is not turned and hangs from none that is.
func Skin(s *skeleton.Skeleton, p Pose) []geom.Matrix { return skin(s, p, lengthens(s, p)) }

func skin(s *skeleton.Skeleton, p Pose, long *lengthening) []geom.Matrix {
	out := World(s, p)
	turned := make([]bool, len(s.Joints))
	for i, b := range InverseBind(s) {
		j := s.Joints[i]
		q, ok := turnOf(s, p, i)
		turned[i] = ok && q != quat.Number{Real: 1} || j.Parent >= 0 && turned[j.Parent]
		if turned[i] {
			if m, yes := long.skin(s, i); yes {
				out[i] = out[i].Mul(m)
			}
			out[i] = out[i].Mul(b)
		} else {
			out[i] = geom.IdentityMatrix
		}
	}
	return out
}
