package bind

import (
	"context"
	"errors"
	"fmt"
	"math"
	"sync/atomic"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// DistanceOptions are those of the binds by distance, straight or through the volume.
type DistanceOptions struct {
	weights.Limits
	// Falloff is the exponent with which a joint's weight falls with the distance from its
	// bone: 4 is soft, 10 tight.
	Falloff float64
	// Cubes is how many cubes the longest side of the volume has; 0 follows from the thinnest
	// bone's limb and from memory. Binds by straight distance have none.
	Cubes int
	// Smooth is how often each vertex is drawn to the mean of its neighbours.
	Smooth int
	// Deform says which joints take part; nil is all but end joints.
	Deform []bool
}

// DefaultDistance are the options of a bind through the volume.
var DefaultDistance = DistanceOptions{Limits: DefaultOptions.Limits, Falloff: 6, Smooth: 3}

const (
	minCubes, maxCubes = 24, 320
	usualCubes         = 128
	// mostNumbers bounds the distances that are held at once: of vertices and bones.
	mostNumbers = 400_000_000
)

func (o DistanceOptions) check() error {
	switch {
	case o.Cap < 0 || o.Trace < 0 || o.Trace >= 1:
		return fmt.Errorf(
			"the influence cap %d must be 1 or more, or 0 for any number, and the trace limit %g between 0 and 1",
			o.Cap,
			o.Trace,
		)
	case !(o.Falloff >= 1 && o.Falloff <= 20):
		return fmt.Errorf("the falloff is an exponent from 1 to 20, not %g", o.Falloff)
	case o.Cubes != 0 && (o.Cubes < minCubes || o.Cubes > maxCubes):
		return fmt.Errorf("the volume has %d to %d cubes along its longest side, not %d", minCubes, maxCubes, o.Cubes)
	case o.Smooth < 0 || o.Smooth > 100:
		return fmt.Errorf("the weights are smoothed 0 to 100 times, not %d", o.Smooth)
	}
	return nil
}

// Volume binds by distances through the solid (voxel geodesic: Dionne & de Lasa 2013): the inside of the
// mesh, by its winding number, and the cubes that its surface crosses are one solid; a joint's weight at
// a vertex falls with the length of the shortest way from its bone through it. Where the straight way
// lies inside, its length is taken, so that the grain of the cubes does not show. Holes, crossings,
// cracks and faces that look inward are no matter; pieces that touch share the solid. Vertices that no
// way leads to have no weights.
func Volume(
	ctx context.Context,
	m *mesh.Mesh,
	s *skeleton.Skeleton,
	o DistanceOptions,
	progress progress.Func,
) (*weights.Weights, *Report, error) {
	d, err := newDistances(ctx, m, s, o, progress)
	if err != nil {
		return nil, nil, err
	}
	d.progress("Filling the volume", 0.05)
	outward, _ := m.MakeOutward()
	tris, _ := outward.Triangles()
	tree := geom.NewTree(d.points, tris)
	longest := tree.Box().Size()
	cubes := o.Cubes
	if cubes == 0 {
		cubes = usualCubes
	}
	side := math.Max(longest.X, math.Max(longest.Y, longest.Z))
	if !(side > 0) {
		return nil, nil, errors.New("the mesh has no volume to fill")
	}
	for cubes > minCubes {
		n, large := crossed(d.points, tris, side/float64(cubes), side/4)
		if n <= mostCrossed && float64(cubes)*float64(cubes)*float64(cubes)*large <= mostAsked {
			break
		}
		cubes = max(minCubes, cubes*3/4)
	}
	vox := geom.Voxelise(tree, side/float64(cubes))
	vox.AddSurface(tree)
	if err := ctx.Err(); err != nil {
		return nil, nil, err
	}
	at := make([]int32, len(d.points)) // the cube of each vertex
	for v, p := range d.points {
		at[v] = int32(vox.At(p))
	}
	var done atomic.Int64
	geom.Chunks(len(d.bones), 1, func(lo, _ int) {
		if ctx.Err() != nil {
			return
		}
		bone := d.bones[lo]
		way := vox.Distances(seeds(vox, bone))
		for v, p := range d.points {
			through := math.Inf(1)
			if at[v] >= 0 {
				through = way[at[v]]
			}
			on, _ := geom.ClosestOnSegment(p, bone.A, bone.B)
			straight := r3.Norm(r3.Sub(p, on))
			d.put(lo, v, blended(straight, through, vox.Cell))
		}
		d.progress("Measuring paths through the volume", 0.15+0.65*float64(done.Add(1))/float64(len(d.bones)))
	})
	if err := ctx.Err(); err != nil {
		return nil, nil, err
	}
	return d.finish("through the volume", tree)
}

// mostCrossed is how many cubes the triangles may cross in all, each counted for itself: where
// thousands cross the whole body the cubes are made larger.
const mostCrossed = 6_000_000

// mostAsked bounds the cubes times the triangles that are longer than a quarter of the body:
// each cube asks each of those when it asks whether it is inside.
const mostAsked = 2e8

// crossed estimates how many cubes of a size triangles cross, and counts those that are
// longer than a length.
func crossed(points []r3.Vec, tris [][3]int32, cell, length float64) (n, large float64) {
	for _, t := range tris {
		a, b, c := points[t[0]], points[t[1]], points[t[2]]
		area := r3.Norm(geom.TriangleNormal(a, b, c)) / 2
		edge := math.Max(r3.Norm(r3.Sub(b, a)), math.Max(r3.Norm(r3.Sub(c, b)), r3.Norm(r3.Sub(a, c))))
		n += 1 + 4*area/(cell*cell) + 2*edge/cell
		if edge > length {
			large++
		}
	}
	return n, large
}

// seeds are the cubes along a bone that are inside; the nearest inside one where none is.
func seeds(v *geom.Voxels, bone skeleton.Bone) []int {
	var out []int
	n := 1 + int(2*r3.Norm(r3.Sub(bone.B, bone.A))/v.Cell)
	for k := 0; k <= n; k++ {
		p := r3.Add(bone.A, r3.Scale(float64(k)/float64(n), r3.Sub(bone.B, bone.A)))
		if i := v.At(p); i >= 0 && v.Inside[i] {
			out = append(out, i)
		}
	}
	if out != nil {
		return out
	}
	best, least := -1, math.Inf(1)
	for i, c := range v.Filled() {
		on, _ := geom.ClosestOnSegment(c, bone.A, bone.B)
		if d := r3.Norm2(r3.Sub(c, on)); d < least {
			best, least = i, d
		}
	}
	if best < 0 {
		return nil
	}
	return []int{best}
}

// blended is the length of the way to a bone: straight where the way through the cubes is no
// longer than their grain makes it, through them where it leads round something.
func blended(straight, through, cell float64) float64 {
	if math.IsInf(through, 1) {
		return through
	}
	lo, hi := 1.1*straight+2*cell, 1.4*straight+4*cell
	t := math.Max(0, math.Min(1, (through-lo)/(hi-lo)))
	return straight + t*math.Max(0, through-straight)
}

// Near binds by the straight distance from each bone, whatever lies between: for blocking
// out, and for meshes that are no solid at all (common practice, no source).
func Near(
	ctx context.Context,
	m *mesh.Mesh,
	s *skeleton.Skeleton,
	o DistanceOptions,
	progress progress.Func,
) (*weights.Weights, *Report, error) {
	d, err := newDistances(ctx, m, s, o, progress)
	if err != nil {
		return nil, nil, err
	}
	geom.Chunks(len(d.bones), 1, func(lo, _ int) {
		bone := d.bones[lo]
		for v, p := range d.points {
			on, _ := geom.ClosestOnSegment(p, bone.A, bone.B)
			d.put(lo, v, r3.Norm(r3.Sub(p, on)))
		}
	})
	tris, _ := m.Triangles()
	return d.finish("by distance", geom.NewTree(d.points, tris))
}

// distances are those from every bone to every vertex.
type distances struct {
	ctx      context.Context
	progress progress.Func
	m        *mesh.Mesh
	s        *skeleton.Skeleton
	o        DistanceOptions
	points   []r3.Vec
	bones    []skeleton.Bone
	of       [][]float32 // by bone, then vertex, metres
}

func newDistances(ctx context.Context, m *mesh.Mesh, s *skeleton.Skeleton, o DistanceOptions, progress progress.Func) (*distances, error) {
	if err := s.Validate(); err != nil {
		return nil, err
	}
	if err := o.check(); err != nil {
		return nil, err
	}
	if m.Faces() == 0 {
		return nil, errors.New("the mesh has no faces to bind")
	}
	if progress == nil {
		progress = func(string, float64) {}
	}
	if o.Deform == nil {
		o.Deform = s.Deforming()
	}
	d := &distances{ctx: ctx, progress: progress, m: m, s: s, o: o, points: m.World(), bones: s.Leading(o.Deform)}
	if len(d.bones) == 0 {
		return nil, ErrNoBones
	}
	if n := len(d.bones) * len(d.points); n > mostNumbers {
		return nil, fmt.Errorf(
			"%d bones and %d vertices have %d distances, and %d are held at once: let fewer joints deform, or bind by heat",
			len(d.bones),
			len(d.points),
			n,
			mostNumbers,
		)
	}
	d.of = make([][]float32, len(d.bones))
	for i := range d.of {
		d.of[i] = make([]float32, len(d.points))
	}
	return d, nil
}

func (d *distances) put(bone, v int, length float64) { d.of[bone][v] = float32(length) }

// finish turns distances into weights: a joint's is that of the nearest of its bones.
func (d *distances) finish(method string, tree *geom.Tree) (*weights.Weights, *Report, error) {
	d.progress("Weighing", 0.82)
	names := make([]string, len(d.s.Joints))
	for i, j := range d.s.Joints {
		names[i] = j.Name
	}
	w := weights.New(names, len(d.points))
	nearest := make([][]int32, len(d.points))
	least := geom.TouchShare * tree.Box().Diagonal()
	geom.Chunks(len(d.points), 2048, func(lo, hi int) {
		list := make([]weights.Influence, 0, len(d.bones))
		for v := lo; v < hi; v++ {
			best := math.Inf(1)
			for b := range d.bones {
				best = math.Min(best, float64(d.of[b][v]))
			}
			if math.IsInf(best, 1) {
				continue
			}
			best = math.Max(best, least)
			list = list[:0]
			for b, bone := range d.bones {
				length := math.Max(float64(d.of[b][v]), least)
				if math.IsInf(length, 1) {
					continue
				}
				if length <= best*(1+tie) && (len(nearest[v]) == 0 || nearest[v][len(nearest[v])-1] != int32(bone.Joint)) {
					nearest[v] = append(nearest[v], int32(bone.Joint))
				}
				x := math.Pow(best/length, d.o.Falloff) // 1 at the nearest
				if n := len(list); n > 0 && list[n-1].Joint == int32(bone.Joint) {
					list[n-1].Value = math.Max(list[n-1].Value, x)
				} else {
					list = append(list, weights.Influence{Joint: int32(bone.Joint), Value: x})
				}
			}
			all := append([]weights.Influence(nil), list...)
			w.Of[v] = weights.Clean(all, weights.Limits{Trace: d.o.Trace / 10})
		}
	})
	d.of = nil
	d.progress("Smoothing", 0.88)
	w = Smoothed(d.m, w, d.o.Smooth)
	whole := w
	w = weights.Capped(d.m, w, d.o.Limits)
	if err := d.ctx.Err(); err != nil {
		return nil, nil, err
	}
	report := Account(d.m, d.s, w, Evidence{Method: method, Deform: d.o.Deform, Nearest: nearest, Tree: tree})
	report.Capped = costOf(d.m.World(), whole, w, d.s, d.o.Cap)
	d.progress("Done", 1)
	return w, report, nil
}

// Smoothed returns weights of which each vertex was drawn half way to the mean of its
// neighbours along edges, so many times. Vertices without weights stay without, and count
// for none.
func Smoothed(m *mesh.Mesh, w *weights.Weights, passes int) *weights.Weights {
	return smoothed(m, w, passes, nil)
}

// smoothed is Smoothed of some vertices; the others stay as they are. nil is all.
func smoothed(m *mesh.Mesh, w *weights.Weights, passes int, which []bool) *weights.Weights {
	if passes == 0 {
		return w
	}
	start, to := m.Edges().Neighbours(len(m.Points))
	now := w.Of
	for range passes {
		next := make([][]weights.Influence, len(now))
		geom.Chunks(len(now), 1024, func(lo, hi int) {
			sum := make([]float64, len(w.Joints))
			var touched []int32
			add := func(list []weights.Influence, by float64) {
				for _, x := range list {
					if sum[x.Joint] == 0 {
						touched = append(touched, x.Joint)
					}
					sum[x.Joint] += by * x.Value
				}
			}
			for v := lo; v < hi; v++ {
				if len(now[v]) == 0 {
					continue
				}
				if which != nil && !which[v] {
					next[v] = now[v]
					continue
				}
				n := 0
				for _, k := range to[start[v]:start[v+1]] {
					if len(now[k]) > 0 {
						n++
					}
				}
				if n == 0 {
					next[v] = now[v]
					continue
				}
				touched = touched[:0]
				add(now[v], 0.5)
				for _, k := range to[start[v]:start[v+1]] {
					add(now[k], 0.5/float64(n))
				}
				list := make([]weights.Influence, 0, len(touched))
				for _, j := range touched {
					if sum[j] > 1e-6 {
						list = append(list, weights.Influence{Joint: j, Value: sum[j]})
					}
					sum[j] = 0
				}
				weights.Sort(list)
				next[v] = list
			}
		})
		now = next
	}
	return &weights.Weights{Joints: w.Joints, Of: now}
}
