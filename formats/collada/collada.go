// Package collada writes skinned characters as COLLADA 1.4.1 (ISO/PAS 17506:2012 describes 1.5, which differs in nothing that is
// used here; from memory of the published schema): many older programs read nothing else.
package collada

import (
	"encoding/xml"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
	"time"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/outgoing"

	"gonum.org/v1/gonum/spatial/r3"
)

// Options are how a file is written.
type Options struct {
	Name  string
	Unit  float64   // meters that one unit of the scene is; 0 is 1
	ZUp   bool      // the scene is Z up
	Since time.Time // when the revision was made, for the file says it; zero is 1970
	Clip  int       // which of the motions is played: COLLADA has one time line
}

// Encode writes mesh, skeleton, skin and one motion. Shape targets are not written: morphs under a skin are what readers of COLLADA
// disagree on, and some read nothing of a file with one. Positions are in world frame. Faces keep their corners.
func Encode(w io.Writer, x *gltf.Scene, o Options) error {
	if x.Binding != nil && len(x.Binding.Records) > 1 {
		return gltf.ErrSeveralBinds
	}
	if o.Unit == 0 {
		o.Unit = 1
	}
	if o.Since.IsZero() {
		o.Since = time.Unix(0, 0)
	}
	e := encoder{x: x, o: o, ids: outgoing.Names{}}
	e.document()
	_, err := io.WriteString(w, e.b.String())
	return err
}

type encoder struct {
	b       strings.Builder
	x       *gltf.Scene
	o       Options
	depth   int
	ids     outgoing.Names
	joints  []string // ids of joints, which are their names in the skin too
	objects []object
	surface []outgoing.Surface // materials that are written, with their ids
	id      []string
	of      []int // by part: number of its material
}

// object is a mesh that is written, and its id.
type object struct {
	outgoing.Object
	id string
}

func (e *encoder) line(format string, args ...any) {
	for range e.depth {
		e.b.WriteString("  ")
	}
	fmt.Fprintf(&e.b, format, args...)
	e.b.WriteByte('\n')
}

func (e *encoder) open(tag, attributes string, args ...any) {
	if attributes != "" {
		attributes = " " + attributes
	}
	e.line("<"+tag+attributes+">", args...)
	e.depth++
}

func (e *encoder) shut(tag string) {
	e.depth--
	e.line("</%s>", tag)
}

func escaped(text string) string {
	var b strings.Builder
	_ = xml.EscapeText(&b, []byte(text)) // a Builder takes all
	return b.String()
}

func number(b *strings.Builder, x float64) { outgoing.Number(b, x) }

func (e *encoder) document() {
	e.line(`<?xml version="1.0" encoding="utf-8"?>`)
	e.open("COLLADA", `xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1"`)
	when := e.o.Since.UTC().Format(time.RFC3339)
	e.open("asset", "")
	e.line("<contributor><authoring_tool>Wise Marrow</authoring_tool>%s</contributor>", e.stamp())
	e.line("<created>%s</created>", when)
	e.line("<modified>%s</modified>", when)
	e.line(`<unit name="%s" meter="%s"/>`, unitName(e.o.Unit), strconv.FormatFloat(e.o.Unit, 'g', -1, 64))
	e.line("<up_axis>%s</up_axis>", map[bool]string{false: "Y_UP", true: "Z_UP"}[e.o.ZUp])
	e.shut("asset")
	if s := e.x.Skeleton; s != nil {
		for _, j := range s.Joints {
			e.joints = append(e.joints, e.ids.Of(j.Name))
		}
	}
	if m := e.x.Mesh; m != nil {
		e.find(m)
		e.materials()
		e.open("library_geometries", "")
		for i := range e.objects {
			e.geometry(&e.objects[i])
		}
		e.shut("library_geometries")
		e.controllers()
	}
	e.motion()
	e.scene()
	e.shut("COLLADA")
}

func (e *encoder) stamp() string {
	if e.x.Stamp == nil {
		return ""
	}
	return "<comments>" + escaped(outgoing.StampText(e.x.Stamp)) + "</comments>"
}

func unitName(meters float64) string {
	for name, m := range map[string]float64{"meter": 1, "centimeter": 0.01, "millimeter": 0.001, "inch": 0.0254, "foot": 0.3048} {
		if math.Abs(m-meters) < 1e-12 {
			return name
		}
	}
	return "unit"
}

