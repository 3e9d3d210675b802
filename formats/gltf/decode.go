package gltf

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/formats/look"
	"wisemarrow/formats/reading"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Scene is what a glTF file holds for us; parts that it lacks are nil.
type Scene struct {
	Mesh     *mesh.Mesh
	Skeleton *skeleton.Skeleton
	Weights  *weights.Weights // for the vertices of Mesh, joints of Skeleton
	// Joined is how many vertices the file had split for shading or texture and
	// that are one again; the splits stay in the corners.
	Joined int
	Notes  []string
	Look   *look.Look // nil without materials
	// Clips are motions of Skeleton, their turns about the joints' own axes.
	Clips []*pose.Clip
	// Binding is the poses that the skin was bound in, where there are weights. Points are
	// as they were bound, in the frame in which the first joint that has weights stands as
	// it was bound.
	Binding *pose.Binding
	// Shapes is how the shape targets of the mesh are used; Marks tell, for writing, which joints are of which side.
	Shapes *shape.Rig
	Marks  skeleton.Marks
	// WeightBits, for writing, are 8 or 16 where weights are stored in so many: they are already rounded to that, and sum to 1
	// (glTF 2.0, 3.7.3.1). 0 is single precision.
	WeightBits int
	// Stamp, for writing, is what the file says of where it comes from; nil is nothing.
	Stamp any
	// Avatar, for writing, makes the file a humanoid of the open avatar standard.
	Avatar *Avatar
}

// Decode reads a .gltf or .glb. resolve finds buffers beside a .gltf and may be
// nil. The skeleton is made of the joints of all skins, or, in a file
// without skin and mesh, of all nodes. Errors are *reading.Error with the node,
// accessor or buffer.
func Decode(r io.Reader, resolve Resolver, l reading.Limits) (*Scene, error) {
	l = l.Full()
	data, err := reading.All(r, l)
	if err != nil {
		return nil, err
	}
	text, chunk := data, []byte(nil)
	if bytes.HasPrefix(data, []byte("glTF")) {
		if text, chunk, err = split(data); err != nil {
			return nil, err
		}
	}
	// The version first: version 1 has another layout altogether.
	var head struct {
		Asset struct {
			Version any `json:"version"` // version 1 was often written as a number
		} `json:"asset"`
	}
	if err := json.Unmarshal(text, &head); err != nil {
		return nil, reading.At("JSON", "%v", err)
	}
	if v := fmt.Sprint(head.Asset.Version); !strings.HasPrefix(v, "2.") {
		return nil, &reading.Error{Where: "asset", What: fmt.Sprintf("version %q is not 2.x", v), Do: "export it as glTF 2.0"}
	}
	f := &file{left: l.Numbers}
	if err := json.Unmarshal(text, &f.doc); err != nil {
		return nil, reading.At("JSON", "%s", strings.ReplaceAll(err.Error(), "Go struct field document.", ""))
	}
	for _, e := range f.doc.ExtensionsRequired {
		if slices.Contains(understood, e) {
			continue
		}
		return nil, &reading.Error{
			Where: "extensionsRequired",
			What:  fmt.Sprintf("the file cannot be read without %s", e),
			Do:    "export it without compression or extensions",
		}
	}
	if err := f.doc.within(l); err != nil {
		return nil, err
	}
	if err := f.load(chunk, resolve, l); err != nil {
		return nil, err
	}
	size := int64(len(data))
	for _, b := range f.buffers {
		size += int64(len(b))
	}
	l = l.For(size)
	f.left = l.Numbers
	d := decoder{file: f, limits: l, scene: &Scene{}}
	if err := d.takeLook(resolve); err != nil {
		return nil, err
	}
	return d.scene, d.run()
}

// understood are the extensions that a file may require: whole numbers for attributes, which are read as any other numbers are, and
// bones of an avatar, which are joints.
var understood = []string{"KHR_mesh_quantization", "VRMC_vrm"}

// maxNodes is how many nodes, meshes, accessors and views a file may have.
const maxNodes = 200_000

// within holds the lists of a document against the limits, before any is walked.
func (d *document) within(l reading.Limits) error {
	primitives, targets, instances := 0, 0, 0
	for _, m := range d.Meshes {
		primitives += len(m.Primitives)
		for _, p := range m.Primitives {
			targets = max(targets, len(p.Targets))
		}
	}
	for _, n := range d.Nodes {
		if n.Mesh != nil && *n.Mesh >= 0 && *n.Mesh < len(d.Meshes) {
			instances += len(d.Meshes[*n.Mesh].Primitives)
		}
	}
	return cmp.Or(
		reading.Most("nodes", len(d.Nodes), maxNodes),
		reading.Most("accessors", len(d.Accessors), maxNodes),
		reading.Most("buffer views", len(d.BufferViews), maxNodes),
		reading.Most(
			"primitives",
			primitives,
			l.Parts,
		),
		reading.Most("primitives with all its instances", instances, l.Parts),
		reading.Most("shape targets", targets, l.Shapes),
	)
}

// split takes a .glb apart into its JSON and binary chunks.
func split(data []byte) (text, chunk []byte, err error) {
	if len(data) < 20 {
		return nil, nil, reading.At("header", "the file is only %d bytes long", len(data))
	}
	if v := binary.LittleEndian.Uint32(data[4:]); v != 2 {
		return nil, nil, reading.At("header", "container version %d is not 2", v)
	}
	rest := data[12:]
	for i := 0; len(rest) >= 8; i++ {
		n, kind := int(binary.LittleEndian.Uint32(rest)), binary.LittleEndian.Uint32(rest[4:])
		if n > len(rest)-8 {
			return nil, nil, reading.At(fmt.Sprintf("chunk %d", i), "it declares %d bytes but has %d", n, len(rest)-8)
		}
		body := rest[8 : 8+n]
		switch kind {
		case 0x4e4f534a:
			text = body
		case 0x004e4942:
			if chunk == nil {
				chunk = body
			}
		}
		rest = rest[8+n:]
	}
	if text == nil {
		return nil, nil, reading.At("header", "there is no JSON chunk")
	}
	return text, chunk, nil
}

