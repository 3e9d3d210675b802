package bind

import (
	"context"
	"fmt"

	"wisemarrow/core/bind"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/formats"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(studio.Entry{Name: "carry_weights", Label: "Carry weights over", Stage: "bind", Words: "copy transfer from file other character closest point", From: studio.FromForm, Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton}, Long: studio.Always, Loses: loses, New: func() studio.Operation {
		d := bind.DefaultOptions
		return &CarryWeights{From: bind.FromSurface, Influences: d.Cap, Trace: d.Trace}
	}})
}

// CarryWeights takes the weights of a bound mesh in a file that lies where this one does: from
// the nearest "surface", "vertex", along the "normal", or by the "order" of the vertices. Joints are paired by name, by its
// meaning, then by place, or as Match says (theirs → ours); what is left goes to the nearest
// joint above that is paired.
type CarryWeights struct {
	File       *studio.File      `json:"file"`
	From       string            `json:"from"`
	Within     float64           `json:"within,omitempty"` // metres; 0 is however far
	Scale      float64           `json:"scale,omitempty"`  // of theirs, about the origin; 0 is 1
	Match      map[string]string `json:"match,omitempty"`
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
	if o.File == nil {
		return s, studio.Outcome{}, studio.Wrong("name the file that the weights are in: a .glb or .gltf with a skin")
	}
	if !(o.Within >= 0) || o.Within > studio.MaxPlace || !(o.Scale >= 0) || o.Scale > 1e6 {
		return s, studio.Outcome{}, studio.Wrong("the distance is 0 metres or more, and the scale above 0, not %g and %g", o.Within, o.Scale)
	}
	r, resolve, limit, err := o.File.Open()
	if err != nil {
		return s, studio.Outcome{}, err
	}
	progress("Reading "+o.File.Name, 0.1)
	scene, err := formats.Decode(o.File.Name, r, resolve, limit)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	if scene.Weights == nil || scene.Skeleton == nil {
		return s, studio.Outcome{}, studio.Wrong("%s has no skin: weights come from a bound character", o.File.Name)
	}
	if o.Scale > 0 && o.Scale != 1 {
		scene.Mesh = scene.Mesh.Bake(mesh.Placement{Scale: o.Scale, Up: "y"})
		for i := range scene.Skeleton.Joints {
			scene.Skeleton.Joints[i].Pos = r3.Scale(o.Scale, scene.Skeleton.Joints[i].Pos)
		}
	}
	theirs, left := renamed(s.Skeleton, scene.Skeleton, scene.Weights, o.Match)
	if len(theirs.Joints) == 0 {
		return s, studio.Outcome{}, studio.Wrong("no joint of %s is paired with one of this character", o.File.Name)
	}
	in, _ := s.Mesh.Bindable()
	progress("Carrying the weights over", 0.4)
	w, told, err := bind.Carry(scene.Mesh, theirs, in, bind.CarryOptions{Limits: limits, From: o.From, Within: o.Within})
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	if told.Vertices == 0 {
		mine, other := geom.BoxOf(in.World()), geom.BoxOf(scene.Mesh.World())
		return s, studio.Outcome{}, studio.Wrong("no vertex has a place of %s within %g m: it is %.3g m tall, this character %.3g m, and their middles are %.3g m apart; give a scale or a longer distance",
			o.File.Name, o.Within, other.Size().Y, mine.Size().Y, r3.Norm(r3.Sub(mine.Centre(), other.Centre())))
	}
	report := bind.Account(in, s.Skeleton, w, bind.Evidence{Method: "carried over from " + o.File.Name})
	report.Ways = []bind.Way{{How: "carried over from " + o.File.Name, Vertices: told.Vertices, Farthest: told.Farthest}}
	if n := len(told.Filled); n > 0 {
		report.Ways = append(report.Ways, bind.Way{How: "from their neighbours", Vertices: n})
	}
	next, out, err := made(ctx, s, "carry_weights", "Carried over from "+o.File.Name, o, limits, w, report, nil)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	out.Sentence = fmt.Sprintf("Carried weights over from %s: %d vertices, %.2g mm away on average and %.2g mm at most, %d filled from their neighbours, %d without", o.File.Name, told.Vertices, 1000*told.Mean, 1000*told.Farthest, len(told.Filled), len(told.Bare))
	out.Left = left
	return next, out, nil
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
			left = append(left, name+" has no partner: its weight was shared among the others")
		} else {
			left = append(left, fmt.Sprintf("%s has no partner: its weight went to %s", name, to[heir]))
		}
	}
	return w.Handed(to, removed), left
}
