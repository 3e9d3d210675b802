package guide_test

import (
	"context"
	"fmt"
	"math"
	"runtime"
	"slices"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/guide"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// limb is a tube along X of two bones, with weights that change about the middle over a width.
func limb(m *mesh.Mesh, width float64) (*skeleton.Skeleton, *weights.Weights) {
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{
		{Name: "a", Parent: -1, Rot: geom.Identity},
		{Name: "b", Parent: 0, Pos: r3.Vec{X: 0.5}, Rot: geom.Identity},
		{Name: "end", Parent: 1, Pos: r3.Vec{X: 1}, Rot: geom.Identity},
	}}
	a, b := make([]float64, len(m.Points)), make([]float64, len(m.Points))
	for v, p := range m.Points {
		b[v] = math.Max(0, math.Min(1, 0.5+(p.X-0.5)/width))
		a[v] = 1 - b[v]
	}
	return s, weights.FromColumns([]string{"a", "b"}, [][]float64{a, b}, len(m.Points), weights.Limits{})
}

func solid(t *testing.T, m *mesh.Mesh, w *weights.Weights, s *skeleton.Skeleton, o guide.Options) *guide.Solid {
	t.Helper()
	g, err := guide.NewSolid(context.Background(), m, w, s, o)
	require.NoError(t, err)
	return g
}

func posed(t *testing.T, g *guide.Solid, m *mesh.Mesh, p pose.Pose) []r3.Vec {
	t.Helper()
	x, err := g.Pose(context.Background(), p, guide.Options{Steps: 60})
	require.NoError(t, err)
	return x.Places(m.World())
}

func volume(m *mesh.Mesh, at []r3.Vec) float64 { return m.Placed(at).Measure().Volume }

func TestASolidAtRestStaysAndMovesAsAWhole(t *testing.T) {
	m := solids.Tube(1, 0.1, 24, 16)
	s, w := limb(m, 0.3)
	g := solid(t, m, w, s, guide.Options{})
	for v, at := range posed(t, g, m, nil) {
		require.InDelta(t, 0, r3.Norm(r3.Sub(at, m.Points[v])), 1e-9)
	}
	q := geom.AxisAngle(r3.Vec{X: 1, Y: 2, Z: 3}, 2.5)
	for v, at := range posed(t, g, m, pose.Pose{"a": q}) {
		require.InDelta(t, 0, r3.Norm(r3.Sub(at, geom.Rotate(q, m.Points[v]))), 1e-7)
	}
}

// A solid that is twisted keeps its volume exactly (its cross-sections turn in their planes), and nearly so when it is
// bent; linear blending loses it.
func TestASolidKeepsItsVolume(t *testing.T) {
	m := solids.Tube(1, 0.1, 40, 24)
	s, w := limb(m, 0.3)
	g := solid(t, m, w, s, guide.Options{})
	rest := volume(m, m.Points)
	for _, c := range []struct {
		name        string
		axis        r3.Vec
		degrees     float64
		within, was float64 // change of volume of the solid at most, of linear blending at least
	}{
		{"twisted", r3.Vec{X: 1}, 90, 0.025, 0.08},
		{"twisted", r3.Vec{X: 1}, 150, 0.05, 0.15},
		{"bent", r3.Vec{Z: 1}, 60, 0.02, 0.02},
		{"bent", r3.Vec{Z: 1}, 90, 0.015, 0.04},
		{"bent", r3.Vec{Z: 1}, 120, 0.02, 0.06},
	} {
		p := pose.Pose{"b": geom.AxisAngle(c.axis, c.degrees*math.Pi/180)}
		now := volume(m, posed(t, g, m, p))/rest - 1
		linear := volume(m, deform.Bound(m.Points, w, s, p, nil))/rest - 1
		t.Logf("%s by %.0f°: solid %+.3f, linear %+.3f", c.name, c.degrees, now, linear)
		assert.Less(t, math.Abs(now), c.within, "%s by %.0f°", c.name, c.degrees)
		assert.Greater(t, math.Abs(linear), c.was, "%s by %.0f°", c.name, c.degrees)
	}
	// Away from the joint the limb is as the bone has it.
	p := pose.Pose{"b": geom.AxisAngle(r3.Vec{Z: 1}, 1.5)}
	bone := pose.Skin(s, p)[1]
	for v, at := range posed(t, g, m, p) {
		if m.Points[v].X > 0.8 {
			require.InDelta(t, 0, r3.Norm(r3.Sub(at, bone.Point(m.Points[v]))), 0.002)
		}
	}
}

