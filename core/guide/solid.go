package guide

import (
	"context"
	"errors"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/linalg"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Options say how fine a solid is and how long it is led to rest; 0 is the usual.
type Options struct {
	// Nodes is how many vertices the copy has that is solved; the mesh itself is, where it has no more.
	Nodes int
	// Steps is how often turns and places are fitted to each other in a pose.
	Steps int
}

const (
	// usualSteps leave Odile's nodes 0.05 mm in the mean from where 150 steps bring them, at the ends of all ranges;
	// usualNodes keep a pose to some 40 ms.
	usualNodes, usualSteps = 5000, 16
	// evenly is how much an even spacing of the nodes counts: what bends needs some where it is flat, too.
	evenly = 0.02
)

// Solid is the skin of a mesh as an elastic solid about its bones.
type Solid struct {
	skeleton *skeleton.Skeleton
	copied   *mesh.Mesh
	nodes    []r3.Vec // of it, world, at rest
	tris     [][3]int32
	weights  *weights.Weights // of the nodes
	number   []int32          // of the weights' joints: those of the skeleton, -1 for none
	springs
	rods   []rod // by node
	factor *linalg.Cholesky
	placed []placed // by vertex of the mesh
	// Far and Mean are how far vertices of the mesh are from the copy, metres.
	Far, Mean float64
}

// springs join nodes.
type springs struct {
	start []int32   // by node: its first
	to    []int32   // of each
	stiff []float64 // of each, the same both ways
	along []r3.Vec  // of each, at rest, times its stiffness
}

// rod ties a node to the core of the bones about it; own holds it itself to the bone that alone moves it.
type rod struct {
	ends       []end
	core       r3.Vec // from the mean of the ends, at rest
	along      r3.Vec // from the node to the core, at rest, times the stiffness
	stiff, own float64
}

// end is the place of a bone next to a node.
type end struct {
	joint int32  // of the weights
	on    r3.Vec // world, at rest
	share float64
}

// placed is where a vertex is on the copy.
type placed struct {
	node  [3]int32
	share [3]float64
}

// slack holds what nothing else does where its weights take it.
const slack = 1e-9

// ErrNoSkin means that nothing of the mesh has weights and a surface that could be deformed.
var ErrNoSkin = errors.New("no surface with weights to deform")

// NewSolid prepares the skin of a mesh, taken in world frame in the pose in which s stands; its weights tell which
// bones a vertex may be tied to. Pieces that keep their shape, and vertices without weights, go along with what is
// next to them.
func NewSolid(ctx context.Context, m *mesh.Mesh, w *weights.Weights, s *skeleton.Skeleton, o Options) (*Solid, error) {
	if o.Nodes == 0 {
		o.Nodes = usualNodes
	}
	rigid := weights.RigidPieces(m, w)
	flesh := fleshOf(m, w, rigid)
	copied, origin, err := flesh.Decimate(ctx, mesh.DecimateOptions{Vertices: max(o.Nodes, 4), Keep: true, Even: evenly})
	if err != nil {
		return nil, err
	}
	if copied.Faces() == 0 {
		return nil, ErrNoSkin
	}
	g := &Solid{skeleton: s, copied: copied, nodes: copied.Points, weights: w.Gather(origin)}
	g.tris, _ = copied.Triangles()
	at := s.Numbers()
	for _, name := range w.Joints {
		i, ok := at[name]
		if !ok {
			i = -1
		}
		g.number = append(g.number, int32(i))
	}
	stiff, area, _ := mesh.Laplacian(g.nodes, g.tris)
	g.join(stiff, g.over(copied, area))
	g.tie(area)
	if err := g.factorise(ctx); err != nil {
		return nil, err
	}
	g.place(m.World(), origin, rigid)
	return g, nil
}

// Copy returns the copy whose vertices are the nodes, in world frame, and their weights; neither is written to.
func (g *Solid) Copy() (*mesh.Mesh, *weights.Weights) { return g.copied, g.weights }

// fleshOf returns what of a mesh is an elastic solid, in world frame with the vertices of m: without pieces that
// keep their shape and what has no weights, and with vertices in one place as one.
func fleshOf(m *mesh.Mesh, w *weights.Weights, rigid []int32) *mesh.Mesh {
	out := &mesh.Mesh{Points: m.World(), Parts: []mesh.Part{mesh.NewPart("flesh")}, Start: []int32{0}}
	first := make(map[r3.Vec]int32, len(out.Points))
	one := make([]int32, len(out.Points))
	for v, p := range out.Points {
		if k, ok := first[p]; ok {
			one[v] = k
		} else if len(w.Of[v]) > 0 && rigid[v] < 0 {
			first[p] = int32(v)
			one[v] = int32(v)
		}
	}
	tris, _ := m.Triangles()
	for _, t := range tris {
		c := [3]int32{one[t[0]], one[t[1]], one[t[2]]}
		soft := true
		for _, v := range t {
			soft = soft && len(w.Of[v]) > 0 && rigid[v] < 0
		}
		if soft && c[0] != c[1] && c[1] != c[2] && c[2] != c[0] {
			out.AddFace(0, c[:]...)
		}
	}
	return out
}

// factorise prepares the equations of the places, which are the same in every pose.
func (g *Solid) factorise(ctx context.Context) error {
	n := len(g.nodes)
	a := &linalg.Symmetric{N: n, Start: make([]int32, n+1)}
	put := func(col int32, x float64) { a.Col, a.Val = append(a.Col, col), append(a.Val, x) }
	for v := range int32(n) {
		sum := slack
		for _, k := range g.stiff[g.start[v]:g.start[v+1]] {
			sum += k
		}
		sum += g.rods[v].stiff + g.rods[v].own
		done := false
		for k := g.start[v]; k < g.start[v+1]; k++ {
			if !done && g.to[k] > v {
				put(v, sum)
				done = true
			}
			put(g.to[k], -g.stiff[k])
		}
		if !done {
			put(v, sum)
		}
		a.Start[v+1] = int32(len(a.Col))
	}
	var err error
	g.factor, err = linalg.Factorise(ctx, a, g.nodes, nil)
	return err
}

// place finds where each vertex is on the copy: at its own node, or at the nearest place of the surface, pieces that
// keep their shape where they come nearest to it.
func (g *Solid) place(points []r3.Vec, origin mesh.Origin, rigid []int32) {
	g.placed = make([]placed, len(points))
	for k, v := range origin {
		g.placed[v] = placed{[3]int32{int32(k), int32(k), int32(k)}, [3]float64{1, 0, 0}}
	}
	tree := geom.NewTree(g.nodes, g.tris)
	far := make([]float64, len(points))
	geom.Chunks(len(points), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			if g.placed[v].share[0] == 0 {
				t, at, d := tree.Nearest(points[v])
				c := g.tris[t]
				g.placed[v] = placed{c, geom.Barycentric(at, g.nodes[c[0]], g.nodes[c[1]], g.nodes[c[2]])}
				far[v] = d
			}
		}
	})
	nearest := map[int32]int{}
	for v, k := range rigid {
		if at, ok := nearest[k]; k >= 0 && (!ok || far[v] < far[at]) {
			nearest[k] = v
		}
	}
	soft := 0
	for v, d := range far {
		if rigid[v] >= 0 {
			g.placed[v] = g.placed[nearest[rigid[v]]]
			continue
		}
		soft++
		g.Far = math.Max(g.Far, d)
		g.Mean += d
	}
	g.Mean /= float64(max(1, soft))
}
