package fit

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// legs places hip, knee, ankle and toe joints from the level slices.
func (f *fitter) legs() {
	h := f.height
	hip, confidence, reason := f.hipHeight()
	for s := range 2 {
		x := suffix(s)
		foot := f.footTop(s)
		ankleY := f.floor + math.Max(0.024*h, math.Min(0.075*h, 0.78*foot))
		shin := f.sideAt(s, f.floor+foot+0.02*h)
		ankle := r3.Vec{X: shin.X, Y: ankleY, Z: shin.Z}
		thighX := f.sideAt(s, f.floor+0.86*math.Max(f.crotch, 0.3*h))
		top := f.layerAt(f.floor + hip)
		z := thighX.Z
		if top.area > 0 {
			z = (z + top.centre.Z) / 2
		}
		thigh := r3.Vec{X: thighX.X, Y: f.floor + hip, Z: z}
		kneeY := ankleY + (skeleton.KneeHeight-skeleton.AnkleHeight)/(skeleton.HipHeight-skeleton.AnkleHeight)*(thigh.Y-ankleY)
		knee := f.sideAt(s, kneeY)
		knee.Y = kneeY
		line := ankle.Z + (kneeY-ankleY)/(thigh.Y-ankleY)*(thigh.Z-ankle.Z)
		knee.Z = math.Max(knee.Z, line+0.006*h) // a knee bends forward
		f.put("thigh"+x, thigh, confidence, reason)
		f.put("shank"+x, knee, 0.75, "at its share of the leg, centred in the cross-section")
		f.put("foot"+x, ankle, 0.75, "above the instep, centred in the shin")
		f.toes(s, ankle)
	}
}

// hipHeight returns the height of the hip joints above the floor. Two signs
// tell it: the shoulders (hip over shoulder is .530/.818 in Drillis & Contini),
// which clothes hide least, and the place where the legs part, which cloth
// lowers; from memory that lies near .472 H.
func (f *fitter) hipHeight() (hip, confidence float64, reason string) {
	h := f.height
	left, right := f.joints["upper_arm_l"], f.joints["upper_arm_r"]
	byShoulder := skeleton.HipHeight / skeleton.ShoulderHeight * ((left.at.Y+right.at.Y)/2 - f.floor)
	byCrotch := f.crotch * (skeleton.HipHeight / 0.472)
	arms := math.Min(left.confidence, right.confidence) > 0.3
	parted := f.crotch > 0.3*h && f.crotch < 0.58*h
	switch {
	case arms && parted:
		hip, confidence, reason = 0.65*byShoulder+0.35*byCrotch, 0.6, "between what the shoulders and the parting of the legs tell"
	case parted:
		hip, confidence, reason = byCrotch, 0.6, "above the place where the legs part"
	case arms:
		hip, confidence, reason = byShoulder, 0.5, "the legs do not part below the hips, height taken from the shoulders"
	default:
		hip, confidence, reason = skeleton.HipHeight*h, 0.3, "neither legs nor arms show, height taken from proportion"
	}
	if f.crotch > 0 && !parted {
		f.notes = append(f.notes, fmt.Sprintf("the legs part at %.0f %% of the height, too low for a crotch: a skirt or coat", 100*f.crotch/h))
	}
	return math.Max(hip, 1.06*f.crotch), confidence, reason
}

// sideAt returns the centre of a leg's slice at Y, from the nearest level that
// has one.
func (f *fitter) sideAt(s int, y float64) r3.Vec {
	k := int(math.Round((y - f.vox.Origin.Y) / f.vox.Cell))
	for d := range len(f.layers) {
		for _, i := range [2]int{k - d, k + d} {
			if i >= 0 && i < len(f.layers) && f.layers[i].side[s].area > 0 {
				return f.layers[i].side[s].centre
			}
		}
	}
	return r3.Vec{X: f.plane + (0.5-float64(s))*0.1*f.height, Y: y}
}

