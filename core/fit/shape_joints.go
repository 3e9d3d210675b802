package fit

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// ShapeJoint is a joint of a skeleton that was read from a shape.
type ShapeJoint struct {
	Name       string
	Parent     int // place in the list, -1 for the root
	At         r3.Vec
	End        bool // the end of a limb
	Confidence float64
	Reason     string
}

const (
	// shapeFine is how far, as a share of the size, a limb may be from the straight ways between its joints where the
	// number of joints is left to the shape; a straight way counts as evenly bent by evenBend of its length.
	shapeFine = 0.012
	evenBend  = 0.04
	// shapeJointsMost is how many joints a shape may be given in all, and mostBetween how many a stretch.
	shapeJointsMost = 400
	mostBetween     = 16
	bendSamples     = 33
)

// span is a stretch of a limb between two joints that must be, with the cost of each number of joints between them.
type span struct {
	limb     int
	from, to float64
	cost     []float64   // by number of joints between: the mean square distance from straight, m²
	at       [][]float64 // arc lengths of these joints
	n        int
	weight   int // joints that one more costs: 2 for a pair
}

// Joints places joints on the limbs of a shape. Those that must be are the root, where a limb begins, where others are
// on it, and its end; of the others each goes to the stretch that is farthest from straight, and stands there where it
// bends the most (an optimal polyline by dynamic programming: Bellman 1961), so that a straight one is divided evenly.
// most is how many there are in all, 0 for as many as the shape has bends; counts, unless nil, has how many a limb has
// between its first joint and its end instead. Both of a pair have as many, at the same places.
func (s *Shape) Joints(most int, counts map[string]int) ([]ShapeJoint, error) {
	fixed := s.fixed()
	var spans []*span
	of := make([][]*span, len(s.Limbs)) // by limb; both of a pair have the same
	n := 1
	for i := range s.Limbs {
		l := &s.Limbs[i]
		n += len(fixed[i])
		if l.Partner >= 0 && l.Partner < i {
			of[i] = of[l.Partner]
			continue
		}
		from := l.Start
		for _, arc := range fixed[i] {
			if arc <= from+1e-9 {
				continue
			}
			sp := &span{limb: i, from: from, to: arc, weight: 1}
			if l.Partner >= 0 {
				sp.weight = 2
			}
			spans, of[i] = append(spans, sp), append(of[i], sp)
			from = arc
		}
	}
	if n > shapeJointsMost {
		return nil, fmt.Errorf(
			"the shape has %d ends and places where limbs part, more than the %d joints that a skeleton is read with",
			n,
			shapeJointsMost,
		)
	}
	for _, sp := range spans {
		sp.divide(&s.Limbs[sp.limb].Strand)
	}
	if counts != nil {
		s.give(of, fixed, counts)
	} else {
		s.deal(spans, n, min(most, shapeJointsMost))
	}
	return s.place(fixed, of), nil
}

// Least is how many joints a shape has at the least: its root, and those that must be.
func (s *Shape) Least() int {
	n := 1
	for _, list := range s.fixed() {
		n += len(list)
	}
	return n
}

// Most is up to how many joints its dial goes.
func (s *Shape) Most() int { return min(shapeJointsMost, 3*s.Least()+12) }

func (s *Shape) size() float64 {
	low, high := s.Root.At, s.Root.At
	for _, l := range s.Limbs {
		for _, b := range l.Line {
			low = r3.Vec{X: min(low.X, b.At.X), Y: min(low.Y, b.At.Y), Z: min(low.Z, b.At.Z)}
			high = r3.Vec{X: max(high.X, b.At.X), Y: max(high.Y, b.At.Y), Z: max(high.Z, b.At.Z)}
		}
	}
	d := r3.Sub(high, low)
	return max(d.X, d.Y, d.Z)
}

