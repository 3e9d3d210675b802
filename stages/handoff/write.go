package handoff

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode"

	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
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
	{"targets", "Shape targets, OBJ in a ZIP", func(s *studio.State) string {
		if s.Mesh == nil || len(s.Mesh.Shapes) == 0 {
			return "no shape targets to hand over"
		}
		return ""
	}},
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
// (the weights, as float32 exactly), "targets" (each shape target fully on, as OBJ, in a ZIP); influences caps the weights of
// a "glb" to 4 or 8, 0 keeps all.
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
	case "targets":
		return writeTargets(w, s)
	case "csv":
		return weightfile.EncodeCSV(w, s.Weights, s.Mesh.World())
	}
	return weightfile.EncodeJSON(w, s.Weights, s.Mesh.World())
}

// mostPacked bounds how many vertices are packed in all, as text: about 2 GB before they are.
const mostPacked = 20_000_000

// writeTargets packs the mesh with each shape target fully on and no other, by their names.
func writeTargets(w io.Writer, s *studio.State) error {
	if n := len(s.Mesh.Points) * len(s.Mesh.Shapes); n > mostPacked {
		return studio.Wrong("%s of %s vertices are too much for a ZIP of OBJ: hand off as GLB",
			wording.Count(len(s.Mesh.Shapes), "shape target", "shape targets"), wording.Thousands(len(s.Mesh.Points)))
	}
	out := zip.NewWriter(w)
	rest, taken := s.Mesh.World(), map[string]bool{}
	values := make([]float64, len(s.Mesh.Shapes))
	list := s.Mesh.WorldShapes()
	for k, t := range list {
		name := shape.Unique(plain(t.Name), func(n string) bool { return taken[strings.ToLower(n)] })
		taken[strings.ToLower(name)] = true
		file, err := out.Create(name + ".obj")
		if err != nil {
			return err
		}
		values[k] = 1
		m := s.Mesh.Placed(shape.Places(rest, list, values))
		values[k] = 0
		m.Shapes = nil
		if err := obj.Encode(file, m); err != nil {
			return err
		}
	}
	return out.Close()
}

// longestName is how many letters of a character's name a file name keeps.
const longestName = 80

// FileName returns the file name for a handoff of a character: letters and digits of all scripts, in lower case.
func FileName(character, what string) string {
	name := strings.ToLower(plain(character))
	switch what {
	case "skeleton":
		return fmt.Sprintf("%s_skeleton.gltf", name)
	case "targets":
		return fmt.Sprintf("%s_targets.zip", name)
	case "reel":
		return fmt.Sprintf("%s_reel.glb", name)
	case "bvh":
		return fmt.Sprintf("%s_reel.bvh", name)
	default:
		return fmt.Sprintf("%s.%s", name, what)
	}
}

// plain is a name with letters and digits of all scripts alone, as long as a file name may be.
func plain(name string) string {
	out := []rune{}
	for _, r := range name {
		if len(out) == longestName {
			break
		}
		if !unicode.IsLetter(r) && !unicode.IsMark(r) && !unicode.IsDigit(r) && r != '-' {
			r = '_'
		}
		out = append(out, r)
	}
	return string(out)
}
