package studio

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	register(
		Entry{"draw_chain", "Draw a chain", "placement", false, func() Operation { return &DrawChain{} }},
		Entry{"insert_joints", "Insert joints", "placement", false, func() Operation { return &InsertJoints{Count: 1} }},
		Entry{"remove_joints", "Remove joints", "placement", false, func() Operation { return &RemoveJoints{} }},
		Entry{"reparent_joint", "Hang a joint elsewhere", "placement", false, func() Operation { return &ReparentJoint{} }},
		Entry{"duplicate_branch", "Duplicate a branch", "placement", false, func() Operation { return &DuplicateBranch{} }},
		Entry{"one_root", "Make one root", "placement", false, func() Operation { return &OneRoot{} }},
		Entry{"add_ends", "Add end joints", "placement", false, func() Operation { return &AddEnds{} }},
		Entry{"remove_ends", "Remove end joints", "placement", false, func() Operation { return &RemoveEnds{} }},
		Entry{"rename_joints", "Rename joints", "placement", false, func() Operation { return &RenameJoints{} }},
		Entry{"mark_sides", "Mark sides in names", "placement", false, func() Operation { return &MarkSides{Tolerance: 0.005} }},
		Entry{"name_sides", "Change the marks of sides", "placement", false, func() Operation { return &NameSides{} }},
		Entry{"make_other", "Make the other side", "placement", false, func() Operation { return &MakeOther{From: "left", Tolerance: 0.005} }},
	)
}

// withSkeleton returns the state with another skeleton. renamed are new names by
// old ones; removed are the joints that a removed one's weights go to, "" for
// none.
func (s State) withSkeleton(sk *skeleton.Skeleton, renamed, removed map[string]string) State {
	if s.Clips != nil && len(renamed)+len(removed) > 0 {
		before := s.Skeleton
		s.Clips = eachClip(s.Clips, func(c *pose.Clip) *pose.Clip { return c.Without(before, removed).Renamed(renamed) })
	}
	s.Skeleton = sk
	if s.Weights != nil && len(renamed)+len(removed) > 0 {
		s.Weights = s.Weights.Handed(renamed, removed)
	}
	if s.Bind != nil && len(renamed) > 0 {
		record := *s.Bind
		record.Skeleton = record.Skeleton.Clone()
		for k := range record.Skeleton.Joints {
			if n, ok := renamed[record.Skeleton.Joints[k].Name]; ok {
				record.Skeleton.Joints[k].Name = n
			}
		}
		record.Report.Joints = slices.Clone(record.Report.Joints)
		for k := range record.Report.Joints {
			if n, ok := renamed[record.Report.Joints[k].Name]; ok {
				record.Report.Joints[k].Name = n
			}
		}
		s.Bind = &record
	}
	return s.recounted()
}

// DrawChain hangs a chain from Parent, "" for a new root, at world places.
type DrawChain struct {
	Parent string       `json:"parent"`
	Name   string       `json:"name"` // "" is one made of the parent's
	Places [][3]float64 `json:"places"`
	End    bool         `json:"end"`
}

// Apply implements Operation.
func (o *DrawChain) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	sk, parent := s.Skeleton, -1
	if sk == nil {
		sk = &skeleton.Skeleton{}
	}
	if o.Parent != "" {
		i, err := sk.Find(o.Parent)
		if err != nil {
			return s, Outcome{}, wrong("%v", err)
		}
		parent = i
	}
	if len(o.Places) > 256 {
		return s, Outcome{}, wrong("a chain has at most 256 joints, not %d", len(o.Places))
	}
	var places []r3.Vec
	for _, p := range o.Places {
		places = append(places, r3.Vec{X: p[0], Y: p[1], Z: p[2]})
	}
	name := strings.TrimSpace(o.Name)
	if name == "" {
		name = "root"
		if parent >= 0 {
			stem, side := s.Settings.Marks.Split(sk.Joints[parent].Name)
			name = s.Settings.Marks.Join(stem+"_branch", side)
		}
	}
	out, names, err := sk.AddChain(parent, name, places, o.End, s.Settings.Marks)
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	before := len(sk.Joints)
	return s.withSkeleton(out, nil, nil), Outcome{Sentence: fmt.Sprintf("Drew a chain of %d joints: %s", len(names), said(names)), Before: fmt.Sprint(before), After: fmt.Sprint(len(out.Joints))}, nil
}

