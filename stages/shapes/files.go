package shapes

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/corrective"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/solve"
	"wisemarrow/core/weights"
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
	matchOrder   = "order"
	matchPlace   = "place"
	matchTexture = "texture"
	matchSurface = "surface"
)

// wrapped is within what part of the height a vertex goes to the nearest place of a mesh whose vertices are not matched. No source.
const wrapped = 0.1

// AddTargets brings in shape targets: those of a file, or its mesh as one; of further files beside it too.
type AddTargets struct {
	File  *studio.File `json:"file" as:"File" help:"a mesh with the same vertices, or one with shape targets"`
	Match string       `json:"match" as:"Vertices" one:"order=in the same order,place=by place at rest (files with shape targets),texture=by texture coordinates,surface=to the nearest surface (a mesh alone)"`
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
		if o.Posed && len(x.Mesh.Shapes) > 0 {
			return fail(studio.Wrong("%s has shape targets, which are at rest: only a mesh can be sculpted in a pose", x.Name))
		}
		switch {
		case o.Match != matchOrder:
			partners, err := o.partners(&s, x)
			if err != nil {
				return fail(err)
			}
			if n := len(partners.Lost); n == len(s.Mesh.Points) {
				return fail(studio.Wrong("%s: no vertex has a partner there: try another way to match them", x.Name))
			} else if n > 0 {
				out.Left = append(out.Left, fmt.Sprintf("%s: %s had no partner and stay: %s",
					x.Name, wording.Count(n, "vertex", "vertices"), listed(partners.Lost)))
			}
			if len(x.Mesh.Shapes) > 0 {
				found = partners.Targets(x.Mesh, heightOf(&s))
				break
			}
			if found, err = o.alone(ctx, &s, x, partners.Places(x.Mesh, s.Mesh.World()), smallest, &out); err != nil {
				return fail(err)
			}
		default:
			if err := x.SameVertices(&s); err != nil {
				return fail(err)
			}
			if len(x.Mesh.Shapes) > 0 {
				found = x.Mesh.WorldShapes()
				break
			}
			if found, err = o.alone(ctx, &s, x, x.Mesh.World(), smallest, &out); err != nil {
				return fail(err)
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

// mostListed is how long a list of vertices may be in a sentence.
const mostListed = 60

// listed names vertices by ranges, the first of them where there are many.
func listed(vertices []int32) string {
	text := weights.Ranges(vertices)
	if len(text) <= mostListed {
		return text
	}
	return text[:strings.LastIndexByte(text[:mostListed], ',')] + ", …"
}

// partners match the vertices of a character with those of a file.
func (o *AddTargets) partners(s *studio.State, x studio.NamedMesh) (*shape.Partners, error) {
	alone := len(x.Mesh.Shapes) == 0
	switch {
	case o.Match == matchTexture:
		p, err := shape.ByTexture(x.Mesh, s.Mesh)
		if err != nil {
			return nil, studio.Wrong("%s: %v", x.Name, err)
		}
		return p, nil
	case o.Match == matchPlace && alone:
		return nil, studio.Wrong("%s has no shape targets: match a mesh alone by the order of its vertices, its texture coordinates, or its surface", x.Name)
	case o.Match == matchSurface && !alone:
		return nil, studio.Wrong("%s has shape targets: match their vertices by place at rest", x.Name)
	case o.Match == matchSurface:
		return shape.BySurface(x.Mesh, s.Mesh.World(), wrapped), nil
	}
	return shape.ByPlace(x.Mesh, s.Mesh.World()), nil
}

// alone is the target of a mesh without any: how its vertices, at places, differ from those of the character.
func (o *AddTargets) alone(
	ctx context.Context,
	s *studio.State,
	x studio.NamedMesh,
	places []r3.Vec,
	smallest float64,
	out *studio.Outcome,
) ([]mesh.Shape, error) {
	target := shape.Difference(x.Name, s.Mesh.World(), places, smallest)
	if o.Posed {
		var step string
		var err error
		if target, step, err = sculpted(ctx, s, x.Name, places, smallest); err != nil {
			return nil, err
		}
		out.Steps = append(out.Steps, step)
	}
	if o.Name != "" {
		if err := studio.CheckName("a shape target", o.Name); err != nil {
			return nil, err
		}
		target.Name = o.Name
	}
	return []mesh.Shape{target}, nil
}

// sculpted is a mesh that was sculpted in a pose as a target at rest.
func sculpted(ctx context.Context, s *studio.State, name string, places []r3.Vec, smallest float64) (mesh.Shape, string, error) {
	if s.Weights == nil || s.Skeleton == nil {
		return mesh.Shape{}, "", studio.Wrong("no weights yet: bind first, or bring in a mesh at rest")
	}
	points := s.Mesh.World()
	skin, err := s.Skin()
	if err != nil {
		return mesh.Shape{}, "", err
	}
	var p pose.Pose
	var move r3.Vec
	step, far := name+": the pose was found from the mesh", 0.0
	if k := slices.IndexFunc(s.Poses, func(c *pose.Clip) bool { return c.Name == name }); k >= 0 {
		p, move = s.Poses[k].AboutOwn(s.Skeleton).At(0)
		step = name + ": in the kept pose of that name"
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
	out := mesh.Shape{Name: name}
	for v, d := range offsets {
		if r3.Norm(d) > smallest {
			out.Vertex, out.Offset = append(out.Vertex, int32(v)), append(out.Offset, d)
		}
	}
	return out, step + fmt.Sprintf("; sculpted by %s at most", wording.Length(far)), nil
}
