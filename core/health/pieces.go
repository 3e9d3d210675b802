package health

import (
	"fmt"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/wording"
)

const (
	crossHarm  = 0.002 // share of the faces above which self-intersections harm
	crumbShare = 0.005 // of the diagonal: a smaller piece is a crumb
	crumbMost  = 0.05  // share of the faces above which small pieces are the mesh itself
)

// crossings looks at faces that pass through each other, and at how the pieces
// lie to each other.
func (c check) crossings() []finding.Finding {
	within, between, all := c.Crossings()
	var out []finding.Finding
	if !all {
		out = append(
			out,
			unfinished(
				"crossings",
				"which faces pass through each other",
				evidence("pairs found", float64(len(within)+len(between)), geom.MaxCrossings),
			),
		)
	}
	if len(within) > 0 {
		faces := facesOf(within)
		f := finding.Finding{Code: "self_intersections", Severity: finding.Note, Count: len(within),
			Title: more(
				all,
			) + wording.Count(
				len(within),
				"pair of faces in one piece intersects",
				"pairs of faces in one piece intersect",
			),
			Why: "A self-intersecting fold hides the bone from its own skin, so its weights come from neighbors.",
			Evidence: []finding.Evidence{
				evidence("pairs", float64(len(within)), 0),
				share("of the faces", float64(len(faces))/float64(c.Faces()), crossHarm),
			},
			Where: finding.Where{Faces: faces}}
		if float64(len(faces)) > crossHarm*float64(c.Faces()) {
			f.Severity = finding.Harms
		}
		out = append(out, f)
	}
	return append(append(out, c.pieces(between, all)...), c.crumbs()...)
}

// crumbs looks for pieces so small that they are what a scan left beside the body. Where
// they are much of the mesh it was never welded, and they are no crumbs.
func (c check) crumbs() []finding.Finding {
	size := crumbShare * c.Diagonal
	faces, n := c.Crumbs(size)
	if n == 0 || float64(len(faces)) > crumbMost*float64(c.Faces()) {
		return nil
	}
	return []finding.Finding{{Code: "crumbs", Severity: finding.Note, Count: n,
		Title:    wording.Count(n, "tiny piece beside the body", "tiny pieces beside the body"),
		Why:      "A piece this small is usually scan debris: it gets no weights of its own and follows whatever is nearest. Check before you remove them: rivets and stitches are small too.",
		Evidence: []finding.Evidence{metres("smaller than", size, size), evidence("faces in them", float64(len(faces)), 0)},
		Where:    finding.Where{Faces: faces}, Data: Within(size)}}
}

// more begins a sentence with a count that may not be the whole.
func more(all bool) string {
	if all {
		return ""
	}
	return "More than "
}

func facesOf(pairs [][2]int32) []int32 {
	seen := map[int32]bool{}
	var out []int32
	for _, p := range pairs {
		for _, f := range p {
			if !seen[f] {
				seen[f] = true
				out = append(out, f)
			}
		}
	}
	return out
}

