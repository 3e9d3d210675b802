package linalg

import (
	"context"
	"math"
	"slices"
	"sync"
	"sync/atomic"

	"wisemarrow/core/geom"
)

// Cholesky is the factor L of P·A·Pᵀ = L·Lᵀ, block by block: a block of k
// columns with r rows below it is a dense (k+r)×k array, row by row.
type Cholesky struct {
	n      int
	perm   []int32
	blocks []block
	rows   [][]int32 // per block: new indices of the rows below it
	dense  [][]float64
}

// Entries returns how many numbers the factor holds.
func (c *Cholesky) Entries() int {
	n := 0
	for i, b := range c.blocks {
		k := int(b.count)
		n += k*(k+1)/2 + k*len(c.rows[i])
	}
	return n
}

func factorise(ctx context.Context, a *Symmetric, d dissection, told func(float64)) (*Cholesky, error) {
	c := &Cholesky{n: a.N, perm: d.perm, blocks: d.blocks}
	inverse := make([]int32, a.N)
	for i, v := range d.perm {
		inverse[v] = int32(i)
	}
	c.symbolic(a, inverse)
	c.dense = make([][]float64, len(c.blocks))
	f := &fronts{c: c, a: a, inverse: inverse, ctx: ctx, told: told}
	for i := range c.blocks {
		f.all += f.cost(int32(i))
	}
	if len(c.blocks) > 0 {
		f.run(int32(len(c.blocks) - 1))
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	if f.err != nil {
		return nil, f.err
	}
	return c, nil
}

// symbolic finds the rows below every block: those its own entries reach and
// those its children leave over.
func (c *Cholesky) symbolic(a *Symmetric, inverse []int32) {
	c.rows = make([][]int32, len(c.blocks))
	seen := make([]int32, a.N)
	for i := range seen {
		seen[i] = -1
	}
	var buf []int32
	for i, b := range c.blocks {
		buf = buf[:0]
		end := b.first + b.count
		add := func(r int32) {
			if r >= end && seen[r] != int32(i) {
				seen[r] = int32(i)
				buf = append(buf, r)
			}
		}
		for _, v := range c.perm[b.first:end] {
			for _, w := range a.Col[a.Start[v]:a.Start[v+1]] {
				add(inverse[w])
			}
		}
		for _, ch := range b.children {
			for _, r := range c.rows[ch] {
				add(r)
			}
		}
		slices.Sort(buf)
		c.rows[i] = slices.Clone(buf)
	}
}

// fronts runs the multifrontal elimination (Duff & Reid 1983; Davis 2006,
// chapter 4): each block's dense front gathers its matrix entries and what its
// children left, eliminates its columns and hands the rest to its parent.
type fronts struct {
	c       *Cholesky
	a       *Symmetric
	inverse []int32
	ctx     context.Context
	told    func(float64)
	all     int64        // what the whole costs, in products
	done    atomic.Int64 // of it
	spare   spares
	mu      sync.Mutex
	err     error
}

// spares is memory that was used and is free again: fronts come and go, and what they leave to their
// parents is much in all and little at a time.
type spares struct {
	mu   sync.Mutex
	free [][]float64
}

// mostSpare is how many pieces are kept.
const mostSpare = 32

// take returns memory for n numbers, of whatever value.
func (s *spares) take(n int) []float64 {
	if n == 0 {
		return nil
	}
	s.mu.Lock()
	best := -1
	for i, x := range s.free {
		if cap(x) >= n && cap(x) <= 4*n && (best < 0 || cap(x) < cap(s.free[best])) {
			best = i
		}
	}
	if best < 0 {
		s.mu.Unlock()
		return make([]float64, n)
	}
	out := s.free[best][:n]
	last := len(s.free) - 1
	s.free[best], s.free[last] = s.free[last], nil
	s.free = s.free[:last]
	s.mu.Unlock()
	return out
}

// give takes memory back.
func (s *spares) give(x []float64) {
	if cap(x) == 0 {
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.free) < mostSpare {
		s.free = append(s.free, x)
		return
	}
	least := 0
	for i, y := range s.free {
		if cap(y) < cap(s.free[least]) {
			least = i
		}
	}
	if cap(s.free[least]) < cap(x) {
		s.free[least] = x
	}
}

// cost is about how many products a block takes.
func (f *fronts) cost(at int32) int64 {
	k, r := int64(f.c.blocks[at].count), int64(len(f.c.rows[at]))
	return 1 + k*(k+r)*(k+r)/2
}

// off reports whether the work is to end.
func (f *fronts) off() bool { return f.ctx.Err() != nil }

func (f *fronts) fail(index int32, pivot float64) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if e, ok := f.err.(NotPositiveError); !ok || int(index) < e.Index {
		f.err = NotPositiveError{int(index), pivot}
	}
}

