package bind

import (
	"context"
	"errors"
	"fmt"
	"math"
	"sort"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Way is how a set of vertices got its weights.
type Way struct {
	How      string  `json:"how"`
	Vertices int     `json:"vertices"`
	Pieces   int     `json:"pieces,omitempty"`
	Farthest float64 `json:"farthest_m,omitempty"` // from where they were carried over
}

// nearShare is how far, over the body's height, a loose piece may be from the weighted surface
// to be taken for something that is worn or held.
const nearShare = 0.1

// Automatic binds by whatever the mesh calls for, until every vertex has weights: by heat where that
// has a solution; on a working copy with faces turned outward, cracks welded and doubled faces
// dropped, carried back, where that solves more; pieces that see no bone with the surface under
// them; through the volume what is left, or all where heat has no stable solution. The mesh is
// not changed. The report says how each set of vertices got its weights.
func Automatic(ctx context.Context, m *mesh.Mesh, s *skeleton.Skeleton, o Options, progress Progress) (*weights.Weights, *Report, error) {
	if progress == nil {
		progress = func(string, float64) {}
	}
	if o.Deform == nil {
		o.Deform = s.Deforming()
	}
	part := func(from, to float64) Progress {
		return func(what string, share float64) { progress(what, from+(to-from)*share) }
	}
	a := &automatic{m: m, s: s, o: o, how: make([]string, len(m.Points)), far: map[string]float64{}}
	w, r, err := Heat(ctx, m, s, o, part(0, 0.35))
	switch {
	case ctx.Err() != nil:
		return nil, nil, ctx.Err()
	case err != nil && !a.unstable(err):
		return nil, nil, err
	case err != nil:
		a.said = append(a.said, "heat has no stable solution on the mesh as it is")
	default:
		a.take(w, "by heat", nil)
	}
	cracked := a.cracked()
	if a.w == nil || cracked || a.wanting(r) {
		if err := a.onACopy(ctx, r, cracked, part(0.35, 0.55)); err != nil {
			return nil, nil, err
		}
	}
	if a.w == nil || len(a.w.Unweighted()) > 0 || a.unsolved() > 0 {
		if err := a.throughTheVolume(ctx, part(0.55, 0.85)); err != nil {
			return nil, nil, err
		}
	}
	progress("Letting loose pieces follow the surface beneath them", 0.88)
	if err := a.beneath(); err != nil {
		return nil, nil, err
	}
	if err := a.rest(ctx, part(0.9, 0.95)); err != nil {
		return nil, nil, err
	}
	report := Account(m, s, a.w, Evidence{Method: "automatic", Deform: o.Deform, Nearest: a.nearest()})
	if r != nil {
		report.Overshoot, report.Negative, report.Factor = r.Overshoot, r.Negative, r.Factor
	}
	report.Ways = a.ways()
	report.Said = a.sentence(report)
	progress("Done", 1)
	return a.w, report, nil
}

// automatic is an automatic bind on its way.
type automatic struct {
	m    *mesh.Mesh
	s    *skeleton.Skeleton
	o    Options
	w    *weights.Weights
	how  []string // by vertex
	far  map[string]float64
	said []string
}

// unstable reports whether an error says that the equation cannot be solved on this mesh, and
// not that the order makes no sense.
func (a *automatic) unstable(err error) bool {
	return !errors.Is(err, ErrNoBones) && a.m.Faces() > 0 && a.s.Validate() == nil && a.o.Cap >= 1 && a.o.Heat > 0 && a.o.Trace >= 0 && a.o.Trace < 1
}

// take gives vertices without weights those of w; which picks among them, nil is all.
func (a *automatic) take(w *weights.Weights, how string, which func(v int) bool) {
	if a.w == nil {
		a.w = weights.New(w.Joints, len(a.m.Points))
	}
	for v, list := range w.Of {
		if len(a.w.Of[v]) == 0 && len(list) > 0 && (which == nil || which(v)) {
			a.w.Of[v], a.how[v] = list, how
		}
	}
}

// wanting reports whether a heat bind left more than loose pieces without a solution.
func (a *automatic) wanting(r *Report) bool {
	bad, asked := 0, 0
	for _, j := range r.Joints {
		if j.State != Idle {
			asked++
		}
		if j.State == Unsolved || j.State == Weak {
			bad++
		}
	}
	return bad > 0 || 20*r.Unweighted > r.Vertices || asked == 0
}

func (a *automatic) unsolved() int {
	leads := make([]bool, len(a.w.Joints))
	for v := range a.w.Of {
		if k := a.w.Leader(v); k >= 0 {
			leads[k] = true
		}
	}
	n := 0
	for i, yes := range a.o.Deform {
		if yes && !leads[i] {
			n++
		}
	}
	return n
}

// crackedShare is the share of vertices that stand just where another stands from which on a
// mesh counts as cracked: heat does not cross a crack.
const crackedShare = 0.01

// cracked reports whether many vertices stand just where others do.
func (a *automatic) cracked() bool {
	seen := make(map[r3.Vec]bool, len(a.m.Points))
	n := 0
	for _, p := range a.m.World() {
		if seen[p] {
			n++
		}
		seen[p] = true
	}
	return float64(n) > crackedShare*float64(len(a.m.Points))
}

// onACopy repairs a copy of the mesh, binds that by heat, and carries the weights back where
// that solves more joints or vertices; of a cracked mesh unless it solves less than half.
func (a *automatic) onACopy(ctx context.Context, r *Report, cracked bool, progress Progress) error {
	copied := a.m.Bake(mesh.NoPlacement)
	diagonal := geom.BoxOf(copied.Points).Diagonal()
	copied, _ = copied.DropFaces()
	if welded, _, err := copied.Weld(geom.NearShare*diagonal, true); err == nil {
		copied = welded
	}
	copied, _ = copied.DropFaces()
	copied, _ = copied.MakeOutward() // whole pieces tell their facing better than single faces
	if copied.Faces() == 0 {
		return nil
	}
	w, better, err := Heat(ctx, copied, a.s, a.o, progress)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if err != nil {
		return nil // the volume comes next
	}
	bad := func(r *Report) (n int) {
		if r == nil {
			return math.MaxInt
		}
		for _, j := range r.Joints {
			if j.State == Unsolved || j.State == Weak {
				n++
			}
		}
		return n
	}
	// Of a cracked mesh a face that sees a bone counts as solved, though heat spread nowhere.
	if cracked && 2*bad(better) > len(better.Joints) || !cracked && bad(better) >= bad(r) && (r == nil || better.Unweighted*r.Vertices >= r.Unweighted*better.Vertices) {
		return nil
	}
	// Only vertices whose own piece has a solution on the copy: loose pieces come later.
	back, err := CarryOver(copied, w, a.m, a.o.Limits)
	if err != nil {
		return nil
	}
	tris, _ := copied.Triangles()
	solved := weighted(copied, w)
	if len(solved) == 0 {
		return nil
	}
	all, good := geom.NewTree(copied.Points, tris), geom.NewTree(copied.Points, solved)
	limit := 1e-6 * diagonal
	own := make([]bool, len(a.m.Points))
	points := a.m.World()
	geom.Chunks(len(points), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			_, _, d := all.Nearest(points[v])
			_, _, e := good.Nearest(points[v])
			own[v] = e <= d+limit
		}
	})
	a.w = nil
	for v := range a.how {
		a.how[v] = ""
	}
	a.take(back, "by heat on a repaired copy", func(v int) bool { return own[v] })
	if cracked { // there every face is a piece of its own; on the copy pieces are whole
		if whole, _, err := FollowBeneath(copied, w, Auto, a.o.Limits); err == nil {
			if rest, err := CarryOver(copied, whole, a.m, a.o.Limits); err == nil {
				a.take(rest, beneathHow, nil)
			}
		}
	}
	if cracked {
		a.said = append(a.said, "the mesh is cracked, and heat does not cross a crack: a copy was welded")
	} else {
		a.said = append(a.said, "a copy with faces turned outward and cracks welded solves more")
	}
	return nil
}

