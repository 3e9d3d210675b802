package linalg

import (
	"slices"
	"sync/atomic"

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
	d := dissector{a: a, places: places, owner: make([]int32, a.N), perm: make([]int32, a.N)}
	for i := range d.perm {
		d.perm[i] = int32(i)
		d.owner[i] = 1
	}
	root := d.split(0, int32(a.N), 1, 0)
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

type dissector struct {
	a      *Symmetric
	places []r3.Vec
	owner  []int32 // which set an unknown is in now; read and written atomically
	perm   []int32
}

// split orders perm[first:first+count], all of which owner calls id.
func (d *dissector) split(first, count, id int32, depth int) *part {
	if count <= dissectLeaf || depth > 28 {
		return &part{first: first, count: count}
	}
	set := d.perm[first : first+count]
	low, high := 2*id, 2*id+1
	best, bestAxis := int32(0), -1
	scratch := slices.Clone(set)
	mark := func(axis int) (border [2]int32) {
		nth(scratch, len(scratch)/2, d.places, axis)
		half := len(scratch) / 2
		for i, v := range scratch {
			if i < half {
				atomic.StoreInt32(&d.owner[v], low)
			} else {
				atomic.StoreInt32(&d.owner[v], high)
			}
		}
		for i, v := range scratch {
			other, s := high, 0
			if i >= half {
				other, s = low, 1
			}
			if d.touches(v, other) {
				border[s]++
			}
		}
		return border
	}
	for axis := range 3 {
		b := mark(axis)
		if m := min(b[0], b[1]); bestAxis < 0 || m < best {
			best, bestAxis = m, axis
		}
	}
	border := mark(bestAxis)
	half := len(scratch) / 2
	a, b, sep := make([]int32, 0, half+1), make([]int32, 0, half+1), make([]int32, 0, best)
	fromLow := border[0] <= border[1]
	for i, v := range scratch {
		switch inLow := i < half; {
		case inLow == fromLow && d.touches(v, map[bool]int32{true: high, false: low}[inLow]):
			sep = append(sep, v)
		case inLow:
			a = append(a, v)
		default:
			b = append(b, v)
		}
	}
	for _, v := range sep {
		atomic.StoreInt32(&d.owner[v], 0)
	}
	slices.Sort(sep)
	copy(set, a)
	copy(set[len(a):], b)
	copy(set[len(a)+len(b):], sep)
	na, nb := int32(len(a)), int32(len(b))
	var pa, pb *part
	if count > forkAbove {
		geom.Both(func() { pa = d.split(first, na, low, depth+1) }, func() { pb = d.split(first+na, nb, high, depth+1) })
	} else {
		pa = d.split(first, na, low, depth+1)
		pb = d.split(first+na, nb, high, depth+1)
	}
	return &part{first: first + na + nb, count: int32(len(sep)), sub: []*part{pa, pb}}
}

func (d *dissector) touches(v, id int32) bool {
	for _, w := range d.a.Col[d.a.Start[v]:d.a.Start[v+1]] {
		if atomic.LoadInt32(&d.owner[w]) == id {
			return true
		}
	}
	return false
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
