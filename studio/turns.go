package studio

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"

	"gonum.org/v1/gonum/num/quat"
)

// Turns are turns of joints about their own axes by name: x, y, z, w.
type Turns map[string][4]float64

// Pose returns them as a pose of a skeleton; a joint that it lacks, or what is no turn, is refused.
func (t Turns) Pose(s *State) (pose.Pose, error) {
	p := pose.Pose{}
	for name, q := range t {
		if s.Skeleton.Index(name) < 0 {
			return nil, Wrong("there is no joint %q", name)
		}
		x := quat.Number{Imag: q[0], Jmag: q[1], Kmag: q[2], Real: q[3]}
		if n := quat.Abs(x); !(n > 1e-6) || math.IsInf(n, 0) {
			return nil, Wrong("the rotation of %s is not valid: %v", name, q)
		}
		by := pose.Lengthening(x)
		if x = geom.Normalise(x); by != 1 {
			p[name] = pose.Lengthened(x, by)
		} else if math.Abs(x.Real) < 1 {
			p[name] = x
		}
	}
	return p, nil
}

// TurnsOf is a pose as operations name it.
func TurnsOf(p pose.Pose) Turns {
	t := Turns{}
	for name, q := range p {
		t[name] = [4]float64{q.Imag, q.Jmag, q.Kmag, q.Real}
	}
	return t
}
