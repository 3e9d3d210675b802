package skeleton_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func TestMotionsByName(t *testing.T) {
	for name, want := range map[string]skeleton.Motion{
		"forearm_l": skeleton.Elbow, "lowerArm_r": skeleton.Elbow, "Elbow": skeleton.Elbow, "radius_l": skeleton.Elbow,
		"upper_arm_l": skeleton.Shoulder, "UpperArm": skeleton.Shoulder, "forearm_twist_1_l": skeleton.Twist, "clavicle_r": skeleton.Girdle,
		"thigh_l": skeleton.Hip, "shank_l": skeleton.Knee, "lower_leg_l": skeleton.Knee, "foot_r": skeleton.Ankle, "toe_l": skeleton.Toe, "toe_2_l": skeleton.Toe,
		"thumb_1_l": skeleton.Thumb, "index_2_l": skeleton.Finger, "ring_3_r": skeleton.Finger, "hand_l": skeleton.Wrist,
		"spine_2": skeleton.Trunk, "neck": skeleton.Trunk, "tail_4": skeleton.Tail, "jaw": skeleton.Jaw,
		"eye_l": skeleton.Other, "earring_l": skeleton.Other, "bone_17": skeleton.Other, "ringmaster": skeleton.Other, "": skeleton.Other,
	} {
		require.Equal(t, want, sides.MotionOf(name), name)
	}
}

// expected is where a hinge takes its bone, written down a second time: elbows forward,
// knees back, hips forward, toes up (Wu et al. 2002, 2005); of a hock that stands, forward.
func expected(s *skeleton.Skeleton, joint string, d r3.Vec) r3.Vec {
	switch {
	case strings.HasPrefix(joint, "forearm"), strings.HasPrefix(joint, "thigh"):
		return r3.Vec{Z: 1}
	case strings.HasPrefix(joint, "shank"):
		return r3.Vec{Z: -1}
	case strings.HasPrefix(joint, "foot") && d.Y < -0.7:
		return r3.Vec{Z: 1}
	case strings.HasPrefix(joint, "foot"):
		return r3.Vec{Y: 1}
	}
	return r3.Vec{}
}

// Starters of random proportions whose joints stand a little off their places, as a fit
// leaves them, in every convention: each hinge folds the right way, in its plane, as the
// mirror image of its partner.
func TestHingesFoldTheRightWayWhereverTheFitPutThem(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 9))
	tried := 0
	for round := range 300 {
		kind := []string{"biped", "quadruped", "bird"}[round%3]
		k, err := skeleton.FindKind(kind)
		require.NoError(t, err)
		p := k.Default
		p.Height = 0.2 + 3*r.Float64()
		if kind == "biped" {
			p.Fingers, p.Twist = r.IntN(6), r.IntN(3)
		}
		s, err := p.Build()
		require.NoError(t, err)
		s = s.Clone()
		stretch := r3.Vec{X: 0.7 + 0.6*r.Float64(), Y: 0.8 + 0.4*r.Float64(), Z: 0.8 + 0.4*r.Float64()}
		arms := geom.AxisAngle(r3.Vec{Z: 1}, (r.Float64()*80)*math.Pi/180) // from hanging to held out
		shoulder, far := s.Index("upper_arm_l"), map[int]bool{}
		if kind == "biped" {
			for _, i := range s.Branch(shoulder) {
				far[i] = true
			}
		}
		lo := s.Joints[shoulder].Pos
		for i := range s.Joints {
			q := &s.Joints[i].Pos
			if far[i] { // the arm hangs down first
				d := r3.Sub(*q, lo)
				*q = r3.Add(lo, geom.Rotate(arms, geom.Rotate(geom.AxisAngle(r3.Vec{Z: 1}, -math.Pi/2), d)))
			}
			*q = r3.Vec{X: q.X * stretch.X, Y: q.Y * stretch.Y, Z: q.Z * stretch.Z}
			*q = r3.Add(*q, r3.Scale(0.008*p.Height, r3.Vec{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()}))
		}
		for i, j := range s.Joints { // the right is the left's mirror image
			if other, ok := sides.Partner(j.Name); ok && strings.HasSuffix(j.Name, "_r") {
				s.Joints[i].Pos = skeleton.Mirrored(s.Joints[s.Index(other)].Pos, 0)
			}
		}
		for _, c := range []skeleton.Convention{skeleton.DefaultConvention, {Aim: "x", Bend: "z", From: "bend", World: [3]float64{1, 0, 0}, Sides: "mirror"}} {
			out, err := s.Orient(nil, c, sides)
			require.NoError(t, err)
			bend := r3.Vec{X: 1}
			if c.Bend == "z" {
				bend = r3.Vec{Z: 1}
			}
			for i, j := range out.Joints {
				end := i
				for _, k := range out.Children()[i] {
					end = k
					break
				}
				if end == i || len(out.Children()[i]) > 1 || strings.Contains(j.Name, "twist") {
					continue
				}
				d := r3.Unit(r3.Sub(out.Joints[end].Pos, j.Pos))
				to := expected(out, j.Name, d)
				if r3.Norm(to) == 0 || math.Abs(r3.Dot(to, d)) > 0.9 ||
					out.Bend(i) > 15*math.Pi/180 && !strings.HasPrefix(j.Name, "thigh") {
					continue // clearly bent: its own plane
				}
				axis := geom.Rotate(j.Rot, bend)
				went := r3.Sub(geom.Rotate(geom.AxisAngle(axis, math.Pi/6), d), d)
				require.Positive(t, r3.Dot(went, to), "%s %d: %s", kind, round, j.Name)
				off := math.Acos(math.Min(1, r3.Dot(axis, r3.Unit(r3.Cross(d, to))))) * 180 / math.Pi
				limit := 10.0
				if kind == "biped" && !strings.HasPrefix(j.Name, "forearm") {
					limit = 61 // knees follow their feet, which the jitter turned
				}
				require.Less(t, off, limit, "%s %d: %s", kind, round, j.Name)
				tried++
			}
			for _, w := range out.TrySwings(nil, c, sides) {
				says := fmt.Sprintf("%s %d: %s %v", kind, round, out.Joints[w.Joint].Name, w)
				require.True(t, w.Closes, says)
				require.Less(t, w.Off, skeleton.SwingLimit, says)
				require.Less(t, w.Uneven, 1e-6, says)
			}
		}
	}
	t.Logf("%d hinges tried", tried)
	require.Greater(t, tried, 1500)
}

