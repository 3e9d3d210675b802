package motion

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/solve"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "add_helpers",
			Label: "Add helper joints",
			Stage: "motion",
			Words: "corrective twist half volume candy wrapper elbow shoulder hip extra joints solve",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights},
			Long:  studio.Always,
			New:   func() studio.Operation { return &AddHelpers{Most: 6, Dial: 1, Take: takeBetter} },
		},
		studio.Entry{
			Name:  "remove_helpers",
			Label: "Remove helper joints",
			Stage: "motion",
			Words: "corrective twist half delete extra joints give back weights",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &RemoveHelpers{} },
		},
	)
}

// AddHelpers adds the few helper joints that bring the skin nearest to how it should bend, each of which makes a share of
// another joint's turn by itself, and solves the weights with them.
type AddHelpers struct {
	Most int     `json:"most" as:"At most" in:"1..16" help:"how many helper joints may be added; a left and a right one are two"`
	Dial float64 `json:"dial" as:"How close to the guide" in:"0.01..1" help:"0.01 stays close to the present weights, 1 comes as close to the guide as weights can"`
	Take string  `json:"take" as:"Use" one:"better=if it measures better,always=whatever it measures"`
}

// worseBy is how much worse the test reel may measure with helper joints that bring the skin nearer to the guide by more
// than that.
const worseBy = 0.03

// Apply implements studio.Operation.
func (o *AddHelpers) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	if err := still(&s); err != nil {
		return fail(err)
	}
	fixed, open, err := (&SolveWeights{}).fixed(&s)
	if err != nil {
		return fail(err)
	}
	if open == 0 {
		return fail(studio.Wrong("no vertex is left to solve: all were set by hand, are hidden, follow one joint or have no weights"))
	}
	progress("Measuring the present weights", 0)
	before, err := Measure(ctx, &s, studio.Usual, func(share float64) { progress("Measuring the present weights", 0.15*share) })
	if err != nil {
		return fail(err)
	}
	in, _ := s.Mesh.Bindable()
	progress("Preparing the guide", 0.15)
	g, err := guideOf(ctx, &s, in)
	if err != nil {
		return fail(err)
	}
	limits := limitsOf(&s)
	found, with, gains, err := solve.HelpersForMotion(ctx, in, s.Weights, s.Skeleton, g, solve.Options{
		Limits: limits, Dial: o.Dial, Fixed: fixed, Locked: s.LockedWeights(), Marks: s.Settings.Marks,
	}, o.Most, func(what string, share float64) { progress(what, 0.2+0.55*share) })
	if err != nil {
		return fail(refused(ctx, err))
	}
	added := with.Joints[len(s.Skeleton.Joints):]
	if len(added) == 0 {
		return fail(
			studio.Nothing("no helper joint takes %s or more off what is left between the skin and the guide", wording.Percent(solve.LeastGain)),
		)
	}
	progress("Measuring poses that were not solved for", 0.75)
	unseen := pose.Anyhow(s.Skeleton, s.Settings.Marks, unseenSeed, unseenPoses)
	was, err := solve.Distances(ctx, in, s.Skeleton, g, unseen, s.Weights)
	if err != nil {
		return fail(refused(ctx, err))
	}
	now, err := solve.Distances(ctx, in, with, g, unseen, found.Weights)
	if err != nil {
		return fail(refused(ctx, err))
	}
	state := s.WithSkeleton(with, nil, nil)
	state.Weights = found.Weights
	state.Binding = recordedToo(s.Binding, s.Skeleton, with)
	if state.Bind, err = solvedResult(ctx, &state, in, found.Weights, limits); err != nil {
		return fail(err)
	}
	state = state.Recounted()
	after, err := Measure(ctx, &state, studio.Usual, func(share float64) { progress("Measuring with helper joints", 0.85+0.15*share) })
	if err != nil {
		return fail(err)
	}
	out := studio.Outcome{Before: fmt.Sprintf("%.2f", before.Score), After: fmt.Sprintf("%.2f", after.Score)}
	for _, x := range gains {
		out.Steps = append(out.Steps, fmt.Sprintf(
			"%s: %s; %s that it moves are %s from the guide, without it %s",
			strings.Join(x.Joints, " and "), x.Says, wording.Count(x.Vertices, "vertex", "vertices"),
			wording.Length(x.After), wording.Length(x.Before),
		))
	}
	out.Steps = append(
		out.Steps,
		fmt.Sprintf(
			"in %d poses that were not solved for, the skin is %s from the guide on average, before %s",
			unseenPoses,
			wording.Length(now[0].Mean),
			wording.Length(was[0].Mean),
		),
		fmt.Sprintf(
			"test reel: average ratio to limit %.2f → %.2f, spots over %d → %d",
			before.Score,
			after.Score,
			before.Over,
			after.Over,
		),
	)
	if found.LeftOut > 0 {
		out.Left = append(
			out.Left,
			fmt.Sprintf("%s left out: there are too many joints to solve for all", wording.Count(found.LeftOut, "pose was", "poses were")),
		)
	}
	names := make([]string, len(added))
	for k, j := range added {
		names[k] = j.Name
	}
	nearer := now[0].Mean < (1-worseBy)*was[0].Mean && after.Over <= before.Over && after.Score <= (1+worseBy)*before.Score
	if o.Take == takeBetter && !nearer {
		s.Sheet = before
		out.Sentence = fmt.Sprintf(
			"Tried %s, but %s: nothing was added",
			studio.Said(names),
			notWorth(was[0], now[0], &before.Brief, &after.Brief),
		)
		return s, out, nil
	}
	result := *state.Bind
	result.Score = &after.Brief
	state.Bind, state.Sheet = &result, after
	state.Sheet.Before = &before.Brief
	out.Sentence = fmt.Sprintf(
		"Added %s: %s, on average %s nearer to the guide",
		wording.Count(len(added), "helper joint", "helper joints"),
		studio.Said(names),
		wording.Percent(1-now[0].Mean/was[0].Mean),
	)
	return state, out, nil
}