// InsertJoints divides the bones that end at joints.
type InsertJoints struct {
	Joints []string `json:"joints"`
	Count  int      `json:"count"`
}

// Apply implements Operation.
func (o *InsertJoints) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if _, err := joints(s, o.Joints); err != nil {
		return s, Outcome{}, err
	}
	out := s.Skeleton
	var all []string
	for _, n := range o.Joints { // numbers change, names do not
		next, names, err := out.Insert(out.Index(n), o.Count, s.Settings.Marks)
		if err != nil {
			return s, Outcome{}, wrong("%v", err)
		}
		out = next
		all = append(all, names...)
	}
	before := len(s.Skeleton.Joints)
	return s.withSkeleton(out, nil, nil), Outcome{Sentence: fmt.Sprintf("Inserted %s", said(all)), Before: fmt.Sprint(before), After: fmt.Sprint(len(out.Joints))}, nil
}

// RemoveJoints takes joints out; their children go to the parent and keep their
// places, their weights too.
type RemoveJoints struct {
	Joints []string `json:"joints"`
}

// Apply implements Operation.
func (o *RemoveJoints) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	which, err := joints(s, o.Joints)
	if err != nil {
		return s, Outcome{}, err
	}
	out, told, err := s.Skeleton.Remove(which)
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	removed := map[string]string{}
	var say []string
	for _, r := range told {
		removed[r.Joint] = r.Parent
		switch {
		case len(r.Children) == 0:
			say = append(say, r.Joint)
		case r.Parent == "":
			say = append(say, fmt.Sprintf("%s (%s hang from none now)", r.Joint, said(r.Children)))
		default:
			say = append(say, fmt.Sprintf("%s (%s went to %s)", r.Joint, said(r.Children), r.Parent))
		}
	}
	sentence := "Removed " + strings.Join(say[:min(3, len(say))], ", ")
	if len(say) > 3 {
		sentence += fmt.Sprintf(" and %d more", len(say)-3)
	}
	return s.withSkeleton(out, nil, removed), Outcome{Sentence: sentence, Before: fmt.Sprint(len(s.Skeleton.Joints)), After: fmt.Sprint(len(out.Joints))}, nil
}

// ReparentJoint hangs a joint from another, "" for none; places stay.
type ReparentJoint struct {
	Joints []string `json:"joints"`
	Parent string   `json:"parent"`
}

// Apply implements Operation.
func (o *ReparentJoint) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	which, err := joints(s, o.Joints)
	if err != nil {
		return s, Outcome{}, err
	}
	if o.Parent != "" {
		if _, err := s.Skeleton.Find(o.Parent); err != nil {
			return s, Outcome{}, wrong("%v", err)
		}
	}
	out := s.Skeleton
	var before []string
	for k, name := range o.Joints { // by name: numbers change as joints hang elsewhere
		was := "none"
		if p := s.Skeleton.Joints[which[k]].Parent; p >= 0 {
			was = s.Skeleton.Joints[p].Name
		}
		if !slices.Contains(before, was) {
			before = append(before, was)
		}
		if out, err = out.Reparent(out.Index(name), out.Index(o.Parent)); err != nil {
			return s, Outcome{}, wrong("%v", err)
		}
	}
	after, hang := cmp.Or(o.Parent, "none"), "hangs"
	place := "its place is kept"
	if len(o.Joints) > 1 {
		hang, place = "hang", "their places are kept"
	}
	return s.withSkeleton(out, nil, nil), Outcome{Sentence: fmt.Sprintf("%s %s from %s now, not from %s; %s", said(o.Joints), hang, after, said(before), place), Before: said(before), After: after}, nil
}

