package fit

import (
	"context"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

var byShape = Options{Params: skeleton.Params{Starter: "shape", Height: 1}}

// line makes a strand of a polyline, as thick everywhere.
func line(r float64, places ...r3.Vec) Strand {
	s := Strand{On: -1}
	for _, p := range places {
		s.Line = append(s.Line, Bead{p, r})
	}
	return Strand{On: -1, Line: resampled(s.Line, lineBeads)}
}

// Joints of a limb with sharp bends stand at them, wherever they are; of a straight one they divide it evenly.
func TestJointsStandWhereALimbBends(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		first, second := rapid.Float64Range(0.25, 0.6).Draw(t, "first"), rapid.Float64Range(0.25, 0.6).Draw(t, "second")
		turn := rapid.Float64Range(0.6, 1.3).Draw(t, "turn")
		a := r3.Vec{X: first}
		b := r3.Add(a, r3.Scale(second, r3.Vec{X: math.Cos(turn), Y: math.Sin(turn)}))
		s := &Shape{Limbs: []Limb{{Strand: line(0.02, r3.Vec{}, a, b), Kind: "arm", Name: "arm", Partner: -1}}}
		list, err := s.Joints(3, nil)
		require.NoError(t, err)
		require.Len(t, list, 3)
		require.Equal(t, "arm_end", list[2].Name)
		require.Less(t, r3.Norm(r3.Sub(a, list[1].At)), 0.06)
		require.Contains(t, list[1].Reason, "bends")
	})
	s := &Shape{Limbs: []Limb{{Strand: line(0.01, r3.Vec{}, r3.Vec{Z: 1}), Kind: "tail", Name: "tail", Partner: -1}}}
	list, err := s.Joints(6, nil)
	require.NoError(t, err)
	require.Len(t, list, 6)
	for i, j := range list {
		require.InDelta(t, float64(i)/5, j.At.Z, 0.04)
		require.Less(t, j.Parent, i)
	}
	require.Less(t, list[2].Confidence, skeleton.Sure, "nothing tells where a straight limb bends")
}

// More joints are never farther from the limb than fewer, and a dial that is turned too far ends somewhere.
func TestMoreJointsFollowALimbMoreClosely(t *testing.T) {
	var places []r3.Vec
	for k := range 60 {
		u := float64(k) / 59
		places = append(places, r3.Vec{X: u, Y: 0.2 * math.Sin(9*u), Z: 0.1 * math.Cos(5*u)})
	}
	sp := span{to: 0}
	l := line(0.005, places...)
	sp.to = l.length()
	sp.divide(&l)
	for n := 1; n < len(sp.cost) && sp.at[n] != nil; n++ {
		if math.IsInf(sp.cost[n], 1) {
			break
		}
		require.LessOrEqual(t, sp.cost[n], sp.cost[n-1]+1e-12)
		require.Len(t, sp.at[n], n)
	}
	s := &Shape{Limbs: []Limb{{Strand: l, Name: "chain", Kind: "chain", Partner: -1}}, Chain: true}
	list, err := s.Joints(100000, nil)
	require.NoError(t, err)
	require.LessOrEqual(t, len(list), shapeJointsMost)
}

// Blocks along the axes: as many arms as were put there, of their length, with sides and letters by their height.
func TestArmsOfABlockAreFoundAndNamed(t *testing.T) {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("post")}}
	block(m, r3.Vec{X: -0.15, Y: 0, Z: -0.15}, r3.Vec{X: 0.15, Y: 2, Z: 0.15})
	for _, y := range []float64{0.6, 1.1, 1.6} {
		block(m, r3.Vec{X: -1, Y: y - 0.05, Z: -0.05}, r3.Vec{X: 1, Y: y + 0.05, Z: 0.05})
	}
	s, report, err := Fit(context.Background(), m, byShape, nil)
	require.NoError(t, err)
	require.NotNil(t, report.Shape)
	for i, name := range []string{"arm_a_end", "arm_b_end", "arm_c_end"} {
		for side, sign := range map[string]float64{"_l": 1, "_r": -1} {
			k := s.Index(name + side)
			require.GreaterOrEqual(t, k, 0, name+side)
			at := s.Joints[k].Pos
			require.InDelta(t, sign, at.X, 0.06)
			require.InDelta(t, []float64{1.6, 1.1, 0.6}[i], at.Y, 0.05, "the uppermost is a")
		}
	}
}

// What has no limbs is refused with what to do, not given a skeleton that means nothing.
func TestAShapeWithoutLimbsIsRefused(t *testing.T) {
	for name, m := range map[string]*mesh.Mesh{"ball": solids.Sphere(2), "box": solids.Box(r3.Vec{X: -1, Z: -1}, r3.Vec{X: 1, Y: 2, Z: 1})} {
		_, _, err := Fit(context.Background(), m, byShape, nil)
		require.ErrorContains(t, err, "place the joints by hand", name)
	}
}

