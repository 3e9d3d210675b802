package demo

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Figure holds the measures of a two-legged character, as shares of Height.
type Figure struct {
	Height   float64 // metres, crown of the head without a hat
	Shoulder float64 // height of the shoulder joints
	Neck     float64 // height of the base of the neck
	Skull    float64 // height of the top of the neck
	Across   float64 // half the distance between the shoulder joints
	Hip      float64 // height of the hip joints
	HipHalf  float64
	Knee     float64
	Ankle    float64
	Arms     float64 // degrees below level
	Elbow    float64 // degrees bent forward
	Stout    float64 // 1 is slender; scales trunk and limbs
	Foot     float64 // ankle to toe tip
	HatTop   float64 // height of the highest point, 1 without a hat
}

// bones returns the true skeleton of the figure, in metres.
func (f Figure) bones() *skeleton.Skeleton {
	s := skeleton.Biped(1).Clone()
	put := func(name string, x, y, z float64) {
		at := r3.Scale(f.Height, r3.Vec{X: x, Y: y, Z: z})
		i := s.Index(name)
		s.Joints[i].Pos = at
		if p := s.PartnerOf(i, skeleton.DefaultMarks); p >= 0 {
			s.Joints[p].Pos = skeleton.Mirrored(at, 0)
		}
	}
	hips := f.Hip + 0.02
	put("hips", 0, hips, 0)
	for i, name := range []string{"spine_1", "spine_2", "spine_3"} {
		t := [3]float64{0.22, 0.45, 0.70}[i]
		put(name, 0, hips+t*(f.Neck-hips), 0.006*math.Sin(math.Pi*t))
	}
	put("neck", 0, f.Neck, 0)
	put("head", 0, f.Skull, 0.006)
	put("head_end", 0, 1, 0.006) // the skull's, not the hat's
	put("clavicle_l", 0.022, f.Shoulder-0.006, 0.008)
	put("upper_arm_l", f.Across, f.Shoulder, 0)
	sin, cos := math.Sincos(f.Arms * math.Pi / 180)
	down := r3.Vec{X: cos, Y: -sin}
	elbow := r3.Add(r3.Vec{X: f.Across, Y: f.Shoulder}, r3.Scale(0.178, down))
	turn := geom.AxisAngle(r3.Cross(down, r3.Vec{Z: 1}), f.Elbow*math.Pi/180)
	lower := geom.Rotate(turn, down)
	wrist := r3.Add(elbow, r3.Scale(0.146, lower))
	tip := r3.Add(wrist, r3.Scale(0.118, lower))
	put("forearm_l", elbow.X, elbow.Y, elbow.Z)
	put("hand_l", wrist.X, wrist.Y, wrist.Z)
	put("hand_end_l", tip.X, tip.Y, tip.Z)
	put("thigh_l", f.HipHalf, f.Hip, 0)
	put("shank_l", f.HipHalf*1.06, f.Knee, 0.008)
	put("foot_l", f.HipHalf*1.1, f.Ankle, -0.008)
	put("toe_l", f.HipHalf*1.2, 0.016, f.Foot*0.68)
	put("toe_end_l", f.HipHalf*1.25, 0.014, f.Foot)
	return s
}

// body is a solid under construction around a skeleton.
type body struct {
	solid
	f Figure
	s *skeleton.Skeleton
}

func (b *body) h(share float64) float64 { return share * b.f.Height }

func (b *body) v(x, y, z float64) r3.Vec { return r3.Scale(b.f.Height, r3.Vec{X: x, Y: y, Z: z}) }

func (b *body) joint(name string) r3.Vec { return b.s.Joints[b.s.Index(name)].Pos }

// pair adds a primitive made from left joints and the same from the right ones.
func (b *body) pair(make func(side string, x float64) prim) {
	b.add(make("_l", 1))
	b.add(make("_r", -1))
}

// along returns the point at share t between two joints.
func (b *body) along(from, to string, t float64) r3.Vec {
	p, q := b.joint(from), b.joint(to)
	return r3.Add(p, r3.Scale(t, r3.Sub(q, p)))
}

