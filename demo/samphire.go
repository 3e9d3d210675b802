package demo

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// Samphire is the troupe's prompter, a being of the salt marsh: a hood with two eyes on six arms, the front pair raised.
// No starter is like it; its skeleton is read from its shape. The skeleton that is returned is the true one.
func Samphire(cell float64) (*mesh.Mesh, *skeleton.Skeleton) {
	m, limbs := samphire(cell)
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{{Name: "root", Parent: -1, Pos: r3.Vec{Y: samphireHood}, Rot: geom.Identity}}}
	for i, l := range limbs {
		parent := 0
		for k, p := range l.Joints {
			name := []string{"arm", "leg_a", "leg_b"}[i/2] + "_" + string(rune('1'+k)) + l.Side
			s.Joints = append(s.Joints, skeleton.Joint{Name: name, Parent: parent, Pos: p, Rot: geom.Identity})
			parent = len(s.Joints) - 1
		}
	}
	return m, s
}

// samphireHood is the height of the middle of the hood, metres.
const samphireHood = 0.78

func samphire(cell float64) (*mesh.Mesh, []Limb) {
	const hood, skin, eye, trim, lamp = 0, 1, 2, 3, 4
	parts := []mesh.Part{
		paint("hood", 0.33, 0.42, 0.38),
		paint("arms", 0.62, 0.5, 0.42),
		paint("eyes", 0.1, 0.1, 0.1),
		paint("trim", 0.72, 0.62, 0.35),
		paint("lamps", 0.9, 0.8, 0.5),
	}
	b := &being{}
	up := func(y float64) r3.Vec { return r3.Vec{Y: samphireHood + y} }
	// The hood: a tall bell with a brim, a band around it, and a drop on its tip that hangs forward.
	b.put(
		ball(hood, up(0.02), r3.Vec{X: 0.19, Y: 0.2, Z: 0.18}, level, 0),
		cone(hood, up(0.12), r3.Vec{Y: samphireHood + 0.36, Z: -0.04}, 0.13, 0.05, 0.06),
		cone(hood, r3.Vec{Y: samphireHood + 0.36, Z: -0.04}, r3.Vec{Y: samphireHood + 0.43, Z: 0.03}, 0.045, 0.022, 0.03),
		ball(lamp, r3.Vec{Y: samphireHood + 0.41, Z: 0.08}, r3.Vec{X: 0.036, Y: 0.042, Z: 0.036}, level, 0.008),
		ring(trim, up(-0.06), 0.2, 0.19, 0.022, level, 0.012),
		ring(trim, up(0.16), 0.128, 0.12, 0.014, level, 0.006),
		ball(skin, up(-0.12), r3.Vec{X: 0.15, Y: 0.1, Z: 0.14}, level, 0.03),
	)
	for _, x := range []float64{1, -1} {
		b.put(
			ball(skin, r3.Vec{X: x * 0.075, Y: samphireHood + 0.03, Z: 0.155}, r3.Vec{X: 0.052, Y: 0.058, Z: 0.04}, level, 0.01),
			ball(eye, r3.Vec{X: x * 0.078, Y: samphireHood + 0.03, Z: 0.185}, r3.Vec{X: 0.03, Y: 0.036, Z: 0.02}, level, 0.002),
		)
	}
	arm := func(joints []r3.Vec) {
		var both [2][]r3.Vec
		for _, p := range joints {
			both[0], both[1] = append(both[0], p), append(both[1], r3.Vec{X: -p.X, Y: p.Y, Z: p.Z})
		}
		for s, list := range both {
			radius := []float64{0.06, 0.045, 0.034, 0.026, 0.02}
			for k := 0; k+1 < len(list); k++ {
				b.add(cone(skin, list[k], list[k+1], radius[k], radius[k+1], 0.02))
			}
			d := r3.Unit(r3.Sub(list[1], list[0]))
			b.add(ring(trim, r3.Add(list[0], r3.Scale(0.1, d)), 0.06, 0.06, 0.013, geom.Between(r3.Vec{Y: 1}, d), 0.006))
			end := len(list) - 1
			d = r3.Unit(r3.Sub(list[end], list[end-1]))
			b.add(ball(skin, list[end], r3.Vec{X: 0.03, Y: 0.03, Z: 0.03}, level, 0.012))
			tip := append(list[:end:end], r3.Add(list[end], r3.Scale(0.03, d)))
			b.limbs = append(b.limbs, Limb{"arm", [2]string{"_l", "_r"}[s], tip})
		}
	}
	// The front pair is raised, as if to hush the house; the others carry it.
	arm(
		[]r3.Vec{
			{X: 0.1, Y: 0.66, Z: 0.09},
			{X: 0.3, Y: 0.58, Z: 0.24},
			{X: 0.45, Y: 0.74, Z: 0.33},
			{X: 0.47, Y: 0.93, Z: 0.36},
			{X: 0.4, Y: 1.02, Z: 0.4},
		},
	)
	for _, degrees := range []float64{90, 148} {
		sin, cos := math.Sincos(degrees * math.Pi / 180)
		at := func(out, y float64) r3.Vec { return r3.Vec{X: out * sin, Y: y, Z: out * cos} }
		arm([]r3.Vec{at(0.12, 0.65), at(0.34, 0.52), at(0.45, 0.26), at(0.56, 0.05), at(0.68, 0.04)})
	}
	return b.surface(cell, parts), b.limbs
}
