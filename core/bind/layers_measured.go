package bind

import (
	"context"
	"fmt"
	"math"
	"slices"
	"sort"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
)

// Layer is what lies over the body, in it or beside it: all pieces of one kind, or a large
// one by itself.
type Layer struct {
	Kind     string `json:"kind"`
	Part     string `json:"part"`  // the part of its first face
	Piece    int    `json:"piece"` // the first of its pieces
	Pieces   int    `json:"pieces"`
	Vertices int    `json:"vertices"`
	// Agreement is the share of vertices that are led by the joint that leads the body
	// beneath, or one next to it; Farthest how far the body is from a vertex at most, metres.
	Agreement float64 `json:"agreement"`
	Farthest  float64 `json:"farthest_m"`
	// Through is how skin comes through it when joints turn; nil where it was not tried.
	Through *deform.Through `json:"through,omitempty"`

	vertices []int32
}

// tryThrough turns joints one by one through a part of their usual range and measures how the
// body comes through its layers.
func (r *Report) tryThrough(ctx context.Context, m *mesh.Mesh, s *skeleton.Skeleton, w *weights.Weights, b *pose.Binding) error {
	if len(r.Layers) == 0 {
		return nil
	}
	body, lists := r.Lying(m)
	poses := deform.Affordable(pose.Extremes(s, s.Trials(skeleton.DefaultMarks), triedShare), s, w)
	all, err := deform.SkinThrough(ctx, m.World(), body, lists, w, s, b, poses)
	if err != nil {
		return err
	}
	for i := range all {
		r.Layers[i].Through = &all[i]
	}
	return nil
}

// Lying returns the triangles of the body and, by layer, the vertices that lie over it. Of a report that was
// stored these are all of the layers' parts.
func (r *Report) Lying(m *mesh.Mesh) (body [][3]int32, layers [][]int32) {
	layers = make([][]int32, len(r.Layers))
	over := make([]bool, len(m.Points))
	of := map[string]int{}
	for i, l := range r.Layers {
		layers[i] = l.vertices
		for _, v := range l.vertices {
			over[v] = true
		}
		if _, known := of[l.Part]; !known && l.vertices == nil {
			of[l.Part] = i
		}
	}
	for f := range m.Faces() {
		if i, ok := of[m.Parts[m.PartOf(f)].Name]; ok {
			for _, v := range m.Face(f) {
				if !over[v] {
					over[v] = true
					layers[i] = append(layers[i], int32(v))
				}
			}
		}
	}
	tris, _ := m.Triangles()
	for _, t := range tris {
		if !over[t[0]] {
			body = append(body, t)
		}
	}
	return body, layers
}

// closeLayer is how far, over the height, what lies on a body may be from it; a lantern in a hand is farther.
const closeLayer = 0.06

// Worn is Lying without the layers that do not lie on the body, as what is held in a hand: these hit it in many a
// pose, and nothing is wrong with the bind.
func (r *Report) Worn(m *mesh.Mesh) (body [][3]int32, layers [][]int32) {
	body, all := r.Lying(m)
	height := geom.BoxOf(m.World()).Size().Y
	for i, l := range r.Layers {
		if l.Farthest <= closeLayer*height {
			layers = append(layers, all[i])
		}
	}
	return body, layers
}

// Stiff returns the vertices of each piece that is to keep its shape, in the order of the pieces.
func (r *Report) Stiff(m *mesh.Mesh) [][]int32 {
	_, lists := r.Lying(m)
	pieces := m.Pieces()
	by := map[int32][]int32{}
	var order []int32
	for i, l := range r.Layers {
		if l.Kind != KindRigid && l.Kind != KindCard {
			continue
		}
		for _, v := range lists[i] {
			p := pieces.OfVertex[v]
			if p < 0 {
				continue
			}
			if by[p] == nil {
				order = append(order, p)
			}
			by[p] = append(by[p], v)
		}
	}
	slices.Sort(order)
	var out [][]int32
	for _, p := range order {
		out = append(out, by[p])
	}
	return out
}

// Relayered measures the layers of a report anew for weights that were changed. how says what
// the pieces of some parts go as now, by the names of the parts; the others as they went. b is
// the poses that the skin was bound in.
func (r *Report) Relayered(
	ctx context.Context,
	m *mesh.Mesh,
	s *skeleton.Skeleton,
	w *weights.Weights,
	b *pose.Binding,
	how map[string]string,
) error {
	if len(r.Layers) == 0 {
		return nil
	}
	kinds := map[string]string{}
	for _, l := range r.Layers {
		if kinds[l.Part] == "" {
			kinds[l.Part] = l.Kind
		}
	}
	for part, kind := range how {
		if kinds[part] != "" { // what is the body stays it
			kinds[part] = kind
		}
	}
	l := &layering{m: m, s: s, points: m.World(), pieces: m.Pieces()}
	l.kind = make([]string, l.pieces.Count())
	for f := range m.Faces() {
		if p := l.pieces.OfVertex[m.Face(f)[0]]; l.kind[p] == "" {
			l.kind[p] = kinds[m.Parts[m.PartOf(f)].Name]
			if l.kind[p] == "" {
				l.kind[p] = KindBody
			}
		}
	}
	r.Layers = l.layers(w)
	return r.tryThrough(ctx, m, s, w, b)
}

