package fit

import (
	"cmp"
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// gauge measures how thick a strand is all round where it has left what it is on: finer than by the depth of a cube.
func (f *fitter) gauge(s *Strand) {
	length := s.length()
	for k := range s.Line {
		if arc := length * float64(k) / float64(len(s.Line)-1); arc >= s.Start && k+1 < len(s.Line) {
			s.Line[k].Radius = f.spread(s, arc)
		}
	}
}

// dissolve takes short stretches of the body that lead to limbs on one side into these limbs.
func (f *fitter) dissolve(list []Strand) []Strand {
	for i := range list {
		s := &list[i]
		hub := s.Line[0]
		if !s.Leads || math.Abs(s.tip().X-f.plane) < 0.3*hub.Radius || s.length() > 2.5*hub.Radius || s.thick(0, 1) < 0.55*hub.Radius {
			continue
		}
		length := s.length()
		for k := range list {
			c := &list[k]
			if c.On != i {
				continue
			}
			var before []Bead
			for t := 0.0; t < c.Arc; t += f.vox.Cell {
				before = append(before, s.at(t))
			}
			reach := c.Arc
			c.Line = append(before, c.Line...)
			c.On, c.Arc = s.On, s.Arc
			f.leave(c, min(reach, length))
			f.straighten(c)
		}
		s.Line = nil
	}
	return without(list)
}

// forked moves the end of a strand that divides into others of its kind to where their axes come from: ways that leave
// at a narrow angle run together for a while.
func forked(list []Strand) {
	for i := range list {
		p := &list[i]
		length := p.length()
		sum, n := 0.0, 0.0
		for k := range list {
			c := &list[k]
			if c.On != i || c.Arc < length-1e-9 || c.Leads || c.Line[0].Radius > 1.6*c.thick(0.2, 0.8) {
				continue
			}
			a, b := c.at(c.length()*0.45).At, c.at(c.length()*0.75).At
			way := r3.Sub(a, b)
			if r3.Norm(way) == 0 {
				continue
			}
			back := r3.Add(a, r3.Scale(c.length(), r3.Unit(way)))
			best, arc := math.Inf(1), length
			for t := max(p.Start, length-6*c.Line[0].Radius); t <= length; t += c.Line[0].Radius / 8 {
				at := p.at(t).At
				on, _ := geom.ClosestOnSegment(at, a, back)
				if d := r3.Norm(r3.Sub(at, on)); d < best {
					best, arc = d, t
				}
			}
			sum, n = sum+arc, n+1
		}
		if n < 2 || sum/n > length-p.Line[0].Radius/4 {
			continue
		}
		arc := sum / n
		end := p.at(arc)
		for k := range list {
			if c := &list[k]; c.On == i && c.Arc >= length-1e-9 {
				c.Arc = arc
				c.Line = append([]Bead{end}, c.Line...)
				c.Start = 0
			}
		}
		p.Line = append(upTo(p, arc), end)
	}
}

// upTo returns the beads of a strand before an arc length.
func upTo(s *Strand, arc float64) []Bead {
	sum := 0.0
	for k := 1; k < len(s.Line); k++ {
		if sum += r3.Norm(r3.Sub(s.Line[k].At, s.Line[k-1].At)); sum >= arc {
			return slices.Clone(s.Line[:k])
		}
	}
	return slices.Clone(s.Line)
}

// without drops the strands that have no line any more.
func without(list []Strand) []Strand {
	to := make([]int, len(list))
	var out []Strand
	for i, s := range list {
		to[i] = len(out)
		if s.Line != nil {
			out = append(out, s)
		}
	}
	for i := range out {
		if out[i].On >= 0 {
			out[i].On = to[out[i].On]
		}
		out[i].Leads = false
	}
	for i := range out {
		if out[i].On >= 0 {
			out[out[i].On].Leads = true
		}
	}
	return out
}

// through joins two strands that go on into each other across a root that is no body of its own: a rope, a stem. The
// line then begins at its lower end, if it stands, or else at its thicker one.
func (f *fitter) through(s *Shape) {
	var from []int
	for i, l := range s.Limbs {
		if l.On < 0 {
			from = append(from, i)
		}
	}
	slices.SortStableFunc(from, func(a, b int) int { return cmp.Compare(s.Limbs[b].thick(0, 0.5), s.Limbs[a].thick(0, 0.5)) })
	if len(from) == 1 && len(s.Limbs) == 1 {
		s.Chain = true
	}
	if len(from) < 2 {
		return
	}
	ia, ib := from[0], from[1]
	a, b := &s.Limbs[ia], &s.Limbs[ib]
	alone := len(s.Limbs) == 2
	ra, rb := a.thick(0, 0.5), b.thick(0, 0.5)
	if s.Root.Radius > grows*rb || rb < onward*ra || !alone && f.match > walking {
		return
	}
	if !alone && len(from) > 2 && s.Limbs[from[2]].thick(0, 0.5) > onward*rb {
		return // three that are alike meet: none is the other's continuation
	}
	if b.tip().Y < f.floor+0.06*f.height && a.tip().Y > f.floor+0.3*f.height ||
		a.tip().Y > f.floor+0.06*f.height && f.volumeAt(b) > f.volumeAt(a) {
		ia, ib, a, b = ib, ia, b, a
	}
	// From the tip of a through the root to the tip of b.
	la := a.length()
	line := slices.Clone(a.Line)
	slices.Reverse(line)
	line = append(line, b.Line[1:]...)
	for i := range s.Limbs {
		l := &s.Limbs[i]
		switch l.On {
		case ia:
			l.Arc = la - l.Arc
		case ib:
			l.On, l.Arc = ia, la+l.Arc
		case -1:
			l.On, l.Arc = ia, la
		}
	}
	s.Limbs[ia] = Limb{Strand: Strand{Line: line, On: -1, Leads: !alone}, Partner: -1}
	s.Limbs[ib].Line = nil
	s.Chain = true
	s.Root = line[0]
	// The through line goes first.
	order := []int{ia}
	for i := range s.Limbs {
		if i != ia && i != ib {
			order = append(order, i)
		}
	}
	s.reorder(order)
}

// volumeAt is how much lies around a strand's tip.
func (f *fitter) volumeAt(l *Limb) float64 {
	if i := f.nearestInside(l.tip()); i >= 0 {
		return f.volumeNear(i, 0.12*l.length()+2*f.vox.Cell)
	}
	return 0
}

// reorder brings the limbs into an order, all that are not in it left out.
func (s *Shape) reorder(order []int) {
	to := make([]int, len(s.Limbs))
	for i := range to {
		to[i] = -1
	}
	out := make([]Limb, len(order))
	for k, i := range order {
		to[i], out[k] = k, s.Limbs[i]
	}
	for k := range out {
		if out[k].On >= 0 {
			out[k].On = to[out[k].On]
		}
		if out[k].Partner >= 0 {
			out[k].Partner = to[out[k].Partner]
		}
	}
	s.Limbs = out
}

// cut keeps the n longest limbs and those that they are on.
func (s *Shape) cut(n int) {
	order := make([]int, len(s.Limbs))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(s.Limbs[b].length(), s.Limbs[a].length()) })
	keep := map[int]bool{}
	for _, i := range order {
		if len(keep) >= n {
			break
		}
		for k := i; k >= 0 && !keep[k]; k = s.Limbs[k].On {
			keep[k] = true
		}
		if p := s.Limbs[i].Partner; p >= 0 {
			keep[p] = true
		}
	}
	var kept []int
	for i := range s.Limbs {
		if keep[i] {
			kept = append(kept, i)
		}
	}
	s.reorder(kept)
}

