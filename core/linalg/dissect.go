package linalg

import (
	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// dissectLeaf is the size below which a set is one dense block. Small
	// leaves cost calls, large ones fill; 10 was fastest from 10k to 200k.
	dissectLeaf = 10
	// forkAbove is the size above which the two halves run side by side.
	forkAbove = 4000
)

// dissection is an elimination order as a tree of blocks: perm[new] = old, and
// blocks in post order, each a run of new indices.
type dissection struct {
	perm   []int32
	blocks []block
}

type block struct {
	first, count int32
	children     []int32
}

type part struct {
	first, count int32
	sub          []*part
}

// dissect orders the unknowns by nested dissection (George 1973): the set is
// halved at the median of an axis, and the smaller of the two borders becomes
// the separator, which is eliminated last. Of the three axes the one with the
// smallest separator is taken.
func dissect(a *Symmetric, places []r3.Vec) dissection {
	d := dissector{perm: make([]int32, a.N)}
	root := d.split(whole(a, places), 0, 0)
	out := dissection{perm: d.perm}
	flatten(root, &out.blocks)
	return out
}

func flatten(p *part, out *[]block) int32 {
	b := block{first: p.first, count: p.count}
	for _, s := range p.sub {
		b.children = append(b.children, flatten(s, out))
	}
	*out = append(*out, b)
	return int32(len(*out) - 1)
}

type dissector struct{ perm []int32 }

// graph is a set of unknowns with its couplings, all numbered within it, so that what is
// halved lies close together in memory and halves can be split at the same time.
type graph struct {
	ids    []int32 // of the unknowns in the whole matrix, ascending
	start  []int32
	col    []int32 // neighbours within the set, without the unknown itself
	places []r3.Vec
}

func whole(a *Symmetric, places []r3.Vec) *graph {
	g := &graph{ids: make([]int32, a.N), start: make([]int32, a.N+1), col: make([]int32, 0, len(a.Col)), places: places}
	for i := range g.ids {
		g.ids[i] = int32(i)
		for _, w := range a.Col[a.Start[i]:a.Start[i+1]] {
			if int(w) != i {
				g.col = append(g.col, w)
			}
		}
		g.start[i+1] = int32(len(g.col))
	}
	return g
}

func (g *graph) near(v int32) []int32 { return g.col[g.start[v]:g.start[v+1]] }

// part returns the unknowns of one side.
func (g *graph) part(side []int8, of int8, number []int32) *graph {
	n, edges := 0, 0
	for v, s := range side {
		if s == of {
			number[v] = int32(n)
			n++
			edges += int(g.start[v+1] - g.start[v])
		}
	}
	out := &graph{ids: make([]int32, 0, n), start: make([]int32, 1, n+1), col: make([]int32, 0, edges), places: make([]r3.Vec, 0, n)}
	for v, s := range side {
		if s != of {
			continue
		}
		out.ids = append(out.ids, g.ids[v])
		out.places = append(out.places, g.places[v])
		for _, w := range g.near(int32(v)) {
			if side[w] == of {
				out.col = append(out.col, number[w])
			}
		}
		out.start = append(out.start, int32(len(out.col)))
	}
	return out
}

const (
	sideLow int8 = iota
	sideHigh
	sideBetween // of the separator
)

// split orders a set, which is to have the new numbers from first on.
func (d *dissector) split(g *graph, first int32, depth int) *part {
	count := int32(len(g.ids))
	if count <= dissectLeaf || depth > 28 {
		copy(d.perm[first:], g.ids)
		return &part{first: first, count: count}
	}
	order := make([]int32, count)
	for i := range order {
		order[i] = int32(i)
	}
	half := len(order) / 2
	side, best := make([]int8, count), make([]int8, count)
	least := -1
	for axis := range 3 {
		nth(order, half, g.places, axis)
		for i, v := range order {
			side[v] = sideLow
			if i >= half {
				side[v] = sideHigh
			}
		}
		if n := g.separate(side); least < 0 || n < least {
			least = n
			side, best = best, side
		}
	}
	number := order
	low, high := g.part(best, sideLow, number), g.part(best, sideHigh, number)
	na, nb := int32(len(low.ids)), int32(len(high.ids))
	at := first + na + nb
	for v, s := range best {
		if s == sideBetween {
			d.perm[at] = g.ids[v]
			at++
		}
	}
	var pa, pb *part
	if count > forkAbove {
		geom.Both(func() { pa = d.split(low, first, depth+1) }, func() { pb = d.split(high, first+na, depth+1) })
	} else {
		pa, pb = d.split(low, first, depth+1), d.split(high, first+na, depth+1)
	}
	return &part{first: first + na + nb, count: count - na - nb, sub: []*part{pa, pb}}
}

// separate makes the smaller of the two borders the separator, and returns how many it has.
func (g *graph) separate(side []int8) int {
	var border [2]int
	for v, s := range side {
		for _, w := range g.near(int32(v)) {
			if side[w] != s {
				border[s]++
				break
			}
		}
	}
	from := sideLow
	if border[sideHigh] < border[sideLow] {
		from = sideHigh
	}
	for v, s := range side {
		if s != from {
			continue
		}
		for _, w := range g.near(int32(v)) {
			if side[w] == 1-from {
				side[v] = sideBetween
				break
			}
		}
	}
	return border[from]
}

// nth puts the k unknowns that are lowest on an axis (then by index) first.
func nth(ids []int32, k int, places []r3.Vec, axis int) {
	key := func(v int32) float64 {
		switch axis {
		case 0:
			return places[v].X
		case 1:
			return places[v].Y
		}
		return places[v].Z
	}
	less := func(a, b int32) bool {
		ka, kb := key(a), key(b)
		return ka < kb || ka == kb && a < b
	}
	lo, hi := 0, len(ids)-1
	for lo < hi {
		mid := lo + (hi-lo)/2
		if less(ids[mid], ids[lo]) {
			ids[mid], ids[lo] = ids[lo], ids[mid]
		}
		if less(ids[hi], ids[lo]) {
			ids[hi], ids[lo] = ids[lo], ids[hi]
		}
		if less(ids[hi], ids[mid]) {
			ids[hi], ids[mid] = ids[mid], ids[hi]
		}
		p := ids[mid]
		i, j := lo, hi
		for i <= j {
			for less(ids[i], p) {
				i++
			}
			for less(p, ids[j]) {
				j--
			}
			if i <= j {
				ids[i], ids[j] = ids[j], ids[i]
				i++
				j--
			}
		}
		if k <= j {
			hi = j
		} else if k >= i {
			lo = i
		} else {
			return
		}
	}
}
