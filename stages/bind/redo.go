package bind

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/bind"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "bind_joints",
			Label: "Rebind selected joints",
			Stage: "bind",
			Words: "redo chosen only partial keep others",
			From:  studio.FromJoints,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights},
			Long:  studio.Always,
			New:   func() studio.Operation { return &BindJoints{Method: "auto"} },
		},
	)
}

// BindJoints binds by a method, "auto", "heat", "volume" or "near", and takes of that the
// weights of some joints: what the other joints have at a vertex keeps its proportions, and
// vertices that none of the chosen moves, before or after, stay exactly as they are.
//
// With Vertices only these are changed, and without joints they get all of what the method gives
// them; the border to the rest is then evened within them.
type BindJoints struct {
	Joints   []string `json:"joints,omitempty"`
	Vertices string   `json:"vertices,omitempty"`
	Method   string   `json:"method" as:"Method" one:"auto,heat,volume,near"`
}

// evenPasses is how often the border of vertices that were bound anew is drawn to its neighbours.
const evenPasses = 3

// Apply implements studio.Operation.
func (o *BindJoints) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	only, err := s.VerticesOf(o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if _, err := s.JointsNamed(o.Joints); err != nil && (only == nil || len(o.Joints) > 0) {
		return s, studio.Outcome{}, err
	}
	record := account(s)
	limits := record.Limits
	if limits.Cap == 0 {
		limits = bind.DefaultOptions.Limits
	}
	bound, told, err := do(
		ctx,
		s,
		"bind_"+o.Method,
		map[string]any{"influences": min(limits.Cap, mostInfluences), "trace": limits.Trace},
		progress,
	)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	next := bound.Weights
	if len(o.Joints) > 0 {
		next = weights.Merged(s.Mesh, s.Weights, bound.Weights, o.Joints, limits)
	}
	if only != nil {
		if next, err = within(s, next, only); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
	}
	before := leading(s, o.Joints)
	s, changed, err := taken(ctx, s, next, ", some joints rebound")
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if len(o.Joints) == 0 {
		return s, studio.Outcome{
			Sentence: fmt.Sprintf("Rebound %s: %d changed", wording.Count(len(only), "vertex", "vertices"), changed),
			After:    fmt.Sprint(changed),
			Steps:    []string{told.Sentence},
		}, nil
	}
	return s, studio.Outcome{
		Sentence: fmt.Sprintf(
			"Rebound %s: %s changed; of %s, %d led vertices before, %d now",
			studio.Said(o.Joints),
			wording.Count(changed, "vertex", "vertices"),
			wording.Count(len(o.Joints), "joint", "joints"),
			before,
			leading(s, o.Joints),
		),
		Before: fmt.Sprint(before),
		After:  fmt.Sprint(leading(s, o.Joints)),
		Steps:  []string{told.Sentence},
	}, nil
}

// taken returns the state with weights of which some are new, the account of them with a word on
// how, and how many vertices changed. What had none before is bound in the recorded pose.
func taken(ctx context.Context, s studio.State, next *weights.Weights, how string) (studio.State, int, error) {
	record := account(s)
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
	var err error
	if s.Binding, err = s.FurtherBound(given); err != nil {
		return s, 0, err
	}
	in, _ := s.Mesh.Bindable()
	report := bind.Account(in, s.Skeleton, next, bind.Evidence{Method: record.Report.Method + how})
	report.Layers = record.Report.Layers
	if err := report.Relayered(ctx, in, s.Skeleton, next, s.Binding, nil); err != nil {
		return s, 0, err
	}
	record.Report = *report
	s.Weights, s.Bind = next, &record
	return s.Recounted(), changed, nil
}

// within returns the weights with those of some vertices as another has them, their border evened.
func within(s studio.State, made *weights.Weights, only []int32) (*weights.Weights, error) {
	before, to, locked := widened(s, made)
	net, err := weights.NetOf(s.Mesh)
	if err != nil {
		return nil, err
	}
	e := weights.Edit(before, locked, nil, 0)
	chosen := make([]bool, len(before.Of))
	for _, v := range only {
		chosen[v] = true
		own := weights.Renumbered(made.Of[v], to)
		if len(before.Of[v]) == 0 {
			e.Give(v, own)
		} else {
			e.Replace(v, own)
		}
	}
	var border []int32
	for v, yes := range net.Grow(net.Border(chosen)) {
		if yes && chosen[v] {
			border = append(border, int32(v))
		}
	}
	e.Smooth(border, nil, evenPasses, net)
	return e.Weights(), nil
}
