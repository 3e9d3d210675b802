// Package handoff is the last stage: what is open, and the files that the next
// department takes.
package handoff

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.RegisterStage(
		studio.Stage{Name: "handoff", Title: "Handoff", Question: "Will the next department's software accept it?", Order: 9,
			Touched: func(s *studio.State) bool { return s.Weights != nil },
			Find:    find,
			Steps: []studio.FirstStep{
				{What: "Run the motion check", Done: studio.Has(func(s *studio.State) bool { return s.Sheet != nil && !s.Sheet.Stale })},
				{What: "Clear what blocks", Done: func(s *studio.State, r *studio.Reviewed) bool {
					return s.Weights != nil && r.State != studio.Checking && finding.Worst(r.Findings) != finding.Blocks
				}},
				{What: "Fix or accept what else is found", Done: studio.Settled(studio.HasWeights)},
			}},
	)
}

var legalName = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_.]{0,62}$`)

// find holds the state against what the next program needs.
func find(c *studio.Checked) []finding.Finding {
	s := c.State
	out := held(c)
	block := func(code, title, why string, e finding.Evidence, joints []string) {
		out = append(out, finding.Finding{Code: code, Severity: finding.Blocks, Count: max(1, len(joints)), Title: title, Why: why,
			Evidence: []finding.Evidence{e}, Where: finding.Where{Joints: joints}})
	}
	if s.Weights == nil {
		block(
			"not_bound",
			"The character is not bound yet",
			"Without weights there is no skin to hand over; mesh and skeleton can be downloaded separately.",
			finding.Evidence{What: "vertices with weights", Value: 0, Limit: 1},
			nil,
		)
		return append(out, open(c)...)
	}
	if n := len(s.Stray()); n > 0 {
		block(
			"unweighted_vertices",
			wording.Count(n, "vertex has no weights", "vertices have no weights"),
			"The file format needs weights that sum to 1 everywhere; these would go to the root.",
			finding.Evidence{What: "vertices without weights", Value: float64(n), Limit: 0},
			nil,
		)
		for _, f := range c.Found("bind") {
			if f.Code == "unweighted_vertices" {
				out[len(out)-1].Where, out[len(out)-1].Remedies = f.Where, f.Remedies
			}
		}
	}
	if b := s.Binding; b != nil && len(b.Records) > 1 {
		block(
			"several_binds",
			fmt.Sprintf("The skin was bound in %d poses", len(b.Records)),
			"A file has one bind pose. Unify them at Bind pose and remove unused ones.",
			finding.Evidence{What: "bind poses", Value: float64(len(b.Records)), Limit: 1},
			nil,
		)
	}
	var bad []string
	for _, j := range s.Skeleton.Joints {
		if !legalName.MatchString(j.Name) {
			bad = append(bad, j.Name)
		}
	}
	if bad != nil {
		block(
			"illegal_names",
			fmt.Sprintf("%d joint names may change on export", len(bad)),
			"Other programs replace spaces and signs in names, and the clips no longer find their joints.",
			finding.Evidence{What: "names beyond letters, digits, underscore", Value: float64(len(bad)), Limit: 0},
			bad,
		)
	}
	if s.Mesh.Framed() {
		out = append(
			out,
			finding.Finding{
				Code:     "transform_not_identity",
				Severity: finding.Note,
				Count:    1,
				Title:    "The transform will be baked on the way out",
				Why:      "A skinned mesh ignores the transform of its node, so world positions are written.",
				Evidence: []finding.Evidence{{What: "parts with a transform", Value: 1, Limit: 0}},
			},
		)
	}
	if apart, in, vertex := deform.LinearApart(s.Mesh.World(), s.Weights, s.Skeleton, s.Binding, s.Settings.Marks); apart > 0 {
		var mends []finding.Remedy
		if slices.ContainsFunc(s.Skeleton.Joints, func(j skeleton.Joint) bool { return j.Mix > 0 }) {
			mends = append(mends, studio.OfferOf("Use linear blending here too", "set_blending", map[string]any{"mix": 0}))
		}
		if s.Weights.Mix != nil {
			mends = append(mends, studio.OfferOf("Reset vertex blending", "drop_mix", nil))
		}
		out = append(
			out,
			finding.Finding{Code: "blending_linear", Severity: finding.Note, Count: 1, Title: "The file carries linear blending only",
				Why: "Some of the skin blends by dual quaternions here, which glTF has no word for; the program that takes the file blends linearly, unless it asks for the attribute _DUAL_QUATERNION_SHARE, which goes along. The place that differs most does so in " + in + ".",
				Evidence: []finding.Evidence{
					{What: "largest vertex difference", Value: apart, Unit: "m"},
				}, Where: finding.Where{Vertices: []int32{vertex}},
				Remedies: mends},
		)
	}
	if longest(s.Weights) > Caps[0] {
		if c := Costs(s)[0]; c.Over {
			out = append(out, finding.Finding{
				Code: "cap_cost", Severity: finding.Note, Count: c.Changed,
				Title: fmt.Sprintf("Up to %d influences moves the skin by up to %s", c.Influences, wording.Length(c.Farthest)),
				Why: fmt.Sprintf(
					"Some vertices follow more joints than that. The file with the usual cap bends differently, most in %q: choose a higher one below if the target takes it, or cap the weights at Weights and look at them.",
					c.Pose,
				),
				Evidence: []finding.Evidence{{What: "farthest from the skin with all weights", Value: c.Farthest, Limit: costShows * c.Farthest / c.Share, Unit: "m"}},
				Where:    finding.Where{Vertices: []int32{c.Vertex}},
				Remedies: []finding.Remedy{studio.OfferOf("Solve under the cap", "solve_weights", map[string]any{"influences": c.Influences, "take": "always"})},
			})
		}
	}
	var long []pose.Tried
	for _, c := range s.Poses {
		if c.Lengthens() != nil {
			p, _ := c.AboutOwn(s.Skeleton).At(0)
			long = append(long, pose.Tried{Name: c.Name, Pose: p})
		}
	}
	if apart, in, vertex := deform.LengthenedApart(s.Mesh.World(), s.Weights, s.Skeleton, s.Binding, long); len(long) > 0 {
		where := finding.Where{}
		if vertex >= 0 {
			where.Vertices = []int32{vertex}
		}
		out = append(
			out,
			finding.Finding{
				Code:     "joints_lengthen",
				Severity: finding.Note,
				Count:    len(long),
				Title:    fmt.Sprintf("Joints are lengthened in %s", wording.Count(len(long), "kept pose", "kept poses")),
				Why:      "A non-uniform scale would shear a joint's descendants, so the reel's file moves them instead: the skin stretches where weights change, not along the bone, and does not get thinner. BVH keeps all lengths. Largest difference in " + in + ".",
				Evidence: []finding.Evidence{{What: "largest vertex difference", Value: apart, Unit: "m"}},
				Where:    where,
			},
		)
	}
	most := 0
	for _, x := range s.Weights.Of {
		most = max(most, len(x))
	}
	if most > 4 && s.Settings.Profile == nil { // a profile has its own limit
		out = append(
			out,
			finding.Finding{
				Code:     "many_influences",
				Severity: finding.Note,
				Count:    most,
				Title:    fmt.Sprintf("Some vertices have %d influences", most),
				Why:      "Four is what most real-time targets take; the file needs a second set.",
				Evidence: []finding.Evidence{{What: "influences of the busiest vertex", Value: float64(most), Limit: 4}},
			},
		)
	}
	return append(out, open(c)...)
}

// open tells for each stage before this one what is open there, with the gravest of its
// severities: it goes along with the file.
func open(c *studio.Checked) []finding.Finding {
	var out []finding.Finding
	for _, stage := range studio.Stages() {
		if stage.Name == "handoff" {
			break
		}
		list := c.Found(stage.Name)
		var titles []string
		for _, f := range list {
			if f.Severity != finding.Note {
				titles = append(titles, f.Title)
			}
		}
		if titles == nil {
			continue
		}
		n := len(titles)
		told := strings.Join(titles[:min(n, titlesTold)], ". ") + "."
		if n > titlesTold {
			told += fmt.Sprintf(" And %d more.", n-titlesTold)
		}
		title := fmt.Sprintf("%s: %d open findings", stage.Title, n)
		if n == 1 {
			title = stage.Title + ": a finding is open"
		}
		out = append(out, finding.Finding{Code: "open_" + stage.Name, Severity: finding.Worst(list), Count: n, Title: title,
			Why: told + " Open findings stay in the file.", Evidence: []finding.Evidence{{What: "findings that block or harm", Value: float64(n), Limit: 0}},
			Remedies: []finding.Remedy{{Label: "Go to " + stage.Title, Opens: "stage/" + stage.Name}}})
	}
	return out
}

// titlesTold is how many findings of a stage are named.
const titlesTold = 5
