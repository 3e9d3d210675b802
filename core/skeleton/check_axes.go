package skeleton

import (
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// rollLimit is how far, in radians, a bend axis may be off the one that the convention
	// gives; jumpLimit how much that may change from a joint to the next.
	rollLimit = 10 * math.Pi / 180
	jumpLimit = 20 * math.Pi / 180
	// twistOffLimit is how far a twist joint may be off its bone, over the bone's length.
	twistOffLimit = 0.01
	// palmLimit is how far a palm may face from the ground while the arm is held out.
	palmLimit = 45 * math.Pi / 180
	// lockLimit is the angle in degrees about the middle axis of three from which turns about
	// the two others are nearly one.
	lockLimit = 85
)

// RollsOff returns for each joint the signed angle in radians about its bone by which its
// bend axis is off the one that the convention gives it; 0 where its aim is off the bone or
// it ends a chain.
func (s *Skeleton) RollsOff(solid *geom.Tree, c Convention, x Marks) []float64 {
	out := make([]float64, len(s.Joints))
	aims, bends := s.directions(solid, c, x)
	children := s.Children()
	for i, j := range s.Joints {
		if len(children[i]) == 0 || between(s.alongBone(i, c, x), aims[i]) > AxisLimit {
			continue
		}
		now := axisOf(j, s.AxesOf(i, c).Bend)
		out[i] = math.Atan2(r3.Dot(r3.Cross(bends[i], now), aims[i]), r3.Dot(bends[i], now))
	}
	return out
}

// CheckRolls tells of bend axes that are off, jump along a chain or differ from the
// partner's, for joints that are no hinges (CheckSwing tells of those), of twist joints off
// their line, palms, and orders of turns that lock.
func (s *Skeleton) CheckRolls(solid *geom.Tree, c Convention, x Marks) []finding.Finding {
	s = s.WithoutHelpers()
	var out []finding.Finding
	b := s.body(x)
	off := s.RollsOff(solid, c, x)
	hinge := func(i int) bool { _, known := b.flexes(i); return known && b.motion[i].Hinge() }
	var jump, wrong, unlike []string
	worstJump, worstOff, worstUnlike := 0.0, 0.0, 0.0
	for i, j := range s.Joints {
		p := j.Parent
		if p < 0 || len(b.children[i]) == 0 || b.goesOn(p) != i {
			continue
		}
		if d := math.Abs(math.Remainder(off[i]-off[p], 2*math.Pi)); d > jumpLimit {
			worstJump = math.Max(worstJump, d)
			guilty := i // whichever is farther off
			if math.Abs(off[p]) > math.Abs(off[i]) {
				guilty = p
			}
			if name := s.Joints[guilty].Name; !hinge(guilty) && !slices.Contains(jump, name) {
				jump = append(jump, name)
			}
		}
	}
	if s.turned(x) <= turnedLimit {
		pairs := s.Pairs(x)
		for i, j := range s.Joints {
			k := pairs.Partner[i]
			if k < 0 || x.Of(j.Name) != Right || hinge(i) || len(b.children[i]) == 0 {
				continue
			}
			a, d := b.aims[k], b.aims[i]
			a.X = -a.X
			if between(a, d) > rollLimit { // the bones themselves differ
				continue
			}
			own := s.AxesOf(i, c)
			image := Joint{Rot: mirrorTurn(s.Joints[k].Rot, s.AxesOf(k, c))}
			if turn := math.Max(between(axisOf(j, own.Aim), axisOf(image, own.Aim)),
				between(axisOf(j, own.Bend), axisOf(image, own.Bend))); turn > 2*rollLimit &&
				!slices.Contains(jump, j.Name) {
				unlike = append(unlike, j.Name)
				worstUnlike = math.Max(worstUnlike, turn)
			}
		}
	}
	twins := partners(s, x, unlike)
	for i, j := range s.Joints {
		if a := math.Abs(off[i]); a > rollLimit && !hinge(i) && !slices.Contains(jump, j.Name) && !slices.Contains(unlike, j.Name) &&
			!slices.Contains(twins, j.Name) {
			wrong = append(wrong, j.Name)
			worstOff = math.Max(worstOff, a)
		}
	}
	degrees := func(what string, worst, limit float64) []finding.Evidence {
		return []finding.Evidence{{What: what, Value: worst * 180 / math.Pi, Limit: limit * 180 / math.Pi, Unit: "°"}}
	}
	if jump != nil {
		out = append(
			out,
			finding.Finding{
				Code:     "roll_jump",
				Severity: finding.Harms,
				Count:    len(jump),
				Title:    wording.Count(len(jump), "joint changes roll abruptly", "joints change roll abruptly"),
				Why:      "The same rotation goes another way there, so a curl of the chain breaks.",
				Evidence: degrees("largest jump of the roll", worstJump, jumpLimit),
				Where:    finding.Where{Joints: jump},
			},
		)
	}
	if unlike != nil {
		out = append(
			out,
			finding.Finding{
				Code:     "axes_unlike_partner",
				Severity: finding.Harms,
				Count:    len(unlike),
				Title: wording.Count(
					len(unlike),
					"joint does not mirror its partner's axes",
					"joints do not mirror their partners' axes",
				),
				Why: "The same rotation left and right is not symmetric, so poses cannot be mirrored.",
				Evidence: degrees(
					"off the partner's mirror image, at most",
					worstUnlike,
					2*rollLimit,
				),
				Where: finding.Where{Joints: unlike},
				Data:  Partners(partners(s, x, unlike)),
			},
		)
	}
	if wrong != nil {
		out = append(
			out,
			finding.Finding{
				Code:     "bend_axis_off",
				Severity: finding.Note,
				Count:    len(wrong),
				Title:    wording.Count(len(wrong), "bend axis differs from the convention", "bend axes differ from the convention"),
				Why:      "They were rolled on purpose, or came from a file. They are consistent along the chain.",
				Evidence: degrees("off the convention's bend axis, at most", worstOff, rollLimit),
				Where:    finding.Where{Joints: wrong},
			},
		)
	}
	out = append(out, s.twistsOff(x)...)
	out = append(out, s.keepsWrong()...)
	out = append(out, b.palms()...)
	return append(out, b.locks(c)...)
}

