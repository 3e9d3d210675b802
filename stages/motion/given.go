package motion

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/solve"
	"wisemarrow/core/wording"
	"wisemarrow/formats"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// MaxGuides is how many guides one solution takes.
	MaxGuides = 300
	// otherScale is from what ratio of heights on a guide has another unit; farPose how far from it, of the height, the best
	// pose may leave the skin on average before it is of another character.
	otherScale, farPose = 3, 0.1
)

// given reads the guides of a file, and of what came beside it: meshes with the same vertices, each in one pose, or shape
// targets of such a mesh. The pose of the joints is the kept pose of that name, else the one that brings the skin nearest.
func given(ctx context.Context, s *studio.State, f *studio.File, times float64) ([]solve.Given, error) {
	in, resolve, limits, err := f.Open(ctx)
	if err != nil {
		return nil, err
	}
	var out []solve.Given
	read := func(name string, scene func() (*mesh.Mesh, error)) error {
		m, err := scene()
		if err != nil {
			return studio.Wrong("%v", err)
		}
		list, err := guidesOf(s, name, m)
		if err != nil {
			return err
		}
		if len(out)+len(list) > MaxGuides {
			return studio.Wrong("there are more than %d guides: send fewer frames", MaxGuides)
		}
		out = append(out, list...)
		return ctx.Err()
	}
	if err := read(f.Name, func() (*mesh.Mesh, error) {
		x, err := formats.Decode(f.Name, in, resolve, limits)
		if err != nil {
			return nil, err
		}
		return x.Mesh, nil
	}); err != nil {
		return nil, err
	}
	var others []string
	for name := range f.Beside {
		if slices.Contains(formats.Extensions, strings.ToLower(filepath.Ext(name))) {
			others = append(others, name)
		}
	}
	slices.Sort(others)
	for _, name := range others {
		data, err := resolve(name)
		if err != nil {
			return nil, fmt.Errorf("reading %s: %w", name, err)
		}
		if err := read(name, func() (*mesh.Mesh, error) {
			x, err := formats.Decode(name, strings.NewReader(string(data)), resolve, limits)
			if err != nil {
				return nil, err
			}
			return x.Mesh, nil
		}); err != nil {
			return nil, err
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
func guidesOf(s *studio.State, name string, m *mesh.Mesh) ([]solve.Given, error) {
	if m == nil {
		return nil, studio.Wrong("%s holds no mesh", name)
	}
	if len(m.Points) != len(s.Mesh.Points) {
		return nil, studio.Wrong(
			"%s has %s, and the character %s: a guide has the same vertices in the same order",
			name,
			wording.Count(len(m.Points), "vertex", "vertices"),
			wording.Thousands(len(s.Mesh.Points)),
		)
	}
	places := m.World()
	long, ours := r3.Norm(geom.BoxOf(places).Size()), r3.Norm(geom.BoxOf(s.Mesh.World()).Size())
	if long > otherScale*ours || ours > otherScale*long {
		return nil, studio.Wrong(
			"%s measures %s across, and the character %s: export the guide in the units of the character",
			name,
			wording.Length(long),
			wording.Length(ours),
		)
	}
	stem := strings.TrimSuffix(filepath.Base(name), filepath.Ext(name))
	if len(m.Shapes) == 0 {
		return []solve.Given{{Name: stem, Places: places}}, nil
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
