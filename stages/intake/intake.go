// Package intake is the first stage: bringing a mesh in, measuring whether it is fit
// to be bound, and mending it.
package intake

import (
	"wisemarrow/core/finding"
	"wisemarrow/studio"
)

func init() {
	studio.RegisterStage(studio.Stage{Name: "intake", Title: "Intake", Question: "Is this mesh ready to bind?", Order: 1,
		Touched: func(s *studio.State) bool { return s.Mesh != nil },
		Reads:   []string{"mesh", "parts", "settings"},
		Find: func(c *studio.Checked) []finding.Finding {
			if m := c.Mesh(); m != nil {
				return Judge(m.Findings, c.State.Settings)
			}
			return nil
		}})
}
