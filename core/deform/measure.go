package deform

import (
	"errors"
	"math"
	"sync"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Measures tell what a pose does to the skin.
type Measures struct {
	Farthest float64 `json:"farthest"`       // the longest way that a vertex moved, metres
	Vertex   int32   `json:"vertex"`         // that vertex; -1 where nothing moved
	Rest     float64 `json:"rest"`           // volume within the surface at rest, m³; signed by its facing
	Volume   float64 `json:"volume"`         // the same in the pose
	Limb     string  `json:"limb,omitempty"` // the joint of the limb whose volume changes most
	Change   float64 `json:"change"`         // by how much of it, -0.1 for a tenth less
	Longest  float64 `json:"longest"`        // the most that a length of the surface is of itself at rest: an edge, or several short ones
	Shortest float64 `json:"shortest"`       // the least
}

// Skin is a mesh that can be posed and measured: places at rest in world metres, its
// triangles, and how it follows a skeleton.
type Skin struct {
	points   []r3.Vec
	tris     [][3]int32
	weights  *weights.Weights
	skeleton *skeleton.Skeleton
	binding  *pose.Binding
	longest  float64
	rest     *atRest

	shapes []mesh.Shape     // world
	shaped *shape.Evaluator // nil: no shape target is ever on
	base   []r3.Vec         // points without any
}

// atRest is what of a skin at rest is measured against, made when it is first asked for.
type atRest struct {
	once  sync.Once
	spans []span
	limbs *limbs
	floor float64 // height of the body, metres
}

// atRest divides the skin by the bones of the joints that have weights.
func (s *Skin) atRest() *atRest {
	s.rest.once.Do(func() {
		moves := make([]bool, len(s.skeleton.Joints))
		at := s.skeleton.Numbers()
		used := make([]bool, len(s.weights.Joints))
		for _, list := range s.weights.Of {
			for _, x := range list {
				used[x.Joint] = true
			}
		}
		for k, name := range s.weights.Joints {
			if i, ok := at[name]; ok && used[k] {
				moves[i] = true
			}
		}
		s.rest.floor = math.Max(geom.BoxOf(s.points).Size().Y, 1e-12)
		edges := measuredEdges(s.points, s.tris)
		s.rest.spans = spansOf(s.points, edges, s.rest.floor)
		s.rest.limbs = newLimbs(s.points, s.tris, edges, homesOf(s.points, s.skeleton.Leading(moves)), s.skeleton)
	})
	return s.rest
}

// NewSkin prepares a skin that was bound in the poses of b; nil is the pose in which s
// stands. Places are rounded to float32, as they are sent to a
// browser, so that both measure the same.
func NewSkin(points []r3.Vec, tris [][3]int32, w *weights.Weights, s *skeleton.Skeleton, b *pose.Binding) (*Skin, error) {
	if len(w.Of) != len(points) {
		return nil, errors.New("there are not as many weights as vertices")
	}
	out := &Skin{points: make([]r3.Vec, len(points)), tris: tris, weights: w, skeleton: s, binding: b, rest: &atRest{}}
	for i, p := range points {
		out.points[i] = geom.Single(p)
	}
	for _, t := range tris {
		for _, v := range t {
			if v < 0 || int(v) >= len(points) {
				return nil, errors.New("a triangle names a vertex that is not there")
			}
		}
	}
	if b != nil {
		if err := b.Validate(len(points)); err != nil {
			return nil, err
		}
	}
	out.longest = geom.BoxOf(out.points).Diagonal()
	return out, nil
}

// Posed returns where the vertices stand when the joints are turned by angles in
// degrees about their own axes, in the order of each.
func (s *Skin) Posed(angles map[string][4]float64) []r3.Vec {
	return s.Places(pose.Angled(s.skeleton, angles))
}

// Shaped returns the skin with shape targets, world frame, that are on as values say: of the rig's targets, one by one.
// What is on at rest is what the skin is measured against.
func (s *Skin) Shaped(targets []mesh.Shape, values *shape.Evaluator) *Skin {
	if !values.Moves() {
		return s
	}
	out := *s
	out.shapes, out.shaped, out.base, out.rest = targets, values, s.points, &atRest{}
	rest := values.Values(nil)
	out.points = shape.Places(s.points, targets, rest)
	if values.Leads() {
		out.skeleton = values.Built(rest) // what is measured at rest is measured by the joints of that body
	}
	return &out
}

// at is where vertices are at rest with the shape targets that are on in a pose.
func (s *Skin) at(p pose.Pose) []r3.Vec {
	if s.shaped == nil {
		return s.points
	}
	return shape.Places(s.base, s.shapes, s.shaped.Values(p))
}

// Places returns where the vertices stand in a pose, blended as each joint has it, with shape targets.
func (s *Skin) Places(p pose.Pose) []r3.Vec {
	return s.bound(s.at(p), p)
}

// matrices are those of the joints in a pose, by record, as targets that are on have the joints.
func (s *Skin) matrices(p pose.Pose) [][]geom.Matrix {
	if s.shaped == nil {
		return pose.SkinMatrices(s.skeleton, p, s.binding)
	}
	return s.shaped.SkinMatrices(p, s.binding)
}

// bound returns where points stand in a pose that are the vertices at rest.
func (s *Skin) bound(points []r3.Vec, p pose.Pose) []r3.Vec {
	return boundBy(points, s.weights, s.skeleton, s.matrices(p), s.binding)
}

// Blends are, by vertex, the maps from where it is at rest to where it stands in a pose: of a given blend they are affine.
func (s *Skin) Blends(p pose.Pose) []geom.Matrix {
	from := s.at(p)
	of := func(by r3.Vec) []r3.Vec {
		points := make([]r3.Vec, len(from))
		for v, x := range from {
			points[v] = r3.Add(x, by)
		}
		return s.bound(points, p)
	}
	size := math.Max(s.longest, 1e-12) // as long as the mesh: what rounding leaves is as small as it gets
	at := of(r3.Vec{})
	out := make([]geom.Matrix, len(from))
	for c, by := range []r3.Vec{{X: size}, {Y: size}, {Z: size}} {
		for v, x := range of(by) {
			d := r3.Scale(1/size, r3.Sub(x, at[v]))
			out[v][4*c], out[v][4*c+1], out[v][4*c+2] = d.X, d.Y, d.Z
		}
	}
	for v := range out {
		d := r3.Sub(at[v], out[v].Direction(from[v]))
		out[v][12], out[v][13], out[v][14], out[v][15] = d.X, d.Y, d.Z, 1
	}
	return out
}

// measureChunk is the fixed length of the ranges whose sums are added up in order, so
// that they are the same on any number of cores and in a browser.
const measureChunk = 8192

// Measure tells what a pose does. Products are rounded one by one, so that no machine
// fuses them into another result.
func (s *Skin) Measure(angles map[string][4]float64) Measures {
	return s.MeasurePose(pose.Angled(s.skeleton, angles))
}

// MeasurePose is Measure of turns about the joints' own axes.
func (s *Skin) MeasurePose(p pose.Pose) Measures {
	return s.MeasurePlaces(s.Places(p))
}

// MeasurePlaces is Measure of vertices that stand in given places, world frame, as of a guide.
func (s *Skin) MeasurePlaces(posed []r3.Vec) Measures {
	m := Measures{Vertex: -1, Longest: 1, Shortest: 1}
	for v, p := range posed {
		if d := distance(p, s.points[v]); d > m.Farthest {
			m.Farthest, m.Vertex = d, int32(v)
		}
	}
	type sum struct{ rest, volume, longest, shortest float64 }
	r := s.atRest()
	n := max(len(s.tris), len(r.spans))
	parts := make([]sum, (n+measureChunk-1)/measureChunk)
	geom.Chunks(n, measureChunk, func(lo, hi int) {
		x := sum{longest: 1, shortest: 1}
		for _, t := range s.tris[min(lo, len(s.tris)):min(hi, len(s.tris))] {
			x.rest += signedVolume(s.points[t[0]], s.points[t[1]], s.points[t[2]])
			x.volume += signedVolume(posed[t[0]], posed[t[1]], posed[t[2]])
		}
		for _, e := range r.spans[min(lo, len(r.spans)):min(hi, len(r.spans))] {
			ratio := distance(posed[e.v[0]], posed[e.v[1]]) / e.rest
			x.longest, x.shortest = math.Max(x.longest, ratio), math.Min(x.shortest, ratio)
		}
		parts[lo/measureChunk] = x
	})
	for _, x := range parts {
		m.Rest += x.rest
		m.Volume += x.volume
		m.Longest, m.Shortest = math.Max(m.Longest, x.longest), math.Min(m.Shortest, x.shortest)
	}
	now := r.limbs.volumes(posed)
	for i := range now {
		if d, ok := r.limbs.changed(i, now, r.floor); ok && math.Abs(d) > math.Max(math.Abs(m.Change), 1e-6) {
			m.Change, m.Limb = d, s.skeleton.Joints[i].Name
		}
	}
	return m
}

func distance(a, b r3.Vec) float64 {
	x, y, z := a.X-b.X, a.Y-b.Y, a.Z-b.Z
	return math.Sqrt(float64(x*x) + float64(y*y) + float64(z*z))
}

// signedVolume is the volume of the tetrahedron from the origin to a triangle; over a
// closed surface they add up to what it encloses (divergence theorem).
func signedVolume(a, b, c r3.Vec) float64 {
	x := float64(b.Y*c.Z) - float64(b.Z*c.Y)
	y := float64(b.Z*c.X) - float64(b.X*c.Z)
	z := float64(b.X*c.Y) - float64(b.Y*c.X)
	return (float64(a.X*x) + float64(a.Y*y) + float64(a.Z*z)) / 6
}

// Parts returns what the skin is made of; none of it is to be changed.
func (s *Skin) Parts() (points []r3.Vec, tris [][3]int32, w *weights.Weights, sk *skeleton.Skeleton) {
	return s.points, s.tris, s.weights, s.skeleton
}

// With returns the skin with other weights.
func (s *Skin) With(w *weights.Weights) (*Skin, error) {
	if len(w.Of) != len(s.points) {
		return nil, errors.New("there are not as many weights as vertices")
	}
	out := *s
	out.weights, out.rest = w, &atRest{}
	return &out, nil
}
