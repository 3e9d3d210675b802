package solve

import (
	"context"
	"errors"
	"math"
	"slices"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Given is a pose for which somebody has said where the skin should be: sculpted by hand, scanned, or from a simulation.
type Given struct {
	Name   string
	Pose   pose.Pose
	Move   r3.Vec   // of what has no parent, metres
	Places []r3.Vec // of every vertex, world
	Times  float64  // how much it counts beside a computed pose
}

// matrices are those of the joints in the pose, rest to posed world places.
func (g *Given) matrices(s *skeleton.Skeleton) []geom.Matrix {
	out := pose.Skin(s, g.Pose)
	if g.Move == (r3.Vec{}) {
		return out
	}
	move := geom.Rigid(g.Move, geom.Identity)
	for i := range out {
		out[i] = move.Mul(out[i])
	}
	return out
}

// FarFromGiven is how far a skin is from what was given: root of the mean of squares over vertices that have weights and
// poses, metres.
func FarFromGiven(points []r3.Vec, s *skeleton.Skeleton, w *weights.Weights, list []Given) float64 {
	sum, n := 0.0, 0
	for _, g := range list {
		for v, at := range deform.Linear(points, w, deform.InOrder(s, w, [][]geom.Matrix{g.matrices(s)})[0]) {
			if len(w.Of[v]) > 0 {
				sum += r3.Norm2(r3.Sub(at, g.Places[v]))
				n++
			}
		}
	}
	return math.Sqrt(sum / math.Max(float64(n), 1))
}

const (
	// mostAsked is of how many vertices a pose is found, evenly spread; fewest is how many a joint must move a good part of
	// for its turn to be looked for.
	mostAsked, fewest, goodPart = 4000, 4, 0.2
	// poseSteps is how often turns are improved at most; poseEnough is the share of the height that ends it.
	poseSteps, poseEnough = 60, 1e-7
)

// ErrNoPose means that nothing tells the turns of joints: no vertex has weights.
var ErrNoPose = errors.New("no vertex has weights, so no pose can be found")

// PoseOf finds the pose in which a skin comes closest to given places of its vertices, world: damped least squares over
// the turns of all joints that move enough of it, and the way of what has no parent (Levenberg 1944, Marquardt 1963),
// from the turns of the skin about each joint (Kabsch 1976, by quaternions: Horn 1987).
func PoseOf(
	ctx context.Context,
	points []r3.Vec,
	s *skeleton.Skeleton,
	w *weights.Weights,
	places []r3.Vec,
) (pose.Pose, r3.Vec, error) {
	asked := []int32{}
	for v, list := range w.Of {
		if len(list) > 0 {
			asked = append(asked, int32(v))
		}
	}
	if len(asked) == 0 {
		return nil, r3.Vec{}, ErrNoPose
	}
	if n := len(asked); n > mostAsked {
		for k := range mostAsked {
			asked[k] = asked[k*n/mostAsked]
		}
		asked = asked[:mostAsked]
	}
	x := &fitting{s: s, w: w, numbers: make([]int, len(w.Joints))}
	at := s.Numbers()
	for k, name := range w.Joints {
		x.numbers[k] = -1
		if i, ok := at[name]; ok {
			x.numbers[k] = i
		}
	}
	for _, v := range asked {
		x.points, x.places = append(x.points, points[v]), append(x.places, places[v])
		x.of = append(x.of, w.Of[v])
	}
	height := math.Max(geom.BoxOf(points).Size().Y, 1e-12)
	x.begin()
	damp := 1e-3
	best := x.off(x.turns, x.move)
	for range poseSteps {
		if err := ctx.Err(); err != nil {
			return nil, r3.Vec{}, err
		}
		turns, move, ok := x.step(damp)
		if !ok {
			break
		}
		off := x.off(turns, move)
		if off >= best {
			if damp *= 8; damp > 1e6 {
				break
			}
			continue
		}
		gained := math.Sqrt(best) - math.Sqrt(off)
		x.turns, x.move, best, damp = turns, move, off, math.Max(damp/4, 1e-9)
		if gained < poseEnough*height {
			break
		}
	}
	return x.pose(x.turns), x.move, nil
}

// fitting is a pose on its way.
type fitting struct {
	s       *skeleton.Skeleton
	w       *weights.Weights
	numbers []int // of the weights' joints in the skeleton
	points  []r3.Vec
	places  []r3.Vec
	of      [][]weights.Influence
	joints  []int // whose turns are looked for
	turns   []quat.Number
	move    r3.Vec
}

func (x *fitting) pose(turns []quat.Number) pose.Pose {
	p := pose.Pose{}
	for k, i := range x.joints {
		if turns[k] != geom.Identity {
			p[x.s.Joints[i].Name] = turns[k]
		}
	}
	return p
}

// begin chooses the joints and turns each as the skin about it is turned.
func (x *fitting) begin() {
	n := len(x.s.Joints)
	much := make([]int, n)
	own := make([][]int, n)
	for k, list := range x.of {
		for _, y := range list {
			if i := x.numbers[y.Joint]; i >= 0 && y.Value >= goodPart {
				much[i]++
				if y.Value > 0.5 {
					own[i] = append(own[i], k)
				}
			}
		}
	}
	below := slices.Clone(much) // in the branch
	for i := n - 1; i >= 0; i-- {
		if p := x.s.Joints[i].Parent; p >= 0 {
			below[p] += below[i]
		}
	}
	world := make([]quat.Number, n)
	for i, j := range x.s.Joints {
		up := geom.Identity
		if j.Parent >= 0 {
			up = world[j.Parent]
		}
		world[i] = up
		if j.Helper != nil || below[i] < fewest {
			continue
		}
		turn := geom.Identity
		if len(own[i]) >= fewest {
			world[i] = turnOf(x.points, x.places, own[i], up)
			// about the joint's own axes, in those of its parent as that is turned
			turn = quat.Mul(quat.Conj(j.Rot), quat.Mul(quat.Conj(up), quat.Mul(world[i], j.Rot)))
		}
		x.joints, x.turns = append(x.joints, i), append(x.turns, geom.Normalise(turn))
	}
	// Where the whole went: what is left on average.
	at := x.posed(x.turns, r3.Vec{})
	for k := range at {
		x.move = r3.Add(x.move, r3.Scale(1/float64(len(at)), r3.Sub(x.places[k], at[k])))
	}
}

// turnOf is the rotation that brings some points nearest to their places, about their means: the eigenvector of Horn's
// symmetric matrix; otherwise where they do not tell.
func turnOf(points, places []r3.Vec, which []int, otherwise quat.Number) quat.Number {
	var a, b r3.Vec
	for _, k := range which {
		a, b = r3.Add(a, points[k]), r3.Add(b, places[k])
	}
	a, b = r3.Scale(1/float64(len(which)), a), r3.Scale(1/float64(len(which)), b)
	var m [3][3]float64
	for _, k := range which {
		p, q := r3.Sub(points[k], a), r3.Sub(places[k], b)
		for i, u := range [3]float64{p.X, p.Y, p.Z} {
			for j, v := range [3]float64{q.X, q.Y, q.Z} {
				m[i][j] += u * v
			}
		}
	}
	h := mat.NewSymDense(4, []float64{
		m[0][0] + m[1][1] + m[2][2], m[1][2] - m[2][1], m[2][0] - m[0][2], m[0][1] - m[1][0],
		0, m[0][0] - m[1][1] - m[2][2], m[0][1] + m[1][0], m[2][0] + m[0][2],
		0, 0, -m[0][0] + m[1][1] - m[2][2], m[1][2] + m[2][1],
		0, 0, 0, -m[0][0] - m[1][1] + m[2][2],
	})
	var e mat.EigenSym
	if !e.Factorize(h, true) {
		return otherwise
	}
	values := e.Values(nil)
	if values[3]-values[2] <= 1e-9*math.Abs(values[3]) { // in one line, or one place
		return otherwise
	}
	var v mat.Dense
	e.VectorsTo(&v)
	return geom.Normalise(quat.Number{Real: v.At(0, 3), Imag: v.At(1, 3), Jmag: v.At(2, 3), Kmag: v.At(3, 3)})
}

// matrices are those of the joints, by joint of the weights.
func (x *fitting) matrices(turns []quat.Number, move r3.Vec) []geom.Matrix {
	g := Given{Pose: x.pose(turns), Move: move}
	return deform.InOrder(x.s, x.w, [][]geom.Matrix{g.matrices(x.s)})[0]
}

func (x *fitting) posed(turns []quat.Number, move r3.Vec) []r3.Vec {
	matrices := x.matrices(turns, move)
	out := make([]r3.Vec, len(x.points))
	for k, p := range x.points {
		for _, y := range x.of[k] {
			out[k] = r3.Add(out[k], r3.Scale(y.Value, matrices[y.Joint].Point(p)))
		}
	}
	return out
}

// off is the mean of squares of how far the skin is.
func (x *fitting) off(turns []quat.Number, move r3.Vec) float64 {
	sum := 0.0
	for k, at := range x.posed(turns, move) {
		sum += r3.Norm2(r3.Sub(at, x.places[k]))
	}
	return sum / float64(len(x.points))
}

// step is one of Levenberg and Marquardt: small turns about the world's axes at each joint as it stands, and a way.
func (x *fitting) step(damp float64) ([]quat.Number, r3.Vec, bool) {
	world := pose.World(x.s, x.pose(x.turns))
	matrices := x.matrices(x.turns, x.move)
	n := 3*len(x.joints) + 3
	number := make([]int, len(x.s.Joints))
	for i := range number {
		number[i] = -1
	}
	for k, i := range x.joints {
		number[i] = k
	}
	a, b := mat.NewSymDense(n, nil), mat.NewVecDense(n, nil)
	type moved struct {
		at   int    // among the joints
		sum  r3.Vec // of the skin that moves with it, weight by place
		part float64
	}
	var chain []moved
	for k, p := range x.points {
		chain = chain[:0]
		var at r3.Vec
		for _, y := range x.of[k] {
			to := matrices[y.Joint].Point(p)
			at = r3.Add(at, r3.Scale(y.Value, to))
			for i := x.numbers[y.Joint]; i >= 0; i = x.s.Joints[i].Parent {
				c := number[i]
				if c < 0 {
					continue
				}
				e := slices.IndexFunc(chain, func(m moved) bool { return m.at == c })
				if e < 0 {
					e = len(chain)
					chain = append(chain, moved{at: c})
				}
				chain[e].sum = r3.Add(chain[e].sum, r3.Scale(y.Value, to))
				chain[e].part += y.Value
			}
		}
		r := r3.Sub(x.places[k], at)
		// A small turn w about joint j moves the point by w × (sum − part · pivot).
		arms := make([]r3.Vec, len(chain))
		for e, c := range chain {
			pivot := r3.Add(world[x.joints[c.at]].Point(r3.Vec{}), x.move)
			arms[e] = r3.Sub(c.sum, r3.Scale(c.part, pivot))
		}
		axes := [3]r3.Vec{{X: 1}, {Y: 1}, {Z: 1}}
		for e, c := range chain {
			for u, axis := range axes {
				col := r3.Cross(axis, arms[e])
				row := 3*c.at + u
				b.SetVec(row, b.AtVec(row)+r3.Dot(col, r))
				for f, d := range chain {
					for t, other := range axes {
						if to := 3*d.at + t; to >= row {
							a.SetSym(row, to, a.At(row, to)+r3.Dot(col, r3.Cross(other, arms[f])))
						}
					}
				}
				for t, v := range [3]float64{col.X, col.Y, col.Z} {
					a.SetSym(row, n-3+t, a.At(row, n-3+t)+v)
				}
			}
		}
		for t, v := range [3]float64{r.X, r.Y, r.Z} {
			a.SetSym(n-3+t, n-3+t, a.At(n-3+t, n-3+t)+1)
			b.SetVec(n-3+t, b.AtVec(n-3+t)+v)
		}
	}
	most := 0.0
	for i := range n {
		most = math.Max(most, a.At(i, i))
	}
	for i := range n { // a turn that moves nothing stays
		a.SetSym(i, i, a.At(i, i)*(1+damp)+1e-9*most+1e-300)
	}
	var chol mat.Cholesky
	var y mat.VecDense
	if !chol.Factorize(a) || chol.SolveVecTo(&y, b) != nil {
		return nil, r3.Vec{}, false
	}
	turns := slices.Clone(x.turns)
	for k, i := range x.joints {
		by := r3.Vec{X: y.AtVec(3 * k), Y: y.AtVec(3*k + 1), Z: y.AtVec(3*k + 2)}
		_, now, _ := world[i].Decompose()
		own := geom.Rotate(quat.Conj(now), by) // about the joint's own axes as they stand
		turns[k] = geom.Normalise(quat.Mul(x.turns[k], geom.AxisAngle(own, math.Min(r3.Norm(own), 0.5))))
	}
	return turns, r3.Add(x.move, r3.Vec{X: y.AtVec(n - 3), Y: y.AtVec(n - 2), Z: y.AtVec(n - 1)}), true
}
