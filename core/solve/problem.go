package solve

import (
	"context"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Options say how near weights come to what is wanted, and what of them stays.
type Options struct {
	weights.Limits
	// Dial goes from 0, weights as they are bound, to 1, as near to the guide as they come.
	Dial float64
	// Fixed are vertices whose weights stay to the last bit, Locked joints whose shares do, by number of the weights'
	// joints; nil is none.
	Fixed, Locked []bool
	// Marks tell which joints are a pair; where a vertex and its mirror image are bound alike, they are solved alike.
	Marks skeleton.Marks
	// Given are poses for which it was said where the skin should be.
	Given []Given
}

const (
	// inDetail is the distance from the guide that counts as 1, of the height.
	inDetail = 0.003
	// smooth is how much a step of a weight along an edge counts against that: ten times less leaves steps that show,
	// four times more begins to cost distance.
	smooth = 5
	// shape is how much an edge that is not as in the guide counts against a place that is not: without it lengths are
	// drawn out by a sixth more, and with eight times as much places begin to suffer.
	shape = 2
	// asBound is how much a weight's way from where it is bound counts at the middle of the dial.
	asBound = 20
	// leastHeld is how much it counts at the end of the dial: where no pose tells, weights stay.
	leastHeld = 0.002
	// mostSweeps is how often all vertices are gone over; enough is the change of a weight from which on it is not worth it.
	mostSweeps, enough = 60, 1e-4
)

// Problem is what weights are to do.
type Problem struct {
	o       Options
	w       *weights.Weights
	points  []r3.Vec // world, at rest
	numbers []int32  // of the weights' joints in the skeleton, -1 for none
	height  float64
	frames  float64

	units
	joints [][]int32   // by unit: those that may move it, of the weights, ascending
	was    [][]float64 // by unit: their shares as they are bound
	now    [][]float64
	upper  [][]float64 // what each may have at most; nil: 1
	out    []bool      // by joint of the weights: it may have none, for now; nil: all may
	d      [][]float64 // by unit: the products of how far two joints lead it from the guide, in details, row by row
	e      [][]float32 // by neighbor, of two units the lower one's: the same of a joint of each
	pairs  []pair
}

// New prepares the weights of a mesh, taken in world frame at rest, for a skeleton of their joints.
func New(m *mesh.Mesh, w *weights.Weights, s *skeleton.Skeleton, o Options) *Problem {
	p := &Problem{o: o, w: w, points: m.World()}
	p.height = math.Max(geom.BoxOf(p.points).Size().Y, 1e-12)
	at := s.Numbers()
	for _, name := range w.Joints {
		i, ok := at[name]
		if !ok {
			i = -1
		}
		p.numbers = append(p.numbers, int32(i))
	}
	p.units = unitsOf(m, w, p.points, o.Fixed)
	p.joints = p.allowed(s)
	p.pairs = p.paired(s)
	n := len(p.of)
	p.was, p.now, p.upper, p.d = make([][]float64, n), make([][]float64, n), make([][]float64, n), make([][]float64, n)
	for u, list := range p.joints {
		p.was[u] = make([]float64, len(list))
		for _, x := range w.Of[p.of[u][0]] {
			if k, ok := slices.BinarySearch(list, x.Joint); ok {
				p.was[u][k] = x.Value
			}
		}
		p.now[u] = slices.Clone(p.was[u])
		p.d[u] = make([]float64, len(list)*len(list))
	}
	p.e = make([][]float32, len(p.to))
	for u := range n {
		for k := p.start[u]; k < p.start[u+1]; k++ {
			if b := int(p.to[k]); u < b && (p.open(u) || p.open(b)) {
				p.e[k] = make([]float32, len(p.joints[u])*len(p.joints[b]))
			}
		}
	}
	return p
}

// open reports whether the weights of a unit are looked for.
func (p *Problem) open(u int) bool { return !p.fixed[u] && len(p.joints[u]) > 1 }

// isLocked: helper joints that have no weights yet come after those that may be locked.
func (p *Problem) isLocked(joint int32) bool {
	return int(joint) < len(p.o.Locked) && p.o.Locked[joint]
}

// Add tells where the vertices should be, world, when the joints are moved by matrices, rest to posed world places
// by joint of the skeleton. times is how much the frame counts.
func (p *Problem) Add(matrices []geom.Matrix, places []r3.Vec, times float64) {
	scale := math.Sqrt(times) / (inDetail * p.height)
	off := make([][]r3.Vec, len(p.of)) // by unit: how far each joint leads it from the guide
	still := make([]bool, len(p.of))   // all lead it to one place: nothing to choose
	geom.Chunks(len(p.of), 256, func(lo, hi int) {
		var own []r3.Vec
		for u := lo; u < hi; u++ {
			list, d := p.joints[u], p.d[u]
			share := 1 / float64(len(p.of[u]))
			for n, v := range p.of[u] {
				own = own[:0]
				for _, j := range list {
					at := p.points[v]
					if i := p.numbers[j]; i >= 0 {
						at = matrices[i].Point(at)
					}
					own = append(own, r3.Scale(scale, r3.Sub(at, places[v])))
				}
				if n == 0 {
					off[u] = slices.Clone(own)
					still[u] = !slices.ContainsFunc(own, func(x r3.Vec) bool { return x != own[0] })
				}
				if still[u] || !p.open(u) {
					continue
				}
				for i := range list {
					for k := range i + 1 {
						x := share * r3.Dot(own[i], own[k])
						d[i*len(list)+k] += x
						if i != k {
							d[k*len(list)+i] += x
						}
					}
				}
			}
		}
	})
	geom.Chunks(len(p.of), 256, func(lo, hi int) {
		for u := lo; u < hi; u++ {
			for k := p.start[u]; k < p.start[u+1]; k++ {
				b := p.to[k]
				if p.e[k] == nil || still[u] && still[b] {
					continue
				}
				m := len(off[b])
				for i, x := range off[u] {
					for j, y := range off[b] {
						p.e[k][i*m+j] += float32(r3.Dot(x, y))
					}
				}
			}
		}
	})
	p.frames += times
}

// Solved is what was found.
type Solved struct {
	Weights *weights.Weights
	// Before and After are how far vertices are from the guide over the frames that were told, where joints could be
	// chosen: root of the mean of squares, metres.
	Before, After float64
	// Changed is how many vertices got other weights.
	Changed int
	// Frames of All were told by ForMotion, and LeftOut were too many.
	Frames, All, LeftOut int
	// Still are joints that have weights and turned in no frame: nothing tells where theirs should end.
	Still []string

	problem *Problem
}

// Left is, by vertex, how far weights of its joints leave it from the guide over the frames that were told: root of the mean
// of squares, metres.
func (s *Solved) Left(w *weights.Weights) []float64 {
	p := s.problem
	out := make([]float64, len(p.points))
	if p.frames == 0 {
		return out
	}
	for u, vertices := range p.of {
		share := make([]float64, len(p.joints[u]))
		for _, x := range w.Of[vertices[0]] {
			if k, ok := slices.BinarySearch(p.joints[u], x.Joint); ok {
				share[k] = x.Value
			}
		}
		left := inDetail * p.height * math.Sqrt(p.square(u, share)/p.frames)
		for _, v := range vertices {
			out[v] = left
		}
	}
	return out
}

// Solve finds the weights. It can be called again after more was added.
func (p *Problem) Solve(ctx context.Context) (*Solved, error) {
	out := &Solved{Before: p.distance(p.was), problem: p}
	if p.o.Dial <= 0 || p.frames == 0 {
		out.Weights, out.After = p.w, out.Before
		return out, ctx.Err()
	}
	held := p.held()
	for u := range p.now {
		copy(p.now[u], p.was[u])
		p.upper[u] = nil
	}
	if err := p.sweeps(ctx, held, mostSweeps, p.open); err != nil {
		return nil, err
	}
	p.mirror(p.now)
	p.limit()
	if err := p.sweeps(ctx, held, mostSweeps, p.open); err != nil {
		return nil, err
	}
	p.mirror(p.now)
	out.Weights = p.weights()
	out.After = p.distance(p.now)
	for v := range p.points {
		if !slices.Equal(p.w.Of[v], out.Weights.Of[v]) {
			out.Changed++
		}
	}
	return out, nil
}

// held is how much the way of a weight from where it is bound counts.
func (p *Problem) held() float64 { return leastHeld + asBound*(1-p.o.Dial)/p.o.Dial }

// square is the sum of squares of how far weights lead a unit from the guide, in details.
func (p *Problem) square(u int, w []float64) float64 {
	sum := 0.0
	for i, x := range w {
		for k, y := range w {
			sum += x * y * p.d[u][i*len(w)+k]
		}
	}
	return math.Max(sum, 0)
}

// distance is how far weights lead all units from the guide, by their areas, metres.
func (p *Problem) distance(w [][]float64) float64 {
	sum, all := 0.0, 0.0
	for u := range p.of {
		if p.open(u) {
			sum += p.mass[u] * p.square(u, w[u])
			all += p.mass[u] * p.frames
		}
	}
	return inDetail * p.height * math.Sqrt(sum/math.Max(all, 1e-300))
}

// sweeps improves units again and again, at most so often, those of one color at a time, so that the result is the same on
// any number of cores. What did not change, nor anything beside it, is passed over.
func (p *Problem) sweeps(ctx context.Context, held float64, most int, which func(u int) bool) error {
	const length = 256
	colors := p.colors(which)
	moved, idle := make([]bool, len(p.of)), make([]bool, len(p.of))
	for range most {
		if err := ctx.Err(); err != nil {
			return err
		}
		clear(moved)
		for _, list := range colors {
			geom.Chunks(len(list), length, func(lo, hi int) {
				var q small
				for _, u := range list[lo:hi] {
					moved[u] = !idle[u] && p.improve(u, held, &q) > enough
				}
			})
		}
		any := false
		for u := range idle {
			idle[u] = !moved[u]
			for _, b := range p.to[p.start[u]:p.start[u+1]] {
				idle[u] = idle[u] && !moved[b]
			}
			any = any || moved[u]
		}
		if !any {
			break
		}
	}
	return nil
}

// improve finds the best weights of a unit while all others stay, and tells by how much one changed at most.
func (p *Problem) improve(u int32, held float64, q *small) float64 {
	list, now := p.joints[u], p.now[u]
	q.may = q.may[:0]
	for k, j := range list {
		if p.out == nil || !p.out[j] {
			q.may = append(q.may, k)
		}
	}
	n := len(list)
	q.reset(len(q.may))
	data := p.mass[u] / p.frames
	for k := p.start[u]; k < p.start[u+1]; k++ {
		data += shape * p.stiff[k] / p.frames
	}
	diagonal := p.mass[u] * held
	for a, i := range q.may {
		for b, k := range q.may {
			q.h[a*q.m+b] = data * p.d[u][i*n+k]
		}
		q.l[a] = diagonal * p.was[u][i]
	}
	for k := p.start[u]; k < p.start[u+1]; k++ {
		b, c := p.to[k], smooth*p.stiff[k]
		diagonal += c
		other := p.now[b]
		a := 0
		shared(list, p.joints[b], func(i, j int) {
			for a < q.m && q.may[a] < i {
				a++
			}
			if a < q.m && q.may[a] == i {
				q.l[a] += c * other[j]
			}
		})
		e, ours := p.e[k], true
		if e == nil {
			e, ours = p.e[p.mate[k]], false
		}
		if e == nil {
			continue
		}
		times := shape * p.stiff[k] / p.frames
		for j, w := range other {
			if w == 0 {
				continue
			}
			w *= times
			for a, i := range q.may {
				if ours {
					q.l[a] += w * float64(e[i*len(other)+j])
				} else {
					q.l[a] += w * float64(e[j*n+i])
				}
			}
		}
	}
	for a, k := range q.may {
		q.h[a*q.m+a] += diagonal
		q.upper[a] = 1
		if p.upper[u] != nil {
			q.upper[a] = p.upper[u][k]
		}
		q.locked[a] = p.isLocked(list[k])
		q.x[a] = now[k]
	}
	moved := q.solve(q.x)
	for a, k := range q.may {
		now[k] = q.x[a]
	}
	return moved
}

// shared calls f with the places of what two ascending lists have in common.
func shared(a, b []int32, f func(i, j int)) {
	j := 0
	for i, x := range a {
		for j < len(b) && b[j] < x {
			j++
		}
		if j < len(b) && b[j] == x {
			f(i, j)
		}
	}
}

// weights returns what was found; units that had nothing to choose keep their lists.
func (p *Problem) weights() *weights.Weights {
	out := &weights.Weights{Joints: p.w.Joints, Of: make([][]weights.Influence, len(p.points)), Mix: p.w.Mix}
	for u, vertices := range p.of {
		if !p.open(u) {
			for _, v := range vertices {
				out.Of[v] = p.w.Of[v]
			}
			continue
		}
		var list []weights.Influence
		locked := false
		for k, j := range p.joints[u] {
			if p.now[u][k] > 0 {
				list = append(list, weights.Influence{Joint: j, Value: p.now[u][k]})
			}
			locked = locked || p.isLocked(j)
		}
		if locked { // what is locked stays to the last bit
			weights.Sort(list)
		} else {
			list = weights.Clean(list, p.o.Limits)
		}
		for _, v := range vertices {
			out.Of[v] = list
		}
	}
	return out
}
