package bind

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/bind"
	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

func init() {
	studio.Register(studio.Entry{Name: "bind_joints", Label: "Bind some joints anew", Stage: "bind", Words: "redo chosen only partial keep others", From: studio.FromJoints, Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights}, Long: studio.Always, New: func() studio.Operation { return &BindJoints{Method: "auto"} }})
}

// BindJoints binds by a method, "auto", "heat", "volume" or "near", and takes of that the
// weights of some joints: what the other joints have at a vertex keeps its proportions, and
// vertices that none of the chosen moves, before or after, stay exactly as they are.
type BindJoints struct {
	Joints []string `json:"joints"`
	Method string   `json:"method"`
}

// Apply implements studio.Operation.
func (o *BindJoints) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	if _, err := s.JointsNamed(o.Joints); err != nil {
		return s, studio.Outcome{}, err
	}
	if !slices.Contains([]string{"auto", "heat", "volume", "near"}, o.Method) {
		return s, studio.Outcome{}, studio.Wrong("joints are bound by \"auto\", \"heat\", \"volume\" or \"near\", not %q", o.Method)
	}
	record := account(s)
	limits := record.Limits
	if limits.Cap == 0 {
		limits = bind.DefaultOptions.Limits
	}
	bound, told, err := do(ctx, s, "bind_"+o.Method, map[string]any{"influences": min(limits.Cap, mostInfluences), "trace": limits.Trace}, progress)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	next := weights.Merged(s.Weights, bound.Weights, o.Joints, limits)
	var given []int32
	changed := 0
	for v := range next.Of {
		if !slices.Equal(next.Of[v], s.Weights.Of[v]) {
			changed++
			if len(s.Weights.Of[v]) == 0 {
				given = append(given, int32(v))
			}
		}
	}
	before := leading(s, o.Joints)
	if s.Binding, err = s.FurtherBound(given); err != nil {
		return s, studio.Outcome{}, err
	}
	in, _ := s.Mesh.Bindable()
	report := bind.Account(in, s.Skeleton, next, bind.Evidence{Method: record.Report.Method + ", some joints anew"})
	report.Layers = record.Report.Layers
	if err := report.Relayered(ctx, in, s.Skeleton, next, s.Binding, nil); err != nil {
		return s, studio.Outcome{}, err
	}
	record.Report = *report
	s.Weights, s.Bind = next, &record
	s = s.Recounted()
	return s, studio.Outcome{Sentence: fmt.Sprintf("Bound %s anew: %d vertices changed; of %d joints, %d led some before and %d now", studio.Said(o.Joints), changed, len(o.Joints), before, leading(s, o.Joints)),
		Before: fmt.Sprint(before), After: fmt.Sprint(leading(s, o.Joints)), Steps: []string{told.Sentence}}, nil
}
