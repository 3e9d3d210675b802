package mesh_test

import (
	"math"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

func TestSplitTiesTakesBowTiesApartAndFinsOff(t *testing.T) {
	a, b := solids.Box(r3.Vec{}, r3.Vec{X: 1, Y: 1, Z: 1}), solids.Box(r3.Vec{X: 1, Y: 1, Z: 1}, r3.Vec{X: 2, Y: 2, Z: 2})
	two := mesh.Join(a, b)
	for i, v := range two.Corner { // one vertex holds both boxes
		if v == 8 {
			two.Corner[i] = 7
		}
	}
	require.Equal(t, []int32{7}, two.Surface().BowTies())
	require.Equal(t, 1, two.Measure().Pieces)
	out, origin := two.SplitTies()
	require.Empty(t, out.Surface().BowTies())
	require.Equal(t, 2, out.Measure().Pieces)
	require.Equal(t, int32(7), origin[len(origin)-1])
	require.Equal(t, two.Points, out.Points[:16], "nothing moves")

	fin := solids.Box(r3.Vec{}, r3.Vec{X: 1, Y: 1, Z: 1})
	fin.Points = append(fin.Points, r3.Vec{X: 2}, r3.Vec{X: 2, Y: 1})
	fin.AddFace(0, 1, 3, 9, 8) // hangs on the edge 1–3
	require.Contains(t, codes(findings(fin)), "non_manifold_edges")
	out, _ = fin.SplitTies()
	require.NotContains(t, codes(findings(out)), "non_manifold_edges")
	require.Equal(t, 2, out.Measure().Pieces)
	require.Equal(t, fin.Corner[:24], out.Corner[:24], "the box keeps its vertices")
	again, _ := out.SplitTies()
	require.Same(t, out, again)
}

func TestFillHolesClosesWhatWasOpen(t *testing.T) {
	whole := solids.Sphere(2)
	rapid.Check(t, func(t *rapid.T) {
		// A hole: the faces around a few vertices.
		drop := make([]bool, whole.Faces())
		for range rapid.IntRange(1, 3).Draw(t, "holes") {
			v := int32(rapid.IntRange(0, len(whole.Points)-1).Draw(t, "at"))
			for f := range drop {
				drop[f] = drop[f] || slices.Contains(whole.Face(f), v)
			}
		}
		open, _ := whole.DropChosen(drop)
		closed, filled, left := open.FillHoles(40)
		require.Zero(t, left)
		require.Positive(t, filled)
		f := closed.Measure()
		require.True(t, f.Closed)
		require.Equal(t, 2, f.Euler)
		require.InDelta(t, whole.Measure().Volume, f.Volume, 0.6)
		require.Equal(t, open.Points, closed.Points, "no vertex is added or moved")
		require.Equal(t, open.Corner, closed.Corner[:len(open.Corner)], "nor a face changed")
		require.Empty(t, codes(findings(closed))["inverted_faces"])
		again, n, _ := closed.FillHoles(40)
		require.Same(t, closed, again)
		require.Zero(t, n)
	})
	plate := solids.Plate(1)
	_, filled, left := plate.FillHoles(8)
	require.Zero(t, filled, "a face is not closed by its own back")
	require.Equal(t, 1, left)
}

func TestCompleteHalfGivesTheWholeBack(t *testing.T) {
	whole := solids.Box(r3.Vec{X: -1, Y: -1, Z: -1}, r3.Vec{X: 1, Y: 1, Z: 1})
	for range 3 { // vertices on the middle plane
		whole = whole.CatmullClark(whole.Points)
	}
	right := make([]bool, whole.Faces())
	for f := range right {
		for _, v := range whole.Face(f) {
			right[f] = right[f] || whole.Points[v].X < -1e-9
		}
	}
	half, _ := whole.DropChosen(right)
	for i := range half.Points { // a seam not quite on the plane
		if math.Abs(half.Points[i].X) < 1e-9 {
			half.Points[i].X = 0.0004
		}
	}
	require.Contains(t, codes(findings(half)), "half_mesh")
	out, origin, mirrored, err := half.CompleteHalf(0.001)
	require.NoError(t, err)
	f := out.Measure()
	require.True(t, f.Closed)
	require.Equal(t, 2, f.Euler)
	require.Equal(t, whole.Faces(), out.Faces())
	require.Len(t, out.Points, len(whole.Points))
	require.InDelta(t, whole.Measure().Volume, f.Volume, 1e-3)
	require.NotContains(t, codes(findings(out)), "inverted_faces")
	for v, yes := range mirrored {
		require.Equal(t, v >= len(half.Points), yes)
		if yes {
			p, q := out.Points[v], out.Points[origin[v]]
			require.Equal(t, r3.Vec{X: -q.X, Y: q.Y, Z: q.Z}, p)
		}
	}
	_, _, _, err = whole.CompleteHalf(0.001)
	require.ErrorContains(t, err, "crosses")
	off := solids.Plate(2)
	_, _, _, err = off.CompleteHalf(0.001)
	require.NoError(t, err, "a sheet that begins at the plane is a half too")
	for i := range off.Points {
		off.Points[i].X += 0.5
	}
	_, _, _, err = off.CompleteHalf(0.001)
	require.ErrorContains(t, err, "no open border")
}

func TestPartsAreSeparatedJoinedAndNamed(t *testing.T) {
	m := mesh.Join(solids.Sphere(1), solids.Sphere(2), solids.Box(r3.Vec{X: 3}, r3.Vec{X: 4, Y: 1, Z: 1}))
	for i := range m.Part {
		m.Part[i] = 0
	}
	m.Parts = m.Parts[:1]
	apart := m.SeparatePieces()
	require.NoError(t, apart.Validate())
	names := func(m *mesh.Mesh) (out []string) {
		for _, p := range m.Parts {
			out = append(out, p.Name)
		}
		return out
	}
	require.Equal(t, []string{"sphere", "sphere_2", "sphere_3"}, names(apart))
	require.EqualValues(t, 1, apart.PartOf(0), "the largest keeps name and number")
	require.Equal(t, names(apart), names(apart.SeparatePieces()))
	joined, err := apart.JoinParts([]string{"sphere_3", "sphere"}, "rest")
	require.NoError(t, err)
	require.Equal(t, []string{"sphere_2", "rest"}, names(joined))
	_, err = apart.JoinParts([]string{"sphere", "wing"}, "")
	require.ErrorContains(t, err, `no part "wing"`)
	_, err = apart.RenamePart(0, "sphere_2")
	require.ErrorContains(t, err, "already")
	_, err = apart.RenamePart(0, "  ")
	require.ErrorContains(t, err, "needs a name")
	apart.Parts[2].Out = true
	in, out := apart.Bindable()
	require.Equal(t, apart.Faces()-6, in.Faces())
	require.Equal(t, 6, apart.Unbindable().Faces())
	require.Equal(t, 8, len(slices.DeleteFunc(slices.Clone(out), func(x bool) bool { return !x })))
}

func TestDropFacesLeavesNoGapWhereAFaceHadNoArea(t *testing.T) {
	// A sphere with a vertex set into the middle of an edge on one side only, so
	// that a triangle without area fills the slit.
	m := solids.Sphere(1)
	c := m.Face(0)
	a, b, top := c[0], c[1], c[2]
	mid := int32(len(m.Points))
	m.Points = append(m.Points, r3.Scale(0.5, r3.Add(m.Points[a], m.Points[b])))
	out := &mesh.Mesh{Points: m.Points, Parts: m.Parts}
	for f := 1; f < m.Faces(); f++ {
		out.AddFace(0, m.Face(f)...)
	}
	out.AddFace(0, a, mid, top)
	out.AddFace(0, mid, b, top)
	out.AddFace(0, b, mid, a) // the sliver between the two sides
	require.True(t, out.Measure().Closed)
	require.Contains(t, codes(findings(out)), "zero_area_faces")
	clean, _ := out.DropFaces()
	require.NotContains(t, codes(findings(clean)), "zero_area_faces")
	require.True(t, clean.Measure().Closed)
	require.Equal(t, 2, clean.Measure().Euler)
	require.Equal(t, out.Points, clean.Points)

	// Corners that lie on each other become one.
	twin := &mesh.Mesh{Points: append(slices.Clone(solids.Sphere(1).Points), solids.Sphere(1).Points[a]), Parts: m.Parts}
	whole := solids.Sphere(1)
	at := int32(len(twin.Points) - 1)
	first := true
	for f := range whole.Faces() {
		c := slices.Clone(whole.Face(f))
		if i := slices.Index(c, a); i >= 0 && first {
			first = false
			before, after := c[(i+2)%3], c[(i+1)%3]
			c[i] = at
			twin.AddFace(0, a, at, before)
			twin.AddFace(0, at, a, after)
		}
		twin.AddFace(0, c...)
	}
	clean, _ = twin.DropFaces()
	require.NotContains(t, codes(findings(clean)), "zero_area_faces")
	require.Len(t, clean.Points, len(whole.Points))
	require.True(t, clean.Measure().Closed)
}

func TestWeldKeepsPiecesThatMerelyTouchApartUnlessAsked(t *testing.T) {
	a, b := solids.Plate(2), solids.Plate(2)
	for i := range b.Points { // corner to corner
		b.Points[i] = r3.Add(b.Points[i], r3.Vec{X: 2, Z: 2})
	}
	m := mesh.Join(a, b)
	s := m.Surface()
	require.Equal(t, 1, s.Seams(1e-6, false).Apart)
	require.Empty(t, s.Seams(1e-6, false).Groups)
	require.Len(t, s.Seams(1e-6, true).Groups, 1)
	for i := range b.Points { // side to side: a cracked seam
		b.Points[i] = r3.Sub(b.Points[i], r3.Vec{Z: 2})
	}
	seam := mesh.Join(a, b).Surface().Seams(1e-6, false)
	require.Len(t, seam.Groups, 3)
	require.Equal(t, 3, seam.Exact)
	require.Equal(t, 3, seam.Cracks)
}

func TestCompareTellsWhatANewerDeliveryChanged(t *testing.T) {
	a := solids.Sphere(2)
	b := solids.Sphere(2)
	b.Points[5] = r3.Add(b.Points[5], r3.Vec{Y: 0.25})
	c := mesh.Compare(a, b)
	require.True(t, c.Same())
	require.Equal(t, 1, c.Moved)
	require.Equal(t, 5, c.Farthest.Vertex)
	require.InDelta(t, 0.25, c.Farthest.By, 1e-12)
	require.False(t, mesh.Compare(a, solids.Sphere(3)).Same())
	require.Zero(t, mesh.Compare(a, a).Moved)
}

func TestBakeTurnsStandsAndKeepsNormalsAndShapes(t *testing.T) {
	m := solids.Sphere(2)
	for f := range m.Faces() {
		for range m.Face(f) {
			m.Normal = append(m.Normal, [3]float32{})
		}
	}
	for c, v := range m.Corner {
		p := m.Points[v]
		m.Normal[c] = [3]float32{float32(p.X), float32(p.Y), float32(p.Z)}
	}
	m.Shapes = []mesh.Shape{{Name: "puff", Vertex: []int32{3}, Offset: []r3.Vec{{Z: 1}}}}
	m.Parts[0].Frame = geom.Compose(r3.Vec{X: 5, Y: 2}, geom.AxisAngle(r3.Vec{Z: 1}, 0.4), r3.Vec{X: -2, Y: 2, Z: 2})
	out := m.Bake(mesh.Placement{Scale: 0.5, Up: "y", Turn: 90, Stand: true})
	require.False(t, out.Framed())
	box := geom.BoxOf(out.Points)
	require.InDelta(t, 0, box.Min.Y, 1e-12)
	require.InDelta(t, 0, box.Centre().X, 1e-2)
	require.InDelta(t, 2, box.Size().Y, 0.05)
	require.Greater(t, out.Measure().Volume, 4.0, "a mirrored part is turned outside out again")
	for c, v := range out.Corner { // normals still point away from the middle
		n := r3.Vec{X: float64(out.Normal[c][0]), Y: float64(out.Normal[c][1]), Z: float64(out.Normal[c][2])}
		require.Greater(t, r3.Dot(n, r3.Sub(out.Points[v], box.Centre())), 0.9)
	}
	require.InDelta(t, 1, out.Shapes[0].Offset[0].X, 1e-12, "Z, doubled, halved, turned by 90° to X")
}

// real reads a mesh of Debian's libcgal-demo as plain triangles.
func real(t *testing.T, name string) *mesh.Mesh {
	t.Helper()
	dir := os.Getenv("WISEMARROW_MESHES")
	if dir == "" {
		need.Skip(t, "WISEMARROW_MESHES is not set")
	}
	data, err := os.ReadFile(filepath.Join(dir, name+".off"))
	require.NoError(t, err)
	return offMesh(t, data)
}

// A cracked, flipped, scaled, tilted copy of a real mesh is mended back to the
// topology that it had, by the same repairs and no knowledge of what was done.
func TestRealMeshesAreMendedBack(t *testing.T) {
	for _, name := range []string{"elephant", "cow"} {
		whole := real(t, name)
		spoilt := &mesh.Mesh{Points: slices.Clone(whole.Points), Parts: []mesh.Part{mesh.NewPart(name)}}
		half := geom.BoxOf(whole.Points).Centre()
		twin := map[int32]int32{}
		for f := range whole.Faces() {
			c := slices.Clone(whole.Face(f))
			mid := r3.Scale(1.0/3, r3.Add(whole.Points[c[0]], r3.Add(whole.Points[c[1]], whole.Points[c[2]])))
			if mid.X > half.X { // this side gets vertices of its own
				for i, v := range c {
					w, ok := twin[v]
					if !ok {
						w = int32(len(spoilt.Points))
						spoilt.Points = append(spoilt.Points, whole.Points[v])
						twin[v] = w
					}
					c[i] = w
				}
			}
			if mid.Y > half.Y && mid.Z > half.Z {
				c[1], c[2] = c[2], c[1]
			}
			spoilt.AddFace(0, c...)
			if f%97 == 0 {
				spoilt.AddFace(0, c...)
			}
		}
		spoilt.Points = append(spoilt.Points, r3.Vec{X: 9}, r3.Vec{Y: 9})
		spoilt.Parts[0].Frame = geom.Compose(r3.Vec{X: 3}, geom.AxisAngle(r3.Vec{Y: 1}, 0.5), r3.Vec{X: 100, Y: 100, Z: 100})
		found := codes(findings(spoilt))
		for _, want := range []string{"transform_not_identity", "duplicate_vertices", "doubled_faces", "loose_vertices", "inverted_faces", "size_or_axis"} {
			require.Contains(t, found, want, name)
		}
		out := spoilt.Bake(mesh.Placement{Scale: 0.01, Up: "y"})
		out, _ = out.DropFaces()
		out, _ = out.DropLoose()
		out, _, err := out.Weld(geom.NearShare*out.Surface().Diagonal, false)
		require.NoError(t, err)
		out, _ = out.MakeOutward()
		want, _ := whole.MakeOutward()
		require.Equal(t, whole.Measure().Euler, out.Measure().Euler, name)
		require.Equal(t, len(whole.Points), len(out.Points), name)
		require.Equal(t, whole.Faces(), out.Faces(), name)
		require.True(t, out.Measure().Closed)
		require.InEpsilon(t, want.Measure().Volume, out.Measure().Volume, 1e-9, name)
		require.InEpsilon(t, whole.Measure().Area, out.Measure().Area, 1e-9, name)
	}
}
