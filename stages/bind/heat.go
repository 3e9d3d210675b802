package bind

import (
	"context"
	"encoding/json"
	"fmt"

	"wisemarrow/core/bind"
	"wisemarrow/core/pose"
	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

func init() {
	studio.Register(studio.Entry{Name: "bind_heat", Label: "Bind by heat", Stage: "bind", Words: "skin weights diffusion map solve automatic", Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton}, Long: studio.Always,
		Loses: func(s *studio.State, _ studio.Operation) string {
			if s.Bind != nil && s.Bind.Operation == "import" && s.Weights != nil {
				return "The weights came with the file, and a bind replaces them. Keep them under a name first if they are wanted; undo brings them back too."
			}
			return ""
		},
		New: func() studio.Operation {
			d := bind.DefaultOptions
			return &BindHeat{Influences: d.Cap, Trace: d.Trace, Heat: d.Heat}
		}})
}

// BindHeat computes skin weights by heat equilibrium. Skip names joints that
// shall not deform, besides the end joints.
type BindHeat struct {
	Influences int      `json:"influences"`
	Trace      float64  `json:"trace"`
	Heat       float64  `json:"heat"`
	Skip       []string `json:"skip,omitempty"`
}

// Apply implements Operation.
func (o *BindHeat) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	if o.Influences < 1 || o.Influences > 8 {
		return s, studio.Outcome{}, studio.Wrong("the influence cap is 1 to 8, not %d", o.Influences)
	}
	if !(o.Heat > 0) || o.Heat > 1e6 || !(o.Trace >= 0) || o.Trace >= 0.5 {
		return s, studio.Outcome{}, studio.Wrong("heat must be above zero and the trace limit from 0 to below 0.5, not %g and %g", o.Heat, o.Trace)
	}
	deform := s.Skeleton.Deforming()
	for _, name := range o.Skip {
		i, err := s.Skeleton.Find(name)
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		deform[i] = false
	}
	before := 0
	if s.Weights != nil {
		before = len(s.Weights.Of) - len(s.Weights.Unweighted())
	}
	in, _ := s.Mesh.Bindable()
	w, report, err := bind.Heat(ctx, in, s.Skeleton, bind.Options{
		Limits: weights.Limits{Cap: o.Influences, Trace: o.Trace}, Heat: o.Heat, Deform: deform}, bind.Progress(progress))
	if ctx.Err() != nil {
		return s, studio.Outcome{}, ctx.Err()
	}
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	s.Weights, s.Binding = w, pose.Recorded(s.Skeleton)
	s.Settings.Loose = false
	params, err := json.Marshal(o)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	s.Bind = &studio.Result{Operation: "bind_heat", Parameters: params, Limits: weights.Limits{Cap: o.Influences, Trace: o.Trace}, Report: *report, Skeleton: s.Skeleton}
	s = s.Recounted()
	solved, asked := 0, 0
	for _, j := range report.Joints {
		if j.State != bind.Idle {
			asked++
		}
		if j.State == bind.Solved {
			solved++
		}
	}
	return s, studio.Outcome{Sentence: fmt.Sprintf("Bound by heat: %d of %d joints solved, %d of %d vertices without weights", solved, asked, len(s.Bind.Report.Stray), report.Vertices),
		Before: fmt.Sprint(before), After: fmt.Sprint(report.Vertices - len(s.Bind.Report.Stray))}, nil
}
