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
	mu      sync.Mutex
	err     error
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
	if e, ok := f.err.(ErrNotPositive); !ok || int(index) < e.Index {
		f.err = ErrNotPositive{int(index), pivot}
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
	u := make([]float64, r*r)
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
		left[i] = nil
	}
	if j, pivot := eliminate(l, k, r, f.off); j >= 0 {
		f.fail(f.c.perm[b.first+int32(j)], pivot)
	}
	subtractProduct(u, l[k*k:], r, k, f.off)
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

// eliminate turns the (k+r)×k front into L in place. It returns the first
// column whose pivot is not positive, or -1; that pivot is then taken as 1. It ends
// when it is off.
func eliminate(l []float64, k, r int, off func() bool) (bad int, pivot float64) {
	bad = -1
	for j := range k {
		if j%offEvery == offEvery-1 && off() {
			return bad, pivot
		}
		rj := l[j*k : j*k+j+1]
		d := rj[j] - dot(rj[:j], rj[:j])
		if !(d > 0) {
			if bad < 0 {
				bad, pivot = j, d
			}
			d = 1
		}
		rj[j] = math.Sqrt(d)
		inv := 1 / rj[j]
		i := j + 1
		for ; i+3 < k+r; i += 4 {
			r0, r1, r2, r3 := l[i*k:i*k+j+1], l[(i+1)*k:(i+1)*k+j+1], l[(i+2)*k:(i+2)*k+j+1], l[(i+3)*k:(i+3)*k+j+1]
			var s0, s1, s2, s3 float64
			for t, x := range rj[:j] {
				s0 += r0[t] * x
				s1 += r1[t] * x
				s2 += r2[t] * x
				s3 += r3[t] * x
			}
			r0[j] = (r0[j] - s0) * inv
			r1[j] = (r1[j] - s1) * inv
			r2[j] = (r2[j] - s2) * inv
			r3[j] = (r3[j] - s3) * inv
		}
		for ; i < k+r; i++ {
			ri := l[i*k : i*k+j+1]
			ri[j] = (ri[j] - dot(ri[:j], rj[:j])) * inv
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

// subtractProduct does U -= B·Bᵀ on the lower half, B being r×k: four rows by
// two, so that each load serves several products. It ends when it is off.
func subtractProduct(u, b []float64, r, k int, off func() bool) {
	if k == 0 {
		return
	}
	i := 0
	for ; i+3 < r; i += 4 {
		if i%offEvery == offEvery-4 && off() {
			return
		}
		a0, a1, a2, a3 := b[i*k:i*k+k], b[(i+1)*k:(i+1)*k+k], b[(i+2)*k:(i+2)*k+k], b[(i+3)*k:(i+3)*k+k]
		u0, u1, u2, u3 := u[i*r:i*r+r], u[(i+1)*r:(i+1)*r+r], u[(i+2)*r:(i+2)*r+r], u[(i+3)*r:(i+3)*r+r]
		for j := 0; j < i+4; j += 2 {
			c0, c1 := b[j*k:j*k+k], b[(j+1)*k:(j+1)*k+k]
			var s00, s01, s10, s11, s20, s21, s30, s31 float64
			for t := range c0 {
				x, y := c0[t], c1[t]
				s00 += a0[t] * x
				s01 += a0[t] * y
				s10 += a1[t] * x
				s11 += a1[t] * y
				s20 += a2[t] * x
				s21 += a2[t] * y
				s30 += a3[t] * x
				s31 += a3[t] * y
			}
			u0[j] -= s00
			u0[j+1] -= s01
			u1[j] -= s10
			u1[j+1] -= s11
			u2[j] -= s20
			u2[j+1] -= s21
			u3[j] -= s30
			u3[j+1] -= s31
		}
	}
	for ; i < r; i++ {
		a := b[i*k : i*k+k]
		for j := 0; j <= i; j++ {
			u[i*r+j] -= dot(a, b[j*k:j*k+k])
		}
	}
}

// offEvery is after how many columns or rows of a block it is asked whether the work
// is to end: some milliseconds of a large one.
const offEvery = 32

// solveChunk is how many right-hand sides are solved together.
const solveChunk = 8

// Solve solves A·X = B for several right-hand sides, each a slice of n
// numbers, and returns the solutions in the same order. The error is that of ctx.
// told, unless nil, is told the share that is done, from several goroutines.
func (c *Cholesky) Solve(ctx context.Context, b [][]float64, told func(share float64)) ([][]float64, error) {
	out := make([][]float64, len(b))
	var done atomic.Int64
	off := func() bool { return ctx.Err() != nil }
	geom.Chunks(len(b), solveChunk, func(lo, hi int) {
		m := hi - lo
		x := make([]float64, c.n*m)
		for s := range m {
			for i, v := range c.perm {
				x[i*m+s] = b[lo+s][v]
			}
		}
		c.forward(x, m, off)
		c.backward(x, m, off)
		for s := range m {
			y := make([]float64, c.n)
			for i, v := range c.perm {
				y[v] = x[i*m+s]
			}
			out[lo+s] = y
		}
		if n := done.Add(int64(m)); told != nil {
			told(float64(n) / float64(len(b)))
		}
	})
	return out, ctx.Err()
}

func (c *Cholesky) forward(x []float64, m int, off func() bool) {
	for bi, b := range c.blocks {
		if bi%1024 == 0 && off() {
			return
		}
		k, first, l := int(b.count), int(b.first), c.dense[bi]
		for i := range k {
			xi := x[(first+i)*m : (first+i+1)*m]
			for j, v := range l[i*k : i*k+i] {
				subtractScaled(xi, v, x[(first+j)*m:])
			}
			inv := 1 / l[i*k+i]
			for s := range xi {
				xi[s] *= inv
			}
		}
		for i, row := range c.rows[bi] {
			xi := x[int(row)*m : int(row)*m+m]
			for j, v := range l[(k+i)*k : (k+i)*k+k] {
				subtractScaled(xi, v, x[(first+j)*m:])
			}
		}
	}
}

func (c *Cholesky) backward(x []float64, m int, off func() bool) {
	for bi := len(c.blocks) - 1; bi >= 0; bi-- {
		if bi%1024 == 0 && off() {
			return
		}
		b := c.blocks[bi]
		k, first, l := int(b.count), int(b.first), c.dense[bi]
		for i, row := range c.rows[bi] {
			xi := x[int(row)*m : int(row)*m+m]
			for j, v := range l[(k+i)*k : (k+i)*k+k] {
				subtractScaled(x[(first+j)*m:(first+j)*m+m], v, xi)
			}
		}
		for i := k - 1; i >= 0; i-- {
			xi := x[(first+i)*m : (first+i+1)*m]
			inv := 1 / l[i*k+i]
			for s := range xi {
				xi[s] *= inv
			}
			for j, v := range l[i*k : i*k+i] {
				subtractScaled(x[(first+j)*m:(first+j)*m+m], v, xi)
			}
		}
	}
}

// subtractScaled does y -= v·x over the length of y.
func subtractScaled(y []float64, v float64, x []float64) {
	x = x[:len(y)]
	if len(y) == solveChunk {
		y, x := (*[solveChunk]float64)(y), (*[solveChunk]float64)(x)
		y[0] -= v * x[0]
		y[1] -= v * x[1]
		y[2] -= v * x[2]
		y[3] -= v * x[3]
		y[4] -= v * x[4]
		y[5] -= v * x[5]
		y[6] -= v * x[6]
		y[7] -= v * x[7]
		return
	}
	for s := range y {
		y[s] -= v * x[s]
	}
}