// goesOn returns the child to which joint i's bone leads, -1 for none.
func (b *body) goesOn(i int) int {
	at := b.s.Joints[i].Pos
	for _, k := range b.children[i] {
		if d := r3.Sub(b.s.Joints[k].Pos, at); r3.Norm(d) > 0 && r3.Dot(r3.Unit(d), b.aims[i]) > 1-1e-9 {
			return k
		}
	}
	return -1
}

// partners returns the partners' names of joints.
func partners(s *Skeleton, x Marks, names []string) []string {
	pairs := s.Pairs(x)
	out := make([]string, 0, len(names))
	for _, n := range names {
		if k := pairs.Partner[s.Index(n)]; k >= 0 {
			out = append(out, s.Joints[k].Name)
		}
	}
	return out
}

func (s *Skeleton) twistsOff(x Marks) []finding.Finding {
	var names []string
	worst := 0.0
	for _, g := range s.TwistSegments(x) {
		if g.Off > twistOffLimit {
			worst = math.Max(worst, g.Off)
			for _, i := range g.Twists {
				names = append(names, s.Joints[i].Name)
			}
		}
	}
	if names == nil {
		return nil
	}
	return []finding.Finding{
		{
			Code:     "twist_off_line",
			Severity: finding.Harms,
			Count:    len(names),
			Title:    wording.Count(len(names), "twist joint is off its bone", "twist joints are off their bones"),
			Why:      "A twist joint beside the line swings the skin around instead of twisting it.",
			Evidence: []finding.Evidence{
				{What: "off the line, over the bone's length", Value: worst, Limit: twistOffLimit},
			},
			Where: finding.Where{Joints: names},
		},
	}
}

// keepsWrong reports joints whose limits shut out the rest pose, and goals that do not stand
// where their limbs end or whose pole tells no side.
func (s *Skeleton) keepsWrong() []finding.Finding {
	var shut, off []string
	far, limit := 0.0, geom.MovedShare*math.Max(s.Height(), s.Size())
	for i, j := range s.Joints {
		c := j.Keeps
		if c == nil {
			continue
		}
		for _, l := range []*[2]float64{c.Bend, c.Side, c.Twist} {
			if l != nil && (l[0] > 0 || l[1] < 0) && !slices.Contains(shut, j.Name) {
				shut = append(shut, j.Name)
			}
		}
		if g := c.Goal; g != nil {
			d := r3.Norm(r3.Sub(g.At, j.Pos))
			from, _ := s.Limb(i, g.Bones)
			on, _ := geom.ClosestOnSegment(g.Pole, s.Joints[from].Pos, j.Pos)
			if d > limit || g.Bones > 1 && r3.Norm(r3.Sub(g.Pole, on)) < limit {
				off = append(off, j.Name)
				far = math.Max(far, d)
			}
		}
	}
	var out []finding.Finding
	if shut != nil {
		out = append(
			out,
			finding.Finding{
				Code:     "limits_shut_out_rest",
				Severity: finding.Harms,
				Count:    len(shut),
				Title:    wording.Count(len(shut), "joint's limits exclude the rest pose", "joints' limits exclude the rest pose"),
				Why:      "Zero is outside their limits, so the character cannot return to rest.",
				Evidence: []finding.Evidence{{What: "joints", Value: float64(len(shut))}},
				Where:    finding.Where{Joints: shut},
			},
		)
	}
	if off != nil {
		out = append(
			out,
			finding.Finding{
				Code:     "goal_off",
				Severity: finding.Harms,
				Count:    len(off),
				Title:    wording.Count(len(off), "IK goal does not fit its limb", "IK goals do not fit their limbs"),
				Why:      "A goal that is not where the limb ends pulls it out of rest, and a pole in line with the limb gives no bend direction.",
				Evidence: []finding.Evidence{
					{What: "goal from the joint, at most", Value: far, Limit: limit, Unit: "m"},
				},
				Where: finding.Where{Joints: off},
			},
		)
	}
	return out
}

