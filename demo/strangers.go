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

// Stranger is a two-legged character that is none of the cast: other builds, hats,
// hair, bags, things held, coats, bare feet and five fingers, to hold the fit against.
type Stranger struct {
	Figure
	Head    float64 // size of the skull over the Figure's
	Hat     string  // "", "cap", "brim", "tall", "point", "hood", "horns"
	Tall    float64 // height of the hat over the skull's
	Hair    string  // "", "bun", "mane", "long", "tails"
	Bag     string  // "", "pack", "side"
	Held    string  // "", "staff", "rod", "pail", "shield"
	Melted  bool    // hat, bag and what is held are one surface with the body
	Hem     float64 // height of the coat's hem as a share of the height, 0 for none
	Hollow  bool    // the coat is a thin cloth, the legs go on beneath it
	Flare   float64 // how wide the coat stands out, over what is usual; 0 is 1
	Boots   bool
	Fingers int     // a hand, with the thumb; 0 is a mitten
	Apart   float64 // degrees between neighbouring fingers
	Garment Garment
	Posture func(*posing)
	// PostureSeed draws the angles of the posture.
	PostureSeed uint64
}

// crown is the height of the top of the skull, in metres.
func (c Stranger) crown() float64 { return c.Height * (c.Skull + c.Head*(1-c.Skull)) }

// Params are those of the starter that has what the stranger has.
func (c Stranger) Params() skeleton.Params {
	biped, _ := skeleton.FindKind("biped")
	biped.Default.Fingers = c.Fingers
	return biped.Default
}

// Make returns the stranger meshed with so many cells along the height of the figure,
// hands three times finer, and the true skeleton. The end of the head is the skull's.
func (c Stranger) Make(cells int) (*mesh.Mesh, *skeleton.Skeleton) {
	const skin, eye, coat, cloth, boot, extra = 0, 1, 2, 3, 4, 5
	parts := []mesh.Part{
		paint("skin", 0.7, 0.5, 0.4),
		paint("eyes", 0.1, 0.1, 0.1),
		paint("coat", 0.3, 0.3, 0.5),
		paint("trousers", 0.2, 0.2, 0.2),
		paint("boots", 0.2, 0.1, 0.1),
		paint("things", 0.5, 0.4, 0.2),
	}
	cell := c.Height / float64(cells)
	b := &body{f: c.Figure, s: c.Figure.bones()}
	if c.Fingers > 0 {
		b.s = withFingers(b.s, c.Params())
	}
	b.s.Joints[b.s.Index("head_end")].Pos.Y = c.crown()
	things := &body{f: c.Figure, s: b.s}
	if c.Melted {
		things = b
	}
	if c.Hem > 0 {
		c.coat(b, coat)
	}
	if c.Garment.Kind != "" && c.Melted { // first, so that what is carved from it leaves the body
		c.wear(b, b, coat)
	}
	b.trunk(coat, skin)
	if c.Boots {
		b.legs(cloth, boot)
	} else {
		c.bareLegs(b, cloth, skin)
	}
	c.sleeves(b, coat, skin)
	c.skull(b, skin, eye)
	c.onHead(b, things, coat, extra)
	c.carried(things, extra)
	if c.Garment.Kind != "" && !c.Melted {
		c.wear(b, things, coat)
	}
	var apart []*body // hands, which are meshed finer
	for _, side := range []string{"_l", "_r"} {
		h := b
		if c.Fingers > 0 {
			h = &body{f: c.Figure, s: b.s}
			apart = append(apart, h)
		}
		c.hand(h, skin, side)
	}
	if c.Posture != nil {
		take(c.Posture, c.PostureSeed, b.s, append([]*body{b, things}, apart...))
	}
	var hands []*mesh.Mesh
	for _, h := range apart {
		hands = append(hands, h.surface(cell/3, parts))
	}
	all := []*mesh.Mesh{b.surface(cell, parts)}
	if !c.Melted && len(things.prims) > 0 {
		all = append(all, things.surface(cell, parts))
	}
	return mesh.Join(append(all, hands...)...), b.s
}

