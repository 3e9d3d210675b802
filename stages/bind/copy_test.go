package bind_test

import (
	"testing"

	"wisemarrow/internal/studiotest"

	"github.com/stretchr/testify/require"
)

func TestADecimatedCopyIsBoundAndSaid(t *testing.T) {
	s := studiotest.Bound(t)
	out, told, err := studiotest.Try(s, "bind_decimated", `{"copy":1500}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "Bound on a decimated copy")
	require.Contains(t, out.Bind.Report.Said, "from the mesh at most")
	require.Empty(t, out.Stray())
	require.Equal(t, s.Mesh, out.Mesh)
	same, told, err := studiotest.Try(s, "bind_decimated", `{"copy":200000}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "Bound itself")
	itself := studiotest.Do(t, s, "bind_auto", `{}`)
	require.Equal(t, itself.Weights, same.Weights)
	_, _, err = studiotest.Try(s, "bind_decimated", `{"copy":10}`)
	require.ErrorContains(t, err, "500")
}
