package demo

import (
	"fmt"
	"math/rand/v2"

	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// Variant is a character of other measures, pose or state than the cast's, with
// its true skeleton, to hold the fit against.
type Variant struct {
	Name   string
	Params skeleton.Params
	Height float64 // that a fit is measured by, metres; 0 is what the fit or the true skeleton says
	Make   func() (*mesh.Mesh, *skeleton.Skeleton)
}

// Variants are sixty characters: forty on two legs from arms straight out to arms
// down, slim to stout, short-legged to long-legged, in two resolutions, whole and
// with defects; twelve otters and eight waders.
func Variants() []Variant {
	var out []Variant
	rng := rand.New(rand.NewPCG(20, 26))
	between := func(a, b float64) float64 { return a + (b-a)*rng.Float64() }
	defects := []string{"", "holes", "", "cracks", "", "flipped", "", "lantern", "", "asymmetric"}
	biped, _ := skeleton.FindKind("biped")
	for i := range 40 {
		f := OdileFigure
		f.Arms = []float64{0, 20, 40, 55, 72}[i%5]
		f.Elbow = between(3, 16)
		f.Stout = between(0.85, 1.35)
		f.Hip += between(-0.02, 0.02)
		f.Knee += between(-0.015, 0.015)
		f.Shoulder += between(-0.012, 0.008)
		f.Across *= between(0.93, 1.15)
		f.Foot *= between(0.9, 1.15)
		f.Height *= between(0.7, 1.25)
		cell := []float64{0.019, 0.014}[i/20] * f.Height / OdileFigure.Height
		defect := defects[i%len(defects)]
		seed := uint64(i)
		out = append(out, Variant{fmt.Sprintf("biped %2d, arms %.0f°, stout %.2f %s", i+1, f.Arms, f.Stout, defect), biped.Default, 0,
			func() (*mesh.Mesh, *skeleton.Skeleton) {
				m, s := odile(f, cell)
				return spoil(m, s, defect, seed)
			}})
	}
	for i := range 12 {
		f := Otter{
			Leg:   between(0.9, 1.35),
			Long:  between(0.85, 1.15),
			Stout: between(0.88, 1.15),
			Neck:  between(-0.25, 0.25),
			Tail:  between(-0.25, 0.35),
			Step:  between(0, 0.03),
		}
		defect := defects[i%6]
		seed := uint64(100 + i)
		out = append(out, Variant{fmt.Sprintf("otter %2d, legs %.2f, stout %.2f %s", i+1, f.Leg, f.Stout, defect), OtterParams, 0,
			func() (*mesh.Mesh, *skeleton.Skeleton) {
				m, s := sedge(f, 0.0125)
				return spoil(m, s, defect, seed)
			}})
	}
	for i := range 8 {
		f := Wader{
			Leg:   between(0.85, 1.2),
			Neck:  between(0.9, 1.3),
			Wing:  between(0.85, 1.15),
			Stout: between(0.9, 1.15),
			Droop: between(-0.15, 0.3),
		}
		out = append(out, Variant{fmt.Sprintf("wader %2d, legs %.2f, wings %.2f, droop %.2f", i+1, f.Leg, f.Wing, f.Droop), PloverParams, 0,
			func() (*mesh.Mesh, *skeleton.Skeleton) { return plover(f, 0.0052) }})
	}
	return out
}

// spoil gives a mesh the defect of that name.
func spoil(m *mesh.Mesh, s *skeleton.Skeleton, defect string, seed uint64) (*mesh.Mesh, *skeleton.Skeleton) {
	rng := rand.New(rand.NewPCG(seed, 7))
	switch defect {
	case "holes": // a hundredth of the faces gone, here and there
		drop := make([]bool, m.Faces())
		for f := range drop {
			drop[f] = rng.Float64() < 0.01
		}
		m, _ = m.DropChosen(drop)
	case "cracks": // every part on its own
		chosen := make([]bool, m.Faces())
		for f := range chosen {
			chosen[f] = m.PartOf(f)%2 == 0
		}
		m = crack(m, chosen)
	case "flipped": // a patch turned inside out
		for f := range m.Faces() {
			c := m.Face(f)
			if p := m.Points[c[0]]; p.Z < 0 && p.X > -0.05 && p.X < 0.05 {
				for i, j := 1, len(c)-1; i < j; i, j = i+1, j-1 {
					c[i], c[j] = c[j], c[i]
				}
			}
		}
	case "lantern": // a prop beside one hand
		at := s.Joints[len(s.Joints)-1].Pos
		if i := s.Index("hand_end_l"); i >= 0 {
			at = s.Joints[i].Pos
		}
		size := 0.06 * s.Height()
		b := &solid{}
		b.add(ball(0, r3.Add(at, r3.Vec{X: size, Y: -2 * size}), r3.Vec{X: size, Y: 1.5 * size, Z: size}, level, 0))
		m = mesh.Join(m, b.surface(size/6, []mesh.Part{paint("lantern", 0.6, 0.5, 0.2)}))
	case "asymmetric": // one half a little broader
		for i, p := range m.Points {
			if p.X < 0 {
				m.Points[i].X *= 1.06
			}
		}
		for i := range s.Joints {
			if s.Joints[i].Pos.X < 0 {
				s.Joints[i].Pos.X *= 1.06
			}
		}
	}
	return m, s
}
