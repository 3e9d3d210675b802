package bind

import (
	"errors"
	"fmt"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Ways in which a vertex finds the place that it gets its weights from.
const (
	FromSurface = "surface" // the nearest on the other surface, between its corners
	FromVertex  = "vertex"  // the nearest vertex of it
	FromNormal  = "normal"  // where the vertex's normal meets it, forward or back
	FromOrder   = "order"   // the vertex of the same number, wherever it is
)

// CarryOptions say how weights are carried from one mesh to another.
type CarryOptions struct {
	weights.Limits
	From string // FromSurface and so on; "" is that
	// Within is how far a place may be, metres; 0 is as far as it is. What is farther is filled
	// from its neighbours on the mesh.
	Within float64
}

// Carried tells how weights were carried over.
type Carried struct {
	Vertices int     `json:"vertices"` // that found a place
	Mean     float64 `json:"mean_m"`   // of their distances
	Farthest float64 `json:"farthest_m"`
	Filled   []int32 `json:"filled,omitempty"` // that did not, and were filled from their neighbours
	Bare     []int32 `json:"bare,omitempty"`   // that did not, and have no neighbour that did
}

// CarryOver is Carry from the nearest place on the surface, however far.
func CarryOver(from *mesh.Mesh, w *weights.Weights, to *mesh.Mesh, l weights.Limits) (*weights.Weights, error) {
	out, _, err := Carry(from, w, to, CarryOptions{Limits: l})
	return out, err
}

// Carry gives every vertex of a mesh weights of another one. Both are taken in world frame. It
// fails when no face of the other has weights at all its corners.
func Carry(from *mesh.Mesh, w *weights.Weights, to *mesh.Mesh, o CarryOptions) (*weights.Weights, Carried, error) {
	var told Carried
	if o.From == "" {
		o.From = FromSurface
	}
	if o.From != FromSurface && o.From != FromVertex && o.From != FromNormal && o.From != FromOrder {
		return nil, told, fmt.Errorf(
			"weights come from the nearest \"surface\" or \"vertex\", along the \"normal\", or by the \"order\" of vertices, not %q",
			o.From,
		)
	}
	if o.From == FromOrder {
		return inOrder(from, w, to, o)
	}
	if !(o.Within >= 0) {
		return nil, told, fmt.Errorf("the distance must be 0 m or more, not %g", o.Within)
	}
	points := from.World()
	solved := weighted(from, w)
	if len(solved) == 0 {
		return nil, told, errors.New("no face of the earlier mesh has weights that could be carried over")
	}
	within := math.Inf(1)
	if o.Within > 0 {
		within = o.Within
	}
	tree := geom.NewTree(points, solved)
	out := weights.New(w.Joints, len(to.Points))
	target := to.World()
	far := make([]float64, len(target))
	var normals []r3.Vec
	if o.From == FromNormal {
		normals = to.VertexNormals(target)
	}
	geom.Chunks(len(target), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			var tri int32
			var at r3.Vec
			if o.From == FromNormal {
				tri, at, far[v] = along(tree, target[v], normals[v], math.Min(within, tree.Box().Diagonal()))
			} else {
				tri, at, far[v] = tree.NearestOf(target[v], within*(1+1e-12), nil)
			}
			if tri < 0 {
				continue
			}
			t := solved[tri]
			if o.From == FromVertex {
				best := math.Inf(1)
				var near int32
				for _, k := range t {
					if d := r3.Norm2(r3.Sub(points[k], at)); d < best {
						best, near = d, k
					}
				}
				out.Of[v] = weights.Clean(w.Of[near], weights.Limits{})
				continue
			}
			out.Of[v] = w.Blend(t[:], barycentric(at, points[t[0]], points[t[1]], points[t[2]]), weights.Limits{})
		}
	})
	var empty []int32
	for v, list := range out.Of {
		if len(list) == 0 {
			empty = append(empty, int32(v))
			continue
		}
		told.Vertices++
		told.Mean += far[v]
		told.Farthest = math.Max(told.Farthest, far[v])
	}
	told.Mean /= math.Max(1, float64(told.Vertices))
	told.fill(to, out, empty)
	return weights.Capped(to, out, o.Limits), told, nil
}

