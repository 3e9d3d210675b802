//go:build amd64 && !purego

package linalg

import "testing"

func withVectors(t *testing.T, yes bool) {
	was := vectors
	vectors = yes
	t.Cleanup(func() { vectors = was })
}