// find lists the objects and materials.
func (e *encoder) find(m *mesh.Mesh) {
	for _, o := range outgoing.Objects(e.x) {
		e.objects = append(e.objects, object{o, e.ids.Of(o.Name)})
	}
	known := map[outgoing.Surface]int{}
	for _, p := range m.Parts {
		s := outgoing.SurfaceOf(e.x.Look, p)
		k, ok := known[s]
		if !ok {
			k = len(e.surface)
			known[s] = k
			e.surface, e.id = append(e.surface, s), append(e.id, e.ids.Of(s.Name))
		}
		e.of = append(e.of, k)
	}
}

func (e *encoder) materials() {
	e.open("library_effects", "")
	for i, s := range e.surface {
		e.open("effect", `id="%s_effect"`, e.id[i])
		e.open("profile_COMMON", "")
		e.open("technique", `sid="common"`)
		e.open("lambert", "")
		var b strings.Builder
		for k, x := range s.Color {
			if k > 0 {
				b.WriteByte(' ')
			}
			number(&b, x)
		}
		e.line(`<diffuse><color sid="diffuse">%s</color></diffuse>`, b.String())
		e.shut("lambert")
		e.shut("technique")
		e.shut("profile_COMMON")
		e.shut("effect")
	}
	e.shut("library_effects")
	e.open("library_materials", "")
	for i, s := range e.surface {
		e.line(`<material id="%s" name="%s"><instance_effect url="#%s_effect"/></material>`, e.id[i], escaped(s.Name), e.id[i])
	}
	e.shut("library_materials")
}

// source writes numbers with what each is called.
func (e *encoder) source(id string, values []float64, params ...string) {
	e.open("source", `id="%s"`, id)
	var b strings.Builder
	for i, x := range values {
		if i > 0 {
			b.WriteByte(' ')
		}
		number(&b, x)
	}
	e.line(`<float_array id="%s_array" count="%d">%s</float_array>`, id, len(values), b.String())
	kind := "float"
	if len(params) == 1 && params[0] == "TRANSFORM" {
		kind = "float4x4"
	}
	stride := len(params)
	if kind == "float4x4" {
		stride = 16
	}
	e.open("technique_common", "")
	e.open("accessor", `source="#%s_array" count="%d" stride="%d"`, id, len(values)/stride, stride)
	for _, p := range params {
		e.line(`<param name="%s" type="%s"/>`, p, kind)
	}
	e.shut("accessor")
	e.shut("technique_common")
	e.shut("source")
}

// names writes a list of words.
func (e *encoder) names(id, kind, param string, list []string) {
	e.open("source", `id="%s"`, id)
	e.line(`<%s id="%s_array" count="%d">%s</%s>`, kind, id, len(list), strings.Join(list, " "), kind)
	e.open("technique_common", "")
	e.line(`<accessor source="#%s_array" count="%d" stride="1"><param name="%s" type="%s"/></accessor>`, id, len(list), param,
		map[string]string{"Name_array": "name", "IDREF_array": "IDREF"}[kind])
	e.shut("technique_common")
	e.shut("source")
}

func places(list []r3.Vec) []float64 {
	out := make([]float64, 0, 3*len(list))
	for _, p := range list {
		out = append(out, p.X, p.Y, p.Z)
	}
	return out
}

