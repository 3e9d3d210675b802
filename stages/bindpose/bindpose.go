// Package bindpose is the stage at which the skeleton knows the pose that the skin was
// bound in, and gets back to it.
package bindpose

import (
	"fmt"
	"math"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/pose"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.RegisterStage(
		studio.Stage{Name: "bindpose", Title: "Bind pose", Question: "Is there one bind pose, and can the skeleton return to it?", Order: 4,
			Touched: func(s *studio.State) bool { return s.Binding != nil && s.Weights != nil },
			Reads:   []string{"mesh", "parts", "skeleton", "weights", "binding", "settings"},
			Find:    func(c *studio.Checked) []finding.Finding { return Check(c.State) },
			Steps: []studio.FirstStep{
				{What: "Bind first: there is no bind pose before", Done: studio.Has(studio.HasWeights)},
				{What: "Keep one bind pose", Done: studio.Without(studio.HasWeights, "several_binds", "unused_bind")},
				{
					What: "Return joints that moved, or record them again",
					Done: studio.Without(studio.HasWeights, "moved_under_skin", "missing_in_bind", "hung_since_bind_pose"),
				},
				{What: "Fix what else is found", Done: studio.Settled(studio.HasWeights)},
			}},
	)
}

const (
	// stretchLimit is how far a matrix may be from a rigid one: what four digits in a file
	// leave (common practice, no source).
	stretchLimit = 1e-3
	// maxShown is how many vertices of a finding are shown.
	maxShown = 20_000
)

// Report is how the bind pose of a character stands.
type Report struct {
	Records []RecordReport
	Drifts  []pose.Drift // of joints that stand or hang elsewhere, in any record, those that move the skin first
	// AtBind is the farthest that the skin is from the mesh when the joints stand in the
	// first record, Now where they stand: metres.
	AtBind, Now   float64
	Limit         float64 // metres from which a joint or the skin counts as moved
	Loose         bool
	Elsewhere     bool
	strayed, away []int32 // vertices off at the bind pose, and now
}

// RecordReport is one record.
type RecordReport struct {
	Name             string
	Vertices, Pieces int
	Off              int // joints that stand elsewhere
}

// Of measures the bind pose of a bound character; nil without one.
func Of(s *studio.State) *Report {
	if s.Binding == nil || s.Weights == nil || s.Skeleton == nil || s.Mesh == nil {
		return nil
	}
	b := s.Binding
	r := &Report{Loose: s.Settings.Loose, Elsewhere: s.Settings.Elsewhere, Limit: pose.MovedLimit(s.Skeleton)}
	used := b.Used(len(s.Mesh.Points))
	pieces := make([]map[int32]bool, len(used))
	for i := range pieces {
		pieces[i] = map[int32]bool{}
	}
	if len(used) > 1 {
		for v, p := range s.Mesh.Pieces().OfVertex {
			if p >= 0 {
				pieces[b.RecordOf(v)][p] = true
			}
		}
	}
	moves := moving(s)
	for k := range b.Records {
		one := RecordReport{Name: b.Records[k].Name, Vertices: used[k], Pieces: len(pieces[k])}
		for _, d := range b.Drifts(s.Skeleton, k) {
			off := d.Off(r.Limit, pose.TurnedLimit)
			if off {
				one.Off++
			}
			if (off || d.Hung || d.Singular || d.Stretch > stretchLimit || d.Missing && moves[d.Joint]) && used[k] > 0 {
				r.Drifts = append(r.Drifts, d)
			}
		}
		r.Records = append(r.Records, one)
	}
	points := s.Mesh.World()
	if len(b.Records) > 1 || len(r.Drifts) > 0 {
		r.AtBind, r.strayed = farthest(points, deform.Bound(points, s.Weights, b.Restored(s.Skeleton, 0), nil, b), r.Limit)
		r.Now, r.away = farthest(points, deform.Bound(points, s.Weights, s.Skeleton, nil, b), r.Limit)
	}
	return r
}

