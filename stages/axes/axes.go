// Package axes is the stage at which joints get their axes: along the bone, about
// the bend, the same way on both sides.
package axes

import (
	"context"
	"fmt"

	"wisemarrow/core/finding"
	"wisemarrow/core/skeleton"
	"wisemarrow/studio"
)

func init() {
	studio.RegisterStage(studio.Stage{Name: "axes", Title: "Axes", Question: "Does every joint turn about the axis one expects?", Order: 3,
		Touched: func(s *studio.State) bool { return s.Skeleton != nil },
		Reads:   []string{"skeleton", "settings"},
		Find:    find})
	studio.Register(
		studio.Entry{Name: "set_axes", Label: "Set the axes of all joints", Stage: "axes", Words: "orient joint orientation roll align aim", Needs: []studio.Need{studio.NeedSkeleton}, New: func() studio.Operation { return &SetAxes{Convention: skeleton.DefaultConvention} }},
	)
}

// findings of a state.
func find(c *studio.Checked) []finding.Finding {
	s := c.State
	if s.Skeleton == nil {
		return nil
	}
	return Check(s.Skeleton, s.Settings.Convention, s.Settings.Marks)
}

// Check measures the axes of a skeleton against a convention.
func Check(sk *skeleton.Skeleton, c skeleton.Convention, x skeleton.Marks) []finding.Finding {
	return sk.CheckAxes(c, x, finding.Remedy{Label: "Set the axes of all joints", Op: "set_axes",
		Params: map[string]any{"aim": c.Aim, "bend": c.Bend, "from": c.From, "world": c.World, "sides": c.Sides}})
}

// SetAxes turns joints by a convention, which the character keeps. Joints names
// those to turn; empty means all.
type SetAxes struct {
	skeleton.Convention
	Joints []string `json:"joints"`
}

// Apply implements Operation.
func (o *SetAxes) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	var which []int
	for _, name := range o.Joints {
		i, err := s.Skeleton.Find(name)
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		which = append(which, i)
	}
	turned, err := s.Skeleton.Orient(which, o.Convention, s.Settings.Marks)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	before, after := 0, 0
	for i := range turned.Joints {
		if s.Skeleton.AxisOff(i, o.Convention, s.Settings.Marks) > skeleton.AxisLimit {
			before++
		}
		if turned.AxisOff(i, o.Convention, s.Settings.Marks) > skeleton.AxisLimit {
			after++
		}
	}
	n := len(o.Joints)
	if n == 0 {
		n = len(turned.Joints)
	}
	s.Skeleton = turned
	s.Settings.Convention, s.Settings.Oriented = o.Convention, true
	return s, studio.Outcome{Sentence: fmt.Sprintf("Set the axes of %d joints: %d off their bone became %d", n, before, after),
		Before: fmt.Sprint(before), After: fmt.Sprint(after)}, nil
}
