package gltf

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"
	"wisemarrow/formats/reading"

	"gonum.org/v1/gonum/spatial/r3"
)

// facet is what tells vertices apart that the file split on purpose.
type facet struct {
	primitive int
	uv        [2]float32
	normal    [3]float32
	extra     uint64
}

// spot is the first vertex at a place, and how it looks.
type spot struct {
	vertex int32
	look   facet
}

// extra is one further attribute of a primitive, per vertex of its accessor.
type extra struct {
	name   string
	width  int
	values []float64
}

// extras reads the attributes beside the first texture coordinates and normals
// that pass through: further texture coordinates and colours.
func (d *decoder) extras(p primitive, count int) ([]extra, error) {
	var out []extra
	for _, name := range slices.Sorted(maps.Keys(p.Attributes)) {
		i := p.Attributes[name]
		switch {
		case strings.HasPrefix(name, "TEXCOORD_") && name != "TEXCOORD_0":
			v, err := d.attribute(p, name, "VEC2", count)
			if err != nil {
				return nil, err
			}
			out = append(out, extra{name, 2, v})
		case strings.HasPrefix(name, "COLOR_"):
			kind := "VEC4"
			if i >= 0 && i < len(d.doc.Accessors) && d.doc.Accessors[i].Type == "VEC3" {
				kind = "VEC3"
			}
			v, err := d.attribute(p, name, kind, count)
			if err != nil {
				return nil, err
			}
			if kind == "VEC3" {
				four := make([]float64, 0, 4*count)
				for k := range count {
					four = append(four, v[3*k], v[3*k+1], v[3*k+2], 1)
				}
				v = four
			}
			out = append(out, extra{name, 4, v})
		}
	}
	return out, nil
}

// hash tells vertices apart whose further attributes differ.
func hash(list []extra, v int) uint64 {
	h := uint64(14695981039346656037)
	for _, x := range list {
		for _, value := range x.values[v*x.width : (v+1)*x.width] {
			h = (h ^ uint64(math.Float32bits(float32(value)))) * 1099511628211
		}
	}
	return h
}

// meshNode adds the triangles of one node's mesh. Vertices at one place whose
// texture coordinate, normal or primitive differs are one vertex that was split
// for drawing; equal ones at one place are duplicates and stay.
func (d *decoder) meshNode(i int, n node) error {
	if *n.Mesh < 0 || *n.Mesh >= len(d.doc.Meshes) {
		return reading.At(fmt.Sprintf("node %d", i), "there is no mesh %d", *n.Mesh)
	}
	x := d.doc.Meshes[*n.Mesh]
	frame := d.world[i]
	if n.Skin != nil {
		frame = geom.IdentityMatrix // a skinned mesh ignores its node
	}
	name := n.Name
	if name == "" {
		name = x.Name
	}
	if name == "" {
		name = fmt.Sprintf("mesh_%d", *n.Mesh)
	}
	at := map[r3.Vec]spot{}
	shared := map[int][]int32{} // POSITION accessor → vertices, when primitives share all
	var named targetNames
	if x.Extras != nil {
		_ = json.Unmarshal(x.Extras, &named) // names that cannot be read are made up
	}
	d.used(x, named)
	names := named.Names
	for k, p := range x.Primitives {
		where := fmt.Sprintf("mesh %d, primitive %d", *n.Mesh, k)
		if err := d.primitive(where, name, frame, k, p, n.Skin, at, shared, names); err != nil {
			return err
		}
	}
	for len(d.skinOf) < len(d.scene.Mesh.Points) {
		k := -1
		if n.Skin != nil {
			k = *n.Skin
		}
		d.skinOf = append(d.skinOf, k)
	}
	return nil
}

