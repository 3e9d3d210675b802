package bind

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "bind_shell",
			Label: "Bind over a closed shell",
			Stage: "bind",
			Words: "proxy remesh wrap box disconnected pieces closed skin copy carry",
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton},
			Long:  studio.Always,
			Loses: loses,
			New: func() studio.Operation {
				d := bind.DefaultOptions
				return &BindShell{Influences: d.Cap, Trace: d.Trace}
			},
		},
	)
}

// BindShell binds a closed shell around the mesh by heat and carries the weights back. With
// parts it puts one skin around those alone, standing off until their pieces are one, and gives
// weights to them; the others keep what they have. Cubes is how many the longest side has
// (0: 128).
type BindShell struct {
	Influences int      `json:"influences" as:"Influences" in:"1..16" help:"joints per vertex, at most"`
	Trace      float64  `json:"trace" as:"Trace limit" in:"0..<0.5" help:"weights below it are dropped"`
	Cubes      int      `json:"cubes,omitempty" as:"Resolution" in:"24..320" help:"cubes along the longest side"`
	Parts      []string `json:"parts,omitempty" help:"bind only these; the others keep what they have"`
	Skip       []string `json:"skip,omitempty" help:"joints that do not deform"`
	Keeping
}

// Apply implements studio.Operation.
func (o *BindShell) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	limits, deform, err := asked(s, o.Influences, o.Trace, o.Skip)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	options := bind.Options{Limits: limits, Heat: bind.DefaultOptions.Heat, Deform: deform}
	if len(o.Parts) > 0 {
		return o.around(ctx, s, options, progress)
	}
	return bound(ctx, s, "bind_shell", "Bound over a closed shell", o, limits, func(in *mesh.Mesh) (*weights.Weights, *bind.Report, error) {
		w, report, _, err := bind.OverShell(ctx, in, s.Skeleton, options, o.Cubes, false, progress)
		return w, report, err
	})
}

// around binds one shell around some parts.
func (o *BindShell) around(
	ctx context.Context,
	s studio.State,
	options bind.Options,
	progress studio.Progress,
) (studio.State, studio.Outcome, error) {
	chosen, _, err := partsNamed(s.Mesh, o.Parts)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	only, _ := s.Mesh.Only(chosen)
	w, _, shell, err := bind.OverShell(ctx, only, s.Skeleton, options, o.Cubes, true, progress)
	if ctx.Err() != nil {
		return s, studio.Outcome{}, ctx.Err()
	}
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	next := weights.New(w.Joints, len(s.Mesh.Points))
	if s.Weights != nil {
		next = &weights.Weights{Joints: s.Weights.Joints, Of: slices.Clone(s.Weights.Of), Mix: s.Weights.Mix}
	}
	to := make([]int32, len(w.Joints))
	for k, name := range w.Joints {
		to[k] = next.Add(name)
	}
	var given []int32
	for v, list := range w.Of {
		if len(list) == 0 {
			continue
		}
		next.Of[v] = weights.Renumbered(list, to)
		given = append(given, int32(v))
	}
	before := len(next.Of) - len(given)
	if s.Weights != nil {
		before = len(s.Stray())
	}
	s.Weights = next
	if s.Binding, err = s.FurtherBound(given); err != nil {
		return s, studio.Outcome{}, err
	}
	record := account(s)
	in, _ := s.Mesh.Bindable()
	layers := record.Report.Layers
	record.Report = *bind.Account(in, s.Skeleton, next, bind.Evidence{Method: record.Report.Method + ", parts over a shell"})
	record.Report.Layers = layers
	if err := record.Report.Relayered(ctx, in, s.Skeleton, next, s.Binding, nil); err != nil {
		return s, studio.Outcome{}, err
	}
	s.Bind = &record
	s = s.Recounted()
	one := "one closed shell"
	if shell.Pieces > 1 {
		one = fmt.Sprintf("closed shells, %d of them because the pieces are far apart", shell.Pieces)
	}
	return s, studio.Outcome{
		Sentence: fmt.Sprintf(
			"Bound %s over %s, %s off: %s",
			studio.Said(o.Parts),
			one,
			wording.Length(float64(shell.Grown)*shell.Cell),
			wording.Count(len(given), "vertex", "vertices"),
		),
		Before: fmt.Sprint(before),
		After:  fmt.Sprint(len(s.Stray())),
	}, nil
}
