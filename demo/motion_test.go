package demo

import (
	"context"
	"math"
	"os"
	"slices"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/fit"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/formats/bvh"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func checked(t *testing.T, m *mesh.Mesh, s *skeleton.Skeleton, w *weights.Weights, report *bind.Report) *deform.Checked {
	t.Helper()
	tris, _ := m.Triangles()
	skin, err := deform.NewSkin(m.World(), tris, w, s, nil)
	require.NoError(t, err)
	o := pose.DefaultReel
	o.Steps = 2
	with := deform.CheckOptions{Cross: 24, Cover: o.Steps}
	with.Body, with.Layers = report.Worn(m)
	c, err := skin.Check(context.Background(), pose.NewReel(s, o), with, nil)
	require.NoError(t, err)
	require.Zero(t, c.Rest, "at rest the skin is exactly still")
	return c
}

// Automatic binds of the cast have few spots over the limits in the whole reel, which show (elbows and toes that lose
// a fifth of their volume at the end of their range); those that give each vertex wholly to one joint have many, and
// score worse.
func TestTheReelTellsBindsApart(t *testing.T) {
	need.Time(t)
	for _, c := range []struct {
		name string
		make func() (*mesh.Mesh, *skeleton.Skeleton)
	}{{"Odile", func() (*mesh.Mesh, *skeleton.Skeleton) { return Odile(0.022) }}, {"Bram",
		func() (*mesh.Mesh, *skeleton.Skeleton) { return Bram(0.03) }},
		{"Sedge", func() (*mesh.Mesh, *skeleton.Skeleton) { return Sedge(0.02) }}, {"Kite-tail",
			func() (*mesh.Mesh, *skeleton.Skeleton) { return KiteTail(0.03) }}} {
		m, s := c.make()
		auto, report, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
		require.NoError(t, err)
		good := checked(t, m, s, auto, report)
		hard := bind.DefaultDistance
		hard.Cap, hard.Smooth = 1, 0
		whole, _, err := bind.Near(context.Background(), m, s, hard, nil)
		require.NoError(t, err)
		bad := checked(t, m, s, whole, report)
		t.Logf(
			"%s: %.2f automatic, worst %s of %s at %.2f of its limit; %.2f hard, %d over",
			c.name,
			good.Score,
			good.Faults[0].Kind,
			good.Faults[0].Pose,
			good.Faults[0].Times,
			bad.Score,
			bad.Over,
		)
		require.LessOrEqual(t, good.Over, 6, "%s: %v", c.name, good.Faults[0])
		require.Greater(t, bad.Over, good.Over, c.name)
		for _, f := range good.Faults {
			require.Less(t, f.Times, 2.5, "%s: %v", c.name, f)
		}
		require.Less(t, 1.5*good.Score, bad.Score, c.name)
	}
}

// A bind that was spoiled on purpose in three ways: what was done to it are among the first four places of the
// list besides limbs that lose volume, with the joint that is to blame.
func TestWhatWasSpoiledIsFoundFirst(t *testing.T) {
	m, s := fingered(t)
	w, report, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	clean := checked(t, m, s, w, report)
	e := weights.Edit(w, nil, nil, 0)
	at := func(name string) int32 { return int32(slices.Index(w.Joints, name)) }
	for v := range w.Of {
		if w.Value(v, at("hand_l")) > 0.5 {
			e.Set(int32(v), at("shank_r"), 0.5) // a hand tied to a leg
		}
		if w.Value(v, at("index_2_r")) > 0.5 {
			e.Set(int32(v), at("middle_1_r"), 0.6) // a finger that its neighbour pulls along
		}
		p := s.Joints[s.Index("upper_arm_r")].Pos
		if r3.Norm(r3.Sub(m.Points[v], r3.Add(p, r3.Vec{Y: -0.04 * s.Height()}))) < 0.05*s.Height() {
			e.Set(int32(v), at("spine_3"), 1) // a stiff armpit
		}
	}
	c := checked(t, m, s, e.Weights(), report)
	require.Greater(t, c.Over, clean.Over)
	named := map[string]string{} // the joint to blame, by kind
	spoiled := slices.DeleteFunc(
		slices.Clone(c.Faults),
		func(f deform.Fault) bool { return f.Kind == deform.FaultVolume },
	) // elbows lose some anyway
	for _, f := range spoiled[:4] {
		require.Greater(t, f.Times, 1.0)
		require.NotEmpty(t, f.Where)
		named[f.Kind+" "+f.Blame[0].Joint] = f.Pose
	}
	require.Contains(t, named, "spill shank_r", "the hand")
	require.Contains(t, named, "spill middle_1_r", "the finger")
	require.Contains(t, named, "stretch spine_3", "the armpit")
}

// Motions of others, laid onto the cast: each bone points where theirs does, and feet that stand stay. CMU's
// walk and a boxer of Debian's assimp-testmodels.
func TestMotionsOfOthersAreLaidOn(t *testing.T) {
	for _, file := range []string{"01_03.bvh", "Boxing_Toes.bvh"} {
		f, err := os.Open("/usr/share/assimp/models/BVH/" + file)
		if err != nil {
			need.Skip(t, "Debian's assimp-testmodels: %v", err)
		}
		x, err := bvh.Decode(f, reading.Default)
		require.NoError(t, err)
		require.NoError(t, f.Close())
		for name, make := range map[string]func(float64) (*mesh.Mesh, *skeleton.Skeleton){"Odile": Odile, "Bram": Bram} {
			_, s := make(0.06)
			pairs := map[string]string{}
			for _, m := range skeleton.MatchJoints(s, x.Skeleton, nil) {
				pairs[m.Theirs] = m.Ours
			}
			require.Equal(t, "shank_l", pairs[map[string]string{"01_03.bvh": "LeftLeg", "Boxing_Toes.bvh": "LeftKnee"}[file]])
			require.Equal(t, "upper_arm_r", pairs[map[string]string{"01_03.bvh": "RightArm", "Boxing_Toes.bvh": "RightShoulder"}[file]])
			laid := pose.Retarget(x.Skeleton, x.Clip, s, pairs, pose.RetargetOptions{Marks: skeleton.DefaultMarks})
			require.NoError(t, laid.Clip.Validate())
			require.Equal(t, x.Clip.Frames(), laid.Clip.Frames())
			ours := map[string]string{}
			for a, b := range pairs {
				ours[b] = a
			}
			for frame := 0; frame < laid.Clip.Frames(); frame += 97 {
				p, move := laid.Clip.At(frame)
				q, theirs := x.Clip.At(frame)
				a, b := pose.NewStanding(s, p, move), pose.NewStanding(x.Skeleton, q, theirs)
				for _, bone := range [][2]string{{"thigh_l", "shank_l"}, {"shank_l", "foot_l"}, {"thigh_r", "shank_r"}, {"shank_r", "foot_r"}, {"upper_arm_l", "forearm_l"}, {"forearm_l", "hand_l"}, {"upper_arm_r", "forearm_r"}, {"neck", "head"}, {"clavicle_l", "upper_arm_l"}} {
					u := r3.Sub(a.At[s.Index(bone[1])], a.At[s.Index(bone[0])])
					v := r3.Sub(b.At[x.Skeleton.Index(ours[bone[1]])], b.At[x.Skeleton.Index(ours[bone[0]])])
					off := math.Atan2(r3.Norm(r3.Cross(u, v)), r3.Dot(u, v)) * 180 / math.Pi
					require.Less(t, off, 0.5, "%s on %s, frame %d, %v", file, name, frame, bone)
				}
			}
			held := pose.Retarget(x.Skeleton, x.Clip, s, pairs, pose.RetargetOptions{Marks: skeleton.DefaultMarks, Feet: true})
			require.Positive(t, held.Planted)
			require.Less(t, held.Slid, 1e-3)
			low := math.Inf(1)
			for frame := range held.Clip.Frames() {
				p, move := held.Clip.At(frame)
				for _, at := range pose.NewStanding(s, p, move).At {
					low = math.Min(low, at.Y)
				}
			}
			require.InDelta(t, 0, low, 0.12*s.Height(), "%s: %s matches the ground", file, name)
		}
	}
}

// fingered is Odile with the skeleton that was fitted to her, with three fingers and a thumb.
func fingered(t *testing.T) (*mesh.Mesh, *skeleton.Skeleton) {
	t.Helper()
	m, _ := Odile(0.0135)
	p := skeleton.Kinds[0].Default
	p.Fingers = 4
	s, _, err := fit.Fit(context.Background(), m, fit.Options{Params: p}, nil)
	require.NoError(t, err)
	return m, s
}
