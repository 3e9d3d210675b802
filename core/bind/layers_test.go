package bind

import (
	"testing"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// Where walls hide the bones from most of the trunk, and a hand sees its own whole, the trunk is the body too: it is
// the piece in which most vertices see one. A coat, of which fewer do, is not.
func TestThePieceThatSeesMostIsTheBody(t *testing.T) {
	m, s := blank(), twoBones()
	slab(m, r3.Vec{X: -0.45, Y: 0.1, Z: -0.1}, r3.Vec{X: 0.45, Y: 1, Z: 0.1}, 0.05)
	slab(m, r3.Vec{X: 0.5, Y: 0.4, Z: -0.1}, r3.Vec{X: 0.7, Y: 0.6, Z: 0.1}, 0.05)
	if w, _, err := m.Weld(1e-6, false); err == nil {
		m = w
	}
	pieces := m.Pieces()
	require.Equal(t, 2, pieces.Count())
	large, small := pieces.Vertices[0], pieces.Vertices[1]
	kinds := func(share float64) []string {
		seen := []PieceReport{
			{Piece: 0, Vertices: int(large), Heated: int(share * float64(large))},
			{Piece: 1, Vertices: int(small), Heated: int(small)},
		}
		return layered(m, s, s.Deforming(), seen).kind
	}
	require.Equal(t, []string{KindBody, KindBody}, kinds(0.28))
	require.NotEqual(t, KindBody, kinds(0.1)[0])
}
