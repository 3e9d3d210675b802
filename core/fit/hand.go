package fit

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// fingerNames are the fingers by how many there are, from the thumb on.
var fingerNames = map[int][]string{
	1: {"index"},
	2: {"thumb", "index"},
	3: {"thumb", "index", "middle"},
	4: {"thumb", "index", "middle", "ring"},
	5: {"thumb", "index", "middle", "ring", "little"},
}

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
		// The farthest cube may be the corner of a blunt tip; the middle line's end is not.
		way := f.middleLine(l.line[:max(2, l.join)])
		for range 4 { // the cubes are coarser than the skin
			if len(way) < 2 || f.solid.Winding(geom.Rotate(f.back, way[0].at)) > 0.5 {
				break
			}
			if d := r3.Sub(way[1].at, way[0].at); r3.Norm(d) > 0 {
				way[0].at = r3.Add(way[0].at, r3.Scale(math.Min(1, v.Cell/r3.Norm(d)), d))
			}
		}
		g := finger{limb: limb{line: way, join: len(way)}, tip: way[0].at, root: way[len(way)-1].at}
		if i := f.nearestInside(g.root); i >= 0 {
			g.way = dist[i]
		}
		out = append(out, g)
	}
	return out
}

// orderFingers puts the thumb first and the others after it from its side on. The thumb
// sets off nearest to the wrist and at the largest angle to the others.
func orderFingers(list []finger) []finger {
	order := slices.Clone(list)
	if len(order) < 2 {
		return order
	}
	far := 0.0
	for _, g := range order {
		far = math.Max(far, g.way)
	}
	thumb, best := 0, math.Inf(-1)
	for i, g := range order {
		var others r3.Vec
		for k, o := range order {
			if k != i {
				others = r3.Add(others, o.direction())
			}
		}
		score := 0.0
		if n := r3.Norm(others); n > 0 {
			score = math.Acos(math.Max(-1, math.Min(1, r3.Dot(g.direction(), others)/n))) / 0.6
		}
		if far > 0 {
			score += (1 - g.way/far) / 0.3
		}
		if score > best {
			thumb, best = i, score
		}
	}
	order[0], order[thumb] = order[thumb], order[0]
	slices.SortStableFunc(order[1:], func(a, b finger) int {
		return cmp.Compare(r3.Norm2(r3.Sub(a.root, order[0].root)), r3.Norm2(r3.Sub(b.root, order[0].root)))
	})
	return order
}

// deepThumb begins the thumb of an ordered hand nearer to the wrist than where it leaves
// the palm, as its first joint is, if that is inside.
func (f *fitter) deepThumb(order []finger) []finger {
	if len(order) < 2 {
		return order
	}
	g := &order[0]
	length := g.length()
	root := r3.Sub(g.root, r3.Scale(0.3*length, g.direction()))
	if f.solid.Winding(geom.Rotate(f.back, root)) > 0.5 {
		g.line = append(slices.Clone(g.line[:g.join]), station{at: root, arc: 1.3 * length})
		g.join, g.root = len(g.line), root
	}
	return order
}

// direction is the unit direction of a finger from where it leaves the palm.
func (g finger) direction() r3.Vec {
	d := r3.Sub(g.tip, g.root)
	if r3.Norm(d) == 0 {
		return d
	}
	return r3.Unit(d)
}

// length is that of a finger beyond the palm.
func (g finger) length() float64 { return g.line[max(0, g.join-1)].arc }

