package fit

import (
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// legs places hip, knee, ankle and toe joints from the level slices.
func (f *fitter) legs() {
	h := f.body
	hip, confidence, reason := f.hipHeight()
	for s := range 2 {
		x := suffix(s)
		foot := f.footTop(s)
		ankleY := f.floor + math.Max(0.9*skeleton.AnkleHeight*h, math.Min(0.075*h, foot))
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
		knees, where := 0.95, "at the usual proportion of the leg, centered in the cross-section"
		if !f.parted() {
			knees, where = 0.7, "at the usual proportion of the leg, which is covered"
		}
		f.put("shank"+x, knee, knees, where)
		f.put("foot"+x, ankle, 0.95, "above the instep, centered in the shin")
		f.toes(s, ankle)
	}
}

// hipHeight returns the height of the hip joints above the floor. Three signs tell it,
// each by the shares in Drillis & Contini: the shoulders' height (.530 of .818), which
// misleads on short legs; the arms' length below the shoulders (.288 to .440), which
// misleads on short or hidden arms; the place where the legs part (from memory near
// .472 H), which thick thighs and cloth lower. Where they differ the middle one counts.
func (f *fitter) hipHeight() (hip, confidence float64, reason string) {
	h := f.body
	left, right := f.joints["upper_arm_l"], f.joints["upper_arm_r"]
	if left.confidence <= 0.3 { // one arm tells too
		left = right
	} else if right.confidence <= 0.3 {
		right = left
	}
	shoulder := (left.at.Y+right.at.Y)/2 - f.floor
	byShoulder := skeleton.HipHeight / skeleton.ShoulderHeight * shoulder
	byArm := shoulder - (skeleton.ShoulderHeight-skeleton.HipHeight)/(skeleton.UpperArm+skeleton.Forearm+skeleton.Hand)*f.armLength
	byCrotch := f.crotch * (skeleton.HipHeight / 0.472)
	arms := math.Min(left.confidence, right.confidence) > 0.3 && f.armLength > 0
	parted := f.parted()
	switch {
	case arms && parted:
		signs := []float64{byShoulder, byArm, byCrotch}
		slices.Sort(signs)
		hip, confidence, reason = signs[1], 0.5, "average of shoulders, arm length and crotch, which disagree"
		if math.Abs(byArm-byShoulder) < 0.04*h && byCrotch < byShoulder+0.04*h {
			hip, confidence, reason = byShoulder, 0.95, "at the usual proportion of the shoulders' height; the arms' length agrees"
		}
		if f.armCount == 1 {
			confidence = math.Min(confidence, 0.7)
		}
	case parted:
		hip, confidence, reason = byCrotch, 0.5, "above the crotch"
	case arms:
		hip, confidence, reason = (byShoulder+byArm)/2, 0.75*float64(f.armCount)/2, "legs are covered (height estimated from shoulders and arm length)"
	default:
		hip, confidence, reason = skeleton.HipHeight*h, 0.3, "legs and arms are hidden (height estimated from proportions)"
	}
	if f.crotch > 0 && f.crotch < highCrotch*h && !parted {
		f.notes = append(
			f.notes,
			fmt.Sprintf("the legs part at %.0f%% of the height, too low for a crotch; probably a skirt or coat", 100*f.crotch/h),
		)
	}
	if parted {
		hip = math.Max(hip, 1.06*f.crotch)
	}
	return hip, confidence, reason
}

// highCrotch is how high, as a share of the body, legs part at the most.
const highCrotch = 0.6

// parted reports whether the legs part where they do on a body, rather than under a hem.
func (f *fitter) parted() bool { return f.crotch > 0.25*f.body && f.crotch < highCrotch*f.body }

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
	h := f.body
	var shin []float64
	for t := 0.11; t < 0.18; t += f.vox.Cell / h {
		if a := f.layerAt(f.floor + t*h).side[s].area; a > 0 {
			shin = append(shin, a)
		}
	}
	if len(shin) == 0 {
		return 0.05 * h
	}
	slices.Sort(shin)
	usual := shin[len(shin)/2]
	for t := 0.11; t > 0.01; t -= f.vox.Cell / h / 2 {
		if f.layerAt(f.floor + t*h).side[s].area > 1.5*usual {
			return t * h
		}
	}
	return 0.05 * h
}

// heelMost is how far a heel reaches behind the ankle, as a share of the height: more than any does.
const heelMost = 0.075

func (f *fitter) toes(s int, ankle r3.Vec) {
	h, v := f.body, f.vox
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
	back = math.Max(back, ankle.Z-heelMost*h) // what goes on behind is a train
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
	f.put("toe"+x, r3.Vec{X: ball.X, Y: ball.Y, Z: ballZ}, 0.95, "at seven tenths of the foot")
	f.put("toe_end"+x, r3.Vec{X: tip.X, Y: ball.Y, Z: front - 0.04*length}, 0.95, "foremost place of the foot")
	f.tips["foot"+x] = tip
	if q, ok := f.given["foot"+x]; ok {
		f.put("toe_end"+x, r3.Vec{X: q.X, Y: ball.Y, Z: q.Z}, 0.95, "where the tip of the foot was shown")
		f.tips["foot"+x] = q
	}
}