// withFingers returns the bones of a figure with the fingers of the params added,
// which c.hand places.
func withFingers(s *skeleton.Skeleton, p skeleton.Params) *skeleton.Skeleton {
	p.Height = 1
	full, err := p.Build()
	if err != nil {
		panic(err) // the params are ours
	}
	for i := range full.Joints {
		if k := s.Index(full.Joints[i].Name); k >= 0 {
			full.Joints[i].Pos = s.Joints[k].Pos
		}
	}
	return full
}

func (c Stranger) sleeves(b *body, coat, skin int32) {
	w := math.Sqrt(c.Stout)
	b.pair(func(s string, _ float64) prim {
		return cone(coat, b.joint("upper_arm"+s), b.joint("forearm"+s), b.h(0.031*w), b.h(0.025*w), b.h(0.03))
	})
	b.pair(func(s string, _ float64) prim {
		return cone(coat, b.joint("forearm"+s), b.along("forearm"+s, "hand"+s, 0.85), b.h(0.026*w), b.h(0.02*w), b.h(0.01))
	})
	b.pair(func(s string, _ float64) prim {
		return cone(skin, b.along("forearm"+s, "hand"+s, 0.75), b.along("hand"+s, "hand_end"+s, 0.05), b.h(0.0175), b.h(0.016), b.h(0.008))
	})
}

// hand adds a palm and fingers. Widths are shares of the hand's length: a finger is
// 0.14 to 0.12 thick, as in Garrett, "The adult human hand: some anthropometric and
// biomechanical considerations", 1971 (from memory).
func (c Stranger) hand(b *body, skin int32, side string) {
	wrist, end := b.joint("hand"+side), b.joint("hand_end"+side)
	l := norm(r3.Sub(end, wrist))
	d := r3.Unit(r3.Sub(wrist, b.joint("forearm"+side)))
	fore := square(r3.Vec{Z: 1}, d)
	back := r3.Cross(d, fore)
	if back.Y < 0 {
		back = r3.Scale(-1, back)
	}
	place := func(along, across, up float64) r3.Vec {
		return r3.Add(wrist, r3.Scale(l, r3.Add(r3.Scale(along, d), r3.Add(r3.Scale(across, fore), r3.Scale(up, back)))))
	}
	b.add(cone(skin, place(-0.12, 0, 0), place(0.2, 0, 0), 0.15*l, 0.15*l, 0.05*l))
	if c.Fingers == 0 {
		b.add(
			ball(skin, place(0.55, 0, 0), r3.Vec{X: 0.45 * l, Y: 0.13 * l, Z: 0.24 * l}, geom.FromAxes(d, back, r3.Cross(d, back)), 0.06*l),
		)
		b.add(cone(skin, place(0.2, 0.12, 0), place(0.45, 0.36, -0.04), 0.09*l, 0.075*l, 0.05*l))
		return
	}
	const thick = 0.07
	n := c.Fingers - 1
	gap := 2.2 * thick
	half := gap * float64(n) / 2
	b.add(
		slab(
			skin,
			place(0.3, 0, 0),
			r3.Vec{X: 0.24 * l, Y: 0.1 * l, Z: math.Max(0.14, half) * l},
			geom.FromAxes(d, back, r3.Cross(d, back)),
			0.09*l,
			0.06*l,
		),
	)
	put := func(name string, k int, at r3.Vec) {
		joint := fmt.Sprintf("%s_%d%s", name, k, side)
		if k == 4 {
			joint = name + "_end" + side
		}
		b.s.Joints[b.s.Index(joint)].Pos = at
	}
	bone := func(name string, root, way, bend r3.Vec, length, r float64) {
		// Lengths of the three phalanges: Buchholz, Armstrong, Goldstein, "Anthropometric data
		// for describing the kinematics of the human hand", 1992 (shares from memory).
		at := root
		put(name, 1, at)
		for k, t := range [3]float64{0.505, 0.295, 0.2} {
			turn := r3.Unit(r3.Add(way, r3.Scale(0.12*float64(k), bend)))
			next := r3.Add(at, r3.Scale(t*length*l, turn))
			b.add(
				cone(
					skin,
					at,
					r3.Sub(next, r3.Scale(float64(k/2)*r*l*0.86, turn)),
					r*l*(1-0.07*float64(k)),
					r*l*(0.93-0.07*float64(k)),
					0.02*l,
				),
			)
			at = next
			put(name, k+2, at)
		}
	}
	names := [][]string{nil, nil, {"index"}, {"index", "middle"}, {"index", "middle", "ring"}, {"index", "middle", "ring", "little"}}[c.Fingers]
	for k, name := range names {
		x := (float64(n-1)/2 - float64(k))
		angle := x * c.Apart * math.Pi / 180
		way := r3.Unit(r3.Add(r3.Scale(math.Cos(angle), d), r3.Scale(math.Sin(angle), fore)))
		bone(
			name,
			place(0.44, x*gap, 0),
			way,
			r3.Scale(-1, back),
			[4]float64{0.46, 0.5, 0.46, 0.38}[k],
			thick*[4]float64{1, 1, 0.97, 0.9}[k],
		)
	}
	thumb := r3.Unit(r3.Add(d, r3.Add(r3.Scale(0.9, fore), r3.Scale(-0.3, back))))
	bone("thumb", place(0.14, math.Max(0.14, half)*0.75, -0.02), thumb, r3.Scale(-0.5, fore), 0.46, 0.08)
}

