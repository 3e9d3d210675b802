package demo

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// Build is another body of a character's vertices, with where its joints truly are.
type Build struct {
	Name     string
	Mesh     *mesh.Mesh
	Skeleton *skeleton.Skeleton
	Points   []r3.Vec // of the build, world
	Truth    *skeleton.Skeleton
}

// Builds are n builds of strangers by the seed, in turn by two ways that know nothing of weights: of bones that are longer or
// shorter and thicker or thinner, each with the skin about it, and of space that is drawn out smoothly.
func Builds(seed uint64, n int) []Build {
	rng := rand.New(rand.NewPCG(seed, 27))
	var out []Build
	for i, v := range Strangers(seed, n) {
		m, s := v.Make()
		b := Build{Mesh: m, Skeleton: s}
		if i/3%2 == 0 { // strangers have fingers every other time
			b.Name = fmt.Sprintf("%s, other bones", v.Name)
			b.Truth, b.Points = Proportions(rng).Of(m.World(), s)
		} else {
			b.Name = fmt.Sprintf("%s, drawn out", v.Name)
			warp := drawnOut(rng, geom.BoxOf(m.World()))
			b.Truth = s.Clone()
			for k := range b.Truth.Joints {
				b.Truth.Joints[k].Pos = warp(s.Joints[k].Pos)
			}
			for _, p := range m.World() {
				b.Points = append(b.Points, warp(p))
			}
		}
		out = append(out, b)
	}
	return out
}

// BuildOf says how much longer the bones of a limb are than they were, and how much thicker the skin about them is; 0 is 1.
type BuildOf struct {
	Legs, Arms, Trunk, Shoulders, Hips, Neck, Head, Hands, Feet, Thick float64
}

// Young is a child's body.
var Young = BuildOf{
	Legs: 0.55, Arms: 0.62, Trunk: 0.68, Shoulders: 0.66, Hips: 0.75, Neck: 0.6, Head: 1.02, Hands: 0.72, Feet: 0.68, Thick: 0.72,
}

// Proportions draws a build.
func Proportions(rng *rand.Rand) BuildOf {
	between := func(a, b float64) float64 { return a + (b-a)*rng.Float64() }
	return BuildOf{
		Legs: between(0.55, 1.5), Arms: between(0.65, 1.4), Trunk: between(0.7, 1.3), Shoulders: between(0.75, 1.35),
		Hips: between(0.8, 1.4), Neck: between(0.7, 1.4), Head: between(0.8, 1.6), Hands: between(0.75, 1.4),
		Feet: between(0.8, 1.3), Thick: between(0.75, 1.4),
	}
}

// part is the share of a joint's bone to its parent, by name.
func (b BuildOf) part(joint string) float64 {
	stem, _, _ := strings.Cut(joint, "_")
	of := map[string]float64{
		"shank": b.Legs, "foot": b.Legs, "forearm": b.Arms, "hand": b.Arms, "spine": b.Trunk, "neck": b.Trunk, "clavicle": b.Shoulders,
		"upper": b.Shoulders, "thigh": b.Hips, "head": b.Neck, "toe": b.Feet,
	}[stem]
	switch {
	case joint == "head_end":
		of = b.Head
	case OfFinger(joint) || strings.HasPrefix(joint, "hand_end"):
		of = b.Hands
	}
	if of == 0 {
		return 1
	}
	return of
}

