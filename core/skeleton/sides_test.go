package skeleton_test

import (
	"fmt"
	"testing"

	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
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
		stem := rapid.StringMatching(`[a-km-qs-z][a-z0-9_]{0,8}[a-z0-9]`).Filter(func(s string) bool { return x.Of(s) == skeleton.Centre && y.Of(s) == skeleton.Centre }).Draw(t, "stem")
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