// bareLegs adds thighs, calves and bare feet.
func (c Stranger) bareLegs(b *body, cloth, skin int32) {
	w := math.Sqrt(c.Stout)
	b.thighs(cloth)
	b.pair(func(s string, _ float64) prim {
		return cone(skin, b.along("shank"+s, "foot"+s, 0.1), b.joint("foot"+s), b.h(0.036*w), b.h(0.021*w), b.h(0.012))
	})
	b.pair(func(s string, _ float64) prim {
		p := r3.Add(b.along("shank"+s, "foot"+s, 0.3), r3.Vec{Z: -b.h(0.012)})
		return ball(skin, p, b.v(0.031*w, 0.06, 0.032*w), geom.Identity, b.h(0.02))
	})
	b.pair(func(s string, _ float64) prim {
		return cone(
			skin,
			r3.Add(b.joint("foot"+s), b.v(0, -c.Ankle+0.024, -0.016)),
			r3.Add(b.joint("toe"+s), b.v(0, 0.006, 0)),
			b.h(0.024),
			b.h(0.02),
			b.h(0.02),
		)
	})
	b.pair(func(s string, _ float64) prim {
		return ball(skin, r3.Add(b.along("toe"+s, "toe_end"+s, 0.2), b.v(0, 0.001, 0)), b.v(0.028, 0.014, 0.035), geom.Identity, b.h(0.015))
	})
}

// coat adds a skirt from the waist to the hem; a hollow one leaves the legs their room.
func (c Stranger) coat(b *body, part int32) {
	top := c.Hip + 0.12
	wide := 0.085 + 0.2*(top-c.Hem)*max(c.Flare, 1)
	w := c.Stout
	b.add(skirt(part, 0, 0, b.h(c.Hem), b.h(top), b.h(wide*w), b.h(0.85*wide*w), b.h(0.078*w), b.h(0.066*w), b.h(0.006), 0))
	if c.Hollow {
		b.add(
			carved(
				skirt(
					part,
					0,
					0,
					b.h(c.Hem-0.05),
					b.h(c.Hip),
					b.h((wide-0.02)*w),
					b.h((0.85*wide-0.02)*w),
					b.h(0.08*w),
					b.h(0.068*w),
					b.h(0.006),
					0,
				),
			),
		)
	}
}

// sheet is the coat as a piece of its own: one wall without thickness, open at the waist and at the hem.
func (c Stranger) sheet() *mesh.Mesh {
	const around, rings = 48, 20
	m := &mesh.Mesh{Parts: []mesh.Part{paint("coat", 0.3, 0.3, 0.5)}}
	top := c.Hip + 0.12
	for k := range rings + 1 {
		t := float64(k) / rings
		y := top + (c.Hem-top)*t
		wide := (0.1 + (0.2*max(c.Flare, 1))*(top-y)) * c.Stout
		for i := range around {
			sin, cos := math.Sincos(2 * math.Pi * float64(i) / around)
			m.Points = append(m.Points, r3.Scale(c.Height, r3.Vec{X: wide * cos, Y: y, Z: 0.85 * wide * sin}))
		}
	}
	for k := range int32(rings) {
		for i := range int32(around) {
			a, b := k*around+i, k*around+(i+1)%around
			m.AddFace(0, a, b, b+around, a+around)
		}
	}
	return m
}

