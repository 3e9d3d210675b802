package bind_test

import (
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// The areas of joints add up to the mesh's, neighbours are named, and weight at the far end
// of the limb, cut off from the bone's own region, is a leak and a finding.
func TestWhereTheWeightOfAJointLies(t *testing.T) {
	m, s := limb()
	w, r := heat(t, m, s, bind.DefaultOptions)
	area := 0.0
	tris, _ := m.Triangles()
	for _, x := range tris {
		area += r3.Norm(r3.Cross(r3.Sub(m.Points[x[1]], m.Points[x[0]]), r3.Sub(m.Points[x[2]], m.Points[x[0]]))) / 2
	}
	sum := 0.0
	for _, j := range r.Joints {
		sum += j.Area
		require.Zero(t, j.Leak, j.Name)
	}
	require.InDelta(t, area, sum, 1e-6*area)
	require.Equal(t, []string{s.Joints[1].Name}, r.Joints[0].Neighbours)
	require.Positive(t, r.Joints[0].Reach)
	require.Less(t, r.Joints[0].Reach, 1.5)

	spoiled := &weights.Weights{Joints: w.Joints, Of: append([][]weights.Influence(nil), w.Of...)}
	for v, p := range m.Points {
		if p.X > 1.9 {
			spoiled.Of[v] = []weights.Influence{{Joint: 1, Value: 0.7}, {Joint: 0, Value: 0.3}}
		}
	}
	bad := bind.Account(m, s, spoiled, bind.Evidence{})
	require.Greater(t, bad.Joints[0].Leak, 0.01)
	require.Zero(t, bad.Joints[1].Leak)
	found := false
	for _, f := range bad.Findings() {
		if f.Code == "weight_leak" {
			found = true
			require.Equal(t, []string{s.Joints[0].Name}, f.Where.Joints)
			for _, v := range f.Where.Vertices {
				require.Greater(t, m.Points[v].X, 1.9)
			}
		}
	}
	require.True(t, found)
}
