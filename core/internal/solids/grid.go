package solids

import (
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// Plate returns a flat sheet of n × n unit quads in the plane Y = 0 that looks
// up, with its corner at the origin.
func Plate(n int) *mesh.Mesh {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("plate")}}
	for z := range n + 1 {
		for x := range n + 1 {
			m.Points = append(m.Points, r3.Vec{X: float64(x), Z: float64(z)})
		}
	}
	at := func(x, z int) int32 { return int32(z*(n+1) + x) }
	for z := range n {
		for x := range n {
			m.AddFace(0, at(x, z), at(x, z+1), at(x+1, z+1), at(x+1, z))
		}
	}
	return m
}
