// Package profile says what the receiver of a character needs of it, and measures whether it is so.
package profile

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"wisemarrow/core/skeleton"
)

// Profile is what a receiver needs: rules with limits. A rule that is left out, or 0, asks for nothing.
type Profile struct {
	Name string `json:"name"`
	Note string `json:"note,omitempty"`

	Influences  int     `json:"influences,omitempty"`          // joints that a vertex follows, at most
	WeightBits  int     `json:"weightBits,omitempty"`          // each weight is stored in so many: 8 or 16; 0 is single precision
	Rounding    float64 `json:"roundingMillimeters,omitempty"` // the skin may be moved so far by the two above
	Joints      int     `json:"joints,omitempty"`              // in all
	PartJoints  int     `json:"jointsPerPart,omitempty"`       // that the vertices of one part follow
	OneRoot     bool    `json:"oneRoot,omitempty"`             // one joint without a parent
	NoIdle      bool    `json:"noIdleJoints,omitempty"`        // every joint moves a vertex, or one below it does
	Zero        bool    `json:"zeroRotations,omitempty"`       // joints have no rotation at rest
	Rest        string  `json:"rest,omitempty"`                // "t" or "a": how the arms are held at rest
	Names       *Names  `json:"names,omitempty"`               // of joints
	Vertices    int     `json:"verticesPerPart,omitempty"`     // that a part has
	OnePart     bool    `json:"onePart,omitempty"`             // the mesh is one part
	Triangles   bool    `json:"triangles,omitempty"`           // no face has more than three corners
	Floor       bool    `json:"floor,omitempty"`               // the lowest vertex is at height 0
	NoLeftovers bool    `json:"noLeftovers,omitempty"`         // nothing hidden, no vertex without a face
	Targets     *int    `json:"targets,omitempty"`             // shape targets, at most; 0 is none
	Motions     *int    `json:"motions,omitempty"`             // at most; 0 is none
	Clear       bool    `json:"clear,omitempty"`               // no finding of an earlier stage blocks
	Score       float64 `json:"score,omitempty"`               // of the motion check, at most
	Over        *int    `json:"overLimit,omitempty"`           // places over their limits in the motion check, at most

	File File `json:"file,omitzero"`
}

// Names are what joint names must be like.
type Names struct {
	Letters  string `json:"letters,omitempty"` // "word": a–z, A–Z, 0–9 and _; "lower": a–z, 0–9 and _; "" is any
	Longest  int    `json:"longest,omitempty"` // letters
	AnyCase  bool   `json:"anyCase,omitempty"` // names that differ only in case count as the same
	Prefix   string `json:"prefix,omitempty"`  // that each begins with
	Left     string `json:"left,omitempty"`    // ends of the names of joints of the left, and of the right
	Right    string `json:"right,omitempty"`
	Standard string `json:"standard,omitempty"` // the names of a public naming, where it has one: skeleton.NameMap.Name
}

// File is how the file is written.
type File struct {
	Format   string   `json:"format,omitempty"` // of those that a character is handed over in
	Unit     string   `json:"unit,omitempty"`   // "m", "cm", "mm", "in", "ft"; "" is meters
	Up       string   `json:"up,omitempty"`     // "y" or "z"; "" is Y
	Separate bool     `json:"separateParts,omitempty"`
	Leave    []string `json:"leaveOut,omitempty"`       // of Leavable
	InPlace  bool     `json:"motionsInPlace,omitempty"` // the root goes only up and down
	// Avatar is the license of an avatar, as VRM 1.0 has its meta: authors, licenseUrl, avatarPermission, commercialUsage and so on.
	Avatar json.RawMessage `json:"avatar,omitempty"`
}

// Leavable is what a file may leave out.
var Leavable = []string{"textures", "attributes", "targets", "motions", "extras"}

// Units are the lengths of a file's unit, in meters, by name.
var Units = map[string]float64{"m": 1, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}

// Shipped are the profiles that every production begins with. Their limits are common practice, no source, apart from those
// of the avatar, which are VRM 1.0's (from memory).
var Shipped = []Profile{
	{
		Name: "Real-time, 4 influences", Note: "What most real-time engines and phones take.",
		Influences: 4, WeightBits: 8, Rounding: 3, Joints: 128, OneRoot: true, NoIdle: true,
		Triangles: true, NoLeftovers: true, Floor: true,
		Names: &Names{Letters: "word", Longest: 63, AnyCase: true}, Clear: true, File: File{Format: "glb"},
	},
	{
		Name: "Real-time, 8 influences", Note: "For engines that read two sets of four weights.",
		Influences: 8, WeightBits: 16, Rounding: 3, Joints: 256, OneRoot: true, NoIdle: true,
		Triangles: true, NoLeftovers: true, Floor: true,
		Names: &Names{Letters: "word", Longest: 63, AnyCase: true}, Clear: true, File: File{Format: "glb"},
	},
	{
		Name: "Film", Note: "Faces as modeled, parts apart, every influence, centimeters.",
		OneRoot: true, Names: &Names{Letters: "word", AnyCase: true}, Clear: true, NoLeftovers: true,
		File: File{Format: "usdz", Unit: "cm", Separate: true},
	},
	{
		Name: "Web viewer", Note: "One small file that opens in a page.",
		Influences: 4, WeightBits: 8, Rounding: 3, Joints: 256, Triangles: true, NoLeftovers: true, Vertices: 100_000, Clear: true,
		File: File{Format: "glb"},
	},
	{
		Name: "Humanoid avatar, VRM 1.0", Note: "The open avatar standard on glTF: humanoid bones, T-pose.",
		Influences: 4, Rounding: 3, OneRoot: true, Zero: true, Rest: "t", Floor: true, Triangles: true, NoLeftovers: true,
		Names: &Names{Letters: "word", AnyCase: true}, Clear: true, File: File{Format: "vrm"},
	},
	{
		Name: "Printing a pose", Note: "A closed body in millimeters, Z up, without a skeleton.",
		OnePart: true, NoLeftovers: true, Floor: true, Clear: true, File: File{Format: "obj", Unit: "mm", Up: "z"},
	},
}