// trunk adds pelvis, belly, chest, shoulders and neck.
func (b *body) trunk(part, neck int32) {
	w := b.f.Stout
	b.add(ball(part, b.v(0, b.f.Hip+0.02, -0.004), b.v(0.083*w, 0.062, 0.064*w), geom.Identity, 0))
	b.add(cone(part, b.v(0, b.f.Hip+0.05, 0), b.v(0, b.f.Shoulder-0.09, 0), b.h(0.066*w), b.h(0.07*w), b.h(0.05)))
	b.add(ball(part, b.v(0, b.f.Shoulder-0.075, 0.004), b.v(0.088*w, 0.088, 0.062*w), geom.Identity, b.h(0.05)))
	b.pair(func(_ string, x float64) prim {
		return cone(
			part,
			b.v(x*0.018, b.f.Neck-0.012, -0.006),
			b.v(x*b.f.Across*0.96, b.f.Shoulder-0.006, -0.002),
			b.h(0.032),
			b.h(0.031*math.Sqrt(w)),
			b.h(0.035),
		)
	})
	b.add(cone(neck, b.v(0, b.f.Neck-0.02, -0.004), b.v(0, b.f.Skull+0.02, 0.004), b.h(0.034), b.h(0.03), b.h(0.022)))
}

// arms adds sleeves and hands with three fingers and a thumb, palms facing in
// and down.
func (b *body) arms(sleeve, skin int32) {
	w := math.Sqrt(b.f.Stout)
	b.pair(func(s string, _ float64) prim {
		return cone(sleeve, b.joint("upper_arm"+s), b.joint("forearm"+s), b.h(0.033*w), b.h(0.028*w), b.h(0.03))
	})
	b.pair(func(s string, _ float64) prim {
		return cone(sleeve, b.joint("forearm"+s), b.along("forearm"+s, "hand"+s, 0.8), b.h(0.029*w), b.h(0.0235*w), b.h(0.01))
	})
	b.pair(func(s string, _ float64) prim { // the cuff
		d := r3.Unit(r3.Sub(b.joint("hand"+s), b.joint("forearm"+s)))
		return ring(
			sleeve,
			b.along("forearm"+s, "hand"+s, 0.8),
			b.h(0.021*w),
			b.h(0.021*w),
			b.h(0.0075),
			geom.Between(r3.Vec{Y: 1}, d),
			b.h(0.006),
		)
	})
	b.pair(func(s string, _ float64) prim {
		return cone(skin, b.along("forearm"+s, "hand"+s, 0.75), b.along("hand"+s, "hand_end"+s, 0.1), b.h(0.02), b.h(0.0175), b.h(0.012))
	})
	for _, side := range []string{"_l", "_r"} {
		d := r3.Unit(r3.Sub(b.joint("hand"+side), b.joint("forearm"+side)))
		fore := square(r3.Vec{Z: 1}, d)
		back := r3.Cross(d, fore)
		if back.Y < 0 {
			back = r3.Scale(-1, back)
		}
		turn := geom.FromAxes(d, back, r3.Cross(d, back))
		b.add(
			slab(
				skin,
				b.along("hand"+side, "hand_end"+side, 0.32),
				r3.Vec{X: b.h(0.034), Y: b.h(0.0145), Z: b.h(0.036)},
				turn,
				b.h(0.014),
				b.h(0.014),
			),
		)
		for i := range 3 {
			across := (float64(i) - 1) * 0.0265
			spread := r3.Unit(r3.Add(d, r3.Scale((float64(i)-1)*0.13, fore)))
			root := r3.Add(b.along("hand"+side, "hand_end"+side, 0.52), r3.Scale(b.h(across), fore))
			length := [3]float64{0.047, 0.055, 0.05}[i]
			bend := r3.Unit(r3.Add(spread, r3.Scale(-0.12, back)))
			b.add(cone(skin, root, r3.Add(root, r3.Scale(b.h(length), bend)), b.h(0.0118), b.h(0.0098), b.h(0.006)))
		}
		thumb := r3.Add(b.along("hand"+side, "hand_end"+side, 0.14), r3.Scale(b.h(0.022), fore))
		b.add(
			cone(
				skin,
				thumb,
				r3.Add(thumb, r3.Scale(b.h(0.058), r3.Unit(r3.Add(d, r3.Add(r3.Scale(1.1, fore), r3.Scale(-0.2, back)))))),
				b.h(0.0125),
				b.h(0.0098),
				b.h(0.009),
			),
		)
	}
}

func square(v, d r3.Vec) r3.Vec { return r3.Unit(r3.Sub(v, r3.Scale(r3.Dot(v, d), d))) }

// legs adds trousers and knee boots.
func (b *body) legs(cloth, boots int32) {
	w := math.Sqrt(b.f.Stout)
	b.thighs(cloth)
	b.pair(func(s string, _ float64) prim {
		return cone(cloth, b.along("shank"+s, "foot"+s, 0.3), b.joint("foot"+s), b.h(0.034*w), b.h(0.026*w), b.h(0.012))
	})
	b.pair(func(s string, _ float64) prim { // the calf
		p := r3.Add(b.along("shank"+s, "foot"+s, 0.32), r3.Vec{Z: -b.h(0.012)})
		return ball(cloth, p, b.v(0.031*w, 0.06, 0.032*w), geom.Identity, b.h(0.02))
	})
	b.boots(boots)
}