// inOrder gives each vertex the weights of the one of the same number.
func inOrder(from *mesh.Mesh, w *weights.Weights, to *mesh.Mesh, o CarryOptions) (*weights.Weights, Carried, error) {
	var told Carried
	if len(from.Points) != len(to.Points) {
		return nil, told, fmt.Errorf(
			"the vertex counts differ (%d and %d), so order does not apply: carry over by surface",
			len(from.Points),
			len(to.Points),
		)
	}
	out := weights.New(w.Joints, len(to.Points))
	var empty []int32
	a, b := from.World(), to.World()
	for v := range b {
		far := r3.Norm(r3.Sub(a[v], b[v]))
		if len(w.Of[v]) == 0 || o.Within > 0 && far > o.Within {
			empty = append(empty, int32(v))
			continue
		}
		out.Of[v] = weights.Clean(w.Of[v], weights.Limits{})
		told.Vertices++
		told.Mean += far
		told.Farthest = math.Max(told.Farthest, far)
	}
	told.Mean /= math.Max(1, float64(told.Vertices))
	told.fill(to, out, empty)
	return weights.Capped(to, out, o.Limits), told, nil
}

// fill fills vertices that found no place from their neighbours and tells which could be.
func (c *Carried) fill(to *mesh.Mesh, w *weights.Weights, empty []int32) {
	fill(to, w, empty)
	for _, v := range empty {
		if len(w.Of[v]) > 0 {
			c.Filled = append(c.Filled, v)
		} else {
			c.Bare = append(c.Bare, v)
		}
	}
}

// along returns where a line along a normal, forward or back, meets the surface first.
func along(t *geom.Tree, p, normal r3.Vec, within float64) (tri int32, at r3.Vec, distance float64) {
	tri, distance = -1, math.Inf(1)
	if r3.Norm2(normal) == 0 {
		return tri, at, distance
	}
	for _, hit := range t.Hits(p, normal, -within, within) {
		if d := math.Abs(hit.T); d < distance {
			tri, distance, at = hit.Tri, d, r3.Add(p, r3.Scale(hit.T, normal))
		}
	}
	return tri, at, distance
}

// fillPasses is how often filled vertices are drawn to their neighbours.
const fillPasses = 20

// fill gives empty vertices the mean of their neighbours, ring by ring from those that have
// weights, and smooths what it gave, so that it goes evenly from border to border. Vertices
// that no edge joins to any stay empty.
func fill(m *mesh.Mesh, w *weights.Weights, empty []int32) {
	if len(empty) == 0 || len(empty) == len(w.Of) {
		return
	}
	start, to := m.Edges().Neighbours(len(w.Of))
	filled := make([]bool, len(w.Of))
	var ring []int32
	waits := make([]bool, len(w.Of))
	for _, v := range empty {
		waits[v] = true
	}
	touches := func(v int32) bool {
		for _, k := range to[start[v]:start[v+1]] {
			if len(w.Of[k]) > 0 {
				return true
			}
		}
		return false
	}
	for _, v := range empty {
		if touches(v) {
			ring = append(ring, v)
			waits[v] = false
		}
	}
	for len(ring) > 0 {
		given := make([][]weights.Influence, len(ring))
		for i, v := range ring {
			var near []int32
			for _, k := range to[start[v]:start[v+1]] {
				if len(w.Of[k]) > 0 {
					near = append(near, k)
				}
			}
			shares := make([]float64, len(near))
			for k := range shares {
				shares[k] = 1 / float64(len(near))
			}
			given[i] = w.Blend(near, shares, weights.Limits{})
		}
		var next []int32
		for i, v := range ring {
			w.Of[v], filled[v] = given[i], true
		}
		for _, v := range ring {
			for _, k := range to[start[v]:start[v+1]] {
				if waits[k] {
					waits[k] = false
					next = append(next, k)
				}
			}
		}
		ring = next
	}
	smooth := smoothed(m, w, fillPasses, filled)
	for v, yes := range filled {
		if yes {
			w.Of[v] = weights.Clean(smooth.Of[v], weights.Limits{})
		}
	}
}

// weighted returns the triangles whose corners all have weights.
func weighted(m *mesh.Mesh, w *weights.Weights) [][3]int32 {
	tris, _ := m.Triangles()
	var out [][3]int32
	for _, t := range tris {
		if len(w.Of[t[0]]) > 0 && len(w.Of[t[1]]) > 0 && len(w.Of[t[2]]) > 0 {
			out = append(out, t)
		}
	}
	return out
}
