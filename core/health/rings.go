package health

import (
	"cmp"
	"math"
	"slices"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// ringsWanted is how many rings of vertices a joint needs to bend round: one
	// on it and one on either side (common practice, no source).
	ringsWanted = 3
	ringReach   = 2.2 // of the limb's radius: how far from the bone its skin may be
)

// Rings looks for joints between two bones that have
// too few rings of vertices to bend. The rings within a limb's radius on either
// side of the joint are counted by the mean length along the bone of the edges
// that run along it there.
func Rings(c *mesh.Surface, s *skeleton.Skeleton) []finding.Finding {
	children := s.Children()
	f := finding.Finding{Code: "too_few_rings", Severity: finding.Harms,
		Why: "The skin can only bend where it has vertices: with fewer than three rings an elbow folds into a crease."}
	fewest := math.Inf(1)
	edges := sortEdges(c)
	type ring struct {
		n    float64
		near [][2]int32
	}
	rings := make([]ring, len(s.Joints))
	geom.Chunks(len(s.Joints), 1, func(i, _ int) {
		j := s.Joints[i]
		rings[i].n = -1
		if j.Parent < 0 || len(children[i]) != 1 {
			return
		}
		child := children[i][0]
		if len(children[child]) == 0 && s.Joints[j.Parent].Parent < 0 {
			return
		}
		rings[i].n, rings[i].near = edges.ringsAt(c, j.Pos, s.Joints[j.Parent].Pos, s.Joints[child].Pos)
	})
	for i, r := range rings {
		if r.n < 0 || math.Round(r.n) >= ringsWanted {
			continue
		}
		f.Count++
		f.Where.Joints = append(f.Where.Joints, s.Joints[i].Name)
		f.Where.Edges = append(f.Where.Edges, r.near...)
		fewest = math.Min(fewest, r.n)
	}
	if f.Count == 0 {
		return nil
	}
	f.Title = wording.Count(f.Count, "joint has too few edge loops to bend", "joints have too few edge loops to bend")
	f.Evidence = []finding.Evidence{evidence("edge loops at the worst one", math.Round(fewest), ringsWanted)}
	return []finding.Finding{f}
}

// sortedEdges are the edges of a mesh by where their middles lie along its longest axis,
// so that those near a joint are found without looking at all.
type sortedEdges struct {
	axis    func(r3.Vec) float64
	at      []float64 // of the middles, ascending
	edges   []mesh.Edge
	longest float64
}

func sortEdges(c *mesh.Surface) sortedEdges {
	size := geom.BoxOf(c.At).Size()
	axis := func(p r3.Vec) float64 { return p.Y }
	switch {
	case size.X > size.Y && size.X > size.Z:
		axis = func(p r3.Vec) float64 { return p.X }
	case size.Z > size.Y:
		axis = func(p r3.Vec) float64 { return p.Z }
	}
	out := sortedEdges{axis: axis, edges: slices.Clone(c.Edges.Edges)}
	middle := func(x mesh.Edge) float64 { return 0.5 * (axis(c.At[x.A]) + axis(c.At[x.B])) }
	slices.SortStableFunc(out.edges, func(a, b mesh.Edge) int { return cmp.Compare(middle(a), middle(b)) })
	out.at = make([]float64, len(out.edges))
	for i, x := range out.edges {
		out.at[i] = middle(x)
		out.longest = math.Max(out.longest, r3.Norm(r3.Sub(c.At[x.A], c.At[x.B])))
	}
	return out
}

// between returns the edges whose middles lie within reach of a place along the axis.
func (e sortedEdges) between(at r3.Vec, reach float64) []mesh.Edge {
	lo, _ := slices.BinarySearch(e.at, e.axis(at)-reach)
	hi, _ := slices.BinarySearch(e.at, e.axis(at)+reach)
	return e.edges[lo:max(lo, hi)]
}

// ringsAt returns how many rings of vertices lie within a radius of the limb on
// either side of a joint, and the edges that were measured; -1 where there is no
// limb around the joint.
func (e sortedEdges) ringsAt(c *mesh.Surface, at, parent, child r3.Vec) (float64, [][2]int32) {
	along := r3.Sub(child, parent)
	if r3.Norm(along) == 0 {
		return -1, nil
	}
	along = r3.Unit(along)
	_, _, radius := c.Tree.Nearest(at)
	if math.Abs(c.Tree.Winding(at)) < 0.5 || radius == 0 {
		return -1, nil
	}
	reach := math.Min(radius, 0.5*math.Min(r3.Norm(r3.Sub(at, parent)), r3.Norm(r3.Sub(child, at))))
	sum, weight := 0.0, 0.0
	var near [][2]int32
	for _, x := range e.between(at, ringReach*radius+reach+e.longest) {
		a, b := r3.Sub(c.At[x.A], at), r3.Sub(c.At[x.B], at)
		ha, hb := r3.Dot(a, along), r3.Dot(b, along)
		if math.Min(ha, hb) > reach || math.Max(ha, hb) < -reach {
			continue
		}
		mid := r3.Scale(0.5, r3.Add(a, b))
		if r3.Norm(r3.Sub(mid, r3.Scale(r3.Dot(mid, along), along))) > ringReach*radius {
			continue
		}
		l := r3.Norm(r3.Sub(b, a))
		if l == 0 || math.Abs(hb-ha) < 0.6*l {
			continue // it runs round the limb
		}
		sum += math.Abs(hb - ha)
		weight++
		near = append(near, [2]int32{x.A, x.B})
	}
	if weight == 0 {
		return -1, nil
	}
	return 2 * reach / (sum / weight), near
}
