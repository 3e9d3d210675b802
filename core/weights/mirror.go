package weights

import (
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"

	"gonum.org/v1/gonum/spatial/r3"
)

// How a vertex finds its mirror image.
const (
	MirrorPlace    = "place"    // at the mirrored place, else at the nearest of the surface
	MirrorTopology = "topology" // by how the mesh is joined, from its middle edges on
	MirrorJoints   = "joints"   // by its place in the frame of its bone: for bodies that stand unevenly
)

// Plane is what mirrors: all p with Normal·p = Offset, Normal of length 1.
type Plane struct {
	Normal r3.Vec
	Offset float64
}

// Of returns the mirror image of a place.
func (p Plane) Of(x r3.Vec) r3.Vec {
	return r3.Sub(x, r3.Scale(2*(r3.Dot(p.Normal, x)-p.Offset), p.Normal))
}

// Side is how far a place is in front of the plane.
func (p Plane) Side(x r3.Vec) float64 { return r3.Dot(p.Normal, x) - p.Offset }

// Mirrored tells of each vertex what its mirror image is.
type Mirrored struct {
	Matched   int     `json:"matched"`   // vertices that have another for an image
	Between   int     `json:"between"`   // whose image lies on a face, within reach
	Unmatched []int32 `json:"unmatched"` // that have none
	Farthest  float64 `json:"farthest_m"`

	vertex []int32   // its image; -1 where it lies between
	tri    []int32   // the triangle that it lies in, -1 for none
	at     []r3.Vec  // there
	far    []float64 // how far from the mirrored place
	side   []float64 // of which side a vertex is; nil where the plane tells
}

// Mirror finds the images of all vertices: by place within a tolerance, else on the surface
// within eight times that; by topology whatever their places. Faces are those of the mesh,
// corner lists, for the topology. It fails where that has no middle edge to begin at.
func (n *Net) Mirror(plane Plane, method string, tolerance float64, faces [][]int32) (*Mirrored, error) {
	if method != MirrorPlace && method != MirrorTopology {
		return nil, fmt.Errorf("vertices are mirrored by \"place\", \"topology\" or \"joints\", not %q", method)
	}
	m, err := n.unmirrored(tolerance)
	if err != nil {
		return nil, err
	}
	if method == MirrorTopology {
		if err := n.topology(m, plane, faces); err != nil {
			return nil, err
		}
	}
	n.match(m, func(v int) r3.Vec { return plane.Of(n.At[v]) }, tolerance)
	return m, nil
}

// MirrorAt is Mirror where the places of the images are known, as the joints tell them, and on which side each
// vertex is: above 0 left.
func (n *Net) MirrorAt(images []r3.Vec, side []float64, tolerance float64) (*Mirrored, error) {
	m, err := n.unmirrored(tolerance)
	if err != nil {
		return nil, err
	}
	m.side = side
	n.match(m, func(v int) r3.Vec { return images[v] }, tolerance)
	return m, nil
}

func (n *Net) unmirrored(tolerance float64) (*Mirrored, error) {
	if !(tolerance > 0) || tolerance > 1e4 {
		return nil, fmt.Errorf("the tolerance must be above 0 m, not %g", tolerance)
	}
	m := &Mirrored{
		vertex: make([]int32, len(n.At)),
		tri:    make([]int32, len(n.At)),
		at:     make([]r3.Vec, len(n.At)),
		far:    make([]float64, len(n.At)),
	}
	for v := range m.vertex {
		m.vertex[v], m.tri[v] = -1, -1
	}
	return m, nil
}

// match finds what is at the images of vertices that have none yet.
func (n *Net) match(m *Mirrored, of func(v int) r3.Vec, tolerance float64) {
	tree := n.Tree()
	geom.Chunks(len(n.At), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			image := of(v)
			if m.vertex[v] >= 0 {
				m.far[v] = r3.Norm(r3.Sub(n.At[m.vertex[v]], image))
				continue
			}
			tri, at, d := tree.NearestOf(image, 8*tolerance, nil)
			if tri < 0 {
				continue
			}
			best, near := math.Inf(1), int32(-1)
			for _, k := range n.Tris[tri] {
				if x := r3.Norm(r3.Sub(n.At[k], image)); x < best {
					best, near = x, k
				}
			}
			if best <= tolerance {
				m.vertex[v], m.far[v] = near, best
			} else {
				m.tri[v], m.at[v], m.far[v] = tri, at, d
			}
		}
	})
	for v := range m.vertex {
		switch {
		case m.vertex[v] >= 0:
			m.Matched++
		case m.tri[v] >= 0:
			m.Between++
		default:
			m.Unmatched = append(m.Unmatched, int32(v))
			continue
		}
		m.Farthest = math.Max(m.Farthest, m.far[v])
	}
}

// mostSeeds is how many middle edges are tried to begin at.
const mostSeeds = 12

