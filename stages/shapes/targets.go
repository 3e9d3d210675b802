package shapes

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/mesh"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	needs := []studio.Need{studio.NeedMesh}
	studio.Register(
		studio.Entry{
			Name:  "set_target",
			Label: "Set a shape target",
			Stage: "shapes",
			Words: "slider value weight",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &SetTarget{} },
		},
		studio.Entry{
			Name:  "mute_targets",
			Label: "Mute shape targets",
			Stage: "shapes",
			Words: "disable off",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &MuteTargets{Muted: true} },
		},
		studio.Entry{
			Name:  "lock_targets",
			Label: "Lock shape targets",
			Stage: "shapes",
			Words: "protect keep",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &LockTargets{Locked: true} },
		},
		studio.Entry{
			Name:  "add_to_target",
			Label: "Add a shape target to another",
			Stage: "shapes",
			Words: "join sum subtract merge",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &AddToTarget{Times: 1} },
		},
		studio.Entry{
			Name:  "rename_target",
			Label: "Rename a shape target",
			Stage: "shapes",
			Words: "name label",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &RenameTarget{} },
		},
		studio.Entry{
			Name:  "remove_targets",
			Label: "Remove shape targets",
			Stage: "shapes",
			Words: "delete drop",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &RemoveTargets{} },
		},
		studio.Entry{
			Name:  "mirror_targets",
			Label: "Mirror shape targets",
			Stage: "shapes",
			Words: "flip copy left right",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &MirrorTargets{} },
		},
		studio.Entry{
			Name:  "split_target",
			Label: "Split a shape target",
			Stage: "shapes",
			Words: "left right halves",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &SplitTarget{Soft: 0.02} },
		},
		studio.Entry{
			Name:  "scale_target",
			Label: "Scale a shape target",
			Stage: "shapes",
			Words: "multiply strength clean small offsets prune",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &ScaleTarget{Times: 1} },
		},
	)
}

// SetTarget sets how far on a target is by hand, and the ends of its slider.
type SetTarget struct {
	Target string      `json:"target" as:"Shape target"`
	Value  float64     `json:"value" as:"Value" in:"-10..10" help:"1 is the target as it was made"`
	Range  *[2]float64 `json:"range,omitempty" as:"Slider" of:"pair" help:"its two ends; default 0 to 1"`
}

// Apply implements studio.Operation.
func (o *SetTarget) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	at, err := targetsNamed(&s, []string{o.Target})
	if err != nil {
		return fail(err)
	}
	rig := s.Rig()
	t := &rig.Targets[at[0]]
	if by := t.By(); by != "" {
		return fail(studio.Wrong("%s is brought on by %s: free it first, or mute it", t.Name, by))
	}
	was := t.Value
	t.Value = o.Value
	if o.Range != nil {
		t.Range = o.Range
	}
	if l := t.Limits(); o.Value < l[0] || o.Value > l[1] {
		return fail(studio.Wrong("%s goes from %g to %g: widen its slider to set it to %g", t.Name, l[0], l[1], o.Value))
	}
	if was == o.Value && o.Range == nil {
		return fail(studio.Nothing("%s is at %g already", t.Name, was))
	}
	s, err = withTargets(s, s.Mesh.Shapes, rig)
	return s, studio.Outcome{
		Before: fmt.Sprintf("%.2f", was), After: fmt.Sprintf("%.2f", o.Value),
		Sentence: fmt.Sprintf("Set %s to %.2f, was %.2f", o.Target, o.Value, was),
	}, err
}

// MuteTargets mutes targets, which are then neither seen nor handed off, or unmutes them.
type MuteTargets struct {
	Targets []string `json:"targets" as:"Shape targets"`
	Muted   bool     `json:"muted" as:"Muted"`
}

// Apply implements studio.Operation.
func (o *MuteTargets) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	return switched(s, o.Targets, map[bool]string{true: "Muted", false: "Unmuted"}[o.Muted], o.Muted,
		func(t *shape.Target) *bool { return &t.Muted })
}

// LockTargets keeps targets from being changed or removed, or lets them be again.
type LockTargets struct {
	Targets []string `json:"targets" as:"Shape targets"`
	Locked  bool     `json:"locked" as:"Locked"`
}

// Apply implements studio.Operation.
func (o *LockTargets) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	return switched(s, o.Targets, map[bool]string{true: "Locked", false: "Unlocked"}[o.Locked], o.Locked,
		func(t *shape.Target) *bool { return &t.Lock })
}

