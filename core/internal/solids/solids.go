// Package solids makes meshes of known shape for the tests of core.
package solids

import (
	"math"

	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// Box returns a closed box of quads.
func Box(lo, hi r3.Vec) *mesh.Mesh {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("box")}}
	for i := range 8 {
		p := lo
		if i&1 != 0 {
			p.X = hi.X
		}
		if i&2 != 0 {
			p.Y = hi.Y
		}
		if i&4 != 0 {
			p.Z = hi.Z
		}
		m.Points = append(m.Points, p)
	}
	for _, f := range [][4]int32{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}} {
		m.AddFace(0, f[0], f[1], f[2], f[3])
	}
	return m
}

// Tube returns a closed cylinder about the X axis from 0 to length, with rings
// of sides quads and fans at the ends.
func Tube(length, radius float64, rings, sides int) *mesh.Mesh {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("tube")}}
	for i := range rings + 1 {
		for k := range sides {
			s, c := math.Sincos(2 * math.Pi * float64(k) / float64(sides))
			m.Points = append(m.Points, r3.Vec{X: length * float64(i) / float64(rings), Y: radius * c, Z: radius * s})
		}
	}
	at := func(i, k int) int32 { return int32(i*sides + k%sides) }
	for i := range rings {
		for k := range sides {
			m.AddFace(0, at(i, k), at(i, k+1), at(i+1, k+1), at(i+1, k))
		}
	}
	a, b := int32(len(m.Points)), int32(len(m.Points)+1)
	m.Points = append(m.Points, r3.Vec{}, r3.Vec{X: length})
	for k := range sides {
		m.AddFace(0, a, at(0, k+1), at(0, k))
		m.AddFace(0, b, at(rings, k), at(rings, k+1))
	}
	return m
}

// Sphere returns a unit sphere of triangles: an icosahedron split n times.
func Sphere(n int) *mesh.Mesh {
	g := (1 + math.Sqrt(5)) / 2
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("sphere")}}
	for _, p := range [][3]float64{{-1, g, 0}, {1, g, 0}, {-1, -g, 0}, {1, -g, 0}, {0, -1, g}, {0, 1, g}, {0, -1, -g}, {0, 1, -g},
		{g, 0, -1}, {g, 0, 1}, {-g, 0, -1}, {-g, 0, 1}} {
		m.Points = append(m.Points, r3.Unit(r3.Vec{X: p[0], Y: p[1], Z: p[2]}))
	}
	tris := [][3]int32{
		{0, 11, 5},
		{0, 5, 1},
		{0, 1, 7},
		{0, 7, 10},
		{0, 10, 11},
		{1, 5, 9},
		{5, 11, 4},
		{11, 10, 2},
		{10, 7, 6},
		{7, 1, 8},
		{3, 9, 4},
		{3, 4, 2},
		{3, 2, 6},
		{3, 6, 8},
		{3, 8, 9},
		{4, 9, 5},
		{2, 4, 11},
		{6, 2, 10},
		{8, 6, 7},
		{9, 8, 1},
	}
	for range n {
		mid := map[[2]int32]int32{}
		half := func(a, b int32) int32 {
			k := [2]int32{min(a, b), max(a, b)}
			v, ok := mid[k]
			if !ok {
				v = int32(len(m.Points))
				m.Points = append(m.Points, r3.Unit(r3.Add(m.Points[a], m.Points[b])))
				mid[k] = v
			}
			return v
		}
		var next [][3]int32
		for _, t := range tris {
			a, b, c := half(t[0], t[1]), half(t[1], t[2]), half(t[2], t[0])
			next = append(next, [3]int32{t[0], a, c}, [3]int32{t[1], b, a}, [3]int32{t[2], c, b}, [3]int32{a, b, c})
		}
		tris = next
	}
	for _, t := range tris {
		m.AddFace(0, t[0], t[1], t[2])
	}
	return m
}