// run factorises the subtree of block at and returns its update matrix over
// rows[at], lower half of a square, row by row.
func (f *fronts) run(at int32) []float64 {
	b := f.c.blocks[at]
	left := make([][]float64, len(b.children))
	if len(b.children) == 2 && b.first-f.c.blocks[f.leftmost(at)].first > forkAbove {
		geom.Both(func() { left[0] = f.run(b.children[0]) }, func() { left[1] = f.run(b.children[1]) })
	} else {
		for i, ch := range b.children {
			left[i] = f.run(ch)
		}
	}
	if f.off() {
		return nil
	}
	rows := f.c.rows[at]
	k, r := int(b.count), len(rows)
	l := make([]float64, (k+r)*k)
	u := f.spare.take(r * r)
	clear(u)
	for j := range k {
		v := f.c.perm[b.first+int32(j)]
		for e := f.a.Start[v]; e < f.a.Start[v+1]; e++ {
			i := f.inverse[f.a.Col[e]]
			switch {
			case i < b.first+int32(j): // the other half, or a child's
			case i < b.first+b.count:
				l[int(i-b.first)*k+j] += f.a.Val[e]
			default:
				p, _ := slices.BinarySearch(rows, i)
				l[(k+p)*k+j] += f.a.Val[e]
			}
		}
	}
	for i, ch := range b.children {
		extendAdd(l, u, k, r, b.first, rows, left[i], f.c.rows[ch])
		f.spare.give(left[i])
		left[i] = nil
	}
	if j, pivot := eliminate(l, k, r, f.off); j >= 0 {
		f.fail(f.c.perm[b.first+int32(j)], pivot)
	}
	f.spare.give(subtractProduct(f.spare.take(k*((r+3)&^3)), u, l[k*k:], r, k, f.off))
	f.c.dense[at] = l
	if done := f.done.Add(f.cost(at)); f.told != nil {
		f.told(float64(done) / float64(f.all))
	}
	return u
}

// leftmost returns the first block of a subtree in post order.
func (f *fronts) leftmost(at int32) int32 {
	for len(f.c.blocks[at].children) > 0 {
		at = f.c.blocks[at].children[0]
	}
	return at
}

// extendAdd adds a child's update matrix to its parent's front.
func extendAdd(l, u []float64, k, r int, first int32, rows []int32, update []float64, childRows []int32) {
	n := len(childRows)
	place := make([]int32, n)
	p := 0
	for i, row := range childRows {
		if row < first+int32(k) {
			place[i] = row - first
			continue
		}
		for rows[p] != row {
			p++
		}
		place[i] = int32(k + p)
	}
	inCols := 0
	for inCols < n && int(place[inCols]) < k {
		inCols++
	}
	for i := range n {
		row := update[i*n : i*n+i+1]
		at := int(place[i])
		m := min(inCols, i+1)
		to := l[at*k : at*k+k]
		for j := range m {
			to[place[j]] += row[j]
		}
		if at < k {
			continue
		}
		rest := u[(at-k)*r : (at-k)*r+r]
		for j := m; j <= i; j++ {
			rest[int(place[j])-k] += row[j]
		}
	}
}

// panel is how many columns are eliminated one by one before what is right of them is
// brought up to date at once.
const panel = 16

