package studio

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/mesh"
)

func init() {
	register(
		Entry{"separate_pieces", "Separate into pieces", "intake", false, func() Operation { return &SeparatePieces{} }},
		Entry{"join_parts", "Join parts", "intake", false, func() Operation { return &JoinParts{} }},
		Entry{"rename_part", "Rename a part", "intake", false, func() Operation { return &RenamePart{} }},
		Entry{"mark_parts", "Show, hide, bind or leave out parts", "intake", false, func() Operation { return &MarkParts{} }},
	)
}

// SeparatePieces makes every connected piece a part of its own.
type SeparatePieces struct{}

// Apply implements Operation.
func (o *SeparatePieces) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	before := len(s.Mesh.Parts)
	m := s.Mesh.SeparatePieces()
	if len(m.Parts) == before {
		return s, Outcome{}, wrong("every part is one piece already")
	}
	return s.withMesh(m, nil), counted("Separated into pieces", before, len(m.Parts), "parts"), nil
}

// JoinParts makes parts one, under Name or the name of the first.
type JoinParts struct {
	Parts []string `json:"parts"`
	Name  string   `json:"name,omitempty"`
}

// Apply implements Operation.
func (o *JoinParts) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	m, err := s.Mesh.JoinParts(o.Parts, strings.TrimSpace(o.Name))
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	return s.withMesh(m, nil), counted("Joined parts", len(s.Mesh.Parts), len(m.Parts), "parts"), nil
}

// RenamePart gives a part another name.
type RenamePart struct {
	Part string `json:"part"`
	Name string `json:"name"`
}

// Apply implements Operation.
func (o *RenamePart) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	i, err := s.Mesh.FindPart(o.Part)
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	m, err := s.Mesh.RenamePart(i, o.Name)
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	return s.withMesh(m, nil), Outcome{Sentence: fmt.Sprintf("Renamed part %s to %s", o.Part, m.Parts[i].Name), Before: o.Part, After: m.Parts[i].Name}, nil
}

// MarkParts hides parts or shows them, and takes them out of the bind or back
// in; what is nil stays as it is. Weights of parts taken out are dropped.
type MarkParts struct {
	Parts  []string `json:"parts"`
	Hidden *bool    `json:"hidden,omitempty"`
	Out    *bool    `json:"out,omitempty"`
}

// Apply implements Operation.
func (o *MarkParts) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	if len(o.Parts) == 0 || o.Hidden == nil && o.Out == nil {
		return s, Outcome{}, wrong("name at least one part, and whether to hide it or to leave it out of the bind")
	}
	m := *s.Mesh
	m.Parts = slices.Clone(m.Parts)
	for _, name := range o.Parts {
		i, err := m.FindPart(name)
		if err != nil {
			return s, Outcome{}, wrong("%v", err)
		}
		if o.Hidden != nil {
			m.Parts[i].Hidden = *o.Hidden
		}
		if o.Out != nil {
			m.Parts[i].Out = *o.Out
		}
	}
	if !slices.ContainsFunc(m.Parts, func(p mesh.Part) bool { return !p.Out }) {
		return s, Outcome{}, wrong("at least one part has to stay in the bind")
	}
	s.Mesh = &m
	if s.Weights != nil && o.Out != nil && *o.Out {
		_, out := m.Bindable()
		origin := make(mesh.Origin, len(m.Points))
		for v := range origin {
			origin[v] = int32(v)
			if out[v] {
				origin[v] = -1
			}
		}
		s.Weights = s.Weights.Gather(origin)
	}
	var did []string
	if o.Hidden != nil {
		did = append(did, map[bool]string{true: "Hid", false: "Showed"}[*o.Hidden])
	}
	if o.Out != nil {
		did = append(did, map[bool]string{true: "Took out of the bind", false: "Took into the bind"}[*o.Out])
	}
	what := strings.Join(o.Parts, ", ")
	if len(o.Parts) > 3 {
		what = fmt.Sprintf("%d parts", len(o.Parts))
	}
	return s.recounted(), Outcome{Sentence: strings.Join(did, ", ") + ": " + what}, nil
}