// moving returns the joints that have weights.
func moving(s *studio.State) map[string]bool {
	has := make([]bool, len(s.Weights.Joints))
	for _, list := range s.Weights.Of {
		for _, x := range list {
			has[x.Joint] = true
		}
	}
	out := map[string]bool{}
	for k, yes := range has {
		if yes {
			out[s.Weights.Joints[k]] = true
		}
	}
	return out
}

// farthest returns the longest way of a vertex, and those that went farther than a limit.
func farthest(from, to []r3.Vec, limit float64) (far float64, off []int32) {
	for v := range from {
		d := r3.Norm(r3.Sub(to[v], from[v]))
		far = math.Max(far, d)
		if d > limit {
			off = append(off, int32(v))
		}
	}
	return far, off
}

// Check tells what is wrong with the bind pose.
func Check(s *studio.State) []finding.Finding {
	r := Of(s)
	if r == nil {
		return nil
	}
	var out []finding.Finding
	var moved, turned, hung, missing, singular, stretched names
	far, most, stretch := 0.0, 0.0, 0.0
	for _, d := range r.Drifts {
		switch {
		case d.Missing:
			missing.add(d.Joint)
		case d.Singular:
			singular.add(d.Joint)
		}
		if d.Stretch > stretchLimit && !d.Singular {
			stretched.add(d.Joint)
			stretch = math.Max(stretch, d.Stretch)
		}
		if d.Record > 0 {
			continue // of the other records their own finding tells
		}
		switch {
		case d.Distance > r.Limit:
			moved.add(d.Joint)
		case d.Degrees > pose.TurnedLimit:
			turned.add(d.Joint)
		}
		if d.Off(r.Limit, pose.TurnedLimit) {
			far, most = math.Max(far, d.Distance), math.Max(most, d.Degrees)
		}
		if d.Hung {
			hung.add(d.Joint)
		}
	}
	skin := func(value float64, off []int32) []finding.Evidence {
		return []finding.Evidence{
			{What: "largest skin error", Value: value, Limit: r.Limit, Unit: "m"},
			{What: "vertices off", Value: float64(len(off))},
		}
	}
	back := studio.Offer("Return to the bind pose", &RestoreBind{})
	record := func(list names) finding.Remedy {
		return studio.Offer("Record them again", &RecordBind{Joints: list.list})
	}
	keep := studio.Offer("Make this the bind pose", &RestPose{})
	if len(singular.list) > 0 {
		out = append(
			out,
			finding.Finding{
				Code:     "singular_bind",
				Severity: finding.Blocks,
				Count:    len(singular.list),
				Title:    joints(len(singular.list), "has a non-invertible bind matrix", "have non-invertible bind matrices"),
				Why:      "The skin does not follow these joints here; other programs may collapse or hide it. Record them again.",
				Evidence: []finding.Evidence{
					{What: "joints", Value: float64(len(singular.list))},
				},
				Where:    finding.Where{Joints: singular.list},
				Remedies: []finding.Remedy{record(singular)},
			},
		)
	}
	if len(missing.list) > 0 {
		out = append(
			out,
			finding.Finding{
				Code:     "missing_in_bind",
				Severity: finding.Blocks,
				Count:    len(missing.list),
				Title:    joints(len(missing.list), "has weights but no bind pose", "have weights but no bind pose"),
				Why:      "The skin cannot follow them: their positions at bind time are unknown. Record them.",
				Evidence: []finding.Evidence{
					{What: "joints", Value: float64(len(missing.list))},
				},
				Where:    finding.Where{Joints: missing.list},
				Remedies: []finding.Remedy{record(missing)},
			},
		)
	}
	if n := len(r.Records); n > 1 {
		var others []string
		for _, x := range r.Records[1:] {
			if x.Vertices > 0 {
				others = append(
					others,
					fmt.Sprintf("%s: %d pieces, %d vertices, %d joints differ now", x.Name, x.Pieces, x.Vertices, x.Off),
				)
			}
		}
		if len(others) > 0 {
			told := others[:min(len(others), 4)]
			out = append(
				out,
				finding.Finding{
					Code:     "several_binds",
					Severity: finding.Harms,
					Count:    len(others) + 1,
					Title:    fmt.Sprintf("The skin was bound in %d poses", len(others)+1),
					Why:      "In any one of them, some pieces are distorted. " + sentences(told),
					Evidence: skin(r.AtBind, r.strayed),
					Where:    finding.Where{Vertices: r.strayed[:min(len(r.strayed), maxShown)]},
					Remedies: []finding.Remedy{studio.Offer("Unify to the first record", &UnifyBind{}), keep},
				},
			)
		}
		if unused := n - 1 - len(others); unused > 0 || r.Records[0].Vertices == 0 {
			out = append(
				out,
				finding.Finding{
					Code:     "unused_bind",
					Severity: finding.Note,
					Count:    max(1, unused),
					Title:    wording.Count(max(1, unused), "recorded bind pose is unused", "recorded bind poses are unused"),
					Why:      "It does no harm here; other programs carry it along and may go back to it.",
					Evidence: []finding.Evidence{{What: "records without a vertex", Value: float64(max(1, unused))}},
					Remedies: []finding.Remedy{studio.Offer("Remove unused", &DropRecords{})},
				},
			)
		}
	}
	if list := append(moved.list, turned.list...); len(list) > 0 {
		all := names{list: list}
		title := joints(len(list), "moved since the bind", "moved since the bind")
		out = append(out, finding.Finding{Code: "moved_under_skin", Severity: finding.Harms, Count: len(list), Title: title,
			Why: "They are away from the bind pose, so the skin is distorted even at rest. Return to it, or record them where they are.",
			Evidence: append(
				[]finding.Evidence{
					{What: "farthest move", Value: far, Limit: r.Limit, Unit: "m"},
					{What: "largest rotation", Value: most, Limit: pose.TurnedLimit, Unit: "°"},
				},
				skin(r.Now, r.away)...),
			Where: finding.Where{Joints: list}, Remedies: []finding.Remedy{back, record(all), keep}})
	}
	if len(stretched.list) > 0 {
		out = append(
			out,
			finding.Finding{
				Code:     "stretched_bind",
				Severity: finding.Harms,
				Count:    len(stretched.list),
				Title:    joints(len(stretched.list), "was bound with a scale or shear", "were bound with a scale or shear"),
				Why:      "Its scale was not 1 at bind time, so the skin shrinks or grows there.",
				Evidence: append(
					[]finding.Evidence{{What: "scale or shear, at most", Value: stretch, Limit: stretchLimit}},
					skin(r.Now, r.away)...),
				Where:    finding.Where{Joints: stretched.list},
				Remedies: []finding.Remedy{record(stretched), keep},
			},
		)
	}
	if len(hung.list) > 0 {
		out = append(
			out,
			finding.Finding{
				Code:     "hung_since_bind_pose",
				Severity: finding.Note,
				Count:    len(hung.list),
				Title:    joints(len(hung.list), "was reparented since the bind", "were reparented since the bind"),
				Why:      "The skin does not move, but the hierarchy changed. Returning keeps their parents as they are.",
				Evidence: []finding.Evidence{
					{What: "joints", Value: float64(len(hung.list))},
				},
				Where:    finding.Where{Joints: hung.list},
				Remedies: []finding.Remedy{studio.Offer("This is intended: record it", &RecordBind{Joints: hung.list})},
			},
		)
	}
	if r.Loose {
		out = append(out, finding.Finding{Code: "loose_skin", Severity: finding.Note, Count: 1, Title: "The skin is loose",
			Why: "Joints move without it, and the bind pose follows. Reattach it when they are in position.", Evidence: []finding.Evidence{{What: "the skin is off by", Value: r.Now, Limit: r.Limit, Unit: "m"}},
			Remedies: []finding.Remedy{studio.Offer("Reattach the skin", &TakeHold{})}})
	}
	return out
}

// names is a list of joints, each once.
type names struct {
	list []string
	has  map[string]bool
}

func (n *names) add(name string) {
	if n.has == nil {
		n.has = map[string]bool{}
	}
	if !n.has[name] {
		n.has[name] = true
		n.list = append(n.list, name)
	}
}

func joints(n int, one, many string) string { return wording.Count(n, "joint "+one, "joints "+many) }

func sentences(list []string) string {
	out := ""
	for _, x := range list {
		out += x + ". "
	}
	return out
}
