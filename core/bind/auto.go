package bind

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"sort"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
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

// String tells it in a few words.
func (w Way) String() string {
	if w.Pieces > 1 {
		return fmt.Sprintf("%d of %d pieces %s", w.Vertices, w.Pieces, w.How)
	}
	return fmt.Sprintf("%d %s", w.Vertices, w.How)
}

// step is a further attempt of Automatic.
type step func(context.Context, progress.Func) (*weights.Weights, error)

// Automatic binds by whatever the mesh calls for, until every vertex has weights: the body by heat where
// that has a solution, on the mesh or on a working copy with faces turned outward, cracks welded and
// doubled faces dropped; by heat on a closed shell around it what is left, or all where heat has no
// stable solution; through the volume what the shell left; and what lies over the body, in it or beside
// it with what is under it. The mesh is not changed. The report says how each set of vertices got its
// weights.
func Automatic(
	ctx context.Context,
	m *mesh.Mesh,
	s *skeleton.Skeleton,
	o Options,
	progress progress.Func,
) (*weights.Weights, *Report, error) {
	if progress == nil {
		progress = func(string, float64) {}
	}
	if o.Deform == nil {
		o.Deform = s.Deforming()
	}
	limits := o.Limits
	o.Limits = o.uncapped() // it is cut once, at the end
	a := &automatic{m: m, s: s, o: o, how: make([]string, len(m.Points)), far: map[string]float64{}}
	w, r, err := Heat(ctx, m, s, o, progress.Part(0, 0.3))
	if ctx.Err() == nil && (err != nil && a.unstable(err) || err == nil && r.Overshoot > robustAbove) && !o.Robust {
		why := "heat has no stable solution with the plain Laplacian"
		if err == nil {
			why = fmt.Sprintf("weights on the plain Laplacian left the range from 0 to 1 by %.2f", r.Overshoot)
		}
		o.Robust = true
		if w2, r2, err2 := Heat(ctx, m, s, o, progress.Part(0.3, 0.35)); err2 == nil {
			w, r, err = w2, r2, nil
			a.o.Robust = true // on a copy too
			a.said = append(a.said, why+": the robust one was taken")
		}
	}
	switch {
	case ctx.Err() != nil:
		return nil, nil, ctx.Err()
	case err != nil && !a.unstable(err):
		return nil, nil, err
	case err != nil:
		a.said = append(a.said, "heat has no stable solution on the mesh as it is")
	default:
		a.from(m, w, r, nil, "by heat")
	}
	cracked := a.cracked()
	turned := a.turned()
	if a.w == nil || cracked || turned || a.wanting(r) {
		if err := a.onACopy(ctx, r, cracked, turned, progress.Part(0.35, 0.55)); err != nil {
			return nil, nil, err
		}
	}
	for _, next := range []struct {
		do       step
		how      string
		from, to float64
	}{{a.overAShell, shellHow, 0.55, 0.75}, {a.throughTheVolume, "through the volume", 0.75, 0.87}} {
		if a.w != nil && !a.bare() && a.unsolved() == 0 {
			break
		}
		w, err := next.do(ctx, progress.Part(next.from, next.to))
		if ctx.Err() != nil {
			return nil, nil, ctx.Err()
		}
		if err == nil {
			a.fill(w, next.how)
		} else if a.w == nil && next.how != shellHow {
			return nil, nil, fmt.Errorf("neither heat nor the volume bind this mesh: %w", err)
		}
	}
	progress("Letting layers follow the body", 0.88)
	a.over()
	if err := a.rest(ctx, progress.Part(0.9, 0.95)); err != nil {
		return nil, nil, err
	}
	for _, v := range led(m, a.w) {
		a.how[v] = ledHow
	}
	a.evenSteps()
	a.evenSeams(a.o.Limits)
	whole := a.w
	a.w = weights.Capped(m, a.w, limits)
	a.evenSeams(limits)
	report := Account(
		m,
		s,
		a.w,
		Evidence{Method: "automatic", Deform: o.Deform, Nearest: nearestJoints(m.World(), s.Leading(o.Deform)), Sees: a.sees},
	)
	if r != nil {
		report.Overshoot, report.Negative, report.Factor = r.Overshoot, r.Negative, r.Factor
	}
	if a.layers != nil {
		report.Layers = a.layers.layers(a.onLayers())
		a.onMesh(report.Layers)
		progress("Testing layers in poses", 0.96)
		if err := report.tryThrough(ctx, m, s, a.w, nil); err != nil {
			return nil, nil, err
		}
	}
	progress("Measuring what the cap costs", 0.98)
	report.Capped = costOf(m.World(), whole, a.w, s, limits.Cap)
	report.Ways = a.ways()
	report.Said = a.sentence(report)
	progress("Done", 1)
	return a.w, report, nil
}

