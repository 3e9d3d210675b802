package studio

import (
	"context"
	"fmt"

	"wisemarrow/core/bind"
	"wisemarrow/core/weights"
)

func init() {
	register(
		Entry{"bind_heat", "Bind by heat", "bind", true, func() Operation {
			d := bind.DefaultOptions
			return &BindHeat{Influences: d.Cap, Trace: d.Trace, Heat: d.Heat}
		}},
		Entry{"follow_beneath", "Let pieces follow beneath", "bind", false, func() Operation { return &FollowBeneath{Mode: bind.Auto} }},
	)
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
func (o *BindHeat) Apply(ctx context.Context, s State, progress Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	if err := needSkeleton(s); err != nil {
		return s, Outcome{}, err
	}
	if o.Influences < 1 || o.Influences > 8 {
		return s, Outcome{}, wrong("the influence cap is 1 to 8, not %d", o.Influences)
	}
	if !(o.Heat > 0) || o.Heat > 1e6 || !(o.Trace >= 0) || o.Trace >= 0.5 {
		return s, Outcome{}, wrong("heat must be above zero and the trace limit from 0 to below 0.5, not %g and %g", o.Heat, o.Trace)
	}
	deform := s.Skeleton.Deforming()
	for _, name := range o.Skip {
		i, err := s.Skeleton.Find(name)
		if err != nil {
			return s, Outcome{}, wrong("%v", err)
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
		return s, Outcome{}, ctx.Err()
	}
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	s.Weights = w
	s.Bind = &BindRecord{Report: *report, Skeleton: s.Skeleton, Options: *o}
	s = s.recounted()
	solved, asked := 0, 0
	for _, j := range report.Joints {
		if j.State != bind.Idle {
			asked++
		}
		if j.State == bind.Solved {
			solved++
		}
	}
	return s, Outcome{Sentence: fmt.Sprintf("Bound by heat: %d of %d joints solved, %d of %d vertices without weights", solved, asked, len(s.Bind.Stray), report.Vertices),
		Before: fmt.Sprint(before), After: fmt.Sprint(report.Vertices - len(s.Bind.Stray))}, nil
}

// FollowBeneath gives pieces without weights those of the surface beneath.
type FollowBeneath struct {
	Mode string `json:"mode"` // "rigid", "follow" or "auto"
}

// Apply implements Operation.
func (o *FollowBeneath) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if s.Weights == nil || s.Bind == nil {
		return s, Outcome{}, wrong("there are no weights yet: bind first")
	}
	before := len(s.stray())
	limits := weights.Limits{Cap: s.Bind.Options.Influences, Trace: s.Bind.Options.Trace}
	in, out := s.Mesh.Bindable()
	w, _, err := bind.FollowBeneath(in, s.Weights, o.Mode, limits)
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	for v, yes := range out {
		if yes {
			w.Of[v] = nil
		}
	}
	s.Weights = w
	s = s.recounted()
	record := *s.Bind
	record.Report.Pieces = append(record.Report.Pieces[:0:0], record.Report.Pieces...)
	for i := range record.Report.Pieces {
		if p := &record.Report.Pieces[i]; p.State != bind.Solved {
			p.State, p.Cause = bind.Solved, "follows the surface beneath it"
		}
	}
	s.Bind = &record
	return s, Outcome{Sentence: fmt.Sprintf("Let pieces follow the surface beneath: %d vertices without weights became %d", before, len(record.Stray)),
		Before: fmt.Sprint(before), After: fmt.Sprint(len(record.Stray))}, nil
}
