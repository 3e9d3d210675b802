package health_test

import (
	"context"
	"math"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// Strips of hair on a head are one kind of piece: they are counted once, and are neither
// holes, nor faces that look inward, nor pieces that float or pass through the head.
func TestCardsOfHairAreOneKind(t *testing.T) {
	head := solids.Sphere(3)
	strip := func(angle float64, turned bool) *mesh.Mesh {
		m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("hair")}}
		sin, cos := math.Sincos(angle)
		for k := range 6 {
			r, y := 0.9+0.06*float64(k), 0.6-0.2*float64(k)
			m.Points = append(
				m.Points,
				r3.Vec{X: r*cos - 0.05*sin, Y: y, Z: r*sin + 0.05*cos},
				r3.Vec{X: r*cos + 0.05*sin, Y: y, Z: r*sin - 0.05*cos},
			)
		}
		for k := range int32(5) {
			a := 2 * k
			if turned {
				m.AddFace(0, a, a+1, a+3, a+2)
			} else {
				m.AddFace(0, a, a+2, a+3, a+1)
			}
		}
		return m
	}
	find := func(n int) map[string]finding.Finding {
		all := []*mesh.Mesh{head}
		for k := range n {
			all = append(all, strip(2*math.Pi*float64(k)/float64(n), k%2 == 0))
		}
		_, list, err := health.Check(context.Background(), mesh.Join(all...).Surface(), "")
		require.NoError(t, err)
		out := map[string]finding.Finding{}
		for _, f := range list {
			out[f.Code] = f
		}
		return out
	}
	got := find(14)
	require.Equal(t, 14, got["cards"].Count)
	require.Len(t, got["cards"].Where.Faces, 70)
	require.Equal(t, 14, got["separate_pieces"].Count, "they are pieces, once")
	for _, code := range []string{"open_borders", "inverted_faces", "floating_pieces", "crossing_pieces", "layered_pieces"} {
		require.NotContains(t, got, code)
	}
	few := find(3)
	require.NotContains(t, few, "cards")
	require.Equal(t, 3, few["open_borders"].Count, "three are pieces with borders")
}
