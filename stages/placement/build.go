package placement

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "draw_chain",
			Label: "Draw a chain",
			Stage: "placement",
			Words: "create new joints bones add extend",
			Key:   "I",
			From:  studio.FromForm,
			New:   func() studio.Operation { return &DrawChain{} },
		},
		studio.Entry{
			Name:  "insert_joints",
			Label: "Insert joints",
			Stage: "placement",
			Words: "split subdivide bone add",
			From:  studio.FromJoints,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &InsertJoints{Count: 1} },
		},
		studio.Entry{
			Name:  "remove_joints",
			Label: "Remove selected joints",
			Stage: "placement",
			Words: "delete dissolve bones",
			Key:   "delete",
			From:  studio.FromJoints,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &RemoveJoints{} },
		},
		studio.Entry{
			Name:  "reparent_joint",
			Label: "Reparent joints",
			Stage: "placement",
			Words: "parent reparent hierarchy attach unparent",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &ReparentJoint{} },
		},
		studio.Entry{
			Name:  "duplicate_branch",
			Label: "Duplicate a branch",
			Stage: "placement",
			Words: "copy clone chain",
			From:  studio.FromJoint,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &DuplicateBranch{By: studio.Place{0.05, 0, 0}} },
		},
		studio.Entry{
			Name:  "one_root",
			Label: "Join under one root",
			Stage: "placement",
			Words: "join skeletons single hierarchy parent",
			From:  studio.FromJoint,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &OneRoot{} },
		},
		studio.Entry{
			Name:  "add_ends",
			Label: "Add end joints",
			Stage: "placement",
			Words: "tip leaf terminal",
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &AddEnds{} },
		},
		studio.Entry{
			Name:  "remove_ends",
			Label: "Remove end joints",
			Stage: "placement",
			Words: "delete tip leaf terminal",
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &RemoveEnds{} },
		},
		studio.Entry{
			Name:  "make_other",
			Label: "Mirror the skeleton",
			Stage: "placement",
			Words: "mirror symmetry right left duplicate",
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &MakeOther{From: "left", Tolerance: 0.005} },
		},
	)
}

// DrawChain hangs a chain from Parent, "" for a new root, at world places.
type DrawChain struct {
	Parent string         `json:"parent"`
	Name   string         `json:"name"` // "" is one made of the parent's
	Places []studio.Place `json:"places"`
	End    bool           `json:"end"`
}

// Apply implements Operation.
func (o *DrawChain) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	sk, parent := s.Skeleton, -1
	if sk == nil {
		sk = &skeleton.Skeleton{}
	}
	if o.Parent != "" {
		i, err := sk.Find(o.Parent)
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		parent = i
	}
	if len(o.Places) > 256 {
		return s, studio.Outcome{}, studio.Wrong("a chain has at most 256 joints, not %d", len(o.Places))
	}
	places, err := studio.Vecs(o.Places)
	if err != nil {
		return s, studio.Outcome{}, err
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
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	before := len(sk.Joints)
	return s.WithSkeleton(out, nil, nil), studio.Outcome{
		Sentence: fmt.Sprintf("Drew a chain of %d joints: %s", len(names), studio.Said(names)),
		Before:   fmt.Sprint(before),
		After:    fmt.Sprint(len(out.Joints)),
	}, nil
}

// InsertJoints divides the bones that end at joints. With Inside the new joints are brought into
// the middle of the limb, where there is volume nearer to the bone than a third of its length.
type InsertJoints struct {
	Joints []string `json:"joints"`
	Count  int      `json:"count" as:"Count" in:"1..256" help:"in each bone"`
	Inside bool     `json:"inside,omitempty" help:"in the middle of the volume"`
}

