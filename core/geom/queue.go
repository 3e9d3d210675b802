package geom

import "cmp"

// Step is a vertex and how long the way to it is.
type Step struct {
	At  int32
	Way float64
}

// Compare orders steps by their ways, equal ones by their vertices.
func (s Step) Compare(t Step) int { return cmp.Or(cmp.Compare(s.Way, t.Way), cmp.Compare(s.At, t.At)) }

func (s Step) before(t Step) bool { return s.Way < t.Way || s.Way == t.Way && s.At < t.At }

// Queue is a binary heap of steps, the shortest way first; container/heap, whose elements are
// of any type, takes several times as long.
type Queue []Step

// Push puts a step in.
func (q *Queue) Push(x Step) {
	*q = append(*q, x)
	h := *q
	i := len(h) - 1
	for i > 0 {
		p := (i - 1) / 2
		if !x.before(h[p]) {
			break
		}
		h[i] = h[p]
		i = p
	}
	h[i] = x
}

// Pop takes the shortest out.
func (q *Queue) Pop() Step {
	h := *q
	out, x := h[0], h[len(h)-1]
	h = h[:len(h)-1]
	*q = h
	i := 0
	for {
		c := 2*i + 1
		if c >= len(h) {
			break
		}
		if c+1 < len(h) && h[c+1].before(h[c]) {
			c++
		}
		if !h[c].before(x) {
			break
		}
		h[i] = h[c]
		i = c
	}
	if len(h) > 0 {
		h[i] = x
	}
	return out
}