// robustAbove is from what overshoot on the plain Laplacian is not good enough.
const robustAbove = 0.02

// automatic is an automatic bind on its way.
type automatic struct {
	m    *mesh.Mesh
	s    *skeleton.Skeleton
	o    Options
	w    *weights.Weights
	how  []string // by vertex
	far  map[string]float64
	said []string

	layers *layering    // of the mesh that the body was solved on; nil where nothing is a body
	to     mesh.Mapping // vertices of m → of that mesh; nil where it is m
	sees   []bool       // by vertex of m; nil where heat has no solution
}

// at returns the vertex of the solved mesh that v is, -1 for none.
func (a *automatic) at(v int) int32 {
	if a.to == nil {
		return int32(v)
	}
	return a.to[v]
}

// from takes the weights of the body from a mesh that was solved by heat. What lies over the
// body waits for what is under it, though some of its vertices happened to see a bone.
func (a *automatic) from(solved *mesh.Mesh, w *weights.Weights, r *Report, to mesh.Mapping, how string) {
	a.w = weights.New(w.Joints, len(a.m.Points))
	clear(a.how)
	a.layers, a.to = layered(solved, a.s, a.o.Deform, r.Pieces), to
	var walls, round []bool
	if a.layers != nil {
		w = &weights.Weights{Joints: w.Joints, Of: append([][]weights.Influence(nil), w.Of...)}
		ways := a.layers.rounds(r.sees)
		walls = a.layers.walls(w, ways, a.o.Limits)
		round = a.layers.farRound(ways, walls, a.o.Deform)
	}
	a.sees = make([]bool, len(a.m.Points))
	for v := range a.w.Of {
		k := a.at(v)
		a.sees[v] = k >= 0 && r.sees[k]
		if k >= 0 && len(w.Of[k]) > 0 && (a.layers == nil || a.layers.isBody(k) && !round[k]) {
			a.w.Of[v], a.how[v] = w.Of[k], how
			if walls != nil && walls[k] {
				a.how[v] = wallHow
			}
		}
	}
}

// isOver reports whether a vertex belongs to what lies over the body.
func (a *automatic) isOver(v int) bool {
	if a.layers == nil {
		return false
	}
	k := a.at(v)
	return k >= 0 && a.layers.pieces.OfVertex[k] >= 0 && !a.layers.isBody(k)
}

// bare reports whether a vertex of the body has no weights.
func (a *automatic) bare() bool {
	for v, list := range a.w.Of {
		if len(list) == 0 && !a.isOver(v) {
			return true
		}
	}
	return false
}

// onLayers returns the weights of the mesh that the layers are of.
func (a *automatic) onLayers() *weights.Weights {
	if a.to == nil {
		return a.w
	}
	return a.w.Gather(a.to.Origin(len(a.layers.points)))
}

// onMesh turns the vertices of layers into those of the mesh that is bound.
func (a *automatic) onMesh(layers []Layer) {
	if a.to == nil {
		return
	}
	of := make(map[int32]int)
	for i, l := range layers {
		for _, v := range l.vertices {
			of[v] = i
		}
		layers[i].vertices = nil
	}
	for v, k := range a.to {
		if i, ok := of[k]; ok {
			layers[i].vertices = append(layers[i].vertices, int32(v))
		}
	}
}