// fixed returns the arc lengths of the joints that each limb must have, in order: where it begins, unless the root or
// the joint before it stands there, where others are on it, and its end.
func (s *Shape) fixed() [][]float64 {
	out := make([][]float64, len(s.Limbs))
	for i := range s.Limbs {
		l := &s.Limbs[i]
		length := l.length()
		apart := max(0.08*length, 1.2*l.thick(0.2, 0.8))
		list := []float64{length}
		if l.Start > 0 {
			list = append(list, l.Start)
		}
		var places []float64
		for k := range s.Limbs {
			if s.Limbs[k].On == i {
				places = append(places, s.Limbs[k].Arc)
			}
		}
		slices.Sort(places)
		if s.Limbs[i].Partner >= 0 && s.Limbs[i].Partner < i && len(out[s.Limbs[i].Partner]) > 0 {
			out[i] = out[s.Limbs[i].Partner] // alike
			continue
		}
		for _, p := range slices.Concat(places, l.sharp(), l.narrow()) {
			clear := p > l.Start+0.4*apart
			for _, q := range list {
				clear = clear && math.Abs(p-q) > apart
			}
			if clear && (l.Start > 0 || p > apart) {
				list = append(list, p)
			}
		}
		slices.Sort(list)
		out[i] = list
	}
	return out
}

// sharp returns the arc lengths at which a strand turns sharply within about its own thickness: ankles, which a polyline
// of the whole limb passes over where the foot is short.
func (s *Strand) sharp() (out []float64) {
	length := s.length()
	r := s.thick(0.2, 0.8)
	last := 0.0
	for arc := s.Start + 2.5*r; arc < length-1.5*r; arc += r / 4 {
		t := s.turn(arc, 2*r)
		if t < sharpBend || t < s.turn(arc-r/4, 2*r) || t < s.turn(arc+r/4, 2*r) || arc < last+3*r {
			continue
		}
		out = append(out, arc)
		last = arc
	}
	return out
}

// narrow returns the arc lengths at which a strand is thinner than before and after: necks and wrists.
func (s *Strand) narrow() (out []float64) {
	const n = 48
	length := s.length()
	var thick, arc [n]float64
	usual := s.thick(0.2, 0.8)
	for k := range n {
		arc[k] = s.Start + (length-1.2*usual-s.Start)*float64(k)/(n-1) // a tip is thin because it is round
		thick[k] = s.at(arc[k]).Radius
	}
	for k := n / 12; k < n-2; k++ {
		least, before, after := thick[k], 0.0, 0.0
		for i := range n {
			switch {
			case i < k && arc[k]-arc[i] < 0.4*length:
				before = max(before, thick[i])
				if arc[k]-arc[i] < 2*usual {
					least = min(least, thick[i])
				}
			case i > k && arc[i]-arc[k] < 0.4*length:
				after = max(after, thick[i])
				if arc[i]-arc[k] < 2*usual {
					least = min(least, thick[i])
				}
			}
		}
		if thick[k] == least && before > 1.08*least && after > narrowBy*least && arc[k] > s.Start+0.8*usual {
			for k+1 < n-2 && thick[k+1] < 1.08*least { // before it widens again
				k++
			}
			out = append(out, arc[k])
		}
	}
	return out
}

// narrowBy is how much thicker a limb is beyond a narrow place; before it, it may merely have tapered.
const narrowBy = 1.2

// sharpBend is the turn, in degrees, from which on there is a joint whatever its weight.
const sharpBend = 38

