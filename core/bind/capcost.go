package bind

import (
	"fmt"
	"math"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/spatial/r3"
)

// CapCost is what an influence cap changes: how far the skin ends up from where it would be without one, when joints
// rotate to both ends of their usual ranges one by one.
type CapCost struct {
	Cap      int     `json:"cap"`
	Farthest float64 `json:"farthest_m"`
	Pose     string  `json:"pose"`
	Height   float64 `json:"height_m"` // of the mesh, to hold it against
	Where    []int32 `json:"where,omitempty"`
	Far      []byte  `json:"far,omitempty"` // of each vertex, in 255ths of Farthest: for a map
}

const (
	// capShows is from what part of the height on what a cap costs is told.
	capShows = 0.01
	// mostCapWhere is how many vertices are named, of those that are led half as far as the farthest.
	mostCapWhere = 4000
	// moreInfluences is the cap that is offered.
	moreInfluences = 8
)

// costOf measures what a cap costs; nil where nothing was cut.
func costOf(points []r3.Vec, whole, cut *weights.Weights, s *skeleton.Skeleton, most int) *CapCost {
	over := false
	for v := range whole.Of {
		over = over || most > 0 && len(whole.Of[v]) > most
	}
	if !over {
		return nil
	}
	far, farthest, in := deform.ApartQuickly(points, whole, cut, s, skeleton.DefaultMarks)
	out := &CapCost{Cap: most, Farthest: farthest, Pose: in, Height: geom.BoxOf(points).Size().Y}
	out.Far = make([]byte, len(far))
	for v, d := range far {
		if farthest > 0 {
			out.Far[v] = byte(math.Ceil(255 * d / farthest)) // what is moved at all shows
		}
		if d > farthest/2 && len(out.Where) < mostCapWhere {
			out.Where = append(out.Where, int32(v))
		}
	}
	return out
}

// Influences is the higher cap that would cut less: the Data of cap_cost.
type Influences int

// findings tells what a cap costs, where that shows.
func (c *CapCost) findings() []finding.Finding {
	if c == nil || c.Farthest < capShows*c.Height {
		return nil
	}
	f := finding.Finding{Code: "cap_cost", Severity: finding.Note, Count: len(c.Where),
		Title: fmt.Sprintf("The cap of %d moves the skin by up to %s", c.Cap, wording.Length(c.Farthest)),
		Why: fmt.Sprintf(
			"These vertices would follow more joints than the cap allows. In %q, that puts the skin this far from where it would be without a cap; a higher cap brings it closer.",
			c.Pose,
		),
		Evidence: []finding.Evidence{{What: "farthest from the uncapped skin", Value: c.Farthest, Limit: capShows * c.Height, Unit: "m"}},
		Where:    finding.Where{Vertices: c.Where}}
	if c.Cap < moreInfluences {
		f.Data = Influences(moreInfluences)
	}
	return []finding.Finding{f}
}
