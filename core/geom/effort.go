package geom

import "math/bits"

// Query asks a tree and counts what that took: the boxes and triangles looked at.
// Most questions take a few dozen steps, but a mesh can be made so that each of them
// looks at every triangle; who asks many adds them up and stops at an Effort. A Query
// is for one goroutine; the methods of Tree of the same name do not count.
type Query struct {
	Tree  *Tree
	Steps int
}

// Effort is how many steps one measure of n elements may take before it has to say
// that it did not finish: some ten times n log n. Characters and scans need a third of
// that or less; a step takes some ten to fifty nanoseconds. It is counted in steps and
// not in seconds so that a mesh is measured alike on every machine.
func Effort(n int) int {
	return 4_000_000 + 10*n*bits.Len(uint(n))
}

// round is how many ranges Bounded hands out before it adds up their steps.
const round = 64

// Bounded is Chunks that ends early: work returns the steps that it took, and after
// each round of 64 ranges no more are begun if together they took more than effort.
// It returns up to where the work was done, n if all was; the rounds are fixed, so that
// this is the same on any number of cores.
func Bounded(n, length, effort int, work func(lo, hi int) int) int {
	steps := make([]int, round)
	for from := 0; from < n; from += round * length {
		if effort < 0 {
			return from
		}
		clear(steps)
		Chunks(min(n-from, round*length), length, func(lo, hi int) {
			steps[lo/length] = work(from+lo, from+hi)
		})
		for _, s := range steps {
			effort -= s
		}
	}
	return n
}
