package handoff

import (
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

// carried is what a format has words for, of what a character may have.
type carried struct {
	skin, polygons, coordinates, colors, pictures, targets, drivers, motions bool
}

// carries are those of the formats with a mesh; docs/formats.md has the same table, and a test holds them to each other.
var carries = map[string]carried{
	"glb":  {skin: true, coordinates: true, colors: true, pictures: true, targets: true, drivers: true, motions: true},
	"reel": {skin: true, coordinates: true, colors: true, pictures: true, targets: true, drivers: true},
	"vrm":  {skin: true, coordinates: true, colors: true, pictures: true, targets: true, drivers: true, motions: true},
	"usdz": {skin: true, polygons: true, coordinates: true, pictures: true, targets: true, motions: true},
	"usda": {skin: true, polygons: true, coordinates: true, targets: true, motions: true},
	"dae":  {skin: true, polygons: true, coordinates: true, motions: true},
	"obj":  {polygons: true, coordinates: true},
}

// Loses says what a character has that a format cannot carry, before it is written. Formats that are of one thing alone, such as
// weights as a table, lose nothing of it.
func Loses(s *studio.State, what string) []string {
	c, known := carries[what]
	out := []string{}
	if !known || s.Mesh == nil {
		return out
	}
	add := func(has, can bool, format string, args ...any) {
		if has && !can {
			out = append(out, fmt.Sprintf(format, args...))
		}
	}
	add(s.Skeleton != nil && s.Weights != nil, c.skin, "skeleton and weights")
	many := 0
	for f := range s.Mesh.Faces() {
		if len(s.Mesh.Face(f)) > 3 {
			many++
		}
	}
	add(many > 0, c.polygons, "%s with more than three corners, which are triangulated", wording.Count(many, "face", "faces"))
	var colors, sets []string
	for _, a := range s.Mesh.Extra {
		if strings.HasPrefix(a.Name, "TEXCOORD_") {
			sets = append(sets, a.Name)
		} else {
			colors = append(colors, a.Name)
		}
	}
	add(len(colors) > 0, c.colors, "vertex colors and attributes (%s)", strings.Join(colors, ", "))
	add(len(sets) > 0, c.colors, "more than one set of texture coordinates (%s)", strings.Join(sets, ", "))
	add(s.Look != nil && len(s.Look.Images) > 0, c.pictures, "%s", wording.Count(picturesOf(s), "texture", "textures"))
	n := len(s.Mesh.Shapes)
	add(n > 0, c.targets, "%s", wording.Count(n, "shape target", "shape targets"))
	driven := 0
	for _, t := range s.Rig().Targets {
		if !t.ByHand() {
			driven++
		}
	}
	add(driven > 0 && c.targets, c.drivers, "what brings on %s: the motions have their values frame by frame", wording.Count(driven, "shape target", "shape targets"))
	add(len(s.Clips) > 0, c.motions, "%s", wording.Count(len(s.Clips), "motion", "motions"))
	add(len(s.Clips) > 1, what != "dae", "%s: the format has one time line, on which the first is", wording.Count(len(s.Clips)-1, "motion", "motions"))
	return slices.Clip(out)
}

func picturesOf(s *studio.State) int {
	if s.Look == nil {
		return 0
	}
	return len(s.Look.Images)
}
