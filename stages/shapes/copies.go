package shapes

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "duplicate_target",
			Label: "Duplicate a shape target",
			Stage: "shapes",
			Words: "copy clone",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			New:   func() studio.Operation { return &DuplicateTarget{} },
		},
		studio.Entry{
			Name:  "target_of_shown",
			Label: "Make a shape target of what is shown",
			Stage: "shapes",
			Words: "join merge combine capture snapshot sliders",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			New:   func() studio.Operation { return &TargetOfShown{} },
		},
	)
}

// DuplicateTarget adds a copy of a target, with the joints that follow it, set by hand and off.
type DuplicateTarget struct {
	Target string `json:"target" as:"Shape target"`
	Name   string `json:"name,omitempty" as:"Name" help:"none is its own, with a number"`
}

// Apply implements studio.Operation.
func (o *DuplicateTarget) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	at, err := targetsNamed(&s, []string{o.Target})
	if err != nil {
		return s, studio.Outcome{}, err
	}
	of := s.Rig().Targets[at[0]]
	copied := shape.Target{Range: of.Range, Group: of.Group, Joints: of.Joints}
	return withNew(s, o.Name, o.Target, s.Mesh.Shapes[at[0]], copied, "Duplicated "+o.Target)
}

// withNew adds a target with offsets in the frame of the mesh; without a name it is called as what it comes of, with a number
// where that is taken.
func withNew(s studio.State, name, otherwise string, x mesh.Shape, t shape.Target, what string) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	x.Name = name
	if name == "" {
		x.Name = uniqueIn(s.Mesh.Shapes, otherwise)
	}
	if err := studio.CheckName("a shape target", x.Name); err != nil {
		return fail(err)
	}
	if uniqueIn(s.Mesh.Shapes, x.Name) != x.Name {
		return fail(studio.Wrong("there is a shape target %q already", x.Name))
	}
	t.Name = x.Name
	rig := s.Rig()
	rig.Targets = append(rig.Targets, t)
	n := len(s.Mesh.Shapes)
	next, err := withTargets(s, append(slices.Clone(s.Mesh.Shapes), x), rig)
	if err != nil {
		return fail(err)
	}
	out := studio.Outcome{Before: fmt.Sprint(n), After: fmt.Sprint(n + 1), Sentence: what + " as " + x.Name}
	world := next.Mesh.WorldShapes()
	if size, _ := shape.Largest(world[n]); size > 0 {
		out.Sentence += fmt.Sprintf(": %s, %s at most", wording.Count(len(x.Vertex), "vertex", "vertices"), wording.Length(size))
	}
	return next, out, nil
}

// TargetOfShown adds a target of all that is on in a pose, as far as it is: alone, at 1, it does what they do together there. The
// pose itself is not in it.
type TargetOfShown struct {
	Name  string             `json:"name,omitempty" as:"Name" help:"none is shown"`
	Turns studio.Turns       `json:"turns,omitempty" as:"Pose" help:"turns of joints about their own axes, x y z w; none is rest"`
	Held  map[string]float64 `json:"held,omitempty" as:"Held" help:"how far on targets are held, by name, whatever brings them on"`
}

// Apply implements studio.Operation.
func (o *TargetOfShown) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	var p pose.Pose
	var err error
	switch {
	case s.Skeleton != nil:
		if p, err = o.Turns.Pose(&s); err != nil {
			return fail(err)
		}
	case len(o.Turns) > 0:
		return fail(studio.Wrong("there is no skeleton that could be posed"))
	}
	rig := s.Rig()
	values := rig.For(s.Skeleton, s.Settings.Marks).Holding(o.Held).Values(p)
	sum := mesh.Shape{}
	var joints map[string]shape.Shift
	var on []string
	for k, value := range values {
		if value == 0 {
			continue
		}
		sum = shape.Sum(sum, s.Mesh.Shapes[k], value)
		joints = shape.SumOfShifts(joints, rig.Targets[k].Joints, value)
		on = append(on, fmt.Sprintf("%.2f × %s", value, rig.Targets[k].Name))
	}
	if len(sum.Vertex) == 0 {
		return fail(studio.Nothing("no shape target is on"))
	}
	return withNew(s, o.Name, "shown", sum, shape.Target{Joints: joints}, "Added "+wording.Some(on, "shape target", "shape targets"))
}
