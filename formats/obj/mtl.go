package obj

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"path"
	"strings"

	"wisemarrow/formats/look"
)

// paint is one material of an .mtl file, as far as it can be said in glTF.
type paint struct {
	name    string
	colour  [4]float64
	rough   float64
	picture string // file of the diffuse colour
}

// readPaints reads an .mtl file: names, diffuse colours, opacity, shininess and
// the picture of the diffuse colour. Lines that cannot be read are passed over,
// since no geometry hangs on them.
func readPaints(data []byte) []paint {
	var out []paint
	for len(data) > 0 {
		n := 0
		var line []byte
		line, data = nextLine(data, &n)
		word, rest := cut(line)
		if string(word) == "newmtl" {
			out = append(out, paint{name: string(bytes.TrimSpace(rest)), colour: [4]float64{0.8, 0.8, 0.8, 1}, rough: 0.9})
			continue
		}
		if len(out) == 0 {
			continue
		}
		p := &out[len(out)-1]
		v, err := floats(rest, 0, 1)
		switch string(word) {
		case "Kd":
			if v, err := floats(rest, 0, 3); err == nil {
				for i := range 3 { // sRGB as modellers see it → linear
					p.colour[i] = math.Pow(math.Max(0, math.Min(1, v[i])), 2.2)
				}
			}
		case "d":
			if err == nil {
				p.colour[3] = math.Max(0, math.Min(1, v[0]))
			}
		case "Ns": // common practice, no source: shininess to roughness
			if err == nil && v[0] >= 0 {
				p.rough = math.Sqrt(2 / (v[0] + 2))
			}
		case "map_Kd":
			fields := strings.Fields(string(rest))
			if len(fields) > 0 {
				p.picture = path.Clean(strings.ReplaceAll(fields[len(fields)-1], `\`, "/"))
			}
		}
	}
	return out
}

// lookOf puts materials into glTF's words. Pictures that resolve does not find
// are left out, and a note names them.
func lookOf(paints []paint, resolve func(name string) ([]byte, error)) (*look.Look, []string) {
	l := &look.Look{}
	var notes []string
	texture := map[string]int{}
	for _, p := range paints {
		pbr := map[string]any{"baseColorFactor": p.colour, "metallicFactor": 0, "roughnessFactor": p.rough}
		if p.picture != "" {
			at, known := texture[p.picture]
			if !known {
				at = -1
				data, err := resolve(p.picture)
				if mime := look.MimeOf(data); err == nil && mime != "" {
					at = len(l.Textures)
					raw, _ := json.Marshal(map[string]int{"source": len(l.Images)})
					l.Textures = append(l.Textures, raw)
					l.Images = append(l.Images, look.Image{Name: path.Base(p.picture), Mime: mime, Data: data})
				} else {
					notes = append(notes, fmt.Sprintf("the picture %s of material %s was not found; the material keeps its color", p.picture, p.name))
				}
				texture[p.picture] = at
			}
			if at >= 0 {
				pbr["baseColorTexture"] = map[string]int{"index": at}
				pbr["baseColorFactor"] = [4]float64{1, 1, 1, p.colour[3]}
			}
		}
		m := map[string]any{"name": p.name, "pbrMetallicRoughness": pbr}
		if p.colour[3] < 1 {
			m["alphaMode"] = "BLEND"
		}
		raw, err := json.Marshal(m)
		if err != nil {
			raw = json.RawMessage("{}")
		}
		l.Materials = append(l.Materials, raw)
	}
	return l, notes
}
