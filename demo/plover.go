package demo

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// Wader are the measures of Plover: how much longer legs, neck and wings are than
// usual, how stout it is, and how far the wings droop (radians).
type Wader struct {
	Leg, Neck, Wing, Stout, Droop float64
}

// PloverFigure are the measures of Plover in the demo.
var PloverFigure = Wader{Leg: 1, Neck: 1, Wing: 1, Stout: 1}

// PloverParams is the starter that a wader's true skeleton is.
var PloverParams = skeleton.Params{Starter: "bird", Height: 1, Spine: 2, Neck: 3, Tail: 2, Feathers: 2}

// Plover returns the wading bird meshed with cells of the given size in metres,
// and its true skeleton.
func Plover(cell float64) (*mesh.Mesh, *skeleton.Skeleton) { return plover(PloverFigure, cell) }

func plover(f Wader, cell float64) (*mesh.Mesh, *skeleton.Skeleton) {
	s := waderBones(f)
	const back, breast, beak, eye, leg, wing = 0, 1, 2, 3, 4, 5
	parts := []mesh.Part{
		paint("back", 0.33, 0.23, 0.14),
		paint("breast", 0.78, 0.71, 0.60),
		paint("beak", 0.55, 0.20, 0.05),
		paint("eyes", 0.03, 0.03, 0.03),
		paint("legs", 0.62, 0.27, 0.07),
		paint("wings", 0.24, 0.17, 0.11),
	}
	b := &beast{s: s}
	at := b.at
	w := f.Stout
	mid := r3.Scale(0.5, r3.Add(at("hips"), at("spine_2")))
	mid.Y -= 0.022
	lean := geom.Between(r3.Vec{Z: 1}, r3.Unit(r3.Sub(at("spine_2"), at("hips"))))
	b.add(ball(back, mid, r3.Vec{X: 0.066 * w, Y: 0.066 * w, Z: 0.128}, lean, 0))
	b.add(ball(breast, r3.Add(mid, r3.Vec{Y: -0.012, Z: 0.045}), r3.Vec{X: 0.060 * w, Y: 0.062 * w, Z: 0.085}, lean, 0.02))
	// Neck and head.
	b.add(cone(breast, r3.Add(at("spine_2"), r3.Vec{Y: -0.01}), at("neck_1"), 0.044*w, 0.030, 0.03))
	b.add(cone(back, at("neck_1"), at("neck_2"), 0.029, 0.021, 0.02))
	b.add(cone(back, at("neck_2"), at("neck_3"), 0.021, 0.019, 0.015))
	b.add(cone(back, at("neck_3"), at("head"), 0.019, 0.022, 0.015))
	skull := r3.Add(at("head"), r3.Vec{Y: 0.014, Z: 0.016})
	b.add(ball(back, skull, r3.Vec{X: 0.029, Y: 0.030, Z: 0.037}, level, 0.012))
	b.add(cone(beak, at("beak"), at("beak_end"), 0.0115, 0.0062, 0.006))
	b.pair(func(_ string, x float64) prim {
		return ball(eye, r3.Add(skull, r3.Vec{X: x * 0.025, Y: 0.006, Z: 0.010}), r3.Vec{X: 0.007, Y: 0.0085, Z: 0.0085}, level, 0.002)
	})
	// Legs.
	b.pair(func(s string, _ float64) prim {
		return cone(breast, at("thigh"+s), at("shank"+s), 0.030*w, 0.021, 0.015)
	})
	b.pair(func(s string, _ float64) prim { return cone(leg, at("shank"+s), at("foot"+s), 0.0155, 0.0105, 0.006) })
	b.pair(func(s string, _ float64) prim { return cone(leg, at("foot"+s), at("toe"+s), 0.0115, 0.0098, 0.004) })
	for _, side := range []string{"_l", "_r"} {
		ball0 := b.sole(at("toe"+side), 0.010)
		for i, a := range []float64{-0.55, 0, 0.55, math.Pi} {
			length := []float64{0.054, 0.060, 0.054, 0.026}[i]
			tip := r3.Add(ball0, r3.Vec{X: length * math.Sin(a), Y: -0.003, Z: length * math.Cos(a)})
			b.add(cone(leg, ball0, tip, 0.0098, 0.0072, 0.005))
		}
	}
	// Wings: a flat fan behind arm and hand.
	for _, side := range []string{"_l", "_r"} {
		x := 1.0
		if side == "_r" {
			x = -1
		}
		b.add(cone(back, at("upper_arm"+side), at("forearm"+side), 0.019, 0.015, 0.015))
		b.add(cone(wing, at("forearm"+side), at("hand"+side), 0.0145, 0.012, 0.008))
		b.add(cone(wing, at("hand"+side), at("hand_end"+side), 0.0125, 0.0095, 0.006))
		for k := range 7 { // arm feathers
			t := float64(k) / 6
			var root r3.Vec
			if t < 0.5 {
				root = b.along("upper_arm"+side, "forearm"+side, 2*t)
			} else {
				root = b.along("forearm"+side, "hand"+side, 2*t-1)
			}
			tip := r3.Add(root, r3.Vec{X: x * 0.018, Y: -0.006, Z: -0.105 - 0.02*t})
			b.add(cone(wing, root, tip, 0.0125, 0.0088, 0.010))
		}
		for k := range 6 { // hand feathers, fanning out
			t := float64(k) / 5
			root := b.along("hand"+side, "hand_end"+side, 0.75*t)
			out := r3.Sub(at("hand_end"+side), at("hand"+side))
			dir := r3.Unit(r3.Add(r3.Scale((0.35+1.1*t)/r3.Norm(out), out), r3.Vec{Z: -0.9 * (1 - 0.75*t)}))
			b.add(cone(wing, root, r3.Add(root, r3.Scale(0.115-0.055*t, dir)), 0.0118, 0.0085, 0.010))
		}
	}
	// Tail: a fan of feathers.
	for k := range 5 {
		a := (float64(k) - 2) * 0.16
		d := r3.Sub(at("tail_end"), at("tail_1"))
		tip := r3.Add(at("tail_1"), geom.Rotate(geom.AxisAngle(r3.Vec{Y: 1}, a), d))
		b.add(cone(back, at("tail_1"), tip, 0.024, 0.0095, 0.012))
	}
	return b.surface(cell, parts), s
}

