package fit

import (
	"context"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// fingerNames are the fingers by how many there are, from the thumb on.
var fingerNames = map[int][]string{1: {"index"}, 2: {"thumb", "index"}, 3: {"thumb", "index", "middle"}, 4: {"thumb", "index", "middle", "ring"}, 5: {"thumb", "index", "middle", "ring", "little"}}

// finger is a finger as it was read, from the tip to where it leaves the palm.
type finger struct {
	limb
	tip, root r3.Vec
	way       float64 // of the root from the wrist, along the inside
}

// readFingers finds up to n tips that stick out of the volume as seen from a
// wrist, and reads each down to the palm. within limits the cubes.
func (f *fitter) readFingers(wrist, n int, within []bool) []finger {
	v := f.vox
	dist := v.Distances([]int{wrist})
	far := 0.0
	for i, d := range dist {
		if !math.IsInf(d, 1) && (within == nil || within[i]) {
			far = math.Max(far, d)
		}
	}
	if far == 0 || math.IsInf(far, 1) {
		return nil
	}
	// A tip is a cube from which every neighbour is nearer to the wrist.
	var tips []int
	for i, d := range dist {
		if math.IsInf(d, 1) || d < 0.45*far || within != nil && !within[i] {
			continue
		}
		top := true
		x, y, z := v.Coords(i)
		for dy := -1; dy <= 1 && top; dy++ {
			for dz := -1; dz <= 1 && top; dz++ {
				for dx := -1; dx <= 1; dx++ {
					nx, ny, nz := x+dx, y+dy, z+dz
					if nx < 0 || ny < 0 || nz < 0 || nx >= v.NX || ny >= v.NY || nz >= v.NZ {
						continue
					}
					if e := dist[v.Index(nx, ny, nz)]; !math.IsInf(e, 1) && e > d {
						top = false
						break
					}
				}
			}
		}
		if top {
			tips = append(tips, i)
		}
	}
	slices.SortFunc(tips, func(a, b int) int {
		switch {
		case dist[a] > dist[b]:
			return -1
		case dist[a] < dist[b]:
			return 1
		}
		return a - b
	})
	var kept []int
	for _, t := range tips {
		apart := true
		for _, k := range kept {
			apart = apart && r3.Norm(r3.Sub(v.Centre(t), v.Centre(k))) > 0.12*far
		}
		if apart {
			kept = append(kept, t)
		}
		if len(kept) == n {
			break
		}
	}
	var out []finger
	for _, t := range kept {
		l, ok := f.read(t, 0.75*far, 2.1, within)
		if !ok {
			continue
		}
		g := finger{limb: l, tip: v.Centre(t), root: l.line[max(0, l.join-1)].at}
		if i := f.nearestInside(g.root); i >= 0 {
			g.way = dist[i]
		}
		out = append(out, g)
	}
	return out
}

// putFingers names the fingers and places their joints. The thumb's root is the
// one nearest to the wrist; the others follow from its side on.
func (f *fitter) putFingers(list []finger, p skeleton.Params, side string) {
	names := fingerNames[p.Fingers]
	if len(list) == 0 || p.Phalanges == 0 {
		return
	}
	order := slices.Clone(list)
	if len(names) > 1 && len(order) > 1 {
		slices.SortStableFunc(order, func(a, b finger) int {
			if a.way < b.way {
				return -1
			}
			return 1
		})
		thumb := order[0]
		rest := order[1:]
		slices.SortStableFunc(rest, func(a, b finger) int {
			if r3.Norm(r3.Sub(a.root, thumb.root)) < r3.Norm(r3.Sub(b.root, thumb.root)) {
				return -1
			}
			return 1
		})
	}
	for k, g := range order {
		if k >= len(names) {
			break
		}
		length := g.line[max(0, g.join-1)].arc
		for i := range p.Phalanges {
			t := []float64{0, 0.45, 0.72, 0.88}[i]
			if p.Phalanges == 2 {
				t = []float64{0, 0.5}[i]
			}
			f.put(fmt.Sprintf("%s_%d%s", names[k], i+1, side), g.at(length*(1-t)), 0.75, "along the middle line of the finger")
		}
		f.put(fmt.Sprintf("%s_end%s", names[k], side), g.tip, 0.9, "tip of the finger")
		f.tips[names[k]+side] = g.tip
	}
}

// fingers looks for fingers in both hands of a biped.
func (f *fitter) fingers(p skeleton.Params) {
	for s := range 2 {
		x := suffix(s)
		wrist, ok := f.joints["hand"+x]
		if !ok || wrist.confidence < 0.3 {
			continue
		}
		g, at := f.handAlone(wrist.at, f.joints["hand_end"+x].at)
		if g == nil {
			continue
		}
		g.putFingers(g.readFingers(at, p.Fingers, nil), p, x)
		for name, j := range g.joints {
			j.fine = true
			f.joints[name] = j
		}
		for name, tip := range g.tips {
			f.tips[name] = tip
		}
	}
}

// handCells is how many cubes the length of a hand is divided into: those of the
// whole body are as thick as a finger.
const handCells = 42

// handAlone fills the volume beyond a wrist with fine cubes and returns it with the
// cube of the wrist; nil where there is none.
func (f *fitter) handAlone(wrist, end r3.Vec) (*fitter, int) {
	length := r3.Norm(r3.Sub(end, wrist))
	if length == 0 {
		return nil, -1
	}
	axis, reach := r3.Unit(r3.Sub(end, wrist)), 1.2*length
	v := &geom.Voxels{Cell: length / handCells}
	n := int(2*reach/v.Cell) + 3
	v.NX, v.NY, v.NZ = n, n, n
	v.Origin = r3.Sub(wrist, r3.Scale(float64(n-1)/2*v.Cell, r3.Vec{X: 1, Y: 1, Z: 1}))
	v.Inside = make([]bool, n*n*n)
	f.solid.PrepareWinding()
	geom.Chunks(len(v.Inside), 4096, func(lo, hi int) {
		for i := lo; i < hi; i++ {
			c := v.Centre(i)
			if q := r3.Sub(c, wrist); r3.Norm2(q) < reach*reach && r3.Dot(q, axis) > -2*v.Cell {
				v.Inside[i] = f.solid.Winding(geom.Rotate(f.back, c)) >= 0.5
			}
		}
	})
	g := &fitter{solid: f.solid, vox: v, height: length, plane: math.Inf(1), back: f.back, joints: map[string]placed{}, tips: map[string]r3.Vec{}}
	at := g.nearestInside(wrist)
	if at < 0 {
		return nil, -1
	}
	hand := v.Component(at)
	clear(v.Inside)
	for _, k := range hand {
		v.Inside[k] = true
	}
	return g, at
}

// hand places the joints of a hand on its own. The wrist is the end of the
// longest axis with the larger sections; the fingers are what sticks out as seen
// from there.
func hand(ctx context.Context, m *mesh.Mesh, p skeleton.Params, shown Shown, progress Progress) (*fitter, error) {
	progress("Filling the volume", 0.05)
	m, _ = m.MakeOutward()
	tris, _ := m.Triangles()
	f, err := fillBody(m.World(), tris, shown, 1e6, geom.Identity)
	if err != nil {
		return nil, err
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	progress("Finding the fingers", 0.5)
	v := f.vox
	start := f.nearestInside(v.Centre(len(v.Inside) / 2))
	any := func(r3.Vec) bool { return true }
	a := f.farthest(v.Distances([]int{start}), any)
	b := f.farthest(v.Distances([]int{a}), any)
	if a < 0 || b < 0 {
		return nil, ErrNoBody
	}
	length := v.Distances([]int{a})[b]
	if f.volumeNear(a, 0.2*length) > f.volumeNear(b, 0.2*length) {
		a, b = b, a // b is the wrist
	}
	if q, ok := f.given["hand"]; ok {
		b = f.nearestInside(q)
	}
	// The middle of the sections near the wrist's end.
	line, _ := f.stations(v.Distances([]int{b}), 0.5*length, nil)
	if len(line) < 3 {
		return nil, ErrNoBody
	}
	wrist := limb{line: line, join: len(line) - 1}.at(0.12 * length)
	f.put("hand", wrist, 0.6, "near the thick end")
	f.put("hand_end", v.Centre(a), 0.9, "farthest place from the wrist")
	f.tips["hand"] = v.Centre(b)
	f.putFingers(f.readFingers(f.nearestInside(wrist), p.Fingers, nil), p, "")
	f.plane = math.Inf(1)
	return f, nil
}