func (c check) pieces(between [][2]int32, whole bool) []finding.Finding {
	list := c.Relations(between)
	if len(list) == 0 {
		return nil
	}
	faces := make([][]int32, c.Pieces.Count())
	for f := range c.Faces() {
		p := c.PieceOf(int32(f))
		faces[p] = append(faces[p], int32(f))
	}
	apart := c.Pieces.Count() - 1
	all := finding.Finding{Code: "separate_pieces", Severity: finding.Note, Count: apart,
		Title: wording.Count(apart, "piece apart from the body", "pieces apart from the body"),
		Why:   "Heat does not cross gaps: a piece with no bone inside gets no weights. Let it follow the surface below."}
	floating := finding.Finding{Code: "floating_pieces", Severity: finding.Note,
		Why: "It touches nothing, so contact cannot show which bone it belongs to."}
	crossing := finding.Finding{Code: "crossing_pieces", Severity: finding.Note,
		Why: "Where two pieces pass through each other two sets of weights bend the same spot, so one piece may poke through the other."}
	enclosed := finding.Finding{Code: "enclosed_pieces", Severity: finding.Note,
		Why: "Eyes, teeth and the like cannot see a bone through the skin. Let each follow one joint."}
	layered := finding.Finding{Code: "layered_pieces", Severity: finding.Note,
		Why: "The skin pokes through cloth this close when both are bound separately. Let it follow the surface below."}
	partOf := make(map[int32]int32, len(list))
	for _, r := range list {
		partOf[r.Piece] = r.Part
	}
	name := func(p int32) string {
		if part, ok := partOf[p]; ok {
			return c.Parts[part].Name
		}
		return "the body"
	}
	far, gap := 0.0, 0.0
	for _, r := range list {
		var says []string
		spot := finding.Spot{Faces: faces[r.Piece]}
		put := func(f *finding.Finding, label string) {
			f.Count++
			f.Where.Faces = append(f.Where.Faces, spot.Faces...)
			f.Where.Spots = append(f.Where.Spots, finding.Spot{Label: c.Parts[r.Part].Name + ": " + label, Faces: spot.Faces})
			says = append(says, label)
		}
		switch {
		case c.isCard(r.Piece): // told of as one kind
			says = append(says, "a card")
		case len(r.Crosses) > 0:
			var through []string
			for _, p := range r.Crosses[:min(3, len(r.Crosses))] {
				through = append(through, name(p))
			}
			put(&crossing, "passes through "+strings.Join(through, ", "))
		case r.Enclosed:
			put(&enclosed, "inside "+name(r.Nearest))
		case r.Nearest >= 0 && r.Distance > geom.TouchShare*c.Diagonal:
			put(&floating, fmt.Sprintf("%s from %s", wording.Length(r.Distance), name(r.Nearest)))
			far = max(far, r.Distance)
		}
		if r.Layered && !c.isCard(r.Piece) {
			put(&layered, fmt.Sprintf("%s over %s", wording.Length(r.Gap), name(r.Nearest)))
			gap = max(gap, r.Gap)
		}
		says = append(says, wording.Count(r.Vertices, "vertex", "vertices"))
		spot.Label = c.Parts[r.Part].Name + ": " + strings.Join(says, ", ")
		all.Where.Spots = append(all.Where.Spots, spot)
		all.Where.Faces = append(all.Where.Faces, spot.Faces...)
	}
	all.Evidence = []finding.Evidence{
		evidence("pieces", float64(c.Pieces.Count()), 1),
		evidence("vertices outside the largest", float64(len(c.Points)-c.Pieces.Vertices[c.Pieces.Largest()]), 0),
	}
	if apart > len(list) { // mesh.MaxRelated, or a geom.Effort
		all.Why += fmt.Sprintf(
			" Only the %d largest were compared; the rest are counted. This many pieces usually means an unwelded mesh.",
			len(list),
		)
		all.Evidence = append(all.Evidence, evidence("pieces measured", float64(len(list)), float64(apart)))
	}
	out := []finding.Finding{all}
	add := func(f finding.Finding, one, many string, e finding.Evidence) {
		if f.Count > 0 {
			f.Title, f.Evidence = wording.Count(f.Count, one, many), []finding.Evidence{e}
			out = append(out, f)
		}
	}
	if !whole {
		crossing.Why += " Not every pair of faces was checked; there may be more."
	}
	add(crossing, "piece passes through another", "pieces pass through another", evidence("pairs of faces", float64(len(between)), 0))
	add(floating, "piece floats", "pieces float", metres("farthest from the next piece", far, geom.TouchShare*c.Diagonal))
	add(enclosed, "piece is enclosed", "pieces are enclosed", evidence("pieces inside another", float64(enclosed.Count), 0))
	add(layered, "piece fits closely over another", "pieces fit closely over another", metres("mean gap, at most", gap, 0))
	return out
}
