package handoff

import (
	"archive/zip"
	"cmp"
	"encoding/json"
	"errors"
	"io"
	"slices"
	"strings"
	"time"
	"unicode"

	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/profile"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/formats/bvh"
	"wisemarrow/formats/collada"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/usd"
	"wisemarrow/formats/weightfile"
	"wisemarrow/studio"
)

// Format is a file that a character can be handed over as.
type Format struct {
	Name  string `json:"name"` // as Write takes it
	Label string `json:"label"`
	End   string `json:"end"` // of the file's name, after the character's
	needs func(s *studio.State) string
}

// Missing says what a state lacks for the format, "" for nothing.
func (f Format) Missing(s *studio.State) string { return f.needs(s) }

// Rig reports whether the format is of the whole character: mesh, skeleton, weights.
func (f Format) Rig() bool {
	c := carries[f.Name]
	return c.skin && f.Name != "reel"
}

// Rigs are the formats of the whole character.
func Rigs() (out []Format) {
	for _, f := range Formats {
		if f.Rig() {
			out = append(out, f)
		}
	}
	return out
}

// Shipped are the profiles that every production begins with.
func Shipped() []profile.Profile { return profile.Shipped }

// Leavable is what a file may leave out.
func Leavable() []string { return profile.Leavable }

// Namings are the public namings that a profile may ask for.
func Namings() []skeleton.NameMap { return skeleton.NameMaps }

// Unlisted is a chosen profile that is neither one that ships nor one of the production's: it came with the character.
func Unlisted(p *profile.Profile, own []profile.Profile) *profile.Profile {
	if p == nil || slices.ContainsFunc(own, func(o profile.Profile) bool { return o.Name == p.Name }) {
		return nil
	}
	if _, ok := profile.Find(p.Name); ok {
		return nil
	}
	return p
}

