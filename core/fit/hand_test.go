package fit_test

import (
	"context"
	"math"
	"strings"
	"testing"

	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// joined puts solids into one mesh: where they overlap, the winding number is
// above one, and the inside is their union.
func joined(list ...*mesh.Mesh) *mesh.Mesh {
	out := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("hand")}, Start: []int32{0}}
	for _, m := range list {
		base := int32(len(out.Points))
		out.Points = append(out.Points, m.Points...)
		for f := range m.Faces() {
			for _, v := range m.Face(f) {
				out.Corner = append(out.Corner, base+v)
			}
			out.Start = append(out.Start, int32(len(out.Corner)))
			out.Part = append(out.Part, 0)
		}
	}
	return out
}

// A hand of blocks, pointing along X: the thumb sets off near the wrist, and
// every finger's joints lie within its block, from root to tip.
func TestTheFingersOfAHandOfBlocks(t *testing.T) {
	need.Time(t)
	type finger struct {
		name  string
		lo, h r3.Vec
	}
	fingers := []finger{
		{"index", r3.Vec{X: 0.09, Y: -0.007, Z: 0.026}, r3.Vec{X: 0.166, Y: 0.007, Z: 0.038}},
		{"middle", r3.Vec{X: 0.09, Y: -0.007, Z: 0.004}, r3.Vec{X: 0.178, Y: 0.007, Z: 0.016}},
		{"ring", r3.Vec{X: 0.09, Y: -0.007, Z: -0.018}, r3.Vec{X: 0.17, Y: 0.007, Z: -0.006}},
		{"little", r3.Vec{X: 0.09, Y: -0.007, Z: -0.04}, r3.Vec{X: 0.152, Y: 0.007, Z: -0.028}},
	}
	parts := []*mesh.Mesh{
		solids.Box(r3.Vec{X: -0.03, Y: -0.014, Z: -0.024}, r3.Vec{X: 0.02, Y: 0.014, Z: 0.024}), // the wrist
		solids.Box(r3.Vec{X: 0, Y: -0.012, Z: -0.042}, r3.Vec{X: 0.096, Y: 0.012, Z: 0.04}),
		solids.Box(r3.Vec{X: 0.03, Y: -0.008, Z: 0.03}, r3.Vec{X: 0.046, Y: 0.008, Z: 0.1}),
	}
	for _, f := range fingers {
		parts = append(parts, solids.Box(f.lo, f.h))
	}
	m := joined(parts...)
	require.NoError(t, m.Validate())
	s, r, err := fit.Fit(context.Background(), m, fit.Options{Params: params(t, "hand")}, nil)
	require.NoError(t, err)
	require.Equal(t, "hand", r.Starter)
	for _, f := range fingers {
		before := math.Inf(-1)
		n := 0
		for _, j := range s.Joints {
			if !strings.HasPrefix(j.Name, f.name+"_") {
				continue
			}
			n++
			require.Greater(t, j.Pos.X, before, "%s: from root to tip", j.Name)
			before = j.Pos.X
			if j.Pos.X > f.lo.X+0.01 {
				require.InDelta(t, (f.lo.Z+f.h.Z)/2, j.Pos.Z, 0.009, j.Name)
				require.InDelta(t, 0, j.Pos.Y, 0.007, j.Name)
			}
		}
		require.Equal(t, 4, n, f.name)
	}
	thumb := s.Joints[s.Index("thumb_3")].Pos
	require.Greater(t, thumb.Z, 0.05)
	wrist := s.Joints[s.Index("hand")].Pos
	require.Less(t, wrist.X, 0.02)
	turned := geom.AxisAngle(r3.Vec{X: 1, Y: -1, Z: 0.5}, 2)
	for i, p := range m.Points {
		m.Points[i] = geom.Rotate(turned, p)
	}
	again, _, err := fit.Fit(context.Background(), m, fit.Options{Params: params(t, "hand")}, nil)
	require.NoError(t, err)
	for i, j := range s.Joints {
		if !strings.HasSuffix(j.Name, "_end") {
			continue // where a finger ends within the palm is read off its sections: coarse
		}
		require.Less(
			t,
			r3.Norm(r3.Sub(geom.Rotate(turned, j.Pos), again.Joints[i].Pos)),
			0.023,
			"%s, turned: another corner of a blunt tip at the most",
			j.Name,
		)
	}
}
