package mesh

import (
	"math"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Facts are the plain numbers of a mesh, in world frame.
type Facts struct {
	Vertices  int         `json:"vertices"`
	Faces     int         `json:"faces"`
	Triangles int         `json:"triangles"` // faces with three sides
	Quads     int         `json:"quads"`
	Larger    int         `json:"larger"` // faces with more than four sides
	Edges     int         `json:"edges"`
	Pieces    int         `json:"pieces"`
	Euler     int         `json:"euler"` // V − E + F over used vertices
	Borders   int         `json:"borders"`
	Closed    bool        `json:"closed"`
	Min       [3]float64  `json:"min"`
	Max       [3]float64  `json:"max"`
	Height    float64     `json:"height"` // extent along Y
	Area      float64     `json:"area"`
	Volume    float64     `json:"volume"` // signed; meaningful when closed
	Parts     []PartFacts `json:"parts"`
}

// PartFacts are the numbers of one part as it arrived.
type PartFacts struct {
	Name     string      `json:"name"`
	Faces    int         `json:"faces"`
	Frame    geom.Matrix `json:"frame"`
	Identity bool        `json:"identity"`
	// The frame taken apart: moved by, turned by so many degrees, scaled by.
	Moved  [3]float64 `json:"moved"`
	Turned float64    `json:"turned"`
	Scaled [3]float64 `json:"scaled"`
}

// Measure returns the facts of m.
func (m *Mesh) Measure() Facts { return m.measure(m.Edges(), m.Pieces(), m.World()) }

// Measure returns the facts of the mesh.
func (s *Surface) Measure() Facts { return s.measure(s.Edges, s.Pieces, s.At) }

// Counts returns what of m is told without measuring it: its size and its counts.
func (m *Mesh) Counts() Facts { return m.counts(m.World()) }

func (m *Mesh) counts(points []r3.Vec) Facts {
	f := Facts{Vertices: len(m.Points), Faces: m.Faces()}
	for i := range m.Faces() {
		switch len(m.Face(i)) {
		case 3:
			f.Triangles++
		case 4:
			f.Quads++
		default:
			f.Larger++
		}
	}
	if b := geom.BoxOf(points); !b.Empty() {
		f.Min = [3]float64{b.Min.X, b.Min.Y, b.Min.Z}
		f.Max = [3]float64{b.Max.X, b.Max.Y, b.Max.Z}
		f.Height = b.Size().Y
	}
	return f
}

func (m *Mesh) measure(e Edges, p Pieces, points []r3.Vec) Facts {
	f := m.counts(points)
	f.Edges, f.Pieces, f.Closed = len(e.Edges), p.Count(), m.Faces() > 0
	parts := make([]PartFacts, len(m.Parts))
	for i, part := range m.Parts {
		t, q, k := part.Frame.Decompose()
		parts[i] = PartFacts{Name: part.Name, Frame: part.Frame, Identity: part.Frame == geom.IdentityMatrix,
			Moved: [3]float64{
				t.X,
				t.Y,
				t.Z,
			}, Turned: 2 * math.Acos(math.Min(1, math.Abs(q.Real))) * 180 / math.Pi, Scaled: [3]float64{k.X, k.Y, k.Z}}
	}
	var used int
	for _, n := range p.Vertices {
		used += n
	}
	for i := range m.Faces() {
		c := m.Face(i)
		f.Area += r3.Norm(AreaVector(points, c))
		for k := 1; k+1 < len(c); k++ {
			f.Volume += r3.Dot(points[c[0]], r3.Cross(points[c[k]], points[c[k+1]])) / 6
		}
		parts[m.PartOf(i)].Faces++
	}
	f.Parts = parts
	f.Euler = used - len(e.Edges) + m.Faces()
	for _, x := range e.Edges {
		if x.Count != 2 {
			f.Closed = false
		}
	}
	f.Borders = len(e.BorderLoops())
	return f
}

// Guess is a proposal for a Placement, with its reason.
type Guess struct {
	Placement
	Reason string `json:"reason"`
}

// GuessPlacement proposes unit and up axis from size and shape: a character of
// more than 15 units is not measured in metres, and one that is much taller
// along Z than along Y while it is broad along X stands along Z. Animals that
// are long along Z are narrow along X and so stay Y up. Common practice, no
// source.
func (m *Mesh) GuessPlacement() Guess {
	g := Guess{Placement: NoPlacement}
	points := m.World()
	b := geom.BoxOf(points)
	if b.Empty() {
		return g
	}
	s := b.Size()
	tall, reason := s.Y, ""
	// A person is four times as tall as deep, arms out about as broad as tall; what is long
	// and narrow whichever way it is turned, or broad for its wings alone, stands as it is.
	if s.Z > 2.5*s.Y && s.X > 0.4*s.Z && broad(points) {
		g.Up, tall = "z", s.Z
		reason = "it is much taller along Z than along Y, and wide along X, so Z is up; "
	}
	switch {
	case tall > 400 && tall <= 6000:
		g.Scale, reason = 0.001, reason+"it is hundreds of units tall, so the unit is millimeters"
	case tall > 0 && tall < 0.03:
		g.Scale, reason = 100, reason+"it is less than three centimeters tall, so it was scaled down 100 times during export"
	case tall > 15:
		g.Scale, reason = 0.01, reason+"it is tens to hundreds of units tall, so the unit is centimeters"
	case reason != "":
		reason += "its height is that of a character in meters"
	default:
		reason = "it is tallest along Y and its height is that of a character in meters"
	}
	g.Reason = reason
	g.Stand = g.Up != "y" || g.Scale != 1
	return g
}

// broad reports whether points seen from above are at least four tenths as wide as long.
func broad(points []r3.Vec) bool {
	var mean r3.Vec
	for _, p := range points {
		mean = r3.Add(mean, r3.Scale(1/float64(len(points)), p))
	}
	main, across := mainDirections(points, mean)
	extent := func(d r3.Vec) float64 {
		low, high := math.Inf(1), math.Inf(-1)
		for _, p := range points {
			low, high = math.Min(low, r3.Dot(p, d)), math.Max(high, r3.Dot(p, d))
		}
		return high - low
	}
	return extent(across) > 0.4*extent(main)
}
