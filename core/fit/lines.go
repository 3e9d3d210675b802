package fit

import (
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// limb is a limb read from its tip inward: the sections up to where it joins
// what it hangs on.
type limb struct {
	line []station
	join int     // index of the first section of the trunk
	thin float64 // usual area
}

// read follows a limb from its tip until its sections outgrow factor times what
// is usual on it, at the most to reach; within limits the cubes.
func (f *fitter) read(tip int, reach, factor float64, within []bool) (limb, bool) {
	line, _ := f.stations(f.vox.Within([]int{tip}, reach), reach, within)
	if len(line) < 5 {
		return limb{}, false
	}
	// The usual area is the median of what was passed, from the third on.
	l := limb{line: line, join: len(line) - 1}
	var passed []float64
	for k := 2; k < len(line); k++ {
		passed = append(passed, line[k].area)
		usual := slices.Clone(passed)
		slices.Sort(usual)
		l.thin = usual[len(usual)/2]
		if len(passed) > 3 && line[k].area > factor*l.thin {
			l.join = k
			break
		}
	}
	return l, true
}

// at returns the place at an arc length from the tip.
func (l limb) at(arc float64) r3.Vec {
	for k := 1; k < len(l.line); k++ {
		if a, b := l.line[k-1], l.line[k]; b.arc >= arc {
			t := (arc - a.arc) / math.Max(1e-12, b.arc-a.arc)
			return r3.Add(a.at, r3.Scale(math.Max(0, math.Min(1, t)), r3.Sub(b.at, a.at)))
		}
	}
	return l.line[len(l.line)-1].at
}

// bend returns the arc length in (from, to) at which the line is farthest from
// the straight way between its places there, in direction toward if that is not
// zero, and how far that is over the length.
func (l limb) bend(from, to float64, toward r3.Vec) (arc, off float64) {
	a, b := l.at(from), l.at(to)
	axis := r3.Sub(b, a)
	length := r3.Norm(axis)
	if length == 0 {
		return (from + to) / 2, 0
	}
	axis = r3.Scale(1/length, axis)
	arc = (from + to) / 2
	for _, s := range l.line {
		if s.arc <= from || s.arc >= to {
			continue
		}
		q := r3.Sub(s.at, a)
		d := r3.Sub(q, r3.Scale(r3.Dot(q, axis), axis))
		o := r3.Norm(d)
		if toward != (r3.Vec{}) {
			o = r3.Dot(d, toward)
		}
		if o > off*length {
			arc, off = s.arc, o/length
		}
	}
	return arc, off
}

// ground returns the connected sets of inside cubes just above the floor that
// lie on one side of the middle plane, with their centres, from front to back.
func (f *fitter) ground(side int) []foot {
	v := f.vox
	limit := f.floor + math.Max(2.2*v.Cell, 0.03*f.height)
	seen := map[int]bool{}
	var out []foot
	for i, c := range v.Filled() {
		if c.Y > limit {
			break // lower ones come first
		}
		if seen[i] || (c.X > f.plane) != (side == 0) {
			continue
		}
		set := []int{i}
		seen[i] = true
		box := geom.EmptyBox()
		for k := 0; k < len(set); k++ {
			box = box.Add(v.Centre(set[k]))
			v.Around(set[k], func(n int) {
				if c := v.Centre(n); v.Inside[n] && !seen[n] && c.Y <= limit && (c.X > f.plane) == (side == 0) {
					seen[n] = true
					set = append(set, n)
				}
			})
		}
		if len(set) > 2 {
			out = append(out, foot{set, box})
		}
	}
	slices.SortFunc(out, func(a, b foot) int { return len(b.cubes) - len(a.cubes) })
	return out
}

type foot struct {
	cubes []int
	box   geom.Box
}

// rise reads a leg from the ground up, level by level, through cubes that hang
// together with the level below, until the section outgrows factor times the
// usual one or top is reached. Sections go from the ground upward.
func (f *fitter) rise(p foot, top, factor float64) limb {
	v := f.vox
	level := map[int]bool{}
	for _, i := range p.cubes {
		x, _, z := v.Coords(i)
		level[z*v.NX+x] = true
	}
	_, y0, _ := v.Coords(p.cubes[0])
	for _, i := range p.cubes {
		_, y, _ := v.Coords(i)
		y0 = max(y0, y)
	}
	l := limb{}
	var passed []float64
	for y := y0; y < v.NY && v.Origin.Y+float64(y)*v.Cell < top; y++ {
		next := map[int]bool{}
		var stack []int
		for k := range level {
			if v.Inside[v.Index(k%v.NX, y, k/v.NX)] {
				next[k] = true
				stack = append(stack, k)
			}
		}
		for len(stack) > 0 {
			k := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			for _, o := range [4][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
				x, z := k%v.NX+o[0], k/v.NX+o[1]
				if x < 0 || z < 0 || x >= v.NX || z >= v.NZ || next[z*v.NX+x] || !v.Inside[v.Index(x, y, z)] {
					continue
				}
				next[z*v.NX+x] = true
				stack = append(stack, z*v.NX+x)
			}
		}
		if len(next) == 0 {
			break
		}
		var sum r3.Vec
		for k := range next {
			sum = r3.Add(sum, r3.Vec{X: float64(k % v.NX), Z: float64(k / v.NX)})
		}
		n := float64(len(next))
		at := r3.Vec{X: v.Origin.X + sum.X/n*v.Cell, Y: v.Origin.Y + float64(y)*v.Cell, Z: v.Origin.Z + sum.Z/n*v.Cell}
		s := station{at: at, area: n * v.Cell * v.Cell}
		if len(l.line) > 0 {
			last := l.line[len(l.line)-1]
			s.arc = last.arc + r3.Norm(r3.Sub(at, last.at))
		}
		passed = append(passed, s.area)
		usual := slices.Clone(passed)
		slices.Sort(usual)
		l.thin = usual[len(usual)/2]
		if len(passed) > 4 && s.area > factor*l.thin {
			break
		}
		l.line = append(l.line, s)
		level = next
	}
	l.join = max(0, len(l.line)-1)
	return l
}

// riseTo is rise, up to where a person has shown that the limb begins, whatever its
// sections are.
func (f *fitter) riseTo(name string, p foot, top, factor float64) limb {
	if q, ok := f.given["begin "+name]; ok {
		top, factor = q.Y, math.Inf(1)
	}
	return f.rise(p, top, factor)
}

// lengthwise fills the volume of a body that is longer than it is broad, turned
// so that its middle plane is X = const.
func lengthwise(m *mesh.Mesh, shown Shown) (*fitter, error) {
	f, err := newFitter(m, shown, shown.turn())
	if err != nil {
		return nil, err
	}
	if !f.faced && f.symmetryAcross(true) > f.symmetryAcross(false)+0.02 {
		f.quarters(1)
	}
	return f, nil
}

// girth is the usual area of the trunk's sections square to Z between two
// places, above the belly.
func (f *fitter) girth(z0, z1 float64) float64 {
	v := f.vox
	var areas []float64
	for z := z0; z <= z1; z += 2 * v.Cell {
		low, high, ok := f.section(z)
		if !ok {
			continue
		}
		iz := int(math.Round((z - v.Origin.Z) / v.Cell))
		n := 0.0
		for y := range v.NY {
			if c := v.Origin.Y + float64(y)*v.Cell; c < low-0.5*v.Cell || c > high {
				continue
			}
			for x := range v.NX {
				if v.Inside[v.Index(x, y, iz)] {
					n++
				}
			}
		}
		areas = append(areas, n*v.Cell*v.Cell)
	}
	if len(areas) == 0 {
		return 0
	}
	slices.Sort(areas)
	return areas[len(areas)/2]
}

// volumeNear returns the volume within a way of a tip, along the inside.
func (f *fitter) volumeNear(tip int, way float64) float64 {
	n := 0.0
	for _, d := range f.vox.Within([]int{tip}, way) {
		if d < way {
			n++
		}
	}
	return n * f.vox.Cell * f.vox.Cell * f.vox.Cell
}

// farthest returns the inside cube with the largest distance that may welcomes,
// -1 for none.
func (f *fitter) farthest(dist []float64, may func(c r3.Vec) bool) int {
	best, at := 0.0, -1
	for i, d := range dist {
		if !math.IsInf(d, 1) && d > best && may(f.vox.Centre(i)) {
			best, at = d, i
		}
	}
	return at
}

// bridged is how many empty cubes a section may have in it, such as a crack in
// the skin leaves.
const bridged = 2

// section is the longest run of inside cubes of the middle plane at a Z: the
// lowest and highest Y of the trunk there; ok is false where there is none.
func (f *fitter) section(z float64) (low, high float64, ok bool) {
	v := f.vox
	iz := int(math.Round((z - v.Origin.Z) / v.Cell))
	ix := int(math.Round((f.midX(z) - v.Origin.X) / v.Cell))
	if iz < 0 || iz >= v.NZ || ix < 0 || ix >= v.NX {
		return 0, 0, false
	}
	best, from, last := 0, -1, -1-bridged
	for y := range v.NY {
		if !v.Inside[v.Index(ix, y, iz)] {
			continue
		}
		if from < 0 || y-last > 1+bridged {
			from = y
		}
		if last = y; y-from+1 > best {
			best = y - from + 1
			low, high = v.Origin.Y+(float64(from)-0.5)*v.Cell, v.Origin.Y+(float64(y)+0.5)*v.Cell
		}
	}
	return low, high, best > 0
}