// A sleeve stays at its distance from the arm, and a button on it keeps its shape.
func TestLayersStayAndPiecesKeepTheirShape(t *testing.T) {
	arm := solids.Tube(1, 0.1, 40, 24)
	sleeve := solids.Tube(1, 0.115, 40, 24)
	for v := range sleeve.Points {
		sleeve.Points[v].X = 0.2 + 0.6*sleeve.Points[v].X
	}
	button := solids.Sphere(1)
	for v, p := range button.Points {
		button.Points[v] = r3.Add(r3.Vec{X: 0.52, Y: 0.13}, r3.Scale(0.015, p))
	}
	open := &mesh.Mesh{Points: sleeve.Points, Parts: sleeve.Parts}
	for f := range sleeve.Faces() {
		if len(sleeve.Face(f)) == 4 { // without its ends
			open.AddFace(0, sleeve.Face(f)...)
		}
	}
	m := mesh.Join(arm, open, button)
	s, w := limb(m, 0.3)
	from := len(arm.Points) + len(open.Points)
	for v := from; v < len(m.Points); v++ {
		w.Of[v] = w.Of[from]
	}
	g := solid(t, m, w, s, guide.Options{})
	p := pose.Pose{"b": geom.AxisAngle(r3.Vec{Z: 1}, 1)}
	at := posed(t, g, m, p)
	tris, _ := arm.Triangles()
	tree := geom.NewTree(at[:len(arm.Points)], tris)
	tree.PrepareWinding()
	for v := len(arm.Points); v < from-2; v++ { // the last two are the middles of the ends that it lacks
		_, _, d := tree.Nearest(at[v])
		require.Less(t, tree.Winding(at[v]), 0.5, "the sleeve stays outside")
		require.InDelta(t, 0.015, d, 0.01, "and at its distance")
	}
	for v := from; v < len(m.Points); v++ {
		for u := from; u < v; u++ {
			rest := r3.Norm(r3.Sub(m.Points[u], m.Points[v]))
			require.InEpsilon(t, rest, r3.Norm(r3.Sub(at[u], at[v])), 0.02)
		}
	}
}

// Clothes stay on the body in poses drawn at random: without what joins them to it they are three times as far off.
func TestClothesStayOnTheBody(t *testing.T) {
	m, s := demo.Tansy(0.024)
	w, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	g := solid(t, m, w, s, guide.Options{})
	pieces, rigid := m.Pieces(), weights.RigidPieces(m, w)
	body := int32(pieces.Largest())
	all, _ := m.Triangles()
	tris := slices.DeleteFunc(all, func(x [3]int32) bool { return pieces.OfVertex[x[0]] != body })
	rest := geom.NewTree(m.World(), tris)
	off, n := 0.0, 0.0
	for _, p := range pose.Anyhow(s, skeleton.DefaultMarks, 3, 3) {
		at := posed(t, g, m, p.Pose)
		tree := geom.NewTree(at, tris)
		for v := range at {
			_, _, was := rest.Nearest(m.World()[v])
			if pieces.OfVertex[v] == body || rigid[v] >= 0 || was > 0.05 {
				continue
			}
			_, _, now := tree.Nearest(at[v])
			off += math.Abs(now - was)
			n++
		}
	}
	require.Greater(t, n, 3000.0)
	assert.Less(t, off/n, 0.0004, "metres off its distance")
}

// What is solved on a copy is nearly what the mesh itself gives, and the same on any number of cores.
func TestACopyStandsForTheMesh(t *testing.T) {
	m, s := demo.Odile(0.02)
	w, _, err := bind.Automatic(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	fine, coarse := solid(t, m, w, s, guide.Options{Nodes: len(m.Points)}), solid(t, m, w, s, guide.Options{Nodes: len(m.Points) / 2})
	assert.Zero(t, fine.Far)
	height := geom.BoxOf(m.World()).Size().Y
	assert.Positive(t, coarse.Mean)
	assert.Less(t, coarse.Far, 0.01*height)
	p := pose.Anyhow(s, skeleton.DefaultMarks, 5, 1)[0].Pose
	a, b := posed(t, fine, m, p), posed(t, coarse, m, p)
	sum := 0.0
	for v := range a {
		sum += r3.Norm(r3.Sub(a[v], b[v]))
	}
	assert.Less(t, sum/float64(len(a)), 0.002*height)
	before := runtime.GOMAXPROCS(1)
	one := posed(t, solid(t, m, w, s, guide.Options{Nodes: len(m.Points) / 2}), m, p)
	runtime.GOMAXPROCS(before)
	assert.Equal(t, b, one)
}

func TestASolidIsRefusedOrStops(t *testing.T) {
	m := solids.Tube(1, 0.1, 8, 8)
	s, w := limb(m, 0.3)
	_, err := guide.NewSolid(context.Background(), m, weights.New(w.Joints, len(m.Points)), s, guide.Options{})
	require.ErrorIs(t, err, guide.ErrNoSkin)
	gone, cancel := context.WithCancel(context.Background())
	g := solid(t, m, w, s, guide.Options{})
	cancel()
	_, err = g.Pose(gone, nil, guide.Options{})
	require.ErrorIs(t, err, context.Canceled)
}

func ExampleSolid_Pose() {
	m := solids.Tube(1, 0.1, 40, 24)
	s, w := limb(m, 0.3)
	g, _ := guide.NewSolid(context.Background(), m, w, s, guide.Options{})
	p := pose.Pose{"b": geom.AxisAngle(r3.Vec{X: 1}, math.Pi/2)}
	x, _ := g.Pose(context.Background(), p, guide.Options{Steps: 60})
	rest := m.Measure().Volume
	fmt.Printf("a limb twisted by 90°: linear blending %.0f%%, the guide %.0f%% of its volume\n",
		100*m.Placed(deform.Bound(m.Points, w, s, p, nil)).Measure().Volume/rest, 100*m.Placed(x.Places(m.Points)).Measure().Volume/rest)
	// Output: a limb twisted by 90°: linear blending 90%, the guide 98% of its volume
}