func (d *decoder) primitive(
	where, name string,
	frame geom.Matrix,
	k int,
	p primitive,
	skinIndex *int,
	at map[r3.Vec]spot,
	shared map[int][]int32,
	names []string,
) error {
	m := d.scene.Mesh
	mode := 4
	if p.Mode != nil {
		mode = *p.Mode
	}
	if mode < 4 || mode > 6 {
		d.scene.Notes = append(d.scene.Notes, where+" holds points or lines and was passed over")
		return nil
	}
	position, ok := p.Attributes["POSITION"]
	if !ok {
		return reading.At(where, "it has no positions")
	}
	xyz, err := d.numbers(position, "VEC3", d.limits)
	if err != nil {
		return err
	}
	count := len(xyz) / 3
	if err := reading.CheckVertices(len(m.Points)+count, d.limits); err != nil && shared[position] == nil {
		return err
	}
	uv, err := d.attribute(p, "TEXCOORD_0", "VEC2", count)
	if err != nil {
		return err
	}
	normal, err := d.attribute(p, "NORMAL", "VEC3", count)
	if err != nil {
		return err
	}
	influences, err := d.influences(p, skinIndex, count)
	if err != nil {
		return err
	}
	more, err := d.extras(p, count)
	if err != nil {
		return err
	}
	mix, err := d.attribute(p, mixAttribute, "SCALAR", count)
	if err != nil {
		return err
	}
	vertex, known := shared[position]
	if !known {
		vertex = make([]int32, count)
		for v := range vertex {
			place := r3.Vec{X: xyz[3*v], Y: xyz[3*v+1], Z: xyz[3*v+2]}
			l := facet{primitive: k, extra: hash(more, v)}
			if uv != nil {
				l.uv = [2]float32{float32(uv[2*v]), float32(uv[2*v+1])}
			}
			if normal != nil {
				l.normal = [3]float32{float32(normal[3*v]), float32(normal[3*v+1]), float32(normal[3*v+2])}
			}
			// All that stand at a place look like the first there: what looks otherwise
			// was split from it.
			if first, there := at[place]; there && first.look != l {
				vertex[v] = first.vertex
				d.scene.Joined++
			} else {
				vertex[v] = int32(len(m.Points))
				m.Points = append(m.Points, place)
				if !there {
					at[place] = spot{vertex[v], l}
				}
				if influences != nil {
					for len(d.skinned) < len(m.Points) {
						d.skinned = append(d.skinned, nil)
					}
					d.skinned[vertex[v]] = influences[v]
				}
				if mix != nil && mix[v] > 0 && mix[v] <= 1 {
					d.mixed = append(d.mixed, mixedVertex{vertex[v], float32(mix[v])})
				}
			}
		}
		shared[position] = vertex
		if err := d.targets(names, p, vertex); err != nil {
			return err
		}
		if err := reading.CheckVertices(len(m.Points), d.limits); err != nil {
			return err
		}
	}
	index, err := d.indices(p, count)
	if err != nil {
		return err
	}
	part := mesh.NewPart(name)
	part.Frame, part.Object = frame, name
	if p.Material != nil && *p.Material >= 0 && *p.Material < len(d.doc.Materials) {
		part.Material = *p.Material + 1
		name, rgb, ok := materialColour(d.doc.Materials[*p.Material])
		if name != "" {
			part.Name = name
		}
		if ok {
			part.Colour = rgb
		}
	}
	number := int32(len(m.Parts))
	m.Parts = append(m.Parts, part)
	if d.corner += int64(len(index)); d.corner > 6*int64(d.limits.Vertices) {
		return fmt.Errorf("%s: %w: the primitives of the file have more than %d corners", where, reading.ErrTooLarge, 6*d.limits.Vertices)
	}
	flat := 0
	for _, t := range triangles(index, mode) {
		for _, v := range t {
			if v >= count {
				return reading.At(where, "an index names vertex %d of %d", v, count)
			}
		}
		a, b, c := vertex[t[0]], vertex[t[1]], vertex[t[2]]
		if a == b || b == c || c == a {
			if mode == 4 { // in strips such triangles are meant
				flat++
			}
			continue
		}
		d.corners(number, t, [3]int32{a, b, c}, uv, normal, more)
	}
	if flat > 0 {
		d.scene.Notes = append(d.scene.Notes, fmt.Sprintf("%s: %d zero-area triangles were skipped", where, flat))
	}
	return nil
}

