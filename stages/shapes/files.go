package shapes

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/corrective"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/solve"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "add_targets",
			Label: "Add shape targets from a file",
			Stage: "shapes",
			Words: "import blend shape morph target corrective sculpt",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &AddTargets{Match: matchOrder} },
		},
	)
}

// How the vertices of a file are matched with those of the character.
const (
	matchOrder = "order"
	matchPlace = "place"
)

// AddTargets brings in shape targets: those of a file, or its mesh as one; of further files beside it too.
type AddTargets struct {
	File  *studio.File `json:"file" as:"File" help:"a mesh with the same vertices, or one with shape targets"`
	Match string       `json:"match" as:"Vertices" one:"order=in the same order,place=by place at rest (files with shape targets)"`
	Name  string       `json:"name,omitempty" as:"Name" help:"of the target of a mesh; none is that of its file"`
	// Posed: the mesh was sculpted in a pose, of that name if the character keeps one, which is taken out again.
	Posed bool `json:"posed,omitempty" as:"Sculpted in a pose" help:"the pose is found from the mesh, or is the kept pose of the same name, and is taken out again"`
}

// Files implements studio.FileReader.
func (o *AddTargets) Files() []*studio.File {
	if o.File == nil {
		return nil
	}
	return []*studio.File{o.File}
}

// tiny is what offset of the height is none: what rounding in a file leaves.
const tiny = 1e-6

// Apply implements studio.Operation.
func (o *AddTargets) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	if !o.File.Given() {
		return fail(studio.Wrong("choose a file"))
	}
	meshes, err := o.File.Meshes(ctx)
	if err != nil {
		return fail(err)
	}
	out := studio.Outcome{}
	list, rig := slices.Clone(s.Mesh.Shapes), s.Rig()
	before := len(list)
	into := s.Mesh.FromWorld()
	smallest := tiny * heightOf(&s)
	for k, x := range meshes {
		progress("Reading "+x.Name, float64(k)/float64(len(meshes)))
		var found []mesh.Shape // world
		switch {
		case len(x.Mesh.Shapes) > 0 && o.Match == matchPlace:
			carried, lost := shape.CarriedOver(x.Mesh, s.Mesh.World())
			found = carried
			if lost > 0 {
				out.Left = append(
					out.Left,
					fmt.Sprintf("%s: %s had no partner and stay", x.Name, wording.Count(lost, "vertex", "vertices")),
				)
			}
		case o.Match == matchPlace:
			return fail(studio.Wrong("%s has no shape targets: a mesh alone is matched by the order of its vertices", x.Name))
		default:
			if err := x.SameVertices(&s); err != nil {
				return fail(err)
			}
			if len(x.Mesh.Shapes) > 0 {
				if o.Posed {
					return fail(studio.Wrong("%s has shape targets, which are at rest: only a mesh can be sculpted in a pose", x.Name))
				}
				found = x.Mesh.WorldShapes()
				break
			}
			target := shape.Difference(x.Name, s.Mesh.World(), x.Mesh.World(), smallest)
			if o.Posed {
				var step string
				if target, step, err = sculpted(ctx, &s, x, smallest); err != nil {
					return fail(err)
				}
				out.Steps = append(out.Steps, step)
			}
			found = []mesh.Shape{target}
			if o.Name != "" {
				if err := studio.CheckName("a shape target", o.Name); err != nil {
					return fail(err)
				}
				found[0].Name = o.Name
			}
		}
		for _, t := range found {
			size, _ := shape.Largest(t)
			if t = shape.Mapped(t, into); len(t.Vertex) == 0 {
				out.Left = append(out.Left, t.Name+" moves nothing and was not added")
				continue
			}
			named := uniqueIn(list, t.Name)
			if named != t.Name {
				out.Left = append(out.Left, fmt.Sprintf("%s is called %s: the name was taken", t.Name, named))
			}
			t.Name = named
			if list = append(list, t); len(list) > shape.Most {
				return fail(studio.Wrong("there are more than %d shape targets: send fewer", shape.Most))
			}
			out.Steps = append(
				out.Steps,
				fmt.Sprintf("%s: %s, by %s at most", t.Name, wording.Count(len(t.Vertex), "vertex", "vertices"), wording.Length(size)),
			)
		}
	}
	n := len(list) - before
	if n == 0 {
		return fail(studio.Nothing("nothing in %s moves a vertex", o.File.Name))
	}
	out.Before, out.After = fmt.Sprint(before), fmt.Sprint(len(list))
	out.Sentence = fmt.Sprintf("Added %s from %s", wording.Count(n, "shape target", "shape targets"), o.File.Name)
	if s, err = withTargets(s, list, rig); err != nil {
		return fail(err)
	}
	return s, out, nil
}

// sculpted is a mesh that was sculpted in a pose as a target at rest.
func sculpted(ctx context.Context, s *studio.State, x studio.NamedMesh, smallest float64) (mesh.Shape, string, error) {
	if s.Weights == nil || s.Skeleton == nil {
		return mesh.Shape{}, "", studio.Wrong("no weights yet: bind first, or bring in a mesh at rest")
	}
	points, places := s.Mesh.World(), x.Mesh.World()
	skin, err := s.Skin()
	if err != nil {
		return mesh.Shape{}, "", err
	}
	var p pose.Pose
	var move r3.Vec
	step, far := x.Name+": the pose was found from the mesh", 0.0
	if k := slices.IndexFunc(s.Poses, func(c *pose.Clip) bool { return c.Name == x.Name }); k >= 0 {
		p, move = s.Poses[k].AboutOwn(s.Skeleton).At(0)
		step = x.Name + ": in the kept pose of that name"
	} else if p, move, err = solve.PoseOf(ctx, points, s.Skeleton, s.Weights, places); err != nil {
		return mesh.Shape{}, "", studio.Wrong("%v", err)
	}
	places = slices.Clone(places)
	for v := range places {
		places[v] = r3.Sub(places[v], move)
	}
	for v, at := range skin.Places(p) {
		far = max(far, r3.Norm(r3.Sub(at, places[v])))
	}
	offsets, flattened := corrective.Offsets(skin, p, places)
	if n := len(flattened); n > 0 {
		step += fmt.Sprintf("; blending flattens %s there, which are a compromise", wording.Count(n, "vertex", "vertices"))
	}
	out := mesh.Shape{Name: x.Name}
	for v, d := range offsets {
		if r3.Norm(d) > smallest {
			out.Vertex, out.Offset = append(out.Vertex, int32(v)), append(out.Offset, d)
		}
	}
	return out, step + fmt.Sprintf("; sculpted by %s at most", wording.Length(far)), nil
}
