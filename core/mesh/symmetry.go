package mesh

import (
	"cmp"
	"math"
	"slices"

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
	symmetrySteps   = 4
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
	best, cost := Symmetry{}, math.Inf(1)
	for _, s := range candidates(points) {
		if c := s.cost(samples, tree); c < cost-geom.SameShare*tree.Box().Diagonal() {
			best, cost = s, c
		}
	}
	for range symmetrySteps {
		next, ok := best.refit(samples, tree)
		if !ok {
			break
		}
		c := next.cost(samples, tree)
		if c >= cost {
			break
		}
		best, cost = next, c
	}
	best.settle(samples, tree, tolerance)
	best.pair(points, tree, tolerance)
	return best
}

// settle takes the plane exactly across X or Z where it is so to within the
// tolerance, and exactly through zero, as modellers mean it.
func (s *Symmetry) settle(samples []r3.Vec, tree *geom.Tree, tolerance float64) {
	diag := tree.Box().Diagonal()
	for _, axis := range []r3.Vec{{X: 1}, {Z: 1}} {
		if math.Abs(r3.Dot(s.Normal, axis)) < 0.9998 {
			continue
		}
		try := Symmetry{Normal: axis, Offset: s.Offset * math.Copysign(1, r3.Dot(s.Normal, axis))}
		if math.Abs(try.Offset) < 1e-3*diag {
			try.Offset = 0
		}
		if try.cost(samples, tree) <= s.cost(samples, tree)+0.25*tolerance {
			*s = try
		}
	}
}

// candidates are planes to begin from.
func candidates(points []r3.Vec) []Symmetry {
	box := geom.BoxOf(points)
	var mean r3.Vec
	for _, p := range points {
		mean = r3.Add(mean, r3.Scale(1/float64(len(points)), p))
	}
	var xx, xz, zz float64
	for _, p := range points {
		x, z := p.X-mean.X, p.Z-mean.Z
		xx, xz, zz = xx+x*x, xz+x*z, zz+z*z
	}
	turn := 0.5 * math.Atan2(2*xz, xx-zz)
	main := r3.Vec{X: math.Cos(turn), Z: math.Sin(turn)}
	across := r3.Vec{X: -main.Z, Z: main.X}
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

// cost is the mean distance of mirrored samples from the surface; the farthest
// fifth does not count, so that a lantern in one hand does not tilt the plane.
func (s Symmetry) cost(samples []r3.Vec, tree *geom.Tree) float64 {
	d := make([]float64, len(samples))
	done := geom.Bounded(len(samples), 1, sampling(tree), func(lo, hi int) int {
		q := geom.Query{Tree: tree}
		for i := lo; i < hi; i++ {
			_, _, d[i] = q.NearestOf(s.Mirror(samples[i]), math.Inf(1), nil)
		}
		return q.Steps
	})
	d = d[:done]
	slices.Sort(d)
	d = d[:max(1, len(d)*4/5)]
	sum := 0.0
	for _, x := range d {
		sum += x
	}
	return sum / float64(len(d))
}

// refit returns the upright plane that fits the pairs of samples and the
// surface points nearest to their mirror images best.
func (s Symmetry) refit(samples []r3.Vec, tree *geom.Tree) (Symmetry, bool) {
	type pair struct {
		p, q r3.Vec
		d    float64
	}
	pairs := make([]pair, len(samples))
	done := geom.Bounded(len(samples), 1, sampling(tree), func(lo, hi int) int {
		q := geom.Query{Tree: tree}
		for i := lo; i < hi; i++ {
			_, at, d := q.NearestOf(s.Mirror(samples[i]), math.Inf(1), nil)
			pairs[i] = pair{samples[i], at, d}
		}
		return q.Steps
	})
	pairs = pairs[:done]
	slices.SortStableFunc(pairs, func(a, b pair) int { return cmp.Compare(a.d, b.d) })
	pairs = pairs[:max(1, len(pairs)*4/5)]
	var mp, mq r3.Vec
	for _, x := range pairs {
		mp, mq = r3.Add(mp, x.p), r3.Add(mq, x.q)
	}
	k := 1 / float64(len(pairs))
	mp, mq = r3.Scale(k, mp), r3.Scale(k, mq)
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

// sampling is how many steps the samples of one plane may take: some twenty planes are
// tried. Where it does not reach for all samples, the first have to do.
func sampling(tree *geom.Tree) int { return geom.Effort(tree.Len()) / 20 }

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
