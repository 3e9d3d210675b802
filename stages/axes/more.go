package axes

import (
	"context"
	"fmt"
	"math"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

// solidOf returns the tree of a state's mesh, nil without one.
func solidOf(s studio.State) *geom.Tree {
	if s.Mesh == nil {
		return nil
	}
	t, _ := s.Mesh.Tree(s.Mesh.World())
	t.PrepareWinding()
	return t
}

// still says the largest movement that other axes caused: of joints, by their own turns,
// and of the skin. It is rounding.
func still(before, after studio.State) string {
	far := math.Max(0, after.Skeleton.Stillness())
	for i, j := range after.Skeleton.Joints {
		far = math.Max(far, r3.Norm(r3.Sub(j.Pos, before.Skeleton.Joints[i].Pos)))
	}
	if before.Weights != nil && before.Binding != nil && after.Binding != nil {
		points := before.Mesh.World()
		a := deform.Bound(points, before.Weights, before.Skeleton, nil, before.Binding)
		b := deform.Bound(points, after.Weights, after.Skeleton, nil, after.Binding)
		for v := range a {
			far = math.Max(far, r3.Norm(r3.Sub(a[v], b[v])))
		}
	}
	if far < 1e-9*math.Max(1, after.Skeleton.Size()) {
		return "; nothing moved"
	}
	return "; joints and skin moved by up to " + wording.Length(far)
}

// MatchAxes gives joints the roll of one: the whole chain turns about one axis.
type MatchAxes struct {
	Joint  string   `json:"joint"` // that has the roll
	Joints []string `json:"joints"`
	Branch bool     `json:"branch,omitempty"`
}

// Apply implements studio.Operation.
func (o *MatchAxes) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	active, err := s.Skeleton.Find(o.Joint)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	which, err := some(&s, o.Joints, o.Branch)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if len(which) == 0 {
		return s, studio.Outcome{}, studio.Wrong("select the joints to match to %s", o.Joint)
	}
	was := s
	turned, left := s.Skeleton.Matched(active, which, s.Settings.Convention, s.Settings.Marks)
	s = s.WithAxes(turned)
	s.Settings.Oriented = true
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Rolled %s like %s", wording.Count(len(which)-len(left), "joint", "joints"), o.Joint) + still(was, s),
		Left:     left,
	}, nil
}

// CopyAxes copies axes to the partners by the side behaviour of the convention.
type CopyAxes struct {
	Joints []string `json:"joints"`
	Branch bool     `json:"branch,omitempty"`
}

// Apply implements studio.Operation.
func (o *CopyAxes) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := some(&s, o.Joints, o.Branch)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if which == nil {
		return s, studio.Outcome{}, studio.Wrong("select the joints to mirror")
	}
	was := s
	turned, left := s.Skeleton.CopiedAxes(which, s.Settings.Convention, s.Settings.Marks)
	if len(left) == len(which) {
		return s, studio.Outcome{}, studio.Wrong("%s have no partner on the other side", studio.Said(left))
	}
	s = s.WithAxes(turned)
	s.Settings.Oriented = true
	return s, studio.Outcome{
		Sentence: fmt.Sprintf(
			"Copied the axes of %s to the other side",
			wording.Count(len(which)-len(left), "joint", "joints"),
		) + still(
			was,
			s,
		),
		Left: left,
	}, nil
}

// AlignEnds gives end joints the axes of their parents; no joint means all.
type AlignEnds struct {
	Joints []string `json:"joints,omitempty"`
}

// Apply implements studio.Operation.
func (o *AlignEnds) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := some(&s, o.Joints, false)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	was := s
	turned, n := s.Skeleton.AlignedEnds(which)
	if n == 0 {
		return s, studio.Outcome{}, studio.Wrong("every selected end joint already matches")
	}
	s = s.WithAxes(turned)
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Gave %s the axes of their parents", wording.Count(n, "joint", "joints")) + still(was, s),
		Before:   fmt.Sprint(n),
		After:    "0",
	}, nil
}

// AlignTwists puts twist joints evenly on their bones and shares the twist among them.
type AlignTwists struct{}

// Apply implements studio.Operation.
func (o *AlignTwists) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	list := s.Skeleton.TwistSegments(s.Settings.Marks)
	if list == nil {
		return s, studio.Outcome{}, studio.Wrong("no twist joints found by name: insert joints into a bone at Placement first")
	}
	worst, n := 0.0, 0
	for _, g := range list {
		worst = math.Max(worst, g.Off)
		n += len(g.Twists)
	}
	turned, far := s.Skeleton.AlignedTwists(list)
	if err := s.Skeleton.Held(turned); err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	s = s.WithAxes(turned)
	if s.Binding != nil { // where they stand on the line is of no matter to the skin
		var names []string
		for _, g := range list {
			for _, i := range g.Twists {
				names = append(names, turned.Joints[i].Name)
			}
		}
		s.Binding = s.Binding.Rerecorded(turned, names)
	}
	return s, studio.Outcome{
		Sentence: fmt.Sprintf(
			"Put %s of %s on their lines: off by up to %.1f%% of a bone before; the farthest moved %.1f mm, the skin stays",
			wording.Count(n, "twist joint", "twist joints"),
			wording.Count(len(list), "bone", "bones"),
			100*worst,
			1000*far,
		),
		Before: fmt.Sprintf("%.3g", worst),
		After:  "0",
	}, nil
}

