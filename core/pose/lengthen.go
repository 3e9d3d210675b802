package pose

import (
	"fmt"
	"maps"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// A turn whose length is not 1 lengthens its joint besides turning it: what hangs from the joint is so
// much farther along the bone, and the skin is drawn out along it. Across the bone it becomes thinner, so
// that the volume stays, or keeps its thickness where the joint says so (skeleton.Constraints.Thick).
// What hangs from the joint is moved, not scaled.

// LeastLong and MostLong are how short and how long a joint may become, as parts of its length.
const (
	LeastLong = 0.1
	MostLong  = skeleton.MostLong
	exactLong = 1e-4 // from 1 is what rounding leaves of a turn
)

// Lengthening returns by how much a turn lengthens its joint, 1 for not at all.
func Lengthening(q quat.Number) float64 {
	l := quat.Abs(q)
	if !(l > 0) || math.IsInf(l, 0) || math.Abs(l-1) < exactLong {
		return 1
	}
	return math.Max(LeastLong, math.Min(MostLong, l))
}

// Lengthened returns a turn that lengthens its joint by a factor.
func Lengthened(q quat.Number, by float64) quat.Number { return quat.Scale(by, geom.Normalise(q)) }

// like returns a turn, of unit length but for what of lengthens.
func like(q, of quat.Number) quat.Number {
	if by := Lengthening(of); by != 1 {
		return Lengthened(q, by)
	}
	return geom.Normalise(q)
}

// Bones returns the way to what hangs from each joint, as a unit vector in its own frame at rest: the
// mean over its children; zero where nothing hangs from it, or on all sides.
func Bones(s *skeleton.Skeleton) []r3.Vec {
	out := make([]r3.Vec, len(s.Joints))
	for i, j := range s.Joints {
		if j.Parent >= 0 && j.Helper == nil {
			t, _ := s.Local(i)
			out[j.Parent] = r3.Add(out[j.Parent], t)
		}
	}
	for i, v := range out {
		out[i] = r3.Vec{}
		if l := r3.Norm(v); l > 1e-9*s.Size() {
			out[i] = r3.Scale(1/l, v)
		}
	}
	return out
}

// lengthening says which joints of a pose are lengthened, along what.
type lengthening struct {
	by   []float64
	bone []r3.Vec
}

// lengthens returns what a pose lengthens, nil for nothing.
func lengthens(s *skeleton.Skeleton, p Pose) *lengthening {
	any := false
	for _, q := range p {
		any = any || Lengthening(q) != 1
	}
	if !any {
		return nil
	}
	out := &lengthening{make([]float64, len(s.Joints)), Bones(s)}
	for i, j := range s.Joints {
		out.by[i] = 1
		if q, ok := p[j.Name]; ok && out.bone[i] != (r3.Vec{}) {
			out.by[i] = Lengthening(q)
		}
	}
	return out
}

// place returns where what hangs from joint i at t, in its frame, is moved to.
func (l *lengthening) place(i int, t r3.Vec) r3.Vec {
	if l == nil || i < 0 || l.by[i] == 1 {
		return t
	}
	return r3.Add(t, r3.Scale((l.by[i]-1)*r3.Dot(t, l.bone[i]), l.bone[i]))
}

// skin returns what joint i does to the skin in its own frame, beside turning and moving it; false for
// nothing.
func (l *lengthening) skin(s *skeleton.Skeleton, i int) (geom.Matrix, bool) {
	if l == nil || l.by[i] == 1 {
		return geom.IdentityMatrix, false
	}
	across := 1 / math.Sqrt(l.by[i])
	if k := s.Joints[i].Keeps; k != nil && k.Thick {
		across = 1
	}
	a, d := l.bone[i], l.by[i]-across
	return geom.Matrix{
		across + d*a.X*a.X, d * a.X * a.Y, d * a.X * a.Z, 0,
		d * a.X * a.Y, across + d*a.Y*a.Y, d * a.Y * a.Z, 0,
		d * a.X * a.Z, d * a.Y * a.Z, across + d*a.Z*a.Z, 0,
		0, 0, 0, 1,
	}, true
}

// Offsets returns where each joint is in the frame of its parent, or in the world, in a pose: moved where
// that lengthens its parent.
func Offsets(s *skeleton.Skeleton, p Pose) []r3.Vec {
	out := make([]r3.Vec, len(s.Joints))
	long := lengthens(s, p)
	for i, j := range s.Joints {
		t, _ := s.Local(i)
		out[i] = long.place(j.Parent, t)
	}
	return out
}

// Lengthens returns the joints that a motion ever lengthens.
func (c *Clip) Lengthens() (out []string) {
	for k, name := range c.Joints {
		for _, list := range c.Turns {
			if Lengthening(list[k]) != 1 {
				out = append(out, name)
				break
			}
		}
	}
	return out
}

// Turned are turns as a file or a page has them, x, y, z, w by name of the joint, as a pose; joints that do not turn are left
// out, and what is no turn is an error.
func Turned(turns map[string][4]float64) (Pose, error) {
	p := Pose{}
	for _, name := range slices.Sorted(maps.Keys(turns)) {
		q := turns[name]
		x := quat.Number{Imag: q[0], Jmag: q[1], Kmag: q[2], Real: q[3]}
		if n := quat.Abs(x); !(n > 1e-6) || math.IsInf(n, 0) {
			return nil, fmt.Errorf("the rotation of %s is not valid: %v", name, q)
		}
		by := Lengthening(x)
		if x = geom.Normalise(x); by != 1 {
			p[name] = Lengthened(x, by)
		} else if math.Abs(x.Real) < 1 {
			p[name] = x
		}
	}
	return p, nil
}
