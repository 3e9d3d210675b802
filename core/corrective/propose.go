package corrective

import (
	"context"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/guide"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// partly is from what share of a vertex that moves with a joint, and up to what, it bends when the joint turns.
	partly = 0.01
	// soft is how far beyond what bends a corrective fades out, and smallest what of it is left out, of the height.
	soft, smallest = 0.05, 0.0003
	// most is how far on a target may be at an angle before its own.
	most = 1.5
)

// shares are the parts of the way to its end at which a corrective is measured, and the knots of its driver.
var shares = []float64{0.25, 0.5, 0.75, 1}

// Proposal is a corrective for a joint that turns about one of its named axes to an end of its range: one target, or two
// where what is needed half way is another shape.
type Proposal struct {
	Joint   int
	Targets []Driven
	// Before and After are how far the vertices that it moves are from the guide on the way to the end, without it and with
	// it: root of the mean of squares, meters.
	Before, After float64
	Largest       float64 // offset, meters
	Flattened     int     // vertices that blending flattens there, where it is a compromise
}

// Driven is a target, world frame, and what brings it on.
type Driven struct {
	mesh.Shape
	Driver shape.Driver
}

// Name is what a corrective of a joint is called: "forearm_bend_120_l", its side where names have it.
func Name(joint, axis string, degrees float64, x skeleton.Marks) string {
	stem, side := x.Split(joint)
	return x.Join(fmt.Sprintf("%s_%s_%.0f", stem, axis, degrees), side)
}

// Propose computes what brings the skin about a joint to the guide when the joint turns, by degrees, about an axis of its own:
// a target for the end, as far on along the way as fits best (least squares in every quarter of it), and one more for what
// is missing half way, if that is much. What the joint does not bend stays, softly. Things in one piece are moved as one. It
// is nil where there is nothing to bring nearer.
func Propose(
	ctx context.Context,
	skin *deform.Skin,
	m *mesh.Mesh,
	g *guide.Solid,
	t skeleton.Trial,
	degrees float64,
	x skeleton.Marks,
) (*Proposal, error) {
	points, _, w, s := skin.Parts()
	height := geom.BoxOf(points).Size().Y
	name := s.Joints[t.Joint].Name
	var poses []pose.Pose
	for _, share := range shares {
		poses = append(poses, pose.Pose{name: pose.AboutWorld(s, t, share*degrees)})
	}
	posed, err := g.Poses(ctx, poses, guide.Options{})
	if err != nil {
		return nil, err
	}
	mask := bending(points, w, s, t.Joint, soft*height)
	rigid := weights.RigidPieces(m, w)
	left := make([][]r3.Vec, len(poses)) // by share: what is still to be made up for, at rest
	out := &Proposal{Joint: t.Joint}
	for k, p := range poses {
		off, flattened := offsetsOf(skin, p, posed[k].Places(points), flatComputed)
		for v, share := range mask {
			off[v] = r3.Scale(share, off[v])
		}
		asOne(off, rigid)
		left[k] = off
		if k == end {
			for _, v := range flattened {
				if mask[v] > 0 {
					out.Flattened++
				}
			}
		}
	}
	moved := large(left[end], smallest*height)
	if len(moved) == 0 {
		return nil, nil
	}
	out.Before = square(left, moved)
	take := func(at int) {
		target := mesh.Shape{Name: Name(name, t.Name, shares[at]*degrees, x), Vertex: large(left[at], smallest*height)}
		for _, v := range target.Vertex {
			target.Offset = append(target.Offset, left[at][v])
			out.Largest = math.Max(out.Largest, r3.Norm(left[at][v]))
		}
		d := shape.Driver{Joint: name, Axis: t.Name}
		for k, value := range fitted(left, target) {
			if at < k && k == end {
				value = 0 // there the first is exact
			}
			for i, v := range target.Vertex {
				left[k][v] = r3.Sub(left[k][v], r3.Scale(value, target.Offset[i]))
			}
			d.Knots = append(d.Knots, shape.Knot{Degrees: math.Round(10*shares[k]*degrees) / 10, Value: value})
		}
		if degrees < 0 {
			slices.Reverse(d.Knots)
		}
		out.Targets = append(out.Targets, Driven{target, d})
	}
	take(end)
	if out.After = square(left, moved); out.After > enough*out.Before && len(large(left[half], smallest*height)) > 0 {
		take(half)
		out.After = square(left, moved)
	}
	return out, nil
}

// Posed is a corrective for a pose of several joints.
type Posed struct {
	Target mesh.Shape // world frame
	// Before and After are how far the vertices that it moves are from the guide in the pose, without it and with it: root of the
	// mean of squares, meters.
	Before, After float64
	Largest       float64 // offset, meters
	Flattened     int     // vertices that blending flattens there, where it is a compromise
}

