package fit

import (
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// hook is a line of stations: straight, a half circle, straight.
func hook() limb {
	var l limb
	add := func(p r3.Vec) {
		s := station{at: p, area: 0.01}
		if n := len(l.line); n > 0 {
			s.arc = l.line[n-1].arc + r3.Norm(r3.Sub(p, l.line[n-1].at))
		}
		l.line = append(l.line, s)
	}
	for k := range 100 {
		add(r3.Vec{X: -1 + float64(k)/100})
	}
	for k := range 100 {
		sin, cos := math.Sincos(math.Pi * float64(k) / 100)
		add(r3.Vec{X: 0.3 * sin, Y: 0.3 - 0.3*cos})
	}
	for k := range 101 {
		add(r3.Vec{X: -float64(k) / 100, Y: 0.6})
	}
	return l
}

// Joints dealt out by bending follow a line better than as many even ones, in
// order from end to end; a straight line is dealt out evenly.
func TestKnotsGoWhereALineBends(t *testing.T) {
	l := hook()
	length := l.line[len(l.line)-1].arc
	off := func(at func(float64) float64) float64 {
		const n = 9
		var knots []r3.Vec
		for k := range n + 1 {
			knots = append(knots, l.at(at(float64(k)/n)))
		}
		worst := 0.0
		for _, s := range l.line {
			near := math.Inf(1)
			for k := range n {
				q, _ := geom.ClosestOnSegment(s.at, knots[k], knots[k+1])
				near = math.Min(near, r3.Norm(r3.Sub(q, s.at)))
			}
			worst = math.Max(worst, near)
		}
		return worst
	}
	even := off(func(share float64) float64 { return share * length })
	knots := l.knots()
	require.Less(t, off(knots), 0.55*even)
	last := -1.0
	for k := range 101 {
		s := knots(float64(k) / 100)
		require.Greater(t, s, last)
		last = s
	}
	require.InDelta(t, 0, knots(0), 1e-12)
	require.InDelta(t, length, knots(1), 1e-9)

	straight := limb{line: l.line[:100]}
	end := straight.line[99].arc
	for _, share := range []float64{0.1, 0.37, 0.5, 0.93} {
		require.InDelta(t, share*end, straight.knots()(share), 1e-6)
	}
}

// block adds a box of faces that look outward.
func block(m *mesh.Mesh, a, b r3.Vec) {
	base := int32(len(m.Points))
	for i := range 8 {
		p := a
		if i&1 != 0 {
			p.X = b.X
		}
		if i>>1&1 != 0 {
			p.Y = b.Y
		}
		if i>>2 != 0 {
			p.Z = b.Z
		}
		m.Points = append(m.Points, p)
	}
	for _, f := range [][4]int32{{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4}, {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}} {
		m.AddFace(0, base+f[0], base+f[1], base+f[2], base+f[3])
	}
}

// table is a body of blocks on four legs along Z, facing +Z, with a head and a
// tail; lifted is how far its left fore foot is off the ground, ahead how far the
// legs of each diagonal are moved forward and back.
func table(lifted, ahead float64) *mesh.Mesh {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("table")}}
	block(m, r3.Vec{X: -0.15, Y: 0.5, Z: -0.5}, r3.Vec{X: 0.15, Y: 0.8, Z: 0.5})
	leg := func(x, z, low float64) {
		block(m, r3.Vec{X: x - 0.05, Y: low, Z: z - 0.06}, r3.Vec{X: x + 0.05, Y: 0.6, Z: z + 0.06})
	}
	leg(0.1, 0.4+ahead, lifted)
	leg(-0.1, 0.4-ahead, 0)
	leg(0.1, -0.4-ahead, 0)
	leg(-0.1, -0.4+ahead, 0)
	block(m, r3.Vec{X: -0.07, Y: 0.7, Z: 0.4}, r3.Vec{X: 0.07, Y: 0.95, Z: 0.75}) // neck
	block(m, r3.Vec{X: -0.09, Y: 0.85, Z: 0.65}, r3.Vec{X: 0.09, Y: 1.05, Z: 0.9})
	block(m, r3.Vec{X: -0.03, Y: 0.7, Z: -0.9}, r3.Vec{X: 0.03, Y: 0.76, Z: -0.4})
	return m
}

// The feet are where the volume hangs down, whether they stand or not.
func TestFeetThatStandAndFeetThatAreLifted(t *testing.T) {
	need.Time(t)
	for _, lifted := range []float64{0, 0.2} {
		f, err := standing(table(lifted, 0), Shown{})
		require.NoError(t, err)
		lows := f.lows(0.07 * f.height)
		require.Len(t, lows, 4)
		require.InDelta(t, f.height, lows[0].rises, 2*f.vox.Cell, "the lowest rises through the whole body")
		for _, l := range lows[1:] {
			low := f.vox.Centre(l.cube).Y - f.floor
			require.InDelta(t, 0.5-low, l.rises, 3*f.vox.Cell, "a leg ends where the belly begins")
		}
		for k, z := range []float64{0.4, -0.4} {
			for s, x := range []float64{0.1, -0.1} {
				c := f.stands[k][s].box.Centre()
				require.InDelta(t, x, c.X, 0.02)
				require.InDelta(t, z, c.Z, 0.02)
			}
		}
		require.InDelta(t, lifted, f.stands[0][0].box.Min.Y-f.floor, 1.5*f.vox.Cell)
		require.Greater(t, f.vox.Centre(f.fore).Z, 0.8)
		require.Less(t, f.vox.Centre(f.aft).Z, -0.8)
	}
}

// A body in mid-stride, turned away from its axes: no mirror plane shows, and the
// trunk tells where it lies.
func TestABodyInMidStrideIsTurnedAlongItsTrunk(t *testing.T) {
	need.Time(t)
	m := table(0.15, 0.13)
	turn := geom.AxisAngle(r3.Vec{Y: 1}, 0.5)
	for i, p := range m.Points {
		m.Points[i] = geom.Rotate(turn, p)
	}
	f, err := standing(m, Shown{})
	require.NoError(t, err)
	require.NotNil(t, f.along, "no mirror plane is seen")
	facing := geom.Rotate(f.back, r3.Vec{Z: 1})
	want := geom.Rotate(turn, r3.Vec{Z: 1})
	require.Greater(t, r3.Dot(facing, want), math.Cos(10*math.Pi/180))
	for k := range 2 {
		l, r := f.stands[k][0].box.Centre(), f.stands[k][1].box.Centre()
		require.Greater(t, l.X, r.X, "left is +X when facing +Z")
	}
	require.Greater(t, f.stands[0][0].box.Min.Y, f.stands[0][1].box.Min.Y+0.1, "the lifted foot is the left fore foot")
	require.InDelta(t, 0, f.midX(f.vox.Centre(f.fore).Z-0.5), 0.05)
}

func TestDepthsGrowInward(t *testing.T) {
	need.Time(t)
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("block")}}
	block(m, r3.Vec{X: -0.5, Y: 0, Z: -0.5}, r3.Vec{X: 0.5, Y: 1, Z: 0.5})
	f, err := newFitter(m, Shown{}, geom.Identity)
	require.NoError(t, err)
	depth := f.depths()
	for i, in := range f.vox.Inside {
		if !in {
			require.Zero(t, depth[i])
			continue
		}
		c := f.vox.Centre(i)
		skin := math.Min(math.Min(0.5-math.Abs(c.X), 0.5-math.Abs(c.Z)), 0.5-math.Abs(c.Y-0.5))
		require.InDelta(t, skin, depth[i], 1.6*f.vox.Cell)
	}
}
