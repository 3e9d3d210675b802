package pose_test

import (
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// arm is a chain of three bones along X and an aside joint, turned at rest.
func arm() *skeleton.Skeleton {
	turn := geom.AxisAngle(r3.Vec{X: 1, Y: 2, Z: 3}, 0.7)
	return &skeleton.Skeleton{Joints: []skeleton.Joint{
		{Name: "root", Parent: -1, Rot: geom.Identity},
		{Name: "upper", Parent: 0, Pos: r3.Vec{X: 1}, Rot: turn},
		{Name: "lower", Parent: 1, Pos: r3.Vec{X: 2}, Rot: geom.Identity},
		{Name: "hand", Parent: 2, Pos: r3.Vec{X: 3.5}, Rot: turn},
	}}
}

// A joint that is lengthened puts what hangs from it farther along its bone, and nothing else; its skin
// is drawn out along the bone and keeps its volume, or its thickness; what hangs from it is not scaled.
func TestALengthenedJointMovesWhatHangsFromIt(t *testing.T) {
	s := arm()
	bend := geom.AxisAngle(r3.Vec{Y: 1}, 0.4)
	plain := pose.World(s, pose.Pose{"upper": bend})
	for _, by := range []float64{0.5, 1.6, 3} {
		p := pose.Pose{"upper": pose.Lengthened(bend, by)}
		at := pose.World(s, p)
		one, two := plain[1].Point(r3.Vec{}), plain[2].Point(r3.Vec{})
		want := r3.Add(one, r3.Scale(by, r3.Sub(two, one)))
		require.InDelta(t, 0, r3.Norm(r3.Sub(want, at[2].Point(r3.Vec{}))), 1e-12)
		require.InDelta(t, 1, at[2].Determinant(), 1e-12, "Descendants is not scaled")
		require.InDelta(t, 1.5, r3.Norm(r3.Sub(at[3].Point(r3.Vec{}), at[2].Point(r3.Vec{}))), 1e-12)

		skin := pose.Skin(s, p)
		require.InDelta(t, 1, skin[1].Determinant(), 1e-12, "the volume stays")
		along := skin[1].Direction(r3.Vec{X: 1})
		require.InDelta(t, by, r3.Norm(along), 1e-12)
		require.InDelta(t, 1/math.Sqrt(by), r3.Norm(skin[1].Direction(r3.Vec{Y: 1})), 1e-12)
		require.InDelta(
			t,
			0,
			r3.Norm(r3.Sub(skin[1].Point(r3.Vec{X: 2}), skin[2].Point(r3.Vec{X: 2}))),
			1e-12,
			"the skin of both joints meets where they do",
		)
		require.Equal(t, skin, pose.SkinMatrices(s, p, nil)[0])
		require.Equal(t, skin[1], pose.SkinMatrices(s, p, pose.Recorded(s))[0][1])
		require.InDelta(t, 1, r3.Norm(pose.MovedMatrices(s, p, nil)[0][1].Direction(r3.Vec{X: 1})), 1e-12)

		thick := s.Clone()
		thick.Joints[1].Keeps = &skeleton.Constraints{Thick: true}
		require.InDelta(t, by, pose.Skin(thick, p)[1].Determinant(), 1e-12)
		require.InDelta(t, 1, r3.Norm(pose.Skin(thick, p)[1].Direction(r3.Vec{Y: 1})), 1e-12)

		st := pose.NewStanding(s, p, r3.Vec{})
		for i := range s.Joints {
			require.InDelta(t, 0, r3.Norm(r3.Sub(st.At[i], at[i].Point(r3.Vec{}))), 1e-12)
		}
		require.InDelta(t, 0, quat.Abs(quat.Sub(p["upper"], st.Pose()["upper"])), 1e-12)
		rest := pose.Rested(s, p)
		require.InDelta(t, 0, r3.Norm(r3.Sub(rest.Joints[2].Pos, st.At[2])), 1e-12)
		require.NoError(t, rest.Validate())
	}
	require.InDelta(
		t,
		0,
		r3.Norm(r3.Sub(plain[3].Point(r3.Vec{}), pose.World(s, pose.Pose{"upper": quat.Scale(1+1e-5, bend)})[3].Point(r3.Vec{}))),
		1e-12,
		"what rounding leaves of a turn lengthens nothing",
	)
	require.Equal(t, 1.0, pose.Lengthening(quat.Number{}))
	require.Equal(t, 1.0, pose.Lengthening(quat.Number{Real: math.NaN()}))
	require.Equal(t, float64(pose.MostLong), pose.Lengthening(quat.Number{Real: 1e9}))
	end := pose.World(s, pose.Pose{"hand": pose.Lengthened(geom.Identity, 3)})
	require.Equal(t, pose.World(s, nil)[3].Point(r3.Vec{}), end[3].Point(r3.Vec{}), "nothing hangs from it")
}

// Lengths come along wherever turns do: kept poses, other axes, the other side, half way to another pose.
func TestLengthsComeAlong(t *testing.T) {
	s := arm()
	p := pose.Pose{"upper": pose.Lengthened(geom.AxisAngle(r3.Vec{Z: 1}, 0.3), 1.5), "lower": geom.AxisAngle(r3.Vec{Y: 1}, 1)}
	kept := pose.Saved("long", s, p, r3.Vec{})
	require.Equal(t, []string{"upper"}, kept.Lengthens())
	back, _ := kept.AboutOwn(s).At(0)
	require.InDelta(t, 0, quat.Abs(quat.Sub(back["upper"], p["upper"])), 1e-12)
	require.InDelta(t, 1.25, pose.Lengthening(pose.Pose{}.Towards(p, 0.5)["upper"]), 1e-12)
	require.InDelta(t, 0.15, 2*math.Asin(r3.Norm(axisOf(geom.Normalise(pose.Pose{}.Towards(p, 0.5)["upper"])))), 1e-12)
	require.InDelta(t, 1.5, pose.Lengthening(p.Mirrored(s, skeleton.DefaultMarks)["upper"]), 1e-12)
	angled := pose.Angled(s, map[string][4]float64{"upper": {10, 20, 30, 1.3}, "lower": {10, 20, 30}})
	require.InDelta(t, 1.3, pose.Lengthening(angled["upper"]), 1e-12)
	require.Equal(t, 1.0, pose.Lengthening(angled["lower"]))
}

func axisOf(q quat.Number) r3.Vec { return r3.Vec{X: q.Imag, Y: q.Jmag, Z: q.Kmag} }

// A hand that is drawn farther than its arm reaches gets there where the arm may lengthen, within what is
// asked and what the joints keep to; nearer, nothing lengthens.
func TestAPullLengthensASpentLimb(t *testing.T) {
	s := arm()
	x := pose.NewPuller(s, skeleton.DefaultMarks)
	to := r3.Vec{X: 1, Y: 3.2}
	_, _, off, _, err := x.Pull(nil, r3.Vec{}, pose.Pull{Joint: "hand", To: to})
	require.NoError(t, err)
	require.InDelta(t, 0.7, off, 1e-9, "the arm is 2.5 long")
	p, _, off, _, err := x.Pull(nil, r3.Vec{}, pose.Pull{Joint: "hand", To: to, Long: 1.5})
	require.NoError(t, err)
	require.Less(t, off, 1e-6)
	require.InDelta(t, 3.2/2.5, pose.Lengthening(p["upper"]), 1e-6)
	require.InDelta(t, 0, r3.Norm(r3.Sub(pose.World(s, p)[3].Point(r3.Vec{}), to)), 1e-6)
	_, _, off, _, err = x.Pull(nil, r3.Vec{}, pose.Pull{Joint: "hand", To: to, Long: 1.1})
	require.NoError(t, err)
	require.InDelta(t, 3.2-2.75, off, 1e-6)
	held := s.Clone()
	held.Joints[1].Keeps = &skeleton.Constraints{Length: &[2]float64{1, 1}}
	p, _, _, _, err = pose.NewPuller(held, skeleton.DefaultMarks).Pull(nil, r3.Vec{}, pose.Pull{Joint: "hand", To: to, Long: 2})
	require.NoError(t, err)
	require.Equal(t, 1.0, pose.Lengthening(p["upper"]))
	p, _, _, _, err = x.Pull(nil, r3.Vec{}, pose.Pull{Joint: "hand", To: r3.Vec{X: 1, Y: 2}, Long: 2})
	require.NoError(t, err)
	require.Equal(t, 1.0, pose.Lengthening(p["upper"]))
}
