package studio

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"slices"

	"wisemarrow/core/bind"
	"wisemarrow/core/fit"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"
	"wisemarrow/formats"
	"wisemarrow/formats/gltf"
)

func init() {
	register(Entry{"take_delivery", "Take a newer delivery", "intake", false, func() Operation { return &TakeDelivery{} }})
}

// TakeDelivery replaces the mesh of a character by a newer file of it and keeps
// what can be kept: the skeleton, settings, the marks of parts by name, and the
// weights, by vertex number where faces and order are the same, else from the
// nearest place on the earlier surface.
type TakeDelivery struct {
	File     string   `json:"file"`
	Repeated []string `json:"repeated,omitempty"` // operations done to it as to the earlier one
	given    *State
}

// Apply implements Operation.
func (o *TakeDelivery) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	if o.given == nil {
		return s, Outcome{}, wrong("a newer delivery is taken by bringing its file: drop it on the intake of the character")
	}
	change := mesh.Compare(s.Mesh, o.given.Mesh)
	next := s
	m := *o.given.Mesh
	m.Parts = slices.Clone(m.Parts)
	for i := range m.Parts {
		if k, err := s.Mesh.FindPart(m.Parts[i].Name); err == nil {
			m.Parts[i].Hidden, m.Parts[i].Out = s.Mesh.Parts[k].Hidden, s.Mesh.Parts[k].Out
		}
	}
	next.Mesh, next.Look = &m, o.given.Look
	next.Settings.Source, next.Settings.Notes, next.Settings.Joined = o.File, o.given.Settings.Notes, o.given.Settings.Joined
	said := changeSaid(change)
	if s.Skeleton != nil && change.Same() && change.Moved > 0 {
		next.Skeleton = fit.Follow(s.Skeleton, s.Mesh.World(), m.World())
		said += "; joints followed the surface"
	}
	if s.Weights != nil {
		if change.Same() {
			said += "; weights kept"
		} else {
			l := weights.Limits{Cap: bind.DefaultOptions.Cap, Trace: bind.DefaultOptions.Trace}
			if s.Bind != nil {
				l = weights.Limits{Cap: s.Bind.Options.Influences, Trace: s.Bind.Options.Trace}
			}
			w, err := bind.CarryOver(s.Mesh, s.Weights, &m, l)
			if err != nil {
				return s, Outcome{}, wrong("%v", err)
			}
			if _, out := m.Bindable(); out != nil {
				for v, yes := range out {
					if yes {
						w.Of[v] = nil
					}
				}
			}
			next.Weights = w
			said += "; weights carried over from the earlier surface"
		}
	}
	return next.recounted(), Outcome{Sentence: "Took the newer delivery " + o.File + ": " + said,
		Before: fmt.Sprint(change.Before), After: fmt.Sprint(change.After)}, nil
}

// changeSaid puts a change into words.
func changeSaid(c mesh.Change) string {
	switch {
	case c.Same() && c.Moved == 0:
		return fmt.Sprintf("the same %d vertices in the same places", c.Before)
	case c.Same():
		return fmt.Sprintf("the same faces and order, %d of %d vertices moved, the farthest by %.1f cm", c.Moved, c.Before, 100*c.Farthest.By)
	case c.Before == c.After:
		return fmt.Sprintf("as many vertices (%d), but other faces or another order", c.Before)
	default:
		return fmt.Sprintf("%d vertices became %d, so faces and order are others", c.Before, c.After)
	}
}

// Delivery is how a newer file compares to what a character has.
type Delivery struct {
	File     string      `json:"file"`
	Change   mesh.Change `json:"change"`
	Said     string      `json:"said"`
	Repeated []string    `json:"repeated"` // labels of the repairs that were repeated on it
	Skipped  []string    `json:"skipped"`  // what could not be repeated, and why
	Weights  string      `json:"weights"`  // kept, carried or none
	Revision *Revision   `json:"revision,omitempty"`
}

// Deliver compares a newer file of a character with its head: the repairs that
// brought the character here are repeated on the file first. With take the
// result becomes a revision; without, nothing is changed.
func (x *Studio) Deliver(ctx context.Context, character string, base int64, file string, r io.Reader, resolve gltf.Resolver, take bool, author string) (Delivery, error) {
	d := Delivery{File: file, Repeated: []string{}, Skipped: []string{}}
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return d, err
	}
	if c.Head != base {
		return d, ErrStale{c.Head}
	}
	scene, err := formats.Decode(file, r, resolve, x.limits)
	if err != nil {
		return d, ErrInput{err.Error()}
	}
	if scene.Mesh == nil {
		return d, wrong("%s holds no mesh", file)
	}
	s := StateOf(scene, file)
	s.Skeleton, s.Weights = nil, nil
	repairs, err := x.repairs(ctx, character, base)
	if err != nil {
		return d, err
	}
	for _, rev := range repairs {
		entry, op, err := ParseOperation(rev.Op, rev.Params)
		if err == nil {
			var next State
			if next, _, err = op.Apply(ctx, s, func(string, float64) {}); err == nil {
				s = next
				d.Repeated = append(d.Repeated, entry.Label)
				continue
			}
		}
		d.Skipped = append(d.Skipped, fmt.Sprintf("%s: %v", entry.Label, err))
	}
	rev, err := x.store.Revision(ctx, base)
	if err != nil {
		return d, err
	}
	before, err := x.Load(ctx, rev)
	if err != nil {
		return d, err
	}
	if before.Mesh == nil {
		return d, wrong("the character has no mesh yet that %s could replace", file)
	}
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
	if !take {
		return d, nil
	}
	op := &TakeDelivery{File: file, Repeated: d.Repeated, given: &s}
	params, err := json.Marshal(op)
	if err != nil {
		return d, err
	}
	done, err := x.apply(ctx, character, base, "take_delivery", params, op, author, nil, nil)
	if err != nil {
		return d, err
	}
	d.Revision = &done
	return d, nil
}

// repairs returns the revisions of the intake that lead to base, oldest first.
func (x *Studio) repairs(ctx context.Context, character string, base int64) ([]Revision, error) {
	list, err := x.store.History(ctx, character)
	if err != nil {
		return nil, err
	}
	by := map[int64]Revision{}
	for _, r := range list {
		by[r.ID] = r
	}
	var out []Revision
	for id := base; id != 0; {
		r, ok := by[id]
		if !ok {
			break
		}
		if e, known := registry[r.Op]; known && e.Stage == "intake" && r.Op != "take_delivery" && r.Op != "set_kind" {
			out = append(out, r)
		}
		id = r.Parent
	}
	slices.Reverse(out)
	return out, nil
}
