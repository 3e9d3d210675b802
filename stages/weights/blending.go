package weights

import (
	"context"
	"fmt"

	"wisemarrow/core/deform"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "set_blending",
			Label: "Set how joints blend",
			Stage: "weights",
			Words: "dual quaternion linear mixed volume twist skinning",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &SetBlending{} },
		},
		studio.Entry{
			Name:  "drop_mix",
			Label: "Reset vertex blending",
			Stage: "weights",
			Words: "dual quaternion forget painted mix",
			From:  studio.FromForm,
			Needs: needs,
			New:   func() studio.Operation { return &DropMix{} },
		},
	)
}

// SetBlending says how much of what joints do to the skin is blended by dual quaternions: 0
// is none, all linear, 1 all. No joints are all. With vertices it is said of these, whatever their
// joints have.
type SetBlending struct {
	Joints   []string `json:"joints,omitempty"`
	Vertices string   `json:"vertices,omitempty"`
	Mix      float64  `json:"mix" as:"Blending" in:"0..1" help:"0 is linear, 1 dual quaternions"`
}

// Apply implements studio.Operation.
func (o *SetBlending) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if o.Vertices != "" {
		return o.vertices(s)
	}
	which := make([]int, len(s.Skeleton.Joints))
	for i := range which {
		which[i] = i
	}
	if len(o.Joints) > 0 {
		var err error
		if which, err = s.JointsNamed(o.Joints); err != nil {
			return s, studio.Outcome{}, err
		}
	}
	next := s.Skeleton.Clone()
	changed := 0
	for _, i := range which {
		if next.Joints[i].Mix != o.Mix {
			changed++
		}
		next.Joints[i].Mix = o.Mix
	}
	s.Skeleton = next
	out := studio.Outcome{
		Sentence: fmt.Sprintf("Set %s to blend %s: %d changed", wording.Count(len(which), "joint", "joints"), said(o.Mix), changed),
		After:    fmt.Sprint(changed),
	}
	if s.Weights != nil && s.Weights.Mix != nil {
		out.Steps = []string{fmt.Sprintf("%s kept their own setting", wording.Count(len(s.Weights.Mix.Vertices), "vertex", "vertices"))}
	}
	return s, out, nil
}

func said(mix float64) string {
	switch mix {
	case 0:
		return "linearly"
	case 1:
		return "by dual quaternions"
	}
	return fmt.Sprintf("with %.0f%% dual quaternions", 100*mix)
}

// vertices says it of vertices.
func (o *SetBlending) vertices(s studio.State) (studio.State, studio.Outcome, error) {
	if len(o.Joints) > 0 {
		return s, studio.Outcome{}, studio.Wrong("set blending for joints or for vertices, not both")
	}
	if s.Weights == nil {
		return s, studio.Outcome{}, studio.Wrong("no weights to blend yet: bind first")
	}
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	e := weights.EditMix(mixOf(&s), a.e.Open)
	for _, v := range a.vertices {
		if a.e.Open == nil || a.e.Open[v] {
			e.Give(v, weights.Clean([]weights.Influence{{Joint: 0, Value: 1 - o.Mix}, {Joint: 1, Value: o.Mix}}, weights.Limits{}))
		}
	}
	return mixed(s, e, "Let vertices blend "+said(o.Mix))
}

// DropMix takes back what was said of vertices, so that they blend as their joints do; no vertices
// are all.
type DropMix struct {
	Vertices string `json:"vertices,omitempty"`
}

// Apply implements studio.Operation.
func (o *DropMix) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	all := s.Weights.Mix.All(len(s.Weights.Of))
	if all == nil {
		return s, studio.Outcome{}, studio.Wrong("no vertex has its own blending: all do as their joints")
	}
	a, err := begin(s, o.Vertices)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	a.only()
	dropped := 0
	for v := range all {
		if all[v] >= 0 && (a.e.Open == nil || a.e.Open[v]) {
			all[v] = weights.ByJoints
			dropped++
		}
	}
	if dropped == 0 {
		return s, studio.Outcome{}, studio.Wrong("none of these vertices has its own blending, or they are hidden")
	}
	w := *s.Weights
	if w.Mix = weights.MixOf(all); w.Mix == nil {
		w.Mix = &weights.Mix{} // taken away, and not only not said
	}
	s.Weights = &w
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Let %s blend as their joints do", wording.Count(dropped, "vertex", "vertices")),
		After:    fmt.Sprint(dropped),
	}, nil
}

// mixOf is how much of each vertex goes by dual quaternions, whoever says so.
func mixOf(s *studio.State) []float64 {
	if all := deform.Mixes(s.Skeleton, s.Weights); all != nil {
		return all
	}
	return make([]float64, len(s.Weights.Of))
}

// mixed returns the state with the mix of the vertices that an editor has changed.
func mixed(s studio.State, e *weights.Editor, what string) (studio.State, studio.Outcome, error) {
	n := len(e.Changed())
	if n == 0 {
		return s, studio.Outcome{}, studio.Wrong(
			"nothing changed: no vertex is within the radius, they have that blending already, or they are hidden or not selected",
		)
	}
	before := 0
	if s.Weights.Mix != nil {
		before = len(s.Weights.Mix.Vertices)
	}
	s.Weights = e.Mixed(s.Weights)
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("%s: %s", what, wording.Count(n, "vertex", "vertices")),
		Before:   fmt.Sprint(before),
		After:    fmt.Sprint(len(s.Weights.Mix.Vertices)),
	}, nil
}

// Blends says how the joints of a skeleton blend, and of how many vertices it was said apart.
func Blends(s *skeleton.Skeleton, w *weights.Weights) string {
	if s == nil {
		return ""
	}
	said := ""
	if w != nil && w.Mix != nil {
		said = fmt.Sprintf(" %s set by hand.", wording.Count(len(w.Mix.Vertices), "vertex", "vertices"))
	}
	n, whole := 0, true
	for _, j := range s.Joints {
		if j.Mix > 0 {
			n++
		}
		whole = whole && j.Mix == 1
	}
	switch {
	case n == 0:
		return "All joints blend linearly." + said
	case whole:
		return "All joints blend by dual quaternions." + said
	}
	return fmt.Sprintf("%d of %d joints blend by dual quaternions, in part or whole.", n, len(s.Joints)) + said
}