// InPose computes what brings the skin to the guide in a pose, beside what targets of the skin bring on there: where it bends with
// one of the joints in part, softly fading out beyond. Things in one piece are moved as one. It is nil where there is nothing
// to bring nearer.
func InPose(ctx context.Context, skin *deform.Skin, m *mesh.Mesh, g *guide.Solid, p pose.Pose, joints []int) (*Posed, error) {
	points, _, w, s := skin.Parts()
	height := geom.BoxOf(points).Size().Y
	posed, err := g.Poses(ctx, []pose.Pose{p}, guide.Options{})
	if err != nil {
		return nil, err
	}
	mask := make([]float64, len(points))
	for _, j := range joints {
		for v, share := range bending(points, w, s, j, soft*height) {
			mask[v] = max(mask[v], share)
		}
	}
	want := posed[0].Places(points)
	off, flattened := offsetsOf(skin, p, want, flatComputed)
	for v, share := range mask {
		off[v] = r3.Scale(share, off[v])
	}
	asOne(off, weights.RigidPieces(m, w))
	out := &Posed{Target: mesh.Shape{Vertex: large(off, smallest*height)}}
	if len(out.Target.Vertex) == 0 {
		return nil, nil
	}
	for _, v := range flattened {
		if mask[v] > 0 {
			out.Flattened++
		}
	}
	have, blends := skin.Places(p), skin.Blends(p)
	for _, v := range out.Target.Vertex {
		out.Target.Offset = append(out.Target.Offset, off[v])
		out.Largest = math.Max(out.Largest, r3.Norm(off[v]))
		left := r3.Sub(want[v], have[v])
		out.Before += r3.Norm2(left)
		out.After += r3.Norm2(r3.Sub(left, blends[v].Direction(off[v])))
	}
	n := float64(len(out.Target.Vertex))
	out.Before, out.After = math.Sqrt(out.Before/n), math.Sqrt(out.After/n)
	return out, nil
}

// half and end are two of the shares.
const half, end = 1, 3

// enough is from what part of the distance on that is left on the way half way gets a target of its own.
const enough = 0.3

// large are the vertices whose ways are longer than a length, ascending.
func large(ways []r3.Vec, than float64) (out []int32) {
	for v, d := range ways {
		if r3.Norm(d) > than {
			out = append(out, int32(v))
		}
	}
	return out
}

// square is the root of the mean of squares of the ways of some vertices, over all shares.
func square(ways [][]r3.Vec, vertices []int32) float64 {
	sum := 0.0
	for _, list := range ways {
		for _, v := range vertices {
			sum += r3.Norm2(list[v])
		}
	}
	return math.Sqrt(sum / float64(len(ways)*len(vertices)))
}

// fitted is how far on a target comes nearest to the ways at each share, to a thousandth.
func fitted(ways [][]r3.Vec, t mesh.Shape) (out []float64) {
	own := 0.0
	for _, d := range t.Offset {
		own += r3.Norm2(d)
	}
	for _, list := range ways {
		along := 0.0
		for i, v := range t.Vertex {
			along += r3.Dot(list[v], t.Offset[i])
		}
		out = append(out, math.Round(1000*math.Max(0, math.Min(most, along/own)))/1000)
	}
	return out
}

// bending is how much of a corrective of a joint each vertex gets: all where it bends with the joint in part, less up to
// a distance from there, and none beyond.
func bending(points []r3.Vec, w *weights.Weights, s *skeleton.Skeleton, joint int, far float64) []float64 {
	below := make([]bool, len(w.Joints))
	for k, name := range w.Joints {
		for i := s.Index(name); i >= 0; i = s.Joints[i].Parent {
			below[k] = below[k] || i == joint
		}
	}
	var at []r3.Vec
	for v, list := range w.Of {
		share := 0.0
		for _, x := range list {
			if below[x.Joint] {
				share += x.Value
			}
		}
		if share > partly && share < 1-partly {
			at = append(at, points[v])
		}
	}
	out := make([]float64, len(points))
	if len(at) == 0 {
		return out
	}
	tree := geom.NewPointTree(at)
	geom.Chunks(len(points), 512, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			if _, _, d := tree.NearestOf(points[v], far, nil); d < far {
				x := 1 - d/far
				out[v] = x * x * (3 - 2*x)
			}
		}
	})
	return out
}

// asOne gives all vertices of a piece that keeps its shape the mean of their ways; pieces are by vertex, -1 for none.
func asOne(ways []r3.Vec, pieces []int32) {
	sum, n := map[int32]r3.Vec{}, map[int32]float64{}
	for v, k := range pieces {
		if k >= 0 {
			sum[k] = r3.Add(sum[k], ways[v])
			n[k]++
		}
	}
	for v, k := range pieces {
		if k >= 0 {
			ways[v] = r3.Scale(1/n[k], sum[k])
		}
	}
}