// DuplicateBranch copies a joint with what hangs from it, moved by By.
type DuplicateBranch struct {
	Joint string     `json:"joint"`
	By    [3]float64 `json:"by"`
}

// Apply implements Operation.
func (o *DuplicateBranch) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	which, err := joints(s, []string{o.Joint})
	if err != nil {
		return s, Outcome{}, err
	}
	by := r3.Vec{X: o.By[0], Y: o.By[1], Z: o.By[2]}
	if !geom.Finite(by) {
		return s, Outcome{}, wrong("%v is no way to move the copy", o.By)
	}
	out, names := s.Skeleton.Duplicate(which[0], by, s.Settings.Marks)
	return s.withSkeleton(out, nil, nil), Outcome{Sentence: fmt.Sprintf("Duplicated %s as %s", o.Joint, said(names)), Before: fmt.Sprint(len(s.Skeleton.Joints)), After: fmt.Sprint(len(out.Joints))}, nil
}

// OneRoot hangs all other roots from a joint.
type OneRoot struct {
	Joint string `json:"joint"`
}

// Apply implements Operation.
func (o *OneRoot) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	which, err := joints(s, []string{o.Joint})
	if err != nil {
		return s, Outcome{}, err
	}
	out, n, err := s.Skeleton.OneRoot(which[0])
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	if n == 0 {
		return s, Outcome{}, wrong("%s is the only root already", o.Joint)
	}
	return s.withSkeleton(out, nil, nil), Outcome{Sentence: fmt.Sprintf("Hung %d other roots from %s", n, o.Joint), Before: fmt.Sprint(n + 1), After: "1"}, nil
}

// AddEnds gives last joints end joints; no name means all of them.
type AddEnds struct {
	Joints []string `json:"joints,omitempty"`
}

// Apply implements Operation.
func (o *AddEnds) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needSkeleton(s); err != nil {
		return s, Outcome{}, err
	}
	var which []int
	for i, j := range s.Skeleton.Joints {
		if o.Joints == nil || slices.Contains(o.Joints, j.Name) {
			which = append(which, i)
		}
	}
	out, names := s.Skeleton.AddEnds(which, s.Settings.Marks)
	if len(names) == 0 {
		return s, Outcome{}, wrong("every chosen chain has its end joint already")
	}
	return s.withSkeleton(out, nil, nil), Outcome{Sentence: fmt.Sprintf("Added %s", said(names)), Before: fmt.Sprint(len(s.Skeleton.Joints)), After: fmt.Sprint(len(out.Joints))}, nil
}

// RemoveEnds takes all end joints away.
type RemoveEnds struct{}

// Apply implements Operation.
func (o *RemoveEnds) Apply(ctx context.Context, s State, p Progress) (State, Outcome, error) {
	if err := needSkeleton(s); err != nil {
		return s, Outcome{}, err
	}
	children := s.Skeleton.Children()
	var names []string
	for i, j := range s.Skeleton.Joints {
		if len(children[i]) == 0 && skeleton.IsEnd(j.Name, s.Settings.Marks) {
			names = append(names, j.Name)
		}
	}
	if names == nil {
		return s, Outcome{}, wrong("there is no end joint to remove")
	}
	return (&RemoveJoints{Joints: names}).Apply(ctx, s, p)
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
func (o *RenameJoints) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needSkeleton(s); err != nil {
		return s, Outcome{}, err
	}
	names := o.Names
	if names == nil {
		list := o.Joints
		if len(list) == 0 {
			for _, j := range s.Skeleton.Joints {
				list = append(list, j.Name)
			}
		}
		which, err := joints(s, list)
		if err != nil {
			return s, Outcome{}, err
		}
		if o.Pattern != "" {
			names, err = s.Skeleton.Pattern(which, o.Pattern, s.Settings.Marks)
		} else {
			names, err = s.Skeleton.Replace(which, o.Search, o.With)
		}
		if err != nil {
			return s, Outcome{}, wrong("%v", err)
		}
	}
	if len(names) == 0 {
		return s, Outcome{}, wrong("no name would change")
	}
	out, err := s.Skeleton.RenameMany(names)
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	var say []string
	for _, j := range s.Skeleton.Joints {
		if n, ok := names[j.Name]; ok && n != j.Name {
			say = append(say, j.Name+" to "+n)
		}
	}
	return s.withSkeleton(out, names, nil), Outcome{Sentence: "Renamed " + said(say)}, nil
}

