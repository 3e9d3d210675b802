package mesh

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// grid finds points within a fixed distance of a place.
type grid struct {
	points []r3.Vec
	reach  float64
	cell   float64
	head   map[[3]int32]int32
	next   []int32
}

// newGrid sorts points into cubes as large as the reach.
func newGrid(points []r3.Vec, reach float64) *grid {
	g := &grid{points: points, reach: reach, cell: math.Max(reach, 1e-300), head: make(map[[3]int32]int32, len(points)), next: make([]int32, len(points))}
	// From the last to the first, so that each cube lists its points ascending.
	for i := len(points) - 1; i >= 0; i-- {
		k := g.key(points[i])
		g.next[i] = -1
		if j, ok := g.head[k]; ok {
			g.next[i] = j
		}
		g.head[k] = int32(i)
	}
	return g
}

func (g *grid) key(p r3.Vec) [3]int32 {
	at := func(x float64) int32 {
		return int32(math.Max(math.MinInt32+2, math.Min(math.MaxInt32-2, math.Floor(x/g.cell))))
	}
	return [3]int32{at(p.X), at(p.Y), at(p.Z)}
}

// nearest returns the point nearest to p within reach, the lowest of equals,
// -1 for none.
func (g *grid) nearest(p r3.Vec) int32 {
	best, at := g.reach*g.reach, int32(-1)
	k := g.key(p)
	for dx := int32(-1); dx <= 1; dx++ {
		for dy := int32(-1); dy <= 1; dy++ {
			for dz := int32(-1); dz <= 1; dz++ {
				i, ok := g.head[[3]int32{k[0] + dx, k[1] + dy, k[2] + dz}]
				for ok && i >= 0 {
					if d := r3.Norm2(r3.Sub(g.points[i], p)); d < best || d == best && (at < 0 || i < at) {
						best, at = d, i
					}
					i = g.next[i]
				}
			}
		}
	}
	return at
}
