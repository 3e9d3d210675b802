package fit

import (
	"math"
	"slices"

	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// inPose places the landmarks of a body in a pose, in the frame of its trunk: arms from their tips inward, legs divided
// where both agree, the head by its own line.
func (f *fitter) inPose(c carriage) bool {
	size := c.size
	f.height, f.body = size, size
	f.plane = c.middle.X
	f.floor = c.pelvis.Y - skeleton.HipHeight*size
	f.crotch = 0
	f.layers = nil
	f.slices()
	f.crotch = 0
	given := f.given // is obeyed at the end, as it is
	f.given = map[string]r3.Vec{}
	var read [2]arm
	hold := func(s int) { // what is held goes on beyond the hand: it is none of the body
		w := c.hands[s]
		for i, d := range f.vox.Within([]int{f.nearestInside(w.beads[0].At)}, w.cut) {
			if d < w.cut {
				f.vox.Inside[i] = false
			}
		}
		read[s] = f.readArm(s, f.nearestInside(w.at(w.cut).At))
	}
	for s := range 2 {
		hold(s)
	}
	for s := range 2 {
		if over := read[s].total - read[1-s].total; over > 0.12*read[1-s].total && read[1-s].total > armLeast*size {
			c.hands[s].cut += over
			hold(s)
		}
	}
	arms, ok := c.dividedArms(read)
	if !ok {
		return false
	}
	var shoulders [2]r3.Vec
	for s := range 2 {
		f.putPosedArm(s, c.hands[s], arms[s], read[s])
		shoulders[s] = f.joints["upper_arm"+suffix(s)].at
	}
	mid := r3.Scale(0.5, r3.Add(shoulders[0], shoulders[1]))
	legs, ok := c.dividedLegs(mid)
	if !ok {
		return false
	}
	var hips r3.Vec
	for s := range 2 {
		f.putLeg(s, c.feet[s], legs[s])
		hips = r3.Add(hips, r3.Scale(0.5, legs[s].hip))
	}
	if r3.Norm(r3.Sub(mid, hips)) < 0.05*size {
		return false
	}
	up := r3.Unit(r3.Sub(mid, hips))
	pelvis := r3.Add(hips, r3.Scale(0.02*size, up))
	f.put("hips", pelvis, 0.93, "between the hip joints")
	f.posedHead(c, mid, up)
	neck := f.joints["neck"].at
	for i := range spineShares {
		name, p := spineJoint(i, pelvis, neck, size)
		f.put(name, p, 0.95, "at the usual proportion from hips to neck")
	}
	for s := range 2 {
		arm := f.joints["upper_arm"+suffix(s)]
		p := r3.Add(mid, r3.Scale(0.2, r3.Sub(arm.at, mid)))
		p = r3.Add(p, r3.Vec{Y: -0.004 * size, Z: 0.008 * size})
		f.put("clavicle"+suffix(s), p, arm.confidence, "at the usual proportion of the way to the shoulder")
	}
	if likely := func(a arm) bool { return a.total > armLeast*size && a.total < armMost*size }; !likely(read[0]) || !likely(read[1]) {
		for _, name := range []string{
			"upper_arm_l", "upper_arm_r", "forearm_l", "forearm_r", "hand_l", "hand_r", "clavicle_l", "clavicle_r", "neck", "spine_3",
		} {
			j := f.joints[name]
			j.confidence, j.reason = 0.7*j.confidence, j.reason+"; the arms' sections tell little"
			f.joints[name] = j
		}
	}
	f.given = given
	for name, j := range f.joints {
		switch {
		case c.votes < fewVotes:
			j.confidence, j.reason = 0.6*j.confidence, j.reason+"; which side is left could not be told"
		case c.off > clearReading:
			if share := hardShare(name, c.off); share < 1 {
				j.confidence, j.reason = share*j.confidence, j.reason+"; the pose was hard to read"
			}
		}
		f.joints[name] = j
	}
	for name, joint := range map[string]string{
		"head": "head_end", "hand_l": "hand_end_l", "hand_r": "hand_end_r", "foot_l": "toe_end_l", "foot_r": "toe_end_r",
	} {
		if p, ok := given[name]; ok {
			f.put(joint, p, 0.95, "at the tip you marked")
			f.tips[name] = p
		}
	}
	return true
}

// hardShare is what is left of the confidence of a joint where the pose was hard to read: as measured, it is the arms that
// are then wrong, seldom the feet.
func hardShare(joint string, off float64) float64 {
	stem, _ := skeleton.DefaultMarks.Split(joint)
	switch {
	case off > hardReading:
		return 0.7
	case slices.Contains([]string{"clavicle", "upper_arm", "forearm", "hand", "hand_end"}, stem):
		return 0.72
	case stem == "shank":
		return 0.8
	case slices.Contains([]string{"hips", "spine_1", "spine_2", "spine_3", "neck", "thigh"}, stem):
		return 0.9
	}
	return 1
}

// fewVotes is how much must speak for the front, of 6, for left and right to be told.
const fewVotes = 1.5

// putPosedArm places the joints of an arm.
func (f *fitter) putPosedArm(s int, w way, a divided, read arm) {
	x := suffix(s)
	f.put("upper_arm"+x, a.hip, 0.87, "where the arm's centerline enters the torso; both arms are equally long")
	if a.bend > 20 {
		f.put("forearm"+x, a.knee, 0.95, "where the centerline bends")
	} else {
		f.put("forearm"+x, a.knee, 0.95, "no bend found, taken from proportion along the middle line")
	}
	f.put("hand"+x, a.ankle, 0.95, "where the hand leaves the forearm")
	tip := w.at(w.cut).At
	if way := r3.Sub(tip, a.ankle); w.cut == 0 && r3.Norm(way) > 0 { // on to the surface
		tip = f.surface(tip, r3.Unit(way), 0.03*f.body)
	}
	f.put("hand_end"+x, tip, 0.79, "tip of the arm")
	f.tips["hand"+x] = tip
	f.begin["arm"+x] = a.hip
	if read.total > 0 {
		f.begin["arm"+x] = read.line[read.join].at
	}
}

// kneeInside is how far inside of a bent knee its middle line runs, as a share of the height, for one that is folded.
const kneeInside = 0.03

// outward moves the middle of a bend to the outside: a middle line cuts the corner, the more so the more it is bent.
func outward(a, b, c r3.Vec, by float64) r3.Vec {
	in, out := r3.Sub(b, a), r3.Sub(c, b)
	if r3.Norm(in) == 0 || r3.Norm(out) == 0 {
		return b
	}
	d := r3.Sub(r3.Unit(in), r3.Unit(out)) // as long as twice the sine of half the bend
	return r3.Add(b, r3.Scale(by*r3.Norm(d)/4, d))
}

// putLeg places the joints of a leg.
func (f *fitter) putLeg(s int, w way, l divided) {
	x := suffix(s)
	tip := w.beads[0].At
	l.knee = outward(l.hip, l.knee, l.ankle, kneeInside*f.body)
	if shin, foot := r3.Sub(l.knee, l.ankle), r3.Sub(l.ankle, tip); r3.Norm(shin) > 0 && r3.Norm(foot) > 0 {
		l.ankle = r3.Add(l.ankle, r3.Add(r3.Scale(0.006*f.body, r3.Unit(shin)), r3.Scale(0.009*f.body, r3.Unit(foot))))
	}
	f.put("thigh"+x, l.hip, 0.88, "where the thigh's centerline passes the middle of the pelvis; both thighs are equally long")
	if l.bend > 20 {
		f.put("shank"+x, l.knee, 0.86, "where the centerline bends")
	} else {
		f.put("shank"+x, l.knee, 0.95, "no bend found, taken from proportion along the middle line")
	}
	f.put("foot"+x, l.ankle, 0.95, "where the foot leaves the shank")
	v := r3.Sub(tip, l.ankle)
	sole := r3.Sub(l.ankle, l.knee)
	if n := r3.Norm2(v); n > 0 {
		sole = r3.Sub(sole, r3.Scale(r3.Dot(sole, v)/n, v))
	}
	if r3.Norm(sole) > 0 {
		sole = r3.Scale(0.06*r3.Norm(v), r3.Unit(sole))
	}
	f.put("toe"+x, r3.Add(r3.Sub(tip, r3.Scale(0.31, v)), sole), 0.95, "at seven tenths of the foot")
	f.put("toe_end"+x, r3.Sub(tip, r3.Scale(0.04, v)), 0.95, "foremost place of the foot")
	f.tips["foot"+x] = tip
}

// surface returns the last place inside from p on in a direction, at the most so far.
func (f *fitter) surface(p, way r3.Vec, most float64) r3.Vec {
	last := p
	for l := 0.0; l < most; l += f.vox.Cell / 4 {
		q := r3.Add(p, r3.Scale(l, way))
		if i := f.vox.At(q); i < 0 || !f.vox.Inside[i] {
			break
		}
		last = q
	}
	return last
}

// posedHead places neck and head along the head's middle line.
func (f *fitter) posedHead(c carriage, shoulders, up r3.Vec) {
	size := c.size
	line := Strand{Line: c.head.beads}
	// Down to where it passes the shoulders.
	length, far := line.length(), math.Inf(1)
	base := length
	for arc := 0.0; arc < min(length, 0.45*size); arc += f.vox.Cell / 2 {
		if d := r3.Norm(r3.Sub(line.at(arc).At, shoulders)); d < far {
			far, base = d, arc
		}
	}
	var arcs, wide []float64
	for arc := base - 0.012*size; arc > 0.02*size; arc -= f.vox.Cell / 2 {
		arcs, wide = append(arcs, arc), append(wide, f.spread(&line, arc))
	}
	least, at, narrow := math.Inf(1), base-0.045*size, false
	for i, arc := range arcs {
		if wide[i] < least && base-arc < 0.14*size {
			least, at = wide[i], arc
		}
		if wide[i] > 1.12*least {
			narrow = true
			break
		}
	}
	confidence, reason := 0.92, "below the narrowest part of the neck"
	if !narrow {
		at = base - 0.045*size
		confidence, reason = 0.4, "no narrowing found above the shoulders, taken from proportion"
	}
	// The middle of the head: its deepest place.
	deep := Bead{}
	for arc := 0.0; arc < at; arc += f.vox.Cell / 2 {
		if b := line.at(arc); b.Radius > deep.Radius {
			deep = b
		}
	}
	n := line.at(max(0, at)).At
	axis := r3.Sub(deep.At, n)
	if deep.Radius == 0 || r3.Norm(axis) < 0.01*size {
		axis = up
	}
	axis = r3.Unit(axis)
	f.put("neck", r3.Add(shoulders, r3.Scale(max(0.02*size, r3.Dot(r3.Sub(n, shoulders), up)-0.031*size), up)), confidence, reason)
	f.begin["neck"] = f.joints["neck"].at
	head := r3.Add(n, r3.Scale(0.012*size, axis))
	f.put("head", head, confidence, "above the narrowest part of the neck")
	top := f.surface(head, axis, 0.5*size)
	sure, why := 0.88, "the highest place of the head along its axis"
	if r := deep.Radius; r > 0 && r3.Norm(r3.Sub(top, n)) > crownMost*r {
		top, sure, why = r3.Add(
			n,
			r3.Scale(crownUsual*r, axis),
		), 0.6, "ignoring what is above (a hat, hair): the crown is hidden and estimated from the head's width"
	}
	f.put("head_end", top, sure, why)
	f.tips["head"] = top
}
