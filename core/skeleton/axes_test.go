package skeleton

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

func oriented(t *testing.T, c Convention) *Skeleton {
	t.Helper()
	s, err := Biped(1.7).Orient(nil, c, DefaultMarks)
	require.NoError(t, err)
	return s
}

func found(s *Skeleton, c Convention) map[string]finding.Finding {
	out := map[string]finding.Finding{}
	for _, f := range s.CheckRolls(nil, c, DefaultMarks) {
		out[f.Code] = f
	}
	return out
}

// Every way to give axes leaves joints exactly where they are, and by their own turns to 1e-9
// of their size, over random skeletons of 2 to 200 joints, coincident and straight ones too.
func TestGivingAxesMovesNothing(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 8))
	for n := 2; n <= 200; n += 1 + n/2 {
		s := &Skeleton{}
		for i := range n {
			j := Joint{
				Name:   fmt.Sprintf("j%d_%c", i, "lr"[i%2]),
				Parent: -1,
				Rot: geom.Normalise(
					quat.Number{Real: rng.NormFloat64(), Imag: rng.NormFloat64(), Jmag: rng.NormFloat64(), Kmag: rng.NormFloat64()},
				),
			}
			if i > 0 {
				j.Parent = rng.IntN(i)
				j.Pos = s.Joints[j.Parent].Pos
				if k := rng.IntN(5); k == 1 {
					j.Pos = r3.Add(j.Pos, r3.Vec{Y: 0.1, Z: 1e-12})
				} else if k > 1 {
					j.Pos = r3.Add(j.Pos, r3.Vec{X: rng.NormFloat64(), Y: rng.NormFloat64(), Z: rng.NormFloat64()})
				}
			}
			s.Joints = append(s.Joints, j)
		}
		all := make([]int, n)
		for i := range all {
			all[i] = i
		}
		var made []*Skeleton
		for _, c := range []Convention{DefaultConvention, {Aim: "x", Bend: "z", From: "world", World: [3]float64{0, 0, 1}, Sides: "mirror", Ends: "align"},
			{Aim: "z", Bend: "x", From: "surface", World: [3]float64{1, 0, 0}, Sides: "bend", By: Chains{Arm: "world"}}} {
			o, err := s.Orient(nil, c, DefaultMarks)
			require.NoError(t, err)
			m, _ := o.Matched(n/2, all, c, DefaultMarks)
			k, _ := o.CopiedAxes(all, c, DefaultMarks)
			e, _ := o.AlignedEnds(nil)
			made = append(made, o, m, k, e, o.Rolled(all, c, 33))
		}
		for _, o := range made {
			require.NoError(t, o.Validate())
			for i, j := range o.Joints {
				require.Equal(t, s.Joints[i].Pos, j.Pos)
			}
			require.Less(t, o.Stillness(), 1e-9*math.Max(1, s.Size()))
		}
	}
}

// After the axes are set, the named axes are those of the ISB recommendations (Wu et al. 2002
// for the lower limb, 2005 for the upper): about the bend axis a positive turn flexes, about
// the third axis the limb goes to the side, about the aim axis the bone stays in its place.
func TestNamedAxesAreThoseOfTheISB(t *testing.T) {
	for _, c := range []Convention{DefaultConvention, {Aim: "x", Bend: "z", From: "bend", World: [3]float64{1, 0, 0}, Sides: "mirror"}} {
		s := oriented(t, c)
		for _, x := range []struct {
			joint, end string
			flexed     r3.Vec // where the end goes with flexion
		}{{"thigh_l", "shank_l", r3.Vec{Z: 1}}, {"thigh_r", "shank_r", r3.Vec{Z: 1}}, {"shank_l", "foot_l", r3.Vec{Z: -1}}, {"shank_r", "foot_r", r3.Vec{Z: -1}},
			{"upper_arm_l", "forearm_l", r3.Vec{Z: 1}}, {"upper_arm_r", "forearm_r", r3.Vec{Z: 1}}, {"forearm_l", "hand_l", r3.Vec{Z: 1}}, {"forearm_r", "hand_r", r3.Vec{Z: 1}}} {
			i, k := s.Index(x.joint), s.Index(x.end)
			bone := r3.Sub(s.Joints[k].Pos, s.Joints[i].Pos)
			went := func(axis string) r3.Vec {
				return r3.Sub(geom.Rotate(geom.AxisAngle(axisOf(s.Joints[i], axis), 0.5), bone), bone)
			}
			require.Greater(t, r3.Dot(r3.Unit(went(c.Bend)), x.flexed), 0.8, "%s flexes about %s", x.joint, c.Bend)
			require.Less(t, r3.Norm(went(c.Aim)), 1e-9, "%s turns about its bone", x.joint)
			side := went(c.Third())
			require.Less(t, math.Abs(side.Z), 0.2*r3.Norm(side), "%s goes to its side in the frontal plane", x.joint)
		}
	}
}

