package mesh_test

import (
	"context"
	"fmt"
	"math"
	"slices"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/health"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

func unitBox() *mesh.Mesh { return solids.Box(r3.Vec{}, r3.Vec{X: 1, Y: 2, Z: 3}) }

// findings checks a solid, which need not stand where a character does.
func findings(m *mesh.Mesh) []finding.Finding {
	_, list, _ := health.Check(context.Background(), m.Surface(), "other")
	return slices.DeleteFunc(list, func(f finding.Finding) bool {
		return f.Code == "off_ground" || f.Code == "off_centre" || f.Code == "not_facing_front" || f.Code == "asymmetric"
	})
}

func codes(list []finding.Finding) map[string]int {
	out := map[string]int{}
	for _, f := range list {
		out[f.Code] = f.Count
	}
	return out
}

// Euler characteristic 2, area and volume of known solids.
func TestFactsOfKnownSolids(t *testing.T) {
	f := unitBox().Measure()
	require.Equal(t, 2, f.Euler)
	require.True(t, f.Closed)
	require.InDelta(t, 22, f.Area, 1e-12)
	require.InDelta(t, 6, f.Volume, 1e-12)
	s := solids.Sphere(4).Measure()
	require.Equal(t, 2, s.Euler)
	require.InEpsilon(t, 4*math.Pi, s.Area, 0.01)
	require.InEpsilon(t, 4*math.Pi/3, s.Volume, 0.01)
	two := mesh.Join(unitBox(), solids.Sphere(1)).Measure()
	require.Equal(t, 2, two.Pieces)
	require.Equal(t, 4, two.Euler)
}

func TestCleanSolidsHaveNoFindings(t *testing.T) {
	for _, m := range []*mesh.Mesh{unitBox(), solids.Sphere(2), solids.Tube(2, 0.3, 8, 12)} {
		list := findings(m)
		require.Empty(t, list)
	}
}

// cracked returns a sphere whose upper half has vertices of its own along the
// middle, moved by gap.
func cracked(gap float64) (*mesh.Mesh, int) {
	m := solids.Sphere(3)
	twin := map[int32]int32{}
	n := len(m.Points)
	for f := range m.Faces() {
		c := m.Face(f)
		y := 0.0
		for _, v := range c {
			y += m.Points[v].Y
		}
		if y <= 0 {
			continue
		}
		for i, v := range c {
			below := false
			for g := range m.Faces() {
				d := m.Face(g)
				if d[0] == v || d[1] == v || d[2] == v {
					below = below || m.Points[d[0]].Y+m.Points[d[1]].Y+m.Points[d[2]].Y <= 0
				}
			}
			if !below && int(v) < n {
				continue
			}
			w, ok := twin[v]
			if !ok {
				w = int32(len(m.Points))
				m.Points = append(m.Points, r3.Add(m.Points[v], r3.Vec{X: gap}))
				twin[v] = w
			}
			c[i] = w
		}
	}
	return m, n
}

func TestWeldMendsACrackedSeamAndMovesNothing(t *testing.T) {
	m, n := cracked(1e-6)
	require.Greater(t, len(m.Points), n)
	before := codes(findings(m))
	require.Equal(t, len(m.Points)-n, before["duplicate_vertices"])
	welded, mapping, err := m.Weld(1e-5, false)
	require.NoError(t, err)
	require.Len(t, welded.Points, n)
	require.NotContains(t, codes(findings(welded)), "duplicate_vertices")
	require.True(t, welded.Measure().Closed)
	for v := range n {
		require.EqualValues(t, v, mapping[v], "vertices keep their order")
		require.Equal(t, m.Points[v], welded.Points[v], "no vertex moves")
	}
	again, _, err := welded.Weld(1e-5, false)
	require.NoError(t, err)
	require.Equal(t, welded.Points, again.Points, "welding twice is welding once")
	require.Equal(t, welded.Corner, again.Corner)
}

func TestWeldLeavesTouchingClosedPiecesApart(t *testing.T) {
	a := solids.Box(r3.Vec{}, r3.Vec{X: 1, Y: 1, Z: 1})
	b := solids.Box(r3.Vec{X: 1}, r3.Vec{X: 2, Y: 1, Z: 1})
	m, _, err := mesh.Join(a, b).Weld(0.01, false)
	require.NoError(t, err)
	require.Len(t, m.Points, 16)
}

func TestMakeOutwardMendsPatchesAndWholePieces(t *testing.T) {
	whole := mesh.Join(solids.Sphere(2), solids.Box(r3.Vec{X: 3}, r3.Vec{X: 4, Y: 1, Z: 1}))
	rapid.Check(t, func(t *rapid.T) {
		m := *whole
		m.Corner = append([]int32(nil), whole.Corner...)
		flipped := 0
		all := rapid.Bool().Draw(t, "all")
		for f := range m.Faces() {
			if all || rapid.IntRange(0, 4).Draw(t, "flip") == 0 {
				c := m.Face(f)
				for i, j := 1, len(c)-1; i < j; i, j = i+1, j-1 {
					c[i], c[j] = c[j], c[i]
				}
				flipped++
			}
		}
		out, n := m.MakeOutward()
		require.Equal(t, flipped, n)
		require.Equal(t, whole.Corner, out.Corner)
		_, n = out.MakeOutward()
		require.Zero(t, n)
	})
}

func TestOutwardKeepsAnEyeInsideAHead(t *testing.T) {
	eye := solids.Sphere(1)
	for i := range eye.Points {
		eye.Points[i] = r3.Scale(0.2, eye.Points[i])
	}
	_, n := mesh.Join(solids.Sphere(2), eye).MakeOutward()
	require.Zero(t, n)
}

func TestDropLooseAndFaces(t *testing.T) {
	m := unitBox()
	m.Points = append([]r3.Vec{{X: 9}}, m.Points...)
	for i := range m.Corner {
		m.Corner[i]++
	}
	m.AddFace(0, m.Face(0)...) // doubled
	m.AddFace(0, 1, 2, 2)      // no area
	found := codes(findings(m))
	require.Equal(t, 1, found["loose_vertices"])
	require.Equal(t, 1, found["doubled_faces"])
	require.Equal(t, 1, found["zero_area_faces"])
	require.Contains(t, found, "non_manifold_edges")
	loose, mapping := m.DropLoose()
	require.EqualValues(t, -1, mapping[0])
	clean, _ := loose.DropFaces()
	require.Empty(t, findings(clean))
	require.Equal(t, unitBox().Corner, clean.Corner)
}

func TestBakeAppliesFramesAndMirrorsFaces(t *testing.T) {
	m := unitBox()
	m.Parts[0].Frame = geom.Compose(r3.Vec{X: 5}, geom.AxisAngle(r3.Vec{Z: 1}, 0.3), r3.Vec{X: -2, Y: 1, Z: 1})
	require.Contains(t, codes(findings(m)), "transform_not_identity")
	part := m.Measure().Parts[0]
	require.Equal(t, [3]float64{5, 0, 0}, part.Moved)
	require.InDelta(t, 2, math.Abs(part.Scaled[0]), 1e-12)
	world := m.World()
	b := m.Bake(mesh.Placement{Scale: 1, Up: "y"})
	require.False(t, b.Framed())
	require.Equal(t, world, b.Points)
	require.InDelta(t, 12, b.Measure().Volume, 1e-9, "a mirrored part keeps its outside out")
	_, _, err := m.Weld(0.1, false)
	require.ErrorIs(t, err, mesh.ErrFramed)
}

func TestBakeTurnsUpAndStands(t *testing.T) {
	m := solids.Box(r3.Vec{X: -40, Y: -10, Z: 5}, r3.Vec{X: 40, Y: 10, Z: 175})
	g := m.GuessPlacement()
	require.Equal(t, "z", g.Up)
	require.Equal(t, 0.01, g.Scale)
	b := geom.BoxOf(m.Bake(g.Placement).Points)
	require.InDelta(t, 0, b.Min.Y, 1e-12)
	require.InDelta(t, 1.7, b.Max.Y, 1e-12)
	require.InDelta(t, 0, b.Centre().X, 1e-12)
}

func TestGuessLeavesALongAnimalAlone(t *testing.T) {
	g := solids.Box(r3.Vec{X: -0.15, Z: -0.7}, r3.Vec{X: 0.15, Y: 0.5, Z: 0.7}).GuessPlacement()
	require.Equal(t, mesh.Placement{Scale: 1, Up: "y"}, g.Placement)
}

// A long animal in metres is not one in centimetres, and a bird that faces sideways with its
// wings out, before and after it is turned to the front, does not lie.
func TestLongAndBroadBodiesStand(t *testing.T) {
	for name, half := range map[string]r3.Vec{"diplodocus": {X: 1.2, Y: 2.9, Z: 12.5}, "the same, sideways": {X: 12.5, Y: 2.9, Z: 1.2}, "bird, sideways": {X: 0.3, Y: 0.26, Z: 0.48},
		"bird": {X: 0.48, Y: 0.26, Z: 0.3}} {
		g := solids.Box(r3.Scale(-1, half), half).GuessPlacement()
		require.Equal(t, 1.0, g.Scale, name)
		require.Equal(t, "y", g.Up, name)
	}
	half := r3.Vec{X: 80, Y: 15, Z: 85}
	g := solids.Box(r3.Scale(-1, half), half).GuessPlacement()
	require.Equal(t, "z", g.Up, "a person in centimeters, arms out, Z up")
	require.Equal(t, 0.01, g.Scale)
}

func TestConcavePolygonIsCutInsideItself(t *testing.T) {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("arrow")}}
	for _, p := range [][2]float64{{0, 0}, {4, 2}, {0, 4}, {1, 2}, {0.5, 1}} {
		m.Points = append(m.Points, r3.Vec{X: p[0], Y: p[1]})
	}
	m.AddFace(0, 0, 1, 2, 3, 4)
	tris, _ := m.Triangles()
	require.Len(t, tris, 3)
	area := 0.0
	for _, x := range tris {
		n := geom.TriangleNormal(m.Points[x[0]], m.Points[x[1]], m.Points[x[2]])
		require.GreaterOrEqual(t, n.Z, 0.0)
		area += n.Z / 2
	}
	require.InDelta(t, r3.Norm(mesh.AreaVector(m.Points, m.Face(0))), area, 1e-12)
}

