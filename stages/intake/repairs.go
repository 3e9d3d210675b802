package intake

import (
	"context"
	"fmt"
	"math"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "weld",
			Label: "Weld vertices",
			Stage: "intake",
			Words: "merge stitch join close seams cracks duplicate vertices",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &Weld{Distance: 0.00002} },
		},
		studio.Entry{
			Name:  "drop_loose",
			Label: "Remove loose vertices",
			Stage: "intake",
			Words: "delete remove isolated unused points clean",
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &DropLoose{} },
		},
		studio.Entry{
			Name:  "drop_faces",
			Label: "Remove duplicate and zero-area faces",
			Stage: "intake",
			Words: "delete remove duplicate degenerate zero area clean",
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &DropFaces{} },
		},
		studio.Entry{
			Name:  "drop_crumbs",
			Label: "Remove small pieces",
			Stage: "intake",
			Words: "delete remove crumbs specks noise scan islands loose shells",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &DropCrumbs{Size: 0.01} },
		},
		studio.Entry{
			Name:  "drop_chosen",
			Label: "Remove selected faces",
			Stage: "intake",
			Words: "delete remove selected polygons",
			From:  studio.FromFaces,
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &DropChosen{} },
		},
		studio.Entry{
			Name:  "make_outward",
			Label: "Flip faces outward",
			Stage: "intake",
			Words: "normals flip winding reverse inside out inverted",
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &MakeOutward{} },
		},
		studio.Entry{
			Name:  "split_ties",
			Label: "Split non-manifold geometry",
			Stage: "intake",
			Words: "non-manifold vertices edges separate detach",
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &SplitTies{} },
		},
		studio.Entry{
			Name:  "fill_holes",
			Label: "Fill holes",
			Stage: "intake",
			Words: "close cap borders patch",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &FillHoles{Edges: 12} },
		},
		studio.Entry{
			Name:  "triangulate",
			Label: "Triangulate faces",
			Stage: "intake",
			Words: "triangulate tessellate ngons quads polygons",
			From:  studio.FromFaces,
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &Triangulate{} },
		},
		studio.Entry{
			Name:  "complete_half",
			Label: "Complete by mirroring",
			Stage: "intake",
			Words: "symmetry mirror half duplicate other side",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &CompleteHalf{} },
		},
		studio.Entry{
			Name:  "bake_transform",
			Label: "Bake the transform",
			Stage: "intake",
			Words: "freeze apply reset unit up axis scale rotate orientation",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			New:   func() studio.Operation { return &BakeTransform{mesh.NoPlacement} },
		},
		studio.Entry{
			Name:  "real_size",
			Label: "Rescale to real size",
			Stage: "intake",
			Words: "height scale resize unit",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			New:   func() studio.Operation { return &RealSize{Height: 1.7} },
		},
		studio.Entry{
			Name:  "set_kind",
			Label: "Set the kind of character",
			Stage: "intake",
			Words: "type category size",
			From:  studio.FromForm,
			New:   func() studio.Operation { return &SetKind{} },
		},
	)
}

// Kinds are the kinds of character that set_kind knows.
var Kinds = health.Kinds

// counted is the outcome of an operation that leaves fewer of something.
func counted(did string, before, after int, what string) studio.Outcome {
	return studio.Outcome{
		Sentence: fmt.Sprintf("%s: %s %d → %d", did, what, before, after),
		Before:   fmt.Sprint(before),
		After:    fmt.Sprint(after),
	}
}

// Weld joins vertices within Distance metres on open borders; between pieces
// that do not run alongside each other only with Across.
type Weld struct {
	Distance float64 `json:"distance" as:"Distance" in:"0<..1e6" unit:"m"`
	Across   bool    `json:"across,omitempty" help:"across parts too"`
}

// Apply implements Operation.
func (o *Weld) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	m, mapping, err := s.Mesh.Weld(o.Distance, o.Across)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	return s.WithMesh(m, mapping.Origin(len(m.Points))), counted("Welded", len(s.Mesh.Points), len(m.Points), "vertices"), nil
}

// Places implements Placer.
func (o *Weld) Places(m *mesh.Surface) (w finding.Where) {
	if o.Distance > 0 && !math.IsInf(o.Distance, 0) {
		for _, g := range m.Seams(o.Distance, o.Across).Groups {
			w.Vertices = append(w.Vertices, g...)
		}
	}
	return w
}

// DropLoose drops vertices and edges that no face uses.
type DropLoose struct{}