// The roll of one joint for a chain, the axes of a side for the other, end joints as their
// parents; a joint whose bone runs along the axis is told.
func TestAxesFromOtherJoints(t *testing.T) {
	for _, c := range []Convention{DefaultConvention, {Aim: "x", Bend: "z", From: "bend", World: [3]float64{1, 0, 0}, Sides: "mirror"}} {
		s := oriented(t, c)
		spine := []int{s.Index("spine_1"), s.Index("spine_2"), s.Index("spine_3")}
		rolled := s.Rolled(spine[1:2], c, 40)
		require.Equal(t, []string{"spine_2"}, found(rolled, c)["roll_jump"].Where.Joints)
		require.InDelta(t, 40, found(rolled, c)["roll_jump"].Evidence[0].Value, 0.5)
		even, left := rolled.Matched(spine[0], spine, c, DefaultMarks)
		require.Empty(t, left)
		require.NotContains(t, found(even, c), "roll_jump")
		var trunk []int
		for _, name := range []string{"hips", "spine_1", "spine_2", "spine_3", "neck", "head"} {
			trunk = append(trunk, s.Index(name))
		}
		all := s.Rolled(trunk, c, 40)
		require.NotContains(t, found(all, c), "roll_jump", "rolled evenly")
		require.ElementsMatch(
			t,
			[]string{"hips", "spine_1", "spine_2", "spine_3", "neck", "head"},
			found(all, c)["bend_axis_off"].Where.Joints,
		)

		// Both clavicles rolled by the same number: mirror images where equal turns look mirrored,
		// and unlike each other where the same bend is meant.
		same := s.Rolled([]int{s.Index("clavicle_l"), s.Index("clavicle_r")}, c, 18)
		other := s.Rolled([]int{s.Index("clavicle_l")}, c, 18).Rolled([]int{s.Index("clavicle_r")}, c, -18)
		if c.Sides == "mirror" {
			same, other = other, same
		}
		require.Equal(t, []string{"clavicle_r"}, found(same, c)["axes_unlike_partner"].Where.Joints)
		require.NotContains(t, found(other, c), "axes_unlike_partner")
		require.Contains(t, found(other, c)["bend_axis_off"].Where.Joints, "clavicle_l")
		mended, _ := same.CopiedAxes([]int{s.Index("clavicle_l")}, c, DefaultMarks)
		require.NotContains(t, found(mended, c), "axes_unlike_partner")
		back, left := s.Rolled(s.Branch(s.Index("upper_arm_r")), c, 77).CopiedAxes(s.Branch(s.Index("upper_arm_l")), c, DefaultMarks)
		require.Empty(t, left)
		for _, i := range s.Branch(s.Index("upper_arm_r")) {
			require.Less(t, between(axisOf(back.Joints[i], c.Bend), axisOf(s.Joints[i], c.Bend)), 1e-6, s.Joints[i].Name)
			require.Less(t, between(axisOf(back.Joints[i], c.Aim), axisOf(s.Joints[i], c.Aim)), 1e-6)
		}
		_, left = s.CopiedAxes(spine, c, DefaultMarks)
		require.Len(t, left, 3)
		ends, n := s.Rolled([]int{s.Index("head_end")}, c, 12).AlignedEnds(nil)
		require.Equal(t, 1, n)
		require.Equal(t, ends.Joints[ends.Index("head")].Rot, ends.Joints[ends.Index("head_end")].Rot)
	}
}

