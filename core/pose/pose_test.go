package pose_test

import (
	"fmt"
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

func turned(t require.TestingT) *skeleton.Skeleton {
	s, err := skeleton.Biped(1.7).Orient(nil, skeleton.DefaultConvention, skeleton.DefaultMarks)
	require.NoError(t, err)
	return s
}

func TestAnyPoseKeepsBoneLengthsAndLeavesTheRestAlone(t *testing.T) {
	s := turned(t)
	rapid.Check(t, func(t *rapid.T) {
		angle := rapid.Float64Range(-170, 170)
		i := rapid.IntRange(0, len(s.Joints)-1).Draw(t, "joint")
		p := pose.Pose{s.Joints[i].Name: pose.Turn(angle.Draw(t, "x"), angle.Draw(t, "y"), angle.Draw(t, "z"))}
		m := pose.World(s, p)
		moved := map[int]bool{}
		for _, k := range s.Branch(i) {
			moved[k] = k != i
		}
		for k, j := range s.Joints {
			at := m[k].Point(r3.Vec{})
			if !moved[k] {
				require.InDelta(t, 0, r3.Norm(r3.Sub(at, j.Pos)), 1e-9, "%s does not hang from %s", j.Name, s.Joints[i].Name)
			}
			if j.Parent >= 0 {
				rest := r3.Norm(r3.Sub(j.Pos, s.Joints[j.Parent].Pos))
				require.InDelta(t, rest, r3.Norm(r3.Sub(at, m[j.Parent].Point(r3.Vec{}))), 1e-9)
			}
		}
	})
}

func TestInverseBindUndoesTheRestPose(t *testing.T) {
	s := turned(t)
	world := pose.World(s, nil)
	for i, b := range pose.InverseBind(s) {
		m := world[i].Mul(b)
		for k := range m {
			want := 0.0
			if k%5 == 0 {
				want = 1
			}
			require.InDelta(t, want, m[k], 1e-12)
		}
	}
}

// What rounding leaves of a turn's length is none, and a joint that is not there is passed over; more of it
// lengthens the joint (TestALengthenedJointMovesWhatHangsFromIt).
func TestATurnIsNormalised(t *testing.T) {
	s := turned(t)
	q := pose.Turn(30, 0, 0)
	a := pose.World(s, pose.Pose{"thigh_l": q})
	b := pose.World(s, pose.Pose{"thigh_l": quat.Scale(1+1e-5, q), "nobody": q})
	require.Equal(t, len(a), len(b))
	for i := range a {
		require.InDelta(t, 0, r3.Norm(r3.Sub(a[i].Point(r3.Vec{}), b[i].Point(r3.Vec{}))), 1e-12)
	}
}

func ExampleTurn() {
	q := pose.Turn(0, 0, 180)
	fmt.Printf("%.0f %.0f\n", q.Real, q.Kmag)
	// Output: 0 1
}

// Turns in every order against gonum's rotations: the first axis turns within the second, and
// that within the third.
func TestOrdersOfTurnsAgainstGonum(t *testing.T) {
	unit := map[byte]r3.Vec{'x': {X: 1}, 'y': {Y: 1}, 'z': {Z: 1}}
	angles := map[byte]float64{'x': 23, 'y': -71, 'z': 140}
	for _, order := range append([]string{""}, skeleton.Orders...) {
		q := pose.TurnIn(order, angles['x'], angles['y'], angles['z'])
		if order == "" {
			order = "xyz"
			require.Equal(t, pose.Turn(23, -71, 140), q)
		}
		for _, v := range []r3.Vec{{X: 1}, {X: 0.3, Y: -2, Z: 5}} {
			want := v
			for i := range 3 {
				want = r3.NewRotation(angles[order[i]]*math.Pi/180, unit[order[i]]).Rotate(want)
			}
			require.InDelta(t, 0, r3.Norm(r3.Sub(want, geom.Rotate(q, v))), 1e-12, order)
		}
	}
	s := skeleton.Biped(1.7)
	s.Joints[3].Order = "zxy"
	p := pose.Angled(s, map[string][4]float64{s.Joints[3].Name: {10, 20, 30}, "nobody": {1, 2, 3}, s.Joints[4].Name: {math.NaN(), 0, 0}})
	require.Equal(t, pose.Pose{s.Joints[3].Name: pose.TurnIn("zxy", 10, 20, 30)}, p)
}
