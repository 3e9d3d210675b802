package handoff

import (
	"bytes"
	"path/filepath"
	"strings"

	"wisemarrow/core/compare"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"
)

// Recognized are the endings of files that can be recognized.
var Recognized = []string{".glb", ".vrm", ".gltf", ".usda", ".usdz", ".dae"}

// ReadBack reads a file that came back, as it is compared; nil for a format of which only the stamp is read.
func ReadBack(name string, data []byte, l reading.Limits) (*compare.Side, error) {
	switch strings.ToLower(filepath.Ext(name)) {
	case ".glb", ".vrm", ".gltf":
	default:
		return nil, nil
	}
	x, err := gltf.Decode(bytes.NewReader(data), nil, l)
	if err != nil {
		return nil, err
	}
	return &compare.Side{Mesh: x.Mesh, Skeleton: x.Skeleton, Weights: x.Weights, Marks: skeleton.DefaultMarks, Clips: x.Clips}, nil
}
