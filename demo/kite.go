package demo

import (
	"fmt"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// KiteJoints is the number of joints of the ribbon dragon.
const KiteJoints = 16

// KiteTail returns the ribbon dragon meshed with cells of the given size in
// metres, and its true skeleton: one chain from its nose to its last ribbon.
func KiteTail(cell float64) (*mesh.Mesh, *skeleton.Skeleton) { return kite(1, cell) }

// kite builds the dragon with waves of the given height.
func kite(wave, cell float64) (*mesh.Mesh, *skeleton.Skeleton) {
	const ribbon, crest, head, eye, tassel = 0, 1, 2, 3, 4
	parts := []mesh.Part{
		paint("ribbon", 0.62, 0.10, 0.09),
		paint("crest", 0.80, 0.55, 0.12),
		paint("head", 0.70, 0.16, 0.10),
		paint("eyes", 0.04, 0.04, 0.05),
		paint("tassels", 0.10, 0.33, 0.36),
	}
	path := func(t float64) r3.Vec { // t from nose (0) to the end (1)
		return r3.Vec{X: wave * 0.16 * math.Sin(2.3*math.Pi*t) * t, Y: 0.95 + wave*0.17*math.Sin(3.1*math.Pi*t+0.4), Z: 1.15 - 2.3*t}
	}
	// Joints at even lengths along the path.
	const fine = 4000
	arc := make([]float64, fine+1)
	for i := 1; i <= fine; i++ {
		arc[i] = arc[i-1] + r3.Norm(r3.Sub(path(float64(i)/fine), path(float64(i-1)/fine)))
	}
	place := func(share float64) r3.Vec {
		want := share * arc[fine]
		for i := 1; i <= fine; i++ {
			if arc[i] >= want {
				return path((float64(i-1) + (want-arc[i-1])/(arc[i]-arc[i-1])) / fine)
			}
		}
		return path(1)
	}
	s := &skeleton.Skeleton{}
	for i := range KiteJoints {
		s.Joints = append(
			s.Joints,
			skeleton.Joint{Name: fmt.Sprintf("chain_%d", i+1), Parent: i - 1, Pos: place(float64(i) / KiteJoints), Rot: geom.Identity},
		)
	}
	s.Joints = append(s.Joints, skeleton.Joint{Name: "chain_end", Parent: KiteJoints - 1, Pos: place(1), Rot: geom.Identity})
	b := &beast{s: s}
	const links = 64
	for i := range links {
		t0, t1 := float64(i)/links, float64(i+1)/links
		if t0 < 0.05 {
			continue
		}
		p, q := place(t0), place(t1)
		turn := geom.Between(r3.Vec{Z: -1}, r3.Unit(r3.Sub(q, p)))
		wide := 0.060 - 0.030*t0
		b.add(ball(ribbon, r3.Scale(0.5, r3.Add(p, q)), r3.Vec{X: wide, Y: 0.040 - 0.016*t0, Z: 0.045}, turn, 0.02))
	}
	up := func(t float64) r3.Vec {
		d := r3.Unit(r3.Sub(place(math.Min(1, t+0.01)), place(math.Max(0, t-0.01))))
		return r3.Unit(r3.Sub(r3.Vec{Y: 1}, r3.Scale(d.Y, d)))
	}
	for i := range 15 { // the crest
		t := 0.14 + 0.055*float64(i)
		root := place(t)
		b.add(cone(crest, root, r3.Add(root, r3.Add(r3.Scale(0.080-0.030*t, up(t)), r3.Vec{Z: -0.02})), 0.026, 0.011, 0.012))
	}
	nose := place(0)
	at := func(x, y, z float64) r3.Vec { return r3.Add(nose, r3.Vec{X: x, Y: y, Z: z}) }
	b.add(ball(head, at(0, 0.030, -0.165), r3.Vec{X: 0.105, Y: 0.090, Z: 0.115}, level, 0.03))
	b.add(cone(head, at(0, 0.005, -0.120), at(0, 0, -0.045), 0.070, 0.050, 0.03))
	b.add(ball(crest, at(0, 0.022, -0.012), r3.Vec{X: 0.034, Y: 0.022, Z: 0.020}, level, 0.008))
	b.pair(func(_ string, x float64) prim {
		return ball(eye, at(x*0.062, 0.075, -0.105), r3.Vec{X: 0.022, Y: 0.026, Z: 0.022}, level, 0.004)
	})
	b.pair(func(_ string, x float64) prim { // horns
		return cone(crest, at(x*0.055, 0.095, -0.185), at(x*0.110, 0.215, -0.275), 0.022, 0.010, 0.012)
	})
	b.pair(func(_ string, x float64) prim { // whiskers
		return cone(tassel, at(x*0.040, -0.005, -0.045), at(x*0.145, -0.075, -0.105), 0.012, 0.0095, 0.006)
	})
	end := place(1)
	for k := range 3 { // tassels at the end
		a := (float64(k) - 1) * 0.5
		b.add(cone(tassel, place(0.985), r3.Add(end, r3.Vec{X: 0.05 * math.Sin(a), Y: -0.01, Z: -0.005 * math.Cos(a)}), 0.018, 0.011, 0.01))
	}
	return b.surface(cell, parts), s
}
