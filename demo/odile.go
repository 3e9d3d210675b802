package demo

import (
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// OdileFigure are the measures of the ferrywoman.
var OdileFigure = Figure{Height: 1.62, Shoulder: 0.792, Neck: 0.812, Skull: 0.853, Across: 0.105, Hip: 0.518, HipHalf: 0.052,
	Knee: 0.282, Ankle: 0.05, Arms: 48, Elbow: 9, Stout: 1, Foot: 0.125, HatTop: 1.02}

func paint(name string, r, g, b float32) mesh.Part {
	p := mesh.NewPart(name)
	p.Colour = [3]float32{r, g, b}
	return p
}

// Odile returns the ferrywoman meshed with cells of the given size in metres,
// and her true skeleton: hat with a long brim behind, short flared oilskin,
// trousers, knee boots, plait.
func Odile(cell float64) (*mesh.Mesh, *skeleton.Skeleton) { return odile(OdileFigure, cell) }

func odile(f Figure, cell float64) (*mesh.Mesh, *skeleton.Skeleton) {
	const skin, eye, coat, cloth, boot, hat, hair, scarf = 0, 1, 2, 3, 4, 5, 6, 7
	parts := []mesh.Part{
		paint("skin", 0.76, 0.49, 0.35),
		paint("eyes", 0.09, 0.08, 0.08),
		paint("oilskin", 0.72, 0.50, 0.13),
		paint("trousers", 0.16, 0.22, 0.28),
		paint("boots", 0.12, 0.11, 0.10),
		paint("hat", 0.66, 0.44, 0.10),
		paint("hair", 0.30, 0.12, 0.05),
		paint("scarf", 0.53, 0.10, 0.09),
	}
	b := &body{f: f, s: f.bones()}
	b.trunk(coat, skin)
	b.legs(cloth, boot)
	b.arms(coat, skin)
	b.add(skirt(coat, 0, 0, b.h(f.Hip-0.012), b.h(f.Hip+0.10), b.h(0.112), b.h(0.09), b.h(0.078), b.h(0.068), b.h(0.008), b.h(0.02)))
	b.add(ring(coat, b.v(0, f.Hip-0.006, 0), b.h(0.104), b.h(0.082), b.h(0.008), level, b.h(0.008)))
	b.add(ring(scarf, b.v(0, f.Neck+0.006, 0.002), b.h(0.036), b.h(0.034), b.h(0.0125), geom.AxisAngle(r3.Vec{X: 1}, 0.12), b.h(0.004)))
	b.add(cone(scarf, b.v(0.012, f.Neck-0.004, 0.04), b.v(0.026, f.Neck-0.066, 0.068), b.h(0.010), b.h(0.013), b.h(0.006)))
	b.head(skin, eye, 1)
	// Hair under the hat and a plait down the back.
	b.add(ball(hair, b.v(0, 0.945, -0.014), b.v(0.066, 0.062, 0.064), level, b.h(0.006)))
	for i := range 4 {
		t := float64(i)
		b.add(ball(hair, b.v(0, 0.885-0.031*t, -0.079-0.004*t), b.v(0.0185-0.001*t, 0.021, 0.0185-0.001*t), level, b.h(0.007)))
	}
	b.add(cone(hair, b.v(0, 0.91, -0.066), b.v(0, 0.80, -0.089), b.h(0.012), b.h(0.011), b.h(0.006)))
	tilt := geom.AxisAngle(r3.Vec{X: 1}, -0.22)
	b.add(ball(hat, b.v(0, 0.968, -0.004), b.v(0.071, 0.053, 0.077), tilt, b.h(0.006)))
	b.add(ball(hat, b.v(0, 0.955, -0.02), b.v(0.105, 0.0165, 0.132), tilt, b.h(0.012)))
	return b.surface(cell, parts), b.s
}
