package mesh

import (
	"math"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// Orientation is what MakeOutward found about the direction of faces.
type Orientation struct {
	Flip   []bool // faces that have to be turned round
	Count  int    // how many
	Inside int    // patches that were inside out as a whole
	Split  int    // edges along which two faces disagree
	Left   int    // open patches that were not asked which side is out, because it would take too long
}

// Outward finds which faces have to be turned so that neighbours agree and
// every patch faces out. Patches are grown over edges with two faces, passing
// over faces that lie on another. A closed patch is out when its volume is
// positive. Of an open one rays to both sides decide, odd crossings of the mesh
// meaning inside (Takayama et al. 2014), where most of them agree; else the mean of
// its own generalised winding number on its faces, which is positive when it bulges
// out (Jacobson et al. 2013); for nearly flat ones the majority of the rays.
func (s *Surface) Outward() Orientation {
	m, e := s.Mesh, s.Single
	faces := m.Faces()
	start := make([]int32, faces+1)
	for _, x := range e.Edges {
		if x.Count == 2 {
			for _, u := range e.Of(x) {
				start[u.Face+1]++
			}
		}
	}
	for f := range faces {
		start[f+1] += start[f]
	}
	type link struct {
		face int32
		same bool // the two faces run along the edge the same way
	}
	links := make([]link, start[faces])
	fill := append([]int32(nil), start...)
	split := 0
	for _, x := range e.Edges {
		if x.Count != 2 {
			continue
		}
		u := e.Of(x)
		same := u[0].Forward == u[1].Forward
		if same {
			split++
		}
		links[fill[u[0].Face]] = link{u[1].Face, same}
		fill[u[0].Face]++
		links[fill[u[1].Face]] = link{u[0].Face, same}
		fill[u[1].Face]++
	}
	double := make([]bool, faces) // faces on others turn with nobody
	for _, f := range s.Twice {
		double[f] = true
	}
	o := Orientation{Flip: make([]bool, faces), Split: split}
	points := s.At
	done := make([]bool, faces)
	effort := 2 * geom.Effort(faces) // a scan that was never welded is a patch a face
	var patch []int32
	for seed := range faces {
		if done[seed] || double[seed] {
			continue
		}
		done[seed] = true
		patch = append(patch[:0], int32(seed))
		for i := 0; i < len(patch); i++ {
			f := patch[i]
			for _, l := range links[start[f]:start[f+1]] {
				if !done[l.face] {
					done[l.face] = true
					o.Flip[l.face] = o.Flip[f] != l.same
					patch = append(patch, l.face)
				}
			}
		}
		closed := true
		for _, f := range patch {
			closed = closed && int(start[f+1]-start[f]) == len(m.Face(int(f)))
		}
		inward := false
		switch {
		case closed:
			inward = signedVolume(m, points, patch, o.Flip) < 0
		case effort < 0:
			o.Left++
		default:
			steps := 0
			inward, steps = s.facesIn(patch, o.Flip)
			effort -= steps
		}
		if inward {
			flipped := 0
			for _, f := range patch {
				o.Flip[f] = !o.Flip[f]
				if o.Flip[f] {
					flipped++
				}
			}
			if flipped == len(patch) {
				o.Inside++
			}
		}
	}
	for _, f := range o.Flip {
		if f {
			o.Count++
		}
	}
	return o
}

// flatBulge is the mean winding number below which an open patch is too flat to
// be told by it.
const flatBulge = 0.04

// agreed is the share of the votes that settles which side of a patch is out.
const agreed = 0.75

// facesIn reports whether an open patch, with some of its faces turned, faces
// inward, and how many steps that took.
func (s *Surface) facesIn(patch []int32, flip []bool) (yes bool, steps int) {
	in, out, steps := rayVotes(s.Mesh, s.At, s.Tree, s.TriFace, patch, flip)
	if math.Max(in, out) > agreed*(in+out) {
		return in > out, steps
	}
	own := make([][3]int32, 0, 2*len(patch))
	for _, f := range patch {
		for _, t := range cut(s.At, s.Face(int(f))) {
			if flip[f] {
				t[1], t[2] = t[2], t[1]
			}
			own = append(own, t)
		}
	}
	tree := geom.Query{Tree: geom.NewTree(s.At, own)}
	var sum, weight float64
	for i := 0; i < len(own); i += max(1, len(own)/votes) {
		t := own[i]
		a, b, c := s.At[t[0]], s.At[t[1]], s.At[t[2]]
		area := r3.Norm(geom.TriangleNormal(a, b, c))
		sum += area * tree.Winding(r3.Scale(1.0/3, r3.Add(a, r3.Add(b, c))))
		weight += area
	}
	steps += tree.Steps
	if weight > 0 && math.Abs(sum) > flatBulge*weight {
		return sum < 0, steps
	}
	if in == out {
		return signedVolume(s.Mesh, s.At, patch, flip) < 0, steps
	}
	return in > out, steps
}

// votes is how many faces of a patch are asked which side is out.
const votes = 31

// rayVotes returns the area whose rays say that a patch faces inward, and outward, and
// how many steps that took.
func rayVotes(m *Mesh, points []r3.Vec, tree *geom.Tree, triFace []int32, patch []int32, flip []bool) (in, out float64, steps int) {
	diag := tree.Box().Diagonal()
	q := &geom.Query{Tree: tree}
	step := max(1, len(patch)/votes)
	for i := 0; i < len(patch); i += step {
		f := int(patch[i])
		c := m.Face(f)
		n := AreaVector(points, c)
		area := r3.Norm(n)
		if area == 0 {
			continue
		}
		n = r3.Scale(1/area, n)
		if flip[f] {
			n = r3.Scale(-1, n)
		}
		// A triangle of the face, so that the point lies on it.
		mid := r3.Scale(1.0/3, r3.Add(points[c[0]], r3.Add(points[c[1]], points[c[2]])))
		// Slightly off the normal, so that rays do not run along edges.
		dir := r3.Unit(r3.Add(n, r3.Vec{X: 0.0137, Y: 0.0291, Z: -0.0173}))
		// Both sides vote: one ray may leave through a hole.
		front := crossings(q, triFace, f, mid, dir, diag)
		back := crossings(q, triFace, f, mid, r3.Scale(-1, dir), diag)
		if front%2 == 1 {
			in += area
		} else {
			out += area
		}
		if back%2 == 1 {
			out += area
		} else {
			in += area
		}
	}
	return in, out, q.Steps
}

func crossings(tree *geom.Query, triFace []int32, own int, from, dir r3.Vec, length float64) int {
	n, last := 0, -1.0
	for _, h := range tree.Hits(from, dir, geom.CrossShare*length, 2*length) {
		if int(triFace[h.Tri]) == own || h.T-last < geom.SameShare*length {
			continue
		}
		n++
		last = h.T
	}
	return n
}

func signedVolume(m *Mesh, points []r3.Vec, faces []int32, flip []bool) float64 {
	var sum r3.Vec
	count := 0.0
	for _, f := range faces {
		for _, v := range m.Face(int(f)) {
			sum = r3.Add(sum, points[v])
			count++
		}
	}
	origin := r3.Scale(1/count, sum)
	var vol float64
	for _, f := range faces {
		c := m.Face(int(f))
		for i := 1; i+1 < len(c); i++ {
			v := r3.Dot(r3.Sub(points[c[0]], origin), r3.Cross(r3.Sub(points[c[i]], origin), r3.Sub(points[c[i+1]], origin))) / 6
			if flip[f] {
				v = -v
			}
			vol += v
		}
	}
	return vol
}

// MakeOutward turns the faces that Outward names.
func (m *Mesh) MakeOutward() (*Mesh, int) {
	o := m.Surface().Outward()
	if o.Count == 0 {
		return m, 0
	}
	return m.flipFaces(o.Flip), o.Count
}
