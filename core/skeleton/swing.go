package skeleton

import (
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// SwingLimit is how far, in radians, the plane in which a hinge folds may be off the one
// that is expected of it.
const SwingLimit = 10 * math.Pi / 180

// swings are the turns about the bend axis that a hinge is tried with.
var swings = []float64{30 * math.Pi / 180, 60 * math.Pi / 180}

// Swing is what a joint does when it is turned about its bend axis.
type Swing struct {
	Joint   int
	Motion  Motion
	Closes  bool    // a positive turn folds it: its end goes where flexion takes it
	Off     float64 // radians between the plane in which it folds and the expected one
	Uneven  float64 // radians between its fold and the mirror image of its partner's; 0 without one
	Through bool    // its bone swings into the body or another limb
}

// TrySwings turns each hinge of known motion by 30° and 60° about its bend axis and measures
// what that does. solid is the mesh's tree, or nil to leave out what it swings into.
func (s *Skeleton) TrySwings(solid *geom.Tree, c Convention, x Marks) []Swing {
	b := s.body(x)
	pairs := s.Pairs(x)
	var out []Swing
	for i, j := range s.Joints {
		want, known := b.flexes(i)
		if !known || !b.motion[i].Hinge() {
			continue
		}
		axis := axisOf(j, s.AxesOf(i, c).Bend)
		w := Swing{Joint: i, Motion: b.motion[i], Closes: true}
		d := b.aims[i]
		for _, turn := range swings {
			to, should := geom.Rotate(geom.AxisAngle(axis, turn), d), geom.Rotate(geom.AxisAngle(want, turn), d)
			went, ought := r3.Sub(to, d), r3.Sub(should, d)
			w.Closes = w.Closes && r3.Dot(went, ought) > 0
			w.Off = math.Max(w.Off, between(r3.Cross(d, to), r3.Cross(d, should)))
		}
		if s.AxesOf(i, c).from(b.motion[i]) == "world" && !w.Closes { // one sense for all was asked for
			w.Closes, w.Off = true, math.Pi-w.Off
		}
		if k := pairs.Partner[i]; k >= 0 {
			other := axisOf(s.Joints[k], s.AxesOf(k, c).Bend)
			mirrored := r3.Vec{X: other.X, Y: -other.Y, Z: -other.Z} // an axis turns against its mirror image
			image := b.aims[k]
			image.X = -image.X
			w.Uneven = math.Max(0, between(axis, mirrored)-between(b.aims[i], image)) // beyond what the bones differ by
		}
		if solid != nil {
			w.Through = s.swingsInto(solid, i, axis)
		}
		out = append(out, w)
	}
	return out
}

// between returns the angle between two directions, 0 where one has none.
func between(a, b r3.Vec) float64 {
	return math.Atan2(r3.Norm(r3.Cross(a, b)), r3.Dot(a, b))
}

// swingsInto reports whether the far half of joint i's bone, turned by 60°, lies within the
// mesh as it rests, away from where the limb itself was.
func (s *Skeleton) swingsInto(solid *geom.Tree, i int, axis r3.Vec) bool {
	at := s.Joints[i].Pos
	turn := geom.AxisAngle(axis, swings[1])
	branch := s.Branch(i)
	for _, k := range s.Children()[i] {
		bone := r3.Sub(s.Joints[k].Pos, at)
		for _, share := range []float64{0.6, 0.8, 1} {
			p := r3.Add(at, geom.Rotate(turn, r3.Scale(share, bone)))
			if math.Abs(solid.Winding(p)) > 0.5 && !s.within(p, branch, 0.25*r3.Norm(bone)) {
				return true
			}
		}
	}
	return false
}

// within reports whether a place is near a bone of a branch at rest.
func (s *Skeleton) within(p r3.Vec, branch []int, reach float64) bool {
	for _, i := range branch {
		if q := s.Joints[i].Parent; q >= 0 && slices.Contains(branch, q) {
			on, _ := geom.ClosestOnSegment(p, s.Joints[q].Pos, s.Joints[i].Pos)
			if r3.Norm(r3.Sub(p, on)) < reach {
				return true
			}
		}
	}
	return false
}

// CheckSwing tells of hinges that bend the wrong way, sideways, unlike their partners or
// into the body. It is for axes that were set.
func (s *Skeleton) CheckSwing(solid *geom.Tree, c Convention, x Marks) []finding.Finding {
	back := finding.Finding{Code: "bends_backward", Severity: finding.Harms,
		Why: "Positive rotation opens it instead of folding it, so poses and retargeted motions would bend it backward."}
	side := finding.Finding{Code: "bends_sideways", Severity: finding.Harms,
		Why: "At 30° and 60° it leaves its folding plane, so the limb swings sideways as it bends."}
	uneven := finding.Finding{Code: "bends_unlike_partner", Severity: finding.Harms,
		Why: "The same turn left and right does not look like a mirror image."}
	into := finding.Finding{Code: "bends_into_body", Severity: finding.Note,
		Why: "At 60° about its bend axis its bone is inside the body or another limb. The character may be built that way; check it."}
	var worstBack, worstSide, worstUneven float64
	put := func(f *finding.Finding, i int) {
		f.Count++
		f.Where.Joints = append(f.Where.Joints, s.Joints[i].Name)
	}
	all, wrong, pairs := s.TrySwings(solid, c, x), map[int]bool{}, s.Pairs(x)
	for _, w := range all {
		wrong[w.Joint] = !w.Closes || w.Off > SwingLimit
	}
	for _, w := range all {
		switch {
		case !w.Closes:
			put(&back, w.Joint)
			worstBack = math.Max(worstBack, w.Off)
		case w.Off > SwingLimit:
			put(&side, w.Joint)
			worstSide = math.Max(worstSide, w.Off)
		case w.Uneven > SwingLimit && !wrong[pairs.Partner[w.Joint]] && s.turned(x) <= turnedLimit:
			put(&uneven, w.Joint)
			worstUneven = math.Max(worstUneven, w.Uneven)
		}
		if w.Through {
			put(&into, w.Joint)
		}
	}
	degrees := func(what string, worst, limit float64) []finding.Evidence {
		return []finding.Evidence{{What: what, Value: worst * 180 / math.Pi, Limit: limit * 180 / math.Pi, Unit: "°"}}
	}
	var out []finding.Finding
	add := func(f finding.Finding, one, many string, evidence []finding.Evidence) {
		if f.Count == 0 {
			return
		}
		f.Title, f.Evidence = wording.Count(f.Count, one, many), evidence
		out = append(out, f)
	}
	add(back, "joint bends backward", "joints bend backward", degrees("largest error in bend direction", worstBack, SwingLimit))
	add(side, "joint bends sideways", "joints bend sideways", degrees("off the plane in which it folds, at most", worstSide, SwingLimit))
	add(
		uneven,
		"joint bends unlike its partner",
		"joints bend unlike their partners",
		degrees("off the partner's mirror image, at most", worstUneven, SwingLimit),
	)
	add(
		into,
		"joint bends into the body",
		"joints bend into the body",
		[]finding.Evidence{{What: "tested at", Value: swings[1] * 180 / math.Pi, Unit: "°"}},
	)
	return out
}

// Rolled returns the skeleton with the axes of some joints turned about their aim axes. No joint
// moves.
func (s *Skeleton) Rolled(which []int, c Convention, degrees float64) *Skeleton {
	out := s.Clone()
	for _, i := range which {
		var unit [3]float64
		unit[s.AxesOf(i, c).Aim[0]-'x'] = 1
		out.Joints[i].Rot = geom.Normalise(quat.Mul(out.Joints[i].Rot, geom.AxisAngle(vec(unit), degrees*math.Pi/180)))
	}
	return out
}

// String says what a swing showed.
func (w Swing) String() string {
	return fmt.Sprintf(
		"%s: closes %t, %.1f° off, %.1f° unlike its partner, into the body %t",
		w.Motion,
		w.Closes,
		w.Off*180/math.Pi,
		w.Uneven*180/math.Pi,
		w.Through,
	)
}
