package mesh_test

import (
	"math"
	"slices"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

// One step on a cube: face points are the middles, edge points the means of two
// edge ends and two face points, and the corner of the cube of half edge 1 goes
// to 5/9: (F + 2R + 0·P)/3 with F = 1/3 and R = 2/3 (Catmull & Clark 1978).
func TestCatmullClarkOfACube(t *testing.T) {
	m := solids.Box(r3.Vec{X: -1, Y: -1, Z: -1}, r3.Vec{X: 1, Y: 1, Z: 1})
	fine := m.CatmullClark(m.Points)
	require.NoError(t, fine.Validate())
	f := fine.Measure()
	require.Equal(t, 8+12+6, f.Vertices)
	require.Equal(t, 24, f.Quads)
	require.Equal(t, 2, f.Euler)
	require.True(t, f.Closed)
	require.Greater(t, f.Volume, 0.0)
	for v, p := range fine.Points[:8] {
		require.InDelta(t, 5.0/9, math.Abs(p.X), 1e-12)
		require.InDelta(t, 5.0/9, math.Abs(p.Y), 1e-12)
		require.Equal(t, math.Signbit(m.Points[v].Z), math.Signbit(p.Z))
	}
	for _, p := range fine.Points[8:20] { // (2·1 + 1 + 0)/4 along one axis, (1+1+…)/4: 3/4, 3/4, 0
		a := []float64{math.Abs(p.X), math.Abs(p.Y), math.Abs(p.Z)}
		slices.Sort(a)
		require.InDeltaSlice(t, []float64{0, 0.75, 0.75}, a, 1e-12)
	}
	for _, p := range fine.Points[20:] {
		require.InDelta(t, 1, r3.Norm(p), 1e-12)
	}
}

// The surface follows its base wherever that is posed: shares sum to 1, any affine motion of the base is
// one of the surface, and a face of very many corners makes no more terms than corners.
func TestASubdivisionFollowsItsBase(t *testing.T) {
	m := solids.Tube(2, 0.4, 12, 16)
	s := m.Subdivide()
	for i := range s.Start[1:] {
		sum := 0.0
		for k := s.Start[i]; k < s.Start[i+1]; k++ {
			sum += s.Share[k]
		}
		require.InDelta(t, 1, sum, 1e-12)
	}
	require.Len(t, s.Face, s.Mesh.Faces())
	move := func(p r3.Vec) r3.Vec { return r3.Vec{X: 2*p.X + p.Y + 1, Y: p.Y - 0.5*p.Z, Z: 3*p.Z + 0.1*p.X} }
	moved := make([]r3.Vec, len(m.Points))
	for v, p := range m.Points {
		moved[v] = move(p)
	}
	still := s.Places(m.Points)
	for i, p := range s.Places(moved) {
		require.InDelta(t, 0, r3.Norm(r3.Sub(p, move(still[i]))), 1e-12)
	}
	n := 20_000
	disc := &mesh.Mesh{Start: []int32{0}, Parts: []mesh.Part{mesh.NewPart("disc")}}
	corner := make([]int32, n)
	for i := range n {
		a := 2 * math.Pi * float64(i) / float64(n)
		disc.Points, corner[i] = append(disc.Points, r3.Vec{X: math.Cos(a), Z: math.Sin(a)}), int32(i)
	}
	disc.AddFace(0, corner...)
	require.Less(t, len(disc.Subdivide().Vertex), 8*n)
}

// Borders are cubic B-splines of their own: a straight one stays straight, and
// a flat sheet flat with its corners rounded only along the border.
func TestCatmullClarkKeepsASheetFlatAndItsBorderStraight(t *testing.T) {
	m := solids.Plate(4)
	fine := m.CatmullClark(m.Points)
	fine = fine.CatmullClark(fine.Points)
	box := geom.BoxOf(fine.Points)
	require.Zero(t, box.Size().Y)
	require.InDelta(t, 4, box.Size().X, 1e-12)
	require.Equal(t, 16*16, fine.Faces())
	require.Equal(t, 1, fine.Measure().Borders)
	require.InDelta(t, 16, fine.Measure().Area, 0.4, "but for the corners")
}

func TestSymmetryFindsThePlaneThatWasMeant(t *testing.T) {
	body := solids.Tube(2, 0.4, 12, 16) // along X
	head := solids.Sphere(2)
	for i := range head.Points {
		head.Points[i] = r3.Add(r3.Scale(0.6, head.Points[i]), r3.Vec{X: 1, Y: 1.1, Z: 0.35})
	}
	m := mesh.Join(body, head) // mirror-symmetric about X = 1 only
	for _, turn := range []float64{0, 30, 75} {
		q := geom.AxisAngle(r3.Vec{Y: 1}, turn*math.Pi/180)
		points := make([]r3.Vec, len(m.Points))
		for i, p := range m.Points {
			points[i] = r3.Add(geom.Rotate(q, p), r3.Vec{X: 0.3})
		}
		tris, _ := m.Triangles()
		s := mesh.FindSymmetry(points, geom.NewTree(points, tris), 1e-3)
		want := geom.Rotate(q, r3.Vec{X: 1})
		require.InDelta(t, 1, math.Abs(r3.Dot(want, s.Normal)), 1e-4, "turned by %g", turn)
		require.Greater(t, s.Surface, 0.97)
		if turn == 0 {
			require.InDelta(t, 1.3, s.Offset, 1e-6)
			require.Greater(t, s.Share(), 0.99)
			for v, p := range s.Partner {
				if p >= 0 {
					require.EqualValues(t, v, s.Partner[p], "partners are each other's")
				}
			}
		}
	}
}

func TestRelationsTellHowPiecesLie(t *testing.T) {
	at := func(m *mesh.Mesh, scale float64, to r3.Vec) *mesh.Mesh {
		for i, p := range m.Points {
			m.Points[i] = r3.Add(r3.Scale(scale, p), to)
		}
		return m
	}
	body := solids.Sphere(4)
	eye := at(solids.Sphere(1), 0.1, r3.Vec{X: 0.5})
	moon := at(solids.Sphere(1), 0.1, r3.Vec{X: 1.5})
	button := at(solids.Sphere(2), 0.1, r3.Vec{X: 1.02})
	cloth := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("cloth")}, Points: solids.Sphere(3).Points}
	for f := range solids.Sphere(3).Faces() {
		c := solids.Sphere(3).Face(f)
		if cloth.Points[c[0]].Y+cloth.Points[c[1]].Y+cloth.Points[c[2]].Y > 1 {
			cloth.AddFace(0, c...)
		}
	}
	cloth, _ = cloth.DropLoose()
	cloth = at(cloth, 1.02, r3.Vec{})
	s := mesh.Join(body, eye, moon, button, cloth).Surface()
	within, between, _ := s.Crossings()
	require.Empty(t, within)
	list := s.Relations(between)
	require.Len(t, list, 4)
	require.True(t, list[0].Enclosed)
	require.False(t, list[1].Enclosed)
	require.InDelta(t, 0.28, list[1].Distance, 0.01, "from the button")
	require.EqualValues(t, 3, list[1].Nearest)
	require.Empty(t, list[1].Crosses)
	require.Equal(t, []int32{0}, list[2].Crosses)
	require.Zero(t, list[2].Distance)
	require.True(t, list[3].Layered)
	require.InDelta(t, 0.02, list[3].Gap, 0.005)
	for _, r := range list[:3] {
		require.False(t, r.Layered)
	}
}

