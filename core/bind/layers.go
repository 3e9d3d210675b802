package bind

import (
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Kinds of pieces, by what they are to the body.
const (
	KindBody  = "body"  // it holds bones, and sees them
	KindCloth = "cloth" // worn over or lying on the body: every vertex follows what is under it
	KindRigid = "rigid" // held, stuck on or within it: it keeps its shape
	KindCard  = "cards" // open sheets in numbers, as hair is drawn with: each keeps its shape
)

const (
	// bodyShare is the share of a piece's vertices that must see the bone nearest to them for
	// it to be the body. Over the demo cast, real meshes and their spoiled forms bodies have
	// 0.6 and more, what lies over them at most 0.15.
	bodyShare = 0.3
	// someSee is the share that must see one in the piece in which more vertices do than in any other, and fewSee
	// where no piece is a body: the inner side of walls.
	someSee, fewSee = 0.2, 0.05
	// largePiece is the share of all vertices from which a piece that sees bones is the body
	// without holding one.
	largePiece = 0.05
	// smallThing is the size over the body's height below which a thing within the body, as
	// teeth and eyes, keeps its shape; and one on it, as a button.
	smallThing = 0.12
	// lyingShare is how many of a large piece's vertices must be within lyingNear of the body
	// for it to be a cloak and not a lantern.
	lyingShare, lyingNear = 0.6, 0.04
	// fewCards is from how many open sheets on they are cards, and cardBorder the share of
	// border edges that makes a sheet.
	fewCards, cardBorder = 8, 0.2
)

// layering tells of each piece what it is to the body.
type layering struct {
	m      *mesh.Mesh
	s      *skeleton.Skeleton
	points []r3.Vec
	pieces mesh.Pieces
	kind   []string // by piece
}

// allBody takes all pieces of a mesh for the body.
func allBody(m *mesh.Mesh, s *skeleton.Skeleton) *layering {
	l := &layering{m: m, s: s, points: m.World(), pieces: m.Pieces()}
	l.kind = slices.Repeat([]string{KindBody}, l.pieces.Count())
	return l
}

// layered tells the pieces of a mesh apart by what a heat bind on it has seen; nil where no
// piece is the body.
func layered(m *mesh.Mesh, s *skeleton.Skeleton, deform []bool, seen []PieceReport) *layering {
	l := &layering{m: m, s: s, points: m.World(), pieces: m.Pieces()}
	n := l.pieces.Count()
	if n != len(seen) {
		return nil
	}
	l.kind = make([]string, n)
	bodies, most := 0, -1
	var small []int32
	for p, r := range seen {
		sees := float64(r.Heated) >= bodyShare*float64(r.Vertices)
		if sees && float64(r.Vertices) >= largePiece*float64(len(m.Points)) {
			l.kind[p] = KindBody
			bodies++
		} else if sees {
			small = append(small, int32(p))
		}
	}
	for _, p := range l.holding(small, deform) {
		l.kind[p] = KindBody
		bodies++
	}
	// As where only the inner side of thick walls sees bones: who sees most.
	for p, r := range seen {
		least := someSee
		if bodies == 0 {
			least = fewSee
		}
		if float64(r.Heated) >= least*float64(r.Vertices) && float64(r.Vertices) >= largePiece*float64(len(m.Points)) &&
			(most < 0 || r.Heated > seen[most].Heated) {
			most = p
		}
	}
	if bodies == 0 && most < 0 {
		return nil
	}
	if most >= 0 && l.kind[most] == "" {
		l.kind[most] = KindBody
		bodies++
	}
	if bodies < n {
		l.others()
	}
	l.asTold()
	if !slices.Contains(l.kind, KindBody) {
		return nil
	}
	return l
}

// holding returns those of some pieces that have part of a bone inside.
func (l *layering) holding(which []int32, deform []bool) []int32 {
	if len(which) == 0 {
		return nil
	}
	tris, _ := l.m.Triangles()
	own := make([][][3]int32, l.pieces.Count())
	asked := make([]bool, l.pieces.Count())
	for _, p := range which {
		asked[p] = true
	}
	for _, t := range tris {
		if p := l.pieces.OfVertex[t[0]]; p >= 0 && asked[p] {
			own[p] = append(own[p], t)
		}
	}
	boxes := l.pieces.Boxes(l.points)
	bones := l.s.Leading(deform)
	holds := make([]bool, len(which))
	geom.Chunks(len(which), 1, func(k, _ int) {
		p := which[k]
		for _, bone := range bones {
			alongBone(bone, 5, func(at r3.Vec) {
				if holds[k] || boxes[p].Distance2(at) > 0 {
					return
				}
				sum := 0.0
				for _, t := range own[p] {
					sum += geom.SolidAngle(at, l.points[t[0]], l.points[t[1]], l.points[t[2]])
				}
				holds[k] = math.Abs(sum) > 2*math.Pi // winding number above a half
			})
		}
	})
	var out []int32
	for k, yes := range holds {
		if yes {
			out = append(out, which[k])
		}
	}
	return out
}

// isBody reports whether a vertex belongs to the body.
func (l *layering) isBody(v int32) bool {
	p := l.pieces.OfVertex[v]
	return p >= 0 && l.kind[p] == KindBody
}

// bodyTris are the triangles of the body.
func (l *layering) bodyTris() [][3]int32 {
	tris, _ := l.m.Triangles()
	var out [][3]int32
	for _, t := range tris {
		if l.isBody(t[0]) {
			out = append(out, t)
		}
	}
	return out
}

// others gives the pieces that are not the body their kind.
func (l *layering) others() {
	n := l.pieces.Count()
	body := geom.NewTree(l.points, l.bodyTris())
	body.PrepareWinding()
	height := body.Box().Size().Y
	boxes := l.pieces.Boxes(l.points)
	near, within := make([]int, n), make([]int, n)
	const chunk = 512
	type counts struct{ piece, near, within int32 }
	parts := make([][]counts, (len(l.points)+chunk-1)/chunk)
	geom.Chunks(len(l.points), chunk, func(lo, hi int) {
		var list []counts
		for v := lo; v < hi; v++ {
			p := l.pieces.OfVertex[v]
			if p < 0 || l.kind[p] == KindBody {
				continue
			}
			c := counts{piece: p}
			if _, _, d := body.NearestOf(l.points[v], lyingNear*height, nil); !math.IsInf(d, 1) {
				c.near = 1
				if math.Abs(body.Winding(l.points[v])) > 0.5 {
					c.within = 1
				}
			}
			list = append(list, c)
		}
		parts[lo/chunk] = list
	})
	for _, list := range parts {
		for _, c := range list {
			near[c.piece] += int(c.near)
			within[c.piece] += int(c.within)
		}
	}
	border, edges := make([]int, n), make([]int, n)
	for _, e := range l.m.Edges().Edges {
		if p := l.pieces.OfVertex[e.A]; p >= 0 {
			edges[p]++
			if e.Count == 1 {
				border[p]++
			}
		}
	}
	var sheets []int
	for p := range n {
		if l.kind[p] == KindBody {
			continue
		}
		size, all := boxes[p].Diagonal(), float64(l.pieces.Vertices[p])
		small := size < smallThing*height
		around := math.Abs(body.Winding(boxes[p].Centre())) > 0.5 // the body goes through it
		switch {
		case float64(within[p]) > 0.5*all && small:
			l.kind[p] = KindRigid
		case around && !(small && float64(within[p]) > 0.2*all):
			l.kind[p] = KindCloth
		case !small && float64(near[p]) >= lyingShare*all:
			l.kind[p] = KindCloth
		default:
			l.kind[p] = KindRigid
		}
		if float64(border[p]) > cardBorder*float64(edges[p]) && l.pieces.Faces[p] > 1 && size < 0.5*height {
			sheets = append(sheets, p)
		}
	}
	if len(sheets) >= fewCards {
		for _, p := range sheets {
			l.kind[p] = KindCard
		}
	}
}

// clothReach is how far, over the body's height, the weights of cloth are evened along it, so
// that a coat does not tear where the body under it goes from arm to trunk.
const clothReach = 0.01

// passes is how often vertices are drawn half way to the mean of their neighbours for weights
// to spread so far along edges of a length: variances add up, half a square of the edge a
// pass.
func passes(reach, edge float64) int {
	if !(edge > 0) {
		return 0
	}
	return int(math.Min(12, math.Round(2*reach*reach/(edge*edge))))
}

// edgeOf is the mean length of the edges between chosen vertices, metres.
func edgeOf(m *mesh.Mesh, points []r3.Vec, which []bool) float64 {
	sum, n := 0.0, 0
	for _, e := range m.Edges().Edges {
		if which[e.A] && which[e.B] {
			sum += r3.Norm(r3.Sub(points[e.A], points[e.B]))
			n++
		}
	}
	return sum / math.Max(1, float64(n))
}

// over gives the vertices that are not the body weights by what lies under them, and that have none so
// far: cloth point by point and then smoothed along itself, what keeps its shape those of the one place
// where it is nearest, of its leading joint alone where their mix would make it smaller. far is from how
// far each came, metres.
func (l *layering) over(w *weights.Weights, limits weights.Limits) (out *weights.Weights, far []float64) {
	var solved [][3]int32
	for _, t := range l.bodyTris() {
		if len(w.Of[t[0]]) > 0 && len(w.Of[t[1]]) > 0 && len(w.Of[t[2]]) > 0 {
			solved = append(solved, t)
		}
	}
	far = make([]float64, len(l.points))
	out = &weights.Weights{Joints: w.Joints, Of: append([][]weights.Influence(nil), w.Of...)}
	if len(solved) == 0 {
		return out, far
	}
	tree := geom.NewTree(l.points, solved)
	cloth := make([]bool, len(l.points))
	type place struct {
		tri int32
		at  r3.Vec
	}
	places := make([]place, len(l.points))
	geom.Chunks(len(l.points), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			if len(w.Of[v]) > 0 || l.isBody(int32(v)) || l.pieces.OfVertex[v] < 0 {
				continue
			}
			tri, at, d := tree.Nearest(l.points[v])
			places[v], far[v] = place{tri, at}, d
			if l.kind[l.pieces.OfVertex[v]] == KindCloth {
				out.Of[v], cloth[v] = w.Blend(
					solved[tri][:],
					barycentric(at, l.points[solved[tri][0]], l.points[solved[tri][1]], l.points[solved[tri][2]]),
					limits,
				), true
			}
		}
	})
	nearest := make([]int32, l.pieces.Count())
	for p := range nearest {
		nearest[p] = -1
	}
	for v, p := range l.pieces.OfVertex {
		if p >= 0 && !cloth[v] && len(w.Of[v]) == 0 && !l.isBody(int32(v)) {
			if nearest[p] < 0 || far[v] < far[nearest[p]] {
				nearest[p] = int32(v)
			}
		}
	}
	one := make([][]weights.Influence, len(nearest))
	var keep *stiff
	for p, v := range nearest {
		if v >= 0 {
			t := solved[places[v].tri]
			if keep == nil {
				keep = newStiff(l.s)
			}
			one[p] = keep.keeping(
				w.Blend(t[:], barycentric(places[v].at, l.points[t[0]], l.points[t[1]], l.points[t[2]]), limits),
				w.Joints,
			)
		}
	}
	for v, p := range l.pieces.OfVertex {
		if p >= 0 && one[p] != nil && !cloth[v] && len(w.Of[v]) == 0 && !l.isBody(int32(v)) {
			out.Of[v] = one[p]
		}
	}
	l.even(out, cloth, clothReach, limits)
	return out, far
}

