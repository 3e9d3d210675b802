package shapes

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/shape"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	needs := []studio.Need{studio.NeedMesh}
	studio.Register(
		studio.Entry{
			Name:  "keep_values",
			Label: "Keep slider values",
			Stage: "shapes",
			Words: "store preset build expression face save",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &KeepValues{} },
		},
		studio.Entry{
			Name:  "use_values",
			Label: "Use kept slider values",
			Stage: "shapes",
			Words: "recall preset build expression face load",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &UseValues{} },
		},
		studio.Entry{
			Name:  "drop_values",
			Label: "Remove kept slider values",
			Stage: "shapes",
			Words: "delete forget preset",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &DropValues{} },
		},
		studio.Entry{
			Name:  "reset_targets",
			Label: "Reset shape targets",
			Stage: "shapes",
			Words: "zero all sliders off neutral",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &ResetTargets{} },
		},
	)
}

// KeepValues keeps the values that sliders are set to under a name; another set of that name gives way.
type KeepValues struct {
	Name string `json:"name" as:"Name"`
}

// Apply implements studio.Operation.
func (o *KeepValues) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	if err := studio.CheckName("a set of values", o.Name); err != nil {
		return fail(err)
	}
	rig := s.Rig()
	hand := rig.Hand()
	if len(hand) == 0 {
		return fail(studio.Nothing("no slider is set: there is nothing to keep"))
	}
	if rig.Find(o.Name) >= 0 {
		return fail(studio.Wrong("a shape target is called %s: choose another name", o.Name))
	}
	next := shape.Set{Name: o.Name, Values: hand}
	if k := setNamed(rig, o.Name); k >= 0 {
		rig.Sets[k] = next
	} else {
		rig.Sets = append(rig.Sets, next)
	}
	s, err := withTargets(s, s.Mesh.Shapes, rig)
	return s, studio.Outcome{Sentence: fmt.Sprintf("Kept %s as %s", wording.Count(len(hand), "value", "values"), o.Name)}, err
}

func setNamed(rig *shape.Rig, name string) int {
	return slices.IndexFunc(rig.Sets, func(x shape.Set) bool { return x.Name == name })
}

// UseValues sets the sliders to values that were kept; those that the set does not name are off.
type UseValues struct {
	Name string `json:"name" as:"Name"`
}

// Apply implements studio.Operation.
func (o *UseValues) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	rig := s.Rig()
	k := setNamed(rig, o.Name)
	if k < 0 {
		return s, studio.Outcome{}, studio.Wrong("no values are kept as %q", o.Name)
	}
	return valued(s, rig.Sets[k].Values, "Set the sliders to "+o.Name)
}

// valued is a state with the sliders at values, and the others off.
func valued(s studio.State, values map[string]float64, sentence string) (studio.State, studio.Outcome, error) {
	rig := s.Rig()
	next := rig.Set(values)
	changed := 0
	for k := range next.Targets {
		t := &next.Targets[k]
		if t.Value != rig.Targets[k].Value {
			changed++
		}
		if l := t.Limits(); t.Value < l[0] || t.Value > l[1] { // kept before its slider was narrowed
			t.Range = &[2]float64{min(l[0], t.Value), max(l[1], t.Value)}
		}
	}
	if changed == 0 {
		return s, studio.Outcome{}, studio.Nothing("the sliders are there already")
	}
	s, err := withTargets(s, s.Mesh.Shapes, next)
	return s, studio.Outcome{Sentence: fmt.Sprintf("%s: %s", sentence, wording.Count(changed, "value changed", "values changed"))}, err
}

// DropValues forgets values that were kept.
type DropValues struct {
	Name string `json:"name" as:"Name"`
}

// Apply implements studio.Operation.
func (o *DropValues) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	rig := s.Rig()
	k := setNamed(rig, o.Name)
	if k < 0 {
		return s, studio.Outcome{}, studio.Wrong("no values are kept as %q", o.Name)
	}
	rig.Sets = slices.Delete(rig.Sets, k, k+1)
	s, err := withTargets(s, s.Mesh.Shapes, rig)
	return s, studio.Outcome{Sentence: "Removed the kept values " + o.Name}, err
}

// ResetTargets sets sliders to 0: of a group, or all of them.
type ResetTargets struct {
	Group string `json:"group,omitempty" as:"Group" help:"none is all"`
}

// Apply implements studio.Operation.
func (o *ResetTargets) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	values := s.Rig().Hand()
	if o.Group == "" {
		clear(values)
	}
	for _, t := range s.Rig().Targets {
		if o.Group != "" && s.Rig().Within(t.Group, o.Group) {
			delete(values, t.Name)
		}
	}
	return valued(s, values, "Reset the sliders")
}
