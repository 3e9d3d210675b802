package fit

import (
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// carriage is how a body in a pose is carried, in the frame of the fitter that read it: limbs sorted to their sides and
// the directions of its trunk.
type carriage struct {
	posture
	up, left, front r3.Vec
	middle          r3.Vec  // of the trunk
	votes           float64 // what speaks for its front over what speaks against it, of 6
	elbows          float64 // how far the one that is bent more is bent, degrees
	straight        float64 // the farthest that a leg is from hanging straight below the trunk, degrees
}

// carried finds the directions of the trunk of a body from its limbs, and which of them are left.
func (f *fitter) carried(p posture) carriage {
	c := carriage{posture: p}
	size := p.size
	var shoulders, hips [2]r3.Vec
	var shank, thigh, knees [2]r3.Vec
	root := func(w way, length, from, share float64) r3.Vec { // the place at a length, led on from the limb's own direction
		a, b := w.at(w.cut+from*length).At, w.at(w.cut+share*length).At
		d := r3.Sub(b, a)
		if r3.Norm(d) == 0 {
			return b
		}
		return r3.Add(b, r3.Scale((1-share)*length, r3.Unit(d)))
	}
	find := func() {
		for s := range 2 {
			shoulders[s] = root(c.hands[s], 0.44*size, 0.7, 0.88)
			hips[s] = root(c.feet[s], 0.64*size, 0.66, 0.86)
			foot := c.feet[s]
			ankle, knee := foot.at(0.15*size).At, foot.at(0.37*size).At
			shank[s], thigh[s], knees[s] = r3.Sub(ankle, knee), r3.Sub(knee, hips[s]), knee
		}
	}
	find()
	legs := r3.Add(r3.Add(hips[0], knees[0]), c.feet[0].beads[0].At)
	legs = r3.Sub(legs, r3.Add(r3.Add(hips[1], knees[1]), c.feet[1].beads[0].At))
	if r3.Dot(r3.Sub(shoulders[0], shoulders[1]), legs) < 0 {
		c.feet[0], c.feet[1] = c.feet[1], c.feet[0]
		find()
	}
	mid := func(p [2]r3.Vec) r3.Vec { return r3.Scale(0.5, r3.Add(p[0], p[1])) }
	unit := func(v r3.Vec) r3.Vec {
		if l := r3.Norm(v); l > 0 {
			return r3.Scale(1/l, v)
		}
		return r3.Vec{}
	}
	c.middle = r3.Scale(0.5, r3.Add(mid(shoulders), mid(hips)))
	c.up = unit(r3.Sub(mid(shoulders), mid(hips)))
	across := r3.Add(unit(r3.Sub(shoulders[0], shoulders[1])), r3.Scale(0.5, unit(r3.Sub(hips[0], hips[1]))))
	c.left = unit(r3.Sub(across, r3.Scale(r3.Dot(across, c.up), c.up)))
	clip := func(x, full float64) float64 { return max(-1, min(1, x/full)) }
	const bent = 0.35 // sine of a bend that is clear
	for s := range 2 {
		d, t := unit(shank[s]), unit(thigh[s])
		toes := r3.Sub(c.feet[s].at(0.015*size).At, c.feet[s].at(0.15*size).At)
		toes = unit(r3.Sub(toes, r3.Scale(r3.Dot(toes, d), d)))
		c.votes += 1.5 * r3.Dot(toes, r3.Cross(d, c.left)) // a foot stands out to the front of its shank
		c.votes += clip(r3.Dot(r3.Cross(t, d), c.left), bent)
		arm := c.hands[s]
		upper := unit(r3.Sub(arm.at(arm.cut+0.26*size).At, arm.at(arm.cut+0.40*size).At))
		lower := unit(r3.Sub(arm.at(arm.cut+0.10*size).At, arm.at(arm.cut+0.25*size).At))
		c.votes -= 0.5 * clip(r3.Dot(r3.Cross(upper, lower), c.left), bent)
		c.elbows = max(c.elbows, math.Acos(max(-1, min(1, r3.Dot(upper, lower))))*180/math.Pi)
	}
	if other, shown := f.otherWay(c); shown {
		if c.votes = 6; other {
			c.votes = -6
		}
	}
	if c.votes < 0 {
		c.votes, c.left = -c.votes, r3.Scale(-1, c.left)
		c.hands[0], c.hands[1] = c.hands[1], c.hands[0]
		c.feet[0], c.feet[1] = c.feet[1], c.feet[0]
	}
	c.front = r3.Cross(c.left, c.up)
	for s := range 2 {
		for _, d := range [2]r3.Vec{shank[s], thigh[s]} {
			c.straight = max(c.straight, math.Acos(max(-1, min(1, -r3.Dot(unit(d), c.up))))*180/math.Pi)
		}
	}
	return c
}

// otherWay reports whether what a person has shown tells that what was taken for the left is the right: where the body
// looks, or a tip of a side.
func (f *fitter) otherWay(c carriage) (other, shown bool) {
	if f.faced {
		return r3.Cross(c.left, c.up).Z < 0, true
	}
	for s := range 2 {
		for _, limb := range [2]struct {
			name string
			ways [2]way
		}{{"hand", c.hands}, {"foot", c.feet}} {
			if p, ok := f.given[limb.name+suffix(s)]; ok {
				mine, others := limb.ways[s].beads[0].At, limb.ways[1-s].beads[0].At
				return r3.Norm(r3.Sub(p, others)) < r3.Norm(r3.Sub(p, mine)), true
			}
		}
	}
	return false, false
}

// Limits of how unlike a body the ways between the ends are (posture.off), as measured on strangers, coats and poses: of
// those under clearReading nearly all are right, of those over fairReading few. A body that is its own mirror image may
// wear what hides its legs: of such a one the reading must be clear.
const (
	clearReading = 0.8
	hardReading  = 1.2
	fairReading  = 1.5
	uprightTrunk = 12.0 // degrees from vertical
	hangingLegs  = 22.0 // degrees from the trunk's direction
	bentElbows   = 40.0 // degrees
	fullHeight   = 0.93 // how high a body is that stands, over the length of what it is made of
)

// upright reports whether a body stands as a fit of level sections reads it: upright, on straight legs, the head on top.
func (f *fitter) upright(c carriage) bool {
	raised := -math.MaxFloat64 // of the hands over the head
	for _, w := range c.hands {
		raised = max(raised, w.at(w.cut).At.Y-c.head.beads[0].At.Y)
	}
	if c.off > fairReading {
		return true
	}
	if raised > 0 {
		return false
	}
	lean := c.lean()
	if f.match >= mirrorMatch {
		return c.off > clearReading || lean < 20 && f.height > fullHeight*c.size
	}
	held := c.hands[0].cut+c.hands[1].cut > 0 // without symmetry only the length of the arms tells it
	return !held && c.elbows < bentElbows && lean < uprightTrunk && c.straight < hangingLegs && f.height > fullHeight*c.size
}

// plainlyUpright reports whether a body is so flat, so much its own mirror image, and has its top so much in the middle,
// that it can only stand, arms out or down: for these nothing else need be read.
func (f *fitter) plainlyUpright() bool {
	const flat, inMiddle = 0.3, 0.05
	if f.match < mirrorMatch {
		return false
	}
	box, top := geom.EmptyBox(), geom.EmptyBox()
	single := false // at the top, feet are two
	for _, c := range f.vox.Filled() {
		box = box.Add(c)
		if c.Y > f.floor+0.97*f.height {
			top = top.Add(c)
			single = single || math.Abs(c.X-f.plane) < f.vox.Cell
		}
	}
	size := box.Size()
	return single && size.Z < flat*size.Y && size.X < 1.3*size.Y &&
		math.Abs(f.plane-top.Centre().X) < inMiddle*size.Y && max(top.Size().X, top.Size().Z) < flat*size.Y
}

// ownFrame turns the fit of a body that does not stand to the frame of its own trunk. done is whether it was fitted
// there; one that stands there, but lies in the file, is turned upright for the fit alone. A body that stands, or whose
// head, hands and feet cannot be told, is left as it is. known is how they were told before, nil if that was not asked.
func (f *fitter) ownFrame(m *mesh.Mesh, shown Shown, known *posture) (g *fitter, done bool, err error) {
	how := filling{apart: f.apart}
	var p posture
	ok := known != nil
	if ok {
		p = *known
	} else {
		p, ok = f.readPosture()
	}
	if !ok || p.off > clearReading { // something long that is held may be a piece of its own
		alone := filling{tall: lying(m), paired: true, apart: f.apart}
		if other, err := newFitterOf(m, shown, quat.Conj(f.back), alone); err == nil && other.props > f.props {
			if q, fine := other.readPosture(); fine && (!ok || q.off < p.off-0.2) {
				f, p, ok, how = other, q, true, alone
			}
		}
	}
	if !ok {
		return f, false, nil
	}
	c := f.carried(p)
	if c.left == (r3.Vec{}) || c.up == (r3.Vec{}) {
		return f, false, nil
	}
	if c.off < clearReading {
		f.reading = &c
	}
	if told := shown.posed() && f.stance() != ""; f.upright(c) && !told {
		return f, false, nil
	}
	how.tall = c.size
	turn := c.turn()
	notes := append(slices.Clone(f.notes), c.how())
	if square := quarterTurn(turn); c.lean() > lyingDown && c.straight < hangingLegs && quarterOff(turn, square) < nearQuarter {
		if g, err = newFitterOf(m, shown, quat.Mul(square, quat.Conj(f.back)), how); err != nil {
			return nil, false, err
		}
		if g.upright(c.turned(square)) {
			g.faced, g.notes = true, notes
			return g, false, nil
		}
	}
	if g, err = newFitterOf(m, shown, quat.Mul(turn, quat.Conj(f.back)), how); err != nil {
		return nil, false, err
	}
	if !g.inPose(c.turned(turn)) {
		return f, false, nil
	}
	g.notes = notes
	return g, true, nil
}

// quartersToFront is by how many quarter turns about Y the front comes the nearest to +Z.
func (c carriage) quartersToFront() int {
	best, n := math.Inf(-1), 0
	for k := range 4 {
		if z := geom.Rotate(geom.AxisAngle(r3.Vec{Y: 1}, float64(k)*math.Pi/2), c.front).Z; z > best+1e-9 {
			best, n = z, k
		}
	}
	return n
}

// looksBack reports whether a body that stands looks to −Z: by toes, knees and elbows where they are told apart, else by
// how far what is on the ground reaches.
func (f *fitter) looksBack() bool {
	if f.reading != nil && f.reading.votes > 2*fewVotes {
		return f.reading.front.Z < 0
	}
	return f.facesBack()
}

// clearlyCarried returns how the body is carried, nil where that is not clear.
func (f *fitter) clearlyCarried() *carriage {
	if f.reading == nil {
		if p, ok := f.readPosture(); ok && p.off < clearReading {
			c := f.carried(p)
			f.reading = &c
		}
	}
	return f.reading
}

// armsByReading places the arms of a body that stands by its posture, where their sections tell nothing likely of them:
// a cloth hides where they begin.
func (f *fitter) armsByReading(read [2]arm) bool {
	likely := true
	for _, a := range read {
		likely = likely && a.total > armLeast*f.height && a.total < armMost*f.height
	}
	if likely || f.shownArm(0) || f.shownArm(1) {
		return false
	}
	known := f.clearlyCarried()
	if known == nil || !f.upright(*known) {
		return false
	}
	c := *known
	if c.hands[0].beads[0].At.X < f.plane {
		c.hands[0], c.hands[1], c.left = c.hands[1], c.hands[0], r3.Scale(-1, c.left)
	}
	off := 0
	for s := range read {
		if t := read[s].total / c.size; t < armLeast || t > armMost {
			off++
		}
	}
	if off == 0 {
		return false
	}
	for s := range 2 {
		read[s] = f.readArm(s, f.nearestInside(c.hands[s].at(c.hands[s].cut).At))
	}
	arms, ok := c.dividedArms(read)
	if !ok {
		return false
	}
	f.body, f.armCount = c.size, 2
	for s := range 2 {
		f.putPosedArm(s, c.hands[s], arms[s], read[s])
		f.armLength += (r3.Norm(r3.Sub(arms[s].hip, arms[s].knee)) + r3.Norm(r3.Sub(arms[s].knee, arms[s].ankle)) +
			r3.Norm(r3.Sub(arms[s].ankle, f.joints["hand_end"+suffix(s)].at))) / 2
	}
	return true
}

const (
	lyingDown   = 45.0 // degrees that a trunk leans from which on it lies
	nearQuarter = 16.0 // degrees within which a body is taken to be turned by quarter turns: another axis is up in the file
)

// lean is how far the trunk leans from vertical, degrees.
func (c carriage) lean() float64 { return math.Acos(max(-1, min(1, c.up.Y))) * 180 / math.Pi }

// how says how the body is carried.
func (c carriage) how() string {
	lean, face := c.lean(), c.front.Y
	switch {
	case lean > 180-lyingDown:
		return "upside down: read from the head at the bottom to the feet at the top"
	case lean > lyingDown && c.straight < hangingLegs && face > 0.7:
		return "lying on its back, or Y is not up: read from its head to its feet"
	case lean > lyingDown && c.straight < hangingLegs && face < -0.7:
		return "lying face down, or Y is not up: read from its head to its feet"
	case lean > lyingDown && c.straight < hangingLegs:
		return "lying on its side, or Y is not up: read from its head to its feet"
	}
	return fmt.Sprintf(
		"in a pose: head, hands and feet were told by their distances along the inside; the trunk leans by %.0f° and the legs are up to %.0f° from straight",
		lean,
		c.straight,
	)
}

// quarterTurn returns the rotation by quarter turns that is nearest to one.
func quarterTurn(q quat.Number) quat.Number {
	m := geom.Rigid(r3.Vec{}, q)
	axes := [3]r3.Vec{m.Direction(r3.Vec{X: 1}), m.Direction(r3.Vec{Y: 1}), m.Direction(r3.Vec{Z: 1})}
	var out [2]r3.Vec
	for i := range out {
		out[i] = nearestAxis(axes[i])
	}
	return geom.FromAxes(out[0], out[1], r3.Cross(out[0], out[1]))
}

func nearestAxis(v r3.Vec) r3.Vec {
	x, y, z := math.Abs(v.X), math.Abs(v.Y), math.Abs(v.Z)
	switch {
	case x >= y && x >= z:
		return r3.Vec{X: math.Copysign(1, v.X)}
	case y >= z:
		return r3.Vec{Y: math.Copysign(1, v.Y)}
	}
	return r3.Vec{Z: math.Copysign(1, v.Z)}
}

// quarterOff is by how many degrees two rotations differ; 180 where the second is none.
func quarterOff(a, b quat.Number) float64 {
	n := quat.Abs(b)
	if math.Abs(n-1) > 1e-6 {
		return 180
	}
	return 2 * math.Acos(min(1, math.Abs(quat.Mul(quat.Conj(a), b).Real))) * 180 / math.Pi
}

// turn returns the rotation from the frame that the body was read in to its own: up along Y, the front along Z.
func (c carriage) turn() quat.Number {
	return quat.Conj(geom.FromAxes(c.left, c.up, c.front))
}

// turned returns the carriage in a frame that q leads to.
func (c carriage) turned(q quat.Number) carriage {
	r := func(p r3.Vec) r3.Vec { return geom.Rotate(q, p) }
	w := func(w way) way {
		w.beads = slices.Clone(w.beads)
		for i := range w.beads {
			w.beads[i].At = r(w.beads[i].At)
		}
		return w
	}
	c.head = w(c.head)
	for s := range 2 {
		c.hands[s], c.feet[s] = w(c.hands[s]), w(c.feet[s])
	}
	c.pelvis, c.middle = r(c.pelvis), r(c.middle)
	c.up, c.left, c.front = r(c.up), r(c.left), r(c.front)
	return c
}
