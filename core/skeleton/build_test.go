package skeleton_test

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

func names(s *skeleton.Skeleton) (out []string) {
	for _, j := range s.Joints {
		out = append(out, j.Name)
	}
	return out
}

func places(s *skeleton.Skeleton) map[string]r3.Vec {
	out := map[string]r3.Vec{}
	for _, j := range s.Joints {
		out[j.Name] = j.Pos
	}
	return out
}

// Every starter at every corner of its parameters is sound, symmetric, and stands
// with the number of joints that its parameters ask for.
func TestStartersAreSoundAndSymmetric(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		kind := rapid.SampledFrom(skeleton.Kinds).Draw(t, "kind")
		p := kind.Default
		p.Spine, p.Neck = rapid.IntRange(1, 6).Draw(t, "spine"), rapid.IntRange(1, 3).Draw(t, "neck")
		p.Fingers, p.Phalanges = rapid.IntRange(0, 5).Draw(t, "fingers"), rapid.IntRange(0, 4).Draw(t, "phalanges")
		p.Toes, p.Twist, p.Tail = rapid.IntRange(0, 5).
			Draw(t, "toes"),
			rapid.IntRange(0, 3).
				Draw(t, "twist"),
			rapid.IntRange(0, 12).
				Draw(t, "tail")
		p.Feathers, p.Count = rapid.IntRange(0, 6).Draw(t, "feathers"), rapid.IntRange(2, 64).Draw(t, "count")
		p.Jaw, p.Eyes, p.Ears = rapid.Bool().Draw(t, "jaw"), rapid.Bool().Draw(t, "eyes"), rapid.Bool().Draw(t, "ears")
		p.Scapula, p.Plantigrade = rapid.Bool().Draw(t, "scapula"), rapid.Bool().Draw(t, "plantigrade")
		s, err := p.Build()
		require.NoError(t, err)
		require.NoError(t, s.Validate())
		for i, j := range s.Joints {
			if sides.Of(j.Name) != skeleton.Centre && kind.Name != "hand" {
				require.InDelta(t, 0, sideGap(s, i, sides), 1e-12, j.Name)
			}
		}
		if kind.Name == "biped" && p.Fingers > 0 && p.Phalanges > 0 {
			n := 0
			for _, j := range s.Joints {
				for _, f := range []string{"thumb_", "index_", "middle_", "ring_", "little_"} {
					if len(j.Name) > len(f) && j.Name[:len(f)] == f {
						n++
					}
				}
			}
			require.Equal(t, 2*p.Fingers*(p.Phalanges+1), n)
		}
	})
	_, err := skeleton.Params{Starter: "octopus", Height: 1}.Build()
	require.ErrorContains(t, err, "octopus")
}

// Whatever is built, removed and hung elsewhere, joints that stay keep their
// world places, and the skeleton stays sound.
func TestEditsKeepPlaces(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := skeleton.Biped(1.7)
		for range rapid.IntRange(1, 12).Draw(t, "edits") {
			before := places(s)
			i := rapid.IntRange(0, len(s.Joints)-1).Draw(t, "joint")
			var out *skeleton.Skeleton
			var err error
			switch rapid.IntRange(0, 6).Draw(t, "edit") {
			case 0:
				out, _, err = s.Insert(i, rapid.IntRange(1, 3).Draw(t, "n"), sides)
			case 1:
				out, _, err = s.Remove([]int{i})
			case 2:
				out, err = s.Reparent(i, rapid.IntRange(-1, len(s.Joints)-1).Draw(t, "parent"))
			case 3:
				out, _ = s.Duplicate(i, r3.Vec{Z: 0.1}, sides)
			case 4:
				out, _ = s.AddEnds([]int{i}, sides)
			case 5:
				out, _, err = s.AddChain(i, "extra_l", []r3.Vec{{X: 1}, {X: 2}}, true, sides)
			case 6:
				out, _, err = s.OneRoot(i)
			}
			if err != nil {
				require.Equal(t, before, places(s), "a refusal changes nothing")
				continue
			}
			require.NoError(t, out.Validate())
			for name, p := range places(out) {
				if q, ok := before[name]; ok {
					require.Equal(t, q, p, name)
				}
			}
			s = out
		}
	})
}