// divide finds, for every number of joints between the two ends of a span, where they stand best and what is left.
func (sp *span) divide(l *Strand) {
	const n = bendSamples
	at := make([]r3.Vec, n)
	arc := make([]float64, n)
	for k := range n {
		arc[k] = sp.from + (sp.to-sp.from)*float64(k)/(n-1)
		at[k] = l.at(arc[k]).At
	}
	shortest := 1.2 * l.thick(0.2, 0.8) // a bone is longer than half as thick as the limb
	var one [n][n]float64               // the sum of squares from a to b, over all n
	for a := range n {
		for b := a + 1; b < n; b++ {
			way := r3.Sub(at[b], at[a])
			length2 := r3.Norm2(way)
			sum := 0.0
			for k := a + 1; k < b; k++ {
				q := r3.Sub(at[k], at[a])
				t := 0.0
				if length2 > 0 {
					t = max(0, min(1, r3.Dot(q, way)/length2))
				}
				sum += r3.Norm2(r3.Sub(q, r3.Scale(t, way)))
			}
			straight := evenBend * (arc[b] - arc[a])
			one[a][b] = (sum + straight*straight*float64(b-a)) / (n - 1)
			if b-a < n-1 && arc[b]-arc[a] < shortest {
				one[a][b] = math.Inf(1)
			}
		}
	}
	best := make([]float64, n) // from 0 to b with so many pieces
	copy(best, one[0][:])
	var back [][n]int
	for pieces := 1; pieces <= mostBetween+1; pieces++ {
		places := make([]float64, 0, pieces-1)
		for b, k := n-1, len(back)-1; k >= 0; k-- {
			b = back[k][b]
			places = append(places, arc[b])
		}
		slices.Reverse(places)
		sp.cost, sp.at = append(sp.cost, best[n-1]), append(sp.at, places)
		next, from := make([]float64, n), [n]int{}
		for b := range n {
			next[b] = math.Inf(1)
			for a := pieces; a < b; a++ {
				if c := best[a] + one[a][b]; c < next[b] {
					next[b], from[b] = c, a
				}
			}
		}
		best, back = next, append(back, from)
	}
}

// more reports whether another joint has room in a span.
func (sp *span) more() bool { return sp.n+1 < len(sp.cost) && !math.IsInf(sp.cost[sp.n+1], 1) }

// deal gives joints to the spans, each to the one that is farthest from straight: until there are most, or, for 0,
// until none is farther than a share of the size, and of the limb's own length.
func (s *Shape) deal(spans []*span, n, most int) {
	size := s.size()
	fine := make([]float64, len(spans))
	for i, sp := range spans {
		l := &s.Limbs[sp.limb]
		fine[i] = max(0.4*shapeFine*size, min(1.6*shapeFine*size, 0.45*evenBend*(l.length()-l.Start)))
		if l.Kind == "chain" || l.Kind == "stem" {
			fine[i] = 0.6 * shapeFine * size
		}
	}
	for {
		worst := -1
		for i, sp := range spans {
			if !sp.more() || most > 0 && n+sp.weight > most || most == 0 && math.Sqrt(sp.cost[sp.n]) <= fine[i] {
				continue
			}
			if worst < 0 || sp.cost[sp.n] > spans[worst].cost[spans[worst].n] {
				worst = i
			}
		}
		if worst < 0 || n+spans[worst].weight > shapeJointsMost {
			return
		}
		spans[worst].n++
		n += spans[worst].weight
	}
}

// give gives every limb as many joints between its first and its end as counts has for its name; those that it must
// have count, and where they are more already they stay.
func (s *Shape) give(of [][]*span, fixed [][]float64, counts map[string]int) {
	for i := range s.Limbs {
		l := &s.Limbs[i]
		want, ok := counts[l.Name]
		if !ok || l.Partner >= 0 && l.Partner < i {
			continue
		}
		have := len(fixed[i]) - 1
		if l.Start > 0 {
			have--
		}
		for ; have < want; have++ {
			var worst *span
			for _, sp := range of[i] {
				if sp.more() && (worst == nil || sp.cost[sp.n] > worst.cost[worst.n]) {
					worst = sp
				}
			}
			if worst == nil {
				break
			}
			worst.n++
		}
	}
}

// limbCounts returns how many joints the limbs of a skeleton have between their first and their end, by the name of the
// limb: the plan that a starter made of a shape is fitted by.
func limbCounts(s *skeleton.Skeleton) map[string]int {
	out := map[string]int{}
	for _, j := range s.Joints {
		stem, _ := skeleton.DefaultMarks.Split(j.Name)
		i := strings.LastIndexByte(stem, '_')
		if n, err := strconv.Atoi(stem[i+1:]); err == nil && i > 0 {
			out[stem[:i]] = max(out[stem[:i]], n-1)
		}
	}
	return out
}

