package motion

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/bind"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
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
	x, err := (&SolveWeights{}).begin(ctx, &s, progress)
	if err != nil {
		return fail(err)
	}
	fixed, before, in, g := x.fixed, x.before, x.in, x.g
	limits, height := limitsOf(&s), geom.BoxOf(in.World()).Size().Y
	asked := solve.Options{Limits: limits, Dial: o.Dial, Fixed: fixed, Locked: s.LockedWeights(), Marks: s.Settings.Marks}
	found, with, gains, err := solve.HelpersForMotion(ctx, in, s.Weights, s.Skeleton, g, asked, o.Most, func(what string, share float64) {
		progress(what, 0.2+0.55*share)
	})
	if err != nil {
		return fail(refused(ctx, err))
	}
	if len(gains) == 0 {
		return fail(
			studio.Nothing(
				"no helper joint takes %s or more off what is left between the skin and the guide",
				wording.Percent(solve.LeastGain),
			),
		)
	}
	unseen := pose.Anyhow(s.Skeleton, s.Settings.Marks, unseenSeed, unseenPoses)
	was, err := solve.Distances(ctx, in, s.Skeleton, g, unseen, s.Weights)
	if err != nil {
		return fail(refused(ctx, err))
	}
	out := studio.Outcome{Before: fmt.Sprintf("%.2f", before.Score)}
	if found.LeftOut > 0 {
		out.Left = append(
			out.Left,
			fmt.Sprintf("%s left out: there are too many joints to solve for all", wording.Count(found.LeftOut, "pose was", "poses were")),
		)
	}
	var kept guarded
	var now []solve.Distance
	measured := len(gains)
	for share := 0.75; ; share += (1 - share) / 2 {
		progress("Measuring with helper joints", share)
		kept, err = guard(ctx, &s, before, found.Weights, limits.Cap, func(w *weights.Weights) (studio.State, error) {
			state, err := helped(ctx, &s, with, w, in, limits)
			if err == nil {
				state.Bind.Report.Remains = bind.RemainsOf(found.Left(w), height, found.Frames)
			}
			return state, err
		})
		if err != nil {
			return fail(err)
		}
		if now, err = solve.Distances(ctx, in, with, g, unseen, kept.Weights); err != nil {
			return fail(refused(ctx, err))
		}
		if o.Take == takeAlways || len(kept.Left) == 0 && worth(was[0], now[0], &before.Brief, &kept.sheet.Brief) {
			break
		}
		// What does most harm is left out, and the rest tried again.
		k := harmful(gains, kept.sheet, before)
		why := notWorth(was[0], now[0], &before.Brief, &kept.sheet.Brief)
		if len(kept.Left) > 0 {
			why = strings.Join(spoiledSays(kept.Left), "; ")
		}
		if len(gains) == 1 {
			s.Sheet = before
			out.After = fmt.Sprintf("%.2f", kept.sheet.Score)
			out.Sentence = fmt.Sprintf("Tried %s, but %s: nothing was added", studio.Said(gains[0].Joints), why)
			return s, out, nil
		}
		out.Left = append(out.Left, fmt.Sprintf("%s: with them %s", strings.Join(gains[k].Joints, " and "), why))
		gone := make([]int, len(gains[k].Joints))
		for n, name := range gains[k].Joints {
			gone[n] = with.Index(name)
		}
		gains = slices.Delete(gains, k, k+1)
		if with, _, err = with.Remove(gone); err != nil {
			return fail(studio.Wrong("%v", err))
		}
		if found, err = solve.ForMotion(ctx, in, s.Weights, with, g, asked, nil, nil); err != nil {
			return fail(refused(ctx, err))
		}
	}
	state, after := kept.state, kept.sheet
	out.After = fmt.Sprintf("%.2f", after.Score)
	var names []string
	for _, x := range gains {
		names = append(names, x.Joints...)
		step := fmt.Sprintf("%s: %s", strings.Join(x.Joints, " and "), x.Says)
		if len(gains) == measured { // with all of them
			step += fmt.Sprintf(
				"; as solved, %s that it moves are %s from the guide, without it %s",
				wording.Count(x.Vertices, "vertex", "vertices"), wording.Length(x.After), wording.Length(x.Before),
			)
		}
		out.Steps = append(out.Steps, step)
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
	out.Steps = append(out.Steps, kept.says()...)
	result := *state.Bind
	result.Score = &after.Brief
	state.Bind, state.Sheet = &result, after
	state.Sheet.Before = &before.Brief
	out.Sentence = fmt.Sprintf(
		"Added %s: %s, %s nearer to the guide on average",
		wording.Count(len(names), "helper joint", "helper joints"),
		studio.Said(names),
		wording.Percent(1-now[0].Mean/was[0].Mean),
	)
	return state, out, nil
}

