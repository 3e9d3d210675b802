package mesh_test

import (
	"context"
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// farthest is how far the vertices of one mesh are from the surface of another at most.
func farthest(from, to *mesh.Mesh) float64 {
	tree, _ := to.Tree(to.World())
	far := 0.0
	for _, p := range from.World() {
		_, _, d := tree.Nearest(p)
		far = max(far, d)
	}
	return far
}

// tied is how many edges have more than two faces.
func tied(m *mesh.Mesh) (n int) {
	for _, e := range m.Edges().Edges {
		if e.Count > 2 {
			n++
		}
	}
	return n
}

func decimated(t *testing.T, m *mesh.Mesh, o mesh.DecimateOptions) (*mesh.Mesh, mesh.Origin) {
	t.Helper()
	out, origin, err := m.Decimate(context.Background(), o)
	require.NoError(t, err)
	require.NoError(t, out.Validate())
	require.Len(t, origin, len(out.Points))
	return out, origin
}

func TestDecimateKeepsVolumeAndTopology(t *testing.T) {
	m, _ := demo.Bram(0.0185)
	before := m.Measure()
	for _, o := range []mesh.DecimateOptions{{Vertices: 8000}, {Vertices: 6000, Keep: true, Even: 0.02}} {
		out, origin := decimated(t, m, o)
		after := out.Measure()
		assert.InDelta(t, o.Vertices, len(out.Points), 1)
		assert.Equal(t, m.Pieces().Count(), out.Pieces().Count(), "no piece vanishes or joins another")
		assert.LessOrEqual(t, tied(out), tied(m), "what is manifold stays so")
		assert.Equal(t, before.Borders, after.Borders)
		assert.Equal(t, before.Euler, after.Euler)
		assert.InEpsilon(t, before.Volume, after.Volume, 0.008, "vertices on a round surface enclose a little less")
		assert.Less(t, farthest(m, out), 0.006*geom.BoxOf(m.World()).Size().Y)
		if o.Keep {
			world := m.World()
			for v, from := range origin {
				require.InDelta(t, 0, r3.Norm(r3.Sub(world[from], out.Points[v])), 1e-12, "a vertex that stays is where it was")
			}
		}
	}
}

// The flat faces of a box need no vertices: an exact answer of the quadrics.
func TestDecimateFindsABoxAgain(t *testing.T) {
	box := solids.Box(r3.Vec{}, r3.Vec{X: 1, Y: 2, Z: 3})
	fine := &mesh.Mesh{Points: box.Points, Parts: box.Parts}
	tris, _ := box.Triangles()
	for _, c := range tris {
		fine.AddFace(0, c[0], c[1], c[2])
	}
	for range 4 { // each triangle into four, in its plane
		next := &mesh.Mesh{Points: append([]r3.Vec(nil), fine.Points...), Parts: fine.Parts}
		middle := map[[2]int32]int32{}
		mid := func(a, b int32) int32 {
			key := [2]int32{min(a, b), max(a, b)}
			if v, ok := middle[key]; ok {
				return v
			}
			v := int32(len(next.Points))
			next.Points = append(next.Points, r3.Scale(0.5, r3.Add(fine.Points[a], fine.Points[b])))
			middle[key] = v
			return v
		}
		for f := range fine.Faces() {
			c := fine.Face(f)
			x, y, z := mid(c[0], c[1]), mid(c[1], c[2]), mid(c[2], c[0])
			next.AddFace(0, c[0], x, z)
			next.AddFace(0, x, c[1], y)
			next.AddFace(0, z, y, c[2])
			next.AddFace(0, x, y, z)
		}
		fine = next
	}
	out, _ := decimated(t, fine, mesh.DecimateOptions{Vertices: 8})
	assert.Len(t, out.Points, 8)
	assert.InDelta(t, 6, out.Measure().Volume, 1e-9)
}

func TestDecimateHoldsBordersAndParts(t *testing.T) {
	// A wavy sheet of two parts.
	flat := solids.Plate(40)
	m := &mesh.Mesh{Points: flat.Points, Parts: []mesh.Part{mesh.NewPart("left"), mesh.NewPart("right")}}
	middle := geom.BoxOf(m.Points).Centre()
	for f := range flat.Faces() {
		part := int32(0)
		for _, v := range flat.Face(f) {
			if m.Points[v].X > middle.X+1e-9 {
				part = 1
			}
		}
		m.AddFace(part, flat.Face(f)...)
	}
	lengths := func(m *mesh.Mesh) (rim, seam float64) {
		table := m.Edges()
		for _, e := range table.Edges {
			uses := table.Of(e)
			long := r3.Norm(r3.Sub(m.Points[e.A], m.Points[e.B]))
			switch {
			case len(uses) == 1:
				rim += long
			case m.PartOf(int(uses[0].Face)) != m.PartOf(int(uses[1].Face)):
				seam += long
				assert.InDelta(t, middle.X, m.Points[e.A].X, 1e-3)
			}
		}
		return rim, seam
	}
	rim, seam := lengths(m)
	for v, p := range m.Points {
		m.Points[v].Y += 0.5 * math.Sin(0.4*p.Z) * math.Cos(0.3*p.X)
	}
	out, _ := decimated(t, m, mesh.DecimateOptions{Vertices: 300})
	assert.Less(t, len(out.Points), 310)
	for v := range out.Points {
		out.Points[v].Y = 0
	}
	rim2, seam2 := lengths(out)
	assert.InEpsilon(t, rim, rim2, 0.01)
	assert.InEpsilon(t, seam, seam2, 0.01)
}

func TestDecimateRealMeshes(t *testing.T) {
	for _, name := range []string{"man", "elephant", "hand"} {
		m := real(t, name)
		before := m.Measure()
		out, _ := decimated(t, m, mesh.DecimateOptions{Vertices: len(m.Points) / 4})
		after := out.Measure()
		assert.LessOrEqual(t, tied(out), tied(m), name)
		assert.Equal(t, m.Pieces().Count(), out.Pieces().Count(), name)
		assert.InEpsilon(t, before.Volume, after.Volume, 0.01, name)
		assert.Less(t, farthest(m, out), 0.01*geom.BoxOf(m.World()).Diagonal(), name)
	}
}

func TestDecimateIsRefusedOrStops(t *testing.T) {
	m := solids.Box(r3.Vec{}, r3.Vec{X: 1, Y: 1, Z: 1})
	_, _, err := m.Decimate(context.Background(), mesh.DecimateOptions{Vertices: 3})
	assert.ErrorContains(t, err, "4 vertices or more")
	out, _ := decimated(t, m, mesh.DecimateOptions{Vertices: 100})
	assert.Len(t, out.Points, 8, "nothing to do")
	out, _ = decimated(t, m, mesh.DecimateOptions{Vertices: 4})
	assert.Positive(t, out.Measure().Volume)
	gone, cancel := context.WithCancel(context.Background())
	cancel()
	big, _ := demo.Odile(0.02)
	_, _, err = big.Decimate(gone, mesh.DecimateOptions{Vertices: 10})
	assert.ErrorIs(t, err, context.Canceled)
}
