package shape_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

func of(q quat.Number) [4]float64 { return [4]float64{q.Imag, q.Jmag, q.Kmag, q.Real} }

// Poses of one or two joints: each target is on in its own pose, off at rest and in those of the others, never beyond 0 and 1; in
// between it is what the same equations give, solved for these values alone by gonum.
func TestTargetsNearPoses(t *testing.T) {
	s := arm()
	rng := rand.New(rand.NewPCG(20, 27))
	for n := range 40 {
		names := []string{"forearm_l", "upper_arm_l"}[:1+n%2]
		r := &shape.Rig{}
		var poses []pose.Pose
		for k := range 1 + rng.IntN(5) {
			p, x := pose.Pose{}, &shape.Near{Turns: map[string][4]float64{}, Reach: 30 + 60*rng.Float64()}
			for _, name := range names {
				q := pose.Turn(60*float64(k)+25*rng.Float64()+10, 80*rng.Float64()-40, 80*rng.Float64()-40)
				p[name], x.Turns[name] = q, of(q)
			}
			poses = append(poses, p)
			r.Targets = append(r.Targets, shape.Target{Name: fmt.Sprint("t", k), Near: x})
		}
		require.NoError(t, r.Validate())
		e := r.For(s, skeleton.DefaultMarks)
		require.Empty(t, e.Lost)
		require.Equal(t, make([]float64, len(poses)), e.Values(nil))
		require.Equal(t, make([]float64, len(poses)), e.Values(pose.Pose{"hand_l": pose.Turn(50, 0, 0)}))
		for k, p := range poses {
			for i, v := range e.Values(p) {
				require.InDelta(t, map[bool]float64{true: 1}[i == k], v, 1e-9)
			}
		}
		for range 20 {
			p := pose.Pose{}
			for _, name := range names {
				p[name] = pose.Turn(400*rng.Float64(), 300*rng.Float64(), 300*rng.Float64())
			}
			got := e.Values(p)
			for k, want := range lewis(r, poses, p) {
				require.InDelta(t, math.Max(0, math.Min(1, want)), got[k], 1e-9)
			}
		}
	}
}

// lewis is Lewis's interpolation for one pose: for each target the weights of the radial functions are solved so that the
// values at all poses, rest among them, are met.
func lewis(r *shape.Rig, poses []pose.Pose, p pose.Pose) (out []float64) {
	centers := append([]pose.Pose{{}}, poses...)
	reach := []float64{math.Inf(1)}
	for i := range r.Targets {
		reach = append(reach, r.Targets[i].Near.Reach)
		reach[0] = math.Min(reach[0], r.Targets[i].Near.Reach)
	}
	far := func(a, b pose.Pose) (sum float64) {
		for name := range r.Targets[0].Near.Turns {
			turn := func(p pose.Pose) quat.Number {
				if q, ok := p[name]; ok {
					return q
				}
				return geom.Identity
			}
			d := quat.Mul(quat.Inv(turn(a)), turn(b))
			angle := 2 * math.Acos(math.Min(1, math.Abs(d.Real)/quat.Abs(d))) * 180 / math.Pi
			sum += angle * angle
		}
		return sum
	}
	n := len(centers)
	a := mat.NewDense(n, n, nil)
	for i := range n {
		for j := range n {
			a.Set(i, j, math.Exp(-far(centers[i], centers[j])/(reach[j]*reach[j])))
		}
	}
	for k := range poses {
		want := mat.NewVecDense(n, nil)
		want.SetVec(k+1, 1)
		var w mat.VecDense
		if w.SolveVec(a, want) != nil {
			return nil
		}
		sum := 0.0
		for j := range n {
			sum += w.AtVec(j) * math.Exp(-far(p, centers[j])/(reach[j]*reach[j]))
		}
		out = append(out, sum)
	}
	return out
}

func TestPosesThatCannotBringTargetsOn(t *testing.T) {
	near := func(degrees, reach float64) *shape.Near {
		return &shape.Near{Turns: map[string][4]float64{"forearm_l": of(pose.Turn(degrees, 0, 0))}, Reach: reach}
	}
	rig := func(list ...*shape.Near) *shape.Rig {
		r := &shape.Rig{}
		for k, n := range list {
			r.Targets = append(r.Targets, shape.Target{Name: fmt.Sprint(k), Near: n})
		}
		return r
	}
	require.ErrorContains(t, rig(near(0, 50)).Validate(), "rest")
	require.ErrorContains(t, rig(near(90, 0)).Validate(), "reaches")
	require.ErrorContains(t, rig(near(90, math.NaN())).Validate(), "reaches")
	require.ErrorContains(t, rig(&shape.Near{Reach: 50}).Validate(), "0")
	require.ErrorContains(t, rig(&shape.Near{Reach: 50, Turns: map[string][4]float64{"a": {9}}}).Validate(), "rotation of a")
	twice := rig(near(90, 50), near(90, 50), near(40, 50))
	require.NoError(t, twice.Validate())
	e := twice.For(arm(), skeleton.DefaultMarks)
	require.Equal(t, []string{"0", "1", "2"}, e.Lost, "two of one pose have no value, and are told")
	require.Equal(t, []float64{0, 0, 0}, e.Values(pose.Pose{"forearm_l": pose.Turn(60, 0, 0)}))
	gone := rig(near(90, 50)).Renamed(map[string]string{"forearm_l": "tail"}, nil)
	require.Equal(t, []string{"0"}, gone.For(arm(), skeleton.DefaultMarks).Lost)
	require.Equal(t, "a pose of tail", gone.Targets[0].By())
}

// Other axes leave the poses that targets are near what they are in the world.
func TestNearPosesKeepTheirWorldWhenAxesChange(t *testing.T) {
	s := arm()
	other := s.Clone()
	for i := range other.Joints {
		other.Joints[i].Rot = quat.Mul(other.Joints[i].Rot, geom.AxisAngle(r3.Unit(r3.Vec{X: 1, Y: 2, Z: float64(i)}), 0.9))
	}
	rig := &shape.Rig{Targets: []shape.Target{
		{Name: "a", Near: &shape.Near{Reach: 60, Turns: map[string][4]float64{"forearm_l": of(pose.Turn(70, 0, 20))}}},
		{Name: "b", Near: &shape.Near{Reach: 50, Turns: map[string][4]float64{"forearm_l": of(pose.Turn(0, 60, -20)), "upper_arm_l": of(pose.Turn(0, 0, 40))}}},
	}}
	rng := rand.New(rand.NewPCG(3, 4))
	before, after := rig.For(s, skeleton.DefaultMarks), rig.Reoriented(s, other).For(other, skeleton.DefaultMarks)
	most := 0.0
	for range 50 {
		p, q := pose.Pose{}, pose.Pose{}
		for _, name := range []string{"forearm_l", "upper_arm_l"} {
			turn := pose.Turn(90*rng.Float64(), 60*rng.Float64(), 40*rng.Float64())
			p[name] = turn
			by := quat.Mul(quat.Conj(other.Joints[other.Index(name)].Rot), s.Joints[s.Index(name)].Rot)
			q[name] = quat.Mul(quat.Mul(by, turn), quat.Conj(by))
		}
		want, got := before.Values(p), after.Values(q)
		require.InDeltaSlice(t, want, got, 1e-9)
		most = max(most, want[0], want[1])
	}
	require.Greater(t, most, 0.2)
	require.Nil(t, (*shape.Rig)(nil).Reoriented(s, other))
}