// A hedgehog has more ends than a skeleton needs: the longest are read, and it is said that there were more.
func TestAHedgehogIsCutAndItIsSaid(t *testing.T) {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("hedgehog")}}
	block(m, r3.Vec{X: -0.5, Y: -0.5, Z: -0.5}, r3.Vec{X: 0.5, Y: 0.5, Z: 0.5})
	for i := range 6 {
		for k := range 6 {
			x, y := -0.4+0.16*float64(i), -0.4+0.16*float64(k)
			block(m, r3.Vec{X: x - 0.02, Y: y - 0.02, Z: -1.2}, r3.Vec{X: x + 0.02, Y: y + 0.02, Z: 1.2})
		}
	}
	s, report, err := Fit(context.Background(), m, byShape, nil)
	require.NoError(t, err)
	require.NoError(t, s.Validate())
	require.LessOrEqual(t, len(s.Joints), shapeJointsMost)
	require.LessOrEqual(t, len(report.Shape.Limbs), shapeMost+2)
	require.Condition(t, func() bool {
		for _, n := range report.Notes {
			if strings.HasSuffix(n, "limbs were found; the 64 longest are read") {
				return true
			}
		}
		return false
	}, "%v", report.Notes)
}

// Whatever is brought in, a reading ends, and with a skeleton that stands in the mesh or an error that says what to do.
func TestReadingASoupOfTrianglesEnds(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 25))
	for range 2 {
		m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("soup")}}
		for i := range 20 + rng.IntN(60) {
			for range 3 {
				m.Points = append(m.Points, r3.Vec{X: rng.NormFloat64(), Y: rng.NormFloat64(), Z: rng.NormFloat64()})
			}
			m.AddFace(0, int32(3*i), int32(3*i+1), int32(3*i+2))
		}
		s, _, err := Fit(context.Background(), m, byShape, nil)
		if err == nil {
			require.NoError(t, s.Validate())
			for _, j := range s.Joints {
				require.False(t, math.IsNaN(j.Pos.X+j.Pos.Y+j.Pos.Z), j.Name)
			}
		}
	}
}

// A shape goes along when its mesh is brought elsewhere: the dial places joints where the body is now.
func TestAShapeThatWasMovedIsReadWhereItIs(t *testing.T) {
	s := &Shape{
		Limbs: []Limb{{Strand: line(0.02, r3.Vec{}, r3.Vec{X: 0.4}, r3.Vec{X: 0.4, Y: 0.4}), Name: "arm", Kind: "arm", Partner: -1}},
	}
	before, err := s.Joints(4, nil)
	require.NoError(t, err)
	by := geom.Compose(r3.Vec{Y: 1}, geom.Identity, r3.Vec{X: 2, Y: 2, Z: 2})
	after, err := s.moved(by, 2).Joints(4, nil)
	require.NoError(t, err)
	require.Len(t, after, len(before))
	for i := range after {
		require.InDelta(t, 0, r3.Norm(r3.Sub(by.Point(before[i].At), after[i].At)), 1e-9)
	}
}

// Both of a pair have as many joints at the same shares, also where one is bent or reaches farther than the other; each
// ends at its own tip.
func TestAPairOfUnlikeLengthEndsAtItsTips(t *testing.T) {
	limb := func(side string, partner int, places ...r3.Vec) Limb {
		l := Limb{Strand: line(0.02, places...), Kind: "arm", Name: "arm", Side: side, Partner: partner}
		l.Start = 0.1 * l.length()
		return l
	}
	for _, reach := range []float64{0.8, 1, 1.25} {
		s := &Shape{Limbs: []Limb{limb("_l", 1, r3.Vec{}, r3.Vec{X: 1}), limb("_r", 0, r3.Vec{}, r3.Vec{X: -reach})}}
		list, err := s.Joints(9, nil)
		require.NoError(t, err)
		at := map[string]ShapeJoint{}
		for _, j := range list {
			at[j.Name] = j
		}
		require.InDelta(t, 1, at["arm_end_l"].At.X, 1e-9)
		require.InDelta(t, -reach, at["arm_end_r"].At.X, 1e-9)
		require.True(t, at["arm_end_r"].End)
		require.InDelta(t, 0.1*reach, -at["arm_1_r"].At.X, 1e-9)
		require.InDelta(t, reach*at["arm_2_l"].At.X, -at["arm_2_r"].At.X, 1e-9)
		require.Equal(t, at["arm_1_l"].Reason, at["arm_1_r"].Reason)
	}
}
