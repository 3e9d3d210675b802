// Package browser hands core to a web page: a few functions over typed arrays, as the
// page has them. The program in browser/wasm binds them to JavaScript; here they can be
// tested like any other Go.
package browser

import (
	"encoding/json"
	"errors"
	"fmt"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Joint is a joint as the page has it: world metres and x y z w.
type Joint struct {
	Name   string      `json:"name"`
	Parent int         `json:"parent"`
	Pos    [3]float64  `json:"pos"`
	Rot    [4]float64  `json:"rot"`
	Order  string      `json:"order,omitempty"`
	Mix    float64     `json:"mix,omitempty"`
	Long   *[2]float64 `json:"long,omitempty"`
	Thick  bool        `json:"thick,omitempty"`
	Helper *Helper     `json:"helper,omitempty"`
}

// Helper is the rule of a helper joint as the page has it.
type Helper struct {
	Driver string      `json:"driver"`
	Share  float64     `json:"share"`
	Axis   *[3]float64 `json:"axis,omitempty"` // nil: the whole turn counts
}

// Arrays are a bound character as the page has it: places of the vertices, three a
// vertex; corners of the triangles; and the weights as columns, joint k of Columns
// moving Vertex[Start[k]:Start[k+1]] by Value.
type Arrays struct {
	Points        []float32
	Triangles     []uint32
	Columns       []string
	Start, Vertex []uint32
	Value         []float32
	Joints        []Joint
	Said          []uint32      // vertices of which it was said how they blend
	Shares        []float32     // and, for each, how much goes by dual quaternions
	Binding       *pose.Binding // nil: bound in the pose in which the joints stand
	// Rig is how the shape targets are used, one by one: target k moves Moves[Shaped[k]:Shaped[k+1]] by Offsets, three numbers
	// each.
	Rig     *shape.Rig
	Shaped  []uint32
	Moves   []uint32
	Offsets []float32
	Marks   skeleton.Marks
}

// Skin makes of the arrays what can be posed and measured. It is the same as the
// server makes of the stored character.
func (a Arrays) Skin() (*deform.Skin, error) {
	skin, err := a.unshaped()
	if err != nil || a.Rig == nil || len(a.Rig.Targets) == 0 {
		return skin, err
	}
	targets, err := a.targets(len(a.Points) / 3)
	if err != nil {
		return nil, err
	}
	_, _, _, s := skin.Parts()
	return skin.Shaped(targets, a.Rig.For(s, a.Marks)), nil
}

// unshaped is the skin without its shape targets.
func (a Arrays) unshaped() (*deform.Skin, error) {
	n := len(a.Points) / 3
	if len(a.Points) != 3*n || len(a.Triangles)%3 != 0 {
		return nil, errors.New("the arrays do not fit together")
	}
	points := make([]r3.Vec, n)
	for i := range points {
		points[i] = r3.Vec{X: float64(a.Points[3*i]), Y: float64(a.Points[3*i+1]), Z: float64(a.Points[3*i+2])}
	}
	tris := make([][3]int32, len(a.Triangles)/3)
	for i := range tris {
		tris[i] = [3]int32{int32(a.Triangles[3*i]), int32(a.Triangles[3*i+1]), int32(a.Triangles[3*i+2])}
	}
	w, err := a.weights(n)
	if err != nil {
		return nil, err
	}
	s, err := skeletonOf(a.Joints)
	if err != nil {
		return nil, err
	}
	return deform.NewSkin(points, tris, w, s, a.Binding)
}

// targets are the shape targets of n vertices.
func (a Arrays) targets(n int) ([]mesh.Shape, error) {
	if err := a.Rig.Validate(); err != nil {
		return nil, err
	}
	if len(a.Shaped) != len(a.Rig.Targets)+1 || len(a.Offsets) != 3*len(a.Moves) {
		return nil, errors.New("the arrays do not fit together")
	}
	out := make([]mesh.Shape, len(a.Rig.Targets))
	for k, t := range a.Rig.Targets {
		lo, hi := a.Shaped[k], a.Shaped[k+1]
		if lo > hi || int(hi) > len(a.Moves) {
			return nil, fmt.Errorf("the offsets of %s are cut short", t.Name)
		}
		out[k] = mesh.Shape{Name: t.Name, Offset: vectors(a.Offsets[3*lo : 3*hi])}
		for _, v := range a.Moves[lo:hi] {
			if int(v) >= n {
				return nil, fmt.Errorf("%s moves vertex %d of %d", t.Name, v, n)
			}
			out[k].Vertex = append(out[k].Vertex, int32(v))
		}
	}
	return out, nil
}

// skeletonOf makes a skeleton of a page's joints.
func skeletonOf(joints []Joint) (*skeleton.Skeleton, error) {
	s := &skeleton.Skeleton{}
	for _, j := range joints {
		s.Joints = append(s.Joints, skeleton.Joint{Name: j.Name, Parent: j.Parent, Pos: r3.Vec{X: j.Pos[0], Y: j.Pos[1], Z: j.Pos[2]},
			Rot: quat.Number{Imag: j.Rot[0], Jmag: j.Rot[1], Kmag: j.Rot[2], Real: j.Rot[3]}, Order: j.Order, Mix: j.Mix})
		if h := j.Helper; h != nil {
			s.Joints[len(s.Joints)-1].Helper = &skeleton.Helper{Driver: h.Driver, Twist: h.Axis != nil, Share: h.Share}
		}
		if j.Long != nil || j.Thick {
			s.Joints[len(s.Joints)-1].Keeps = &skeleton.Constraints{Length: j.Long, Thick: j.Thick}
		}
	}
	if len(joints) == 0 {
		return s, nil // a mesh alone, which can be sculpted
	}
	if err := s.Validate(); err != nil {
		return nil, err
	}
	for _, j := range s.Joints {
		if !geom.Finite(j.Pos) {
			return nil, fmt.Errorf("%s is at no place", j.Name)
		}
	}
	return s, nil
}

// weights makes the columns those of n vertices.
func (a Arrays) weights(n int) (*weights.Weights, error) {
	if len(a.Start) != len(a.Columns)+1 || len(a.Vertex) != len(a.Value) {
		return nil, errors.New("the arrays do not fit together")
	}
	w := weights.New(a.Columns, n)
	for k := range a.Columns {
		lo, hi := a.Start[k], a.Start[k+1]
		if lo > hi || int(hi) > len(a.Vertex) {
			return nil, fmt.Errorf("the column of %s is cut short", a.Columns[k])
		}
		for i := lo; i < hi; i++ {
			v := a.Vertex[i]
			if int(v) >= n {
				return nil, fmt.Errorf("the column of %s names vertex %d of %d", a.Columns[k], v, n)
			}
			w.Of[v] = append(w.Of[v], weights.Influence{Joint: int32(k), Value: float64(a.Value[i])})
		}
	}
	for _, list := range w.Of {
		weights.Sort(list)
	}
	if len(a.Said) > 0 {
		w.Mix = &weights.Mix{Values: a.Shares, Vertices: make([]int32, len(a.Said))}
		for i, v := range a.Said {
			w.Mix.Vertices[i] = int32(v)
		}
		if err := w.Mix.Check(n); err != nil {
			return nil, err
		}
	}
	return w, nil
}

// Measure measures a pose given as JSON, degrees by name of joint, and returns the
// measures as JSON.
func Measure(s *deform.Skin, pose string) (string, error) {
	var angles map[string][4]float64
	if err := json.Unmarshal([]byte(pose), &angles); err != nil {
		return "", fmt.Errorf("the pose cannot be read: %w", err)
	}
	out, err := json.Marshal(s.Measure(angles))
	return string(out), err
}