// skull adds a head of the stranger's size, with nose and ears.
func (c Stranger) skull(b *body, skin, eye int32) {
	k := c.Head
	y := func(t float64) float64 { return c.Skull + t*k*(1-c.Skull) }
	b.add(ball(skin, b.v(0, y(0.52), 0.008*k), b.v(0.062*k, k*(1-c.Skull)*0.48, 0.071*k), geom.Identity, b.h(0.015)))
	b.add(ball(skin, b.v(0, y(0.24), 0.024*k), b.v(0.047*k, 0.042*k, 0.05*k), geom.Identity, b.h(0.03)))
	b.add(cone(skin, b.v(0, y(0.54), 0.076*k), b.v(0, y(0.37), 0.095*k), b.h(0.0085*k), b.h(0.0145*k), b.h(0.012)))
	b.pair(func(_ string, x float64) prim {
		return ball(
			skin,
			b.v(x*0.063*k, y(0.45), -0.002),
			b.v(0.0095*k, 0.026*k, 0.016*k),
			geom.AxisAngle(r3.Vec{Y: 1}, -x*0.5),
			b.h(0.008),
		)
	})
	b.pair(func(_ string, x float64) prim {
		return ball(eye, b.v(x*0.027*k, y(0.50), 0.0655*k), b.v(0.0155*k, 0.0165*k, 0.0140*k), geom.Identity, b.h(0.002))
	})
}

// onHead adds hair to the body and a hat to the things.
func (c Stranger) onHead(b, things *body, coat, extra int32) {
	k := c.Head
	y := func(t float64) float64 { return c.Skull + t*k*(1-c.Skull) }
	switch c.Hair {
	case "bun":
		b.add(ball(extra, b.v(0, y(1.08), -0.03*k), b.v(0.035*k, 0.035*k, 0.035*k), level, b.h(0.006)))
	case "mane": // hides the neck
		b.add(ball(extra, b.v(0, y(0.55), -0.03*k), b.v(0.1*k, 0.11*k, 0.085*k), level, b.h(0.006)))
	case "long": // down to the waist
		b.add(ball(extra, b.v(0, y(0.6), -0.03*k), b.v(0.07*k, 0.075*k, 0.06*k), level, b.h(0.006)))
		b.add(
			slab(
				extra,
				b.v(0, (y(0.4)+c.Hip+0.1)/2, -0.075*c.Stout-0.01),
				b.v(0.06, (y(0.4)-c.Hip-0.1)/2+0.02, 0.014),
				level,
				b.h(0.012),
				b.h(0.01),
			),
		)
	case "tails": // two, off the sides of the head
		for _, x := range []float64{1, -1} {
			b.add(cone(extra, b.v(x*0.055*k, y(0.75), -0.03*k), b.v(x*0.16*k, y(0.35), -0.06*k), b.h(0.02*k), b.h(0.028*k), b.h(0.01)))
			b.add(cone(extra, b.v(x*0.16*k, y(0.35), -0.06*k), b.v(x*0.19*k, c.Neck-0.05, -0.06*k), b.h(0.028*k), b.h(0.012*k), b.h(0.01)))
		}
	}
	t := c.Tall * k * (1 - c.Skull)
	brim := y(0.78)
	switch c.Hat {
	case "cap":
		things.add(ball(extra, b.v(0, y(0.75), 0), b.v(0.069*k, 0.05*k, 0.078*k), level, b.h(0.004)))
		things.add(ball(extra, b.v(0, y(0.74), 0.1*k), b.v(0.05*k, 0.008*k, 0.04*k), level, b.h(0.008)))
	case "brim":
		things.add(ball(extra, b.v(0, brim, 0), b.v(0.16*k, 0.012*k, 0.17*k), level, b.h(0.004)))
		things.add(ball(extra, b.v(0, y(0.9), 0), b.v(0.068*k, 0.045*k+t/4, 0.075*k), level, b.h(0.01)))
	case "tall":
		things.add(ball(extra, b.v(0, brim, 0), b.v(0.1*k, 0.01*k, 0.11*k), level, b.h(0.004)))
		things.add(
			skirt(extra, 0, 0, b.h(brim), b.h(brim+t+0.03), b.h(0.066*k), b.h(0.073*k), b.h(0.07*k), b.h(0.077*k), b.h(0.006), b.h(0.008)),
		)
	case "point":
		things.add(ball(extra, b.v(0, brim, 0), b.v(0.13*k, 0.01*k, 0.14*k), level, b.h(0.004)))
		things.add(cone(extra, b.v(0, brim, 0), b.v(0, brim+0.7*t, -0.01), b.h(0.066*k), b.h(0.03*k), b.h(0.008)))
		things.add(cone(extra, b.v(0, brim+0.7*t, -0.01), b.v(0, brim+t+0.02, -0.05-0.2*t), b.h(0.03*k), b.h(0.008*k), b.h(0.01)))
	case "hood": // down to the shoulders
		things.add(ball(coat, b.v(0, y(0.5), -0.02*k), b.v(0.085*k, 0.09*k, 0.09*k), level, b.h(0.006)))
		things.add(cone(coat, b.v(0, y(0.3), -0.02), b.v(0, c.Neck-0.01, -0.01), b.h(0.075*k), b.h(0.07), b.h(0.03)))
	case "horns":
		for _, x := range []float64{1, -1} {
			things.add(cone(extra, b.v(x*0.035*k, y(0.92), 0), b.v(x*0.09*k, y(1)+0.4*t, -0.01), b.h(0.016*k), b.h(0.011*k), b.h(0.008)))
			things.add(cone(extra, b.v(x*0.09*k, y(1)+0.4*t, -0.01), b.v(x*0.08*k, y(1)+t, 0.02), b.h(0.011*k), b.h(0.004*k), b.h(0.008)))
		}
	}
}

