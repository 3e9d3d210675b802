package fit

import (
	"context"
	"fmt"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// bird places the landmarks of a bird that stands on two legs with its wings off
// the body: feet on the ground, wing tips farthest to the sides, head and tail at
// the ends of the middle plane.
func bird(ctx context.Context, m *mesh.Mesh, p skeleton.Params, shown Shown, progress progress.Func) (*fitter, error) {
	progress("Filling the volume", 0.05)
	f, err := birdwise(m, shown)
	if err != nil {
		return nil, err
	}
	fore, aft, err := f.ends(nil)
	if err != nil {
		return nil, err
	}
	// A bird carries its head high and its tail low.
	if !f.faced && f.highest(1) < f.highest(-1) {
		f.quarters(2)
		if fore, aft, err = f.ends(nil); err != nil {
			return nil, err
		}
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	progress("Reading legs and wings", 0.5)
	legs := [2]leg{}
	for s := range 2 {
		list := f.ground(s)
		if q, ok := f.given["foot"+suffix(s)]; ok {
			i := f.nearestInside(q)
			list = append([]foot{{[]int{i}, geom.EmptyBox().Add(f.vox.Centre(i))}}, list...)
		}
		if len(list) == 0 {
			return nil, fmt.Errorf(
				"found no foot on the ground on the %s side: mark foot%s, or center the character on the ground, facing front, at Intake",
				[2]string{"left", "right"}[s],
				suffix(s),
			)
		}
		legs[s] = f.birdLeg(s, list[0])
	}
	zr := (legs[0].top.Z + legs[1].top.Z) / 2
	f.wings(p, zr)
	progress("Placing joints", 0.8)
	l, r := f.joints["upper_arm_l"].at, f.joints["upper_arm_r"].at
	zf := (l.Z + r.Z) / 2
	zh := zr - 0.12*f.height
	hips := f.underBack(zh, hipsDepth)
	breast := r3.Vec{X: f.plane, Y: (l.Y + r.Y) / 2, Z: zf + 0.02*f.height}
	f.put("hips", hips, 0.6, "under the back, above and behind the legs")
	for i := range p.Spine {
		t := float64(i+1) / float64(p.Spine)
		f.put(
			fmt.Sprintf("spine_%d", i+1),
			r3.Add(hips, r3.Scale(t, r3.Sub(breast, hips))),
			0.6,
			"between hips and shoulders, by proportion",
		)
	}
	crown := f.crown(fore)
	f.tips["head"] = f.vox.Centre(crown)
	f.headAndNeck(crown, p.Neck, r3.Vec{X: f.plane, Y: f.joints["upper_arm_l"].at.Y + 0.03*f.height, Z: zf + 0.07*f.height}, false)
	f.beak()
	f.tailLine(aft, p.Tail, zr, 0.12*f.girth(zh, zf))
	return f, nil
}

// birdwise fills the volume of a bird with its left to +X. A spread bird is as
// broad as it is long and both planes may be fair, so the one is taken that the
// feet stand on both sides of.
func birdwise(m *mesh.Mesh, shown Shown) (*fitter, error) {
	f, err := lengthwise(m, shown)
	if err != nil {
		return nil, err
	}
	if f.faced || len(f.ground(0)) > 0 && len(f.ground(1)) > 0 {
		return f, nil
	}
	f.quarters(1)
	return f, nil
}

// highest returns the highest inside place ahead of (sign 1) or behind (−1) the
// middle of the feet.
func (f *fitter) highest(sign float64) float64 {
	z, n := 0.0, 0.0
	for s := range 2 {
		for _, p := range f.ground(s) {
			z += p.box.Centre().Z
			n++
		}
	}
	z /= math.Max(1, n)
	top := f.floor
	for _, c := range f.vox.Filled() {
		if sign*(c.Z-z) > 0.04*f.height {
			top = math.Max(top, c.Y)
		}
	}
	return top
}

// crown returns the highest cube of the middle plane ahead, which is on the
// head; fore is what the ends of the body gave.
func (f *fitter) crown(fore int) int {
	if _, ok := f.given["head"]; ok {
		return fore
	}
	best, at := f.vox.Centre(fore).Y, fore
	for i, c := range f.vox.Filled() {
		if math.Abs(c.X-f.plane) < 1.1*f.vox.Cell && c.Y > best {
			best, at = c.Y, i
		}
	}
	return at
}

// birdLeg places hip, knee, ankle and toes. The joint that shows and bends back is
// the ankle; the knee lies where the leg enters the feathers.
func (f *fitter) birdLeg(s int, p foot) leg {
	h, x := f.height, suffix(s)
	l := leg{limb: f.riseTo("leg"+x, p, f.floor+0.75*h, 3.5)}
	l.top = l.line[l.join].at
	f.begin["leg"+x] = l.top
	shin := l.level(f.floor + 0.12*h)
	f.put(
		"toe"+x,
		r3.Vec{X: shin.X, Y: f.floor + math.Max(1.2*f.vox.Cell, 0.02*h), Z: shin.Z + 0.01*h},
		0.75,
		"under the shin, on the ground",
	)
	tip := r3.Vec{X: p.box.Centre().X, Y: f.floor + math.Max(0.7*f.vox.Cell, 0.01*h), Z: p.box.Max.Z}
	f.put("toe_end"+x, tip, 0.85, "foremost place of the foot")
	f.tips["foot"+x] = tip
	total := l.line[l.join].arc
	ankleY, reason, sure := f.floor+0.42*(l.top.Y-f.floor)*1.15, "at the usual proportion of the leg", 0.6
	arc, off := l.bend(0.12*total, 0.95*total, r3.Vec{Z: -1})
	if off > 0.015 {
		ankleY, reason, sure = l.at(arc).Y, "where the leg bends back", 0.8
	}
	f.put("foot"+x, l.level(ankleY), sure, reason)
	knee := l.top
	f.put("shank"+x, knee, 0.82, "where the leg enters the body")
	low, high, ok := f.section(l.top.Z - 0.05*h)
	if !ok {
		low, high = l.top.Y, l.top.Y+0.3*h
	}
	f.put(
		"thigh"+x,
		r3.Vec{X: f.plane + 0.75*(l.top.X-f.plane), Y: low + 0.5*(high-low), Z: l.top.Z - 0.10*h},
		0.5,
		"in the body above the leg, by proportion",
	)
	return l
}

// wings places shoulder, elbow and wrist of each wing along its middle line from
// the tip inward, and joints along the feathers.
func (f *fitter) wings(p skeleton.Params, zr float64) {
	v, h := f.vox, f.height
	var mean r3.Vec
	n := 0.0
	for _, c := range v.Filled() {
		if math.Abs(c.X-f.plane) < 0.05*h && c.Y > f.floor+0.35*h && c.Y < f.floor+0.8*h {
			mean = r3.Add(mean, c)
			n++
		}
	}
	seat := f.nearestInside(r3.Scale(1/math.Max(1, n), mean))
	dist := v.Distances([]int{seat})
	for s := range 2 {
		x, sign := suffix(s), 1-2*float64(s)
		tip := f.farthest(dist, func(c r3.Vec) bool { return sign*(c.X-f.plane) > 0.12*h && c.Y > f.floor+0.3*h })
		if q, ok := f.given["hand"+x]; ok {
			tip = f.nearestInside(q)
		}
		if tip < 0 {
			at := r3.Vec{X: f.plane + sign*0.08*h, Y: f.floor + 0.63*h, Z: zr + 0.15*h}
			for k, name := range [4]string{"upper_arm", "forearm", "hand", "hand_end"} {
				f.put(name+x, r3.Add(at, r3.Vec{X: sign * 0.12 * h * float64(k)}), 0.1, "found no wing off the body, taken from proportion")
			}
			continue
		}
		end := v.Centre(tip)
		f.tips["hand"+x] = end
		l := limb{line: f.leadingEdge(sign, end)}
		if len(l.line) < 6 {
			continue
		}
		if k, ok := f.begins("wing"+x, l.line); ok {
			l.line = l.line[:max(6, k+1)]
		}
		l.join = len(l.line) - 1
		total := l.line[l.join].arc
		shoulder := l.line[l.join].at
		f.begin["wing"+x] = shoulder
		f.put("upper_arm"+x, shoulder, 0.7, "where the wing leaves the body")
		wristArc, elbowArc, reason, sure := 0.50*total, 0.76*total, "at the usual proportion of the wing", 0.6
		if arc, off := l.bend(0.05*total, 0.95*total, r3.Vec{Z: 1}); off > 0.02 && arc > 0.25*total && arc < 0.75*total {
			wristArc, reason, sure = arc, "where the front edge of the wing bends forward", 0.75
			elbowArc = total - 0.47*(total-wristArc)
		}
		if arc, off := l.bend(wristArc, total, r3.Vec{Z: -1}); off > 0.02 {
			elbowArc = arc
		}
		f.put("hand"+x, l.at(wristArc), sure, reason)
		f.put("forearm"+x, l.at(elbowArc), 0.9*sure, "at the usual proportion between shoulder and wrist")
		f.put("hand_end"+x, end, 0.75, "farthest place of the wing")
		for i := range p.Feathers {
			f.put(
				fmt.Sprintf("feather_%d%s", i+1, x),
				l.at(wristArc*(1-float64(i+1)/float64(p.Feathers+1))),
				0.6,
				"along the middle line of the wing",
			)
		}
	}
}

// beak places beak joints at the foremost place of the head.
func (f *fitter) beak() {
	v, h := f.vox, f.height
	head := f.joints["head"].at
	best, at := math.Inf(-1), -1
	for i, c := range v.Filled() {
		if math.Abs(c.X-f.plane) < 1.1*v.Cell && c.Y > head.Y-0.12*h && c.Z > best {
			best, at = c.Z, i
		}
	}
	if at < 0 {
		return
	}
	tip := v.Centre(at)
	f.tips["beak"] = tip
	// The beak begins where the sections grow into the head.
	root := r3.Add(head, r3.Scale(0.35, r3.Sub(tip, head)))
	if l, ok := f.read(at, r3.Norm(r3.Sub(tip, head)), 2.8, nil); ok {
		root = l.line[l.join].at
	}
	root.X = f.plane
	f.put("beak", root, 0.7, "where the beak grows into the head")
	f.put("beak_end", tip, 0.9, "tip of the beak")
}

// leadingEdge follows the front edge of a wing from its tip to the body, half
// the thickness behind it: the bones lie there, and the feathers behind.
func (f *fitter) leadingEdge(sign float64, tip r3.Vec) []station {
	v := f.vox
	body := f.bodyHalf(tip)
	n := int((math.Abs(tip.X-f.plane) - body) / v.Cell)
	var out []station
	for k := range max(0, n) {
		x := tip.X - sign*float64(k)*v.Cell
		ix := int(math.Round((x - v.Origin.X) / v.Cell))
		if ix < 0 || ix >= v.NX {
			break
		}
		// Near the last place only: neither legs nor tail belong to the wing.
		last := tip
		if len(out) > 0 {
			last = out[len(out)-1].at
		}
		front := math.Inf(-1)
		near := func(c r3.Vec) bool { return math.Abs(c.Y-last.Y) < 0.06*f.height }
		for y := range v.NY {
			for z := range v.NZ {
				if i := v.Index(ix, y, z); v.Inside[i] && near(v.Centre(i)) {
					front = math.Max(front, v.Centre(i).Z)
				}
			}
		}
		if math.IsInf(front, -1) {
			continue
		}
		low, high := math.Inf(1), math.Inf(-1)
		for y := range v.NY {
			for z := range v.NZ {
				if c := v.Centre(v.Index(ix, y, z)); v.Inside[v.Index(ix, y, z)] && near(c) && c.Z > front-0.04*f.height {
					low, high = math.Min(low, c.Y), math.Max(high, c.Y)
				}
			}
		}
		thick := math.Min(high-low+v.Cell, 0.08*f.height)
		s := station{at: r3.Vec{X: x, Y: (low + high) / 2, Z: front + 0.5*v.Cell - 0.5*thick}}
		if len(out) > 0 {
			s.arc = out[len(out)-1].arc + r3.Norm(r3.Sub(s.at, out[len(out)-1].at))
		}
		out = append(out, s)
	}
	return out
}

// bodyHalf is half the breadth of a bird's body where no wing hides it: ahead of
// the front edge of the outer wing.
func (f *fitter) bodyHalf(tip r3.Vec) float64 {
	v := f.vox
	edge := math.Inf(-1)
	for _, c := range v.Filled() {
		if math.Abs(c.X-f.plane) > 0.35*math.Abs(tip.X-f.plane) && c.Y > f.floor+0.3*f.height {
			edge = math.Max(edge, c.Z)
		}
	}
	half := 0.0
	for _, c := range v.Filled() {
		if c.Z > edge+v.Cell && c.Y > f.floor+0.3*f.height {
			half = math.Max(half, math.Abs(c.X-f.plane))
		}
	}
	if half == 0 {
		return 0.1 * f.height
	}
	return 0.9 * half
}
