package weights

import (
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// All are the vertices of the editor, or those that are asked for; closed ones are left out.
func (e *Editor) All(asked []int32) []int32 {
	var out []int32
	if asked == nil {
		for v := range e.Of {
			if e.open(int32(v)) {
				out = append(out, int32(v))
			}
		}
		return out
	}
	for _, v := range asked {
		if e.open(v) {
			out = append(out, v)
		}
	}
	return out
}

// Smooth draws vertices half way to the mean of their neighbours along edges, so many times:
// the shares of all joints, or those of some while the rest is shared by the others. Every
// vertex of a pass is drawn to what its neighbours were before it.
func (e *Editor) Smooth(vertices, joints []int32, passes int, net *Net) {
	list := e.All(vertices)
	for _, v := range list { // what is read at once by several is rounded before
		e.At(v)
		for _, k := range net.Near(v) {
			e.At(k)
		}
	}
	means := make([][]Influence, len(list))
	for range passes {
		geom.Chunks(len(list), 1024, func(lo, hi int) {
			for i := lo; i < hi; i++ {
				means[i] = e.mean(list[i], net, nil)
			}
		})
		for i, v := range list {
			if len(means[i]) == 0 || len(e.Of[v]) == 0 {
				continue
			}
			if joints == nil {
				e.Toward(v, means[i], 0.5)
				continue
			}
			for _, j := range joints {
				m := 0.0
				for _, y := range means[i] {
					if y.Joint == j {
						m = y.Value
					}
				}
				if now := e.Value(v, j); now != m {
					e.Set(v, j, (now+m)/2)
				}
			}
		}
	}
}

// strayShare is how far, in the sum of the differences of shares over two, a vertex must be
// from the mean of its neighbours to be a stray, and how near these must be to it themselves.
const strayShare = 0.35

// apart is half the sum of the differences of shares: 0 for the same, 1 for nothing in common.
func apart(a, b []Influence) float64 {
	out := 0.0
	for _, x := range a {
		y := 0.0
		for _, z := range b {
			if z.Joint == x.Joint {
				y = z.Value
			}
		}
		out += math.Abs(x.Value - y)
	}
	for _, z := range b {
		if !slices.ContainsFunc(a, func(x Influence) bool { return x.Joint == z.Joint }) {
			out += z.Value
		}
	}
	return out / 2
}

// Apart is, by vertex, half the sum of the differences of shares between two weights of one mesh,
// joints by their names: 0 for the same, 1 for nothing in common.
func Apart(a, b *Weights) []float64 {
	to := make([]int32, len(b.Joints))
	for k, name := range b.Joints {
		to[k] = int32(slices.Index(a.Joints, name))
		if to[k] < 0 {
			to[k] = int32(len(a.Joints) + k) // a joint that the other lacks
		}
	}
	out := make([]float64, len(a.Of))
	geom.Chunks(len(a.Of), 2048, func(lo, hi int) {
		var list []Influence
		for v := lo; v < hi && v < len(b.Of); v++ {
			list = list[:0]
			for _, x := range b.Of[v] {
				list = append(list, Influence{to[x.Joint], x.Value})
			}
			out[v] = apart(a.Of[v], list)
		}
	})
	return out
}

// Strays returns vertices whose shares are quite others than those of all their neighbours, who
// agree with each other.
func (e *Editor) Strays(vertices []int32, net *Net) []int32 {
	var out []int32
	for _, v := range e.All(vertices) {
		near := net.Near(v)
		if len(near) < 2 || len(e.At(v)) == 0 {
			continue
		}
		mean := e.mean(v, net, nil)
		if apart(e.At(v), mean) < strayShare {
			continue
		}
		agree := true
		for _, k := range near {
			agree = agree && apart(e.At(k), mean) < strayShare
		}
		if agree {
			out = append(out, v)
		}
	}
	return out
}

// Settle gives strays the mean of their neighbours and returns how many there were.
func (e *Editor) Settle(vertices []int32, net *Net) int {
	strays := e.Strays(vertices, net)
	for _, v := range strays {
		e.Replace(v, e.mean(v, net, nil))
	}
	return len(strays)
}

// Blend evens the border between two joints over a width along the surface, metres: vertices
// near enough to where the one's lead meets the other's share what both have by how far they
// are on either side. It returns how many vertices that reached.
func (e *Editor) Blend(a, b int32, width float64, vertices []int32, net *Net) int {
	leads := func(v int32) int32 {
		x, y := e.Value(v, a), e.Value(v, b)
		switch {
		case x+y < 0.5:
			return -1
		case x >= y:
			return a
		}
		return b
	}
	side := make([]int32, len(e.Of))
	for v := range side {
		side[v] = leads(int32(v))
	}
	// The border runs through the middle of edges from the one to the other.
	var seeds []geom.Step
	for v := range side {
		if side[v] < 0 {
			continue
		}
		for _, k := range net.Near(int32(v)) {
			if side[k] >= 0 && side[k] != side[v] {
				seeds = append(seeds, geom.Step{At: int32(v), Way: r3.Norm(r3.Sub(net.At[k], net.At[v])) / 2})
			}
		}
	}
	distance := net.spread(seeds, width/2)
	n := 0
	for _, v := range e.All(vertices) {
		d, ok := distance[v]
		if !ok || side[v] < 0 {
			continue
		}
		if side[v] == b {
			d = -d
		}
		both := e.Value(v, a) + e.Value(v, b)
		u := (d + width/2) / width
		share := u * u * (3 - 2*u)
		e.Part(v, a, b, both, share)
		n++
	}
	return n
}

// Part parts what two joints have of a vertex anew: share goes to a. Locked ones stay.
func (e *Editor) Part(v, a, b int32, both, share float64) {
	if e.Locked[a] || e.Locked[b] || !e.open(v) {
		return
	}
	var list []Influence
	for _, x := range e.At(v) {
		if x.Joint != a && x.Joint != b {
			list = append(list, x)
		}
	}
	e.put(v, append(list, Influence{a, both * share}, Influence{b, both * (1 - share)}), -1)
}

// spread returns how far vertices are from seeds along edges, up to a length.
func (n *Net) spread(seeds []geom.Step, most float64) map[int32]float64 {
	best := map[int32]float64{}
	slices.SortFunc(seeds, geom.Step.Compare)
	wait := geom.Queue{}
	for _, s := range seeds {
		if _, ok := best[s.At]; !ok && s.Way <= most {
			best[s.At] = s.Way
			wait = append(wait, s)
		}
	}
	for len(wait) > 0 { // the seeds are sorted, so they are a heap
		x := wait.Pop()
		if x.Way > best[x.At] {
			continue
		}
		for _, k := range n.Near(x.At) {
			d := x.Way + r3.Norm(r3.Sub(n.At[k], n.At[x.At]))
			if old, ok := best[k]; d <= most && (!ok || d < old) {
				best[k] = d
				wait.Push(geom.Step{At: k, Way: d})
			}
		}
	}
	return best
}

// Harden gives each vertex wholly to its leading joint, or with steps above 1 rounds shares to
// whole parts of 1/steps. Locked joints stay.
func (e *Editor) Harden(vertices []int32, steps int) {
	for _, v := range e.All(vertices) {
		list := slices.Clone(e.At(v))
		room := 1.0
		var free []Influence
		for _, x := range list {
			if e.Locked[x.Joint] {
				room -= x.Value
			} else {
				free = append(free, x)
			}
		}
		if len(free) == 0 || room <= least {
			continue
		}
		if steps <= 1 {
			e.Replace(v, []Influence{{free[0].Joint, 1}})
			continue
		}
		// The largest remainders get what rounding down leaves.
		total := 0.0
		for _, x := range free {
			total += x.Value
		}
		parts, left := make([]int, len(free)), steps
		order := make([]int, len(free))
		for i, x := range free {
			parts[i] = int(math.Floor(x.Value / total * float64(steps)))
			left -= parts[i]
			order[i] = i
		}
		rest := func(i int) float64 { return free[i].Value/total*float64(steps) - float64(parts[i]) }
		slices.SortStableFunc(order, func(x, y int) int {
			switch d := rest(y) - rest(x); {
			case d > 0:
				return 1
			case d < 0:
				return -1
			}
			return 0
		})
		for k := range left {
			parts[order[k%len(order)]]++
		}
		out := make([]Influence, 0, len(free))
		for i, x := range free {
			if parts[i] > 0 {
				out = append(out, Influence{x.Joint, float64(parts[i]) / float64(steps)})
			}
		}
		e.Replace(v, out)
	}
}

// Traces returns the vertices that have free shares below a limit, and drops them unless only is
// asked for. A vertex keeps its largest free share in any case.
func (e *Editor) Traces(vertices []int32, below float64, drop bool) []int32 {
	var out []int32
	for _, v := range e.All(vertices) {
		list := e.At(v)
		var kept []Influence
		first := true
		for _, x := range list {
			if e.Locked[x.Joint] || first || x.Value >= below {
				kept = append(kept, x)
				first = first && e.Locked[x.Joint]
			}
		}
		if len(kept) == len(list) {
			continue
		}
		out = append(out, v)
		if drop {
			e.put(v, slices.Clone(kept), -1)
		}
	}
	return out
}

// CapAt cuts the influences of vertices to n at most, faded as by Capped; locked ones stay. It returns how many
// vertices had more.
func (e *Editor) CapAt(vertices []int32, n int, net *Net) int {
	whole := &Weights{Joints: e.Joints, Of: make([][]Influence, len(e.Of))}
	for v := range e.Of {
		whole.Of[v] = e.At(int32(v))
	}
	to, over := cutEach(whole, Limits{Cap: n})
	if over {
		eased(whole, to, Limits{Cap: n}, net.surface())
	}
	was, had := e.Cap, 0
	e.Cap = n
	for _, v := range e.All(vertices) {
		if len(e.At(v)) > n {
			had++
		}
		if !slices.Equal(e.Of[v], to.Of[v]) {
			e.Replace(v, to.Of[v])
		}
	}
	e.Cap = was
	return had
}

// Hand gives what some joints have to another.
func (e *Editor) Hand(vertices []int32, from []bool, to int32) {
	for _, v := range e.All(vertices) {
		var list []Influence
		given := 0.0
		for _, x := range e.At(v) {
			if from[x.Joint] && !e.Locked[x.Joint] && x.Joint != to {
				given += x.Value
			} else if x.Joint != to {
				list = append(list, x)
			} else {
				given += x.Value
			}
		}
		if given > e.Value(v, to) {
			e.put(v, append(list, Influence{to, given}), to)
		}
	}
}

// Mean gives vertices the mean of what they have, each as heavy, so that they move as one.
func (e *Editor) Mean(vertices []int32) {
	sum := map[int32]float64{}
	for _, v := range vertices {
		for _, x := range e.At(v) {
			sum[x.Joint] += x.Value
		}
	}
	list := make([]Influence, 0, len(sum))
	for j, x := range sum {
		list = append(list, Influence{j, x / float64(len(vertices))})
	}
	list = Clean(list, Limits{Cap: e.Cap})
	for _, v := range e.All(vertices) {
		e.Replace(v, list)
	}
}