// A flat limb has its axis across its broad side, in the sense of its bend; a round one has
// none, and takes the bend's.
func TestAxesFromTheSurface(t *testing.T) {
	limb := func(wide, thick float64) *geom.Tree { // along -Y, n-sided
		const n = 40
		var points []r3.Vec
		var tris [][3]int32
		for _, y := range []float64{0.2, -1.2} {
			for k := range n {
				sin, cos := math.Sincos(2 * math.Pi * float64(k) / n)
				turned := geom.Rotate(geom.AxisAngle(r3.Vec{Y: 1}, 0.35), r3.Vec{X: wide * cos, Z: thick * sin})
				turned.Y = y
				points = append(points, turned)
			}
		}
		points = append(points, r3.Vec{Y: 0.2}, r3.Vec{Y: -1.2})
		for k := range int32(n) {
			a, b := k, (k+1)%n
			tris = append(tris, [3]int32{a, b, b + n}, [3]int32{a, b + n, a + n}, [3]int32{2 * n, b, a}, [3]int32{2*n + 1, a + n, b + n})
		}
		tree := geom.NewTree(points, tris)
		tree.PrepareWinding()
		return tree
	}
	s := &Skeleton{
		Joints: []Joint{
			{Name: "thigh_l", Parent: -1, Rot: geom.Identity},
			{Name: "shank_l", Parent: 0, Pos: r3.Vec{Y: -1}, Rot: geom.Identity},
		},
	}
	c := DefaultConvention
	c.From = "surface"
	flat, err := s.OrientOn(limb(0.2, 0.08), nil, c, DefaultMarks)
	require.NoError(t, err)
	want := geom.Rotate(geom.AxisAngle(r3.Vec{Y: 1}, 0.35), r3.Vec{X: 1})
	require.Less(t, math.Min(between(axisOf(flat.Joints[0], "x"), want), between(axisOf(flat.Joints[0], "x"), r3.Scale(-1, want))), 0.02)
	bend, err := s.Orient(nil, DefaultConvention, DefaultMarks)
	require.NoError(t, err)
	require.Greater(t, r3.Dot(axisOf(flat.Joints[0], "x"), axisOf(bend.Joints[0], "x")), 0.0, "the sense of the bend")
	round, err := s.OrientOn(limb(0.1, 0.1), nil, c, DefaultMarks)
	require.NoError(t, err)
	require.Equal(t, bend, round)
	c.From, c.By.Leg = "bend", "surface"
	byLeg, err := s.OrientOn(limb(0.2, 0.08), nil, c, DefaultMarks)
	require.NoError(t, err)
	require.Equal(t, flat, byLeg)
	for _, bad := range []Convention{{Aim: "y", Bend: "x", From: "moon", World: [3]float64{1}, Sides: "bend"},
		{Aim: "y", Bend: "x", From: "bend", World: [3]float64{1}, Sides: "bend", Ends: "maybe"}, {Aim: "y", Bend: "x", From: "bend", World: [3]float64{1}, Sides: "bend",
			By: Chains{Tail: "moon"}}} {
		require.Error(t, bad.Validate())
	}
}

// Twist joints in a bone and beside it are found with their bone, told when they are off it,
// and put on it evenly with their shares.
func TestTwistJoints(t *testing.T) {
	s := oriented(t, DefaultConvention)
	fore, hand := s.Index("forearm_l"), s.Index("hand_l")
	a, b := s.Joints[fore].Pos, s.Joints[hand].Pos
	s.Joints = append(
		s.Joints,
		Joint{Name: "forearm_twist_2_l", Parent: fore, Pos: r3.Add(r3.Scale(0.3, a), r3.Scale(0.7, b)), Rot: geom.Identity},
		Joint{
			Name:   "forearm_twist_1_l",
			Parent: fore,
			Pos:    r3.Add(r3.Add(r3.Scale(0.8, a), r3.Scale(0.2, b)), r3.Vec{Z: 0.03}),
			Rot:    geom.Identity,
		},
	)
	list := s.TwistSegments(DefaultMarks)
	require.Len(t, list, 1)
	require.Equal(t, []int{len(s.Joints) - 1, len(s.Joints) - 2}, list[0].Twists, "in order from the elbow")
	require.Equal(t, hand, list[0].To)
	require.Contains(t, found(s, DefaultConvention), "twist_off_line")
	out, far := s.AlignedTwists(list)
	require.Greater(t, far, 0.02)
	require.NotContains(t, found(out, DefaultConvention), "twist_off_line")
	require.InDelta(t, 1.0/3, out.Joints[len(s.Joints)-1].Keeps.Share, 1e-12)
	require.InDelta(t, 2.0/3, out.Joints[len(s.Joints)-2].Keeps.Share, 1e-12)
	require.NoError(t, out.Validate())
	k, _ := FindKind("biped")
	p := k.Default
	p.Twist = 3
	whole, err := p.Build()
	require.NoError(t, err)
	inline := whole.TwistSegments(DefaultMarks)
	require.Len(t, inline, 8, "upper arm, forearm, thigh and shank on both sides")
	for _, g := range inline {
		require.Len(t, g.Twists, 3)
		require.Less(t, g.Off, 1e-9)
	}
}

