package progress_test

import (
	"fmt"
	"testing"

	"wisemarrow/core/progress"

	"github.com/stretchr/testify/require"
)

func ExampleFunc_Part() {
	tell := progress.Func(func(what string, share float64) { fmt.Printf("%s: %.0f%%\n", what, 100*share) })
	second := tell.Part(0.5, 1)
	second("Smoothing", 0.5)
	// Output: Smoothing: 75%
}

func TestAPartOfNothingIsNothing(t *testing.T) {
	require.Nil(t, progress.Func(nil).Part(0, 1))
}