// throughTheVolume binds through the volume, and takes that for what has no weights: all where
// heat gave nothing, joints without a vertex where their bones are nearest, and whole vertices.
func (a *automatic) throughTheVolume(ctx context.Context, progress Progress) error {
	o := DefaultDistance
	o.Limits, o.Deform = a.o.Limits, a.o.Deform
	w, _, err := Volume(ctx, a.m, a.s, o, progress)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	if err != nil {
		if a.w == nil {
			return fmt.Errorf("neither heat nor the volume bind this mesh: %w", err)
		}
		return nil
	}
	if a.w == nil {
		a.take(w, "through the volume", nil)
		return nil
	}
	leads := make([]bool, len(a.w.Joints))
	for v := range a.w.Of {
		if k := a.w.Leader(v); k >= 0 {
			leads[k] = true
		}
	}
	for v := range a.w.Of { // joints that lead nothing get what they lead in the volume
		if k := w.Leader(v); k >= 0 && a.o.Deform[k] && !leads[k] {
			a.w.Of[v], a.how[v] = w.Of[v], "through the volume"
		}
	}
	// The body's vertices; loose pieces go with what is under them.
	loose := a.loose()
	a.take(w, "through the volume", func(v int) bool { return !loose[v] })
	return nil
}

// loose returns the vertices of pieces that have no weights at all and lie near what has.
func (a *automatic) loose() []bool {
	out := make([]bool, len(a.m.Points))
	solved := weighted(a.m, a.w)
	if len(solved) == 0 {
		return out
	}
	points, pieces := a.m.World(), a.m.Pieces()
	some := make([]bool, pieces.Count())
	for v, p := range pieces.OfVertex {
		if p >= 0 && len(a.w.Of[v]) > 0 {
			some[p] = true
		}
	}
	tree := geom.NewTree(points, solved)
	reach := nearShare * geom.BoxOf(points).Size().Y
	near := make([]bool, pieces.Count())
	for v, p := range pieces.OfVertex {
		if p >= 0 && !some[p] && !near[p] {
			_, _, d := tree.Nearest(points[v])
			near[p] = d < reach
		}
	}
	for v, p := range pieces.OfVertex {
		out[v] = p >= 0 && !some[p] && near[p]
	}
	return out
}

