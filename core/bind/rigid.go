package bind

import (
	"context"
	"errors"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// boneSamples is how finely a bone is sampled for how much of it a piece holds.
const boneSamples = 25

// ByPiece gives every piece wholly to one joint: to that of which the piece holds the longest
// bone, by its winding number; to that of the bone nearest to its middle where it holds none.
// For machines, armour and toys of parts (common practice, no source).
func ByPiece(
	ctx context.Context,
	m *mesh.Mesh,
	s *skeleton.Skeleton,
	deform []bool,
	progress progress.Func,
) (*weights.Weights, *Report, error) {
	if err := s.Validate(); err != nil {
		return nil, nil, err
	}
	if m.Faces() == 0 {
		return nil, nil, errors.New("the mesh has no faces to bind")
	}
	if progress == nil {
		progress = func(string, float64) {}
	}
	if deform == nil {
		deform = s.Deforming()
	}
	bones := s.Leading(deform)
	if len(bones) == 0 {
		return nil, nil, ErrNoBones
	}
	points, pieces := m.World(), m.Pieces()
	boxes := pieces.Boxes(points)
	tris, _ := m.Triangles()
	of := make([][][3]int32, pieces.Count())
	for _, t := range tris {
		if p := pieces.OfVertex[t[0]]; p >= 0 {
			of[p] = append(of[p], t)
		}
	}
	joint := make([]int32, pieces.Count())
	for p := range joint {
		if p%64 == 0 {
			if err := ctx.Err(); err != nil {
				return nil, nil, err
			}
			progress("Giving pieces to joints", float64(p)/float64(len(joint)))
		}
		joint[p] = heldBy(geom.NewTree(points, of[p]), boxes[p], bones)
	}
	names := make([]string, len(s.Joints))
	for i, j := range s.Joints {
		names[i] = j.Name
	}
	w := weights.New(names, len(points))
	for v, p := range pieces.OfVertex {
		if p >= 0 {
			w.Of[v] = []weights.Influence{{Joint: joint[p], Value: 1}}
		}
	}
	progress("Done", 1)
	return w, Account(m, s, w, Evidence{Method: "rigid, by piece", Deform: deform}), nil
}

// heldBy returns the joint that a piece goes with.
func heldBy(tree *geom.Tree, box geom.Box, bones []skeleton.Bone) int32 {
	tree.PrepareWinding()
	length := map[int]float64{}
	best, most := -1, 0.0
	for _, bone := range bones {
		step := r3.Norm(r3.Sub(bone.B, bone.A)) / boneSamples
		for k := range boneSamples {
			p := r3.Add(bone.A, r3.Scale((float64(k)+0.5)/boneSamples, r3.Sub(bone.B, bone.A)))
			if box.Distance2(p) == 0 && math.Abs(tree.Winding(p)) > 0.5 {
				length[bone.Joint] += math.Max(step, 1e-12) // a point counts a little
			}
		}
		if l := length[bone.Joint]; l > most {
			best, most = bone.Joint, l
		}
	}
	if best >= 0 {
		return int32(best)
	}
	near := math.Inf(1)
	for _, bone := range bones {
		on, _ := geom.ClosestOnSegment(box.Centre(), bone.A, bone.B)
		if d := r3.Norm2(r3.Sub(box.Centre(), on)); d < near {
			best, near = bone.Joint, d
		}
	}
	return int32(best)
}