// A joint whose middle axis usually reaches a right angle is told, and gets an order of turns
// that locks least; hands that face down are not told, turned ones are.
func TestOrdersThatLockAndPalms(t *testing.T) {
	c := Convention{Aim: "x", Bend: "y", From: "bend", World: [3]float64{1, 0, 0}, Sides: "bend"}
	s := oriented(t, c)
	f := found(s, c)["gimbal_lock"]
	require.Contains(t, f.Where.Joints, "shank_l", "knees bend by 135° about the middle axis")
	orders := f.Data.(RotationOrders)
	free, err := s.Ordered(orders)
	require.NoError(t, err)
	require.NotContains(t, found(free, c), "gimbal_lock")
	require.NotContains(t, found(oriented(t, DefaultConvention), DefaultConvention)["gimbal_lock"].Where.Joints, "shank_l")
	_, err = s.Ordered(map[string]string{"head": "xyx"})
	require.Error(t, err)
	_, err = s.Ordered(map[string]string{"nobody": "xyz"})
	require.Error(t, err)

	k, _ := FindKind("biped")
	p := k.Default
	p.Fingers = 4
	hands, err := p.Build()
	require.NoError(t, err)
	require.NotContains(t, found(hands, DefaultConvention), "palm_not_down")
	i := hands.Index("hand_l")
	turn := geom.AxisAngle(r3.Unit(r3.Sub(hands.Joints[hands.Index("middle_1_l")].Pos, hands.Joints[i].Pos)), math.Pi/2)
	for _, b := range hands.Branch(i)[1:] {
		hands.Joints[b].Pos = r3.Add(hands.Joints[i].Pos, geom.Rotate(turn, r3.Sub(hands.Joints[b].Pos, hands.Joints[i].Pos)))
	}
	d := r3.Unit(r3.Sub(hands.Joints[hands.Index("middle_1_l")].Pos, hands.Joints[i].Pos))
	if math.Abs(d.Y) < 0.8 {
		require.Equal(t, []string{"hand_l"}, found(hands, DefaultConvention)["palm_not_down"].Where.Joints)
	}
}