// over lets what lies over the body follow it, and seams between pieces go as one.
func (a *automatic) over() {
	if a.layers == nil || a.layers.pieces.Count() == 1 {
		return
	}
	w, far := a.layers.over(a.onLayers(), a.o.Limits)
	a.layers.evened(w, a.o.Limits)
	how := map[string]string{KindCloth: beneathHow, KindRigid: rigidHow, KindCard: cardHow}
	for v := range a.w.Of {
		k := a.at(v)
		if k < 0 || len(w.Of[k]) == 0 {
			continue
		}
		if len(a.w.Of[v]) == 0 {
			a.how[v] = how[a.layers.kind[a.layers.pieces.OfVertex[k]]]
			a.far[a.how[v]] = max(a.far[a.how[v]], far[k])
		}
		a.w.Of[v] = w.Of[k]
	}
}

// evenSteps smooths the few vertices where heat has a step: where one of two bones that are equally near is not seen.
// What follows one joint or keeps its shape stays.
func (a *automatic) evenSteps() {
	open := make([]bool, len(a.m.Points))
	for v := range open {
		open[v] = a.how[v] != rigidHow && a.how[v] != cardHow && a.how[v] != ledHow
	}
	a.w = weights.EvenSteps(a.m, a.w, open, a.o.Limits)
}

// evenSeams lets seams between pieces go as one after the cut, which each side had for itself.
func (a *automatic) evenSeams(limits weights.Limits) {
	if a.layers == nil || a.layers.pieces.Count() == 1 {
		return
	}
	w := a.onLayers()
	before := slices.Clone(w.Of)
	a.layers.evened(w, limits)
	for v := range a.w.Of {
		if k := a.at(v); k >= 0 && !slices.Equal(before[k], w.Of[k]) {
			a.w.Of[v] = w.Of[k]
		}
	}
}

const (
	beneathHow = "as the surface under them"
	rigidHow   = "rigidly, like the nearest point"
	wallHow    = "as the other side of a thin wall"
	shellHow   = "by heat on a closed shell"
	ledHow     = "to one joint, as set"
	cardHow    = "as cards, each like its root"
)

// unstable reports whether an error says that the equation cannot be solved on this mesh, and
// not that the order makes no sense.
func (a *automatic) unstable(err error) bool {
	return !errors.Is(err, ErrNoBones) && a.m.Faces() > 0 && a.s.Validate() == nil && a.o.Cap >= 0 && a.o.Heat > 0 && a.o.Trace >= 0 &&
		a.o.Trace < 1
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
	return bad > 0 || asked == 0 || a.layers == nil || 20*len(a.w.Unweighted())-20*a.waiting() > r.Vertices
}