// even smooths chosen vertices' weights along the surface, to a reach over the height.
func (l *layering) even(w *weights.Weights, which []bool, reach float64, limits weights.Limits) {
	n := passes(reach*geom.BoxOf(l.points).Size().Y, edgeOf(l.m, l.points, which))
	smooth := smoothed(l.m, w, n, which)
	for v, yes := range which {
		if yes {
			w.Of[v] = weights.Clean(smooth.Of[v], limits)
		}
	}
}

// evened gives vertices of different pieces that a seam joins the mean of their weights, so
// that it does not open; what keeps its shape takes no part.
func (l *layering) evened(w *weights.Weights, limits weights.Limits) {
	for _, group := range l.m.Surface().Seams(geom.NearShare*geom.BoxOf(l.points).Diagonal(), true).Groups {
		var list []int32
		apart := false
		for _, v := range group {
			k := l.pieces.OfVertex[v]
			if k < 0 || l.kind[k] == KindRigid || l.kind[k] == KindCard || len(w.Of[v]) == 0 {
				continue
			}
			list = append(list, v)
			apart = apart || k != l.pieces.OfVertex[list[0]]
		}
		if !apart {
			continue
		}
		shares := make([]float64, len(list))
		for i := range shares {
			shares[i] = 1 / float64(len(list))
		}
		mean := w.Blend(list, shares, limits)
		for _, v := range list {
			w.Of[v] = mean
		}
	}
}
