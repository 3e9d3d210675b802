package sculpt_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/sculpt"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// arm is a tube of two bones along X with an elbow at 1, the same on both sides of it, and two targets: "bump", empty and held
// at 1, and "swell", 5 mm out all around, at 0.5.
type arm struct {
	mesh    *mesh.Mesh
	s       *skeleton.Skeleton
	skin    *deform.Skin
	net     *weights.Net
	targets []mesh.Shape
	rig     *shape.Rig
}

func newArm(t *testing.T, mix float64) *arm {
	a := &arm{mesh: solids.Tube(2, 0.2, 80, 24), s: &skeleton.Skeleton{}}
	for i, name := range []string{"upper_arm_l", "forearm_l", "hand_l"} {
		a.s.Joints = append(a.s.Joints, skeleton.Joint{Name: name, Parent: i - 1, Pos: r3.Vec{X: float64(i)}, Rot: geom.Identity, Mix: mix})
	}
	col := [][]float64{make([]float64, len(a.mesh.Points)), make([]float64, len(a.mesh.Points))}
	swell := mesh.Shape{Name: "swell"}
	for v, p := range a.mesh.Points {
		col[1][v] = math.Max(0, math.Min(1, 0.5+(p.X-1)/0.4))
		col[0][v] = 1 - col[1][v]
		if out := (r3.Vec{Y: p.Y, Z: p.Z}); r3.Norm(out) > 0.1 {
			swell.Vertex = append(swell.Vertex, int32(v))
			swell.Offset = append(swell.Offset, r3.Scale(0.005, r3.Unit(out)))
		}
	}
	w := weights.FromColumns([]string{"upper_arm_l", "forearm_l"}, col, len(a.mesh.Points), weights.Limits{})
	tris, _ := a.mesh.Triangles()
	var err error
	a.skin, err = deform.NewSkin(a.mesh.World(), tris, w, a.s, nil)
	require.NoError(t, err)
	a.net, err = weights.NetOf(a.mesh)
	require.NoError(t, err)
	a.targets = []mesh.Shape{{Name: "bump"}, swell}
	a.rig = &shape.Rig{Targets: []shape.Target{{Name: "bump", Value: 1}, {Name: "swell", Value: 0.5}}}
	return a
}

func (a *arm) on(p pose.Pose) sculpt.On {
	return sculpt.On{
		Net: a.net, Skin: a.skin, Targets: a.targets, Values: a.rig.For(a.s, skeleton.DefaultMarks), Pose: p, Plane: 1,
	}
}

func (a *arm) surface(t *testing.T, p pose.Pose) *sculpt.Surface {
	s, err := sculpt.New(a.on(p))
	require.NoError(t, err)
	return s
}

// near is a touch at the triangle whose first corner is nearest to a place at rest.
func (a *arm) near(at r3.Vec) sculpt.Touch {
	best, tri := math.Inf(1), 0
	for i, x := range a.net.Tris {
		mid := r3.Scale(1.0/3, r3.Add(a.net.At[x[0]], r3.Add(a.net.At[x[1]], a.net.At[x[2]])))
		if d := r3.Norm(r3.Sub(mid, at)); d < best {
			best, tri = d, i
		}
	}
	return sculpt.Touch{Touch: weights.Touch{Tri: int32(tri), B: 1.0 / 3, C: 1.0 / 3, Pressure: 1}}
}

func brush(mode string) sculpt.Brush {
	return sculpt.Brush{Mode: mode, Strength: 1, Tip: weights.Tip{Radius: 0.15, Hard: 0.3}}
}

