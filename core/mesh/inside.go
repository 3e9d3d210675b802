package mesh

import (
	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// probesPerPatch is how many faces of a patch are asked whether they lie inside.
const probesPerPatch = 9

// Inside returns the faces that lie inside the body that they hang on: patches
// between edges with more than two faces whose surroundings, without the patch
// itself, have the winding number 1 on both sides. Walls across a limb and
// forgotten inner surfaces are such. Faces on other pieces are not meant here. left is
// how many such patches were not asked, because it would take too long.
func (s *Surface) Inside() (out []int32, left int) {
	m, points, e, tris, face, tree := s.Mesh, s.At, s.Single, s.Tris, s.TriFace, s.Tree
	any := false
	for _, x := range e.Edges {
		any = any || x.Count > 2
	}
	if !any {
		return nil, 0
	}
	patch, size := m.patches(e)
	fork := make([]bool, len(size)) // patches with an edge of more than two faces
	for _, x := range e.Edges {
		if x.Count > 2 {
			for _, u := range e.Of(x) {
				fork[patch[u.Face]] = true
			}
		}
	}
	own := make([][][3]int32, len(size))
	asked := make([][]int32, len(size))
	for i, t := range tris {
		if p := patch[face[i]]; fork[p] {
			own[p] = append(own[p], t)
			asked[p] = append(asked[p], int32(i))
		}
	}
	within := make([]bool, len(size))
	done := geom.Bounded(len(size), 1, geom.Effort(len(tris)), func(lo, _ int) (steps int) {
		if fork[lo] {
			within[lo], steps = enclosed(points, tris, tree, own[lo], asked[lo])
		}
		return steps
	})
	for _, yes := range fork[done:] {
		if yes {
			left++
		}
	}
	for f := range m.Faces() {
		if within[patch[f]] {
			out = append(out, int32(f))
		}
	}
	return out, left
}

// enclosed asks faces of a patch, spread over it, for the winding number of all
// that is not the patch. On a face its own part counts half on either side,
// which is the same in both sums and so falls out.
func enclosed(points []r3.Vec, tris [][3]int32, tree *geom.Tree, own [][3]int32, of []int32) (yes bool, steps int) {
	all, small := geom.Query{Tree: tree}, geom.Query{Tree: geom.NewTree(points, own)}
	in, asked := 0, 0
	step := max(1, len(of)/probesPerPatch)
	for i := step / 2; i < len(of); i += step {
		t := tris[of[i]]
		p := r3.Scale(1.0/3, r3.Add(points[t[0]], r3.Add(points[t[1]], points[t[2]])))
		asked++
		if all.Winding(p)-small.Winding(p) > 0.75 {
			in++
		}
	}
	return asked > 0 && 2*in > asked, all.Steps + small.Steps
}
