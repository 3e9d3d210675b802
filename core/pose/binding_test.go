package pose_test

import (
	"fmt"
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

// grown is a random skeleton of n joints: some coincident, some nearly in a line.
func grown(rng *rand.Rand, n int) *skeleton.Skeleton {
	s := &skeleton.Skeleton{}
	for i := range n {
		j := skeleton.Joint{Name: fmt.Sprintf("j%d", i), Parent: -1, Rot: turn(rng)}
		if i > 0 {
			j.Parent = rng.IntN(i)
			j.Pos = s.Joints[j.Parent].Pos
			switch rng.IntN(5) {
			case 0: // coincident
			case 1: // in a line
				j.Pos = r3.Add(j.Pos, r3.Vec{Y: 0.2, X: 1e-9 * rng.Float64()})
			default:
				j.Pos = r3.Add(j.Pos, r3.Vec{X: rng.Float64() - 0.5, Y: rng.Float64() - 0.5, Z: rng.Float64() - 0.5})
			}
		}
		s.Joints = append(s.Joints, j)
	}
	return s
}

func turn(rng *rand.Rand) quat.Number {
	return geom.Normalise(quat.Number{Real: rng.NormFloat64(), Imag: rng.NormFloat64(), Jmag: rng.NormFloat64(), Kmag: rng.NormFloat64()})
}

func posed(rng *rand.Rand, s *skeleton.Skeleton) pose.Pose {
	p := pose.Pose{}
	for _, j := range s.Joints {
		if rng.IntN(2) == 0 {
			p[j.Name] = turn(rng)
		}
	}
	return p
}

// apart returns how far two sets of matrices take the places around a skeleton apart.
func apart(s *skeleton.Skeleton, a, b []geom.Matrix) float64 {
	far := 0.0
	for i := range a {
		for _, d := range []r3.Vec{{}, {X: 1}, {Y: 1}, {Z: 1}} {
			p := r3.Add(s.Joints[i].Pos, d)
			far = math.Max(far, r3.Norm(r3.Sub(a[i].Point(p), b[i].Point(p))))
		}
	}
	return far
}

// What the bind pose promises, over random skeletons of 2 to 200 joints, to 1e-9 of their
// size: the skin is still where it was bound; other axes leave it still in every pose; the
// way back leads there whatever was moved or hung elsewhere; a pose that becomes the rest is
// what was seen; motions show the same poses after it.
func TestBindPoseOverRandomSkeletons(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 4))
	for n := 2; n <= 200; n += 1 + n/3 {
		s := grown(rng, n)
		size := math.Max(1, s.Size())
		b := pose.Recorded(s)
		require.True(t, b.Still(s))
		for _, m := range pose.SkinMatrices(s, nil, b)[0] {
			require.Equal(t, geom.IdentityMatrix, m, "exactly still")
		}
		p := posed(rng, s)
		require.InDelta(t, 0, apart(s, pose.Skin(s, p), pose.SkinMatrices(s, p, b)[0]), 1e-9*size)

		// Other axes, in a skeleton that stands away from its record.
		away := s.Clone()
		for i := range away.Joints {
			if rng.IntN(4) == 0 {
				away.Joints[i].Pos = r3.Add(away.Joints[i].Pos, r3.Vec{X: rng.Float64()})
				away.Joints[i].Rot = turn(rng)
			}
		}
		axes := away.Clone()
		for i := range axes.Joints {
			axes.Joints[i].Rot = turn(rng)
		}
		re := b.Reoriented(away, axes)
		require.InDelta(
			t,
			0,
			apart(s, pose.SkinMatrices(away, nil, b)[0], pose.SkinMatrices(axes, nil, re)[0]),
			1e-9*size,
			"other axes leave the skin where it is",
		)
		back := b.Reoriented(s, axes)
		for i := range s.Joints {
			require.Equal(t, axes.Joints[i].Rot, back.Records[0].Skeleton.Joints[i].Rot, "exactly, where it stood as recorded")
		}

		// Back home, after joints were moved and one hangs elsewhere.
		hung := away.Clone()
		if n > 3 {
			hung.Joints[n-1].Parent = 0
		}
		home := b.Restored(hung, 0)
		for i, j := range home.Joints {
			require.Equal(t, s.Joints[i].Pos, j.Pos)
			require.Equal(t, s.Joints[i].Rot, j.Rot)
		}
		require.True(t, b.Still(home))
		require.Equal(t, hung.Joints[n-1].Parent, home.Joints[n-1].Parent)

		// Recording some joints anew makes them still and leaves the others as they were.
		some := []string{away.Joints[n/2].Name}
		anew := b.Rerecorded(away, some)
		require.Zero(t, anew.Drifts(away, 0)[n/2].Distance)
		for i, d := range anew.Drifts(away, 0) {
			if i != n/2 {
				require.Equal(t, b.Drifts(away, 0)[i].Distance, d.Distance)
			}
		}

		// A pose as the rest.
		rest := pose.Rested(s, p)
		require.NoError(t, rest.Validate())
		for i, m := range pose.World(s, p) {
			at, q, _ := m.Decompose()
			require.InDelta(t, 0, r3.Norm(r3.Sub(at, rest.Joints[i].Pos)), 1e-9*size)
			require.InDelta(
				t,
				1,
				math.Abs(
					quat.Mul(quat.Conj(q), rest.Joints[i].Rot).Real,
				),
				1e-9,
			)
		}
		clip := &pose.Clip{Name: "c", Step: 1}
		frame := []quat.Number{}
		for i, j := range s.Joints {
			clip.Joints = append(clip.Joints, j.Name)
			frame = append(frame, turn(rng))
			_ = i
		}
		clip.Turns, clip.Root = [][]quat.Number{frame}, []r3.Vec{{X: 0.3}}
		own, _ := clip.AboutOwn(s).At(0)
		after, _ := clip.Rerested(s, rest).AboutOwn(rest).At(0)
		seen, now := pose.World(s, own), pose.World(rest, after)
		for i := range seen {
			_, a, _ := seen[i].Decompose()
			_, c, _ := now[i].Decompose()
			require.InDelta(t, 1, math.Abs(a.Real*c.Real+a.Imag*c.Imag+a.Jmag*c.Jmag+a.Kmag*c.Kmag), 1e-9, "the same pose in the motion")
		}
	}
}

