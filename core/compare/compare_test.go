package compare_test

import (
	"testing"

	"wisemarrow/core/compare"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// leg is a strip of quads on a chain of three joints.
func leg() compare.Side {
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{
		{Name: "thigh_l", Parent: -1, Pos: r3.Vec{X: 0.1, Y: 2}, Rot: geom.Identity},
		{Name: "shank_l", Parent: 0, Pos: r3.Vec{X: 0.1, Y: 1, Z: 0.02}, Rot: geom.Identity},
		{Name: "foot_l", Parent: 1, Pos: r3.Vec{X: 0.1}, Rot: geom.Identity}}}
	m := &mesh.Mesh{Start: []int32{0}, Parts: []mesh.Part{mesh.NewPart("leg")}}
	w := weights.New([]string{"thigh_l", "shank_l", "foot_l"}, 10)
	for ring := range 5 {
		for k := range 2 {
			v := len(m.Points)
			m.Points = append(m.Points, r3.Vec{X: float64(k) * 0.2, Y: 2 - 0.5*float64(ring)})
			at := float64(ring) / 4
			w.Of[v] = []weights.Influence{{Joint: 0, Value: 1 - at}, {Joint: 1, Value: at}}
		}
	}
	for ring := range 4 {
		a := int32(2 * ring)
		m.AddFace(0, a, a+1, a+3, a+2)
	}
	m.Shapes = []mesh.Shape{{Name: "tense", Vertex: []int32{4}, Offset: []r3.Vec{{Z: 0.1}}}}
	return compare.Side{Mesh: m, Skeleton: s, Weights: w, Marks: skeleton.DefaultMarks, Clips: []*pose.Clip{{Name: "walk", Step: 1}}}
}

func joint(r *compare.Report, name string) *compare.Joint {
	for i := range r.Joints {
		if r.Joints[i].Name == name {
			return &r.Joints[i]
		}
	}
	return nil
}

func TestNothingDiffersFromItself(t *testing.T) {
	require.True(t, compare.Compare(leg(), leg()).Same())
	require.True(t, compare.Compare(compare.Side{}, compare.Side{}).Same())
	cut := leg() // the same mesh as triangles, as a file has it
	cut.Mesh = cut.Mesh.Triangulate([]bool{true, true, true, true})
	r := compare.Compare(leg(), cut)
	assert.False(t, r.Mesh.Same)
	assert.Equal(t, 10, r.Mesh.Matched)
	assert.Zero(t, r.Mesh.Moved)
	assert.Zero(t, r.Weights.Vertices)
	assert.True(t, r.Mesh.Cut)
	assert.True(t, r.Same())
}

func TestWhatBecameOfJoints(t *testing.T) {
	b := leg()
	b.Skeleton = b.Skeleton.Clone()
	b.Skeleton.Joints[1].Pos = r3.Vec{X: 0.1, Y: 1.1, Z: 0.02}
	b.Skeleton.Joints[2].Name = "ankle_l"
	b.Skeleton.Joints[2].Rot = geom.AxisAngle(r3.Vec{Y: 1}, 0.5)
	b.Skeleton.Joints = append(b.Skeleton.Joints, skeleton.Joint{Name: "toe_l", Parent: 2, Pos: r3.Vec{Z: 0.2}, Rot: geom.Identity})
	b.Weights = &weights.Weights{Joints: []string{"thigh_l", "shank_l", "ankle_l"}, Of: b.Weights.Of}
	r := compare.Compare(leg(), b)
	require.Len(t, r.Joints, 3)
	assert.Equal(t, "added", joint(r, "toe_l").Kind)
	assert.InDelta(t, 0.1, joint(r, "shank_l").Moved, 1e-12)
	assert.Equal(t, "foot_l", joint(r, "ankle_l").Was, "it stands where the other stood, under the same parent")
	assert.InDelta(t, 0.5*180/3.141592653589793, joint(r, "ankle_l").Turned, 1e-9)
	assert.Zero(t, r.Weights.Vertices, "a new name is no other weight")

	b.Skeleton.Joints[1].Parent = -1
	r = compare.Compare(leg(), b)
	assert.Equal(t, "(none)", joint(r, "shank_l").Parent)
	r = compare.Compare(leg(), compare.Side{})
	assert.Len(t, r.Joints, 3)
	assert.Equal(t, "gone", r.Joints[0].Kind)
}