// switched switches something of targets on or off; what is what was done to them.
func switched(
	s studio.State,
	targets []string,
	what string,
	to bool,
	of func(t *shape.Target) *bool,
) (studio.State, studio.Outcome, error) {
	at, err := targetsNamed(&s, targets)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	rig := s.Rig()
	changed := 0
	for _, k := range at {
		if x := of(&rig.Targets[k]); *x != to {
			*x = to
			changed++
		}
	}
	if changed == 0 {
		return s, studio.Outcome{}, studio.Nothing("they are %s already", strings.ToLower(what))
	}
	s, err = withTargets(s, s.Mesh.Shapes, rig)
	return s, studio.Outcome{Sentence: fmt.Sprintf("%s %s", what, said(targets))}, err
}

// AddToTarget adds a target, times over, to another; less than none takes it away.
type AddToTarget struct {
	Target string  `json:"target" as:"Shape target"`
	From   string  `json:"from" as:"Add"`
	Times  float64 `json:"times" as:"Times" in:"-10..10" help:"-1 takes it away"`
}

// Apply implements studio.Operation.
func (o *AddToTarget) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	if o.Target == o.From {
		return fail(studio.Wrong("choose two shape targets; to scale %s, use Scale", o.Target))
	}
	at, err := targetsNamed(&s, []string{o.Target, o.From})
	if err != nil {
		return fail(err)
	}
	if o.Times == 0 {
		return fail(studio.Nothing("none of %s is added", o.From))
	}
	rig := s.Rig()
	if rig.Targets[at[0]].Lock {
		return fail(studio.Wrong("%s is locked: unlock it first", o.Target))
	}
	list := slices.Clone(s.Mesh.Shapes)
	was, _ := shape.Largest(s.Mesh.WorldShapes()[at[0]])
	list[at[0]] = shape.Sum(list[at[0]], list[at[1]], o.Times)
	rig.Targets[at[0]].Joints = shape.SumOfShifts(rig.Targets[at[0]].Joints, rig.Targets[at[1]].Joints, o.Times)
	if s, err = withTargets(s, list, rig); err != nil {
		return fail(err)
	}
	now, _ := shape.Largest(s.Mesh.WorldShapes()[at[0]])
	return s, studio.Outcome{
		Before: wording.Length(was), After: wording.Length(now),
		Sentence: fmt.Sprintf(
			"Added %g × %s to %s: %s at most, was %s",
			o.Times,
			o.From,
			o.Target,
			wording.Length(now),
			wording.Length(was),
		),
	}, nil
}

// RenameTarget renames a target, also where in-betweens and combinations refer to it.
type RenameTarget struct {
	Target string `json:"target" as:"Shape target"`
	Name   string `json:"name" as:"New name"`
}

// Apply implements studio.Operation.
func (o *RenameTarget) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	at, err := targetsNamed(&s, []string{o.Target})
	if err != nil {
		return fail(err)
	}
	if err := studio.CheckName("a shape target", o.Name); err != nil {
		return fail(err)
	}
	if o.Name == o.Target {
		return fail(studio.Nothing("that is its name"))
	}
	if uniqueIn(s.Mesh.Shapes, o.Name) != o.Name {
		return fail(studio.Wrong("there is a shape target %q already", o.Name))
	}
	list := slices.Clone(s.Mesh.Shapes)
	list[at[0]].Name = o.Name
	s, err = withTargets(s, list, s.Rig().WithNames(map[string]string{o.Target: o.Name}))
	return s, studio.Outcome{
		Before:   o.Target,
		After:    o.Name,
		Sentence: fmt.Sprintf("Renamed the shape target %s to %s", o.Target, o.Name),
	}, err
}

// RemoveTargets removes shape targets.
type RemoveTargets struct {
	Targets []string `json:"targets" as:"Shape targets"`
}

// Apply implements studio.Operation.
func (o *RemoveTargets) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	at, err := targetsNamed(&s, o.Targets)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	rig := s.Rig()
	for _, k := range at {
		if rig.Targets[k].Lock {
			return s, studio.Outcome{}, studio.Wrong("%s is locked: unlock it first", rig.Targets[k].Name)
		}
	}
	var list []mesh.Shape
	for k, x := range s.Mesh.Shapes {
		if !slices.Contains(at, k) {
			list = append(list, x)
		}
	}
	out := studio.Outcome{
		Before: fmt.Sprint(len(s.Mesh.Shapes)), After: fmt.Sprint(len(list)),
		Sentence: fmt.Sprintf("Removed %s: %s", wording.Count(len(at), "shape target", "shape targets"), said(o.Targets)),
	}
	s, err = withTargets(s, list, rig)
	return s, out, err
}

