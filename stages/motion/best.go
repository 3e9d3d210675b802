package motion

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	needs := []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights}
	studio.Register(
		studio.Entry{
			Name:  "best_bind",
			Label: "Compare binds, use the best",
			Stage: "motion",
			Words: "compare methods score best of table",
			From:  studio.FromForm,
			Needs: needs,
			Long:  studio.Always,
			Keeps: true,
			Loses: loses,
			New:   func() studio.Operation { return &BestBind{Take: "joints", Steps: studio.Usual.Steps} },
		},
	)
}

// loses warns where another bind may take the place of weights that were set by hand or came with a file.
func loses(s *studio.State, op studio.Operation) string {
	if o, ok := op.(*BestBind); ok && o.Take == "none" || s.Weights == nil {
		return ""
	}
	const ways = "A better bind replaces them. “None, only compare” leaves them as they are; undo brings them back too."
	if n := len(s.ByHand()); n > 0 {
		return fmt.Sprintf("The weights of %s were set by hand. %s", wording.Count(n, "vertex", "vertices"), ways)
	}
	if s.Bind != nil && s.Bind.Operation == "import" {
		return "The weights came with the file. " + ways
	}
	return ""
}

// Ways are the binds that are compared, by name: an operation and its parameters. The last begins with the weights that
// are there.
var Ways = []struct {
	Name, Op, Params string
}{
	{"automatic", "bind_auto", `{}`},
	{"heat", "bind_heat", `{}`},
	{"closed shell", "bind_shell", `{}`},
	{"volume", "bind_volume", `{}`},
	{"volume, tight", "bind_volume", `{"falloff":8}`},
	{"distance", "bind_near", `{}`},
	{"distance, tight", "bind_near", `{"falloff":10}`},
	{"capsules", "bind_capsules", `{}`},
	{"solved for motion", "solve_weights", `{"take":"always"}`},
}

// BestBind binds in several ways on copies, tries each in the usual reel, keeps every one that could be made
// with its score, and takes the best: whole, or by joint ("joints"), or none ("none").
type BestBind struct {
	Ways  []string `json:"ways,omitempty"` // none is all
	Take  string   `json:"take" as:"Take" one:"joints=the best of each joint,best=the best one,none=none: just compare"`
	Steps int      `json:"steps" as:"Frames per swing" in:"1..60"` // frames from rest to an end, of the reel
}

// bestName is what the kept results are called.
func bestName(way string) string { return "tried: " + way }

// tried is a bind with its score sheet.
type tried struct {
	name  string
	state studio.State
	sheet *studio.Sheet
}

// Apply implements studio.Operation.
func (o *BestBind) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	asked := studio.Usual
	asked.Steps = o.Steps
	if err := studio.CheckReel(&s, asked); err != nil {
		return s, studio.Outcome{}, err
	}
	ways := Ways
	if len(o.Ways) > 0 {
		ways = nil
		for _, name := range o.Ways {
			i := slices.IndexFunc(Ways, func(w struct{ Name, Op, Params string }) bool { return w.Name == name })
			if i < 0 {
				return s, studio.Outcome{}, studio.Wrong("there is no bind method %q", name)
			}
			ways = append(ways, Ways[i])
		}
	}
	var done []tried
	out := studio.Outcome{}
	try := func(ctx context.Context, name string, state studio.State, k int) error {
		sheet, err := studio.Measure(
			ctx,
			&state,
			asked,
			func(share float64) { progress("Trying "+name, (float64(k)+0.5+share/2)/float64(len(ways)+1)) },
		)
		if err != nil {
			return err
		}
		done = append(done, tried{name, state, sheet})
		out.Steps = append(out.Steps, fmt.Sprintf("%s: %.2f, %d over", name, sheet.Score, sheet.Over))
		return nil
	}
	if err := try(ctx, "as it is", s, 0); err != nil {
		return s, out, err
	}
	within, end := studio.UntilEarlyStop(ctx)
	defer end()
	stopped := func(at string) {
		out.Left = append(out.Left, "stopped "+at+": later methods were skipped")
	}
	for k, w := range ways {
		if studio.StopsEarly(ctx) {
			stopped("before " + w.Name)
			break
		}
		progress("Binding: "+w.Name, (float64(k)+1)/float64(len(ways)+1))
		e, op, err := studio.ParseOperation(w.Op, json.RawMessage(w.Params))
		if err != nil {
			return s, out, err
		}
		state, _, err := studio.Apply(within, e, op, s, nil)
		if err != nil && ctx.Err() == nil && studio.StopsEarly(ctx) {
			stopped("while binding by " + w.Name)
			break
		}
		switch {
		case ctx.Err() != nil:
			return s, out, ctx.Err()
		case studio.IsInput(err):
			out.Left = append(out.Left, fmt.Sprintf("%s failed: %v", w.Name, err))
			continue
		case err != nil:
			return s, out, err
		case len(state.Stray()) > 0:
			out.Left = append(out.Left, fmt.Sprintf("%s leaves %d vertices unweighted and is not compared", w.Name, len(state.Stray())))
			continue
		}
		if err := try(within, w.Name, state, k+1); err != nil {
			if ctx.Err() == nil && studio.StopsEarly(ctx) {
				stopped("while trying " + w.Name)
				break
			}
			return s, out, err
		}
	}
	best := 0
	for k, d := range done {
		if better(&d.sheet.Brief, &done[best].sheet.Brief) {
			best = k
		}
	}
	for k, d := range done {
		if d.state.Bind == nil ||
			k == 0 && best == 0 && o.Take != "joints" { // what is there is kept where something else may take its place
			continue
		}
		bind := *d.state.Bind
		bind.Score = &d.sheet.Brief
		kept := studio.Kept{Name: bestName(d.name), Result: &bind, Weights: d.state.Weights}
		if k == 0 {
			kept.Name = "as it was"
		}
		s.Kept = slices.Clone(s.Kept)
		if i := s.FindKept(kept.Name); i >= 0 {
			s.Kept[i] = kept
		} else if len(s.Kept) < studio.MaxKept {
			s.Kept = append(s.Kept, kept)
		} else {
			out.Left = append(out.Left, fmt.Sprintf("%s is not kept: %d results are kept already", d.name, studio.MaxKept))
		}
	}
	was, won := done[0].sheet.Brief, done[best]
	out.Before = fmt.Sprintf("%.2f", was.Score)
	switch {
	case o.Take == "none":
		best = 0
		out.Sentence = fmt.Sprintf(
			"Compared %d binds; the best is %s at %.2f of the limit, the one that is there has %.2f",
			len(done),
			won.name,
			won.sheet.Score,
			was.Score,
		)
	case o.Take == "joints":
		w, named, err := byJoint(s, done)
		if err != nil {
			return s, out, err
		}
		state := done[best].state
		state.Weights = w
		state.Kept = s.Kept
		mixed, err := studio.Measure(ctx, &state, asked, nil)
		if err != nil {
			return s, out, err
		}
		out.Steps = append(out.Steps, fmt.Sprintf("per joint: %.2f, %d over", mixed.Score, mixed.Over))
		if better(&mixed.Brief, &won.sheet.Brief) {
			won = tried{"by joint (" + named + ")", state, mixed}
			best = -1
		} else {
			out.Left = append(out.Left, "per-joint is no better than the best single bind, so that is used")
		}
	}
	if best != 0 {
		kept := s.Kept
		s.Weights, s.Bind = won.state.Weights, won.state.Bind
		s.Kept = kept
		if s.Bind != nil {
			bind := *s.Bind
			bind.Score = &won.sheet.Brief
			s.Bind = &bind
		}
	}
	s.Sheet = won.sheet
	if o.Take == "none" {
		s.Sheet = done[0].sheet
	}
	s.Sheet.Before = &was
	out.After = fmt.Sprintf("%.2f", s.Sheet.Score)
	if out.Sentence == "" {
		if best == 0 {
			out.Sentence = fmt.Sprintf("Compared %d binds: none beats the current one (average ratio to limit %.2f)", len(done), was.Score)
		} else {
			out.Sentence = fmt.Sprintf("Compared %d binds and used %s: average ratio to limit %.2f → %.2f, spots over %d → %d", len(done), won.name, was.Score, won.sheet.Score, was.Over, won.sheet.Over)
		}
	}
	return s, out, nil
}

