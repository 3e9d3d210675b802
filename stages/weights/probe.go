package weights

import "wisemarrow/studio"

// Mover is a joint that moves a vertex.
type Mover struct {
	Joint  string  `json:"joint"`
	Weight float64 `json:"weight"` // its own share
	// Carried is the share that the joint moves through the joints that hang
	// from it, its own included.
	Carried float64 `json:"carried"`
	Direct  bool    `json:"direct"`
}

// Probed is everything that moves a vertex.
type Probed struct {
	Vertex int        `json:"vertex"`
	Place  [3]float64 `json:"place"` // world, metres, at rest
	Movers []Mover    `json:"movers"`
}

// Probe returns the joints that move a vertex, directly by weight (heaviest
// first) and through the hierarchy (nearest ancestor first).
func Probe(s *studio.State, vertex int) (Probed, error) {
	if s.Weights == nil {
		return Probed{}, studio.Wrong("no weights yet: bind first")
	}
	if vertex < 0 || vertex >= len(s.Weights.Of) {
		return Probed{}, studio.Wrong("there is no vertex %d; the mesh has %d", vertex, len(s.Weights.Of))
	}
	at := s.Mesh.World()[vertex]
	out := Probed{Vertex: vertex, Place: [3]float64{at.X, at.Y, at.Z}, Movers: []Mover{}}
	index := map[string]int{}
	add := func(name string, own float64, direct bool) *Mover {
		i, ok := index[name]
		if !ok {
			i = len(out.Movers)
			index[name] = i
			out.Movers = append(out.Movers, Mover{Joint: name, Direct: direct, Weight: own})
		}
		return &out.Movers[i]
	}
	for _, x := range s.Weights.Of[vertex] {
		add(s.Weights.Joints[x.Joint], x.Value, true)
	}
	for _, x := range s.Weights.Of[vertex] {
		for j := s.Skeleton.Index(s.Weights.Joints[x.Joint]); j >= 0; j = s.Skeleton.Joints[j].Parent {
			add(s.Skeleton.Joints[j].Name, 0, false).Carried += x.Value
		}
	}
	return out, nil
}
