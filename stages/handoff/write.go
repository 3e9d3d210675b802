package handoff

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode"

	"wisemarrow/core/pose"
	"wisemarrow/core/weights"
	"wisemarrow/formats/bvh"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/weightfile"
	"wisemarrow/studio"
)

// Format is a file that a character can be handed over as.
type Format struct {
	Name  string `json:"name"` // as Write takes it
	Label string `json:"label"`
	needs func(s *studio.State) string
}

// Missing says what a state lacks for the format, "" for nothing.
func (f Format) Missing(s *studio.State) string { return f.needs(s) }

// Formats are what a character can be handed over as, the usual one first.
var Formats = []Format{
	{"glb", "Bound character, GLB", needs(true, false, true)},
	{"skeleton", "Skeleton, glTF", needs(false, true, false)},
	{"obj", "Mesh, OBJ", needs(true, false, false)},
	{"reel", "With the test reel, GLB", needs(true, true, false)},
	{"bvh", "Test reel, BVH", needs(false, true, false)},
	{"csv", "Weights, CSV", needs(true, false, true)},
	{"json", "Weights, JSON", needs(true, false, true)},
}

func needs(mesh, skeleton, weights bool) func(s *studio.State) string {
	return func(s *studio.State) string {
		switch {
		case mesh && s.Mesh == nil:
			return "no mesh to hand over"
		case skeleton && s.Skeleton == nil:
			return "no skeleton to hand over"
		case weights && s.Weights == nil:
			return "no weights to hand over: bind first"
		}
		return ""
	}
}

// Write writes what is handed over. what is "glb" (mesh, skeleton, skin and motions), "reel" (the same with the
// test reel as its only motion), "bvh" (the reel as BVH), "skeleton" (.gltf), "obj" (the mesh), "csv" or "json"
// (the weights, as float32 exactly); influences caps the weights of a "glb" to 4 or 8, 0 keeps all.
func Write(w io.Writer, s *studio.State, what string, influences int) error {
	at := slices.IndexFunc(Formats, func(f Format) bool { return f.Name == what })
	if at < 0 {
		var names []string
		for _, f := range Formats {
			names = append(names, f.Name)
		}
		return studio.Wrong("there is no handoff %q; there are %s", what, strings.Join(names, ", "))
	}
	if why := Formats[at].Missing(s); why != "" && (what != "glb" || s.Mesh == nil) { // a mesh alone is a GLB too
		return studio.Wrong("%s", why)
	}
	switch what {
	case "obj":
		return obj.Encode(w, s.Mesh)
	case "skeleton":
		return gltf.EncodeSkeleton(w, s.Skeleton)
	case "bvh":
		return bvh.Encode(w, s.Skeleton, s.TestReel().Clip(s.Skeleton, "test reel").WithHelpers(s.Skeleton))
	case "glb", "reel":
		sk := s.Weights
		if sk != nil && influences > 0 {
			sk = weights.Capped(s.Mesh, sk, weights.Limits{Cap: influences})
		}
		var clips []*pose.Clip
		if s.Skeleton != nil {
			clips = studio.EachClip(s.Clips, func(c *pose.Clip) *pose.Clip { return c.AboutOwn(s.Skeleton).WithHelpers(s.Skeleton) })
		}
		if what == "reel" {
			clips = []*pose.Clip{s.TestReel().Clip(s.Skeleton, "test reel").WithHelpers(s.Skeleton)}
		}
		err := gltf.EncodeGLB(
			w,
			&gltf.Scene{
				Mesh: s.Mesh, Skeleton: s.Skeleton, Weights: sk, Look: s.Look, Clips: clips, Binding: s.Binding,
				Shapes: s.Shapes, Marks: s.Settings.Marks,
			},
		)
		if errors.Is(err, gltf.ErrSeveralBinds) {
			return studio.Wrong("%v", err)
		}
		return err
	case "csv":
		return weightfile.EncodeCSV(w, s.Weights, s.Mesh.World())
	}
	return weightfile.EncodeJSON(w, s.Weights, s.Mesh.World())
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