// notWorth says which measure helper joints do not improve.
func notWorth(was, now solve.Distance, before, after *studio.Brief) string {
	switch {
	case after.Over > before.Over:
		return fmt.Sprintf("%s are over the limits, before %d", wording.Count(after.Over, "spot", "spots"), before.Over)
	case now.Mean >= (1-worseBy)*was.Mean:
		return fmt.Sprintf(
			"the skin does not come %s nearer to the guide (%s, before %s)",
			wording.Percent(worseBy),
			wording.Length(now.Mean),
			wording.Length(was.Mean),
		)
	}
	return fmt.Sprintf("the test reel measures worse by more than %s (average ratio to limit %.2f → %.2f)",
		wording.Percent(worseBy), before.Score, after.Score)
}

// recordedToo is a bind pose in which joints that were added stand as they do now; all others stand in it.
func recordedToo(b *pose.Binding, before, after *skeleton.Skeleton) *pose.Binding {
	if b == nil {
		return nil
	}
	out := *b
	out.Records = slices.Clone(b.Records)
	rec := &out.Records[0]
	sk := rec.Skeleton.Clone()
	for _, j := range after.Joints[len(before.Joints):] {
		j.Parent = sk.Index(after.Joints[j.Parent].Name)
		sk.Joints = append(sk.Joints, j)
	}
	rec.Skeleton = sk
	return &out
}

// RemoveHelpers takes helper joints away; their weights go back to the joints that they stood between.
type RemoveHelpers struct {
	Joints []string `json:"joints,omitempty" help:"which; default all helper joints"`
}

// Apply implements studio.Operation.
func (o *RemoveHelpers) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	gone := s.Skeleton.Helpers()
	if len(o.Joints) > 0 {
		list, err := s.JointsNamed(o.Joints)
		if err != nil {
			return fail(err)
		}
		gone = slices.DeleteFunc(gone, func(i int) bool { return !slices.Contains(list, i) })
		if len(gone) < len(list) {
			return fail(studio.Wrong("only helper joints are removed here: select those alone, or use Remove joints at Placement"))
		}
	}
	if len(gone) == 0 {
		return fail(studio.Nothing("there are no helper joints"))
	}
	var names []string
	removed := map[string]string{}
	for _, i := range gone {
		names = append(names, s.Skeleton.Joints[i].Name)
		removed[s.Skeleton.Joints[i].Name] = ""
	}
	next, _, err := s.Skeleton.Remove(gone)
	if err != nil {
		return fail(studio.Wrong("%v", err))
	}
	changed := 0
	if s.Weights != nil {
		back := s.Weights.WithoutHelpers(s.Skeleton, names)
		for v := range back.Of {
			if !slices.EqualFunc(back.Of[v], s.Weights.Of[v], func(a, b weights.Influence) bool {
				return back.Joints[a.Joint] == s.Weights.Joints[b.Joint] && a.Value == b.Value
			}) {
				changed++
			}
		}
		s.Weights = back
	}
	s = s.WithSkeleton(next, nil, removed).Recounted()
	return s, studio.Outcome{
		Sentence: fmt.Sprintf(
			"Removed %s: %s; the weights of %s went back to the joints that they stood between",
			wording.Count(len(names), "helper joint", "helper joints"),
			studio.Said(names),
			wording.Count(changed, "vertex", "vertices"),
		),
	}, nil
}
