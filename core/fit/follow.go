package fit

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Follow moves joints along with a surface that has changed shape but not its vertices' order: each joint keeps its relation to
// the rings of vertices around it, by the affine map that fits their moves best, near ones counting most (moving least squares,
// Schaefer, McPhail & Warren 2006, in three dimensions, weights 1/d⁴). With weights of the skin only what the joint and those
// beside it move counts in full. Points are in world frame, as many before as after. Joints keep the directions of their axes
// (Realigned turns them), and pinned ones their places. Off is how far, by joint, the rings about it are from what that map does
// to them, meters: the root of the mean of squares, by what each vertex counts.
func Follow(s *skeleton.Skeleton, before, after []r3.Vec, w *weights.Weights) (out *skeleton.Skeleton, off []float64) {
	out, off = s.Clone(), make([]float64, len(s.Joints))
	beside := besideOf(s, w)
	geom.Chunks(len(s.Joints), 1, func(i, _ int) {
		if !s.Joints[i].Pinned {
			out.Joints[i].Pos, off[i] = follow(s.Joints[i].Pos, before, after, w, beside[i])
		}
	})
	return out, off
}

// elsewhere is what a vertex counts that neither the joint nor one beside it moves, so that a joint without any has a place too.
const elsewhere = 1e-4

// besideOf tells of each joint which joints of weights are the joint itself or beside it; nil where none is.
func besideOf(s *skeleton.Skeleton, w *weights.Weights) [][]bool {
	out := make([][]bool, len(s.Joints))
	if w == nil {
		return out
	}
	at := s.Numbers()
	column := make([]int, len(s.Joints))
	for i := range column {
		column[i] = -1
	}
	for k, name := range w.Joints {
		if i, ok := at[name]; ok {
			column[i] = k
		}
	}
	mark := func(i, j int) {
		if j >= 0 && column[j] >= 0 {
			if out[i] == nil {
				out[i] = make([]bool, len(w.Joints))
			}
			out[i][column[j]] = true
		}
	}
	for i, j := range s.Joints {
		mark(i, i)
		mark(i, j.Parent)
		if j.Parent >= 0 {
			mark(j.Parent, i)
		}
	}
	return out
}

func follow(p r3.Vec, before, after []r3.Vec, weighted *weights.Weights, beside []bool) (at r3.Vec, off float64) {
	var mp, mq r3.Vec
	total := 0.0
	w := make([]float64, len(before))
	for i, b := range before {
		d2 := r3.Norm2(r3.Sub(b, p)) + 1e-12
		w[i] = 1 / (d2 * d2)
		if beside != nil {
			share := elsewhere
			for _, x := range weighted.Of[i] {
				if beside[x.Joint] {
					share += x.Value
				}
			}
			w[i] *= share
		}
		total += w[i]
		mp = r3.Add(mp, r3.Scale(w[i], b))
		mq = r3.Add(mq, r3.Scale(w[i], after[i]))
	}
	if total == 0 {
		return p, 0
	}
	mp, mq = r3.Scale(1/total, mp), r3.Scale(1/total, mq)
	var a, b [3][3]float64
	for i := range before {
		x, y := r3.Sub(before[i], mp), r3.Sub(after[i], mq)
		u, v := [3]float64{w[i] * x.X, w[i] * x.Y, w[i] * x.Z}, [3]float64{y.X, y.Y, y.Z}
		o := [3]float64{x.X, x.Y, x.Z}
		for r := range 3 {
			for c := range 3 {
				a[r][c] += u[r] * o[c]
				b[r][c] += u[r] * v[c]
			}
		}
	}
	left, right := mat.NewDense(3, 3, nil), mat.NewDense(3, 3, nil)
	for r := range 3 {
		left.SetRow(r, a[r][:])
		right.SetRow(r, b[r][:])
	}
	var m mat.Dense
	if err := m.Solve(left, right); err != nil { // all in one plane: moved along only
		m.Reset()
		m.CloneFrom(mat.NewDiagDense(3, []float64{1, 1, 1}))
	}
	var f [3][3]float64
	for r := range 3 {
		for c := range 3 {
			f[r][c] = m.At(r, c)
		}
	}
	image := func(p r3.Vec) r3.Vec {
		d := r3.Sub(p, mp)
		row := func(c int) float64 { return d.X*f[0][c] + d.Y*f[1][c] + d.Z*f[2][c] }
		return r3.Add(mq, r3.Vec{X: row(0), Y: row(1), Z: row(2)})
	}
	for i := range before {
		off += w[i] * r3.Norm2(r3.Sub(image(before[i]), after[i]))
	}
	return image(p), math.Sqrt(off / total)
}

const (
	// bentSine is from what sine of the angle between two bones on they make a plane that the axes at the joint are turned with.
	// No source.
	bentSine = 0.05
	// turnedLeast is the least turn of a joint's axes, in radians: less is rounding.
	turnedLeast = 1e-6
)