type decoder struct {
	*file
	limits  reading.Limits
	scene   *Scene
	world   []geom.Matrix
	parent  []int
	jointOf map[int]int32 // node → joint
	skinned [][]weights.Influence
	mixed   []mixedVertex
	skinOf  []int          // of each vertex, -1
	shape   map[string]int // shape target → index in the mesh
	rig     *shape.Rig     // how the file says that they are used
	weight  map[string]float64
	says    map[int]bool // by mesh: it says so, as far as that was looked at
	corner  int64        // of all primitives so far
	moved   []map[int32]r3.Vec
}

func (d *decoder) run() error {
	if err := d.nodes(); err != nil {
		return err
	}
	if err := d.skeleton(); err != nil {
		return err
	}
	m := &mesh.Mesh{Start: []int32{0}}
	d.scene.Mesh = m
	for i, n := range d.doc.Nodes {
		if n.Mesh == nil {
			continue
		}
		if err := d.meshNode(i, n); err != nil {
			return err
		}
	}
	if err := d.motions(); err != nil { // after what meshes say of their shape targets
		return err
	}
	if len(m.Points) == 0 {
		d.scene.Mesh = nil
		return nil
	}
	if len(m.Parts) == 0 {
		m.Parts = []mesh.Part{mesh.NewPart("mesh")}
	}
	if d.skinned != nil && d.scene.Skeleton != nil {
		w := weights.New(nil, len(m.Points))
		for _, j := range d.scene.Skeleton.Joints {
			w.Joints = append(w.Joints, j.Name)
		}
		copy(w.Of, d.skinned)
		w.Mix = d.mix(len(m.Points))
		d.scene.Weights = w
	}
	d.shapes()
	if err := d.bindPose(); err != nil {
		return err
	}
	if err := m.Validate(); err != nil {
		return reading.At("mesh", "%v", err)
	}
	return nil
}

// mixedVertex is a vertex of which a file says how it blends.
type mixedVertex struct {
	vertex int32
	share  float32
}

// mix is what the file says of how the n vertices blend; nil for nothing.
func (d *decoder) mix(n int) *weights.Mix {
	if len(d.mixed) == 0 {
		return nil
	}
	all := make([]float64, n)
	for v := range all {
		all[v] = weights.ByJoints
	}
	for _, x := range d.mixed {
		all[x.vertex] = float64(x.share)
	}
	return weights.MixOf(all)
}

// nodes computes world matrices and refuses loops in the hierarchy.
func (d *decoder) nodes() error {
	n := len(d.doc.Nodes)
	d.parent, d.world = make([]int, n), make([]geom.Matrix, n)
	for i := range d.parent {
		d.parent[i] = -1
	}
	for i, x := range d.doc.Nodes {
		for _, c := range x.Children {
			if c < 0 || c >= n || c == i || d.parent[c] >= 0 {
				return reading.At(fmt.Sprintf("node %d", i), "its child %d does not exist or has two parents", c)
			}
			d.parent[c] = i
		}
	}
	done := make([]int, n) // 0 not yet, 1 in work, 2 done
	var visit func(i, depth int) error
	visit = func(i, depth int) error {
		if done[i] == 2 {
			return nil
		}
		if done[i] == 1 || depth > 2000 {
			return reading.At(fmt.Sprintf("node %d", i), "the hierarchy runs in a circle or is more than 2000 deep")
		}
		done[i] = 1
		m, err := local(d.doc.Nodes[i])
		if err != nil {
			return reading.At(fmt.Sprintf("node %d", i), "%v", err)
		}
		if p := d.parent[i]; p >= 0 {
			if err := visit(p, depth+1); err != nil {
				return err
			}
			m = d.world[p].Mul(m)
		}
		d.world[i], done[i] = m, 2
		return nil
	}
	for i := range n {
		if err := visit(i, 0); err != nil {
			return err
		}
	}
	return nil
}

func local(n node) (geom.Matrix, error) {
	if n.Matrix != nil {
		for _, v := range n.Matrix {
			if math.IsNaN(v) || math.IsInf(v, 0) || math.Abs(v) > 1e12 {
				return geom.Matrix{}, fmt.Errorf("its matrix has the entry %g", v)
			}
		}
		return geom.Matrix(*n.Matrix), nil
	}
	t, q, s := r3.Vec{}, geom.Identity, r3.Vec{X: 1, Y: 1, Z: 1}
	if v := n.Translation; v != nil {
		t = r3.Vec{X: v[0], Y: v[1], Z: v[2]}
	}
	if v := n.Rotation; v != nil {
		q = quat.Number{Real: v[3], Imag: v[0], Jmag: v[1], Kmag: v[2]}
		if a := quat.Abs(q); !(a > 1e-6) || math.IsInf(a, 0) {
			return geom.Matrix{}, fmt.Errorf("its rotation %v is not a quaternion", *v)
		}
		q = geom.Normalise(q)
	}
	if v := n.Scale; v != nil {
		s = r3.Vec{X: v[0], Y: v[1], Z: v[2]}
	}
	return geom.Compose(t, q, s), nil
}
