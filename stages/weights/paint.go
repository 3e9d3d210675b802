package weights

import (
	"context"
	"fmt"

	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "paint_weights",
			Label: "Paint weights",
			Stage: "weights",
			Words: "brush stroke smooth add replace",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &Paint{} },
		},
		studio.Entry{
			Name:  "paint_mix",
			Label: "Paint how vertices blend",
			Stage: "weights",
			Words: "brush stroke dual quaternion mix linear volume",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &PaintMix{} },
		},
	)
}

// Paint is a stroke of a brush, or several of one brush: places on the surface at rest. Vertices
// limits it to those that are chosen. What it does is computed from the stroke, here and in the
// page by the same code.
type Paint struct {
	weights.Brush
	Strokes  [][]weights.Touch `json:"strokes"`
	Vertices string            `json:"vertices,omitempty"`
}

// Apply implements studio.Operation.
func (o *Paint) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if err := weights.CheckStrokes(o.Strokes); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if o.Mode != weights.BrushEven {
		if _, err := a.joint(o.Joint); err != nil {
			return s, studio.Outcome{}, err
		}
		if k := s.Skeleton.Pairs(s.Settings.Marks).Partner[s.Skeleton.Index(o.Joint)]; o.Both && k >= 0 { // it may have none either
			if _, err := a.joint(s.Skeleton.Joints[k].Name); err != nil {
				return s, studio.Outcome{}, err
			}
		}
	}
	a.only()
	for _, list := range o.Strokes {
		if err := Stroked(a.e, a.net, o.Brush, weights.Sides{Plane: planeOf(&s).Offset, Partner: partners(&s, a.e.Joints)},
			list); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
	}
	what := map[string]string{weights.BrushSet: "Painted", weights.BrushAdd: "Added to", weights.BrushTake: "Subtracted from", weights.BrushScale: "Scaled", weights.BrushSmooth: "Smoothed",
		weights.BrushEven: "Evened weights with the brush"}[o.Mode]
	if o.Mode != weights.BrushEven {
		what = fmt.Sprintf("%s %s with the brush", what, o.Joint)
	}
	if o.Both {
		what += ", on both sides"
	}
	return a.done(ctx, what, "the brush changed nothing: no vertex in range, or all locked, hidden or unselected")
}

// Stroked does one stroke.
func Stroked(e *weights.Editor, net *weights.Net, b weights.Brush, sides weights.Sides, touches []weights.Touch) error {
	stroke, err := weights.NewStroke(b, e, net, sides)
	if err != nil {
		return err
	}
	for _, t := range touches {
		if _, err := stroke.Touch(t); err != nil {
			return err
		}
	}
	return nil
}

// PaintMix is a stroke of a brush, or several, that paints how much of what joints do to the skin
// goes by dual quaternions: the brush's value is that share, whatever joint it names.
type PaintMix Paint

// Apply implements studio.Operation.
func (o *PaintMix) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if err := weights.CheckStrokes(o.Strokes); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	a.only()
	e := weights.EditMix(mixOf(&s), a.e.Open)
	brush := o.Brush
	brush.Joint = weights.MixJoint
	for _, list := range o.Strokes {
		if err := Stroked(e, a.net, brush, weights.Sides{Plane: planeOf(&s).Offset, Partner: []int32{0, 1}}, list); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
	}
	return mixed(s, e, "Painted how vertices blend")
}

// only closes all but the vertices that are asked for.
func (a *at) only() { a.e.Open = a.s.Only(a.vertices) }

// Mode is what a brush does, for a panel.
type Mode struct{ Name, Title string }

// Modes lists what a brush does.
func Modes() []Mode {
	return []Mode{
		{weights.BrushAdd, "adds the value to the joint's weight"},
		{weights.BrushTake, "subtracts the value"},
		{weights.BrushSet, "moves weights toward the value"},
		{weights.BrushScale, "multiplies the weight by the value"},
		{
			weights.BrushSmooth,
			"moves the joint's weight toward its neighbors'",
		},
		{weights.BrushEven, "smooths all joints' weights toward the neighbors"},
	}
}
