package health

import (
	"fmt"
	"slices"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/spatial/r3"
)

func (c check) duplicates() []finding.Finding {
	distance := geom.NearShare * c.Diagonal
	s := c.Seams(distance, false)
	var out []finding.Finding
	if s.Cut {
		out = append(out, unfinished("duplicates", "duplicate vertices", evidence("vertices", float64(len(c.Points)), 0)))
	}
	if len(s.Groups) == 0 {
		return out
	}
	f := finding.Finding{Code: "duplicate_vertices", Severity: finding.Harms, Count: s.Extra(),
		Title: wording.Count(s.Extra(), "duplicate vertex", "duplicate vertices"),
		Why:   "Heat does not cross a cracked seam: both sides of it get different weights and the skin opens when it bends. Vertices split for shading or UVs do not count; they are already merged.",
		Evidence: []finding.Evidence{evidence("exact duplicates", float64(s.Exact), 0), evidence("nearly on another", float64(s.Near), 0),
			metres(
				"widest gap",
				s.Gap,
				distance,
			), evidence("on a cracked seam", float64(s.Cracks), 0), evidence("groups", float64(len(s.Groups)), 0)}}
	for _, g := range s.Groups {
		f.Where.Vertices = append(f.Where.Vertices, g...)
	}
	if c.Framed() {
		f.Why += " They can be welded once the transforms of the parts are baked."
	} else {
		f.Data = Within(distance)
	}
	return append(out, f)
}

func (c check) nonManifold() []finding.Finding {
	var at [][2]int32
	most := 0
	for _, x := range c.Edges.Edges {
		if x.Count > 2 {
			at = append(at, [2]int32{x.A, x.B})
			most = max(most, int(x.Count))
		}
	}
	if at == nil {
		return nil
	}
	f := finding.Finding{Code: "non_manifold_edges", Severity: finding.Harms, Count: len(at),
		Title:    wording.Count(len(at), "non-manifold edge", "non-manifold edges"),
		Why:      "The inside is ambiguous there, so bone visibility and weight smoothing become unreliable.",
		Evidence: []finding.Evidence{evidence("faces on one edge", float64(most), 2)},
		Where:    finding.Where{Edges: at}, Data: Doubled(len(c.Twice) > 0)}
	return []finding.Finding{f}
}

func (c check) bowTies() []finding.Finding {
	at := c.BowTies()
	if at == nil {
		return nil
	}
	return []finding.Finding{{Code: "bow_ties", Severity: finding.Harms, Count: len(at),
		Title:    wording.Count(len(at), "vertex joins two surfaces at a single point", "vertices join two surfaces at a single point"),
		Why:      "Heat runs through the point from one surface to the other, and a smooth brush pulls them together.",
		Evidence: []finding.Evidence{evidence("vertices with more than one fan of faces", float64(len(at)), 0)},
		Where:    finding.Where{Vertices: at}}}
}

func (c check) inside() []finding.Finding {
	at, left := c.Inside()
	var out []finding.Finding
	if left > 0 {
		out = append(out, unfinished("inside", "which faces are inside the body", evidence("patches not checked", float64(left), 0)))
	}
	if at == nil {
		return out
	}
	return append(out, finding.Finding{Code: "inside_faces", Severity: finding.Harms, Count: len(at),
		Title:    wording.Count(len(at), "face is inside the body", "faces are inside the body"),
		Why:      "A wall inside hides the bone from the skin behind it, and heat short-circuits through it.",
		Evidence: []finding.Evidence{evidence("faces inside", float64(len(at)), 0)},
		Where:    finding.Where{Faces: at}})
}

func (c check) winding() []finding.Finding {
	o := c.Outward()
	var out []finding.Finding
	if o.Left > 0 {
		out = append(out, unfinished("winding", "which faces point inward", evidence("patches not checked", float64(o.Left), 0)))
	}
	if o.Count == 0 {
		return out
	}
	var at []int32
	for f, flip := range o.Flip {
		if flip && !c.isCard(c.PieceOf(int32(f))) { // a sheet has no inside to look to
			at = append(at, int32(f))
		}
	}
	if len(at) == 0 {
		return out
	}
	f := finding.Finding{Code: "inverted_faces", Severity: finding.Harms, Count: len(at),
		Title: wording.Count(len(at), "face points inward", "faces point inward"),
		Why:   "What is inside decides which bone a vertex sees; flipped faces hide the bone from the skin.",
		Evidence: []finding.Evidence{
			evidence("flipped faces", float64(len(at)), 0),
			evidence("edges with conflicting facing", float64(o.Split), 0),
			evidence("fully inside-out patches", float64(o.Inside), 0),
		},
		Where: finding.Where{Faces: at}}
	switch {
	case o.Count == c.Faces():
		f.Code, f.Title = "inside_out", "The whole mesh is inside out"
	case o.Split > 0:
		f.Title += fmt.Sprintf(", in %s", wording.Count(c.regions(at), "flipped patch", "flipped patches"))
	}
	return append(out, f)
}

func (c check) regions(faces []int32) int {
	return len(Spots(c.Surface, finding.Where{Faces: faces}))
}

func (c check) doubled() []finding.Finding {
	at := c.Twice
	if at == nil {
		return nil
	}
	return []finding.Finding{{Code: "doubled_faces", Severity: finding.Harms, Count: len(at),
		Title:    wording.Count(len(at), "duplicate face", "duplicate faces"),
		Why:      "Two faces over the same vertices make every edge non-manifold and double the surface that heat flows through.",
		Evidence: []finding.Evidence{evidence("duplicate faces", float64(len(at)), 0)},
		Where:    finding.Where{Faces: at}}}
}

