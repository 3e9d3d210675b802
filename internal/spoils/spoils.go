// Package spoils makes of a clean character the meshes that come in: cracked, flipped,
// layered, scaled, for tests and tables. The skeleton goes along.
package spoils

import (
	"math"
	"math/rand/v2"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Spoil is one way in which meshes come. Do does not change what it is given.
type Spoil struct {
	Name string
	Do   func(m *mesh.Mesh, s *skeleton.Skeleton, rng *rand.Rand) (*mesh.Mesh, *skeleton.Skeleton)
}

// All are the ways; the first changes nothing.
var All = []Spoil{
	{"as it is", func(m *mesh.Mesh, s *skeleton.Skeleton, _ *rand.Rand) (*mesh.Mesh, *skeleton.Skeleton) { return m, s }},
	{"inside out", of(func(m *mesh.Mesh, _ *rand.Rand) *mesh.Mesh { return flipped(m, func(int) bool { return true }) })},
	{"every fifth face flipped", of(func(m *mesh.Mesh, _ *rand.Rand) *mesh.Mesh {
		return flipped(m, func(f int) bool { return f%5 == 0 })
	})},
	{"one side flipped", of(func(m *mesh.Mesh, _ *rand.Rand) *mesh.Mesh {
		middle := geom.BoxOf(m.Points).Centre()
		return flipped(m, func(f int) bool { return m.Points[m.Face(f)[0]].X > middle.X })
	})},
	{"unwelded", of(func(m *mesh.Mesh, _ *rand.Rand) *mesh.Mesh { return unwelded(m, 0, nil) })},
	{"unwelded and shaken", of(func(m *mesh.Mesh, rng *rand.Rand) *mesh.Mesh { return unwelded(m, 1e-6, rng) })},
	{"holes", of(func(m *mesh.Mesh, rng *rand.Rand) *mesh.Mesh {
		return without(m, func(int) bool { return rng.Float64() < 0.03 })
	})},
	{"cut open below", of(func(m *mesh.Mesh, _ *rand.Rand) *mesh.Mesh {
		box := geom.BoxOf(m.Points)
		limit := box.Min.Y + 0.04*box.Size().Y
		return without(m, func(f int) bool { return m.Points[m.Face(f)[0]].Y < limit })
	})},
	{"fins, doubled and empty faces", of(fins)},
	{"three faces to an edge", of(thirdFaces)},
	{"bow-ties", of(bowties)},
	{"intersecting shells", shells},
	{"doubled whole", of(func(m *mesh.Mesh, _ *rand.Rand) *mesh.Mesh { return mesh.Join(m, m) })},
	{"vertices within edges", of(withinEdges)},
	{"crumbs", of(crumbs)},
	{"hollow", of(func(m *mesh.Mesh, _ *rand.Rand) *mesh.Mesh {
		return mesh.Join(m, flipped(shifted(m, -0.002), func(int) bool { return true }))
	})},
	{"a coat over all", of(func(m *mesh.Mesh, _ *rand.Rand) *mesh.Mesh {
		return mesh.Join(m, shifted(m, 0.004), flipped(shifted(m, 0.003), func(int) bool { return true }))
	})},
	{"hair", of(hair)},
	{"in hundredths", func(m *mesh.Mesh, s *skeleton.Skeleton, _ *rand.Rand) (*mesh.Mesh, *skeleton.Skeleton) {
		return scaled(m, s, 0.01, r3.Vec{})
	}},
	{"hundredfold and far away", func(m *mesh.Mesh, s *skeleton.Skeleton, _ *rand.Rand) (*mesh.Mesh, *skeleton.Skeleton) {
		return scaled(m, s, 100, r3.Vec{X: 3000, Y: -200, Z: 900})
	}},
	{"thick walls with a rim", of(walled)},
}

// Limit is how far the weights of a spoiled mesh may be from the clean one's, as Apart has
// it. It is wider where only an inner side sees the bones, which is another surface: of hollow
// meshes, by plain heat 0.95 off, and of thick walls whose feet were cut, by plain heat 0.74.
func (s Spoil) Limit() float64 {
	switch s.Name {
	case "thick walls with a rim":
		return 0.15
	case "hollow":
		return 0.1
	}
	return 0.03
}

// of is a spoil that leaves the skeleton.
func of(
	do func(m *mesh.Mesh, rng *rand.Rand) *mesh.Mesh,
) func(*mesh.Mesh, *skeleton.Skeleton, *rand.Rand) (*mesh.Mesh, *skeleton.Skeleton) {
	return func(m *mesh.Mesh, s *skeleton.Skeleton, rng *rand.Rand) (*mesh.Mesh, *skeleton.Skeleton) {
		return do(m, rng), s
	}
}

// copied is the mesh without what is kept by corner, to be changed.
func copied(m *mesh.Mesh) *mesh.Mesh {
	return &mesh.Mesh{
		Points: slices.Clone(m.Points),
		Start:  slices.Clone(m.Start),
		Corner: slices.Clone(m.Corner),
		Part:   slices.Clone(m.Part),
		Parts:  m.Parts,
	}
}

func flipped(m *mesh.Mesh, which func(f int) bool) *mesh.Mesh {
	out := copied(m)
	for f := range out.Faces() {
		if which(f) {
			slices.Reverse(out.Face(f)[1:])
		}
	}
	return out
}

// unwelded gives every face corners of its own, shaken by a share of the height.
func unwelded(m *mesh.Mesh, shake float64, rng *rand.Rand) *mesh.Mesh {
	out := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("soup")}, Start: []int32{0}}
	by := shake * geom.BoxOf(m.Points).Size().Y
	for f := range m.Faces() {
		var c []int32
		for _, v := range m.Face(f) {
			p := m.Points[v]
			if by > 0 {
				p = r3.Add(p, r3.Vec{X: by * rng.NormFloat64(), Y: by * rng.NormFloat64(), Z: by * rng.NormFloat64()})
			}
			c = append(c, int32(len(out.Points)))
			out.Points = append(out.Points, p)
		}
		out.AddFace(0, c...)
	}
	return out
}