// waderBones builds the true skeleton of a wader.
func waderBones(f Wader) *skeleton.Skeleton {
	s, err := PloverParams.Build()
	if err != nil {
		panic(err) // the parameters are ours
	}
	rise := 0.225 * (f.Leg - 1)
	v := func(x, y, z float64) r3.Vec { return r3.Vec{X: x, Y: y, Z: z} }
	place := map[string]r3.Vec{
		"hips": v(0, 0.300, -0.055), "spine_1": v(0, 0.318, 0.005), "spine_2": v(0, 0.340, 0.065),
		"tail_1": v(0, 0.296, -0.135), "tail_2": v(0, 0.291, -0.205), "tail_end": v(0, 0.284, -0.285),
		"thigh_l": v(
			0.034,
			0.285,
			-0.045,
		), "shank_l": v(0.046, 0.225, 0.012), "foot_l": v(0.046, 0.120, -0.046), "toe_l": v(0.046, 0.014, 0.002), "toe_end_l": v(0.046, 0.008, 0.062),
	}
	n1 := v(0, 0.372, 0.112)
	place["neck_1"] = n1
	for name, p := range map[string]r3.Vec{"neck_2": v(0, 0.418, 0.128), "neck_3": v(0, 0.456, 0.128), "head": v(0, 0.490, 0.138), "head_end": v(0, 0.532, 0.150),
		"beak": v(0, 0.497, 0.184), "beak_end": v(0, 0.484, 0.292)} {
		q := r3.Sub(p, n1)
		if name == "neck_2" || name == "neck_3" {
			q.Y *= f.Neck
		} else {
			q.Y += (0.490 - n1.Y) * (f.Neck - 1)
		}
		place[name] = r3.Add(n1, q)
	}
	shoulder := v(0.056*math.Sqrt(f.Stout), 0.346, 0.050)
	droop := geom.AxisAngle(r3.Vec{Z: 1}, -f.Droop)
	wing := func(x, y, z float64) r3.Vec {
		q := r3.Scale(f.Wing, r3.Sub(v(x, y, z), v(0.056, 0.346, 0.050)))
		return r3.Add(shoulder, geom.Rotate(droop, q))
	}
	place["upper_arm_l"], place["forearm_l"], place["hand_l"], place["hand_end_l"] = shoulder, wing(
		0.150,
		0.350,
		0.005,
	), wing(
		0.262,
		0.352,
		0.052,
	), wing(
		0.462,
		0.340,
		-0.018,
	)
	for i := range 2 {
		t := float64(i+1) / 3
		place[[2]string{"feather_1_l", "feather_2_l"}[i]] = r3.Add(
			place["hand_l"],
			r3.Scale(t, r3.Sub(place["hand_end_l"], place["hand_l"])),
		)
	}
	for name, p := range place {
		if p.Y > 0.23 || name[0] != 'f' && name[0] != 't' && name[0] != 's' {
			p.Y += rise
		} else if p.Y < 0.23 {
			p.Y *= f.Leg
		}
		place[name] = p
	}
	for i := range s.Joints {
		j := &s.Joints[i]
		name, side := j.Name, 1.0
		if other, ok := skeleton.DefaultMarks.Partner(name); ok && skeleton.DefaultMarks.Of(name) == skeleton.Right {
			name, side = other, -1
		}
		p := place[name]
		p.X *= side
		j.Pos = p
	}
	return s
}
