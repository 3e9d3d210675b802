package health

import (
	"fmt"
	"math"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/spatial/r3"
)

// frames looks at the transforms that the parts still have, and at unit and up
// axis.
func (c check) frames() []finding.Finding {
	var out []finding.Finding
	guess := c.GuessPlacement()
	place := Placements{{Scale: guess.Scale, Up: guess.Up, Stand: guess.Stand}}
	if c.Framed() {
		out = append(out, c.transforms(place))
	}
	if guess.Scale != 1 || guess.Up != "y" {
		s := geom.BoxOf(c.At).Size()
		out = append(out, finding.Finding{Code: "size_or_axis", Severity: finding.Blocks, Count: 1,
			Title:    "The file's unit or up axis differs from the production's",
			Why:      "Joints are fitted by body proportions in meters with Y up; " + guess.Reason + ".",
			Evidence: []finding.Evidence{metres("extent along Y", s.Y, 6), metres("extent along Z", s.Z, 6)},
			Data:     place})
	}
	return out
}

func (c check) transforms(place Placements) finding.Finding {
	var scale, offset, turn float64
	mirrored, differ, framed := 0, map[geom.Matrix]bool{}, 0
	f := finding.Finding{Code: "transform_not_identity", Severity: finding.Harms, Data: place}
	faces := make([][]int32, len(c.Parts))
	for i := range c.Faces() {
		p := c.PartOf(i)
		faces[p] = append(faces[p], int32(i))
	}
	for i, p := range c.Parts {
		differ[p.Frame] = true
		if p.Frame == geom.IdentityMatrix {
			continue
		}
		framed++
		t, q, k := p.Frame.Decompose()
		says := ""
		if d := r3.Norm(t); d > geom.SameShare*c.Diagonal {
			offset = math.Max(offset, d)
			says += ", moved by " + wording.Length(d)
		}
		if a := 2 * math.Acos(math.Min(1, math.Abs(q.Real))) * 180 / math.Pi; a > 1e-3 {
			turn = math.Max(turn, a)
			says += fmt.Sprintf(", rotated by %.1f°", a)
		}
		off := 0.0
		for _, x := range [3]float64{k.X, k.Y, k.Z} {
			off = math.Max(off, math.Abs(math.Abs(x)-1))
		}
		if off > geom.FlatShare {
			scale = math.Max(scale, off)
			says += fmt.Sprintf(", scaled by %.4g, %.4g, %.4g", math.Abs(k.X), k.Y, k.Z)
		}
		if k.X < 0 {
			mirrored++
			says += ", mirrored"
		}
		f.Where.Spots = append(f.Where.Spots, finding.Spot{Label: p.Name + says, Faces: faces[i]})
		f.Where.Faces = append(f.Where.Faces, faces[i]...)
	}
	f.Count = framed
	f.Title = wording.Count(framed, "part has an unbaked transform", "parts have unbaked transforms")
	f.Why = "A skinned mesh ignores the transform of its node, so the skin jumps when another program opens the file. Bake it."
	if len(differ) > 1 {
		f.Why += " The parts' transforms differ, so the parts would separate."
	}
	f.Evidence = []finding.Evidence{metres("offset", offset, 0), {What: "turn", Value: turn, Unit: "°"}, evidence("scale off 1", scale, 0),
		evidence("mirrored parts", float64(mirrored), 0), evidence("different transforms", float64(len(differ)), 1)}
	return f
}

// Kinds are the characters whose usual size is known, with the heights in
// metres that are taken for plausible (common practice, no source).
var Kinds = []Kind{
	{"biped", "Biped", 0.4, 3}, {"quadruped", "Quadruped", 0.12, 4}, {"bird", "Bird", 0.08, 3},
	{"hand", "Hand", 0.1, 0.6}, {"chain", "Chain or serpent", 0.02, 6}, {"other", "Other", 0.02, 12},
}

// Kind is a kind of character.
type Kind struct {
	Name, Title string
	Low, High   float64 // plausible extent along Y, metres
}

// FindKind returns the kind of that name.
func FindKind(name string) (Kind, bool) {
	for _, k := range Kinds {
		if k.Name == name {
			return k, true
		}
	}
	return Kind{}, false
}

// HeavyMesh is the number of vertices above which a bind gains nothing any
// more (common practice, no source).
const HeavyMesh = 80_000

const placeShare = 0.02 // of the height: off the ground, off the middle