// carried adds the bag and what is held in the left hand.
func (c Stranger) carried(b *body, part int32) {
	w := c.Stout
	switch c.Bag {
	case "pack":
		b.add(slab(part, b.v(0, c.Shoulder-0.1, -0.06*w-0.055), b.v(0.08, 0.11, 0.05), level, b.h(0.02), b.h(0.01)))
	case "side":
		b.add(slab(part, b.v(0.083*w+0.035, c.Hip-0.02, 0), b.v(0.03, 0.05, 0.055), level, b.h(0.015), b.h(0.008)))
	}
	hand := b.along("hand_l", "hand_end_l", 0.4)
	at := r3.Scale(1/c.Height, hand)
	d := r3.Unit(r3.Sub(b.joint("hand_end_l"), b.joint("hand_l")))
	switch c.Held {
	case "staff": // from the ground to above the head
		b.add(cone(part, b.v(at.X, 0.01, at.Z), b.v(at.X, 1.15, at.Z), b.h(0.012), b.h(0.014), b.h(0.004)))
	case "rod": // on in the direction of the hand
		b.add(cone(part, r3.Sub(hand, r3.Scale(b.h(0.04), d)), r3.Add(hand, r3.Scale(b.h(0.38), d)), b.h(0.013), b.h(0.008), b.h(0.004)))
	case "pail":
		b.add(cone(part, hand, r3.Sub(hand, b.v(0, 0.06, 0)), b.h(0.012), b.h(0.012), b.h(0.004)))
		b.add(ball(part, r3.Sub(hand, b.v(0, 0.11, 0)), b.v(0.045, 0.06, 0.045), level, b.h(0.01)))
	case "shield":
		b.add(ball(part, r3.Add(hand, b.v(0.02, 0, 0.03)), b.v(0.12, 0.15, 0.015), geom.AxisAngle(r3.Vec{Y: 1}, 0.5), b.h(0.006)))
	}
}