// pair finds the limbs that are each other's mirror image, or, on a body that moves, that are alike and leave the body
// at mirrored places, and lays the lines of mirrored ones alike.
func (f *fitter) pair(s *Shape) {
	if s.Chain && f.match < walking || math.IsInf(f.plane, 0) {
		return
	}
	size := f.extent()
	mirrored := func(p r3.Vec) r3.Vec { return r3.Vec{X: 2*f.plane - p.X, Y: p.Y, Z: p.Z} }
	type pair struct {
		a, b int
		off  float64
		same bool
	}
	var list []pair
	for i := range s.Limbs {
		for k := i + 1; k < len(s.Limbs); k++ {
			a, b := &s.Limbs[i], &s.Limbs[k]
			ra, rb := a.thick(0.1, 0.9), b.thick(0.1, 0.9)
			la, lb := a.length()-a.Start, b.length()-b.Start
			mid, other := a.at((a.Start+a.length())/2).At, b.at((b.Start+b.length())/2).At
			if (mid.X-f.plane)*(other.X-f.plane) >= 0 || max(la, lb) > 1.35*min(la, lb) || max(ra, rb) > 1.5*min(ra, rb) {
				continue
			}
			off := r3.Norm(r3.Sub(mirrored(a.tip()), b.tip()))
			start := r3.Norm(r3.Sub(mirrored(a.at(a.Start).At), b.at(b.Start).At))
			switch {
			case off < 0.07*size && start < 0.12*size:
				list = append(list, pair{i, k, off + start, true})
			case start < 0.09*size && max(la, lb) < 1.2*min(la, lb):
				list = append(list, pair{i, k, size + start, false})
			}
		}
	}
	slices.SortStableFunc(list, func(a, b pair) int { return cmp.Compare(a.off, b.off) })
	for _, p := range list {
		a, b := &s.Limbs[p.a], &s.Limbs[p.b]
		if a.Partner >= 0 || b.Partner >= 0 {
			continue
		}
		a.Partner, b.Partner = p.b, p.a
		start := (a.Start/a.length() + b.Start/b.length()) / 2
		if p.same && f.match > mirrorMatch {
			for k := range a.Line {
				at := r3.Scale(0.5, r3.Add(a.Line[k].At, mirrored(b.Line[k].At)))
				r := (a.Line[k].Radius + b.Line[k].Radius) / 2
				a.Line[k], b.Line[k] = Bead{at, r}, Bead{mirrored(at), r}
			}
			if a.On == b.On {
				a.Arc = (a.Arc + b.Arc) / 2
				b.Arc = a.Arc
			}
		}
		a.Start, b.Start = start*a.length(), start*b.length()
	}
	// Both of a pair are on the same, or on two that are a pair.
	for i := range s.Limbs {
		a := &s.Limbs[i]
		if a.Partner < i {
			continue
		}
		b := &s.Limbs[a.Partner]
		if a.On == b.On || a.On >= 0 && b.On >= 0 && s.Limbs[a.On].Partner == b.On {
			continue
		}
		on, arc := a.On, a.Arc
		if on < 0 || b.On >= 0 && b.On < on && s.Limbs[b.On].Partner < 0 {
			on, arc = b.On, b.Arc
		}
		if on >= 0 && on < min(i, a.Partner) && s.Limbs[on].Partner < 0 {
			a.On, a.Arc, b.On, b.Arc = on, arc, on, arc
		}
	}
	for i := range s.Limbs { // what lies in the middle lies in it
		l := &s.Limbs[i]
		if l.Partner >= 0 || f.match < walking || !f.inMiddle(&l.Strand) {
			continue
		}
		for k := range l.Line {
			l.Line[k].At.X = f.plane
		}
	}
	if math.Abs(s.Root.At.X-f.plane) < 0.3*s.Root.Radius {
		s.Root.At.X = f.plane
	}
}

// mirrorMatch is the share of cubes with a mirror image from which on both sides are made alike.
const mirrorMatch = 0.93

// inMiddle reports whether a strand runs in the middle plane.
func (f *fitter) inMiddle(s *Strand) bool {
	for _, b := range s.Line[:len(s.Line)*7/8] { // the farthest place of a blunt end may be at its rim
		if math.Abs(b.At.X-f.plane) > max(0.03*f.extent(), 0.6*b.Radius) {
			return false
		}
	}
	return true
}