// Fingers curl to the palm: the tip comes nearer to the wrist's side of the palm, on both
// hands, held out and hanging.
func TestFingersCurlToThePalm(t *testing.T) {
	k, err := skeleton.FindKind("biped")
	require.NoError(t, err)
	p := k.Default
	p.Fingers = 5
	s, err := p.Build()
	require.NoError(t, err)
	out, err := s.Orient(nil, skeleton.DefaultConvention, sides)
	require.NoError(t, err)
	curled := 0
	for i, j := range out.Joints {
		if sides.MotionOf(j.Name) != skeleton.Finger || len(out.Children()[i]) != 1 {
			continue
		}
		d := r3.Sub(out.Joints[out.Children()[i][0]].Pos, j.Pos)
		went := r3.Sub(geom.Rotate(geom.AxisAngle(geom.Rotate(j.Rot, r3.Vec{X: 1}), 0.5), d), d)
		require.Less(t, went.Y, -0.2*r3.Norm(d), "%s: palms look down from arms held out", j.Name)
		curled++
	}
	require.Equal(t, 2*4*3, curled)
}

// What is wrong with a swing is told with its joints, and the remedy mends it.
func TestSwingsThatAreWrongAreFound(t *testing.T) {
	s, err := skeleton.Biped(1.7).Orient(nil, skeleton.DefaultConvention, sides)
	require.NoError(t, err)
	check := func(s *skeleton.Skeleton) map[string][]string {
		out := map[string][]string{}
		for _, f := range s.CheckSwing(nil, skeleton.DefaultConvention, sides) {
			require.Equal(t, len(f.Where.Joints), f.Count)
			out[f.Code] = f.Where.Joints
		}
		return out
	}
	require.Empty(t, check(s))
	elbow, knees := find(t, s, "forearm_l"), []int{find(t, s, "shank_l"), find(t, s, "shank_r")}
	require.Equal(t, map[string][]string{"bends_backward": {"forearm_l"}}, check(s.Rolled([]int{elbow}, skeleton.DefaultConvention, 180)))
	require.Equal(t, map[string][]string{"bends_sideways": {"shank_l", "shank_r"}}, check(s.Rolled(knees, skeleton.DefaultConvention, 30)))
	require.Empty(t, check(s.Rolled(knees, skeleton.DefaultConvention, 5)))
	require.Equal(
		t,
		map[string][]string{"bends_unlike_partner": {"shank_l", "shank_r"}},
		check(s.Rolled(knees[:1], skeleton.DefaultConvention, 8).Rolled(knees[1:], skeleton.DefaultConvention, 8)),
	)
	back, err := s.Rolled([]int{elbow}, skeleton.DefaultConvention, 180).Orient([]int{elbow}, skeleton.DefaultConvention, sides)
	require.NoError(t, err)
	require.Empty(t, check(back))
	for i := range s.Joints {
		require.Equal(t, s.Joints[i].Pos, s.Rolled(knees, skeleton.DefaultConvention, 30).Joints[i].Pos)
	}
}

