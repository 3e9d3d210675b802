package health_test

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
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func find(list []finding.Finding, code string) *finding.Finding {
	for i := range list {
		if list[i].Code == code {
			return &list[i]
		}
	}
	return nil
}

func check(m *mesh.Mesh, kind string) []finding.Finding {
	_, list, _ := health.Check(context.Background(), m.Surface(), kind)
	return list
}

// figure is a symmetric body on two feet that point forward.
func figure() *mesh.Mesh {
	box := func(x, y, z, w, h, d float64) *mesh.Mesh {
		b := solids.Box(r3.Vec{X: x - w/2, Y: y, Z: z - d/2}, r3.Vec{X: x + w/2, Y: y + h, Z: z + d/2})
		for range 2 {
			b = b.CatmullClark(b.Points)
		}
		return b
	}
	m := mesh.Join(box(0, 0.8, 0, 0.5, 1, 0.3), box(-0.15, 0, 0, 0.15, 0.9, 0.15), box(0.15, 0, 0, 0.15, 0.9, 0.15),
		box(-0.15, 0, 0.08, 0.12, 0.07, 0.3), box(0.15, 0, 0.08, 0.12, 0.07, 0.3))
	return m.Bake(mesh.Placement{Scale: 1, Up: "y", Stand: true})
}

func TestPlaceFrontAndSize(t *testing.T) {
	m := figure()
	list := check(m, "biped")
	for _, code := range []string{"off_ground", "off_centre", "not_facing_front", "implausible_size", "size_or_axis", "asymmetric"} {
		require.Nil(t, find(list, code), code)
	}
	for _, turn := range []float64{90, -90, 180, 35} {
		turned := m.Bake(mesh.Placement{Scale: 1, Up: "y", Turn: turn})
		f := find(check(turned, "biped"), "not_facing_front")
		require.NotNil(t, f, "turned by %g", turn)
		back := f.Data.(health.Placements)[0].Turn
		require.InDelta(t, 0, math.Remainder(back+turn, 360), 0.5)
		straight := turned.Bake(mesh.Placement{Scale: 1, Up: "y", Turn: back, Stand: true})
		require.Nil(t, find(check(straight, "biped"), "not_facing_front"))
	}
	moved := m.Bake(mesh.NoPlacement)
	for i := range moved.Points {
		moved.Points[i] = r3.Add(moved.Points[i], r3.Vec{X: 0.4, Y: -0.3})
	}
	require.NotNil(t, find(check(moved, ""), "off_ground"))
	require.InDelta(t, 0.4, find(check(moved, ""), "off_centre").Evidence[0].Value, 1e-3)
	small := m.Bake(mesh.Placement{Scale: 0.15, Up: "y"})
	require.NotNil(t, find(check(small, "biped"), "implausible_size"))
	require.Nil(t, find(check(small, "bird"), "implausible_size"))
	tiny := m.Bake(mesh.Placement{Scale: 0.01, Up: "y"})
	require.Equal(t, 100.0, find(check(tiny, ""), "size_or_axis").Data.(health.Placements)[0].Scale)
}

func TestWindingIsToldApart(t *testing.T) {
	m := solids.Sphere(3)
	require.Nil(t, find(check(m, ""), "inverted_faces"))
	all := &mesh.Mesh{Points: m.Points, Parts: m.Parts}
	patch := &mesh.Mesh{Points: m.Points, Parts: m.Parts}
	for f := range m.Faces() {
		c := slices.Clone(m.Face(f))
		back := []int32{c[0], c[2], c[1]}
		all.AddFace(0, back...)
		if up := m.Points[c[0]].Y; up > 0.8 || up < -0.8 {
			patch.AddFace(0, back...)
		} else {
			patch.AddFace(0, c...)
		}
	}
	require.NotNil(t, find(check(all, ""), "inside_out"))
	f := find(check(patch, ""), "inverted_faces")
	require.Contains(t, f.Title, "in 2 flipped patches")
	require.Len(t, health.Spots(patch.Surface(), f.Where), 2)
}