// footTop returns the height of the instep: where a leg's slice, going down,
// grows by half over the shin's.
func (f *fitter) footTop(s int) float64 {
	h := f.height
	var shin []float64
	for t := 0.11; t < 0.18; t += f.vox.Cell / h {
		if a := f.layerAt(f.y(t)).side[s].area; a > 0 {
			shin = append(shin, a)
		}
	}
	if len(shin) == 0 {
		return 0.05 * h
	}
	slices.Sort(shin)
	usual := shin[len(shin)/2]
	for t := 0.11; t > 0.01; t -= f.vox.Cell / h / 2 {
		if f.layerAt(f.y(t)).side[s].area > 1.5*usual {
			return t * h
		}
	}
	return 0.05 * h
}

func (f *fitter) toes(s int, ankle r3.Vec) {
	h, v := f.height, f.vox
	front, back := math.Inf(-1), math.Inf(1)
	foot := func(visit func(c r3.Vec)) {
		for _, c := range v.Filled() {
			if c.Y < ankle.Y+0.01*h && (c.X > f.plane) == (s == 0) && math.Abs(c.X-ankle.X) < 0.1*h {
				visit(c)
			}
		}
	}
	foot(func(c r3.Vec) { front, back = math.Max(front, c.Z), math.Min(back, c.Z) })
	x := suffix(s)
	if front-back < 0.04*h {
		f.put("toe"+x, r3.Add(ankle, r3.Vec{Y: -0.6 * (ankle.Y - f.floor), Z: 0.08 * h}), 0.2, "no foot found, taken from proportion")
		f.put("toe_end"+x, r3.Add(ankle, r3.Vec{Y: -0.6 * (ankle.Y - f.floor), Z: 0.12 * h}), 0.2, "no foot found, taken from proportion")
		return
	}
	mean := func(lo, hi float64) r3.Vec {
		var sum r3.Vec
		n := 0.0
		foot(func(c r3.Vec) {
			if c.Z >= lo && c.Z <= hi {
				sum, n = r3.Add(sum, c), n+1
			}
		})
		return r3.Scale(1/math.Max(1, n), sum)
	}
	length := front - back
	ballZ := back + 0.72*length
	ball := mean(ballZ-1.5*v.Cell, ballZ+1.5*v.Cell)
	tip := mean(front-0.06*length-v.Cell, front)
	ball.Y = f.floor + 0.55*math.Min(ball.Y-f.floor, 0.03*h)
	f.put("toe"+x, r3.Vec{X: ball.X, Y: ball.Y, Z: ballZ}, 0.7, "at seven tenths of the foot")
	f.put("toe_end"+x, r3.Vec{X: tip.X, Y: ball.Y, Z: front - 0.04*length}, 0.85, "foremost place of the foot")
	f.tips["foot"+x] = tip
	if q, ok := f.given["foot"+x]; ok {
		f.put("toe_end"+x, r3.Vec{X: q.X, Y: ball.Y, Z: q.Z}, 0.95, "where the tip of the foot was shown")
		f.tips["foot"+x] = q
	}
}

// errNoArms names the side on which no arm was found.
var errNoArms = errors.New("found no arm that stands off the trunk")

// arms places shoulder, elbow and wrist along the middle line of each arm, from
// the tip of the hand inward.
func (f *fitter) arms() error {
	v := f.vox
	h := f.height
	limit := f.crotch
	if limit == 0 {
		limit = 0.2 * h
	}
	leg := f.legCubes(limit)
	seat := -1
	for share := 0.64; share > 0.5 && seat < 0; share -= 0.01 {
		if l := f.layerAt(f.y(share)); l.area > 0 {
			if i := v.At(r3.Vec{X: f.plane, Y: f.y(share), Z: l.centre.Z}); i >= 0 && v.Inside[i] {
				seat = i
			}
		}
	}
	if seat < 0 {
		return ErrNoBody
	}
	from := v.Distances([]int{seat})
	for s := range 2 {
		tip, far := -1, 0.0
		for i, d := range from {
			c := v.Centre(i)
			if math.IsInf(d, 1) || leg[i] || (c.X > f.plane) != (s == 0) || math.Abs(c.X-f.plane) < 0.09*h || c.Y < f.floor+0.2*h {
				continue
			}
			if d > far {
				tip, far = i, d
			}
		}
		if p, ok := f.given["hand"+suffix(s)]; ok {
			tip, far = f.nearestInside(p), h
		}
		if tip < 0 || far < 0.25*h {
			f.armByProportion(s)
			continue
		}
		f.tips["hand"+suffix(s)] = v.Centre(tip)
		if err := f.arm(s, tip); err != nil {
			f.armByProportion(s)
		}
	}
	return nil
}

