package pose

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Standing is where the joints of a skeleton are in a pose, world frame.
type Standing struct {
	s    *skeleton.Skeleton
	turn []quat.Number // about the joints' own axes
	long lengthening
	Move r3.Vec // of what has no parent, metres
	At   []r3.Vec
	Rot  []quat.Number
}

// NewStanding puts a skeleton into a pose.
func NewStanding(s *skeleton.Skeleton, p Pose, move r3.Vec) *Standing {
	n := len(s.Joints)
	st := &Standing{
		s:    s,
		turn: make([]quat.Number, n),
		Move: move,
		At:   make([]r3.Vec, n),
		Rot:  make([]quat.Number, n),
		long: lengthening{make([]float64, n), Bones(s)},
	}
	for i, j := range s.Joints {
		st.turn[i], st.long.by[i] = geom.Identity, 1
		if q, ok := p[j.Name]; ok {
			st.turn[i] = geom.Normalise(q)
			if st.long.bone[i] != (r3.Vec{}) {
				st.long.by[i] = Lengthening(q)
			}
		}
	}
	st.stand()
	return st
}

// stand works out places from turns.
func (st *Standing) stand() {
	for i, j := range st.s.Joints {
		t, q := st.s.Local(i)
		t, q = st.long.place(j.Parent, t), quat.Mul(q, st.turn[i])
		if j.Parent < 0 {
			st.At[i], st.Rot[i] = r3.Add(t, st.Move), q
			continue
		}
		st.At[i] = r3.Add(st.At[j.Parent], geom.Rotate(st.Rot[j.Parent], t))
		st.Rot[i] = geom.Normalise(quat.Mul(st.Rot[j.Parent], q))
	}
}

// Turn turns joint i, with all that hangs from it, by a rotation of the world.
func (st *Standing) Turn(i int, by quat.Number) {
	before := quat.Mul(st.Rot[i], quat.Conj(st.turn[i])) // its frame without its own turn
	st.turn[i] = geom.Normalise(quat.Mul(quat.Conj(before), quat.Mul(by, st.Rot[i])))
	st.stand()
}

// Lengthen makes joint i longer by a factor, within limits.
func (st *Standing) Lengthen(i int, by, least, most float64) {
	if st.long.bone[i] != (r3.Vec{}) {
		st.long.by[i] = math.Max(least, math.Min(most, by*st.long.by[i]))
		st.stand()
	}
}

// Shift moves what has no parent.
func (st *Standing) Shift(by r3.Vec) {
	st.Move = r3.Add(st.Move, by)
	st.stand()
}

// Pose returns the turns of the joints that are turned, or lengthened, at all.
func (st *Standing) Pose() Pose {
	p := Pose{}
	for i, q := range st.turn {
		if by := st.long.by[i]; by != 1 {
			p[st.s.Joints[i].Name] = Lengthened(q, by)
		} else if q != geom.Identity {
			p[st.s.Joints[i].Name] = q
		}
	}
	return p
}

// Limb is a chain of two bones: an arm, a leg. Root turns the first, Middle the second, End is brought
// to a place. Joints between them, as twist joints, go along.
type Limb struct {
	Root, Middle, End int
	Bend              r3.Vec // about which Middle folds with a positive turn: world frame at rest
}

// LimbOf returns the limb that ends at a joint: its two nearest ancestors that carry a bone of some
// length and are no twist joints; false where there are not two. bends are the axes of the joints'
// flexion at rest, by joint, as the placement says them; zero where nothing does.
func LimbOf(s *skeleton.Skeleton, end int, motion []skeleton.Motion, bends []r3.Vec) (Limb, bool) {
	l := Limb{Root: -1, Middle: -1, End: end}
	for i := s.Joints[end].Parent; i >= 0; i = s.Joints[i].Parent {
		if motion[i] == skeleton.Twist {
			continue
		}
		if l.Middle < 0 {
			l.Middle = i
		} else {
			l.Root = i
			break
		}
	}
	if l.Root < 0 {
		return l, false
	}
	a, b := r3.Norm(r3.Sub(s.Joints[l.Middle].Pos, s.Joints[l.Root].Pos)), r3.Norm(r3.Sub(s.Joints[end].Pos, s.Joints[l.Middle].Pos))
	if l.Bend = bends[l.Middle]; math.Min(a, b) < 1e-3*s.Size() {
		return l, false
	}
	return l, true
}

