package skeleton_test

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

var sides = skeleton.DefaultMarks

func find(t *testing.T, s *skeleton.Skeleton, name string) int {
	t.Helper()
	i, err := s.Find(name)
	require.NoError(t, err)
	return i
}

// Segment lengths against Drillis & Contini 1966 as tabled in Winter.
func TestBipedHasTabledProportions(t *testing.T) {
	s := skeleton.Biped(2)
	require.NoError(t, s.Validate())
	at := func(name string) r3.Vec { return s.Joints[find(t, s, name)].Pos }
	length := func(a, b string) float64 { return r3.Norm(r3.Sub(at(a), at(b))) / 2 }
	require.InDelta(t, 0.818, at("upper_arm_l").Y/2, 1e-9)
	require.InDelta(t, 0.530, at("thigh_r").Y/2, 1e-9)
	require.InDelta(t, 0.285, at("shank_l").Y/2, 1e-9)
	require.InDelta(t, 0.039, at("foot_r").Y/2, 1e-9)
	require.InDelta(t, 0.186, length("upper_arm_l", "forearm_l"), 0.001)
	require.InDelta(t, 0.146, length("forearm_r", "hand_r"), 0.001)
	require.InDelta(t, 0.108, length("hand_l", "hand_end_l"), 1e-9)
	for i, j := range s.Joints {
		if sides.Of(j.Name) != skeleton.Centre {
			require.InDelta(t, 0, sideGap(s, i, sides), 1e-12)
		}
	}
}

func TestMoveKeepsOrCarriesWhatHangsFromIt(t *testing.T) {
	s := skeleton.Biped(1.7)
	i, hand, other := find(t, s, "forearm_l"), find(t, s, "hand_l"), find(t, s, "forearm_r")
	to := r3.Add(s.Joints[i].Pos, r3.Vec{X: 0.1, Y: -0.05, Z: 0.02})
	alone := s.Move(i, to, false, false, sides)
	require.Equal(t, s.Joints[hand].Pos, alone.Joints[hand].Pos)
	require.Equal(t, s.Joints[other].Pos, alone.Joints[other].Pos)
	both := s.Move(i, to, true, true, sides)
	require.Equal(t, to, both.Joints[i].Pos)
	require.InDelta(t, 0, sideGap(both, i, sides), 1e-12)
	moved := r3.Sub(both.Joints[hand].Pos, s.Joints[hand].Pos)
	require.InDelta(t, 0, r3.Norm(r3.Sub(moved, r3.Vec{X: 0.1, Y: -0.05, Z: 0.02})), 1e-12)
	require.Equal(t, skeleton.Biped(1.7), s, "the old skeleton is untouched")
}

func TestCentreJointStaysBetweenTheSides(t *testing.T) {
	s := skeleton.Biped(1.7)
	i := find(t, s, "spine_2")
	out := s.Move(i, r3.Vec{X: 0.3, Y: 1.2}, false, true, sides)
	require.InDelta(t, 0, out.Joints[i].Pos.X, 1e-12)
}

func TestRenameRefusesWhatWouldNotSurvive(t *testing.T) {
	s := skeleton.Biped(1.7)
	for _, bad := range []string{"", "upper arm", "1st", "neck", "é", string(make([]byte, 70))} {
		_, err := s.Rename(0, bad)
		require.Error(t, err, bad)
	}
	out, err := s.Rename(0, "pelvis")
	require.NoError(t, err)
	require.Equal(t, "pelvis", out.Joints[0].Name)
}

