package demo

import (
	"context"
	"testing"

	"wisemarrow/core/fit"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// without returns a mesh without the faces whose middle is somewhere.
func without(m *mesh.Mesh, there func(p r3.Vec) bool) *mesh.Mesh {
	chosen := make([]bool, m.Faces())
	for f := range chosen {
		var sum r3.Vec
		for _, v := range m.Face(f) {
			sum = r3.Add(sum, m.Points[v])
		}
		chosen[f] = there(r3.Scale(1/float64(len(m.Face(f))), sum))
	}
	out, _ := m.DropChosen(chosen)
	return out
}

// A body that is not whole is refused with what it lacks; one that lacks an arm is fitted, and the arm is a guess.
func TestABodyThatIsNotWholeIsToldWhatItLacks(t *testing.T) {
	need.Time(t)
	for _, figure := range []Figure{OdileFigure, TansyFigure} {
		m, truth := Stranger{Figure: figure, Head: 1}.Make(56)
		at := func(joint string) r3.Vec { return truth.Joints[truth.Index(joint)].Pos }
		h := figure.Height
		for _, c := range []struct {
			name, says string
			there      func(p r3.Vec) bool
		}{
			{"no head", "no head was found", func(p r3.Vec) bool { return p.Y > at("neck").Y+0.012*h }},
			{"the left half", "one half of a body", func(p r3.Vec) bool { return p.X < 0 }},
			{"the upper body", "no legs were found", func(p r3.Vec) bool { return p.Y < at("hips").Y-0.03*h }},
			{"a bust", "no legs were found", func(p r3.Vec) bool { return p.Y < at("spine_2").Y }},
			{"legs alone", "no torso was found", func(p r3.Vec) bool { return p.Y > at("spine_1").Y }},
			{"no right arm", "", func(p r3.Vec) bool { return p.X < at("upper_arm_r").X-0.03*h }},
			{"no right forearm", "", func(p r3.Vec) bool { return p.X < at("forearm_r").X }},
		} {
			if figure.Height != OdileFigure.Height && c.name != "legs alone" && c.name != "a bust" {
				continue
			}
			s, _, err := fit.Fit(context.Background(), without(m, c.there), fit.Options{Params: skeleton.Kinds[0].Default}, nil)
			if c.says != "" {
				require.ErrorContains(t, err, c.says, c.name)
				continue
			}
			require.NoError(t, err, c.name)
			for _, j := range s.Joints {
				off := r3.Norm(r3.Sub(j.Pos, at(j.Name))) / h
				switch j.Name {
				case "forearm_r", "hand_r", "hand_end_r":
					require.Less(t, j.Confidence, skeleton.Sure, "%s: %s", c.name, j.Name)
				default:
					require.Less(t, off, 0.06, "%s: %s", c.name, j.Name)
				}
			}
		}
	}
}
