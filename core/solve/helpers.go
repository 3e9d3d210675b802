package solve

import (
	"context"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/guide"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Helper joints for what weights cannot do: a twisted limb that keeps round, a bent one that does not go pointed. Which
// ones is found by trying, in the manner of skinning decomposition (Le & Deng, Smooth Skinning Decomposition with Rigid
// Bones, 2012), but for joints that follow a rule.

const (
	// LeastGain is what a helper joint, or a pair of them, takes off the squared distance that is left at first, or it is
	// not worth a joint.
	LeastGain = 0.02
	// trySweeps is how often the vertices about a helper joint are gone over to see what it gains.
	trySweeps = 6
	// leastNearer is by how much less the vertices that it moves must be off with it, all weights solved together.
	leastNearer = 0.03
	// leastShare and mostShare bound what a rule may be fitted to; farAway how far from its driver, of the bone's length.
	leastShare, mostShare, farAway = 0.1, 0.9, 0.35
)

// Gain is what helper joints are good for: one, or two that are a pair.
type Gain struct {
	Joints   []string `json:"joints"`
	Says     string   `json:"rule"`       // of the first
	Vertices int      `json:"vertices"`   // that they move
	Before   float64  `json:"before_rms"` // metres from the guide over the frames, of those vertices without them
	After    float64  `json:"after_rms"`  // with them
}

// proposal is a pair of helper joints, or one, in a skeleton that has all that are considered.
type proposal struct {
	joints  []int // of the skeleton
	columns []int32
	gain    float64
	stale   bool
}

// HelpersForMotion is ForMotion with helper joints where they make a difference: at most so many are added. It returns
// the skeleton with those, and what each pair of them gains.
func HelpersForMotion(
	ctx context.Context,
	m *mesh.Mesh,
	w *weights.Weights,
	s *skeleton.Skeleton,
	g *guide.Solid,
	o Options,
	most int,
	progress progress.Func,
) (*Solved, *skeleton.Skeleton, []Gain, error) {
	if progress == nil {
		progress = func(string, float64) {}
	}
	fail := func(err error) (*Solved, *skeleton.Skeleton, []Gain, error) { return nil, nil, nil, err }
	frames, left := Frames(s.WithoutHelpers(), w.WithoutHelpers(s, nil), o.Marks, Shares)
	if len(frames) == 0 {
		return fail(ErrNoMotion)
	}
	var posed []*guide.Posed
	for lo := 0; lo < len(frames); lo += framesAtOnce {
		progress(fmt.Sprintf("Posing the guide, %d of %d frames", lo, len(frames)), 0.4*float64(lo)/float64(len(frames)))
		list, err := g.Poses(ctx, posesOf(frames[lo:min(len(frames), lo+framesAtOnce)]), guide.Options{})
		if err != nil {
			return fail(err)
		}
		posed = append(posed, list...)
	}
	told := func(s *skeleton.Skeleton, w *weights.Weights) *Problem {
		p := New(m, w, s, o)
		for k, f := range frames {
			p.Add(pose.Skin(s, f.Pose), posed[k].Places(p.points), 1)
		}
		for _, x := range o.Given {
			p.Add(x.matrices(s), x.Places, x.Times)
		}
		return p
	}

	// Which ones is found on the copy that the guide has: with every candidate in it the problem is several times as large.
	progress("Looking where a helper joint helps", 0.45)
	all, list := candidates(s, w, o.Marks)
	coarse, of := g.Copy()
	asked := o
	asked.Fixed, asked.Given, asked.Locked = nil, nil, nil
	if o.Locked != nil {
		for _, name := range of.Joints {
			k := slices.Index(w.Joints, name)
			asked.Locked = append(asked.Locked, k >= 0 && o.Locked[k])
		}
	}
	p := New(coarse, withColumns(of, all), all, asked)
	for k, f := range frames {
		p.Add(pose.Skin(all, f.Pose), posed[k].Nodes, 1)
	}
	chosen, err := p.choose(ctx, all, list, most, func(n int) {
		progress(fmt.Sprintf("Looking where a helper joint helps, %s so far", counted(n)), 0.5+0.1*float64(n)/float64(max(most, 1)))
	})
	if err != nil {
		return fail(err)
	}
	with := s.Clone()
	for _, c := range chosen {
		for _, i := range c.joints {
			j := all.Joints[i]
			with.Joints = append(with.Joints, j)
		}
	}
	progress("Fitting helper joints and weights to each other", 0.65)
	if p = told(with, withColumns(w, with)); len(chosen) > 0 {
		if _, err := p.Solve(ctx); err != nil {
			return fail(err)
		}
		gains, err := p.gains(ctx, with, len(s.Joints))
		if err != nil {
			return fail(err)
		}
		with = p.refit(with, len(s.Joints), posesOf(frames), func(k int, vertices []int32) []r3.Vec {
			return posed[k].PlacesOf(p.points, vertices)
		})
		with = without(with, gains)
		progress("Fitting helper joints and weights to each other", 0.8)
		p = told(with, withColumns(w, with))
	}
	out, err := p.Solve(ctx)
	if err != nil {
		return fail(err)
	}
	progress("Measuring what each helper joint gains", 0.95)
	gains, err := p.gains(ctx, with, len(s.Joints))
	if err != nil {
		return fail(err)
	}
	out.Frames, out.All, out.LeftOut = len(frames), len(frames), left
	out.Still = stillJoints(w, s, frames)
	return out, with, gains, nil
}

// without leaves out the helper joints that turned out to be of no use once all weights were solved together.
func without(s *skeleton.Skeleton, gains []Gain) *skeleton.Skeleton {
	var gone []int
	for _, g := range gains {
		if g.After > (1-leastNearer)*g.Before {
			for _, name := range g.Joints {
				gone = append(gone, s.Index(name))
			}
		}
	}
	if gone == nil {
		return s
	}
	out, _, err := s.Remove(gone)
	if err != nil { // what they were added to is left
		return s
	}
	return out
}

func counted(n int) string {
	if n == 1 {
		return "1 joint"
	}
	return fmt.Sprintf("%d joints", n)
}

// withColumns are weights that know of the helper joints of a skeleton, which have none yet.
func withColumns(w *weights.Weights, s *skeleton.Skeleton) *weights.Weights {
	list := s.Helpers()
	if len(list) == 0 {
		return w
	}
	out := *w
	out.Joints = slices.Clone(w.Joints)
	for _, i := range list {
		if name := s.Joints[i].Name; !slices.Contains(out.Joints, name) {
			out.Joints = append(out.Joints, name)
		}
	}
	return &out
}

// candidates returns the skeleton with every helper joint that may be of use: for each joint that bends skin one that
// makes half its turn, and for each that twists one that takes half of it back.
func candidates(s *skeleton.Skeleton, w *weights.Weights, x skeleton.Marks) (*skeleton.Skeleton, []proposal) {
	out := s.Clone()
	taken := map[string]bool{}
	for _, i := range s.Helpers() {
		h := s.Joints[i].Helper
		taken[fmt.Sprint(h.Driver, h.Twist)] = true
	}
	moves := map[int][2]bool{} // by joint: whether it bends, and twists
	for _, t := range s.Trials(x) {
		m := moves[t.Joint]
		m[0] = m[0] || t.Name != "twist"
		m[1] = m[1] || t.Name == "twist"
		moves[t.Joint] = m
	}
	columns := map[string]bool{}
	for _, name := range w.Joints {
		columns[name] = true
	}
	children := s.Children()
	var list []proposal
	of := map[string]int{} // what a pair of joints has, by the stem of its name
	for i, j := range s.Joints {
		if !columns[j.Name] || j.Parent < 0 {
			continue
		}
		stem, side := x.Split(j.Name)
		for kind, yes := range moves[i] {
			if !yes || taken[fmt.Sprint(j.Name, kind == 1)] {
				continue
			}
			made := skeleton.Joint{
				Parent: j.Parent, Pos: j.Pos, Rot: j.Rot, Order: j.Order, Axes: j.Axes,
				Helper: &skeleton.Helper{Driver: j.Name, Share: 0.5}, Reason: "helper joint, solved for motion", Confidence: 1,
			}
			name := stem + "_half"
			if kind == 1 {
				name = stem + "_untwist"
				made.Parent, made.Helper.Twist, made.Helper.Share = i, true, -0.5
				if below := children[i]; len(below) > 0 {
					made.Pos = r3.Add(j.Pos, r3.Scale(0.25, r3.Sub(s.Joints[below[0]].Pos, j.Pos)))
				}
			}
			made.Name = out.FreeName(x.Join(name, side), x)
			k, there := of[name]
			if !there {
				k = len(list)
				list = append(list, proposal{})
				of[name] = k
			}
			list[k].joints = append(list[k].joints, len(out.Joints))
			out.Joints = append(out.Joints, made)
		}
	}
	return out, list
}

// allowHelpers lets helper joints move what their drivers may move too and, unless they are children of these, the next joint
// with weights above them as well.
func (p *Problem) allowHelpers(s *skeleton.Skeleton, lists [][]int32) {
	column := make([]int32, len(s.Joints))
	for i := range column {
		column[i] = -1
	}
	for k, i := range p.numbers {
		if i >= 0 {
			column[i] = int32(k)
		}
	}
	for _, i := range s.Helpers() {
		h, d := column[i], s.Index(s.Joints[i].Helper.Driver)
		if h < 0 {
			continue
		}
		below, above := column[d], int32(-1)
		if s.Joints[i].Parent != d {
			for k := s.Joints[d].Parent; k >= 0 && above < 0; k = s.Joints[k].Parent {
				above = column[k]
			}
			if above < 0 {
				continue
			}
		}
		for u, list := range lists {
			if p.fixed[u] || slices.Contains(list, h) || !slices.Contains(list, below) || above >= 0 && !slices.Contains(list, above) {
				continue
			}
			lists[u] = append(list, h)
			slices.Sort(lists[u])
		}
	}
}

// choose finds the helper joints that take most off the distance, one pair after the other.
func (p *Problem) choose(ctx context.Context, s *skeleton.Skeleton, list []proposal, most int, tell func(n int)) ([]proposal, error) {
	at := map[int]int32{}
	for k, i := range p.numbers {
		at[int(i)] = int32(k)
	}
	p.out = make([]bool, len(p.w.Joints))
	for k := range list {
		for _, i := range list[k].joints {
			c := at[i]
			list[k].columns = append(list[k].columns, c)
			p.out[c] = true
		}
		list[k].stale = true
	}
	held := p.held()
	if err := p.sweeps(ctx, held, mostSweeps, p.open); err != nil {
		return nil, err
	}
	p.mirror(p.now)
	all := p.rest(func(u int) bool { return p.open(u) })
	var chosen []proposal
	n := 0
	for len(list) > 0 {
		for k := range list {
			if !list[k].stale {
				continue
			}
			gain, _, err := p.try(ctx, held, list[k].columns)
			if err != nil {
				return nil, err
			}
			list[k].gain, list[k].stale = gain, false
		}
		best := -1
		for k, c := range list {
			if n+len(c.joints) <= most && (best < 0 || c.gain > list[best].gain) {
				best = k
			}
		}
		if best < 0 || list[best].gain < LeastGain*all {
			break
		}
		c := list[best]
		list = slices.Delete(list, best, best+1)
		_, now, err := p.try(ctx, held, c.columns)
		if err != nil {
			return nil, err
		}
		for u, x := range now {
			p.now[u] = x
		}
		for _, j := range c.columns {
			p.out[j] = false
		}
		chosen = append(chosen, c)
		n += len(c.joints)
		tell(n)
		for k := range list { // what moves none of the same vertices gains what it gained
			for u := range now {
				if slices.ContainsFunc(list[k].columns, func(j int32) bool { return slices.Contains(p.joints[u], j) }) {
					list[k].stale = true
					break
				}
			}
		}
	}
	return chosen, nil
}

// rest is the sum of squares that is left of units, by their areas.
func (p *Problem) rest(which func(u int) bool) (sum float64) {
	for u := range p.of {
		if which(u) {
			sum += p.mass[u] * p.square(u, p.now[u])
		}
	}
	return sum
}

// try tells by how much the sum of squares falls when some joints may move what they are allowed to, and the weights of
// that; p is as before.
func (p *Problem) try(ctx context.Context, held float64, columns []int32) (float64, map[int][]float64, error) {
	of := make([]bool, len(p.of))
	was := map[int][]float64{}
	for u, list := range p.joints {
		if p.open(u) && slices.ContainsFunc(columns, func(j int32) bool { return slices.Contains(list, j) }) {
			of[u] = true
			was[u] = slices.Clone(p.now[u])
		}
	}
	which := func(u int) bool { return of[u] }
	before := p.rest(which)
	for _, j := range columns {
		p.out[j] = false
	}
	err := p.sweeps(ctx, held, trySweeps, which)
	gain := before - p.rest(which)
	now := map[int][]float64{}
	for u, x := range was {
		now[u] = p.now[u]
		p.now[u] = x
	}
	for _, j := range columns {
		p.out[j] = true
	}
	return gain, now, err
}

// gains measures what each pair of helper joints from a number on is good for: what is left without it, the weights of its
// vertices solved again.
func (p *Problem) gains(ctx context.Context, s *skeleton.Skeleton, from int) ([]Gain, error) {
	var out []Gain
	p.out = make([]bool, len(p.w.Joints))
	at := map[int]int32{}
	for k, i := range p.numbers {
		at[int(i)] = int32(k)
	}
	pairs := s.Pairs(p.o.Marks)
	for i := from; i < len(s.Joints); i++ {
		other := pairs.Partner[i]
		if other >= from && other < i {
			continue
		}
		g := Gain{Joints: []string{s.Joints[i].Name}, Says: s.Joints[i].Helper.Says()}
		columns := []int32{at[i]}
		if other > i {
			g.Joints, columns = append(g.Joints, s.Joints[other].Name), append(columns, at[other])
		}
		of, was := make([]bool, len(p.of)), map[int][]float64{}
		mass := 0.0
		for u, list := range p.joints {
			for _, j := range columns {
				if k, ok := slices.BinarySearch(list, j); ok && p.open(u) && p.now[u][k] > partly && !of[u] {
					of[u] = true
					was[u] = slices.Clone(p.now[u])
					g.Vertices += len(p.of[u])
					mass += p.mass[u]
				}
			}
		}
		which := func(u int) bool { return of[u] }
		after := p.rest(which)
		upper := map[int][]float64{}
		for u := range was { // the others may have what it had, within the cap
			upper[u] = p.upper[u]
			p.upper[u] = nil
			for k, j := range p.joints[u] {
				if slices.Contains(columns, j) {
					p.now[u][k] = 0
				}
			}
			evened01(p.now[u])
		}
		for _, j := range columns {
			p.out[j] = true
		}
		err := p.sweeps(ctx, p.held(), trySweeps, which)
		before := p.rest(which)
		for u, x := range was {
			p.now[u], p.upper[u] = x, upper[u]
		}
		for _, j := range columns {
			p.out[j] = false
		}
		if err != nil {
			return nil, err
		}
		rms := func(x float64) float64 { return inDetail * p.height * math.Sqrt(x/math.Max(mass*p.frames, 1e-300)) }
		g.Before, g.After = rms(before), rms(after)
		out = append(out, g)
	}
	p.out = nil
	return out, nil
}

// evened01 makes weights sum to 1 again.
func evened01(w []float64) {
	sum := 0.0
	for _, x := range w {
		sum += x
	}
	for k := range w {
		if sum > 0 {
			w[k] /= sum
		} else {
			w[k] = 1 / float64(len(w))
		}
	}
}
