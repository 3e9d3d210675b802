package health

import (
	"fmt"
	"slices"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/spatial/r3"
)

// MaxSpots is how many places of a finding are told apart; the rest is shown
// together only.
const MaxSpots = 400

// Spots returns the single places of a finding: its own, or its vertices, edges
// and faces grouped by what hangs together on the mesh, largest first. Each says
// what it is and where.
func Spots(s *mesh.Surface, w finding.Where) []finding.Spot {
	if w.Spots != nil {
		return w.Spots
	}
	parent := make([]int32, len(s.At)) // a forest; -1 for what is not found
	for i := range parent {
		parent[i] = -1
	}
	find := func(v int32) int32 {
		for parent[v] != v {
			parent[v] = parent[parent[v]]
			v = parent[v]
		}
		return v
	}
	in := func(v int32) {
		if parent[v] < 0 {
			parent[v] = v
		}
	}
	join := func(a, b int32) {
		a, b = find(a), find(b)
		if a != b {
			parent[max(a, b)] = min(a, b)
		}
	}
	for _, v := range w.Vertices {
		in(v)
	}
	for _, e := range w.Edges {
		in(e[0])
		in(e[1])
		join(e[0], e[1])
	}
	for _, f := range w.Faces {
		c := s.Face(int(f))
		for _, v := range c {
			in(v)
			join(c[0], v)
		}
	}
	if len(w.Vertices) > 0 {
		at := map[r3.Vec]int32{}
		for _, v := range w.Vertices { // vertices in one place are one place
			if u, ok := at[s.At[v]]; ok {
				join(u, v)
			} else {
				at[s.At[v]] = v
			}
		}
		for _, x := range s.Edges.Edges {
			if parent[x.A] >= 0 && parent[x.B] >= 0 {
				join(x.A, x.B)
			}
		}
	}
	number := map[int32]int{}
	var out []finding.Spot
	of := func(v int32) *finding.Spot {
		r := find(v)
		i, ok := number[r]
		if !ok {
			i = len(out)
			number[r] = i
			out = append(out, finding.Spot{})
		}
		return &out[i]
	}
	for _, f := range w.Faces {
		p := of(s.Face(int(f))[0])
		p.Faces = append(p.Faces, f)
	}
	for _, e := range w.Edges {
		p := of(e[0])
		p.Edges = append(p.Edges, e)
	}
	for _, v := range w.Vertices {
		p := of(v)
		p.Vertices = append(p.Vertices, v)
	}
	size := func(p finding.Spot) int { return len(p.Faces) + len(p.Edges) + len(p.Vertices) }
	slices.SortStableFunc(out, func(a, b finding.Spot) int { return size(b) - size(a) })
	if len(out) > MaxSpots {
		out = out[:MaxSpots]
	}
	for i := range out {
		out[i].Label = describe(s, out[i])
	}
	return out
}

// describe says what a place is and where, in words.
func describe(s *mesh.Surface, p finding.Spot) string {
	b := geom.EmptyBox()
	for _, v := range p.Vertices {
		b = b.Add(s.At[v])
	}
	for _, e := range p.Edges {
		b = b.Add(s.At[e[0]]).Add(s.At[e[1]])
	}
	for _, f := range p.Faces {
		for _, v := range s.Face(int(f)) {
			b = b.Add(s.At[v])
		}
	}
	what := ""
	switch {
	case len(p.Faces) > 0:
		what = wording.Count(len(p.Faces), "face", "faces")
	case len(p.Edges) > 0:
		what = wording.Count(len(p.Edges), "edge", "edges")
	default:
		what = wording.Count(len(p.Vertices), "vertex", "vertices")
	}
	c := b.Centre()
	return fmt.Sprintf("%s at %s, %s, %s", what, wording.Length(c.X), wording.Length(c.Y), wording.Length(c.Z))
}