// A joint that a record lacks, or whose matrix cannot be inverted, moves nothing and is told;
// records are joined, dropped, renamed and carried along.
func TestRecordsOfTheBindPose(t *testing.T) {
	s := grown(rand.New(rand.NewPCG(3, 3)), 6)
	part := &skeleton.Skeleton{Joints: s.Joints[:4]}
	b := &pose.Binding{
		Records: []pose.Record{
			{Name: "a", Skeleton: part},
			{Name: "b", Skeleton: s, Stretch: map[string][9]float64{"j1": {}, "j2": {2, 0, 0, 0, 2, 0, 0, 0, 2}}},
			{Name: "c", Skeleton: s},
		},
		Of: []uint8{0, 1, 1},
	}
	require.NoError(t, b.Validate(3))
	require.Error(t, b.Validate(4))
	require.False(t, b.Still(s))
	d := b.Drifts(s, 0)
	require.True(t, d[4].Missing && d[5].Missing && !d[0].Missing)
	d = b.Drifts(s, 1)
	require.True(t, d[1].Singular && !d[2].Singular)
	require.InDelta(t, 1, d[2].Stretch, 1e-12)
	m := pose.SkinMatrices(s, pose.Pose{"j0": geom.AxisAngle(r3.Vec{X: 1}, 0.5)}, b)
	require.Equal(t, geom.IdentityMatrix, m[0][4])
	require.Equal(t, geom.IdentityMatrix, m[1][1])
	require.NotEqual(t, geom.IdentityMatrix, m[2][1])
	require.Equal(t, []int{1, 2, 0}, b.Used(3))
	require.Len(t, b.Pruned(3).Records, 2)
	require.Equal(t, []uint8{0, 1, 1}, b.Pruned(3).Of)
	require.Equal(t, []uint8{1, 0, 0}, b.Gathered([]int32{2, -1, 0}).Of)
	named := b.Renamed(map[string]string{"j2": "knee"})
	require.Equal(t, "knee", named.Records[1].Skeleton.Joints[2].Name)
	require.Contains(t, named.Records[1].Stretch, "knee")
	require.Equal(t, "j2", b.Records[1].Skeleton.Joints[2].Name, "the other is left alone")
	gone := b.Without(map[string]string{"j1": ""})
	require.NoError(t, gone.Validate(3))
	require.Len(t, gone.Records[1].Skeleton.Joints, 5)
	require.Len(t, b.Unified(1).Records, 1)
	require.Error(t, (&pose.Binding{}).Validate(0))
	require.Error(
		t,
		(&pose.Binding{Records: []pose.Record{{Name: "x", Skeleton: s, Stretch: map[string][9]float64{"j1": {math.NaN()}}}}}).Validate(0),
	)
}

