package shape

import (
	"maps"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Shift is how a joint stands elsewhere where a target is on: moved by Move, meters, and turned by Turn, a rotation vector in
// radians, at a value of 1. Both are of the world at rest. Values scale them, and those of several targets add up.
type Shift struct {
	Move [3]float64 `json:"move,omitzero"`
	Turn [3]float64 `json:"turn,omitzero"`
}

// ShiftOf is the shift that brings a joint to where it stands in another body.
func ShiftOf(from, to skeleton.Joint) Shift {
	d := r3.Sub(to.Pos, from.Pos)
	out := Shift{Move: [3]float64{d.X, d.Y, d.Z}}
	if to.Rot != from.Rot {
		out.Turn = rotationVector(geom.Normalise(quat.Mul(to.Rot, quat.Conj(from.Rot))))
	}
	return out
}

// rotationVector is an axis as long as the angle about it, in radians, the short way round.
func rotationVector(q quat.Number) [3]float64 {
	if q.Real < 0 {
		q = quat.Scale(-1, q)
	}
	s := math.Sqrt(q.Imag*q.Imag + q.Jmag*q.Jmag + q.Kmag*q.Kmag)
	if s == 0 {
		return [3]float64{}
	}
	k := 2 * math.Atan2(s, q.Real) / s
	return [3]float64{k * q.Imag, k * q.Jmag, k * q.Kmag}
}

// Plus is a shift and another, times over.
func (a Shift) Plus(b Shift, times float64) Shift {
	for c := range 3 {
		a.Move[c] += times * b.Move[c]
		a.Turn[c] += times * b.Turn[c]
	}
	return a
}

// SumOfShifts are shifts by joint and others, times over; those that become nothing are left out.
func SumOfShifts(a, b map[string]Shift, times float64) map[string]Shift {
	out := maps.Clone(a)
	for name, x := range b {
		if out == nil {
			out = map[string]Shift{}
		}
		if sum := out[name].Plus(x, times); sum != (Shift{}) {
			out[name] = sum
		} else {
			delete(out, name)
		}
	}
	return out
}

// Distance is how far a shift moves its joint, meters, and Degrees how far it turns it.
func (a Shift) Distance() float64 { return r3.Norm(vec(a.Move)) }

// Degrees is how far a shift turns its joint.
func (a Shift) Degrees() float64 { return r3.Norm(vec(a.Turn)) * 180 / math.Pi }

func vec(a [3]float64) r3.Vec { return r3.Vec{X: a[0], Y: a[1], Z: a[2]} }

func three(v r3.Vec) [3]float64 { return [3]float64{v.X, v.Y, v.Z} }

// Mirrored is the shift of the partner on the other side of the middle plane.
func (a Shift) Mirrored() Shift {
	return Shift{ // a turn is mirrored the other way about than a way
		Move: [3]float64{-a.Move[0], a.Move[1], a.Move[2]},
		Turn: [3]float64{a.Turn[0], -a.Turn[1], -a.Turn[2]},
	}
}

// turned is a rotation with a rotation vector made of it, in world frame.
func turned(q quat.Number, by r3.Vec) quat.Number {
	angle := r3.Norm(by)
	if angle == 0 {
		return q
	}
	return geom.Normalise(quat.Mul(geom.AxisAngle(r3.Scale(1/angle, by), angle), q))
}

// shiftAt is the shift of a joint by its number.
type shiftAt struct {
	joint int
	Shift
}

// shiftsOf are the shifts of a target's joints, ascending; those of joints that are gone are left out.
func shiftsOf(t *Target, s *skeleton.Skeleton) (out []shiftAt) {
	if s == nil || len(t.Joints) == 0 {
		return nil
	}
	for i, j := range s.Joints {
		if x, ok := t.Joints[j.Name]; ok {
			out = append(out, shiftAt{i, x})
		}
	}
	return out
}

// Built is the skeleton with its joints where targets that are on as values say have them; the skeleton itself where none
// moves any.
func (e *Evaluator) Built(values []float64) *skeleton.Skeleton {
	out := e.skeleton
	var turn []r3.Vec
	for k, list := range e.shifts {
		if k >= len(values) || values[k] == 0 {
			continue
		}
		for _, x := range list {
			if turn == nil {
				out, turn = e.skeleton.Clone(), make([]r3.Vec, len(e.skeleton.Joints))
			}
			out.Joints[x.joint].Pos = r3.Add(out.Joints[x.joint].Pos, r3.Scale(values[k], vec(x.Move)))
			turn[x.joint] = r3.Add(turn[x.joint], r3.Scale(values[k], vec(x.Turn)))
		}
	}
	for i, by := range turn {
		out.Joints[i].Rot = turned(out.Joints[i].Rot, by)
	}
	return out
}

// Leads reports whether targets move joints at all.
func (e *Evaluator) Leads() bool {
	for _, list := range e.shifts {
		if len(list) > 0 {
			return true
		}
	}
	return false
}

// SkinMatrices are those of pose.SkinMatrices in a pose of the skeleton as it is built by the targets that are on in it.
func (e *Evaluator) SkinMatrices(p pose.Pose, b *pose.Binding) [][]geom.Matrix {
	built := e.Built(e.Values(p))
	if built == e.skeleton {
		return pose.SkinMatrices(e.skeleton, p, b)
	}
	return pose.BuiltMatrices(built, e.skeleton, p, b)
}

// Moved returns the rig of a character that is brought elsewhere by a similarity: of a turn, and a scale.
func (r *Rig) Moved(turn quat.Number, scale float64) *Rig {
	out := r.Clone()
	for i := range out.Targets {
		t := &out.Targets[i]
		if len(t.Joints) == 0 {
			continue
		}
		next := make(map[string]Shift, len(t.Joints))
		for name, x := range t.Joints {
			next[name] = Shift{
				Move: three(r3.Scale(scale, geom.Rotate(turn, vec(x.Move)))),
				Turn: three(geom.Rotate(turn, vec(x.Turn))),
			}
		}
		t.Joints = next
	}
	return out
}

// Size is about how many bytes a rig takes.
func (r *Rig) Size() int {
	out := 0
	for i := range r.Targets {
		out += 300 + 80*len(r.Targets[i].Joints)
	}
	return out
}
