package fit

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"sort"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// chain places joints along the middle line of a long body, evenly or closer where
// it bends: its two ends are the places farthest from each other along the inside,
// and the end with more volume near it is the first.
func chain(ctx context.Context, m *mesh.Mesh, p skeleton.Params, shown Shown, progress progress.Func) (*fitter, error) {
	progress("Filling the volume", 0.05)
	// A chain may lie along any axis: all of it counts.
	m, _ = m.MakeOutward()
	tris, _ := m.Triangles()
	f, err := fillBody(m.World(), tris, shown, 3e5, geom.Identity, 0) // a line needs no fingers
	if err != nil {
		return nil, err
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	progress("Finding its ends", 0.4)
	v := f.vox
	start := -1
	for i, in := range v.Inside {
		if in {
			start = i
			break
		}
	}
	any := func(r3.Vec) bool { return true }
	a := f.farthest(v.Distances([]int{start}), any)
	b := f.farthest(v.Distances([]int{a}), any)
	if a < 0 || b < 0 {
		return nil, errors.New("no two ends found for a chain to run between")
	}
	if q, ok := f.given["head"]; ok {
		a = f.nearestInside(q)
		b = f.farthest(v.Distances([]int{a}), any)
	} else {
		length := v.Distances([]int{a})[b]
		if f.volumeNear(b, 0.12*length) > f.volumeNear(a, 0.12*length) {
			a, b = b, a
		}
	}
	if q, ok := f.given["tail"]; ok {
		b = f.nearestInside(q)
	}
	progress("Tracing the centerline", 0.7)
	// From the thin end on, so that horns and whiskers of a head fall into the same
	// sections as the head; the last sections, of their tips alone, do not count.
	dist := v.Distances([]int{b})
	line, _ := f.stations(dist, dist[a]+v.Cell, nil)
	if len(line) < 3 {
		return nil, ErrNoBody
	}
	var areas []float64
	for _, s := range line {
		areas = append(areas, s.area)
	}
	slices.Sort(areas)
	last := len(line) - 1
	for last > len(line)/2 && line[last].area < 0.6*areas[len(areas)/2] {
		last--
	}
	way := f.middleLine(line[:last+1])
	head, tail := way[len(way)-1], way[0]
	f.tips["head"], f.tips["tail"] = head.at, v.Centre(b)
	f.put("chain_1", head.at, 0.85, "the thicker end")
	l := limb{line: way}
	n, reason := p.Count, "along the middle line, evenly"
	at := func(share float64) float64 { return share * head.arc }
	if p.Curved {
		at, reason = l.knots(), "along the centerline, denser at bends"
	}
	for i := 1; i < n; i++ {
		f.put(fmt.Sprintf("chain_%d", i+1), l.at(at(1-float64(i)/float64(n))), 0.85, reason)
	}
	f.put("chain_end", tail.at, 0.9, "the thinner end")
	f.plane = math.Inf(1) // no joint belongs to a middle plane
	return f, nil
}

// knots returns the arc length at each share of the line when shares are dealt out
// by its bending: the density of the knots of a polyline that follows a curve best
// is the square root of its curvature (de Boor, "Good approximation by splines with
// variable knots", 1973). A straight line is dealt out evenly.
func (l limb) knots() func(share float64) float64 {
	const steps = 200
	length := l.line[len(l.line)-1].arc
	reach := length / 16 // over which the direction is taken, so that the cubes' grain is no bend
	bent := make([]float64, steps)
	mean := 0.0
	for k := range bent {
		s := math.Min(math.Max((float64(k)+0.5)/steps*length, reach), length-reach)
		p := l.at(s)
		in, out := r3.Sub(p, l.at(s-reach)), r3.Sub(l.at(s+reach), p)
		if r3.Norm(in) > 0 && r3.Norm(out) > 0 {
			bent[k] = math.Acos(math.Max(-1, math.Min(1, r3.Dot(r3.Unit(in), r3.Unit(out))))) / reach
		}
		mean += bent[k] / steps
	}
	// A tenth of the mean, and one degree a length, keep joints on straight ways.
	least := 0.1*mean + math.Pi/180/length
	sum := make([]float64, steps+1)
	for k, b := range bent {
		sum[k+1] = sum[k] + math.Sqrt(b+least)
	}
	return func(share float64) float64 {
		want := share * sum[steps]
		k := min(steps-1, max(0, sort.SearchFloat64s(sum, want)-1))
		return (float64(k) + (want-sum[k])/(sum[k+1]-sum[k])) / steps * length
	}
}

// middleLine returns a line of sections with its first ones, which within about
// one radius of the tip are parts of its rim only, replaced by a straight way on
// to the surface. The arcs count along the line itself.
func (f *fitter) middleLine(line []station) []station {
	first := 0
	for i, s := range line {
		if s.arc > math.Sqrt(s.area/math.Pi) {
			first = i
			break
		}
	}
	way := slices.Clone(line[first:])
	if beyond := min(len(line)-1, 2*first); beyond > first {
		out := r3.Sub(line[first].at, line[beyond].at)
		if length := r3.Norm(out); length > 0 {
			step := r3.Scale(f.vox.Cell/length, out)
			tip := line[first].at
			for range 4 * first { // at the most about twice as far as was cut: a section is 1.6 cubes
				next := r3.Add(tip, step)
				if i := f.vox.At(next); i < 0 || !f.vox.Inside[i] {
					break
				}
				tip = next
			}
			way = append([]station{{at: tip, area: line[first].area}}, way...)
		}
	}
	for i := range way {
		way[i].arc = 0
		if i > 0 {
			way[i].arc = way[i-1].arc + r3.Norm(r3.Sub(way[i].at, way[i-1].at))
		}
	}
	return way
}
