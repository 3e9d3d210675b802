package main

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Each mutant changes a place that is there once, so that the list does not go stale between its runs.
func TestEachMutantHasItsPlace(t *testing.T) {
	names := map[string]bool{}
	for _, m := range mutants {
		require.False(t, names[m.Name], m.Name)
		names[m.Name] = true
		text, err := os.ReadFile("../../" + m.File)
		require.NoError(t, err, m.Name)
		assert.Equal(t, 1, strings.Count(string(text), m.From), "%s: %q in %s", m.Name, m.From, m.File)
	}
	require.GreaterOrEqual(t, len(mutants), 60)
}