// eliminate turns the (k+r)×k front into L in place. It returns the first
// column whose pivot is not positive, or -1; that pivot is then taken as 1. It ends
// when it is off.
func eliminate(l []float64, k, r int, off func() bool) (bad int, pivot float64) {
	bad = -1
	var turned []float64
	for first := 0; first < k; first += panel {
		if first > 0 && off() {
			return bad, pivot
		}
		end := min(first+panel, k)
		for j := first; j < end; j++ {
			rj := l[j*k+first : j*k+j+1]
			n := j - first
			d := rj[n] - dot(rj[:n], rj[:n])
			if !(d > 0) {
				if bad < 0 {
					bad, pivot = j, d
				}
				d = 1
			}
			rj[n] = math.Sqrt(d)
			inv := 1 / rj[n]
			i := j + 1
			for ; i+3 < k+r; i += 4 {
				r0, r1 := l[i*k+first:i*k+j+1], l[(i+1)*k+first:(i+1)*k+j+1]
				r2, r3 := l[(i+2)*k+first:(i+2)*k+j+1], l[(i+3)*k+first:(i+3)*k+j+1]
				var s0, s1, s2, s3 float64
				for t, x := range rj[:n] {
					s0 += r0[t] * x
					s1 += r1[t] * x
					s2 += r2[t] * x
					s3 += r3[t] * x
				}
				r0[n] = (r0[n] - s0) * inv
				r1[n] = (r1[n] - s1) * inv
				r2[n] = (r2[n] - s2) * inv
				r3[n] = (r3[n] - s3) * inv
			}
			for ; i < k+r; i++ {
				ri := l[i*k+first : i*k+j+1]
				ri[n] = (ri[n] - dot(ri[:n], rj[:n])) * inv
			}
		}
		if end < k {
			rest := view{l[end*k+first:], k, 1}
			var ld int
			turned, ld = transposed(turned, rest, k-end, end-first)
			multiplySubtract(l[end*k+end:], k, rest, turned, ld, k+r-end, k-end, end-first, true)
		}
	}
	return bad, pivot
}

func dot(a, b []float64) float64 {
	var s float64
	for i, x := range a {
		s += x * b[i]
	}
	return s
}

// subtractProduct does U -= B·Bᵀ on the lower half, B being r×k. It ends when it is off, and returns the
// memory that it was lent for B turned round.
func subtractProduct(lent, u, b []float64, r, k int, off func() bool) []float64 {
	if r == 0 || k == 0 {
		return lent
	}
	turned, ld := transposed(lent[:0], view{b, k, 1}, r, k)
	for first := 0; first < r; first += offEvery { // by strips of rows
		if first > 0 && off() {
			return turned
		}
		end := min(first+offEvery, r)
		multiplySubtract(u[first*r:], r, view{b[first*k:], k, 1}, turned, ld, end-first, first, k, false)
		multiplySubtract(u[first*r+first:], r, view{b[first*k:], k, 1}, turned[first:], ld, end-first, end-first, k, true)
	}
	return turned
}

// offEvery is after how many rows of a block it is asked whether the work is to end: some
// milliseconds of a large one.
const offEvery = 64

// mostTogether is how many right-hand sides are solved together at most.
const mostTogether = 12

// together returns into how many parts right-hand sides are split, so that two cores have
// as much to do, and how wide each is.
func together(n int) (width int) {
	pairs := (n + 2*mostTogether - 1) / (2 * mostTogether)
	return max(1, (n+2*pairs-1)/max(1, 2*pairs))
}