func TestBorderLoopsOfAnOpenTube(t *testing.T) {
	m := solids.Tube(1, 0.2, 4, 10)
	open := &mesh.Mesh{Points: m.Points, Parts: m.Parts}
	for f := range 40 {
		open.AddFace(0, m.Face(f)...)
	}
	loops := open.Edges().BorderLoops()
	require.Len(t, loops, 2)
	require.Len(t, loops[0], 10)
	require.Equal(t, 2, codes(findings(open))["open_borders"])
	require.Equal(t, 2, codes(findings(open))["loose_vertices"])
}

func TestValidateNamesTheFirstMistake(t *testing.T) {
	for text, spoil := range map[string]func(m *mesh.Mesh){
		"uses vertex 99":          func(m *mesh.Mesh) { m.Corner[3] = 99 },
		"is not a valid position": func(m *mesh.Mesh) { m.Points[2].Y = math.NaN() },
		"fewer than three":        func(m *mesh.Mesh) { m.Start[1] = 2; m.Start[2] = 8 },
		"part numbers":            func(m *mesh.Mesh) { m.Part = m.Part[:2] },
		"is in part 7 of 1":       func(m *mesh.Mesh) { m.Part[1] = 7 },
		"does not cover":          func(m *mesh.Mesh) { m.Corner = m.Corner[:20] },
		"texture coordinate":      func(m *mesh.Mesh) { m.UV = make([][2]float32, 3) },
	} {
		m := unitBox()
		spoil(m)
		require.ErrorContains(t, m.Validate(), text)
	}
}

