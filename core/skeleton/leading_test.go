package skeleton_test

import (
	"testing"

	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// tree makes a skeleton of joints by name, parent and place, in centimetres.
func tree(list ...any) *skeleton.Skeleton {
	s := &skeleton.Skeleton{}
	for i := 0; i < len(list); i += 3 {
		at := list[i+2].([3]float64)
		s.Joints = append(
			s.Joints,
			skeleton.Joint{
				Name:   list[i].(string),
				Parent: s.Index(list[i+1].(string)),
				Pos:    r3.Scale(0.01, r3.Vec{X: at[0], Y: at[1], Z: at[2]}),
			},
		)
	}
	return s
}

// leads returns how much of the way from a joint to its end the joint leads, 0 where it leads none of it.
func leads(s *skeleton.Skeleton, joint, end string) float64 {
	for _, b := range s.Leading(s.Deforming()) {
		if b.Joint == s.Index(joint) && b.Child == s.Index(end) {
			return r3.Norm(r3.Sub(b.B, b.A)) / r3.Norm(r3.Sub(s.Joints[b.Child].Pos, b.A))
		}
	}
	return 0
}

func TestAHandLeadsToItsKnucklesWhereFingersGoOn(t *testing.T) {
	at := func(x, y, z float64) [3]float64 { return [3]float64{x, y, z} }
	hand := []any{"hand", "", at(0, 0, 0), "hand_end", "hand", at(18, 0, 0)}
	thumb := []any{"thumb_1", "hand", at(3, 0, 3), "thumb_2", "thumb_1", at(8, 0, 6), "thumb_end", "thumb_2", at(11, 0, 7)}
	finger := func(name string, z, spread float64) []any {
		return []any{
			name + "_1",
			"hand",
			at(9, 0, z),
			name + "_2",
			name + "_1",
			at(13, 0, z+spread),
			name + "_end",
			name + "_2",
			at(17.5, 0, z+2*spread),
		}
	}
	with := func(parts ...[]any) *skeleton.Skeleton {
		var all []any
		for _, p := range append([][]any{hand}, parts...) {
			all = append(all, p...)
		}
		return tree(all...)
	}
	require.Equal(t, 1.0, leads(with(), "hand", "hand_end"), "a mitten")
	require.Equal(t, 1.0, leads(with(thumb), "hand", "hand_end"), "a thumb beside a mitten is not the mitten")
	require.InDelta(t, 0.5, leads(with(thumb, finger("middle", 0.3, 0)), "hand", "hand_end"), 1e-9, "a finger along it")
	require.InDelta(
		t,
		0.5,
		leads(with(thumb, finger("index", 1, 0.3), finger("ring", -1, -0.3)), "hand", "hand_end"),
		1e-9,
		"between two fingers",
	)
	require.Equal(t, 1.0, leads(with(finger("index", 1.5, 0.3)), "hand", "hand_end"), "one finger to the side")
	s := with(finger("middle", 0, 0))
	s.Joints[s.Index("hand_end")].Deforms = "on"
	require.Equal(t, 1.0, leads(s, "hand", "hand_end"), "an end that was made to deform is no end")

	snout := tree("head", "", at(0, 0, 0), "head_end", "head", at(20, 0, 0), "jaw", "head", at(4, -3, 0), "jaw_end", "jaw", at(19, -4, 0))
	require.Equal(t, 1.0, leads(snout, "head", "head_end"), "a jaw under a snout")
	crown := tree(
		"head",
		"",
		at(0, 0, 0),
		"head_end",
		"head",
		at(0, 20, 0),
		"ear_l",
		"head",
		at(6, 15, 0),
		"ear_l_end",
		"ear_l",
		at(9, 27, 0),
		"ear_r",
		"head",
		at(-6, 15, 0),
		"ear_r_end",
		"ear_r",
		at(-9, 27, 0),
	)
	require.Equal(t, 1.0, leads(crown, "head", "head_end"), "ears beside a crown")
	hips := tree(
		"hips",
		"",
		at(0, 0, 0),
		"hips_end",
		"hips",
		at(0, 30, 0),
		"spine",
		"hips",
		at(0, 0, 0),
		"chest",
		"spine",
		at(0, 15, 0),
		"neck",
		"chest",
		at(0, 28, 0),
	)
	require.Zero(t, leads(hips, "hips", "hips_end"), "a chain the joint itself")
	for _, b := range hips.Leading([]bool{true, false, true, true, true}) {
		require.False(t, b.Joint == 0 && b.Child == 1)
	}
}

// A chosen joint without children is a point; what is not chosen leads nothing.
func TestAJointWithoutChildrenLeadsFromItsPoint(t *testing.T) {
	s := tree("root", "", [3]float64{1, 2, 3}, "eye", "root", [3]float64{4, 5, 6})
	list := s.Leading([]bool{false, true})
	require.Equal(t, []skeleton.Bone{{Joint: 1, Child: -1, A: s.Joints[1].Pos, B: s.Joints[1].Pos}}, list)
}
