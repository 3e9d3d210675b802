package mesh

import (
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Change says what a newer delivery of a mesh changed.
type Change struct {
	Before   int  `json:"before"` // vertices
	After    int  `json:"after"`
	Faces    bool `json:"faces"` // the same faces over the same vertices
	Moved    int  `json:"moved"` // vertices, when the faces are the same
	Farthest struct {
		Vertex int     `json:"vertex"`
		By     float64 `json:"by"` // metres
	} `json:"farthest"`
	Where []int32 `json:"-"` // the moved vertices of the newer mesh
}

// Same reports whether vertices can be told by their number.
func (c Change) Same() bool { return c.Before == c.After && c.Faces }

// Compare holds a newer mesh against an older one. Vertices count as moved when
// they are farther apart than geom.NearShare of the diagonal.
func Compare(before, after *Mesh) Change {
	c := Change{Before: len(before.Points), After: len(after.Points)}
	c.Faces = slices.Equal(before.Start, after.Start) && slices.Equal(before.Corner, after.Corner)
	if !c.Same() {
		return c
	}
	p, q := before.World(), after.World()
	limit := geom.NearShare * geom.BoxOf(p).Diagonal()
	for v := range p {
		d := r3.Norm(r3.Sub(q[v], p[v]))
		if d > limit {
			c.Moved++
			c.Where = append(c.Where, int32(v))
		}
		if d > c.Farthest.By {
			c.Farthest.Vertex, c.Farthest.By = v, d
		}
	}
	return c
}