func without(m *mesh.Mesh, which func(f int) bool) *mesh.Mesh {
	drop := make([]bool, m.Faces())
	for f := range drop {
		drop[f] = which(f)
	}
	out, _ := m.DropChosen(drop)
	return out
}

func fins(m *mesh.Mesh, rng *rand.Rand) *mesh.Mesh {
	out := copied(m)
	by := 0.006 * geom.BoxOf(m.Points).Size().Y
	for range 40 {
		c := m.Face(rng.IntN(m.Faces()))
		v := int32(len(out.Points))
		out.Points = append(out.Points, r3.Add(m.Points[c[0]], r3.Vec{X: by, Y: by}))
		out.AddFace(0, c[0], c[1], v)
		out.AddFace(0, c[0], c[1], c[2])
		out.AddFace(0, c[0], c[1], c[1])
	}
	return out
}

// thirdFaces hangs inner walls on edges: from an edge to a point below the surface.
func thirdFaces(m *mesh.Mesh, rng *rand.Rand) *mesh.Mesh {
	out := copied(m)
	normals := m.VertexNormals(m.Points)
	by := 0.004 * geom.BoxOf(m.Points).Size().Y
	for range 200 {
		c := m.Face(rng.IntN(m.Faces()))
		v := int32(len(out.Points))
		out.Points = append(out.Points, r3.Sub(m.Points[c[0]], r3.Scale(by, normals[c[0]])))
		out.AddFace(0, c[0], c[1], v)
	}
	return out
}

// bowties sets small pyramids on their tips.
func bowties(m *mesh.Mesh, rng *rand.Rand) *mesh.Mesh {
	out := copied(m)
	normals := m.VertexNormals(m.Points)
	by := 0.004 * geom.BoxOf(m.Points).Size().Y
	for range 60 {
		tip := m.Face(rng.IntN(m.Faces()))[0]
		addPyramid(out, tip, r3.Add(m.Points[tip], r3.Scale(by, normals[tip])), by)
	}
	return out
}

// addPyramid adds a closed one with its tip at a vertex, or at a new one for -1.
func addPyramid(m *mesh.Mesh, tip int32, middle r3.Vec, by float64) {
	v := int32(len(m.Points))
	for k := range 3 {
		a := 2 * math.Pi * float64(k) / 3
		m.Points = append(m.Points, r3.Add(middle, r3.Vec{X: by * math.Cos(a), Z: by * math.Sin(a)}))
	}
	if tip < 0 {
		tip = int32(len(m.Points))
		m.Points = append(m.Points, r3.Add(middle, r3.Vec{Y: by}))
	}
	for _, f := range [][3]int32{{v, v + 1, v + 2}, {tip, v + 1, v}, {tip, v + 2, v + 1}, {tip, v, v + 2}} {
		m.AddFace(0, f[:]...)
	}
}

// shells puts balls through the surface, at the middles of bones.
func shells(m *mesh.Mesh, s *skeleton.Skeleton, _ *rand.Rand) (*mesh.Mesh, *skeleton.Skeleton) {
	tris, _ := m.Triangles()
	tree := geom.NewTree(m.Points, tris)
	out := copied(m)
	for i, bone := range s.Bones() {
		if i%4 != 1 {
			continue
		}
		middle := r3.Scale(0.5, r3.Add(bone.A, bone.B))
		_, on, d := tree.Nearest(middle)
		base, rings := int32(len(out.Points)), 8
		for y := range rings + 1 {
			for x := range 2 * rings {
				a, b := math.Pi*float64(y)/float64(rings), math.Pi*float64(x)/float64(rings)
				out.Points = append(
					out.Points,
					r3.Add(on, r3.Scale(0.7*d, r3.Vec{X: math.Sin(a) * math.Cos(b), Y: math.Cos(a), Z: math.Sin(a) * math.Sin(b)})),
				)
			}
		}
		at := func(y, x int) int32 { return base + int32(y*2*rings+x%(2*rings)) }
		for y := range rings {
			for x := range 2 * rings {
				out.AddFace(0, at(y, x), at(y, x+1), at(y+1, x+1), at(y+1, x))
			}
		}
	}
	return out, s
}

