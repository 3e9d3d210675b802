package formats

import (
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/bvh"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"
)

// SkeletonExtensions are the files that a skeleton can be read from.
var SkeletonExtensions = []string{".gltf", ".glb", ".bvh"}

// DecodeSkeleton reads the skeleton of a file, and the first motion that it brings, nil
// without.
func DecodeSkeleton(name string, r io.Reader, resolve gltf.Resolver, l reading.Limits) (*skeleton.Skeleton, *pose.Clip, error) {
	switch ext := strings.ToLower(filepath.Ext(name)); ext {
	case ".bvh":
		f, err := bvh.Decode(r, l)
		if err != nil {
			return nil, nil, fmt.Errorf("%s: %w", name, err)
		}
		return f.Skeleton, f.Clip, nil
	case ".gltf", ".glb":
		s, err := gltf.Decode(r, resolve, l)
		if err != nil {
			return nil, nil, fmt.Errorf("%s: %w", name, err)
		}
		if s.Skeleton == nil {
			return nil, nil, fmt.Errorf(
				"%s: %w",
				name,
				&reading.Error{What: "it holds no joints", Do: "a skeleton file is a glTF with a skin, or with nodes only, or a BVH"},
			)
		}
		if len(s.Clips) > 0 {
			return s.Skeleton, s.Clips[0], nil
		}
		return s.Skeleton, nil, nil
	default:
		return nil, nil, fmt.Errorf(
			"%s: %w",
			name,
			&reading.Error{
				What: fmt.Sprintf("a skeleton cannot be read from files ending in %q", ext),
				Do:   "use one of " + strings.Join(SkeletonExtensions, " "),
			},
		)
	}
}