func stroked(t *testing.T, s *sculpt.Surface, b sculpt.Brush, touches ...sculpt.Touch) []int32 {
	k, err := s.Begin(b)
	require.NoError(t, err)
	var out []int32
	for _, x := range touches {
		list, err := k.Touch(x)
		require.NoError(t, err)
		out = append(out, list...)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

func turn(rng *rand.Rand, most float64) quat.Number {
	axis := r3.Unit(r3.Vec{X: rng.NormFloat64(), Y: rng.NormFloat64(), Z: rng.NormFloat64()})
	return geom.AxisAngle(axis, most*(2*rng.Float64()-1))
}

// What is taken along by a known way in a pose stands there when the pose is applied to the target that was stored: 60 random
// poses by linear, dual and mixed blending, within 1e-6 of the length, wherever blending does not flatten the skin.
func TestGrabInAnyPose(t *testing.T) {
	rng := rand.New(rand.NewPCG(27, 5))
	for n := range 60 {
		a := newArm(t, []float64{0, 1, 0.4}[n%3])
		p := pose.Pose{"upper_arm_l": turn(rng, 2), "forearm_l": turn(rng, 2)}
		s := a.surface(t, p)
		before := s.Places()
		for v, at := range a.skin.Shaped(a.targets, a.rig.For(a.s, skeleton.DefaultMarks)).Places(p) {
			require.InDelta(t, 0, r3.Norm(r3.Sub(at, before[v])), 1e-9, "as it stands")
		}
		move := r3.Scale(0.06, r3.Unit(r3.Vec{X: rng.NormFloat64(), Y: rng.NormFloat64(), Z: rng.NormFloat64()}))
		touch := a.near(r3.Vec{X: 2 * rng.Float64(), Y: 0.2})
		k, err := s.Begin(brush(sculpt.Grab))
		require.NoError(t, err)
		half := touch
		half.Move = [3]float64{move.X / 2, move.Y / 2, move.Z / 2}
		touch.Move = [3]float64{move.X, move.Y, move.Z}
		_, err = k.Touch(half)
		require.NoError(t, err)
		reached, err := k.Touch(touch)
		require.NoError(t, err)
		require.NotEmpty(t, reached)

		once, b := a.surface(t, p), brush(sculpt.Grab)
		b.Builds = n%2 > 0 // which a hand that drags does not
		stroked(t, once, b, half, touch)
		require.Equal(t, once.Target(), s.Target(), "only how far the hand has gone counts, not how")

		targets := []mesh.Shape{s.Target(), a.targets[1]}
		after := a.skin.Shaped(targets, a.rig.For(a.s, skeleton.DefaultMarks)).Places(p)
		full := 0
		for v := range after {
			require.InDelta(t, 0, r3.Norm(r3.Sub(after[v], s.Place(int32(v)))), 1e-6)
			d := r3.Sub(after[v], before[v])
			if !slices.Contains(reached, int32(v)) {
				require.InDelta(t, 0, r3.Norm(d), 1e-9, "what is out of reach stays")
			}
			require.LessOrEqual(t, r3.Norm(d), 0.06+1e-6)
			if r3.Norm(r3.Sub(d, move)) < 1e-6 {
				full++
			}
		}
		if s.Flattened() == 0 {
			require.Positive(t, full, "at the hard part of the brush it goes as far as the hand, pose %d", n)
		}
	}
}

// Each brush does what it says, at rest and bent.
func TestWhatBrushesDo(t *testing.T) {
	for _, p := range []pose.Pose{nil, {"forearm_l": geom.AxisAngle(r3.Vec{Z: 1}, 1)}} {
		a := newArm(t, 0)
		top := a.near(r3.Vec{X: 0.5, Y: 0.2})
		s := a.surface(t, p)
		was := s.Places()
		for _, v := range stroked(t, s, brush(sculpt.Inflate), top) {
			at := a.net.At[v]
			out := r3.Sub(s.Place(v), was[v])
			require.GreaterOrEqual(t, r3.Dot(out, r3.Unit(r3.Vec{Y: at.Y, Z: at.Z})), 0.99*r3.Norm(out), "out along the normal")
		}
		_, most := largest(s)
		require.InDelta(t, 0.25*0.15, most, 1e-3, "a quarter of the radius")
		bumped := s.Target()
		stroked(t, s, brush(sculpt.Deflate), top)
		_, left := largest(s)
		require.Less(t, left, most, "and in again")

		rough := func() *sculpt.Surface {
			rng := rand.New(rand.NewPCG(3, 3))
			a.targets[0] = mesh.Shape{Name: "bump"}
			for v, at := range a.net.At {
				if math.Abs(at.X-0.5) < 0.2 {
					a.targets[0].Vertex = append(a.targets[0].Vertex, int32(v))
					a.targets[0].Offset = append(a.targets[0].Offset,
						r3.Scale(0.004, r3.Vec{X: rng.NormFloat64(), Y: rng.NormFloat64(), Z: rng.NormFloat64()}))
				}
			}
			return a.surface(t, p)
		}
		bumps := func(s *sculpt.Surface) (sum float64) {
			for v := range s.Places() {
				if r3.Norm(r3.Sub(a.net.At[v], a.net.In(top.Tri, top.B, top.C))) < 0.06 {
					var mean r3.Vec
					for _, u := range a.net.Near(int32(v)) {
						mean = r3.Add(mean, s.Place(u))
					}
					sum += r3.Norm(r3.Sub(r3.Scale(1/float64(len(a.net.Near(int32(v)))), mean), s.Place(int32(v))))
				}
			}
			return sum
		}
		for _, mode := range []string{sculpt.Smooth, sculpt.Relax, sculpt.Even} {
			s, b := rough(), brush(mode)
			b.Builds, b.Strength = true, 0.5
			first := bumps(s)
			in := inside(a, s)
			for range 8 {
				stroked(t, s, b, top)
			}
			require.Less(t, bumps(s), 0.8*first, mode)
			if mode == sculpt.Relax {
				require.InDelta(t, in, inside(a, s), 1e-4*in, "along the surface nothing shrinks")
			}
		}

		s = rough()
		b := brush(sculpt.Flatten)
		b.Hard = 1
		list := stroked(t, s, b, top)
		require.Less(t, thickness(s, list), 1e-6, "in one plane")

		s = a.surface(t, p)
		was = s.Places()
		mid := middle(a, s, top)
		for _, v := range stroked(t, s, brush(sculpt.Pinch), top) {
			require.LessOrEqual(t, r3.Norm(r3.Sub(s.Place(v), mid)), r3.Norm(r3.Sub(was[v], mid))+1e-6, "together")
		}

		a.targets[0] = bumped
		for mode, want := range map[string]func(v int32) r3.Vec{
			sculpt.Erase: func(int32) r3.Vec { return r3.Vec{} },
			sculpt.Match: func(v int32) r3.Vec { return offsetOf(a.targets[1], v) },
			sculpt.Rest:  func(v int32) r3.Vec { return r3.Scale(-0.5, offsetOf(a.targets[1], v)) },
		} {
			s, b := a.surface(t, p), brush(mode)
			b.Hard, b.Other = 1, "swell"
			for _, v := range stroked(t, s, b, top) {
				require.InDelta(t, 0, r3.Norm(r3.Sub(want(v), s.Offset(v))), 1e-7, mode)
			}
		}
	}
}

// thickness is how far vertices are from the plane that fits them best, on average.
func thickness(s *sculpt.Surface, list []int32) float64 {
	var c r3.Vec
	for _, v := range list {
		c = r3.Add(c, r3.Scale(1/float64(len(list)), s.Place(v)))
	}
	m := mat.NewDense(len(list), 3, nil)
	for i, v := range list {
		d := r3.Sub(s.Place(v), c)
		m.SetRow(i, []float64{d.X, d.Y, d.Z})
	}
	var of mat.SVD
	of.Factorize(m, mat.SVDNone)
	return of.Values(nil)[2] / math.Sqrt(float64(len(list)))
}

func largest(s *sculpt.Surface) (int32, float64) {
	size, v := shape.Largest(s.Target())
	return v, size
}

func offsetOf(t mesh.Shape, v int32) r3.Vec {
	if i, ok := slices.BinarySearch(t.Vertex, v); ok {
		return t.Offset[i]
	}
	return r3.Vec{}
}

func middle(a *arm, s *sculpt.Surface, x sculpt.Touch) r3.Vec {
	t := a.net.Tris[x.Tri]
	return r3.Scale(1.0/3, r3.Add(s.Place(t[0]), r3.Add(s.Place(t[1]), s.Place(t[2]))))
}

// inside is what the surface encloses.
func inside(a *arm, s *sculpt.Surface) (sum float64) {
	for _, t := range a.net.Tris {
		sum += r3.Dot(s.Place(t[0]), r3.Cross(s.Place(t[1]), s.Place(t[2]))) / 6
	}
	return math.Abs(sum)
}

// Both sides get the same at rest, mirrored, also where the body stands unevenly: a hand that lifts one side lifts the other.
func TestBothSidesInAnUnevenPose(t *testing.T) {
	for _, mode := range []string{sculpt.Grab, sculpt.Inflate, sculpt.Pinch} {
		a := newArm(t, 0)
		s := a.surface(t, pose.Pose{"forearm_l": geom.AxisAngle(r3.Vec{Y: 1}, 1.2)})
		b := brush(mode)
		b.Both, b.Through = true, true
		within := map[string]float64{sculpt.Grab: 1e-6, sculpt.Inflate: 2e-3, sculpt.Pinch: 2e-3}[mode] // triangles are not mirrored
		x := a.near(r3.Vec{X: 0.4, Y: 0.2})
		x.Move = [3]float64{0.01, 0.05, -0.02}
		stroked(t, s, b, x)
		out := s.Target()
		require.NotEmpty(t, out.Vertex)
		tree := geom.NewPointTree(a.net.At)
		for i, v := range out.Vertex {
			at := a.net.At[v]
			u, _, d := tree.NearestOf(r3.Vec{X: 2 - at.X, Y: at.Y, Z: at.Z}, 1, nil)
			require.Less(t, d, 1e-6)
			image := offsetOf(out, u)
			require.InDelta(t, 0, r3.Norm(r3.Sub(r3.Vec{X: -out.Offset[i].X, Y: out.Offset[i].Y, Z: out.Offset[i].Z}, image)), within,
				"%s vertex %d", mode, v)
		}
	}
}

// A target that is half on is changed by twice as much, and one that is not on is not sculpted.
func TestATargetThatIsPartlyOn(t *testing.T) {
	a := newArm(t, 0)
	x := a.near(r3.Vec{X: 0.5, Y: 0.2})
	x.Move = [3]float64{0, 0.02, 0}
	a.rig.Targets[0].Value = 0.5
	s := a.surface(t, nil)
	stroked(t, s, brush(sculpt.Grab), x)
	_, most := largest(s)
	require.InDelta(t, 0.04, most, 1e-6)
	require.Positive(t, s.Changed())
	a.rig.Targets[0].Value = 0
	_, err := sculpt.New(a.on(nil))
	require.ErrorContains(t, err, "bump is not on in this pose")
	on := a.on(nil)
	on.Values = on.Values.Holding(map[string]float64{"bump": 1})
	held, err := sculpt.New(on)
	require.NoError(t, err)
	stroked(t, held, brush(sculpt.Grab), x)
	_, most = largest(held)
	require.InDelta(t, 0.02, most, 1e-6)
}

// A stroke taken back leaves what was there; what is closed stays; strokes do not depend on how touches come together.
func TestStrokesTakenBackAndWhatIsClosed(t *testing.T) {
	a := newArm(t, 0)
	touches := []sculpt.Touch{a.near(r3.Vec{X: 0.4, Y: 0.2}), a.near(r3.Vec{X: 0.5, Y: 0.2}), a.near(r3.Vec{X: 0.6, Y: 0.2})}
	for _, mode := range sculpt.Modes {
		for _, builds := range []bool{false, true} {
			s, b := a.surface(t, nil), brush(mode)
			b.Builds, b.Other = builds, "swell"
			before := s.Target()
			k, err := s.Begin(b)
			require.NoError(t, err)
			for _, x := range touches {
				x.Move = [3]float64{0, 0.01, 0}
				_, err := k.Touch(x)
				require.NoError(t, err)
			}
			k.Undo()
			require.Equal(t, before, s.Target(), mode)

			open := make([]bool, len(a.net.At))
			for v, p := range a.net.At {
				open[v] = p.Z > 0
			}
			s.Limit(open)
			stroked(t, s, b, touches...)
			for _, v := range s.Target().Vertex {
				require.True(t, open[v], mode)
			}
		}
	}
}

// Touches that do not add up do at each vertex what the strongest does: once more over the same place changes nothing.
func TestTouchesThatDoNotAddUp(t *testing.T) {
	a := newArm(t, 0)
	x := a.near(r3.Vec{X: 0.5, Y: 0.2})
	one, more, built := a.surface(t, nil), a.surface(t, nil), a.surface(t, nil)
	stroked(t, one, brush(sculpt.Inflate), x)
	stroked(t, more, brush(sculpt.Inflate), x, x, x)
	require.Equal(t, one.Target(), more.Target())
	b := brush(sculpt.Inflate)
	b.Builds = true
	stroked(t, built, b, x, x, x)
	_, once := largest(one)
	_, thrice := largest(built)
	require.Greater(t, thrice, 2.5*once)
}

// Vertices that were chosen go by a length in the pose, those around them softly along.
func TestMovingVertices(t *testing.T) {
	a := newArm(t, 0)
	p := pose.Pose{"forearm_l": geom.AxisAngle(r3.Vec{Z: 1}, 1)}
	s := a.surface(t, p)
	before := s.Places()
	x := a.near(r3.Vec{X: 1.6, Y: 0.2})
	v := a.net.Tris[x.Tri][0]
	require.NoError(t, s.Move([]int32{v}, r3.Vec{Y: 0.03}, 0.1))
	require.Zero(t, s.Flattened())
	require.InDelta(t, 0, r3.Norm(r3.Sub(s.Place(v), r3.Add(before[v], r3.Vec{Y: 0.03}))), 1e-7)
	moved := 0
	for u := range before {
		d := r3.Norm(r3.Sub(s.Place(int32(u)), before[u]))
		require.LessOrEqual(t, d, 0.03+1e-7)
		if d > 1e-6 {
			moved++
			require.Less(t, r3.Norm(r3.Sub(a.net.At[u], a.net.At[v])), 0.1+1e-6)
		}
	}
	require.Greater(t, moved, 5)
	require.Error(t, s.Move([]int32{v}, r3.Vec{X: math.Inf(1)}, 0))
}

func TestWhatABrushRefuses(t *testing.T) {
	a := newArm(t, 0)
	s := a.surface(t, nil)
	for _, bad := range []sculpt.Brush{
		{}, {Mode: "wish", Tip: weights.Tip{Radius: 1}}, {Mode: sculpt.Grab}, {Mode: sculpt.Grab, Strength: 2, Tip: weights.Tip{Radius: 1}},
		{Mode: sculpt.Match, Tip: weights.Tip{Radius: 1}}, {Mode: sculpt.Match, Other: "nobody", Tip: weights.Tip{Radius: 1}},
		{Mode: sculpt.Smooth, Strength: math.NaN(), Tip: weights.Tip{Radius: 1}},
	} {
		_, err := s.Begin(bad)
		require.Error(t, err, fmt.Sprint(bad))
	}
	k, err := s.Begin(brush(sculpt.Grab))
	require.NoError(t, err)
	for _, bad := range []sculpt.Touch{
		{Touch: weights.Touch{Tri: 1e6, Pressure: 1}}, {Move: [3]float64{math.NaN()}}, {Move: [3]float64{1e9}},
		{Touch: weights.Touch{Pressure: 3}},
	} {
		_, err := k.Touch(bad)
		require.Error(t, err, fmt.Sprint(bad))
	}
	on := a.on(nil)
	on.Target = 7
	_, err = sculpt.New(on)
	require.Error(t, err)
	on = a.on(nil)
	on.Open = make([]bool, 3)
	_, err = sculpt.New(on)
	require.Error(t, err)
	on = a.on(nil)
	on.Skin = nil
	unbound, err := sculpt.New(on)
	require.NoError(t, err, "a mesh without weights is sculpted at rest")
	stroked(t, unbound, brush(sculpt.Inflate), a.near(r3.Vec{X: 0.5, Y: 0.2}))
	require.NotEmpty(t, unbound.Target().Vertex)
}
