package shapes

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/shape"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	needs := []studio.Need{studio.NeedMesh}
	studio.Register(
		studio.Entry{
			Name:  "drive_target",
			Label: "Drive a shape target",
			Stage: "shapes",
			Words: "driver joint angle pose space bend twist",
			From:  studio.FromForm,
			Needs: append(needs, studio.NeedSkeleton),
			New:   func() studio.Operation { return &DriveTarget{Axis: "bend", Degrees: 90} },
		},
		studio.Entry{
			Name:  "combine_targets",
			Label: "Make a shape target a combination",
			Stage: "shapes",
			Words: "combination product smallest",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &CombineTargets{} },
		},
		studio.Entry{
			Name:  "place_between",
			Label: "Make a shape target an in-between",
			Stage: "shapes",
			Words: "in-between intermediate halfway",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &PlaceBetween{At: 0.5} },
		},
		studio.Entry{
			Name:  "free_targets",
			Label: "Set shape targets by hand",
			Stage: "shapes",
			Words: "remove driver disconnect manual",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &FreeTargets{} },
		},
	)
}

// DriveTarget brings a target on as a joint turns about one of its named axes: on at an angle, off at rest, or as its knots
// say.
type DriveTarget struct {
	Target  string       `json:"target" as:"Shape target"`
	Joint   string       `json:"joint" as:"Joint"`
	Axis    string       `json:"axis" as:"Axis" one:"bend=bend,side=side,twist=twist"`
	Degrees float64      `json:"degrees" as:"Fully on at" in:"-180..180" unit:"°"`
	Knots   []shape.Knot `json:"knots,omitempty" of:"object" as:"Knots" help:"how far on it is at some angles, in place of one"`
	Smooth  bool         `json:"smooth,omitempty" as:"Smooth"`
}

// Apply implements studio.Operation.
func (o *DriveTarget) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	if s.Skeleton.Index(o.Joint) < 0 {
		return fail(studio.Wrong("there is no joint %q", o.Joint))
	}
	knots := slices.Clone(o.Knots)
	if len(knots) == 0 {
		if o.Degrees == 0 {
			return fail(studio.Wrong("at rest a driven shape target is off: choose an angle other than 0°"))
		}
		knots = []shape.Knot{{Degrees: o.Degrees, Value: 1}}
	}
	slices.SortFunc(knots, func(a, b shape.Knot) int { return cmp.Compare(a.Degrees, b.Degrees) })
	next, out, err := sourced(s, o.Target, func(t *shape.Target) {
		t.Driver = &shape.Driver{Joint: o.Joint, Axis: o.Axis, Knots: knots, Smooth: o.Smooth}
	})
	if err != nil {
		return fail(err)
	}
	if slices.Contains(next.Shapes.For(next.Skeleton, next.Settings.Marks).Lost, o.Target) {
		return fail(studio.Wrong("%s has no %s in its usual range: choose another axis", o.Joint, o.Axis))
	}
	return next, out, nil
}

// CombineTargets brings a target on to the degree that all of several others are.
type CombineTargets struct {
	Target string   `json:"target" as:"Shape target"`
	Of     []string `json:"of" as:"On where these are"`
	Least  bool     `json:"least,omitempty" as:"By the smallest" help:"to the degree of the smallest of them, not of their product"`
}

// Apply implements studio.Operation.
func (o *CombineTargets) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if _, err := targetsNamed(&s, o.Of); err != nil {
		return s, studio.Outcome{}, err
	}
	return sourced(s, o.Target, func(t *shape.Target) { t.Meets = &shape.Meets{Of: o.Of, Least: o.Least} })
}

// sourced is a state in which the value of a target comes from elsewhere.
func sourced(s studio.State, name string, f func(t *shape.Target)) (studio.State, studio.Outcome, error) {
	at, err := targetsNamed(&s, []string{name})
	if err != nil {
		return s, studio.Outcome{}, err
	}
	rig := s.Rig()
	t := &rig.Targets[at[0]]
	was := t.By()
	t.Value, t.Driver, t.Near, t.Between, t.Meets = 0, nil, nil, nil, nil
	f(t)
	next, err := withTargets(s, s.Mesh.Shapes, rig)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return next, studio.Outcome{Before: was, After: t.By(), Sentence: fmt.Sprintf("%s now follows %s", name, t.By())}, nil
}

// PlaceBetween makes a target what another adds on its way: on at a value of that, off at its ends.
type PlaceBetween struct {
	Target string  `json:"target" as:"Shape target"`
	Of     string  `json:"of" as:"On the way of"`
	At     float64 `json:"at" as:"On at" in:"0<..<1"`
}

// Apply implements studio.Operation.
func (o *PlaceBetween) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if _, err := targetsNamed(&s, []string{o.Of}); err != nil {
		return s, studio.Outcome{}, err
	}
	return sourced(s, o.Target, func(t *shape.Target) { t.Between = &shape.Between{Of: o.Of, At: o.At} })
}

// FreeTargets takes away what brings targets on: they are set by hand, and off.
type FreeTargets struct {
	Targets []string `json:"targets" as:"Shape targets"`
}

// Apply implements studio.Operation.
func (o *FreeTargets) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	at, err := targetsNamed(&s, o.Targets)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	rig := s.Rig()
	n := 0
	for _, k := range at {
		t := &rig.Targets[k]
		if t.By() != "" {
			t.Driver, t.Near, t.Between, t.Meets = nil, nil, nil, nil
			n++
		}
	}
	if n == 0 {
		return s, studio.Outcome{}, studio.Nothing("they are set by hand already")
	}
	s, err = withTargets(s, s.Mesh.Shapes, rig)
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("%s set by hand: %s", wording.Count(n, "shape target is", "shape targets are"), said(o.Targets)),
	}, err
}
