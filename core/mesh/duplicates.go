package mesh

import (
	"math"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// NearShare is the default weld distance as a share of the box diagonal.
const NearShare = 1e-5

// Groups returns the vertices that lie within distance of each other, in
// groups of two or more, each ascending, ordered by their first vertex. Only
// vertices that may welcomes are compared; nil welcomes all. A chain of near
// vertices is one group.
func Groups(points []r3.Vec, distance float64, may func(v int32) bool) [][]int32 {
	u := newUnion(len(points))
	cell := math.Max(distance, geom.BoxOf(points).Diagonal()*1e-9)
	if cell == 0 {
		cell = 1
	}
	type key struct{ x, y, z int64 }
	at := func(p r3.Vec) key {
		return key{int64(math.Floor(p.X / cell)), int64(math.Floor(p.Y / cell)), int64(math.Floor(p.Z / cell))}
	}
	head := make(map[key]int32, len(points))
	next := make([]int32, len(points))
	d2 := distance * distance
	for i, p := range points {
		v := int32(i)
		if may != nil && !may(v) {
			continue
		}
		k := at(p)
		for dx := int64(-1); dx <= 1; dx++ {
			for dy := int64(-1); dy <= 1; dy++ {
				for dz := int64(-1); dz <= 1; dz++ {
					w, ok := head[key{k.x + dx, k.y + dy, k.z + dz}]
					for ok {
						if r3.Norm2(r3.Sub(points[w], p)) <= d2 {
							u.join(v, w)
						}
						w = next[w]
						ok = w >= 0
					}
				}
			}
		}
		if w, ok := head[k]; ok {
			next[v] = w
		} else {
			next[v] = -1
		}
		head[k] = v
	}
	member := make([]int32, len(points)) // group number + 1 of a root
	var out [][]int32
	for i := range points {
		r := u.find(int32(i))
		if r == int32(i) {
			continue
		}
		if member[r] == 0 {
			out = append(out, []int32{r})
			member[r] = int32(len(out))
		}
		g := member[r] - 1
		out[g] = append(out[g], int32(i))
	}
	return out
}

// weldable tells which vertices a weld may touch: those on open borders and
// loose ones. The vertices of closed surfaces that merely lie on each other
// stay apart.
func weldable(m *Mesh, e Edges) func(v int32) bool {
	closed := make([]bool, len(m.Points))
	for _, c := range m.Corner {
		closed[c] = true
	}
	for _, x := range e.Edges {
		if x.Count == 1 {
			closed[x.A], closed[x.B] = false, false
		}
	}
	return func(v int32) bool { return !closed[v] }
}

// WeldGroups returns the groups that Weld would join within distance.
func (m *Mesh) WeldGroups(distance float64) [][]int32 {
	return Groups(m.World(), distance, weldable(m, m.Edges()))
}
