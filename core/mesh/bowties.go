package mesh

import (
	"cmp"
	"slices"
)

// fans joins the corners of each vertex that lie in faces linked over shared
// edges: two corners have the same root when one can walk from face to face
// around the vertex. link says which uses of an edge are linked; nil links all.
func (m *Mesh) fans(e Edges, link func(x Edge) []Use) union {
	u := newUnion(len(m.Corner))
	next := func(x Use) int32 {
		if x.Corner+1 < m.Start[x.Face+1] {
			return x.Corner + 1
		}
		return m.Start[x.Face]
	}
	for _, x := range e.Edges {
		uses := e.Of(x)
		if link != nil {
			uses = link(x)
		}
		for i := 1; i < len(uses); i++ {
			a0, b0, a1, b1 := uses[0].Corner, next(uses[0]), uses[i].Corner, next(uses[i])
			if uses[0].Forward != uses[i].Forward {
				a1, b1 = b1, a1
			}
			u.join(a0, a1)
			u.join(b0, b1)
		}
	}
	return u
}

// BowTies returns the vertices in which faces meet that share no edge there, so
// that the surface hangs together by a point.
func (s *Surface) BowTies() []int32 {
	m := s.Mesh
	u := m.fans(s.Edges, nil)
	first := make([]int32, len(m.Points))
	for i := range first {
		first[i] = -1
	}
	tied := make([]bool, len(m.Points))
	for c, v := range m.Corner {
		r := u.find(int32(c))
		if first[v] < 0 {
			first[v] = r
		} else if first[v] != r {
			tied[v] = true
		}
	}
	var out []int32
	for v, yes := range tied {
		if yes {
			out = append(out, int32(v))
		}
	}
	return out
}

// patches numbers the faces by the patch they lie in: faces linked over edges
// with exactly two faces. size is the number of faces of each patch.
func (m *Mesh) patches(e Edges) (of []int32, size []int) {
	u := newUnion(m.Faces())
	for _, x := range e.Edges {
		if x.Count == 2 {
			uses := e.Of(x)
			u.join(uses[0].Face, uses[1].Face)
		}
	}
	of = make([]int32, m.Faces())
	for f := range of {
		if r := u.find(int32(f)); r == int32(f) {
			of[f] = int32(len(size))
			size = append(size, 0)
		} else {
			of[f] = of[r]
		}
		size[of[f]]++
	}
	return of, size
}

// SplitTies gives every fan of faces around a vertex a vertex of its own, so
// that bow-ties come apart and fins come off: where more than two faces share
// an edge, the two of the largest patches that run along it in opposite
// directions stay joined. The largest fan of a vertex keeps it; the new vertices
// lie in the same places and come last.
func (m *Mesh) SplitTies() (*Mesh, Origin) {
	e := m.Edges()
	patch, size := m.patches(e)
	keep := func(x Edge) []Use {
		uses := e.Of(x)
		if len(uses) <= 2 {
			return uses
		}
		sorted := slices.Clone(uses)
		slices.SortStableFunc(sorted, func(a, b Use) int { return cmp.Compare(size[patch[b.Face]], size[patch[a.Face]]) })
		for _, y := range sorted[1:] {
			if y.Forward != sorted[0].Forward {
				return []Use{sorted[0], y}
			}
		}
		return sorted[:2]
	}
	u := m.fans(e, keep)
	corners := make([]int32, len(m.Corner)) // of each root
	for c := range m.Corner {
		corners[u.find(int32(c))]++
	}
	best := make([]int32, len(m.Points)) // root that keeps the vertex, + 1
	for c, v := range m.Corner {
		r := u.find(int32(c))
		if best[v] == 0 || corners[r] > corners[best[v]-1] {
			best[v] = r + 1
		}
	}
	points := slices.Clone(m.Points)
	origin := identityOrigin(len(points))
	twin := map[int32]int32{} // root → new vertex
	build := buildFrom(m, nil)
	for f := range m.Faces() {
		for c := m.Start[f]; c < m.Start[f+1]; c++ {
			v := m.Corner[c]
			if r := u.find(c); r+1 != best[v] {
				w, ok := twin[r]
				if !ok {
					w = int32(len(points))
					twin[r] = w
					points, origin = append(points, m.Points[v]), append(origin, v)
				}
				v = w
			}
			build.corner(v, c)
		}
		build.face(m.PartOf(f))
	}
	if len(twin) == 0 {
		return m, identityOrigin(len(m.Points))
	}
	build.out.Points = points
	return build.done(origin), origin
}
