package deform

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// limbs divides a skin into what lies about the bones of each joint, and closes each of these parts so that it
// encloses a volume.
type limbs struct {
	tris  [][3]int32
	into  []int32 // by joint: the one whose limb it is part of
	owner []int32 // by triangle: that of the joint whose bone is nearest to its first corner, -1 for none
	at    []int32 // by joint: a vertex of it, from which its volume is measured, -1 for none
	rims  []rim
	rest  []float64 // by joint: the volume at rest, m³; below 0 where the skin is inside out
}

// rim is an opening of a limb: where the next one begins, or a border of the mesh. It is closed by triangles from
// the mean of its vertices to each of its edges, which are the same in every pose.
type rim struct {
	joint    int32
	vertices []int32
	edges    [][2]int32 // as the closing triangles run
}

// newLimbs divides a skin by the bone that is nearest to each vertex at rest. What is no tube about its bone, as a
// disc of a back or what lies about a clavicle, is one with what lies about the joint above: a back, a torso.
func newLimbs(points []r3.Vec, tris [][3]int32, edges []edge, home []int32, s *skeleton.Skeleton) *limbs {
	l := dividedBy(points, tris, edges, home, len(s.Joints))
	skin, open := l.areas(points)
	into := make([]int32, len(s.Joints))
	for i, j := range s.Joints { // parents come first
		into[i] = int32(i)
		if j.Parent >= 0 && open[i] > openMost*skin[i] {
			into[i] = into[j.Parent]
		}
	}
	merged := make([]int32, len(home))
	for v, h := range home {
		merged[v] = h
		if h >= 0 {
			merged[v] = into[h]
		}
	}
	out := dividedBy(points, tris, edges, merged, len(s.Joints))
	out.into = into
	return out
}

// openMost is how large the openings of a limb are at most, over its skin: of a tube half as thick as long.
const openMost = 0.5

// dividedBy divides a skin by the homes of its vertices.
func dividedBy(points []r3.Vec, tris [][3]int32, edges []edge, home []int32, joints int) *limbs {
	l := &limbs{tris: tris, owner: make([]int32, len(tris)), at: make([]int32, joints)}
	for h := range l.at {
		l.at[h] = -1
	}
	for i, t := range tris {
		l.owner[i] = home[t[0]]
		if h := l.owner[i]; h >= 0 && l.at[h] < 0 {
			l.at[h] = t[0]
		}
	}
	type side struct {
		joint int32
		edge  [2]int32
	}
	var sides []side
	for _, e := range edges {
		if e.tri[1] >= 0 && l.owner[e.tri[0]] == l.owner[e.tri[1]] {
			continue
		}
		for _, i := range e.tri {
			if i >= 0 && l.owner[i] >= 0 {
				sides = append(sides, side{l.owner[i], reversed(tris[i], e.v)})
			}
		}
	}
	// Edges of one limb that share vertices are one rim.
	parent := map[[2]int32][2]int32{} // joint and vertex
	var find func(x [2]int32) [2]int32
	find = func(x [2]int32) [2]int32 {
		p, ok := parent[x]
		if !ok || p == x {
			parent[x] = x
			return x
		}
		root := find(p)
		parent[x] = root
		return root
	}
	for _, s := range sides {
		if a, b := find([2]int32{s.joint, s.edge[0]}), find([2]int32{s.joint, s.edge[1]}); a != b {
			parent[b] = a
		}
	}
	at := map[[2]int32]int{}
	seen := map[[2]int32]bool{}
	for _, s := range sides {
		root := find([2]int32{s.joint, s.edge[0]})
		k, ok := at[root]
		if !ok {
			k = len(l.rims)
			at[root] = k
			l.rims = append(l.rims, rim{joint: s.joint})
		}
		l.rims[k].edges = append(l.rims[k].edges, s.edge)
		for _, v := range s.edge {
			if x := [2]int32{s.joint, v}; !seen[x] {
				seen[x] = true
				l.rims[k].vertices = append(l.rims[k].vertices, v)
			}
		}
	}
	l.rest = l.volumes(points)
	return l
}

// areas are, by joint, those of a limb's skin and of what closes its openings, m².
func (l *limbs) areas(points []r3.Vec) (skin, open []float64) {
	skin, open = make([]float64, len(l.at)), make([]float64, len(l.at))
	for i, t := range l.tris {
		if h := l.owner[i]; h >= 0 {
			skin[h] += r3.Norm(faceNormal(points, t)) / 2
		}
	}
	for _, r := range l.rims {
		var mean r3.Vec
		for _, v := range r.vertices {
			mean = r3.Add(mean, r3.Scale(1/float64(len(r.vertices)), points[v]))
		}
		for _, e := range r.edges {
			open[r.joint] += r3.Norm(r3.Cross(r3.Sub(points[e[0]], mean), r3.Sub(points[e[1]], mean))) / 2
		}
	}
	return skin, open
}

// reversed is an edge of a triangle, as it runs on the other side of it.
func reversed(t [3]int32, e [2]int32) [2]int32 {
	for k := range 3 {
		if t[k] == e[0] && t[(k+1)%3] == e[1] {
			return [2]int32{e[1], e[0]}
		}
	}
	return e
}

// volumes are, by joint, what its limb encloses, m³.
func (l *limbs) volumes(points []r3.Vec) []float64 {
	out := make([]float64, len(l.at))
	for i, t := range l.tris {
		if h := l.owner[i]; h >= 0 {
			o := points[l.at[h]]
			out[h] += signedVolume(r3.Sub(points[t[0]], o), r3.Sub(points[t[1]], o), r3.Sub(points[t[2]], o))
		}
	}
	for _, r := range l.rims {
		o := points[l.at[r.joint]]
		var mean r3.Vec
		for _, v := range r.vertices {
			mean = r3.Add(mean, r3.Sub(points[v], o))
		}
		mean = r3.Scale(1/float64(len(r.vertices)), mean)
		for _, e := range r.edges {
			out[r.joint] += signedVolume(r3.Sub(points[e[0]], o), r3.Sub(points[e[1]], o), mean)
		}
	}
	return out
}

// changed is by how much of its volume at rest a joint's limb changes, 0.1 for a tenth more; ok is false where it
// has none to speak of.
func (l *limbs) changed(joint int, now []float64, height float64) (share float64, ok bool) {
	if math.Abs(l.rest[joint]) < 1e-5*height*height*height {
		return 0, false
	}
	return now[joint]/l.rest[joint] - 1, true
}

// homesOf is, by vertex, the joint whose bone is nearest, -1 where there are none.
func homesOf(points []r3.Vec, bones []skeleton.Bone) []int32 {
	out := make([]int32, len(points))
	geom.Chunks(len(points), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			best := math.Inf(1)
			out[v] = -1
			for _, b := range bones {
				on, _ := geom.ClosestOnSegment(points[v], b.A, b.B)
				if d := r3.Norm2(r3.Sub(points[v], on)); d < best {
					best, out[v] = d, int32(b.Joint)
				}
			}
		}
	})
	return out
}
