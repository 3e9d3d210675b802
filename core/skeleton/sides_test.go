package skeleton_test

import (
	"fmt"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

var waysToMark = []skeleton.Marks{
	skeleton.DefaultMarks, {Left: "_left", Right: "_right"}, {Left: ".L", Right: ".R"},
	{Left: "l_", Right: "r_", Before: true}, {Left: "Left", Right: "Right", Before: true},
}

// A stem with a mark is split into both again, its partner's partner is itself,
// and translating there and back changes nothing.
func TestMarksComeOffAsTheyWentOn(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		x := rapid.SampledFrom(waysToMark).Draw(t, "marks")
		y := rapid.SampledFrom(waysToMark).Draw(t, "other marks")
		stem := rapid.StringMatching(`[a-km-qs-z][a-z0-9_]{0,8}[a-z0-9]`).
			Filter(func(s string) bool { return x.Of(s) == skeleton.Centre && y.Of(s) == skeleton.Centre }).
			Draw(t, "stem")
		side := rapid.SampledFrom([]skeleton.Side{skeleton.Centre, skeleton.Left, skeleton.Right}).Draw(t, "side")
		name := x.Join(stem, side)
		got, at := x.Split(name)
		require.Equal(t, stem, got)
		require.Equal(t, side, at)
		other, ok := x.Partner(name)
		require.Equal(t, side != skeleton.Centre, ok)
		if ok {
			require.Equal(t, side.Other(), x.Of(other))
			back, _ := x.Partner(other)
			require.Equal(t, name, back)
		}
		require.Equal(t, name, y.Translate(x.Translate(name, y), x))
	})
}

func TestMarksThatCannotBeToldApart(t *testing.T) {
	for _, x := range waysToMark {
		require.NoError(t, x.Check())
	}
	for _, x := range []skeleton.Marks{{}, {Left: "_l"}, {Left: "_s", Right: "_s"}, {Left: "l", Right: "_l"}, {Left: "r_", Right: "r_x", Before: true}} {
		require.Error(t, x.Check(), "%v", x)
	}
	require.NoError(t, skeleton.Marks{Left: "r_", Right: "xr_", Before: true}.Check(), "neither begins with the other")
	require.Equal(t, skeleton.Centre, skeleton.DefaultMarks.Of("_l"), "a mark alone names no joint")
}

// Everything that makes names keeps the mark where it belongs.
func TestNamesAreMadeWithTheMarkInFront(t *testing.T) {
	x := skeleton.Marks{Left: "l_", Right: "r_", Before: true}
	s := skeleton.Biped(1.7)
	names := map[string]string{}
	for _, j := range s.Joints {
		names[j.Name] = skeleton.DefaultMarks.Translate(j.Name, x)
	}
	s, err := s.RenameMany(names)
	require.NoError(t, err)
	hand := s.Index("l_hand")
	require.GreaterOrEqual(t, hand, 0)
	require.Equal(t, "r_hand", s.Joints[s.PartnerOf(hand, x)].Name)

	_, added, err := s.AddChain(hand, "l_plume", []r3.Vec{{Y: 1}, {Y: 2}, {Y: 3}}, true, x)
	require.NoError(t, err)
	require.Equal(t, []string{"l_plume_1", "l_plume_2", "l_plume_end"}, added)
	_, added, err = s.Insert(hand, 2, x)
	require.NoError(t, err)
	require.Equal(t, []string{"l_forearm_mid_1", "l_forearm_mid_2"}, added)
	_, added = s.Duplicate(hand, r3.Vec{Y: 1}, x)
	require.Equal(t, []string{"l_hand_2", "l_hand_end_2"}, added)
	pattern, err := s.Pattern([]int{hand, s.Index("r_hand")}, "paw_##", x)
	require.NoError(t, err)
	require.Equal(t, map[string]string{"l_hand": "l_paw_01", "r_hand": "r_paw_01"}, pattern)
	require.True(t, skeleton.IsEnd("l_hand_end", x))

	half, _, err := s.Remove([]int{s.Index("r_hand"), s.Index("r_hand_end")})
	require.NoError(t, err)
	whole, m, err := half.MakeOther(skeleton.Left, 0.005, skeleton.DefaultConvention, x)
	require.NoError(t, err)
	require.Equal(t, []string{"r_hand", "r_hand_end"}, m.Made)
	require.Len(t, whole.Joints, len(s.Joints))

	// A joint that lies on the other side than its mark says is marked anew.
	whole.Joints[whole.Index("hips")].Name = "l_hips"
	marked, renamed, err := whole.MarkSides(0.005, x)
	require.NoError(t, err)
	require.Equal(t, map[string]string{"l_hips": "hips"}, renamed)
	require.GreaterOrEqual(t, marked.Index("hips"), 0)
}

