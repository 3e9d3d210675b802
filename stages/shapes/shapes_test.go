package shapes_test

import (
	"fmt"
	"testing"

	"wisemarrow/internal/studiotest"

	"github.com/stretchr/testify/require"
)

func TestCorrectivesAreProposed(t *testing.T) {
	s := studiotest.Bound(t)
	out, told, err := studiotest.Try(s, "propose_correctives", `{}`)
	require.NoError(t, err)
	fmt.Println(told.Sentence)
	for _, x := range told.Steps {
		fmt.Println("  ", x)
	}
	for _, x := range told.Left {
		fmt.Println("  -", x)
	}
	require.NotEmpty(t, out.Mesh.Shapes)
}
