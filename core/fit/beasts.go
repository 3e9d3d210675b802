package fit

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// Depths of joints in an animal's trunk, as shares of the section's height below
// the back (common practice, no source).
const (
	spineDepth = 0.26
	hipsDepth  = 0.36 // of the root
	hipDepth   = 0.45 // of the hind legs
)

// quadruped places the landmarks of an animal that stands on four legs: the feet
// are where the volume hangs down the farthest, each leg is read from there upward, head and tail
// are the ends of the middle plane fore and aft; the end with more volume near it
// is the head.
func quadruped(ctx context.Context, m *mesh.Mesh, p skeleton.Params, shown Shown, progress progress.Func) (*fitter, error) {
	progress("Filling the volume", 0.05)
	f, err := standing(m, shown)
	if err != nil {
		return nil, err
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	progress("Reading legs", 0.6)
	var front [2]leg
	for s := range 2 {
		front[s] = f.foreleg(s, f.stands[0][s])
		f.hindleg(s, f.stands[1][s])
	}
	progress("Placing joints", 0.8)
	zr := (f.joints["thigh_l"].at.Z+f.joints["thigh_r"].at.Z)/2 + 0.05*f.height
	zf := (front[0].top.Z + front[1].top.Z) / 2
	f.backbone(p.Spine, zr, zf, 0.167, 0.857)
	withers := f.alongBack(zf)
	f.headAndNeck(f.fore, p.Neck, r3.Vec{X: withers.X, Y: withers.Y + 0.04*f.height, Z: zf + 0.07*f.height}, true)
	f.tailLine(f.aft, p.Tail, zr, 0.35*f.girth(zr, zf))
	if p.Scapula {
		for s := range 2 {
			shoulder := f.joints["upper_arm"+suffix(s)].at
			back := f.alongBack(shoulder.Z - 0.15*f.height)
			f.put(
				"scapula"+suffix(s),
				r3.Vec{X: back.X + 0.6*(shoulder.X-back.X), Y: back.Y + 0.02*f.height, Z: back.Z},
				0.5,
				"between shoulder and back, by proportion",
			)
		}
	}
	return f, nil
}

// ends returns the cubes at the two ends of the body, fore (+Z) and aft, as seen
// along the inside from the trunk: those of the middle plane, or, of a walking
// body, any that are not near the given feet.
func (f *fitter) ends(feet []int) (fore, aft int, err error) {
	v := f.vox
	// The trunk's middle: the inside cube of the middle plane nearest to the mean.
	var mean r3.Vec
	n := 0.0
	for _, c := range v.Filled() {
		mean = r3.Add(mean, c)
		n++
	}
	mean = r3.Scale(1/n, mean)
	mean.X = f.plane
	seat := f.nearestInside(mean)
	dist := v.Distances([]int{seat})
	near := func(c r3.Vec) bool { return math.Abs(c.X-f.plane) < math.Max(1.1*v.Cell, 0.02*f.height) }
	if f.along != nil {
		near = func(r3.Vec) bool { return true }
		if feet != nil {
			legs := v.Within(feet, legReach*f.height)
			for i, d := range legs {
				if d < legReach*f.height {
					dist[i] = math.Inf(1)
				}
			}
		}
	}
	front, rear := v.Centre(seat).Z, v.Centre(seat).Z
	if len(feet) == 4 { // an ear may lie far from the seat, but over the middle of the body
		z := make([]float64, 4)
		for i, c := range feet {
			z[i] = v.Centre(c).Z
		}
		slices.Sort(z)
		rear = math.Min(rear, (z[0]+z[1])/2+0.15*f.height)
		front = math.Max(front, (z[2]+z[3])/2-0.15*f.height)
	}
	fore = f.farthest(dist, func(c r3.Vec) bool { return near(c) && c.Z > front })
	aft = f.farthest(dist, func(c r3.Vec) bool { return near(c) && c.Z < rear })
	if p, ok := f.given["head"]; ok {
		fore = f.nearestInside(p)
	}
	if p, ok := f.given["tail"]; ok {
		aft = f.nearestInside(p)
	}
	if fore < 0 || aft < 0 {
		return 0, 0, errors.New("could not find two ends of the body: is it a quadruped on four legs, Y up?")
	}
	return fore, aft, nil
}

// tailFirst reports whether the end that was taken for the head is the tail.
func (f *fitter) tailFirst(fore, aft int) bool {
	if p, ok := f.given["head"]; ok {
		return p.Z < f.vox.Centre(aft).Z
	}
	if d := f.vox.Centre(aft).Y - f.vox.Centre(fore).Y; f.along != nil && math.Abs(d) > 0.35*f.height {
		return d > 0 // what reaches far out of a walking body may be a stretched leg or a trunk
	}
	size := geom.EmptyBox()
	for _, c := range f.vox.Filled() {
		size = size.Add(c)
	}
	way := 0.16 * size.Size().Z
	a, b := f.volumeNear(fore, way), f.volumeNear(aft, way)
	if math.Max(a, b) > 1.5*math.Min(a, b) {
		return b > a
	}
	return f.vox.Centre(aft).Y > f.vox.Centre(fore).Y
}

// leg is a leg as it was read.
type leg struct {
	limb
	top   r3.Vec  // where it enters the trunk
	floor float64 // the height that the foot stands on, or is lifted to
}

// legOf reads a leg up to the belly, or to where a person has shown that it begins.
func (f *fitter) legOf(name string, p foot) leg {
	l := leg{limb: f.riseTo(name, p, f.floor+0.9*f.height, 3.2)}
	l.top, l.floor = l.line[l.join].at, p.box.Min.Y-f.vox.Cell/2
	return l
}

// level returns the centre of a leg's section at a share of the way from the
// floor to a height.
func (l leg) level(y float64) r3.Vec {
	best, at := math.Inf(1), l.line[0].at
	for _, s := range l.line {
		if d := math.Abs(s.at.Y - y); d < best {
			best, at = d, s.at
		}
	}
	at.Y = y
	return at
}

// toesOf places ball and tip of a foot.
func (f *fitter) toesOf(p foot, l leg, ball, tip string) {
	z0, z1 := p.box.Min.Z, p.box.Max.Z
	length := math.Max(z1-z0, 2*f.vox.Cell)
	x := p.box.Centre().X
	f.put(ball, r3.Vec{X: x, Y: l.floor + math.Max(1.2*f.vox.Cell, 0.035*f.height), Z: z0 + 0.3*length}, 0.85, "within the foot")
	f.put(tip, r3.Vec{X: x, Y: l.floor + math.Max(0.8*f.vox.Cell, 0.014*f.height), Z: z1 - 0.05*length}, 0.85, "foremost place of the foot")
	f.tips[limbOf(ball)] = r3.Vec{X: x, Y: l.floor, Z: z1}
}

// foreleg places shoulder, elbow and wrist of a front leg. The elbow is where the
// leg leaves the trunk, the wrist where it bends or at its share.
func (f *fitter) foreleg(s int, p foot) leg {
	l, x := f.legOf("arm"+suffix(s), p), suffix(s)
	f.toesOf(p, l, "fingers"+x, "fingers_end"+x)
	f.begin["arm"+x] = l.top
	low, high, ok := f.section(l.top.Z)
	if !ok {
		low, high = l.top.Y, l.top.Y+0.3*f.height
	}
	low = math.Max(low, l.top.Y-0.1*f.height)
	shoulder := r3.Vec{X: l.level(l.top.Y).X, Y: low + 0.40*(high-low), Z: l.top.Z + 0.09*f.height}
	reach := shoulder.Y - l.floor
	wristY := l.floor + 0.31*reach
	arc, off := l.bend(0.1*l.line[l.join].arc, 0.9*l.line[l.join].arc, r3.Vec{Z: 1})
	reason, sure := "at the usual proportion of the leg, centered in the cross-section", 0.65
	if y := l.at(arc).Y; off > 0.03 && math.Abs(y-wristY) < 0.12*f.height {
		wristY, reason, sure = y, "where the centerline bends forward", 0.8
	}
	elbowY := l.floor + 0.69*reach
	elbow := l.level(math.Min(elbowY, l.top.Y))
	elbow.Y = elbowY
	f.put("upper_arm"+x, shoulder, 0.6, "in the torso above the leg, by proportion")
	f.put("forearm"+x, elbow, 0.85, "where the leg leaves the torso, by proportion")
	f.put("hand"+x, l.level(wristY), sure, reason)
	return l
}

// hindleg places hip, knee and hock of a hind leg. The hock is where the leg
// bends back, the knee where it bends forward above that.
func (f *fitter) hindleg(s int, p foot) leg {
	l, x := f.legOf("leg"+suffix(s), p), suffix(s)
	f.toesOf(p, l, "toe"+x, "toe_end"+x)
	f.begin["leg"+x] = l.top
	low, high, ok := f.section(l.top.Z)
	if !ok {
		low, high = l.top.Y, l.top.Y+0.3*f.height
	}
	low = math.Max(low, l.top.Y-0.1*f.height)
	hip := r3.Vec{X: f.inward(l.level(l.top.Y).X), Y: high - hipDepth*(high-low), Z: l.top.Z - 0.02*f.height}
	reach := hip.Y - l.floor
	hockY := l.floor + 0.34*reach
	reason, sure := "at the usual proportion of the leg, centered in the cross-section", 0.65
	arc, off := l.bend(0.05*l.line[l.join].arc, l.line[l.join].arc, r3.Vec{Z: -1})
	if y := l.at(arc).Y; off > 0.03 && math.Abs(y-hockY) < 0.14*f.height {
		hockY, reason, sure = y, "where the centerline bends back", 0.8
	}
	kneeY := l.floor + 0.645*reach
	knee := l.level(math.Min(kneeY, l.top.Y))
	if kneeY > l.top.Y { // within the body: drawn forward a little, as a knee is
		knee.Z += 0.03 * f.height
	}
	knee.Y = kneeY
	hock := l.level(hockY)
	hip.Z = 0.8*hock.Z + 0.2*knee.Z
	f.put("thigh"+x, hip, 0.6, "in the trunk, above the hock and below the back")
	f.put("shank"+x, knee, 0.85, "at the usual proportion of the leg")
	f.put("foot"+x, hock, sure, reason)
	return l
}

// inward moves X of a leg's section by an eighth of the way to the middle: hip joints lie
// nearer to it than the legs below them (common practice, no source).
func (f *fitter) inward(x float64) float64 { return x + (f.plane-x)/8 }

// alongBack returns the place of the spine at a Z: under the back by its share
// of the trunk's height there.
func (f *fitter) alongBack(z float64) r3.Vec { return f.underBack(z, spineDepth) }

// underBack returns the place under the back at a Z, by a share of the trunk's height.
func (f *fitter) underBack(z, depth float64) r3.Vec {
	low, high, ok := f.section(z)
	if !ok {
		return r3.Vec{X: f.midX(z), Y: f.floor + 0.6*f.height, Z: z}
	}
	low = math.Max(low, high-0.45*f.height) // of the trunk alone
	return r3.Vec{X: f.midX(z), Y: high - depth*(high-low), Z: z}
}

// backbone places hips at zr and n joints of the spine towards zf, the first and
// last at the given shares of the way.
func (f *fitter) backbone(n int, zr, zf, first, last float64) {
	f.put("hips", f.underBack(zr, hipsDepth), 0.75, "under the back, above the hind legs")
	for i := range n {
		t := (first + last) / 2
		if n > 1 {
			t = first + (last-first)*float64(i)/float64(n-1)
		}
		f.put(
			fmt.Sprintf("spine_%d", i+1),
			f.alongBack(zr+t*(zf-zr)),
			0.75,
			"under the back, at the usual proportion of the way to the shoulders",
		)
	}
}

// headAndNeck reads head and neck from the tip of the head inward: behind the
// head the sections narrow to the neck, and then grow into the trunk. base is
// where the neck begins when that does not show; muzzle says that the tip is that of one.
func (f *fitter) headAndNeck(tip, n int, base r3.Vec, muzzle bool) {
	v, h := f.vox, f.height
	end := v.Centre(tip)
	f.tips["head"] = end
	reach := 1.15*r3.Norm(r3.Sub(end, base)) + 0.1*h
	line, _ := f.stations(v.Within([]int{tip}, reach), reach, nil)
	l := limb{line: line, join: len(line) - 1}
	total := 0.0
	if len(line) > 0 {
		total = line[len(line)-1].arc
	}
	// Without a narrowing the neck begins where it is usual, the head half way.
	nearest := math.Inf(1)
	for _, s := range line {
		if d := r3.Norm(r3.Sub(s.at, base)); d < nearest {
			nearest, total = d, s.arc
		}
	}
	skullArc, baseArc, sure := 0.5*total, total, 0.35
	reason := "no narrowing found behind the head, taken from proportion"
	// The widest section of the head, the narrowest behind it, and where that has
	// doubled.
	widest, wide := 0.0, 0
	for k, s := range line {
		if s.arc < 0.6*total && s.area > widest {
			widest, wide = s.area, k
		}
	}
	narrow, at := math.Inf(1), -1
	for k := wide; k < len(line); k++ {
		if line[k].area < narrow {
			narrow, at = line[k].area, k
		}
		if at >= 0 && line[k].area > 2.2*narrow {
			break
		}
	}
	if at > wide && narrow < 0.8*widest {
		for k := wide; k <= at; k++ {
			if line[k].area < (widest+narrow)/2 {
				skullArc = line[k].arc
				break
			}
		}
		baseArc, sure, reason = total, 0.75, "behind the head, where the sections narrow"
		for k := at; k < len(line); k++ {
			if line[k].area > 1.9*narrow {
				baseArc = line[k].arc
				break
			}
		}
	}
	if k, ok := f.begins("neck", line); ok {
		baseArc, sure, reason = line[k].arc, 0.95, "where the neck was shown to begin"
		skullArc = math.Min(skullArc, 0.8*baseArc)
	}
	place := func(arc float64) r3.Vec {
		p := l.at(arc)
		if f.along == nil {
			p.X = f.plane
		}
		return p
	}
	if len(line) < 3 {
		place = func(arc float64) r3.Vec { return r3.Add(end, r3.Scale(0.5, r3.Sub(base, end))) }
	}
	if _, shown := f.given["head"]; muzzle && !shown && len(line) > 2 {
		// The farthest cube is the upper edge of a blunt muzzle, the middle line's end its
		// lower one.
		end.Y = (end.Y + f.middleLine(line)[0].at.Y) / 2
	}
	if f.along == nil {
		end.X = f.plane
	}
	f.put("head_end", end, 0.4, "end of the head")
	f.put("head", place(skullArc), sure, reason)
	f.begin["neck"] = place(baseArc)
	for i := range n {
		name, t := fmt.Sprintf("neck_%d", i+1), float64(i)/math.Max(1, float64(n))
		if n == 1 {
			name = "neck"
		}
		f.put(name, place(baseArc+t*(skullArc-baseArc)), 0.9*sure, "at the usual proportion of the neck")
	}
}

// tailLine reads a tail from its tip inward, to where its sections reach the
// given area.
func (f *fitter) tailLine(tip, n int, zr, area float64) {
	if n == 0 {
		return
	}
	end := f.vox.Centre(tip)
	reach := math.Abs(end.Z-zr)*1.4 + 0.05*f.height
	line, _ := f.stations(f.vox.Within([]int{tip}, reach), reach, nil)
	l := limb{line: line, join: len(line) - 1}
	length := 0.0
	// The trunk begins behind the last section that is still a tail's: a fan of
	// feathers may be broad at its end.
	for k, s := range line {
		if s.area <= area {
			l.join = min(k+1, len(line)-1)
		}
	}
	l.join = evenEnd(line, l.join)
	if k, ok := f.begins("tail", line); ok {
		l.join = max(1, k)
	}
	if len(line) > 2 {
		length = l.line[l.join].arc
	}
	if length < 0.12*f.height {
		hips := f.joints["hips"].at
		for i := range n {
			t := float64(i+1) / float64(n+1)
			f.put(fmt.Sprintf("tail_%d", i+1), r3.Add(hips, r3.Scale(t, r3.Sub(end, hips))), 0.2, "no tail found, taken from proportion")
		}
		f.put("tail_end", end, 0.3, "hindmost place of the body")
		return
	}
	f.tips["tail"], f.begin["tail"] = end, l.line[l.join].at
	for i := range n {
		p := l.at(length * (1 - float64(i)/float64(n)))
		p.X += 0.8 * (f.midX(p.Z) - p.X) * math.Max(0, 1-float64(i)/float64(n)) // the root lies in the middle
		sure, reason := 0.75, "along the middle line of the tail"
		if i == 0 {
			sure, reason = 0.55, "where the tail grows into the body"
		}
		f.put(fmt.Sprintf("tail_%d", i+1), p, sure, reason)
	}
	f.put("tail_end", end, 0.9, "end of the tail")
	for _, foot := range [2]string{"foot_l", "foot_r"} {
		// Hind legs that stand close can be farther from the trunk along the inside than a
		// short tail is.
		if j, ok := f.joints[foot]; ok && r3.Norm(r3.Sub(end, j.at)) < 0.25*f.height && end.Y < j.at.Y+0.1*f.height {
			for i := range n {
				name := fmt.Sprintf("tail_%d", i+1)
				f.put(name, f.joints[name].at, 0.2, "read close to a hind foot: show the tip of the tail")
			}
			f.put("tail_end", end, 0.2, "close to a hind foot: it may be a leg")
			break
		}
	}
}

// evenEnd returns the last section before join that is as broad as a tail of even breadth
// (a fan of feathers) is; of one that tapers, join.
func evenEnd(line []station, join int) int {
	var areas []float64
	for _, s := range line[min(join, join/4+1):join] {
		areas = append(areas, s.area)
	}
	if len(areas) < 8 {
		return join
	}
	slices.Sort(areas)
	usual := areas[len(areas)/2]
	if areas[len(areas)*3/4] > 1.2*areas[len(areas)/4] {
		return join
	}
	for k := join; k > join/2; k-- {
		if line[k].area <= 1.03*usual {
			return max(1, k-2) // the sections lean: the last ones reach into the body already
		}
	}
	return join
}

// limbOf is the name that a limb is shown by when its ball has that name.
func limbOf(ball string) string {
	if side, ok := strings.CutPrefix(ball, "fingers"); ok {
		return "hand" + side
	}
	return "foot" + strings.TrimPrefix(ball, "toe")
}