// Find returns a shipped profile by its name, whatever its case.
func Find(name string) (Profile, bool) {
	at := slices.IndexFunc(Shipped, func(p Profile) bool { return strings.EqualFold(p.Name, name) })
	if at < 0 {
		return Profile{}, false
	}
	return Shipped[at], true
}

// largest is how large a profile's file may be, longestText a text in it.
const largest, longestText = 64 << 10, 200

// Decode reads a profile from JSON. What it does not know, or what is out of bounds, is an error that names the rule.
func Decode(data []byte) (Profile, error) {
	var p Profile
	if len(data) > largest {
		return p, fmt.Errorf("a profile has at most %d kB, this has %d", largest>>10, len(data)>>10)
	}
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	if err := d.Decode(&p); err != nil {
		return p, fmt.Errorf("the profile is not valid: %s", strings.TrimPrefix(err.Error(), "json: "))
	}
	if d.More() {
		return p, fmt.Errorf("the profile is not valid: more follows after its end")
	}
	return p, p.Validate()
}

var word = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_.]*$`)

// Validate reports the first rule that asks for what cannot be.
func (p *Profile) Validate() error {
	switch {
	case strings.TrimSpace(p.Name) == "" || len(p.Name) > longestText:
		return fmt.Errorf("name: a profile has a name of at most %d letters", longestText)
	case len(p.Note) > 5*longestText:
		return fmt.Errorf("note: at most %d letters", 5*longestText)
	case p.WeightBits != 0 && p.WeightBits != 8 && p.WeightBits != 16:
		return fmt.Errorf("weightBits: 8 or 16, or 0 for single precision, not %d", p.WeightBits)
	case p.Rest != "" && p.Rest != "t" && p.Rest != "a":
		return fmt.Errorf(`rest: "t" or "a", not %q`, p.Rest)
	}
	for _, x := range []struct {
		rule      string
		value     float64
		low, high float64
	}{
		{"influences", float64(p.Influences), 0, 16}, {"roundingMillimeters", p.Rounding, 0, 1000}, {"joints", float64(p.Joints), 0, 100_000},
		{"jointsPerPart", float64(p.PartJoints), 0, 100_000}, {"verticesPerPart", float64(p.Vertices), 0, 1e9}, {"score", p.Score, 0, 1000},
		{"targets", float64(or(p.Targets)), 0, 1e6}, {"motions", float64(or(p.Motions)), 0, 1e6}, {"overLimit", float64(or(p.Over)), 0, 1e6},
	} {
		if math.IsNaN(x.value) || x.value < x.low || x.value > x.high {
			return fmt.Errorf("%s: a number from %g to %g, not %g", x.rule, x.low, x.high, x.value)
		}
	}
	if err := p.Names.validate(); err != nil {
		return err
	}
	f := p.File
	if _, ok := Units[f.Unit]; f.Unit != "" && !ok {
		return fmt.Errorf("file.unit: m, cm, mm, in or ft, not %q", f.Unit)
	}
	if f.Up != "" && f.Up != "y" && f.Up != "z" {
		return fmt.Errorf(`file.up: "y" or "z", not %q`, f.Up)
	}
	if p.OnePart && f.Separate {
		return fmt.Errorf("file.separateParts: the profile also asks for one part (onePart)")
	}
	for _, x := range f.Leave {
		if !slices.Contains(Leavable, x) {
			return fmt.Errorf("file.leaveOut: %s, not %q", strings.Join(Leavable, ", "), x)
		}
	}
	return nil
}

func or(n *int) int {
	if n == nil {
		return 0
	}
	return *n
}

func (n *Names) validate() error {
	if n == nil {
		return nil
	}
	switch {
	case n.Letters != "" && n.Letters != "word" && n.Letters != "lower":
		return fmt.Errorf(`names.letters: "word" or "lower", not %q`, n.Letters)
	case n.Longest < 0 || n.Longest > 63 || n.Longest > 0 && n.Longest < 4:
		return fmt.Errorf("names.longest: from 4 to 63 letters, not %d", n.Longest)
	case n.Prefix != "" && !word.MatchString(n.Prefix):
		return fmt.Errorf("names.prefix: letters, digits and underscores, not %q", n.Prefix)
	case (n.Left == "") != (n.Right == "") || n.Left != "" && n.Left == n.Right:
		return fmt.Errorf("names.left, names.right: both sides have an end of their own, not %q and %q", n.Left, n.Right)
	case n.Longest > 0 && len(n.Prefix)+max(len(n.Left), len(n.Right))+2 > n.Longest:
		return fmt.Errorf("names.longest: prefix and side leave no room for a name in %d letters", n.Longest)
	}
	if n.Left != "" && n.Standard != "" {
		return fmt.Errorf("names.left, names.right: the naming %q has sides of its own", n.Standard)
	}
	for _, end := range []string{n.Left, n.Right} {
		if end != "" && !word.MatchString("x"+end) {
			return fmt.Errorf("names.left, names.right: letters, digits and underscores, not %q", end)
		}
	}
	if n.Standard != "" {
		if _, err := skeleton.FindNameMap(n.Standard); err != nil {
			return fmt.Errorf("names.standard: %w", err)
		}
	}
	return nil
}
