package guide

import (
	"cmp"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/linalg"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// What holds a solid together was set by looking at the cast and at strangers in the poses at the ends of their
// ranges; no source.
const (
	// leastSpring and mostSpring bound the stiffness along an edge, its cotangents: obtuse triangles would push.
	leastSpring, mostSpring = 0.05, 10
	// coreShare is how thick a bone's core is, of the way from the bone to the skin. What is tied to the core and not
	// to the line of the bone twists with it.
	coreShare = 0.4
	// rodTimes is how stiff flesh is towards the bone, against along the skin: with 1 a limb that is twisted by 90°
	// loses twice as much volume as with 3, with 8 it gains some when it is bent, and folds become sharper.
	rodTimes = 2
	// rodFalls is the exponent with which a bone farther than the nearest counts less.
	rodFalls = 6
	// rodShare is from what share on a bone is tied to.
	rodShare = 1e-3
	// leastRod is how stiff flesh is at least, of the edges together: what hangs far from its bone, as a braid, would
	// take long to come to rest.
	leastRod = 0.01
	// mostRod is how stiff it is at most: next to a bone there is hardly any.
	mostRod = 2
	// ownFrom is from what weight on a joint holds the skin itself, as a skull does, ownAll from what it does so fully.
	ownFrom, ownAll = 0.9, 0.99
	// leastShare is what weight a joint must have at a vertex, or at one beside it, for its bones to hold it.
	leastShare = 0.02
	// layered is how far what lies over a body is from it at most, of the height.
	layered = 0.04
)

// link is a spring on its way to a node.
type link struct {
	to    int32
	stiff float64
}

// join makes springs of the edges of a surface, by their cotangents (Pinkall & Polthier 1993), and of further links.
func (g *Solid) join(stiff *linalg.Symmetric, more [][]link) {
	g.start = make([]int32, len(g.nodes)+1)
	for v := range g.nodes {
		var list []link
		for k := stiff.Start[v]; k < stiff.Start[v+1]; k++ {
			if b := stiff.Col[k]; int(b) != v {
				list = append(list, link{b, min(max(-stiff.Val[k], leastSpring), mostSpring)})
			}
		}
		list = append(list, more[v]...)
		slices.SortStableFunc(list, func(a, b link) int { return cmp.Compare(a.to, b.to) })
		for i, x := range list {
			if i > 0 && list[i-1].to == x.to {
				last := len(g.to) - 1
				g.stiff[last] += x.stiff
				g.along[last] = r3.Scale(g.stiff[last], r3.Sub(g.nodes[x.to], g.nodes[v]))
				continue
			}
			g.to, g.stiff = append(g.to, x.to), append(g.stiff, x.stiff)
			g.along = append(g.along, r3.Scale(x.stiff, r3.Sub(g.nodes[x.to], g.nodes[v])))
		}
		g.start[v+1] = int32(len(g.to))
	}
}

// over links what lies over the body, as cloth does, to what of it is beneath, so that it stays at its distance.
func (g *Solid) over(m *mesh.Mesh, area []float64) [][]link {
	out := make([][]link, len(g.nodes))
	pieces := m.Pieces()
	if pieces.Count() < 2 {
		return out
	}
	body := int32(pieces.Largest())
	var tris [][3]int32
	for _, t := range g.tris {
		if pieces.OfVertex[t[0]] == body {
			tris = append(tris, t)
		}
	}
	tree := geom.NewTree(g.nodes, tris)
	height := geom.BoxOf(g.nodes).Size().Y
	beneath := make([][]link, len(g.nodes))
	geom.Chunks(len(g.nodes), 256, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			if pieces.OfVertex[v] == body {
				continue
			}
			t, at, d := tree.NearestOf(g.nodes[v], layered*height, nil)
			if t < 0 || !g.together(int32(v), tris[t]) {
				continue
			}
			stiff := min(mostSpring, area[v]/math.Max(d*d, 1e-300))
			share := geom.Barycentric(at, g.nodes[tris[t][0]], g.nodes[tris[t][1]], g.nodes[tris[t][2]])
			for k, b := range tris[t] {
				if share[k] > 0 {
					beneath[v] = append(beneath[v], link{b, stiff * share[k]})
				}
			}
		}
	})
	for v, list := range beneath {
		for _, x := range list {
			out[v] = append(out[v], x)
			out[x.to] = append(out[x.to], link{int32(v), x.stiff})
		}
	}
	return out
}