// thighs adds trousers down to the boots' tops.
func (b *body) thighs(cloth int32) {
	w := math.Sqrt(b.f.Stout)
	b.pair(func(s string, _ float64) prim {
		return cone(cloth, b.joint("thigh"+s), b.joint("shank"+s), b.h(0.056*w), b.h(0.038*w), b.h(0.02))
	})
	b.pair(func(s string, _ float64) prim {
		return cone(cloth, b.joint("shank"+s), b.along("shank"+s, "foot"+s, 0.3), b.h(0.037*w), b.h(0.034*w), b.h(0.012))
	})
}

func (b *body) boots(part int32) {
	w := math.Pow(b.f.Stout, 0.7)
	b.pair(func(s string, _ float64) prim {
		return cone(part, b.along("shank"+s, "foot"+s, 0.3), b.joint("foot"+s), b.h(0.043*w), b.h(0.031*w), b.h(0.006))
	})
	b.pair(func(s string, _ float64) prim {
		return ring(part, b.along("shank"+s, "foot"+s, 0.2), b.h(0.038*w), b.h(0.04*w), b.h(0.0095), geom.Identity, b.h(0.008))
	})
	b.pair(func(s string, _ float64) prim {
		return cone(
			part,
			r3.Add(b.joint("foot"+s), b.v(0, -b.f.Ankle+0.031, -0.012)),
			r3.Add(b.joint("toe"+s), b.v(0, 0.012, 0)),
			b.h(0.031),
			b.h(0.028),
			b.h(0.02),
		)
	})
	b.pair(func(s string, _ float64) prim {
		return ball(
			part,
			r3.Add(b.along("toe"+s, "toe_end"+s, 0.15), b.v(0, 0.006, 0)),
			b.v(0.031, 0.021, 0.042),
			geom.Identity,
			b.h(0.015),
		)
	})
	b.pair(func(s string, x float64) prim { // the sole
		p := b.along("foot"+s, "toe_end"+s, 0.42)
		p.Y = b.h(0.007)
		return slab(part, p, b.v(0.03, 0.0075, b.f.Foot*0.5+0.028), geom.AxisAngle(r3.Vec{Y: 1}, x*0.09), b.h(0.006), b.h(0.006))
	})
}

// head adds skull, jaw, nose, ears and eyes. wide scales the cheeks.
func (b *body) head(skin, eye int32, wide float64) {
	y := func(t float64) float64 { return b.f.Skull + t*(1-b.f.Skull) }
	b.add(ball(skin, b.v(0, y(0.52), 0.008), b.v(0.062*wide, (1-b.f.Skull)*0.48, 0.071), geom.Identity, b.h(0.015)))
	b.add(ball(skin, b.v(0, y(0.24), 0.024), b.v(0.047*wide, 0.042, 0.05), geom.Identity, b.h(0.03)))
	b.add(ball(skin, b.v(0, y(0.1), 0.05), b.v(0.02*wide, 0.018, 0.02), geom.Identity, b.h(0.02)))    // chin
	b.add(ball(skin, b.v(0, y(0.62), 0.058), b.v(0.045*wide, 0.014, 0.02), geom.Identity, b.h(0.02))) // brow
	b.pair(func(_ string, x float64) prim {                                                           // eye sockets
		return carved(ball(skin, b.v(x*0.025*wide, y(0.5), 0.084), b.v(0.018, 0.014, 0.013), geom.Identity, b.h(0.014)))
	})
	b.add(cone(skin, b.v(0, y(0.54), 0.076), b.v(0, y(0.37), 0.098), b.h(0.0085), b.h(0.0145), b.h(0.012)))
	b.pair(func(_ string, x float64) prim { // ears
		return ball(skin, b.v(x*0.063*wide, y(0.45), -0.002), b.v(0.0095, 0.026, 0.016), geom.AxisAngle(r3.Vec{Y: 1}, -x*0.5), b.h(0.008))
	})
	b.add(carved(ball(skin, b.v(0, y(0.205), 0.081), b.v(0.021*wide, 0.0045, 0.016), geom.Identity, b.h(0.006)))) // mouth
	b.pair(func(_ string, x float64) prim {
		return ball(eye, b.v(x*0.027*wide, y(0.50), 0.0655), b.v(0.0155, 0.0165, 0.0140), geom.Identity, b.h(0.002))
	})
}

var level = quat.Number{Real: 1}