// place returns the joints, each after its parent.
func (s *Shape) place(fixed [][]float64, of [][]*span) []ShapeJoint {
	const found, taken = 0.85, 0.6
	root := ShapeJoint{Name: "root", Parent: -1, At: s.Root.At, Confidence: 0.8, Reason: "the middle of the body"}
	if s.Chain {
		root.Name, root.Reason = s.Limbs[0].Name+"_1", "where the line begins"
	}
	out := []ShapeJoint{root}
	type on struct {
		arc   float64
		joint int
	}
	placed := make([][]on, len(s.Limbs))
	for i := range s.Limbs {
		l := &s.Limbs[i]
		parent := 0
		if l.On >= 0 {
			parent = placed[l.On][0].joint
			apart := max(0.04*s.Limbs[l.On].length(), 0.6*s.Limbs[l.On].thick(0.2, 0.8))
			for _, p := range placed[l.On] {
				if p.arc <= l.Arc+apart {
					parent = p.joint
				}
			}
		}
		placed[i] = []on{{0, parent}}
		length, scale := l.length(), 1.0
		if l.Partner >= 0 && l.Partner < i { // what is fixed and divided is its partner's: the same shares
			scale = length / s.Limbs[l.Partner].length()
		}
		var arcs []float64
		known := map[float64]bool{}
		for _, arc := range fixed[i] {
			arcs = append(arcs, arc*scale)
			known[arc*scale] = true
		}
		for _, sp := range of[i] {
			for _, arc := range sp.at[sp.n] {
				arcs = append(arcs, arc*scale)
			}
		}
		slices.Sort(arcs)
		first := 1
		if s.Chain && i == 0 {
			first = 2
		}
		for k, arc := range arcs {
			j := ShapeJoint{Name: fmt.Sprintf("%s_%d%s", l.Name, first+k, l.Side), Parent: parent, At: l.at(arc).At, Confidence: found}
			turn := l.turn(arc, 0.1*(length-l.Start))
			switch {
			case k == len(arcs)-1 && s.ends(i):
				j.Name, j.End, j.At, j.Confidence, j.Reason = l.Name+"_end"+l.Side, true, l.tip(), 0.9, "the tip of the limb"
			case k == 0 && l.Start > 0:
				j.Reason = "where the limb leaves the body"
			case known[arc] && l.Leads:
				j.Reason = "where limbs part"
			case known[arc] && turn < sharpTurn:
				j.Reason = "where the limb is narrowest"
			case turn > sharpTurn:
				j.Reason = fmt.Sprintf("where it bends by %.0f°", turn)
			default:
				j.Confidence, j.Reason = taken, "it is straight here: the limb is divided evenly"
			}
			if l.Partner < 0 && l.Side != "" {
				j.Confidence *= 0.9
				j.Reason += "; no limb like it was found on the other side"
			}
			out = append(out, j)
			parent = len(out) - 1
			placed[i] = append(placed[i], on{arc, parent})
		}
	}
	return out
}

// ends reports whether a limb has a tip, rather than others that go on from its end.
func (s *Shape) ends(i int) bool {
	length := s.Limbs[i].length()
	for k := range s.Limbs {
		if s.Limbs[k].On == i && s.Limbs[k].Arc > 0.93*length {
			return false
		}
	}
	return true
}

// sharpTurn is the bend, in degrees, from which on a joint is where a limb bends.
const sharpTurn = 12

// turn is by how many degrees a line turns at an arc length, over a way to either side.
func (s *Strand) turn(arc, way float64) float64 {
	p := s.at(arc).At
	in, out := r3.Sub(p, s.at(max(0, arc-way)).At), r3.Sub(s.at(min(s.length(), arc+way)).At, p)
	if r3.Norm(in) == 0 || r3.Norm(out) == 0 {
		return 0
	}
	return math.Acos(max(-1, min(1, r3.Dot(r3.Unit(in), r3.Unit(out))))) * 180 / math.Pi
}