// Apply implements Operation.
func (o *InsertJoints) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if _, err := s.JointsNamed(o.Joints); err != nil {
		return s, studio.Outcome{}, err
	}
	out := s.Skeleton
	var all []string
	if n := len(s.Skeleton.Joints) + len(o.Joints)*o.Count; o.Count > studio.MaxJoints || n > studio.MaxJoints {
		return s, studio.Outcome{}, studio.Wrong("that would make %d joints; %d are allowed", n, studio.MaxJoints)
	}
	for _, n := range o.Joints { // numbers change, names do not
		next, names, err := out.Insert(out.Index(n), o.Count, s.Settings.Marks)
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		out = next
		all = append(all, names...)
		if o.Inside && s.Mesh != nil {
			brought := bringInside(out, names, s.Mesh.Surface())
			if brought == 0 {
				return s, studio.Outcome{}, studio.Wrong(
					"the bone to %s crosses a gap: no volume beside it for a new joint; move its ends",
					n,
				)
			}
		}
	}
	before := len(s.Skeleton.Joints)
	return s.WithSkeleton(out, nil, nil), studio.Outcome{
		Sentence: fmt.Sprintf("Inserted %s", studio.Said(all)),
		Before:   fmt.Sprint(before),
		After:    fmt.Sprint(len(out.Joints)),
	}, nil
}

// bringInside moves joints that were just made into the middle of the limb, and returns how many
// are in the volume then.
func bringInside(s *skeleton.Skeleton, names []string, surface *mesh.Surface) (n int) {
	first := s.Joints[s.Index(names[0])]
	whole := float64(len(names)+1) * r3.Norm(r3.Sub(first.Pos, s.Joints[first.Parent].Pos))
	for _, name := range names {
		i := s.Index(name)
		at := s.Joints[i].Pos
		to, ok := skeleton.CentreAcross(surface.Tree, at, s.Along(i), surface.Diagonal)
		if ok && r3.Norm(r3.Sub(to, at)) <= whole/3 {
			s.Joints[i].Pos = to
			n++
		}
	}
	return n
}

// RemoveJoints takes joints out; their children go to the parent and keep their
// places, their weights too.
type RemoveJoints struct {
	Joints []string `json:"joints"`
}

// Apply implements Operation.
func (o *RemoveJoints) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed(o.Joints)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	out, told, err := s.Skeleton.Remove(which)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	removed := map[string]string{}
	var say []string
	for _, r := range told {
		removed[r.Joint] = r.Parent
		switch {
		case len(r.Children) == 0:
			say = append(say, r.Joint)
		case r.Parent == "":
			say = append(say, fmt.Sprintf("%s (%s now have no parent)", r.Joint, studio.Said(r.Children)))
		default:
			say = append(say, fmt.Sprintf("%s (%s went to %s)", r.Joint, studio.Said(r.Children), r.Parent))
		}
	}
	sentence := "Removed " + strings.Join(say[:min(3, len(say))], ", ")
	if len(say) > 3 {
		sentence += fmt.Sprintf(" and %d more", len(say)-3)
	}
	return s.WithSkeleton(out, nil, removed), studio.Outcome{
		Sentence: sentence,
		Before:   fmt.Sprint(len(s.Skeleton.Joints)),
		After:    fmt.Sprint(len(out.Joints)),
	}, nil
}

// ReparentJoint hangs a joint from another, "" for none; places stay.
type ReparentJoint struct {
	Joints []string `json:"joints"`
	Parent string   `json:"parent"`
}

// Apply implements Operation.
func (o *ReparentJoint) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed(o.Joints)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if o.Parent != "" {
		if _, err := s.Skeleton.Find(o.Parent); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
	}
	out := s.Skeleton
	var before []string
	names := make([]string, len(which)) // each once, whatever was asked for
	for k, i := range which {           // by name: numbers change as joints hang elsewhere
		was, name := "none", s.Skeleton.Joints[i].Name
		names[k] = name
		if p := s.Skeleton.Joints[i].Parent; p >= 0 {
			was = s.Skeleton.Joints[p].Name
		}
		if !slices.Contains(before, was) {
			before = append(before, was)
		}
		if out, err = out.Reparent(out.Index(name), out.Index(o.Parent)); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
	}
	after := cmp.Or(o.Parent, "none")
	return s.WithSkeleton(out, nil, nil), studio.Outcome{
		Sentence: fmt.Sprintf("Reparented %s to %s (was %s); nothing moved", studio.Said(names), after, studio.Said(before)),
		Before:   studio.Said(before),
		After:    after,
	}, nil
}

// DuplicateBranch copies a joint with what hangs from it, moved by By.
type DuplicateBranch struct {
	Joint string       `json:"joint"`
	By    studio.Place `json:"by"`
}

