package fit

import (
	"fmt"
	"math"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/spatial/r3"
)

// deepStand is how deep, the narrower of both ways, a standing body may be over its height:
// a coat, a pack and feet make less than half of it, legs stretched forward more.
const deepStand = 0.7

// posedTips are the tips that a person shows for a body that does not stand.
var posedTips = []string{"head", "hand_l", "hand_r", "foot_l", "foot_r"}

// posed reports whether all tips are shown that a body in any posture is fitted between.
func (s Shown) posed() bool {
	for _, name := range posedTips {
		if _, ok := s.Places[name]; !ok {
			return false
		}
	}
	return true
}

// stance reports what a body does when it does not stand upright, "" when it does.
func (f *fitter) stance() string {
	box := geom.EmptyBox()
	for _, c := range f.vox.Filled() {
		box = box.Add(c)
	}
	size := box.Size()
	long, up := math.Max(size.X, size.Z), size.Y
	switch {
	case long > 2*up:
		return fmt.Sprintf("is %s high and %s long: it is lying down, or Y is not up", wording.Length(up), wording.Length(long))
	case math.Min(size.X, size.Z) > deepStand*up:
		return fmt.Sprintf(
			"is %s high and %s deep: it sits, kneels or bends over",
			wording.Length(up),
			wording.Length(math.Min(size.X, size.Z)),
		)
	}
	return ""
}

// notStanding is the error that asks for the tips of a body that does not stand, and says
// which are there already.
func (f *fitter) notStanding(stance string) error {
	var missing []string
	for _, name := range posedTips {
		if _, ok := f.given[name]; !ok {
			missing = append(missing, name)
		}
	}
	return fmt.Errorf(
		"this body %s. The fit of a biped reads standing bodies; turn it upright at Intake, or mark its tips and fit again (missing: %s)",
		stance,
		strings.Join(missing, ", "),
	)
}

// betweenShown places the landmarks of a body in any posture between the five tips that a person
// has shown: limbs along their middle lines to the trunk, the rest by proportion.
func (f *fitter) betweenShown() {
	f.body = f.height
	at := map[string]int{}
	for _, name := range posedTips {
		at[name] = f.nearestInside(f.given[name])
		f.tips[name] = f.vox.Centre(at[name])
	}
	// The body's own length: from the head's tip along the inside to the feet.
	fromHead := f.vox.Distances([]int{at["head"]})
	if d := (fromHead[at["foot_l"]] + fromHead[at["foot_r"]]) / 2; !math.IsInf(d, 1) {
		f.body = d / 1.1 // the foot counts too
	}
	const reason = "along the middle line from the tip that was shown"
	line := func(tip int, length, factor float64) limb {
		l, ok := f.read(tip, length, factor, nil)
		if !ok {
			p := f.vox.Centre(tip)
			return limb{line: []station{{at: p}, {at: p}}, join: 1}
		}
		return l
	}
	// into is the root of a limb, beyond where it joins the trunk by its thickness.
	into := func(l limb) r3.Vec {
		end := l.line[l.join].at
		d := r3.Sub(end, l.at(0.75*l.line[l.join].arc))
		if r3.Norm(d) == 0 {
			return end
		}
		return r3.Add(end, r3.Scale(0.8*math.Sqrt(l.thin/math.Pi), r3.Unit(d)))
	}
	hinge := func(l limb, share float64) r3.Vec {
		length := l.line[l.join].arc
		if arc, off := l.bend((share-0.18)*length, (share+0.18)*length, r3.Vec{}); off > 0.05 {
			return l.at(arc)
		}
		return l.at(share * length)
	}
	var hips, shoulders r3.Vec
	for s := range 2 {
		x := suffix(s)
		arm := line(at["hand"+x], 0.44*f.body, 2.1)
		const whole = skeleton.UpperArm + skeleton.Forearm + skeleton.Hand
		shoulder := into(arm)
		f.begin["arm"+x] = arm.line[arm.join].at
		f.put("upper_arm"+x, shoulder, 0.5, reason)
		f.put("forearm"+x, hinge(arm, (skeleton.Forearm+skeleton.Hand)/whole), 0.5, reason)
		f.put("hand"+x, arm.at(skeleton.Hand/whole*arm.line[arm.join].arc), 0.5, reason)
		f.put("hand_end"+x, f.tips["hand"+x], 0.95, "at the hand tip you marked")
		leg := line(at["foot"+x], 0.62*f.body, 4)
		// From the toes: a foot, then the leg.
		total := 0.12 + skeleton.HipHeight
		length := leg.line[leg.join].arc
		// The last sections hold both thighs: the root lies on from those before.
		hip, d := leg.at(0.78*length), r3.Sub(leg.at(0.78*length), leg.at(0.55*length))
		if r3.Norm(d) > 0 {
			hip = r3.Add(hip, r3.Scale(0.22*length/r3.Norm(d), d))
		}
		f.put("thigh"+x, hip, 0.4, reason)
		f.put("shank"+x, hinge(leg, (0.12+skeleton.KneeHeight)/total), 0.5, reason)
		f.put("foot"+x, leg.at(0.14/total*length), 0.4, reason)
		f.put("toe"+x, leg.at(0.05/total*length), 0.4, reason)
		f.put("toe_end"+x, f.tips["foot"+x], 0.95, "where the tip of the foot was shown")
		hips, shoulders = r3.Add(hips, r3.Scale(0.5, hip)), r3.Add(shoulders, r3.Scale(0.5, shoulder))
	}
	up := r3.Sub(shoulders, hips)
	if r3.Norm(up) > 0 {
		hips = r3.Add(hips, r3.Scale(0.02*f.body/r3.Norm(up), up))
	}
	f.put("hips", hips, 0.4, "between the hip joints")
	head := f.tips["head"]
	neck := r3.Add(shoulders, r3.Scale(0.12, r3.Sub(head, shoulders)))
	between := "at the usual proportion between what you marked and what was found"
	f.put("neck", neck, 0.4, between)
	f.put("head", r3.Add(shoulders, r3.Scale(0.35, r3.Sub(head, shoulders))), 0.4, between)
	f.put("head_end", head, 0.95, "where the tip of the head was shown")
	f.begin["neck"] = neck
	for i, name := range []string{"spine_1", "spine_2", "spine_3"} {
		f.put(name, r3.Add(hips, r3.Scale([3]float64{0.22, 0.45, 0.70}[i], r3.Sub(neck, hips))), 0.4, between)
	}
	for s := range 2 {
		arm := f.joints["upper_arm"+suffix(s)].at
		f.put("clavicle"+suffix(s), r3.Add(neck, r3.Scale(0.2, r3.Sub(arm, neck))), 0.4, between)
	}
	f.notes = append(f.notes, "not standing: everything is placed between the marked tips and is uncertain")
}
