package placement

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/housestyle"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(studio.Entry{
		Name:  "follow_style",
		Label: "Place as on earlier characters",
		Stage: "placement",
		Words: "house style habit correct remember learned usual",
		From:  studio.FromForm,
		Needs: []studio.Need{studio.NeedSkeleton},
		New:   func() studio.Operation { return &FollowStyle{} },
	})
}

// FollowStyle puts joints that stand where a fit put them to where the house style has them.
type FollowStyle struct {
	Style housestyle.Style `json:"style"`
	// Only are joints as starters name them, without a side; none is all of the style.
	Only []string `json:"only,omitempty" help:"only these, as the starter names them, without a side; default all"`
}

// Apply implements Operation.
func (o *FollowStyle) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if err := o.Style.Check(); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	if s.Fit == nil || s.Fit.Fitted == nil {
		return s, studio.Outcome{}, studio.Wrong("a house style moves fitted joints, and none were: fit a biped, quadruped, bird or hand first")
	}
	to, far := map[int]r3.Vec{}, 0.0
	of := map[int]housestyle.Habit{}
	var names []string
	for _, p := range o.Style.Places(s.Fit, s.Skeleton) {
		if o.Only == nil || slices.Contains(o.Only, p.Habit.Joint) {
			i := s.Skeleton.Index(p.Joint)
			to[i], of[i], far = p.To, p.Habit, math.Max(far, p.By)
			names = append(names, p.Joint)
		}
	}
	if len(to) == 0 {
		return s, studio.Outcome{}, studio.Wrong("nothing to place: the joints of the house style already stand there, or were placed by hand, pinned or locked")
	}
	moved, err := s.Skeleton.MoveAll(to)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	for i, h := range of {
		j, was := &moved.Joints[i], s.Skeleton.Joints[i]
		j.Confidence = was.Confidence
		j.Reason = fmt.Sprintf("%s, then as on %s", was.Reason, wording.Count(h.Count, "earlier character", "earlier characters"))
	}
	after, err := s.WithMoved(moved)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	after.Fit = housestyle.Corrected(s.Fit, s.Skeleton, moved, func(int) bool { return false })
	return after, studio.Outcome{Sentence: fmt.Sprintf("Placed %s as on earlier characters: the farthest moved %.1f cm", studio.Said(names), 100*far)}, nil
}

// StyleRow is a habit of the house style as it is for one character.
type StyleRow struct {
	Joint         string  // as the starter names it, without a side
	By            float64 // metres that it would be moved
	Before, After float64 // metres that the fit was off on other characters, and with the habit
	Count, Of     int
}

// StyleHere is what the house style of a production has to say of a character.
type StyleHere struct {
	studio.HouseStyle
	Rows   []StyleRow  // what would be moved, what helps most first
	Places []Theirs    // where to, to be shown before it is done
	Does   FollowStyle // does it
	Out    []string    // joints of this starter whose habits are left out
}

// StyleFor returns what a house style has to say of a state.
func StyleFor(h studio.HouseStyle, s *studio.State) StyleHere {
	out := StyleHere{HouseStyle: h, Does: FollowStyle{Style: h.Offered()}}
	if s.Fit == nil || s.Skeleton == nil {
		return out
	}
	known := map[string]bool{}
	for _, x := range h.Of(s.Fit.Starter) {
		known[x.Joint] = true
	}
	for _, name := range h.Choice.LeftOut {
		if known[name] {
			out.Out = append(out.Out, name)
		}
	}
	shown := &skeleton.Skeleton{}
	for _, p := range out.Does.Style.Places(s.Fit, s.Skeleton) {
		j := s.Skeleton.Joints[s.Skeleton.Index(p.Joint)]
		j.Parent, j.Pos = -1, p.To
		shown.Joints = append(shown.Joints, j)
		k := slices.IndexFunc(out.Rows, func(r StyleRow) bool { return r.Joint == p.Habit.Joint })
		if k < 0 {
			out.Rows = append(out.Rows, StyleRow{p.Habit.Joint, p.By, p.Before, p.After, p.Habit.Count, p.Habit.Of})
			continue
		}
		r := &out.Rows[k] // the other side
		r.By, r.Before, r.After = math.Max(r.By, p.By), math.Max(r.Before, p.Before), math.Max(r.After, p.After)
	}
	slices.SortStableFunc(out.Rows, func(a, b StyleRow) int { return cmp.Compare(b.Before-b.After, a.Before-a.After) })
	out.Places = TheirsOf(shown)
	return out
}
