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
				return Judge(m.Findings, c.State)
			}
			return nil
		},
		Steps: []studio.FirstStep{
			{What: "Set the kind of character", Done: studio.Has(func(s *studio.State) bool { return s.Settings.Kind != "" })},
			{
				What: "Get unit, up axis and height right",
				Done: studio.Without(studio.HasMesh, "size_or_axis", "implausible_size", "transform_not_identity"),
			},
			{
				What: "Turn it to face front, on the ground",
				Done: studio.Without(studio.HasMesh, "size_or_axis", "not_facing_front", "off_ground", "off_centre"),
			},
			{What: "Fix or accept what else is found", Done: studio.Settled(studio.HasMesh)},
			{What: "Go on to Placement", Done: studio.Has(studio.HasSkeleton)},
		}})
}
