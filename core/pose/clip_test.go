package pose_test

import (
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

// drawnClip is a motion of two frames with any turn of any joint.
func drawnClip(t *rapid.T, s *skeleton.Skeleton) *pose.Clip {
	angle := rapid.Float64Range(-170, 170)
	c := &pose.Clip{Name: "drawn", Step: 1.0 / 30, Root: make([]r3.Vec, 2)}
	for _, j := range s.Joints {
		c.Joints = append(c.Joints, j.Name)
	}
	for range 2 {
		var row []quat.Number
		for range s.Joints {
			row = append(row, pose.Turn(angle.Draw(t, "x"), angle.Draw(t, "y"), angle.Draw(t, "z")))
		}
		c.Turns = append(c.Turns, row)
	}
	return c
}

func places(s *skeleton.Skeleton, c *pose.Clip, frame int) map[string]r3.Vec {
	p, _ := c.At(frame)
	out := map[string]r3.Vec{}
	for i, m := range pose.World(s, p) {
		out[s.Joints[i].Name] = m.Point(r3.Vec{})
	}
	return out
}

// A motion about the world's axes moves the joints the same way whatever axes they
// have been given since.
func TestAMotionOutlivesOtherAxes(t *testing.T) {
	s := turned(t)
	convention := skeleton.DefaultConvention
	convention.Aim, convention.Bend = "x", "z"
	other, err := s.Orient(nil, convention, skeleton.DefaultMarks)
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		c := drawnClip(t, s)
		kept := c.AboutWorld(s)
		want, got := places(s, c, 1), places(other, kept.AboutOwn(other), 1)
		for name, p := range want {
			require.InDelta(t, 0, r3.Norm(r3.Sub(p, got[name])), 1e-9, name)
		}
	})
}

// Joints that are taken out leave the motion of the others as it was.
func TestAMotionOutlivesRemovedJoints(t *testing.T) {
	s := turned(t)
	rapid.Check(t, func(t *rapid.T) {
		var which []int
		gone := map[string]string{}
		for i, j := range s.Joints {
			if i > 0 && rapid.Bool().Draw(t, j.Name) {
				which, gone[j.Name] = append(which, i), ""
			}
		}
		c := drawnClip(t, s)
		left := s.Clone()
		if which != nil {
			var err error
			left, _, err = s.Remove(which)
			require.NoError(t, err)
		}
		kept := c.AboutWorld(s).Without(s, gone)
		require.NoError(t, kept.Validate())
		// A joint stands where it stood relative to its parent there only if no
		// turning joint between was taken out: so turns are compared, not places.
		p, _ := c.At(0)
		q, _ := kept.AboutOwn(left).At(0)
		want, got := pose.World(s, p), pose.World(left, q)
		for k, j := range left.Joints {
			a, b := want[s.Index(j.Name)], got[k]
			for e := range 3 {
				axis := [3]r3.Vec{{X: 1}, {Y: 1}, {Z: 1}}[e]
				require.InDelta(
					t,
					0,
					r3.Norm(r3.Sub(r3.Sub(a.Point(axis), a.Point(r3.Vec{})), r3.Sub(b.Point(axis), b.Point(r3.Vec{})))),
					1e-9,
					j.Name,
				)
			}
		}
	})
}

// A world that is turned and scaled has the motion turned and scaled.
func TestAMotionTurnsWithTheWorld(t *testing.T) {
	s := turned(t)
	turn := geom.AxisAngle(r3.Unit(r3.Vec{X: 1, Y: 2, Z: -1}), 0.8)
	to := geom.Compose(r3.Vec{}, turn, r3.Vec{X: 2, Y: 2, Z: 2})
	there := s.Transform(to, turn)
	rapid.Check(t, func(t *rapid.T) {
		c := drawnClip(t, s).AboutWorld(s)
		c.Root[0] = r3.Vec{X: 0.3, Y: 1}
		moved := c.Transform(turn, 2)
		require.InDelta(t, 0, r3.Norm(r3.Sub(moved.Root[0], to.Point(c.Root[0]))), 1e-12)
		want, got := places(s, c.AboutOwn(s), 0), places(there, moved.AboutOwn(there), 0)
		for name, p := range want {
			require.InDelta(t, 0, r3.Norm(r3.Sub(to.Point(p), got[name])), 1e-9, name)
		}
	})
}

func TestAClipKeepsWhatIsNamed(t *testing.T) {
	c := &pose.Clip{
		Name:   "walk",
		Step:   0.1,
		Joints: []string{"a", "b"},
		Root:   make([]r3.Vec, 1),
		Turns:  [][]quat.Number{{{Real: 1}, {Imag: 1}}},
	}
	only := c.Only(map[string]string{"b": "beta"})
	require.Equal(t, []string{"beta"}, only.Joints)
	require.Equal(t, [][]quat.Number{{{Imag: 1}}}, only.Turns)
	require.Equal(t, []string{"a", "beta"}, c.Renamed(map[string]string{"b": "beta"}).Joints)
	require.Equal(t, []string{"a", "b"}, c.Joints, "the clip itself is left alone")
	c.Root = nil
	require.ErrorContains(t, c.Validate(), "0 places of the root for 1 frames")
}
