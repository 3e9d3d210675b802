package fit

import (
	"math"

	"gonum.org/v1/gonum/spatial/r3"
)

// The crown over the narrowest place of the neck, in radii of the head (of the circle
// with the area of its section at the nose). Adults have 2.6 to 2.9: from chin to crown
// 230 mm, length 197 mm and breadth 155 mm of the head (NASA-STD-3000, 50th percentile
// men; values from memory), the neck's narrowest place about 20 mm below the chin. Drawn
// characters have rounder heads.
const (
	crownUsual = 2.6
	crownSure  = 2.95 // beyond it there may be a hat
	crownMost  = 3.3  // beyond it there is one
)

// headAndCrown places neck, head and the end of the head above the shoulders.
func (f *fitter) headAndCrown(shoulder float64, hips r3.Vec) {
	h := f.body
	y, narrow := f.neck(shoulder)
	confidence, reason, headReason := 0.95, "below the narrowest part of the neck", "above the narrowest part of the neck"
	if !narrow {
		confidence, reason = 0.4, "no narrowing found above the shoulders, taken from proportion"
		headReason = reason
	}
	base, skull := math.Max(y-0.022*h, shoulder+0.012*h), y+0.022*h
	if q, ok := f.given["begin neck"]; ok {
		base, confidence, reason = q.Y, 0.95, "where the neck was shown to begin"
	}
	skull = math.Max(skull, base+0.03*h)
	z, ok := f.core(y)
	if !ok {
		z = hips.Z
	}
	neck := r3.Vec{X: f.plane, Y: base, Z: z - 0.003*h}
	f.begin["neck"] = neck
	f.put("neck", neck, confidence, reason)
	headConfidence := confidence
	if math.Min(f.joints["upper_arm_l"].confidence, f.joints["upper_arm_r"].confidence) < 0.3 {
		headConfidence = math.Min(headConfidence, 0.5) // a neck without shoulders may be a hat's
	}
	f.put("head", r3.Vec{X: f.plane, Y: skull, Z: z + 0.003*h}, headConfidence, headReason)

	top := f.floor + f.height
	for ; top > skull; top -= f.vox.Cell / 2 {
		if f.layerAt(top).area > 0 {
			top += f.vox.Cell / 2
			break
		}
	}
	at, sure, why := top, 0.95, "highest point on the centerline"
	switch r := f.headRadius(y); {
	case !narrow || r == 0:
		sure = 0.5
	case top > y+crownMost*r:
		at, sure, why = y+crownUsual*r, 0.7, "ignoring what is above (a hat, hair): the crown is hidden and estimated from the head's width"
	case r > 0.085*h:
		sure, why = 0.75, "highest point on the centerline; it may be hair, since the head is wide for the body"
	case top > y+crownSure*r:
		sure, why = 0.3, "highest point on the centerline; it may be a hat or hair, since the head is tall for its width"
	}
	if q, ok := f.given["head"]; ok {
		at, sure, why = q.Y, 0.95, "where the tip of the head was shown"
	}
	f.put("head_end", r3.Vec{X: f.plane, Y: at, Z: z + 0.003*h}, sure, why)
	f.tips["head"] = r3.Vec{X: f.plane, Y: at, Z: z}
}

// neck returns the height of the narrowest place above the shoulders before the body
// grows wider again, no farther above them than a neck is long, and whether there is
// one. Hats and hair, which are higher, do not count.
func (f *fitter) neck(shoulder float64) (float64, bool) {
	least, at := math.Inf(1), 0.0
	for y := shoulder + 0.012*f.body; y < shoulder+0.25*f.body; y += f.vox.Cell / 2 {
		a := f.layerAt(y).area
		if a == 0 {
			break
		}
		if a < least && y < shoulder+0.14*f.body {
			least, at = a, y
		}
		if a > 1.25*least {
			return at, true
		}
	}
	return shoulder + 0.045*f.body, false
}

// headRadius returns the radius of the head at about its middle: at the first height
// over the neck's narrowest place that is as far above it as the section is wide. Brims
// are higher. It is 0 where the body ends before.
func (f *fitter) headRadius(neck float64) float64 {
	for y := neck + f.vox.Cell; y < f.floor+f.height; y += f.vox.Cell / 2 {
		r := math.Sqrt(f.layerAt(y).area / math.Pi)
		if r == 0 {
			return 0
		}
		if y-neck >= r {
			return r
		}
	}
	return 0
}

// core returns Z of the middle of the thick part of a level slice around the middle:
// its cubes count by their depth cubed, so that plaits, collars and cloaks weigh little.
func (f *fitter) core(y float64) (z float64, ok bool) {
	v := f.vox
	iy := max(0, min(v.NY-1, int(math.Round((y-v.Origin.Y)/v.Cell))))
	in := func(x, z int) bool { return x >= 0 && z >= 0 && x < v.NX && z < v.NZ && v.Inside[v.Index(x, iy, z)] }
	ix := max(0, min(v.NX-1, int(math.Round((f.plane-v.Origin.X)/v.Cell))))
	var sum, weight float64
	for iz := range v.NZ {
		if !in(ix, iz) {
			continue
		}
		// The largest square around the cube that is inside stands for its depth.
		depth := 1
		for grows := true; grows && depth < 40; depth++ {
			for k := -depth; k <= depth && grows; k++ {
				grows = in(ix+k, iz-depth) && in(ix+k, iz+depth) && in(ix-depth, iz+k) && in(ix+depth, iz+k)
			}
		}
		w := math.Pow(float64(depth), 3)
		sum += w * v.Centre(v.Index(ix, iy, iz)).Z
		weight += w
	}
	if weight == 0 {
		return 0, false
	}
	return sum / weight, true
}
