package intake

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/mesh"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "separate_pieces",
			Label: "Separate into pieces",
			Stage: "intake",
			Words: "split shells loose parts detach",
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &SeparatePieces{} },
		},
		studio.Entry{
			Name:  "join_parts",
			Label: "Join parts",
			Stage: "intake",
			Words: "combine merge attach",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			New:   func() studio.Operation { return &JoinParts{} },
		},
		studio.Entry{
			Name:  "rename_part",
			Label: "Rename a part",
			Stage: "intake",
			Words: "name piece label",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			New:   func() studio.Operation { return &RenamePart{} },
		},
		studio.Entry{
			Name:  "mark_parts",
			Label: "Show, hide or exclude parts",
			Stage: "intake",
			Words: "visibility exclude isolate pieces",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			New:   func() studio.Operation { return &MarkParts{} },
		},
	)
}

// SeparatePieces makes every connected piece a part of its own.
type SeparatePieces struct{}

// Apply implements Operation.
func (o *SeparatePieces) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	before := len(s.Mesh.Parts)
	m := s.Mesh.SeparatePieces()
	if len(m.Parts) == before {
		return s, studio.Outcome{}, studio.Wrong("every part is one piece already")
	}
	return s.WithMesh(m, nil), counted("Separated into pieces", before, len(m.Parts), "parts"), nil
}

// JoinParts makes parts one, under Name or the name of the first.
type JoinParts struct {
	Parts []string `json:"parts"`
	Name  string   `json:"name,omitempty"`
}

// Apply implements Operation.
func (o *JoinParts) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	m, err := s.Mesh.JoinParts(o.Parts, strings.TrimSpace(o.Name))
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	return s.WithMesh(m, nil), counted("Joined parts", len(s.Mesh.Parts), len(m.Parts), "parts"), nil
}

// RenamePart gives a part another name.
type RenamePart struct {
	Part string `json:"part"`
	Name string `json:"name"`
}

// Apply implements Operation.
func (o *RenamePart) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	i, err := s.Mesh.FindPart(o.Part)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	m, err := s.Mesh.RenamePart(i, o.Name)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	return s.WithMesh(m, nil), studio.Outcome{
		Sentence: fmt.Sprintf("Renamed part %s to %s", o.Part, m.Parts[i].Name),
		Before:   o.Part,
		After:    m.Parts[i].Name,
	}, nil
}

// MarkParts hides parts or shows them, and takes them out of the bind or back
// in; what is nil stays as it is. Weights of parts taken out are dropped.
type MarkParts struct {
	Parts  []string `json:"parts"`
	Hidden *bool    `json:"hidden,omitempty"`
	Out    *bool    `json:"out,omitempty"`
}

// Apply implements Operation.
func (o *MarkParts) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if len(o.Parts) == 0 || o.Hidden == nil && o.Out == nil {
		return s, studio.Outcome{}, studio.Wrong("select at least one part, and whether to hide it or to leave it out of the bind")
	}
	m := *s.Mesh
	m.Parts = slices.Clone(m.Parts)
	for _, name := range o.Parts {
		i, err := m.FindPart(name)
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		if o.Hidden != nil {
			m.Parts[i].Hidden = *o.Hidden
		}
		if o.Out != nil {
			m.Parts[i].Out = *o.Out
		}
	}
	if !slices.ContainsFunc(m.Parts, func(p mesh.Part) bool { return !p.Out }) {
		return s, studio.Outcome{}, studio.Wrong("at least one part has to stay in the bind")
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
	return s.Recounted(), studio.Outcome{Sentence: strings.Join(did, ", ") + ": " + what}, nil
}
