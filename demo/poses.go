package demo

import (
	"fmt"
	"math"
	"math/rand/v2"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// posing is a posture of a figure under construction: each joint is aimed after those above it.
type posing struct {
	s      *skeleton.Skeleton
	rng    *rand.Rand
	turns  pose.Pose
	turned map[int]quat.Number // from rest to posed, world frame, by joint
}

// postures are the kinds of posture that poses go through, each a function that takes one.
var postures = []struct {
	name string
	take func(p *posing)
}{
	{"arms anyhow", armsAnyhow}, {"elbows bent", elbowsBent}, {"one arm up", oneArmUp}, {"arms up", armsUp}, {"striding", striding},
	{"running", running}, {"seated", seatedDown}, {"crouched", crouched}, {"on all fours", onAllFours}, {"leaning", leaning},
	{"looking aside", lookingAside}, {"kneeling", kneeling}, {"astride", astride},
}

// Poses returns n strangers by the seed that do not stand still, going through the postures in turn: arms from 20° to
// 100°, elbows to 90°, one arm up, striding, seated, crouched, on all fours, leaning, looking to the side, and some of
// them with a hat, a pack or something held.
func Poses(seed uint64, n int) []Variant {
	rng := rand.New(rand.NewPCG(seed, 13))
	between := func(a, b float64) float64 { return a + (b-a)*rng.Float64() }
	var out []Variant
	for i := range n {
		how := postures[i%len(postures)]
		c := Stranger{
			Figure:  OdileFigure,
			Head:    between(0.95, 1.25),
			Fingers: []int{0, 5, 0, 4}[i%4],
			Apart:   between(6, 14),
			Boots:   rng.IntN(2) == 0,
			Melted:  rng.IntN(2) == 0,
			Tall:    between(0.3, 1.2),
		}
		c.Arms, c.Elbow, c.Stout = 40, between(2, 8), between(0.8, 1.3)
		c.Hip += between(-0.03, 0.02)
		c.Knee = c.Hip * between(0.52, 0.57)
		c.Shoulder += between(-0.015, 0.01)
		c.Across *= between(0.92, 1.15)
		c.Foot *= between(0.9, 1.15)
		c.Height = between(0.6, 1.9)
		wears := ""
		switch i % 5 {
		case 1:
			c.Hat = []string{"cap", "brim", "tall", "point", "hood"}[rng.IntN(5)]
			wears = ", " + c.Hat
		case 3:
			c.Bag = "pack"
			wears = ", pack"
		case 4:
			c.Held = []string{"staff", "rod", "pail"}[rng.IntN(3)]
			wears = ", " + c.Held
		}
		if wears != "" && c.Melted {
			wears += ", melted"
		}
		c.Posture = how.take
		c.PostureSeed = seed<<16 + uint64(i)
		name := fmt.Sprintf("pose %2d of %d, %s, stout %.2f, %d fingers%s", i+1, seed, how.name, c.Stout, c.Fingers, wears)
		out = append(out, Variant{name, c.Params(), c.crown(), func() (*mesh.Mesh, *skeleton.Skeleton) { return c.Make(100) }})
	}
	return out
}

// take turns the primitives of bodies, and the skeleton, into a posture. Each primitive goes with the bone whose
// segment is nearest to its middle.
func take(posture func(*posing), seed uint64, s *skeleton.Skeleton, bodies []*body) {
	p := &posing{s: s.Clone(), rng: rand.New(rand.NewPCG(seed, 14)), turns: pose.Pose{}, turned: map[int]quat.Number{}}
	posture(p)
	moved := pose.Skin(p.s, p.turns)
	back := make([]geom.Matrix, len(moved))
	for i, m := range moved {
		back[i], _ = m.Inverse()
	}
	done := map[*body]bool{}
	for _, b := range bodies {
		if done[b] {
			continue
		}
		done[b] = true
		list := b.prims
		b.prims = nil
		for _, q := range list {
			best, at := math.Inf(1), 0
			for k, j := range p.s.Joints {
				if j.Parent < 0 {
					continue
				}
				on, _ := geom.ClosestOnSegment(q.centre, p.s.Joints[j.Parent].Pos, j.Pos)
				if d := r3.Norm2(r3.Sub(on, q.centre)); d < best {
					best, at = d, p.s.Joints[k].Parent
				}
			}
			rest, home := q.distance, back[at]
			q.distance = func(x r3.Vec) float64 { return rest(home.Point(x)) }
			q.centre = moved[at].Point(q.centre)
			b.add(q)
		}
	}
	for i := range s.Joints {
		s.Joints[i].Pos = moved[i].Point(s.Joints[i].Pos)
	}
}

func (p *posing) between(a, b float64) float64 { return a + (b-a)*p.rng.Float64() }

// of returns how a joint has been turned from rest, in world frame.
func (p *posing) of(i int) quat.Number {
	if i < 0 {
		return geom.Identity
	}
	if q, ok := p.turned[i]; ok {
		return q
	}
	return p.of(p.s.Joints[i].Parent)
}

// turn turns a joint about a world axis as it is when the joints above it have been turned, degrees.
func (p *posing) turn(joint string, axis r3.Vec, degrees float64) {
	i := p.s.Index(joint)
	p.set(i, quat.Mul(p.of(p.s.Joints[i].Parent), geom.AxisAngle(axis, degrees*math.Pi/180)))
}

func (p *posing) set(i int, q quat.Number) {
	p.turned[i] = q
	p.turns[p.s.Joints[i].Name] = quat.Mul(quat.Conj(p.of(p.s.Joints[i].Parent)), q)
}

// aim turns a joint the shortest way so that the bone to another leads in a direction, which is given in the frame of
// the trunk.
func (p *posing) aim(joint, child string, way r3.Vec) {
	i, k := p.s.Index(joint), p.s.Index(child)
	was := p.of(p.s.Joints[i].Parent)
	rest := geom.Rotate(was, r3.Sub(p.s.Joints[k].Pos, p.s.Joints[i].Pos))
	p.set(i, quat.Mul(geom.Between(rest, way), was))
}

// trunk is how the chest, or for the legs the pelvis, has been turned.
func (p *posing) trunk(joint string) quat.Number { return p.of(p.s.Index(joint)) }

func sideways(side string) float64 {
	if side == "_l" {
		return 1
	}
	return -1
}

// arm poses an arm in the chest's frame: degrees below level, forward from hanging, and how far the elbow bends.
func (p *posing) arm(side string, below, forward, elbow float64) {
	x := sideways(side)
	q := p.trunk("spine_3")
	d := geom.Rotate(geom.AxisAngle(r3.Vec{Z: 1}, -x*below*math.Pi/180), r3.Vec{X: x})
	d = geom.Rotate(geom.AxisAngle(r3.Vec{X: 1}, -forward*math.Pi/180), d)
	fore := r3.Vec{X: -0.35 * x, Z: 1} // an elbow bends forward, and a little inward
	if below < 0 {
		fore = r3.Vec{X: -x, Z: 0.4}
	}
	e := square(fore, d)
	sin, cos := math.Sincos(elbow * math.Pi / 180)
	lower := r3.Add(r3.Scale(cos, d), r3.Scale(sin, e))
	p.aim("upper_arm"+side, "forearm"+side, geom.Rotate(q, d))
	p.aim("forearm"+side, "hand"+side, geom.Rotate(q, lower))
}

// leg poses a leg in the pelvis's frame: the thigh forward and outward from straight down, the knee backward, degrees.
// The foot stays square to the shank, turned by toes.
func (p *posing) leg(side string, forward, out, knee, toes float64) {
	x := sideways(side)
	q := p.trunk("hips")
	turn := func(degrees float64, d r3.Vec) r3.Vec {
		d = geom.Rotate(geom.AxisAngle(r3.Vec{X: 1}, -degrees*math.Pi/180), d)
		return geom.Rotate(geom.AxisAngle(r3.Vec{Y: 1}, x*out*math.Pi/180), d)
	}
	if forward < 45 {
		turn = func(degrees float64, d r3.Vec) r3.Vec {
			d = geom.Rotate(geom.AxisAngle(r3.Vec{X: 1}, -degrees*math.Pi/180), d)
			return geom.Rotate(geom.AxisAngle(r3.Vec{Z: 1}, x*out*math.Pi/180), d)
		}
	}
	down := r3.Vec{Y: -1}
	p.aim("thigh"+side, "shank"+side, geom.Rotate(q, turn(forward, down)))
	p.aim("shank"+side, "foot"+side, geom.Rotate(q, turn(forward-knee, down)))
	rest := r3.Sub(p.s.Joints[p.s.Index("toe"+side)].Pos, p.s.Joints[p.s.Index("foot"+side)].Pos)
	p.aim("foot"+side, "toe"+side, geom.Rotate(q, turn(forward-knee+toes, rest)))
}

func (p *posing) sides(each func(side string)) {
	each("_l")
	each("_r")
}

// standing lets the legs nearly hang, whatever the trunk does.
func (p *posing) standing() {
	p.sides(func(s string) { p.leg(s, p.between(-4, 6), p.between(1, 6), p.between(0, 8), 0) })
}

func armsAnyhow(p *posing) {
	p.standing()
	p.sides(func(s string) { p.arm(s, p.between(20, 84), p.between(-20, 40), p.between(0, 60)) })
}

func elbowsBent(p *posing) {
	p.standing()
	below, forward, elbow := p.between(15, 72), p.between(-5, 40), p.between(40, 95)
	p.sides(func(s string) { p.arm(s, below+p.between(-4, 4), forward, elbow+p.between(-6, 6)) })
}

func oneArmUp(p *posing) {
	p.standing()
	p.arm("_l", p.between(-80, -25), p.between(-10, 20), p.between(0, 70))
	p.arm("_r", p.between(55, 84), p.between(-10, 25), p.between(2, 40))
}

func armsUp(p *posing) {
	p.standing()
	below, elbow := p.between(-75, -20), p.between(0, 60)
	p.sides(func(s string) { p.arm(s, below+p.between(-6, 6), p.between(-10, 15), elbow+p.between(-6, 6)) })
}

func striding(p *posing) {
	stride := p.between(15, 35)
	p.turn("spine_2", r3.Vec{Y: 1}, p.between(-12, 12))
	p.leg("_l", stride, 1, p.between(2, 15), p.between(-10, 10))
	p.leg("_r", -stride*p.between(0.5, 0.9), 1, p.between(5, 40), p.between(-5, 15))
	swing := p.between(10, 35)
	p.arm("_l", p.between(68, 80), -swing, p.between(5, 30))
	p.arm("_r", p.between(68, 80), swing, p.between(10, 50))
}

func running(p *posing) {
	p.turn("hips", r3.Vec{X: 1}, p.between(0, 18))
	p.leg("_r", p.between(40, 75), 2, p.between(50, 100), 0)
	p.leg("_l", -p.between(10, 30), 2, p.between(10, 70), 10)
	p.arm("_l", p.between(60, 75), p.between(20, 45), p.between(70, 100))
	p.arm("_r", p.between(60, 75), -p.between(25, 50), p.between(60, 95))
}

func seatedDown(p *posing) {
	out := p.between(4, 16)
	p.turn("hips", r3.Vec{X: 1}, p.between(-12, 6))
	p.turn("spine_2", r3.Vec{X: 1}, p.between(-4, 12))
	p.sides(func(s string) {
		p.leg(s, p.between(78, 92), out, p.between(60, 95), p.between(-5, 5))
		p.arm(s, p.between(40, 76), p.between(0, 40), p.between(10, 70))
	})
}

func crouched(p *posing) {
	out := p.between(12, 28)
	p.turn("hips", r3.Vec{X: 1}, p.between(5, 25))
	p.turn("spine_2", r3.Vec{X: 1}, p.between(5, 20))
	p.sides(func(s string) {
		p.leg(s, p.between(85, 105), out, p.between(95, 120), p.between(5, 20))
		p.arm(s, p.between(20, 60), p.between(20, 60), p.between(10, 60))
	})
	p.turn("neck", r3.Vec{X: 1}, -p.between(0, 20))
}

func onAllFours(p *posing) {
	p.turn("hips", r3.Vec{X: 1}, p.between(70, 88))
	p.turn("spine_2", r3.Vec{X: 1}, p.between(-8, 10))
	p.turn("neck", r3.Vec{X: 1}, -p.between(10, 40))
	p.sides(func(s string) {
		p.leg(s, p.between(70, 95), p.between(3, 10), p.between(80, 95), p.between(-40, -10))
		p.arm(s, p.between(70, 82), p.between(75, 95), p.between(0, 20))
	})
}

func leaning(p *posing) {
	forward, side := p.between(-12, 50), p.between(-15, 15)
	p.turn("spine_1", r3.Vec{X: 1}, forward/2)
	p.turn("spine_2", r3.Vec{X: 1}, forward/2)
	p.turn("spine_3", r3.Vec{Z: 1}, side)
	p.standing()
	p.sides(func(s string) { p.arm(s, p.between(30, 80), forward*p.between(0.3, 1), p.between(0, 40)) })
}

func lookingAside(p *posing) {
	p.standing()
	p.turn("neck", r3.Vec{Y: 1}, p.between(15, 30))
	p.turn("head", r3.Vec{Y: 1}, p.between(15, 45))
	p.sides(func(s string) { p.arm(s, p.between(25, 75), p.between(-5, 15), p.between(0, 30)) })
}

func kneeling(p *posing) {
	both := p.rng.IntN(2) == 0
	p.leg("_l", p.between(-8, 10), 4, p.between(80, 95), p.between(-45, -20))
	if both {
		p.leg("_r", p.between(-8, 10), 4, p.between(80, 95), p.between(-45, -20))
	} else {
		p.leg("_r", p.between(78, 95), 8, p.between(80, 95), 0)
	}
	p.turn("spine_2", r3.Vec{X: 1}, p.between(-5, 15))
	p.sides(func(s string) { p.arm(s, p.between(45, 78), p.between(-5, 35), p.between(5, 70)) })
}

func astride(p *posing) {
	p.sides(func(s string) {
		p.leg(s, p.between(-5, 15), p.between(18, 34), p.between(0, 35), 0)
		p.arm(s, p.between(20, 75), p.between(-5, 20), p.between(5, 50))
	})
	p.turn("spine_2", r3.Vec{Y: 1}, p.between(-15, 15))
}