// topology walks over the faces from a middle edge, two and two that are images of each other.
func (n *Net) topology(m *Mirrored, plane Plane, faces [][]int32) error {
	type use struct{ face, corner int32 }
	uses := map[[2]int32][]use{} // by directed edge
	for f, c := range faces {
		for k, a := range c {
			e := [2]int32{a, c[(k+1)%len(c)]}
			uses[e] = append(uses[e], use{int32(f), int32(k)})
		}
	}
	type seed struct {
		a, b int32
		off  float64
	}
	var seeds []seed
	for e, u := range uses {
		if back := uses[[2]int32{e[1], e[0]}]; e[0] < e[1] && len(u) == 1 && len(back) == 1 {
			seeds = append(seeds, seed{e[0], e[1], math.Abs(plane.Side(n.At[e[0]])) + math.Abs(plane.Side(n.At[e[1]]))})
		}
	}
	slices.SortFunc(seeds, func(x, y seed) int {
		switch {
		case x.off < y.off:
			return -1
		case x.off > y.off:
			return 1
		case x.a != y.a:
			return int(x.a - y.a)
		}
		return int(x.b - y.b)
	})
	var best []int32
	most, amiss := 0, 0
	for _, s := range seeds[:min(len(seeds), mostSeeds)] {
		image := make([]int32, len(n.At))
		for v := range image {
			image[v] = -1
		}
		image[s.a], image[s.b] = s.a, s.b
		found, against := 2, 0
		type pair struct{ one, other [2]int32 } // directed edges, images of each other with sides changed
		done := make([]bool, len(faces))
		wait := []pair{{[2]int32{s.a, s.b}, [2]int32{s.b, s.a}}, {[2]int32{s.b, s.a}, [2]int32{s.a, s.b}}}
		for len(wait) > 0 {
			p := wait[len(wait)-1]
			wait = wait[:len(wait)-1]
			x, y := uses[p.one], uses[p.other]
			if len(x) != 1 || len(y) != 1 || done[x[0].face] {
				continue
			}
			one, other := faces[x[0].face], faces[y[0].face]
			if len(one) != len(other) {
				done[x[0].face] = true
				against++
				continue
			}
			ok := true
			for k := range one {
				a, b := one[(int(x[0].corner)+k)%len(one)], other[(int(y[0].corner)+1-k+2*len(other))%len(other)]
				ok = ok && (image[a] < 0 || image[a] == b)
			}
			done[x[0].face] = true
			if !ok {
				against++
				continue
			}
			for k := range one {
				a, b := one[(int(x[0].corner)+k)%len(one)], other[(int(y[0].corner)+1-k+2*len(other))%len(other)]
				if image[a] < 0 {
					image[a] = b
					found++
				}
				a2, b2 := one[(int(x[0].corner)+k+1)%len(one)], other[(int(y[0].corner)-k+2*len(other))%len(other)]
				wait = append(wait, pair{[2]int32{a2, a}, [2]int32{b, b2}})
			}
		}
		for v, k := range image { // each must be the image of its image
			if k >= 0 && image[k] != int32(v) {
				against++
			}
		}
		if found-8*against > most-8*amiss || best == nil {
			best, most, amiss = image, found, against
		}
		if most == len(n.At) && amiss == 0 {
			break
		}
	}
	if most < 3 || 100*amiss > most {
		return fmt.Errorf(
			"the two sides have different topology: from the best of %d center edges, %d vertices matched and %d faces did not; mirror by position",
			min(len(seeds), mostSeeds),
			most,
			amiss,
		)
	}
	m.vertex = best
	return nil
}

// Nearest is the vertex nearest to the image of another, -1 for none.
func (m *Mirrored) Nearest(n *Net, v int32) int32 {
	if m.vertex[v] >= 0 || m.tri[v] < 0 {
		return m.vertex[v]
	}
	best, near := math.Inf(1), int32(-1)
	for _, k := range n.Tris[m.tri[v]] {
		if d := r3.Norm2(r3.Sub(n.At[k], m.at[v])); d < best {
			best, near = d, k
		}
	}
	return near
}

// Image returns what a vertex takes from its mirror image: the shares there, each joint by its
// partner; nil without an image.
func (m *Mirrored) Image(e *Editor, n *Net, v int32, partner []int32) []Influence {
	if k := m.vertex[v]; k >= 0 {
		return Mirror(e.At(k), partner)
	}
	if m.tri[v] < 0 {
		return nil
	}
	t := n.Tris[m.tri[v]]
	shares := geom.Barycentric(m.at[v], n.At[t[0]], n.At[t[1]], n.At[t[2]])
	for _, k := range t {
		e.At(k)
	}
	w := &Weights{Joints: e.Joints, Of: e.Of}
	return Mirror(w.Blend(t[:], shares[:], Limits{}), partner)
}

// MirrorTo gives vertices on one side of the plane, in front of it where front, what their images
// have; those within the tolerance of the plane get the mean of both, so that they are even. It
// returns how many vertices were given any, and the largest difference that is left between a
// vertex and its image.
func (e *Editor) MirrorTo(
	n *Net,
	m *Mirrored,
	plane Plane,
	tolerance float64,
	front bool,
	vertices, partner []int32,
) (given int, left float64) {
	type to struct {
		v    int32
		list []Influence
		mean bool
	}
	var all []to
	for _, v := range e.All(vertices) {
		d := plane.Side(n.At[v])
		if m.side != nil {
			d = m.side[v]
		}
		if !front {
			d = -d
		}
		middle := math.Abs(d) <= tolerance
		if k := m.vertex[v]; k == v {
			middle = true
		}
		if !middle && d < 0 {
			continue
		}
		if list := m.Image(e, n, v, partner); len(list) > 0 {
			all = append(all, to{v, list, middle})
		}
	}
	for _, x := range all {
		share := 1.0
		if x.mean {
			share = 0.5
		}
		e.Toward(x.v, x.list, share)
	}
	for _, x := range all {
		left = math.Max(left, apart(e.At(x.v), m.Image(e, n, x.v, partner)))
	}
	return len(all), left
}
