package demo

import (
	"context"
	"fmt"
	"slices"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/fit"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// The figures have three fingers and a thumb, palms in: seen from the front edge of
// the hand on, thumb, index, middle and ring, in both hands alike, however coarse
// the body is.
func TestFingersOfTheFigures(t *testing.T) {
	need.Time(t)
	for name, c := range map[string]struct {
		make func(float64) (*mesh.Mesh, *skeleton.Skeleton)
		cell float64
	}{"Odile": {Odile, 0.0135}, "Odile, fine": {Odile, 0.0078}, "Bram": {Bram, 0.0185}} {
		m, truth := c.make(c.cell)
		p := skeleton.Kinds[0].Default
		p.Fingers = 4
		s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: p}, nil)
		require.NoError(t, err)
		solid, _ := m.Tree(m.Points)
		at := func(joint string) r3.Vec { return s.Joints[s.Index(joint)].Pos }
		for _, x := range []string{"_l", "_r"} {
			wrist, end := at("hand"+x), truth.Joints[truth.Index("hand_end"+x)].Pos
			before := 10.0
			for _, finger := range []string{"thumb", "index", "middle", "ring"} {
				far := 0.0
				for _, k := range []string{"1", "2", "3", "end"} {
					joint := fmt.Sprintf("%s_%s%s", finger, k, x)
					q := at(joint)
					require.Greater(t, solid.Winding(q), 0.5, "%s: %s is inside", name, joint)
					require.Greater(t, r3.Norm(r3.Sub(q, wrist)), far, "%s: %s lies beyond the one before", name, joint)
					far = r3.Norm(r3.Sub(q, wrist))
				}
				require.Contains(t, report.Tips, finger+x, name)
				tip := at(finger + "_end" + x)
				require.Less(t, tip.Z, before, "%s: %s lies behind the finger before", name, finger)
				before = tip.Z
				if finger != "thumb" {
					require.Less(t, r3.Norm(r3.Sub(tip, end)), 0.06*report.Height, "%s: %s ends where the hand does", name, finger)
				}
			}
		}
		plane := s.MirrorPlane(skeleton.DefaultMarks)
		for i, j := range s.Joints {
			if k := s.PartnerOf(i, skeleton.DefaultMarks); k >= 0 {
				require.InDelta(
					t,
					0,
					r3.Norm(r3.Sub(skeleton.Mirrored(j.Pos, plane), s.Joints[k].Pos)),
					0.02*report.Height,
					"%s: %s",
					name,
					j.Name,
				)
			}
		}
	}
}

// What lies beyond the second joint of a finger goes with the finger: the hand's own bone, whose end is at the tips,
// runs through one of them and would hold half of it. Strangers with their own skeletons and with fitted ones, by
// the automatic bind and by distance.
func TestFingersAreNotLedByTheHand(t *testing.T) {
	need.Time(t)
	list := Strangers(41, 26)
	for _, v := range []Variant{list[9], list[25]} {
		m, truth := v.Make()
		fitted, _, err := fit.Fit(context.Background(), m, fit.Options{Params: v.Params}, nil)
		require.NoError(t, err)
		for _, s := range []*skeleton.Skeleton{truth, fitted} {
			auto, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
			require.NoError(t, err)
			near, _, err := bind.Near(context.Background(), m, s, bind.DefaultDistance, nil)
			require.NoError(t, err)
			fingers := 0
			for _, name := range []string{"index_l", "middle_l", "ring_l", "little_l", "index_r", "middle_r", "ring_r", "little_r"} {
				finger, side := name[:len(name)-2], name[len(name)-2:]
				from := s.Index(finger + "_2" + side)
				if from < 0 {
					continue
				}
				a, b := s.Joints[from].Pos, s.Joints[s.Index(finger+"_end"+side)].Pos
				long := r3.Norm(r3.Sub(b, a))
				way := r3.Scale(1/long, r3.Sub(b, a))
				for by, w := range map[string]*weights.Weights{"automatic": auto, "distance": near} {
					hand, n, sum := int32(slices.Index(w.Joints, "hand"+side)), 0, 0.0
					for v, p := range m.Points {
						d := r3.Sub(p, a)
						y := r3.Dot(d, way)
						if y > 0 && y < long && r3.Norm(r3.Sub(d, r3.Scale(y, way))) < 0.3*long {
							n++
							sum += w.Value(v, hand)
						}
					}
					if n > 0 {
						fingers++
						require.Less(t, sum/float64(n), 0.03, "%s of %s, %s", name, v.Name, by)
					}
				}
			}
			require.GreaterOrEqual(t, fingers, 8, v.Name)
		}
	}
}
