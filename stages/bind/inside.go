package bind

import (
	"context"
	"encoding/json"
	"fmt"

	"wisemarrow/core/bind"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "bind_inside",
			Label: "Center joints and bind again",
			Stage: "bind",
			Words: "weak unsolved outside move in rebind",
			From:  studio.FromJoints,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton},
			Long:  studio.Always,
			New:   func() studio.Operation { return &BindInside{} },
		},
	)
}

// BindInside brings joints into the middle of the volume and repeats the bind with its own
// method and parameters, by heat if there was none.
type BindInside struct {
	Joints []string `json:"joints"`
}

// Apply implements studio.Operation.
func (o *BindInside) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed(o.Joints)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	before := leading(s, o.Joints)
	record := studio.Result{}
	if s.Bind != nil {
		record = *s.Bind
	}
	moved, told, err := do(ctx, s, "centre_joints", map[string]any{"joints": o.Joints, "both": true}, progress)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	op, params := repeated(&record)
	bound, told2, err := do(ctx, moved, op, params, progress)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	after := leading(bound, o.Joints)
	return bound, studio.Outcome{
		Sentence: fmt.Sprintf(
			"Brought %s into the volume and bound again: of %d, %d led vertices before and %d now",
			studio.Said(o.Joints),
			len(which),
			before,
			after,
		),
		Before: fmt.Sprint(before),
		After:  fmt.Sprint(after),
		Steps:  []string{told.Sentence, told2.Sentence},
	}, nil
}

// do applies an operation of the registry, so that what it refuses is refused here too.
func do(
	ctx context.Context,
	s studio.State,
	op string,
	params map[string]any,
	progress studio.Progress,
) (studio.State, studio.Outcome, error) {
	data, err := json.Marshal(params)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	entry, parsed, err := studio.ParseOperation(op, data)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return studio.Apply(ctx, entry, parsed, s, progress)
}

// leading counts the joints, of those named, that lead vertices.
func leading(s studio.State, names []string) int {
	if s.Bind == nil {
		return 0
	}
	n := 0
	for _, j := range s.Bind.Report.Joints {
		for _, name := range names {
			if j.Name == name && j.State == bind.Solved {
				n++
			}
		}
	}
	return n
}
