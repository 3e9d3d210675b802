package mesh

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/linalg"

	"gonum.org/v1/gonum/spatial/r3"
)

// Laplacian returns the cotangent stiffness matrix of the triangles (positive
// semi-definite, rows sum to 0) and the lumped mass of each vertex, a third of
// the area around it (Pinkall & Polthier 1993; Meyer et al. 2003). negative is
// how many edges have a negative weight, which lets harmonic values leave the
// range of their boundary. Triangles with no area are passed over.
//
// The matrix couples only vertices that share a triangle; its unknowns are the
// vertices of points.
func Laplacian(points []r3.Vec, tris [][3]int32) (stiff *linalg.Symmetric, mass []float64, negative int) {
	n := len(points)
	stiff = pattern(n, tris)
	mass = make([]float64, n)
	add := func(i, j int32, w float64) {
		lo, hi := stiff.Start[i], stiff.Start[i+1]
		for k := lo; k < hi; k++ {
			if stiff.Col[k] == j {
				stiff.Val[k] += w
				return
			}
		}
	}
	for _, t := range tris {
		a, b, c := points[t[0]], points[t[1]], points[t[2]]
		area2 := r3.Norm(geom.TriangleNormal(a, b, c))
		if area2 == 0 || math.IsNaN(area2) {
			continue
		}
		for k := range 3 {
			mass[t[k]] += area2 / 6
			i, j, o := t[(k+1)%3], t[(k+2)%3], t[k]
			cot := r3.Dot(r3.Sub(points[i], points[o]), r3.Sub(points[j], points[o])) / area2
			add(i, j, -cot/2)
			add(j, i, -cot/2)
			add(i, i, cot/2)
			add(j, j, cot/2)
		}
	}
	for i := range n {
		for k := stiff.Start[i]; k < stiff.Start[i+1]; k++ {
			if j := stiff.Col[k]; int(j) > i && stiff.Val[k] > 1e-12 {
				negative++
			}
		}
	}
	return stiff, mass, negative
}

// pattern returns a zero matrix with an entry for every pair of vertices that
// share a triangle, and the diagonal.
func pattern(n int, tris [][3]int32) *linalg.Symmetric {
	start := make([]int32, n+1)
	for _, t := range tris {
		for _, v := range t {
			start[v+1] += 2
		}
	}
	for i := range n {
		start[i+1] += start[i] + 1
	}
	list := make([]int32, start[n])
	fill := make([]int32, n)
	for i := range n {
		list[start[i]] = int32(i)
		fill[i] = start[i] + 1
	}
	for _, t := range tris {
		for k := range 3 {
			v := t[k]
			list[fill[v]], list[fill[v]+1] = t[(k+1)%3], t[(k+2)%3]
			fill[v] += 2
		}
	}
	out := &linalg.Symmetric{N: n, Start: make([]int32, n+1), Col: list[:0]}
	for i := range n {
		row := list[start[i]:start[i+1]]
		insertionSort(row)
		for k, c := range row {
			if k == 0 || row[k-1] != c {
				out.Col = append(out.Col, c) // never overtakes the reading
			}
		}
		out.Start[i+1] = int32(len(out.Col))
	}
	out.Val = make([]float64, len(out.Col))
	return out
}

func insertionSort(s []int32) {
	for i := 1; i < len(s); i++ {
		for j := i; j > 0 && s[j] < s[j-1]; j-- {
			s[j], s[j-1] = s[j-1], s[j]
		}
	}
}