// ISB (Wu et al. 2002, 2005): the long axis along the segment, the flexion axis
// across it; a positive turn about it bends the joint further.
func TestOrientAimsAlongBonesAndBendsFurther(t *testing.T) {
	for _, c := range []skeleton.Convention{skeleton.DefaultConvention, {Aim: "x", Bend: "z", From: "bend", World: [3]float64{0, 0, 1}, Sides: "mirror"},
		{Aim: "z", Bend: "y", From: "world", World: [3]float64{1, 0, 0}, Sides: "bend"}} {
		s := skeleton.Biped(1.7)
		out, err := s.Orient(nil, c, sides)
		require.NoError(t, err)
		for i := range out.Joints {
			require.Equal(t, s.Joints[i].Pos, out.Joints[i].Pos, "no joint moves")
			require.InDelta(t, 1, quat.Abs(out.Joints[i].Rot), 1e-12)
			require.Less(t, out.AxesOff(c, sides)[i], 1e-6, out.Joints[i].Name)
		}
		if c.From != "bend" {
			continue
		}
		for _, name := range []string{"forearm_l", "forearm_r", "shank_l", "shank_r"} {
			i := find(t, out, name)
			axis := geom.Rotate(out.Joints[i].Rot, map[string]r3.Vec{"x": {X: 1}, "y": {Y: 1}, "z": {Z: 1}}[c.Bend])
			child := out.Joints[out.Children()[i][0]].Pos
			turned := r3.Add(out.Joints[i].Pos, geom.Rotate(geom.AxisAngle(axis, 0.3), r3.Sub(child, out.Joints[i].Pos)))
			parent := out.Joints[out.Joints[i].Parent].Pos
			require.Less(t, r3.Norm(r3.Sub(turned, parent)), r3.Norm(r3.Sub(child, parent)), "%s folds", name)
		}
	}
}

// With sides "mirror" any equal turn of a pair looks mirrored; with "bend" the
// turn about the bend axis does.
func TestSidesMoveAsMirrorImages(t *testing.T) {
	for mode, axes := range map[string][]string{"mirror": {"x", "y", "z"}, "bend": {"x"}} {
		c := skeleton.DefaultConvention
		c.Sides = mode
		s, err := skeleton.Biped(1.7).Orient(nil, c, sides)
		require.NoError(t, err)
		for _, name := range []string{"upper_arm_l", "forearm_l", "thigh_l", "shank_l", "foot_l"} {
			l := find(t, s, name)
			r := s.PartnerOf(l, sides)
			for _, a := range axes {
				unit := map[string]r3.Vec{"x": {X: 1}, "y": {Y: 1}, "z": {Z: 1}}[a]
				turn := geom.AxisAngle(unit, 0.6)
				tip := func(i int) r3.Vec {
					j := s.Joints[i]
					local := geom.Rotate(quat.Conj(j.Rot), r3.Sub(s.Joints[s.Children()[i][0]].Pos, j.Pos))
					return r3.Add(j.Pos, geom.Rotate(quat.Mul(j.Rot, turn), local))
				}
				require.InDelta(t, 0, r3.Norm(r3.Sub(skeleton.Mirrored(tip(l), 0), tip(r))), 1e-9, "%s about %s, %s", name, a, mode)
			}
		}
	}
}

// The joints of the trunk all bend about the same sense of the same axis, so
// that bowing is positive from the hips to the head.
func TestTheTrunkBendsOneWay(t *testing.T) {
	for _, lean := range []float64{-0.03, 0.03} { // a spine hollow or round
		s := skeleton.Biped(1.7)
		for _, name := range []string{"spine_1", "spine_2", "spine_3"} {
			s.Joints[find(t, s, name)].Pos.Z += lean
		}
		out, err := s.Orient(nil, skeleton.DefaultConvention, sides)
		require.NoError(t, err)
		for _, name := range []string{"hips", "spine_1", "spine_2", "spine_3", "neck", "head"} {
			axis := geom.Rotate(out.Joints[find(t, out, name)].Rot, r3.Vec{X: 1})
			require.InDelta(t, 1, axis.X, 1e-6, name)
		}
	}
}

func TestConventionMistakesAreNamed(t *testing.T) {
	for _, spoil := range []func(c *skeleton.Convention){
		func(c *skeleton.Convention) { c.Aim = "w" }, func(c *skeleton.Convention) { c.Bend = c.Aim },
		func(c *skeleton.Convention) { c.From = "luck" }, func(c *skeleton.Convention) { c.Sides = "" },
		func(c *skeleton.Convention) { c.World = [3]float64{} }, func(c *skeleton.Convention) { c.World[0] = math.NaN() },
	} {
		c := skeleton.DefaultConvention
		spoil(&c)
		_, err := skeleton.Biped(1).Orient(nil, c, sides)
		require.Error(t, err)
	}
}

