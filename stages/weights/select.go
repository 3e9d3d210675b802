package weights

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	mesh := []studio.Need{studio.NeedMesh}
	studio.Register(
		studio.Entry{
			Name:  "keep_selection",
			Label: "Keep the selection",
			Stage: "weights",
			Words: "save vertices set group",
			From:  studio.FromForm,
			Needs: mesh,
			New:   func() studio.Operation { return &KeepSelection{} },
		},
		studio.Entry{
			Name:  "drop_selection",
			Label: "Remove a kept selection",
			Stage: "weights",
			Words: "delete vertices set group",
			From:  studio.FromForm,
			Needs: mesh,
			New:   func() studio.Operation { return &DropSelection{} },
		},
		studio.Entry{
			Name:  "hide_vertices",
			Label: "Hide vertices",
			Stage: "weights",
			Words: "isolate show only invisible",
			From:  studio.FromForm,
			Needs: mesh,
			New:   func() studio.Operation { return &HideVertices{} },
		},
		studio.Entry{
			Name:  "forget_hand",
			Label: "Clear hand-set marks",
			Stage: "weights",
			Words: "clear manual protect",
			Needs: mesh,
			New:   func() studio.Operation { return &ForgetHand{} },
		},
	)
}

// KeepSelection keeps vertices under a name; one of that name is replaced.
type KeepSelection struct {
	Name     string `json:"name"`
	Vertices string `json:"vertices"`
}

// Apply implements studio.Operation.
func (o *KeepSelection) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if err := studio.CheckName("a selection", o.Name); err != nil {
		return s, studio.Outcome{}, err
	}
	list, err := s.VerticesOf(o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if len(list) == 0 {
		return s, studio.Outcome{}, studio.Wrong("no vertex is selected")
	}
	has := func(x studio.Selection) bool { return x.Name == o.Name }
	if !slices.ContainsFunc(s.Selections(), has) && len(s.Selections()) == studio.MaxSelections {
		return s, studio.Outcome{}, studio.Wrong("%d selections are kept already: drop one first", studio.MaxSelections)
	}
	s = s.WithChosen(func(c *studio.Chosen) {
		c.Named = append(slices.DeleteFunc(c.Named, has), studio.Selection{Name: o.Name, Vertices: list})
	})
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Kept %s as %s", wording.Count(len(list), "vertex", "vertices"), o.Name),
		After:    fmt.Sprint(len(list)),
	}, nil
}

// DropSelection drops a kept selection.
type DropSelection struct {
	Name string `json:"name"`
}

// Apply implements studio.Operation.
func (o *DropSelection) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	has := func(x studio.Selection) bool { return x.Name == o.Name }
	if !slices.ContainsFunc(s.Selections(), has) {
		return s, studio.Outcome{}, studio.Wrong("no selection is kept as %q", o.Name)
	}
	s = s.WithChosen(func(c *studio.Chosen) { c.Named = slices.DeleteFunc(c.Named, has) })
	return s, studio.Outcome{Sentence: "Removed the selection " + o.Name}, nil
}

// HideVertices hides vertices: they are neither shown nor changed by anything that changes
// weights. With Others all but these; without vertices all are shown again.
type HideVertices struct {
	Vertices string `json:"vertices"`
	Others   bool   `json:"others,omitempty" help:"hide all others"`
}

// Apply implements studio.Operation.
func (o *HideVertices) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	list, err := s.VerticesOf(o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	before := len(s.HiddenVertices())
	switch {
	case o.Others && len(list) == 0:
		return s, studio.Outcome{}, studio.Wrong("select the vertices to show")
	case o.Others:
		kept := map[int32]bool{}
		for _, v := range list {
			kept[v] = true
		}
		list = nil
		for v := range s.Mesh.Points {
			if !kept[int32(v)] {
				list = append(list, int32(v))
			}
		}
	case len(list) == 0 && before == 0:
		return s, studio.Outcome{}, studio.Wrong("no vertex is hidden")
	case len(list) > 0:
		list = studio.Unite(s.HiddenVertices(), list)
	}
	if len(list) == len(s.Mesh.Points) {
		return s, studio.Outcome{}, studio.Wrong("nothing would be left to see")
	}
	s = s.WithChosen(func(c *studio.Chosen) { c.Hidden = list })
	if len(list) == 0 {
		return s, studio.Outcome{
			Sentence: fmt.Sprintf("Showed all: %s were hidden", wording.Count(before, "vertex", "vertices")),
			Before:   fmt.Sprint(before),
			After:    "0",
		}, nil
	}
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Hid vertices: %d of %d are hidden", len(list), len(s.Mesh.Points)),
		Before:   fmt.Sprint(before),
		After:    fmt.Sprint(len(list)),
	}, nil
}

// ForgetHand forgets which vertices were set by hand, so that a bind may replace them.
type ForgetHand struct{}

// Apply implements studio.Operation.
func (o *ForgetHand) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	n := len(s.ByHand())
	if n == 0 {
		return s, studio.Outcome{}, studio.Wrong("no weights were set by hand since the bind")
	}
	s = s.WithChosen(func(c *studio.Chosen) { c.ByHand = nil })
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Forgot that the weights of %s were set by hand", wording.Count(n, "vertex", "vertices")),
		Before:   fmt.Sprint(n),
		After:    "0",
	}, nil
}

// Choices are the sets of vertices of a character as a page has them.
type Choices struct {
	Hidden string   `json:"hidden"`
	Named  []Choice `json:"named"`
	ByHand int      `json:"by_hand"`
}

// Choice is a kept selection.
type Choice struct {
	Name     string `json:"name"`
	Count    int    `json:"count"`
	Vertices string `json:"vertices"`
}

// ChoicesOf lists them.
func ChoicesOf(s *studio.State) Choices {
	out := Choices{Hidden: weights.Ranges(s.HiddenVertices()), Named: []Choice{}, ByHand: len(s.ByHand())}
	for _, x := range s.Selections() {
		out.Named = append(out.Named, Choice{x.Name, len(x.Vertices), weights.Ranges(x.Vertices)})
	}
	return out
}