// Bends returns the axis, world frame at rest, about which each joint flexes with a positive turn: that
// of its trial; zero for those that have none.
func Bends(s *skeleton.Skeleton, trials []skeleton.Trial) []r3.Vec {
	out := make([]r3.Vec, len(s.Joints))
	for _, t := range trials {
		if t.Name == "bend" {
			out[t.Joint] = t.Axis
		}
	}
	return out
}

// Place brings the end of a limb to a place by the law of cosines: the middle joint's angle follows from
// the three lengths. It folds towards pole, a direction of the world; where that is zero it folds in the
// plane in which it is bent, and from exactly straight about l.Bend, as the placement says. A place that
// is too far or too near is gone to as far as the bones allow. It returns how far the end stays off, in
// metres. The turn of the end joint itself in the world is kept with hold.
func (st *Standing) Place(l Limb, to, pole r3.Vec, hold bool) float64 {
	was := st.Rot[l.End]
	root, mid, end := st.At[l.Root], st.At[l.Middle], st.At[l.End]
	a, b := r3.Norm(r3.Sub(mid, root)), r3.Norm(r3.Sub(end, mid))
	way := r3.Sub(to, root)
	far := r3.Norm(way)
	if far < 1e-9*(a+b) {
		way, far = r3.Sub(end, root), 0
		if r3.Norm2(way) == 0 {
			return r3.Norm(r3.Sub(to, end))
		}
	}
	way = r3.Unit(way)
	d := math.Max(math.Abs(a-b), math.Min(a+b, far))
	// The normal of the plane of the limb: a positive turn about it folds the middle.
	var normal r3.Vec
	switch {
	case r3.Norm2(pole) > 0:
		normal = r3.Cross(pole, way)
	default:
		normal = st.fold(l, r3.Sub(mid, root), r3.Sub(end, mid))
	}
	normal = r3.Sub(normal, r3.Scale(r3.Dot(normal, way), way))
	if r3.Norm(normal) < 1e-9 {
		normal = perpendicular(way)
	}
	normal = r3.Unit(normal)
	// Corner at the root between the way and the first bone.
	cos := 1.0
	if a > 0 && d > 0 {
		cos = math.Max(-1, math.Min(1, (a*a+d*d-b*b)/(2*a*d)))
	}
	first := geom.Rotate(geom.AxisAngle(normal, -math.Acos(cos)), way)
	// The limb's own frame goes to that of the way: bone on bone, normal on normal.
	own := st.fold(l, r3.Sub(mid, root), r3.Sub(end, mid))
	st.Turn(l.Root, frameTo(r3.Sub(mid, root), own, first, normal))
	aim := r3.Add(root, r3.Scale(d, way))
	mid, end = st.At[l.Middle], st.At[l.End]
	st.Turn(l.Middle, frameTo(r3.Sub(end, mid), normal, r3.Sub(aim, mid), normal))
	if hold {
		st.Turn(l.End, quat.Mul(was, quat.Conj(st.Rot[l.End])))
	}
	return r3.Norm(r3.Sub(st.At[l.End], to))
}

// fold is the normal of the plane in which a limb is bent as it stands, of the sense in which it folds.
func (st *Standing) fold(l Limb, first, second r3.Vec) r3.Vec {
	bend := geom.Rotate(quat.Mul(st.Rot[l.Middle], quat.Conj(st.s.Joints[l.Middle].Rot)), l.Bend)
	n := r3.Cross(first, second)
	straight := r3.Norm(n) < 0.02*r3.Norm(first)*r3.Norm(second) // about a degree
	switch {
	case r3.Norm2(l.Bend) == 0 && straight:
		return perpendicular(first)
	case r3.Norm2(l.Bend) == 0:
		return r3.Unit(n)
	case straight || r3.Dot(n, bend) <= 0:
		return bend // also where it stands beyond straight: it folds the right way
	}
	return r3.Unit(n)
}

