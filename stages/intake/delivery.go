package intake

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/bind"
	"wisemarrow/core/fit"
	"wisemarrow/core/mesh"
	"wisemarrow/core/shape"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "take_delivery",
			Label: "Update from a newer file",
			Stage: "intake",
			Words: "update replace mesh file version re-import",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.Always,
			New:   func() studio.Operation { return &TakeDelivery{} },
		},
	)
}

// TakeDelivery replaces the mesh of a character by a newer file of it and keeps
// what can be kept: the skeleton, settings, the marks of parts by name, and the
// weights, by vertex number where faces and order are the same, else from the
// nearest place on the earlier surface.
type TakeDelivery struct {
	File   studio.File   `json:"file"`
	Repeat []studio.Step `json:"repeat,omitempty"` // done to it first, as to the earlier one
}

// Files implements studio.FileReader.
func (o *TakeDelivery) Files() []*studio.File { return []*studio.File{&o.File} }

// read returns the file as a state with the steps repeated, the labels of those that
// could be, and of the others with the reason.
func (o *TakeDelivery) read(ctx context.Context, progress studio.Progress) (s studio.State, repeated, skipped []string, err error) {
	s, err = readFile(ctx, &o.File)
	if err != nil {
		return s, nil, nil, err
	}
	s.Skeleton, s.Weights, s.Bind = nil, nil, nil
	for i, step := range o.Repeat {
		if err := ctx.Err(); err != nil {
			return s, nil, nil, err
		}
		entry, op, err := studio.ParseOperation(step.Op, step.Params)
		if err == nil && entry.Stage != "intake" {
			err = studio.Wrong("only what Intake can do is repeated on a file")
		}
		if err == nil {
			progress(entry.Label, 0.1+0.6*float64(i)/float64(len(o.Repeat)))
			var next studio.State
			if next, _, err = studio.Apply(ctx, entry, op, s, nil); err == nil {
				s = next
				repeated = append(repeated, entry.Label)
				continue
			}
		}
		skipped = append(skipped, fmt.Sprintf("%s: %v", step.Op, err))
	}
	return s, repeated, skipped, nil
}

// Apply implements studio.Operation.
func (o *TakeDelivery) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	if s.Mesh == nil {
		return s, studio.Outcome{}, studio.Wrong("the character has no mesh yet that %s could replace", o.File.Name)
	}
	progress("Reading "+o.File.Name, 0)
	given, repeated, skipped, err := o.read(ctx, progress)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	progress("Comparing", 0.7)
	change := mesh.Compare(s.Mesh, given.Mesh)
	next := s
	m := *given.Mesh
	m.Parts = slices.Clone(m.Parts)
	for i := range m.Parts {
		if k, err := s.Mesh.FindPart(m.Parts[i].Name); err == nil {
			m.Parts[i].Hidden, m.Parts[i].Out = s.Mesh.Parts[k].Hidden, s.Mesh.Parts[k].Out
		}
	}
	shaped := targetsToo(&m, s.Mesh, change.Same())
	next.Mesh, next.Look = &m, given.Look
	next.Settings.Source, next.Settings.Notes, next.Settings.Joined = o.File.Name, given.Settings.Notes, given.Settings.Joined
	said := changeSaid(change)
	if shaped != "" {
		said += "; " + shaped
	}
	if s.Skeleton != nil && change.Same() && change.Moved > 0 {
		next.Skeleton, _ = fit.Follow(s.Skeleton, s.Mesh.World(), m.World(), s.Weights)
		said += "; joints followed the surface"
	}
	if s.Weights != nil {
		if change.Same() {
			said += "; weights kept"
		} else {
			l := bind.DefaultOptions.Limits
			if s.Bind != nil {
				l = s.Bind.Limits
			}
			progress("Carrying the weights over", 0.8)
			w, err := bind.CarryOver(s.Mesh, s.Weights, &m, l)
			if err != nil {
				return s, studio.Outcome{}, studio.Wrong("%v", err)
			}
			if _, out := m.Bindable(); out != nil {
				for v, yes := range out {
					if yes {
						w.Of[v] = nil
					}
				}
			}
			next.Weights = w
			if next.Binding != nil && len(next.Binding.Records) > 1 {
				next.Binding = next.Binding.Unified(0) // vertices of another mesh are of no record
				said += "; all is of the first record of the bind pose now"
			}
			said += "; weights carried over from the earlier surface"
		}
	}
	return next.Recounted(), studio.Outcome{Sentence: "Took the newer delivery " + o.File.Name + ": " + said,
		Before: fmt.Sprint(change.Before), After: fmt.Sprint(change.After), Steps: repeated, Left: skipped}, nil
}

