package mesh

import (
	"errors"
	"math"
	"slices"
	"sort"

	"wisemarrow/core/linalg"

	"gonum.org/v1/gonum/spatial/r3"
)

// mollifyShare is by how much, over the mean edge, each triangle's two shorter sides are longer
// than the third at least: 1e-5 as Sharp & Crane have it.
const mollifyShare = 1e-5

// RobustLaplacian is Laplacian for whatever triangles there are (Sharp & Crane 2020): both
// sides of every triangle are glued round each edge to the sides that they face, which makes a
// manifold of any soup (the tufted cover); sides are lengthened until every triangle has area;
// and edges are flipped, in lengths alone, until all are Delaunay, so that no weight between
// two vertices has the wrong sign. On a manifold Delaunay mesh it is the plain one.
func RobustLaplacian(points []r3.Vec, tris [][3]int32) (stiff *linalg.Symmetric, mass []float64, err error) {
	c := newCover(points, tris)
	c.mollify()
	if !c.flipAll() {
		return nil, nil, errors.New("the mesh has extremely distorted triangles, so its edges could not be settled")
	}
	stiff = pattern(len(points), c.corner)
	mass = make([]float64, len(points))
	add := func(i, j int32, w float64) {
		for k := stiff.Start[i]; k < stiff.Start[i+1]; k++ {
			if stiff.Col[k] == j {
				stiff.Val[k] += w
				return
			}
		}
	}
	for f, t := range c.corner {
		l := c.length[f]
		area := heron(l)
		for s := range 3 {
			mass[t[s]] += area / 6 // a third, and half as there are two sides
			i, j := t[s], t[(s+1)%3]
			w := cotangent(l, s, area) / 4
			if i == j { // a side round to its own vertex carries nothing
				continue
			}
			add(i, j, -w)
			add(j, i, -w)
			add(i, i, w)
			add(j, j, w)
		}
	}
	return stiff, mass, nil
}

// cover is a triangulation in lengths alone: triangles with sides from corner to corner, and
// for each side the one that it is glued to.
type cover struct {
	corner [][3]int32
	length [][3]float64 // of side s, from corner s to the next
	glued  [][3]int32   // 3·triangle + side
}

// newCover makes the tufted cover: triangle f has a front, 2f, and a back, 2f+1, with its
// corners the other way round.
func newCover(points []r3.Vec, tris [][3]int32) *cover {
	c := &cover{}
	var kept [][3]int32
	for _, t := range tris {
		if t[0] != t[1] && t[1] != t[2] && t[2] != t[0] {
			kept = append(kept, t)
		}
	}
	type use struct {
		tri, side int32
		low, high int32
		forward   bool // from the lower vertex to the higher
	}
	uses := make([]use, 0, 3*len(kept))
	for f, t := range kept {
		c.corner = append(c.corner, t, [3]int32{t[0], t[2], t[1]})
		var l [3]float64
		for s := range 3 {
			a, b := t[s], t[(s+1)%3]
			l[s] = math.Sqrt(r3.Norm2(r3.Sub(points[b], points[a])))
			uses = append(uses, use{int32(f), int32(s), min(a, b), max(a, b), a < b})
		}
		c.length = append(c.length, l, [3]float64{l[2], l[1], l[0]})
	}
	c.glued = make([][3]int32, len(c.corner))
	slices.SortFunc(uses, func(a, b use) int {
		for _, d := range []int32{a.low - b.low, a.high - b.high, a.tri - b.tri, a.side - b.side} {
			if d != 0 {
				return int(d)
			}
		}
		return 0
	})
	// The side of the cover that looks on, round the edge, or back.
	side := func(u use, on bool) int32 {
		if u.forward == on {
			return 3*(2*u.tri) + u.side
		}
		return 3*(2*u.tri+1) + (2 - u.side)
	}
	for from := 0; from < len(uses); {
		to := from + 1
		for to < len(uses) && uses[to].low == uses[from].low && uses[to].high == uses[from].high {
			to++
		}
		round := uses[from:to]
		if len(round) > 2 { // in the order in which they stand round the edge
			angle := anglesRound(points[round[0].low], points[round[0].high], len(round), func(i int) r3.Vec {
				return points[kept[round[i].tri][(round[i].side+2)%3]]
			})
			order := make([]int, len(round))
			for i := range order {
				order[i] = i
			}
			sort.SliceStable(order, func(i, j int) bool { return angle[order[i]] < angle[order[j]] })
			sorted := make([]use, len(round))
			for i, k := range order {
				sorted[i] = round[k]
			}
			round = sorted
		}
		for i, u := range round {
			a, b := side(u, true), side(round[(i+1)%len(round)], false)
			c.glued[a/3][a%3], c.glued[b/3][b%3] = b, a
		}
		from = to
	}
	return c
}

// anglesRound returns the angles at which n places stand about the line from a to b.
func anglesRound(a, b r3.Vec, n int, at func(i int) r3.Vec) []float64 {
	axis := r3.Sub(b, a)
	out := make([]float64, n)
	if r3.Norm2(axis) == 0 {
		return out
	}
	axis = r3.Unit(axis)
	e1 := r3.Sub(at(0), a)
	e1 = r3.Sub(e1, r3.Scale(r3.Dot(e1, axis), axis))
	if r3.Norm2(e1) == 0 {
		return out
	}
	e2 := r3.Cross(axis, e1)
	for i := range n {
		d := r3.Sub(at(i), a)
		out[i] = math.Atan2(r3.Dot(d, e2), r3.Dot(d, e1))
		if i == 0 {
			out[i] = 0
		}
	}
	return out
}