// What joints keep to travels with them: to the other side with the sides' behaviour, with a
// duplicate, a takeover and a move of the whole, and when a joint is moved.
func TestConstraintsTravel(t *testing.T) {
	s := oriented(t, DefaultConvention)
	hand := s.Index("hand_l")
	g := s.GoalOf(hand, 2, DefaultConvention, DefaultMarks)
	require.Equal(t, s.Joints[hand].Pos, g.At)
	require.Equal(t, 2, g.Bones)
	require.Less(t, g.Pole.Z, s.Joints[s.Index("forearm_l")].Pos.Z, "an elbow's pole is behind it")
	knee := s.GoalOf(s.Index("foot_l"), 2, DefaultConvention, DefaultMarks)
	require.Greater(t, knee.Pole.Z, s.Joints[s.Index("shank_l")].Pos.Z, "a knee's pole is before it")
	look := r3.Vec{X: 0.4, Y: 1.5, Z: 2}
	kept := &Constraints{Bend: &[2]float64{-10, 140}, Side: &[2]float64{-5, 20}, Twist: &[2]float64{-80, 60}, Goal: &g, Look: &look}
	both, err := s.Constrained(hand, kept, true, DefaultConvention, DefaultMarks)
	require.NoError(t, err)
	other := both.Joints[both.Index("hand_r")].Keeps
	require.Equal(t, [2]float64{-10, 140}, *other.Bend)
	require.Equal(t, [2]float64{-20, 5}, *other.Side, "the other way round")
	require.Equal(t, [2]float64{-60, 80}, *other.Twist)
	require.InDelta(t, -g.At.X, other.Goal.At.X, 1e-9)
	require.InDelta(t, -look.X, other.Look.X, 1e-9)
	mirror := DefaultConvention
	mirror.Sides = "mirror"
	asIs, err := s.Constrained(hand, kept, true, mirror, DefaultMarks)
	require.NoError(t, err)
	require.Equal(t, *kept.Twist, *asIs.Joints[asIs.Index("hand_r")].Keeps.Twist, "equal turns look mirrored")

	one, err := s.Constrained(hand, kept, false, DefaultConvention, DefaultMarks)
	require.NoError(t, err)
	made, _, err := one.MakeOther(Left, 0, DefaultConvention, DefaultMarks)
	require.NoError(t, err)
	require.Equal(t, *other.Side, *made.Joints[made.Index("hand_r")].Keeps.Side)
	copied, names := one.Duplicate(hand, r3.Vec{Z: 1}, DefaultMarks)
	require.InDelta(t, g.At.Z+1, copied.Joints[copied.Index(names[0])].Keeps.Goal.At.Z, 1e-12)
	scaled := one.Transform(geom.Compose(r3.Vec{X: 1}, geom.Identity, r3.Vec{X: 2, Y: 2, Z: 2}), geom.Identity)
	require.InDelta(t, 1+2*g.Pole.X, scaled.Joints[hand].Keeps.Goal.Pole.X, 1e-12)
	match := map[string]string{}
	for _, j := range one.Joints {
		match[j.Name] = j.Name
	}
	taken, _, err := Biped(1.7).Adopt(one, Adoption{Match: match, Obsolete: "keep", Parenting: "keep"})
	require.NoError(t, err)
	require.Equal(t, kept, taken.Joints[taken.Index("hand_l")].Keeps)

	moved := one.Move(hand, r3.Add(s.Joints[hand].Pos, r3.Vec{Y: 0.1}), true, false, DefaultMarks)
	along := Carried(one, moved)
	require.InDelta(t, g.At.Y+0.1, along.Joints[hand].Keeps.Goal.At.Y, 1e-12)
	require.Equal(t, g.Pole, along.Joints[hand].Keeps.Goal.Pole, "the elbow did not move")
	require.Equal(t, g.At, one.Joints[hand].Keeps.Goal.At, "the other is left alone")
	require.Same(t, one, Carried(s, one), "nothing moved")

	require.NotContains(t, found(one, DefaultConvention), "goal_off")
	away := *one.Joints[hand].Keeps
	high := g
	high.At.Y += 0.2
	away.Goal, away.Bend = &high, &[2]float64{10, 90}
	wrong, err := s.Constrained(hand, &away, false, DefaultConvention, DefaultMarks)
	require.NoError(t, err)
	require.Equal(t, []string{"hand_l"}, found(wrong, DefaultConvention)["goal_off"].Where.Joints)
	require.Equal(t, []string{"hand_l"}, found(wrong, DefaultConvention)["limits_shut_out_rest"].Where.Joints)

	for _, bad := range []*Constraints{{Bend: &[2]float64{10, -10}}, {Twist: &[2]float64{math.NaN(), 1}},
		{Goal: &Goal{At: r3.Vec{X: math.Inf(1)}, Bones: 2}}, {Goal: &Goal{Bones: 0}}, {Look: &r3.Vec{Y: math.NaN()}}, {Share: 2}} {
		_, err := s.Constrained(hand, bad, false, DefaultConvention, DefaultMarks)
		require.Error(t, err)
	}
	require.Equal(t, "bend -10 to 140°, side -5 to 20°, twist -80 to 60°, goal of 2 bones, look-at", kept.Says())
	require.True(t, slices.Contains(Orders, "xyz"))
}