func TestLocalTransformsRebuildTheWorld(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s, err := skeleton.Biped(1.7).Orient(nil, skeleton.DefaultConvention, sides)
		require.NoError(t, err)
		i := rapid.IntRange(0, len(s.Joints)-1).Draw(t, "joint")
		m := geom.IdentityMatrix
		for _, k := range path(s, i) {
			at, q := s.Local(k)
			m = m.Mul(geom.Rigid(at, q))
		}
		require.InDelta(t, 0, r3.Norm(r3.Sub(m.Point(r3.Vec{}), s.Joints[i].Pos)), 1e-9)
	})
}

func path(s *skeleton.Skeleton, i int) []int {
	if i < 0 {
		return nil
	}
	return append(path(s, s.Joints[i].Parent), i)
}

func TestPlacementFindings(t *testing.T) {
	codes := func(list []finding.Finding) []string {
		var out []string
		for _, f := range list {
			out = append(out, f.Code)
		}
		return out
	}
	box := solids.Box(r3.Vec{X: -1, Y: -0.1, Z: -0.3}, r3.Vec{X: 1, Y: 1.8, Z: 0.3})
	tree, _ := box.Tree(box.Points)
	s := skeleton.Biped(1.7)
	require.NotEqual(t, finding.Harms, finding.Worst(s.CheckPlacement(tree, sides)), "a box is no body, but nothing in it harms")
	out := s.Move(find(t, s, "forearm_l"), r3.Vec{X: 3}, false, false, sides)
	require.Subset(
		t,
		codes(out.CheckPlacement(tree, sides)),
		[]string{"joint_outside", "bone_outside", "no_mesh_near", "odd_proportions", "sides_differ"},
	)
	elbow := s.Joints[find(t, s, "upper_arm_l")].Pos
	straight := s.Move(find(t, s, "forearm_l"), r3.Add(elbow, r3.Vec{X: 0.186 * 1.7}), false, true, sides)
	require.Contains(t, codes(straight.CheckPlacement(tree, sides)), "no_bend")
	on := s.Move(find(t, s, "neck"), s.Joints[find(t, s, "spine_3")].Pos, false, false, sides)
	require.Contains(t, codes(on.CheckPlacement(tree, sides)), "coincident_joints")
	require.Len(t, s.CheckAxes(skeleton.DefaultConvention, sides), 1)
}

func TestValidateRefusesCyclesAndDoubles(t *testing.T) {
	for text, spoil := range map[string]func(s *skeleton.Skeleton){
		"not before it":        func(s *skeleton.Skeleton) { s.Joints[2].Parent = 5 },
		"two joints":           func(s *skeleton.Skeleton) { s.Joints[3].Name = "hips" },
		"no name":              func(s *skeleton.Skeleton) { s.Joints[3].Name = "" },
		"not a valid position": func(s *skeleton.Skeleton) { s.Joints[3].Pos.X = math.Inf(1) },
		"quaternion":           func(s *skeleton.Skeleton) { s.Joints[3].Rot = quat.Number{} },
	} {
		s := skeleton.Biped(1.7)
		spoil(s)
		require.ErrorContains(t, s.Validate(), text)
	}
	require.ErrorIs(t, (&skeleton.Skeleton{}).Validate(), skeleton.ErrEmpty)
}

func ExampleMarks_Partner() {
	fmt.Println(skeleton.DefaultMarks.Partner("upper_arm_l"))
	// Output: upper_arm_r true
}

// sideGap is how far the partner of a joint is from its mirror image, metres.
func sideGap(s *skeleton.Skeleton, i int, x skeleton.Marks) float64 {
	p := s.Pairs(x)
	return r3.Norm(r3.Sub(skeleton.Mirrored(s.Joints[i].Pos, p.Plane), s.Joints[p.Partner[i]].Pos))
}

// unmarked is a biped whose names tell no side, as a motion capture file's may.
func unmarked(t *testing.T) (*skeleton.Skeleton, *skeleton.Skeleton) {
	t.Helper()
	marked := skeleton.Biped(1.7)
	s := marked.Clone()
	for i := range s.Joints {
		switch stem, _ := sides.Split(s.Joints[i].Name); sides.Of(s.Joints[i].Name) {
		case skeleton.Left:
			s.Joints[i].Name = "Left" + stem
		case skeleton.Right:
			s.Joints[i].Name = "Right" + stem
		}
	}
	return marked, s
}

