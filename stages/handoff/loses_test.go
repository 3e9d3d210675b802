package handoff

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// The table in docs/formats.md is the one that is told beforehand.
func TestTheTableOfFormats(t *testing.T) {
	data, err := os.ReadFile("../../docs/formats.md")
	require.NoError(t, err)
	seen := 0
	for line := range strings.Lines(string(data)) {
		cells := strings.Split(line, "|")
		if len(cells) != 12 {
			continue
		}
		for i := range cells {
			cells[i] = strings.TrimSpace(cells[i])
		}
		c, ok := carries[cells[1]]
		if !ok {
			continue
		}
		seen++
		want := []bool{c.skin, c.polygons, c.coordinates, c.colors, c.pictures, c.targets, c.drivers, c.motions}
		for k, yes := range want {
			require.Equal(t, map[bool]string{true: "yes", false: "no"}[yes], cells[k+2], "%s, column %d", cells[1], k)
		}
	}
	require.Equal(t, len(carries), seen)
}