// better is of fewer places over their limits, then of the lower score.
func better(a, b *studio.Brief) bool {
	return a.Score < b.Score || a.Score == b.Score && a.Over < b.Over
}

// byJoint takes for each joint that is tried alone the weights of the bind that comes through its own
// segments best, and evens the borders between them.
func byJoint(s studio.State, done []tried) (*weights.Weights, string, error) {
	best := map[string]int{}
	for _, seg := range done[0].sheet.Segments {
		if seg.Joint == "" {
			continue
		}
		if _, done := best[seg.Joint]; done {
			continue
		}
		least, at := 0.0, 0
		for k, d := range done {
			sum := 0.0
			for _, x := range d.sheet.Segments {
				if x.Joint == seg.Joint {
					for f := x.From; f < x.To; f++ {
						sum += d.sheet.Frames[f]
					}
				}
			}
			if k == 0 || sum < least {
				least, at = sum, k
			}
		}
		best[seg.Joint] = at
	}
	by := make([][]string, len(done))
	for _, j := range s.Skeleton.Joints {
		if k, ok := best[j.Name]; ok {
			by[k] = append(by[k], j.Name)
		}
	}
	most := 0
	for k := range by {
		if len(by[k]) > len(by[most]) {
			most = k
		}
	}
	w := done[most].state.Weights
	limits := weights.Limits{}
	if b := done[most].state.Bind; b != nil {
		limits = b.Limits
	}
	told := []string{fmt.Sprintf("%s for %d", done[most].name, len(by[most]))}
	var taken []string
	for k, joints := range by {
		if k == most || len(joints) == 0 {
			continue
		}
		w = weights.Merged(s.Mesh, w, done[k].state.Weights, joints, limits)
		taken = append(taken, joints...)
		told = append(told, fmt.Sprintf("%s for %d", done[k].name, len(joints)))
	}
	if taken == nil {
		return w, strings.Join(told, ", "), nil
	}
	// Where two binds meet their weights are evened.
	net, err := weights.NetOf(s.Mesh)
	if err != nil {
		return nil, "", studio.Wrong("%v", err)
	}
	differs := make([]bool, len(w.Of))
	for v := range w.Of {
		differs[v] = !slices.Equal(w.Of[v], done[most].state.Weights.Of[v])
	}
	var border []int32
	for v, on := range net.Grow(net.Border(differs)) {
		if on {
			border = append(border, int32(v))
		}
	}
	e := weights.Edit(w, nil, nil, limits.Cap)
	e.Smooth(border, nil, 2, net)
	return e.Weights(), strings.Join(told, ", "), nil
}
