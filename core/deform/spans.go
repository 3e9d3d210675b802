package deform

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// spanHeight is how long a span is at least, over the height of the body: a third of a finger's breadth.
	spanHeight = 0.003
	// spanSteps is how many edges a span is put together of at most.
	spanSteps = 48
	// spanTurn is the cosine of how far an edge of a span may turn from its beginning.
	spanTurn = 0.5
)

// span is a length of the surface whose stretch can be seen: an edge, or several in a row where edges are short,
// so that the short side of a sliver counts for no more than it shows.
type span struct {
	v    [2]int32
	rest float64 // from end to end, metres
}

// spansOf are the lengths along which a skin is measured: edges at least as long as the usual one, and ways on from
// shorter ones, as straight as they go, until they are that long.
func spansOf(points []r3.Vec, edges []edge, height float64) []span {
	if len(edges) == 0 {
		return nil
	}
	lengths := make([]float64, len(edges))
	for i := range edges {
		lengths[i] = edges[i].rest
	}
	slices.Sort(lengths)
	least := math.Max(lengths[len(lengths)/2], spanHeight*height)
	start := make([]int32, len(points)+1)
	for i := range edges {
		start[edges[i].v[0]+1]++
		start[edges[i].v[1]+1]++
	}
	for v := range points {
		start[v+1] += start[v]
	}
	near, fill := make([]int32, 2*len(edges)), slices.Clone(start)
	for i := range edges {
		a, b := edges[i].v[0], edges[i].v[1]
		near[fill[a]], near[fill[b]] = b, a
		fill[a]++
		fill[b]++
	}
	out := make([]span, 0, len(edges))
	for i := range edges {
		e := &edges[i]
		if e.rest >= least {
			out = append(out, span{e.v, e.rest})
			continue
		}
		for k := range 2 {
			if s, ok := onward(points, start, near, e.v[k], e.v[1-k], least); ok {
				out = append(out, s)
			}
		}
	}
	slices.SortFunc(out, func(a, b span) int { return cmp.Or(cmp.Compare(a.v[0], b.v[0]), cmp.Compare(a.v[1], b.v[1])) })
	return slices.CompactFunc(out, func(a, b span) bool { return a.v == b.v })
}

// onward goes on from an edge along the straightest ones until it is long enough.
func onward(points []r3.Vec, start, near []int32, from, at int32, least float64) (span, bool) {
	way := r3.Sub(points[at], points[from])
	for range spanSteps {
		if l := distance(points[at], points[from]); l >= least {
			return span{[2]int32{min(from, at), max(from, at)}, l}, true
		}
		next, best := int32(-1), spanTurn
		for _, k := range near[start[at]:start[at+1]] {
			d := r3.Sub(points[k], points[at])
			l := math.Sqrt(r3.Norm2(d) * r3.Norm2(way))
			if l == 0 {
				continue
			}
			if cos := r3.Dot(d, way) / l; cos > best {
				next, best = k, cos
			}
		}
		if next < 0 {
			break
		}
		at = next
		if r3.Norm2(way) == 0 {
			way = r3.Sub(points[at], points[from])
		}
	}
	return span{}, false
}
