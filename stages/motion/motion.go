// Package motion is the stage at which a bound character is tried in motion: a test reel is built from its
// skeleton, every frame is measured, and what is wrong leads to the place and the joint to blame.
package motion

import (
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.RegisterStage(
		studio.Stage{Name: "motion", Title: "Motion check", Question: "Does it bend, twist and fold cleanly through its range?", Order: 7,
			Touched: func(s *studio.State) bool { return s.Sheet != nil },
			Reads:   []string{"sheet", "weights"},
			Find:    func(c *studio.Checked) []finding.Finding { return find(c.State) },
			Steps: []studio.FirstStep{
				{What: "Run the test reel", Done: studio.Has(func(s *studio.State) bool { return s.Sheet != nil })},
				{
					What: "Go to the worst spot and fix it",
					Done: studio.Has(func(s *studio.State) bool { return s.Sheet != nil && s.Sheet.Over == 0 }),
				},
				{
					What: "Run the reel again after changes",
					Done: studio.Has(func(s *studio.State) bool { return s.Sheet != nil && !s.Sheet.Stale }),
				},
			}},
	)
}

// Says is what each kind of fault is called, and why it matters.
var Says = map[string]struct{ Title, Why string }{
	deform.FaultSpill: {
		"moves skin that belongs to another joint",
		"Skin far from the joint moves with it, because it has weight there that it should not.",
	},
	deform.FaultStretch: {"stretches the skin", "Neighbors follow quite different joints, so the edge between them stretches many times."},
	deform.FaultCrush:   {"presses the skin together", "Neighbors follow quite different joints, so they collapse together."},
	deform.FaultPinch: {
		"folds the skin sharply",
		"Adjacent faces fold onto each other: too few edge loops, or weights change too abruptly.",
	},
	deform.FaultFlip:   {"turns faces inside out", "Faces flip against the skin around them."},
	deform.FaultVolume: {"changes a limb's volume", "The limb about the joint collapses or bulges as it bends or twists."},
	deform.FaultCross:  {"pushes the skin through itself", "Parts of the skin that were apart at rest go through each other."},
	deform.FaultRigid: {
		"bends what should keep its shape",
		"A plate, a button, or a card that follows a mix of joints shrinks and shears as they move. Give it to the joint that it is fastened to.",
	},
	deform.FaultThrough: {"pokes skin through a layer", "Cloth vertices end up under the body they cover."},
}

// placesNamed is how many places a finding names.
const placesNamed = 3

// find tells what the score sheet says, by kind of fault.
func find(s *studio.State) []finding.Finding {
	if s.Weights == nil {
		return nil
	}
	again := []finding.Remedy{studio.Offer("Run the test reel", &CheckMotion{ReelRequest: studio.Usual})}
	switch {
	case s.Sheet == nil:
		return []finding.Finding{
			{
				Code:     "motion_untried",
				Severity: finding.Note,
				Count:    1,
				Title:    "Not tested in motion yet",
				Why:      "Every joint is rotated through its usual range and every frame is measured; until then, how it bends is unknown.",
				Evidence: []finding.Evidence{{What: "frames measured", Value: 0, Limit: 0}},
				Remedies: again,
			},
		}
	case s.Sheet.Stale:
		return []finding.Finding{
			{
				Code:     "motion_stale",
				Severity: finding.Note,
				Count:    1,
				Title:    "Changed since the last motion check",
				Why:      "The results below are from before the change.",
				Evidence: []finding.Evidence{{What: "average ratio to limit then", Value: s.Sheet.Score, Limit: 1}},
				Remedies: again,
			},
		}
	}
	var out []finding.Finding
	if s.Sheet.Rest > 0 {
		out = append(
			out,
			finding.Finding{
				Code:     "motion_rest",
				Severity: finding.Harms,
				Count:    1,
				Title:    "The skin moves at rest",
				Why:      "In the pose in which it was bound every vertex should be exactly where it is.",
				Evidence: []finding.Evidence{{What: "farthest", Value: s.Sheet.Rest, Unit: "m"}},
			},
		)
	}
	for _, kind := range deform.FaultKinds {
		f := finding.Finding{Code: "motion_" + kind, Severity: finding.Harms}
		var named []string
		most, shown := 0.0, ""
		for _, x := range s.Sheet.Faults {
			if x.Kind != kind || x.Times <= 1 {
				continue
			}
			if f.Count == 0 {
				f.Where.Vertices = studio.Unite(x.Where, []int32{x.Vertex})
			}
			f.Count++
			if x.Size > most {
				most, shown = x.Size, Seen(x)
			}
			if len(named) < placesNamed {
				named = append(named, x.Pose)
			}
			for _, b := range x.Blame[:min(1, len(x.Blame))] {
				if !slices.Contains(f.Where.Joints, b.Joint) {
					f.Where.Joints = append(f.Where.Joints, b.Joint)
				}
			}
		}
		if f.Count == 0 {
			continue
		}
		f.Title = strings.ToUpper(
			Says[kind].Title[:1],
		) + Says[kind].Title[1:] + " in " + wording.Count(
			f.Count,
			"spot",
			"spots",
		) + " of the reel"
		f.Why = "The worst: " + shown + ". " + Says[kind].Why + " " + strings.Join(named, ", ") + "." + byCap(s, f.Where.Vertices)
		f.Evidence = []finding.Evidence{{What: "the worst, " + what(kind), Value: most, Limit: deform.FaultLimit(kind)}}
		f.Remedies = []finding.Remedy{{Label: "Show its spots", Opens: "worst"}}
		if kind != deform.FaultRigid {
			f.Remedies = append(f.Remedies, finding.Remedy{Label: "Solve for motion", Opens: "solve"})
		}
		out = append(out, f)
	}
	return out
}

// what a size of a kind is a share of.
func what(kind string) string {
	switch kind {
	case deform.FaultSpill:
		return "of what the bone reaches"
	case deform.FaultStretch:
		return "times the length at rest"
	case deform.FaultCrush:
		return "times shorter than at rest"
	case deform.FaultPinch:
		return "of the area, in creases"
	case deform.FaultFlip, deform.FaultCross:
		return "of the area"
	case deform.FaultVolume:
		return "of the limb's volume"
	case deform.FaultRigid:
		return "of the length of what keeps its shape"
	}
	return "of the layers' vertices"
}

// capMoves is from what part of the height on the cap of the bind is named at a spot.
const capMoves = 0.01

// byCap says how far the cap of the bind moves the skin at some vertices, where that shows; "" where it does not.
func byCap(s *studio.State, vertices []int32) string {
	if s.Bind == nil || s.Bind.Report.Capped == nil {
		return ""
	}
	c := s.Bind.Report.Capped
	most := 0.0
	for _, v := range vertices {
		if int(v) < len(c.Far) {
			most = max(most, c.Farthest*float64(c.Far[v])/255)
		}
	}
	if most < capMoves*c.Height {
		return ""
	}
	return fmt.Sprintf(
		" The cap of %d influences moves the skin there by up to %s: solve for motion under it, or bind with a higher one.",
		c.Cap,
		wording.Length(most),
	)
}