func perpendicular(v r3.Vec) r3.Vec {
	n := r3.Cross(v, r3.Vec{X: 1})
	if r3.Norm(n) < 0.1*r3.Norm(v) {
		n = r3.Cross(v, r3.Vec{Z: 1})
	}
	return r3.Unit(n)
}

// frameTo is the rotation that takes direction a to b, and the part of n that is square to a to that of m
// square to b.
func frameTo(a, n, b, m r3.Vec) quat.Number {
	by := geom.Between(a, b)
	b = r3.Unit(b)
	turned := geom.Rotate(by, n)
	turned = r3.Sub(turned, r3.Scale(r3.Dot(turned, b), b))
	m = r3.Sub(m, r3.Scale(r3.Dot(m, b), b))
	if r3.Norm(turned) < 1e-9 || r3.Norm(m) < 1e-9 {
		return by
	}
	angle := math.Atan2(r3.Dot(r3.Cross(turned, m), b), r3.Dot(turned, m))
	return quat.Mul(geom.AxisAngle(b, angle), by)
}

// Reach brings the last joint of a chain, parents first, to a place by FABRIK (Aristidou and Lasenby
// 2011): lengths are kept, the first joint stays. From exactly straight it begins by folding about bends,
// the axes at rest. It returns how far the last stays off, in metres.
func (st *Standing) Reach(chain []int, to r3.Vec, bends []r3.Vec) float64 {
	if len(chain) < 2 {
		return 0
	}
	n := len(chain)
	p := make([]r3.Vec, n)
	length := make([]float64, n-1)
	total := 0.0
	for k, i := range chain {
		p[k] = st.At[i]
		if k > 0 {
			length[k-1] = r3.Norm(r3.Sub(p[k], p[k-1]))
			total += length[k-1]
		}
	}
	if total == 0 {
		return r3.Norm(r3.Sub(to, p[n-1]))
	}
	root := p[0]
	if r3.Norm(r3.Sub(p[n-1], root)) > (1-1e-6)*total && r3.Norm(r3.Sub(to, root)) < total {
		// Straight: nothing would tell which way it gives. A little of each joint's own bend does.
		for _, i := range chain[:n-1] {
			if r3.Norm2(bends[i]) > 0 {
				st.Turn(i, geom.AxisAngle(geom.Rotate(quat.Mul(st.Rot[i], quat.Conj(st.s.Joints[i].Rot)), bends[i]), straightBend))
			}
		}
		for k, i := range chain {
			p[k] = st.At[i]
		}
	}
	if r3.Norm(r3.Sub(to, root)) >= total {
		way := r3.Unit(r3.Sub(to, root))
		for k := 1; k < n; k++ {
			p[k] = r3.Add(p[k-1], r3.Scale(length[k-1], way))
		}
	} else {
		for range reachRounds {
			p[n-1] = to
			for k := n - 2; k >= 0; k-- {
				p[k] = along(p[k+1], p[k], length[k])
			}
			p[0] = root
			for k := 1; k < n; k++ {
				p[k] = along(p[k-1], p[k], length[k-1])
			}
			if r3.Norm(r3.Sub(p[n-1], to)) < reachClose*total {
				break
			}
		}
	}
	for k, i := range chain[:n-1] {
		now, want := r3.Sub(st.At[chain[k+1]], st.At[i]), r3.Sub(p[k+1], st.At[i])
		if r3.Norm2(now) > 0 && r3.Norm2(want) > 0 {
			st.Turn(i, geom.Between(now, want))
		}
	}
	return r3.Norm(r3.Sub(st.At[chain[n-1]], to))
}

const (
	straightBend = 3 * math.Pi / 180
	reachRounds  = 200
	reachClose   = 1e-6 // of the chain's length
)

// along is the place at a length from a towards b.
func along(a, b r3.Vec, length float64) r3.Vec {
	d := r3.Sub(b, a)
	if r3.Norm2(d) == 0 {
		d = r3.Vec{Y: 1}
	}
	return r3.Add(a, r3.Scale(length, r3.Unit(d)))
}