const beneathHow = "as the surface under them"

// beneath lets what is left follow the surface under it.
func (a *automatic) beneath() error {
	left := a.w.Unweighted()
	if len(left) == 0 {
		return nil
	}
	solved := weighted(a.m, a.w)
	if len(solved) == 0 {
		return nil
	}
	w, _, err := FollowBeneath(a.m, a.w, Auto, a.o.Limits)
	if err != nil {
		return err
	}
	const how = beneathHow
	points := a.m.World()
	tree := geom.NewTree(points, solved)
	for _, v := range left {
		if len(w.Of[v]) > 0 {
			a.w.Of[v], a.how[v] = w.Of[v], how
			_, _, d := tree.Nearest(points[v])
			a.far[how] = math.Max(a.far[how], d)
		}
	}
	return nil
}

// rest gives vertices that nothing reached those of the nearest bone.
func (a *automatic) rest(ctx context.Context, progress Progress) error {
	if len(a.w.Unweighted()) == 0 {
		return nil
	}
	o := DefaultDistance
	o.Limits, o.Deform, o.Smooth = a.o.Limits, a.o.Deform, 0
	w, _, err := Near(ctx, a.m, a.s, o, progress)
	if err != nil {
		return err
	}
	a.take(w, "by distance", nil)
	return nil
}

// nearest returns the joints whose bone is nearest to each vertex.
func (a *automatic) nearest() [][]int32 {
	bones := deformingBones(a.s, a.o.Deform)
	points := a.m.World()
	out := make([][]int32, len(points))
	geom.Chunks(len(points), 1024, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			best, at := math.Inf(1), 0
			for _, bone := range bones {
				on, _ := geom.ClosestOnSegment(points[v], bone.A, bone.B)
				if d := r3.Norm2(r3.Sub(points[v], on)); d < best {
					best, at = d, bone.Joint
				}
			}
			out[v] = []int32{int32(at)}
		}
	})
	return out
}

func (a *automatic) ways() []Way {
	by := map[string]*Way{}
	seen := map[string]map[int32]bool{}
	pieces := a.m.Pieces()
	for v, how := range a.how {
		if how == "" {
			continue
		}
		if by[how] == nil {
			by[how], seen[how] = &Way{How: how, Farthest: a.far[how]}, map[int32]bool{}
		}
		by[how].Vertices++
		if p := pieces.OfVertex[v]; p >= 0 {
			seen[how][p] = true
		}
	}
	var out []Way
	for how, w := range by {
		w.Pieces = len(seen[how])
		out = append(out, *w)
	}
	sort.Slice(out, func(i, j int) bool {
		return out[i].Vertices > out[j].Vertices || out[i].Vertices == out[j].Vertices && out[i].How < out[j].How
	})
	return out
}

// sentence tells in plain words how the bind came out.
func (a *automatic) sentence(r *Report) string {
	var told []string
	for _, w := range r.Ways {
		told = append(told, fmt.Sprintf("%d vertices %s", w.Vertices, w.How))
	}
	solved, asked := 0, 0
	for _, j := range r.Joints {
		if j.State != Idle {
			asked++
		}
		if j.State == Solved {
			solved++
		}
	}
	out := fmt.Sprintf("Every vertex has weights: %s. %d of %d joints lead some.", strings.Join(told, ", "), solved, asked)
	if r.Unweighted > 0 {
		out = fmt.Sprintf("%d vertices have no weights; %s. %d of %d joints lead some.", r.Unweighted, strings.Join(told, ", "), solved, asked)
	}
	if a.said != nil {
		out += " Along the way: " + strings.Join(a.said, "; ") + "."
	}
	return out
}
