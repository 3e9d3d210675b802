package bundle

import (
	"fmt"

	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

type meshMeta struct {
	// Parts are read only: states of before there was a blob for them.
	Parts    []mesh.Part `json:"parts,omitempty"`
	Vertices int         `json:"vertices"`
	Extra    []extraMeta `json:"extra,omitempty"`
	// Shapes are only read: older meshes hold their shape targets, which have blobs of their own now.
	Shapes []string `json:"shapes,omitempty"`
}

type extraMeta struct {
	Name  string `json:"name"`
	Width int    `json:"width"`
}

// Mesh packs the geometry of a mesh; its table of parts and its shape targets lie beside it.
func Mesh(m *mesh.Mesh) ([]byte, error) {
	meta := meshMeta{Vertices: len(m.Points)}
	for _, a := range m.Extra {
		meta.Extra = append(meta.Extra, extraMeta{a.Name, a.Width})
	}
	b := Bundle{Meta: meta}
	b.Floats("points", 3, flat(m.Points))
	Ints(&b, "start", 1, m.Start)
	Ints(&b, "corner", 1, m.Corner)
	if m.Part != nil {
		Ints(&b, "part", 1, m.Part)
	}
	if m.UV != nil {
		list := make([]float32, 0, 2*len(m.UV))
		for _, v := range m.UV {
			list = append(list, v[0], v[1])
		}
		b.Floats("uv", 2, list)
	}
	if m.Normal != nil {
		list := make([]float32, 0, 3*len(m.Normal))
		for _, v := range m.Normal {
			list = append(list, v[0], v[1], v[2])
		}
		b.Floats("normal", 3, list)
	}
	if m.Lines != nil {
		list := make([]int32, 0, 2*len(m.Lines))
		for _, l := range m.Lines {
			list = append(list, l[0], l[1])
		}
		Ints(&b, "line", 2, list)
	}
	for i, a := range m.Extra {
		b.Floats(fmt.Sprintf("extra_%d", i), a.Width, a.Values)
	}
	return b.Bytes()
}

type targetMeta struct {
	Name string `json:"name"`
}

// Target packs a shape target: the vertices that it moves and their offsets.
func Target(x mesh.Shape) ([]byte, error) {
	b := Bundle{Meta: targetMeta{x.Name}}
	Ints(&b, "vertex", 1, x.Vertex)
	b.Floats("offset", 3, flat(x.Offset))
	return b.Bytes()
}

// ReadTarget unpacks a shape target of a mesh of so many vertices.
func ReadTarget(data []byte, vertices int) (mesh.Shape, error) {
	var meta targetMeta
	b, err := Open(data, &meta)
	if err != nil {
		return mesh.Shape{}, err
	}
	x := mesh.Shape{Name: meta.Name, Vertex: b.ReadInts("vertex"), Offset: vectors(b.ReadFloats("offset"))}
	if len(x.Vertex) != len(x.Offset) {
		return x, fmt.Errorf("shape target %q moves %d vertices by %d offsets", x.Name, len(x.Vertex), len(x.Offset))
	}
	for _, v := range x.Vertex {
		if v < 0 || int(v) >= vertices {
			return x, fmt.Errorf("shape target %q moves vertex %d of %d", x.Name, v, vertices)
		}
	}
	return x, nil
}

func flat(points []r3.Vec) []float32 {
	out := make([]float32, 0, 3*len(points))
	for _, p := range points {
		out = append(out, float32(p.X), float32(p.Y), float32(p.Z))
	}
	return out
}

func vectors(p []float32) []r3.Vec {
	out := make([]r3.Vec, len(p)/3)
	for i := range out {
		out[i] = r3.Vec{X: float64(p[3*i]), Y: float64(p[3*i+1]), Z: float64(p[3*i+2])}
	}
	return out
}

// ReadMesh unpacks the geometry of a mesh; its table of parts is only what old
// bundles have within. It is not validated.
func ReadMesh(data []byte) (*mesh.Mesh, error) {
	var meta meshMeta
	b, err := Open(data, &meta)
	if err != nil {
		return nil, err
	}
	m := &mesh.Mesh{Parts: meta.Parts, Start: b.ReadInts("start"), Corner: b.ReadInts("corner"), Part: b.ReadInts("part")}
	m.Points = vectors(b.ReadFloats("points"))
	line := b.ReadInts("line")
	for i := 0; i+1 < len(line); i += 2 {
		m.Lines = append(m.Lines, [2]int32{line[i], line[i+1]})
	}
	for i, x := range meta.Extra {
		m.Extra = append(m.Extra, mesh.Attribute{Name: x.Name, Width: x.Width, Values: b.ReadFloats(fmt.Sprintf("extra_%d", i))})
	}
	for i, name := range meta.Shapes {
		m.Shapes = append(
			m.Shapes,
			mesh.Shape{
				Name:   name,
				Vertex: b.ReadInts(fmt.Sprintf("shape_%d_vertex", i)),
				Offset: vectors(b.ReadFloats(fmt.Sprintf("shape_%d_offset", i))),
			},
		)
	}
	if uv := b.ReadFloats("uv"); uv != nil {
		for i := 0; i+1 < len(uv); i += 2 {
			m.UV = append(m.UV, [2]float32{uv[i], uv[i+1]})
		}
	}
	if n := b.ReadFloats("normal"); n != nil {
		for i := 0; i+2 < len(n); i += 3 {
			m.Normal = append(m.Normal, [3]float32{n[i], n[i+1], n[i+2]})
		}
	}
	return m, nil
}