func TestPairsByPlaceWhereNamesTellNoSide(t *testing.T) {
	marked, s := unmarked(t)
	want, got := marked.Pairs(sides), s.Pairs(sides)
	require.Equal(t, want.Partner, got.Partner)
	require.Equal(t, want.Sides, got.Sides)
	require.InDelta(t, 0, got.Plane, 1e-12)

	i, k := find(t, s, "Leftforearm"), find(t, s, "Rightforearm")
	to := r3.Add(s.Joints[i].Pos, r3.Vec{X: 0.03, Z: -0.02})
	both := s.Move(i, to, true, true, sides)
	require.Equal(t, to, both.Joints[i].Pos)
	require.InDelta(t, 0, r3.Norm(r3.Sub(skeleton.Mirrored(to, 0), both.Joints[k].Pos)), 1e-12)
	head := find(t, s, "head")
	both = s.Move(head, r3.Vec{X: 0.01, Y: 1.6}, true, true, sides)
	require.Zero(t, both.Joints[head].Pos.X, "a joint between the sides stays there")

	alone := s.Move(i, r3.Add(s.Joints[i].Pos, r3.Vec{Y: 0.2}), false, false, sides)
	require.Equal(t, -1, alone.Pairs(sides).Partner[i], "far from its image it has no partner by place")
	again := alone.Move(i, r3.Add(alone.Joints[i].Pos, r3.Vec{Z: 0.01}), false, true, sides)
	require.Equal(t, alone.Joints[i].Pos.X, again.Joints[i].Pos.X, "and is not moved to the center")
}

// Pairs are mutual and across the plane, whatever the skeleton looks like.
func TestPairsAreMutual(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 40).Draw(t, "joints")
		s := &skeleton.Skeleton{}
		for i := range n {
			at := func(k string) float64 { return float64(rapid.IntRange(-8, 8).Draw(t, k)) / 8 }
			mark := rapid.SampledFrom([]string{"", "_l", "_r"}).Draw(t, "mark")
			s.Joints = append(
				s.Joints,
				skeleton.Joint{
					Name:   fmt.Sprintf("j%d%s", rapid.IntRange(0, 99).Draw(t, "stem")*100+i, mark),
					Parent: i - 1,
					Pos:    r3.Vec{X: at("x"), Y: at("y"), Z: at("z")},
					Rot:    quat.Number{Real: 1},
				},
			)
		}
		p := s.Pairs(sides)
		for i, k := range p.Partner {
			if k < 0 {
				continue
			}
			if p.Partner[k] != i || p.Sides[i] == p.Sides[k] || p.Sides[i] == skeleton.Centre {
				t.Fatalf("%d and %d: %v %v", i, k, p.Partner[k], p.Sides)
			}
		}
	})
}

// Two chains in one limb are told of; one, and two in limbs of their own, are not.
func TestTwoChainsInOneLimb(t *testing.T) {
	m := solids.Tube(4, 0.2, 20, 16)
	for i, p := range m.Points {
		m.Points[i] = r3.Vec{X: p.Y, Y: p.X, Z: p.Z}
	}
	m, _ = m.MakeOutward()
	tree, _ := m.Tree(m.Points)
	chains := func(apart float64) *skeleton.Skeleton {
		s := &skeleton.Skeleton{}
		add := func(name string, parent int, x, y float64) {
			s.Joints = append(s.Joints, skeleton.Joint{Name: name, Parent: parent, Pos: r3.Vec{X: x, Y: y}, Rot: geom.Identity})
		}
		add("root", -1, 0, 0.1)
		for k, name := range []string{"a", "b"} {
			x := (float64(k) - 0.5) * apart
			add(name+"_1", 0, x, 0.6+0.1*float64(k))
			add(name+"_2", len(s.Joints)-1, x, 2)
			add(name+"_end", len(s.Joints)-1, x, 3.3)
		}
		return s
	}
	shared := func(s *skeleton.Skeleton) bool {
		return slices.ContainsFunc(s.CheckPlacement(tree, sides), func(f finding.Finding) bool { return f.Code == "shared_limb" })
	}
	require.True(t, shared(chains(0.08)))
	require.False(t, shared(chains(0.3)))
	one := chains(0.08)
	one.Joints = one.Joints[:4]
	require.False(t, shared(one))
}