func TestEmptyMeshIsToldAndDoesNotCrash(t *testing.T) {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("none")}}
	list := findings(m)
	require.Equal(t, "no_faces", list[0].Code)
	require.Equal(t, finding.Blocks, finding.Worst(list))
	tree, _ := m.Tree(m.Points)
	tri, _, _ := tree.Nearest(r3.Vec{})
	require.EqualValues(t, -1, tri)
}

func ExampleMesh_Surface() {
	m := solids.Box(r3.Vec{}, r3.Vec{X: 0.4, Y: 1.7, Z: 0.3})
	m.Points = append(m.Points, r3.Vec{Y: 5})
	list := findings(m)
	for _, f := range list {
		fmt.Println(f.Severity, f.Title)
	}
	// Output: harms 1 loose vertex
}

// A hostile face of very many sides is cut in no time, and to the right count.
func TestAFaceOfTenThousandSides(t *testing.T) {
	need.Time(t)
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("disc")}}
	var ring []int32
	for i := range 10000 {
		s, c := math.Sincos(2 * math.Pi * float64(i) / 10000)
		ring = append(ring, int32(i))
		m.Points = append(m.Points, r3.Vec{X: c, Z: s})
	}
	m.AddFace(0, ring...)
	tris, _ := m.Triangles()
	require.Len(t, tris, 9998)
	require.Contains(t, codes(findings(m)), "many_sided_faces")
}

// The inner band of a torus is curved like a saddle, so that its own shape says
// nothing of its outside; cut off from the rest by a crack it is still left alone,
// and turned round it is turned back.
func TestASaddleBehindACrackIsNotTurned(t *testing.T) {
	const around, across = 48, 24
	point := func(i, k int, radius float64) r3.Vec {
		s, c := math.Sincos(2 * math.Pi * float64(i) / around)
		y, x := math.Sincos(2 * math.Pi * float64(k) / across)
		return r3.Vec{X: c * (1 + radius*x), Y: radius * y, Z: s * (1 + radius*x)}
	}
	for _, inverted := range []bool{false, true} {
		m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("ring")}}
		band := func(from, to int, turned bool) (faces int) {
			base := int32(len(m.Points))
			n := int32(to - from + 1)
			for i := range around {
				for k := from; k <= to; k++ {
					m.Points = append(m.Points, point(i, k, 0.35))
				}
			}
			for i := range int32(around) {
				for k := range n - 1 {
					a, b := base+i*n+k, base+(i+1)%around*n+k
					c := []int32{a, a + 1, b + 1, b}
					if turned {
						c[1], c[3] = c[3], c[1]
					}
					m.AddFace(0, c...)
					faces++
				}
			}
			return faces
		}
		inner := band(8, 16, inverted) // the side towards the hole
		band(16, 32, false)
		_, n := m.MakeOutward()
		if !inverted {
			require.Zero(t, n)
			continue
		}
		require.Equal(t, inner, n)
	}
}