// Formats are what a character can be handed over as, the usual one first.
var Formats = []Format{
	{"glb", "Bound character, GLB", ".glb", needs(true, false, true)},
	{"vrm", "Humanoid avatar, VRM 1.0", ".vrm", func(s *studio.State) string {
		if why := needs(true, true, true)(s); why != "" {
			return why
		}
		return lackingBones(s, s.Settings.Profile)
	}},
	{"usdz", "USD with pictures, USDZ", ".usdz", needs(true, false, false)},
	{"usda", "USD text, USDA", ".usda", needs(true, false, false)},
	{"dae", "COLLADA 1.4.1, DAE", ".dae", needs(true, false, false)},
	{"skeleton", "Skeleton, glTF", "_skeleton.gltf", needs(false, true, false)},
	{"obj", "Mesh, OBJ", ".obj", needs(true, false, false)},
	{"reel", "With the test reel, GLB", "_reel.glb", needs(true, true, false)},
	{"bvh", "Test reel, BVH", "_reel.bvh", needs(false, true, false)},
	{"csv", "Weights, CSV", ".csv", needs(true, false, true)},
	{"json", "Weights, JSON", ".json", needs(true, false, true)},
	{"targets", "Shape targets, OBJ in a ZIP", "_targets.zip", func(s *studio.State) string {
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

// Options are how a character is written.
type Options struct {
	Influences int // weights are capped to so many a vertex; 0 keeps all
	// Profile has the file written as a receiver needs it: its limits of weights, its unit and up axis, what is left out. Rules that
	// the character does not meet stay so: Meet them first. Nil writes the character as it is.
	Profile *profile.Profile
	Name    string    // of the character
	Stamp   *Stamp    // what the file says of where it comes from; nil is nothing
	Since   time.Time // when the revision was made, where a format asks
}

// Write writes what is handed over. what is one of Formats: "glb" (mesh, skeleton, skin and motions), "vrm" (the same as an avatar),
// "usda", "usdz" and "dae" (the same), "reel" (a GLB with the test reel as its only motion),
// "bvh" (the reel as BVH), "skeleton" (.gltf), "obj" (the mesh as shape targets have it at rest), "csv" or "json" (the weights, as
// float32 exactly), "targets" (each shape target fully on, as OBJ, in a ZIP).
func Write(w io.Writer, s *studio.State, what string, o Options) error {
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
	var file profile.File
	if o.Profile != nil {
		file = o.Profile.File
	}
	s, unit := written(s, file, what)
	if err := write(s, what, w, unit, file, o); errors.Is(err, gltf.ErrSeveralBinds) {
		return studio.Wrong("%v", err)
	} else if err != nil {
		return err
	}
	return nil
}

// write writes a state that is as the file has it.
func write(s *studio.State, what string, w io.Writer, unit float64, file profile.File, o Options) error {
	up := file.Up == "z"
	switch what {
	case "obj":
		return obj.Encode(w, shown(s))
	case "skeleton":
		return gltf.EncodeSkeleton(w, s.Skeleton)
	case "bvh":
		return bvh.Encode(w, s.Skeleton, s.TestReel().Clip(s.Skeleton, "test reel").WithHelpers(s.Skeleton))
	case "targets":
		return writeTargets(w, s)
	case "csv":
		return weightfile.EncodeCSV(w, s.Weights, s.Mesh.World())
	case "json":
		return weightfile.EncodeJSON(w, s.Weights, s.Mesh.World())
	}
	x := sceneOf(s, what, file, o)
	switch what {
	case "vrm":
		if err := asAvatar(x, s, o.Profile, o.Name); err != nil {
			return err
		}
	case "usda":
		return usd.Encode(w, x, usd.Options{Name: o.Name, Unit: unit, ZUp: up})
	case "usdz":
		return usd.EncodePacked(w, x, usd.Options{Name: o.Name, Unit: unit, ZUp: up})
	case "dae":
		x.Mesh = shown(s)
		return collada.Encode(w, x, collada.Options{Name: o.Name, Unit: unit, ZUp: up, Since: o.Since})
	}
	return gltf.EncodeGLB(w, x)
}

// shown is the mesh as shape targets have it at rest.
func shown(s *studio.State) *mesh.Mesh {
	values := s.Rig().For(s.Skeleton, s.Settings.Marks).Values(nil)
	if !slices.ContainsFunc(values, func(x float64) bool { return x != 0 }) {
		return s.Mesh
	}
	m := s.Mesh.Placed(shape.Places(s.Mesh.World(), s.Mesh.WorldShapes(), values))
	m.Normal = nil // they were those of the mesh without targets
	return m
}

// written is a state as a file has it: in its unit and up axis, without what it leaves out, its parts apart. glTF is in meters and Y
// up, whatever is asked for.
func written(s *studio.State, file profile.File, what string) (*studio.State, float64) {
	out, unit := *s, 1.0
	fixed := what == "glb" || what == "vrm" || what == "reel" || what == "skeleton" || what == "csv" || what == "json"
	if !fixed {
		place := mesh.NoPlacement
		if file.Unit != "" {
			unit = profile.Units[file.Unit]
			place.Scale = 1 / unit
		}
		if file.Up == "z" {
			place.Up = "-z" // what is up becomes +Z
		}
		if place != mesh.NoPlacement {
			if out.Mesh == nil { // what is moved is moved with its mesh
				out.Mesh = &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("none")}}
				out = out.Moved(place)
				out.Mesh = nil
			} else {
				out = out.Moved(place)
			}
		}
	}
	if out.Mesh == nil {
		return &out, unit
	}
	if file.Separate && len(out.Mesh.Parts) > 1 {
		out = out.WithMesh(out.Mesh.PartsApart())
	}
	m := *out.Mesh
	for _, leave := range file.Leave {
		switch leave {
		case "textures":
			if out.Look != nil {
				out.Look = out.Look.WithoutTextures()
			}
		case "attributes":
			m.Extra = nil
		case "targets":
			m.Shapes, out.Shapes = nil, nil
		case "motions":
			out.Clips = nil
		}
	}
	out.Mesh = &m
	return &out, unit
}

// sceneOf is what formats with skeletons are given.
func sceneOf(s *studio.State, what string, file profile.File, o Options) *gltf.Scene {
	x := &gltf.Scene{Mesh: s.Mesh, Skeleton: s.Skeleton, Look: s.Look, Binding: s.Binding, Shapes: s.Shapes, Marks: s.Settings.Marks}
	if o.Stamp != nil && !slices.Contains(file.Leave, "extras") {
		x.Stamp = o.Stamp.Marked()
	}
	if s.Weights != nil {
		x.Weights = stored(s, o.Profile, o.Influences)
		if o.Profile != nil {
			x.WeightBits = o.Profile.WeightBits
		}
	}
	if s.Skeleton == nil {
		return x
	}
	x.Clips = studio.EachClip(s.Clips, func(c *pose.Clip) *pose.Clip { return c.AboutOwn(s.Skeleton).WithHelpers(s.Skeleton) })
	if what == "reel" {
		x.Clips = []*pose.Clip{s.TestReel().Clip(s.Skeleton, "test reel").WithHelpers(s.Skeleton)}
	}
	if file.InPlace {
		x.Clips = studio.EachClip(x.Clips, func(c *pose.Clip) *pose.Clip { return c.InPlace(file.Up == "z") })
	}
	return x
}

// stored are the weights as a file has them: capped by a profile and by a number, in whole numbers where the profile has such; the
// very same where nothing is done to them.
func stored(s *studio.State, p *profile.Profile, influences int) *weights.Weights {
	w, most := s.Weights, influences
	if p != nil && p.Influences > 0 && (most == 0 || p.Influences < most) {
		most = p.Influences
	}
	if most > 0 && longest(w) > most {
		w = weights.Capped(s.Mesh, w, weights.Limits{Cap: most})
	}
	if p != nil && p.WeightBits > 0 {
		w = InBits(w, p.WeightBits)
	}
	return w
}

// asAvatar makes a scene one of the open avatar standard, or says which bones it lacks.
func asAvatar(x *gltf.Scene, s *studio.State, p *profile.Profile, name string) error {
	var file profile.File
	if p != nil {
		file = p.File
	}
	a := &gltf.Avatar{Bones: map[string]int{}, Meta: gltf.AvatarMeta{Name: cmp.Or(name, "character"), Authors: []string{"unknown"}}}
	if file.Avatar != nil {
		if err := json.Unmarshal(file.Avatar, &a.Meta); err != nil {
			return studio.Wrong("file.avatar: %v", err)
		}
		a.Meta.Name = cmp.Or(a.Meta.Name, name, "character")
	}
	if len(a.Meta.Authors) == 0 {
		return studio.Wrong("file.avatar: an avatar names at least one author")
	}
	if why := lackingBones(s, p); why != "" {
		return studio.Wrong("%s", why)
	}
	a.Bones = bonesOf(s, p)
	x.Avatar = a
	return nil
}

// bonesOf are the joints that are bones of the open avatar standard: by our names for them, with the prefix of a profile or without,
// or by the standard's.
func bonesOf(s *studio.State, p *profile.Profile) map[string]int {
	out := map[string]int{}
	names, err := skeleton.FindNameMap("vrm")
	if err != nil {
		return out // it ships
	}
	prefix := ""
	if p != nil && p.Names != nil {
		prefix = p.Names.Prefix
	}
	theirs := names.Ours()
	for i, j := range s.Skeleton.Joints {
		stem, side := s.Settings.Marks.Split(j.Name)
		if bone, ok := names.Joints[skeleton.DefaultMarks.Join(strings.TrimPrefix(stem, prefix), side)]; ok {
			out[bone] = i
		} else if _, ok := theirs[j.Name]; ok {
			out[j.Name] = i
		}
	}
	return out
}

// lackingBones says which bones an avatar needs and the skeleton has none of, "" for all there.
func lackingBones(s *studio.State, p *profile.Profile) string {
	a := gltf.Avatar{Bones: bonesOf(s, p)}
	lacks := a.Lacks()
	if len(lacks) == 0 {
		return ""
	}
	return "an avatar needs the bones " + few(lacks) + ", and no joint has their names or ours for them: rename joints at Placement"
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
	for _, f := range Formats {
		if f.Name == what {
			return name + f.End
		}
	}
	return name + "." + what
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
