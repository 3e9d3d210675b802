package solve

import (
	"cmp"
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// evened is how far about a vertex others have a say in which joints it keeps, of the height; mostEvened bounds the
	// rings of neighbors that this takes. Rings alone would reach over half of a coarse body.
	evened, mostEvened = 0.022, 32
	// ramp is how much of its weight over what is cut a joint may have: it ends where another takes its place.
	ramp = 4
)

// limit bounds the weights of each unit to the joints that weigh most about it, so many as the cap has, and lets each
// end where it leaves, so that the cap and the limit of traces draw no line: which joints are kept is chosen together
// with the neighbors. What is now is brought within the bounds.
func (p *Problem) limit() {
	most := p.o.Cap
	if most == 0 {
		most = math.MaxInt
	}
	even := p.even()
	p.mirror(even)
	for u := range p.of {
		if !p.open(u) {
			continue
		}
		var sorted []float64
		room := most // what locked joints leave
		for k, x := range even[u] {
			if !p.isLocked(p.joints[u][k]) {
				sorted = append(sorted, x)
			} else if p.was[u][k] > 0 {
				room--
			}
		}
		slices.SortFunc(sorted, func(a, b float64) int { return cmp.Compare(b, a) })
		cut := p.o.Trace
		if room = max(room, 1); len(sorted) > room {
			cut = max(cut, sorted[room])
		}
		p.upper[u] = make([]float64, len(even[u]))
		free, kept := 0.0, 0.0
		for k, x := range even[u] {
			if p.isLocked(p.joints[u][k]) {
				p.upper[u][k] = p.was[u][k]
				kept += p.was[u][k]
				continue
			}
			p.upper[u][k] = min(1, max(0, ramp*(x-cut)))
			free += p.upper[u][k]
		}
		if free < 1-kept { // nearly even: they are as they can be
			for k, j := range p.joints[u] {
				switch {
				case p.isLocked(j):
				case free > 0:
					p.upper[u][k] *= (1 - kept) / free
				default:
					p.upper[u][k] = p.now[u][k]
				}
			}
		}
		within01(p.now[u], p.upper[u])
	}
}

// within01 brings weights under their bounds, and what is lost by that to the others by the room that they have.
func within01(w, upper []float64) {
	for range 20 {
		room, over := 0.0, 1.0
		for k := range w {
			w[k] = min(w[k], upper[k])
			over -= w[k]
			room += upper[k] - w[k]
		}
		if over < 1e-12 || room <= 0 {
			return
		}
		for k := range w {
			w[k] += min(1, over/room) * (upper[k] - w[k])
		}
	}
}

// rings is how often means of neighbors are taken to even over a distance: it grows with its square.
func (p *Problem) rings() int {
	sum := 0.0
	for u := range p.of {
		for _, b := range p.to[p.start[u]:p.start[u+1]] {
			sum += r3.Norm(r3.Sub(p.points[p.of[u][0]], p.points[p.of[b][0]]))
		}
	}
	steps := evened * p.height * float64(len(p.to)) / math.Max(sum, 1e-300)
	return max(1, min(mostEvened, int(math.Round(steps*steps))))
}

// even is the mean of each weight over the rings about a unit.
func (p *Problem) even() [][]float64 {
	now := make([][]float64, len(p.of))
	for u := range now {
		now[u] = slices.Clone(p.now[u])
	}
	for range p.rings() {
		next := make([][]float64, len(p.of))
		geom.Chunks(len(p.of), 256, func(lo, hi int) {
			for u := lo; u < hi; u++ {
				sum := slices.Clone(now[u])
				near := p.to[p.start[u]:p.start[u+1]]
				for _, b := range near {
					shared(p.joints[u], p.joints[b], func(i, j int) { sum[i] += now[b][j] })
				}
				for k := range sum {
					sum[k] /= float64(len(near) + 1)
				}
				next[u] = sum
			}
		})
		now = next
	}
	return now
}
