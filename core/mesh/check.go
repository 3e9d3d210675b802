package mesh

import (
	"cmp"
	"fmt"
	"slices"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Check measures the mesh and returns its facts and what would harm a bind,
// gravest first. It changes nothing.
func (m *Mesh) Check() (Facts, []finding.Finding) {
	e, p, points := m.Edges(), m.Pieces(), m.World()
	facts := m.measure(e, p, points)
	if facts.Faces == 0 {
		return facts, []finding.Finding{{Code: "no_faces", Severity: finding.Blocks, Count: 1, Title: "The file holds no faces",
			Why:      "There is no surface that a skeleton could move.",
			Evidence: []finding.Evidence{{What: "faces", Value: 0, Limit: 1}}}}
	}
	var out []finding.Finding
	add := func(list ...finding.Finding) { out = append(out, list...) }
	add(m.frameFindings(points)...)
	add(m.duplicateFindings(e, points)...)
	add(m.nonManifold(e)...)
	add(m.windingFindings()...)
	add(m.faceFindings()...)
	add(m.looseFindings(p)...)
	add(m.borderFindings(e)...)
	add(m.pieceFindings(p)...)
	rank := map[finding.Severity]int{finding.Blocks: 0, finding.Harms: 1, finding.Note: 2}
	slices.SortStableFunc(out, func(a, b finding.Finding) int { return cmp.Compare(rank[a.Severity], rank[b.Severity]) })
	return facts, out
}

func (m *Mesh) frameFindings(points []r3.Vec) []finding.Finding {
	var out []finding.Finding
	guess := m.GuessPlacement()
	bake := finding.Remedy{Label: "Bake the transform into the vertices", Op: "bake_transform",
		Params: map[string]any{"scale": guess.Scale, "up": guess.Up, "stand": guess.Stand}}
	framed, worst := 0, 0.0
	for _, p := range m.Parts {
		if p.Frame != geom.IdentityMatrix {
			framed++
			for i, v := range p.Frame {
				worst = max(worst, abs(v-geom.IdentityMatrix[i]))
			}
		}
	}
	if framed > 0 {
		out = append(out, finding.Finding{Code: "transform_not_identity", Severity: finding.Harms, Count: framed,
			Title:    plural(framed, "part still has a transform of its own", "parts still have transforms of their own"),
			Why:      "A skinned mesh ignores the transform of its node, so the skin would jump when the character is opened elsewhere.",
			Evidence: []finding.Evidence{{What: "largest deviation from identity", Value: worst, Limit: 0}},
			Remedies: []finding.Remedy{bake}})
	}
	if guess.Scale != 1 || guess.Up != "y" {
		s := geom.BoxOf(points).Size()
		bake.Label = fmt.Sprintf("Scale by %g, turn %s up, stand on the ground", guess.Scale, guess.Up)
		out = append(out, finding.Finding{Code: "size_or_axis", Severity: finding.Blocks, Count: 1,
			Title: "Unit or up axis of the file differ from the production's",
			Why:   "Joints are fitted by body proportions in metres with Y up; " + guess.Reason + ".",
			Evidence: []finding.Evidence{
				{What: "extent along Y", Value: s.Y, Limit: 6, Unit: "m"}, {What: "extent along Z", Value: s.Z, Limit: 6, Unit: "m"}},
			Remedies: []finding.Remedy{bake}})
	}
	return out
}

func (m *Mesh) duplicateFindings(e Edges, points []r3.Vec) []finding.Finding {
	diag := geom.BoxOf(points).Diagonal()
	distance := NearShare * diag
	groups := Groups(points, distance, weldable(m, e))
	if len(groups) == 0 {
		return nil
	}
	border := make([]bool, len(points))
	for _, x := range e.Edges {
		if x.Count == 1 {
			border[x.A], border[x.B] = true, true
		}
	}
	var at []int32
	gap, extra, seam := 0.0, 0, 0
	for _, g := range groups {
		extra += len(g) - 1
		at = append(at, g...)
		for i, v := range g[1:] {
			gap = max(gap, r3.Norm(r3.Sub(points[v], points[g[0]])))
			if border[v] && border[g[i]] {
				seam++
			}
		}
	}
	f := finding.Finding{Code: "duplicate_vertices", Severity: finding.Harms, Count: extra,
		Title: plural(extra, "vertex lies on another", "vertices lie on another"),
		Why:   "Heat does not cross a cracked seam: both sides of it get different weights and the skin opens when it bends.",
		Evidence: []finding.Evidence{
			{What: "widest gap", Value: gap, Limit: distance, Unit: "m"}, {What: "pairs along a cracked seam", Value: float64(seam), Limit: 0}},
		Where: finding.Where{Vertices: at}}
	if m.Framed() {
		f.Remedies = []finding.Remedy{{Label: "Bake the transform first", Op: "bake_transform", Params: map[string]any{"scale": 1.0, "up": "y"}}}
	} else {
		f.Remedies = []finding.Remedy{{Label: "Weld them", Op: "weld", Params: map[string]any{"distance": distance}}}
	}
	return []finding.Finding{f}
}

func (m *Mesh) nonManifold(e Edges) []finding.Finding {
	var at [][2]int32
	most := 0
	for _, x := range e.Edges {
		if x.Count > 2 {
			at = append(at, [2]int32{x.A, x.B})
			most = max(most, int(x.Count))
		}
	}
	if at == nil {
		return nil
	}
	f := finding.Finding{Code: "non_manifold_edges", Severity: finding.Harms, Count: len(at),
		Title:    plural(len(at), "edge has more than two faces", "edges have more than two faces"),
		Why:      "The surface has no single inside there, so visibility from bone to skin and smooth spreading of weights become arbitrary.",
		Evidence: []finding.Evidence{{What: "faces on one edge", Value: float64(most), Limit: 2}},
		Where:    finding.Where{Edges: at}}
	if len(m.doubled()) > 0 {
		f.Remedies = []finding.Remedy{{Label: "Drop doubled and empty faces", Op: "drop_faces", Params: map[string]any{}}}
	}
	return []finding.Finding{f}
}

func (m *Mesh) windingFindings() []finding.Finding {
	o := m.Outward()
	if o.Count == 0 {
		return nil
	}
	var at []int32
	for f, flip := range o.Flip {
		if flip {
			at = append(at, int32(f))
		}
	}
	return []finding.Finding{{Code: "inverted_faces", Severity: finding.Harms, Count: o.Count,
		Title:    plural(o.Count, "face looks inward", "faces look inward"),
		Why:      "What is inside decides which bone a vertex sees; turned faces hide the bone from the skin.",
		Evidence: []finding.Evidence{{What: "faces turned", Value: float64(o.Count), Limit: 0}, {What: "patches inside out as a whole", Value: float64(o.Inside), Limit: 0}},
		Where:    finding.Where{Faces: at},
		Remedies: []finding.Remedy{{Label: "Turn them outward", Op: "make_outward", Params: map[string]any{}}}}}
}

// needle is the height of a face over its longest edge below which it counts
// as having no area.
const needle = 1e-6

// zeroArea returns the faces with next to no area for their longest edge.
func (m *Mesh) zeroArea() []int32 {
	var out []int32
	for f := range m.Faces() {
		c := m.Face(f)
		longest := 0.0
		for i, a := range c {
			longest = max(longest, r3.Norm2(r3.Sub(m.Points[a], m.Points[c[(i+1)%len(c)]])))
		}
		if r3.Norm(AreaVector(m.Points, c)) <= needle*longest {
			out = append(out, int32(f))
		}
	}
	return out
}

// doubled returns the faces over the same vertices as an earlier face.
func (m *Mesh) doubled() []int32 {
	var out []int32
	seen := make(map[uint64][]int32, m.Faces())
	sorted := func(f int) []int32 {
		s := slices.Clone(m.Face(f))
		slices.Sort(s)
		return s
	}
	for f := range m.Faces() {
		var h uint64 = 14695981039346656037
		// Order-free, so that no sorting is needed unless two agree.
		var sum, mix uint64
		for _, v := range m.Face(f) {
			sum += uint64(v)
			mix ^= (uint64(v) + 1) * 0x9e3779b97f4a7c15
		}
		h = h*31 + sum
		h ^= mix
		same := false
		for _, g := range seen[h] {
			if slices.Equal(sorted(f), sorted(int(g))) {
				same = true
				break
			}
		}
		if same {
			out = append(out, int32(f))
		} else {
			seen[h] = append(seen[h], int32(f))
		}
	}
	return out
}

func (m *Mesh) faceFindings() []finding.Finding {
	var out []finding.Finding
	remedy := []finding.Remedy{{Label: "Drop doubled and empty faces", Op: "drop_faces", Params: map[string]any{}}}
	if at := m.doubled(); at != nil {
		out = append(out, finding.Finding{Code: "doubled_faces", Severity: finding.Harms, Count: len(at),
			Title:    plural(len(at), "face lies on another", "faces lie on another"),
			Why:      "Two faces over the same vertices make every edge non-manifold and double the surface that heat flows through.",
			Evidence: []finding.Evidence{{What: "doubled faces", Value: float64(len(at)), Limit: 0}},
			Where:    finding.Where{Faces: at}, Remedies: remedy})
	}
	if at := m.zeroArea(); at != nil {
		out = append(out, finding.Finding{Code: "zero_area_faces", Severity: finding.Harms, Count: len(at),
			Title:    plural(len(at), "face has no area", "faces have no area"),
			Why:      "A face without area has infinite cotangents; weights around it get noisy.",
			Evidence: []finding.Evidence{{What: "area over longest edge squared", Value: needle, Limit: needle}},
			Where:    finding.Where{Faces: at}, Remedies: remedy})
	}
	var many []int32
	most := 0
	for f := range m.Faces() {
		if n := len(m.Face(f)); n > 4 {
			many = append(many, int32(f))
			most = max(most, n)
		}
	}
	if many != nil {
		out = append(out, finding.Finding{Code: "many_sided_faces", Severity: finding.Note, Count: len(many),
			Title:    plural(len(many), "face has more than four sides", "faces have more than four sides"),
			Why:      "They bend along diagonals that nobody chose. Harmless on a cap that never bends.",
			Evidence: []finding.Evidence{{What: "most sides", Value: float64(most), Limit: 4}},
			Where:    finding.Where{Faces: many}})
	}
	return out
}

func (m *Mesh) looseFindings(p Pieces) []finding.Finding {
	var at []int32
	for v, piece := range p.OfVertex {
		if piece < 0 {
			at = append(at, int32(v))
		}
	}
	if at == nil {
		return nil
	}
	return []finding.Finding{{Code: "loose_vertices", Severity: finding.Harms, Count: len(at),
		Title:    plural(len(at), "vertex belongs to no face", "vertices belong to no face"),
		Why:      "No surface leads heat to them, so they would stay without weights and distort the bounds of the character.",
		Evidence: []finding.Evidence{{What: "loose vertices", Value: float64(len(at)), Limit: 0}},
		Where:    finding.Where{Vertices: at},
		Remedies: []finding.Remedy{{Label: "Drop them", Op: "drop_loose", Params: map[string]any{}}}}}
}

func (m *Mesh) borderFindings(e Edges) []finding.Finding {
	loops := e.BorderLoops()
	if len(loops) == 0 {
		return nil
	}
	var at [][2]int32
	longest := 0
	for _, l := range loops {
		longest = max(longest, len(l))
		for i, v := range l {
			at = append(at, [2]int32{v, l[(i+1)%len(l)]})
		}
	}
	return []finding.Finding{{Code: "open_borders", Severity: finding.Note, Count: len(loops),
		Title:    plural(len(loops), "open border", "open borders"),
		Why:      "The heat method needs no closed mesh, but inside and outside become a matter of degree near a hole.",
		Evidence: []finding.Evidence{{What: "edges in the longest", Value: float64(longest), Limit: 0}},
		Where:    finding.Where{Edges: at}}}
}

func (m *Mesh) pieceFindings(p Pieces) []finding.Finding {
	if p.Count() < 2 {
		return nil
	}
	main := int32(p.Largest())
	var at []int32
	for v, piece := range p.OfVertex {
		if piece >= 0 && piece != main {
			at = append(at, int32(v))
		}
	}
	return []finding.Finding{{Code: "separate_pieces", Severity: finding.Note, Count: p.Count() - 1,
		Title:    plural(p.Count()-1, "piece apart from the body", "pieces apart from the body"),
		Why:      "Heat does not jump from piece to piece: one that holds no bone gets no solution and has to follow the surface beneath it.",
		Evidence: []finding.Evidence{{What: "pieces", Value: float64(p.Count()), Limit: 1}, {What: "vertices outside the largest", Value: float64(len(at)), Limit: 0}},
		Where:    finding.Where{Vertices: at}}}
}

func plural(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

func abs(x float64) float64 { return max(x, -x) }
