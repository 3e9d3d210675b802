package demo

import (
	"context"
	"math"
	"slices"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// facing is the finding about the front of a body that is turned by so many degrees, nil for none.
func facing(t *testing.T, m *mesh.Mesh, turn float64) *finding.Finding {
	t.Helper()
	_, list, err := health.Check(context.Background(), turned(m, turn).Surface(), "biped")
	require.NoError(t, err)
	require.False(
		t,
		slices.ContainsFunc(list, func(f finding.Finding) bool { return f.Code == "off_centre" }),
		"turned about its middle by %g°",
		turn,
	)
	at := slices.IndexFunc(list, func(f finding.Finding) bool { return f.Code == "not_facing_front" })
	if at < 0 {
		return nil
	}
	return &list[at]
}

// turned is the mesh turned about Y by so many degrees.
func turned(m *mesh.Mesh, degrees float64) *mesh.Mesh {
	q := geom.AxisAngle(r3.Vec{Y: 1}, degrees*math.Pi/180)
	c := *m
	c.Points = slices.Clone(m.Points)
	for i := range c.Points {
		c.Points[i] = geom.Rotate(q, c.Points[i])
	}
	return &c
}

// Whichever way a body is turned, its front is found, with what shows it: on two legs and four, with wings,
// with a lantern in one hand.
func TestTheCastIsToldWhereItFaces(t *testing.T) {
	need.Time(t)
	for _, c := range Cast()[:5] {
		m, _ := c.Make()
		require.Nil(t, facing(t, m, 0), c.Name)
		for _, turn := range []float64{37, 180} {
			f := facing(t, m, turn)
			require.NotNil(t, f, "%s turned by %g°", c.Name, turn)
			require.Len(t, f.Data, 1, "%s turned by %g°: %v", c.Name, turn, f.Evidence)
			require.InDelta(t, 0, math.Remainder(f.Evidence[0].Value+turn, 360), 1, "%s turned by %g°", c.Name, turn)
			require.Greater(t, len(f.Evidence), 1, "what shows it")
		}
	}
}

// Unfamiliar bodies too, in coats and with what they carry in one hand; without feet (they are cut off at the
// shank) nose and hands have to do, and where these do not suffice it is not said to be sure.
func TestTheFrontOfStrangers(t *testing.T) {
	need.Time(t)
	footless := 0
	for i, v := range append(Strangers(23, 8), Coats(9, 4)...) {
		m, _ := v.Make()
		bare := *m
		bare.Points = slices.Clone(m.Points)
		for i := range bare.Points {
			bare.Points[i].Y = math.Max(bare.Points[i].Y, 0.22)
		}
		for _, turn := range []float64{37, -145} {
			find := func(m *mesh.Mesh) (mesh.Front, bool) {
				points := turned(m, turn).Points
				tree, _ := m.Tree(points)
				front := mesh.FindFront(points, mesh.FindSymmetry(points, tree, geom.SymmetryShare*tree.Box().Diagonal()))
				return front, math.Abs(math.Remainder(front.Turn+turn, 360)) < 1
			}
			front, right := find(m)
			require.True(t, front.Sure && right, "%s turned by %g°: %v", v.Name, turn, front)
			if i%3 == 0 {
				front, right = find(&bare)
				require.True(t, right || !front.Sure, "%s without feet, turned by %g°: %v", v.Name, turn, front)
				if front.Sure {
					footless++
				}
			}
		}
	}
	require.GreaterOrEqual(t, footless, 5, "of 8 without feet")
}

// A body that looks back over its shoulder faces where its feet do.
func TestAHeadThatLooksBackDoesNotTurnTheBody(t *testing.T) {
	m, s := Odile(0.0135)
	c := *m
	c.Points = slices.Clone(m.Points)
	at, err := s.Find("neck")
	require.NoError(t, err)
	neck := s.Joints[at].Pos
	for i, p := range c.Points {
		if p.Y > neck.Y {
			c.Points[i] = r3.Vec{X: 2*neck.X - p.X, Y: p.Y, Z: 2*neck.Z - p.Z}
		}
	}
	require.Nil(t, facing(t, &c, 0))
	f := facing(t, &c, 180)
	require.NotNil(t, f)
	require.InDelta(t, 180, math.Abs(f.Evidence[0].Value), 0.5)
}
