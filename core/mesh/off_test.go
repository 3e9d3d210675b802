package mesh_test

import (
	"bytes"
	"fmt"
	"testing"

	"wisemarrow/core/mesh"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// offMesh reads a plain OFF file, since core may not import the formats.
func offMesh(t *testing.T, data []byte) *mesh.Mesh {
	t.Helper()
	in := bytes.NewReader(data)
	var word string
	var nv, nf, ne int
	_, err := fmt.Fscan(in, &word, &nv, &nf, &ne)
	require.NoError(t, err)
	m := &mesh.Mesh{Points: make([]r3.Vec, nv), Parts: []mesh.Part{mesh.NewPart("off")}}
	for i := range m.Points {
		_, err := fmt.Fscan(in, &m.Points[i].X, &m.Points[i].Y, &m.Points[i].Z)
		require.NoError(t, err)
	}
	for range nf {
		var n int
		_, err := fmt.Fscan(in, &n)
		require.NoError(t, err)
		c := make([]int32, n)
		for i := range c {
			_, err := fmt.Fscan(in, &c[i])
			require.NoError(t, err)
		}
		m.AddFace(0, c...)
	}
	return m
}
