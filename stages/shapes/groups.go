package shapes

import (
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
			Name:  "group_targets",
			Label: "Group shape targets",
			Stage: "shapes",
			Words: "folder organize collect move",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &GroupTargets{} },
		},
		studio.Entry{
			Name:  "set_group",
			Label: "Set a group of shape targets",
			Stage: "shapes",
			Words: "multiplier mute nest strength",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &SetGroup{Times: 1} },
		},
		studio.Entry{
			Name:  "drop_group",
			Label: "Dissolve a group of shape targets",
			Stage: "shapes",
			Words: "remove folder separate",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &DropGroup{} },
		},
		studio.Entry{
			Name:  "solo_targets",
			Label: "Solo shape targets",
			Stage: "shapes",
			Words: "isolate only alone",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &SoloTargets{Solo: true} },
		},
	)
}

// GroupTargets moves targets to a group, a new one if there is none of that name, or out of theirs.
type GroupTargets struct {
	Targets []string `json:"targets" as:"Shape targets"`
	Group   string   `json:"group" as:"Group" help:"none takes them out of theirs"`
}

// Apply implements studio.Operation.
func (o *GroupTargets) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	at, err := targetsNamed(&s, o.Targets)
	if err != nil {
		return fail(err)
	}
	rig := s.Rig()
	if o.Group != "" && rig.FindGroup(o.Group) < 0 {
		if err := studio.CheckName("a group of shape targets", o.Group); err != nil {
			return fail(err)
		}
		rig.Groups = append(rig.Groups, shape.Group{Name: o.Group, Times: 1})
	}
	moved := 0
	for _, k := range at {
		if rig.Targets[k].Group != o.Group {
			rig.Targets[k].Group = o.Group
			moved++
		}
	}
	if moved == 0 {
		return fail(studio.Nothing("they are there already"))
	}
	sentence := fmt.Sprintf("Moved %s to the group %s", said(o.Targets), o.Group)
	if o.Group == "" {
		sentence = fmt.Sprintf("Took %s out of their groups", said(o.Targets))
	}
	s, err = withTargets(s, s.Mesh.Shapes, rig)
	return s, studio.Outcome{Sentence: sentence}, err
}

// SetGroup sets what a group makes of its targets, and what it is in.
type SetGroup struct {
	Group string  `json:"group" as:"Group"`
	Times float64 `json:"times" as:"Multiplier" in:"-10..10"`
	Muted bool    `json:"muted,omitempty" as:"Muted"`
	Solo  bool    `json:"solo,omitempty" as:"Solo" help:"everything else is silent"`
	In    string  `json:"in,omitempty" as:"In the group" help:"none: at the top"`
}

// Apply implements studio.Operation.
func (o *SetGroup) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	rig := s.Rig()
	k, err := groupNamed(rig, o.Group)
	if err == nil && o.In != "" {
		_, err = groupNamed(rig, o.In)
	}
	if err != nil {
		return fail(err)
	}
	next := shape.Group{Name: o.Group, In: o.In, Times: o.Times, Muted: o.Muted, Solo: o.Solo}
	if rig.Groups[k] == next {
		return fail(studio.Nothing("the group is set that way already"))
	}
	was := rig.Groups[k].Times
	rig.Groups[k] = next
	s, err = withTargets(s, s.Mesh.Shapes, rig)
	return s, studio.Outcome{
		Before: fmt.Sprintf("× %g", was), After: fmt.Sprintf("× %g", o.Times), Sentence: "Set the group " + o.Group,
	}, err
}

func groupNamed(rig *shape.Rig, name string) (int, error) {
	if k := rig.FindGroup(name); k >= 0 {
		return k, nil
	}
	return 0, studio.Wrong("there is no group %q of shape targets", name)
}

// DropGroup dissolves a group: what is in it is in the group that it was in.
type DropGroup struct {
	Group string `json:"group" as:"Group"`
}

// Apply implements studio.Operation.
func (o *DropGroup) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	rig := s.Rig()
	k, err := groupNamed(rig, o.Group)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	in, n := rig.Groups[k].In, 0
	rig.Groups = slices.Delete(rig.Groups, k, k+1)
	for i := range rig.Groups {
		if rig.Groups[i].In == o.Group {
			rig.Groups[i].In = in
		}
	}
	for i := range rig.Targets {
		if rig.Targets[i].Group == o.Group {
			rig.Targets[i].Group = in
			n++
		}
	}
	s, err = withTargets(s, s.Mesh.Shapes, rig)
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Dissolved the group %s of %s", o.Group, wording.Count(n, "shape target", "shape targets")),
	}, err
}

// SoloTargets lets only some targets be heard, or ends that.
type SoloTargets struct {
	Targets []string `json:"targets" as:"Shape targets"`
	Solo    bool     `json:"solo" as:"Solo"`
}

// Apply implements studio.Operation.
func (o *SoloTargets) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	return switched(s, o.Targets, map[bool]string{true: "Soloed", false: "Ended the solo of"}[o.Solo], o.Solo,
		func(t *shape.Target) *bool { return &t.Solo })
}
