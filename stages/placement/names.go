package placement

import (
	"context"
	"fmt"

	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "rename_joint",
			Label: "Rename a joint",
			Stage: "placement",
			Words: "name label",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &RenameJoint{} },
		},
		studio.Entry{
			Name:  "rename_joints",
			Label: "Rename joints by a pattern",
			Stage: "placement",
			Words: "name number search replace prefix suffix",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &RenameJoints{} },
		},
		studio.Entry{
			Name:  "mark_sides",
			Label: "Add side marks to names",
			Stage: "placement",
			Words: "left right suffix _l _r",
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &MarkSides{Tolerance: 0.005} },
		},
		studio.Entry{
			Name:  "name_sides",
			Label: "Change the side marks",
			Stage: "placement",
			Words: "left right suffix prefix convention",
			From:  studio.FromForm,
			New:   func() studio.Operation { return &NameSides{} },
		},
	)
}

// RenameJoint gives a joint another name; weights go with it.
type RenameJoint struct {
	Joint string `json:"joint"`
	Name  string `json:"name"`
}

// Apply implements Operation.
func (o *RenameJoint) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	i, err := s.Skeleton.Find(o.Joint)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	renamed, err := s.Skeleton.Rename(i, o.Name)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	s = s.WithSkeleton(renamed, map[string]string{o.Joint: o.Name}, nil)
	return s, studio.Outcome{Sentence: fmt.Sprintf("Renamed %s to %s", o.Joint, o.Name), Before: o.Joint, After: o.Name}, nil
}

// RenameJoints renames many joints at once: by Names (new by old), or Joints by a
// Pattern (# counts, * is the name as it is), or Joints by Search and With.
type RenameJoints struct {
	Names   map[string]string `json:"names,omitempty"`
	Joints  []string          `json:"joints,omitempty"`
	Pattern string            `json:"pattern,omitempty"`
	Search  string            `json:"search,omitempty"`
	With    string            `json:"with,omitempty"`
}

// Apply implements Operation.
func (o *RenameJoints) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	names := o.Names
	if names == nil {
		list := o.Joints
		if len(list) == 0 {
			for _, j := range s.Skeleton.Joints {
				list = append(list, j.Name)
			}
		}
		which, err := s.JointsNamed(list)
		if err != nil {
			return s, studio.Outcome{}, err
		}
		if o.Pattern != "" {
			names, err = s.Skeleton.Pattern(which, o.Pattern, s.Settings.Marks)
		} else {
			names, err = s.Skeleton.Replace(which, o.Search, o.With)
		}
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
	}
	if len(names) == 0 {
		return s, studio.Outcome{}, studio.Wrong("no name matches: nothing to rename")
	}
	out, err := s.Skeleton.RenameMany(names)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	var say []string
	for _, j := range s.Skeleton.Joints {
		if n, ok := names[j.Name]; ok && n != j.Name {
			say = append(say, j.Name+" to "+n)
		}
	}
	return s.WithSkeleton(out, names, nil), studio.Outcome{Sentence: "Renamed " + studio.Said(say)}, nil
}

// MarkSides marks joints off the middle plane by their side.
type MarkSides struct {
	Tolerance float64 `json:"tolerance" as:"Tolerance" in:"0..1e6" unit:"m"` // metres from the plane that count as middle
}

// Apply implements Operation.
func (o *MarkSides) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	out, renamed, err := s.Skeleton.MarkSides(o.Tolerance, s.Settings.Marks)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	if len(renamed) == 0 {
		return s, studio.Outcome{}, studio.Wrong("every name already marks its side")
	}
	return s.WithSkeleton(out, renamed, nil), studio.Outcome{
		Sentence: "Marked the sides of " + wording.Count(len(renamed), "joint", "joints"),
		Before:   fmt.Sprint(len(renamed)),
		After:    "0",
	}, nil
}

// NameSides changes how the names of a character mark sides, and the names.
type NameSides struct {
	skeleton.Marks
}

// Apply implements Operation.
func (o *NameSides) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if err := o.Check(); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	before := s.Settings.Marks
	s.Settings.Marks = o.Marks
	told := studio.Outcome{
		Sentence: fmt.Sprintf("Side marks are %s and %s", o.Join("…", skeleton.Left), o.Join("…", skeleton.Right)),
		Before:   before.Left + " " + before.Right,
		After:    o.Left + " " + o.Right,
	}
	if s.Skeleton == nil {
		return s, told, nil
	}
	names := map[string]string{}
	for _, j := range s.Skeleton.Joints {
		if to := before.Translate(j.Name, o.Marks); to != j.Name {
			names[j.Name] = to
		}
	}
	out, err := s.Skeleton.RenameMany(names)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	return s.WithSkeleton(out, names, nil), told, nil
}