// Apply implements Operation.
func (o *DuplicateBranch) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed([]string{o.Joint})
	if err != nil {
		return s, studio.Outcome{}, err
	}
	by, err := o.By.Vec()
	if err != nil {
		return s, studio.Outcome{}, err
	}
	out, names := s.Skeleton.Duplicate(which[0], by, s.Settings.Marks)
	return s.WithSkeleton(out, nil, nil), studio.Outcome{
		Sentence: fmt.Sprintf("Duplicated %s as %s", o.Joint, studio.Said(names)),
		Before:   fmt.Sprint(len(s.Skeleton.Joints)),
		After:    fmt.Sprint(len(out.Joints)),
	}, nil
}

// OneRoot hangs all other roots from a joint.
type OneRoot struct {
	Joint string `json:"joint"`
}

// Apply implements Operation.
func (o *OneRoot) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed([]string{o.Joint})
	if err != nil {
		return s, studio.Outcome{}, err
	}
	out, n, err := s.Skeleton.OneRoot(which[0])
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	if n == 0 {
		return s, studio.Outcome{}, studio.Wrong("%s is the only root already", o.Joint)
	}
	return s.WithSkeleton(out, nil, nil), studio.Outcome{
		Sentence: fmt.Sprintf("Parented %d roots to %s", n, o.Joint),
		Before:   fmt.Sprint(n + 1),
		After:    "1",
	}, nil
}

// AddEnds gives last joints end joints; no name means all of them.
type AddEnds struct {
	Joints []string `json:"joints,omitempty"`
}

// Apply implements Operation.
func (o *AddEnds) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	var which []int
	for i, j := range s.Skeleton.Joints {
		if o.Joints == nil || slices.Contains(o.Joints, j.Name) {
			which = append(which, i)
		}
	}
	out, names := s.Skeleton.AddEnds(which, s.Settings.Marks)
	if len(names) == 0 {
		return s, studio.Outcome{}, studio.Wrong("every selected chain already has an end joint")
	}
	return s.WithSkeleton(out, nil, nil), studio.Outcome{
		Sentence: fmt.Sprintf("Added %s", studio.Said(names)),
		Before:   fmt.Sprint(len(s.Skeleton.Joints)),
		After:    fmt.Sprint(len(out.Joints)),
	}, nil
}

// RemoveEnds takes all end joints away.
type RemoveEnds struct{}

// Apply implements Operation.
func (o *RemoveEnds) Apply(ctx context.Context, s studio.State, p studio.Progress) (studio.State, studio.Outcome, error) {
	children := s.Skeleton.Children()
	var names []string
	for i, j := range s.Skeleton.Joints {
		if len(children[i]) == 0 && skeleton.IsEnd(j.Name, s.Settings.Marks) {
			names = append(names, j.Name)
		}
	}
	if names == nil {
		return s, studio.Outcome{}, studio.Wrong("there is no end joint to remove")
	}
	return (&RemoveJoints{Joints: names}).Apply(ctx, s, p)
}

// MakeOther makes one side from the other.
type MakeOther struct {
	From      string  `json:"from" as:"From side" one:"left,right"`
	Tolerance float64 `json:"tolerance" as:"Tolerance" in:"0..1e6" unit:"m"`
}

// Apply implements Operation.
func (o *MakeOther) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	side := skeleton.Left
	if o.From == "right" {
		side = skeleton.Right
	}
	out, m, err := s.Skeleton.MakeOther(side, o.Tolerance, s.Settings.Convention, s.Settings.Marks)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	if err := s.Skeleton.Held(out); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	told := studio.Outcome{
		Sentence: fmt.Sprintf("Made the other side from the %s: %d updated, %d new", o.From, len(m.Updated), len(m.Made)),
		Before:   fmt.Sprint(len(s.Skeleton.Joints)),
		After:    fmt.Sprint(len(out.Joints)),
	}
	for what, list := range map[string][]string{"new": m.Made, "updated": m.Updated, "moved to the center": m.Centred} {
		if len(list) > 0 {
			told.Steps = append(told.Steps, what+": "+strings.Join(list, ", "))
		}
	}
	slices.Sort(told.Steps)
	told.Left = m.Left
	return s.WithSkeleton(out, nil, nil), told, nil
}
