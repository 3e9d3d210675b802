package sculpt

import (
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/shape"
)

// Measures tell of a target what it does, and of the skin how it stands in the pose.
type Measures struct {
	Vertices int     `json:"vertices"` // that the target moves
	Largest  float64 `json:"largest"`  // offset at rest, meters
	// Limb is the one whose volume changes most against rest, and Change by what part; "" where none does, or nothing is bound.
	Limb   string  `json:"limb"`
	Change float64 `json:"change"`
	// Crossing is how many triangles go through others that did not at rest without any target; Cut where there are too many
	// to find all.
	Crossing int  `json:"crossing"`
	Cut      bool `json:"cut,omitempty"`
}

// Measure measures what was sculpted. Body is the skin with what is on at rest, which limbs are compared with; nil for none.
func (s *Surface) Measure(body *deform.Skin) Measures {
	t := s.Target()
	m := Measures{Vertices: len(t.Vertex)}
	m.Largest, _ = shape.Largest(t)
	places := s.Places()
	if body != nil {
		x := body.MeasurePlaces(places)
		m.Limb, m.Change = x.Limb, x.Change
	}
	eps := deform.CrossLong * geom.BoxOf(s.rest.At).Size().Y
	if s.crossed == nil {
		s.crossed = map[[2]int32]bool{}
		pairs, _ := s.rest.Tree().Crossings(eps)
		for _, p := range pairs {
			s.crossed[p] = true
		}
	}
	pairs, all := s.rest.Tree().Moved(places).Crossings(eps)
	m.Cut = !all
	through := map[int32]bool{}
	for _, p := range pairs {
		if !s.crossed[p] {
			through[p[0]], through[p[1]] = true, true
		}
	}
	m.Crossing = len(through)
	return m
}

// Offsets are those of vertices, three numbers each, in single precision.
func (s *Surface) Offsets(vertices []int32) []float32 {
	out := make([]float32, 0, 3*len(vertices))
	for _, v := range vertices {
		d := s.offset[v]
		out = append(out, float32(d.X), float32(d.Y), float32(d.Z))
	}
	return out
}