func TestRemovedJointsChildrenGoUp(t *testing.T) {
	s := skeleton.Biped(1.7)
	out, told, err := s.Remove([]int{find(t, s, "spine_2"), find(t, s, "spine_3")})
	require.NoError(t, err)
	require.Equal(t, "spine_1", out.Joints[out.Joints[out.Index("neck")].Parent].Name)
	require.Equal(t, "spine_1", told[1].Parent)
	require.ElementsMatch(t, []string{"neck", "clavicle_l", "clavicle_r"}, told[1].Children)
	all := make([]int, len(s.Joints))
	for i := range all {
		all[i] = i
	}
	_, _, err = s.Remove(all)
	require.ErrorContains(t, err, "every joint")
	_, err = s.Reparent(find(t, s, "hips"), find(t, s, "hand_l"))
	require.ErrorContains(t, err, "is a descendant of hips")
}

// A left side with fingers makes the right one, which mirrored again gives the
// left; partners are updated, not doubled.
func TestMakeOtherIsItsOwnInverse(t *testing.T) {
	p := skeleton.Kinds[0].Default
	p.Fingers = 5
	whole, err := p.Build()
	require.NoError(t, err)
	for _, mode := range []string{"bend", "mirror"} {
		c := skeleton.DefaultConvention
		c.Sides = mode
		s, err := whole.Orient(nil, c, sides)
		require.NoError(t, err)
		var right []int
		for i, j := range s.Joints {
			if sides.Of(j.Name) == skeleton.Right {
				right = append(right, i)
			}
		}
		half, _, err := s.Remove(right)
		require.NoError(t, err)
		again, m, err := half.MakeOther(skeleton.Left, 1e-6, c, sides)
		require.NoError(t, err)
		require.Len(t, m.Made, len(right))
		require.Empty(t, m.Updated)
		require.ElementsMatch(t, names(s), names(again))
		for _, j := range s.Joints {
			k := again.Joints[again.Index(j.Name)]
			require.InDelta(t, 0, r3.Norm(r3.Sub(j.Pos, k.Pos)), 1e-12, j.Name)
			if sides.Of(j.Name) == skeleton.Right { // as Orient would have turned it
				for _, axis := range []r3.Vec{{X: 1}, {Y: 1}} {
					require.InDelta(t, 0, r3.Norm(r3.Sub(geom.Rotate(j.Rot, axis), geom.Rotate(k.Rot, axis))), 1e-6, "%s %s", mode, j.Name)
				}
			}
		}
		_, m, err = again.MakeOther(skeleton.Right, 1e-6, c, sides)
		require.NoError(t, err)
		require.Empty(t, m.Made, "nothing is doubled")
	}
	centre, _, err := skeleton.Biped(1).MakeOther(skeleton.Centre, 0, skeleton.DefaultConvention, sides)
	require.Error(t, err)
	require.Nil(t, centre)
}

func TestNamesByPatternAndSearch(t *testing.T) {
	s := skeleton.Biped(1.7)
	tail := []int{find(t, s, "spine_1"), find(t, s, "spine_2"), find(t, s, "hand_l"), find(t, s, "hand_r")}
	got, err := s.Pattern(tail, "bone_##", sides)
	require.NoError(t, err)
	require.Equal(t, map[string]string{"spine_1": "bone_01", "spine_2": "bone_02", "hand_l": "bone_01_l", "hand_r": "bone_01_r"}, got)
	out, err := s.RenameMany(got)
	require.NoError(t, err)
	require.NoError(t, out.Validate())
	_, err = s.Pattern(tail, "same", sides)
	require.ErrorContains(t, err, "counter")
	swap, err := s.RenameMany(map[string]string{"spine_1": "spine_2", "spine_2": "spine_1"})
	require.NoError(t, err)
	require.Equal(t, s.Joints[find(t, s, "spine_1")].Pos, swap.Joints[swap.Index("spine_2")].Pos)
	_, err = s.RenameMany(map[string]string{"spine_1": "neck"})
	require.ErrorContains(t, err, "neck_2", "a refusal proposes a free name")
	replaced, err := s.Replace([]int{0, 1, 2}, "spine", "back")
	require.NoError(t, err)
	require.Equal(t, "back_1", replaced["spine_1"])
	unmarked, err := s.RenameMany(map[string]string{"hand_l": "paw", "hand_r": "fist"})
	require.NoError(t, err)
	marked, renamed, err := unmarked.MarkSides(0.01, sides)
	require.NoError(t, err)
	require.Equal(t, map[string]string{"paw": "paw_l", "fist": "fist_r"}, renamed)
	require.GreaterOrEqual(t, marked.Index("paw_l"), 0)
}

