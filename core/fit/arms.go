package fit

import (
	"errors"
	"math"
	"slices"

	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// errNoArms names the side on which no arm was found.
var errNoArms = errors.New("no arm stands out from the torso")

// errNoTorso says that nothing is where a torso should be.
var errNoTorso = errors.New(
	"no torso was found: this body parts, as legs do, up to where its chest should be. Bring in the whole body, or place the joints by hand",
)

// armCandidates is how many ends on a side are read as arms.
const armCandidates = 5

// arms places shoulder, elbow and wrist along the middle line of each arm, from
// the tip of the hand inward. Of the ends on a side (hands, but also braids, horns,
// hems) the one is taken that is most like an arm: long, and thin for its length.
func (f *fitter) arms() error {
	v := f.vox
	h := f.height
	f.body, f.armLength, f.armCount, f.high = h, 0, 0, [2]bool{}
	limit := f.crotch
	if limit == 0 {
		limit = 0.2 * h
	}
	leg := f.legCubes(limit)
	seat := -1
	for share := 0.64; share > 0.4 && seat < 0; share -= 0.01 {
		if l := f.layerAt(f.y(share)); l.area > 0 {
			if i := v.At(r3.Vec{X: f.plane, Y: f.y(share), Z: l.centre.Z}); i >= 0 && v.Inside[i] {
				seat = i
			}
		}
	}
	if seat < 0 {
		return errNoTorso
	}
	from := v.Distances([]int{seat})
	ends := f.peaks(from, 0.06*h, leg)
	var list [2][]arm
	for s := range 2 {
		if p, ok := f.given["hand"+suffix(s)]; ok {
			if tip := f.nearestInside(p); tip >= 0 {
				a := f.readArm(s, tip)
				a.shown = true
				list[s] = []arm{a}
			}
			continue
		}
		for _, tip := range ends {
			c := v.Centre(tip)
			if (c.X > f.plane) != (s == 0) || math.Abs(c.X-f.plane) < 0.06*h || c.Y < f.floor+0.12*h || len(list[s]) == armCandidates {
				continue
			}
			if a := f.readArm(s, tip); a.total > 0 {
				list[s] = append(list[s], a)
			}
		}
	}
	for s := range list { // a horn
		f.high[s] = f.high[s] && len(list[s]) == 0
	}
	f.preferRead(&list)
	found := bestArms(list)
	if f.armsByReading(found) {
		return nil
	}
	sum := 0.0
	for _, a := range found {
		if a.total > 0 {
			sum += a.shoulder.Y - f.floor
			f.armLength += a.total
			f.armCount++
		}
	}
	if n := float64(f.armCount); n > 0 {
		f.body, f.armLength = math.Min(f.height, sum/n/0.8), f.armLength/n
	}
	for s := range found {
		f.putArm(s, found[s], found[1-s])
	}
	return nil
}

// arm is an arm as it was read from its tip inward.
type arm struct {
	line     []station
	join     int // first section of the trunk
	clean    int // last one that is the arm's alone
	tip      int
	shown    bool // a person has shown the tip
	radius   float64
	shoulder r3.Vec
	total    float64 // length from tip to shoulder; 0 if it is no arm
	score    float64 // how much it is like an arm
	wrist    station
	narrow   bool // at the wrist
}

// lowShoulder is how high a shoulder is over where the legs part, at the least (.818 and .472 of the height, Drillis &
// Contini; the second from memory).
const lowShoulder = 1.45

const inSleeve = "in a wide sleeve, taken from proportion"

// sleeved reports whether an arm is much thicker before the hand than beyond the elbow: a sleeve hangs there, whose middle
// is not the arm's.
func (a arm) sleeved() bool {
	mean := func(from, to float64) float64 {
		sum, n := 0.0, 0.0
		for _, s := range a.line[:a.clean+1] {
			if t := s.arc / a.total; t >= from && t <= to {
				sum, n = sum+s.area, n+1
			}
		}
		return sum / max(1, n)
	}
	upper := mean(0.62, 0.78)
	return upper > 0 && mean(0.22, 0.42) > 1.6*upper
}

// shownArm reports whether a person has shown the tip of an arm.
func (f *fitter) shownArm(s int) bool { _, ok := f.given["hand"+suffix(s)]; return ok }

// preferRead raises, of several ends of a side that are nearly as much like an arm as the best, the one that head, hands
// and feet together tell: the hand in a sleeve rather than its edge.
func (f *fitter) preferRead(list *[2][]arm) {
	if f.reading != nil && f.match < mirrorMatch { // no symmetry tells what is held: the hands were told without it
		for _, w := range f.reading.hands {
			s := 0
			if w.at(w.cut).At.X < f.plane {
				s = 1
			}
			if f.shownArm(s) {
				continue
			}
			if a := f.readArm(s, f.nearestInside(w.at(w.cut).At)); a.total > armLeast*f.reading.size && a.total < armMost*f.reading.size {
				a.score += f.height
				list[s] = append(list[s], a)
			}
		}
		return
	}
	for s, arms := range list {
		best, second := 0.0, 0.0
		for _, a := range arms {
			if a.score > best {
				best, second = a.score, best
			} else {
				second = max(second, a.score)
			}
		}
		if second < 0.6*best || f.shownArm(s) {
			continue
		}
		c := f.clearlyCarried()
		if c == nil {
			return
		}
		for i := range arms {
			for _, w := range c.hands {
				if r3.Norm(r3.Sub(f.vox.Centre(arms[i].tip), w.at(w.cut).At)) < 0.04*f.height {
					arms[i].score += best
				}
			}
		}
	}
}

// bestArms returns the arm of each side that is most like one, of two sides the pair that
// is so and of one length.
func bestArms(list [2][]arm) (found [2]arm) {
	best := math.Inf(-1)
	for _, l := range append(list[0], arm{}) {
		for _, r := range append(list[1], arm{}) {
			score := l.score + r.score
			if l.total > 0 && r.total > 0 {
				score -= 2 * math.Abs(l.total-r.total)
			}
			for _, a := range [2]arm{l, r} {
				if a.shown {
					score += 1e6 // always obeyed
				}
			}
			if score > best {
				best, found = score, [2]arm{l, r}
			}
		}
	}
	return found
}

// putArm places the joints of an arm; other is the one on the other side.
func (f *fitter) putArm(s int, a, other arm) {
	x := suffix(s)
	switch {
	case a.total == 0 && a.shown:
		f.armToTip(s, a.tip)
		return
	case a.total == 0:
		f.armByProportion(s)
		return
	}
	f.tips["hand"+x] = f.vox.Centre(a.tip)
	// What speaks against it lessens the confidence of all.
	doubt, because := 1.0, ""
	if other.total > 0 && !a.shown && math.Abs(a.total-other.total) > 0.08*math.Max(a.total, other.total) {
		doubt, because = 0.6, "; the arms differ in length"
	}
	if share := a.total / f.body; !a.shown && (share < 0.32 || share > 0.58) {
		doubt, because = 0.6, ", but the arm is unusually long or short for the body"
	}
	if f.crotch > 0.3*f.height && a.shoulder.Y-f.floor < lowShoulder*f.crotch {
		doubt, because = 0.3, ", but the shoulder is low for the legs: something hides it"
	}
	if rise := (a.shoulder.Y - other.shoulder.Y) / f.body; other.total > 0 && math.Abs(rise) > 0.04 {
		doubt, because = 0.6, ", but the shoulders differ in height"
	}
	wristReason, trust := "no narrowing found, taken from proportion", 0.5
	put := func(joint string, at r3.Vec, confidence float64, reason string) {
		f.put(joint+x, at, doubt*confidence, reason+because)
	}
	wrist, narrow := a.wrist, a.narrow
	// Wrists of both sides lie alike; where they do not, the one at the more usual place
	// stands for both.
	from, to := a.wrist.arc/a.total, 0.0
	if other.total > 0 {
		to = other.wrist.arc / other.total
	}
	if other.total > 0 && math.Abs(from-to) > 0.05 && math.Abs(to-wristShare) < math.Abs(from-wristShare) {
		wrist, narrow = a.at(to), false
		wristReason, trust = "mirrored from the clearer wrist", 0.85
	}
	elbow, bent := f.elbow(a.line[:a.clean+1], a.shoulder, wrist)
	sleeved := a.sleeved()
	if sleeved {
		tip := f.vox.Centre(a.tip)
		at := func(share float64) r3.Vec { return r3.Add(tip, r3.Scale(share, r3.Sub(a.shoulder, tip))) }
		wrist.at, elbow = at(wristShare), at((skeleton.Hand+skeleton.Forearm)/(skeleton.Hand+skeleton.Forearm+skeleton.UpperArm))
		narrow, bent, wristReason, trust = false, false, inSleeve, 0.5
	}
	f.begin["arm"+x] = a.line[a.join].at
	put("upper_arm", a.shoulder, 0.95, "where the arm's centerline enters the torso")
	if bent {
		put("forearm", elbow, 0.95, "where the centerline bends")
	} else if sleeved {
		put("forearm", elbow, 0.6, inSleeve)
	} else {
		put("forearm", elbow, 0.9, "no bend found, taken from proportion along the middle line")
	}
	if narrow {
		put("hand", wrist.at, 0.95, "narrowest section behind the hand")
	} else {
		put("hand", wrist.at, trust, wristReason)
	}
	if a.shown {
		f.put("hand_end"+x, f.vox.Centre(a.tip), 0.95, "at the hand tip you marked")
		return
	}
	put("hand_end", a.line[0].at, 0.9, "tip of the arm")
}

// armToTip places an arm that does not show between where a shoulder should be and the
// tip that a person has shown.
func (f *fitter) armToTip(s, tip int) {
	f.armByProportion(s)
	x := suffix(s)
	from, to := f.joints["upper_arm"+x].at, f.vox.Centre(tip)
	const whole = skeleton.UpperArm + skeleton.Forearm + skeleton.Hand
	reason := "between the expected shoulder and the tip you marked, by proportion: " + errNoArms.Error()
	f.put("forearm"+x, r3.Add(from, r3.Scale(skeleton.UpperArm/whole, r3.Sub(to, from))), 0.3, reason)
	f.put("hand"+x, r3.Add(from, r3.Scale((skeleton.UpperArm+skeleton.Forearm)/whole, r3.Sub(to, from))), 0.3, reason)
	f.put("hand_end"+x, to, 0.95, "at the hand tip you marked")
	f.tips["hand"+x] = to
}

// armByProportion places an arm hanging from where a shoulder should be.
func (f *fitter) armByProportion(s int) {
	h := f.body
	sign := 1 - 2*float64(s)
	at := r3.Vec{X: f.plane + sign*0.11*h, Y: f.floor + 0.79*h, Z: f.layerAt(f.floor + 0.75*h).centre.Z}
	reason := errNoArms.Error() + " (estimated from proportions)"
	for _, step := range []struct {
		name   string
		length float64
	}{{"upper_arm", 0}, {"forearm", skeleton.UpperArm}, {"hand", skeleton.Forearm}, {"hand_end", skeleton.Hand}} {
		at = r3.Add(at, r3.Vec{X: sign * 0.35 * step.length * h, Y: -0.93 * step.length * h})
		f.put(step.name+suffix(s), at, 0.1, reason)
	}
}

// station is a cross-section of an arm.
type station struct {
	at   r3.Vec
	area float64
	arc  float64 // metres along the middle line from the tip
}

// stations returns the cross-sections of the volume by distance along the inside,
// up to a reach, and the length that each stands for. within says which cubes
// count; nil counts all. The line ends where a section is empty.
func (f *fitter) stations(dist []float64, reach float64, within []bool) (line []station, width float64) {
	v := f.vox
	width = 1.6 * v.Cell
	n := int(reach / width)
	line = make([]station, max(0, n))
	count := make([]float64, max(0, n))
	for i, d := range dist {
		if k := int(d / width); d < float64(n)*width && k < n && (within == nil || within[i]) {
			line[k].at = r3.Add(line[k].at, v.Centre(i))
			count[k]++
		}
	}
	for k := range line {
		if count[k] == 0 {
			return line[:k], width
		}
		line[k].at = r3.Scale(1/count[k], line[k].at)
		line[k].area = count[k] * v.Cell * v.Cell * v.Cell / width
		if k > 0 {
			line[k].arc = line[k-1].arc + r3.Norm(r3.Sub(line[k].at, line[k-1].at))
		}
	}
	return line, width
}

// nearestInside returns the inside cube nearest to p, -1 for none.
func (f *fitter) nearestInside(p r3.Vec) int {
	best, at := math.Inf(1), -1
	for i, c := range f.vox.Filled() {
		if d := r3.Norm2(r3.Sub(c, p)); d < best {
			best, at = d, i
		}
	}
	return at
}

// readArm reads the cross-sections from a hand's tip inward; total is 0 where they are
// none of an arm.
func (f *fitter) readArm(s, tip int) arm {
	v, h := f.vox, f.height
	a := arm{tip: tip}
	reach := 0.75 * h // or to the middle plane
	dist := v.Within([]int{tip}, reach)
	for i, d := range dist {
		if d < reach && math.Abs(v.Centre(i).X-f.plane) < v.Cell {
			reach = d
		}
	}
	line, width := f.stations(dist, reach, nil)
	n := len(line)
	if n < 12 {
		return a
	}
	// The trunk begins where the section outgrows the arm's.
	var usual []float64
	for k := n * 30 / 100; k < n*65/100; k++ {
		usual = append(usual, line[k].area)
	}
	slices.Sort(usual)
	thin := usual[len(usual)/2]
	join := n - 1
	stays := int(0.045 * h / width) // a bent elbow is wide too, for as long as it is thick
	for k := n / 2; k < n; k++ {
		if line[k].area > 2.1*thin && !slices.ContainsFunc(line[k:min(n, k+stays)], func(s station) bool { return s.area < 1.7*thin }) {
			join = k
			break
		}
	}
	if k, ok := f.begins("arm"+suffix(s), line); ok {
		join = min(n-1, max(4, k))
	}
	radius := math.Sqrt(thin / math.Pi)
	// Middle line of the clean part of the upper arm, drawn on into the trunk.
	back := max(2, join-int(0.11*h/width))
	clean := max(back+1, join-2)
	dir := r3.Sub(line[clean].at, line[back].at)
	if r3.Norm(dir) == 0 {
		return a
	}
	dir = r3.Unit(dir)
	shoulder := r3.Add(line[clean].at, r3.Scale(2*width+0.9*radius, dir))
	a.line, a.join, a.clean, a.radius = line, join, clean, radius
	a.shoulder = f.underShoulder(shoulder, s, radius)
	a.total = line[clean].arc + r3.Norm(r3.Sub(a.shoulder, line[clean].at))
	a.wrist, a.narrow = f.wrist(line[:join], a.total)
	// An arm is six times as long as it is thick, or more, and about half as long as the
	// shoulder is high; hems and braids are not.
	slim := math.Min(1, a.total/(12*radius))
	a.score = a.total * slim * slim
	if share := a.total / (a.shoulder.Y - f.floor); share < 0.35 || share > 0.75 {
		a.score *= 0.3
	}
	if a.shoulder.Y > f.floor+0.88*f.height && !f.shownArm(s) { // a head is higher than that above its shoulders
		share := a.total / (a.shoulder.Y - f.floor)
		f.high[s] = f.high[s] || slim > 0.7 && share > 0.35 && share < 0.75
		return arm{tip: tip}
	}
	return a
}

// underShoulder mends a shoulder that the arm's middle line put too far in, as it
// does for level arms on a slim body, or too low, as for hanging arms: it lies
// outside the ribs, and an arm's radius under the top of the shoulder.
func (f *fitter) underShoulder(p r3.Vec, side int, radius float64) r3.Vec {
	v, h, sign := f.vox, f.height, 1-2*float64(side)
	inside := func(q r3.Vec) bool { i := v.At(q); return i >= 0 && v.Inside[i] }
	// Half the breadth of the ribs below the armpit, unless the arm hangs there.
	ribs := r3.Vec{X: f.plane, Y: p.Y - 0.085*h, Z: p.Z}
	half := 0.0
	for inside(ribs) && half < 0.2*h {
		half += v.Cell / 2
		ribs.X = f.plane + sign*half
	}
	if half > 0.04*h && half < 0.16*h {
		if across := sign * (p.X - f.plane); across < 1.02*half {
			p.X = f.plane + sign*1.02*half
		}
	}
	top := p
	for q := p; q.Y < f.floor+h; q.Y += v.Cell / 2 {
		if inside(q) {
			top = q
		} else if q.Y > p.Y+0.02*h {
			break
		}
	}
	p.Y = math.Max(p.Y, top.Y-1.1*radius)
	return p
}

// at returns the section of an arm at a share of its length from the tip.
func (a arm) at(share float64) station {
	for _, s := range a.line {
		if s.arc >= share*a.total {
			return s
		}
	}
	return a.line[len(a.line)-1]
}

// wristShare is where the wrist is on an arm, from the tip (Drillis & Contini: .108 of
// .440).
const wristShare = skeleton.Hand / (skeleton.Hand + skeleton.Forearm + skeleton.UpperArm)

// wrist returns the narrowest section near a quarter of the way from the tip.
func (f *fitter) wrist(line []station, total float64) (station, bool) {
	const share = wristShare
	best, at := math.Inf(1), -1
	expected, widest := 0, 0.0
	for k, st := range line {
		t := st.arc / total
		if t < share {
			expected = k
		}
		// Fingers are narrow too, but nothing is wider beyond them.
		e := (t - share) / 0.11
		if score := st.area * (1 + 0.5*e*e); math.Abs(e) <= 1 && widest > 1.12*st.area && score < best {
			best, at = score, k
		}
		widest = math.Max(widest, st.area)
	}
	if at < 0 {
		return line[expected], false
	}
	return line[at], true
}

// elbow returns the place between shoulder and wrist where the middle line is
// farthest from straight, if that is clear and near the usual share; else the
// usual share.
func (f *fitter) elbow(line []station, shoulder r3.Vec, wrist station) (r3.Vec, bool) {
	const share = skeleton.UpperArm / (skeleton.UpperArm + skeleton.Forearm) // from the shoulder
	axis := r3.Unit(r3.Sub(wrist.at, shoulder))
	length := r3.Norm(r3.Sub(wrist.at, shoulder))
	off := func(p r3.Vec) (t, d float64) {
		q := r3.Sub(p, shoulder)
		t = r3.Dot(q, axis)
		return t / length, r3.Norm(r3.Sub(q, r3.Scale(t, axis)))
	}
	usual, most, bend := r3.Add(shoulder, r3.Scale(share*length, axis)), 0.0, -1
	nearest := 0.06 // farther away the line is that of what hides the elbow
	for k, st := range line {
		t, d := off(st.at)
		if e := math.Abs(t - share); e < nearest {
			nearest, usual = e, st.at
		}
		if t > share-0.12 && t < share+0.12 && d > most {
			most, bend = d, k
		}
	}
	if bend >= 0 && most > 0.035*length {
		return line[bend].at, true
	}
	return usual, false
}