// putFingers places the joints of fingers in order, the thumb first where there are more
// than one. trust lessens or raises what is known of them, and why says so.
func (f *fitter) putFingers(order []finger, p skeleton.Params, side string, trust float64, why string) {
	names := fingerNames[p.Fingers]
	if p.Phalanges == 0 {
		return
	}
	for k, g := range order {
		if k >= len(names) {
			break
		}
		length := g.length()
		for i := range p.Phalanges {
			t := []float64{0, 0.45, 0.72, 0.88}[i]
			if p.Phalanges == 2 {
				t = []float64{0, 0.5}[i]
			}
			f.put(fmt.Sprintf("%s_%d%s", names[k], i+1, side), g.at(length*(1-t)), trust*0.85, "along the middle line of the finger"+why)
		}
		f.put(fmt.Sprintf("%s_end%s", names[k], side), g.tip, trust*0.95, "tip of the finger"+why)
		f.tips[names[k]+side] = g.tip
	}
}

// readHand is a hand as it was read on its own.
type readHand struct {
	*fitter
	list   []finger // in order
	faults int      // what speaks against it
}

// fingers looks for fingers in both hands of a biped. Both are of one make, so where they
// disagree the one that more speaks against is unsure; on a body that stands alike on both
// sides it gets the other's mirror image.
func (f *fitter) fingers(p skeleton.Params) {
	var hands [2]readHand
	for s := range 2 {
		x := suffix(s)
		wrist, end := f.joints["hand"+x], f.joints["hand_end"+x]
		if wrist.confidence < 0.3 {
			continue
		}
		if g, at := f.handAlone(wrist.at, end.at); g != nil {
			hands[s] = readHand{fitter: g, list: g.deepThumb(orderFingers(g.readFingers(at, p.Fingers, nil)))}
			hands[s].judge(p.Fingers, wrist.at, r3.Norm(r3.Sub(end.at, wrist.at)))
		}
	}
	trust, why := [2]float64{0.6, 0.6}, [2]string{", not confirmed by the other hand", ", not confirmed by the other hand"}
	if hands[0].fitter != nil && hands[1].fitter != nil {
		l, r := hands[0], hands[1]
		agree := len(l.list) == len(r.list)
		for k := 0; agree && k < len(l.list); k++ {
			agree = math.Abs(l.list[k].length()-r.list[k].length()) < 0.25*math.Max(l.list[k].length(), r.list[k].length()) &&
				f.mirrors(l.list[k].tip, r.list[k].tip)
		}
		weak := 0
		if r.faults > l.faults {
			weak = 1
		}
		switch {
		case agree && l.faults+r.faults == 0:
			trust, why = [2]float64{1, 1}, [2]string{}
		case agree:
			why = [2]string{", unusual for a hand", ", unusual for a hand"}
		case l.faults != r.faults && f.standsAlike():
			hands[weak] = hands[1-weak].mirrored(f.plane)
			trust, why = [2]float64{0.7, 0.7}, [2]string{", but the other hand shows less", ", but the other hand shows less"}
			why[weak] = ", copied from the clearer hand"
		default:
			trust, why = [2]float64{0.5, 0.5}, [2]string{"; the hands disagree", "; the hands disagree"}
		}
	}
	for s, h := range hands {
		if h.fitter == nil {
			continue
		}
		if f.joints["hand"+suffix(s)].reason == inSleeve {
			trust[s], why[s] = min(trust[s], 0.5), "; the wrist is hidden in a sleeve"
		}
		h.putFingers(h.list, p, suffix(s), trust[s], why[s])
		for name, j := range h.joints {
			j.fine = true
			f.joints[name] = j
		}
		for name, tip := range h.tips {
			f.tips[name] = tip
		}
	}
}

// judge counts what speaks against the fingers that were read: that some are missing, that
// one reaches farther than the hand does (it is a thing held), or that one is much longer
// than the others.
func (h *readHand) judge(want int, wrist r3.Vec, length float64) {
	h.faults = want - len(h.list)
	var all []float64
	for _, g := range h.list {
		if r3.Norm(r3.Sub(g.tip, wrist)) > 1.17*length || g.length() > 0.75*length {
			h.faults++
		}
		all = append(all, g.length())
	}
	slices.Sort(all)
	if n := len(all); n > 1 && all[n-1] > 2.2*all[n/2] {
		h.faults++
	}
}