// The mandatory bones of VRM 1.0, and the joints of H-Anim's first level of
// articulation that a biped has (both lists from memory), are in the maps, and
// a map turned round twice is itself.
func TestNameMapsAreCompleteAndTurnRound(t *testing.T) {
	for name, must := range map[string][]string{
		"vrm": {"hips", "spine", "head", "leftUpperLeg", "leftLowerLeg", "leftFoot", "rightUpperLeg", "rightLowerLeg", "rightFoot",
			"leftUpperArm", "leftLowerArm", "leftHand", "rightUpperArm", "rightLowerArm", "rightHand"},
		"hanim": {"sacroiliac", "l_hip", "l_knee", "l_talocrural", "r_hip", "r_knee", "r_talocrural", "vl5", "skullbase", "l_shoulder", "l_elbow", "l_radiocarpal", "r_shoulder", "r_elbow", "r_radiocarpal"},
	} {
		m, err := skeleton.FindNameMap(name)
		require.NoError(t, err)
		ours := m.Ours()
		require.Len(t, ours, len(m.Joints), "no name stands twice")
		p := skeleton.Kinds[0].Default
		p.Fingers, p.Jaw, p.Eyes = 5, true, true
		s, err := p.Build()
		require.NoError(t, err)
		for _, n := range must {
			require.Contains(t, ours, n)
			require.GreaterOrEqual(t, s.Index(ours[n]), 0, "%s is a joint of the biped", ours[n])
		}
	}
}

func TestJointsAreMatchedByNameThenMeaningThenPlace(t *testing.T) {
	ours := skeleton.Biped(1.7)
	theirs, err := skeleton.Biped(2.2).RenameMany(map[string]string{"hand_l": "Left_Hand", "hand_r": "R_hand", "spine_2": "middle_of_back"})
	require.NoError(t, err)
	how := map[string]string{}
	to := map[string]string{}
	for _, m := range skeleton.MatchJoints(ours, theirs, nil) {
		how[m.Theirs], to[m.Theirs] = m.How, m.Ours
	}
	require.Len(t, how, len(ours.Joints))
	require.Equal(t, "like", how["Left_Hand"])
	require.Equal(t, "hand_l", to["Left_Hand"])
	require.Equal(t, "hand_r", to["R_hand"])
	require.Equal(t, "place", how["middle_of_back"])
	require.Equal(t, "spine_2", to["middle_of_back"])
	require.Equal(t, "name", how["hips"])
}

func TestAdoptMovesAddsAndDrops(t *testing.T) {
	ours := skeleton.Biped(1.7)
	p := skeleton.Kinds[0].Default
	p.Height, p.Spine, p.Jaw = 2, 2, true
	theirs, err := p.Build()
	require.NoError(t, err)
	match := map[string]string{}
	for _, m := range skeleton.MatchJoints(ours, theirs, nil) {
		if m.How == "name" {
			match[m.Theirs] = m.Ours
		}
	}
	out, table, err := ours.Adopt(theirs, skeleton.Adoption{Match: match, Obsolete: "drop", Parenting: "take"})
	require.NoError(t, err)
	require.NoError(t, out.Validate())
	require.ElementsMatch(t, names(theirs), names(out))
	for _, j := range theirs.Joints {
		k := out.Joints[out.Index(j.Name)]
		require.Equal(t, j.Pos, k.Pos)
		if j.Parent >= 0 {
			require.Equal(t, theirs.Joints[j.Parent].Name, out.Joints[k.Parent].Name)
		}
	}
	what := map[string]string{}
	for _, r := range table {
		what[r.Joint] = r.What
	}
	require.Equal(t, "dropped", what["spine_3"])
	require.Equal(t, "added", what["jaw"])
	require.Equal(t, "moved", what["head"])
	kept, _, err := ours.Adopt(theirs, skeleton.Adoption{Match: match, Obsolete: "keep", Parenting: "keep"})
	require.NoError(t, err)
	require.GreaterOrEqual(t, kept.Index("spine_3"), 0)
	require.Equal(t, "spine_3", kept.Joints[kept.Joints[kept.Index("neck")].Parent].Name)
	beside, table, err := ours.Adopt(theirs, skeleton.Adoption{Obsolete: "keep", Parenting: "keep"})
	require.NoError(t, err)
	require.Len(t, beside.Joints, len(ours.Joints)+len(theirs.Joints), "two skeletons beside each other")
	require.Equal(t, "added", table[0].What)
	require.Equal(t, "hips", table[0].Theirs)
	require.NotEqual(t, "hips", table[0].Joint)
	_, _, err = ours.Adopt(theirs, skeleton.Adoption{Obsolete: "drop", Parenting: "keep"})
	require.ErrorContains(t, err, "no joints are paired")
}

