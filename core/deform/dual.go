package deform

import (
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// dual is a rigid motion as a dual quaternion: its rotation, and half its way times that.
type dual struct {
	turn, way quat.Number
	rigid     bool
}

// rigidWithin is how far the axes of a matrix may be from square and of unit length for it to
// be a motion. It leaves room for the single precision of a graphics card, whose program takes
// the same number (web/static/js/programs.js; a test compares them).
const rigidWithin = 1e-4

// dualOf returns a matrix as a dual quaternion (Kavan et al. 2007); one that stretches or
// shears has none.
func dualOf(m geom.Matrix) dual {
	o := m.Point(r3.Vec{})
	x, y, z := r3.Sub(m.Point(r3.Vec{X: 1}), o), r3.Sub(m.Point(r3.Vec{Y: 1}), o), r3.Sub(m.Point(r3.Vec{Z: 1}), o)
	for _, off := range []float64{r3.Norm2(x) - 1, r3.Norm2(y) - 1, r3.Norm2(z) - 1, r3.Dot(x, y), r3.Dot(y, z), r3.Dot(z, x),
		r3.Dot(r3.Cross(x, y), z) - 1} {
		if !(math.Abs(off) < rigidWithin) {
			return dual{}
		}
	}
	q := geom.FromAxes(x, y, z)
	if m == geom.IdentityMatrix {
		q = geom.Identity
	}
	return dual{q, quat.Scale(0.5, quat.Mul(quat.Number{Imag: o.X, Jmag: o.Y, Kmag: o.Z}, q)), true}
}

// blended returns where a point is taken by the blended motion of its joints: dual quaternions
// added up by weight, those of the other sense turned round, and made a motion again. false
// where one of them is none.
func blended(p r3.Vec, list []weights.Influence, of []dual) (r3.Vec, bool) {
	var turn, way quat.Number
	for _, x := range list {
		d := of[x.Joint]
		if !d.rigid {
			return p, false
		}
		w, first := x.Value, of[list[0].Joint].turn // the heaviest
		if d.turn.Real*first.Real+d.turn.Imag*first.Imag+d.turn.Jmag*first.Jmag+d.turn.Kmag*first.Kmag < 0 {
			w = -w
		}
		turn, way = quat.Add(turn, quat.Scale(w, d.turn)), quat.Add(way, quat.Scale(w, d.way))
	}
	l := quat.Abs(turn)
	if l == 0 {
		return p, false
	}
	turn, way = quat.Scale(1/l, turn), quat.Scale(1/l, way)
	t := quat.Mul(way, quat.Conj(turn)) // half the way
	return r3.Add(geom.Rotate(turn, p), r3.Scale(2, r3.Vec{X: t.Imag, Y: t.Jmag, Z: t.Kmag})), true
}

// mixing says how much of what is done to a vertex goes by dual quaternions.
type mixing struct {
	joint  []float64 // of the weights' joints; nil where all blend linearly
	vertex []float64 // where it was said by vertex, weights.ByJoints elsewhere; nil for none
}

// mixes returns how the skin mixes, nil where all goes linearly.
func mixes(s *skeleton.Skeleton, w *weights.Weights) *mixing {
	out := mixing{vertex: w.Mix.All(len(w.Of))}
	at := s.Numbers()
	for k, name := range w.Joints {
		if i, ok := at[name]; ok && s.Joints[i].Mix > 0 {
			if out.joint == nil {
				out.joint = make([]float64, len(w.Joints))
			}
			out.joint[k] = s.Joints[i].Mix
		}
	}
	if out.joint == nil && out.vertex == nil {
		return nil
	}
	return &out
}

// share is that of a vertex, 0 to 1.
func (m *mixing) share(v int, list []weights.Influence) float64 {
	if m.vertex != nil && m.vertex[v] >= 0 {
		return m.vertex[v]
	}
	if m.joint == nil {
		return 0
	}
	share := 0.0
	for _, x := range list {
		share += float64(x.Value * m.joint[x.Joint])
	}
	return math.Min(1, share)
}

// Mixes returns how much of what is done to each vertex goes by dual quaternions, 0 to 1: as it
// was said of the vertex, else as its joints have it by weight. nil where all goes linearly.
func Mixes(s *skeleton.Skeleton, w *weights.Weights) []float64 {
	m := mixes(s, w)
	if m == nil {
		return nil
	}
	out := make([]float64, len(w.Of))
	for v, list := range w.Of {
		out[v] = m.share(v, list)
	}
	return out
}

// Blended is Linear with each point moved on by its share of the way to where dual quaternions take it,
// 0 to 1; nil shares are none. matrices take rest to posed world positions, in the order of w.Joints.
func Blended(points []r3.Vec, w *weights.Weights, matrices []geom.Matrix, shares []float64) []r3.Vec {
	out := Linear(points, w, matrices)
	if shares != nil {
		mixed(points, out, w, [][]geom.Matrix{matrices}, func(int) int { return 0 }, &mixing{vertex: shares})
	}
	return out
}

// mixed moves points as linear blending has it towards where dual quaternions take them, each
// by its share. linear is what linear blending made of them.
func mixed(points, linear []r3.Vec, w *weights.Weights, matrices [][]geom.Matrix, record func(v int) int, mix *mixing) {
	duals := make([][]dual, len(matrices))
	for r, list := range matrices {
		duals[r] = make([]dual, len(list))
		for k, m := range list {
			duals[r][k] = dualOf(m)
		}
	}
	geom.Chunks(len(points), 4096, func(lo, hi int) {
		for v := lo; v < hi; v++ {
			share := mix.share(v, w.Of[v])
			if share <= 0 || linear[v] == points[v] && len(w.Of[v]) < 2 {
				continue
			}
			if at, ok := blended(points[v], w.Of[v], duals[record(v)]); ok {
				linear[v] = r3.Add(linear[v], r3.Scale(share, r3.Sub(at, linear[v])))
			}
		}
	})
}

// apartShare is the part of a joint's usual range by which LinearApart turns it.
const apartShare = 0.7

// LinearApart measures how far the skin as its joints blend is from the same all linear, at
// most over the ends of the usual ranges of the joints that blend otherwise, or hang from
// such: metres, the pose, and the vertex. 0 where all is linear.
func LinearApart(
	points []r3.Vec,
	w *weights.Weights,
	s *skeleton.Skeleton,
	b *pose.Binding,
	x skeleton.Marks,
) (apart float64, in string, vertex int32) {
	vertex = -1
	if mixes(s, w) == nil {
		return 0, "", vertex
	}
	plain, all := s.Clone(), *w
	all.Mix = nil
	blends := make([]bool, len(s.Joints)) // moves skin that is mixed
	for i := range plain.Joints {
		blends[i] = s.Joints[i].Mix > 0
		plain.Joints[i].Mix = 0
	}
	if w.Mix != nil {
		at := s.Numbers()
		for i, v := range w.Mix.Vertices {
			for _, x := range w.Of[v] {
				if k, ok := at[w.Joints[x.Joint]]; ok && w.Mix.Values[i] > 0 {
					blends[k] = true
				}
			}
		}
	}
	var trials []skeleton.Trial
	for _, t := range s.Trials(x) {
		if parent := s.Joints[t.Joint].Parent; blends[t.Joint] || parent >= 0 && blends[parent] {
			trials = append(trials, t)
		}
	}
	for _, p := range Affordable(pose.Extremes(s, trials, apartShare), s, w) {
		mixed, linear := Bound(points, w, s, p.Pose, b), Bound(points, &all, plain, p.Pose, b)
		for v := range mixed {
			if d := r3.Norm2(r3.Sub(mixed[v], linear[v])); d > apart {
				apart, in, vertex = d, p.Name, int32(v)
			}
		}
	}
	return math.Sqrt(apart), in, vertex
}

// LengthenedApart measures how far the skin is, in poses that lengthen joints, from the same in a file,
// where such joints move what hangs from them and do not draw out their skin: metres, the pose, and the
// vertex. 0 where no pose lengthens any.
func LengthenedApart(
	points []r3.Vec,
	w *weights.Weights,
	s *skeleton.Skeleton,
	b *pose.Binding,
	poses []pose.Tried,
) (apart float64, in string, vertex int32) {
	vertex = -1
	for _, p := range Affordable(poses, s, w) {
		drawn := LinearBound(points, w, InOrder(s, w, pose.SkinMatrices(s, p.Pose, b)), b)
		moved := LinearBound(points, w, InOrder(s, w, pose.MovedMatrices(s, p.Pose, b)), b)
		for v := range drawn {
			if d := r3.Norm2(r3.Sub(drawn[v], moved[v])); d > apart {
				apart, in, vertex = d, p.Name, int32(v)
			}
		}
	}
	return math.Sqrt(apart), in, vertex
}
