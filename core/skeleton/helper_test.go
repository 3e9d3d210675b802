package skeleton_test

import (
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// arms has two bones a side along X, the axes of the left ones turned, and a helper joint of each kind on the left.
func arms() *skeleton.Skeleton {
	odd := geom.AxisAngle(r3.Vec{X: 1, Y: 2, Z: -0.5}, 0.8)
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{
		{Name: "chest", Parent: -1, Rot: geom.Identity},
		{Name: "upper_l", Parent: 0, Pos: r3.Vec{X: 1}, Rot: odd},
		{Name: "lower_l", Parent: 1, Pos: r3.Vec{X: 2}, Rot: geom.Identity},
		{Name: "end_l", Parent: 2, Pos: r3.Vec{X: 3}, Rot: geom.Identity},
		{Name: "upper_r", Parent: 0, Pos: r3.Vec{X: -1}, Rot: geom.Identity},
		{Name: "lower_r", Parent: 4, Pos: r3.Vec{X: -2}, Rot: geom.Identity},
		{Name: "end_r", Parent: 5, Pos: r3.Vec{X: -3}, Rot: geom.Identity},
		{Name: "upper_half_l", Parent: 0, Pos: r3.Vec{X: 1, Y: 0.1}, Rot: geom.Identity,
			Helper: &skeleton.Helper{Driver: "upper_l", Share: 0.5}},
		{Name: "upper_untwist_l", Parent: 1, Pos: r3.Vec{X: 1.2}, Rot: odd,
			Helper: &skeleton.Helper{Driver: "upper_l", Twist: true, Share: -0.4}},
	}}
	return s
}

// What a helper joint turns by is the share of its driver's turn about one axis in the world, whatever axes both have.
func TestAHelperJointTurnsByItsShare(t *testing.T) {
	s := arms()
	require.NoError(t, s.Validate())
	d := s.Index("upper_l")
	about := func(i int, q quat.Number) quat.Number { // the world's axes at rest
		return quat.Mul(s.Joints[i].Rot, quat.Mul(q, quat.Conj(s.Joints[i].Rot)))
	}
	own := func(q quat.Number) quat.Number {
		return quat.Mul(quat.Conj(s.Joints[d].Rot), quat.Mul(q, s.Joints[d].Rot))
	}
	same := func(want, got quat.Number) {
		t.Helper()
		assert.InDelta(t, 1, math.Abs(want.Real*got.Real+want.Imag*got.Imag+want.Jmag*got.Jmag+want.Kmag*got.Kmag), 1e-12)
	}
	axis := r3.Vec{X: 0.3, Y: 0.2, Z: 0.9}
	half := s.Index("upper_half_l")
	same(geom.AxisAngle(axis, 0.6), about(half, s.Driven(half, d, own(geom.AxisAngle(axis, 1.2)))))
	same(geom.AxisAngle(axis, 0.6), about(half, s.Driven(half, d, quat.Scale(-2, own(geom.AxisAngle(axis, 1.2))))))

	back := s.Index("upper_untwist_l")
	same(geom.AxisAngle(r3.Vec{X: 1}, -0.4*0.9), about(back, s.Driven(back, d, own(geom.AxisAngle(r3.Vec{X: 1}, 0.9)))))
	same(geom.Identity, about(back, s.Driven(back, d, own(geom.AxisAngle(r3.Vec{Z: 1}, 0.9)))))
	swung := quat.Mul(geom.AxisAngle(r3.Vec{Z: 1}, 0.7), geom.AxisAngle(r3.Vec{X: 1}, 0.9))
	same(geom.AxisAngle(r3.Vec{X: 1}, -0.4*0.9), about(back, s.Driven(back, d, own(swung))))
}

// Bones do not lead to helper joints, so that nothing about the others changes with them.
func TestHelperJointsLeaveTheOthersAsTheyAre(t *testing.T) {
	s := arms()
	bare := s.WithoutHelpers()
	require.Len(t, bare.Joints, 7)
	assert.Same(t, bare, bare.WithoutHelpers())
	assert.Equal(t, bare.Bones(), s.Bones())
	assert.Equal(t, bare.Leading(bare.Deforming()), s.Leading(s.Deforming()))
	assert.Equal(t, bare.Trials(skeleton.DefaultMarks), s.Trials(skeleton.DefaultMarks))
	assert.Equal(t, []int{1, 4, 7}, s.Hanging()[0])
	assert.Equal(t, []bool{true, true}, s.Deforming()[7:])
	a, err := bare.Orient(nil, skeleton.DefaultConvention, skeleton.DefaultMarks)
	require.NoError(t, err)
	b, err := s.Orient(nil, skeleton.DefaultConvention, skeleton.DefaultMarks)
	require.NoError(t, err)
	assert.Equal(t, a.Joints, b.Joints[:7])
}

