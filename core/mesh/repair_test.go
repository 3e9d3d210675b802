package mesh_test

import (
	"slices"
	"testing"

	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

// spoilt draws a mesh of two solids with random harm: faces torn off onto
// vertices of their own, turned, doubled; loose vertices.
func spoilt(t *rapid.T) (*mesh.Mesh, int) {
	whole := mesh.Join(solids.Sphere(1), solids.Box(r3.Vec{X: 2}, r3.Vec{X: 3, Y: 1, Z: 1}))
	m := *whole
	m.Corner, m.Points = slices.Clone(whole.Corner), slices.Clone(whole.Points)
	m.Start, m.Part = slices.Clone(whole.Start), slices.Clone(whole.Part)
	faces := m.Faces()
	for _, f := range rapid.SliceOfNDistinct(rapid.IntRange(0, faces-1), 0, 6, rapid.ID[int]).Draw(t, "torn") {
		for k, v := range m.Face(f) {
			m.Face(f)[k] = int32(len(m.Points))
			m.Points = append(m.Points, m.Points[v])
		}
	}
	for _, f := range rapid.SliceOfNDistinct(rapid.IntRange(0, faces-1), 0, 5, rapid.ID[int]).Draw(t, "doubled") {
		m.AddFace(m.PartOf(f), slices.Clone(m.Face(f))...)
	}
	for range rapid.IntRange(0, 4).Draw(t, "loose") {
		m.Points = append(m.Points, r3.Vec{Y: 7})
	}
	return &m, len(whole.Points)
}

func TestRepairsFindNothingLeftAndMoveNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		m, original := spoilt(t)
		before := slices.Clone(m.Points)
		out, _ := m.DropFaces()
		out, welds, err := out.Weld(1e-6, false)
		require.NoError(t, err)
		out, drops := out.DropLoose()
		out, _ = out.DropFaces()
		out, _ = out.MakeOutward()
		require.NoError(t, out.Validate())
		found := codes(findings(out))
		for _, code := range []string{"duplicate_vertices", "doubled_faces", "loose_vertices", "inverted_faces", "zero_area_faces", "non_manifold_edges", "open_borders"} {
			require.NotContains(t, found, code)
		}
		require.Len(t, out.Points, original)
		require.Equal(t, before, m.Points, "a repair writes nothing into the mesh that it was given")
		for v, p := range before {
			if w := welds[v]; w >= 0 && drops[w] >= 0 {
				require.Equal(t, p, out.Points[drops[w]], "a vertex that stays stays where it is")
			}
		}
	})
}

func TestGroupsAreThoseWithinReach(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		num := rapid.Float64Range(-1, 1)
		points := make([]r3.Vec, rapid.IntRange(0, 30).Draw(t, "n"))
		for i := range points {
			points[i] = r3.Vec{X: num.Draw(t, "x"), Y: num.Draw(t, "y")}
		}
		reach := rapid.Float64Range(0.01, 0.5).Draw(t, "reach")
		group := make([]int, len(points))
		for i := range group {
			group[i] = -1 - i
		}
		for k, g := range mesh.Groups(points, reach, nil) {
			require.True(t, slices.IsSorted(g))
			for _, v := range g {
				group[v] = k
			}
		}
		for i, p := range points {
			for j, q := range points {
				if d := r3.Norm(r3.Sub(p, q)); d < reach-1e-9 {
					require.Equal(t, group[i], group[j], "%v and %v are %g apart", p, q, d)
				}
			}
		}
	})
}

func TestNeighboursAndEdgesAgree(t *testing.T) {
	m := solids.Tube(1, 0.3, 5, 7)
	e := m.Edges()
	start, list := e.Neighbours(len(m.Points))
	pairs := 0
	for v := range m.Points {
		row := list[start[v]:start[v+1]]
		require.True(t, slices.IsSorted(row))
		for _, w := range row {
			back := list[start[w]:start[w+1]]
			require.Contains(t, back, int32(v))
			pairs++
		}
	}
	require.Equal(t, 2*len(e.Edges), pairs)
	for _, x := range e.Edges {
		require.Less(t, x.A, x.B)
		uses := e.Of(x)
		require.Len(t, uses, 2)
		require.NotEqual(t, uses[0].Forward, uses[1].Forward, "a closed surface runs each edge both ways")
	}
}

func TestCornersKeepTheirAttributesThroughRepairs(t *testing.T) {
	m := solids.Box(r3.Vec{}, r3.Vec{X: 1, Y: 1, Z: 1})
	for c := range m.Corner {
		m.UV = append(m.UV, [2]float32{float32(c), 0})
		m.Normal = append(m.Normal, [3]float32{0, 0, float32(c)})
	}
	m.Points = append(m.Points, r3.Vec{})
	m.Corner[m.Start[5]] = 8 // a torn corner
	welded, _, err := m.Weld(1e-6, false)
	require.NoError(t, err)
	require.Len(t, welded.UV, len(welded.Corner))
	require.Len(t, welded.Normal, len(welded.Corner))
	flipped := *m
	flipped.Corner = slices.Clone(m.Corner)
	c := flipped.Face(0)
	c[1], c[3] = c[3], c[1]
	flipped.UV = slices.Clone(m.UV)
	flipped.UV[1], flipped.UV[3] = flipped.UV[3], flipped.UV[1]
	out, n := flipped.MakeOutward()
	require.Positive(t, n)
	require.Equal(t, m.UV[:4], out.UV[:4], "texture coordinates turn with their corners")
	require.Equal(t, float32(-2), out.Normal[2][2], "and stored normals point the other way")
}
