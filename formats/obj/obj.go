// Package obj reads and writes Wavefront OBJ geometry: positions, texture
// coordinates, normals, polygons, objects, groups and materials by name.
package obj

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/formats/look"
	"wisemarrow/formats/reading"

	"gonum.org/v1/gonum/spatial/r3"
)

// File is what an OBJ file holds.
type File struct {
	Mesh  *mesh.Mesh
	Look  *look.Look // nil without materials
	Notes []string
}

// Decode reads an OBJ file in UTF-8 or UTF-16. Each combination of object, group
// and material with faces becomes a part; polygons keep their sides; line
// elements become loose edges; curves are passed over. resolve finds the .mtl
// file and the pictures beside it, and may be nil. Errors are *reading.Error with
// the line.
func Decode(r io.Reader, resolve func(name string) ([]byte, error), l reading.Limits) (*File, error) {
	l = l.Full()
	data, err := reading.All(r, l)
	if err != nil {
		return nil, err
	}
	if data, err = reading.Text(data); err != nil {
		return nil, err
	}
	if bytes.IndexByte(data[:min(len(data), 4096)], 0) >= 0 {
		return nil, reading.Line(1, "this is binary data, not an OBJ text file")
	}
	d := decoder{m: &mesh.Mesh{}, limits: l, part: map[string]int32{}}
	for n := 1; len(data) > 0; n++ {
		var line []byte
		line, data = nextLine(data, &n)
		if err := d.line(line, n); err != nil {
			return nil, err
		}
	}
	if len(d.m.Parts) == 0 {
		d.m.Parts = []mesh.Part{mesh.NewPart("mesh")}
	}
	if d.uv != nil {
		d.m.UV = upTo(d.uv, len(d.m.Corner))
	}
	if d.normal != nil {
		d.m.Normal = upTo(d.normal, len(d.m.Corner))
	}
	out := &File{Mesh: d.m}
	if d.manyParts {
		out.Notes = append(
			out.Notes,
			fmt.Sprintf("the file has more than %d groups and materials; the faces of the rest are in the last part", l.Parts),
		)
	}
	d.paint(out, resolve)
	return out, nil
}

// paint gives the parts the materials that usemtl named.
func (d *decoder) paint(out *File, resolve func(name string) ([]byte, error)) {
	if len(d.libraries) == 0 || resolve == nil {
		return
	}
	var paints []paint
	for _, name := range d.libraries {
		data, err := resolve(name)
		if err != nil {
			out.Notes = append(out.Notes, fmt.Sprintf("the materials in %s are not there: add the file to keep them", name))
			continue
		}
		paints = append(paints, readPaints(data)...)
	}
	number := map[string]int{}
	for i, p := range paints {
		number[p.name] = i
	}
	used := false
	for i := range d.m.Parts {
		if k, ok := number[d.materialOf[i]]; ok {
			d.m.Parts[i].Material = k + 1
			c := paints[k].colour
			d.m.Parts[i].Colour = [3]float32{float32(c[0]), float32(c[1]), float32(c[2])}
			used = true
		}
	}
	if used {
		var notes []string
		out.Look, notes = lookOf(paints, resolve)
		out.Notes = append(out.Notes, notes...)
	}
}

// nextLine cuts the next line, joining those that end in a backslash; n counts
// the joined ones.
func nextLine(data []byte, n *int) (line, rest []byte) {
	joined := false
	for {
		end := bytes.IndexByte(data, '\n')
		part := data
		if end >= 0 {
			part, data = data[:end], data[end+1:]
		} else {
			data = nil
		}
		part = bytes.TrimRight(part, "\r")
		if len(part) > 0 && part[len(part)-1] == '\\' && data != nil {
			if !joined { // part of the file's own bytes so far
				line, joined = nil, true
			}
			line = append(line, part[:len(part)-1]...)
			line = append(line, ' ')
			*n++
			continue
		}
		if line == nil {
			return part, data
		}
		return append(line, part...), data
	}
}

// uncommented takes off a remark at the end of a line: from a # that nothing stands
// before, since a name may hold one.
func uncommented(rest []byte) []byte {
	for i, b := range rest {
		if b == '#' && (i == 0 || rest[i-1] == ' ' || rest[i-1] == '\t') {
			return rest[:i]
		}
	}
	return rest
}