// Coats returns n strangers in long coats by the seed: thin or solid, straight to wide, hems from the knee to the
// ankle, arms half down beside them.
func Coats(seed uint64, n int) []Variant {
	rng := rand.New(rand.NewPCG(seed, 12))
	between := func(a, b float64) float64 { return a + (b-a)*rng.Float64() }
	var out []Variant
	for i := range n {
		c := Stranger{
			Figure:  OdileFigure,
			Head:    1,
			Fingers: []int{0, 5, 0, 0}[i%4],
			Apart:   between(6, 12),
			Boots:   rng.IntN(2) == 0,
			Hollow:  i%3 != 0,
		}
		c.Arms, c.Elbow, c.Stout = between(20, 70), between(2, 18), between(0.85, 1.25)
		c.Height = between(0.8, 1.9)
		c.Hem, c.Flare = between(0.06, 0.3), between(1, 2.1)
		how, sheet := "solid", i%4 == 3
		if c.Hollow {
			how = "thin"
		}
		if sheet {
			how = "a sheet of its own"
		}
		name := fmt.Sprintf(
			"stranger in a coat %2d, arms %.0f°, stout %.2f, %d fingers, %s, hem at %.2f, flare %.1f",
			i+1,
			c.Arms,
			c.Stout,
			c.Fingers,
			how,
			c.Hem,
			c.Flare,
		)
		out = append(out, Variant{name, c.Params(), 0, func() (*mesh.Mesh, *skeleton.Skeleton) {
			if !sheet {
				return c.Make(90)
			}
			bare := c
			bare.Hem = 0
			m, s := bare.Make(90)
			return mesh.Join(m, c.sheet()), s
		}})
	}
	return out
}

// Strangers returns n two-legged characters by the seed, each with its name, going
// through hats, hair, bags, things held, coats, heads and hands in turn.
func Strangers(seed uint64, n int) []Variant {
	rng := rand.New(rand.NewPCG(seed, 11))
	between := func(a, b float64) float64 { return a + (b-a)*rng.Float64() }
	pick := func(list ...string) string { return list[rng.IntN(len(list))] }
	var out []Variant
	for i := range n {
		c := Stranger{
			Figure:  OdileFigure,
			Head:    1,
			Fingers: []int{0, 5, 0, 4, 0, 3}[i%6],
			Apart:   between(5, 16),
			Boots:   rng.IntN(2) == 0,
			Melted:  rng.IntN(2) == 0,
		}
		c.Arms = between(0, 72)
		c.Elbow = between(2, 18)
		c.Stout = between(0.8, 1.35)
		c.Hip += between(-0.03, 0.02)
		c.Knee = c.Hip * between(0.52, 0.57)
		c.Shoulder += between(-0.015, 0.01)
		c.Across *= between(0.9, 1.2)
		c.Foot *= between(0.9, 1.2)
		c.Height = between(0.5, 1.9)
		c.Tall = between(0.3, 2.2)
		kind := ""
		switch i % 9 {
		case 0:
			c.Hat = pick("cap", "brim", "tall", "point")
			kind = c.Hat
		case 1:
			c.Hair = pick("bun", "mane", "long", "tails")
			kind = c.Hair
		case 2:
			c.Bag = pick("pack", "side")
			kind = c.Bag
		case 3:
			c.Held = pick("staff", "rod", "pail", "shield")
			kind = c.Held
		case 4:
			c.Hem = between(0.06, 0.42)
			c.Hollow = rng.IntN(2) == 0
			kind = fmt.Sprintf("coat to %.2f", c.Hem)
		case 5:
			c.Head = between(1.2, 2.4)
			kind = fmt.Sprintf("head %.1f", c.Head)
		case 6:
			c.Hat = pick("hood", "horns", "tall", "point")
			kind = c.Hat
		case 7: // much at once
			c.Hat, c.Hair, c.Bag, c.Hem = pick(
				"cap",
				"brim",
				"tall",
				"point",
			), pick(
				"long",
				"tails",
				"bun",
			), pick(
				"pack",
				"side",
				"",
			), between(
				0.1,
				0.4,
			)
			kind = fmt.Sprintf("%s, %s, %s, coat to %.2f", c.Hat, c.Hair, c.Bag, c.Hem)
		case 8:
			kind = "plain"
		}
		if c.Hat != "" && kind != "cap" {
			kind += fmt.Sprintf(" %.1f", c.Tall)
		}
		if c.Melted {
			kind += ", melted"
		}
		name := fmt.Sprintf(
			"stranger %2d, arms %.0f°, stout %.2f, %d fingers %.0f° apart, %s",
			i+1,
			c.Arms,
			c.Stout,
			c.Fingers,
			c.Apart,
			kind,
		)
		out = append(out, Variant{name, c.Params(), 0, func() (*mesh.Mesh, *skeleton.Skeleton) { return c.Make(110) }})
	}
	return out
}
