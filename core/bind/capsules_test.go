package bind_test

import (
	"context"
	"math"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// A tube of radius 0.2 about two bones: the capsules have its radius, every vertex is covered,
// and the two bones share its middle evenly.
func TestCapsulesAreSizedFromATube(t *testing.T) {
	m, s := limb()
	c, err := bind.SizeCapsules(m, s, nil)
	require.NoError(t, err)
	require.Len(t, c.Of, 2)
	for i := range c.Of {
		require.NoError(t, c.Of[i].Check())
		inner, outer := c.Of[i].At(0.5)
		require.InDelta(t, 0.2, inner, 0.03)
		require.Greater(t, outer, 0.2)
		require.Len(t, c.Of[i].Stops, 2, "a tube bulges nowhere")
	}
	w, r, err := bind.ByCapsules(context.Background(), m, s, c, bind.DefaultCapsules, nil)
	require.NoError(t, err)
	require.NoError(t, w.Validate())
	require.Zero(t, r.Unweighted)
	for v, p := range m.Points {
		switch {
		case math.Abs(p.X-1) < 1e-9:
			require.InDelta(t, 0.5, w.Value(v, 0), 1e-6)
		case p.X < 0.5:
			require.Equal(t, 1.0, w.Value(v, 0))
		case p.X > 1.5:
			require.Equal(t, 1.0, w.Value(v, 1))
		}
	}
}

// By hand: whole within the inner radius, by the exponent between, nothing outside; two that
// hold a vertex whole share it.
func TestWeightsOfCapsulesByHand(t *testing.T) {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("dots")}, Start: []int32{0}}
	m.Points = []r3.Vec{{X: 0.5, Y: 0.1}, {X: 0.5, Y: 0.3}, {X: 0.5, Y: 0.9}, {X: 1, Y: 0.05}, {X: 0.25, Y: 0.5}, {X: 1.5, Y: 0.1}}
	m.AddFace(0, 0, 1, 2)
	m.AddFace(0, 3, 4, 5)
	s := chain(r3.Vec{}, r3.Vec{X: 1}, r3.Vec{X: 2})
	names := []string{s.Joints[0].Name, s.Joints[1].Name, s.Joints[2].Name}
	c := &bind.Capsules{Of: []bind.Capsule{
		{
			Joint: names[0],
			Child: names[1],
			Stops: []bind.Stop{{At: 0, Inner: 0.2, Outer: 0.4}, {At: 0.5, Inner: 0.4, Outer: 0.6}, {At: 1, Inner: 0.2, Outer: 0.4}},
		},
		{Joint: names[1], Child: names[2], Stops: []bind.Stop{{At: 0.5, Inner: 0.2, Outer: 0.8}}}}}
	o := bind.DefaultCapsules
	o.Smooth = 0
	w, _, err := bind.ByCapsules(context.Background(), m, s, c, o, nil)
	require.NoError(t, err)
	// The second bone reaches (0.5, 0.1) from its end at x = 1: 0.51 away, ((0.8-0.51)/0.6)².
	far := math.Pow((0.8-math.Hypot(0.5, 0.1))/0.6, 2)
	require.InDelta(t, 1/(1+far), w.Value(0, 0), 1e-12)
	require.Empty(t, w.Of[2], "outside of both")
	require.Equal(t, 0.5, w.Value(3, 0), "both hold it whole")
	require.Zero(t, w.Value(4, 0), "at a quarter the outer radius is 0.5, and that is how far it is")
	require.Equal(t, 1.0, w.Value(5, 1))

	renamed := c.Renamed(map[string]string{names[0]: "hip"})
	require.Equal(t, "hip", renamed.Of[0].Joint)
	require.Len(t, c.Without(map[string]string{names[2]: ""}).Of, 1)
	require.InDelta(t, 0.02, c.Scaled(0.1).Of[0].Stops[0].Inner, 1e-15)
	require.Equal(t, 0.2, c.Of[0].Stops[0].Inner, "they are not changed in place")
	for _, bad := range [][]bind.Stop{nil, {{At: 0.5, Inner: 1, Outer: 0.5}}, {{At: 0.5, Outer: 1}, {At: 0.5, Outer: 1}},
		{{At: 2, Outer: 1}}, {{At: 0, Inner: -1, Outer: 1}}, {{At: 0, Inner: math.NaN(), Outer: 1}}, make([]bind.Stop, bind.MaxStops+1)} {
		require.Error(t, (&bind.Capsule{Joint: "x", Stops: bad}).Check(), "%v", bad)
	}
	_, _, err = bind.ByCapsules(context.Background(), m, s, &bind.Capsules{}, o, nil)
	require.ErrorContains(t, err, "fit them")
}

func TestCapsulesOfOneSideGoToTheOther(t *testing.T) {
	j := func(name string, parent int, x, y float64) skeleton.Joint {
		return skeleton.Joint{Name: name, Parent: parent, Pos: r3.Vec{X: x, Y: y}, Rot: geom.Identity}
	}
	s := &skeleton.Skeleton{
		Joints: []skeleton.Joint{
			j("hips", -1, 0, 1),
			j("leg_l", 0, 0.1, 0.9),
			j("foot_l", 1, 0.1, 0.1),
			j("leg_r", 0, -0.1, 0.9),
			j("foot_r", 3, -0.1, 0.1),
		},
	}
	c := &bind.Capsules{
		Of: []bind.Capsule{
			{Joint: "leg_l", Child: "foot_l", Stops: []bind.Stop{{Inner: 0.1, Outer: 0.2}}},
			{Joint: "hips", Child: "leg_l", Stops: []bind.Stop{{Inner: 0.3, Outer: 0.4}}},
		},
	}
	out, n := c.Mirrored(s, skeleton.Left, skeleton.DefaultMarks)
	require.Equal(t, 2, n)
	require.Equal(t, c.Of[0].Stops, out.Of[out.Find("leg_r", "foot_r")].Stops)
	require.Equal(t, c.Of[1].Stops, out.Of[out.Find("hips", "leg_r")].Stops)
	_, n = c.Mirrored(s, skeleton.Right, skeleton.DefaultMarks)
	require.Zero(t, n)
}