// Solve solves A·X = B for several right-hand sides, each a slice of n
// numbers, and returns the solutions in the same order. The error is that of ctx.
// told, unless nil, is told the share that is done, from several goroutines.
func (c *Cholesky) Solve(ctx context.Context, b [][]float64, told func(share float64)) ([][]float64, error) {
	out := make([][]float64, len(b))
	var done atomic.Int64
	off := func() bool { return ctx.Err() != nil }
	most := 0
	for _, rows := range c.rows {
		most = max(most, len(rows))
	}
	geom.Chunks(len(b), together(len(b)), func(lo, hi int) {
		m := (hi - lo + 3) &^ 3
		s := &solving{c: c, m: m, x: make([]float64, c.n*m), beside: make([]float64, most*m), off: off}
		for i, v := range c.perm {
			for k, from := range b[lo:hi] {
				s.x[i*m+k] = from[v]
			}
		}
		s.forward()
		s.backward()
		for k := lo; k < hi; k++ {
			out[k] = make([]float64, c.n)
		}
		for i, v := range c.perm {
			for k, to := range out[lo:hi] {
				to[v] = s.x[i*m+k]
			}
		}
		if n := done.Add(int64(hi - lo)); told != nil {
			told(float64(n) / float64(len(b)))
		}
	})
	return out, ctx.Err()
}

// solving is the work on some right-hand sides, m of them side by side, a multiple of four.
type solving struct {
	c      *Cholesky
	m      int
	x      []float64 // n×m, row by row
	beside []float64 // the rows below one block
	off    func() bool
}

func (s *solving) forward() {
	m := s.m
	for bi, b := range s.c.blocks {
		if bi%1024 == 0 && s.off() {
			return
		}
		k, l, rows := int(b.count), s.c.dense[bi], s.c.rows[bi]
		x := s.x[int(b.first)*m : int(b.first+b.count)*m]
		for from := 0; from < k; from += panel {
			to := min(from+panel, k)
			multiplySubtract(x[from*m:], m, view{l[from*k:], k, 1}, x, m, to-from, m, from, false)
			for i := from; i < to; i++ {
				xi := x[i*m : i*m+m]
				for j := from; j < i; j++ {
					subtractScaled(xi, l[i*k+j], x[j*m:])
				}
				inv := 1 / l[i*k+i]
				for t := range xi {
					xi[t] *= inv
				}
			}
		}
		if k == 0 || len(rows) == 0 {
			continue
		}
		beside := s.beside[:len(rows)*m]
		clear(beside)
		multiplySubtract(beside, m, view{l[k*k:], k, 1}, x, m, len(rows), m, k, false)
		for i, row := range rows {
			to, from := s.x[int(row)*m:int(row)*m+m], beside[i*m:i*m+m]
			for t := range to {
				to[t] += from[t]
			}
		}
	}
}

func (s *solving) backward() {
	m := s.m
	for bi := len(s.c.blocks) - 1; bi >= 0; bi-- {
		if bi%1024 == 0 && s.off() {
			return
		}
		b := s.c.blocks[bi]
		k, l, rows := int(b.count), s.c.dense[bi], s.c.rows[bi]
		if k == 0 {
			continue
		}
		x := s.x[int(b.first)*m : int(b.first+b.count)*m]
		beside := s.beside[:len(rows)*m]
		for i, row := range rows {
			copy(beside[i*m:i*m+m], s.x[int(row)*m:])
		}
		if len(rows) > 0 {
			multiplySubtract(x, m, view{l[k*k:], 1, k}, beside, m, k, m, len(rows), false)
		}
		for from := (k - 1) / panel * panel; from >= 0; from -= panel {
			to := min(from+panel, k)
			if to < k {
				multiplySubtract(x[from*m:], m, view{l[to*k+from:], 1, k}, x[to*m:], m, to-from, m, k-to, false)
			}
			for i := to - 1; i >= from; i-- {
				xi := x[i*m : i*m+m]
				inv := 1 / l[i*k+i]
				for t := range xi {
					xi[t] *= inv
				}
				for j := from; j < i; j++ {
					subtractScaled(x[j*m:j*m+m], l[i*k+j], xi)
				}
			}
		}
	}
}

// subtractScaled does y -= v·x over the length of y, a multiple of four.
func subtractScaled(y []float64, v float64, x []float64) {
	for t := 0; t+3 < len(y); t += 4 {
		y, x := (*[4]float64)(y[t:]), (*[4]float64)(x[t:])
		y[0] -= v * x[0]
		y[1] -= v * x[1]
		y[2] -= v * x[2]
		y[3] -= v * x[3]
	}
}