// triedShare is the part of a joint's usual range that layers are tried with.
const triedShare = 0.7

// Over is the part that is a layer over another surface, and would go better with it if it
// followed it: the Data of layer_apart and of some skin_through.
type Over string

// findings tells of a layer that does not go with the body.
func (l *Layer) findings() []finding.Finding {
	var out []finding.Finding
	if l.Kind == KindCloth && l.Agreement < agreementLimit {
		out = append(out, finding.Finding{Code: "layer_apart", Severity: finding.Harms, Count: l.Vertices,
			Title: fmt.Sprintf("%s follows different joints from the body below", l.name()),
			Why:   "Where a garment is led by another joint than the skin beneath, and not one next to it, they separate when the character moves.",
			Evidence: []finding.Evidence{{What: "led by the body's joint or its neighbor", Value: l.Agreement, Limit: agreementLimit},
				{What: "farthest from the body", Value: l.Farthest, Unit: "m"}},
			Where: finding.Where{Vertices: l.vertices}, Data: Over(l.Part)})
	}
	if t := l.Through; t != nil && t.Vertices > 0 {
		share := float64(t.Vertices) / float64(max(1, l.Vertices))
		f := finding.Finding{Code: "skin_through", Severity: finding.Note, Count: t.Vertices,
			Title: fmt.Sprintf("Skin pokes through %s in %d of %d poses", l.name(), t.Poses, t.Tried),
			Why:   fmt.Sprintf("Each joint was rotated %.0f%% of its typical range. Worst pose: %s.", 100*triedShare, t.Pose),
			Evidence: []finding.Evidence{{What: "vertices under the skin", Value: share, Limit: throughLimit},
				{What: "deepest", Value: t.Deepest, Unit: "m"}},
			Where: finding.Where{Vertices: t.Where}}
		if share > throughLimit {
			f.Severity = finding.Harms
			if l.Kind != KindCloth {
				f.Data = Over(l.Part)
			}
		}
		out = append(out, f)
	}
	return out
}

func (l *Layer) name() string {
	if l.Part == "" {
		return "the layer"
	}
	return l.Part
}

const (
	agreementLimit = 0.97
	// throughLimit is the share of a layer that may be under the skin in the worst pose.
	throughLimit = 0.01
)

// layers measures how what lies over the body goes with it.
func (l *layering) layers(w *weights.Weights) []Layer {
	tris := l.bodyTris()
	if len(tris) == 0 {
		return nil
	}
	tree := geom.NewTree(l.points, tris)
	agrees, far := make([]bool, len(l.points)), make([]float64, len(l.points))
	of := make([]int, len(w.Joints))
	for k, name := range w.Joints {
		of[k] = l.s.Index(name)
	}
	geom.Chunks(len(l.points), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			if l.pieces.OfVertex[v] < 0 || l.isBody(int32(v)) {
				continue
			}
			tri, at, d := tree.Nearest(l.points[v])
			far[v] = d
			t := tris[tri]
			under := w.Blend(t[:], barycentric(at, l.points[t[0]], l.points[t[1]], l.points[t[2]]), weights.Limits{})
			if len(under) == 0 || len(w.Of[v]) == 0 {
				continue
			}
			a, b := of[w.Of[v][0].Joint], of[under[0].Joint]
			agrees[v] = a == b || a >= 0 && b >= 0 && (l.s.Joints[a].Parent == b || l.s.Joints[b].Parent == a)
		}
	})
	part := l.partOf()
	by := map[string]*Layer{}
	agreed := map[*Layer]int{}
	for v, p := range l.pieces.OfVertex {
		if p < 0 || l.kind[p] == KindBody {
			continue
		}
		name := ""
		if part[p] >= 0 && int(part[p]) < len(l.m.Parts) {
			name = l.m.Parts[part[p]].Name
		}
		key := fmt.Sprint(l.kind[p], " ", name)
		x := by[key]
		if x == nil {
			x = &Layer{Kind: l.kind[p], Part: name, Piece: int(p)}
			by[key] = x
		}
		x.Vertices++
		x.vertices = append(x.vertices, int32(v))
		x.Farthest = math.Max(x.Farthest, far[v])
		if agrees[v] {
			agreed[x]++
		}
	}
	counted := map[int32]bool{}
	for _, x := range by {
		for _, v := range x.vertices {
			if p := l.pieces.OfVertex[v]; !counted[p] {
				counted[p] = true
				x.Pieces++
			}
		}
	}
	out := make([]Layer, 0, len(by))
	for _, x := range by {
		x.Agreement = float64(agreed[x]) / float64(x.Vertices)
		out = append(out, *x)
	}
	sort.Slice(out, func(i, j int) bool {
		return out[i].Vertices > out[j].Vertices || out[i].Vertices == out[j].Vertices && out[i].Piece < out[j].Piece
	})
	return out
}
