package weights

import (
	"context"
	"fmt"
	"math"

	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "set_weights",
			Label: "Set weights of selected vertices",
			Stage: "weights",
			Words: "exact value type number ledger",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &Set{} },
		},
		studio.Entry{
			Name:  "free_weights",
			Label: "Remove vertices from a joint",
			Stage: "weights",
			Words: "remove influence zero flood prune exclude",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &Free{} },
		},
		studio.Entry{
			Name:  "hand_weights",
			Label: "Give a joint's weights to another",
			Stage: "weights",
			Words: "move transfer merge influence",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &Hand{} },
		},
		studio.Entry{
			Name:  "lock_weights",
			Label: "Lock joint weights",
			Stage: "weights",
			Words: "hold protect keep freeze",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &Lock{Locked: true} },
		},
	)
}

// Set gives a joint an exact share of chosen vertices, or with By adds to it, or with Times
// multiplies it; the others share the rest in their proportion.
type Set struct {
	Joint    string   `json:"joint" help:"whose weight is set"`
	Vertices string   `json:"vertices"`
	Value    *float64 `json:"value,omitempty" as:"Weight" in:"0..1"`
	By       float64  `json:"by,omitempty" as:"Add" in:"-1..1" help:"add this to the weight"`
	Times    *float64 `json:"times,omitempty" as:"Multiply" in:"0..1e6" help:"multiply the weight by this"`
}

// Apply implements studio.Operation.
func (o *Set) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	given := 0
	for _, yes := range []bool{o.Value != nil, o.By != 0, o.Times != nil} {
		if yes {
			given++
		}
	}
	if given != 1 {
		return s, studio.Outcome{}, studio.Wrong("give one of value, by and times")
	}
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if a.vertices == nil {
		return s, studio.Outcome{}, studio.Wrong("select the vertices to change")
	}
	j, err := a.joint(o.Joint)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if err := a.e.CheckLocks(j); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	short := 0
	for _, v := range a.vertices {
		to := a.e.Value(v, j) + o.By
		switch {
		case o.Value != nil:
			to = *o.Value
		case o.Times != nil:
			to = a.e.Value(v, j) * *o.Times
		}
		to = min(1, max(0, to))
		a.e.Set(v, j, to)
		if math.Abs(a.e.Value(v, j)-to) > 1e-6 {
			short++
		}
	}
	what := fmt.Sprintf("Set %s", o.Joint)
	if o.Value != nil {
		what += fmt.Sprintf(" to %.3g", *o.Value)
	}
	next, out, err := a.done(ctx, what, "the selected vertices have that already, or are hidden")
	if err == nil && short > 0 {
		out.Left = []string{
			fmt.Sprintf(
				"%s could not get that weight: locked joints leave less, or no other joint could take the rest",
				wording.Count(short, "vertex", "vertices"),
			),
		}
	}
	return next, out, err
}

// Free takes vertices away from joints, with Branch from all that hangs from them too; with Others
// from all joints but these. What they had is shared by what remains, by their neighbours where
// nothing does.
type Free struct {
	Joints   []string `json:"joints" help:"the joints to remove the vertices from"`
	Vertices string   `json:"vertices"`
	Branch   bool     `json:"branch,omitempty" help:"and all their descendants"`
	Others   bool     `json:"others,omitempty" help:"from all joints but these"`
}

// Apply implements studio.Operation.
func (o *Free) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed(o.Joints)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	named := make([]bool, len(s.Skeleton.Joints))
	for _, i := range which {
		named[i] = true
	}
	for i, j := range s.Skeleton.Joints { // parents come first
		if o.Branch && j.Parent >= 0 && named[j.Parent] {
			named[i] = true
		}
	}
	gone := make([]bool, len(a.e.Joints))
	for k, name := range a.e.Joints {
		i := s.Skeleton.Index(name)
		gone[k] = (i >= 0 && named[i]) != o.Others
	}
	had, stuck := 0, 0
	for _, v := range a.e.All(a.vertices) {
		has := false
		for _, x := range a.e.At(v) {
			has = has || gone[x.Joint] && !a.e.Locked[x.Joint]
		}
		if has {
			had++
			if !a.e.Free(v, gone, a.net) {
				stuck++
			}
		}
	}
	what := "Took vertices away from " + studio.Said(o.Joints)
	if o.Others {
		what = "Removed vertices from all but " + studio.Said(o.Joints)
	}
	next, out, err := a.done(ctx, what, "no selected vertex has weight from them")
	out.Before = fmt.Sprint(had)
	if err == nil && stuck > 0 {
		out.Left = []string{fmt.Sprintf("%s kept theirs: no other joint can take it", wording.Count(stuck, "vertex", "vertices"))}
	}
	return next, out, err
}

// Hand gives what joints have of vertices to another joint.
type Hand struct {
	Joints   []string `json:"joints" help:"whose weights are given"`
	To       string   `json:"to" as:"To" of:"joint" help:"the joint that gets them"`
	Vertices string   `json:"vertices,omitempty"`
}

// Apply implements studio.Operation.
func (o *Hand) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	to, err := a.joint(o.To)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	list, err := a.joints(o.Joints)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if err := a.e.CheckLocks(append(list, to)...); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	from := make([]bool, len(a.e.Joints))
	for _, k := range list {
		from[k] = true
	}
	a.e.Hand(a.vertices, from, to)
	return a.done(ctx, fmt.Sprintf("Handed the weights of %s to %s", studio.Said(o.Joints), o.To), "none of the vertices follows them")
}

// Lock says that the weights of joints stay exactly as they are, whatever is done to the others'.
type Lock struct {
	Joints []string `json:"joints"`
	Locked bool     `json:"locked"`
}

// Apply implements studio.Operation.
func (o *Lock) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed(o.Joints)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	next := s.Skeleton.Clone()
	for _, i := range which {
		next.Joints[i].WeightsLocked = o.Locked
	}
	s.Skeleton = next
	what := "Locked"
	if !o.Locked {
		what = "Unlocked"
	}
	return s, studio.Outcome{Sentence: fmt.Sprintf("%s the weights of %s", what, studio.Said(o.Joints))}, nil
}
