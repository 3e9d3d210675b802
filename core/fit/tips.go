package fit

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/spatial/r3"
)

// posture is what the ends of a two-legged body say of how it is posed, whichever way is up: lengths along the inside do
// not change as limbs bend.
type posture struct {
	head   way
	hands  [2]way
	feet   [2]way
	pelvis r3.Vec  // where the legs part
	size   float64 // how tall the body is when it stands, metres
	off    float64 // how much the lengths are unlike a body's: root mean square of their logarithms, over their spreads
}

// way is the middle line from an end to the root of the body.
type way struct {
	cut   float64 // by how much the way goes on beyond the limb, into what is held
	beads []Bead
}

// bodyWays are the usual lengths between the ends of a body by their middle lines, as shares of the height: from the
// segments of Drillis & Contini 1966, the foot's length in front of the ankle and the head's from its middle added, the
// ways within chest and pelvis as measured on characters. spread is by how much the logarithm of each differs.
var bodyWays = [10]struct {
	a, b   int // ends: head, two hands, two feet
	length float64
	spread float64
}{
	{0, 1, 0.76, 0.16}, {0, 2, 0.76, 0.16}, {0, 3, 1.12, 0.12}, {0, 4, 1.12, 0.12},
	{1, 2, 1.12, 0.10}, {3, 4, 1.26, 0.10}, {1, 3, 1.46, 0.09}, {1, 4, 1.46, 0.09}, {2, 3, 1.46, 0.09}, {2, 4, 1.46, 0.09},
}

const (
	tipsMost   = 14  // ends that are looked at
	legOverArm = 1.5 // how much thicker a leg is than an arm
	heldOver   = 1.3 // by how much an arm is longer than the other that ends in what it holds
)

// readPosture finds head, hands and feet among the ends of the volume: the five whose ways to each other are the most
// like a body's. ok is false where there are fewer than five ends.
func (f *fitter) readPosture() (p posture, ok bool) {
	depth := f.depths()
	was := f.plane
	f.plane = math.Inf(1) // a body in a pose has no middle plane yet
	start := f.middle(depth)
	f.plane = was
	peaks := f.peaks(f.vox.Distances([]int{start}), leastRise*f.extent(), make([]bool, len(f.vox.Inside)))
	var shown []int // by a person: the first of all
	for _, name := range posedTips {
		if q, ok := f.given[name]; ok {
			shown = append(shown, f.nearestInside(q))
		}
	}
	t := f.tree(start, depth, append(shown, peaks[:min(len(peaks), 3*tipsMost)]...))
	var tips []int
	for k := range t.knots {
		if t.knots[k].tip {
			tips = append(tips, k)
		}
	}
	far := map[int]float64{} // from the root along the ways
	for _, k := range tips {
		far[k] = t.far(k)
	}
	between := func(a, b int) float64 { return far[a] + far[b] - 2*t.far(t.meet(a, b)) }
	// Of ends that are near to each other, such as fingers, the farthest stands for all.
	slices.SortStableFunc(tips, func(a, b int) int { return cmp.Compare(far[b], far[a]) })
	var ends []int
	for _, k := range tips {
		if !slices.ContainsFunc(ends, func(e int) bool { return between(k, e) < 0.1*f.extent() }) {
			ends = append(ends, k)
		}
	}
	ends = ends[:min(len(ends), tipsMost)]
	if len(ends) < 5 {
		return p, false
	}
	n := len(ends)
	d := make([][]float64, n)
	thick, necked := make([]float64, n), make([]float64, n)
	ways := make([]way, n)
	for i := range ends {
		d[i] = make([]float64, n)
		for k := range i {
			d[i][k] = max(between(ends[i], ends[k]), f.vox.Cell)
			d[k][i] = d[i][k]
		}
		ways[i] = t.way(ends[i])
		thick[i] = math.Log(ways[i].usual(0.15, 0.5))
		necked[i] = ways[i].necked(f.extent())
	}
	want := f.shownEnds(t, ends)
	best := math.Inf(1)
	var found [5]int
	var size float64
	var cut [2]float64
	for h := range n {
		for a := range n {
			for b := a + 1; b < n; b++ {
				for l := range n {
					for r := l + 1; r < n; r++ {
						e := [5]int{h, a, b, l, r}
						if h == a || h == b || h == l || h == r || a == l || a == r || b == l || b == r || !want.allow(e) {
							continue
						}
						score, s, held := likeBody(d, thick, necked, e)
						if score < best {
							best, found, size, cut = score, e, s, held
						}
					}
				}
			}
		}
	}
	if math.IsInf(best, 1) {
		return p, false
	}
	p.head, p.hands, p.feet = ways[found[0]], [2]way{ways[found[1]], ways[found[2]]}, [2]way{ways[found[3]], ways[found[4]]}
	p.size, p.off = size, best
	for s := range 2 {
		p.hands[s].cut = cut[s]
	}
	k := [5]int{}
	for i, e := range found {
		k[i] = ends[e]
	}
	p.pelvis = t.knots[t.between(k[3], k[4], k[0])].At
	return p, true
}

// shownEnds are the ends that a person has shown, by number: of the head, of hands and of feet.
type shownEnds [3][]int

