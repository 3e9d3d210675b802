//go:build !amd64 || purego

package linalg

import "testing"

func withVectors(*testing.T, bool) {}
