// Package bind is the stage at which the skin gets its weights, and says which
// joints have no solution and why.
package bind

import (
	"cmp"
	"fmt"
	"math"
	"strings"

	"wisemarrow/core/bind"
	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.RegisterStage(studio.Stage{Name: "bind", Title: "Bind", Question: "Does every vertex follow the right joints?", Order: 5,
		Touched: func(s *studio.State) bool { return s.Weights != nil },
		Reads:   []string{"skeleton", "bind", "weights", "binding"},
		Find: func(c *studio.Checked) []finding.Finding {
			if c.State.Bind == nil || c.State.Skeleton == nil {
				return nil
			}
			return append(age(c.State), studio.Remedied(c.State.Bind.Report.Findings(), remedies(c.State.Bind))...)
		},
		Steps: []studio.FirstStep{
			{What: "Bind", Done: studio.Has(studio.HasWeights)},
			{What: "Give every vertex weights", Done: studio.Without(studio.HasWeights, "unweighted_vertices")},
			{What: "Let layers follow the body", Done: studio.Without(studio.HasWeights, "layer_apart", "skin_through")},
			{What: "Fix what else is found", Done: studio.Settled(studio.HasWeights)},
			{What: "Go on to the motion check", Done: studio.Has(func(s *studio.State) bool { return s.Sheet != nil })},
		}})
}

// hungTold is how many reparented joints are told of in words, with the way back.
const hungTold = 3

// age reports what has become of the skeleton since the bind.
func age(s *studio.State) []finding.Finding {
	was := s.Bind.Skeleton
	if was == nil {
		return nil
	}
	tolerance := pose.MovedLimit(was)
	var moved, turned, hung, added, ways []string
	var back []finding.Remedy
	held := s.AwayFrom(0) == nil // where joints were moved on purpose and the bind pose was recorded anew
	far, most := 0.0, 0.0
	for _, j := range s.Skeleton.Joints {
		k := was.Index(j.Name)
		if k < 0 {
			added = append(added, j.Name)
			continue
		}
		b := was.Joints[k]
		if d := r3.Norm(r3.Sub(j.Pos, b.Pos)); d > tolerance {
			moved = append(moved, j.Name)
			far = math.Max(far, d)
		}
		if a := geom.Angle(j.Rot, b.Rot) * 180 / math.Pi; a > pose.TurnedLimit {
			turned = append(turned, j.Name)
			most = math.Max(most, a)
		}
		if parent(s.Skeleton, j) != parent(was, b) {
			hung = append(hung, j.Name)
			if len(ways) < hungTold {
				ways = append(
					ways,
					fmt.Sprintf(
						"%s: parent was %s, is %s",
						j.Name,
						cmp.Or(parent(was, b), "nothing"),
						cmp.Or(parent(s.Skeleton, j), "nothing"),
					),
				)
				if up := parent(was, b); up == "" || s.Skeleton.Index(up) >= 0 {
					back = append(
						back,
						studio.OfferOf(
							"Reparent "+j.Name+" to "+cmp.Or(up, "nothing"),
							"reparent_joint",
							map[string]any{"joints": []string{j.Name}, "parent": up},
						),
					)
				}
			}
		}
	}
	var out []finding.Finding
	add := func(code string, severity finding.Severity, title, why string, names []string, e finding.Evidence) {
		if names == nil {
			return
		}
		f := finding.Finding{
			Code:     code,
			Severity: severity,
			Count:    len(names),
			Title:    fmt.Sprintf(title, wording.Count(len(names), "joint has", "joints have")),
			Why:      why,
			Evidence: []finding.Evidence{e},
			Where:    finding.Where{Joints: names},
		}
		if severity == finding.Harms || code == "moved_since_bind" {
			f.Remedies = []finding.Remedy{again(s.Bind)}
		}
		out = append(out, f)
	}
	severity, why := finding.Harms, "The weights were computed for other positions, so the skin bends away from the joints."
	if held {
		severity, why = finding.Note, "The kept weights were computed for other positions: check at the next stages that they still fit."
	}
	add("moved_since_bind", severity, "%s moved since the bind", why, moved,
		finding.Evidence{What: "farthest move", Value: far, Limit: tolerance, Unit: "m"})
	add("added_since_bind", finding.Harms, "%s been added since the bind", "They move nothing: the bind did not include them.", added,
		finding.Evidence{What: "joints", Value: float64(len(added)), Limit: 0})
	add(
		"hung_since_bind",
		finding.Note,
		"%s been reparented since the bind",
		"The weights stay valid, but the hierarchy changed: "+strings.Join(ways, "; ")+".",
		hung,
		finding.Evidence{What: "joints", Value: float64(len(hung)), Limit: 0},
	)
	if hung != nil {
		out[len(out)-1].Remedies = back
	}
	add(
		"turned_since_bind",
		finding.Note,
		"%s been reoriented since the bind",
		"The weights stay valid; motions made for the earlier axes no longer fit.",
		turned,
		finding.Evidence{What: "largest rotation", Value: most, Limit: pose.TurnedLimit, Unit: "°"},
	)
	return out
}

// FirstPieces are as many pieces of a report as a panel shows.
func FirstPieces(list []bind.PieceReport) []bind.PieceReport { return list[:min(60, len(list))] }

// leads counts the joints of a report that lead vertices, and those that were to.
func leads(r bind.Report) (leading, asked int) {
	for _, j := range r.Joints {
		if j.State != bind.Idle {
			asked++
		}
		if j.State == bind.Solved {
			leading++
		}
	}
	return leading, asked
}

// AllLead reports whether every joint that was to leads vertices.
func AllLead(r bind.Report) bool {
	leading, asked := leads(r)
	return leading == asked
}

// Led says how many do.
func Led(r bind.Report) string {
	leading, asked := leads(r)
	return fmt.Sprintf("%d of %d joints lead vertices", leading, asked)
}

func parent(s *skeleton.Skeleton, j skeleton.Joint) string {
	if j.Parent < 0 {
		return ""
	}
	return s.Joints[j.Parent].Name
}