// Realigned turns the axes of joints that have moved: as the bone is turned that leads on from each, and about it, where the limb
// bends, as the plane of the bend is, so that a hinge stays one, else as its parent is. Joints where several bones begin turn as
// those together, end joints as their parents. before is the skeleton with the axes that fit its bones.
func Realigned(before, after *skeleton.Skeleton) *skeleton.Skeleton {
	out := after.Clone()
	children := before.Children()
	turns := make([]quat.Number, len(before.Joints))
	for i, j := range before.Joints {
		turns[i] = geom.Identity
		if j.Parent >= 0 {
			turns[i] = turns[j.Parent]
		}
		switch list := children[i]; {
		case len(list) == 1:
			turns[i] = bentTurn(before, after, i, list[0], turns[i])
		case len(list) > 1:
			turns[i] = sharedTurn(before, after, i, list, turns[i])
		}
		if h := j.Helper; h != nil { // it turns as its driver does, from its own axes
			if d := before.Index(h.Driver); d >= 0 && d < i {
				turns[i] = turns[d]
			}
		}
		q := turns[i]
		if 2*math.Sqrt(q.Imag*q.Imag+q.Jmag*q.Jmag+q.Kmag*q.Kmag) > turnedLeast {
			out.Joints[i].Rot = geom.Normalise(quat.Mul(q, before.Joints[i].Rot))
		}
	}
	return out
}

// toward is the direction from a joint to another, false where they are in one place.
func toward(s *skeleton.Skeleton, i, k int) (r3.Vec, bool) {
	d := r3.Sub(s.Joints[k].Pos, s.Joints[i].Pos)
	n := r3.Norm(d)
	if n < 1e-9 {
		return r3.Vec{}, false
	}
	return r3.Scale(1/n, d), true
}

// bentTurn is the turn of the bone from joint i to its only child, with the plane of the limb where it bends there.
// Where it does not, it turns about itself as its parent, turn, does.
func bentTurn(before, after *skeleton.Skeleton, i, child int, turn quat.Number) quat.Number {
	from, ok := toward(before, i, child)
	to, ok2 := toward(after, i, child)
	if !ok || !ok2 {
		return turn
	}
	if p := before.Joints[i].Parent; p >= 0 {
		if q, ok := planeTurn(before, after, p, i, from, to); ok {
			return q
		}
	}
	for _, k := range before.Children()[child] { // the limb may bend at its end: a thigh turns with the knee's plane
		if q, ok := planeTurn(before, after, child, k, from, to); ok && len(before.Children()[child]) == 1 {
			return q
		}
	}
	return onto(from, to, turn)
}

// onto is the turn that takes one direction to another the shortest way from where a turn has it.
func onto(from, to r3.Vec, turn quat.Number) quat.Number {
	return geom.Normalise(quat.Mul(geom.Between(geom.Rotate(turn, from), to), turn))
}

// planeTurn is the turn that takes one direction to another, and the plane of it and the bone from a to b along.
func planeTurn(before, after *skeleton.Skeleton, a, b int, from, to r3.Vec) (quat.Number, bool) {
	x, ok := toward(before, a, b)
	y, ok2 := toward(after, a, b)
	m, n := r3.Cross(x, from), r3.Cross(y, to)
	if !ok || !ok2 || r3.Norm(m) < bentSine || r3.Norm(n) < bentSine {
		return geom.Identity, false
	}
	m, n = r3.Unit(m), r3.Unit(n)
	was := geom.FromAxes(from, m, r3.Cross(from, m))
	is := geom.FromAxes(to, n, r3.Cross(to, n))
	return geom.Normalise(quat.Mul(is, quat.Conj(was))), true
}

// sharedTurn is the turn that takes the bones from joint i best to where they lead: by the singular vectors of their sum of
// products (Kabsch 1976); about a line that they all lie along, as turn does.
func sharedTurn(before, after *skeleton.Skeleton, i int, list []int, turn quat.Number) quat.Number {
	sum := mat.NewDense(3, 3, nil)
	for _, k := range list {
		d, e := r3.Sub(before.Joints[k].Pos, before.Joints[i].Pos), r3.Sub(after.Joints[k].Pos, after.Joints[i].Pos)
		u, v := [3]float64{d.X, d.Y, d.Z}, [3]float64{e.X, e.Y, e.Z}
		for r := range 3 {
			for c := range 3 {
				sum.Set(r, c, sum.At(r, c)+v[r]*u[c])
			}
		}
	}
	var svd mat.SVD
	if !svd.Factorize(sum, mat.SVDFull) {
		return turn
	}
	size := svd.Values(nil)
	if size[0] == 0 || size[1] < 1e-3*size[0] { // all along one line: how they turn about it is open
		from, ok := toward(before, i, list[0])
		to, ok2 := toward(after, i, list[0])
		if !ok || !ok2 {
			return turn
		}
		return onto(from, to, turn)
	}
	var u, v, r mat.Dense
	svd.UTo(&u)
	svd.VTo(&v)
	flip := mat.NewDiagDense(3, []float64{1, 1, 1})
	if mat.Det(&u)*mat.Det(&v) < 0 {
		flip.SetDiag(2, -1)
	}
	r.Product(&u, flip, v.T())
	at := func(c int) r3.Vec { return r3.Vec{X: r.At(0, c), Y: r.At(1, c), Z: r.At(2, c)} }
	return geom.FromAxes(at(0), at(1), at(2))
}
