package handoff

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/compare"
	"wisemarrow/core/geom"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.Register(studio.Entry{
		Name:  "restore",
		Label: "Restore from a version",
		Stage: "handoff",
		Words: "revert version revision earlier bring back branch compare",
		From:  studio.FromForm,
		New:   func() studio.Operation { return &Restore{What: "all"} },
	})
}

// Restore brings back what a character was at an earlier revision, or a part of it. It is a change like any other: later work stays
// in the history, and undo takes it back.
type Restore struct {
	Revision studio.At `json:"revision" of:"whole" as:"Revision"`
	What     string    `json:"what" as:"What" one:"all=everything,skeleton=places of joints,axes=axes of joints,weights=weights"`
	Joints   []string  `json:"joints,omitempty" help:"these alone; default all"`
}

// Revisions implements studio.Reviser.
func (o *Restore) Revisions() []*studio.At { return []*studio.At{&o.Revision} }

// Apply implements studio.Operation.
func (o *Restore) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	old, err := o.Revision.State()
	if err != nil {
		return fail(err)
	}
	next := s
	switch o.What {
	case "all":
		if len(o.Joints) > 0 {
			return fail(studio.Wrong("everything is restored as a whole: choose axes, weights or places for some joints"))
		}
		next = *old
	case "weights":
		next, err = o.weights(s, old)
	default:
		next, err = o.joints(s, old)
	}
	if err != nil {
		return fail(err)
	}
	r := compare.Compare(SideOf(&s), SideOf(&next))
	if o.What != "all" && r.Same() {
		return fail(studio.Nothing("revision %d has the same: nothing to restore", o.Revision.Revision))
	}
	what := map[string]string{"all": "everything", "skeleton": "the places of joints", "axes": "the axes", "weights": "the weights"}[o.What]
	if len(o.Joints) > 0 {
		what += " of " + studio.Said(o.Joints)
	}
	return next, studio.Outcome{
		Sentence: fmt.Sprintf("Restored %s from revision %d: %s", what, o.Revision.Revision, Said(r)[0]),
		Before:   fmt.Sprint(len(r.Joints)), After: "0", Steps: Said(r),
	}, nil
}

// weights takes those of the earlier revision, at the same vertices.
func (o *Restore) weights(s studio.State, old *studio.State) (studio.State, error) {
	if old.Weights == nil {
		return s, studio.Wrong("revision %d has no weights", o.Revision.Revision)
	}
	if s.Mesh == nil || s.Skeleton == nil || len(old.Weights.Of) != len(s.Mesh.Points) {
		return s, studio.Wrong("revision %d has weights for %s, and the mesh has others: carry them over at Bind",
			o.Revision.Revision, wording.Count(len(old.Weights.Of), "vertex", "vertices"))
	}
	for _, name := range old.Weights.Joints {
		if s.Skeleton.Index(name) < 0 && (len(o.Joints) == 0 || slices.Contains(o.Joints, name)) {
			return s, studio.Wrong("revision %d has weights of %s, which is not there any more", o.Revision.Revision, name)
		}
	}
	if len(o.Joints) == 0 || s.Weights == nil {
		s.Weights, s.Bind = old.Weights, old.Bind
		return s.Recounted(), nil
	}
	if _, err := s.JointsNamed(o.Joints); err != nil {
		return s, err
	}
	var limits weights.Limits
	if s.Bind != nil {
		limits = s.Bind.Limits
		if old.Bind != nil {
			limits.Cap = max(limits.Cap, old.Bind.Limits.Cap)
		}
	}
	s.Weights = weights.Merged(s.Mesh, s.Weights, old.Weights, o.Joints, limits)
	return s.Recounted(), nil
}

// joints takes places or axes of joints that both have.
func (o *Restore) joints(s studio.State, old *studio.State) (studio.State, error) {
	if s.Skeleton == nil || old.Skeleton == nil {
		return s, studio.Wrong("revision %d and the character now do not both have a skeleton: restore everything", o.Revision.Revision)
	}
	which := make([]int, 0, len(s.Skeleton.Joints))
	if len(o.Joints) > 0 {
		list, err := s.JointsNamed(o.Joints)
		if err != nil {
			return s, err
		}
		which = list
	} else {
		for i := range s.Skeleton.Joints {
			which = append(which, i)
		}
	}
	sk := s.Skeleton.Clone()
	found := 0
	for _, i := range which {
		k := old.Skeleton.Index(sk.Joints[i].Name)
		if k < 0 {
			continue
		}
		found++
		if o.What == "axes" {
			sk.Joints[i].Rot = geom.Normalise(old.Skeleton.Joints[k].Rot)
		} else {
			sk.Joints[i].Pos = old.Skeleton.Joints[k].Pos
		}
	}
	if found == 0 {
		return s, studio.Wrong("revision %d has none of those joints", o.Revision.Revision)
	}
	if o.What == "axes" {
		return s.WithAxes(sk), nil
	}
	return s.WithMoved(sk) // which refuses where a locked joint would move
}