type decoder struct {
	m                       *mesh.Mesh
	limits                  reading.Limits
	object, group, material string
	current                 int32
	named                   bool
	part                    map[string]int32
	textures                [][2]float32
	normals                 [][3]float32
	uv                      [][2]float32
	normal                  [][3]float32
	libraries               []string
	materialOf              []string // of each part
	manyParts               bool
}

func (d *decoder) line(line []byte, n int) error {
	word, rest := cut(line)
	rest = uncommented(rest)
	switch string(word) {
	case "v":
		p, err := floats(rest, n, 3)
		if err != nil {
			return err
		}
		d.m.Points = append(d.m.Points, r3.Vec{X: p[0], Y: p[1], Z: p[2]})
		if len(d.m.Points) > d.limits.Vertices {
			return reading.CheckVertices(len(d.m.Points), d.limits)
		}
	case "vt":
		p, err := floats(rest, n, 1)
		if err != nil {
			return err
		}
		// glTF, and so we, count V downward.
		d.textures = append(d.textures, [2]float32{float32(p[0]), 1 - float32(p[1])})
	case "vn":
		p, err := floats(rest, n, 3)
		if err != nil {
			return err
		}
		d.normals = append(d.normals, [3]float32{float32(p[0]), float32(p[1]), float32(p[2])})
	case "f":
		return d.face(rest, n)
	case "o":
		d.object, d.named = string(bytes.TrimSpace(rest)), false
	case "g":
		d.group, d.named = string(bytes.TrimSpace(rest)), false
	case "l":
		return d.polyline(rest, n)
	case "mtllib":
		for _, name := range strings.Fields(string(rest)) {
			d.libraries = append(d.libraries, path.Clean(strings.ReplaceAll(name, `\`, "/")))
		}
	case "usemtl":
		d.material, d.named = string(bytes.TrimSpace(rest)), false
	}
	return nil
}

// usePart makes the current object, group and material the current part.
func (d *decoder) usePart() {
	if d.named {
		return
	}
	d.named = true
	key := d.object + "\x00" + d.group + "\x00" + d.material
	if i, ok := d.part[key]; ok {
		d.current = i
		return
	}
	name := ""
	for _, s := range []string{d.object, d.group, d.material} {
		if s != "" && s != "default" && s != name {
			if name != "" {
				name += "/"
			}
			name += s
		}
	}
	if name == "" {
		name = "mesh"
	}
	if len(d.m.Parts) >= d.limits.Parts { // the rest goes to the last: names are no reason to refuse a mesh
		d.current = int32(len(d.m.Parts) - 1)
		d.manyParts = true
		return
	}
	d.current = int32(len(d.m.Parts))
	d.part[key] = d.current
	d.m.Parts = append(d.m.Parts, mesh.NewPart(name))
	d.materialOf = append(d.materialOf, d.material)
}

func (d *decoder) face(rest []byte, n int) error {
	d.usePart()
	start := len(d.m.Corner)
	if len(d.m.Start) == 0 {
		d.m.Start = append(d.m.Start, 0)
	}
	for {
		var word []byte
		word, rest = cut(rest)
		if len(word) == 0 {
			break
		}
		vertex, more, _ := bytes.Cut(word, slash)
		texture, more, _ := bytes.Cut(more, slash)
		facing, _, _ := bytes.Cut(more, slash)
		v, err := index(vertex, len(d.m.Points), n, "vertex")
		if err != nil {
			return err
		}
		if len(texture) > 0 {
			t, err := index(texture, len(d.textures), n, "texture coordinate")
			if err != nil {
				return err
			}
			d.uv = append(upTo(d.uv, len(d.m.Corner)), d.textures[t])
		}
		if len(facing) > 0 {
			t, err := index(facing, len(d.normals), n, "normal")
			if err != nil {
				return err
			}
			d.normal = append(upTo(d.normal, len(d.m.Corner)), d.normals[t])
		}
		d.m.Corner = append(d.m.Corner, int32(v))
	}
	if sides := len(d.m.Corner) - start; sides < 3 {
		return reading.Line(n, "a face needs three corners at least, this one has %d", sides)
	}
	d.m.Start = append(d.m.Start, int32(len(d.m.Corner)))
	d.m.Part = append(d.m.Part, d.current)
	return nil
}

var slash = []byte("/")

// upTo fills a list by corner with nothing for corners before that had none; files that have
// none at all keep no list.
func upTo[T any](list []T, n int) []T {
	var none T
	for len(list) < n {
		list = append(list, none)
	}
	return list
}

// polyline reads a line element; each of its segments is a loose edge.
func (d *decoder) polyline(rest []byte, n int) error {
	last := int32(-1)
	for {
		var word []byte
		word, rest = cut(rest)
		if len(word) == 0 {
			return nil
		}
		vertex, _, _ := bytes.Cut(word, slash)
		v, err := index(vertex, len(d.m.Points), n, "vertex")
		if err != nil {
			return err
		}
		if last >= 0 && last != int32(v) {
			d.m.Lines = append(d.m.Lines, [2]int32{last, int32(v)})
		}
		last = int32(v)
	}
}

func index(word []byte, have, line int, what string) (int, error) {
	i, err := strconv.Atoi(string(word))
	if err != nil {
		return 0, reading.Line(line, "%q is not a valid %s number", word, what)
	}
	if i < 0 {
		i = have + i
	} else {
		i--
	}
	if i < 0 || i >= have {
		return 0, reading.Line(line, "the face names %s %s, but only %d come before it", what, word, have)
	}
	return i, nil
}

func cut(line []byte) (word, rest []byte) {
	line = bytes.TrimLeft(line, " \t")
	if i := bytes.IndexAny(line, " \t"); i >= 0 {
		return line[:i], line[i:]
	}
	return line, nil
}

// floats reads up to three numbers, at least need.
func floats(rest []byte, line, need int) ([3]float64, error) {
	var out [3]float64
	for i := range 3 {
		var word []byte
		word, rest = cut(rest)
		if len(word) == 0 {
			if i < need {
				return out, reading.Line(line, "%d numbers where %d are needed", i, need)
			}
			break
		}
		v, err := strconv.ParseFloat(string(word), 64)
		if err != nil {
			return out, reading.Line(line, "%q is not a number", word)
		}
		if !geom.Finite(r3.Vec{X: v}) {
			return out, reading.Line(line, "%q is not a finite number", word)
		}
		out[i] = v
	}
	return out, nil
}

// Encode writes the mesh in world frame, a group a part, with the texture
// coordinates and normals that the file brought.
func Encode(w io.Writer, m *mesh.Mesh) error {
	b := bufio.NewWriter(w)
	for _, p := range m.World() {
		fmt.Fprintf(b, "v %.9g %.9g %.9g\n", p.X, p.Y, p.Z)
	}
	uv, normal := map[[2]float32]int{}, map[[3]float32]int{}
	for _, t := range m.UV {
		if _, ok := uv[t]; !ok {
			uv[t] = len(uv) + 1
			fmt.Fprintf(b, "vt %.9g %.9g\n", t[0], 1-t[1])
		}
	}
	for _, n := range m.Normal {
		if _, ok := normal[n]; !ok {
			normal[n] = len(normal) + 1
			fmt.Fprintf(b, "vn %.9g %.9g %.9g\n", n[0], n[1], n[2])
		}
	}
	last := int32(-1)
	for f := range m.Faces() {
		if p := m.PartOf(f); p != last {
			fmt.Fprintf(b, "g %s\n", strings.Join(strings.Fields(m.Parts[p].Name), "_"))
			last = p
		}
		b.WriteString("f")
		for c := m.Start[f]; c < m.Start[f+1]; c++ {
			fmt.Fprintf(b, " %d", m.Corner[c]+1)
			switch {
			case m.UV != nil && m.Normal != nil:
				fmt.Fprintf(b, "/%d/%d", uv[m.UV[c]], normal[m.Normal[c]])
			case m.UV != nil:
				fmt.Fprintf(b, "/%d", uv[m.UV[c]])
			case m.Normal != nil:
				fmt.Fprintf(b, "//%d", normal[m.Normal[c]])
			}
		}
		b.WriteByte('\n')
	}
	for _, l := range m.Lines {
		fmt.Fprintf(b, "l %d %d\n", l[0]+1, l[1]+1)
	}
	return b.Flush()
}
