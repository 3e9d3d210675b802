package bind

import (
	"context"
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// slab adds a box to a mesh, its faces divided in squares of about a length.
func slab(m *mesh.Mesh, lo, hi r3.Vec, step float64) {
	at := func(p r3.Vec, k int) float64 { return [3]float64{p.X, p.Y, p.Z}[k] }
	for k := range 3 {
		u, v := (k+1)%3, (k+2)%3
		nu, nv := max(1, int(math.Round((at(hi, u)-at(lo, u))/step))), max(1, int(math.Round((at(hi, v)-at(lo, v))/step)))
		for _, end := range []r3.Vec{lo, hi} {
			first := int32(len(m.Points))
			for i := range nu + 1 {
				for j := range nv + 1 {
					var p [3]float64
					p[k] = at(end, k)
					p[u] = at(lo, u) + (at(hi, u)-at(lo, u))*float64(i)/float64(nu)
					p[v] = at(lo, v) + (at(hi, v)-at(lo, v))*float64(j)/float64(nv)
					m.Points = append(m.Points, r3.Vec{X: p[0], Y: p[1], Z: p[2]})
				}
			}
			for i := range int32(nu) {
				for j := range int32(nv) {
					a := first + i*int32(nv+1) + j
					c := [4]int32{a, a + int32(nv+1), a + int32(nv+1) + 1, a + 1}
					if end == lo {
						c = [4]int32{c[3], c[2], c[1], c[0]}
					}
					m.AddFace(0, c[:]...)
				}
			}
		}
	}
}

func blank() *mesh.Mesh {
	return &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("box")}, Start: []int32{0}}
}

// twoBones lie in the two arms of a U.
func twoBones() *skeleton.Skeleton {
	j := func(name string, parent int, x, y float64) skeleton.Joint {
		return skeleton.Joint{Name: name, Parent: parent, Pos: r3.Vec{X: x, Y: y}, Rot: geom.Identity}
	}
	return &skeleton.Skeleton{
		Joints: []skeleton.Joint{
			j("left", -1, -0.3, 0.2),
			j("left_end", 0, -0.3, 0.9),
			j("right", -1, 0.3, 0.2),
			j("right_end", 2, 0.3, 0.9),
		},
	}
}

// In a U the way from arm to arm leads round the bottom: through the volume the tips belong
// to their own arms, by straight distance the far arm pulls at them; turned inside out, open
// and cut into pieces that touch it is the same.
func TestTheWayLeadsThroughTheVolume(t *testing.T) {
	need.Time(t)
	u := blank()
	slab(u, r3.Vec{X: -0.4, Y: 0, Z: -0.1}, r3.Vec{X: -0.2, Y: 1, Z: 0.1}, 0.05)
	slab(u, r3.Vec{X: 0.2, Y: 0, Z: -0.1}, r3.Vec{X: 0.4, Y: 1, Z: 0.1}, 0.05)
	slab(u, r3.Vec{X: -0.4, Y: -0.2, Z: -0.1}, r3.Vec{X: 0.4, Y: 0, Z: 0.1}, 0.05)
	inside := blank()
	inside.Points = u.Points
	for f := range u.Faces() {
		c := u.Face(f)
		inside.AddFace(0, c[3], c[2], c[1], c[0])
	}
	open := blank()
	open.Points = u.Points
	for f := range u.Faces() {
		if f%37 != 5 {
			open.AddFace(0, u.Face(f)...)
		}
	}
	o := DefaultDistance
	o.Smooth, o.Trace = 0, 0
	pull := func(w *weights.Weights, m *mesh.Mesh) (tip, bottom float64) {
		for v, p := range m.Points {
			if p.Y > 0.95 && p.X < 0 {
				tip = math.Max(tip, w.Value(v, 2))
			}
			if math.Abs(p.X) < 1e-9 && p.Y < -0.15 {
				bottom = math.Max(bottom, math.Abs(w.Value(v, 2)-0.5))
			}
		}
		return tip, bottom
	}
	straight, _, err := Near(context.Background(), u, twoBones(), o, nil)
	require.NoError(t, err)
	far, _ := pull(straight, u)
	for name, m := range map[string]*mesh.Mesh{"closed boxes that touch": u, "inside out": inside, "with holes": open} {
		w, r, err := Volume(context.Background(), m, twoBones(), o, nil)
		require.NoError(t, err, name)
		require.Zero(t, r.Unweighted, name)
		require.NoError(t, w.Validate(), name)
		tip, bottom := pull(w, m)
		require.Less(t, tip, 0.1*far, "%s: the far arm pulls at the tip by %g, straight by %g", name, tip, far)
		require.Less(t, bottom, 0.05, "%s: in the middle of the bottom both pull alike", name)
	}
}

