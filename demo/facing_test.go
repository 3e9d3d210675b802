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
	q := geom.AxisAngle(r3.Vec{Y: 1}, turn*math.Pi/180)
	c := *m
	c.Points = slices.Clone(m.Points)
	for i := range c.Points {
		c.Points[i] = geom.Rotate(q, c.Points[i])
	}
	_, list, err := health.Check(context.Background(), c.Surface(), "biped")
	require.NoError(t, err)
	at := slices.IndexFunc(list, func(f finding.Finding) bool { return f.Code == "not_facing_front" })
	if at < 0 {
		return nil
	}
	return &list[at]
}

// Whichever way a body is turned, its front is found, with what shows it: with a lantern or a staff in
// one hand, on four legs, with wings, and without feet (they are cut off at the shank), where nose and
// hands have to do.
func TestTheFrontIsFoundWhicheverWayABodyIsTurned(t *testing.T) {
	need.Time(t)
	type body struct {
		name   string
		m      *mesh.Mesh
		footed bool
	}
	var list []body
	for _, c := range Cast()[:5] {
		m, _ := c.Make()
		list = append(list, body{c.Name, m, true})
	}
	for i, v := range append(Strangers(23, 6), Coats(9, 3)...) {
		m, _ := v.Make()
		list = append(list, body{v.Name, m, true})
		if i%2 == 0 {
			c := *m
			c.Points = slices.Clone(m.Points)
			for i := range c.Points {
				c.Points[i].Y = math.Max(c.Points[i].Y, 0.22)
			}
			list = append(list, body{v.Name + ", no feet", &c, false})
		}
	}
	footless := 0
	for _, b := range list {
		require.Nil(t, facing(t, b.m, 0), b.name)
		for _, turn := range []float64{37, 180, -145} {
			f := facing(t, b.m, turn)
			if !b.footed && (f == nil || len(f.Remedies) == 2) {
				continue // it is said that it is not known, or nothing is
			}
			require.NotNil(t, f, "%s turned by %g°", b.name, turn)
			require.Len(t, f.Remedies, 1, "%s turned by %g°: %v", b.name, turn, f.Evidence)
			require.InDelta(t, 0, math.Remainder(f.Evidence[0].Value+turn, 360), 1, "%s turned by %g°", b.name, turn)
			require.Greater(t, len(f.Evidence), 1, "what shows it")
			if !b.footed {
				footless++
			}
		}
	}
	require.GreaterOrEqual(t, footless, 9, "of 15 without feet")
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
