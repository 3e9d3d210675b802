package pose

import (
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Pull is a joint that is drawn to a place while others are held in theirs.
type Pull struct {
	Joint string
	To    r3.Vec            // world metres
	Pole  r3.Vec            // the way in which the middle of a limb goes; zero: as it is bent
	Chain int               // how many bones above the joint give way; 0: its limb, or three
	Held  map[string]r3.Vec // joints that are held, and where
	Whole bool              // the body follows where a limb is spent
	Long  float64           // how long its joints may become then, as a part of their length; 0 is 1
}

// Puller draws joints of a skeleton.
type Puller struct {
	s      *skeleton.Skeleton
	motion []skeleton.Motion
	bends  []r3.Vec
}

// NewPuller works out what of a skeleton does not change with its pose.
func NewPuller(s *skeleton.Skeleton, x skeleton.Marks) *Puller {
	motion, _ := s.Acts(x)
	return &Puller{s, motion, Bends(s, s.Trials(x))}
}

// usualChain is how many bones give way where there is no limb.
const usualChain = 3

// Pull returns the pose in which a joint is where it is drawn to, as far as the bones allow, and how far it
// and what is held stay off, metres. Limbs follow the law of cosines (Place), other chains FABRIK (Reach);
// what has no parent is moved; where a limb is spent, the trunk follows by damped least squares (Buss and Kim
// 2005), as far as the limbs that are held let it.
func (x *Puller) Pull(p Pose, move r3.Vec, q Pull) (Pose, r3.Vec, float64, float64, error) {
	i := x.s.Index(q.Joint)
	if i < 0 {
		return nil, move, 0, 0, fmt.Errorf("there is no joint %q", q.Joint)
	}
	st := NewStanding(x.s, p, move)
	var held []Limb
	var places []r3.Vec
	for _, name := range sortedKeys(q.Held) {
		k := x.s.Index(name)
		if k < 0 {
			return nil, move, 0, 0, fmt.Errorf("there is no joint %q", name)
		}
		if l, ok := LimbOf(x.s, k, x.motion, x.bends); ok && k != i {
			held, places = append(held, l), append(places, q.Held[name])
		}
	}
	limb, isLimb := LimbOf(x.s, i, x.motion, x.bends)
	turned := st.Rot[i]
	switch {
	case x.s.Joints[i].Parent < 0:
		st.Shift(r3.Sub(q.To, st.At[i]))
		x.within(st, held, places)
	case q.Chain > 0 || !isLimb:
		n := q.Chain
		if n == 0 {
			n = usualChain
		}
		chain := []int{i}
		for k := x.s.Joints[i].Parent; k >= 0 && len(chain) <= n; k = x.s.Joints[k].Parent {
			chain = append(chain, k)
		}
		slices.Reverse(chain)
		st.Reach(chain, q.To, x.bends)
	default:
		if q.Whole {
			x.follow(st, limb, q.To, held, places)
		}
		x.lengthen(st, limb, q)
		st.Place(limb, q.To, q.Pole, false)
		st.Turn(i, quat.Mul(turned, quat.Conj(st.Rot[i]))) // a hand keeps its turn in the world
	}
	off := 0.0
	for k, l := range held {
		off = math.Max(off, st.Place(l, places[k], r3.Vec{}, true))
	}
	return st.Pose(), st.Move, r3.Norm(r3.Sub(st.At[i], q.To)), off, nil
}

// lengthen lets the two joints of a limb that is spent become longer, as far as the pull and their own
// limits allow.
func (x *Puller) lengthen(st *Standing, l Limb, q Pull) {
	reach := reachOf(st, l)
	far := r3.Norm(r3.Sub(q.To, st.At[l.Root]))
	if q.Long <= 1 || far <= reach || reach <= 0 {
		return
	}
	for _, i := range [2]int{l.Root, l.Middle} {
		most := q.Long
		if k := x.s.Joints[i].Keeps; k != nil && k.Length != nil {
			most = math.Min(most, k.Length[1])
		}
		st.Lengthen(i, far/reach, LeastLong, math.Max(1, most))
	}
}

func sortedKeys(m map[string]r3.Vec) []string {
	out := make([]string, 0, len(m))
	for k := range m {
		out = append(out, k)
	}
	slices.Sort(out)
	return out
}

// within brings the whole back to where what is held can be reached.
func (x *Puller) within(st *Standing, held []Limb, places []r3.Vec) {
	for range 8 {
		far := 0.0
		for k, l := range held {
			way := r3.Sub(places[k], st.At[l.Root])
			if over := r3.Norm(way) - reachOf(st, l); over > 0 {
				far = math.Max(far, over)
				st.Shift(r3.Scale(over/r3.Norm(way), way))
			}
		}
		if far < 1e-9 {
			return
		}
	}
}

// reachOf is how far a limb reaches.
func reachOf(st *Standing, l Limb) float64 {
	return (1 - 1e-9) * (r3.Norm(r3.Sub(st.At[l.Middle], st.At[l.Root])) + r3.Norm(r3.Sub(st.At[l.End], st.At[l.Middle])))
}

const (
	followRounds = 60
	followMost   = 4 * math.Pi / 180 // a round, each joint
	followDamp   = 0.05              // of the height
	moveShare    = 0.3               // how readily the whole moves, beside what turns, over the height
)

// follow moves the whole and turns the trunk until the limb's root is near enough to the place.
func (x *Puller) follow(st *Standing, l Limb, to r3.Vec, held []Limb, places []r3.Vec) {
	height := math.Max(x.s.Height(), 1e-9)
	var trunk []int
	for i := x.s.Joints[l.Root].Parent; i >= 0; i = x.s.Joints[i].Parent {
		if x.s.Joints[i].Parent >= 0 {
			trunk = append(trunk, i)
		}
	}
	for range followRounds {
		way := r3.Sub(to, st.At[l.Root])
		over := r3.Norm(way) - 0.999*reachOf(st, l)
		if over <= 1e-6*height {
			return
		}
		need := r3.Scale(over/r3.Norm(way), way)
		// J Jᵀ + λ² over the trunk's turns and the move of the whole.
		jj := mat.NewSymDense(3, nil)
		add := func(c r3.Vec) {
			v := [3]float64{c.X, c.Y, c.Z}
			for a := range 3 {
				for b := a; b < 3; b++ {
					jj.SetSym(a, b, jj.At(a, b)+v[a]*v[b])
				}
			}
		}
		axes := [3]r3.Vec{{X: 1}, {Y: 1}, {Z: 1}}
		for _, i := range trunk {
			arm := r3.Sub(st.At[l.Root], st.At[i])
			for _, a := range axes {
				add(r3.Cross(a, arm))
			}
		}
		for a := range 3 {
			jj.SetSym(a, a, jj.At(a, a)+moveShare*moveShare*height*height+followDamp*followDamp*height*height)
		}
		var f mat.VecDense
		var chol mat.Cholesky
		if !chol.Factorize(jj) || chol.SolveVecTo(&f, mat.NewVecDense(3, []float64{need.X, need.Y, need.Z})) != nil {
			return
		}
		force := r3.Vec{X: f.AtVec(0), Y: f.AtVec(1), Z: f.AtVec(2)}
		for _, i := range trunk {
			by := r3.Cross(r3.Sub(st.At[l.Root], st.At[i]), force)
			angle := r3.Norm(by)
			if angle > 1e-12 {
				st.Turn(i, geom.AxisAngle(by, math.Min(angle, followMost)))
			}
		}
		st.Shift(r3.Scale(moveShare*moveShare*height*height, force))
		x.within(st, held, places)
	}
}

// Mirrored returns a pose with its sides changed: what the left does the right does, and what is in the
// middle turns the other way. The plane is X = 0 of the character's frame.
func (p Pose) Mirrored(s *skeleton.Skeleton, x skeleton.Marks) Pose {
	out := Pose{}
	for i, j := range s.Joints {
		q, ok := p[j.Name]
		if !ok {
			continue
		}
		to := i
		if k := s.PartnerOf(i, x); k >= 0 {
			to = k
		}
		world := quat.Mul(j.Rot, quat.Mul(q, quat.Conj(j.Rot)))
		world.Jmag, world.Kmag = -world.Jmag, -world.Kmag // a turn in the mirror
		r := s.Joints[to].Rot
		out[s.Joints[to].Name] = like(quat.Mul(quat.Conj(r), quat.Mul(world, r)), q)
	}
	return out
}