func (c check) slivers() []finding.Finding {
	empty, needles := c.Slivers()
	var out []finding.Finding
	if empty != nil {
		out = append(out, finding.Finding{Code: "zero_area_faces", Severity: finding.Harms, Count: len(empty),
			Title:    wording.Count(len(empty), "zero-area face", "zero-area faces"),
			Why:      "A face without area has infinite cotangents; weights around it get noisy.",
			Evidence: []finding.Evidence{evidence("height over the longest edge, less than", geom.FlatShare, geom.FlatShare)},
			Where:    finding.Where{Faces: empty}})
	}
	if needles != nil {
		out = append(out, finding.Finding{Code: "needle_faces", Severity: finding.Note, Count: len(needles),
			Title:    wording.Count(len(needles), "sliver face", "sliver faces"),
			Why:      "Very thin faces make the weights around them uneven; a few do no harm.",
			Evidence: []finding.Evidence{evidence("height over the longest edge, less than", mesh.Thin, mesh.Thin)},
			Where:    finding.Where{Faces: needles}})
	}
	return out
}

func (c check) polygons() []finding.Finding {
	p := c.Polygons()
	var out []finding.Finding
	add := func(code string, s finding.Severity, at []int32, title, why string, e finding.Evidence) {
		if at != nil {
			out = append(
				out,
				finding.Finding{Code: code, Severity: s, Count: len(at), Title: title, Why: why, Evidence: []finding.Evidence{e},
					Where: finding.Where{Faces: at}},
			)
		}
	}
	add(
		"many_sided_faces",
		finding.Note,
		p.Many,
		wording.Count(len(p.Many), "face has more than four sides", "faces have more than four sides"),
		"They bend along arbitrary diagonals. Harmless on a cap that never bends.",
		evidence("most sides", float64(p.Sides), 4),
	)
	add("concave_faces", finding.Note, p.Concave, wording.Count(len(p.Concave), "face is concave", "faces are concave"),
		"Programs triangulate them differently, some outside the face.", evidence("concave faces", float64(len(p.Concave)), 0))
	add(
		"folded_faces",
		finding.Harms,
		p.Folded,
		wording.Count(len(p.Folded), "face is folded over or crosses itself", "faces are folded over or cross themselves"),
		"Half of it faces inward however you triangulate it.",
		evidence("folded faces", float64(len(p.Folded)), 0),
	)
	add("holed_faces", finding.Harms, p.Holed, wording.Count(len(p.Holed), "face has a hole or a slit", "faces have a hole or a slit"),
		"It visits a vertex twice to go around a hole; few programs support that.", evidence("faces with a hole", float64(len(p.Holed)), 0))
	return out
}

func (c check) loose() []finding.Finding {
	var at []int32
	for v, piece := range c.Pieces.OfVertex {
		if piece < 0 {
			at = append(at, int32(v))
		}
	}
	if at == nil && len(c.Lines) == 0 {
		return nil
	}
	title := wording.Count(len(at), "loose vertex", "loose vertices")
	if len(c.Lines) > 0 {
		title = wording.Count(len(c.Lines), "loose edge", "loose edges") + " and " + title
	}
	return []finding.Finding{{Code: "loose_vertices", Severity: finding.Harms, Count: len(at) + len(c.Lines), Title: title,
		Why:      "Heat cannot reach them, so they would stay unweighted and enlarge the bounding box.",
		Evidence: []finding.Evidence{evidence("loose vertices", float64(len(at)), 0), evidence("loose edges", float64(len(c.Lines)), 0)},
		Where:    finding.Where{Vertices: at, Edges: c.Lines}}}
}

// smallHole is the number of edges up to which a border is taken for a hole
// that nobody meant, rather than a sleeve or a neck.
const smallHole = 12

func (c check) borders() []finding.Finding {
	loops := slices.DeleteFunc(c.Edges.BorderLoops(), func(l []int32) bool { return c.isCard(c.Pieces.OfVertex[l[0]]) })
	if len(loops) == 0 {
		return nil
	}
	slices.SortStableFunc(loops, func(a, b []int32) int { return len(b) - len(a) })
	f := finding.Finding{Code: "open_borders", Severity: finding.Note, Count: len(loops),
		Title: wording.Count(len(loops), "open border", "open borders"),
		Why:   "Heat does not need a closed mesh, but inside and outside get ambiguous near a hole."}
	small, largest := 0, 0
	for _, l := range loops {
		round := 0.0
		spot := finding.Spot{}
		for i, v := range l {
			w := l[(i+1)%len(l)]
			round += r3.Norm(r3.Sub(c.At[w], c.At[v]))
			spot.Edges = append(spot.Edges, [2]int32{v, w})
		}
		spot.Label = fmt.Sprintf("%d edges, %s around", len(l), wording.Length(round))
		if len(l) <= smallHole {
			small++
			largest = max(largest, len(l))
		}
		f.Where.Edges = append(f.Where.Edges, spot.Edges...)
		if len(f.Where.Spots) < MaxSpots {
			f.Where.Spots = append(f.Where.Spots, spot)
		}
	}
	f.Evidence = []finding.Evidence{evidence("edges in the longest", float64(len(loops[0])), 0), evidence("small holes", float64(small), 0)}
	if small > 0 { // told as it was tried: some holes cannot be filled without a fold
		if _, filled, _ := c.FillHoles(largest); filled > 0 {
			f.Data = Holes{Edges: largest, Filled: filled, Small: small}
		}
	}
	return []finding.Finding{f}
}
