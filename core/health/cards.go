package health

import (
	"wisemarrow/core/finding"
	"wisemarrow/core/wording"
)

const (
	cardBorder = 0.2 // share of a piece's edges that lie on its border, above which it is a sheet
	fewCards   = 8   // so many sheets are a kind; fewer are pieces with holes
	mostCards  = 0.6 // share of the faces: where there is more of them there is no body beside them
)

// sheets marks the pieces that are open sheets, as hair, feathers and leaves are drawn with:
// nil where there are too few to be meant so. The largest piece is none.
func (c check) sheets() []bool {
	n := c.Pieces.Count()
	border, edges := make([]int, n), make([]int, n)
	for _, e := range c.Edges.Edges {
		p := c.Pieces.OfVertex[e.A]
		edges[p]++
		if e.Count == 1 {
			border[p]++
		}
	}
	corners := make([]int, n)
	for f := range c.Faces() {
		corners[c.PieceOf(int32(f))] += len(c.Face(f))
	}
	out, count, faces := make([]bool, n), 0, 0
	largest := c.Pieces.Largest()
	for p := range out {
		// A lone triangle is what is left of a mesh that was never welded.
		out[p] = p != largest && corners[p] > 3 && float64(border[p]) > cardBorder*float64(edges[p])
		if out[p] {
			count++
			faces += c.Pieces.Faces[p]
		}
	}
	if count < fewCards || float64(faces) > mostCards*float64(c.Faces()) {
		return nil
	}
	return out
}

// isCard reports whether a piece is one of the sheets.
func (c check) isCard(piece int32) bool { return c.cards() != nil && c.cards()[piece] }

// cardsFound tells of sheets once, so that each is not told of as a hole, a floating piece
// and faces that look inward.
func (c check) cardsFound() []finding.Finding {
	if c.cards() == nil {
		return nil
	}
	f := finding.Finding{Code: "cards", Severity: finding.Note,
		Why: "Open sheets, as hair, feathers and leaves are drawn with. They have no inside, so borders and facing are not checked. Heat cannot reach them: after the bind, let them follow the surface below."}
	for _, yes := range c.cards() {
		if yes {
			f.Count++
		}
	}
	faces := 0
	for i := range c.Faces() {
		if c.isCard(c.PieceOf(int32(i))) {
			f.Where.Faces = append(f.Where.Faces, int32(i))
			faces++
		}
	}
	f.Title = wording.Count(f.Count, "card of hair, feathers or leaves", "cards of hair, feathers or leaves")
	f.Evidence = []finding.Evidence{evidence("faces in them", float64(faces), 0)}
	return []finding.Finding{f}
}
