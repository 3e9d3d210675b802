// Package placement is the stage at which a skeleton gets into the mesh: fitted from
// a starter, taken over from elsewhere, placed and built by hand.
package placement

import (
	"slices"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats"
	"wisemarrow/studio"
)

func init() {
	studio.RegisterStage(studio.Stage{Name: "placement", Title: "Placement", Question: "Is every joint where the anatomy bends?", Order: 2,
		Touched: func(s *studio.State) bool { return s.Skeleton != nil },
		Reads:   []string{"mesh", "parts", "skeleton", "settings"},
		Find: func(c *studio.Checked) []finding.Finding {
			m := c.Mesh()
			if m == nil || c.State.Skeleton == nil {
				return nil
			}
			sk, x := c.State.Skeleton, c.State.Settings.Marks
			list := slices.Concat(sk.CheckPlacement(m.Surface.Tree, x), health.InProps(m.Surface, sk, x), health.Rings(m.Surface, sk))
			return studio.Remedied(list, remedies)
		},
		Steps: []studio.FirstStep{
			{What: "Choose a starter and fit it", Done: studio.Has(studio.HasSkeleton)},
			{What: "Look at the joints that are guesses, and drag them right", Done: studio.Without(studio.HasSkeleton, "unsure_fit")},
			{
				What: "Bring joints into the limbs",
				Done: studio.Without(studio.HasSkeleton, "joint_outside", "bone_outside", "joint_in_prop"),
			},
			{What: "Fix what else is found", Done: studio.Settled(studio.HasSkeleton)},
			{What: "Go on to Axes", Done: studio.Has(func(s *studio.State) bool { return s.Settings.Oriented })},
		}})
}

// Starters are the skeletons that fit_starter knows.
var Starters = skeleton.Kinds

// SkeletonFiles are the kinds of file that a skeleton can be read from.
func SkeletonFiles() []string { return formats.SkeletonExtensions }