func TestWhereWeightsDiffer(t *testing.T) {
	b := leg()
	b.Weights = &weights.Weights{Joints: b.Weights.Joints, Of: append([][]weights.Influence(nil), b.Weights.Of...)}
	b.Weights.Of[8] = []weights.Influence{{Joint: 0, Value: 1}}
	r := compare.Compare(leg(), b)
	require.Equal(t, 1, r.Weights.Vertices)
	assert.Equal(t, int32(8), r.Weights.Vertex)
	assert.Greater(t, r.Weights.Apart, 0.1)
	assert.NotEmpty(t, r.Weights.Pose)
	assert.Equal(t, 1, joint(r, "thigh_l").Weights)
	assert.InDelta(t, 1, joint(r, "shank_l").Most, 1e-12)
	assert.Nil(t, joint(r, "foot_l"))
}

// Vertices of another mesh are partners by place; those that moved are counted, those without a partner too.
func TestMeshesOfOtherVertices(t *testing.T) {
	b := leg()
	m := *b.Mesh
	m.Points = append([]r3.Vec{{X: 5}}, m.Points...) // all numbers are others
	m.Corner = append([]int32(nil), m.Corner...)
	for i := range m.Corner {
		m.Corner[i]++
	}
	m.Shapes = []mesh.Shape{
		{Name: "tense", Vertex: []int32{5}, Offset: []r3.Vec{{Z: 0.2}}},
		{Name: "new", Vertex: []int32{1}, Offset: []r3.Vec{{X: 1}}},
	}
	b.Mesh = &m
	b.Weights = &weights.Weights{Joints: b.Weights.Joints, Of: append([][]weights.Influence{nil}, b.Weights.Of...)}
	b.Clips = []*pose.Clip{{Name: "run", Step: 1}}
	r := compare.Compare(leg(), b)
	assert.False(t, r.Mesh.Same)
	assert.Equal(t, 10, r.Mesh.Matched)
	assert.Equal(t, [2]int{10, 11}, r.Mesh.Vertices)
	assert.Zero(t, r.Weights.Vertices)
	assert.Equal(t, []string{"~tense", "+new"}, r.Targets)
	assert.Equal(t, []string{"+run", "-walk"}, r.Motions)
	assert.False(t, r.Same())

	moved := leg()
	n := *moved.Mesh
	n.Points = append([]r3.Vec(nil), n.Points...)
	n.Points[3].Z = 0.25
	moved.Mesh = &n
	r = compare.Compare(leg(), moved)
	assert.True(t, r.Mesh.Same)
	assert.Equal(t, 1, r.Mesh.Moved)
	assert.Equal(t, int32(3), r.Mesh.Vertex)
	assert.InDelta(t, 0.25, r.Mesh.Farthest, 1e-12)
}

// What stands elsewhere as a whole is one line: nothing in it moved.
func TestTheWholeStandsElsewhere(t *testing.T) {
	b := leg()
	m := *b.Mesh
	m.Points = append([]r3.Vec(nil), m.Points...)
	for i := range m.Points {
		m.Points[i] = r3.Add(m.Points[i], r3.Vec{Y: 0.5, Z: 1})
	}
	b.Mesh, b.Skeleton = &m, b.Skeleton.Clone()
	for i := range b.Skeleton.Joints {
		b.Skeleton.Joints[i].Pos = r3.Add(b.Skeleton.Joints[i].Pos, r3.Vec{Y: 0.5, Z: 1})
	}
	r := compare.Compare(leg(), b)
	assert.InDeltaSlice(t, []float64{0, 0.5, 1}, r.Shift[:], 1e-12)
	assert.Empty(t, r.Joints)
	assert.Zero(t, r.Mesh.Moved)
	assert.False(t, r.Same())
	b.Skeleton.Joints[2].Pos.X += 0.1
	r = compare.Compare(leg(), b)
	require.Len(t, r.Joints, 1)
	assert.InDelta(t, 0.1, r.Joints[0].Moved, 1e-9)
}
