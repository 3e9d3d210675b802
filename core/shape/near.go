package shape

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/num/quat"
)

// Near brings a target on near a pose of one joint or several: on in that pose, off at rest and in the poses of the other targets
// of the same joints, and between 0 and 1 everywhere (pose space deformation, Lewis, Cordner & Fong 2000: radial basis
// functions of how far poses are apart, solved to be exact at each).
type Near struct {
	// Turns are those of the joints in that pose, about their own axes, x y z w, by name.
	Turns map[string][4]float64 `json:"turns"`
	// Reach is how far from the pose, in degrees, its pull is 1/e of that at it.
	Reach float64 `json:"reach"`
}

// mostTurned is how many joints a pose may be of, mostNear how many poses of the same joints there may be.
const mostTurned, mostNear = 24, 64

// of are the names of the joints, ascending.
func (n *Near) of() []string {
	out := make([]string, 0, len(n.Turns))
	for name := range n.Turns {
		out = append(out, name)
	}
	slices.Sort(out)
	return out
}

func (n *Near) key() string { return strings.Join(n.of(), "\n") }

// By says of which joints the pose is.
func (n *Near) By() string {
	list := n.of()
	if len(list) > 3 {
		return fmt.Sprintf("a pose of %s and %d more joints", strings.Join(list[:2], ", "), len(list)-2)
	}
	return "a pose of " + strings.Join(list, ", ")
}

func (n *Near) check() error {
	if len(n.Turns) == 0 || len(n.Turns) > mostTurned {
		return fmt.Errorf("a pose is of 1 to %d joints, not %d", mostTurned, len(n.Turns))
	}
	if !(n.Reach >= 1 && n.Reach <= 1000) {
		return fmt.Errorf("its pose reaches %g°, and may reach 1° to 1000°", n.Reach)
	}
	away := 0.0
	for name, q := range n.Turns {
		x := numberOf(q)
		if a := quat.Abs(x); !(a > 0.5 && a < 2) {
			return fmt.Errorf("the rotation of %s in its pose is %v", name, q)
		}
		away += square(between(x, geom.Identity))
	}
	if away < 1 {
		return fmt.Errorf("its pose is rest, where it is off")
	}
	return nil
}

// Reoriented returns the rig of a character whose joints have other axes: near poses turn joints about their own, and stay the
// poses that they are in the world.
func (r *Rig) Reoriented(before, after *skeleton.Skeleton) *Rig {
	if r == nil || !slices.ContainsFunc(r.Targets, func(t Target) bool { return t.Near != nil }) {
		return r
	}
	out := r.Clone()
	for i := range out.Targets {
		n := out.Targets[i].Near
		if n == nil {
			continue
		}
		next := &Near{Turns: make(map[string][4]float64, len(n.Turns)), Reach: n.Reach}
		for name, q := range n.Turns {
			b, a := before.Index(name), after.Index(name)
			if b >= 0 && a >= 0 {
				by := quat.Mul(quat.Conj(geom.Normalise(after.Joints[a].Rot)), geom.Normalise(before.Joints[b].Rot))
				x := quat.Mul(quat.Mul(by, numberOf(q)), quat.Conj(by))
				q = [4]float64{x.Imag, x.Jmag, x.Kmag, x.Real}
			}
			next.Turns[name] = q
		}
		out.Targets[i].Near = next
	}
	return out
}

func square(x float64) float64 { return x * x }

func numberOf(q [4]float64) quat.Number {
	return quat.Number{Imag: q[0], Jmag: q[1], Kmag: q[2], Real: q[3]}
}

// between is the angle from one rotation to another, in degrees.
func between(a, b quat.Number) float64 {
	return geom.Angle(geom.Normalise(a), geom.Normalise(b)) * 180 / math.Pi
}

// field is what brings on all targets near poses of the same joints.
type field struct {
	joints  []string
	targets []int
	poses   [][]quat.Number // by pose, rest first: the turns of the joints
	reach   []float64       // by pose, degrees
	shares  *mat.Dense      // from the pulls of the poses to the values of the poses
}

// fields are those of a rig, and the targets that two of one pose leave without a value.
func (r *Rig) fields() (out []*field, lost []int) {
	at := map[string]*field{}
	for i := range r.Targets {
		n := r.Targets[i].Near
		if n == nil {
			continue
		}
		f := at[n.key()]
		if f == nil {
			f = &field{joints: n.of()}
			f.poses, f.reach = [][]quat.Number{make([]quat.Number, len(f.joints))}, []float64{math.Inf(1)}
			for k := range f.poses[0] {
				f.poses[0][k] = geom.Identity
			}
			at[n.key()] = f
			out = append(out, f)
		}
		row := make([]quat.Number, len(f.joints))
		for k, name := range f.joints {
			row[k] = numberOf(n.Turns[name])
		}
		f.targets, f.poses, f.reach = append(f.targets, i), append(f.poses, row), append(f.reach, n.Reach)
		f.reach[0] = min(f.reach[0], n.Reach)
	}
	for _, f := range out {
		if !f.solve() {
			lost = append(lost, f.targets...)
		}
	}
	return out, lost
}

// pulls are how much each pose pulls at one: 1 in it, less beyond.
func (f *field) pulls(turns []quat.Number) []float64 {
	out := make([]float64, len(f.poses))
	for k, p := range f.poses {
		far := 0.0
		for j, q := range p {
			far += square(between(q, turns[j]))
		}
		out[k] = math.Exp(-far / square(f.reach[k]))
	}
	return out
}

// mostUneven is how large the condition of the equations may be: beyond, two poses are all but the same. No source.
const mostUneven = 1e8

// solve finds the shares by which every pose has its own target on and no other; false where two poses are all but the same.
func (f *field) solve() bool {
	n := len(f.poses)
	a := mat.NewDense(n, n, nil)
	for i, p := range f.poses {
		a.SetRow(i, f.pulls(p))
	}
	f.shares = new(mat.Dense)
	return f.shares.Inverse(a) == nil && mat.Norm(a, math.Inf(1))*mat.Norm(f.shares, math.Inf(1)) < mostUneven
}

// values puts how far on the targets are into out.
func (f *field) values(p pose.Pose, out []float64) {
	turns := make([]quat.Number, len(f.joints))
	still := true
	for k, name := range f.joints {
		turns[k] = geom.Identity
		if q, ok := p[name]; ok && quat.Abs(q) > 0 {
			turns[k] = geom.Normalise(q)
			still = still && between(turns[k], geom.Identity) == 0
		}
	}
	if still {
		return // exactly off at rest
	}
	pulls := f.pulls(turns)
	for k, i := range f.targets {
		sum := 0.0
		for j, x := range pulls {
			sum += float64(x * f.shares.At(j, k+1))
		}
		out[i] = max(0, min(1, sum))
	}
}