// Arms go level, to 45° and straight, from any slope; without arms it is said.
func TestArmsToTAndA(t *testing.T) {
	k, _ := skeleton.FindKind("biped")
	s, err := k.Default.Build()
	require.NoError(t, err)
	x := skeleton.DefaultMarks
	for _, degrees := range []float64{0, 45, -30, 90} {
		for _, straight := range []bool{false, true} {
			p, _, err := pose.ArmsTo(s, x, degrees, straight)
			require.NoError(t, err)
			r := pose.Rested(s, p)
			_, off, err := pose.ArmsTo(r, x, degrees, straight)
			require.NoError(t, err)
			require.InDelta(t, 0, off, 1e-5)
			l, w := r.Joints[r.Index("upper_arm_l")].Pos, r.Joints[r.Index("hand_l")].Pos
			require.InDelta(t, degrees, -math.Asin(r3.Unit(r3.Sub(w, l)).Y)*180/math.Pi, 1e-6)
			rr, rl := r.Joints[r.Index("hand_r")].Pos, r.Joints[r.Index("hand_l")].Pos
			require.InDelta(t, 0, r3.Norm(r3.Sub(rr, r3.Vec{X: -rl.X, Y: rl.Y, Z: rl.Z})), 1e-6, "both alike")
		}
	}
	beast, _ := skeleton.FindKind("chain")
	c, err := beast.Default.Build()
	require.NoError(t, err)
	_, _, err = pose.ArmsTo(c, x, 0, false)
	require.ErrorIs(t, err, pose.ErrNoArms)
}

// What is carried moves the skin as the build does, and is taken back again; a binding that is rebuilt does to the skin at rest
// what it did.
func TestABuildIsCarriedByTheJointsOfTheFirst(t *testing.T) {
	rng := rand.New(rand.NewPCG(8, 27))
	s := skeleton.Biped(1.7)
	built, p := s.Clone(), pose.Pose{}
	for i := range built.Joints {
		j := &built.Joints[i]
		j.Pos = r3.Add(j.Pos, r3.Vec{X: rng.NormFloat64() / 10, Y: rng.NormFloat64() / 10, Z: rng.NormFloat64() / 10})
		j.Rot = geom.Normalise(quat.Mul(pose.Turn(9*rng.NormFloat64(), 9*rng.NormFloat64(), 9*rng.NormFloat64()), j.Rot))
		p[j.Name] = pose.Turn(40*rng.NormFloat64(), 40*rng.NormFloat64(), 40*rng.NormFloat64())
	}
	at := r3.Vec{X: 0.2, Y: 0.9, Z: -0.4}
	skin, carried, bind := pose.Skin(built, p), pose.Carried(built, s, p), pose.InverseBind(s)
	turns, world := pose.Pose{}, make([]quat.Number, len(s.Joints))
	for i, j := range s.Joints {
		require.InDelta(t, 0, r3.Norm(r3.Sub(skin[i].Point(at), carried[i].Mul(bind[i]).Point(at))), 1e-12)
		_, q, _ := carried[i].Decompose()
		_, local := s.Local(i)
		if world[i] = q; j.Parent >= 0 {
			q = quat.Mul(quat.Conj(world[j.Parent]), q)
		}
		turns[j.Name] = quat.Mul(quat.Conj(local), q)
	}
	place, _, _ := carried[0].Decompose()
	back, root := pose.Uncarried(built, s, turns, r3.Add(r3.Vec{Z: 2}, r3.Sub(place, s.Joints[0].Pos)))
	require.InDelta(t, 0, r3.Norm(r3.Sub(root, r3.Vec{Z: 2})), 1e-9)
	for name, q := range p {
		b := back[name]
		require.InDelta(t, 1, math.Abs(q.Real*b.Real+q.Imag*b.Imag+q.Jmag*b.Jmag+q.Kmag*b.Kmag), 1e-9, name)
	}

	elsewhere := s.Clone()
	for i := range elsewhere.Joints {
		elsewhere.Joints[i].Pos.X += 0.05 * float64(i)
		elsewhere.Joints[i].Rot = geom.Normalise(quat.Mul(pose.Turn(10, float64(i), 5), elsewhere.Joints[i].Rot))
	}
	records := []pose.Record{{Skeleton: s}, {Skeleton: elsewhere}, {Skeleton: elsewhere, Stretch: map[string][9]float64{
		"hand_l": {1.2, 0.1, 0, 0, 0.9, 0, 0.2, 0, 1.1},
	}}}
	b := &pose.Binding{Records: records}
	next := b.Rebuilt(s, built)
	require.Equal(t, built.Joints[3].Pos, next.Records[0].Skeleton.Joints[3].Pos)
	was, is := pose.SkinMatrices(s, nil, b), pose.SkinMatrices(built, nil, next)
	posed, want := pose.SkinMatrices(built, p, next), pose.BuiltMatrices(built, s, p, b)
	for r := range records {
		for i := range s.Joints {
			require.InDelta(t, 0, r3.Norm(r3.Sub(was[r][i].Point(at), is[r][i].Point(at))), 1e-9, "record %d, %s", r, s.Joints[i].Name)
			require.InDelta(t, 0, r3.Norm(r3.Sub(posed[r][i].Point(at), want[r][i].Point(at))), 1e-9, "record %d, %s", r, s.Joints[i].Name)
		}
	}
	require.NoError(t, next.Validate(5))
}
