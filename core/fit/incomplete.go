package fit

import (
	"fmt"
	"math"

	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// halfShare is the share of a body's outline, seen from a side, behind which it ends on one plane: the cut of a half.
	// Of whole bodies it is a tenth.
	halfShare = 0.5
	// How long an arm is, and how wide apart the shoulders are, at the most in a body that goes down to its feet, as shares
	// of its height (.440 and .259 in Drillis & Contini); and how long both arms and head are together (.130 from the chin
	// to the crown, .182 from the shoulders).
	armsMost      = 0.62
	shouldersMost = 0.42
	armsLarge     = 0.52
	headLarge     = 0.27
)

// half reports whether the body is one half of one, cut from head to foot: seen from one side, most of it ends on one plane.
func (f *fitter) half() bool {
	v := f.vox
	type end struct{ first, last int }
	for _, across := range [2]bool{true, false} { // X, then Z
		n := v.NZ
		if !across {
			n = v.NX
		}
		ends := make([]end, v.NY*n)
		for k := range ends {
			ends[k] = end{math.MaxInt, -1}
		}
		low, high := math.MaxInt, -1
		for i, in := range v.Inside {
			if !in {
				continue
			}
			x, y, z := v.Coords(i)
			at, k := x, y*n+z
			if !across {
				at, k = z, y*n+x
			}
			ends[k] = end{min(ends[k].first, at), max(ends[k].last, at)}
			low, high = min(low, at), max(high, at)
		}
		outline, atLow, atHigh := 0, 0, 0
		for _, e := range ends {
			if e.last < 0 {
				continue
			}
			outline++
			if e.first <= low+1 {
				atLow++
			}
			if e.last >= high-1 {
				atHigh++
			}
		}
		// A body that is thin everywhere ends on both sides there.
		if high-low > 8 && float64(max(atLow, atHigh)) > halfShare*float64(outline) && float64(min(atLow, atHigh)) < 0.3*float64(outline) {
			return true
		}
	}
	return false
}

// incomplete reports what a body lacks that a biped has, once arms and legs were read. Where a person has shown the tips,
// nothing is doubted.
func (f *fitter) incomplete() error {
	if f.shownArm(0) || f.shownArm(1) {
		return nil
	}
	if _, ok := f.given["head"]; ok {
		return nil
	}
	if f.half() {
		return fmt.Errorf("this is one half of a body, cut from head to foot: mirror the mesh where it was modeled, and bring in the whole body")
	}
	if f.high[0] && f.high[1] {
		return fmt.Errorf(
			"no head was found: the shoulders are at the top of the body. Bring in the body with its head, or mark the tips of head and hands and fit again",
		)
	}
	if f.crotch > highCrotch*f.body && f.armCount == 0 {
		return errNoTorso
	}
	left, right := f.joints["upper_arm_l"], f.joints["upper_arm_r"]
	if f.crotch > 0 || f.armCount < 2 || math.Min(left.confidence, right.confidence) < 0.3 {
		return nil
	}
	apart := r3.Norm(r3.Sub(left.at, right.at))
	head := f.joints["head_end"].at.Y - f.joints["neck"].at.Y
	large := f.armLength > armsLarge*f.height && head > headLarge*f.height
	if f.armLength < armsMost*f.height && apart < shouldersMost*f.height && !large {
		return nil
	}
	return fmt.Errorf(
		"no legs were found: with arms of %s a body is taller than %s, and this one does not part below. Bring in the whole body, or place the joints by hand",
		wording.Length(f.armLength), wording.Length(f.height),
	)
}

// doubtMatch is the share of cubes with a mirror image from which on a missing arm is just that.
const doubtMatch = 0.85

// doubtAll lowers what is known of a body that is no mirror image of itself where an arm was not found either: it may be in
// a pose that was not read, and nothing says then what is left and what is front.
func (f *fitter) doubtAll() {
	if f.match >= doubtMatch || f.armCount == 2 {
		return
	}
	for name, p := range f.joints {
		if p.confidence > 0.5 {
			f.put(name, p.at, 0.5*p.confidence, p.reason+"; the sides differ and an arm was not found")
		}
	}
}

// hiddenFeet makes guesses of feet that are not seen: the body goes down to the floor as one, as in a robe.
func (f *fitter) hiddenFeet() {
	if f.crotch > 0 {
		return
	}
	for s := range 2 {
		x := suffix(s)
		if _, ok := f.given["foot"+x]; ok {
			continue
		}
		for _, joint := range []string{"foot", "toe", "toe_end"} {
			if p := f.joints[joint+x]; p.confidence > 0.4 {
				f.put(joint+x, p.at, 0.4, p.reason+", but the feet are hidden")
			}
		}
	}
}
