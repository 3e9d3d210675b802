package studio

import (
	"fmt"
	"math"
	"regexp"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// Stage is one step of the work on a character and what is to be said of it.
type Stage struct {
	Name     string            `json:"name"`
	Title    string            `json:"title"`
	Question string            `json:"question"`
	State    string            `json:"state"` // untouched, findings, clear
	Findings []finding.Finding `json:"findings"`
}

// StageNames are the stages in the order of the work.
var StageNames = []string{"intake", "placement", "axes", "bind", "weights", "handoff"}

var stageTexts = map[string][2]string{
	"intake":    {"Intake", "Is this mesh fit to be bound?"},
	"placement": {"Placement", "Is every joint where the anatomy turns?"},
	"axes":      {"Axes", "Does every joint turn about the axis one expects?"},
	"bind":      {"Bind", "Does every vertex follow the right joints?"},
	"weights":   {"Weights & pose", "Does it bend as it should, and who moves what?"},
	"handoff":   {"Handoff", "Will the next department's program take it as it is?"},
}

// Review is what is known of a state: the facts of its mesh and its stages.
type Review struct {
	Facts  mesh.Facts `json:"facts"`
	Guess  mesh.Guess `json:"guess"`
	Stages []Stage    `json:"stages"`
}

// Stage returns the stage of that name.
func (r *Review) Stage(name string) *Stage {
	for i := range r.Stages {
		if r.Stages[i].Name == name {
			return &r.Stages[i]
		}
	}
	return nil
}

// review computes all findings of a state; m is the check of its mesh, nil
// without one.
func review(s *State, m *measured) *Review {
	r := &Review{}
	found := map[string][]finding.Finding{}
	touched := map[string]bool{"intake": s.Mesh != nil, "placement": s.Skeleton != nil, "axes": s.Skeleton != nil,
		"bind": s.Weights != nil, "weights": s.Weights != nil, "handoff": s.Weights != nil}
	if s.Mesh != nil {
		r.Facts, found["intake"] = m.facts, m.findings
		r.Guess = s.Mesh.GuessPlacement()
	}
	if s.Skeleton != nil && s.Mesh != nil {
		found["placement"] = append(s.Skeleton.CheckPlacement(m.surface.Tree, s.Settings.Marks), health.Rings(m.surface, s.Skeleton)...)
		c := s.Settings.Convention
		found["axes"] = s.Skeleton.CheckAxes(c, s.Settings.Marks, finding.Remedy{Label: "Set the axes of all joints", Op: "set_axes",
			Params: map[string]any{"aim": c.Aim, "bend": c.Bend, "from": c.From, "world": c.World, "sides": c.Sides}})
	}
	if s.Bind != nil {
		found["bind"] = append(bindAge(s), s.Bind.Report.Findings()...)
	}
	found["handoff"] = handoffFindings(s, found)
	for _, name := range StageNames {
		st := Stage{Name: name, Title: stageTexts[name][0], Question: stageTexts[name][1], Findings: found[name], State: "untouched"}
		if st.Findings == nil {
			st.Findings = []finding.Finding{}
		}
		if touched[name] {
			st.State = "clear"
			if w := finding.Worst(st.Findings); w == finding.Blocks || w == finding.Harms {
				st.State = "findings"
			}
		}
		r.Stages = append(r.Stages, st)
	}
	return r
}

// bindAge reports joints that have moved since the bind.
func bindAge(s *State) []finding.Finding {
	var names []string
	worst := 0.0
	for _, j := range s.Skeleton.Joints {
		k := s.Bind.Skeleton.Index(j.Name)
		if k < 0 {
			names = append(names, j.Name)
			continue
		}
		if d := r3.Norm(r3.Sub(j.Pos, s.Bind.Skeleton.Joints[k].Pos)); d > 1e-5 {
			names = append(names, j.Name)
			worst = math.Max(worst, d)
		}
	}
	if names == nil {
		return nil
	}
	o := s.Bind.Options
	return []finding.Finding{{Code: "moved_since_bind", Severity: finding.Harms, Count: len(names),
		Title:    fmt.Sprintf("%d joints have moved since the bind", len(names)),
		Why:      "The weights were found for other places; the skin will bend beside the joints.",
		Evidence: []finding.Evidence{{What: "farthest move", Value: worst, Limit: 0, Unit: "m"}},
		Where:    finding.Where{Joints: names},
		Remedies: []finding.Remedy{{Label: "Bind again with the same settings", Op: "bind_heat",
			Params: map[string]any{"influences": o.Influences, "trace": o.Trace, "heat": o.Heat, "skip": o.Skip}}}}}
}

var legalName = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]{0,62}$`)

// handoffFindings holds the state against what the next program needs.
func handoffFindings(s *State, found map[string][]finding.Finding) []finding.Finding {
	var out []finding.Finding
	block := func(code, title, why string, e finding.Evidence, joints []string) {
		out = append(out, finding.Finding{Code: code, Severity: finding.Blocks, Count: max(1, len(joints)), Title: title, Why: why,
			Evidence: []finding.Evidence{e}, Where: finding.Where{Joints: joints}})
	}
	if s.Weights == nil {
		block("not_bound", "The character is not bound yet", "Without weights there is no skin to hand over; mesh and skeleton can be had on their own.",
			finding.Evidence{What: "vertices with weights", Value: 0, Limit: 1}, nil)
		return out
	}
	if n := len(s.stray()); n > 0 {
		block("unweighted_vertices", fmt.Sprintf("%d vertices have no weights", n), "The file format needs weights that sum to 1 everywhere; these would be given to the root.",
			finding.Evidence{What: "vertices without weights", Value: float64(n), Limit: 0}, nil)
		for _, f := range found["bind"] {
			if f.Code == "unweighted_vertices" {
				out[len(out)-1].Where, out[len(out)-1].Remedies = f.Where, f.Remedies
			}
		}
	}
	var bad []string
	for _, j := range s.Skeleton.Joints {
		if !legalName.MatchString(j.Name) {
			bad = append(bad, j.Name)
		}
	}
	if bad != nil {
		block("illegal_names", fmt.Sprintf("%d joint names may not survive", len(bad)), "Other programs replace spaces and signs in names, and the clips no longer find their joints.",
			finding.Evidence{What: "names beyond letters, digits, underscore", Value: float64(len(bad)), Limit: 0}, bad)
	}
	if s.Mesh.Framed() {
		out = append(out, finding.Finding{Code: "transform_not_identity", Severity: finding.Note, Count: 1, Title: "The transform will be baked on the way out",
			Why: "A skinned mesh ignores the transform of its node, so the file gets world positions.", Evidence: []finding.Evidence{{What: "parts with a transform", Value: 1, Limit: 0}}})
	}
	most := 0
	for _, x := range s.Weights.Of {
		most = max(most, len(x))
	}
	if most > 4 {
		out = append(out, finding.Finding{Code: "many_influences", Severity: finding.Note, Count: most, Title: fmt.Sprintf("Some vertices follow %d joints", most),
			Why: "Four is what most real-time targets take; the file gets a second set of influences.", Evidence: []finding.Evidence{{What: "influences of the busiest vertex", Value: float64(most), Limit: 4}}})
	}
	for _, stage := range []string{"bind", "axes"} {
		if w := finding.Worst(found[stage]); w == finding.Blocks || w == finding.Harms {
			out = append(out, finding.Finding{Code: "open_" + stage, Severity: finding.Harms, Count: len(found[stage]),
				Title: fmt.Sprintf("The %s stage has open findings", stage), Why: "They go along with the file.",
				Evidence: []finding.Evidence{{What: "findings", Value: float64(len(found[stage])), Limit: 0}}})
		}
	}
	return out
}
