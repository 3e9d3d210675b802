package bind

import (
	"math"
	"sort"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// faint is the weight below which a vertex counts for no joint's region: it moves by less
// than a fiftieth of what the joint does.
const faint = 0.02

// mostNeighbours is how many joints are named that share a joint's vertices.
const mostNeighbours = 3

// spread measures where on the surface the weight of each joint lies: its area, how far it
// reaches from what it leads, what of it is cut off, and with whom it shares.
func (a *account) spread(out []JointReport) {
	of := make([]int, len(a.w.Joints))
	for k, name := range a.w.Joints {
		of[k] = a.s.Index(name)
	}
	points := a.m.World()
	mass := make([]float64, len(points))
	for _, t := range a.tris {
		third := math.Sqrt(r3.Norm2(geom.TriangleNormal(points[t[0]], points[t[1]], points[t[2]]))) / 6
		for _, v := range t {
			mass[v] += third
		}
	}
	touched := make([][]int32, len(out)) // by joint
	value := make([][]float64, len(out))
	for v, list := range a.w.Of {
		for _, x := range list {
			i := of[x.Joint]
			if i < 0 {
				continue
			}
			out[i].Area += x.Value * mass[v]
			if x.Value < faint {
				continue
			}
			touched[i], value[i] = append(touched[i], int32(v)), append(value[i], x.Value)
		}
	}
	start, to := a.m.Edges().Neighbours(len(points))
	pieces := a.m.Pieces()
	geom.Chunks(len(out), 1, func(i, _ int) {
		r := &out[i]
		shared := make([]float64, len(out)) // with each other joint
		var names []int
		for at, v := range touched[i] {
			for _, y := range a.w.Of[v] {
				k := of[y.Joint]
				if k < 0 || k == i || mass[v] == 0 {
					continue
				}
				if shared[k] == 0 {
					names = append(names, k)
				}
				shared[k] += value[i][at] * y.Value * mass[v]
			}
		}
		sort.Slice(names, func(p, q int) bool {
			return shared[names[p]] > shared[names[q]] || shared[names[p]] == shared[names[q]] && names[p] < names[q]
		})
		for _, k := range names[:min(len(names), mostNeighbours)] {
			r.Neighbours = append(r.Neighbours, a.s.Joints[k].Name)
		}
		if len(touched[i]) == 0 {
			return
		}
		at := make([]int32, len(points)) // place of a vertex in the list, + 1
		for k, v := range touched[i] {
			at[v] = int32(k) + 1
		}
		// Regions that hang together along the surface; the heaviest is the joint's own.
		region, weight := make([]int, len(touched[i])), []float64{}
		for k := range region {
			region[k] = -1
		}
		var stack []int
		for k := range touched[i] {
			if region[k] >= 0 {
				continue
			}
			n := len(weight)
			weight = append(weight, 0)
			region[k] = n
			stack = append(stack[:0], k)
			for len(stack) > 0 {
				x := stack[len(stack)-1]
				stack = stack[:len(stack)-1]
				v := touched[i][x]
				weight[n] += value[i][x] * mass[v]
				for _, w := range to[start[v]:start[v+1]] {
					if y := int(at[w]) - 1; y >= 0 && region[y] < 0 {
						region[y] = n
						stack = append(stack, y)
					}
				}
			}
		}
		own, all := 0, 0.0
		for n := range weight {
			if weight[n] > weight[own] {
				own = n
			}
		}
		home := int32(-1)
		for k, v := range touched[i] {
			if region[k] == own {
				home = pieces.OfVertex[v]
				break
			}
		}
		// A ring round the bone that others part in two is one place; what lies much farther
		// from the bone than the joint's own region is another.
		away := make([]float64, len(weight))
		for k, v := range touched[i] {
			away[region[k]] += value[i][k] * mass[v] * a.fromBones(i, points[v])
		}
		for n := range away {
			away[n] /= math.Max(weight[n], math.SmallestNonzeroFloat64)
		}
		cut := 0.0
		for k, v := range touched[i] {
			x := value[i][k] * mass[v]
			all += x
			if region[k] != own && away[region[k]] > elsewhere*away[own] && pieces.OfVertex[v] == home { // other pieces are cut off anyway
				cut += x
				if len(r.cut) < mostCut {
					r.cut = append(r.cut, v)
				}
			}
		}
		if all > 0 {
			r.Leak = cut / all
		}
		// The way along the surface from what it leads to the last of its own region.
		far := make([]float64, len(touched[i]))
		var q geom.Queue
		for k, v := range touched[i] {
			far[k] = math.Inf(1)
			if region[k] == own && len(a.w.Of[v]) > 0 && of[a.w.Of[v][0].Joint] == i {
				far[k] = 0
				q.Push(geom.Step{At: v, Way: 0})
			}
		}
		for len(q) > 0 {
			x := q.Pop()
			if x.Way > far[at[x.At]-1] {
				continue
			}
			r.Reach = math.Max(r.Reach, x.Way)
			for _, w := range to[start[x.At]:start[x.At+1]] {
				k := at[w] - 1
				if k < 0 {
					continue
				}
				if way := x.Way + math.Sqrt(r3.Norm2(r3.Sub(points[w], points[x.At]))); way < far[k] {
					far[k] = way
					q.Push(geom.Step{At: w, Way: way})
				}
			}
		}
	})
}

// elsewhere is from how many times the distance of its own region from its bone on a region
// is cut off from a joint.
const elsewhere = 1.8

// fromBones is how far a place is from the bones of a joint, metres.
func (a *account) fromBones(joint int, p r3.Vec) float64 {
	best := math.Inf(1)
	for _, bone := range a.bones {
		if bone.Joint == joint {
			on, _ := geom.ClosestOnSegment(p, bone.A, bone.B)
			best = min(best, r3.Norm2(r3.Sub(p, on)))
		}
	}
	if math.IsInf(best, 1) { // a joint that was not to deform
		best = r3.Norm2(r3.Sub(p, a.s.Joints[joint].Pos))
	}
	return math.Sqrt(best)
}

// mostCut is how many vertices of a leak are named.
const mostCut = 500
