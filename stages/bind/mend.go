package bind

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/pose"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "mend_bind",
			Label: "Repair the bind",
			Stage: "bind",
			Words: "remedy ladder repair unsolved weak unweighted fix automatic",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights},
			Long:  studio.Always,
			Keeps: true,
			New:   func() studio.Operation { return &MendBind{} },
		},
	)
}

// MendBind goes up a ladder of remedies until every vertex has weights and every joint leads
// some. Each is tried on a working copy and kept only where the numbers say that it is better.
// Steps picks among Rungs, nil is all; with Parts only their vertices are changed.
type MendBind struct {
	Steps []string `json:"steps,omitempty"`
	Parts []string `json:"parts,omitempty"`
}

// Rung is a remedy of the ladder.
type Rung struct {
	Name  string // as Steps has it
	Label string
	do    func(ctx context.Context, s studio.State, limits weights.Limits, progress studio.Progress) (studio.State, error)
}

// Rungs are the ladder, from what changes least.
func Rungs() []Rung {
	op := func(name string, more map[string]any) func(context.Context, studio.State, weights.Limits, studio.Progress) (studio.State,
		error) {
		return func(ctx context.Context, s studio.State, limits weights.Limits, progress studio.Progress) (studio.State, error) {
			params := map[string]any{}
			if strings.HasPrefix(name, "bind_") && name != "bind_joints" {
				params = map[string]any{"influences": limits.Cap, "trace": limits.Trace}
			}
			for k, v := range more {
				params[k] = v
			}
			next, _, err := do(ctx, s, name, params, progress)
			return next, err
		}
	}
	lost := func(method string) func(context.Context, studio.State, weights.Limits, studio.Progress) (studio.State, error) {
		return func(ctx context.Context, s studio.State, limits weights.Limits, progress studio.Progress) (studio.State, error) {
			var names []string
			for _, j := range s.Bind.Report.Joints {
				if j.State == bind.Unsolved || j.State == bind.Weak {
					names = append(names, j.Name)
				}
			}
			if names == nil {
				return s, errNothing
			}
			return op("bind_joints", map[string]any{"joints": names, "method": method})(ctx, s, limits, progress)
		}
	}
	return []Rung{
		{"beneath", "unweighted pieces follow the surface below", op("follow_beneath", map[string]any{"mode": bind.Auto})},
		{"joints", "joints that lead nothing, rebound through the volume", lost("volume")},
		{"auto", "automatic bind: repaired copy, robust Laplacian, closed shell, volume", op("bind_auto", nil)},
		{"shell", "bound over a closed shell", op("bind_shell", nil)},
		{"volume", "bound through the volume", op("bind_volume", nil)},
		{"near", "bound by distance", op("bind_near", nil)},
	}
}

var errNothing = errors.New("nothing to do")

// judged is what a bind is worth: fewer is better, in this order.
type judged struct {
	bare, lost int
	leak       float64 // the largest share of a joint's weight that is cut off from it
	longest    float64 // the most that an edge is of its length in the poses that are tried
	in         string  // the pose
}

func (j judged) String() string {
	out := fmt.Sprintf(
		"%s, %s, %.1f%% disconnected",
		wording.Count(j.bare, "unweighted vertex", "unweighted vertices"),
		wording.Count(j.lost, "joint leads nothing", "joints lead nothing"),
		100*j.leak,
	)
	if j.in != "" {
		out += fmt.Sprintf(", edges up to %.2g × length (%s)", j.longest, j.in)
	}
	return out
}

// better reports whether j is worth more than k by more than chance.
func (j judged) better(k judged) bool {
	switch {
	case j.bare != k.bare:
		return j.bare < k.bare
	case j.lost != k.lost:
		return j.lost < k.lost
	case math.Abs(j.leak-k.leak) > 0.01:
		return j.leak < k.leak
	}
	return j.longest < 0.9*k.longest
}

func (j judged) whole() bool { return j.bare == 0 && j.lost == 0 && j.leak <= 0.01 }

// judge measures a bind: what it left out, and how it stretches in the extremes of the joints
// that move most.
func judge(s studio.State) (judged, error) {
	out := judged{bare: len(s.Stray())}
	for _, j := range s.Bind.Report.Joints {
		if j.State == bind.Unsolved || j.State == bind.Weak {
			out.lost++
		}
		out.leak = math.Max(out.leak, j.Leak)
	}
	const poses, share = 24, 0.7
	skin, err := s.Skin()
	if err != nil {
		return out, err
	}
	list := deform.Affordable(pose.Extremes(s.Skeleton, s.Skeleton.Trials(s.Settings.Marks), share), s.Skeleton, s.Weights)
	for _, p := range list[:min(len(list), poses)] {
		if m := skin.MeasurePose(p.Pose); m.Longest > out.longest {
			out.longest, out.in = m.Longest, p.Name
		}
	}
	return out, nil
}

