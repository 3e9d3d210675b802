package geom

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// dipole is the far field of a node: the sum of its triangles' area vectors
// at their area-weighted middle, and the radius that holds them.
type dipole struct {
	at, area r3.Vec
	radius   float64
}

// far is how many radii away a node may be replaced by its dipole
// (β of Barill et al. 2018, who use 2).
const far = 2

// PrepareWinding computes the far fields that Winding needs. It must be called
// once before Winding is used from several goroutines.
func (t *Tree) PrepareWinding() {
	if t.dipole != nil || len(t.nodes) == 0 {
		return
	}
	t.dipole = make([]dipole, len(t.nodes))
	t.sum(0, 3)
}

// sum forks so many levels deep in large trees; what is added to what does not depend on it.
func (t *Tree) sum(at int32, fork int) (area, moment r3.Vec, weight float64) {
	n := &t.nodes[at]
	if n.count > 0 {
		for _, f := range t.order[n.first : n.first+n.count] {
			v := t.tris[f]
			a, b, c := t.points[v[0]], t.points[v[1]], t.points[v[2]]
			s := r3.Scale(0.5, TriangleNormal(a, b, c))
			w := math.Sqrt(r3.Norm2(s))
			area = r3.Add(area, s)
			moment = r3.Add(moment, r3.Scale(w/3, r3.Add(a, r3.Add(b, c))))
			weight += w
		}
	} else {
		var a1, m1, a2, m2 r3.Vec
		var w1, w2 float64
		if fork > 0 && len(t.tris) > 4096 {
			Both(func() { a1, m1, w1 = t.sum(n.first, fork-1) }, func() { a2, m2, w2 = t.sum(n.second, fork-1) })
		} else {
			a1, m1, w1 = t.sum(n.first, 0)
			a2, m2, w2 = t.sum(n.second, 0)
		}
		area, moment, weight = r3.Add(a1, a2), r3.Add(m1, m2), w1+w2
	}
	d := dipole{area: area, at: Box{n.min, n.max}.Centre()}
	if weight > 0 {
		d.at = r3.Scale(1/weight, moment)
	}
	x, y, z := max(d.at.X-n.min.X, n.max.X-d.at.X), max(d.at.Y-n.min.Y, n.max.Y-d.at.Y), max(d.at.Z-n.min.Z, n.max.Z-d.at.Z)
	d.radius = math.Sqrt(x*x + y*y + z*z) // to the farthest corner
	t.dipole[at] = d
	return area, moment, weight
}

// Winding returns the generalised winding number of the triangles about p:
// 1 inside and 0 outside a closed outward surface, a fraction near holes
// (Jacobson et al. 2013; far nodes by their dipole, Barill et al. 2018).
func (t *Tree) Winding(p r3.Vec) float64 { return (&Query{Tree: t}).Winding(p) }

// Winding is Tree.Winding.
func (q *Query) Winding(p r3.Vec) float64 {
	t := q.Tree
	if len(t.nodes) == 0 {
		return 0
	}
	t.PrepareWinding()
	var angle float64
	var stack [64]int32
	top := 1
	for top > 0 {
		top--
		q.Steps++
		at := stack[top]
		n, d := &t.nodes[at], &t.dipole[at]
		v := r3.Sub(d.at, p)
		if r2 := r3.Norm2(v); r2 > far*far*d.radius*d.radius {
			angle += r3.Dot(d.area, v) / (r2 * math.Sqrt(r2))
			continue
		}
		if n.count > 0 {
			q.Steps += int(n.count)
			for _, f := range t.order[n.first : n.first+n.count] {
				w := t.tris[f]
				angle += SolidAngle(p, t.points[w[0]], t.points[w[1]], t.points[w[2]])
			}
			continue
		}
		stack[top], stack[top+1] = n.second, n.first
		top += 2
	}
	return angle / (4 * math.Pi)
}
