package motion

import (
	"context"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/solve"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// MaxGuides is how many guides one solution takes.
	MaxGuides = 300
	// farPose is how far from a guide, of the height, the best pose may leave the skin on average before it is of another
	// character.
	farPose = 0.1
)

// given reads the guides of a file, and of what came beside it: meshes with the same vertices, each in one pose, or shape
// targets of such a mesh. The pose of the joints is the kept pose of that name, else the one that brings the skin nearest.
func given(ctx context.Context, s *studio.State, f *studio.File, times float64) ([]solve.Given, error) {
	meshes, err := f.Meshes(ctx)
	if err != nil {
		return nil, err
	}
	var out []solve.Given
	for _, x := range meshes {
		list, err := guidesOf(s, x)
		if err != nil {
			return nil, err
		}
		if out = append(out, list...); len(out) > MaxGuides {
			return nil, studio.Wrong("there are more than %d guides: send fewer frames", MaxGuides)
		}
	}
	points := s.Mesh.World()
	height := geom.BoxOf(points).Size().Y
	for k := range out {
		g := &out[k]
		g.Times = times
		if i := named(s.Poses, g.Name); i >= 0 {
			g.Pose, g.Move = s.Poses[i].AboutOwn(s.Skeleton).At(0)
		} else if g.Pose, g.Move, err = solve.PoseOf(ctx, points, s.Skeleton, s.Weights, g.Places); err != nil {
			return nil, refused(ctx, err)
		}
		if far := solve.FarFromGiven(points, s.Skeleton, s.Weights, out[k:k+1]); far > farPose*height {
			return nil, studio.Wrong(
				"%s: in the nearest pose the skin is %s from it on average: check that it is this character, with its vertices in the same order",
				g.Name,
				wording.Length(far),
			)
		}
	}
	return out, nil
}

// guidesOf are the guides that a mesh holds: its shape targets, or itself.
func guidesOf(s *studio.State, x studio.NamedMesh) ([]solve.Given, error) {
	if err := x.SameVertices(s); err != nil {
		return nil, err
	}
	m := x.Mesh
	if len(m.Shapes) == 0 {
		return []solve.Given{{Name: x.Name, Places: m.World()}}, nil
	}
	var out []solve.Given
	rest := m.Points
	for _, x := range m.Shapes {
		posed := *m
		posed.Points = slices.Clone(rest)
		for k, v := range x.Vertex {
			posed.Points[v] = r3.Add(posed.Points[v], x.Offset[k])
		}
		out = append(out, solve.Given{Name: x.Name, Places: posed.World()})
	}
	return out, nil
}