// Apply implements studio.Operation.
func (o *MendBind) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	rungs := Rungs()
	for _, name := range o.Steps {
		if !slices.ContainsFunc(rungs, func(r Rung) bool { return r.Name == name }) {
			return s, studio.Outcome{}, studio.Wrong("there is no step %q; it has beneath, joints, auto, shell, volume and near", name)
		}
	}
	keep, err := o.others(s)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	record := account(s)
	s.Bind = &record
	limits := record.Limits
	if limits.Cap == 0 {
		limits = bind.DefaultOptions.Limits
	}
	limits.Cap = min(limits.Cap, mostInfluences)
	before, err := judge(s)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if before.whole() {
		return s, studio.Outcome{}, studio.Wrong("every vertex has weights and every joint leads vertices: nothing to repair")
	}
	best, at := s, before
	out := studio.Outcome{Before: before.String(), Steps: []string{"Before: " + before.String()}}
	for i, r := range rungs {
		if at.whole() {
			break
		}
		if o.Steps != nil && !slices.Contains(o.Steps, r.Name) {
			continue
		}
		if studio.StopsEarly(ctx) {
			out.Steps = append(out.Steps, "Stopped before: "+r.Label)
			break
		}
		share := float64(i) / float64(len(rungs))
		progress("Trying: "+r.Label, share)
		within, end := studio.UntilEarlyStop(ctx)
		next, err := r.do(within, best, limits, func(what string, part float64) {
			progress(r.Label+": "+strings.ToLower(what[:min(1, len(what))])+what[min(1, len(what)):], share+part/float64(len(rungs)))
		})
		end()
		if ctx.Err() != nil {
			return s, studio.Outcome{}, ctx.Err()
		}
		if err != nil && studio.StopsEarly(ctx) {
			out.Steps = append(out.Steps, "Stopped during: "+r.Label)
			break
		}
		if err != nil {
			out.Steps = append(out.Steps, "Not "+r.Label+": "+err.Error())
			continue
		}
		if keep != nil {
			if next, err = withOthers(ctx, s, next, keep); err != nil {
				return s, studio.Outcome{}, err
			}
		}
		now, err := judge(next)
		if err != nil {
			return s, studio.Outcome{}, err
		}
		if now.better(at) {
			best, at = next, now
			out.Steps = append(out.Steps, "Used: "+r.Label+": "+now.String())
		} else {
			out.Steps = append(out.Steps, "Not used: "+r.Label+": "+now.String())
		}
	}
	if at == before && studio.StopsEarly(ctx) {
		return s, studio.Outcome{}, studio.Wrong(
			"stopped before a step of the ladder had made it better: nothing was changed. %s",
			strings.Join(out.Steps[1:], ". "),
		)
	}
	if at == before {
		return s, studio.Outcome{}, studio.Wrong("no step improves on %s. %s", before, strings.Join(out.Steps[1:], ". "))
	}
	for _, j := range best.Bind.Report.Joints {
		if j.State == bind.Unsolved || j.State == bind.Weak {
			out.Left = append(out.Left, fmt.Sprintf("%s leads nothing: %s", j.Name, j.Cause))
		}
	}
	out.After = at.String()
	out.Sentence = fmt.Sprintf(
		"Repaired the bind: unweighted vertices %d → %d, joints that lead nothing %d → %d",
		before.bare,
		at.bare,
		before.lost,
		at.lost,
	)
	return best, out, nil
}

// others marks the vertices that stay as they are; nil is none.
func (o *MendBind) others(s studio.State) ([]bool, error) {
	if len(o.Parts) == 0 {
		return nil, nil
	}
	_, changed, err := partsNamed(s.Mesh, o.Parts)
	if err != nil {
		return nil, err
	}
	keep := slices.Repeat([]bool{true}, len(s.Mesh.Points))
	for _, v := range changed {
		keep[v] = false
	}
	return keep, nil
}

// withOthers returns next with the weights of kept vertices as they were.
func withOthers(ctx context.Context, s, next studio.State, keep []bool) (studio.State, error) {
	w := &weights.Weights{Joints: next.Weights.Joints, Of: slices.Clone(next.Weights.Of), Mix: s.Weights.Mix}
	to := make([]int32, len(s.Weights.Joints))
	for k, name := range s.Weights.Joints {
		to[k] = w.Add(name)
	}
	for v, yes := range keep {
		if !yes {
			continue
		}
		w.Of[v] = weights.Renumbered(s.Weights.Of[v], to)
	}
	record := *next.Bind
	in, _ := s.Mesh.Bindable()
	layers := record.Report.Layers
	record.Report = *bind.Account(in, s.Skeleton, w, bind.Evidence{Method: record.Report.Method})
	record.Report.Layers = layers
	if err := record.Report.Relayered(ctx, in, s.Skeleton, w, next.Binding, nil); err != nil {
		return s, err
	}
	next.Weights, next.Bind = w, &record
	return next.Recounted(), nil
}