// together reports whether a joint moves both a node and a corner of a triangle.
func (g *Solid) together(v int32, t [3]int32) bool {
	for _, x := range g.weights.Of[v] {
		for _, b := range t {
			if x.Value >= leastShare && g.weights.Value(int(b), x.Joint) >= leastShare {
				return true
			}
		}
	}
	return false
}

// tie ties each node to the bones near it that may move it: as stiffly as a column of flesh from the core of the bone
// to the skin is against the skin itself, area over thickness squared. Where bones meet, the core turns from one to the
// next without shrinking.
func (g *Solid) tie(area []float64) {
	deform := make([]bool, len(g.skeleton.Joints))
	for _, i := range g.number {
		if i >= 0 {
			deform[i] = true
		}
	}
	bones := make([][]skeleton.Bone, len(g.skeleton.Joints))
	for _, b := range g.skeleton.Leading(deform) {
		bones[b.Joint] = append(bones[b.Joint], b)
	}
	g.rods = make([]rod, len(g.nodes))
	geom.Chunks(len(g.nodes), 256, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			g.rods[v] = g.rodOf(int32(v), area[v], bones)
		}
	})
}

// rodOf is that of a node.
func (g *Solid) rodOf(v int32, area float64, bones [][]skeleton.Bone) (out rod) {
	p := g.nodes[v]
	near := g.to[g.start[v]:g.start[v+1]]
	var list []end
	nearest := math.Inf(1)
	for _, j := range g.movers(v, near) {
		best, on := math.Inf(1), r3.Vec{}
		for _, b := range bones[g.number[j]] {
			c, _ := geom.ClosestOnSegment(p, b.A, b.B)
			if d := r3.Norm(r3.Sub(p, c)); d < best {
				best, on = d, c
			}
		}
		if !math.IsInf(best, 1) {
			list = append(list, end{j, on, best})
			nearest = min(nearest, best)
		}
	}
	if len(list) == 0 {
		return out
	}
	nearest = math.Max(nearest, 1e-12)
	sum := 0.0
	for i, x := range list {
		list[i].share = math.Pow(nearest/math.Max(x.share, 1e-12), rodFalls)
		sum += list[i].share
	}
	kept := 0.0
	for _, x := range list {
		if x.share /= sum; x.share > rodShare {
			out.ends = append(out.ends, x)
			kept += x.share
		}
	}
	var on r3.Vec
	for i := range out.ends {
		out.ends[i].share /= kept
		on = r3.Add(on, r3.Scale(out.ends[i].share, out.ends[i].on))
	}
	thick := (1 - coreShare) * nearest
	springs := 0.0
	for _, k := range g.stiff[g.start[v]:g.start[v+1]] {
		springs += k
	}
	out.stiff = min(max(rodTimes*area/(thick*thick), leastRod*springs), mostRod*springs)
	out.core = r3.Scale(coreShare, r3.Sub(p, on))
	out.along = r3.Scale(out.stiff, r3.Sub(r3.Add(on, out.core), p))
	if first := g.weights.Of[v][0]; first.Value > ownFrom && g.number[first.Joint] >= 0 {
		out.own = out.stiff * min(1, (first.Value-ownFrom)/(ownAll-ownFrom))
	}
	return out
}

// movers are the joints of the weights that move a node, or one beside it.
func (g *Solid) movers(v int32, near []int32) []int32 {
	var out []int32
	add := func(v int32) {
		for _, x := range g.weights.Of[v] {
			if g.number[x.Joint] >= 0 && x.Value >= leastShare && !slices.Contains(out, x.Joint) {
				out = append(out, x.Joint)
			}
		}
	}
	add(v)
	for _, b := range near {
		add(b)
	}
	return out
}
