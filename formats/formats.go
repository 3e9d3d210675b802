// Package formats reads any mesh or skeleton file that Wise Marrow knows, by
// the name of the file.
package formats

import (
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"wisemarrow/core/mesh"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/off"
	"wisemarrow/formats/ply"
	"wisemarrow/formats/reading"
	"wisemarrow/formats/stl"
)

// Extensions are the mesh files that can be read.
var Extensions = []string{".obj", ".glb", ".gltf", ".vrm", ".ply", ".stl", ".off"}

// Decode reads the file of that name. A format other than glTF gives a scene
// with a mesh only. Errors start with the name.
func Decode(name string, r io.Reader, resolve gltf.Resolver, l reading.Limits) (*gltf.Scene, error) {
	var m *mesh.Mesh
	var err error
	switch ext := strings.ToLower(filepath.Ext(name)); ext {
	case ".glb", ".gltf", ".vrm":
		s, err := gltf.Decode(r, resolve, l)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		return s, nil
	case ".obj":
		f, err := obj.Decode(r, resolve, l)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		if err := f.Mesh.Validate(); err != nil {
			return nil, fmt.Errorf("%s: %w", name, reading.At("mesh", "%v", err))
		}
		return &gltf.Scene{Mesh: f.Mesh, Look: f.Look, Notes: f.Notes}, nil
	case ".ply":
		m, err = ply.Decode(r, l)
	case ".stl":
		m, err = stl.Decode(r, l)
	case ".off":
		m, err = off.Decode(r, l)
	default:
		return nil, fmt.Errorf(
			"%s: %w",
			name,
			&reading.Error{What: fmt.Sprintf("files ending in %q cannot be read", ext), Do: "use one of " + strings.Join(Extensions, " ")},
		)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	if err := m.Validate(); err != nil {
		return nil, fmt.Errorf("%s: %w", name, reading.At("mesh", "%v", err))
	}
	return &gltf.Scene{Mesh: m}, nil
}
