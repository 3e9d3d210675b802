package mesh

import (
	"cmp"
	"slices"
)

// Edge is an undirected edge a<b and the faces along it:
// Edges.Uses[First : First+Count].
type Edge struct{ A, B, First, Count int32 }

// Use is one face's passage along an edge; Forward when it goes from A to B.
// Corner is where the passage begins, an index into the mesh's corners.
type Use struct {
	Face    int32
	Corner  int32
	Forward bool
}

// Edges is the edge table of a mesh, sorted by (A, B).
type Edges struct {
	Edges []Edge
	Uses  []Use
}

// Edges builds the edge table. Edges from a vertex to itself are left out.
func (m *Mesh) Edges() Edges {
	count := make([]int32, len(m.Points)+1)
	each := func(visit func(a, b, f, corner int32, forward bool)) {
		for f := range m.Faces() {
			c := m.Face(f)
			for i, a := range c {
				b := c[(i+1)%len(c)]
				if a < b {
					visit(a, b, int32(f), m.Start[f]+int32(i), true)
				} else if b < a {
					visit(b, a, int32(f), m.Start[f]+int32(i), false)
				}
			}
		}
	}
	each(func(a, _, _, _ int32, _ bool) { count[a+1]++ })
	for i := range len(m.Points) {
		count[i+1] += count[i]
	}
	type entry struct {
		b, face, corner int32
		forward         bool
	}
	table := make([]entry, count[len(m.Points)])
	fill := slices.Clone(count)
	each(func(a, b, f, corner int32, forward bool) {
		table[fill[a]] = entry{b, f, corner, forward}
		fill[a]++
	})
	out := Edges{Edges: make([]Edge, 0, len(table)/2+1), Uses: make([]Use, len(table))}
	for a := range len(m.Points) {
		run := table[count[a]:count[a+1]]
		slices.SortStableFunc(run, func(x, y entry) int { return cmp.Compare(x.b, y.b) })
		for i, e := range run {
			at := count[a] + int32(i)
			out.Uses[at] = Use{e.face, e.corner, e.forward}
			if i == 0 || run[i-1].b != e.b {
				out.Edges = append(out.Edges, Edge{A: int32(a), B: e.b, First: at})
			}
			out.Edges[len(out.Edges)-1].Count++
		}
	}
	return out
}

// Of returns the uses of an edge.
func (e Edges) Of(x Edge) []Use { return e.Uses[x.First : x.First+x.Count] }

// without returns the table without the given faces.
func (e Edges) without(faces []int32) Edges {
	gone := make(map[int32]bool, len(faces))
	for _, f := range faces {
		gone[f] = true
	}
	var out Edges
	for _, x := range e.Edges {
		first := int32(len(out.Uses))
		for _, u := range e.Of(x) {
			if !gone[u.Face] {
				out.Uses = append(out.Uses, u)
			}
		}
		if n := int32(len(out.Uses)) - first; n > 0 {
			out.Edges = append(out.Edges, Edge{A: x.A, B: x.B, First: first, Count: n})
		}
	}
	return out
}

// Neighbours returns the vertices that share an edge with each vertex:
// list[start[v]:start[v+1]], ascending.
func (e Edges) Neighbours(vertices int) (start, list []int32) {
	start = make([]int32, vertices+1)
	for _, x := range e.Edges {
		start[x.A+1]++
		start[x.B+1]++
	}
	for i := range vertices {
		start[i+1] += start[i]
	}
	list = make([]int32, start[vertices])
	fill := slices.Clone(start)
	for pass := range 2 { // lower neighbours first, so that rows are ascending
		for _, x := range e.Edges {
			if pass == 0 {
				list[fill[x.B]] = x.A
				fill[x.B]++
			} else {
				list[fill[x.A]] = x.B
				fill[x.A]++
			}
		}
	}
	return start, list
}

// BorderLoops follows the open borders (edges with one face) and returns them
// as vertex loops. Where borders touch at a vertex the loops split there.
func (e Edges) BorderLoops() [][]int32 {
	next := map[int32][]int32{}
	var from []int32
	for _, x := range e.Edges {
		if x.Count != 1 {
			continue
		}
		a, b := x.A, x.B
		if e.Of(x)[0].Forward {
			a, b = b, a
		}
		if len(next[a]) == 0 {
			from = append(from, a)
		}
		next[a] = append(next[a], b)
	}
	var loops [][]int32
	for _, s := range from {
		for len(next[s]) > 0 {
			var loop []int32
			v := s
			for len(next[v]) > 0 {
				loop = append(loop, v)
				w := next[v][0]
				next[v] = next[v][1:]
				v = w
			}
			loops = append(loops, loop)
		}
	}
	return loops
}
