package sculpt

import (
	"errors"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// On is what is sculpted, and as it stands.
type On struct {
	Net     *weights.Net     // the surface at rest, without any target
	Skin    *deform.Skin     // the same, without any target; nil where there are no weights
	Targets []mesh.Shape     // world frame
	Values  *shape.Evaluator // of these targets, with what is held
	Target  int              // the one that is changed
	Pose    pose.Pose
	Open    []bool  // by vertex: it may be changed; nil is all
	Plane   float64 // the X of the mirror plane
}

// Surface is a skin in a pose on which a shape target is sculpted.
type Surface struct {
	on     On
	rest   *weights.Net
	value  float64  // how far on the target is
	base   []r3.Vec // where the vertices stand in the pose without it
	blend  []geom.Matrix
	offset []r3.Vec // of the target
	others []r3.Vec // what the other targets add at rest
	other  []r3.Vec // offsets of the target that is matched
	first  []r3.Vec // offsets as they were

	flat    map[int32]bool    // vertices that blending flattens, of those that were moved
	crossed map[[2]int32]bool // pairs of triangles that go through each other at rest, once that was asked
}

// leastOn is the smallest value at which a target can be sculpted: offsets are what you see divided by it.
const leastOn = 0.05

// New prepares a surface.
func New(on On) (*Surface, error) {
	n := len(on.Net.At)
	if on.Target < 0 || on.Target >= len(on.Targets) {
		return nil, fmt.Errorf("there is no shape target %d", on.Target)
	}
	if on.Open != nil && len(on.Open) != n {
		return nil, errors.New("what may be changed is not of this mesh")
	}
	t := on.Targets[on.Target]
	values := on.Values.Values(on.Pose)
	on.Targets = rounded(on.Targets, values)
	s := &Surface{on: on, rest: on.Net, value: values[on.Target], offset: dense(t, n), others: make([]r3.Vec, n), flat: map[int32]bool{}}
	if !(math.Abs(s.value) >= leastOn) {
		return nil, fmt.Errorf("%s is not on in this pose: hold its slider, or pose the joint that brings it on", t.Name)
	}
	s.first = slices.Clone(s.offset)
	for k, value := range values {
		if k == on.Target || value == 0 {
			continue
		}
		for i, v := range on.Targets[k].Vertex {
			s.others[v] = r3.Add(s.others[v], r3.Scale(value, on.Targets[k].Offset[i]))
		}
	}
	s.base = make([]r3.Vec, n)
	if on.Skin == nil {
		for v := range s.base {
			s.base[v] = r3.Add(on.Net.At[v], s.others[v])
		}
		return s, nil
	}
	shaped := on.Skin.Shaped(on.Targets, on.Values)
	s.blend = shaped.Blends(on.Pose)
	for v, p := range shaped.Places(on.Pose) {
		s.base[v] = r3.Sub(p, r3.Scale(s.value, s.blend[v].Direction(s.offset[v])))
	}
	return s, nil
}

// rounded are targets in single precision, as a page has them, those that are on as values say.
func rounded(targets []mesh.Shape, values []float64) []mesh.Shape {
	out := slices.Clone(targets)
	for k, t := range out {
		if values[k] == 0 {
			continue
		}
		out[k].Offset = make([]r3.Vec, len(t.Offset))
		for i, d := range t.Offset {
			out[k].Offset[i] = geom.Single(d)
		}
	}
	return out
}

// dense are the offsets of a target by vertex.
func dense(t mesh.Shape, n int) []r3.Vec {
	out := make([]r3.Vec, n)
	for i, v := range t.Vertex {
		out[v] = geom.Single(t.Offset[i])
	}
	return out
}

// match has a target be the one that is matched.
func (s *Surface) match(name string) error {
	for _, t := range s.on.Targets {
		if t.Name == name {
			s.other = dense(t, len(s.offset))
			return nil
		}
	}
	return fmt.Errorf("there is no shape target %q", name)
}

func (s *Surface) open(v int32) bool { return s.on.Open == nil || s.on.Open[v] }

// Limit has only some vertices be changed from now on; nil is all.
func (s *Surface) Limit(open []bool) { s.on.Open = open }

// Place is where a vertex stands in the pose.
func (s *Surface) Place(v int32) r3.Vec { return s.placed(v, s.offset[v]) }

// Places is where all vertices stand in the pose.
func (s *Surface) Places() []r3.Vec {
	out := make([]r3.Vec, len(s.offset))
	for v := range out {
		out[v] = s.Place(int32(v))
	}
	return out
}

// Offset is that of a vertex.
func (s *Surface) Offset(v int32) r3.Vec { return s.offset[v] }

func (s *Surface) placed(v int32, offset r3.Vec) r3.Vec {
	if s.blend == nil {
		return r3.Add(s.base[v], r3.Scale(s.value, offset))
	}
	return r3.Add(s.base[v], r3.Scale(s.value, s.blend[v].Direction(offset)))
}

// back is the change of an offset that moves a vertex by a step in the pose.
func (s *Surface) back(v int32, step r3.Vec) r3.Vec {
	if s.blend != nil {
		var flattened bool
		if step, flattened = deform.Back(s.blend[v], step, deform.Flat); flattened {
			s.flat[v] = true
		}
	}
	return r3.Scale(1/s.value, step)
}

// Flattened is how many of the vertices that were moved blending flattens in the pose: they come only as near to where they are
// wanted as it lets them.
func (s *Surface) Flattened() int { return len(s.flat) }

// mirrored is the mirror image of a place: the nearest of the surface at rest.
func (s *Surface) mirrored(tri int32, b, c float64) (int32, float64, float64) {
	at := s.rest.In(tri, b, c)
	t, place, _ := s.rest.Tree().Nearest(r3.Vec{X: 2*s.on.Plane - at.X, Y: at.Y, Z: at.Z})
	k := s.rest.Tris[t]
	share := geom.Barycentric(place, s.rest.At[k[0]], s.rest.At[k[1]], s.rest.At[k[2]])
	return t, share[1], share[2]
}

// mirroredMove is a move of a hand in the mirror: as it is at rest, whatever the pose.
func (s *Surface) mirroredMove(from, to int32, move r3.Vec) r3.Vec {
	if s.blend != nil {
		move, _ = deform.Back(s.blend[s.rest.Tris[from][0]], move, deform.Flat)
	}
	move.X = -move.X
	if s.blend != nil {
		move = s.blend[s.rest.Tris[to][0]].Direction(move)
	}
	return move
}

// Target is the target as it is now: world frame, without offsets that are nothing.
func (s *Surface) Target() mesh.Shape {
	out := mesh.Shape{Name: s.on.Targets[s.on.Target].Name}
	for v, d := range s.offset {
		if d != (r3.Vec{}) {
			out.Vertex, out.Offset = append(out.Vertex, int32(v)), append(out.Offset, d)
		}
	}
	return out
}

// Changed is how many vertices have another offset than at first.
func (s *Surface) Changed() int {
	n := 0
	for v, d := range s.offset {
		if d != s.first[v] {
			n++
		}
	}
	return n
}

// Move moves vertices in the pose, meters, and with them, ever less, those within a distance along the surface.
func (s *Surface) Move(vertices []int32, move r3.Vec, soft float64) error {
	if !(r3.Norm(move) <= farthest) || !(soft >= 0 && soft <= farthest) {
		return fmt.Errorf("vertices cannot be moved by %v m with a soft border of %g m: at most %g m", move, soft, farthest)
	}
	share := make([]float64, len(s.offset))
	for _, v := range vertices {
		share[v] = 1
	}
	if soft > 0 {
		net, err := s.rest.Moved(s.Places())
		if err != nil {
			return err
		}
		tip := weights.Tip{Radius: soft}
		around, far := net.From(vertices, soft)
		for i, v := range around {
			if share[v] == 0 {
				share[v] = tip.Falloff(far[i] / soft)
			}
		}
	}
	for v, x := range share {
		if x == 0 || !s.open(int32(v)) {
			continue
		}
		s.offset[v] = geom.Single(r3.Add(s.offset[v], s.back(int32(v), r3.Scale(x, move))))
	}
	return nil
}