// geometry writes an object.
func (e *encoder) geometry(x *object) {
	m, id, name, points := x.Of, x.id, x.Name, x.Of.World()
	at := make([]r3.Vec, len(x.Verts))
	for i, v := range x.Verts {
		at[i] = points[v]
	}
	e.open("geometry", `id="%s" name="%s"`, id, escaped(name))
	e.open("mesh", "")
	e.source(id+"_positions", places(at), "X", "Y", "Z")
	var normals, st []float64
	var corners int
	for _, f := range x.Faces {
		corners += len(m.Face(int(f)))
	}
	if m.Normal != nil {
		for _, f := range x.Faces {
			for c := m.Start[f]; c < m.Start[f+1]; c++ {
				n := m.Normal[c]
				normals = append(normals, float64(n[0]), float64(n[1]), float64(n[2]))
			}
		}
	} else {
		smooth := m.VertexNormals(points)
		own := make([]r3.Vec, len(x.Verts))
		for i, v := range x.Verts {
			own[i] = smooth[v]
		}
		normals = places(own)
	}
	e.source(id+"_normals", normals, "X", "Y", "Z")
	if m.UV != nil {
		for _, f := range x.Faces {
			for c := m.Start[f]; c < m.Start[f+1]; c++ {
				st = append(st, float64(m.UV[c][0]), 1-float64(m.UV[c][1])) // from the lower edge
			}
		}
		e.source(id+"_st", st, "S", "T")
	}
	e.line(`<vertices id="%s_vertices"><input semantic="POSITION" source="#%s_positions"/></vertices>`, id, id)
	by := map[int32][]int{} // part → its faces by their place among those of the object
	for k, f := range x.Faces {
		by[m.PartOf(int(f))] = append(by[m.PartOf(int(f))], k)
	}
	first := make([]int, len(x.Faces)+1) // corner of the object at which a face begins
	for k, f := range x.Faces {
		first[k+1] = first[k] + len(m.Face(int(f)))
	}
	for _, p := range x.Parts {
		list := by[int32(p)]
		if len(list) == 0 {
			continue
		}
		e.open("polylist", `material="%s" count="%d"`, e.id[e.of[p]], len(list))
		e.line(`<input semantic="VERTEX" source="#%s_vertices" offset="0"/>`, id)
		e.line(`<input semantic="NORMAL" source="#%s_normals" offset="1"/>`, id)
		if st != nil {
			e.line(`<input semantic="TEXCOORD" source="#%s_st" offset="2" set="0"/>`, id)
		}
		var count, index strings.Builder
		for n, k := range list {
			face := m.Face(int(x.Faces[k]))
			if n > 0 {
				count.WriteByte(' ')
			}
			count.WriteString(strconv.Itoa(len(face)))
			for c, v := range face {
				if n+c > 0 {
					index.WriteByte(' ')
				}
				own := int(x.At(v))
				normal := own
				if m.Normal != nil {
					normal = first[k] + c
				}
				index.WriteString(strconv.Itoa(own) + " " + strconv.Itoa(normal))
				if st != nil {
					index.WriteString(" " + strconv.Itoa(first[k]+c))
				}
			}
		}
		e.line("<vcount>%s</vcount>", count.String())
		e.line("<p>%s</p>", index.String())
		e.shut("polylist")
	}
	e.shut("mesh")
	e.shut("geometry")
}

// controllers writes the skin of each object.
func (e *encoder) controllers() {
	any := false
	for _, x := range e.objects {
		any = any || x.Weights != nil
	}
	if !any {
		return
	}
	e.open("library_controllers", "")
	for i := range e.objects {
		if x := &e.objects[i]; x.Weights != nil {
			e.skin(x)
		}
	}
	e.shut("library_controllers")
}

// rows are a matrix by rows, as COLLADA has it.
func rows(m geom.Matrix) []float64 {
	out := make([]float64, 0, 16)
	for r := range 4 {
		for c := range 4 {
			out = append(out, m[4*c+r])
		}
	}
	return out
}

func (e *encoder) skin(x *object) {
	s, id := e.x.Skeleton, x.id+"_skin"
	at := s.Numbers()
	e.open("controller", `id="%s" name="%s"`, id, escaped(x.Name))
	e.open("skin", `source="#%s"`, x.id)
	e.line("<bind_shape_matrix>1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1</bind_shape_matrix>")
	e.names(id+"_joints", "Name_array", "JOINT", e.joints)
	inverse := pose.InverseBind(s)
	if e.x.Binding != nil {
		inverse = e.x.Binding.InverseBind(s, 0)
	}
	var flat []float64
	for _, m := range inverse {
		flat = append(flat, rows(m)...)
	}
	e.source(id+"_binds", flat, "TRANSFORM")
	var shares []float64
	number := map[float32]int{}
	var count, index strings.Builder
	for i, v := range x.Verts {
		list := x.Weights.Of[v]
		if len(list) == 0 {
			list = []weights.Influence{{Joint: -1, Value: 1}} // the root leads it
		}
		if i > 0 {
			count.WriteByte(' ')
		}
		count.WriteString(strconv.Itoa(len(list)))
		for k, y := range list {
			j := 0
			if y.Joint >= 0 {
				j = at[x.Weights.Joints[y.Joint]]
			}
			share := float32(y.Value)
			n, ok := number[share]
			if !ok {
				n = len(shares)
				number[share] = n
				shares = append(shares, float64(share))
			}
			if i+k > 0 {
				index.WriteByte(' ')
			}
			index.WriteString(strconv.Itoa(j) + " " + strconv.Itoa(n))
		}
	}
	e.source(id+"_weights", shares, "WEIGHT")
	e.line(`<joints><input semantic="JOINT" source="#%s_joints"/><input semantic="INV_BIND_MATRIX" source="#%s_binds"/></joints>`, id, id)
	e.open("vertex_weights", `count="%d"`, len(x.Verts))
	e.line(`<input semantic="JOINT" source="#%s_joints" offset="0"/>`, id)
	e.line(`<input semantic="WEIGHT" source="#%s_weights" offset="1"/>`, id)
	e.line("<vcount>%s</vcount>", count.String())
	e.line("<v>%s</v>", index.String())
	e.shut("vertex_weights")
	e.shut("skin")
	e.shut("controller")
}