// shownEnds returns which ends are near to the tips that a person has shown.
func (f *fitter) shownEnds(t *ways, ends []int) (want shownEnds) {
	for _, name := range posedTips {
		q, ok := f.given[name]
		if !ok {
			continue
		}
		far, at := 0.15*f.extent(), -1
		for i, k := range ends {
			if d := r3.Norm(r3.Sub(t.knots[k].At, q)); d < far {
				far, at = d, i
			}
		}
		limb := map[string]int{"head": 0, "hand_l": 1, "hand_r": 1, "foot_l": 2, "foot_r": 2}[name]
		if at >= 0 && !slices.Contains(want[limb], at) {
			want[limb] = append(want[limb], at)
		}
	}
	return want
}

// allow reports whether a choice of five ends has those that were shown.
func (w shownEnds) allow(e [5]int) bool {
	for limb, of := range [3][]int{e[:1], e[1:3], e[3:]} {
		for _, i := range w[limb] {
			if !slices.Contains(of, i) {
				return false
			}
		}
	}
	return true
}

// likeBody returns how much the ways between five ends are unlike a body's, and its size; cut is by how much an arm is
// longer than the other, which then ends in what it holds.
func likeBody(way [][]float64, thick, necked []float64, e [5]int) (off, size float64, cut [2]float64) {
	held := 0.0
	add := func(x, spread float64) { off += min(x*x/(spread*spread), 9) }
	var arm [2]float64 // from the line between head and feet
	for s := range 2 {
		a := e[1+s]
		arm[s] = (2*way[a][e[0]] + way[a][e[3]] + way[a][e[4]] - way[e[0]][e[3]] - way[e[0]][e[4]]) / 4
	}
	long := 0
	if arm[1] > arm[0] {
		long = 1
	}
	if arm[long] > heldOver*arm[1-long] && arm[1-long] > 0 {
		cut[long] = arm[long] - arm[1-long]
		held = 4
	}
	var d [len(bodyWays)]float64
	sum, weight := 0.0, 0.0
	for i, w := range bodyWays {
		l := way[e[w.a]][e[w.b]]
		for _, end := range [2]int{w.a, w.b} {
			if end == 1 || end == 2 {
				l -= cut[end-1]
			}
		}
		d[i] = math.Log(max(l, 1e-9)) - math.Log(w.length)
		g := 1 / (w.spread * w.spread)
		sum, weight = sum+g*d[i], weight+g
	}
	scale := sum / weight
	for i, w := range bodyWays {
		add(d[i]-scale, w.spread)
	}
	// Both sides are alike.
	add(d[0]-d[1], 0.08)
	add(d[2]-d[3], 0.06)
	add(thick[e[1]]-thick[e[2]], 0.2)
	add(thick[e[3]]-thick[e[4]], 0.2)
	add((thick[e[3]]+thick[e[4]]-thick[e[1]]-thick[e[2]])/2-math.Log(legOverArm), 0.35)
	add(min(0, necked[e[0]]-math.Log(1.7)), 0.15)
	return math.Sqrt((off + held) / float64(len(bodyWays)+6)), math.Exp(scale), cut
}

// far is how far a knot is from the root along its way.
func (t *ways) far(k int) float64 {
	sum := 0.0
	for up := t.knots[k].up; up >= 0; k, up = up, t.knots[up].up {
		sum += r3.Norm(r3.Sub(t.knots[k].At, t.knots[up].At))
	}
	return sum
}

// meet returns the knot at which the ways of two meet.
func (t *ways) meet(a, b int) int {
	above := map[int]bool{}
	for k := a; k >= 0; k = t.knots[k].up {
		above[k] = true
	}
	for ; !above[b]; b = t.knots[b].up {
	}
	return b
}

// between returns the knot that lies between three: where the ways that join them meet.
func (t *ways) between(a, b, c int) int {
	best, most := 0, -1.0
	for _, k := range [3]int{t.meet(a, b), t.meet(b, c), t.meet(a, c)} {
		if far := t.far(k); far > most {
			best, most = k, far
		}
	}
	return best
}

// way returns the way from an end to the root, evened, whose knots are middles of cubes.
func (t *ways) way(k int) way {
	var w way
	for ; k >= 0; k = t.knots[k].up {
		w.beads = append(w.beads, t.knots[k].Bead)
	}
	for range 6 {
		last := slices.Clone(w.beads)
		for i := 1; i+1 < len(last); i++ {
			w.beads[i].At = r3.Add(r3.Scale(0.5, last[i].At), r3.Scale(0.25, r3.Add(last[i-1].At, last[i+1].At)))
		}
	}
	return w
}

// necked is the logarithm of how much thicker the end is than what it stands on.
func (w way) necked(size float64) float64 {
	arc, most, ratio := 0.0, w.beads[0].Radius, 1.0
	for i := 1; i < len(w.beads) && arc < 0.25*size; i++ {
		arc += r3.Norm(r3.Sub(w.beads[i].At, w.beads[i-1].At))
		most = max(most, w.beads[i].Radius)
		ratio = max(ratio, most/w.beads[i].Radius)
	}
	return math.Log(ratio)
}

// usual is the usual radius between two shares of a way.
func (w way) usual(from, to float64) float64 {
	n := len(w.beads)
	var list []float64
	for k := int(from * float64(n)); k < max(int(to*float64(n)), int(from*float64(n))+1) && k < n; k++ {
		list = append(list, w.beads[k].Radius)
	}
	slices.Sort(list)
	return list[len(list)/2]
}

// at returns the place at an arc length from the end.
func (w way) at(arc float64) Bead {
	s := Strand{Line: w.beads}
	return s.at(arc)
}