// planeOf is the X of the mirror plane.
func planeOf(s *studio.State) float64 {
	if s.Skeleton == nil {
		return 0
	}
	return s.Skeleton.MirrorPlane(s.Settings.Marks)
}

// flips reports whether a turn about an axis of a joint is, mirrored, one the other way about that of its partner.
func flips(s *studio.State, joint, partner, axis string) bool {
	var a, b r3.Vec
	for _, t := range s.Skeleton.Trials(s.Settings.Marks) {
		if t.Name == axis && s.Skeleton.Joints[t.Joint].Name == joint {
			a = t.Axis
		}
		if t.Name == axis && s.Skeleton.Joints[t.Joint].Name == partner {
			b = t.Axis
		}
	}
	// The mirror image of a turn about an axis is one the other way about the image of the axis.
	return r3.Dot(r3.Vec{X: -a.X, Y: a.Y, Z: a.Z}, b) > 0
}

// MirrorTargets makes the partner of targets on the other side, driver included: a new one, or in place of the one that has
// its name.
type MirrorTargets struct {
	Targets []string `json:"targets" as:"Shape targets"`
}

// Apply implements studio.Operation.
func (o *MirrorTargets) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	at, err := targetsNamed(&s, o.Targets)
	if err != nil {
		return fail(err)
	}
	marks := s.Settings.Marks
	list, rig, into := slices.Clone(s.Mesh.Shapes), s.Rig(), s.Mesh.FromWorld()
	// What a vertex gets is what the surface has at the mirrored place, turned over.
	of := *s.Mesh
	of.Shapes = nil
	for _, k := range at {
		of.Shapes = append(of.Shapes, s.Mesh.Shapes[k])
	}
	points, plane := s.Mesh.World(), planeOf(&s)
	mirrored := make([]r3.Vec, len(points))
	for v, p := range points {
		mirrored[v] = skeleton.Mirrored(p, plane)
	}
	images, lost := shape.CarriedOver(&of, mirrored)
	out := studio.Outcome{}
	var made []string
	if lost > 0 {
		out.Left = append(out.Left, wording.Count(lost, "vertex has", "vertices have")+" no mirror image near the surface, and stay")
	}
	for n, k := range at {
		t := images[n]
		name, ok := marks.Partner(t.Name)
		if !ok {
			return fail(studio.Wrong("%s is on no side: its name has neither %q nor %q", t.Name, marks.Left, marks.Right))
		}
		m := shape.Mapped(t, func(v int32, d r3.Vec) r3.Vec { return into(v, r3.Vec{X: -d.X, Y: d.Y, Z: d.Z}) })
		if len(m.Vertex) == 0 {
			return fail(studio.Wrong("nothing that %s moves has a mirror image", t.Name))
		}
		m.Name = name
		next := rig.Targets[k]
		next.Name, next.Lock = name, false
		next.Joints = mirroredShifts(&s, next.Joints)
		if n := next.Near; n != nil {
			if s.Skeleton == nil {
				return fail(studio.Wrong("%s is brought on by %s, and there is no skeleton", t.Name, n.By()))
			}
			next.Near = mirroredNear(&s, n)
		}
		if d := next.Driver; d != nil {
			turned := *d
			joint, ok := marks.Partner(d.Joint)
			if !ok || s.Skeleton == nil || s.Skeleton.Index(joint) < 0 {
				return fail(studio.Wrong("%s is brought on by %s, which has no partner on the other side", t.Name, d.Joint))
			}
			turned.Joint = joint
			if flips(&s, d.Joint, joint, d.Axis) {
				turned.Knots = nil
				for _, x := range slices.Backward(d.Knots) {
					turned.Knots = append(turned.Knots, shape.Knot{Degrees: -x.Degrees, Value: x.Value})
				}
			}
			next.Driver = &turned
		}
		if i := rig.Find(name); i >= 0 {
			if rig.Targets[i].Lock {
				return fail(studio.Wrong("%s is locked: unlock it first", name))
			}
			list[i], rig.Targets[i] = m, next
		} else {
			list, rig.Targets = append(list, m), append(rig.Targets, next)
		}
		made = append(made, name)
	}
	out.Before, out.After = fmt.Sprint(len(s.Mesh.Shapes)), fmt.Sprint(len(list))
	out.Sentence = fmt.Sprintf("Mirrored %s to %s", said(o.Targets), said(made))
	s, err = withTargets(s, list, rig)
	return s, out, err
}

