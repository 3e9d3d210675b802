package studiotest

import (
	"testing"

	"wisemarrow/browser"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// Desk is a character as a page loads it: columns of float32, places of float32.
func Desk(t testing.TB, s studio.State) *browser.Desk {
	t.Helper()
	var a browser.Arrays
	for _, p := range s.Mesh.World() {
		a.Points = append(a.Points, float32(p.X), float32(p.Y), float32(p.Z))
	}
	if len(s.Mesh.Shapes) > 0 {
		a.Rig, a.Shaped, a.Marks = s.Rig(), []uint32{0}, s.Settings.Marks
		for _, x := range s.Mesh.WorldShapes() {
			for i, v := range x.Vertex {
				d := x.Offset[i]
				a.Moves, a.Offsets = append(a.Moves, uint32(v)), append(a.Offsets, float32(d.X), float32(d.Y), float32(d.Z))
			}
			a.Shaped = append(a.Shaped, uint32(len(a.Moves)))
		}
	}
	tris, _ := s.Mesh.Triangles()
	for _, x := range tris {
		a.Triangles = append(a.Triangles, uint32(x[0]), uint32(x[1]), uint32(x[2]))
	}
	a.Columns, a.Start = s.Weights.Joints, []uint32{0}
	for k := range s.Weights.Joints {
		for v := range s.Weights.Of {
			if x := s.Weights.Value(v, int32(k)); x > 0 {
				a.Vertex, a.Value = append(a.Vertex, uint32(v)), append(a.Value, float32(x))
			}
		}
		a.Start = append(a.Start, uint32(len(a.Vertex)))
	}
	if mix := s.Weights.Mix; mix != nil {
		a.Shares = mix.Values
		for _, v := range mix.Vertices {
			a.Said = append(a.Said, uint32(v))
		}
	}
	pairs := s.Skeleton.Pairs(s.Settings.Marks)
	rules := browser.Rules{
		Deforms: s.Skeleton.Deforming(),
		Partner: pairs.Partner,
		Plane:   s.Skeleton.MirrorPlane(s.Settings.Marks),
		Cap:     s.Bind.Limits.Cap,
		Marks:   s.Settings.Marks,
	}
	for _, j := range s.Skeleton.Joints {
		a.Joints = append(
			a.Joints,
			browser.Joint{
				Name:   j.Name,
				Parent: j.Parent,
				Pos:    [3]float64{j.Pos.X, j.Pos.Y, j.Pos.Z},
				Rot:    [4]float64{j.Rot.Imag, j.Rot.Jmag, j.Rot.Kmag, j.Rot.Real},
				Order:  j.Order,
				Mix:    j.Mix,
			},
		)
		if j.WeightsLocked {
			rules.Locked = append(rules.Locked, j.Name)
		}
	}
	if open := s.OpenVertices(); open != nil {
		for v, yes := range open {
			if !yes {
				rules.Closed = append(rules.Closed, uint32(v))
			}
		}
	}
	var edges []uint32
	for _, e := range s.Mesh.Edges().Edges {
		edges = append(edges, uint32(e.B), uint32(e.A))
	}
	d, err := a.Desk(edges, rules)
	require.NoError(t, err)
	return d
}