func ExampleMarks_Translate() {
	house := skeleton.Marks{Left: "L_", Right: "R_", Before: true}
	fmt.Println(skeleton.DefaultMarks.Translate("hand_l", house), skeleton.DefaultMarks.Translate("hips", house))
	// Output: L_hand hips
}

// Partners are not invented: fingers of a lone hand, joints of a strap that is drawn on one side, and joints that
// call themselves otherwise have none, and a strap does not move the plane.
func TestNoPartnerIsInvented(t *testing.T) {
	hand := &skeleton.Skeleton{Joints: []skeleton.Joint{{Name: "hand", Parent: -1, Rot: geom.Identity}}}
	for f, name := range []string{"bone_1", "bone_2", "bone_3", "bone_4"} {
		x := 0.03 * (float64(f) - 1.5)
		up := 0
		for k := range 3 {
			hand.Joints = append(
				hand.Joints,
				skeleton.Joint{
					Name:   name + string(rune('a'+k)),
					Parent: up,
					Pos:    r3.Vec{X: x, Y: -0.08 - 0.03*float64(k)},
					Rot:    geom.Identity,
				},
			)
			up = len(hand.Joints) - 1
		}
	}
	require.False(t, hand.Pairs(skeleton.DefaultMarks).Any(), "fingers of one hand are not left and right")

	body := skeleton.Biped(1.7)
	clean := body.Pairs(skeleton.DefaultMarks)
	strapped := body.Clone()
	hips := strapped.Index("hips")
	up := hips
	for k := range 5 {
		strapped.Joints = append(
			strapped.Joints,
			skeleton.Joint{
				Name:   fmt.Sprintf("strap_%d", k+1),
				Parent: up,
				Pos:    r3.Add(strapped.Joints[hips].Pos, r3.Vec{X: 0.2, Y: -0.1 * float64(k)}),
				Rot:    geom.Identity,
			},
		)
		up = len(strapped.Joints) - 1
	}
	p := strapped.Pairs(skeleton.DefaultMarks)
	require.InDelta(t, clean.Plane, p.Plane, 1e-12)
	require.Equal(t, -1, p.Partner[hips])
	require.Equal(t, skeleton.Centre, p.Sides[hips])
	for i := len(body.Joints); i < len(strapped.Joints); i++ {
		require.Equal(t, -1, p.Partner[i], strapped.Joints[i].Name)
	}
	moved := strapped.Move(hips, r3.Add(strapped.Joints[hips].Pos, r3.Vec{Y: 0.1}), false, true, skeleton.DefaultMarks)
	for i := len(body.Joints); i < len(strapped.Joints); i++ {
		require.Equal(t, strapped.Joints[i].Pos, moved.Joints[i].Pos, "the strap stays")
	}

	// Two straps that are mirror images are a pair, named or not; two that differ in how many joints they have are none.
	second := strapped.Clone()
	up = hips
	for k := range 5 {
		second.Joints = append(
			second.Joints,
			skeleton.Joint{
				Name:   fmt.Sprintf("strap_%d", k+6),
				Parent: up,
				Pos:    r3.Add(second.Joints[hips].Pos, r3.Vec{X: -0.2, Y: -0.1 * float64(k)}),
				Rot:    geom.Identity,
			},
		)
		up = len(second.Joints) - 1
	}
	p = second.Pairs(skeleton.DefaultMarks)
	require.Equal(t, second.Index("strap_7"), p.Partner[second.Index("strap_2")])
	second.Joints = second.Joints[:len(second.Joints)-1]
	require.Equal(t, -1, second.Pairs(skeleton.DefaultMarks).Partner[second.Index("strap_2")])
}

// A body whose hips and shoulders lie along X faces front, however its arms and legs are posed; one that is turned
// as a whole does not, and is offered the turn back.
func TestFacingIsToldByHipsAndShoulders(t *testing.T) {
	s := skeleton.Biped(1.7)
	codes := func(s *skeleton.Skeleton) []string {
		var out []string
		for _, f := range s.CheckPlacement(nil, skeleton.DefaultMarks) {
			out = append(out, f.Code)
		}
		return out
	}
	require.NotContains(t, codes(s), "sides_turned")
	walking := s.Clone()
	for i, j := range walking.Joints { // one arm and the other leg far forward
		switch j.Name {
		case "forearm_l", "hand_l", "shank_r", "foot_r", "toe_r":
			walking.Joints[i].Pos.Z += 0.7
		case "forearm_r", "hand_r", "shank_l", "foot_l":
			walking.Joints[i].Pos.Z -= 0.5
		}
	}
	require.NotContains(t, codes(walking), "sides_turned")
	turned := walking.Clone()
	for i, j := range turned.Joints {
		turned.Joints[i].Pos = geom.Rotate(geom.AxisAngle(r3.Vec{Y: 1}, 0.6), j.Pos)
	}
	require.Contains(t, codes(turned), "sides_turned")
}

