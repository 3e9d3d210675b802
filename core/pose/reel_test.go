package pose_test

import (
	"fmt"
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func names(r *pose.Reel, kind string) (out []string) {
	for _, s := range r.Segments {
		if s.Kind == kind {
			out = append(out, s.Name)
		}
	}
	return out
}

// Every turn of the reel stays within the trials, segments cover the frames one after the other, and the way
// back is the way there.
func TestTheReelOfABiped(t *testing.T) {
	s := skeleton.Biped(1.7)
	o := pose.DefaultReel
	o.Back = true
	r := pose.NewReel(s, o)
	at := 0
	for _, seg := range r.Segments {
		require.Equal(t, at, seg.From)
		require.Greater(t, seg.To, seg.From, seg.Name)
		at = seg.To
	}
	require.Len(t, r.Frames, at)
	for f, x := range r.Frames {
		require.Equal(t, r.Segments[x.Segment].From <= f && f < r.Segments[x.Segment].To, true)
		if x.Same >= 0 {
			require.Equal(t, r.Frames[x.Same].Pose, x.Pose)
			require.Less(t, x.Same, f)
		}
		for name, q := range x.Pose {
			require.InDelta(t, 1, q.Real*q.Real+q.Imag*q.Imag+q.Jmag*q.Jmag+q.Kmag*q.Kmag, 1e-9, name)
		}
	}
	require.Subset(
		t,
		names(r, pose.SegmentFigure),
		[]string{"crouch", "sit", "reach up", "bow", "look over the left shoulder", "reach across with hand_l"},
	)
	require.Equal(t, []string{"steps"}, names(r, pose.SegmentGait))
	require.Len(t, r.Poses(), len(pose.NewReel(s, pose.DefaultReel).Frames)+len(r.Segments)-1, "without the way back but for its end")
	c := r.Clip(s, "reel")
	require.NoError(t, c.Validate())
	require.Equal(t, len(r.Frames), c.Frames())

	// Feet stay in a crouch and a sit.
	for _, x := range r.Frames {
		if n := r.Segments[x.Segment].Name; n != "crouch" && n != "sit" || x.Name == "rest" {
			continue
		}
		st := pose.NewStanding(s, x.Pose, x.Move)
		for _, foot := range []string{"foot_l", "foot_r"} {
			require.Less(t, r3.Norm(r3.Sub(st.At[s.Index(foot)], s.Joints[s.Index(foot)].Pos)), 1e-3, x.Name)
		}
	}
	// The hands go up, and across.
	end := func(name string) *pose.Standing {
		for _, seg := range r.Segments {
			if seg.Name == name {
				f := r.Frames[seg.From+o.Steps-1]
				return pose.NewStanding(s, f.Pose, f.Move)
			}
		}
		t.Fatal(name)
		return nil
	}
	hand, head := s.Index("hand_l"), s.Index("head")
	require.Greater(t, end("reach up").At[hand].Y, s.Joints[head].Pos.Y)
	require.Less(t, end("reach across with hand_l").At[hand].X, -0.05)
	require.Greater(t, s.Joints[hand].Pos.X, 0.2)

	only := o
	only.Joints, only.Kinds, only.Amount = []string{"head"}, []string{pose.SegmentRange}, 0.5
	for _, seg := range pose.NewReel(s, only).Segments {
		require.Equal(t, "head", seg.Joint)
	}
	require.NotEmpty(t, pose.NewReel(s, only).Frames)
}

func TestReelsOfOtherBodies(t *testing.T) {
	for kind, want := range map[string][]string{"quadruped": {"four-beat walk", "wave"}, "bird": {"wing beat"}, "chain": {"wave"}} {
		k, err := skeleton.FindKind(kind)
		require.NoError(t, err)
		s, err := k.Default.Build()
		require.NoError(t, err)
		r := pose.NewReel(s, pose.DefaultReel)
		require.Subset(t, names(r, pose.SegmentGait), want, kind)
		require.NotEmpty(t, names(r, pose.SegmentFigure), kind)
	}
	k, err := skeleton.FindKind("hand")
	require.NoError(t, err)
	s, err := k.Default.Build()
	require.NoError(t, err)
	require.NotEmpty(t, names(pose.NewReel(s, pose.DefaultReel), pose.SegmentFist))
	empty := &skeleton.Skeleton{}
	require.Empty(t, pose.NewReel(empty, pose.DefaultReel).Frames)
}

// A pose of its own is gone to by shares of the turn; halfway is half the angle.
func TestAPoseOfItsOwnIsGoneTo(t *testing.T) {
	s := skeleton.Biped(1.7)
	p := pose.Pose{"forearm_l": pose.Turn(0, 80, 0)}
	half := pose.Pose{}.Towards(p, 0.5)
	require.InDelta(t, math.Cos(20*math.Pi/180), half["forearm_l"].Real, 1e-12)
	c := (&pose.Clip{Name: "wave", Step: 1, Joints: []string{"forearm_l"}, Root: []r3.Vec{{Y: 0.1}}}).AboutWorld(s)
	require.Empty(t, c.Turns)
	o := pose.DefaultReel
	o.Kinds = []string{pose.SegmentOwn}
	own := pose.Saved("wave", s, p, r3.Vec{Y: 0.1})
	o.Own = []*pose.Clip{own}
	r := pose.NewReel(s, o)
	require.Len(t, r.Frames, o.Steps)
	last := r.Frames[len(r.Frames)-1]
	require.InDelta(t, 0.1, last.Move.Y, 1e-12)
	require.InDelta(t, p["forearm_l"].Real, last.Pose["forearm_l"].Real, 1e-12)
}

// Of thousands of joints those are tried that most hangs from, and it is said how many ends were left out.
func TestAReelOfManyJointsIsBounded(t *testing.T) {
	s := &skeleton.Skeleton{}
	for i := range 3000 {
		s.Joints = append(
			s.Joints,
			skeleton.Joint{Name: fmt.Sprintf("chain_%d", i), Parent: i - 1, Pos: r3.Vec{X: 0.1 * float64(i)}, Rot: geom.Identity},
		)
	}
	o := pose.DefaultReel
	o.Back = true
	r := pose.NewReel(s, o)
	require.Positive(t, r.Left)
	require.Less(t, len(r.Frames)*len(s.Joints), 5_000_000)
	require.Equal(t, "chain_1", r.Segments[0].Joint, "the first that turns anything but the whole")
	require.Zero(t, pose.NewReel(skeleton.Biped(1.7), o).Left)
}
