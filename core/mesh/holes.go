package mesh

import (
	"math"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// MaxHole is the largest border that FillHoles closes; the best triangulation
// takes the cube of its edges.
const MaxHole = 256

// FillHoles closes the open borders of at most edges edges and returns how many
// it closed and how many of that size it had to leave, because every
// triangulation would run along an edge that the surface has already. Borders
// of three and four edges get one face, others the triangulation of least area
// (Barequet & Sharir 1995). No vertex is added or moved. Corners take their
// attributes from the face beside them.
func (m *Mesh) FillHoles(edges int) (out *Mesh, filled, left int) {
	edges = min(edges, MaxHole)
	e := m.Edges()
	var loops [][]int32
	for _, l := range e.BorderLoops() {
		loops = append(loops, simpleLoops(l)...)
	}
	beside := map[[2]int32]int32{} // edge of a loop → corner of the face there
	exists := map[[2]int32]bool{}
	for _, x := range e.Edges {
		if x.Count == 1 {
			u := e.Of(x)[0]
			key := [2]int32{x.A, x.B}
			if u.Forward {
				key = [2]int32{x.B, x.A}
			}
			beside[key] = u.Corner
		}
	}
	onLoop := map[int32]bool{}
	for _, l := range loops {
		if len(l) <= edges {
			for _, v := range l {
				onLoop[v] = true
			}
		}
	}
	for _, x := range e.Edges {
		if onLoop[x.A] && onLoop[x.B] {
			exists[[2]int32{x.A, x.B}] = true
		}
	}
	build := buildFrom(m, m.Points)
	for f := range m.Faces() {
		build.same(f, nil)
	}
	for _, l := range loops {
		if len(l) < 3 || len(l) > edges {
			continue
		}
		faces := fillLoop(m.Points, l, exists)
		if faces == nil || m.lone(l, beside) {
			left++
			continue
		}
		filled++
		at := make(map[int32]int32, len(l))
		for i, v := range l {
			// The face beside runs from the loop's next vertex to v.
			c := beside[[2]int32{v, l[(i+1)%len(l)]}]
			f := faceOfCorner(m.Start, c)
			if c++; c == m.Start[f+1] {
				c = m.Start[f]
			}
			at[v] = c
		}
		part := m.PartOf(faceOfCorner(m.Start, beside[[2]int32{l[0], l[1]}]))
		for _, face := range faces {
			for _, v := range face {
				build.corner(v, at[v])
			}
			build.face(part)
			for i, v := range face {
				w := face[(i+1)%len(face)]
				exists[[2]int32{min(v, w), max(v, w)}] = true
			}
		}
	}
	if filled == 0 {
		return m, 0, left
	}
	out = build.out
	out.Lines, out.Shapes = m.Lines, m.Shapes
	return out, filled, left
}

// simpleLoops cuts a loop that runs through a vertex twice into loops that do
// not.
func simpleLoops(l []int32) [][]int32 {
	if !repeats(l) {
		return [][]int32{l}
	}
	var out [][]int32
	var path []int32
	at := map[int32]int{}
	for _, v := range l {
		if i, ok := at[v]; ok {
			out = append(out, append([]int32(nil), path[i:]...))
			for _, w := range path[i:] {
				delete(at, w)
			}
			path = path[:i]
		}
		at[v] = len(path)
		path = append(path, v)
	}
	return append(out, path)
}

// lone reports whether the loop runs round a single face.
func (m *Mesh) lone(l []int32, beside map[[2]int32]int32) bool {
	f := faceOfCorner(m.Start, beside[[2]int32{l[0], l[1]}])
	for i, v := range l {
		if faceOfCorner(m.Start, beside[[2]int32{v, l[(i+1)%len(l)]}]) != f {
			return false
		}
	}
	return true
}

func faceOfCorner(start []int32, c int32) int {
	lo, hi := 0, len(start)-1
	for hi-lo > 1 {
		if mid := (lo + hi) / 2; start[mid] <= c {
			lo = mid
		} else {
			hi = mid
		}
	}
	return lo
}

// fillLoop returns the faces that close a loop, nil if there are none that use
// only new diagonals.
func fillLoop(p []r3.Vec, l []int32, exists map[[2]int32]bool) [][]int32 {
	n := len(l)
	if n == 3 || n == 4 && !folded(p, l) {
		return [][]int32{l}
	}
	cost := make([]float64, n*n)
	split := make([]int32, n*n)
	for span := 2; span < n; span++ {
		for i := 0; i+span < n; i++ {
			k := i + span
			best, at := math.Inf(1), int32(-1)
			diagonal := !(i == 0 && k == n-1)
			if !diagonal || !exists[[2]int32{min(l[i], l[k]), max(l[i], l[k])}] {
				for j := i + 1; j < k; j++ {
					c := cost[i*n+j] + cost[j*n+k] + r3.Norm(geom.TriangleNormal(p[l[i]], p[l[j]], p[l[k]]))
					if c < best {
						best, at = c, int32(j)
					}
				}
			}
			cost[i*n+k], split[i*n+k] = best, at
		}
	}
	if math.IsInf(cost[n-1], 1) {
		return nil
	}
	var out [][]int32
	var take func(i, k int)
	take = func(i, k int) {
		if k-i < 2 {
			return
		}
		j := int(split[i*n+k])
		out = append(out, []int32{l[i], l[j], l[k]})
		take(i, j)
		take(j, k)
	}
	take(0, n-1)
	return out
}