// Apply implements Operation.
func (o *DropLoose) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	m, mapping := s.Mesh.DropLoose()
	return s.WithMesh(
			m,
			mapping.Origin(len(m.Points)),
		), counted(
			"Removed loose vertices",
			len(s.Mesh.Points),
			len(m.Points),
			"vertices",
		), nil
}

// Places implements Placer.
func (o *DropLoose) Places(m *mesh.Surface) (w finding.Where) {
	for v, p := range m.Pieces.OfVertex {
		if p < 0 {
			w.Vertices = append(w.Vertices, int32(v))
		}
	}
	w.Edges = m.Lines
	return w
}

// DropFaces drops doubled faces and faces without area.
type DropFaces struct{}

// Apply implements Operation.
func (o *DropFaces) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	m, mapping := s.Mesh.DropFaces()
	return s.WithMesh(
			m,
			mapping.Origin(len(m.Points)),
		), counted(
			"Removed duplicate and zero-area faces",
			s.Mesh.Faces(),
			m.Faces(),
			"faces",
		), nil
}

// Places implements Placer.
func (o *DropFaces) Places(m *mesh.Surface) finding.Where {
	empty, _ := m.Slivers()
	return finding.Where{Faces: append(m.Doubled(), empty...)}
}

// DropCrumbs drops the pieces whose box has a diagonal below Size, in metres, as scans
// leave them around a body. The largest piece stays.
type DropCrumbs struct {
	Size float64 `json:"size" as:"Size" in:"0<..1e6" unit:"m" help:"pieces up to this size are removed"`
}

// Apply implements Operation.
func (o *DropCrumbs) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	faces, pieces := s.Mesh.Crumbs(o.Size)
	if pieces == 0 {
		return s, studio.Outcome{}, studio.Wrong("no piece but the largest is smaller than %g m", o.Size)
	}
	chosen := make([]bool, s.Mesh.Faces())
	for _, f := range faces {
		chosen[f] = true
	}
	before := s.Mesh.Pieces().Count()
	m, mapping := s.Mesh.DropChosen(chosen)
	return s.WithMesh(m, mapping.Origin(len(m.Points))), counted("Removed small pieces", before, before-pieces, "pieces"), nil
}

// Places implements Placer.
func (o *DropCrumbs) Places(m *mesh.Surface) finding.Where {
	faces, _ := m.Crumbs(o.Size)
	return finding.Where{Faces: faces}
}

// DropChosen drops faces, and the vertices that only they used: those of Which
// ("inside", or the code of a finding about polygons), and those of Faces.
type DropChosen struct {
	Which string  `json:"which,omitempty"`
	Faces []int32 `json:"faces,omitempty"`
}

// Apply implements Operation.
func (o *DropChosen) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	chosen, _, err := chosenFaces(s, o.Which, o.Faces)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	m, mapping := s.Mesh.DropChosen(chosen)
	return s.WithMesh(m, mapping.Origin(len(m.Points))), counted("Removed selected faces", s.Mesh.Faces(), m.Faces(), "faces"), nil
}

// Places implements Placer.
func (o *DropChosen) Places(m *mesh.Surface) finding.Where {
	return finding.Where{Faces: append(facesOf(m, o.Which), o.Faces...)}
}

// facesOf returns the faces that a word stands for.
func facesOf(m *mesh.Surface, which string) []int32 {
	p := m.Polygons()
	switch which {
	case "inside":
		at, _ := m.Inside()
		return at
	case "many_sided_faces":
		return p.Many
	case "concave_faces":
		return p.Concave
	case "folded_faces":
		return p.Folded
	case "holed_faces":
		return p.Holed
	case "polygons":
		var out []int32
		for f := range m.Faces() {
			if len(m.Face(f)) > 3 {
				out = append(out, int32(f))
			}
		}
		return out
	}
	return nil
}

// chosenFaces marks the faces that an operation names; none is a mistake.
func chosenFaces(s studio.State, which string, faces []int32) ([]bool, int, error) {
	switch which {
	case "", "inside", "many_sided_faces", "concave_faces", "folded_faces", "holed_faces", "polygons":
	default:
		return nil, 0, studio.Wrong(
			"%q names no faces; there are inside, many_sided_faces, concave_faces, folded_faces, holed_faces and polygons",
			which,
		)
	}
	chosen := make([]bool, s.Mesh.Faces())
	if which != "" {
		faces = append(facesOf(s.Mesh.Surface(), which), faces...)
	}
	n := 0
	for _, f := range faces {
		if f < 0 || int(f) >= len(chosen) {
			return nil, 0, studio.Wrong("there is no face %d: the mesh has %d", f, len(chosen))
		}
		if !chosen[f] {
			n++
		}
		chosen[f] = true
	}
	if n == 0 {
		return nil, 0, studio.Wrong("no face selected: click faces in the view, or choose a kind")
	}
	return chosen, n, nil
}

