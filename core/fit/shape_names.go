package fit

import (
	"cmp"
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// kinds tells what each limb is, by size, place and symmetry.
func (f *fitter) kinds(s *Shape) {
	ground := f.floor + 0.07*f.height
	head, best := -1, 0.0
	for i := range s.Limbs {
		l := &s.Limbs[i]
		start, tip := l.at(l.Start).At, l.tip()
		left := l.at((l.Start + l.length()) / 2).At.X
		if l.Partner >= 0 || !s.Chain && !f.inMiddle(&l.Strand) {
			l.Side = "_l"
			if left < f.plane {
				l.Side = "_r"
			}
		}
		switch {
		case s.Chain && i == 0:
			l.Kind, l.Side = "chain", ""
			if l.Leads {
				l.Kind = "stem"
			}
		case s.Chain:
			l.Kind, l.Side = "branch", ""
		case l.Leads && l.Side == "":
			l.Kind = "body"
		case l.Side == "":
			l.Kind = "tail"
			// A head is in front or above, and often thicker before its neck.
			way := r3.Sub(tip, start)
			score := (way.Z + 0.8*way.Y) / max(1e-9, r3.Norm(way))
			if neck := l.thick(0.05, 0.45); l.thick(0.55, 0.85) > 1.15*neck {
				score += 0.5
			}
			if score > best {
				head, best = i, score
			}
			if start.Z > s.Root.At.Z+1.2*s.Root.Radius && way.Y < 0 && way.Z > 0 {
				l.Kind = "trunk" // in front, and it hangs
			}
		case tip.Y < ground && start.Y > tip.Y+0.1*f.height:
			l.Kind = "leg"
		case f.flat(&l.Strand):
			l.Kind = "wing"
		default:
			l.Kind = "arm"
		}
	}
	if head >= 0 {
		s.Limbs[head].Kind = "head"
	}
	// What grows on a limb is a part of it.
	for i := range s.Limbs {
		l := &s.Limbs[i]
		if on := l.On; on >= 0 && s.Limbs[on].Side != "" && l.Kind != "branch" {
			l.Kind = "digit"
		}
	}
}

// flat reports whether a limb is a sheet rather than a rod: as seen along it, far wider than thick.
func (f *fitter) flat(s *Strand) bool {
	v := f.vox
	l := s.length()
	wide := 0
	for k := range 5 {
		arc := s.Start + (l-s.Start)*(0.3+0.12*float64(k))
		b := s.at(arc)
		d := r3.Sub(s.at(min(l, arc+b.Radius)).At, s.at(max(0, arc-b.Radius)).At)
		if r3.Norm(d) == 0 {
			continue
		}
		d = r3.Unit(d)
		u := geom.Rotate(geom.Between(r3.Vec{Z: 1}, d), r3.Vec{X: 1})
		w := r3.Cross(d, u)
		far := 0.0
		for a := range 12 {
			sin, cos := math.Sincos(float64(a) * math.Pi / 6)
			dir := r3.Add(r3.Scale(cos, u), r3.Scale(sin, w))
			reach := 0.0
			for reach < 12*b.Radius {
				i := v.At(r3.Add(b.At, r3.Scale(reach+v.Cell, dir)))
				if i < 0 || !v.Inside[i] {
					break
				}
				reach += v.Cell
			}
			far = max(far, reach)
		}
		if far > 3*b.Radius {
			wide++
		}
	}
	return wide >= 3
}

// name gives the limbs their names: letters where there are several of a kind and side, in order along the body from
// the front, or from the top where the body is upright.
func (s *Shape) name() {
	var low, high r3.Vec
	for i, l := range s.Limbs {
		p := l.at(l.Start).At
		if i == 0 {
			low, high = p, p
		}
		low = r3.Vec{X: min(low.X, p.X), Y: min(low.Y, p.Y), Z: min(low.Z, p.Z)}
		high = r3.Vec{X: max(high.X, p.X), Y: max(high.Y, p.Y), Z: max(high.Z, p.Z)}
	}
	upright := high.Y-low.Y > high.Z-low.Z
	key := func(i int) float64 {
		p := s.Limbs[i].at(s.Limbs[i].Start).At
		if upright {
			return -p.Y
		}
		return -p.Z
	}
	// A pair, or a limb that has no partner, has a letter where there are others of its kind on the same.
	type group struct {
		kind string
		on   int
	}
	of := map[group][]int{}
	var order []group
	for i := range s.Limbs {
		l := &s.Limbs[i]
		if l.Partner >= 0 && l.Side == "_r" {
			continue
		}
		g := group{l.Kind, -1}
		if l.Kind == "digit" {
			if g.on = l.On; s.Limbs[g.on].Partner >= 0 {
				g.on = min(g.on, s.Limbs[g.on].Partner)
			}
		}
		if of[g] == nil {
			order = append(order, g)
		}
		of[g] = append(of[g], i)
	}
	for _, g := range order {
		list := of[g]
		slices.SortStableFunc(list, func(a, b int) int { return cmp.Compare(key(a), key(b)) })
		for k, i := range list {
			l := &s.Limbs[i]
			l.Name = l.Kind
			if l.Kind == "digit" { // those that they are on come before them
				l.Name = s.Limbs[l.On].Name + "_digit"
			}
			if len(list) > 1 {
				l.Name += "_" + letters(k)
			}
			if l.Partner >= 0 {
				s.Limbs[l.Partner].Name = l.Name
			}
		}
	}
}

// letters are a, b, … z, aa, ab …
func letters(k int) string {
	if k < 26 {
		return string(rune('a' + k))
	}
	return string(rune('a'+k/26-1)) + string(rune('a'+k%26))
}
