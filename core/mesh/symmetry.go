package mesh

import (
	"cmp"
	"math"
	"slices"
	"sync/atomic"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Symmetry is the plane about which a mesh comes nearest to its mirror image
// and how near it comes.
type Symmetry struct {
	Normal r3.Vec  // unit, upright planes only: Y = 0; X ≥ 0
	Offset float64 // points p of the plane have Normal·p = Offset
	// Partner is for each vertex the vertex at its mirrored place within the
	// tolerance, itself for one in the plane, -1 for none.
	Partner []int32
	Alone   int     // vertices without a partner
	Surface float64 // share of the vertices whose mirrored place is on the surface
	// Left is how many vertices, the last, were not asked for a partner, because it
	// would take too long; they count neither as alone nor for Surface.
	Left int
}

// Share returns the share of vertices with a partner, 1 for an empty mesh.
func (s Symmetry) Share() float64 {
	if len(s.Partner) == 0 {
		return 1
	}
	return 1 - float64(s.Alone)/float64(max(1, len(s.Partner)-s.Left))
}

// Mirror returns the mirrored place of p.
func (s Symmetry) Mirror(p r3.Vec) r3.Vec {
	return r3.Sub(p, r3.Scale(2*(r3.Dot(s.Normal, p)-s.Offset), s.Normal))
}

const (
	symmetrySamples = 700
	symmetrySteps   = 24       // at most, each only where it is better
	most, half      = 0.8, 0.5 // of the samples count, the nearest
	far             = 0.1      // of the diagonal: what has its mirror image farther away counts as that far
	allRound        = 12       // planes, when those of the main directions do not do
	nearest         = 3        // of them are refined
)

// FindSymmetry finds the upright plane of symmetry: from the planes through the
// middle across X, across Z and across the main horizontal directions the one
// whose mirrored samples come nearest to the surface, made better by turns of
// mirroring, nearest points and the plane that fits the pairs best (Combes et
// al. 2008, "Automatic symmetry plane estimation of bilateral objects in point
// clouds"). tolerance is the distance within which a vertex counts as partner.
func FindSymmetry(points []r3.Vec, tree *geom.Tree, tolerance float64) Symmetry {
	if len(points) == 0 || tree.Len() == 0 {
		return Symmetry{Normal: r3.Vec{X: 1}}
	}
	var samples []r3.Vec
	for i := 0; i < len(points); i += max(1, len(points)/symmetrySamples) {
		samples = append(samples, points[i])
	}
	k := &seeking{samples: samples, tree: tree}
	best, cost := Symmetry{Normal: r3.Vec{X: 1}}, math.Inf(1)
	for _, s := range candidates(points) {
		if c := k.cost(s, most); c < cost-geom.SameShare*tree.Box().Diagonal() {
			best, cost = s, c
		}
	}
	best = k.refined(best, most)
	// What is held in one hand turns the main directions and tilts the plane: where half of the samples have
	// no partner, the nearest of planes all round are refined too, at last by the better half of the samples.
	if k.cost(best, half) > 0.1*tolerance {
		list, box := []Symmetry{best}, geom.BoxOf(points)
		for i := range allRound {
			a := float64(i) * math.Pi / allRound
			n := r3.Vec{X: math.Cos(a), Z: math.Sin(a)}
			list = append(list, Symmetry{Normal: n, Offset: r3.Dot(n, box.Centre())})
		}
		costs := map[r3.Vec]float64{}
		for _, s := range list[1:] {
			costs[s.Normal] = k.cost(s, most)
		}
		slices.SortStableFunc(list[1:], func(a, b Symmetry) int { return cmp.Compare(costs[a.Normal], costs[b.Normal]) })
		cost = math.Inf(1)
		for _, s := range list[:1+nearest] {
			s = k.searched(k.refined(s, most), box.Centre())
			if c := k.cost(s, half); c < cost-geom.SameShare*tree.Box().Diagonal() {
				best, cost = s, c
			}
		}
	}
	best.settle(k, tolerance)
	best.pair(points, tree, tolerance)
	return best
}

// seeking is the search for the plane: what it measures planes by, and the steps taken, which are
// bounded together, so that a mesh that is dear to ask gets the best plane found until then.
type seeking struct {
	samples []r3.Vec
	tree    *geom.Tree
	steps   int
}

// each asks for every sample and returns how many were asked: where a twentieth of all steps does
// not reach for them, the first have to do; 0 when all steps are used up.
func (k *seeking) each(ask func(q *geom.Query, i int)) int {
	effort := geom.Effort(k.tree.Len())
	if k.steps > 4*effort {
		return 0
	}
	var used atomic.Int64
	done := geom.Bounded(len(k.samples), 1, effort/20, func(lo, hi int) int {
		q := geom.Query{Tree: k.tree}
		for i := lo; i < hi; i++ {
			ask(&q, i)
		}
		used.Add(int64(q.Steps))
		return q.Steps
	})
	k.steps += int(used.Load())
	return done
}

// refined turns the plane step by step to where it fits that share of the samples best.
func (k *seeking) refined(s Symmetry, share float64) Symmetry {
	cost := k.cost(s, share)
	for range symmetrySteps {
		next, ok := k.refit(s, share)
		if !ok {
			break
		}
		c := k.cost(next, share)
		if c >= cost {
			break
		}
		s, cost = next, c
	}
	return s
}

// searched turns the plane about a place and shifts it, by steps that are halved where none is
// better, to where the nearer half of the samples comes nearest to the surface: unlike pairs of
// nearest points, which slide along the surface, it does not creep.
func (k *seeking) searched(s Symmetry, about r3.Vec) Symmetry {
	cost := k.cost(s, half)
	turn, shift := math.Pi/45, 0.01*k.tree.Box().Diagonal()
	for tries := 0; turn > math.Pi/180/64 && tries < 60; tries++ {
		better := false
		for _, step := range [4][2]float64{{turn, 0}, {-turn, 0}, {0, shift}, {0, -shift}} {
			at := r3.Dot(s.Normal, about)
			n := geom.Rotate(geom.AxisAngle(r3.Vec{Y: 1}, step[0]), s.Normal)
			next := Symmetry{Normal: n, Offset: r3.Dot(n, about) + s.Offset - at + step[1]}
			if c := k.cost(next, half); c < cost {
				s, cost, better = next, c, true
			}
		}
		if !better {
			turn, shift = turn/2, shift/2
		}
	}
	if s.Normal.X < 0 {
		s.Normal, s.Offset = r3.Scale(-1, s.Normal), -s.Offset
	}
	return s
}

// settle takes the plane exactly across X or Z where it is so to within the
// tolerance, and exactly through zero, as modellers mean it.
func (s *Symmetry) settle(k *seeking, tolerance float64) {
	diag := k.tree.Box().Diagonal()
	for _, axis := range []r3.Vec{{X: 1}, {Z: 1}} {
		if math.Abs(r3.Dot(s.Normal, axis)) < 0.9998 {
			continue
		}
		level := Symmetry{Normal: axis, Offset: s.Offset * math.Copysign(1, r3.Dot(s.Normal, axis))}
		if math.Abs(level.Offset) < 1e-3*diag {
			level.Offset = 0
		}
		if k.cost(level, most) <= k.cost(*s, most)+0.25*tolerance {
			*s = level
		}
	}
}

// mainDirections are the level directions in which points with that mean are spread most and least.
func mainDirections(points []r3.Vec, mean r3.Vec) (main, across r3.Vec) {
	var xx, xz, zz float64
	for _, p := range points {
		x, z := p.X-mean.X, p.Z-mean.Z
		xx, xz, zz = xx+x*x, xz+x*z, zz+z*z
	}
	turn := 0.5 * math.Atan2(2*xz, xx-zz)
	main = r3.Vec{X: math.Cos(turn), Z: math.Sin(turn)}
	return main, r3.Vec{X: -main.Z, Z: main.X}
}

// candidates are planes to begin from.
func candidates(points []r3.Vec) []Symmetry {
	box := geom.BoxOf(points)
	var mean r3.Vec
	for _, p := range points {
		mean = r3.Add(mean, r3.Scale(1/float64(len(points)), p))
	}
	main, across := mainDirections(points, mean)
	var out []Symmetry
	add := func(n r3.Vec, at ...r3.Vec) {
		if n.X < 0 {
			n = r3.Scale(-1, n)
		}
		for _, p := range at {
			out = append(out, Symmetry{Normal: n, Offset: r3.Dot(n, p)})
		}
	}
	add(r3.Vec{X: 1}, r3.Vec{}, box.Centre(), mean)
	add(r3.Vec{Z: 1}, r3.Vec{}, box.Centre(), mean)
	add(main, mean)
	add(across, mean)
	return out
}

// cost is the mean distance of mirrored samples from the surface; only the nearest
// share of them counts, so that a lantern in one hand does not tilt the plane.
func (k *seeking) cost(s Symmetry, share float64) float64 {
	d := make([]float64, len(k.samples))
	most := far * k.tree.Box().Diagonal()
	done := k.each(func(q *geom.Query, i int) {
		d[i] = most
		if tri, _, near := q.NearestOf(s.Mirror(k.samples[i]), most, nil); tri >= 0 {
			d[i] = near
		}
	})
	if done == 0 {
		return math.Inf(1)
	}
	d = d[:done]
	slices.Sort(d)
	d = d[:max(1, int(share*float64(len(d))))]
	sum := 0.0
	for _, x := range d {
		sum += x
	}
	return sum / float64(len(d))
}

// refit returns the upright plane that fits the pairs of samples and the
// surface points nearest to their mirror images best, of the nearest share of them.
func (k *seeking) refit(s Symmetry, share float64) (Symmetry, bool) {
	type pair struct {
		p, q r3.Vec
		d    float64
	}
	pairs := make([]pair, len(k.samples))
	most := far * k.tree.Box().Diagonal()
	done := k.each(func(q *geom.Query, i int) {
		tri, at, d := q.NearestOf(s.Mirror(k.samples[i]), most, nil)
		if tri < 0 {
			at, d = k.samples[i], most // farther than anything that has a partner
		}
		pairs[i] = pair{k.samples[i], at, d}
	})
	if done == 0 {
		return s, false
	}
	pairs = pairs[:done]
	slices.SortStableFunc(pairs, func(a, b pair) int { return cmp.Compare(a.d, b.d) })
	pairs = pairs[:max(1, int(share*float64(len(pairs))))]
	var mp, mq r3.Vec
	for _, x := range pairs {
		mp, mq = r3.Add(mp, x.p), r3.Add(mq, x.q)
	}
	each := 1 / float64(len(pairs))
	mp, mq = r3.Scale(each, mp), r3.Scale(each, mq)
	// Σ n·(p−p̄) n·(q−q̄) is least, most negative, for the normal.
	a := mat.NewSymDense(2, nil)
	for _, x := range pairs {
		p, q := r3.Sub(x.p, mp), r3.Sub(x.q, mq)
		a.SetSym(0, 0, a.At(0, 0)+p.X*q.X)
		a.SetSym(1, 1, a.At(1, 1)+p.Z*q.Z)
		a.SetSym(0, 1, a.At(0, 1)+0.5*(p.X*q.Z+p.Z*q.X))
	}
	var eig mat.EigenSym
	if !eig.Factorize(a, true) {
		return s, false
	}
	var v mat.Dense
	eig.VectorsTo(&v)
	n := r3.Vec{X: v.At(0, 0), Z: v.At(1, 0)}
	if n.X < 0 {
		n = r3.Scale(-1, n)
	}
	return Symmetry{Normal: n, Offset: 0.5 * r3.Dot(n, r3.Add(mp, mq))}, true
}

// pair finds the partners.
func (s *Symmetry) pair(points []r3.Vec, tree *geom.Tree, tolerance float64) {
	at := make(map[r3.Vec]int32, len(points)) // the lowest of those in one place
	var places []r3.Vec
	var vertex []int32
	for v, p := range points {
		if _, ok := at[p]; !ok {
			at[p] = int32(v)
			places, vertex = append(places, p), append(vertex, int32(v))
		}
	}
	const stretch = 16
	near := geom.NewPointTree(places)
	s.Partner = make([]int32, len(points))
	on := make([]int, (len(points)+stretch-1)/stretch)
	done := geom.Bounded(len(points), stretch, geom.Effort(len(points)), func(lo, hi int) int {
		a, b := geom.Query{Tree: near}, geom.Query{Tree: tree}
		for i := lo; i < hi; i++ {
			p := s.Mirror(points[i])
			s.Partner[i] = -1
			if k, _, _ := a.NearestOf(p, tolerance, nil); k >= 0 {
				s.Partner[i] = vertex[k]
				on[lo/stretch]++
			} else if tri, _, _ := b.NearestOf(p, tolerance, nil); tri >= 0 {
				on[lo/stretch]++
			}
		}
		return a.Steps + b.Steps
	})
	s.Left = len(points) - done
	for i := done; i < len(points); i++ {
		s.Partner[i] = -1
	}
	surface := 0
	for _, n := range on {
		surface += n
	}
	s.Surface = float64(surface) / float64(max(1, done))
	s.Alone = 0
	for _, p := range s.Partner[:done] {
		if p < 0 {
			s.Alone++
		}
	}
}
