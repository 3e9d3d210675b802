// Package usd writes skinned characters as USD text (.usda) with the schemas of UsdSkel, and packed (.usdz). The layout is that
// of the published UsdSkel and UsdPreviewSurface documents, from memory.
package usd

import (
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/outgoing"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Options are how a file is written.
type Options struct {
	Name string  // of the character
	Unit float64 // meters that one unit of the scene is; 0 is 1
	ZUp  bool    // the scene is Z up
}

// Encode writes a scene as .usda. Its pictures are not in it: a .usdz has them.
func Encode(w io.Writer, x *gltf.Scene, o Options) error {
	return encode(w, x, o, false)
}

func encode(w io.Writer, x *gltf.Scene, o Options, packed bool) error {
	if x.Binding != nil && len(x.Binding.Records) > 1 {
		return gltf.ErrSeveralBinds
	}
	e := encoder{x: x, o: o, names: outgoing.Names{}, packed: packed}
	if e.o.Unit == 0 {
		e.o.Unit = 1
	}
	e.prepare()
	e.stage()
	_, err := io.WriteString(w, e.b.String())
	return err
}

type encoder struct {
	b        strings.Builder
	x        *gltf.Scene
	o        Options
	packed   bool
	depth    int
	names    outgoing.Names
	values   *shape.Evaluator
	joints   []string // the paths of joints
	targets  []string // the names of shape targets
	material []string // by part: its path, "" for none
	clips    []string
	surfaces []outgoing.Surface // of the materials that are written
	pathOf   []string
}

// rate is how many time codes there are in a second.
const rate = 30

func (e *encoder) line(format string, args ...any) {
	for range e.depth {
		e.b.WriteString("    ")
	}
	fmt.Fprintf(&e.b, format, args...)
	e.b.WriteByte('\n')
}

func (e *encoder) open(format string, args ...any) {
	e.line(format, args...)
	e.line("{")
	e.depth++
}

func (e *encoder) shut() {
	e.depth--
	e.line("}")
}

func quoted(text string) string {
	return strconv.Quote(strings.Map(func(r rune) rune {
		if r < ' ' {
			return ' '
		}
		return r
	}, text))
}

// prepare finds the names and paths that others refer to.
func (e *encoder) prepare() {
	if s := e.x.Skeleton; s != nil {
		names := outgoing.Names{}
		for _, j := range s.Joints {
			path := names.Of(j.Name)
			if j.Parent >= 0 {
				path = e.joints[j.Parent] + "/" + path
			}
			e.joints = append(e.joints, path)
		}
		taken := outgoing.Names{}
		for _, c := range e.x.Clips {
			e.clips = append(e.clips, taken.Of(c.Name))
		}
	}
	m := e.x.Mesh
	if m == nil {
		return
	}
	taken := outgoing.Names{}
	var list []string
	for _, t := range m.Shapes {
		e.targets = append(e.targets, taken.Of(t.Name))
		list = append(list, t.Name)
	}
	if len(m.Shapes) > 0 {
		e.values = e.x.Shapes.Of(list).For(e.x.Skeleton, e.x.Marks)
	}
	known := map[outgoing.Surface]string{}
	taken = outgoing.Names{}
	for _, p := range m.Parts {
		s := outgoing.SurfaceOf(e.x.Look, p)
		path, ok := known[s]
		if !ok {
			path = "/Character/Materials/" + taken.Of(s.Name)
			known[s] = path
			e.surfaces, e.pathOf = append(e.surfaces, s), append(e.pathOf, path)
		}
		e.material = append(e.material, path)
	}
}

// stage writes all.
func (e *encoder) stage() {
	e.line("#usda 1.0")
	e.line("(")
	e.depth++
	e.line(`defaultPrim = "Character"`)
	if e.x.Stamp != nil {
		e.line("doc = %s", quoted(outgoing.StampText(e.x.Stamp)))
	}
	last := 0.0
	if e.x.Skeleton != nil && len(e.x.Clips) > 0 {
		for _, c := range e.x.Clips {
			last = math.Max(last, rate*c.Step*float64(c.Frames()-1))
		}
		e.line("endTimeCode = %s", number(last))
		e.line("framesPerSecond = %d", rate)
	}
	e.line("metersPerUnit = %s", strconv.FormatFloat(e.o.Unit, 'g', -1, 64))
	if len(e.x.Clips) > 0 {
		e.line("startTimeCode = 0")
		e.line("timeCodesPerSecond = %d", rate)
	}
	e.line("upAxis = %q", map[bool]string{false: "Y", true: "Z"}[e.o.ZUp])
	e.depth--
	e.line(")")
	e.line("")
	kind := "SkelRoot"
	if e.x.Skeleton == nil {
		kind = "Xform"
	}
	e.line(`def %s "Character" (`, kind)
	e.depth++
	e.line(`displayName = %s`, quoted(e.o.Name))
	e.line(`kind = "component"`)
	if e.x.Skeleton != nil {
		e.line(`prepend apiSchemas = ["SkelBindingAPI"]`)
	}
	e.depth--
	e.line(")")
	e.line("{")
	e.depth++
	if e.x.Skeleton != nil {
		e.skeleton(e.x.Skeleton)
	}
	if e.x.Mesh != nil {
		e.mesh()
		e.materials()
	}
	e.shut()
}

func number(x float64) string {
	var b strings.Builder
	outgoing.Number(&b, x)
	return b.String()
}

// list writes values with commas between them.
func list[T any](b *strings.Builder, values []T, one func(b *strings.Builder, x T)) {
	b.WriteByte('[')
	for i, x := range values {
		if i > 0 {
			b.WriteString(", ")
		}
		one(b, x)
	}
	b.WriteByte(']')
}

func told[T any](values []T, one func(b *strings.Builder, x T)) string {
	var b strings.Builder
	list(&b, values, one)
	return b.String()
}

func vector(b *strings.Builder, v r3.Vec) { numbers(b, v.X, v.Y, v.Z) }

func numbers(b *strings.Builder, list ...float64) {
	b.WriteByte('(')
	for i, x := range list {
		if i > 0 {
			b.WriteString(", ")
		}
		outgoing.Number(b, x)
	}
	b.WriteByte(')')
}

func turn(b *strings.Builder, q quat.Number) { numbers(b, q.Real, q.Imag, q.Jmag, q.Kmag) }

// matrix is by rows that vectors are multiplied with from the left, as USD has it.
func matrix(b *strings.Builder, m geom.Matrix) {
	b.WriteString("( ")
	for r := range 4 {
		if r > 0 {
			b.WriteString(", ")
		}
		b.WriteByte('(')
		for c := range 4 {
			if c > 0 {
				b.WriteString(", ")
			}
			b.WriteString(strconv.FormatFloat(clean(m[4*r+c]), 'g', -1, 64))
		}
		b.WriteByte(')')
	}
	b.WriteString(" )")
}

func clean(x float64) float64 {
	if math.Abs(x) < 1e-15 || math.IsNaN(x) {
		return 0
	}
	return x
}

func text(b *strings.Builder, s string) { b.WriteString(quoted(s)) }

func whole[T int | int32](b *strings.Builder, n T) { b.WriteString(strconv.Itoa(int(n))) }

// skeleton writes the joints, and each motion as an animation, the first of which is played.
func (e *encoder) skeleton(s *skeleton.Skeleton) {
	e.line(`def Skeleton "Skeleton" (`)
	e.line(`    prepend apiSchemas = ["SkelBindingAPI"]`)
	e.line(")")
	e.line("{")
	e.depth++
	bind := make([]geom.Matrix, len(s.Joints))
	inverse := pose.InverseBind(s)
	if e.x.Binding != nil {
		inverse = e.x.Binding.InverseBind(s, 0)
	}
	var names []string
	for i, m := range inverse {
		if b, ok := m.Inverse(); ok {
			bind[i] = b
		}
		names = append(names, s.Joints[i].Name)
	}
	e.line("uniform matrix4d[] bindTransforms = %s", told(bind, matrix))
	e.line("uniform token[] jointNames = %s", told(names, text))
	e.line("uniform token[] joints = %s", told(e.joints, text))
	e.line("uniform matrix4d[] restTransforms = %s", told(outgoing.Rest(s), matrix))
	if len(e.clips) > 0 {
		e.line("rel skel:animationSource = </Character/Skeleton/%s>", e.clips[0])
	}
	for k, c := range e.x.Clips {
		e.line("")
		e.animation(s, e.clips[k], c)
	}
	e.shut()
	e.line("")
}

func (e *encoder) animation(s *skeleton.Skeleton, name string, c *pose.Clip) {
	e.open("def SkelAnimation %q", name)
	frames := outgoing.Played(s, e.values, c)
	if len(e.targets) > 0 {
		e.line("uniform token[] blendShapes = %s", told(e.targets, text))
		e.samples("float[] blendShapeWeights", c, frames, func(b *strings.Builder, f *outgoing.Frame) { list(b, f.Values, outgoing.Number) })
	}
	e.line("uniform token[] joints = %s", told(e.joints, text))
	e.samples("quatf[] rotations", c, frames, func(b *strings.Builder, f *outgoing.Frame) { list(b, f.Turn, turn) })
	ones := make([]r3.Vec, len(s.Joints))
	for i := range ones {
		ones[i] = r3.Vec{X: 1, Y: 1, Z: 1}
	}
	e.line("half3[] scales = %s", told(ones, vector))
	e.samples("float3[] translations", c, frames, func(b *strings.Builder, f *outgoing.Frame) { list(b, f.Move, vector) })
	e.shut()
}

func (e *encoder) samples(what string, c *pose.Clip, frames []outgoing.Frame, one func(b *strings.Builder, f *outgoing.Frame)) {
	e.line("%s.timeSamples = {", what)
	for f := range frames {
		for range e.depth + 1 {
			e.b.WriteString("    ")
		}
		outgoing.Number(&e.b, rate*c.Step*float64(f))
		e.b.WriteString(": ")
		one(&e.b, &frames[f])
		e.b.WriteString(",\n")
	}
	e.line("}")
}

// mesh writes each object as a mesh, those that are out of the bind without a skin.
func (e *encoder) mesh() {
	list := outgoing.Objects(e.x)
	for i := range list {
		e.object(&list[i])
	}
}

// object writes one.
func (e *encoder) object(o *outgoing.Object) {
	m, verts, w := o.Of, o.Verts, o.Weights
	name := e.names.Of(o.Name)
	e.line("def Mesh %q (", name)
	e.depth++
	e.line("displayName = %s", quoted(o.Name))
	e.line(`prepend apiSchemas = [%s"MaterialBindingAPI"]`, map[bool]string{true: `"SkelBindingAPI", `}[w != nil])
	e.depth--
	e.line(")")
	e.line("{")
	e.depth++
	points := m.World()
	var places []r3.Vec
	for _, v := range verts {
		places = append(places, points[v])
	}
	box := geom.BoxOf(places)
	e.line("float3[] extent = %s", told([]r3.Vec{box.Min, box.Max}, vector))
	var counts, index []int32
	var corner []int32
	for _, f := range o.Faces {
		counts = append(counts, int32(len(m.Face(int(f)))))
		for c := m.Start[f]; c < m.Start[f+1]; c++ {
			index, corner = append(index, o.At(m.Corner[c])), append(corner, c)
		}
	}
	e.line("int[] faceVertexCounts = %s", told(counts, whole))
	e.line("int[] faceVertexIndices = %s", told(index, whole))
	if len(o.Parts) == 1 {
		e.line("rel material:binding = <%s>", e.material[o.Parts[0]])
	}
	if m.Normal != nil {
		e.line("normal3f[] normals = %s (", told(corner, func(b *strings.Builder, c int32) {
			n := m.Normal[c]
			numbers(b, float64(n[0]), float64(n[1]), float64(n[2]))
		}))
		e.line(`    interpolation = "faceVarying"`)
		e.line(")")
	} else {
		smooth := m.VertexNormals(points)
		e.line("normal3f[] normals = %s (", told(verts, func(b *strings.Builder, v int32) { vector(b, smooth[v]) }))
		e.line(`    interpolation = "vertex"`)
		e.line(")")
	}
	e.line("point3f[] points = %s", told(places, vector))
	if m.UV != nil {
		e.line("texCoord2f[] primvars:st = %s (", told(corner, func(b *strings.Builder, c int32) {
			numbers(b, float64(m.UV[c][0]), 1-float64(m.UV[c][1])) // from the lower edge
		}))
		e.line(`    interpolation = "faceVarying"`)
		e.line(")")
	}
	if w != nil {
		e.skin(verts, w)
	}
	e.line(`uniform token subdivisionScheme = "none"`)
	e.targetsOf(o)
	if len(o.Parts) > 1 {
		e.subsets(o)
	}
	e.shut()
	e.line("")
}

// skin writes the weights of some vertices, as many for each as the busiest has.
func (e *encoder) skin(verts []int32, w *weights.Weights) {
	s := e.x.Skeleton
	at := s.Numbers()
	most := 1
	for _, v := range verts {
		most = max(most, len(w.Of[v]))
	}
	var joints []int32
	var shares []float64
	for _, v := range verts {
		list := w.Of[v]
		rest := 1.0
		for _, x := range list[min(1, len(list)):] {
			rest -= float64(float32(x.Value))
		}
		for k := range most {
			j, share := 0, 0.0
			switch {
			case k < len(list):
				j, share = at[w.Joints[list[k].Joint]], list[k].Value
				if k == 0 {
					share = rest // the largest takes up what rounding leaves
				}
			case k == 0:
				share = 1 // of one without weights: the root leads it
			}
			joints, shares = append(joints, int32(j)), append(shares, share)
		}
	}
	var b strings.Builder
	matrix(&b, geom.IdentityMatrix)
	e.line("matrix4d primvars:skel:geomBindTransform = %s", b.String())
	e.line("int[] primvars:skel:jointIndices = %s (", told(joints, whole))
	e.line("    elementSize = %d", most)
	e.line(`    interpolation = "vertex"`)
	e.line(")")
	e.line("float[] primvars:skel:jointWeights = %s (", told(shares, outgoing.Number))
	e.line("    elementSize = %d", most)
	e.line(`    interpolation = "vertex"`)
	e.line(")")
	e.line("rel skel:skeleton = </Character/Skeleton>")
}

// targetsOf writes the shape targets that move a vertex of the object. Without a skeleton nothing could play them.
func (e *encoder) targetsOf(o *outgoing.Object) {
	if len(o.Of.Shapes) == 0 || e.x.Skeleton == nil || e.x.Weights == nil {
		return
	}
	type target struct {
		name   string
		vertex []int32
		offset []r3.Vec
	}
	var list []target
	var names []string
	for k, x := range o.Of.WorldShapes() {
		t := target{name: e.targets[k]}
		for i, v := range x.Vertex {
			if o.Has(v) {
				t.vertex, t.offset = append(t.vertex, o.At(v)), append(t.offset, x.Offset[i])
			}
		}
		if len(t.vertex) > 0 {
			list, names = append(list, t), append(names, t.name)
		}
	}
	if len(list) == 0 {
		return
	}
	e.line("uniform token[] skel:blendShapes = %s", told(names, text))
	e.line("rel skel:blendShapeTargets = %s", told(names, func(b *strings.Builder, n string) { b.WriteString("<" + n + ">") }))
	for _, t := range list {
		e.line("")
		e.open("def BlendShape %q", t.name)
		e.line("uniform vector3f[] offsets = %s", told(t.offset, vector))
		e.line("uniform int[] pointIndices = %s", told(t.vertex, whole))
		e.shut()
	}
}

// subsets gives each part of an object its material.
func (e *encoder) subsets(o *outgoing.Object) {
	m := o.Of
	by := map[int32][]int32{}
	for k, f := range o.Faces {
		by[m.PartOf(int(f))] = append(by[m.PartOf(int(f))], int32(k))
	}
	e.line(`uniform token subsetFamily:materialBind:familyType = "nonOverlapping"`)
	taken := outgoing.Names{}
	for _, p := range o.Parts {
		if len(by[int32(p)]) == 0 {
			continue
		}
		e.line("")
		e.line("def GeomSubset %q (", taken.Of(m.Parts[p].Name))
		e.line(`    prepend apiSchemas = ["MaterialBindingAPI"]`)
		e.line(")")
		e.line("{")
		e.depth++
		e.line(`uniform token elementType = "face"`)
		e.line(`uniform token familyName = "materialBind"`)
		e.line("int[] indices = %s", told(by[int32(p)], whole))
		e.line("rel material:binding = <%s>", e.material[p])
		e.shut()
	}
}

// materials writes what UsdPreviewSurface knows of them.
func (e *encoder) materials() {
	files := pictures(e.x.Look)
	e.open(`def Scope "Materials"`)
	for i, s := range e.surfaces {
		path := e.pathOf[i]
		e.open("def Material %q", path[strings.LastIndexByte(path, '/')+1:])
		e.line("token outputs:surface.connect = <%s/Surface.outputs:surface>", path)
		e.open(`def Shader "Surface"`)
		e.line(`uniform token info:id = "UsdPreviewSurface"`)
		textured := e.packed && s.Image >= 0 && files[s.Image] != "" && e.x.Mesh.UV != nil
		if textured {
			e.line("color3f inputs:diffuseColor.connect = <%s/Picture.outputs:rgb>", path)
		} else {
			var b strings.Builder
			numbers(&b, s.Color[0], s.Color[1], s.Color[2])
			e.line("color3f inputs:diffuseColor = %s", b.String())
		}
		e.line("float inputs:metallic = %s", number(s.Metal))
		e.line("float inputs:opacity = %s", number(s.Color[3]))
		e.line("float inputs:roughness = %s", number(s.Roughness))
		e.line("token outputs:surface")
		e.shut()
		if textured {
			e.open(`def Shader "Coordinates"`)
			e.line(`uniform token info:id = "UsdPrimvarReader_float2"`)
			e.line(`string inputs:varname = "st"`)
			e.line("float2 outputs:result")
			e.shut()
			e.open(`def Shader "Picture"`)
			e.line(`uniform token info:id = "UsdUVTexture"`)
			e.line("asset inputs:file = @%s@", files[s.Image])
			e.line("float2 inputs:st.connect = <%s/Coordinates.outputs:result>", path)
			e.line(`token inputs:wrapS = "repeat"`)
			e.line(`token inputs:wrapT = "repeat"`)
			var b strings.Builder
			numbers(&b, s.Color[0], s.Color[1], s.Color[2], 1)
			e.line("float4 inputs:scale = %s", b.String())
			e.line("float3 outputs:rgb")
			e.shut()
		}
		e.shut()
	}
	e.shut()
}