// Two spheres that overlap cross; the pairs are those that asking every pair of
// triangles finds.
func TestCrossingsOfASphereThroughItself(t *testing.T) {
	a, b := solids.Sphere(2), solids.Sphere(2)
	for i := range b.Points {
		b.Points[i] = r3.Add(b.Points[i], r3.Vec{X: 0.7, Y: 0.1})
	}
	m := mesh.Join(a, b)
	s := m.Surface()
	_, between, _ := s.Crossings()
	want := 0
	for i, p := range s.Tris {
		for _, q := range s.Tris[:i] {
			tri := func(t [3]int32) [3]r3.Vec { return [3]r3.Vec{s.At[t[0]], s.At[t[1]], s.At[t[2]]} }
			if p[0] != q[0] && geom.TrianglesCross(tri(p), tri(q), 1e-7*s.Diagonal) {
				want++
			}
		}
	}
	require.Greater(t, want, 20)
	require.Len(t, between, want)
}

func TestInsideFindsAWallAcrossALimbAndNothingElse(t *testing.T) {
	m := solids.Tube(4, 0.5, 8, 12)
	require.Empty(t, inside(m))
	ring := make([]int32, 12)
	for k := range ring {
		ring[k] = int32(4*12 + k)
	}
	walled := &mesh.Mesh{
		Points: m.Points,
		Parts:  m.Parts,
		Start:  slices.Clone(m.Start),
		Corner: slices.Clone(m.Corner),
		Part:   slices.Clone(m.Part),
	}
	walled.AddFace(0, ring...)
	require.Equal(t, []int32{int32(m.Faces())}, inside(walled))
	out, _ := walled.DropChosen(marked(walled, inside(walled)...))
	require.Equal(t, m.Corner, out.Corner)
}

