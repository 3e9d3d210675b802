package gltf

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"

	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/reading"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// targetNames are the names of shape targets, where many programs put them, and how they are used (docs/shapes.md).
type targetNames struct {
	Names  []string   `json:"targetNames"`
	Shapes *shape.Rig `json:"shapes,omitempty"`
}

// use prepares how the shape targets of a scene are on.
func (e *encoder) use(x *Scene) {
	if len(x.Mesh.Shapes) == 0 {
		return
	}
	var names []string
	for _, t := range x.Mesh.Shapes {
		names = append(names, t.Name)
	}
	e.rig = x.Shapes.Of(names)
	e.values = e.rig.For(x.Skeleton, x.Marks)
	e.rig = e.values.Described()
}

// shapes adds the shape targets, the same for every primitive.
func (e *encoder) shapes(out *meshes, m *mesh.Mesh, list []drawn) {
	if len(m.Shapes) == 0 {
		return
	}
	names := targetNames{Shapes: e.rig}
	var targets []map[string]int
	part := m.FrameOfVertices()
	by, moves := make([]r3.Vec, len(m.Points)), make([]bool, len(m.Points))
	for _, s := range m.Shapes {
		clear(moves)
		for k, v := range s.Vertex {
			by[v], moves[v] = part(v).Direction(s.Offset[k]), true
		}
		targets = append(targets, map[string]int{"POSITION": e.offsets(list, by, moves)})
		names.Names = append(names.Names, s.Name)
	}
	for i := range out.Primitives {
		out.Primitives[i].Targets = targets
	}
	out.Weights = make([]float64, len(targets))
	if e.values != nil {
		out.Weights = e.values.Values(nil)
	}
	out.Extras, _ = json.Marshal(names) // strings and numbers can be written
}

// sparseEntry is how many bytes an offset takes in a sparse accessor, denseEntry in another.
const sparseEntry, denseEntry = 4 + 12, 12

// offsets adds the offsets of drawn vertices, sparse where that is smaller (glTF 2.0, 3.6.2.3).
func (e *encoder) offsets(list []drawn, by []r3.Vec, moves []bool) int {
	a := accessor{Component: typeFloat, Count: len(list), Type: "VEC3"}
	var at []uint32
	lo, hi := [3]float64{}, [3]float64{}
	for i, d := range list {
		if moves[d.v] {
			at = append(at, uint32(i))
		}
	}
	of := func(d drawn) [3]float64 {
		if !moves[d.v] {
			return [3]float64{}
		}
		return [3]float64{float64(float32(by[d.v].X)), float64(float32(by[d.v].Y)), float64(float32(by[d.v].Z))}
	}
	for i, d := range list {
		for k, x := range of(d) {
			if i == 0 {
				lo[k], hi[k] = x, x
			}
			lo[k], hi[k] = math.Min(lo[k], x), math.Max(hi[k], x)
		}
	}
	a.Min, a.Max = lo[:], hi[:]
	write := func(b *bytes.Buffer, list []drawn) {
		for _, d := range list {
			x := of(d)
			put32(b, x[:]...)
		}
	}
	if len(at) == 0 || len(at)*sparseEntry >= len(list)*denseEntry {
		return e.add(a, 34962, func(b *bytes.Buffer) { write(b, list) })
	}
	moved := make([]drawn, len(at))
	for k, i := range at {
		moved[k] = list[i]
	}
	a.Sparse = &sparse{Count: len(at)}
	a.Sparse.Indices.View = e.view(0, func(b *bytes.Buffer) {
		var buf [4]byte
		for _, i := range at {
			binary.LittleEndian.PutUint32(buf[:], i)
			b.Write(buf[:])
		}
	})
	a.Sparse.Indices.Component = typeUint
	a.Sparse.Values.View = e.view(0, func(b *bytes.Buffer) { write(b, moved) })
	e.doc.Accessors = append(e.doc.Accessors, a)
	return len(e.doc.Accessors) - 1
}

// targetsIn is how far on each target is in every frame of a motion, frame by frame; nil where that never changes.
func (e *encoder) targetsIn(c *pose.Clip) (out []float64) {
	if len(e.shaped) == 0 || e.values == nil || !e.values.Moves() {
		return nil
	}
	n := len(e.rig.Targets)
	changes := false
	for f := range c.Frames() {
		p, _ := c.At(f)
		out = append(out, e.values.Values(p)...)
		changes = changes || f > 0 && !slices.Equal(out[:n], out[f*n:])
	}
	rest := e.values.Values(nil)
	if !changes && (len(out) == 0 || slices.Equal(out[:n], rest)) {
		return nil
	}
	return out
}

// targets reads the shape targets of a primitive: how far each moves the
// primitive's vertices. Targets of one name are one shape.
func (d *decoder) targets(names []string, p primitive, vertex []int32) error {
	for k, target := range p.Targets {
		i, ok := target["POSITION"]
		if !ok {
			continue
		}
		xyz, err := d.numbers(i, "VEC3", d.limits)
		if err != nil {
			return err
		}
		if len(xyz) != 3*len(vertex) {
			return reading.At(fmt.Sprintf("accessor %d", i), "shape target %d has another count than POSITION", k)
		}
		name := fmt.Sprintf("shape_%d", k+1)
		if k < len(names) && names[k] != "" {
			name = names[k]
		}
		s, ok := d.shape[name]
		if !ok {
			if err := reading.Most("shape targets", len(d.moved)+1, d.limits.Shapes); err != nil {
				return err
			}
			if d.shape == nil {
				d.shape = map[string]int{}
			}
			s = len(d.moved)
			d.shape[name] = s
			d.moved = append(d.moved, map[int32]r3.Vec{})
		}
		for v, w := range vertex {
			by := r3.Vec{X: xyz[3*v], Y: xyz[3*v+1], Z: xyz[3*v+2]}
			if _, known := d.moved[s][w]; !known && by != (r3.Vec{}) {
				d.moved[s][w] = by
			}
		}
	}
	return nil
}

