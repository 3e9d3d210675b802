package deform

import (
	"errors"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Measures tell what a pose does to the skin.
type Measures struct {
	Farthest float64 `json:"farthest"` // the longest way that a vertex moved, metres
	Vertex   int32   `json:"vertex"`   // that vertex; -1 where nothing moved
	Rest     float64 `json:"rest"`     // volume within the surface at rest, m³; signed by its facing
	Volume   float64 `json:"volume"`   // the same in the pose
	Longest  float64 `json:"longest"`  // the most that an edge is of its length at rest
	Shortest float64 `json:"shortest"` // the least
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
}

// NewSkin prepares a skin that was bound in the poses of b; nil is the pose in which s
// stands. Places are rounded to float32, as they are sent to a
// browser, so that both measure the same.
func NewSkin(points []r3.Vec, tris [][3]int32, w *weights.Weights, s *skeleton.Skeleton, b *pose.Binding) (*Skin, error) {
	if len(w.Of) != len(points) {
		return nil, errors.New("there are not as many weights as vertices")
	}
	out := &Skin{points: make([]r3.Vec, len(points)), tris: tris, weights: w, skeleton: s, binding: b}
	for i, p := range points {
		out.points[i] = r3.Vec{X: float64(float32(p.X)), Y: float64(float32(p.Y)), Z: float64(float32(p.Z))}
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
// degrees about their own axes, in the order of each, by linear blending.
func (s *Skin) Posed(angles map[string][4]float64) []r3.Vec {
	return Bound(s.points, s.weights, s.skeleton, pose.Angled(s.skeleton, angles), s.binding)
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
	posed := Bound(s.points, s.weights, s.skeleton, p, s.binding)
	m := Measures{Vertex: -1, Longest: 1, Shortest: 1}
	for v, p := range posed {
		if d := distance(p, s.points[v]); d > m.Farthest {
			m.Farthest, m.Vertex = d, int32(v)
		}
	}
	type sum struct{ rest, volume, longest, shortest float64 }
	parts := make([]sum, (len(s.tris)+measureChunk-1)/measureChunk)
	least := geom.SameShare * s.longest // edges below it have no length to speak of
	geom.Chunks(len(s.tris), measureChunk, func(lo, hi int) {
		x := sum{longest: 1, shortest: 1}
		for _, t := range s.tris[lo:hi] {
			x.rest += signedVolume(s.points[t[0]], s.points[t[1]], s.points[t[2]])
			x.volume += signedVolume(posed[t[0]], posed[t[1]], posed[t[2]])
			for k := range 3 {
				a, b := t[k], t[(k+1)%3]
				if rest := distance(s.points[a], s.points[b]); rest > least {
					ratio := distance(posed[a], posed[b]) / rest
					x.longest, x.shortest = math.Max(x.longest, ratio), math.Min(x.shortest, ratio)
				}
			}
		}
		parts[lo/measureChunk] = x
	})
	for _, x := range parts {
		m.Rest += x.rest
		m.Volume += x.volume
		m.Longest, m.Shortest = math.Max(m.Longest, x.longest), math.Min(m.Shortest, x.shortest)
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
	out.weights = w
	return &out, nil
}