// targetsToo gives a newer mesh the shape targets that it does not bring itself: as they are where the vertices are the same,
// else carried over by place. It tells what was done.
func targetsToo(m, before *mesh.Mesh, same bool) string {
	mine := func(name string) bool {
		return slices.ContainsFunc(m.Shapes, func(x mesh.Shape) bool { return x.Name == name })
	}
	list, lost := before.Shapes, 0
	if !same && len(list) > 0 {
		list, lost = shape.CarriedOver(before, m.World())
		for k := range list {
			list[k] = shape.Mapped(list[k], m.FromWorld())
		}
	}
	shapes, brought, added := slices.Clone(m.Shapes), len(m.Shapes), 0
	for _, x := range list {
		if !mine(x.Name) {
			shapes = append(shapes, x)
			added++
		}
	}
	if m.Shapes = shapes; len(before.Shapes) == 0 {
		return ""
	}
	out := wording.Count(added, "shape target was", "shape targets were") + " carried over"
	if brought > 0 {
		out += fmt.Sprintf("; %d came with the file", brought)
	}
	if lost > 0 {
		out += fmt.Sprintf("; %s far from the earlier surface, and no target moves them", wording.Count(lost, "vertex is", "vertices are"))
	}
	return out
}

// changeSaid puts a change into words.
func changeSaid(c mesh.Change) string {
	switch {
	case c.Same() && c.Moved == 0:
		return fmt.Sprintf("the same %d vertices in the same places", c.Before)
	case c.Same():
		return fmt.Sprintf("same faces and order; %d of %d vertices moved, the farthest by %.1f cm", c.Moved, c.Before, 100*c.Farthest.By)
	case c.Before == c.After:
		return fmt.Sprintf("same vertex count (%d) but different faces or order", c.Before)
	default:
		return fmt.Sprintf("vertices %d → %d, so faces and order differ", c.Before, c.After)
	}
}

// Delivery is how a newer file compares to what a character has, and the operation
// that would take it.
type Delivery struct {
	File     string        `json:"file"`
	Change   mesh.Change   `json:"change"`
	Said     string        `json:"said"`
	Repeated []string      `json:"repeated"` // labels of the repairs that were repeated on it
	Skipped  []string      `json:"skipped"`  // what could not be repeated, and why
	Weights  string        `json:"weights"`  // kept, carried or none
	Take     *TakeDelivery `json:"take"`
}

// CompareDelivery compares a newer file of a character with its head: the repairs
// that brought the character here are repeated on the file first. Nothing is changed.
func CompareDelivery(ctx context.Context, x *studio.Studio, character string, base int64, file studio.File) (Delivery, error) {
	d := Delivery{File: file.Name, Repeated: []string{}, Skipped: []string{}, Take: &TakeDelivery{File: file}}
	c, _, before, err := x.Head(ctx, character)
	if err != nil {
		return d, err
	}
	if c.Head != base {
		return d, studio.StaleError{Head: c.Head}
	}
	if before.Mesh == nil {
		return d, studio.Wrong("the character has no mesh yet that %s could replace", file.Name)
	}
	if d.Take.Repeat, err = repairs(ctx, x, character, base); err != nil {
		return d, err
	}
	x.Attach(ctx, d.Take)
	s, repeated, skipped, err := d.Take.read(ctx, func(string, float64) {})
	if err != nil {
		return d, err
	}
	d.Repeated, d.Skipped = append(d.Repeated, repeated...), append(d.Skipped, skipped...)
	d.Change = mesh.Compare(before.Mesh, s.Mesh)
	d.Said = changeSaid(d.Change)
	switch {
	case before.Weights == nil:
		d.Weights = "none"
	case d.Change.Same():
		d.Weights = "kept"
	default:
		d.Weights = "carried"
	}
	return d, nil
}

// repairs returns the operations of the intake that lead to base, oldest first.
func repairs(ctx context.Context, x *studio.Studio, character string, base int64) ([]studio.Step, error) {
	line, err := x.Line(ctx, character, base)
	if err != nil {
		return nil, err
	}
	var out []studio.Step
	for _, r := range line {
		e, _, err := studio.ParseOperation(r.Op, nil)
		if err == nil && e.Stage == "intake" && r.Op != "import" && r.Op != "take_delivery" && r.Op != "set_kind" {
			out = append(out, studio.Step{Op: r.Op, Params: r.Params})
		}
	}
	return out, nil
}