// A thumb folds across the palm, to the base of the little finger, about one axis for all its
// joints, and the left as the right, though a fit leaves its short bones a little bent each its
// own way. Bones taken one by one told axes 68° apart within one thumb and 89.7° from the other's.
func TestThumbsFoldAcrossThePalm(t *testing.T) {
	r := rand.New(rand.NewPCG(80, 1981))
	k, err := skeleton.FindKind("biped")
	require.NoError(t, err)
	for round := range 200 {
		p := k.Default
		p.Height, p.Fingers = 0.3+2*r.Float64(), 3+r.IntN(3)
		s, err := p.Build()
		require.NoError(t, err)
		s = s.Clone()
		down := geom.AxisAngle(r3.Vec{Z: 1}, -1.2*r.Float64()) // the arms hang
		lo := s.Joints[s.Index("upper_arm_l")].Pos
		for _, i := range s.Branch(s.Index("upper_arm_l")) {
			q := &s.Joints[i].Pos
			*q = r3.Add(lo, geom.Rotate(down, r3.Sub(*q, lo)))
			if o := s.Index(strings.TrimSuffix(s.Joints[i].Name, "l") + "r"); o >= 0 {
				s.Joints[o].Pos = skeleton.Mirrored(*q, 0)
			}
		}
		for i, j := range s.Joints {
			if strings.HasPrefix(j.Name, "thumb") {
				jitter := r3.Scale(0.0012*p.Height, r3.Vec{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()})
				s.Joints[i].Pos = r3.Add(j.Pos, jitter)
			}
		}
		out, err := s.Orient(nil, skeleton.DefaultConvention, sides)
		require.NoError(t, err)
		axis := func(i int) r3.Vec { return geom.Rotate(out.Joints[i].Rot, r3.Vec{X: 1}) }
		off := func(a, b r3.Vec) float64 { return math.Acos(math.Max(-1, math.Min(1, r3.Dot(a, b)))) * 180 / math.Pi }
		for _, side := range []string{"_l", "_r"} {
			var thumb []int
			for n := 1; out.Index(fmt.Sprintf("thumb_%d%s", n, side)) >= 0; n++ {
				thumb = append(thumb, out.Index(fmt.Sprintf("thumb_%d%s", n, side)))
			}
			require.GreaterOrEqual(t, len(thumb), 2)
			end := thumb[len(thumb)-1]
			if c := out.Children()[end]; len(c) > 0 {
				end = c[0]
			}
			little := -1
			for _, name := range []string{"little_1", "ring_1", "middle_1"} {
				if little = out.Index(name + side); little >= 0 {
					break
				}
			}
			for _, i := range thumb {
				if i == end {
					continue
				}
				require.Less(t, off(axis(thumb[0]), axis(i)), 35.0, "%d %s against the first", round, out.Joints[i].Name)
				to := r3.Add(
					out.Joints[i].Pos,
					geom.Rotate(geom.AxisAngle(axis(i), math.Pi/4), r3.Sub(out.Joints[end].Pos, out.Joints[i].Pos)),
				)
				base := out.Joints[little].Pos
				require.Less(t, r3.Norm(r3.Sub(to, base)), r3.Norm(r3.Sub(out.Joints[end].Pos, base)), "%d %s", round, out.Joints[i].Name)
				if side == "_l" {
					other := axis(out.Index(strings.TrimSuffix(out.Joints[i].Name, "l") + "r"))
					require.Less(
						t,
						off(axis(i), r3.Vec{X: other.X, Y: -other.Y, Z: -other.Z}),
						30.0,
						"%d %s against its partner",
						round,
						out.Joints[i].Name,
					)
				}
			}
		}
		for _, f := range append(out.CheckSwing(nil, skeleton.DefaultConvention, sides),
			out.CheckRolls(nil, skeleton.DefaultConvention, sides)...) {
			for _, j := range f.Where.Joints {
				require.NotContains(t, j, "thumb", "%d %s", round, f.Title)
			}
		}
	}
}

// Of a body that sits, the thighs swing up and the shins back: forward is where a thigh points already.
func TestSeatedLegsSwingAboutTheirKneesAxis(t *testing.T) {
	s := skeleton.Biped(1.7)
	for _, side := range []string{"_l", "_r"} {
		s = s.Swing(s.Index("thigh"+side), geom.AxisAngle(r3.Vec{X: 1}, -math.Pi/2)).Swing(s.Index("shank"+side), geom.AxisAngle(r3.Vec{X: 1}, math.Pi/2))
	}
	turned, err := s.Orient(nil, skeleton.DefaultConvention, skeleton.DefaultMarks)
	require.NoError(t, err)
	for _, name := range []string{"thigh_l", "thigh_r", "shank_l", "shank_r"} {
		bend := geom.Rotate(turned.Joints[turned.Index(name)].Rot, r3.Vec{X: 1})
		require.InDelta(t, 1, math.Abs(bend.X), 0.02, "%s bends about the body's left and right, not %v", name, bend)
	}
	knee := func(name string) r3.Vec { return geom.Rotate(turned.Joints[turned.Index(name)].Rot, r3.Vec{X: 1}) }
	require.Negative(t, knee("thigh_l").X*knee("shank_l").X, "a hip folds the other way than its knee")
}
