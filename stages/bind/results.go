package bind

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{Name: "keep_result", Label: "Keep this result under a name", Stage: "bind", Words: "save store snapshot weights compare version", From: studio.FromForm, Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights}, New: func() studio.Operation { return &KeepResult{} }},
		studio.Entry{Name: "take_result", Label: "Take a kept result", Stage: "bind", Words: "restore load weights swap compare", From: studio.FromForm, Needs: []studio.Need{studio.NeedKept}, New: func() studio.Operation { return &TakeResult{} }},
		studio.Entry{Name: "drop_result", Label: "Drop a kept result", Stage: "bind", Words: "delete remove weights", From: studio.FromForm, Needs: []studio.Need{studio.NeedKept}, New: func() studio.Operation { return &DropResult{} }},
	)
}

// KeepResult keeps the weights and their account under a name, beside what is bound
// later; one of that name is replaced.
type KeepResult struct {
	Name string `json:"name"`
}

// Apply implements studio.Operation.
func (o *KeepResult) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if err := studio.CheckName("a kept result", o.Name); err != nil {
		return s, studio.Outcome{}, err
	}
	result := account(s)
	before := len(s.Kept)
	s.Kept = slices.Clone(s.Kept)
	k := studio.Kept{Name: o.Name, Result: &result, Weights: s.Weights}
	if i := s.FindKept(o.Name); i >= 0 {
		s.Kept[i] = k
	} else if before == studio.MaxKept {
		return s, studio.Outcome{}, studio.Wrong("%d results are kept already: drop one first", studio.MaxKept)
	} else {
		s.Kept = append(s.Kept, k)
	}
	return s, studio.Outcome{Sentence: fmt.Sprintf("Kept the weights as %s", o.Name), Before: fmt.Sprint(before), After: fmt.Sprint(len(s.Kept))}, nil
}

// TakeResult makes a kept result the current one, or takes the weights of some joints from
// it; it stays kept.
type TakeResult struct {
	Name   string   `json:"name"`
	Joints []string `json:"joints,omitempty"`
}

// Apply implements studio.Operation.
func (o *TakeResult) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	i := s.FindKept(o.Name)
	if i < 0 {
		return s, studio.Outcome{}, studio.Wrong("no result is kept as %q", o.Name)
	}
	k := s.Kept[i]
	if len(k.Weights.Of) != len(s.Mesh.Points) {
		return s, studio.Outcome{}, studio.Wrong("%s was kept for a mesh of %d vertices, and this one has %d", o.Name, len(k.Weights.Of), len(s.Mesh.Points))
	}
	for _, name := range k.Weights.Joints {
		if s.Skeleton == nil || s.Skeleton.Index(name) < 0 {
			return s, studio.Outcome{}, studio.Wrong("%s was kept for a skeleton with %s, which is not here any more", o.Name, name)
		}
	}
	before := len(s.Stray())
	if len(o.Joints) > 0 {
		which, err := s.JointsNamed(o.Joints)
		if err != nil {
			return s, studio.Outcome{}, err
		}
		if s.Weights == nil {
			return s, studio.Outcome{}, studio.Wrong("there are no weights into which those of some joints could be taken: take the whole result")
		}
		record := account(s)
		was := s.Weights
		if k.Result != nil {
			record.Limits.Cap = max(record.Limits.Cap, k.Result.Limits.Cap)
		}
		s.Weights = weights.Merged(s.Weights, k.Weights, o.Joints, record.Limits)
		changed := 0
		for v := range was.Of {
			if !slices.Equal(was.Of[v], s.Weights.Of[v]) {
				changed++
			}
		}
		s.Bind = &record
		s = s.Recounted()
		return s, studio.Outcome{Sentence: fmt.Sprintf("Took the weights of %s from %s: %d vertices changed", studio.Said(o.Joints), o.Name, changed), Before: fmt.Sprint(len(which)), After: fmt.Sprint(changed)}, nil
	}
	s.Weights, s.Bind = k.Weights, k.Result
	s = s.Recounted()
	return s, studio.Outcome{Sentence: fmt.Sprintf("Took the weights kept as %s: %d vertices without weights became %d", o.Name, before, len(s.Bind.Report.Stray)),
		Before: fmt.Sprint(before), After: fmt.Sprint(len(s.Bind.Report.Stray))}, nil
}

// DropResult drops a kept result.
type DropResult struct {
	Name string `json:"name"`
}

// Apply implements studio.Operation.
func (o *DropResult) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	i := s.FindKept(o.Name)
	if i < 0 {
		return s, studio.Outcome{}, studio.Wrong("no result is kept as %q", o.Name)
	}
	before := len(s.Kept)
	s.Kept = slices.Delete(slices.Clone(s.Kept), i, i+1)
	return s, studio.Outcome{Sentence: "Dropped the kept result " + o.Name, Before: fmt.Sprint(before), After: fmt.Sprint(len(s.Kept))}, nil
}