// size looks at height, place and front of a mesh whose unit and axis are right,
// and at its number of vertices.
func (c check) size() []finding.Finding {
	var out []finding.Finding
	if n := len(c.Points); n > HeavyMesh {
		out = append(out, finding.Finding{Code: "heavy_mesh", Severity: finding.Note, Count: n, Title: "More vertices than a bind needs",
			Why:      "Weights vary slowly: a mesh with a tenth of the vertices binds just as well, faster, and its weights can be carried over to this one.",
			Evidence: []finding.Evidence{evidence("vertices", float64(n), HeavyMesh)}})
	}
	guess := c.GuessPlacement()
	if guess.Scale != 1 || guess.Up != "y" {
		return out // its own finding; the rest follows from it
	}
	b := geom.BoxOf(c.At)
	h := b.Size().Y
	kind, ok := FindKind(c.kind)
	if !ok {
		kind = Kind{"", "character", 0.05, 6}
	}
	if h < kind.Low || h > kind.High {
		out = append(out, finding.Finding{Code: "implausible_size", Severity: finding.Harms, Count: 1,
			Title:    fmt.Sprintf("A height of %s is unusual for this kind (%s)", wording.Length(h), lower(kind.Title)),
			Why:      "Falloffs, weld distances and motions assume real size, and props will not fit. Rescale it.",
			Evidence: []finding.Evidence{metres("height", h, map[bool]float64{true: kind.Low, false: kind.High}[h < kind.Low])}})
	}
	stand := turned(0)
	if math.Abs(b.Min.Y) > placeShare*h {
		out = append(out, finding.Finding{Code: "off_ground", Severity: finding.Note, Count: 1, Title: "It is not on the ground",
			Why:      "The root of a rig is on the ground at the origin; a character that floats or sinks here will do so in every scene.",
			Evidence: []finding.Evidence{metres("lowest vertex", b.Min.Y, 0)}, Data: stand})
	}
	sym := c.plane()
	symmetric := sym.Surface > 0.7
	middle, what := b.Centre().X, "center along X"
	switch {
	case symmetric && sym.Normal.X > 0.999:
		middle = sym.Offset
	case symmetric: // it stands askew, and its box tells nothing
		middle, what = sym.Offset, "mirror plane from the origin"
	}
	if math.Abs(middle) > placeShare*h {
		out = append(out, finding.Finding{Code: "off_centre", Severity: finding.Note, Count: 1, Title: "It is off center",
			Why:      "Both sides are mirrored about X = 0; mirrored joints and weights would be misplaced.",
			Evidence: []finding.Evidence{metres(what, middle, 0)}, Data: stand})
	}
	if symmetric {
		out = append(out, facing(mesh.FindFront(c.At, sym))...)
	}
	return out
}

// facing reports a body that looks elsewhere than to +Z, with what shows it; where front and back
// cannot be told apart, only a plane of symmetry that lies askew.
func facing(front mesh.Front) []finding.Finding {
	turn := math.Round(front.Turn*10) / 10
	other := math.Remainder(turn+180, 360)
	f := finding.Finding{Code: "not_facing_front", Severity: finding.Harms, Count: 1,
		Why: "Left and right, the bend of knees and the mirror plane all assume it faces +Z."}
	switch {
	case front.Sure && math.Abs(turn) > 2:
		f.Title = fmt.Sprintf("It faces %.4g° away from the front", math.Abs(turn))
		f.Evidence = []finding.Evidence{degrees("rotation to the front", turn)}
		f.Data = turned(turn)
	case !front.Sure && math.Min(math.Abs(turn), math.Abs(other)) > 2:
		f.Title = "It does not face front, and which side is its front is unclear"
		f.Why += " Feet, knees, face and hands do not show where the front is, or contradict each other: look, then choose."
		f.Evidence = []finding.Evidence{degrees("rotation to the front", turn), degrees("or", other)}
		f.Data = turned(turn, other)
	default:
		return nil
	}
	for _, s := range front.Signs {
		f.Evidence = append(f.Evidence, metres(s.What, s.By, s.By)) // has no limit
	}
	return []finding.Finding{f}
}

// turned places a mesh on the ground, turned about +Y by each of some angles in degrees.
func turned(by ...float64) (out Placements) {
	for _, turn := range by {
		out = append(out, mesh.Placement{Scale: 1, Up: "y", Turn: turn, Stand: true})
	}
	return out
}

// degrees is an angle without a limit.
func degrees(what string, value float64) finding.Evidence {
	return finding.Evidence{What: what, Value: value, Limit: value, Unit: "°"}
}

func lower(s string) string {
	if s == "" {
		return s
	}
	return string(s[0]|0x20) + s[1:]
}