// Of returns the skeleton in this build, and points with it: each bone takes the points about it along, longer as it is and
// thicker, near bones counting most. It stands on the ground as before.
func (b BuildOf) Of(points []r3.Vec, s *skeleton.Skeleton) (*skeleton.Skeleton, []r3.Vec) {
	truth := s.Clone()
	for i, j := range s.Joints {
		if j.Parent >= 0 {
			way := r3.Sub(j.Pos, s.Joints[j.Parent].Pos)
			truth.Joints[i].Pos = r3.Add(truth.Joints[j.Parent].Pos, r3.Scale(b.part(j.Name), way))
		}
	}
	thick := func(joint string) float64 {
		switch {
		case joint == "head_end":
			return b.Head
		case OfFinger(joint) || strings.HasPrefix(joint, "hand_end"):
			return b.Hands
		case b.Thick == 0:
			return 1
		}
		return b.Thick
	}
	type bone struct {
		a, along, to, way r3.Vec // its beginning and unit direction, before and after
		length, grown     float64
		thick             float64
	}
	var bones []bone
	for i, j := range s.Joints {
		if j.Parent < 0 || r3.Norm(r3.Sub(j.Pos, s.Joints[j.Parent].Pos)) < 1e-9 {
			continue
		}
		d, e := r3.Sub(j.Pos, s.Joints[j.Parent].Pos), r3.Sub(truth.Joints[i].Pos, truth.Joints[j.Parent].Pos)
		bones = append(bones, bone{
			s.Joints[j.Parent].Pos, r3.Unit(d), truth.Joints[j.Parent].Pos, r3.Unit(e), r3.Norm(d), r3.Norm(e) / r3.Norm(d), thick(j.Name),
		})
	}
	soft := 0.01 * geom.BoxOf(points).Size().Y
	out := make([]r3.Vec, len(points))
	low, lower := math.Inf(1), math.Inf(1)
	for v, p := range points {
		var at r3.Vec
		sum := 0.0
		for _, x := range bones {
			t := r3.Dot(r3.Sub(p, x.a), x.along)
			on, _ := geom.ClosestOnSegment(p, x.a, r3.Add(x.a, r3.Scale(x.length, x.along)))
			aside := geom.Rotate(geom.Between(x.along, x.way), r3.Sub(r3.Sub(p, x.a), r3.Scale(t, x.along)))
			w := math.Pow(r3.Norm2(r3.Sub(p, on))+soft*soft, -3)
			q := r3.Add(x.to, r3.Add(r3.Scale(t*x.grown, x.way), r3.Scale(x.thick, aside)))
			at, sum = r3.Add(at, r3.Scale(w, q)), sum+w
		}
		out[v] = r3.Scale(1/sum, at)
		low, lower = min(low, p.Y), min(lower, out[v].Y)
	}
	down := r3.Vec{Y: low - lower}
	for i := range truth.Joints {
		truth.Joints[i].Pos = r3.Add(truth.Joints[i].Pos, down)
	}
	for v := range out {
		out[v] = r3.Add(out[v], down)
	}
	return truth, out
}

// drawnOut draws a smooth map of space: some heights longer, others shorter, wider by height, and a ball about the head larger.
func drawnOut(rng *rand.Rand, box geom.Box) func(r3.Vec) r3.Vec {
	between := func(a, b float64) float64 { return a + (b-a)*rng.Float64() }
	height := box.Size().Y
	leg, wave, wide, deep := between(0.65, 1.4), between(-0.06, 0.06), between(-0.25, 0.35), between(-0.2, 0.3)
	head := between(-0.1, 0.45)
	middle := r3.Vec{X: box.Centre().X, Y: box.Min.Y + 0.93*height, Z: box.Centre().Z}
	return func(p r3.Vec) r3.Vec {
		t := (p.Y - box.Min.Y) / height
		y := leg*t + (1-leg)*t*t + wave*math.Sin(2*math.Pi*t)/(2*math.Pi)
		x := (1 + wide*math.Sin(math.Pi*t)*0.5 + wide*0.3) * (p.X - box.Centre().X)
		z := (1 + deep*math.Cos(math.Pi*t)*0.5) * (p.Z - box.Centre().Z)
		q := r3.Vec{X: box.Centre().X + x, Y: box.Min.Y + y*height, Z: box.Centre().Z + z}
		d := r3.Norm(r3.Sub(p, middle)) / (0.12 * height)
		return r3.Add(q, r3.Scale(head*math.Exp(-d*d), r3.Sub(p, middle)))
	}
}
