// Package hostile makes meshes and files that were made to be slow or to break things,
// for tests; none of them is stored.
package hostile

import (
	"math"
	"math/rand/v2"

	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// Meshes are the ways to make a mesh slow, by name; n is about how many vertices.
var Meshes = map[string]func(n int) *mesh.Mesh{
	"all points equal":     func(n int) *mesh.Mesh { return soup(n, func(int) r3.Vec { return r3.Vec{X: 1} }) },
	"all points on a line": func(n int) *mesh.Mesh { return soup(n, func(i int) r3.Vec { return r3.Vec{X: float64(i)} }) },
	"all points in a plane": func(n int) *mesh.Mesh {
		r := rand.New(rand.NewPCG(1, 2))
		return soup(n, func(int) r3.Vec { return r3.Vec{X: r.Float64(), Z: r.Float64()} })
	},
	"many points at few": func(n int) *mesh.Mesh {
		return soup(n, func(i int) r3.Vec { return r3.Vec{X: float64(i % 7), Y: float64(i % 3)} })
	},
	"one huge face":          hugeFace,
	"a fan around a vertex":  fan,
	"a fan around an edge":   pages,
	"triangles all crossing": crossing,
	"many pieces":            pieces,
	"a long strip":           strip,
}

func soup(n int, at func(i int) r3.Vec) *mesh.Mesh {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("soup")}}
	for i := range n - n%3 {
		m.Points = append(m.Points, at(i))
		if i%3 == 2 {
			m.AddFace(0, int32(i-2), int32(i-1), int32(i))
		}
	}
	return m
}

func hugeFace(n int) *mesh.Mesh {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("face")}}
	var c []int32
	for i := range n {
		a := 2 * math.Pi * float64(i) / float64(n)
		r := 1 + 0.3*float64(i%2)
		m.Points = append(m.Points, r3.Vec{X: r * math.Cos(a), Y: r * math.Sin(a)})
		c = append(c, int32(i))
	}
	m.AddFace(0, c...)
	return m
}

func fan(n int) *mesh.Mesh {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("fan")}, Points: []r3.Vec{{Y: 1}}}
	for i := range n {
		a := 2 * math.Pi * float64(i) / float64(n)
		m.Points = append(m.Points, r3.Vec{X: math.Cos(a), Z: math.Sin(a)})
	}
	for i := range n {
		m.AddFace(0, 0, int32(1+i), int32(1+(i+1)%n))
	}
	return m
}

// pages are triangles that all share one edge, as the leaves of a book.
func pages(n int) *mesh.Mesh {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("book")}, Points: []r3.Vec{{}, {Y: 1}}}
	for i := range n {
		a := 2 * math.Pi * float64(i) / float64(n)
		m.Points = append(m.Points, r3.Vec{X: math.Cos(a), Z: math.Sin(a)})
		m.AddFace(0, 0, 1, int32(2+i))
	}
	return m
}

// crossing are n/3 large random triangles through each other.
func crossing(n int) *mesh.Mesh {
	r := rand.New(rand.NewPCG(3, 4))
	return soup(n, func(int) r3.Vec { return r3.Vec{X: r.Float64(), Y: r.Float64(), Z: r.Float64()} })
}

// pieces are n/4 small tetrahedra in a grid.
func pieces(n int) *mesh.Mesh {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("crumbs")}}
	side := int(math.Cbrt(float64(n)/4)) + 1
	for i := range n / 4 {
		o := r3.Vec{X: float64(i % side), Y: float64(i / side % side), Z: float64(i / side / side)}
		k := int32(len(m.Points))
		m.Points = append(m.Points, o, r3.Add(o, r3.Vec{X: 0.4}), r3.Add(o, r3.Vec{Y: 0.4}), r3.Add(o, r3.Vec{Z: 0.4}))
		m.AddFace(0, k, k+2, k+1)
		m.AddFace(0, k, k+1, k+3)
		m.AddFace(0, k+1, k+2, k+3)
		m.AddFace(0, k+2, k, k+3)
	}
	return m
}

func strip(n int) *mesh.Mesh {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("strip")}}
	for i := range n {
		m.Points = append(m.Points, r3.Vec{X: float64(i / 2), Y: float64(i % 2)})
		if i > 1 {
			m.AddFace(0, int32(i-2), int32(i-1), int32(i))
		}
	}
	return m
}