// withinEdges splits faces at the middle of an edge whose other face is not split.
func withinEdges(m *mesh.Mesh, rng *rand.Rand) *mesh.Mesh {
	out := &mesh.Mesh{Points: slices.Clone(m.Points), Parts: m.Parts, Start: []int32{0}}
	for f := range m.Faces() {
		c := m.Face(f)
		if rng.Float64() < 0.05 {
			v := int32(len(out.Points))
			out.Points = append(out.Points, r3.Scale(0.5, r3.Add(m.Points[c[0]], m.Points[c[1]])))
			out.AddFace(0, append([]int32{v}, c[1:]...)...)
			out.AddFace(0, c[0], v, c[len(c)-1])
			continue
		}
		out.AddFace(0, c...)
	}
	return out
}

func crumbs(m *mesh.Mesh, rng *rand.Rand) *mesh.Mesh {
	out := copied(m)
	normals := m.VertexNormals(m.Points)
	h := geom.BoxOf(m.Points).Size().Y
	for range 150 {
		v := rng.IntN(len(m.Points))
		addPyramid(out, -1, r3.Add(m.Points[v], r3.Scale(0.006*h, normals[v])), 0.003*h)
	}
	return out
}

// shifted is the mesh along its normals, by a share of its height.
func shifted(m *mesh.Mesh, share float64) *mesh.Mesh {
	out := copied(m)
	by := share * geom.BoxOf(m.Points).Size().Y
	for v, n := range m.VertexNormals(m.Points) {
		out.Points[v] = r3.Add(m.Points[v], r3.Scale(by, n))
	}
	return out
}

// walled cuts the mesh open below and gives it an inner side, joined at the rim.
func walled(m *mesh.Mesh, _ *rand.Rand) *mesh.Mesh {
	box := geom.BoxOf(m.Points)
	limit := box.Min.Y + 0.02*box.Size().Y
	open := without(m, func(f int) bool { return m.Points[m.Face(f)[0]].Y < limit })
	n := int32(len(open.Points))
	out := mesh.Join(open, flipped(shifted(open, -0.002), func(int) bool { return true }))
	for _, e := range open.Edges().Edges {
		if e.Count == 1 {
			out.AddFace(0, e.B, e.A, e.A+n, e.B+n)
		}
	}
	return out
}

// hair sets cards of one face each on the top tenth.
func hair(m *mesh.Mesh, rng *rand.Rand) *mesh.Mesh {
	out := copied(m)
	box := geom.BoxOf(m.Points)
	h := box.Size().Y
	normals := m.VertexNormals(m.Points)
	for n := 0; n < 120; {
		v := rng.IntN(len(m.Points))
		p := m.Points[v]
		if p.Y < box.Max.Y-0.1*h {
			continue
		}
		n++
		side := r3.Cross(normals[v], r3.Vec{Y: 1})
		if l := r3.Norm(side); l > 0 {
			side = r3.Scale(0.004*h/l, side)
		}
		base := int32(len(out.Points))
		for k := range 3 {
			q := r3.Add(p, r3.Add(r3.Scale((0.002+0.008*float64(k))*h, normals[v]), r3.Vec{Y: -0.01 * h * float64(k)}))
			out.Points = append(out.Points, r3.Sub(q, side), r3.Add(q, side))
		}
		for k := range int32(2) {
			a := base + 2*k
			out.AddFace(0, a, a+1, a+3, a+2)
		}
	}
	return out
}

func scaled(m *mesh.Mesh, s *skeleton.Skeleton, by float64, to r3.Vec) (*mesh.Mesh, *skeleton.Skeleton) {
	out := copied(m)
	for v, p := range m.Points {
		out.Points[v] = r3.Add(to, r3.Scale(by, p))
	}
	t := s.Clone()
	for i := range t.Joints {
		t.Joints[i].Pos = r3.Add(to, r3.Scale(by, t.Joints[i].Pos))
	}
	return out, t
}

// Apart is the mean absolute difference of the weights of the spoiled mesh from those of the
// clean one, by vertex: half the sum over the joints, at vertices that stand, on the clean
// mesh, at a vertex. compared is how many they are. The roots of the skeletons tell how the
// one was scaled and moved into the other.
func Apart(
	clean *mesh.Mesh,
	cs *skeleton.Skeleton,
	good *weights.Weights,
	m *mesh.Mesh,
	s *skeleton.Skeleton,
	w *weights.Weights,
) (apart float64, compared int) {
	by := s.Height() / cs.Height()
	limit := 3e-6 * geom.BoxOf(clean.Points).Diagonal()
	tree := geom.NewPointTree(clean.World())
	for v, p := range m.World() {
		q := r3.Add(cs.Joints[0].Pos, r3.Scale(1/by, r3.Sub(p, s.Joints[0].Pos)))
		at, _, d := tree.Nearest(q)
		if d > limit*2 {
			continue
		}
		sum := 0.0
		for j := range int32(len(w.Joints)) {
			sum += math.Abs(w.Value(v, j) - good.Value(int(at), j))
		}
		apart += sum / 2
		compared++
	}
	return apart / math.Max(1, float64(compared)), compared
}