// helped is a state with helper joints and weights that were solved with them.
func helped(
	ctx context.Context,
	s *studio.State,
	with *skeleton.Skeleton,
	w *weights.Weights,
	in *mesh.Mesh,
	limits weights.Limits,
) (studio.State, error) {
	state := s.WithSkeleton(with, nil, nil)
	state.Weights = w
	state.Binding = recordedToo(s.Binding, s.Skeleton, with)
	var err error
	if state.Bind, err = solvedResult(ctx, &state, in, w, limits); err != nil {
		return state, err
	}
	return state.Recounted(), nil
}

// worth reports whether helper joints bring the skin nearer to the guide, with no more spots over their limits and the reel
// hardly worse.
func worth(was, now solve.Distance, before, after *studio.Brief) bool {
	return now.Mean < (1-worseBy)*was.Mean && after.Over <= before.Over && after.Score <= (1+worseBy)*before.Score
}

// harmful is the number of the pair of helper joints that is blamed most for the spots that are over their limits; where
// none is, the pair that gains least.
func harmful(gains []solve.Gain, after, before *studio.Sheet) int {
	blamed := make([]float64, len(gains))
	for _, f := range after.Faults {
		if f.Times <= 1 {
			continue
		}
		for _, b := range f.Blame {
			for k, g := range gains {
				if slices.Contains(g.Joints, b.Joint) {
					blamed[k] += b.Share
				}
			}
		}
	}
	most, least := 0, 0
	for k, g := range gains {
		if blamed[k] > blamed[most] {
			most = k
		}
		if g.After/g.Before > gains[least].After/gains[least].Before {
			least = k
		}
	}
	if after.Over > before.Over && blamed[most] > 0 {
		return most
	}
	return least
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

// Helper is a helper joint of a character as it is listed.
type Helper struct {
	Name, Says string
	Vertices   int           // that it has weights of
	Only       RemoveHelpers // takes it away
}

// Helpers lists the helper joints of a state.
func Helpers(s *studio.State) (out []Helper) {
	if s.Skeleton == nil {
		return nil
	}
	for _, i := range s.Skeleton.Helpers() {
		j := s.Skeleton.Joints[i]
		h := Helper{Name: j.Name, Says: j.Helper.Says(), Only: RemoveHelpers{Joints: []string{j.Name}}}
		if s.Weights != nil {
			if k := slices.Index(s.Weights.Joints, j.Name); k >= 0 {
				for v := range s.Weights.Of {
					if s.Weights.Value(v, int32(k)) > 0 {
						h.Vertices++
					}
				}
			}
		}
		out = append(out, h)
	}
	return out
}

// Rule is the rule of a helper joint as the views follow it and say it.
type Rule struct {
	Driver string      `json:"driver"`
	Share  float64     `json:"share"`
	Axis   *[3]float64 `json:"axis,omitempty"` // of the driver's own: what its twist is about; none: the whole turn counts
	Says   string      `json:"says"`
}

// RuleOf is the rule of joint i, nil where it is no helper joint.
func RuleOf(sk *skeleton.Skeleton, i int) *Rule {
	h := sk.Joints[i].Helper
	if h == nil {
		return nil
	}
	out := &Rule{Driver: h.Driver, Share: h.Share, Says: h.Says()}
	if d := sk.Index(h.Driver); h.Twist && d >= 0 {
		a := sk.TwistAxis(d)
		out.Axis = &[3]float64{a.X, a.Y, a.Z}
	}
	return out
}
