// Package weights is the stage at which one sees which joint moves what, and poses
// the character.
package weights

import (
	"wisemarrow/core/finding"
	"wisemarrow/studio"
)

func init() {
	studio.RegisterStage(studio.Stage{Name: "weights", Title: "Weights & pose", Question: "Does it bend as it should, and who moves what?", Order: 6,
		Touched: func(s *studio.State) bool { return s.Weights != nil },
		Reads:   []string{"weights"},
		Find:    func(*studio.Checked) []finding.Finding { return nil }})
}