// palms reports hands that do not face the ground while the arms are held out, as the bind
// pose of a body is recommended (common practice, no source). Only where fingers tell.
func (b *body) palms() []finding.Finding {
	if b.lying || b.winged {
		return nil
	}
	var names []string
	worst := 0.0
	for i, m := range b.motion {
		d := b.aims[i]
		if m != Wrist || r3.Norm2(d) == 0 || math.Abs(d.Y) > 0.8 || !b.knuckles(i) {
			continue
		}
		down := square(r3.Vec{Y: -1}, d)
		if a := between(b.palm(i), down); a > palmLimit {
			names = append(names, b.s.Joints[i].Name)
			worst = math.Max(worst, a)
		}
	}
	if names == nil {
		return nil
	}
	return []finding.Finding{
		{
			Code:     "palm_not_down",
			Severity: finding.Note,
			Count:    len(names),
			Title:    wording.Count(len(names), "palm does not face the ground", "palms do not face the ground"),
			Why:      "With arms held out a palm that faces down leaves the forearm mid-twist, so the skin twists evenly both ways.",
			Evidence: []finding.Evidence{
				{What: "off the ground's direction, at most", Value: worst * 180 / math.Pi, Limit: palmLimit * 180 / math.Pi, Unit: "°"},
			},
			Where: finding.Where{Joints: names},
		},
	}
}

// knuckles reports whether a hand has fingers beside each other.
func (b *body) knuckles(hand int) bool {
	n := 0
	for _, k := range b.children[hand] {
		if b.motion[k] == Finger {
			n++
		}
	}
	return n > 1
}

// locks reports joints whose order of turns has in its middle an axis about which they
// usually turn to a right angle, where another order is better.
func (b *body) locks(c Convention) []finding.Finding {
	orders := RotationOrders{}
	var names []string
	worst := 0.0
	for i, j := range b.s.Joints {
		r, known := b.ranges(i)
		if !known || len(b.children[i]) == 0 {
			continue
		}
		c := b.s.AxesOf(i, c)
		now := reach(r, c, j.Order)
		if now < lockLimit {
			continue
		}
		best, least := j.Order, now
		for _, o := range Orders {
			if a := reach(r, c, o); a < least {
				best, least = o, a
			}
		}
		if best == j.Order {
			continue
		}
		names = append(names, j.Name)
		orders[j.Name] = best
		worst = math.Max(worst, now)
	}
	if names == nil {
		return nil
	}
	return []finding.Finding{
		{
			Code:     "gimbal_lock",
			Severity: finding.Note,
			Count:    len(names),
			Title: wording.Count(
				len(names),
				"joint reaches gimbal lock in its typical range",
				"joints reach gimbal lock in their typical range",
			),
			Why: fmt.Sprintf(
				"At a right angle about the middle of its three axes the two others turn the same way. Another rotation order for %s avoids it.",
				names[0],
			),
			Evidence: []finding.Evidence{
				{What: "usual turn about the middle axis, at most", Value: worst, Limit: lockLimit, Unit: "°"},
			},
			Where: finding.Where{Joints: names},
			Data:  orders,
		},
	}
}

// reach returns how far a joint usually turns about the middle axis of an order, in degrees.
func reach(r Ranges, c Convention, order string) float64 {
	if order == "" {
		order = "xyz"
	}
	l := r.Side
	switch order[1] {
	case c.Aim[0]:
		l = r.Twist
	case c.Bend[0]:
		l = r.Bend
	}
	return math.Max(math.Abs(l[0]), math.Abs(l[1]))
}