// mirrors reports whether two places are each other's mirror image, to a fifth of a hand,
// or whether that cannot be asked, as the arms are not.
func (f *fitter) mirrors(l, r r3.Vec) bool {
	return !f.standsAlike() || r3.Norm(r3.Sub(l, r3.Vec{X: 2*f.plane - r.X, Y: r.Y, Z: r.Z})) < 0.2*skeleton.Hand*f.body
}

// standsAlike reports whether the arms are each other's mirror image.
func (f *fitter) standsAlike() bool {
	for _, joint := range []string{"forearm", "hand", "hand_end"} {
		l, r := f.joints[joint+"_l"].at, f.joints[joint+"_r"].at
		if r3.Norm(r3.Sub(l, r3.Vec{X: 2*f.plane - r.X, Y: r.Y, Z: r.Z})) > 0.035*f.height {
			return false
		}
	}
	return true
}

// mirrored returns the hand on the other side of a plane of constant X.
func (h readHand) mirrored(plane float64) readHand {
	flip := func(p r3.Vec) r3.Vec { return r3.Vec{X: 2*plane - p.X, Y: p.Y, Z: p.Z} }
	out := readHand{fitter: &fitter{joints: map[string]placed{}, tips: map[string]r3.Vec{}}, faults: h.faults}
	for _, g := range h.list {
		g.tip, g.root = flip(g.tip), flip(g.root)
		g.line = slices.Clone(g.line)
		for i := range g.line {
			g.line[i].at = flip(g.line[i].at)
		}
		out.list = append(out.list, g)
	}
	return out
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
	v := f.solid.Lattice(wrist, length/handCells, f.back, halfBall(wrist, axis, reach).Pad(2*length/handCells))
	v.Fill(f.solid, f.back, func(c r3.Vec) bool {
		q := r3.Sub(c, wrist)
		return r3.Norm2(q) < reach*reach && r3.Dot(q, axis) > -2*v.Cell
	})
	g := &fitter{
		solid:  f.solid,
		vox:    v,
		height: length,
		plane:  math.Inf(1),
		back:   f.back,
		joints: map[string]placed{},
		tips:   map[string]r3.Vec{},
	}
	at := g.nearestInside(wrist)
	if at < 0 {
		return nil, -1
	}
	hand := v.Component(at, make([]bool, len(v.Inside)))
	clear(v.Inside)
	for _, k := range hand {
		v.Inside[k] = true
	}
	return g, at
}

// halfBall is the box around the half of a ball that lies in the direction of axis.
func halfBall(middle, axis r3.Vec, radius float64) geom.Box {
	far := func(a float64) (lo, hi float64) {
		across := radius * math.Sqrt(max(0, 1-a*a))
		if a < 0 {
			return -radius, across
		}
		return -across, radius
	}
	var b geom.Box
	b.Min.X, b.Max.X = far(axis.X)
	b.Min.Y, b.Max.Y = far(axis.Y)
	b.Min.Z, b.Max.Z = far(axis.Z)
	return geom.Box{Min: r3.Add(middle, b.Min), Max: r3.Add(middle, b.Max)}
}

// hand places the joints of a hand on its own. The wrist is the end of the
// longest axis with the larger sections; the fingers are what sticks out as seen
// from there.
func hand(ctx context.Context, m *mesh.Mesh, p skeleton.Params, shown Shown, progress progress.Func) (*fitter, error) {
	progress("Filling the volume", 0.05)
	m, _ = m.MakeOutward()
	tris, _ := m.Triangles()
	f, err := fillBody(m.World(), tris, shown, 1e6, geom.Identity, 0)
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
	f.putFingers(f.deepThumb(orderFingers(f.readFingers(f.nearestInside(wrist), p.Fingers, nil))), p, "", 0.9, "")
	f.plane = math.Inf(1)
	return f, nil
}