// MakeOutward turns faces so that neighbours agree and look outward.
type MakeOutward struct{}

// Apply implements Operation.
func (o *MakeOutward) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	m, n := s.Mesh.MakeOutward()
	return s.WithMesh(m, nil), studio.Outcome{Sentence: fmt.Sprintf("Flipped %s outward", wording.Count(n, "face", "faces")), Before: fmt.Sprint(n), After: "0"}, nil
}

// Places implements Placer.
func (o *MakeOutward) Places(m *mesh.Surface) (w finding.Where) {
	for f, flip := range m.Outward().Flip {
		if flip {
			w.Faces = append(w.Faces, int32(f))
		}
	}
	return w
}

// SplitTies takes bow-ties and fins apart.
type SplitTies struct{}

// Apply implements Operation.
func (o *SplitTies) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	m, origin := s.Mesh.SplitTies()
	n := len(m.Points) - len(s.Mesh.Points)
	return s.WithMesh(m, origin), studio.Outcome{
		Sentence: fmt.Sprintf("Split non-manifold geometry: %d → %d vertices", len(s.Mesh.Points), len(m.Points)),
		Before:   fmt.Sprint(n),
		After:    "0",
	}, nil
}

// Places implements Placer.
func (o *SplitTies) Places(m *mesh.Surface) finding.Where {
	w := finding.Where{Vertices: m.BowTies()}
	for _, x := range m.Edges.Edges {
		if x.Count > 2 {
			w.Edges = append(w.Edges, [2]int32{x.A, x.B})
		}
	}
	return w
}

// FillHoles closes open borders of at most Edges edges.
type FillHoles struct {
	Edges int `json:"edges" as:"Edges" in:"3..256" help:"of the largest hole that is filled"`
}

// Apply implements Operation.
func (o *FillHoles) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	before := len(s.Mesh.Edges().BorderLoops())
	m, filled, left := s.Mesh.FillHoles(o.Edges)
	if filled == 0 {
		return s, studio.Outcome{}, studio.Wrong(
			"no border of at most %d edges could be filled; %d of %d are that small",
			o.Edges,
			left,
			before,
		)
	}
	out := counted("Filled holes", before, len(m.Edges().BorderLoops()), "open borders")
	if left > 0 {
		out.Sentence += fmt.Sprintf("; %d small ones run along faces already and stay", left)
	}
	return s.WithMesh(m, nil), out, nil
}

// Places implements Placer.
func (o *FillHoles) Places(m *mesh.Surface) (w finding.Where) {
	for _, l := range m.Edges.BorderLoops() {
		if len(l) > o.Edges {
			continue
		}
		for i, v := range l {
			w.Edges = append(w.Edges, [2]int32{v, l[(i+1)%len(l)]})
		}
	}
	return w
}

// Triangulate cuts faces into triangles; see DropChosen for which.
type Triangulate struct {
	Which string  `json:"which,omitempty"`
	Faces []int32 `json:"faces,omitempty"`
}

// Apply implements Operation.
func (o *Triangulate) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	chosen, n, err := chosenFaces(s, o.Which, o.Faces)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	m := s.Mesh.Triangulate(chosen)
	return s.WithMesh(m, nil), studio.Outcome{Sentence: fmt.Sprintf("Cut %d faces into %d triangles", n, m.Faces()-s.Mesh.Faces()+n),
		Before: fmt.Sprint(s.Mesh.Faces()), After: fmt.Sprint(m.Faces())}, nil
}

// Places implements Placer.
func (o *Triangulate) Places(m *mesh.Surface) finding.Where {
	return finding.Where{Faces: append(facesOf(m, o.Which), o.Faces...)}
}

// CompleteHalf mirrors a half mesh about X = 0 and welds the seam. Vertices
// within Tolerance metres of the plane are drawn onto it; 0 takes a thousandth
// of the diagonal. Weights are mirrored along, by the partners of the joints.
type CompleteHalf struct {
	Tolerance float64 `json:"tolerance,omitempty" as:"Tolerance" in:"0..1e6" unit:"m"`
}