// Twists lists the bones that have twist joints, for a table.
func Twists(s *studio.State) []TwistRow {
	var out []TwistRow
	for _, g := range s.Skeleton.TwistSegments(s.Settings.Marks) {
		r := TwistRow{From: s.Skeleton.Joints[g.From].Name, To: s.Skeleton.Joints[g.To].Name, Off: g.Off}
		for _, i := range g.Twists {
			share := 0.0
			if c := s.Skeleton.Joints[i].Keeps; c != nil {
				share = c.Share
			}
			r.Joints = append(r.Joints, s.Skeleton.Joints[i].Name)
			r.Shares = append(r.Shares, share)
		}
		out = append(out, r)
	}
	return out
}

// TwistRow is a bone with twist joints.
type TwistRow struct {
	From, To string
	Joints   []string
	Shares   []float64
	Off      float64
}

// SetOrder chooses the orders in which joints turn about their axes.
type SetOrder struct {
	Orders map[string]string `json:"orders,omitempty"` // by joint
	Joints []string          `json:"joints,omitempty"` // that all get
	Order  string            `json:"order,omitempty"`  // this one
}

// Apply implements studio.Operation.
func (o *SetOrder) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	orders := map[string]string{}
	for name, order := range o.Orders {
		orders[name] = order
	}
	for _, name := range o.Joints {
		orders[name] = o.Order
	}
	if len(orders) == 0 {
		return s, studio.Outcome{}, studio.Wrong("select the joints whose rotation order to change")
	}
	next, err := s.Skeleton.Ordered(orders)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	n := 0
	for i, j := range next.Joints {
		if j.Order != s.Skeleton.Joints[i].Order {
			n++
		}
	}
	s.Skeleton = next
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Set the rotation order of %s; rest and motions look the same", wording.Count(n, "joint", "joints")),
	}, nil
}

// AlignSafe takes up what the findings of the stage offer, as long as it helps: it moves
// neither joints nor skin, but for twist joints that stood off their bones.
type AlignSafe struct{}

// safeRounds is how often the axes are measured again.
const safeRounds = 12

// Apply implements studio.Operation.
func (o *AlignSafe) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	solid := solidOf(s)
	check := func(s studio.State) []finding.Finding {
		return Check(s.Skeleton, solid, s.Settings.Convention, s.Settings.Marks)
	}
	harms := func(list []finding.Finding) (n int) {
		for _, f := range list {
			if f.Severity != finding.Note {
				n += f.Count
			}
		}
		return n
	}
	list := check(s)
	before := harms(list)
	out := studio.Outcome{Before: fmt.Sprint(before)}
	tried := map[string]bool{}
	for range safeRounds {
		better := false
		for _, f := range list {
			if f.Severity == finding.Note || len(f.Remedies) == 0 {
				continue
			}
			params := f.Remedies[0].Params
			if key := f.Remedies[0].Op + string(params); tried[key] {
				continue
			} else {
				tried[key] = true
			}
			entry, op, err := studio.ParseOperation(f.Remedies[0].Op, params)
			if err != nil {
				return s, studio.Outcome{}, err
			}
			next, told, err := studio.Apply(ctx, entry, op, s, progress)
			if err != nil {
				continue // it is left, and told below
			}
			after := check(next)
			off := func(list []finding.Finding) int {
				for _, g := range list {
					if g.Code == f.Code {
						return g.Count
					}
				}
				return 0
			}
			if off(after) < f.Count {
				s, list, better = next, after, true
				out.Steps = append(out.Steps, told.Sentence)
				break
			}
		}
		if !better || ctx.Err() != nil {
			break
		}
	}
	for _, f := range list {
		out.Left = append(out.Left, f.Title)
	}
	out.After = fmt.Sprint(harms(list))
	out.Sentence = fmt.Sprintf("Applied safe alignments: harmful axes %d → %d", before, harms(list))
	if len(out.Steps) == 0 {
		out.Sentence = fmt.Sprintf("Nothing is safe to align: %s", wording.Count(len(list), "finding needs you", "findings need you"))
	}
	return s, out, ctx.Err()
}

// Orders returns the orders in which turns can be made, the usual one first.
func Orders() []string { return skeleton.Orders }

// ChainFrom returns where the bend axes of a kind of chain come from, "" as the convention's
// own, for a form.
func ChainFrom(c skeleton.Convention, kind string) string {
	switch kind {
	case "arm":
		return c.By.Arm
	case "leg":
		return c.By.Leg
	case "spine":
		return c.By.Spine
	case "fingers":
		return c.By.Fingers
	}
	return c.By.Tail
}