func TestCentringInATube(t *testing.T) {
	m := solids.Tube(4, 0.5, 30, 40)
	tree, _ := m.Tree(m.Points)
	p, ok := skeleton.CentreAcross(tree, r3.Vec{X: 2, Y: 0.3, Z: -0.2}, r3.Vec{X: 1}, 10)
	require.True(t, ok)
	require.InDelta(t, 0, r3.Norm(r3.Sub(p, r3.Vec{X: 2})), 0.01)
	p, ok = skeleton.CentreAcross(tree, r3.Vec{X: 2, Y: 3}, r3.Vec{X: 1}, 10)
	require.True(t, ok, "from outside it is brought in")
	require.InDelta(t, 0, r3.Norm(r3.Sub(p, r3.Vec{X: 2})), 0.02)
	_, ok = skeleton.CentreAcross(&geom.Tree{}, r3.Vec{X: 2}, r3.Vec{X: 1}, 10)
	require.False(t, ok, "without a mesh there is no middle")
	p, ok = skeleton.CentreAlong(tree, r3.Vec{X: 1, Y: 0.1, Z: 9}, r3.Vec{Z: -2})
	require.True(t, ok)
	require.InDelta(t, 0, p.Z, 1e-9)
	_, ok = skeleton.CentreAlong(tree, r3.Vec{X: 1, Y: 2, Z: 9}, r3.Vec{Z: -1})
	require.False(t, ok)
}

func TestSlightBendGivesTheAngleAndTheWay(t *testing.T) {
	s := skeleton.Biped(1.7)
	knee := find(t, s, "shank_l")
	hip, ankle := s.Joints[find(t, s, "thigh_l")].Pos, s.Joints[find(t, s, "foot_l")].Pos
	s.Joints[knee].Pos = r3.Add(hip, r3.Scale(0.5, r3.Sub(ankle, hip)))
	require.Contains(t, codes(s), "no_bend")
	out, err := s.SlightBend(knee, 4, sides)
	require.NoError(t, err)
	require.InDelta(t, 4, out.Bend(knee)*180/3.141592653589793, 0.02)
	require.Greater(t, out.Joints[knee].Pos.Z, s.Joints[knee].Pos.Z, "a knee goes forward")
	back := out.Clone()
	back.Joints[knee].Pos.Z -= 0.1
	require.Contains(t, codes(back), "wrong_bend")
	// Of one that faces sideways nothing is said across X but that.
	for i, j := range back.Joints {
		back.Joints[i].Pos = r3.Vec{X: j.Pos.Z, Y: j.Pos.Y, Z: -j.Pos.X}
	}
	require.Contains(t, codes(back), "sides_turned")
	require.NotContains(t, codes(back), "wrong_bend")
	require.NotContains(t, codes(back), "sides_differ")
	require.NotContains(t, codes(s), "sides_turned")
}

func codes(s *skeleton.Skeleton) (out []string) {
	for _, f := range s.CheckPlacement(nil, sides) {
		out = append(out, f.Code)
	}
	return out
}