// motion writes the one that is played, a matrix for each joint and frame.
func (e *encoder) motion() {
	s := e.x.Skeleton
	if s == nil || e.o.Clip < 0 || e.o.Clip >= len(e.x.Clips) {
		return
	}
	c := e.x.Clips[e.o.Clip]
	frames := outgoing.Played(s, nil, c)
	if len(frames) == 0 {
		return
	}
	times := make([]float64, len(frames))
	linear := make([]string, len(frames))
	for f := range frames {
		times[f], linear[f] = c.Step*float64(f), "LINEAR"
	}
	e.open("library_animations", "")
	channel := func(id, target, param string, values []float64) {
		e.open("animation", `id="%s"`, id)
		e.source(id+"_times", times, "TIME")
		e.source(id+"_values", values, param)
		e.names(id+"_ways", "Name_array", "INTERPOLATION", linear)
		e.line(`<sampler id="%s_sampler"><input semantic="INPUT" source="#%s_times"/><input semantic="OUTPUT" source="#%s_values"/><input semantic="INTERPOLATION" source="#%s_ways"/></sampler>`, id, id, id, id)
		e.line(`<channel source="#%s_sampler" target="%s"/>`, id, target)
		e.shut("animation")
	}
	for i, id := range e.joints {
		rest, turn := s.Local(i)
		still := true
		var values []float64
		for f := range frames {
			m := geom.Rigid(frames[f].Move[i], frames[f].Turn[i])
			values = append(values, rows(m)...)
			still = still && r3.Norm(r3.Sub(frames[f].Move[i], rest)) < 1e-9 && geom.Angle(turn, frames[f].Turn[i]) < 1e-9
		}
		if !still {
			channel(id+"_motion", id+"/transform", "TRANSFORM", values)
		}
	}
	e.shut("library_animations")
}

// scene writes the joints as nodes, and each object with its controller.
func (e *encoder) scene() {
	e.open("library_visual_scenes", "")
	e.open("visual_scene", `id="scene" name="%s"`, escaped(e.o.Name))
	var roots []string
	if s := e.x.Skeleton; s != nil {
		children := s.Children()
		for i, j := range s.Joints {
			if j.Parent < 0 {
				roots = append(roots, e.joints[i])
				e.joint(s, i, children)
			}
		}
	}
	for i := range e.objects {
		x := &e.objects[i]
		e.open("node", `id="%s_node" name="%s"`, x.id, escaped(x.Name))
		tag, url := "instance_geometry", x.id
		if x.Weights != nil {
			tag, url = "instance_controller", x.id+"_skin"
		}
		e.open(tag, `url="#%s"`, url)
		if x.Weights != nil {
			for _, r := range roots {
				e.line("<skeleton>#%s</skeleton>", r)
			}
		}
		e.open("bind_material", "")
		e.open("technique_common", "")
		seen := map[int]bool{}
		for _, p := range x.Parts {
			if k := e.of[p]; !seen[k] {
				seen[k] = true
				e.line(`<instance_material symbol="%s" target="#%s"/>`, e.id[k], e.id[k])
			}
		}
		e.shut("technique_common")
		e.shut("bind_material")
		e.shut(tag)
		e.shut("node")
	}
	e.shut("visual_scene")
	e.shut("library_visual_scenes")
	e.line(`<scene><instance_visual_scene url="#scene"/></scene>`)
}

func (e *encoder) joint(s *skeleton.Skeleton, i int, children [][]int) {
	t, q := s.Local(i)
	e.open("node", `id="%s" sid="%s" name="%s" type="JOINT"`, e.joints[i], e.joints[i], escaped(s.Joints[i].Name))
	var b strings.Builder
	for k, x := range rows(geom.Rigid(t, q)) {
		if k > 0 {
			b.WriteByte(' ')
		}
		b.WriteString(strconv.FormatFloat(x, 'g', -1, 64))
	}
	e.line(`<matrix sid="transform">%s</matrix>`, b.String())
	for _, c := range children[i] {
		e.joint(s, c, children)
	}
	e.shut("node")
}