// mollify lengthens all sides by one amount, so that no triangle is without area.
func (c *cover) mollify() {
	sum := 0.0
	for _, l := range c.length {
		sum += l[0] + l[1] + l[2]
	}
	slack := mollifyShare * sum / math.Max(1, 3*float64(len(c.length)))
	more := 0.0
	for _, l := range c.length {
		for s := range 3 {
			more = math.Max(more, slack+l[s]-l[(s+1)%3]-l[(s+2)%3])
		}
	}
	if more == 0 {
		return
	}
	for f := range c.length {
		for s := range 3 {
			c.length[f][s] += more
		}
	}
}

// notDelaunay is how far below zero the sum of cotangents beside an edge may be.
const notDelaunay = 1e-9

// flipAll flips edges until all are Delaunay. false where that did not end.
func (c *cover) flipAll() bool {
	queue := make([]int32, 0, 3*len(c.corner)/2)
	waits := make([]bool, 3*len(c.corner))
	put := func(h int32) {
		if g := c.glued[h/3][h%3]; !waits[h] && !waits[g] {
			waits[h] = true
			queue = append(queue, h)
		}
	}
	for h := range int32(3 * len(c.corner)) {
		put(h)
	}
	most := 200 * (len(c.corner) + 1)
	for n := 0; len(queue) > 0; n++ {
		if n > most {
			return false
		}
		h := queue[len(queue)-1]
		queue = queue[:len(queue)-1]
		waits[h] = false
		g := c.glued[h/3][h%3]
		if h/3 == g/3 || c.opposite(h)+c.opposite(g) >= -notDelaunay {
			continue
		}
		if !c.flip(h, g) {
			continue
		}
		for _, f := range []int32{h / 3, g / 3} {
			for s := int32(1); s < 3; s++ { // side 0 is the new one
				put(3*f + s)
			}
		}
	}
	return true
}

// opposite is the cotangent of the angle opposite a side.
func (c *cover) opposite(h int32) float64 {
	l := c.length[h/3]
	return cotangent(l, int(h%3), heron(l))
}

// flip replaces the edge of two glued sides by the other diagonal of the two triangles.
func (c *cover) flip(h, g int32) bool {
	f, s, k, t := h/3, h%3, g/3, g%3
	n := func(x int32) int32 { return (x + 1) % 3 }
	p := func(x int32) int32 { return (x + 2) % 3 }
	lf, lk := c.length[f], c.length[k]
	// Around the corner at the start of h: the angle of both triangles.
	angle := func(a, b, opposite float64) float64 {
		return math.Acos(math.Max(-1, math.Min(1, (a*a+b*b-opposite*opposite)/(2*a*b))))
	}
	both := angle(lf[s], lf[p(s)], lf[n(s)]) + angle(lk[t], lk[n(t)], lk[p(t)])
	a, b := lf[p(s)], lk[n(t)]
	across := math.Sqrt(math.Max(0, a*a+b*b-2*a*b*math.Cos(both)))
	if !(across > 0) || both >= math.Pi {
		return false
	}
	i, j := c.corner[f][s], c.corner[f][n(s)]
	m, l := c.corner[f][p(s)], c.corner[k][p(t)]
	was := [4]int32{3*f + n(s), 3*f + p(s), 3*k + n(t), 3*k + p(t)}
	is := [4]int32{3*f + 2, 3*k + 1, 3*k + 2, 3*f + 1}
	length := [4]float64{lf[n(s)], lf[p(s)], lk[n(t)], lk[p(t)]}
	var to [4]int32
	for x, w := range was {
		to[x] = c.glued[w/3][w%3]
		for y, v := range was {
			if to[x] == v {
				to[x] = is[y]
				break
			}
		}
	}
	c.corner[f], c.corner[k] = [3]int32{m, l, j}, [3]int32{l, m, i}
	c.length[f][0], c.length[k][0] = across, across
	c.glued[f][0], c.glued[k][0] = 3*k, 3*f
	for x, w := range is {
		c.length[w/3][w%3] = length[x]
		c.glued[w/3][w%3] = to[x]
		c.glued[to[x]/3][to[x]%3] = w
	}
	return true
}

// heron is the area of a triangle by its sides (Kahan's form, which does not lose digits on
// slivers).
func heron(l [3]float64) float64 {
	a, b, c := l[0], l[1], l[2]
	if a < b {
		a, b = b, a
	}
	if b < c {
		b, c = c, b
	}
	if a < b {
		a, b = b, a
	}
	return 0.25 * math.Sqrt(math.Max(0, (a+(b+c))*(c-(a-b))*(c+(a-b))*(a+(b-c))))
}

// cotangent is that of the angle opposite side s of a triangle of an area.
func cotangent(l [3]float64, s int, area float64) float64 {
	a, b, c := l[(s+1)%3], l[(s+2)%3], l[s]
	if area == 0 {
		return 0
	}
	return (a*a + b*b - c*c) / (4 * area)
}
