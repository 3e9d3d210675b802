package bind

import (
	"context"
	"fmt"

	"wisemarrow/core/bind"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/formats"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "carry_weights",
			Label: "Carry weights over",
			Stage: "bind",
			Words: "copy transfer from file other character closest point",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton},
			Long:  studio.Always,
			Loses: loses,
			New: func() studio.Operation {
				d := bind.DefaultOptions
				return &CarryWeights{From: bind.FromSurface, Influences: d.Cap, Trace: d.Trace}
			},
		},
	)
}

// CarryWeights takes the weights of a bound mesh in a file that lies where this one does, or of
// parts of this very mesh: from the nearest "surface", "vertex", along the "normal", or by the
// "order" of the vertices. Joints are paired by name, by its meaning, then by place, or as Match
// says (theirs → ours); what is left goes to the nearest joint above that is paired.
//
// With Vertices, or the vertices of Onto, only these get them, and the rest stays exactly as it is.
type CarryWeights struct {
	File       *studio.File      `json:"file,omitempty" help:"the bound file that they come from"`
	Parts      []string          `json:"parts,omitempty" help:"parts of this mesh that give them, in place of a file"`
	Onto       []string          `json:"onto,omitempty" help:"parts that get them; default all others"`
	Vertices   string            `json:"vertices,omitempty"`
	From       string            `json:"from" as:"Match by" one:"surface=nearest point on surface,vertex=nearest vertex,normal=along the normal,order=vertex order" help:"the nearest point of the surface, the nearest vertex, along the normal, or vertex by vertex in order"`
	Within     float64           `json:"within,omitempty" as:"Distance" in:"0..1e6" unit:"m" help:"what is farther away stays as it is; 0 is any distance"` // metres; 0 is however far
	Scale      float64           `json:"scale,omitempty" as:"Scale" in:"0<..1e6" help:"of the other file to this one"`                                      // of theirs, about the origin; 0 is 1
	Match      map[string]string `json:"match,omitempty" help:"joint of the other file to joint of this one"`
	Influences int               `json:"influences"`
	Trace      float64           `json:"trace"`
}

// Files implements studio.FileReader.
func (o *CarryWeights) Files() []*studio.File {
	if o.File == nil {
		return nil
	}
	return []*studio.File{o.File}
}

// Apply implements studio.Operation.
func (o *CarryWeights) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	limits, _, err := asked(s, o.Influences, o.Trace, nil)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	only, err := o.only(s)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if only != nil && s.Weights == nil {
		return s, studio.Outcome{}, studio.Wrong("no weights yet for the other vertices to keep: bind first, or carry onto all")
	}
	var from source
	switch {
	case o.File != nil && len(o.Parts) > 0:
		return s, studio.Outcome{}, studio.Wrong("weights come from a file or from parts of this mesh, not from both at once")
	case len(o.Parts) > 0:
		from, err = o.parts(s, only)
	case o.File != nil:
		progress("Reading "+o.File.Name, 0.1)
		from, err = read(ctx, o.File, s.Skeleton, o.Scale, o.Match)
	default:
		err = studio.Wrong("name the file that the weights are in, a .glb or .gltf with a skin, or parts of this mesh")
	}
	if err != nil {
		return s, studio.Outcome{}, err
	}
	in, _ := s.Mesh.Bindable()
	progress("Carrying the weights over", 0.4)
	w, told, err := bind.Carry(from.mesh, from.weights, in, bind.CarryOptions{Limits: limits, From: o.From, Within: o.Within})
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	if told.Vertices == 0 {
		mine, other := geom.BoxOf(in.World()), geom.BoxOf(from.mesh.World())
		return s, studio.Outcome{}, studio.Wrong(
			"no vertex has a place of %s within %s: it is %s tall, this character %s, and their centers are %s apart; give a scale or a longer distance",
			from.name,
			wording.Length(o.Within),
			wording.Length(other.Size().Y),
			wording.Length(mine.Size().Y),
			wording.Length(r3.Norm(r3.Sub(mine.Centre(), other.Centre()))),
		)
	}
	if only != nil {
		return o.onto(ctx, s, w, only, from)
	}
	report := bind.Account(in, s.Skeleton, w, bind.Evidence{Method: "carried over from " + from.name})
	report.Ways = []bind.Way{{How: "carried over from " + from.name, Vertices: told.Vertices, Farthest: told.Farthest}}
	if n := len(told.Filled); n > 0 {
		report.Ways = append(report.Ways, bind.Way{How: "from their neighbors", Vertices: n})
	}
	next, out, err := made(ctx, s, "carry_weights", "Carried over from "+from.name, o, limits, w, report, nil)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	out.Sentence = fmt.Sprintf(
		"Carried weights over from %s: %s, %s; %d filled from their neighbors, %d without",
		from.name,
		wording.Count(told.Vertices, "vertex", "vertices"),
		away(told),
		len(told.Filled),
		len(told.Bare),
	)
	out.Left = from.left
	return next, out, nil
}

// away says how far from each other the places are between which weights were carried.
func away(told bind.Carried) string {
	if told.Farthest < 0.00001 {
		return "all in the same places"
	}
	return fmt.Sprintf("%s away on average and %s at most", wording.Length(told.Mean), wording.Length(told.Farthest))
}

// source is what weights are carried from.
type source struct {
	name    string
	mesh    *mesh.Mesh
	weights *weights.Weights // with our joints
	left    []string         // what was done with joints that have no partner
}

