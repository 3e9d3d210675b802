package intake

import (
	"fmt"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

// remedies returns what mends a finding of the check of a mesh.
func remedies(s *studio.State) func(f finding.Finding) []finding.Remedy {
	return func(f finding.Finding) []finding.Remedy {
		switch f.Code {
		case "duplicate_vertices":
			if d, ok := f.Data.(health.Within); ok { // none while the parts have transforms
				return studio.Only("Weld them", &Weld{Distance: float64(d)})
			}
		case "non_manifold_edges":
			if f.Data == health.Doubled(true) {
				return dropFaces()
			}
			return studio.Only("Split them", &SplitTies{})
		case "bow_ties":
			return studio.Only("Split them", &SplitTies{})
		case "inside_faces":
			return studio.Only("Remove them", &DropChosen{Which: "inside"})
		case "inverted_faces", "inside_out":
			return studio.Only("Flip them outward", &MakeOutward{})
		case "doubled_faces", "zero_area_faces":
			return dropFaces()
		case "many_sided_faces", "concave_faces", "folded_faces", "holed_faces":
			return studio.Only("Triangulate them", &Triangulate{Which: f.Code})
		case "loose_vertices":
			return studio.Only("Remove them", &DropLoose{})
		case "open_borders":
			if h, ok := f.Data.(health.Holes); ok {
				return studio.Only(fill(h), &FillHoles{Edges: h.Edges})
			}
		case "crumbs":
			if size, ok := f.Data.(health.Within); ok {
				return studio.Only(
					"Remove "+wording.Count(f.Count, "piece", "pieces")+" smaller than "+wording.Length(float64(size)),
					&DropCrumbs{Size: float64(size)},
				)
			}
		case "separate_pieces":
			if len(s.Mesh.Parts) <= f.Count {
				return studio.Only("Make each piece a part", &SeparatePieces{})
			}
		case "half_mesh":
			if d, ok := f.Data.(health.Within); ok {
				return studio.Only("Complete it by mirroring", &CompleteHalf{Tolerance: float64(d)})
			}
		case "size_or_axis", "transform_not_identity", "off_ground", "off_centre", "not_facing_front":
			places, _ := f.Data.(health.Placements)
			var out []finding.Remedy
			for _, p := range places {
				out = append(out, studio.Offer(placing(f.Code, p, len(places)), &BakeTransform{p}))
			}
			return out
		}
		return nil
	}
}

func dropFaces() []finding.Remedy {
	return studio.Only("Remove duplicate and zero-area faces", &DropFaces{})
}

func fill(h health.Holes) string {
	if h.Filled < h.Small {
		return fmt.Sprintf("Fill %d of %s up to %d edges", h.Filled, wording.Count(h.Small, "hole", "holes"), h.Edges)
	}
	return fmt.Sprintf("Fill %s up to %d edges", wording.Count(h.Filled, "hole", "holes"), h.Edges)
}

// placing labels a placement that is offered for a finding, one of so many.
func placing(code string, p mesh.Placement, of int) string {
	switch code {
	case "transform_not_identity":
		return "Bake the transform into the vertices"
	case "off_ground", "off_centre":
		return "Center it on the ground"
	case "not_facing_front":
		if of == 1 {
			return "Rotate it to face front"
		}
		return fmt.Sprintf("Rotate it by %.4g°", p.Turn)
	}
	var does []string
	if p.Scale != 1 {
		does = append(does, fmt.Sprintf("scale by %g", p.Scale))
	}
	if p.Up != "y" {
		does = append(does, fmt.Sprintf("turn %s up", p.Up))
	}
	said := strings.Join(append(does, "place on the ground"), ", ")
	return strings.ToUpper(said[:1]) + said[1:]
}