// SplitTarget parts a target into a left and a right one, softly about the middle; both sum to the whole.
type SplitTarget struct {
	Target string  `json:"target" as:"Shape target"`
	Soft   float64 `json:"soft" as:"Soft border" in:"0..1" unit:"m" help:"how wide the way from one to the other is"`
}

// Apply implements studio.Operation.
func (o *SplitTarget) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	at, err := targetsNamed(&s, []string{o.Target})
	if err != nil {
		return fail(err)
	}
	rig := s.Rig()
	of := rig.Targets[at[0]]
	if of.Lock {
		return fail(studio.Wrong("%s is locked: unlock it first", of.Name))
	}
	points, plane := s.Mesh.World(), planeOf(&s)
	left := make([]float64, len(points))
	for v, p := range points {
		d := p.X - plane
		switch {
		case o.Soft > 0:
			x := max(0, min(1, 0.5+d/o.Soft))
			left[v] = x * x * (3 - 2*x)
		case d > 0:
			left[v] = 1
		case d == 0:
			left[v] = 0.5
		}
	}
	l, r := shape.Split(s.Mesh.Shapes[at[0]], left)
	if len(l.Vertex) == 0 || len(r.Vertex) == 0 {
		return fail(studio.Nothing("%s is on one side already", o.Target))
	}
	list := slices.Clone(s.Mesh.Shapes)
	marks := s.Settings.Marks
	l.Name = uniqueIn(list, marks.Join(o.Target, skeleton.Left))
	r.Name = uniqueIn(list, marks.Join(o.Target, skeleton.Right))
	a, b := of, of
	a.Name, b.Name = l.Name, r.Name
	a.Joints, b.Joints = splitShifts(&s, of.Joints)
	list[at[0]], rig.Targets[at[0]] = l, a
	list = slices.Insert(list, at[0]+1, r)
	rig.Targets = slices.Insert(rig.Targets, at[0]+1, b)
	s, err = withTargets(s, list, rig)
	return s, studio.Outcome{
		Before: o.Target, After: l.Name + ", " + r.Name,
		Sentence: fmt.Sprintf("Split %s into %s (%s) and %s (%s)", o.Target,
			l.Name, wording.Count(len(l.Vertex), "vertex", "vertices"), r.Name, wording.Count(len(r.Vertex), "vertex", "vertices")),
	}, err
}

// ScaleTarget scales the offsets of a target, and drops small ones.
type ScaleTarget struct {
	Target string  `json:"target" as:"Shape target"`
	Times  float64 `json:"times" as:"Times" in:"-10..10"`
	Below  float64 `json:"below,omitempty" as:"Drop offsets below" in:"0..1" unit:"m"`
}

// Apply implements studio.Operation.
func (o *ScaleTarget) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	at, err := targetsNamed(&s, []string{o.Target})
	if err != nil {
		return fail(err)
	}
	rig := s.Rig()
	if rig.Targets[at[0]].Lock {
		return fail(studio.Wrong("%s is locked: unlock it first", o.Target))
	}
	world := s.Mesh.WorldShapes()[at[0]]
	size, _ := shape.Largest(world)
	next := shape.Mapped(world, func(_ int32, d r3.Vec) r3.Vec {
		if d = r3.Scale(o.Times, d); r3.Norm(d) < o.Below {
			return r3.Vec{}
		}
		return d
	})
	if o.Times == 1 && len(next.Vertex) == len(world.Vertex) {
		return fail(studio.Nothing("no offset of %s is below %s", o.Target, wording.Length(o.Below)))
	}
	now, _ := shape.Largest(next)
	list := slices.Clone(s.Mesh.Shapes)
	list[at[0]] = shape.Mapped(next, s.Mesh.FromWorld())
	rig.Targets[at[0]].Joints = shape.SumOfShifts(nil, rig.Targets[at[0]].Joints, o.Times)
	s, err = withTargets(s, list, rig)
	return s, studio.Outcome{
		Before: wording.Length(size), After: wording.Length(now),
		Sentence: fmt.Sprintf("Scaled %s: %s at most, was %s; %s, was %s", o.Target, wording.Length(now), wording.Length(size),
			wording.Count(len(next.Vertex), "vertex", "vertices"), wording.Thousands(len(world.Vertex))),
	}, err
}
