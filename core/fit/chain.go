package fit

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// chain places n joints evenly along the middle line of a long body: its two ends
// are the places farthest from each other along the inside, and the end with more
// volume near it is the first.
func chain(ctx context.Context, m *mesh.Mesh, n int, tips map[string]r3.Vec, progress Progress) (*fitter, error) {
	progress("Filling the volume", 0.05)
	// A chain may lie along any axis: all of it counts.
	m, _ = m.MakeOutward()
	tris, _ := m.Triangles()
	f, err := fillBody(m.World(), tris, tips)
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
		return nil, errors.New("the body has no two ends that a chain could run between")
	}
	if p, ok := f.given["head"]; ok {
		a = f.nearestInside(p)
		b = f.farthest(v.Distances([]int{a}), any)
	} else {
		length := v.Distances([]int{a})[b]
		if f.volumeNear(b, 0.12*length) > f.volumeNear(a, 0.12*length) {
			a, b = b, a
		}
	}
	if p, ok := f.given["tail"]; ok {
		b = f.nearestInside(p)
	}
	progress("Following the middle line", 0.7)
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
	l := limb{line: line, join: last}
	total := line[last].arc
	f.tips["head"], f.tips["tail"] = line[last].at, v.Centre(b)
	f.put("chain_1", line[last].at, 0.85, "the thicker end")
	for i := 1; i < n; i++ {
		f.put(fmt.Sprintf("chain_%d", i+1), l.at(total*(1-float64(i)/float64(n))), 0.85, "along the middle line, evenly")
	}
	f.put("chain_end", l.at(0), 0.9, "the thinner end")
	f.plane = math.Inf(1) // no joint belongs to a middle plane
	return f, nil
}
