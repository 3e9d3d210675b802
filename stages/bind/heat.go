package bind

import (
	"context"
	"encoding/json"
	"fmt"

	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/formats/bundle"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "bind_heat",
			Label: "Bind by heat",
			Stage: "bind",
			Words: "skin weights diffusion map solve automatic",
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton},
			Long:  studio.Always,
			Loses: loses,
			New: func() studio.Operation {
				d := bind.DefaultOptions
				return &BindHeat{Influences: d.Cap, Trace: d.Trace, Heat: d.Heat}
			},
		},
	)
}

// loses warns of a bind over weights that came with a file, or were set by hand.
func loses(s *studio.State, op studio.Operation) string {
	if n := len(s.ByHand()); n > 0 && s.Weights != nil {
		if k, ok := op.(interface{ keepsHand() bool }); !ok || !k.keepsHand() {
			return fmt.Sprintf(
				"The weights of %s were set by hand, and this bind replaces them. To keep them, tick “keep what was set by hand”; undo brings them back too.",
				wording.Count(n, "vertex", "vertices"),
			)
		}
	}
	if s.Bind != nil && s.Bind.Operation == "import" && s.Weights != nil {
		return "This replaces the file's weights. Keep them under a name first if you need them. You can undo."
	}
	return ""
}

// BindHeat computes skin weights by heat equilibrium. Skip names joints that
// shall not deform, besides the end joints.
type BindHeat struct {
	Influences int      `json:"influences" as:"Influences" in:"1..16" help:"joints per vertex, at most"`
	Trace      float64  `json:"trace" as:"Trace limit" in:"0..<0.5" help:"weights below it are dropped"`
	Heat       float64  `json:"heat" as:"Heat" in:"0<..1e6"`
	Laplacian  string   `json:"laplacian,omitempty" as:"Laplacian" one:"plain,robust"`
	Skip       []string `json:"skip,omitempty" help:"joints that do not deform"`
	Keeping
}

// Apply implements Operation.
func (o *BindHeat) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	limits, deform, err := asked(s, o.Influences, o.Trace, o.Skip)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return bound(ctx, s, "bind_heat", "Bound by heat", o, limits, func(in *mesh.Mesh) (*weights.Weights, *bind.Report, error) {
		return bind.Heat(
			ctx,
			in,
			s.Skeleton,
			bind.Options{Limits: limits, Heat: o.Heat, Robust: o.Laplacian == "robust", Deform: deform},
			progress,
		)
	})
}

// bound binds the parts that go with the bones by a method, gives the others what they are told
// to follow, and returns the state with that.
func bound(
	ctx context.Context,
	s studio.State,
	op, how string,
	params any,
	limits weights.Limits,
	method func(in *mesh.Mesh) (*weights.Weights, *bind.Report, error),
) (studio.State, studio.Outcome, error) {
	in, following := s.Mesh.Leading()
	w, report, err := method(in)
	if err == nil && following != nil {
		all, _ := s.Mesh.Bindable()
		if w, err = bind.GiveParts(all, s.Skeleton, w, limits); err == nil {
			was := report
			report = bind.Account(all, s.Skeleton, w, bind.Evidence{Method: was.Method})
			report.Joints, report.Overshoot, report.Negative, report.Factor = was.Joints, was.Overshoot, was.Negative, was.Factor
		}
	}
	return made(ctx, s, op, how, params, limits, w, report, err)
}

// mostInfluences is how many joints a vertex may follow: what the view draws.
const mostInfluences = bundle.Drawn

// asked returns what every bind is asked for: limits, and which joints deform, all but end
// joints and those that are named.
func asked(s studio.State, influences int, trace float64, skip []string) (weights.Limits, []bool, error) {
	l := weights.Limits{Cap: influences, Trace: trace}
	deform := s.Skeleton.Deforming()
	for _, name := range skip {
		i, err := s.Skeleton.Find(name)
		if err != nil {
			return l, nil, studio.Wrong("%v", err)
		}
		deform[i] = false
	}
	return l, deform, nil
}

// made returns the state with what a bind made: weights, the pose that they are for, and the
// account of them.
func made(
	ctx context.Context,
	s studio.State,
	op, how string,
	params any,
	limits weights.Limits,
	w *weights.Weights,
	report *bind.Report,
	err error,
) (studio.State, studio.Outcome, error) {
	if ctx.Err() != nil {
		return s, studio.Outcome{}, ctx.Err()
	}
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	raw, err := json.Marshal(params)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	before := 0
	if s.Weights != nil {
		before = len(s.Weights.Of) - len(s.Weights.Unweighted())
	}
	if s.Weights != nil && len(s.Weights.Of) == len(w.Of) && w.Mix == nil {
		w.Mix = s.Weights.Mix // how vertices blend is the character's, whatever binds it
	}
	w, kept := withKept(s, w, params)
	in, _ := s.Mesh.Bindable()
	if kept {
		was := *report
		report = bind.Account(in, s.Skeleton, w, bind.Evidence{Method: was.Method})
		report.Ways, report.Said, report.Layers = was.Ways, was.Said, was.Layers
	}
	if kept || w.Mix != nil { // the layers were tried with other weights, or all linear
		if err := report.Relayered(ctx, in, s.Skeleton, w, pose.Recorded(s.Skeleton), nil); err != nil {
			return s, studio.Outcome{}, err
		}
	}
	if k, ok := params.(interface{ keepsHand() bool }); !ok || !k.keepsHand() {
		s = s.WithChosen(func(c *studio.Chosen) { c.ByHand = nil })
	}
	s.Weights, s.Binding = w, pose.Recorded(s.Skeleton)
	s.Settings.Loose = false
	s.Bind = &studio.Result{Operation: op, Parameters: raw, Limits: limits, Report: *report, Skeleton: s.Skeleton}
	s = s.Recounted()
	solved, all := leads(*report)
	out := studio.Outcome{
		Sentence: fmt.Sprintf(
			"%s: %d of %d joints solved, %d of %d vertices unweighted",
			how,
			solved,
			all,
			len(s.Bind.Report.Stray),
			report.Vertices,
		),
		Before: fmt.Sprint(before),
		After:  fmt.Sprint(report.Vertices - len(s.Bind.Report.Stray)),
	}
	for _, way := range report.Ways {
		out.Steps = append(out.Steps, "Vertices: "+way.String())
	}
	return s, out, nil
}
