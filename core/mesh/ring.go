package mesh

import (
	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Ring returns where the plane through a vertex, square to an axis, cuts the
// edges of the surface, of the closed cut that begins at the vertex: the ring of
// a limb there. It walks from triangle to triangle; nil when the cut does not
// come back.
func (s *Surface) Ring(vertex int32, axis r3.Vec) []r3.Vec {
	axis = r3.Unit(axis)
	o := s.At[vertex]
	// The plane is moved by a hair, so that it runs through no vertex.
	level := r3.Dot(o, axis) + geom.CrossShare*s.Diagonal
	side := func(v int32) float64 { return r3.Dot(s.At[v], axis) - level }
	type edge [2]int32
	key := func(a, b int32) edge { return edge{min(a, b), max(a, b)} }
	tris := map[edge][]int32{}
	for i, t := range s.Tris {
		for k := range 3 {
			a, b := t[k], t[(k+1)%3]
			if (side(a) < 0) != (side(b) < 0) {
				e := key(a, b)
				tris[e] = append(tris[e], int32(i))
			}
		}
	}
	start := int32(-1)
	for i, t := range s.Tris {
		if t[0] != vertex && t[1] != vertex && t[2] != vertex {
			continue
		}
		cut := 0
		for k := range 3 {
			if (side(t[k]) < 0) != (side(t[(k+1)%3]) < 0) {
				cut++
			}
		}
		if cut == 2 {
			start = int32(i)
			break
		}
	}
	if start < 0 {
		return nil
	}
	var ring []r3.Vec
	var came edge
	for at, first := start, true; first || at != start; first = false {
		next := edge{-1, -1}
		t := s.Tris[at]
		for k := range 3 {
			a, b := t[k], t[(k+1)%3]
			if e := key(a, b); (side(a) < 0) != (side(b) < 0) && (first || e != came) {
				next = e
				break
			}
		}
		if next[0] < 0 || len(ring) > len(s.Tris) {
			return nil
		}
		da, db := side(next[0]), side(next[1])
		ring = append(ring, r3.Add(s.At[next[0]], r3.Scale(da/(da-db), r3.Sub(s.At[next[1]], s.At[next[0]]))))
		list := tris[next]
		if len(list) != 2 {
			return nil // an open border or a fin
		}
		came = next
		if list[0] == at {
			at = list[1]
		} else {
			at = list[0]
		}
	}
	return ring
}

// RingMiddle returns the middle of a closed ring of places, each stretch counting
// by its length.
func RingMiddle(ring []r3.Vec) r3.Vec {
	var sum r3.Vec
	total := 0.0
	for i, p := range ring {
		q := ring[(i+1)%len(ring)]
		l := r3.Norm(r3.Sub(q, p))
		sum = r3.Add(sum, r3.Scale(l/2, r3.Add(p, q)))
		total += l
	}
	if total == 0 {
		return geom.BoxOf(ring).Centre()
	}
	return r3.Scale(1/total, sum)
}