// Apply implements Operation.
func (o *CompleteHalf) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	tolerance := o.Tolerance
	if tolerance == 0 {
		tolerance = geom.SymmetryShare * s.Mesh.Surface().Diagonal
	}
	m, origin, mirrored, err := s.Mesh.CompleteHalf(tolerance)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	before := len(s.Mesh.Points)
	s = s.WithMesh(m, origin)
	if s.Weights != nil && s.Skeleton != nil {
		partner := make([]int32, len(s.Weights.Joints))
		number := map[string]int32{}
		for i, name := range s.Weights.Joints {
			number[name] = int32(i)
		}
		for i, name := range s.Weights.Joints {
			partner[i] = int32(i)
			if other, ok := s.Settings.Marks.Partner(name); ok {
				if k, ok := number[other]; ok {
					partner[i] = k
				}
			}
		}
		for v, yes := range mirrored {
			if yes {
				s.Weights.Of[v] = weights.Mirror(s.Weights.Of[v], partner)
			}
		}
	}
	return s, counted("Completed by mirroring", before, len(m.Points), "vertices"), nil
}

// Places implements Placer.
func (o *CompleteHalf) Places(m *mesh.Surface) finding.Where {
	return finding.Where{Vertices: m.Half(o.Tolerance).Seam}
}

// BakeTransform applies the parts' transforms and a change of unit, up axis and
// place to the vertices. A skeleton comes along.
type BakeTransform struct{ mesh.Placement }

// Apply implements Operation.
func (o *BakeTransform) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	before := geom.BoxOf(s.Mesh.World())
	framed := 0
	for _, p := range s.Mesh.Parts {
		if p.Frame != geom.IdentityMatrix {
			framed++
		}
	}
	s = s.Moved(o.Placement)
	after := geom.BoxOf(s.Mesh.World())
	return s, o.said(framed, before, after), nil
}

// said tells what a bake did, and a height only where it is another.
func (o *BakeTransform) said(framed int, before, after geom.Box) studio.Outcome {
	var did []string
	add := func(yes bool, format string, args ...any) {
		if yes {
			did = append(did, fmt.Sprintf(format, args...))
		}
	}
	add(framed == 1, "baked the transform of a part")
	add(framed > 1, "baked the transforms of %d parts", framed)
	add(o.Scale != 1, "scaled by %g", o.Scale)
	add(o.Up != "y", "made %s up", o.Up)
	add(o.Turn != 0, "rotated by %g°", o.Turn)
	add(o.Stand, "centered it on the ground")
	out := studio.Outcome{Sentence: "There was no transform to bake: nothing moved"}
	if did != nil {
		out.Sentence = strings.ToUpper(did[0][:1]) + strings.Join(did, ", ")[1:]
	}
	was, is := wording.Length(before.Size().Y), wording.Length(after.Size().Y)
	if was != is {
		out.Sentence += fmt.Sprintf(": height %s → %s", was, is)
		out.Before, out.After = was, is
	}
	return out
}

// RealSize scales the character about the origin of the ground to a height in
// metres.
type RealSize struct {
	Height float64 `json:"height" as:"Height" in:"0.001..1000" unit:"m"`
}

// Apply implements Operation.
func (o *RealSize) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	before := s.Mesh.Measure().Height
	if before == 0 {
		return s, studio.Outcome{}, studio.Wrong("the mesh has no height that could be scaled: turn it upright first")
	}
	if fmt.Sprintf("%.4g", before) == fmt.Sprintf("%.4g", o.Height) {
		return s, studio.Outcome{}, studio.Wrong("it is %s tall already", wording.Length(before))
	}
	s = s.Moved(mesh.Placement{Scale: o.Height / before, Up: "y"})
	return s, studio.Outcome{Sentence: fmt.Sprintf("Rescaled: height %s → %s", wording.Length(before), wording.Length(o.Height)),
		Before: wording.Length(before), After: wording.Length(o.Height)}, nil
}

// SetKind says what kind of character it is, for what is plausible of it.
type SetKind struct {
	Kind string `json:"kind"` // of health.Kinds, "" for any
}

// Apply implements Operation.
func (o *SetKind) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	title := "Any"
	if o.Kind != "" {
		k, ok := health.FindKind(o.Kind)
		if !ok {
			return s, studio.Outcome{}, studio.Wrong("there is no kind of character %q", o.Kind)
		}
		title = k.Title
	}
	before := s.Settings.Kind
	s.Settings.Kind = o.Kind
	return s, studio.Outcome{Sentence: "Kind of character: " + title, Before: before, After: o.Kind}, nil
}