// Pairs whose parents are neither one joint nor a pair are told of, from what to what, with both
// ways to make them alike; each settles it.
func TestPairsThatHangFromDifferentParents(t *testing.T) {
	s := skeleton.Biped(1.7)
	code := func(s *skeleton.Skeleton) (out *finding.Finding) {
		for _, f := range s.CheckPlacement(nil, sides) {
			if f.Code == "pairs_hung_unlike" {
				out = &f
			}
		}
		return out
	}
	require.Nil(t, code(s))
	off, err := s.Reparent(s.Index("hand_r"), s.Index("upper_arm_r"))
	require.NoError(t, err)
	f := code(off)
	require.NotNil(t, f)
	require.Contains(t, f.Why, "hand_l has parent forearm_l, hand_r has upper_arm_r")
	ways := f.Data.(skeleton.Parents)
	require.Len(t, ways, 2)
	for _, w := range ways {
		mended, err := off.Reparent(off.Index(w[0]), off.Index(w[1]))
		require.NoError(t, err)
		require.Nil(t, code(mended), w)
	}
}

// A place beside a bone goes to the same place beside its partner, in the frame of that bone: however it is
// turned, and in proportion where it is longer.
func TestPlacesAreReflectedByTheirBones(t *testing.T) {
	s, err := skeleton.Biped(1.7).Orient(nil, skeleton.DefaultConvention, sides)
	require.NoError(t, err)
	posed := s.Clone()
	i := posed.Index("forearm_l")
	turn := geom.AxisAngle(r3.Unit(r3.Vec{X: 1, Y: 0.3, Z: 2}), 0.9)
	at := posed.Joints[i].Pos
	for _, k := range posed.Branch(i) { // the left forearm is turned, and half as long again
		j := &posed.Joints[k]
		j.Pos = r3.Add(at, r3.Scale(1.5, geom.Rotate(turn, r3.Sub(j.Pos, at))))
		j.Rot = quat.Mul(turn, j.Rot)
	}
	mid := func(s *skeleton.Skeleton, a, b string) r3.Vec {
		return r3.Scale(0.5, r3.Add(s.Joints[s.Index(a)].Pos, s.Joints[s.Index(b)].Pos))
	}
	right := mid(s, "forearm_r", "hand_r")
	off := r3.Vec{X: 0.004, Y: -0.01, Z: 0.02}
	even, _ := s.Reflected([]r3.Vec{r3.Add(right, off)}, skeleton.DefaultConvention, sides)
	require.InDelta(
		t,
		0,
		r3.Norm(r3.Sub(even[0], skeleton.Mirrored(r3.Add(right, off), s.MirrorPlane(sides)))),
		1e-9,
		"an even body is mirrored in its plane",
	)
	turned, side := posed.Reflected([]r3.Vec{r3.Add(right, off)}, skeleton.DefaultConvention, sides)
	want := r3.Add(at, r3.Scale(1.5, geom.Rotate(turn, r3.Sub(even[0], at))))
	require.InDelta(t, 0, r3.Norm(r3.Sub(turned[0], want)), 1e-9)
	require.Negative(t, side[0])
}

// A pair that stands apart by more than a hundredth of the height is told of, one by less is not.
func TestPairsThatStandUnevenly(t *testing.T) {
	for share, told := range map[float64]bool{0.005: false, 0.02: true} {
		s := skeleton.Biped(1).Clone()
		s.Joints[s.Index("hand_l")].Pos.Z += share * s.Height()
		found := false
		for _, f := range s.CheckPlacement(nil, sides) {
			found = found || f.Code == "sides_differ"
		}
		require.Equal(t, told, found, "%g of the height", share)
	}
}

// A body that is posed differently on both sides, with bones of one length, is told so and not offered to be mirrored.
func TestAPoseIsNoAsymmetry(t *testing.T) {
	s := skeleton.Biped(1.7).Clone()
	i := s.Index("forearm_l")
	elbow := s.Joints[i].Pos
	for _, k := range s.Branch(i) {
		s.Joints[k].Pos = r3.Add(elbow, geom.Rotate(geom.AxisAngle(r3.Vec{Y: 1}, -1.2), r3.Sub(s.Joints[k].Pos, elbow)))
	}
	find := func() finding.Finding {
		for _, f := range s.CheckPlacement(nil, skeleton.DefaultMarks) {
			if f.Code == "sides_differ" {
				return f
			}
		}
		return finding.Finding{}
	}
	require.Contains(t, find().Title, "posed differently")
	require.Nil(t, find().Data)
	k := s.Index("hand_l")
	s.Joints[k].Pos = r3.Add(elbow, r3.Scale(1.4, r3.Sub(s.Joints[k].Pos, elbow)))
	require.Contains(t, find().Title, "asymmetric")
	require.NotNil(t, find().Data)
}