// In a box the way is straight, and the weights are those of the exponent, exactly.
func TestInABoxTheWayIsStraight(t *testing.T) {
	need.Time(t)
	m := blank()
	slab(m, r3.Vec{X: -0.5, Y: 0, Z: -0.1}, r3.Vec{X: 0.5, Y: 1, Z: 0.1}, 0.1)
	o := DefaultDistance
	o.Smooth, o.Trace, o.Falloff = 0, 0, 4
	w, _, err := Volume(context.Background(), m, twoBones(), o, nil)
	require.NoError(t, err)
	same, _, err := Near(context.Background(), m, twoBones(), o, nil)
	require.NoError(t, err)
	for v := range m.Points {
		require.InDelta(t, same.Value(v, 0), w.Value(v, 0), 0.02)
	}
	for v, p := range m.Points {
		if math.Abs(p.Y-0.5) < 1e-9 {
			a, b := math.Hypot(p.X+0.3, p.Z), math.Hypot(p.X-0.3, p.Z)
			require.InDelta(t, math.Pow(a, -4)/(math.Pow(a, -4)+math.Pow(b, -4)), same.Value(v, 0), 1e-6)
		}
	}
	for _, bad := range []DistanceOptions{{Limits: o.Limits, Falloff: 0}, {Limits: o.Limits, Falloff: math.NaN()},
		{Limits: o.Limits, Falloff: 4, Cubes: 5000}, {Limits: weights.Limits{Cap: -1}, Falloff: 4}, {Limits: o.Limits, Falloff: 4,
			Smooth: -1}} {
		_, _, err := Volume(context.Background(), m, twoBones(), bad, nil)
		require.Error(t, err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, _, err = Volume(ctx, m, twoBones(), o, nil)
	require.ErrorIs(t, err, context.Canceled)
}

// Each piece goes wholly with the joint whose bone it holds, one that holds none with the
// nearest.
func TestEachPieceGoesWithOneJoint(t *testing.T) {
	m := blank()
	slab(m, r3.Vec{X: -0.4, Y: 0, Z: -0.1}, r3.Vec{X: -0.2, Y: 1, Z: 0.1}, 1)
	slab(m, r3.Vec{X: 0.2, Y: 0, Z: -0.1}, r3.Vec{X: 0.4, Y: 1, Z: 0.1}, 1)
	slab(m, r3.Vec{X: 0.9, Y: 0.4, Z: -0.1}, r3.Vec{X: 1, Y: 0.6, Z: 0.1}, 1)
	welded, _, err := m.Weld(1e-9, true)
	require.NoError(t, err)
	w, r, err := ByPiece(context.Background(), welded, twoBones(), nil, nil)
	require.NoError(t, err)
	require.Zero(t, r.Unweighted)
	for v, p := range welded.Points {
		want := 1.0
		if p.X > 0 {
			want = 0
		}
		require.Equal(t, want, w.Value(v, 0))
		require.Len(t, w.Of[v], 1)
	}
}

// Smoothing keeps sums, and in the end evens out what hangs together.
func TestSmoothing(t *testing.T) {
	m := blank()
	slab(m, r3.Vec{}, r3.Vec{X: 1, Y: 0.2, Z: 0.2}, 0.1)
	m, _, err := m.Weld(1e-9, true)
	require.NoError(t, err)
	w := weights.New([]string{"a", "b"}, len(m.Points))
	for v, p := range m.Points {
		j := int32(0)
		if p.X > 0.5 {
			j = 1
		}
		w.Of[v] = []weights.Influence{{Joint: j, Value: 1}}
	}
	w.Of[0] = nil
	out := Smoothed(m, w, 400)
	require.Empty(t, out.Of[0])
	for v := 1; v < len(m.Points); v++ {
		require.InDelta(t, 1, out.Value(v, 0)+out.Value(v, 1), 1e-3)
		require.InDelta(t, 0.5, out.Value(v, 0), 0.12)
	}
	require.Equal(t, w, Smoothed(m, w, 0))
}