// read takes the weights of a file, scaled about the origin, with our joints.
func read(ctx context.Context, file *studio.File, ours *skeleton.Skeleton, scale float64, match map[string]string) (source, error) {
	r, resolve, limit, err := file.Open(ctx)
	if err != nil {
		return source{}, err
	}
	scene, err := formats.Decode(file.Name, r, resolve, limit)
	if err != nil {
		return source{}, studio.Wrong("%v", err)
	}
	if scene.Weights == nil || scene.Skeleton == nil {
		return source{}, studio.Wrong("%s has no skin: weights come from a bound character", file.Name)
	}
	if scale > 0 && scale != 1 {
		scene.Mesh = scene.Mesh.Bake(mesh.Placement{Scale: scale, Up: "y"})
		for i := range scene.Skeleton.Joints {
			scene.Skeleton.Joints[i].Pos = r3.Scale(scale, scene.Skeleton.Joints[i].Pos)
		}
	}
	theirs, left := renamed(ours, scene.Skeleton, scene.Weights, match)
	if len(theirs.Joints) == 0 {
		return source{}, studio.Wrong("no joint of %s is paired with one of this character", file.Name)
	}
	return source{file.Name, scene.Mesh, theirs, left}, nil
}

// only are the vertices that get weights, ascending; nil is all.
func (o *CarryWeights) only(s studio.State) ([]int32, error) {
	only, err := s.VerticesOf(o.Vertices)
	if err != nil || len(o.Onto) == 0 {
		return only, err
	}
	_, vertices, err := partsNamed(s.Mesh, o.Onto)
	return studio.Unite(only, vertices), err
}

// partsNamed finds parts by name and the vertices of their faces, ascending.
func partsNamed(m *mesh.Mesh, names []string) (chosen []bool, vertices []int32, err error) {
	chosen = make([]bool, len(m.Parts))
	for _, name := range names {
		i, err := m.FindPart(name)
		if err != nil {
			return nil, nil, studio.Wrong("%v", err)
		}
		chosen[i] = true
	}
	in := make([]bool, len(m.Points))
	for f := range m.Faces() {
		if chosen[m.PartOf(f)] {
			for _, v := range m.Face(f) {
				in[v] = true
			}
		}
	}
	for v, yes := range in {
		if yes {
			vertices = append(vertices, int32(v))
		}
	}
	return chosen, vertices, nil
}

// parts takes the weights of parts of this mesh.
func (o *CarryWeights) parts(s studio.State, only []int32) (source, error) {
	if s.Weights == nil || len(only) == 0 {
		return source{}, studio.Wrong("once the part is bound, select the parts or vertices that get its weights")
	}
	if o.From == bind.FromOrder {
		return source{}, studio.Wrong("the order of vertices says nothing within one mesh: carry by the surface, the vertex or the normal")
	}
	chosen, vertices, err := partsNamed(s.Mesh, o.Parts)
	if err != nil {
		return source{}, err
	}
	get := map[int32]bool{}
	for _, v := range only {
		get[v] = true
	}
	for _, v := range vertices {
		if get[v] {
			return source{}, studio.Wrong("vertex %d would both give and get weights: select vertices outside %s", v, studio.Said(o.Parts))
		}
	}
	m, _ := s.Mesh.Only(chosen)
	return source{name: studio.Said(o.Parts), mesh: m, weights: s.Weights}, nil
}

// onto gives some vertices what was carried over; hidden ones and the shares of locked joints stay.
func (o *CarryWeights) onto(
	ctx context.Context,
	s studio.State,
	w *weights.Weights,
	only []int32,
	from source,
) (studio.State, studio.Outcome, error) {
	joints, to, locked := widened(s, w)
	hidden := map[int32]bool{}
	for _, v := range s.HiddenVertices() {
		hidden[v] = true
	}
	e := weights.Edit(joints, locked, nil, 0)
	without := 0
	for _, v := range only {
		switch own := weights.Renumbered(w.Of[v], to); {
		case hidden[v]:
		case len(own) == 0:
			without++
		case len(joints.Of[v]) == 0:
			e.Give(v, own)
		default:
			e.Replace(v, own)
		}
	}
	next, changed, err := taken(ctx, s, e.Weights(), ", some carried over from "+from.name)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if changed == 0 {
		return s, studio.Outcome{}, studio.Wrong(
			"nothing changed: these vertices have the weights of %s already, are hidden, or have no place of it within %g m",
			from.name,
			o.Within,
		)
	}
	next = next.WithChosen(func(c *studio.Chosen) { c.ByHand = studio.Unite(c.ByHand, e.Changed()) })
	return next, studio.Outcome{
		Sentence: fmt.Sprintf(
			"Carried weights over from %s to %s: %d changed, %d found no place",
			from.name,
			wording.Count(len(only), "vertex", "vertices"),
			changed,
			without,
		),
		After: fmt.Sprint(changed),
		Left:  from.left,
	}, nil
}

// renamed returns weights with their joints under our names, and what was done with joints
// that have no partner.
func renamed(ours, theirs *skeleton.Skeleton, w *weights.Weights, match map[string]string) (*weights.Weights, []string) {
	to := map[string]string{}
	for _, m := range skeleton.MatchJoints(ours, theirs, match) {
		to[m.Theirs] = m.Ours
	}
	removed := map[string]string{}
	var left []string
	for _, name := range w.Joints {
		if _, ok := to[name]; ok {
			continue
		}
		heir := ""
		for i := theirs.Index(name); i >= 0 && heir == ""; i = theirs.Joints[i].Parent {
			if _, ok := to[theirs.Joints[i].Name]; ok {
				heir = theirs.Joints[i].Name
			}
		}
		removed[name] = heir
		if heir == "" {
			left = append(left, name+" has no partner: its weight went to the other influences")
		} else {
			left = append(left, fmt.Sprintf("%s has no partner: its weight went to %s", name, to[heir]))
		}
	}
	return w.Handed(to, removed), left
}