// Rules follow the joints that they name: new names, copies, the other side.
func TestRulesFollowTheirDrivers(t *testing.T) {
	s := arms()
	d := s.Index("upper_l")
	one, err := s.Rename(d, "shoulder_l")
	require.NoError(t, err)
	many, err := s.RenameMany(map[string]string{"upper_l": "shoulder_l"})
	require.NoError(t, err)
	for _, x := range []*skeleton.Skeleton{one, many} {
		require.NoError(t, x.Validate())
		assert.Equal(t, "shoulder_l", x.Joints[7].Helper.Driver)
	}
	assert.Equal(t, "upper_l", s.Joints[7].Helper.Driver, "what is shared is not written to")

	both, told, err := s.MakeOther(skeleton.Left, 0.01, skeleton.DefaultConvention, skeleton.DefaultMarks)
	require.NoError(t, err)
	require.NoError(t, both.Validate())
	assert.ElementsMatch(t, []string{"upper_half_r", "upper_untwist_r"}, told.Made)
	r := both.Joints[both.Index("upper_untwist_r")]
	assert.Equal(t, skeleton.Helper{Driver: "upper_r", Twist: true, Share: -0.4}, *r.Helper)
	assert.Equal(t, "upper_r", both.Joints[r.Parent].Name)

	copied, names := s.Duplicate(d, r3.Vec{Z: 1}, skeleton.DefaultMarks)
	require.NoError(t, copied.Validate())
	last := copied.Joints[len(copied.Joints)-1]
	assert.Equal(t, names[0], last.Helper.Driver)

	moved := s.Move(d, r3.Vec{X: 1, Y: 0.5}, false, false, skeleton.DefaultMarks)
	assert.Equal(t, r3.Vec{X: 1, Y: 0.6}, moved.Joints[7].Pos, "it stays at its driver")
	assert.Equal(t, r3.Vec{X: 1.2, Y: 0.5}, moved.Joints[8].Pos)
	moved = s.Move(d, r3.Vec{X: 1, Y: 0.5}, true, false, skeleton.DefaultMarks)
	assert.Equal(t, r3.Vec{X: 1.2, Y: 0.5}, moved.Joints[8].Pos, "and is moved once where it hangs from it")
}

func TestRulesThatCannotBeFollowedAreRefused(t *testing.T) {
	for what, spoil := range map[string]func(s *skeleton.Skeleton){
		"is not there":                  func(s *skeleton.Skeleton) { s.Joints[7].Helper.Driver = "elsewhere" },
		"follows another helper":        func(s *skeleton.Skeleton) { s.Joints[7].Helper.Driver = "upper_untwist_l" },
		"not a child of it":             func(s *skeleton.Skeleton) { s.Joints[7].Parent = 4 },
		"-1 to 1":                       func(s *skeleton.Skeleton) { s.Joints[7].Helper.Share = math.NaN() },
		"makes 0 of a turn":             func(s *skeleton.Skeleton) { s.Joints[7].Helper.Share = 0 },
		"is the child of the helper":    func(s *skeleton.Skeleton) { s.Joints[8].Parent = 7 },
		"has no parent":                 func(s *skeleton.Skeleton) { s.Joints[0].Helper = &skeleton.Helper{Driver: "chest", Share: 1} },
		"makes 2 of a turn, and may":    func(s *skeleton.Skeleton) { s.Joints[8].Helper.Share = 2 },
		"remove the helper joint first": func(s *skeleton.Skeleton) { s.Joints[8].Helper.Driver = "lower_r" },
	} {
		s := arms()
		spoil(s)
		assert.ErrorContains(t, s.Validate(), what)
	}
	left, _, err := arms().Remove([]int{1})
	require.NoError(t, err)
	assert.ErrorContains(t, left.Validate(), "remove the helper joint first")
}

// A helper joint stands on its driver and has what axes it has: that is no finding.
func TestHelperJointsAreNotFoundFaultWith(t *testing.T) {
	s := arms()
	s.Joints[7].Pos = s.Joints[1].Pos
	x := skeleton.DefaultMarks
	bare := s.WithoutHelpers()
	assert.Equal(t, bare.CheckPlacement(nil, x), s.CheckPlacement(nil, x))
	assert.Equal(t, bare.CheckAxes(skeleton.DefaultConvention, x), s.CheckAxes(skeleton.DefaultConvention, x))
	assert.Equal(t, bare.CheckRolls(nil, skeleton.DefaultConvention, x), s.CheckRolls(nil, skeleton.DefaultConvention, x))
}