func marked(m *mesh.Mesh, faces ...int32) []bool {
	out := make([]bool, m.Faces())
	for _, f := range faces {
		out[f] = true
	}
	return out
}

func TestPolygonsAreToldApart(t *testing.T) {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("p")}, Points: []r3.Vec{
		{}, {X: 2}, {X: 2, Y: 2}, {Y: 2}, // a square 0–3
		{X: 1, Y: 0.5},                                                         // 4: inward corner
		{X: 1, Y: -1},                                                          // 5
		{X: 0.5, Y: 0.5}, {X: 0.5, Y: 1.5}, {X: 1.5, Y: 1.5}, {X: 1.5, Y: 0.5}, // 6–9: a hole
	}}
	m.AddFace(0, 0, 1, 2, 3)                   // plain
	m.AddFace(0, 0, 5, 1, 2, 3)                // five sides
	m.AddFace(0, 0, 1, 4, 3)                   // an arrowhead
	m.AddFace(0, 0, 2, 1, 3)                   // crosses itself
	m.AddFace(0, 0, 1, 2, 3, 0, 6, 7, 8, 9, 6) // a hole, by a bridge 0–6
	p := m.Polygons()
	require.Equal(t, []int32{1}, p.Many)
	require.Equal(t, []int32{2}, p.Concave)
	require.Equal(t, []int32{3}, p.Folded)
	require.Equal(t, []int32{4}, p.Holed)
	require.Equal(t, 10, p.Sides)
	area := r3.Norm(mesh.AreaVector(m.Points, m.Face(4)))
	require.InDelta(t, 3, area, 1e-12, "four less the hole")
	cut := m.Triangulate(marked(m, 1, 2, 4))
	require.NoError(t, cut.Validate())
	sum := 0.0
	for f := range cut.Faces() {
		if len(cut.Face(f)) == 3 {
			sum += r3.Norm(mesh.AreaVector(cut.Points, cut.Face(f)))
		}
	}
	require.InDelta(t, 5+1.5+3, sum, 1e-9, "cutting keeps the areas: pentagon, arrowhead, holed square")
}

// Cutting any star-shaped polygon keeps its area, and its triangles all look the
// same way.
func TestTriangulateKeepsAreaAndSide(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(4, 24).Draw(t, "sides")
		m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("p")}}
		var c []int32
		for i := range n {
			r := rapid.Float64Range(0.3, 1).Draw(t, "r")
			s, k := math.Sincos(2 * math.Pi * float64(i) / float64(n))
			m.Points = append(m.Points, r3.Vec{X: r * k, Z: -r * s})
			c = append(c, int32(i))
		}
		m.AddFace(0, c...)
		want := mesh.AreaVector(m.Points, m.Face(0))
		cut := m.Triangulate([]bool{true})
		require.Equal(t, n-2, cut.Faces())
		var sum r3.Vec
		for f := range cut.Faces() {
			a := mesh.AreaVector(cut.Points, cut.Face(f))
			require.Greater(t, r3.Dot(a, want), -1e-12)
			sum = r3.Add(sum, a)
		}
		require.InDelta(t, r3.Norm(want), r3.Norm(sum), 1e-9)
	})
}

func inside(m *mesh.Mesh) []int32 {
	at, _ := m.Surface().Inside()
	return at
}

// A face over the vertices of an earlier one is a double, whichever corner it begins at and however it runs.
func TestDoublesInEveryOrder(t *testing.T) {
	for _, order := range [][]int32{{0, 1, 2}, {0, 2, 1}, {1, 0, 2}, {1, 2, 0}, {2, 0, 1}, {2, 1, 0}} {
		m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("p")}, Points: make([]r3.Vec, 9)}
		m.AddFace(0, 0, 1, 2)
		m.AddFace(0, 0, 1, 3)
		m.AddFace(0, order...)
		m.AddFace(0, 4, 5, 6, 7)
		m.AddFace(0, 6, 5, 4, 7)
		m.AddFace(0, 4, 5, 6, 8)
		require.Equal(t, []int32{2, 4}, m.Doubled(), "%v", order)
	}
}