// shapes puts the shape targets into the mesh.
func (d *decoder) shapes() {
	out := make([]mesh.Shape, len(d.moved))
	for name, i := range d.shape {
		out[i].Name = name
	}
	for i, moved := range d.moved {
		for _, v := range slices.Sorted(maps.Keys(moved)) {
			out[i].Vertex = append(out[i].Vertex, v)
			out[i].Offset = append(out[i].Offset, moved[v])
		}
	}
	if len(out) == 0 {
		return
	}
	d.scene.Mesh.Shapes = out
	var names []string
	for _, x := range out {
		names = append(names, x.Name)
	}
	rig := d.rig.Of(names)
	for k := range rig.Targets {
		if t := &rig.Targets[k]; d.rig.Find(t.Name) < 0 && d.weight[t.Name] != 0 {
			t.Value = d.weight[t.Name]
			t.Range = &[2]float64{min(0, t.Value), max(1, t.Value)}
		}
	}
	if err := rig.Validate(); err != nil {
		d.scene.Notes = append(
			d.scene.Notes,
			fmt.Sprintf("what the file says of its shape targets cannot be followed, and they are set by hand: %v", err),
		)
		rig = (*shape.Rig)(nil).Of(names)
	}
	d.scene.Shapes = rig
	d.uncarry()
}

// leads reports whether the file says that shape targets move joints.
func (d *decoder) leads() bool {
	return d.rig != nil && slices.ContainsFunc(d.rig.Targets, func(t shape.Target) bool { return len(t.Joints) > 0 })
}

// uncarryRounds is how often a motion is taken back to the joints of a build whose values depend on the pose that is looked for.
const uncarryRounds = 3

// uncarry takes motions back to the joints of the builds that they were made for, where the file has them as programs show them
// that know of one skeleton only.
func (d *decoder) uncarry() {
	s := d.scene.Skeleton
	if s == nil || !d.leads() {
		return
	}
	values := d.scene.Shapes.For(s, skeleton.DefaultMarks)
	for n, c := range d.scene.Clips {
		out := *c
		out.Turns, out.Root = slices.Clone(c.Turns), slices.Clone(c.Root)
		for f := range c.Frames() {
			file, root := c.At(f)
			p, move := file, root
			for range uncarryRounds {
				built := values.Built(values.Values(p))
				if built == s {
					break
				}
				p, move = pose.Uncarried(built, s, file, root)
			}
			row := make([]quat.Number, len(c.Joints))
			for i, name := range c.Joints {
				row[i] = p[name]
			}
			out.Turns[f], out.Root[f] = row, move
		}
		d.scene.Clips[n] = &out
	}
}

// told reports whether the mesh of a node says how its shape targets are used.
func (d *decoder) told(node *int) bool {
	if node == nil || *node < 0 || *node >= len(d.doc.Nodes) {
		return false
	}
	at := d.doc.Nodes[*node].Mesh
	if at == nil || *at < 0 || *at >= len(d.doc.Meshes) || d.doc.Meshes[*at].Extras == nil {
		return false
	}
	said, known := d.says[*at]
	if !known {
		var named targetNames
		said = json.Unmarshal(d.doc.Meshes[*at].Extras, &named) == nil && named.Shapes != nil
		if d.says == nil {
			d.says = map[int]bool{}
		}
		d.says[*at] = said
	}
	return said
}

// used keeps what a mesh says of how its shape targets are used.
func (d *decoder) used(x meshes, named targetNames) {
	switch r := named.Shapes; {
	case r == nil:
	case len(r.Targets) > shape.Most || len(r.Groups) > shape.MostGroups:
		d.scene.Notes = append(d.scene.Notes, fmt.Sprintf(
			"the file has %d shape targets in %d groups with drivers; at most %d in %d are read, so they are set by hand",
			len(r.Targets), len(r.Groups), shape.Most, shape.MostGroups,
		))
	default:
		if d.rig == nil {
			d.rig = &shape.Rig{}
		}
		for _, t := range r.Targets {
			if len(d.rig.Targets) < shape.Most && d.rig.Find(t.Name) < 0 {
				d.rig.Targets = append(d.rig.Targets, t)
			}
		}
		for _, g := range r.Groups { // several meshes of a file may say the same
			if len(d.rig.Groups) < shape.MostGroups &&
				d.rig.FindGroup(g.Name) < 0 {
				d.rig.Groups = append(d.rig.Groups, g)
			}
		}
		for _, x := range r.Sets {
			if len(d.rig.Sets) < shape.MostSets && !slices.ContainsFunc(d.rig.Sets, func(y shape.Set) bool { return y.Name == x.Name }) {
				d.rig.Sets = append(d.rig.Sets, x)
			}
		}
	}
	for k, name := range named.Names {
		if k < len(x.Weights) && math.Abs(x.Weights[k]) <= 10 {
			if d.weight == nil {
				d.weight = map[string]float64{}
			}
			d.weight[name] = x.Weights[k]
		}
	}
}
