package studio

import (
	"slices"

	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"
)

// Chosen are sets of vertices that a character keeps, ascending. It is not changed in place.
type Chosen struct {
	Named  []Selection `json:"named,omitempty"`
	Hidden []int32     `json:"hidden,omitempty"`  // from view and from every change of weights
	ByHand []int32     `json:"by_hand,omitempty"` // whose weights a person has set
}

// Selection is a set of vertices under a name.
type Selection struct {
	Name     string  `json:"name"`
	Vertices []int32 `json:"vertices"`
}

// MaxSelections is how many selections are kept.
const MaxSelections = 64

// choices returns those of a state, which may have none.
func (s *State) choices() Chosen {
	if s.Chosen == nil {
		return Chosen{}
	}
	return *s.Chosen
}

// HiddenVertices are those that are hidden.
func (s *State) HiddenVertices() []int32 { return s.choices().Hidden }

// OpenVertices says which vertices may be changed, those that are not hidden; nil is all.
func (s *State) OpenVertices() []bool {
	hidden := s.HiddenVertices()
	if len(hidden) == 0 && !slices.ContainsFunc(s.Mesh.Parts, func(p mesh.Part) bool { return p.Hidden }) {
		return nil
	}
	out := make([]bool, len(s.Mesh.Points))
	for f := range s.Mesh.Faces() {
		if !s.Mesh.Parts[s.Mesh.PartOf(f)].Hidden {
			for _, v := range s.Mesh.Face(f) {
				out[v] = true
			}
		}
	}
	for _, v := range hidden {
		out[v] = false
	}
	return out
}

// Only says, by vertex, which of the given vertices may be changed; nil is all that are shown.
func (s *State) Only(vertices []int32) []bool {
	shown := s.OpenVertices()
	if vertices == nil {
		return shown
	}
	out := make([]bool, len(s.Mesh.Points))
	for _, v := range vertices {
		out[v] = shown == nil || shown[v]
	}
	return out
}

// LockedWeights says, by joint of the weights, whether its weights are locked.
func (s *State) LockedWeights() []bool {
	out := make([]bool, len(s.Weights.Joints))
	for k, name := range s.Weights.Joints {
		if i := s.Skeleton.Index(name); i >= 0 {
			out[k] = s.Skeleton.Joints[i].WeightsLocked
		}
	}
	return out
}

// ByHand are the vertices whose weights a person has set.
func (s *State) ByHand() []int32 { return s.choices().ByHand }

// Selections are the sets of vertices that are kept under names.
func (s *State) Selections() []Selection { return s.choices().Named }

// WithChosen returns the state with its sets of vertices changed.
func (s State) WithChosen(f func(c *Chosen)) State {
	c := s.choices()
	c.Named = slices.Clone(c.Named)
	f(&c)
	s.Chosen = &c
	if len(c.Named)+len(c.Hidden)+len(c.ByHand) == 0 {
		s.Chosen = nil
	}
	return s
}

// gathered returns the sets on a mesh whose vertices come from the old ones.
func (c *Chosen) gathered(o mesh.Origin) *Chosen {
	to := func(list []int32) []int32 {
		in := map[int32]bool{}
		for _, v := range list {
			in[v] = true
		}
		var out []int32
		for v, k := range o {
			if k >= 0 && in[k] {
				out = append(out, int32(v))
			}
		}
		return out
	}
	out := &Chosen{Hidden: to(c.Hidden), ByHand: to(c.ByHand)}
	for _, x := range c.Named {
		if list := to(x.Vertices); len(list) > 0 {
			out.Named = append(out.Named, Selection{x.Name, list})
		}
	}
	return out
}

// Unite returns the numbers of both lists, ascending and each once.
func Unite(a, b []int32) []int32 {
	out := slices.Concat(a, b)
	slices.Sort(out)
	return slices.Compact(out)
}

// VerticesOf reads chosen vertices as operations name them: "" is all (nil), ranges as "0-14,20",
// or "@name" for a selection that is kept.
func (s *State) VerticesOf(text string) ([]int32, error) {
	if text == "" {
		return nil, nil
	}
	if text[0] == '@' {
		for _, x := range s.Selections() {
			if x.Name == text[1:] {
				return x.Vertices, nil
			}
		}
		return nil, Wrong("no selection is kept as %q", text[1:])
	}
	list, err := weights.ParseRanges(text, len(s.Mesh.Points))
	if err != nil {
		return nil, Wrong("%v", err)
	}
	return list, nil
}
