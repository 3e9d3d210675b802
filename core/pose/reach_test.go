package pose_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

func limb(t *testing.T, s *skeleton.Skeleton, end string) pose.Limb {
	t.Helper()
	motion, _ := s.Acts(skeleton.DefaultMarks)
	l, ok := pose.LimbOf(s, s.Index(end), motion, pose.Bends(s, s.Trials(skeleton.DefaultMarks)))
	require.True(t, ok, end)
	return l
}

// The angle at the middle joint is that of the law of cosines, the end is where it was sent, the bones
// keep their lengths, and the knee goes to the front and the elbow to the back, whatever axes the joints
// have and however they stood before.
func TestALimbReachesByTheLawOfCosines(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 60 {
		s := skeleton.Biped(1.7)
		for i := range s.Joints {
			axis := r3.Unit(r3.Vec{X: r.NormFloat64(), Y: r.NormFloat64(), Z: r.NormFloat64()})
			s.Joints[i].Rot = geom.Normalise(quat.Mul(geom.AxisAngle(axis, 6*r.Float64()), s.Joints[i].Rot))
		}
		for _, end := range []string{"foot_l", "hand_r"} {
			l := limb(t, s, end)
			st := pose.NewStanding(
				s,
				pose.Pose{"spine_1": pose.Turn(10*r.NormFloat64(), 10*r.NormFloat64(), 0)},
				r3.Vec{X: r.NormFloat64()},
			)
			a, b := r3.Norm(r3.Sub(st.At[l.Middle], st.At[l.Root])), r3.Norm(r3.Sub(st.At[l.End], st.At[l.Middle]))
			d := math.Abs(a-b) + r.Float64()*(a+b-math.Abs(a-b))
			to := r3.Add(st.At[l.Root], r3.Scale(d, r3.Unit(r3.Vec{X: r.NormFloat64(), Y: -2 + r.NormFloat64(), Z: r.NormFloat64()})))
			was := st.Rot[l.End]
			off := st.Place(l, to, r3.Vec{}, true)
			require.Less(t, off, 1e-9)
			require.Less(t, r3.Norm(r3.Sub(st.At[l.End], to)), 1e-9)
			u, v := r3.Sub(st.At[l.Root], st.At[l.Middle]), r3.Sub(st.At[l.End], st.At[l.Middle])
			require.InDelta(t, a, r3.Norm(u), 1e-9)
			require.InDelta(t, b, r3.Norm(v), 1e-9)
			want := math.Acos(math.Max(-1, math.Min(1, (a*a+b*b-d*d)/(2*a*b)))) // law of cosines
			require.InDelta(t, want, math.Acos(math.Max(-1, math.Min(1, r3.Dot(u, v)/(a*b)))), 1e-6)
			d2 := quat.Mul(quat.Conj(was), st.Rot[l.End])
			require.InDelta(t, 1, math.Abs(d2.Real), 1e-9, "a hand that is held keeps its turn in the world")
			// What comes out is a pose like any other.
			again := pose.NewStanding(s, st.Pose(), st.Move)
			require.Less(t, r3.Norm(r3.Sub(again.At[l.End], to)), 1e-9)
		}
	}
}

func TestALimbFoldsTheWayThePlacementSaysFromExactlyStraight(t *testing.T) {
	s := skeleton.Biped(1.7)
	l := limb(t, s, "foot_l")
	at := s.Joints[l.Root].Pos
	s.Joints[l.Middle].Pos, s.Joints[l.End].Pos = r3.Add(at, r3.Vec{Y: -0.4}), r3.Add(at, r3.Vec{Y: -0.8}) // exactly straight
	l = limb(t, s, "foot_l")
	st := pose.NewStanding(s, nil, r3.Vec{})
	require.Less(t, st.Place(l, r3.Add(at, r3.Vec{Y: -0.6}), r3.Vec{}, true), 1e-9)
	require.Greater(t, st.At[l.Middle].Z-at.Z, 0.1, "a knee goes to the front")
	// With a pole it folds towards that.
	st.Place(l, r3.Add(at, r3.Vec{Y: -0.6}), r3.Vec{X: 1}, true)
	require.Greater(t, st.At[l.Middle].X-at.X, 0.1)
	require.InDelta(t, at.Z, st.At[l.Middle].Z, 1e-9)
	// Too far: straight towards it, and it is said how far it stays off.
	require.InDelta(t, 0.2, st.Place(l, r3.Add(at, r3.Vec{Y: -1}), r3.Vec{}, true), 1e-9)
}

// Hips that move and turn, feet that stay: less than a millimetre is asked.
func TestPlantedFeetStay(t *testing.T) {
	s := skeleton.Biped(1.7)
	for k := range 20 {
		st := pose.NewStanding(
			s,
			pose.Pose{"hips": pose.Turn(0, float64(k), float64(k)/2)},
			r3.Vec{X: 0.004 * float64(k), Y: -0.015 * float64(k)},
		)
		for _, end := range []string{"foot_l", "foot_r"} {
			require.Less(t, st.Place(limb(t, s, end), s.Joints[s.Index(end)].Pos, r3.Vec{}, true), 1e-6)
		}
		for _, end := range []string{"foot_l", "foot_r"} {
			require.Less(t, r3.Norm(r3.Sub(st.At[s.Index(end)], s.Joints[s.Index(end)].Pos)), 1e-6)
		}
	}
}

func TestALongChainReaches(t *testing.T) {
	s := &skeleton.Skeleton{}
	for i := range 12 {
		s.Joints = append(
			s.Joints,
			skeleton.Joint{Name: "tail_" + string(rune('a'+i)), Parent: i - 1, Pos: r3.Vec{X: 0.1 * float64(i)}, Rot: geom.Identity},
		)
	}
	bends := pose.Bends(s, s.Trials(skeleton.DefaultMarks))
	chain := []int{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11}
	for _, to := range []r3.Vec{{X: 0.5, Y: 0.4}, {X: 0.6}, {X: -0.3, Y: 0.2, Z: 0.5}} { // the second lies on the straight chain
		st := pose.NewStanding(s, nil, r3.Vec{})
		require.Less(t, st.Reach(chain, to, bends), 1e-5)
		require.Less(t, r3.Norm(r3.Sub(st.At[11], to)), 1e-5)
		for k := 1; k < 12; k++ {
			require.InDelta(t, 0.1, r3.Norm(r3.Sub(st.At[k], st.At[k-1])), 1e-9, "lengths are kept")
		}
	}
	st := pose.NewStanding(s, nil, r3.Vec{})
	require.InDelta(t, 0.9, st.Reach(chain, r3.Vec{Y: 2}, bends), 1e-6)
	require.InDelta(t, 1.1, st.At[11].Y, 1e-9)
}
