package deform

import (
	"cmp"
	"maps"
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// edge of the triangles, with up to two of them.
type edge struct {
	v    [2]int32
	tri  [2]int32 // -1 for none
	rest float64
	flat bool // its faces lie less than a right angle from each other at rest
}

func edgesOf(tris [][3]int32) []edge {
	out := make([]edge, 0, 3*len(tris))
	for i, t := range tris {
		for k := range 3 {
			a, b := t[k], t[(k+1)%3]
			out = append(out, edge{v: [2]int32{min(a, b), max(a, b)}, tri: [2]int32{int32(i), -1}})
		}
	}
	slices.SortStableFunc(out, func(x, y edge) int { return cmp.Or(cmp.Compare(x.v[0], y.v[0]), cmp.Compare(x.v[1], y.v[1])) })
	n := 0
	for i := 0; i < len(out); {
		k := i + 1
		for k < len(out) && out[k].v == out[i].v {
			k++
		}
		e := out[i]
		if k == i+2 {
			e.tri[1] = out[i+1].tri[0]
		}
		out[n] = e
		n++
		i = k
	}
	return out[:n]
}

// measuredEdges are the edges with their lengths at rest.
func measuredEdges(points []r3.Vec, tris [][3]int32) []edge {
	out := edgesOf(tris)
	for i := range out {
		out[i].rest = distance(points[out[i].v[0]], points[out[i].v[1]])
	}
	return out
}

// top keeps the few largest of many.
type top struct {
	n    int
	list []extreme
}

type extreme struct {
	size float64
	at   int32
}

func (t *top) add(size float64, at int32) {
	if len(t.list) == t.n && size <= t.list[t.n-1].size {
		return
	}
	i := len(t.list)
	for i > 0 && t.list[i-1].size < size {
		i--
	}
	t.list = slices.Insert(t.list, i, extreme{size, at})
	t.list = t.list[:min(len(t.list), t.n)]
}

// pinched is from what angle between neighbours on, as its cosine, a crease counts as pinched: 150°.
const pinched = -0.866

// alongEdges measures how much lengths of the surface are drawn out and pressed together, and how much of it is
// pinched. Lengths that hang together and are so by a third of the limit are one place. A few may do anything: in
// the middle of a fold two ends come to lie together.
func (c *checking) alongEdges(w *scratch) (out []Fault) {
	few := len(c.spans) / fewEdges
	long, short := top{n: few + 1}, top{n: few + 1}
	var over, under []extreme
	for i := range c.spans {
		e := &c.spans[i]
		if !w.moved[e.v[0]] && !w.moved[e.v[1]] {
			continue
		}
		ratio := math.Sqrt(r3.Norm2(r3.Sub(w.posed[e.v[0]], w.posed[e.v[1]]))) / e.rest
		if ratio > 1.2 {
			long.add(ratio, int32(i))
			if ratio > toldFrom*faultLimits[FaultStretch] {
				over = append(over, extreme{ratio, int32(i)})
			}
		} else if ratio < 0.8 {
			less := 1 / math.Max(ratio, 1e-3)
			short.add(less, int32(i))
			if less > toldFrom*faultLimits[FaultCrush] {
				under = append(under, extreme{less, int32(i)})
			}
		}
	}
	out = append(out, c.together(FaultStretch, over, long, few, w)...)
	out = append(out, c.together(FaultCrush, under, short, few, w)...)
	if f := c.creases(w); f != nil {
		out = append(out, *f)
	}
	return out
}

// creases is the share of the area that is folded onto itself.
func (c *checking) creases(w *scratch) *Fault {
	var crease []int32
	folded, deepest, sharp := 0.0, 0.0, int32(-1)
	for i := range c.edges {
		e := &c.edges[i]
		if !w.moved[e.v[0]] && !w.moved[e.v[1]] {
			continue
		}
		if e.flat {
			a, b := w.normals[e.tri[0]], w.normals[e.tri[1]]
			if dot := r3.Dot(a, b); dot < 0 {
				if cos := dot / math.Sqrt(r3.Norm2(a)*r3.Norm2(b)); cos < pinched {
					folded += (math.Sqrt(r3.Norm2(c.normals[e.tri[0]])) + math.Sqrt(r3.Norm2(c.normals[e.tri[1]]))) / 6 // a third of each
					crease = append(crease, e.v[0], e.v[1])
					if -cos > deepest {
						deepest, sharp = -cos, e.v[0]
					}
				}
			}
		}
	}
	if sharp < 0 {
		return nil
	}
	slices.Sort(crease)
	return c.fault(FaultPinch, folded/c.area, sharp, w, slices.Compact(crease), c.shared(sharp, nil))
}

// mostTogether is how many places of a kind a frame tells.
const mostTogether = 12

// together makes a fault of each lot of edges that hang together, without its few worst; of the worst of all
// where no lot is that large.
func (c *checking) together(kind string, list []extreme, worst top, few int, w *scratch) (out []Fault) {
	lot := map[int32]int32{} // by vertex: one of its lot
	var find func(v int32) int32
	find = func(v int32) int32 {
		p, ok := lot[v]
		if !ok {
			lot[v] = v
			return v
		}
		if p == v {
			return v
		}
		root := find(p)
		lot[v] = root
		return root
	}
	for _, x := range list {
		e := c.spans[x.at].v
		if a, b := find(e[0]), find(e[1]); a != b {
			lot[max(a, b)] = min(a, b)
		}
	}
	lots := map[int32][]extreme{}
	for _, x := range list {
		root := find(c.spans[x.at].v[0])
		lots[root] = append(lots[root], x)
	}
	for _, root := range slices.Sorted(maps.Keys(lots)) {
		of := lots[root]
		if len(of) <= few {
			continue
		}
		slices.SortFunc(of, func(a, b extreme) int { return cmp.Or(cmp.Compare(b.size, a.size), cmp.Compare(a.at, b.at)) })
		var where []int32
		for _, x := range of {
			where = append(where, c.spans[x.at].v[0], c.spans[x.at].v[1])
		}
		slices.Sort(where)
		e := c.spans[of[few].at]
		out = append(out, *c.fault(kind, of[few].size, e.v[0], w, slices.Compact(where), c.apart(e.v)))
	}
	slices.SortStableFunc(out, func(a, b Fault) int { return cmp.Compare(b.Times, a.Times) })
	out = out[:min(len(out), mostTogether)]
	if len(out) == 0 && len(worst.list) > few {
		e := c.spans[worst.list[few].at]
		var where []int32
		for _, x := range worst.list {
			where = append(where, c.spans[x.at].v[0], c.spans[x.at].v[1])
		}
		slices.Sort(where)
		out = append(out, *c.fault(kind, worst.list[few].size, e.v[0], w, slices.Compact(where), c.apart(e.v)))
	}
	return out
}

// apart are the joints whose weights differ most along an edge, those whose bones are far off first: of two
// that tear at an edge the one that is at home there is the less to blame.
func (c *checking) apart(e [2]int32) []Blame {
	by := map[int32]float64{}
	for k, v := range e {
		sign := 1 - 2*float64(k)
		for _, x := range c.s.weights.Of[v] {
			by[x.Joint] += sign * x.Value
		}
	}
	var out []Blame
	sum := 0.0
	for k, d := range by {
		if d = math.Abs(d) * c.toBone(c.names[k], c.s.points[e[0]]); d > 1e-6*c.height {
			out = append(out, Blame{c.s.weights.Joints[k], d})
			sum += d
		}
	}
	return blamed(out, sum)
}

// toBone is how far a place is from the bones of a joint; the height where it has none.
func (c *checking) toBone(joint int, p r3.Vec) float64 {
	far := c.height
	if joint < 0 {
		return far
	}
	for _, b := range c.bones[joint] {
		on, _ := geom.ClosestOnSegment(p, b.A, b.B)
		far = math.Min(far, r3.Norm(r3.Sub(p, on)))
	}
	return far
}