// armByProportion places an arm hanging from where a shoulder should be.
func (f *fitter) armByProportion(s int) {
	h := f.height
	sign := 1 - 2*float64(s)
	at := r3.Vec{X: f.plane + sign*0.11*h, Y: f.y(0.79), Z: f.layerAt(f.y(0.75)).centre.Z}
	reason := errNoArms.Error() + ", taken from proportion"
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

// arm reads the cross-sections from a hand's tip inward.
func (f *fitter) arm(s, tip int) error {
	v, h := f.vox, f.height
	reach := math.Inf(1) // to the middle plane
	dist := v.Distances([]int{tip})
	for i, d := range dist {
		if math.Abs(v.Centre(i).X-f.plane) < v.Cell {
			reach = math.Min(reach, d)
		}
	}
	line, width := f.stations(dist, math.Min(reach, 0.75*h), nil)
	n := len(line)
	if n < 12 {
		return errNoArms
	}
	// The trunk begins where the section outgrows the arm's.
	var usual []float64
	for k := n * 30 / 100; k < n*65/100; k++ {
		usual = append(usual, line[k].area)
	}
	slices.Sort(usual)
	thin := usual[len(usual)/2]
	join := n - 1
	for k := n / 2; k < n; k++ {
		if line[k].area > 2.1*thin {
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
		return errNoArms
	}
	dir = r3.Unit(dir)
	shoulder := r3.Add(line[clean].at, r3.Scale(2*width+0.9*radius, dir))
	shoulder = f.underShoulder(shoulder, s, radius)
	total := line[clean].arc + r3.Norm(r3.Sub(shoulder, line[clean].at))

	wrist, narrow := f.wrist(line[:join], total)
	elbow, bent := f.elbow(line[:clean+1], shoulder, wrist)
	x := suffix(s)
	f.begin["arm"+x] = line[join].at
	f.put("upper_arm"+x, shoulder, 0.8, "where the arm's middle line enters the trunk")
	if bent {
		f.put("forearm"+x, elbow, 0.85, "where the middle line bends")
	} else {
		f.put("forearm"+x, elbow, 0.6, "no bend found, taken from proportion along the middle line")
	}
	if narrow {
		f.put("hand"+x, wrist.at, 0.85, "narrowest section behind the hand")
	} else {
		f.put("hand"+x, wrist.at, 0.5, "no narrowing found, taken from proportion")
	}
	f.put("hand_end"+x, line[0].at, 0.75, "farthest place of the arm")
	return nil
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

// wrist returns the narrowest section near a quarter of the way from the tip
// (hand over whole arm in Drillis & Contini: .108 of .440).
func (f *fitter) wrist(line []station, total float64) (station, bool) {
	const share = skeleton.Hand / (skeleton.Hand + skeleton.Forearm + skeleton.UpperArm)
	best, at := math.Inf(1), 0
	expected, widest := 0, 0.0
	for k, st := range line {
		t := st.arc / total
		if t < share {
			expected = k
			widest = math.Max(widest, st.area)
		}
		if t < share-0.11 || t > share+0.11 {
			continue
		}
		e := (t - share) / 0.11
		if score := st.area * (1 + 0.5*e*e); score < best {
			best, at = score, k
		}
	}
	if widest < 1.12*line[at].area {
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
	nearest := math.Inf(1)
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
