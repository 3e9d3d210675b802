package fit

import (
	"cmp"
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Bead is a place on the middle line of a strand, with how far it is to the surface, metres.
type Bead struct {
	At     r3.Vec  `json:"at"`
	Radius float64 `json:"r"`
}

// Strand is the middle line of a limb, a tail, a neck or a stretch of the body, from what it is on to its tip. The
// line begins in the middle of what it is on, and has left it at Start.
type Strand struct {
	Line  []Bead  `json:"line"`
	Start float64 `json:"start"` // arc length, metres
	On    int     `json:"on"`    // the strand that it is on, -1 for the root
	Arc   float64 `json:"arc"`   // where on it, arc length from its beginning
	Leads bool    `json:"leads"` // others are on it
}

// length returns the arc length of the whole line.
func (s *Strand) length() float64 {
	l := 0.0
	for i := 1; i < len(s.Line); i++ {
		l += r3.Norm(r3.Sub(s.Line[i].At, s.Line[i-1].At))
	}
	return l
}

// at returns the place at an arc length.
func (s *Strand) at(arc float64) Bead {
	for i := 1; i < len(s.Line); i++ {
		a, b := s.Line[i-1], s.Line[i]
		l := r3.Norm(r3.Sub(b.At, a.At))
		if arc <= l && l > 0 {
			t := max(0, arc/l)
			return Bead{r3.Add(a.At, r3.Scale(t, r3.Sub(b.At, a.At))), a.Radius + t*(b.Radius-a.Radius)}
		}
		arc -= l
	}
	return s.Line[len(s.Line)-1]
}

// tip returns the end of the strand.
func (s *Strand) tip() r3.Vec { return s.Line[len(s.Line)-1].At }

// thick is the usual radius between two shares of the part that has left what the strand is on.
func (s *Strand) thick(from, to float64) float64 {
	l := s.length()
	var list []float64
	for k := range 24 {
		t := from + (to-from)*float64(k)/23
		list = append(list, s.at(s.Start+t*(l-s.Start)).Radius)
	}
	slices.Sort(list)
	return list[len(list)/2]
}

const (
	// leastRise is how far an end stands out, as a share of the size, to be looked at.
	leastRise = 0.045
	// leastSlim is how long what stands out is over its radius, to be a limb and no bulge.
	leastSlim = 1.7
	// leastOut is how far it stands out, over the radius of what it is on.
	leastOut = 0.85
	// grows is by what factor a section grows within its own radius where a strand enters another body.
	grows = 1.6
	// nearHub is within what part of their radius two hubs are one.
	nearHub = 0.8
	// onward is how thick a strand is, over the one before it, to be its continuation.
	onward = 0.72
)

// strands reads the limbs of a volume: from every end that stands out, by persistence (Edelsbrunner et al. 2002), the
// way to the deepest place that keeps to the middle (minimal paths, the cost of a step falling with the square of the
// depth: Sato, Bitter, Bender, Kaufman & Nakajima, "TEASAR: tree-structure extraction algorithm for accurate and robust
// skeletons", 2000). Ways join where they meet; where one grows thick at once it has entered another body. root is
// where all of them lead to.
func (f *fitter) strands() (list []Strand, root Bead) {
	depth := f.depths()
	start := f.middle(depth)
	tips := f.peaks(f.vox.Distances([]int{start}), leastRise*f.extent(), make([]bool, len(f.vox.Inside)))
	t := f.tree(start, depth, tips)
	t.hubs()
	t.prune(leastRise * f.extent())
	list = t.strands()
	for i := range list {
		f.leave(&list[i], 0)
		f.toTip(&list[i])
		f.straighten(&list[i])
	}
	return list, t.knots[0].Bead
}

// middle returns the cube that the ways lead to: deep inside, and not at an end, such as a thick head is.
func (f *fitter) middle(depth []float64) int {
	v := f.vox
	most := 0
	for i, d := range depth {
		if d > depth[most] {
			most = i
		}
	}
	any := func(r3.Vec) bool { return true }
	a := f.farthest(v.Distances([]int{most}), any)
	fromA := v.Distances([]int{max(a, 0)})
	b := f.farthest(fromA, any)
	fromB := v.Distances([]int{max(b, 0)})
	best, at := 0.0, most
	for i, d := range depth {
		if d == 0 || math.IsInf(fromA[i], 1) {
			continue
		}
		// How far the farther end is, over half the way between the ends.
		far := 2*max(fromA[i], fromB[i])/max(fromA[max(b, 0)], v.Cell) - 1
		off := 0.0
		if !math.IsInf(f.plane, 0) {
			off = 0.01 * math.Abs(v.Centre(i).X-f.plane) / v.Cell
		}
		if score := d * (1 - 0.5*min(1, far)) * (1 - min(0.5, off)); score > best {
			best, at = score, i
		}
	}
	return at
}

// leave finds where a strand has left what it is on: out of the ball around its beginning, and, for reach beyond, as
// thin as it is further out. A stretch of the body begins where it begins.
func (f *fitter) leave(s *Strand, reach float64) {
	hub := s.Line[0]
	if s.Leads && math.Abs(s.tip().X-f.plane) < 0.5*hub.Radius && s.thick(0, 1) > onward*hub.Radius {
		return
	}
	length := s.length()
	s.Start = 0
	step := f.vox.Cell / 2
	for arc := 0.0; arc < 0.7*length; arc += step {
		if r3.Norm(r3.Sub(s.at(arc).At, hub.At)) < 0.75*hub.Radius {
			s.Start = arc
		}
	}
	usual := s.thick(0.1, 0.6)
	if reach > 0 || hub.Radius < 1.3*usual && !s.Leads { // a sheet is as thin as what stands on it, but wider
		wide := make([]float64, 24)
		for k := range wide {
			wide[k] = f.spread(s, s.Start+(length-s.Start)*(float64(k)+0.5)/24)
		}
		outer := slices.Clone(wide[12:])
		slices.Sort(outer)
		for k := 16; k >= 0; k-- {
			if wide[k] > 1.7*outer[6] {
				s.Start += (length-s.Start)*(float64(k)+1)/24 - 0.75*min(hub.Radius, usual)
				break
			}
		}
		return
	}
	reach += s.Start + hub.Radius
	for arc := s.Start; arc < min(reach, 0.7*length); arc += step {
		if s.at(arc).Radius > 1.6*usual {
			s.Start = arc
		}
	}
}

// straighten draws a limb on in its own direction into what it is on: the way out of a body runs square to its surface,
// whatever way the limb then takes.
func (f *fitter) straighten(s *Strand) {
	if s.Start == 0 || len(s.Line) < 4 {
		return
	}
	length := s.length()
	usual := s.thick(0.1, 0.6)
	free := s.Start
	if r := s.Line[0].Radius; r < 1.3*usual {
		free += 1.5 * r
	}
	for free < s.Start+2*s.Line[0].Radius && free < 0.6*length && s.at(free).Radius > 1.15*usual {
		free += f.vox.Cell / 2
	}
	a, b := s.at(free), s.at(min(length, free+3*usual))
	way := r3.Sub(a.At, b.At)
	if r3.Norm(way) == 0 || free-s.Start < f.vox.Cell {
		return
	}
	begin := r3.Add(a.At, r3.Scale(free-s.Start, r3.Unit(way)))
	if i := f.vox.At(begin); i < 0 || !f.vox.Inside[i] {
		return
	}
	line := []Bead{s.Line[0], {begin, s.at(s.Start).Radius}, a}
	arc := 0.0
	for i := 1; i < len(s.Line); i++ {
		if arc += r3.Norm(r3.Sub(s.Line[i].At, s.Line[i-1].At)); arc > free {
			line = append(line, s.Line[i])
		}
	}
	s.Line, s.Start = line, r3.Norm(r3.Sub(begin, s.Line[0].At))
}

// spread is how far it is to the surface around an arc length, square to the line: the root mean square over twelve ways.
func (f *fitter) spread(s *Strand, arc float64) float64 {
	length := s.length()
	b := s.at(arc)
	step := max(b.Radius, 2*f.vox.Cell)
	d := r3.Sub(s.at(min(length, arc+step)).At, s.at(max(0, arc-step)).At)
	if r3.Norm(d) == 0 {
		return b.Radius
	}
	turn := geom.Between(r3.Vec{Z: 1}, r3.Unit(d))
	sum := 0.0
	for a := range 12 {
		sin, cos := math.Sincos(float64(a) * math.Pi / 6)
		dir := geom.Rotate(turn, r3.Vec{X: cos, Y: sin})
		reach := 0.0
		for reach < 8*b.Radius {
			if i := f.vox.At(r3.Add(b.At, r3.Scale(reach+f.vox.Cell/2, dir))); i < 0 || !f.vox.Inside[i] {
				break
			}
			reach += f.vox.Cell / 2
		}
		sum += reach * reach
	}
	return math.Sqrt(sum / 12)
}

// toTip evens a line, whose places are middles of cubes, and leads its end, which ran along the rim of the tip, on in
// its direction to the surface.
func (f *fitter) toTip(s *Strand) {
	for range 6 {
		last := slices.Clone(s.Line)
		for i := 1; i+1 < len(last); i++ {
			s.Line[i].At = r3.Add(r3.Scale(0.5, last[i].At), r3.Scale(0.25, r3.Add(last[i-1].At, last[i+1].At)))
			s.Line[i].Radius = last[i].Radius/2 + (last[i-1].Radius+last[i+1].Radius)/4
		}
	}
	if s.Leads {
		return
	}
	length := s.length()
	r := s.thick(0.7, 0.9)
	cut := length - 1.6*r
	from := cut - 2*r
	if from <= s.Start {
		return
	}
	a, b := s.at(from), s.at(cut)
	way := r3.Sub(b.At, a.At)
	if r3.Norm(way) == 0 {
		return
	}
	step := r3.Scale(0.5*f.vox.Cell, r3.Unit(way))
	arc := 0.0
	for i := 1; i < len(s.Line); i++ {
		if arc += r3.Norm(r3.Sub(s.Line[i].At, s.Line[i-1].At)); arc >= cut {
			s.Line = s.Line[:i]
			break
		}
	}
	p := b.At
	for r3.Norm(r3.Sub(p, b.At)) < 3*r {
		q := r3.Add(p, step)
		if i := f.vox.At(q); i < 0 || !f.vox.Inside[i] {
			break
		}
		p = q
	}
	s.Line = append(s.Line, b, Bead{p, f.vox.Cell / 2})
}

// extent is the longest side of the box around the volume.
func (f *fitter) extent() float64 {
	if f.longest == 0 { // a quarter turn does not change it
		box := geom.EmptyBox()
		for _, c := range f.vox.Filled() {
			box = box.Add(c)
		}
		s := box.Size()
		f.longest = max(s.X, s.Y, s.Z) + f.vox.Cell
	}
	return f.longest
}

// knot is a place of the tree of ways: on one way, or where some meet.
type knot struct {
	Bead
	up    int // towards the root, -1 at it
	below []int
	hub   bool
	of    int // the hub that it lies within, -1 for none
	tip   bool
}

type ways struct{ knots []knot }

// tree returns the ways from the tips to the root.
func (f *fitter) tree(root int, depth []float64, tips []int) *ways {
	v := f.vox
	from := make([]int32, len(v.Inside))
	best := make([]float64, len(v.Inside))
	for i := range best {
		best[i] = math.Inf(1)
	}
	best[root], from[root] = 0, -1
	queue := geom.Queue{{At: int32(root)}}
	cost := func(i int) float64 { d := depth[i] / v.Cell; return 1 / (d * d) }
	for len(queue) > 0 {
		s := queue.Pop()
		i := int(s.At)
		if s.Way > best[i] {
			continue
		}
		x, y, z := v.Coords(i)
		for ny := max(0, y-1); ny <= min(v.NY-1, y+1); ny++ {
			for nz := max(0, z-1); nz <= min(v.NZ-1, z+1); nz++ {
				for nx := max(0, x-1); nx <= min(v.NX-1, x+1); nx++ {
					n := v.Index(nx, ny, nz)
					if n == i || !v.Inside[n] {
						continue
					}
					l := math.Sqrt(float64((nx-x)*(nx-x) + (ny-y)*(ny-y) + (nz-z)*(nz-z)))
					if w := s.Way + l*(cost(i)+cost(n))/2; w < best[n] {
						best[n], from[n] = w, int32(i)
						queue.Push(geom.Step{At: int32(n), Way: w})
					}
				}
			}
		}
	}
	t := &ways{knots: []knot{{Bead: Bead{v.Centre(root), depth[root]}, up: -1, hub: true}}}
	// A way that comes near one that is there joins it: two of a pair run side by side otherwise.
	claimed := make([]int32, len(v.Inside)) // the knot that a cube is near to, from 1
	claim := func(k int) {
		b := t.knots[k]
		n := int(joinWithin * b.Radius / v.Cell)
		x, y, z := v.Coords(v.At(b.At))
		for dy := -n; dy <= n; dy++ {
			for dz := -n; dz <= n; dz++ {
				for dx := -n; dx <= n; dx++ {
					cx, cy, cz := x+dx, y+dy, z+dz
					if dx*dx+dy*dy+dz*dz > n*n || cx < 0 || cy < 0 || cz < 0 || cx >= v.NX || cy >= v.NY || cz >= v.NZ {
						continue
					}
					c := v.Index(cx, cy, cz)
					was := claimed[c]
					if was == 0 || r3.Norm2(r3.Sub(v.Centre(c), b.At)) < r3.Norm2(r3.Sub(v.Centre(c), t.knots[was-1].At)) {
						claimed[c] = int32(k) + 1
					}
				}
			}
		}
	}
	claim(0)
	for _, tip := range tips {
		if math.IsInf(best[tip], 1) || claimed[tip] > 0 {
			continue
		}
		first := len(t.knots)
		for i := tip; ; i = int(from[i]) {
			k := int(claimed[i]) - 1
			if k < 0 {
				k = len(t.knots)
				t.knots = append(t.knots, knot{Bead: Bead{v.Centre(i), depth[i]}, up: -1, tip: i == tip})
			}
			if i != tip {
				below := len(t.knots) - 1
				if k == below {
					below--
				}
				t.knots[below].up = k
				t.knots[k].below = append(t.knots[k].below, below)
			}
			if claimed[i] > 0 {
				break
			}
		}
		for k, last := first, -1; k < len(t.knots); k++ { // the balls of neighbors are nearly one
			if last < 0 || r3.Norm(r3.Sub(t.knots[k].At, t.knots[last].At)) > claimEvery*joinWithin*t.knots[k].Radius {
				claim(k)
				last = k
			}
		}
	}
	return t
}

const (
	joinWithin = 0.5 // how near a way comes to the middle of another, over its radius, to join it
	claimEvery = 0.2 // how far apart, over that, the places are whose surroundings are marked for it
)

// hubs marks where ways meet and where one grows thick at once, and takes hubs that lie within each other for one.
func (t *ways) hubs() {
	for i := range t.knots {
		if len(t.knots[i].below) > 1 {
			t.knots[i].hub = true
		}
	}
	for i := range t.knots {
		if !t.knots[i].tip {
			continue
		}
		var way []int
		for k := i; k >= 0; k = t.knots[k].up {
			way = append(way, k)
		}
		arc := t.arcs(way)
		for a := 1; a < len(way); a++ {
			p := t.knots[way[a]]
			for b := a + 1; b < len(way); b++ {
				q := t.knots[way[b]]
				if r3.Norm(r3.Sub(p.At, q.At)) < 0.9*q.Radius && q.Radius > grows*p.Radius && arc[a] > 1.3*q.Radius {
					// The deepest place of what was entered.
					for b+1 < len(way) && t.knots[way[b+1]].Radius >= t.knots[way[b]].Radius {
						b++
					}
					t.knots[way[b]].hub = true
					a = b
					break
				}
			}
		}
	}
	// Of hubs within each other the deepest stays, and takes what lies within it.
	list := []int{0}
	for i := range t.knots {
		t.knots[i].of = -1
		if t.knots[i].hub && i > 0 {
			list = append(list, i)
		}
	}
	slices.SortStableFunc(list[1:], func(a, b int) int { return cmp.Compare(t.knots[b].Radius, t.knots[a].Radius) })
	for _, h := range list {
		if t.knots[h].of >= 0 {
			t.knots[h].hub = false
			continue
		}
		t.knots[h].of = h
		for stack := []int{h}; len(stack) > 0; {
			k := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			for _, n := range append(slices.Clone(t.knots[k].below), t.knots[k].up) {
				if n < 0 || t.knots[n].of >= 0 || r3.Norm(r3.Sub(t.knots[n].At, t.knots[h].At)) >= nearHub*t.knots[h].Radius {
					continue
				}
				t.knots[n].of = h
				stack = append(stack, n)
			}
		}
	}
}

func (t *ways) arcs(way []int) []float64 {
	out := make([]float64, len(way))
	for i := 1; i < len(way); i++ {
		out[i] = out[i-1] + r3.Norm(r3.Sub(t.knots[way[i]].At, t.knots[way[i-1]].At))
	}
	return out
}

// prune takes away the ways to ends that are bulges.
func (t *ways) prune(least float64) {
	for i := range t.knots {
		if !t.knots[i].tip {
			continue
		}
		hub := i
		for t.knots[hub].of < 0 {
			hub = t.knots[hub].up
		}
		hub = t.knots[hub].of
		free, sum, n := 0.0, 0.0, 0.0
		for k := i; t.knots[k].of < 0 && r3.Norm(r3.Sub(t.knots[k].At, t.knots[hub].At)) > t.knots[hub].Radius; k = t.knots[k].up {
			free += r3.Norm(r3.Sub(t.knots[k].At, t.knots[t.knots[k].up].At))
			sum, n = sum+t.knots[k].Radius, n+1
		}
		if free < max(least, leastOut*t.knots[hub].Radius, leastSlim*sum/max(1, n)) {
			for k := i; t.knots[k].of < 0 && len(t.knots[k].below) == 0; {
				up := t.knots[k].up
				t.knots[up].below = slices.DeleteFunc(t.knots[up].below, func(c int) bool { return c == k })
				t.knots[k].tip = false
				k = up
			}
		}
	}
}

// strands returns the tree as strands, those that others are on before them.
func (t *ways) strands() (list []Strand) {
	type start struct {
		hub, below int // a hub and the first knot of a way from it
		on         int
		arc        float64
	}
	var queue []start
	for _, b := range t.exits(0) {
		queue = append(queue, start{0, b, -1, 0})
	}
	for len(queue) > 0 {
		q := queue[0]
		queue = queue[1:]
		line, me := []Bead{t.knots[q.hub].Bead}, len(list)
		k, hubs := q.below, 0
		var open []start
		for {
			way, end := t.run(k)
			for _, c := range way {
				line = append(line, t.knots[c].Bead)
			}
			next := t.exits(end)
			if len(next) == 0 {
				break
			}
			if len(next) == 1 { // what else was there is gone
				k = next[0]
				continue
			}
			// The thickest that is nearly as thick goes on, if what was reached is no body of its own.
			arc, on := lengthOf(line), -1
			mine := t.usual(way[len(way)/3:])
			most := onward * mine
			for _, b := range next {
				w, _ := t.run(b)
				if r := t.usual(w[len(w)/3:]); r > most && t.knots[end].Radius < grows*mine {
					most, on = r, b
				}
			}
			hubs++
			for _, b := range next {
				if b != on {
					open = append(open, start{end, b, me, arc})
				}
			}
			if on < 0 {
				break
			}
			k = on
		}
		queue = append(queue, open...)
		list = append(list, Strand{Line: line, On: q.on, Arc: q.arc, Leads: hubs > 0})
	}
	return list
}

func lengthOf(line []Bead) float64 {
	s := Strand{Line: line}
	return s.length()
}

// exits returns the first knots of the ways that leave a hub away from the root.
func (t *ways) exits(hub int) (out []int) {
	for k := range t.knots {
		if t.knots[k].of != hub {
			continue
		}
		for _, b := range t.knots[k].below {
			if t.knots[b].of != hub {
				out = append(out, b)
			}
		}
	}
	slices.Sort(out)
	return out
}

// run follows a way from a knot away from the root to the next hub, or to its tip.
func (t *ways) run(k int) (way []int, end int) {
	for {
		if h := t.knots[k].of; h >= 0 {
			return append(way, h), h
		}
		way = append(way, k)
		if len(t.knots[k].below) == 0 {
			return way, k
		}
		k = t.knots[k].below[0] // others begin at hubs only
	}
}

// usual is the median radius of a way.
func (t *ways) usual(way []int) float64 {
	var list []float64
	for _, k := range way {
		list = append(list, t.knots[k].Radius)
	}
	slices.Sort(list)
	return list[len(list)/2]
}
