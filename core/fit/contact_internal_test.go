package fit

import (
	"testing"

	"wisemarrow/core/geom"

	"github.com/stretchr/testify/require"
)

// blocks are cubes by their coordinates, in a lattice of 8³.
func blocks(at ...[3]int) *fitter {
	v := &geom.Voxels{Cell: 1, NX: 8, NY: 8, NZ: 8, Inside: make([]bool, 512)}
	for _, p := range at {
		v.Inside[v.Index(p[0], p[1], p[2])] = true
	}
	return &fitter{vox: v}
}

func TestHandles(t *testing.T) {
	ring := [][3]int{{1, 1, 1}, {2, 1, 1}, {3, 1, 1}, {3, 2, 1}, {3, 3, 1}, {2, 3, 1}, {1, 3, 1}, {1, 2, 1}}
	require.Zero(t, blocks([3]int{1, 1, 1}).handles())
	require.Zero(t, blocks(ring[:7]...).handles())
	require.Equal(t, 1, blocks(ring...).handles())
	eight := append(ring, [3]int{4, 3, 1}, [3]int{5, 3, 1}, [3]int{5, 2, 1}, [3]int{5, 1, 1}, [3]int{4, 1, 1})
	require.Equal(t, 2, blocks(eight...).handles())
	require.Equal(
		t,
		1,
		blocks(
			[3]int{0, 0, 0},
			[3]int{1, 0, 0},
			[3]int{2, 0, 0},
			[3]int{2, 1, 0},
			[3]int{2, 2, 0},
			[3]int{1, 2, 0},
			[3]int{0, 2, 0},
			[3]int{0, 1, 0},
		).handles(),
		"at the edge of the lattice too",
	)
}
