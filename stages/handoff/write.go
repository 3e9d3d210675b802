package handoff

import (
	"errors"
	"fmt"
	"io"
	"unicode"

	"wisemarrow/core/pose"
	"wisemarrow/core/weights"
	"wisemarrow/formats/bvh"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/weightfile"
	"wisemarrow/studio"
)

// Write writes what is handed over. what is "glb" (mesh, skeleton, skin and motions), "reel" (the same with the
// test reel as its only motion), "bvh" (the reel as BVH), "skeleton" (.gltf), "obj" (the mesh), "csv" or "json"
// (the weights, as float32 exactly); influences caps the weights of a "glb" to 4 or 8, 0 keeps all.
func Write(w io.Writer, s *studio.State, what string, influences int) error {
	switch what {
	case "obj":
		if s.Mesh == nil {
			return studio.Wrong("there is no mesh to hand over")
		}
		return obj.Encode(w, s.Mesh)
	case "skeleton":
		if s.Skeleton == nil {
			return studio.Wrong("there is no skeleton to hand over")
		}
		return gltf.EncodeSkeleton(w, s.Skeleton)
	case "bvh":
		if s.Skeleton == nil {
			return studio.Wrong("there is no skeleton to hand over")
		}
		return bvh.Encode(w, s.Skeleton, s.TestReel().Clip(s.Skeleton, "test reel"))
	case "glb", "reel":
		if s.Mesh == nil {
			return studio.Wrong("there is no mesh to hand over")
		}
		sk := s.Weights
		if sk != nil && influences > 0 {
			sk = weights.Capped(s.Mesh, sk, weights.Limits{Cap: influences})
		}
		var clips []*pose.Clip
		if s.Skeleton != nil {
			clips = studio.EachClip(s.Clips, func(c *pose.Clip) *pose.Clip { return c.AboutOwn(s.Skeleton) })
		}
		if what == "reel" {
			if s.Skeleton == nil {
				return studio.Wrong("there is no skeleton that a reel could move")
			}
			clips = []*pose.Clip{s.TestReel().Clip(s.Skeleton, "test reel")}
		}
		err := gltf.EncodeGLB(w, &gltf.Scene{Mesh: s.Mesh, Skeleton: s.Skeleton, Weights: sk, Look: s.Look, Clips: clips, Binding: s.Binding})
		if errors.Is(err, gltf.ErrSeveralBinds) {
			return studio.Wrong("%v", err)
		}
		return err
	case "csv", "json":
		if s.Weights == nil {
			return studio.Wrong("there are no weights to hand over: bind first")
		}
		if what == "csv" {
			return weightfile.EncodeCSV(w, s.Weights, s.Mesh.World())
		}
		return weightfile.EncodeJSON(w, s.Weights, s.Mesh.World())
	}
	return studio.Wrong("there is no handoff %q; there are glb, reel, bvh, skeleton, obj, csv and json", what)
}

// longestName is how many letters of a character's name a file name keeps.
const longestName = 80

// FileName returns the file name for a handoff of a character: letters and digits of all scripts, in lower case.
func FileName(character, what string) string {
	name := []rune{}
	for _, r := range character {
		if len(name) == longestName {
			break
		}
		if unicode.IsLetter(r) || unicode.IsMark(r) || unicode.IsDigit(r) || r == '-' {
			name = append(name, unicode.ToLower(r))
		} else {
			name = append(name, '_')
		}
	}
	switch what {
	case "skeleton":
		return fmt.Sprintf("%s_skeleton.gltf", string(name))
	case "reel":
		return fmt.Sprintf("%s_reel.glb", string(name))
	case "bvh":
		return fmt.Sprintf("%s_reel.bvh", string(name))
	default:
		return fmt.Sprintf("%s.%s", string(name), what)
	}
}
