package demo

import (
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// BramFigure are the measures of the lamplighter.
var BramFigure = Figure{Height: 1.58, Shoulder: 0.775, Neck: 0.795, Skull: 0.838, Across: 0.128, Hip: 0.49, HipHalf: 0.062,
	Knee: 0.262, Ankle: 0.05, Arms: 30, Elbow: 8, Stout: 1.42, Foot: 0.13, HatTop: 1.135}

// Bram returns the stout lamplighter and his true skeleton: the body in one
// piece; belt, buckle, five buttons, boots (his legs end inside them) and the lantern
// at his left hand are pieces of their own.
func Bram(cell float64) (*mesh.Mesh, *skeleton.Skeleton) { return bram(BramFigure, cell) }

func bram(f Figure, cell float64) (*mesh.Mesh, *skeleton.Skeleton) {
	const skin, eye, coat, cloth, hat, hair, band = 0, 1, 2, 3, 4, 5, 6
	parts := []mesh.Part{
		paint("skin", 0.79, 0.52, 0.41),
		paint("eyes", 0.08, 0.07, 0.07),
		paint("coat", 0.11, 0.25, 0.27),
		paint("trousers", 0.33, 0.24, 0.16),
		paint("top_hat", 0.10, 0.09, 0.10),
		paint("whiskers", 0.70, 0.66, 0.60),
		paint("hat_band", 0.62, 0.38, 0.08),
	}
	b := &body{f: f, s: f.bones()}
	b.trunk(coat, skin)
	b.thighs(cloth)
	b.arms(coat, skin)
	b.add(ball(coat, b.v(0, f.Hip+0.10, 0.035), b.v(0.124, 0.112, 0.104), level, b.h(0.05))) // belly
	b.add(skirt(coat, 0, 0, b.h(f.Hip-0.085), b.h(f.Hip+0.06), b.h(0.162), b.h(0.122), b.h(0.120), b.h(0.100), b.h(0.012), b.h(0.03)))
	b.pair(func(_ string, x float64) prim { // collar
		return cone(coat, b.v(x*0.045, f.Neck+0.004, -0.02), b.v(x*0.030, f.Neck-0.035, 0.068), b.h(0.016), b.h(0.012), b.h(0.006))
	})
	b.head(skin, eye, 1.18)
	y := func(t float64) float64 { return f.Skull + t*(1-f.Skull) }
	b.pair(func(_ string, x float64) prim { // moustache and whiskers
		return cone(hair, b.v(x*0.008, y(0.29), 0.094), b.v(x*0.052, y(0.21), 0.066), b.h(0.012), b.h(0.008), b.h(0.004))
	})
	b.pair(func(_ string, x float64) prim {
		return ball(hair, b.v(x*0.066, y(0.33), 0.022), b.v(0.016, 0.036, 0.022), level, b.h(0.006))
	})
	b.add(ball(hat, b.v(0, 0.958, 0.002), b.v(0.112, 0.011, 0.118), level, b.h(0.006)))
	b.add(skirt(hat, 0, 0, b.h(0.955), b.h(f.HatTop), b.h(0.071), b.h(0.076), b.h(0.080), b.h(0.085), b.h(0.010), b.h(0.006)))
	b.add(skirt(band, 0, 0, b.h(0.964), b.h(0.988), b.h(0.0755), b.h(0.0805), b.h(0.0765), b.h(0.0815), b.h(0.003), b.h(0.002)))
	list := []*mesh.Mesh{b.surface(cell, parts)}

	leather := paint("boots", 0.21, 0.11, 0.06)
	for _, side := range []string{"_l", "_r"} {
		boot := &body{f: f, s: b.s}
		whole := &body{f: f, s: b.s}
		whole.boots(0)
		for i, q := range whole.prims {
			if (i%2 == 0) == (side == "_l") {
				boot.add(q)
			}
		}
		part := leather
		part.Name += side
		list = append(list, boot.surface(cell*0.8, []mesh.Part{part}))
	}
	belt := &body{f: f, s: b.s}
	belt.add(ring(0, b.v(0, f.Hip+0.035, 0.014), b.h(0.136), b.h(0.121), b.h(0.011), geom.AxisAngle(r3.Vec{X: 1}, 0.07), 0))
	buckle := &body{f: f, s: b.s}
	buckle.add(slab(0, b.v(0, f.Hip+0.026, 0.150), b.v(0.024, 0.019, 0.007), level, b.h(0.004), 0))
	list = append(
		list,
		belt.surface(cell*0.7, []mesh.Part{paint("belt", 0.13, 0.07, 0.04)}),
		buckle.surface(cell*0.6, []mesh.Part{paint("buckle", 0.70, 0.50, 0.16)}),
	)
	for i := range 5 {
		button := &body{f: f, s: b.s}
		t := f.Hip + 0.075 + 0.042*float64(i)
		at := b.v(0, t, 0.3)
		at.Z = b.front(at) + b.h(0.0045)
		button.add(ball(0, at, b.v(0.0105, 0.0105, 0.006), level, 0))
		p := paint("button_"+string(rune('1'+i)), 0.74, 0.56, 0.22)
		list = append(list, button.surface(cell*0.36, []mesh.Part{p}))
	}
	hand := r3.Add(b.along("hand_l", "hand_end_l", 0.62), b.v(0, -0.020, 0))
	frame, glass := &body{f: f, s: b.s}, &body{f: f, s: b.s}
	frame.add(ring(0, r3.Add(hand, b.v(0, -0.012, 0)), b.h(0.027), b.h(0.027), b.h(0.0052), geom.AxisAngle(r3.Vec{X: 1}, 1.5708), 0))
	frame.add(
		skirt(
			0,
			hand.X,
			hand.Z,
			hand.Y-b.h(0.075),
			hand.Y-b.h(0.035),
			b.h(0.043),
			b.h(0.043),
			b.h(0.012),
			b.h(0.012),
			b.h(0.004),
			b.h(0.006),
		),
	)
	frame.add(
		skirt(
			0,
			hand.X,
			hand.Z,
			hand.Y-b.h(0.172),
			hand.Y-b.h(0.155),
			b.h(0.042),
			b.h(0.042),
			b.h(0.038),
			b.h(0.038),
			b.h(0.004),
			b.h(0.004),
		),
	)
	for i := range 4 {
		x, z := float64(i%2*2-1)*0.030, float64(i/2*2-1)*0.030
		frame.add(cone(0, r3.Add(hand, b.v(x, -0.16, z)), r3.Add(hand, b.v(x*0.95, -0.066, z*0.95)), b.h(0.0056), b.h(0.0056), b.h(0.003)))
	}
	glass.add(skirt(0, hand.X, hand.Z, hand.Y-b.h(0.150), hand.Y-b.h(0.078), b.h(0.020), b.h(0.020), b.h(0.025), b.h(0.025), b.h(0.008), 0))
	list = append(
		list,
		frame.surface(cell*0.6, []mesh.Part{paint("lantern", 0.36, 0.27, 0.12)}),
		glass.surface(cell*0.7, []mesh.Part{paint("lantern_flame", 0.95, 0.72, 0.25)}),
	)
	return mesh.Join(list...), b.s
}

// front returns the Z at which the solid's surface is met from +Z at p.
func (b *body) front(p r3.Vec) float64 {
	for range 60 {
		d, _ := b.solid.at(p)
		if d < 1e-4 {
			break
		}
		p.Z -= d * 0.8
	}
	return p.Z
}