func TestTransformsAreTakenApart(t *testing.T) {
	m := mesh.Join(solids.Sphere(1), solids.Sphere(1), solids.Sphere(1))
	m.Parts[0].Name, m.Parts[1].Name, m.Parts[2].Name = "coat", "boot", "plain"
	m.Parts[0].Frame = geom.Compose(r3.Vec{X: 3}, geom.AxisAngle(r3.Vec{Y: 1}, math.Pi/6), r3.Vec{X: 1, Y: 1, Z: 1})
	m.Parts[1].Frame = geom.Compose(r3.Vec{}, geom.Identity, r3.Vec{X: -2, Y: 2, Z: 2})
	f := find(check(m, ""), "transform_not_identity")
	require.Equal(t, 2, f.Count)
	value := map[string]float64{}
	for _, e := range f.Evidence {
		value[e.What] = e.Value
	}
	require.InDelta(t, 3, value["offset"], 1e-9)
	require.InDelta(t, 30, value["turn"], 1e-6)
	require.InDelta(t, 1, value["scale off 1"], 1e-9)
	require.Equal(t, 1.0, value["mirrored parts"])
	require.Equal(t, 3.0, value["different transforms"])
	require.Contains(t, f.Where.Spots[1].Label, "mirrored")
	require.Contains(t, f.Why, "differ")
}

func TestRingsAreCountedAtTheJoints(t *testing.T) {
	arm := func(rings int) *mesh.Mesh { return solids.Tube(4, 0.3, rings, 16) }
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{
		{
			Name:   "root",
			Parent: -1,
			Pos:    r3.Vec{X: 0.1},
		}, {Name: "upper", Parent: 0, Pos: r3.Vec{X: 0.5}}, {Name: "elbow", Parent: 1, Pos: r3.Vec{X: 2}},
		{Name: "wrist", Parent: 2, Pos: r3.Vec{X: 3.5}}, {Name: "end", Parent: 3, Pos: r3.Vec{X: 3.9}}}}
	require.Empty(t, health.Rings(arm(40).Surface(), s), "six rings within a radius on either side")
	list := health.Rings(arm(6).Surface(), s)
	require.Len(t, list, 1)
	require.Contains(t, list[0].Where.Joints, "elbow")
	require.LessOrEqual(t, list[0].Evidence[0].Value, 1.0)
}

// Each code that a check can give says why, carries a number and a limit, and a
// check is the same whenever it is made.
func TestFindingsAreWholeAndRepeatable(t *testing.T) {
	m := mesh.Join(figure(), solids.Plate(3))
	m.Points = append(m.Points, r3.Vec{Y: 4})
	m.Lines = [][2]int32{{0, 5}}
	list := check(m, "")
	require.NotEmpty(t, list)
	for _, f := range list {
		require.NotEmpty(t, f.Title)
		require.NotEmpty(t, f.Why, f.Code)
		require.NotEmpty(t, f.Evidence, f.Code)
		require.Positive(t, f.Count, f.Code)
	}
	require.Equal(t, list, check(m, ""))
	require.Contains(t, find(list, "loose_vertices").Title, "1 loose edge")
	spots := health.Spots(m.Surface(), find(list, "open_borders").Where)
	require.Len(t, spots, 1)
	require.Equal(t, "12 edges, 12.00 m around", spots[0].Label)
}

func ExampleCheck() {
	m := solids.Tube(1.6, 0.2, 4, 8)
	m, _ = m.DropChosen(append(make([]bool, m.Faces()-1), true))
	facts, list, _ := health.Check(context.Background(), m.Surface(), "other")
	fmt.Println(facts.Faces, "faces, closed:", facts.Closed)
	for _, f := range list {
		if f.Code == "open_borders" {
			fmt.Println(f.Severity, f.Title, f.Data)
		}
	}
	// Output:
	// 47 faces, closed: false
	// note 1 open border {3 1 1}
}
