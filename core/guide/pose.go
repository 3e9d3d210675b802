package guide

import (
	"context"
	"math"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Posed is a solid in a pose.
type Posed struct {
	Nodes []r3.Vec // world
	turns []turn
	solid *Solid
}

// turn is a rotation matrix, by columns.
type turn [3]r3.Vec

func (t *turn) of(v r3.Vec) r3.Vec {
	return r3.Vec{
		X: t[0].X*v.X + t[1].X*v.Y + t[2].X*v.Z,
		Y: t[0].Y*v.X + t[1].Y*v.Y + t[2].Y*v.Z,
		Z: t[0].Z*v.X + t[1].Z*v.Y + t[2].Z*v.Z,
	}
}

func turnBy(q quat.Number) turn {
	w, x, y, z := q.Real, q.Imag, q.Jmag, q.Kmag
	return turn{
		{X: 1 - 2*(y*y+z*z), Y: 2 * (x*y + w*z), Z: 2 * (x*z - w*y)},
		{X: 2 * (x*y - w*z), Y: 1 - 2*(x*x+z*z), Z: 2 * (y*z + w*x)},
		{X: 2 * (x*z + w*y), Y: 2 * (y*z - w*x), Z: 1 - 2*(x*x+y*y)},
	}
}

// together is how many poses are led to rest at once: their equations share one pass over the factor.
const together = 10

// relaxed is how far beyond the solution of a step places go; turns catch up with them in fewer steps so.
const relaxed = 1.6

// inPose is one of the poses that are led to rest.
type inPose struct {
	y     []r3.Vec
	turns []quat.Number
	r     []turn
	cores []r3.Vec // where the rods end
	own   []r3.Vec // where the bone that alone moves a node has it
}

// Poses leads the solid to rest in each of some poses: turns and places are fitted to each other by turns (Sorkine &
// Alexa, As-Rigid-As-Possible Surface Modeling, 2007), from where its weights take it.
func (g *Solid) Poses(ctx context.Context, poses []pose.Pose, o Options) ([]*Posed, error) {
	if o.Steps == 0 {
		o.Steps = usualSteps
	}
	var out []*Posed
	for lo := 0; lo < len(poses); lo += together {
		batch := make([]*inPose, min(together, len(poses)-lo))
		geom.Chunks(len(batch), 1, func(k, _ int) { batch[k] = g.begin(poses[lo+k]) })
		if err := g.rest(ctx, batch, o.Steps); err != nil {
			return nil, err
		}
		for _, x := range batch {
			out = append(out, &Posed{x.y, x.r, g})
		}
	}
	return out, nil
}

// Pose is Poses of one.
func (g *Solid) Pose(ctx context.Context, p pose.Pose, o Options) (*Posed, error) {
	out, err := g.Poses(ctx, []pose.Pose{p}, o)
	if err != nil {
		return nil, err
	}
	return out[0], nil
}

// begin puts the nodes where their weights take them, each turned as the joint that leads it.
func (g *Solid) begin(p pose.Pose) *inPose {
	n := len(g.nodes)
	matrices := deform.InOrder(g.skeleton, g.weights, [][]geom.Matrix{pose.Skin(g.skeleton, p)})[0]
	x := &inPose{
		y:     deform.Linear(g.nodes, g.weights, matrices),
		turns: make([]quat.Number, n),
		r:     make([]turn, n),
		cores: make([]r3.Vec, n),
		own:   make([]r3.Vec, n),
	}
	by := make([]quat.Number, len(matrices))
	for i, m := range matrices {
		_, by[i], _ = m.Decompose()
	}
	for v := range n {
		x.cores[v] = g.rods[v].posed(matrices, by)
		x.turns[v] = geom.Identity
		if k := g.weights.Leader(v); k >= 0 {
			x.turns[v] = by[k]
			x.own[v] = matrices[k].Point(g.nodes[v])
		}
	}
	return x
}

// posed is where the core of a rod is when the joints are moved by matrices, whose turns are given too: the ends go with
// their bones, and the core about them is turned by the mean of the turns, so that it does not shrink when they twist.
func (r *rod) posed(matrices []geom.Matrix, by []quat.Number) r3.Vec {
	var on r3.Vec
	var mean quat.Number
	for _, e := range r.ends {
		on = r3.Add(on, r3.Scale(e.share, matrices[e.joint].Point(e.on)))
		q := by[e.joint]
		if first := by[r.ends[0].joint]; q.Real*first.Real+q.Imag*first.Imag+q.Jmag*first.Jmag+q.Kmag*first.Kmag < 0 {
			q = quat.Scale(-1, q)
		}
		mean = quat.Add(mean, quat.Scale(e.share, q))
	}
	if len(r.ends) == 0 || quat.Abs(mean) < 1e-9 {
		return on
	}
	return r3.Add(on, geom.Rotate(geom.Normalise(mean), r.core))
}

// rest fits turns and places to each other so many times.
func (g *Solid) rest(ctx context.Context, batch []*inPose, steps int) error {
	n := len(g.nodes)
	b := make([][]float64, 3*len(batch))
	for i := range b {
		b[i] = make([]float64, n)
	}
	each := func(work func(k, lo, hi int)) { // every pose in ranges of nodes
		const length = 512
		ranges := (n + length - 1) / length
		geom.Chunks(len(batch)*ranges, 1, func(i, _ int) {
			lo := i % ranges * length
			work(i/ranges, lo, min(n, lo+length))
		})
	}
	for step := range steps {
		each(func(k, lo, hi int) { g.turn(batch[k], lo, hi) })
		each(func(k, lo, hi int) { g.pull(batch[k], b[3*k:3*k+3], lo, hi) })
		places, err := g.factor.Solve(ctx, b, nil)
		if err != nil {
			return err
		}
		by := relaxed
		if step == steps-1 {
			by = 1
		}
		each(func(k, lo, hi int) {
			x, y := places[3*k:3*k+3], batch[k].y
			for v := lo; v < hi; v++ {
				to := r3.Vec{X: x[0][v], Y: x[1][v], Z: x[2][v]}
				y[v] = r3.Add(y[v], r3.Scale(by, r3.Sub(to, y[v])))
			}
		})
	}
	each(func(k, lo, hi int) { g.turn(batch[k], lo, hi) })
	return nil
}

// turn fits the turns of some nodes to the places.
func (g *Solid) turn(x *inPose, lo, hi int) {
	for v := lo; v < hi; v++ {
		var s turn // sum of stiffness · moved ⊗ rest
		y := x.y[v]
		for k := g.start[v]; k < g.start[v+1]; k++ {
			s.add(g.along[k], r3.Sub(x.y[g.to[k]], y))
		}
		s.add(g.rods[v].along, r3.Sub(x.cores[v], y))
		x.turns[v] = nearestTurn(&s, x.turns[v])
		x.r[v] = turnBy(x.turns[v])
	}
}

// add adds an edge, which is times its stiffness at rest.
func (t *turn) add(rest, moved r3.Vec) {
	for i, k := range [3]float64{rest.X, rest.Y, rest.Z} {
		t[i].X += k * moved.X
		t[i].Y += k * moved.Y
		t[i].Z += k * moved.Z
	}
}

// nearestTurn leads a rotation towards the one nearest to a by the Frobenius norm (Müller et al., A Robust Method to
// Extract the Rotational Part of Deformations, 2016). A few steps are enough: it continues from its last value.
func nearestTurn(a *turn, q quat.Number) quat.Number {
	for range 3 {
		r := turnBy(q)
		w := r3.Add(r3.Cross(r[0], a[0]), r3.Add(r3.Cross(r[1], a[1]), r3.Cross(r[2], a[2])))
		d := math.Abs(r3.Dot(r[0], a[0])+r3.Dot(r[1], a[1])+r3.Dot(r[2], a[2])) + 1e-300
		w = r3.Scale(1/d, w)
		angle := math.Sqrt(r3.Norm2(w))
		if angle < 1e-4 {
			break
		}
		q = quat.Mul(geom.AxisAngle(r3.Scale(1/angle, w), angle), q)
	}
	return geom.Normalise(q)
}

// pull is the right side of the equations of some nodes.
func (g *Solid) pull(x *inPose, b [][]float64, lo, hi int) {
	for v := lo; v < hi; v++ {
		r := &x.r[v]
		sum := r3.Scale(slack, x.y[v])
		var own r3.Vec
		for k := g.start[v]; k < g.start[v+1]; k++ {
			e := r3.Scale(-0.5, g.along[k])
			own = r3.Add(own, e)
			sum = r3.Add(sum, x.r[g.to[k]].of(e))
		}
		rod := &g.rods[v]
		own = r3.Sub(own, rod.along)
		sum = r3.Add(sum, r3.Add(r3.Scale(rod.stiff, x.cores[v]), r3.Scale(rod.own, x.own[v])))
		sum = r3.Add(sum, r.of(own))
		b[0][v], b[1][v], b[2][v] = sum.X, sum.Y, sum.Z
	}
}

// Places are where the vertices of the mesh are, given as they are at rest; world.
func (p *Posed) Places(points []r3.Vec) []r3.Vec {
	out := make([]r3.Vec, len(points))
	geom.Chunks(len(points), 4096, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			out[v] = p.place(points, int32(v))
		}
	})
	return out
}

// PlacesOf are Places of some vertices, in their order.
func (p *Posed) PlacesOf(points []r3.Vec, vertices []int32) []r3.Vec {
	out := make([]r3.Vec, len(vertices))
	for k, v := range vertices {
		out[k] = p.place(points, v)
	}
	return out
}

func (p *Posed) place(points []r3.Vec, v int32) (out r3.Vec) {
	x := &p.solid.placed[v]
	for k, n := range x.node {
		if x.share[k] != 0 {
			at := r3.Add(p.Nodes[n], p.turns[n].of(r3.Sub(points[v], p.solid.nodes[n])))
			out = r3.Add(out, r3.Scale(x.share[k], at))
		}
	}
	return out
}
