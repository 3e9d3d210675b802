package demo

import (
	"fmt"
	"math"
	"math/rand/v2"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// Garment is what a stranger wears over the body, as shares of the height.
type Garment struct {
	Kind   string  // one of garmentKinds
	Hem    float64 // how high its lower edge is
	Flare  float64 // how wide it stands out, 1 is usual
	Hollow bool    // a thin cloth, with room beneath
	Open   bool    // in front
}

// garmentKinds are what garments go through.
var garmentKinds = []string{
	"cape", "robe", "wide sleeves", "poncho", "baggy trousers", "apron", "wings", "coattails", "armor", "mantle", "arms in a coat", "train",
}

// Garments returns n strangers by the seed, each in a garment that hides some of the body, going through the kinds in
// turn: hollow and solid, one surface with the body or pieces of their own, cut at any height, some open in front.
func Garments(seed uint64, n int) []Variant {
	rng := rand.New(rand.NewPCG(seed, 15))
	between := func(a, b float64) float64 { return a + (b-a)*rng.Float64() }
	var out []Variant
	for i := range n {
		kind := garmentKinds[i%len(garmentKinds)]
		c := Stranger{
			Figure:  OdileFigure,
			Head:    between(0.95, 1.25),
			Fingers: []int{0, 5, 0, 4, 0}[i%5],
			Apart:   between(6, 14),
			Boots:   rng.IntN(2) == 0,
			Melted:  rng.IntN(2) == 0,
		}
		c.Arms, c.Elbow, c.Stout = between(20, 68), between(2, 18), between(0.82, 1.25)
		c.Hip += between(-0.03, 0.02)
		c.Knee = c.Hip * between(0.52, 0.57)
		c.Shoulder += between(-0.015, 0.01)
		c.Across *= between(0.92, 1.15)
		c.Height = between(0.6, 1.9)
		g := Garment{Kind: kind, Flare: between(0.8, 1.6), Hollow: rng.IntN(2) == 0, Open: rng.IntN(3) == 0}
		switch kind {
		case "robe":
			g.Hem = between(0.01, 0.12)
		case "poncho", "mantle":
			g.Hem = between(0.45, 0.62)
		case "baggy trousers":
			g.Hem = between(0.08, 0.3)
		case "arms in a coat":
			g.Hem = between(0.2, 0.42)
			c.Arms = between(74, 84)
		case "wide sleeves":
			c.Arms = between(10, 50)
		default:
			g.Hem = between(0.1, 0.45)
		}
		c.Garment = g
		how := "solid"
		if g.Hollow {
			how = "hollow"
		}
		if g.Open {
			how += ", open"
		}
		if c.Melted {
			how += ", melted"
		}
		name := fmt.Sprintf(
			"stranger in garment %2d of %d, %s, %s, hem at %.2f, arms %.0f°, stout %.2f",
			i+1,
			seed,
			kind,
			how,
			g.Hem,
			c.Arms,
			c.Stout,
		)
		out = append(out, Variant{name, c.Params(), c.crown(), func() (*mesh.Mesh, *skeleton.Skeleton) { return c.Make(95) }})
	}
	return out
}

// wear adds the garment: to the body where it is one surface with it, else to the things, which are pieces of their own.
func (c Stranger) wear(body, things *body, part int32) {
	g, w := c.Garment, c.Stout
	b := things
	h := body.h
	v := body.v
	hips := c.Hip + 0.12
	// hung is cloth that hangs around the body from one height to another, its half widths there.
	hung := func(top, hem, wideTop, wideHem float64) {
		b.add(skirt(part, 0, 0, h(hem), h(top), h(wideHem), h(0.85*wideHem), h(wideTop), h(0.85*wideTop), h(0.006), 0))
		if g.Hollow {
			const cloth = 0.02
			b.add(carved(skirt(part, 0, 0, h(hem-0.05), h(top-0.03), h(wideHem-cloth), h(0.85*wideHem-cloth), h(wideTop-cloth/2),
				h(0.85*wideTop-cloth/2), h(0.006), 0)))
		}
		if g.Open {
			b.add(carved(slab(part, v(0, (top+hem)/2-0.03, 0.15), v(0.02+0.02*g.Flare, (top-hem)/2+0.02, 0.15), level, h(0.01), h(0.004))))
		}
	}
	switch g.Kind {
	case "cape": // behind, from the shoulders
		mid, half := (c.Shoulder+g.Hem)/2, (c.Shoulder-g.Hem)/2
		turn := geom.AxisAngle(r3.Vec{X: 1}, 0.05+0.12*g.Flare)
		b.add(slab(part, v(0, mid, -0.085*w-0.1*half*g.Flare), v(0.11*g.Flare, half, 0.012), turn, h(0.011), h(0.01)))
		b.add(ring(part, v(0, c.Neck-0.012, -0.004), h(0.055), h(0.05), h(0.014), level, h(0.01)))
	case "robe":
		hung(hips+0.02, g.Hem, 0.08*w, 0.1*w+0.07*g.Flare)
		c.widened(b, part, 0.05*g.Flare)
	case "wide sleeves":
		c.widened(b, part, 0.06*g.Flare)
	case "poncho":
		hung(c.Neck-0.01, g.Hem, 0.05, 0.14*w+0.08*g.Flare)
	case "baggy trousers":
		hung(c.Hip+0.06, g.Hem, 0.088*w, 0.1*w+0.03*g.Flare)
	case "apron":
		b.add(slab(part, v(0, (hips+g.Hem)/2, 0.075*w+0.02), v(0.07*g.Flare, (hips-g.Hem)/2, 0.009), level, h(0.008), h(0.01)))
	case "wings":
		for _, x := range []float64{1, -1} {
			turn := geom.AxisAngle(r3.Vec{Y: 1}, x*0.5)
			b.add(slab(part, v(x*0.16, c.Shoulder-0.02, -0.1*w-0.05), v(0.15, 0.1+0.06*g.Flare, 0.012), turn, h(0.01), h(0.01)))
			b.add(cone(part, v(x*0.03, c.Shoulder-0.06, -0.05*w), v(x*0.08, c.Shoulder-0.04, -0.1*w-0.02), h(0.02), h(0.015), h(0.01)))
		}
	case "coattails":
		for _, x := range []float64{1, -1} {
			b.add(slab(part, v(x*0.045, (c.Hip+0.04+g.Hem)/2, -0.075*w-0.02), v(0.035*g.Flare, (c.Hip+0.04-g.Hem)/2, 0.011),
				geom.AxisAngle(r3.Vec{X: 1}, 0.1), h(0.01), h(0.01)))
		}
	case "armor":
		for _, side := range []string{"_l", "_r"} {
			b.add(ball(part, body.joint("upper_arm"+side), v(0.052, 0.045, 0.052), level, h(0.006)))
			b.add(
				cone(
					part,
					body.along("forearm"+side, "hand"+side, 0.1),
					body.along("forearm"+side, "hand"+side, 0.8),
					h(0.036),
					h(0.031),
					h(0.004),
				),
			)
			b.add(
				cone(
					part,
					body.along("shank"+side, "foot"+side, 0.12),
					body.along("shank"+side, "foot"+side, 0.85),
					h(0.048),
					h(0.04),
					h(0.004),
				),
			)
			b.add(ball(part, body.joint("shank"+side), v(0.05, 0.05, 0.052), level, h(0.004)))
			b.add(
				cone(
					part,
					body.along("thigh"+side, "shank"+side, 0.2),
					body.along("thigh"+side, "shank"+side, 0.75),
					h(0.066*math.Sqrt(w)),
					h(0.055*math.Sqrt(w)),
					h(0.004),
				),
			)
		}
		b.add(ball(part, v(0, c.Shoulder-0.08, 0.006), v(0.1*w, 0.1, 0.078*w), level, h(0.01)))
		b.add(skirt(part, 0, 0, h(c.Hip-0.06), h(c.Hip+0.06), h(0.105*w), h(0.09*w), h(0.085*w), h(0.072*w), h(0.01), h(0.01)))
		b.add(ball(part, v(0, c.Skull+0.55*c.Head*(1-c.Skull), 0.006), v(0.078*c.Head, 0.085*c.Head, 0.086*c.Head), level, h(0.004)))
	case "mantle": // over the shoulders, arms beneath it to the elbow
		hung(c.Neck, g.Hem, 0.05, 0.12*w+0.05*g.Flare)
		b.add(ball(part, v(0, c.Neck-0.01, -0.01), v(0.075, 0.03, 0.065), level, h(0.02)))
	case "arms in a coat": // one surface
		hung(hips, g.Hem, 0.085*w, 0.1*w+0.05*g.Flare)
		for _, side := range []string{"_l", "_r"} {
			b.add(
				cone(
					part,
					body.along("upper_arm"+side, "forearm"+side, 0.3),
					body.along("forearm"+side, "hand"+side, 0.5),
					h(0.04),
					h(0.035),
					h(0.03),
				),
			)
		}
	case "train":
		hung(hips, min(g.Hem, 0.03), 0.08*w, 0.12*w+0.06*g.Flare)
		b.add(slab(part, v(0, 0.014, -0.2*g.Flare), v(0.1*g.Flare, 0.012, 0.16*g.Flare), level, h(0.01), h(0.02)))
	}
}

// widened adds sleeves that are wider than the arm towards the wrist.
func (c Stranger) widened(b *body, part int32, wide float64) {
	for _, s := range []string{"_l", "_r"} {
		from, to := b.along("upper_arm"+s, "forearm"+s, 0.6), b.along("forearm"+s, "hand"+s, 0.85)
		b.add(cone(part, from, to, b.h(0.034), b.h(0.02+wide), b.h(0.01)))
		if c.Garment.Hollow {
			d := r3.Unit(r3.Sub(to, from))
			b.add(
				carved(
					cone(
						part,
						b.along("forearm"+s, "hand"+s, 0.2),
						r3.Add(to, r3.Scale(b.h(0.05), d)),
						b.h(0.03),
						b.h(0.012+wide),
						b.h(0.002),
					),
				),
			)
		}
	}
}
