package weights

import (
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// stepLimit is what two neighbors may differ by at most when their edge is as long as most;
	// it grows with the length.
	stepLimit = 0.5
	// leastStep is the least difference between neighbors that can be a step, and stepTimes how many times what the
	// edges before and behind it have it must be: where weights go over from one joint to another, these are alike.
	leastStep, stepTimes = 0.11, 4
	// evenPasses is how often what lies about a step is smoothed, and evenRings how many edges about it.
	evenPasses, evenRings = 14, 2
)

// surface is where weights lie, for what needs no more than neighbors and positions. Vertices in one position have
// the neighbors of all of them, so that a crack is none.
type surface struct {
	at    []r3.Vec
	near  func(v int32) []int32
	same  []int32 // by vertex the next one in the same position, in a ring; nil where there are none
	usual float64 // the mean length of its edges
}

func surfaceOf(at []r3.Vec, near func(v int32) []int32) *surface {
	s := &surface{at: at, near: near, same: sameAs(at)}
	if s.same != nil {
		s.near = func(v int32) []int32 {
			if s.same[v] == v {
				return near(v)
			}
			out := slices.Clone(near(v))
			for u := s.same[v]; u != v; u = s.same[u] {
				out = append(out, near(u)...)
			}
			slices.Sort(out)
			return out
		}
	}
	sum, count := 0.0, 0
	for v := range at {
		for _, k := range s.near(int32(v)) {
			sum += r3.Norm(r3.Sub(at[k], at[v]))
			count++
		}
	}
	s.usual = sum / math.Max(1, float64(count))
	return s
}

func (n *Net) surface() *surface { return surfaceOf(n.At, n.Near) }

// steps are the vertices at edges along which weights differ far more than along the edges that go on from their
// ends; each with the joint that differs most.
func (s *surface) steps(of [][]Influence) []Problem {
	found := make([][]Problem, (len(of)+511)/512)
	geom.Chunks(len(of), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			worst := Problem{}
			for _, k := range s.near(int32(v)) {
				if len(of[v]) == 0 || len(of[k]) == 0 {
					continue
				}
				d := apart(of[v], of[k])
				if d < leastStep || d <= worst.Size {
					continue
				}
				length := math.Max(1, r3.Norm(r3.Sub(s.at[k], s.at[v]))/s.usual)
				beyond := math.Max(s.onward(of, k, int32(v)), s.onward(of, int32(v), k))
				if d > stepLimit*length || d > stepTimes*beyond*length {
					worst = Problem{int32(v), ProblemStep, differing(of[v], of[k]), d}
				}
			}
			if worst.Kind != "" {
				found[lo/512] = append(found[lo/512], worst)
			}
		}
	})
	return slices.Concat(found...)
}

// onward is how much weights differ along the straightest edge that goes on from an edge beyond its end; 1 where
// the surface ends there.
func (s *surface) onward(of [][]Influence, from, at int32) float64 {
	way := r3.Sub(s.at[at], s.at[from])
	next, best := int32(-1), 0.5
	for _, k := range s.near(at) {
		d := r3.Sub(s.at[k], s.at[at])
		if l := math.Sqrt(r3.Norm2(d) * r3.Norm2(way)); l > 0 && r3.Dot(d, way)/l > best {
			next, best = k, r3.Dot(d, way)/l
		}
	}
	if next < 0 || len(of[next]) == 0 {
		return 1
	}
	return apart(of[at], of[next])
}

// differing is the joint that two lists differ in most, the first of equal ones.
func differing(a, b []Influence) int32 {
	out, most := int32(-1), 0.0
	for _, list := range [2][]Influence{a, b} {
		for _, x := range list {
			if d := math.Abs(value(a, x.Joint) - value(b, x.Joint)); d > most {
				out, most = x.Joint, d
			}
		}
	}
	return out
}

// EvenSteps smooths weights of a mesh within two edges of each step, within limits, and returns them; vertices that
// are not open stay (nil: all are). The lists of w are kept where nothing changes.
func EvenSteps(m *mesh.Mesh, w *Weights, open []bool, l Limits) *Weights {
	start, to := m.Edges().Neighbours(len(m.Points))
	s := surfaceOf(m.World(), func(v int32) []int32 { return to[start[v]:start[v+1]] })
	list := s.steps(w.Of)
	if len(list) == 0 {
		return w
	}
	out := &Weights{Joints: w.Joints, Of: slices.Clone(w.Of), Mix: w.Mix}
	s.even(out, list, open, func(v int32) []Influence {
		near := s.near(v)
		vertices, shares := []int32{v}, []float64{0.5}
		for _, k := range near {
			if len(out.Of[k]) > 0 {
				vertices, shares = append(vertices, k), append(shares, 0.5/float64(len(near)))
			}
		}
		return out.Blend(vertices, shares, l)
	})
	return out
}

// own is the mean of a vertex with its neighbors of the joints that it has itself.
func (s *surface) own(of [][]Influence, v int32) []Influence {
	out, near := slices.Clone(of[v]), s.near(v)
	for i, x := range out {
		sum := 0.0
		for _, k := range near {
			sum += value(of[k], x.Joint)
		}
		out[i].Value = 0.5*x.Value + 0.5*sum/float64(len(near))
	}
	normalise(out)
	Sort(out)
	return out
}

// settle gives those of some vertices that are unlike all their neighbors the mean of these, within limits.
func (s *surface) settle(w *Weights, which []Problem, l Limits) {
	next := map[int32][]Influence{}
	for _, p := range which {
		near := slices.DeleteFunc(slices.Clone(s.near(p.Vertex)), func(k int32) bool { return len(w.Of[k]) == 0 })
		if len(near) == 0 {
			continue
		}
		mean := w.Blend(near, slices.Repeat([]float64{1 / float64(len(near))}, len(near)), l)
		if apart(w.Of[p.Vertex], mean) >= strayShare {
			next[p.Vertex] = mean
		}
	}
	for v, list := range next {
		w.Of[v] = list
	}
}

// even smooths what lies about steps, each vertex to what smooth says.
func (s *surface) even(w *Weights, steps []Problem, open []bool, smooth func(v int32) []Influence) {
	in := make([]bool, len(w.Of))
	var around []int32
	add := func(v int32) {
		for !in[v] {
			in[v] = true
			around = append(around, v)
			v = twin(s.same, v)
		}
	}
	for _, p := range steps {
		add(p.Vertex)
	}
	for range evenRings {
		for _, v := range slices.Clone(around) {
			for _, k := range s.near(v) {
				add(k)
			}
		}
	}
	slices.Sort(around)
	for range evenPasses {
		next := make([][]Influence, len(around))
		geom.Chunks(len(around), 256, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				v := around[i]
				next[i] = w.Of[v]
				if (open == nil || open[v]) && len(s.near(v)) > 0 && len(w.Of[v]) > 0 {
					next[i] = smooth(v)
				}
			}
		})
		for i, v := range around {
			w.Of[v] = next[i]
		}
	}
}
