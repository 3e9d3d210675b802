package gltf

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"sort"

	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/formats/look"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// ErrSeveralBinds means that pieces were bound in different poses.
var ErrSeveralBinds = errors.New("the skin was bound in several poses: bring all pieces to one at the bind pose stage first")

// generator is written into every file.
const generator = "Wise Marrow"

// EncodeGLB writes mesh, skeleton, weights, motions and materials as one binary file, Y
// up, metres; what the scene lacks is left out. Positions are written in world
// frame, one vertex for each distinct set of attributes; corners without normals
// get smooth ones. A vertex without weights follows the first root, because glTF
// leaves no other choice; parts that are out of the bind come as a mesh of their
// own without skin. The inverse bind matrices are those of the binding's one record.
func EncodeGLB(w io.Writer, x *Scene) error {
	if x.Binding != nil && len(x.Binding.Records) > 1 {
		return ErrSeveralBinds
	}
	e := encoder{material: map[int]int{}, given: x.Look, bound: x.Binding, weightBits: x.WeightBits}
	if x.Mesh != nil {
		e.use(x)
	}
	e.doc.Asset = asset{Version: "2.0", Generator: generator}
	if x.Stamp != nil {
		e.doc.Asset.Extras, _ = json.Marshal(x.Stamp) // texts and numbers can be written
	}
	scene0 := 0
	e.doc.Scene = &scene0
	e.doc.Scenes = []scene{{}}
	if x.Skeleton != nil {
		e.joints(x.Skeleton)
	}
	e.look(x.Look)
	if x.Mesh != nil {
		in, out := x.Mesh.Bindable()
		if x.Skeleton == nil || x.Weights == nil {
			in, out = x.Mesh, nil
		}
		e.mesh("skin", in, func(v int32) bool { return out == nil || !out[v] }, x.Skeleton, x.Weights)
		if out != nil {
			e.mesh("unbound", x.Mesh.Unbindable(), func(int32) bool { return false }, nil, nil)
		}
	}
	if x.Skeleton != nil {
		for _, c := range x.Clips {
			e.clip(x.Skeleton, c)
		}
	}
	if x.Avatar != nil {
		e.avatar(x.Avatar)
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
	e.doc.Buffers = []buffer{
		{URI: "data:application/octet-stream;base64," + base64.StdEncoding.EncodeToString(e.bin.Bytes()), Length: e.bin.Len()},
	}
	out := json.NewEncoder(w)
	out.SetIndent("", " ")
	return out.Encode(&e.doc)
}

type encoder struct {
	doc      document
	bin      bytes.Buffer
	given    *look.Look
	bound    *pose.Binding
	material map[int]int // number of a given material → ours

	rig    *shape.Rig // of the shape targets
	values *shape.Evaluator
	shaped []int // the nodes of meshes with shape targets

	weightBits int
}

// add appends an accessor over its own buffer view.
func (e *encoder) add(a accessor, target int, write func(b *bytes.Buffer)) int {
	view := e.view(target, write)
	a.View = &view
	e.doc.Accessors = append(e.doc.Accessors, a)
	return len(e.doc.Accessors) - 1
}

// view appends a buffer view.
func (e *encoder) view(target int, write func(b *bytes.Buffer)) int {
	for e.bin.Len()%4 != 0 {
		e.bin.WriteByte(0)
	}
	from := e.bin.Len()
	write(&e.bin)
	e.doc.BufferViews = append(e.doc.BufferViews, bufferView{Offset: from, Length: e.bin.Len() - from, Target: target})
	return len(e.doc.BufferViews) - 1
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
	children := s.Hanging()
	for i, j := range s.Joints {
		t, q := s.Local(i)
		n := node{Name: j.Name, Children: children[i]}
		if j.Helper != nil {
			n.Extras, _ = json.Marshal(ruled{j.Helper}) // names and numbers can be written
		}
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
		list := pose.InverseBind(s)
		if e.bound != nil {
			list = e.bound.InverseBind(s, 0)
		}
		for _, m := range list {
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
	extra  int32 // number of the values of the further attributes
}

// mesh adds a node with the mesh. loose says which vertices without faces are
// written too.
func (e *encoder) mesh(name string, m *mesh.Mesh, loose func(v int32) bool, s *skeleton.Skeleton, sk *weights.Weights) {
	points := m.World()
	smooth := m.VertexNormals(points)
	number := map[drawn]uint32{}
	var list []drawn
	extras := further{m: m, number: map[string]int32{}}
	corner := make([]uint32, len(m.Corner))
	byVertex := make([][]int, len(m.Points))
	for c, v := range m.Corner {
		byVertex[v] = append(byVertex[v], c)
	}
	// In vertex order, so that an unsplit mesh keeps its numbering.
	for v, corners := range byVertex {
		if len(corners) == 0 {
			if !loose(int32(v)) {
				continue
			}
			number[drawn{v: int32(v), normal: [3]float32{0, 1, 0}}] = uint32(len(list))
			list = append(list, drawn{v: int32(v), normal: [3]float32{0, 1, 0}})
		}
		for _, c := range corners {
			d := drawn{v: int32(v), normal: unit32(smooth[v])}
			if m.UV != nil {
				d.uv = m.UV[c]
			}
			d.extra = extras.of(c)
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
	index := indices(m, corner)
	for _, g := range m.Objects(name) {
		from := sort.Search(len(list), func(i int) bool { return int(list[i].v) >= g.From })
		to := sort.Search(len(list), func(i int) bool { return int(list[i].v) >= g.To })
		if from < to { // glTF knows no empty accessor
			e.object(g, m, points, list[from:to], index, uint32(from), &extras, s, sk)
		}
	}
}

// object adds a node with the mesh of an object: drawn vertices are those of its own, the first of which has the number base in
// index.
func (e *encoder) object(
	g mesh.Object,
	m *mesh.Mesh,
	points []r3.Vec,
	list []drawn,
	index [][]uint32,
	base uint32,
	extras *further,
	s *skeleton.Skeleton,
	sk *weights.Weights,
) {
	attributes := map[string]int{}
	lo, hi := [3]float64{math.Inf(1), math.Inf(1), math.Inf(1)}, [3]float64{math.Inf(-1), math.Inf(-1), math.Inf(-1)}
	for _, d := range list {
		p := points[d.v]
		for k, x := range [3]float64{p.X, p.Y, p.Z} {
			x = float64(float32(x))
			lo[k], hi[k] = math.Min(lo[k], x), math.Max(hi[k], x)
		}
	}
	attributes["POSITION"] = e.add(
		accessor{Component: typeFloat, Count: len(list), Type: "VEC3", Min: lo[:], Max: hi[:]},
		34962,
		func(b *bytes.Buffer) {
			for _, d := range list {
				put32(b, points[d.v].X, points[d.v].Y, points[d.v].Z)
			}
		},
	)
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
	extras.write(e, attributes, list)
	n := node{Name: g.Name}
	if s != nil && sk != nil {
		e.weights(attributes, list, s, sk)
		if e.doc.Skins == nil {
			e.skin(s)
		}
		zero := 0
		n.Skin = &zero
	}
	var out meshes
	for _, p := range g.Parts {
		if len(index[p]) > 0 {
			out.Primitives = append(out.Primitives, e.primitive(m.Parts[p], attributes, index[p], base))
		}
	}
	if len(out.Primitives) == 0 { // no face at all: glTF draws vertices as points
		points := 0
		out.Primitives = []primitive{{Attributes: attributes, Mode: &points}}
	}
	e.shapes(&out, m, list)
	if len(m.Shapes) > 0 {
		e.shaped = append(e.shaped, len(e.doc.Nodes))
	}
	at := len(e.doc.Meshes)
	n.Mesh = &at
	out.Name = g.Name
	e.doc.Meshes = append(e.doc.Meshes, out)
	e.doc.Nodes = append(e.doc.Nodes, n)
	e.doc.Scenes[0].Nodes = append(e.doc.Scenes[0].Nodes, len(e.doc.Nodes)-1)
}

// indices are the drawn vertices of the triangles of each part.
func indices(m *mesh.Mesh, corner []uint32) [][]uint32 {
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
	return index
}

// primitive is what draws a part, with its material.
func (e *encoder) primitive(p mesh.Part, attributes map[string]int, index []uint32, base uint32) primitive {
	at := e.add(accessor{Component: typeUint, Count: len(index), Type: "SCALAR"}, 34963, func(b *bytes.Buffer) {
		var buf [4]byte
		for _, i := range index {
			binary.LittleEndian.PutUint32(buf[:], i-base)
			b.Write(buf[:])
		}
	})
	mat := e.materialOf(p)
	return primitive{Attributes: attributes, Indices: &at, Material: &mat}
}

// materialOf returns the number of a part's material, writing it when it is the
// first to want it: the one that came with the file, or a matt one of its colour.
func (e *encoder) materialOf(p mesh.Part) int {
	given := p.Material - 1
	if e.given != nil && given >= 0 && given < len(e.given.Materials) {
		if at, ok := e.material[given]; ok {
			return at
		}
		e.material[given] = len(e.doc.Materials)
		e.doc.Materials = append(e.doc.Materials, e.given.Materials[given])
		return e.material[given]
	}
	metallic, rough := float32(0), float32(0.9)
	c := p.Colour
	raw, err := json.Marshal(
		material{Name: p.Name, PBR: &pbr{BaseColour: &[4]float32{c[0], c[1], c[2], 1}, Metallic: &metallic, Roughness: &rough}},
	)
	if err != nil {
		raw = json.RawMessage("{}") // a colour that is no number
	}
	e.doc.Materials = append(e.doc.Materials, raw)
	return len(e.doc.Materials) - 1
}

// further numbers the different values of a mesh's further attributes, so that
// vertices are split where they differ.
type further struct {
	m      *mesh.Mesh
	number map[string]int32
	corner []int // the first corner of each number
}

func (x *further) of(c int) int32 {
	if len(x.m.Extra) == 0 {
		return 0
	}
	var key []byte
	for _, a := range x.m.Extra {
		for _, v := range a.Values[c*a.Width : (c+1)*a.Width] {
			key = binary.LittleEndian.AppendUint32(key, math.Float32bits(v))
		}
	}
	n, ok := x.number[string(key)]
	if !ok {
		n = int32(len(x.corner))
		x.number[string(key)] = n
		x.corner = append(x.corner, c)
	}
	return n
}

func (x *further) write(e *encoder, attributes map[string]int, list []drawn) {
	for _, a := range x.m.Extra {
		kind := map[int]string{2: "VEC2", 3: "VEC3", 4: "VEC4"}[a.Width]
		if kind == "" || len(x.corner) == 0 {
			continue
		}
		attributes[a.Name] = e.add(accessor{Component: typeFloat, Count: len(list), Type: kind}, 34962, func(b *bytes.Buffer) {
			for _, d := range list {
				c := x.corner[d.extra]
				for _, v := range a.Values[c*a.Width : (c+1)*a.Width] {
					put32(b, float64(v))
				}
			}
		})
	}
}

// mixAttribute is how much of what joints do to a vertex goes by dual quaternions, 0 to 1. glTF has
// no word for it; what a program names itself begins with a bar (glTF 2.0, 3.7.2.1).
const mixAttribute = "_DUAL_QUATERNION_SHARE"

// weights adds as many sets of four influences as the busiest vertex needs.
func (e *encoder) weights(attributes map[string]int, list []drawn, s *skeleton.Skeleton, sk *weights.Weights) {
	if shares := deform.Mixes(s, sk); shares != nil {
		attributes[mixAttribute] = e.add(accessor{Component: typeFloat, Count: len(list), Type: "SCALAR"}, 34962, func(b *bytes.Buffer) {
			for _, d := range list {
				put32(b, shares[d.v])
			}
		})
	}
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
		attributes[fmt.Sprintf("JOINTS_%d", set)] = e.add(
			accessor{Component: component, Count: len(list), Type: "VEC4"},
			34962,
			func(b *bytes.Buffer) {
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
			},
		)
		kind, whole := typeFloat, e.weightBits == 8 || e.weightBits == 16
		if whole {
			kind = map[int]int{8: typeUbyte, 16: typeUshort}[e.weightBits]
		}
		attributes[fmt.Sprintf("WEIGHTS_%d", set)] = e.add(
			accessor{Component: kind, Normalised: whole, Count: len(list), Type: "VEC4"},
			34962,
			func(b *bytes.Buffer) {
				for _, d := range list {
					for k := 4 * set; k < 4*set+4; k++ {
						v := float32(0)
						if x := rounded[d.v]; k < len(x) {
							v = x[k]
						} else if len(x) == 0 && k == 0 {
							v = 1
						}
						switch n := uint64(math.Round(float64(v) * float64(int(1)<<e.weightBits-1))); {
						case kind == typeUbyte:
							b.WriteByte(byte(n))
						case kind == typeUshort:
							b.WriteByte(byte(n))
							b.WriteByte(byte(n >> 8))
						default:
							put32(b, float64(v))
						}
					}
				}
			},
		)
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