// MarkSides marks joints off the middle plane by their side.
type MarkSides struct {
	Tolerance float64 `json:"tolerance"` // metres from the plane that count as middle
}

// Apply implements Operation.
func (o *MarkSides) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needSkeleton(s); err != nil {
		return s, Outcome{}, err
	}
	if !(o.Tolerance >= 0) {
		return s, Outcome{}, wrong("the tolerance must be a length, not %g", o.Tolerance)
	}
	out, renamed, err := s.Skeleton.MarkSides(o.Tolerance, s.Settings.Marks)
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	if len(renamed) == 0 {
		return s, Outcome{}, wrong("every name marks its side already")
	}
	return s.withSkeleton(out, renamed, nil), Outcome{Sentence: fmt.Sprintf("Marked the sides of %d joints", len(renamed)), Before: fmt.Sprint(len(renamed)), After: "0"}, nil
}

// NameSides changes how the names of a character mark sides, and the names.
type NameSides struct {
	skeleton.Marks
}

// Apply implements Operation.
func (o *NameSides) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := o.Check(); err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	before := s.Settings.Marks
	s.Settings.Marks = o.Marks
	told := Outcome{Sentence: fmt.Sprintf("Sides are marked %s and %s", o.Join("…", skeleton.Left), o.Join("…", skeleton.Right)), Before: before.Left + " " + before.Right, After: o.Left + " " + o.Right}
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
		return s, Outcome{}, wrong("%v", err)
	}
	return s.withSkeleton(out, names, nil), told, nil
}

// MakeOther makes one side from the other.
type MakeOther struct {
	From      string  `json:"from"` // "left" or "right"
	Tolerance float64 `json:"tolerance"`
}

// Apply implements Operation.
func (o *MakeOther) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needSkeleton(s); err != nil {
		return s, Outcome{}, err
	}
	side, ok := map[string]skeleton.Side{"left": skeleton.Left, "right": skeleton.Right}[o.From]
	if !ok || !(o.Tolerance >= 0) {
		return s, Outcome{}, wrong("mirror from \"left\" or \"right\" with a tolerance in metres, not %q and %g", o.From, o.Tolerance)
	}
	out, m, err := s.Skeleton.MakeOther(side, o.Tolerance, s.Settings.Convention, s.Settings.Marks)
	if err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	if err := s.Skeleton.Held(out); err != nil {
		return s, Outcome{}, wrong("%v", err)
	}
	told := Outcome{Sentence: fmt.Sprintf("Made the other side from the %s: %d updated, %d new", o.From, len(m.Updated), len(m.Made)), Before: fmt.Sprint(len(s.Skeleton.Joints)), After: fmt.Sprint(len(out.Joints))}
	for what, list := range map[string][]string{"new": m.Made, "updated": m.Updated, "drawn into the middle": m.Centred} {
		if len(list) > 0 {
			told.Steps = append(told.Steps, what+": "+strings.Join(list, ", "))
		}
	}
	slices.Sort(told.Steps)
	told.Left = m.Left
	return s.withSkeleton(out, nil, nil), told, nil
}