func TestRootsAndOddNamesAreFound(t *testing.T) {
	s := skeleton.Biped(1.7)
	s.Joints = append(s.Joints, skeleton.Joint{Name: "Näse 1", Parent: -1, Pos: r3.Vec{Y: 1.6}, Rot: geom.Identity})
	found := codes(s)
	require.Contains(t, found, "several_roots")
	require.Contains(t, found, "odd_names")
	one, n, err := s.OneRoot(0)
	require.NoError(t, err)
	require.Equal(t, 1, n)
	require.False(t, slices.Contains(codes(one), "several_roots"))
}

func ExampleSkeleton_Remove() {
	s := skeleton.Biped(1.7)
	_, told, _ := s.Remove([]int{s.Index("clavicle_l")})
	fmt.Println(told[0].Joint, "removed,", told[0].Children[0], "went to", told[0].Parent)
	// Output: clavicle_l removed, upper_arm_l went to spine_3
}

// Joints of different parents in one place, and skeletons beside each other, are
// told apart from a joint on its parent and a single joint that was left.
func TestJointsOnEachOtherAndSkeletonsBesideEachOther(t *testing.T) {
	said := func(s *skeleton.Skeleton, code string) string {
		for _, f := range s.CheckPlacement(nil, sides) {
			if f.Code == code {
				return f.Title
			}
		}
		return ""
	}
	s := skeleton.Biped(1.7)
	require.Empty(t, said(s, "joints_on_each_other"))
	s.Joints[find(t, s, "hand_l")].Pos = s.Joints[find(t, s, "shank_r")].Pos
	require.Equal(t, "2 joints coincide", said(s, "joints_on_each_other"))
	require.Empty(t, said(s, "coincident_joints"))

	s = skeleton.Biped(1.7)
	n := len(s.Joints)
	s.Joints = append(s.Joints, skeleton.Joint{Name: "prop", Parent: -1, Pos: r3.Vec{X: 2}, Rot: s.Joints[0].Rot})
	require.Equal(t, "2 joints have no parent", said(s, "several_roots"))
	s.Joints = append(s.Joints, skeleton.Joint{Name: "prop_end", Parent: n, Pos: r3.Vec{X: 2, Y: 1}, Rot: s.Joints[0].Rot})
	require.Equal(t, "There are 2 skeletons", said(s, "several_roots"))
	s.Joints = append(s.Joints, skeleton.Joint{Name: "lost", Parent: -1, Pos: r3.Vec{X: 3}, Rot: s.Joints[0].Rot})
	require.Equal(t, "There are 2 skeletons and 1 joint without a parent", said(s, "several_roots"))
}

// Twist joints lie on a straight line by nature, and a tail at rest may.
func TestTwistsAndTailsAreNoStraightLimbs(t *testing.T) {
	for twist := range 4 {
		p := skeleton.Kinds[0].Default
		p.Twist = twist
		s, err := p.Build()
		require.NoError(t, err)
		require.NotContains(t, codes(s), "no_bend", "twist %d", twist)
	}
	s := skeleton.Biped(1.7)
	var places []r3.Vec
	for k := range 6 {
		places = append(places, r3.Vec{X: 0.3, Y: 1, Z: -0.1 * float64(k+1)})
	}
	s, _, err := s.AddChain(find(t, s, "hips"), "sash", places, true, sides)
	require.NoError(t, err)
	require.NotContains(t, codes(s), "no_bend")
}

// The remedy for sides that do not lie along X turns them there, whichever way the
// character looks.
func TestTheRemedyTurnsTheCharacterToTheFront(t *testing.T) {
	for _, turn := range []float64{90, -90, 180, 55, -130} {
		s := skeleton.Biped(1.7)
		q := geom.AxisAngle(r3.Vec{Y: 1}, turn*math.Pi/180)
		for i, j := range s.Joints {
			s.Joints[i].Pos = geom.Rotate(q, j.Pos)
		}
		back, ok := 0.0, false
		for _, f := range s.CheckPlacement(nil, sides) {
			if f.Code == "sides_turned" {
				var turn skeleton.Turn
				turn, ok = f.Data.(skeleton.Turn)
				back = float64(turn)
			}
		}
		require.True(t, ok, "%g", turn)
		require.InDelta(t, 0, math.Mod(back+turn+720, 360), 0.6, "%g", turn)
	}
}
