package bind_test

import (
	"context"
	"math"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// A tube of loose rings of boxes has no solution by heat; over a shell the two bones share its
// middle as on a whole tube.
func TestAShellBindsWhatIsInPieces(t *testing.T) {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("boxes")}, Start: []int32{0}}
	for k := range 20 {
		x := 0.1 * float64(k)
		m = mesh.Join(m, solids.Box(r3.Vec{X: x + 0.005, Y: -0.2, Z: -0.2}, r3.Vec{X: x + 0.095, Y: 0.2, Z: 0.2}))
	}
	s := chain(r3.Vec{X: 0.02}, r3.Vec{X: 1}, r3.Vec{X: 1.98})
	welded, _, err := m.Weld(1e-9, true)
	require.NoError(t, err)
	shell, err := bind.NewShell(welded, 64, true)
	require.NoError(t, err)
	require.Equal(t, 1, shell.Pieces)
	for _, e := range shell.Mesh.Edges().Edges {
		require.Equal(t, int32(2), int32(e.Count), "it is closed")
	}
	w, r, shell, err := bind.OverShell(context.Background(), welded, s, bind.DefaultOptions, 64, true, nil)
	require.NoError(t, err)
	require.NoError(t, w.Validate())
	require.Zero(t, r.Unweighted)
	require.Equal(t, 1, shell.Pieces)
	for v, p := range welded.Points {
		switch {
		case math.Abs(p.X-1) < 0.02:
			require.InDelta(t, 0.5, w.Value(v, 0), 0.1)
		case p.X < 0.5:
			require.Greater(t, w.Value(v, 0), 0.9)
		}
	}
	_, err = bind.NewShell(welded, 5, false)
	require.Error(t, err)
	_, err = bind.NewShell(&mesh.Mesh{Start: []int32{0}}, 0, false)
	require.Error(t, err)
	flat := &mesh.Mesh{Parts: m.Parts, Start: []int32{0}}
	flat.Points = make([]r3.Vec, 3)
	flat.AddFace(0, 0, 1, 2)
	_, err = bind.NewShell(flat, 0, false)
	require.ErrorContains(t, err, "no extent")
}

// Drawn onto the mesh, a shell gives nearly the weights of heat on the mesh itself.
func TestAShellIsNearTheMesh(t *testing.T) {
	m, s := limb()
	good, _ := heat(t, m, s, bind.DefaultOptions)
	w, _, _, err := bind.OverShell(context.Background(), m, s, bind.DefaultOptions, 96, false, nil)
	require.NoError(t, err)
	for v := range m.Points {
		require.InDelta(t, good.Value(v, 0), w.Value(v, 0), 0.03)
	}
}