// corners adds a triangle with its attributes; where some primitives have an
// attribute and others not, the others get zeros.
func (d *decoder) corners(part int32, t [3]int, v [3]int32, uv, normal []float64, more []extra) {
	m := d.scene.Mesh
	before := len(m.Corner)
	m.AddFace(part, v[:]...)
	if uv != nil || m.UV != nil {
		m.UV = append(m.UV, make([][2]float32, before+3-len(m.UV))...)
	}
	if normal != nil || m.Normal != nil {
		m.Normal = append(m.Normal, make([][3]float32, before+3-len(m.Normal))...)
	}
	for _, x := range more {
		if !slices.ContainsFunc(m.Extra, func(a mesh.Attribute) bool { return a.Name == x.name }) {
			m.Extra = append(m.Extra, mesh.Attribute{Name: x.name, Width: x.width})
		}
	}
	for i := range m.Extra {
		a := &m.Extra[i]
		blank := float32(0)
		if a.Width == 4 {
			blank = 1 // white, which changes no colour that it is multiplied with
		}
		for len(a.Values) < (before+3)*a.Width {
			a.Values = append(a.Values, blank)
		}
		for _, x := range more {
			if x.name != a.Name {
				continue
			}
			for k, i := range t {
				for w := range x.width {
					a.Values[(before+k)*a.Width+w] = float32(x.values[i*x.width+w])
				}
			}
		}
	}
	for k, i := range t {
		if uv != nil {
			m.UV[before+k] = [2]float32{float32(uv[2*i]), float32(uv[2*i+1])}
		}
		if normal != nil {
			m.Normal[before+k] = [3]float32{float32(normal[3*i]), float32(normal[3*i+1]), float32(normal[3*i+2])}
		}
	}
}

func (d *decoder) attribute(p primitive, name, kind string, count int) ([]float64, error) {
	i, ok := p.Attributes[name]
	if !ok {
		return nil, nil
	}
	v, err := d.numbers(i, kind, d.limits)
	if err != nil {
		return nil, err
	}
	if len(v) != count*typeWidth(kind) {
		return nil, reading.At(fmt.Sprintf("accessor %d", i), "%s has another count than POSITION", name)
	}
	return v, nil
}

func (d *decoder) indices(p primitive, count int) ([]int, error) {
	if p.Indices == nil {
		out := make([]int, count)
		for i := range out {
			out[i] = i
		}
		return out, nil
	}
	v, err := d.numbers(*p.Indices, "SCALAR", d.limits)
	if err != nil {
		return nil, err
	}
	out := make([]int, len(v))
	for i, x := range v {
		if x < 0 {
			return nil, reading.At(fmt.Sprintf("accessor %d", *p.Indices), "index %d is negative", i)
		}
		out[i] = int(x)
	}
	return out, nil
}

// triangles unrolls lists (4), strips (5) and fans (6).
func triangles(index []int, mode int) [][3]int {
	var out [][3]int
	switch mode {
	case 4:
		for i := 0; i+2 < len(index); i += 3 {
			out = append(out, [3]int{index[i], index[i+1], index[i+2]})
		}
	case 5:
		for i := 0; i+2 < len(index); i++ {
			out = append(out, [3]int{index[i], index[i+1+i%2], index[i+2-i%2]})
		}
	case 6:
		for i := 1; i+1 < len(index); i++ {
			out = append(out, [3]int{index[i], index[i+1], index[0]})
		}
	}
	return out
}

// influences reads all sets of JOINTS_n and WEIGHTS_n.
func (d *decoder) influences(p primitive, skinIndex *int, count int) ([][]weights.Influence, error) {
	if skinIndex == nil || d.jointOf == nil {
		return nil, nil
	}
	if *skinIndex < 0 || *skinIndex >= len(d.doc.Skins) {
		return nil, reading.At("nodes", "there is no skin %d", *skinIndex)
	}
	var out [][]weights.Influence
	joints := d.doc.Skins[*skinIndex].Joints
	for set := 0; ; set++ {
		js, err := d.attribute(p, fmt.Sprintf("JOINTS_%d", set), "VEC4", count)
		if err != nil {
			return nil, err
		}
		ws, err := d.attribute(p, fmt.Sprintf("WEIGHTS_%d", set), "VEC4", count)
		if err != nil {
			return nil, err
		}
		if js == nil || ws == nil {
			break
		}
		if out == nil {
			out = make([][]weights.Influence, count)
		}
		for v := range out {
			for k := range 4 {
				w, j := ws[4*v+k], int(js[4*v+k])
				if w <= 0 {
					continue
				}
				if j < 0 || j >= len(joints) {
					return nil, reading.At(fmt.Sprintf("JOINTS_%d", set), "vertex %d names joint %d of %d", v, j, len(joints))
				}
				out[v] = append(out[v], weights.Influence{Joint: d.jointOf[joints[j]], Value: w})
			}
		}
	}
	for v := range out {
		merged := map[int32]float64{}
		for _, x := range out[v] {
			merged[x.Joint] += x.Value
		}
		list := make([]weights.Influence, 0, len(merged))
		for j, w := range merged {
			list = append(list, weights.Influence{Joint: j, Value: w})
		}
		out[v] = weights.Clean(list, weights.Limits{})
	}
	return out, nil
}
