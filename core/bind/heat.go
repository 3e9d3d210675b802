package bind

import (
	"context"
	"errors"
	"fmt"
	"math"
	"sync"
	"sync/atomic"
	"time"

	"wisemarrow/core/geom"
	"wisemarrow/core/linalg"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Options of a heat bind.
type Options struct {
	weights.Limits
	// Heat is c of Baran & Popović, how strongly a vertex is held to its nearest
	// bone against its neighbours; they use 1. Larger is harder.
	Heat float64
	// Robust solves on the Laplacian that has no weight of the wrong sign on any triangles
	// (Sharp & Crane 2020); assembling takes six times as long, the whole a third more.
	Robust bool
	// Deform says which joints take part; nil is all but end joints.
	Deform []bool
	// Took, unless nil, is told how long each step took, in milliseconds. What a
	// clock measures never goes into the report, which is stored.
	Took func(step string, millis float64)
}

// uncapped are the options' limits without the cap, for what is worked on further before it is cut.
func (o Options) uncapped() weights.Limits { return weights.Limits{Trace: o.Trace} }

// DefaultOptions are four influences, traces below a thousandth dropped, c = 1.
var DefaultOptions = Options{Limits: weights.Limits{Cap: 4, Trace: 0.001}, Heat: 1}

// tie is how much farther than the nearest another bone may be to count as
// equally near.
const tie = geom.TouchShare

// ErrNoBones means that no joint of the skeleton is to deform anything.
var ErrNoBones = errors.New("no joint deforms the mesh: include at least one that is not an end joint")

// Heat binds by heat equilibrium (Baran & Popović 2007, section 4): for every
// joint j solve (−Δ + H)·w = H·p, where H is c/d² at vertices that see their
// nearest bone at distance d and 0 elsewhere, and p is 1 where that bone is
// j's (shared evenly where several are equally near). The Laplacian is
// weighted by area, so the system is L + M·H with cotangent stiffness L and
// lumped mass M, and the weights do not depend on the scale.
//
// Points and joints are taken in world frame at rest. The mesh is not changed.
// The context is listened to within every step.
func Heat(ctx context.Context, m *mesh.Mesh, s *skeleton.Skeleton, o Options, progress progress.Func) (*weights.Weights, *Report, error) {
	if err := s.Validate(); err != nil {
		return nil, nil, err
	}
	if m.Faces() == 0 {
		return nil, nil, errors.New("the mesh has no faces to bind")
	}
	if o.Cap < 0 || o.Heat <= 0 || o.Trace < 0 || o.Trace >= 1 {
		return nil, nil, fmt.Errorf(
			"influence cap %d must be 1 or more, or 0 for any number, heat %g positive, and the trace limit %g between 0 and 1",
			o.Cap,
			o.Heat,
			o.Trace,
		)
	}
	if progress == nil {
		progress = func(string, float64) {}
	}
	if o.Deform == nil {
		o.Deform = s.Deforming()
	}
	b := &heatBind{ctx: ctx, o: o, m: m, s: s, points: m.World(), report: &Report{}}
	if o.Took == nil {
		o.Took = func(string, float64) {}
	}
	begin := time.Now()
	steps := []struct {
		name, what string
		share      float64
		run        func() error
	}{
		{"visibility", "Finding the bone that each vertex sees", 0, b.visibility},
		{"assembly", "Building the heat equation", 0.3, b.assemble},
		{"factorisation", "Factorising it", 0.4, b.factorise},
		{"solve", "Solving for every joint", 0.7, b.solve},
		{"report", "Reading the result", 0.9, b.finish},
	}
	var mu sync.Mutex // shares come from several goroutines
	for i, step := range steps {
		if err := ctx.Err(); err != nil {
			return nil, nil, err
		}
		progress(step.what, step.share)
		end, last := 1.0, 0.0
		if i+1 < len(steps) {
			end = steps[i+1].share
		}
		b.told = func(share float64) {
			mu.Lock()
			defer mu.Unlock()
			if share > last+0.01 {
				last = share
				progress(step.what, step.share+share*(end-step.share))
			}
		}
		t := time.Now()
		if err := step.run(); err != nil {
			return nil, nil, err
		}
		o.Took(step.name, float64(time.Since(t).Microseconds())/1000)
	}
	o.Took("total", float64(time.Since(begin).Microseconds())/1000)
	progress("Done", 1)
	return b.weights, b.report, nil
}

type heatBind struct {
	ctx    context.Context
	told   func(share float64) // of the step that is being done
	o      Options
	m      *mesh.Mesh
	s      *skeleton.Skeleton
	points []r3.Vec
	tris   [][3]int32
	tree   *geom.Tree
	bones  []skeleton.Bone
	looked []bool // by bone: the surface looks at it, as in a hollow or turned inside out

	hold    []float64 // c/d² where the vertex sees its bone, else 0
	nearest [][]int32 // joints whose bone is nearest
	system  *linalg.Symmetric
	mass    []float64
	active  []bool // the vertex's component has a solution
	factor  *linalg.Cholesky
	columns [][]float64

	weights *weights.Weights
	report  *Report
}

func (b *heatBind) visibility() error {
	b.tris, _ = b.m.Triangles()
	b.tree = geom.NewTree(b.points, b.tris)
	b.bones = b.s.Leading(b.o.Deform)
	if len(b.bones) == 0 {
		return ErrNoBones
	}
	b.tree.PrepareWinding()
	b.looked = looking(b.tree, b.bones)
	normals := b.m.VertexNormals(b.points)
	closest := geom.TouchShare * b.tree.Box().Diagonal()
	n := len(b.points)
	b.hold, b.nearest = make([]float64, n), make([][]int32, n)
	ways := make([]r3.Vec, n)   // to the nearest bone
	facing := make([]r3.Vec, n) // the normal, as that bone has it
	var done atomic.Int64
	geom.Chunks(n, 512, func(lo, hi int) {
		if b.ctx.Err() != nil {
			return
		}
		at := make([]r3.Vec, len(b.bones))
		dist := make([]float64, len(b.bones))
		for v := lo; v < hi; v++ {
			p := b.points[v]
			best := math.Inf(1)
			for i, bone := range b.bones {
				at[i], _ = geom.ClosestOnSegment(p, bone.A, bone.B)
				dist[i] = r3.Norm2(r3.Sub(p, at[i]))
				best = min(best, dist[i])
			}
			seen, way, faces := false, r3.Vec{}, r3.Vec{}
			var joints []int32
			for i, bone := range b.bones {
				if dist[i] > best*(1+tie)*(1+tie) {
					continue
				}
				if j := int32(bone.Joint); len(joints) == 0 || joints[len(joints)-1] != j {
					joints = append(joints, j)
				}
				normal := normals[v]
				if b.looked[i] { // the surface looks at it
					normal = r3.Scale(-1, normal)
				}
				seen = seen || b.sees(int32(v), normal, at[i])
				way, faces = r3.Sub(at[i], p), normal
			}
			b.nearest[v], ways[v], facing[v] = joints, way, faces
			if seen {
				b.hold[v] = b.o.Heat / max(best, closest*closest)
			}
		}
		b.told(0.9 * float64(done.Add(int64(hi-lo))) / float64(n))
	})
	b.seeThrough(facing, ways, closest)
	return b.ctx.Err()
}

// seeThrough gives vertices of pieces that mostly see their bones a second look: a surface
// that lies on the way is no hindrance where both sides of it are inside, by the winding
// number (Jacobson et al. 2013), as of shells that pass through each other.
func (b *heatBind) seeThrough(facing, ways []r3.Vec, closest float64) {
	pieces := b.m.Pieces()
	seen := make([]int, pieces.Count())
	for v, p := range pieces.OfVertex {
		if p >= 0 && b.hold[v] > 0 {
			seen[p]++
		}
	}
	geom.Chunks(len(b.points), 256, func(lo, hi int) {
		if b.ctx.Err() != nil {
			return
		}
		for v := lo; v < hi; v++ {
			piece := pieces.OfVertex[v]
			if b.hold[v] > 0 || piece < 0 || float64(seen[piece]) < bodyShare*float64(pieces.Vertices[piece]) {
				continue
			}
			p, way := b.points[v], ways[v]
			l := r3.Norm(way)
			if l == 0 || r3.Dot(way, facing[v]) > facesAway*l {
				continue
			}
			if b.inside(int32(v), p, way) {
				b.hold[v] = b.o.Heat / max(l*l, closest*closest)
			}
		}
	})
}

// throughAtMost is how many surfaces a second look goes through.
const throughAtMost = 6

// inside reports whether all of a way is inside the solid, between the surfaces that it meets.
func (b *heatBind) inside(v int32, p, way r3.Vec) bool {
	from := 1e-3
	var at []float64
	for _, hit := range b.tree.Hits(p, way, from, 1) {
		if t := b.tris[hit.Tri]; t[0] != v && t[1] != v && t[2] != v {
			at = append(at, hit.T)
		}
	}
	if len(at) > throughAtMost {
		return false
	}
	for k, to := range append(at, 1) {
		// It starts inward, so the first stretch is inside.
		if k > 0 && to-from > 1e-6 && math.Abs(b.tree.Winding(r3.Add(p, r3.Scale((from+to)/2, way)))) < 0.5 {
			return false
		}
		from = to
	}
	return true
}

// facesAway is the cosine from which a way from a vertex leads out of the mesh.
const facesAway = 0.1

// sees reports whether the way from vertex v to a point on a bone stays inside
// the mesh: it starts inward, as normal has it, and meets no other triangle.
func (b *heatBind) sees(v int32, normal, to r3.Vec) bool {
	p := b.points[v]
	way := r3.Sub(to, p)
	if l := r3.Norm(way); l > 0 && r3.Dot(way, normal) > facesAway*l {
		return false
	}
	start := r3.Add(p, r3.Scale(1e-3, way))
	return !b.tree.Blocked(start, to, func(tri int32) bool {
		t := b.tris[tri]
		return t[0] == v || t[1] == v || t[2] == v
	})
}

func (b *heatBind) assemble() error {
	if b.o.Robust {
		var err error
		if b.system, b.mass, err = mesh.RobustLaplacian(b.points, b.tris); err != nil {
			return err
		}
	} else {
		b.system, b.mass, b.report.Negative = mesh.Laplacian(b.points, b.tris)
	}
	a := b.system
	component := components(a)
	heated := make([]int, len(a.Start)) // per component: vertices with hold and mass
	for v, h := range b.hold {
		if h > 0 && b.mass[v] > 0 {
			heated[component[v]]++
		}
	}
	b.active = make([]bool, a.N)
	for v := range a.N {
		b.active[v] = heated[component[v]] > 0
		for k := a.Start[v]; k < a.Start[v+1]; k++ {
			switch {
			case !b.active[v]: // decoupled: its whole component is
				a.Val[k] = 0
				if int(a.Col[k]) == v {
					a.Val[k] = 1
				}
			case int(a.Col[k]) == v:
				a.Val[k] += b.mass[v] * b.hold[v]
			}
		}
	}
	return nil
}

// components labels the connected unknowns by their lowest member.
func components(a *linalg.Symmetric) []int32 {
	label := make([]int32, a.N)
	for i := range label {
		label[i] = -1
	}
	var stack []int32
	for i := range a.N {
		if label[i] >= 0 {
			continue
		}
		label[i] = int32(i)
		stack = append(stack[:0], int32(i))
		for len(stack) > 0 {
			v := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			for k := a.Start[v]; k < a.Start[v+1]; k++ {
				// An entry of zero weight carries no heat.
				if w := a.Col[k]; label[w] < 0 && a.Val[k] != 0 {
					label[w] = int32(i)
					stack = append(stack, w)
				}
			}
		}
	}
	return label
}

func (b *heatBind) factorise() error {
	f, err := linalg.Factorise(b.ctx, b.system, b.points, b.told)
	if bad := (linalg.NotPositiveError{}); errors.As(err, &bad) {
		return fmt.Errorf(
			"heat has no stable solution near vertex %d: use the robust Laplacian, or weld duplicates and remove zero-area faces at Intake, then bind again (%w)",
			bad.Index,
			err,
		)
	}
	if err != nil {
		return err
	}
	b.factor = f
	b.report.Factor = f.Entries()
	return nil
}

func (b *heatBind) solve() error {
	n := len(b.points)
	b.columns = make([][]float64, len(b.s.Joints))
	var rhs [][]float64
	var which []int
	right := make([][]float64, len(b.s.Joints))
	for v, joints := range b.nearest {
		if !b.active[v] || b.hold[v] == 0 {
			continue
		}
		for _, j := range joints {
			if right[j] == nil {
				right[j] = make([]float64, n)
			}
			right[j][v] = b.mass[v] * b.hold[v] / float64(len(joints))
		}
	}
	for j, r := range right {
		if r != nil {
			rhs = append(rhs, r)
			which = append(which, j)
		}
	}
	solved, err := b.factor.Solve(b.ctx, rhs, b.told)
	if err != nil {
		return err
	}
	for i, x := range solved {
		for v, value := range x {
			b.report.Overshoot = math.Max(b.report.Overshoot, math.Max(-value, value-1))
			x[v] = math.Max(0, math.Min(1, value))
		}
		b.columns[which[i]] = x
	}
	b.factor = nil
	return nil
}

func (b *heatBind) finish() error {
	names := make([]string, len(b.s.Joints))
	for i, j := range b.s.Joints {
		names[i] = j.Name
	}
	whole := weights.FromColumns(names, b.columns, len(b.points), b.o.uncapped())
	b.columns = nil
	b.weights = weights.Capped(b.m, whole, b.o.Limits)
	sees := make([]bool, len(b.hold))
	for v, h := range b.hold {
		sees[v] = h > 0
	}
	own := b.report
	b.report = Account(b.m, b.s, b.weights, Evidence{Method: "heat", Deform: b.o.Deform, Nearest: b.nearest, Sees: sees, Tree: b.tree})
	b.report.Overshoot, b.report.Negative, b.report.Factor = own.Overshoot, own.Negative, own.Factor
	b.report.sees = sees
	b.report.Capped = costOf(b.points, whole, b.weights, b.s, b.o.Cap)
	return nil
}
