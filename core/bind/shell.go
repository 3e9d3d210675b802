package bind

import (
	"context"
	"errors"
	"fmt"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Shell is a closed skin around a mesh or some pieces of it.
type Shell struct {
	Mesh  *mesh.Mesh
	Cell  float64 // edge of the cubes it was made of, metres
	Grown int     // by how many cubes it stands off so that the pieces are one
	// Pieces is how many it has; more than one where they are too far apart.
	Pieces int
}

const (
	shellCubes  = 128 // along the longest side, usually
	mostGrown   = 12  // cubes that a shell stands off at most
	shellSmooth = 2   // how often its vertices are drawn to the mean of their neighbours
)

// NewShell makes a closed skin around the faces of m, of cubes of which the longest side has so
// many (0: 128): the inside of the mesh by its winding number, its surface, and, with one, what
// must be grown for all pieces to be one. It is closed, a manifold and looks outward whatever
// the mesh is like.
func NewShell(m *mesh.Mesh, cubes int, one bool) (*Shell, error) {
	if cubes == 0 {
		cubes = shellCubes
	}
	if cubes < minCubes || cubes > maxCubes {
		return nil, fmt.Errorf("a shell needs %d to %d voxels on its longest side, not %d", minCubes, maxCubes, cubes)
	}
	if m.Faces() == 0 {
		return nil, errors.New("no faces to wrap in a shell")
	}
	outward, _ := m.MakeOutward()
	points := m.World()
	tris, _ := outward.Triangles()
	tree := geom.NewTree(points, tris)
	size := tree.Box().Size()
	side := math.Max(size.X, math.Max(size.Y, size.Z))
	if !(side > 0) {
		return nil, errors.New("the mesh has no extent that a shell could go around")
	}
	for cubes > minCubes {
		n, large := crossed(points, tris, side/float64(cubes), side/4)
		if n <= mostCrossed && float64(cubes)*float64(cubes)*float64(cubes)*large <= mostAsked {
			break
		}
		cubes = max(minCubes, cubes*3/4)
	}
	vox := geom.Voxelise(tree, side/float64(cubes))
	vox.AddSurface(tree)
	vox = vox.Padded(mostGrown + 2)
	out := &Shell{Cell: vox.Cell}
	for out.Pieces = vox.Components(); one && out.Pieces > 1 && out.Grown < mostGrown; out.Pieces = vox.Components() {
		vox.Grow(1)
		out.Grown++
	}
	vox.Compose()
	hull, quads := vox.Hull()
	out.Mesh = &mesh.Mesh{Points: hull, Parts: []mesh.Part{mesh.NewPart("shell")}, Start: []int32{0}}
	for _, q := range quads {
		out.Mesh.AddFace(0, q[:]...)
	}
	start, to := out.Mesh.Edges().Neighbours(len(hull))
	for range shellSmooth {
		next := make([]r3.Vec, len(hull))
		for v := range hull {
			var sum r3.Vec
			for _, k := range to[start[v]:start[v+1]] {
				sum = r3.Add(sum, out.Mesh.Points[k])
			}
			next[v] = r3.Add(r3.Scale(0.5, out.Mesh.Points[v]), r3.Scale(0.5/float64(start[v+1]-start[v]), sum))
		}
		out.Mesh.Points = next
	}
	if out.Grown == 0 { // drawn onto the mesh, so that limbs are no thicker than they are
		geom.Chunks(len(hull), 512, func(lo, hi int) {
			for v := lo; v < hi; v++ {
				p := out.Mesh.Points[v]
				if _, at, d := tree.NearestOf(p, 2*out.Cell, nil); d > 0 && d <= 2*out.Cell {
					out.Mesh.Points[v] = r3.Add(at, r3.Scale(standOff*out.Cell/d, r3.Sub(p, at)))
				}
			}
		})
	}
	return out, nil
}

// standOff is how far, in cubes, a shell that is drawn onto the mesh stands off it, so that the
// two sides of a sheet do not fall together.
const standOff = 0.1

// OverShell binds a closed shell around a mesh by heat and carries the weights back to the
// nearest place: a solution for whatever polygons, and one skin for pieces that are apart. Bones
// that lie outside of the shell lead what is nearest to them of it.
func OverShell(
	ctx context.Context,
	m *mesh.Mesh,
	s *skeleton.Skeleton,
	o Options,
	cubes int,
	one bool,
	progress progress.Func,
) (*weights.Weights, *Report, *Shell, error) {
	if progress == nil {
		progress = func(string, float64) {}
	}
	progress("Putting a shell around the mesh", 0.05)
	shell, err := NewShell(m, cubes, one)
	if err != nil {
		return nil, nil, nil, err
	}
	if err := ctx.Err(); err != nil {
		return nil, nil, nil, err
	}
	limits := o.Limits
	o.Limits = o.uncapped() // it is cut on the mesh
	solved, report, err := Heat(ctx, shell.Mesh, s, o, progress.Part(0.3, 0.8))
	if err != nil {
		return nil, nil, nil, err
	}
	// Pieces of the shell that hold no bone, and what heat reaches only from far round.
	if o.Deform == nil {
		o.Deform = s.Deforming()
	}
	all := allBody(shell.Mesh, s)
	for v, yes := range all.farRound(all.rounds(report.sees), nil, o.Deform) {
		if yes {
			solved.Of[v] = nil
		}
	}
	if len(solved.Unweighted()) > 0 {
		d := DefaultDistance
		d.Limits, d.Deform, d.Smooth = o.Limits, o.Deform, 0
		near, _, err := Near(ctx, shell.Mesh, s, d, nil)
		if err != nil {
			return nil, nil, nil, err
		}
		for v, list := range solved.Of {
			if len(list) == 0 {
				solved.Of[v] = near.Of[v]
			}
		}
	}
	progress("Carrying weights back", 0.85)
	w, err := CarryOver(shell.Mesh, solved, m, limits)
	if err != nil {
		return nil, nil, nil, err
	}
	used := make([]bool, len(m.Points)) // vertices of no face take no part
	for _, v := range m.Corner {
		used[v] = true
	}
	for v, yes := range used {
		if !yes {
			w.Of[v] = nil
		}
	}
	report = Account(
		m,
		s,
		w,
		Evidence{Method: "over a closed shell", Deform: o.Deform, Otherwise: "on the shell the joints around it outweigh it"},
	)
	progress("Done", 1)
	return w, report, shell, nil
}
