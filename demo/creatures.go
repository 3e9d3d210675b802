package demo

import (
	"fmt"
	"math"
	"math/rand/v2"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// Limb is a true limb of a creature: its joints from the body outward, in metres, world frame, the tip last.
type Limb struct {
	Kind   string // leg, arm, wing, tail, head, claw, finger, stem
	Side   string // "_l", "_r", or "" in the middle and where there are no sides
	Joints []r3.Vec
}

// Creature is a being that no starter is like, with its true limbs, to hold the reading of shapes against.
type Creature struct {
	Name string
	Plan string // many-armed, eight-legged, …
	Make func() (*mesh.Mesh, []Limb)
}

// creaturePlans are the plans of creatures, each a function that builds one.
var creaturePlans = []struct {
	name  string
	build func(b *being)
}{
	{"many-armed", manyArmed}, {"eight-legged", eightLegged}, {"level, two legs", levelBiped}, {"trunk and tusks", tusked},
	{"four legs and wings", winged}, {"four arms", fourArmed}, {"fish", fish}, {"snake", snake}, {"crab", crab}, {"plant", plant},
	{"hand alone", handAlone}, {"rope", rope}, {"walking table", table},
}

// Creatures returns n creatures by the seed, going through the plans in turn.
func Creatures(seed uint64, n int) []Creature {
	var out []Creature
	for i := range n {
		p := creaturePlans[i%len(creaturePlans)]
		out = append(
			out,
			Creature{Name: fmt.Sprintf("creature %2d of %d, %s", i+1, seed, p.name), Plan: p.name, Make: func() (*mesh.Mesh, []Limb) {
				b := &being{rng: rand.New(rand.NewPCG(seed, uint64(1000+i)))}
				p.build(b)
				size := b.box.Size()
				cell := max(size.X, size.Y, size.Z) / 130
				for _, q := range b.thin {
					cell = min(cell, q/1.6)
				}
				return b.surface(cell, []mesh.Part{paint("body", 0.45, 0.4, 0.5)}), b.limbs
			}},
		)
	}
	return out
}

// being is a creature under construction: a solid and the limbs that it was built around.
type being struct {
	solid
	rng   *rand.Rand
	limbs []Limb
	thin  []float64 // radii of limbs
}

// put adds primitives in order.
func (b *being) put(list ...prim) {
	for _, q := range list {
		b.add(q)
	}
}

func (b *being) between(lo, hi float64) float64 { return lo + (hi-lo)*b.rng.Float64() }

// limb adds a chain of round cones from r0 to r1 and says that it is a limb; a pair is added on both sides, from
// the joints of the left.
func (b *being) limb(kind string, pair bool, r0, r1 float64, joints ...r3.Vec) {
	sides := []string{""}
	if pair {
		sides = []string{"_l", "_r"}
	}
	b.thin = append(b.thin, min(r0, r1))
	for _, side := range sides {
		list := make([]r3.Vec, len(joints))
		for i, p := range joints {
			if side == "_r" {
				p.X = -p.X
			}
			list[i] = p
		}
		n := float64(len(list) - 1)
		for i := 0; i+1 < len(list); i++ {
			at := func(k int) float64 { return r0 + (r1-r0)*float64(k)/n }
			b.add(cone(0, list[i], list[i+1], at(i), at(i+1), 0.5*at(i)))
		}
		end := list[len(list)-1] // the surface's tip is a radius on
		list[len(list)-1] = r3.Add(end, r3.Scale(r1, r3.Unit(r3.Sub(end, list[len(list)-2]))))
		b.limbs = append(b.limbs, Limb{kind, side, list})
	}
}

// stride returns the joints of a limb that begins at from and goes in direction way, turning by so many degrees
// about axis at each joint.
func stride(from, way, axis r3.Vec, lengths []float64, turns []float64) []r3.Vec {
	out := []r3.Vec{from}
	d := r3.Unit(way)
	for i, l := range lengths {
		if i > 0 {
			d = geom.Rotate(geom.AxisAngle(axis, turns[i-1]*math.Pi/180), d)
		}
		from = r3.Add(from, r3.Scale(l, d))
		out = append(out, from)
	}
	return out
}

func manyArmed(b *being) {
	r := b.between(0.2, 0.3)
	y := b.between(0.5, 0.8)
	b.add(ball(0, r3.Vec{Y: y}, r3.Vec{X: r, Y: b.between(0.9, 1.4) * r, Z: r}, level, 0))
	bend := b.between(20, 55)
	l := b.between(0.16, 0.26)
	for k := range 3 {
		a := (30 + 60*float64(k)) * math.Pi / 180
		out := r3.Vec{X: math.Sin(a), Z: math.Cos(a)}
		from := r3.Add(r3.Vec{Y: y - 0.6*r}, r3.Scale(0.75*r, out))
		way := r3.Add(out, r3.Vec{Y: b.between(-0.5, 0.2)})
		axis := r3.Unit(r3.Cross(r3.Vec{Y: -1}, out))
		b.limb("arm", true, 0.22*r, 0.1*r, stride(from, way, r3.Scale(-1, axis), []float64{l, l, 0.9 * l}, []float64{bend, -0.8 * bend})...)
	}
}

func eightLegged(b *being) {
	y, r := b.between(0.25, 0.4), b.between(0.09, 0.12)
	b.add(ball(0, r3.Vec{Y: y, Z: 0.1}, r3.Vec{X: r, Y: 0.7 * r, Z: 1.2 * r}, level, 0))
	b.add(ball(0, r3.Vec{Y: y + 0.03, Z: 0.1 - 2.6*r}, r3.Vec{X: 1.2 * r, Y: 1.1 * r, Z: 1.6 * r}, level, 0.03))
	up, l := b.between(0.4, 0.9), b.between(0.16, 0.22)
	for k := range 4 {
		a := (35 + 35*float64(k)) * math.Pi / 180
		out := r3.Vec{X: math.Sin(a), Z: math.Cos(a)}
		from := r3.Vec{X: 0.7 * r, Y: y, Z: 0.1 + r*(0.75-0.5*float64(k))}
		knee := r3.Add(from, r3.Scale(l, r3.Unit(r3.Add(out, r3.Vec{Y: up}))))
		shin := r3.Add(knee, r3.Scale(0.8*l, r3.Unit(r3.Add(out, r3.Vec{Y: -0.5}))))
		foot := r3.Add(shin, r3.Scale(0.3*l, out))
		foot.Y = 0.02
		b.limb("leg", true, 0.022, 0.012, from, knee, shin, foot)
	}
}

func levelBiped(b *being) {
	y := b.between(0.7, 0.9)
	b.add(ball(0, r3.Vec{Y: y}, r3.Vec{X: 0.13, Y: 0.15, Z: 0.3}, level, 0))
	rise := b.between(0.3, 1.2)
	neck := r3.Vec{Y: y + 0.06, Z: 0.24}
	head := r3.Add(neck, r3.Scale(0.3, r3.Unit(r3.Vec{Y: rise, Z: 1})))
	snout := r3.Add(head, r3.Vec{Y: -0.02, Z: 0.22})
	b.put(cone(0, neck, head, 0.085, 0.06, 0.05), ball(0, r3.Add(head, r3.Vec{Z: 0.08}), r3.Vec{X: 0.075, Y: 0.075, Z: 0.15}, level, 0.03))
	b.limbs = append(b.limbs, Limb{"head", "", []r3.Vec{neck, head, snout}})
	droop := b.between(-0.25, 0.15)
	b.limb(
		"tail",
		false,
		0.09,
		0.02,
		stride(
			r3.Vec{Y: y + 0.02, Z: -0.22},
			r3.Vec{Y: droop, Z: -1},
			r3.Vec{X: 1},
			[]float64{0.3, 0.3, 0.3},
			[]float64{b.between(-15, 15), b.between(-15, 15)},
		)...)
	hip := r3.Vec{X: 0.1, Y: y - 0.04, Z: -0.06}
	b.limb(
		"leg",
		true,
		0.075,
		0.035,
		hip,
		r3.Vec{X: 0.12, Y: 0.55 * y, Z: 0.12},
		r3.Vec{X: 0.12, Y: 0.24 * y, Z: -0.1},
		r3.Vec{X: 0.12, Y: 0.035, Z: 0.0},
		r3.Vec{X: 0.13, Y: 0.035, Z: 0.14},
	)
	if b.rng.IntN(2) == 0 {
		from := r3.Vec{X: 0.1, Y: y - 0.06, Z: 0.2}
		b.limb("arm", true, 0.03, 0.02, stride(from, r3.Vec{X: 0.3, Y: -1, Z: 0.2}, r3.Vec{X: -1}, []float64{0.14, 0.13}, []float64{60})...)
	}
}

func tusked(b *being) {
	y, w := b.between(0.75, 0.95), b.between(0.2, 0.26)
	b.add(ball(0, r3.Vec{Y: y}, r3.Vec{X: w, Y: 1.1 * w, Z: 0.42}, level, 0))
	head := r3.Vec{Y: y + 0.18, Z: 0.52}
	b.put(cone(0, r3.Vec{Y: y + 0.08, Z: 0.3}, head, 0.16, 0.13, 0.06), ball(0, head, r3.Vec{X: 0.14, Y: 0.16, Z: 0.14}, level, 0.04))
	l := b.between(0.17, 0.22)
	b.limb(
		"trunk",
		false,
		0.055,
		0.03,
		stride(
			r3.Add(head, r3.Vec{Y: -0.05, Z: 0.12}),
			r3.Vec{Y: -0.7, Z: 1},
			r3.Vec{X: 1},
			[]float64{l, l, l},
			[]float64{b.between(25, 45), b.between(-20, 20)},
		)...)
	b.limb(
		"tusk",
		true,
		0.03,
		0.015,
		r3.Add(head, r3.Vec{X: 0.09, Y: -0.1, Z: 0.08}),
		r3.Add(head, r3.Vec{X: 0.15, Y: -0.17, Z: 0.26}),
		r3.Add(head, r3.Vec{X: 0.16, Y: -0.12, Z: 0.4}),
	)
	b.limb("tail", false, 0.03, 0.018, r3.Vec{Y: y + 0.1, Z: -0.4}, r3.Vec{Y: y - 0.05, Z: -0.52}, r3.Vec{Y: y - 0.28, Z: -0.54})
	for _, z := range []float64{0.24, -0.24} {
		b.limb(
			"leg",
			true,
			0.085,
			0.07,
			r3.Vec{X: 0.14, Y: y - 0.1, Z: z},
			r3.Vec{X: 0.15, Y: 0.45 * y, Z: z + 0.03},
			r3.Vec{X: 0.15, Y: 0.07, Z: z - 0.01},
		)
	}
}

func winged(b *being) {
	y := b.between(0.6, 0.75)
	b.add(cone(0, r3.Vec{Y: y, Z: 0.22}, r3.Vec{Y: y - 0.02, Z: -0.25}, 0.13, 0.11, 0))
	neck := r3.Vec{Y: y + 0.05, Z: 0.28}
	head := r3.Add(neck, r3.Scale(0.32, r3.Unit(r3.Vec{Y: b.between(0.6, 1.5), Z: 1})))
	snout := r3.Add(head, r3.Vec{Y: -0.03, Z: 0.2})
	b.put(cone(0, neck, head, 0.075, 0.05, 0.05), cone(0, head, r3.Add(head, r3.Vec{Y: -0.027, Z: 0.15}), 0.07, 0.05, 0.02))
	b.limbs = append(b.limbs, Limb{"head", "", []r3.Vec{neck, head, snout}})
	b.limb(
		"tail",
		false,
		0.06,
		0.02,
		stride(
			r3.Vec{Y: y, Z: -0.32},
			r3.Vec{Y: b.between(-0.3, 0.2), Z: -1},
			r3.Vec{X: 1},
			[]float64{0.22, 0.22, 0.22},
			[]float64{b.between(-20, 20), b.between(-20, 20)},
		)...)
	for k, z := range []float64{0.2, -0.24} {
		bend := 0.06 - 0.12*float64(k)
		b.limb(
			"leg",
			true,
			0.055,
			0.03,
			r3.Vec{X: 0.09, Y: y - 0.06, Z: z},
			r3.Vec{X: 0.1, Y: 0.5 * y, Z: z + bend},
			r3.Vec{X: 0.1, Y: 0.16 * y, Z: z - bend/2},
			r3.Vec{X: 0.1, Y: 0.03, Z: z + 0.13},
		)
	}
	root := r3.Vec{X: 0.07, Y: y + 0.09, Z: 0.12}
	l, sweep := b.between(0.3, 0.42), b.between(15, 45)
	wing := stride(
		root,
		r3.Vec{X: 1, Y: b.between(0.3, 0.9), Z: 0.1},
		r3.Vec{Z: -1},
		[]float64{l, l, 0.8 * l},
		[]float64{sweep, 0.5 * sweep},
	)
	b.limb("wing", true, 0.04, 0.018, wing...)
}

func fourArmed(b *being) {
	hip, sh := b.between(0.78, 0.95), b.between(1.3, 1.45)
	w := b.between(0.12, 0.16)
	b.add(cone(0, r3.Vec{Y: hip + 0.04}, r3.Vec{Y: sh - 0.06}, w, 1.1*w, 0))
	b.add(ball(0, r3.Vec{Y: sh - 0.08}, r3.Vec{X: 1.35 * w, Y: 0.12, Z: w}, level, 0.05))
	neck := r3.Vec{Y: sh + 0.03}
	b.put(
		cone(0, r3.Vec{Y: sh - 0.02}, r3.Vec{Y: sh + 0.1}, 0.06, 0.055, 0.04),
		ball(0, r3.Vec{Y: sh + 0.22, Z: 0.02}, r3.Vec{X: 0.1, Y: 0.13, Z: 0.11}, level, 0.02),
	)
	b.limbs = append(b.limbs, Limb{"head", "", []r3.Vec{neck, {Y: sh + 0.1}, {Y: sh + 0.35, Z: 0.02}}})
	for k := range 2 {
		down := b.between(10, 30) + 38*float64(k)
		s, c := math.Sincos(down * math.Pi / 180)
		from := r3.Vec{X: 1.25 * w, Y: sh - 0.04 - 0.2*float64(k)}
		arm := stride(from, r3.Vec{X: c, Y: -s, Z: -0.1}, r3.Vec{Y: -1}, []float64{0.3, 0.27, 0.14}, []float64{b.between(12, 40), 0})
		b.limb("arm", true, 0.045, 0.028, arm...)
		palm := r3.Add(arm[2], r3.Scale(0.6, r3.Sub(arm[3], arm[2])))
		for _, x := range []float64{1, -1} { // a wrist shows because the hand is wider
			b.add(ball(0, r3.Vec{X: x * palm.X, Y: palm.Y, Z: palm.Z}, r3.Vec{X: 0.045, Y: 0.07, Z: 0.05}, level, 0.02))
		}
	}
	b.limb(
		"leg",
		true,
		0.08,
		0.045,
		r3.Vec{X: 0.09, Y: hip},
		r3.Vec{X: 0.11, Y: 0.52 * hip, Z: 0.03},
		r3.Vec{X: 0.12, Y: 0.06, Z: -0.03},
		r3.Vec{X: 0.14, Y: 0.045, Z: 0.13},
	)
}

func fish(b *being) {
	l, h := b.between(0.5, 0.7), b.between(0.13, 0.2)
	b.add(ball(0, r3.Vec{Y: 0.5, Z: 0.25 * l}, r3.Vec{X: 0.55 * h, Y: h, Z: 0.6 * l}, level, 0))
	tail := r3.Vec{Y: 0.5, Z: -0.75 * l}
	b.add(cone(0, r3.Vec{Y: 0.5, Z: -0.1 * l}, tail, 0.5*h, 0.18*h, 0.08))
	for _, up := range []float64{1, -1} { // the tail's fin
		b.add(cone(0, tail, r3.Add(tail, r3.Vec{Y: up * 0.16, Z: -0.16}), 0.03, 0.02, 0.02))
		b.limbs = append(b.limbs, Limb{"fin", "", []r3.Vec{tail, r3.Add(tail, r3.Vec{Y: up * 0.175, Z: -0.175})}})
	}
	b.thin = append(b.thin, 0.022)
	b.limb(
		"fin",
		true,
		0.03,
		0.02,
		r3.Vec{X: 0.45 * h, Y: 0.44, Z: 0.32 * l},
		r3.Vec{X: 0.45*h + 0.12, Y: 0.36, Z: 0.22 * l},
		r3.Vec{X: 0.45*h + 0.2, Y: 0.33, Z: 0.08 * l},
	)
}

// curve adds a long body along a line, with joints at even steps, thicker at its head.
func (b *being) curve(at func(t float64) r3.Vec, r float64, head float64, joints int) {
	const steps = 48
	for k := range steps {
		t0, t1 := float64(k)/steps, float64(k+1)/steps
		b.add(cone(0, at(t0), at(t1), r*(1-0.5*t0), r*(1-0.5*t1), r/4))
	}
	if head > 0 {
		b.add(ball(0, at(0), r3.Vec{X: head, Y: 0.8 * head, Z: 1.3 * head}, level, r/2))
	}
	var list []r3.Vec
	for k := range joints {
		list = append(list, at(float64(k)/float64(joints-1)))
	}
	b.thin = append(b.thin, r/2)
	b.limbs = append(b.limbs, Limb{"stem", "", list})
}

func snake(b *being) {
	waves, wide := b.between(1, 2.2), b.between(0.1, 0.22)
	b.curve(func(t float64) r3.Vec {
		return r3.Vec{X: wide * math.Sin(2*math.Pi*waves*t), Y: 0.05, Z: 0.8 - 1.7*t}
	}, 0.045, 0.06, 9)
}

func rope(b *being) {
	turns, drop := b.between(0.4, 1.1), b.between(0.5, 1.2)
	b.curve(func(t float64) r3.Vec {
		s, c := math.Sincos(2 * math.Pi * turns * t)
		return r3.Vec{X: 0.4 * c, Y: 1.3 - drop*t, Z: 0.4 * s}
	}, 0.03, 0, 9)
}

func crab(b *being) {
	y, w := b.between(0.2, 0.3), b.between(0.2, 0.28)
	b.add(ball(0, r3.Vec{Y: y}, r3.Vec{X: w, Y: 0.09, Z: 0.75 * w}, level, 0))
	for k := range 3 {
		z := w * (0.25 - 0.35*float64(k))
		out := r3.Vec{X: 1, Z: 0.35 - 0.4*float64(k)}
		from := r3.Vec{X: 0.8 * w, Y: y, Z: z}
		knee := r3.Add(from, r3.Add(r3.Scale(0.16, r3.Unit(out)), r3.Vec{Y: b.between(0.05, 0.12)}))
		foot := r3.Add(knee, r3.Scale(0.12, r3.Unit(out)))
		foot.Y = 0.02
		b.limb("leg", true, 0.026, 0.015, from, knee, foot)
	}
	from := r3.Vec{X: 0.6 * w, Y: y + 0.01, Z: 0.6 * w}
	elbow := r3.Add(from, r3.Scale(b.between(0.16, 0.22), r3.Unit(r3.Vec{X: 1, Y: 0.2, Z: 0.8})))
	wrist := r3.Add(elbow, r3.Scale(0.15, r3.Unit(r3.Vec{X: -0.2, Y: 0.1, Z: 1})))
	b.limb("arm", true, 0.034, 0.03, from, elbow, wrist)
	for _, x := range []float64{0.5, -0.6} {
		b.limb("claw", true, 0.032, 0.015, wrist, r3.Add(wrist, r3.Scale(0.13, r3.Unit(r3.Vec{X: x, Z: 1}))))
	}
}

func plant(b *being) {
	h := b.between(0.9, 1.3)
	lean := r3.Vec{X: b.between(-0.08, 0.08), Z: b.between(-0.08, 0.08)}
	stem := []r3.Vec{{}, r3.Add(r3.Scale(0.5, lean), r3.Vec{Y: 0.5 * h}), r3.Add(r3.Scale(-0.3, lean), r3.Vec{Y: h})}
	b.limb("stem", false, 0.05, 0.025, stem...)
	n := 3 + b.rng.IntN(3)
	turn := b.between(0, 360)
	for k := range n {
		t := 0.3 + 0.5*float64(k)/float64(n)
		p, q, s := stem[0], stem[1], t/0.5
		if t > 0.5 {
			p, q, s = stem[1], stem[2], (t-0.5)/0.5
		}
		from := r3.Add(p, r3.Scale(s, r3.Sub(q, p)))
		a := (turn + 137.5*float64(k)) * math.Pi / 180
		out := r3.Vec{X: math.Sin(a), Y: b.between(0.3, 0.9), Z: math.Cos(a)}
		axis := r3.Unit(r3.Cross(out, r3.Vec{Y: 1}))
		l := b.between(0.16, 0.26)
		b.limb("branch", false, 0.026, 0.015, stride(from, out, axis, []float64{l, l}, []float64{-b.between(20, 50)})...)
	}
}

func handAlone(b *being) {
	wide := b.between(0.24, 0.3)
	b.add(slab(0, r3.Vec{Y: 0.5}, r3.Vec{X: wide, Y: 0.26, Z: 0.08}, level, 0.08, 0))
	b.add(cone(0, r3.Vec{Y: 0.3}, r3.Vec{Y: 0.05}, 0.14, 0.12, 0.1))
	b.limbs = append(b.limbs, Limb{"stem", "", []r3.Vec{{Y: 0.22}, {Y: -0.07}}}) // the wrist
	for k := range 4 {
		x := wide * (-0.85 + 0.57*float64(k))
		l := 0.45 * []float64{0.85, 1, 0.95, 0.75}[k]
		a := 0.25 * (float64(k) - 1.5) * b.between(0.8, 1.4)
		b.limb(
			"finger",
			false,
			0.06,
			0.045,
			stride(
				r3.Vec{X: x, Y: 0.7},
				r3.Vec{X: a, Y: 1, Z: 0.1},
				r3.Vec{X: 1},
				[]float64{0.5 * l, 0.3 * l, 0.2 * l},
				[]float64{b.between(10, 30), b.between(10, 25)},
			)...)
	}
	b.limb(
		"finger",
		false,
		0.07,
		0.05,
		stride(
			r3.Vec{X: -0.75 * wide, Y: 0.4},
			r3.Vec{X: -1, Y: 0.8, Z: 0.3},
			r3.Vec{X: 1, Y: 1},
			[]float64{0.24, 0.17},
			[]float64{b.between(5, 25)},
		)...)
}

func table(b *being) {
	y, w, d := b.between(0.6, 0.8), b.between(0.4, 0.6), b.between(0.3, 0.4)
	b.add(slab(0, r3.Vec{Y: y}, r3.Vec{X: w, Y: 0.04, Z: d}, level, 0.03, 0))
	for _, z := range []float64{1, -1} {
		b.limb(
			"leg",
			true,
			0.045,
			0.035,
			r3.Vec{X: 0.85 * w, Y: y, Z: 0.8 * z * d},
			r3.Vec{X: 0.9 * w, Y: 0.5 * y, Z: (0.8*d + b.between(0.04, 0.1)) * z},
			r3.Vec{X: 0.95 * w, Y: 0.04, Z: 0.8 * z * d},
		)
	}
}