// waiting is how many vertices lie over the body and wait for what is under them.
func (a *automatic) waiting() (n int) {
	for v, list := range a.w.Of {
		if len(list) == 0 && a.isOver(v) {
			n++
		}
	}
	return n
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

// turnedShare is the share of edges whose two faces look to different sides from which on a
// mesh counts as turned in part: from there on a bone is seen from one side alone.
const turnedShare = 0.0005

// turned reports whether parts of the surface look to different sides.
func (a *automatic) turned() bool {
	n, all := 0, 0
	e := a.m.Edges()
	for _, x := range e.Edges {
		if x.Count == 2 {
			all++
			if e.Uses[x.First].Forward == e.Uses[x.First+1].Forward {
				n++
			}
		}
	}
	return float64(n) > turnedShare*float64(all)
}

// onACopy repairs a copy of the mesh, binds that by heat, and takes its weights
// where that solves more joints or vertices; of a mesh that is turned in part unless it solves
// less, of a cracked one unless it solves less than half.
func (a *automatic) onACopy(ctx context.Context, r *Report, cracked, turned bool, progress progress.Func) error {
	copied, to := workingCopy(a.m)
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
	if cracked && 2*bad(better) > len(better.Joints) || turned && bad(better) > bad(r) ||
		!cracked && !turned && bad(better) >= bad(r) && (r == nil || better.Unweighted*r.Vertices >= r.Unweighted*better.Vertices) {
		return nil
	}
	a.from(copied, w, better, to, "by heat on a repaired copy")
	switch {
	case cracked:
		a.said = append(a.said, "the mesh is cracked, and heat does not cross a crack: a copy was welded")
	case turned:
		a.said = append(a.said, "parts of the surface point inward; a copy was flipped outward")
	default:
		a.said = append(a.said, "a copy with faces flipped outward and cracks welded solves more")
	}
	return nil
}

// workingCopy returns a mesh in world frame without faces that have no area or lie on others,
// with cracks closed and faces turned outward, and what became of its vertices.
func workingCopy(m *mesh.Mesh) (*mesh.Mesh, mesh.Mapping) {
	out := m.Bake(mesh.NoPlacement)
	to := make(mesh.Mapping, len(m.Points))
	for v := range to {
		to[v] = int32(v)
	}
	step := func(next *mesh.Mesh, mapping mesh.Mapping) {
		out = next
		for v, k := range to {
			if k >= 0 {
				to[v] = mapping[k]
			}
		}
	}
	step(out.DropFaces())
	if welded, mapping, err := out.Weld(geom.NearShare*geom.BoxOf(out.Points).Diagonal(), true); err == nil {
		step(welded, mapping)
	}
	step(out.DropFaces())
	out, _ = out.MakeOutward() // whole pieces tell their facing better than single faces
	return out, to
}

// fewCubes are enough for what heat left over of a body, an eighth of the usual work.
const fewCubes = 64

// cubes is how many the longest side has for what is left.
func (a *automatic) cubes() int {
	if a.w != nil && 20*(len(a.w.Unweighted())-a.waiting()) < len(a.m.Points) {
		return fewCubes
	}
	return usualCubes
}

// overAShell binds a closed shell around the mesh by heat and carries the weights back.
func (a *automatic) overAShell(ctx context.Context, progress progress.Func) (*weights.Weights, error) {
	w, _, _, err := OverShell(ctx, a.m, a.s, a.o, a.cubes(), false, progress)
	return w, err
}

// throughTheVolume binds through the volume.
func (a *automatic) throughTheVolume(ctx context.Context, progress progress.Func) (*weights.Weights, error) {
	o := DefaultDistance
	o.Limits, o.Deform, o.Cubes = a.o.Limits, a.o.Deform, a.cubes()
	w, _, err := Volume(ctx, a.m, a.s, o, progress)
	return w, err
}

// fill takes weights of another method for what has none: all where heat gave nothing, joints
// without a vertex what they lead there, and whole vertices of the body.
func (a *automatic) fill(w *weights.Weights, how string) {
	if a.w == nil {
		a.take(w, how, nil)
		return
	}
	leads := make([]bool, len(a.w.Joints))
	for v := range a.w.Of {
		if k := a.w.Leader(v); k >= 0 {
			leads[k] = true
		}
	}
	for v := range a.w.Of {
		if k := w.Leader(v); k >= 0 && a.o.Deform[k] && !leads[k] {
			a.w.Of[v], a.how[v] = w.Of[v], how
		}
	}
	a.take(w, how, func(v int) bool { return !a.isOver(v) })
}

// rest gives vertices that nothing reached those of the nearest bone.
func (a *automatic) rest(ctx context.Context, progress progress.Func) error {
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

// nearestJoints returns the joint whose bone is nearest to each point.
func nearestJoints(points []r3.Vec, bones []skeleton.Bone) [][]int32 {
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
	var pieces mesh.Pieces
	if a.layers != nil {
		pieces = a.layers.pieces
	} else {
		pieces = a.m.Pieces()
	}
	for v, how := range a.how {
		if how == "" {
			continue
		}
		if by[how] == nil {
			by[how], seen[how] = &Way{How: how, Farthest: a.far[how]}, map[int32]bool{}
		}
		by[how].Vertices++
		if k := a.at(v); k >= 0 && pieces.OfVertex[k] >= 0 {
			seen[how][pieces.OfVertex[k]] = true
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
		told = append(told, w.String())
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
	out := fmt.Sprintf("Every vertex has weights: %s. %d of %d joints lead vertices.", strings.Join(told, "; "), solved, asked)
	if r.Unweighted > 0 {
		out = fmt.Sprintf(
			"Vertices without weights: %d; %s. %d of %d joints lead vertices.",
			r.Unweighted,
			strings.Join(told, "; "),
			solved,
			asked,
		)
	}
	if a.said != nil {
		out += " Along the way: " + strings.Join(a.said, "; ") + "."
	}
	return out
}
