package demo

import (
	"context"
	"fmt"
	"math/rand/v2"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// touching are postures in which a hand touches the body, or legs each other.
var touching = []struct {
	name string
	take func(p *posing)
}{
	{"arms hanging", armsHanging}, {"hands on hips", handsOnHips}, {"praying", praying}, {"hand to the head", handToHead},
	{"seated, hands on thighs", handsOnThighs}, {"one hand on the hip", oneHandOnHip},
}

// Contacts returns n strangers by the seed whose limbs touch without being one surface: a body is bound, and its skin
// posed, so that what touches lies side by side or a little inside the other.
func Contacts(seed uint64, n int) []Variant {
	rng := rand.New(rand.NewPCG(seed, 23))
	between := func(a, b float64) float64 { return a + (b-a)*rng.Float64() }
	var out []Variant
	for i := range n {
		how := touching[i%len(touching)]
		c := Stranger{
			Figure:  OdileFigure,
			Head:    between(0.95, 1.25),
			Fingers: []int{0, 5}[i/2%2],
			Apart:   between(6, 12),
			Boots:   rng.IntN(2) == 0,
			Tall:    1,
			Melted:  true,
		}
		c.Arms, c.Elbow, c.Stout = 45, between(2, 6), between(0.85, 1.25)
		c.Shoulder += between(-0.015, 0.01)
		c.Across *= between(0.92, 1.15)
		c.Height = between(0.6, 1.9)
		own := seed<<16 + uint64(i)
		name := fmt.Sprintf("contact %2d of %d, %s, stout %.2f, %d fingers", i+1, seed, how.name, c.Stout, c.Fingers)
		out = append(out, Variant{name, c.Params(), c.crown(), func() (*mesh.Mesh, *skeleton.Skeleton) {
			m, s := c.Make(100)
			return posedSkin(m, s, how.take, own)
		}})
	}
	return out
}

// posedSkin binds a mesh by heat and poses it.
func posedSkin(m *mesh.Mesh, s *skeleton.Skeleton, posture func(*posing), seed uint64) (*mesh.Mesh, *skeleton.Skeleton) {
	w, _, err := bind.Heat(context.Background(), m, s, bind.DefaultOptions, nil)
	if err != nil {
		panic(err) // of our own bodies none is refused
	}
	p := &posing{s: s.Clone(), rng: rand.New(rand.NewPCG(seed, 24)), turns: pose.Pose{}, turned: map[int]quat.Number{}}
	posture(p)
	m.Points = deform.Linear(m.Points, w, pose.Skin(s, p.turns))
	out := s.Clone()
	for i, x := range pose.World(s, p.turns) {
		out.Joints[i].Pos = x.Point(r3.Vec{})
	}
	return m, out
}

func armsHanging(p *posing) {
	p.standing()
	p.sides(func(s string) { p.arm(s, p.between(80, 86), p.between(-3, 8), p.between(2, 14)) })
}

// onHip poses an arm with the hand at the hip: the elbow stands out to the side and the forearm comes back.
func (p *posing) onHip(side string) {
	x := sideways(side)
	p.aim("upper_arm"+side, "forearm"+side, r3.Vec{X: 0.72 * x, Y: -0.7, Z: -p.between(0.05, 0.2)})
	p.aim("forearm"+side, "hand"+side, r3.Vec{X: -p.between(0.5, 0.62) * x, Y: -0.75, Z: p.between(0.15, 0.3)})
}

func handsOnHips(p *posing) {
	p.standing()
	p.sides(p.onHip)
}

func oneHandOnHip(p *posing) {
	p.standing()
	p.onHip("_l")
	p.arm("_r", p.between(40, 75), p.between(-5, 15), p.between(2, 25))
}

func praying(p *posing) {
	p.standing()
	p.sides(func(s string) {
		x := sideways(s)
		p.aim("upper_arm"+s, "forearm"+s, r3.Vec{X: 0.25 * x, Y: -0.85, Z: p.between(0.2, 0.35)})
		p.aim("forearm"+s, "hand"+s, r3.Vec{X: -p.between(0.62, 0.7) * x, Y: p.between(0.1, 0.3), Z: 0.75})
	})
}

func handToHead(p *posing) {
	p.standing()
	p.aim("upper_arm_l", "forearm_l", r3.Vec{X: 0.8, Y: 0.35, Z: 0.3})
	p.aim("forearm_l", "hand_l", r3.Vec{X: -0.85, Y: p.between(0.35, 0.55), Z: 0.05})
	p.arm("_r", p.between(40, 75), p.between(-5, 15), p.between(2, 25))
}

func handsOnThighs(p *posing) {
	out := p.between(4, 12)
	p.sides(func(s string) {
		p.leg(s, p.between(80, 90), out, p.between(75, 95), 0)
		p.arm(s, p.between(70, 78), p.between(22, 30), p.between(38, 52))
	})
}
