package demo

import (
	"fmt"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// Otter are the measures of Sedge: how much longer legs and body are than usual,
// how stout it is, how far neck and tail are raised (radians), how far it
// steps (metres, left foreleg and right hind leg ahead), and how much closer than usual
// the legs of a pair stand (0 to 1).
type Otter struct {
	Leg, Long, Stout, Neck, Tail, Step, Close float64
}

// SedgeFigure are the measures of Sedge in the demo.
var SedgeFigure = Otter{Leg: 1, Long: 1, Stout: 1}

// otterJoints are the joints at the usual measures, metres, left side only.
var otterJoints = []struct {
	name    string
	x, y, z float64
}{
	{
		"hips",
		0,
		0.345,
		-0.30,
	}, {"spine_1", 0, 0.362, -0.19}, {"spine_2", 0, 0.372, -0.06}, {"spine_3", 0, 0.370, 0.07}, {"spine_4", 0, 0.362, 0.20},
	{"neck_1", 0, 0.385, 0.335}, {"neck_2", 0, 0.435, 0.42}, {"head", 0, 0.480, 0.485}, {"head_end", 0, 0.462, 0.668},
	{
		"scapula_l",
		0.05,
		0.375,
		0.23,
	}, {"upper_arm_l", 0.085, 0.300, 0.315}, {"forearm_l", 0.090, 0.212, 0.262}, {"hand_l", 0.090, 0.095, 0.272}, {"fingers_l", 0.090, 0.022, 0.305}, {"fingers_end_l", 0.092, 0.010, 0.368},
	{
		"thigh_l",
		0.075,
		0.305,
		-0.335,
	}, {"shank_l", 0.092, 0.205, -0.262}, {"foot_l", 0.092, 0.105, -0.352}, {"toe_l", 0.092, 0.022, -0.305}, {"toe_end_l", 0.094, 0.010, -0.235},
	{
		"tail_1",
		0,
		0.325,
		-0.43,
	}, {"tail_2", 0, 0.300, -0.56}, {"tail_3", 0, 0.268, -0.69}, {"tail_4", 0, 0.232, -0.82}, {"tail_5", 0, 0.196, -0.95}, {"tail_end", 0, 0.165, -1.08},
}

// OtterParams is the starter that an otter's true skeleton is.
var OtterParams = skeleton.Params{Starter: "quadruped", Height: 1, Spine: 4, Neck: 2, Tail: 5, Scapula: true}

// Sedge returns the otter meshed with cells of the given size in metres, and its
// true skeleton.
func Sedge(cell float64) (*mesh.Mesh, *skeleton.Skeleton) { return sedge(SedgeFigure, cell) }

func sedge(f Otter, cell float64) (*mesh.Mesh, *skeleton.Skeleton) {
	s := otterBones(f)
	const coat, belly, nose, eye, scarf = 0, 1, 2, 3, 4
	parts := []mesh.Part{
		paint("coat", 0.20, 0.115, 0.06),
		paint("belly", 0.55, 0.41, 0.27),
		paint("nose", 0.05, 0.04, 0.04),
		paint("eyes", 0.03, 0.03, 0.03),
		paint("neckerchief", 0.10, 0.33, 0.33),
	}
	b := &beast{s: s}
	w := f.Stout
	at, along := b.at, b.along
	down := func(p r3.Vec, d float64) r3.Vec { p.Y -= d; return p }
	// The trunk hangs under the spine.
	b.add(cone(coat, down(at("hips"), 0.050), down(at("spine_2"), 0.055), 0.108*w, 0.112*w, 0.03))
	b.add(cone(coat, down(at("spine_2"), 0.055), down(at("spine_4"), 0.058), 0.112*w, 0.104*w, 0.03))
	b.add(cone(belly, down(at("spine_1"), 0.085), down(at("spine_4"), 0.085), 0.085*w, 0.085*w, 0.02))
	b.add(cone(coat, down(at("spine_4"), 0.045), at("neck_1"), 0.098*w, 0.082, 0.05))
	b.add(cone(coat, at("neck_1"), at("head"), 0.076, 0.064, 0.04))
	// Head: skull, cheeks, muzzle, ears.
	ahead := r3.Unit(r3.Sub(at("head_end"), at("head")))
	up := r3.Unit(r3.Sub(r3.Vec{Y: 1}, r3.Scale(ahead.Y, ahead)))
	head := func(a, u, x float64) r3.Vec {
		p := r3.Add(at("head"), r3.Add(r3.Scale(a, ahead), r3.Scale(u, up)))
		p.X += x
		return p
	}
	level := geom.Between(r3.Vec{Z: 1}, ahead)
	b.add(ball(coat, head(0.058, 0.012, 0), r3.Vec{X: 0.080, Y: 0.064, Z: 0.088}, level, 0.02))
	b.add(ball(belly, head(0.130, -0.022, 0), r3.Vec{X: 0.054, Y: 0.036, Z: 0.046}, level, 0.02))
	b.add(ball(coat, head(0.120, 0.006, 0), r3.Vec{X: 0.042, Y: 0.036, Z: 0.052}, level, 0.02))
	b.add(ball(nose, head(0.170, 0.004, 0), r3.Vec{X: 0.019, Y: 0.014, Z: 0.013}, level, 0.004))
	b.pair(func(_ string, x float64) prim {
		return ball(coat, head(0.022, 0.056, x*0.066), r3.Vec{X: 0.020, Y: 0.022, Z: 0.012}, level, 0.008)
	})
	b.pair(func(_ string, x float64) prim {
		return ball(eye, head(0.118, 0.032, x*0.040), r3.Vec{X: 0.013, Y: 0.013, Z: 0.012}, level, 0.002)
	})
	b.add(
		ring(
			scarf,
			r3.Scale(0.5, r3.Add(at("neck_1"), at("neck_2"))),
			0.074,
			0.074,
			0.016,
			geom.Between(r3.Vec{Y: 1}, r3.Unit(r3.Sub(at("neck_2"), at("neck_1")))),
			0.005,
		),
	)
	// Legs.
	b.pair(func(s string, _ float64) prim {
		return cone(coat, at("upper_arm"+s), at("forearm"+s), 0.054*w, 0.040*w, 0.03)
	})
	b.pair(func(s string, _ float64) prim {
		return cone(coat, at("forearm"+s), at("hand"+s), 0.038*w, 0.029*w, 0.012)
	})
	b.pair(func(s string, _ float64) prim {
		return cone(coat, at("hand"+s), at("fingers"+s), 0.028*w, 0.026*w, 0.010)
	})
	b.pair(func(s string, _ float64) prim {
		return ball(coat, b.sole(along("fingers"+s, "fingers_end"+s, 0.35), 0.020), r3.Vec{X: 0.040, Y: 0.020, Z: 0.052}, plain, 0.012)
	})
	b.pair(func(s string, _ float64) prim {
		return cone(coat, at("thigh"+s), at("shank"+s), 0.072*w, 0.048*w, 0.03)
	})
	b.pair(func(s string, _ float64) prim {
		return cone(coat, at("shank"+s), at("foot"+s), 0.044*w, 0.029*w, 0.014)
	})
	b.pair(func(s string, _ float64) prim { return cone(coat, at("foot"+s), at("toe"+s), 0.028*w, 0.027*w, 0.010) })
	b.pair(func(s string, _ float64) prim {
		return ball(coat, b.sole(along("toe"+s, "toe_end"+s, 0.35), 0.021), r3.Vec{X: 0.043, Y: 0.021, Z: 0.058}, plain, 0.012)
	})
	for _, side := range []string{"_l", "_r"} { // toes
		for i := range 4 {
			x := (float64(i) - 1.5) * 0.019
			for _, foot := range []string{"fingers_end", "toe_end"} {
				p := at(foot + side)
				b.add(
					cone(
						coat,
						r3.Add(p, r3.Vec{X: x, Y: 0.004, Z: -0.03}),
						r3.Add(p, r3.Vec{X: 1.25 * x, Y: 0.001, Z: 0}),
						0.012,
						0.009,
						0.006,
					),
				)
			}
		}
	}
	// Tail, thick at the root.
	tail := []string{"hips", "tail_1", "tail_2", "tail_3", "tail_4", "tail_5", "tail_end"}
	radius := []float64{0.080, 0.062, 0.050, 0.040, 0.031, 0.023, 0.014}
	for i := 1; i < len(tail); i++ {
		b.add(cone(coat, at(tail[i-1]), at(tail[i]), radius[i-1]*math.Sqrt(w), radius[i]*math.Sqrt(w), 0.02))
	}
	return b.surface(cell, parts), s
}

// otterBones builds the true skeleton of an otter.
func otterBones(f Otter) *skeleton.Skeleton {
	s, err := OtterParams.Build()
	if err != nil {
		panic(err) // the parameters are ours
	}
	place := map[string]r3.Vec{}
	for _, j := range otterJoints {
		p := r3.Vec{X: j.x * math.Sqrt(f.Stout) * (1 - f.Close), Y: j.y, Z: j.z * f.Long}
		if p.Y < 0.3 && j.x != 0 {
			p.Y *= f.Leg
		} else {
			p.Y += 0.3 * (f.Leg - 1)
		}
		place[j.name] = p
	}
	turn := func(about string, names []string, angle float64) {
		q, o := geom.AxisAngle(r3.Vec{X: 1}, angle), place[about]
		for _, n := range names {
			place[n] = r3.Add(o, geom.Rotate(q, r3.Sub(place[n], o)))
		}
	}
	turn("neck_1", []string{"neck_2", "head", "head_end"}, -f.Neck)
	turn("tail_1", []string{"tail_2", "tail_3", "tail_4", "tail_5", "tail_end"}, f.Tail)
	for i := range s.Joints {
		j := &s.Joints[i]
		name, side := j.Name, 1.0
		if other, ok := skeleton.DefaultMarks.Partner(name); ok && skeleton.DefaultMarks.Of(name) == skeleton.Right {
			name, side = other, -1
		}
		p, ok := place[name]
		if !ok {
			panic(fmt.Sprintf("the otter has no place for %s", j.Name))
		}
		p.X *= side
		if skeleton.DefaultMarks.Of(j.Name) != skeleton.Centre && p.Y < 0.3*f.Leg {
			ahead := side // left foreleg, right hind leg
			if p.Z < 0 {
				ahead = -side
			}
			p.Z += ahead * f.Step * (1 - p.Y/(0.3*f.Leg))
		}
		j.Pos = p
	}
	return s
}

// beast is a solid around a skeleton in metres.
type beast struct {
	solid
	s *skeleton.Skeleton
}

func (b *beast) at(name string) r3.Vec {
	i, err := b.s.Find(name)
	if err != nil {
		panic(err) // a name of ours
	}
	return b.s.Joints[i].Pos
}

func (b *beast) along(from, to string, t float64) r3.Vec {
	p, q := b.at(from), b.at(to)
	return r3.Add(p, r3.Scale(t, r3.Sub(q, p)))
}

// sole returns p at a height above the ground.
func (b *beast) sole(p r3.Vec, y float64) r3.Vec {
	p.Y = y
	return p
}

// pair adds a primitive for both sides; x is +1 on the left.
func (b *beast) pair(make func(side string, x float64) prim) {
	b.add(make("_l", 1))
	b.add(make("_r", -1))
}

var plain = level
