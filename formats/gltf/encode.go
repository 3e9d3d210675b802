package gltf

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"

	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// generator is written into every file.
const generator = "Wise Marrow"

// EncodeGLB writes mesh, skeleton and weights as one binary file, Y up, metres.
// Skeleton and weights may be nil. Positions are written in world frame, one
// vertex for each distinct texture coordinate and normal; corners without
// normals get smooth ones. A vertex without weights follows the first root,
// because glTF leaves no other choice.
func EncodeGLB(w io.Writer, m *mesh.Mesh, s *skeleton.Skeleton, sk *weights.Weights) error {
	e := encoder{}
	e.doc.Asset = asset{Version: "2.0", Generator: generator}
	scene0 := 0
	e.doc.Scene = &scene0
	e.doc.Scenes = []scene{{}}
	if s != nil {
		e.joints(s)
	}
	if m != nil {
		e.mesh(m, s, sk)
	}
	return e.glb(w)
}

// EncodeSkeleton writes a skeleton as a .gltf whose first skin names its
// joints; the file needs no other beside it.
func EncodeSkeleton(w io.Writer, s *skeleton.Skeleton) error {
	e := encoder{}
	e.doc.Asset = asset{Version: "2.0", Generator: generator}
	scene0 := 0
	e.doc.Scene = &scene0
	e.doc.Scenes = []scene{{}}
	e.joints(s)
	e.skin(s)
	e.doc.Buffers = []buffer{{URI: "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(e.bin.Bytes()), Length: e.bin.Len()}}
	out := json.NewEncoder(w)
	out.SetIndent("", " ")
	return out.Encode(&e.doc)
}

type encoder struct {
	doc document
	bin bytes.Buffer
}

// add appends an accessor over its own buffer view.
func (e *encoder) add(a accessor, target int, write func(b *bytes.Buffer)) int {
	for e.bin.Len()%4 != 0 {
		e.bin.WriteByte(0)
	}
	from := e.bin.Len()
	write(&e.bin)
	view := len(e.doc.BufferViews)
	e.doc.BufferViews = append(e.doc.BufferViews, bufferView{Offset: from, Length: e.bin.Len() - from, Target: target})
	a.View = &view
	e.doc.Accessors = append(e.doc.Accessors, a)
	return len(e.doc.Accessors) - 1
}

func put32(b *bytes.Buffer, list ...float64) {
	var buf [4]byte
	for _, v := range list {
		binary.LittleEndian.PutUint32(buf[:], math.Float32bits(float32(v)))
		b.Write(buf[:])
	}
}

// joints adds a node per joint, first in the node list and in joint order.
func (e *encoder) joints(s *skeleton.Skeleton) {
	children := s.Children()
	for i, j := range s.Joints {
		t, q := s.Local(i)
		n := node{Name: j.Name, Children: children[i]}
		if t != (r3.Vec{}) {
			n.Translation = &[3]float64{t.X, t.Y, t.Z}
		}
		if q != (quat.Number{Real: 1}) {
			n.Rotation = &[4]float64{q.Imag, q.Jmag, q.Kmag, q.Real}
		}
		e.doc.Nodes = append(e.doc.Nodes, n)
		if j.Parent < 0 {
			e.doc.Scenes[0].Nodes = append(e.doc.Scenes[0].Nodes, i)
		}
	}
}

// skin adds the skin of the joints that joints added.
func (e *encoder) skin(s *skeleton.Skeleton) {
	all := make([]int, len(s.Joints))
	for i := range all {
		all[i] = i
	}
	inverse := e.add(accessor{Component: typeFloat, Count: len(all), Type: "MAT4"}, 0, func(b *bytes.Buffer) {
		for _, m := range pose.InverseBind(s) {
			m[3], m[7], m[11], m[15] = 0, 0, 0, 1
			put32(b, m[:]...)
		}
	})
	e.doc.Skins = []skin{{InverseBind: &inverse, Joints: all}}
}

// drawn is a vertex as glTF draws it: one of the mesh's, with its attributes.
type drawn struct {
	v      int32
	uv     [2]float32
	normal [3]float32
}

func (e *encoder) mesh(m *mesh.Mesh, s *skeleton.Skeleton, sk *weights.Weights) {
	points := m.World()
	smooth := m.VertexNormals(points)
	number := map[drawn]uint32{}
	var list []drawn
	corner := make([]uint32, len(m.Corner))
	byVertex := make([][]int, len(m.Points))
	for c, v := range m.Corner {
		byVertex[v] = append(byVertex[v], c)
	}
	// In vertex order, so that an unsplit mesh keeps its numbering.
	for v, corners := range byVertex {
		if len(corners) == 0 {
			number[drawn{v: int32(v), normal: [3]float32{0, 1, 0}}] = uint32(len(list))
			list = append(list, drawn{v: int32(v), normal: [3]float32{0, 1, 0}})
		}
		for _, c := range corners {
			d := drawn{v: int32(v), normal: unit32(smooth[v])}
			if m.UV != nil {
				d.uv = m.UV[c]
			}
			if m.Normal != nil {
				n := m.Normal[c]
				if r := (r3.Vec{X: float64(n[0]), Y: float64(n[1]), Z: float64(n[2])}); r3.Norm(r) > 0 {
					d.normal = unit32(r3.Unit(r))
				}
			}
			k, ok := number[d]
			if !ok {
				k = uint32(len(list))
				number[d] = k
				list = append(list, d)
			}
			corner[c] = k
		}
	}
	attributes := map[string]int{}
	lo, hi := [3]float64{math.Inf(1), math.Inf(1), math.Inf(1)}, [3]float64{math.Inf(-1), math.Inf(-1), math.Inf(-1)}
	for _, d := range list {
		p := points[d.v]
		for k, x := range [3]float64{p.X, p.Y, p.Z} {
			x = float64(float32(x))
			lo[k], hi[k] = math.Min(lo[k], x), math.Max(hi[k], x)
		}
	}
	attributes["POSITION"] = e.add(accessor{Component: typeFloat, Count: len(list), Type: "VEC3", Min: lo[:], Max: hi[:]}, 34962, func(b *bytes.Buffer) {
		for _, d := range list {
			put32(b, points[d.v].X, points[d.v].Y, points[d.v].Z)
		}
	})
	attributes["NORMAL"] = e.add(accessor{Component: typeFloat, Count: len(list), Type: "VEC3"}, 34962, func(b *bytes.Buffer) {
		for _, d := range list {
			put32(b, float64(d.normal[0]), float64(d.normal[1]), float64(d.normal[2]))
		}
	})
	if m.UV != nil {
		attributes["TEXCOORD_0"] = e.add(accessor{Component: typeFloat, Count: len(list), Type: "VEC2"}, 34962, func(b *bytes.Buffer) {
			for _, d := range list {
				put32(b, float64(d.uv[0]), float64(d.uv[1]))
			}
		})
	}
	n := node{Name: "skin"}
	if s != nil && sk != nil {
		e.weights(attributes, list, s, sk)
		e.skin(s)
		zero := 0
		n.Skin = &zero
	}
	e.primitives(m, attributes, corner)
	zero := 0
	n.Mesh = &zero
	e.doc.Nodes = append(e.doc.Nodes, n)
	e.doc.Scenes[0].Nodes = append(e.doc.Scenes[0].Nodes, len(e.doc.Nodes)-1)
}

// primitives adds a primitive and a material per part with faces.
func (e *encoder) primitives(m *mesh.Mesh, attributes map[string]int, corner []uint32) {
	index := make([][]uint32, len(m.Parts))
	first := make([]int32, len(m.Points)) // vertex → its corner in the face at hand
	one := *m
	for f := range m.Faces() {
		for c := m.Start[f]; c < m.Start[f+1]; c++ {
			first[m.Corner[c]] = c
		}
		one.Start, one.Corner = []int32{0, m.Start[f+1] - m.Start[f]}, m.Face(f)
		tris, _ := one.Triangles()
		p := m.PartOf(f)
		for _, t := range tris {
			for _, v := range t {
				index[p] = append(index[p], corner[first[v]])
			}
		}
	}
	out := meshes{Name: "skin"}
	for p, list := range index {
		if len(list) == 0 {
			continue
		}
		accessorIndex := e.add(accessor{Component: typeUint, Count: len(list), Type: "SCALAR"}, 34963, func(b *bytes.Buffer) {
			var buf [4]byte
			for _, i := range list {
				binary.LittleEndian.PutUint32(buf[:], i)
				b.Write(buf[:])
			}
		})
		part := m.Parts[p]
		metallic, rough := float32(0), float32(0.9)
		mat := len(e.doc.Materials)
		c := part.Colour
		e.doc.Materials = append(e.doc.Materials, material{Name: part.Name, PBR: &pbr{BaseColour: &[4]float32{c[0], c[1], c[2], 1}, Metallic: &metallic, Roughness: &rough}})
		out.Primitives = append(out.Primitives, primitive{Attributes: attributes, Indices: &accessorIndex, Material: &mat})
	}
	e.doc.Meshes = []meshes{out}
}

// weights adds as many sets of four influences as the busiest vertex needs.
func (e *encoder) weights(attributes map[string]int, list []drawn, s *skeleton.Skeleton, sk *weights.Weights) {
	most := 1
	for _, x := range sk.Of {
		most = max(most, len(x))
	}
	joint := make([]int, len(sk.Joints))
	for i, name := range sk.Joints {
		joint[i] = max(0, s.Index(name))
	}
	sets := (most + 3) / 4
	rounded := make([][]float32, len(sk.Of))
	for v, x := range sk.Of {
		rounded[v] = round32(x)
	}
	for set := range sets {
		component := typeUbyte
		if len(s.Joints) > 255 {
			component = typeUshort
		}
		attributes[fmt.Sprintf("JOINTS_%d", set)] = e.add(accessor{Component: component, Count: len(list), Type: "VEC4"}, 34962, func(b *bytes.Buffer) {
			for _, d := range list {
				for k := 4 * set; k < 4*set+4; k++ {
					j := 0
					if x := sk.Of[d.v]; k < len(x) {
						j = joint[x[k].Joint]
					}
					b.WriteByte(byte(j))
					if component == typeUshort {
						b.WriteByte(byte(j >> 8))
					}
				}
			}
		})
		attributes[fmt.Sprintf("WEIGHTS_%d", set)] = e.add(accessor{Component: typeFloat, Count: len(list), Type: "VEC4"}, 34962, func(b *bytes.Buffer) {
			for _, d := range list {
				for k := 4 * set; k < 4*set+4; k++ {
					v := float32(0)
					if x := rounded[d.v]; k < len(x) {
						v = x[k]
					} else if len(x) == 0 && k == 0 {
						v = 1
					}
					put32(b, float64(v))
				}
			}
		})
	}
}

// round32 rounds influences to float32 so that they still sum to 1: the
// largest takes up the difference.
func round32(list []weights.Influence) []float32 {
	out := make([]float32, len(list))
	rest := 1.0
	for k := len(list) - 1; k > 0; k-- {
		out[k] = float32(list[k].Value)
		rest -= float64(out[k])
	}
	if len(out) > 0 {
		out[0] = float32(rest)
	}
	return out
}

func unit32(n r3.Vec) [3]float32 {
	if r3.Norm2(n) == 0 {
		return [3]float32{0, 1, 0}
	}
	return [3]float32{float32(n.X), float32(n.Y), float32(n.Z)}
}

func (e *encoder) glb(w io.Writer) error {
	for e.bin.Len()%4 != 0 {
		e.bin.WriteByte(0)
	}
	if e.bin.Len() > 0 {
		e.doc.Buffers = []buffer{{Length: e.bin.Len()}}
	}
	text, err := json.Marshal(&e.doc)
	if err != nil {
		return fmt.Errorf("writing glTF: %w", err)
	}
	for len(text)%4 != 0 {
		text = append(text, ' ')
	}
	var head bytes.Buffer
	u32 := func(v int) {
		var buf [4]byte
		binary.LittleEndian.PutUint32(buf[:], uint32(v))
		head.Write(buf[:])
	}
	total := 12 + 8 + len(text)
	if e.bin.Len() > 0 {
		total += 8 + e.bin.Len()
	}
	head.WriteString("glTF")
	u32(2)
	u32(total)
	u32(len(text))
	head.WriteString("JSON")
	head.Write(text)
	if e.bin.Len() > 0 {
		u32(e.bin.Len())
		head.WriteString("BIN\x00")
	}
	if _, err := w.Write(head.Bytes()); err != nil {
		return err
	}
	_, err = w.Write(e.bin.Bytes())
	return err
}
