package health

import (
	"fmt"
	"math"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/wording"
)

// partnerLimit is the share of vertices with a partner below which mirroring
// weights by vertex leaves gaps.
const partnerLimit = 0.995

// shapeLimit is the share of vertices whose mirror image lies on the surface from which on
// the shape counts as symmetric, whatever its vertices do.
const shapeLimit = 0.98

func (c check) symmetry() []finding.Finding {
	tolerance := geom.SymmetryShare * c.Diagonal
	if h := c.Half(tolerance); h.Side != 0 {
		return []finding.Finding{{Code: "half_mesh", Severity: finding.Blocks, Count: 1, Title: "Only half of the character is present",
			Why: "It ends in an open border along the mirror plane, and the skeleton needs both sides.",
			Evidence: []finding.Evidence{
				evidence("border vertices on the mirror plane", float64(len(h.Seam)), 0),
				metres("farthest across it", h.Over, tolerance),
			},
			Where: finding.Where{Vertices: h.Seam}, Data: Within(tolerance)}}
	}
	s := c.plane()
	if s.Left > 0 {
		return []finding.Finding{
			unfinished("symmetry", "which vertices have a partner on the other side", evidence("vertices not checked", float64(s.Left), 0)),
		}
	}
	if s.Share() >= partnerLimit || s.Surface < 0.5 {
		return nil // symmetric, or so far from it that no plane is meant
	}
	var alone []int32
	for v, p := range s.Partner {
		if p < 0 {
			alone = append(alone, int32(v))
		}
	}
	where := fmt.Sprintf("X = %s", wording.Length(s.Offset))
	if s.Normal.X < 0.9999 {
		where = fmt.Sprintf("rotated %.0f° from X", math.Acos(math.Min(1, s.Normal.X))*180/math.Pi)
	}
	title := wording.Count(len(alone), "vertex has no partner on the other side", "vertices have no partner on the other side")
	if s.Surface >= shapeLimit {
		title = fmt.Sprintf("The shape is %.1f%% symmetric but %d vertices have no partner", 100*s.Surface, len(alone))
	}
	return []finding.Finding{{Code: "asymmetric", Severity: finding.Note, Count: len(alone),
		Title: title,
		Why:   "Weights and joints are mirrored about the plane " + where + "; where vertices have no partner, the nearest surface is used.",
		Evidence: []finding.Evidence{
			share("vertices with a partner", s.Share(), partnerLimit),
			share("vertices whose mirror image is on the surface", s.Surface, 1),
			metres("tolerance", tolerance, tolerance),
		},
		Where: finding.Where{Vertices: alone}}}
}
