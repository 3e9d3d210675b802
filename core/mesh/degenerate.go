package mesh

import (
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Thin is the height of a face over its longest edge below which it is a needle;
// below geom.FlatShare it has no area.
const Thin = 0.01

// thickness returns the height of a face over its longest edge: its area over
// half the square of that edge, 1.73 for an equilateral triangle, 4 for a square
// of four equal sides.
func thickness(p []r3.Vec, c []int32) float64 {
	longest := 0.0
	for i, a := range c {
		longest = max(longest, r3.Norm2(r3.Sub(p[a], p[c[(i+1)%len(c)]])))
	}
	if longest == 0 {
		return 0
	}
	return r3.Norm(AreaVector(p, c)) / longest
}

// Slivers returns the faces without area and the needles: faces with next to
// no height over their longest edge, and with less than a hundredth of it.
func (m *Mesh) Slivers() (empty, needles []int32) {
	for f := range m.Faces() {
		switch t := thickness(m.Points, m.Face(f)); {
		case t <= geom.FlatShare:
			empty = append(empty, int32(f))
		case t < Thin:
			needles = append(needles, int32(f))
		}
	}
	return empty, needles
}

// Doubled returns the faces over the same vertices as an earlier face.
func (m *Mesh) Doubled() []int32 {
	size := 1
	for size < 2*m.Faces() {
		size *= 2
	}
	seen := make([]int32, size) // face + 1, at its hash or behind it
	var out []int32
	for f := range m.Faces() {
		c := m.Face(f)
		var h uint64 // whatever the order of the corners
		for _, v := range c {
			h += scrambled(uint64(v))
		}
		at, same := int(h)&(size-1), false
		for ; seen[at] != 0 && !same; at = (at + 1) & (size - 1) {
			same = sameVertices(c, m.Face(int(seen[at]-1)))
		}
		if same {
			out = append(out, int32(f))
		} else {
			seen[at] = int32(f + 1)
		}
	}
	return out
}

// scrambled spreads a number over all bits (Steele, Lea and Flood 2014, SplitMix64).
func scrambled(x uint64) uint64 {
	x += 0x9e3779b97f4a7c15
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

// sameVertices reports whether two faces have the same corners, in any order.
func sameVertices(a, b []int32) bool {
	if len(a) != len(b) {
		return false
	}
	if len(a) == 3 { // most are triangles
		return (a[0] == b[0] && (a[1] == b[1] && a[2] == b[2] || a[1] == b[2] && a[2] == b[1])) ||
			(a[0] == b[1] && (a[1] == b[0] && a[2] == b[2] || a[1] == b[2] && a[2] == b[0])) ||
			(a[0] == b[2] && (a[1] == b[0] && a[2] == b[1] || a[1] == b[1] && a[2] == b[0]))
	}
	x, y := slices.Clone(a), slices.Clone(b)
	slices.Sort(x)
	slices.Sort(y)
	return slices.Equal(x, y)
}

// DropFaces drops second copies of faces and faces without area, so that no gap
// is left where one was: corners of such a face that lie on each other become
// one vertex, the lowest, and a vertex in the middle of its long side goes into
// the neighbour across that side.
func (m *Mesh) DropFaces() (*Mesh, Mapping) {
	drop := make([]bool, m.Faces())
	for _, f := range m.Doubled() {
		drop[f] = true
	}
	reach := geom.NearShare * geom.BoxOf(m.Points).Diagonal()
	u := newUnion(len(m.Points))
	var caps []int32
	empty, _ := m.Slivers()
	for _, f := range empty {
		if drop[f] {
			continue
		}
		drop[f] = true
		c, joined := m.Face(int(f)), false
		for i, a := range c {
			for _, b := range c[:i] {
				if a != b && r3.Norm(r3.Sub(m.Points[a], m.Points[b])) <= reach {
					u.join(a, b)
					joined = true
				}
			}
		}
		if !joined && len(c) == 3 {
			caps = append(caps, f)
		}
	}
	out := m
	if len(caps) > 0 {
		out = m.passOn(caps, drop)
	}
	to := make([]int32, len(m.Points))
	for v := range to {
		to[v] = u.find(int32(v))
	}
	return out.rebuild(to, drop)
}

// passOn inserts the middle vertex of each flat triangle into the face across
// its longest side; faces keep their numbers.
func (m *Mesh) passOn(caps []int32, drop []bool) *Mesh {
	e := m.Edges()
	edge := map[[2]int32]Edge{}
	wanted := map[[2]int32]bool{}
	type side struct{ a, b, mid int32 }
	sides := make([]side, len(caps))
	for i, f := range caps {
		c := m.Face(int(f))
		best := 0
		for k := range 3 {
			if r3.Norm2(r3.Sub(m.Points[c[k]], m.Points[c[(k+1)%3]])) > r3.Norm2(r3.Sub(m.Points[c[best]], m.Points[c[(best+1)%3]])) {
				best = k
			}
		}
		a, b := c[best], c[(best+1)%3]
		sides[i] = side{a, b, c[(best+2)%3]}
		wanted[[2]int32{min(a, b), max(a, b)}] = true
	}
	for _, x := range e.Edges {
		if wanted[[2]int32{x.A, x.B}] {
			edge[[2]int32{x.A, x.B}] = x
		}
	}
	insert := map[int32]int32{} // corner → vertex that follows it
	for i, s := range sides {
		x := edge[[2]int32{min(s.a, s.b), max(s.a, s.b)}]
		if x.Count != 2 {
			continue
		}
		for _, u := range e.Of(x) {
			if u.Face == caps[i] || drop[u.Face] {
				continue
			}
			if _, taken := insert[u.Corner]; !taken && !slices.Contains(m.Face(int(u.Face)), s.mid) {
				insert[u.Corner] = s.mid
			}
		}
	}
	build := buildFrom(m, m.Points)
	for f := range m.Faces() {
		for c := m.Start[f]; c < m.Start[f+1]; c++ {
			build.corner(m.Corner[c], c)
			if v, ok := insert[c]; ok {
				build.corner(v, c)
			}
		}
		build.face(m.PartOf(f))
	}
	build.out.Lines, build.out.Shapes = m.Lines, m.Shapes
	return build.out
}
