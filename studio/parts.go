package studio

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"slices"

	"wisemarrow/core/fit"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/formats/look"

	"gonum.org/v1/gonum/spatial/r3"
)

// Parts are the hashes of the blobs that make up a state, by name: "mesh",
// "parts" (its table of parts), "skeleton", "fit", "bind", "look", "clips",
// "settings", "weights", and "weights/NAME" for the column of each joint, so that a change
// of one joint stores only that.
type Parts map[string]string

// Blob is content by its SHA-256 in hex.
type Blob struct {
	Hash string
	Data []byte
}

func newBlob(data []byte) Blob {
	sum := sha256.Sum256(data)
	return Blob{hex.EncodeToString(sum[:]), data}
}

// encodeState turns a state into blobs. Parts that before shares with the state
// keep their hash without being encoded again; before may be nil.
func encodeState(s *State, before *State, known Parts) (Parts, []Blob, error) {
	parts := Parts{}
	var blobs []Blob
	put := func(name string, data []byte, err error) error {
		if err != nil {
			return fmt.Errorf("storing the %s: %w", name, err)
		}
		b := newBlob(data)
		parts[name] = b.Hash
		if known[name] != b.Hash {
			blobs = append(blobs, b)
		}
		return nil
	}
	keep := func(name string, same bool) bool {
		if h, ok := known[name]; ok && same && before != nil {
			parts[name] = h
			return true
		}
		return false
	}
	if s.Mesh != nil && !keep("mesh", before != nil && sameGeometry(before.Mesh, s.Mesh)) {
		data, err := encodeMesh(s.Mesh)
		if err := put("mesh", data, err); err != nil {
			return nil, nil, err
		}
	}
	if s.Mesh != nil && !keep("parts", before != nil && before.Mesh == s.Mesh) {
		data, err := json.Marshal(s.Mesh.Parts)
		if err := put("parts", data, err); err != nil {
			return nil, nil, err
		}
	}
	if s.Skeleton != nil && !keep("skeleton", before != nil && before.Skeleton == s.Skeleton) {
		data, err := json.Marshal(s.Skeleton)
		if err := put("skeleton", data, err); err != nil {
			return nil, nil, err
		}
	}
	if s.Fit != nil && !keep("fit", before != nil && before.Fit == s.Fit) {
		data, err := json.Marshal(s.Fit)
		if err := put("fit", data, err); err != nil {
			return nil, nil, err
		}
	}
	if s.Bind != nil && !keep("bind", before != nil && before.Bind == s.Bind) {
		data, err := json.Marshal(s.Bind)
		if err := put("bind", data, err); err != nil {
			return nil, nil, err
		}
	}
	if s.Look != nil && !keep("look", before != nil && before.Look == s.Look) {
		data, err := json.Marshal(s.Look)
		if err := put("look", data, err); err != nil {
			return nil, nil, err
		}
	}
	if s.Clips != nil && !keep("clips", before != nil && same(before.Clips, s.Clips)) {
		data, err := encodeClips(s.Clips)
		if err := put("clips", data, err); err != nil {
			return nil, nil, err
		}
	}
	data, err := json.Marshal(s.Settings)
	if err := put("settings", data, err); err != nil {
		return nil, nil, err
	}
	if s.Weights != nil {
		data, err := json.Marshal(struct {
			Joints   []string `json:"joints"`
			Vertices int      `json:"vertices"`
		}{s.Weights.Joints, len(s.Weights.Of)})
		if err := put("weights", data, err); err != nil {
			return nil, nil, err
		}
		same := before != nil && before.Weights == s.Weights
		columns := encodeColumns(s.Weights, same)
		for j, name := range s.Weights.Joints {
			key := "weights/" + name
			if keep(key, same) {
				continue
			}
			data, err := columns[j].bytes()
			if err := put(key, data, err); err != nil {
				return nil, nil, err
			}
		}
	}
	return parts, blobs, nil
}

// sameGeometry reports whether two meshes differ in their table of parts at
// most. Operations share what they do not change.
func sameGeometry(a, b *mesh.Mesh) bool {
	if a == b {
		return true
	}
	if a == nil || b == nil || len(a.Corner) == 0 || len(b.Corner) == 0 {
		return false
	}
	return same(a.Points, b.Points) && same(a.Start, b.Start) && same(a.Corner, b.Corner) && same(a.Part, b.Part) && same(a.UV, b.UV) &&
		same(a.Normal, b.Normal) && same(a.Extra, b.Extra) && same(a.Lines, b.Lines) && same(a.Shapes, b.Shapes)
}

// same reports whether two slices are one.
func same[T any](a, b []T) bool {
	return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0])
}

type meshMeta struct {
	// Parts are read only: states of before there was a blob for them.
	Parts    []mesh.Part `json:"parts,omitempty"`
	Vertices int         `json:"vertices"`
	Extra    []extraMeta `json:"extra,omitempty"`
	Shapes   []string    `json:"shapes,omitempty"`
}

type extraMeta struct {
	Name  string `json:"name"`
	Width int    `json:"width"`
}

func encodeMesh(m *mesh.Mesh) ([]byte, error) {
	meta := meshMeta{Vertices: len(m.Points)}
	for _, a := range m.Extra {
		meta.Extra = append(meta.Extra, extraMeta{a.Name, a.Width})
	}
	for _, x := range m.Shapes {
		meta.Shapes = append(meta.Shapes, x.Name)
	}
	b := bundle{Meta: meta}
	b.floats("points", 3, flat(m.Points))
	ints(&b, "start", 1, m.Start)
	ints(&b, "corner", 1, m.Corner)
	if m.Part != nil {
		ints(&b, "part", 1, m.Part)
	}
	if m.UV != nil {
		list := make([]float32, 0, 2*len(m.UV))
		for _, v := range m.UV {
			list = append(list, v[0], v[1])
		}
		b.floats("uv", 2, list)
	}
	if m.Normal != nil {
		list := make([]float32, 0, 3*len(m.Normal))
		for _, v := range m.Normal {
			list = append(list, v[0], v[1], v[2])
		}
		b.floats("normal", 3, list)
	}
	if m.Lines != nil {
		list := make([]int32, 0, 2*len(m.Lines))
		for _, l := range m.Lines {
			list = append(list, l[0], l[1])
		}
		ints(&b, "line", 2, list)
	}
	for i, a := range m.Extra {
		b.floats(fmt.Sprintf("extra_%d", i), a.Width, a.Values)
	}
	for i, x := range m.Shapes {
		ints(&b, fmt.Sprintf("shape_%d_vertex", i), 1, x.Vertex)
		b.floats(fmt.Sprintf("shape_%d_offset", i), 3, flat(x.Offset))
	}
	return b.bytes()
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

func decodeMesh(data []byte, parts []mesh.Part) (*mesh.Mesh, error) {
	var meta meshMeta
	b, err := openBundle(data, &meta)
	if err != nil {
		return nil, err
	}
	if parts == nil {
		parts = meta.Parts
	}
	m := &mesh.Mesh{Parts: parts, Start: b.readInts("start"), Corner: b.readInts("corner"), Part: b.readInts("part")}
	m.Points = vectors(b.readFloats("points"))
	line := b.readInts("line")
	for i := 0; i+1 < len(line); i += 2 {
		m.Lines = append(m.Lines, [2]int32{line[i], line[i+1]})
	}
	for i, x := range meta.Extra {
		m.Extra = append(m.Extra, mesh.Attribute{Name: x.Name, Width: x.Width, Values: b.readFloats(fmt.Sprintf("extra_%d", i))})
	}
	for i, name := range meta.Shapes {
		m.Shapes = append(m.Shapes, mesh.Shape{Name: name, Vertex: b.readInts(fmt.Sprintf("shape_%d_vertex", i)), Offset: vectors(b.readFloats(fmt.Sprintf("shape_%d_offset", i)))})
	}
	if uv := b.readFloats("uv"); uv != nil {
		for i := 0; i+1 < len(uv); i += 2 {
			m.UV = append(m.UV, [2]float32{uv[i], uv[i+1]})
		}
	}
	if n := b.readFloats("normal"); n != nil {
		for i := 0; i+2 < len(n); i += 3 {
			m.Normal = append(m.Normal, [3]float32{n[i], n[i+1], n[i+2]})
		}
	}
	return m, m.Validate()
}

// encodeColumns returns a bundle per joint: the vertices it moves and how much.
func encodeColumns(w *weights.Weights, skip bool) []bundle {
	out := make([]bundle, len(w.Joints))
	if skip {
		return out
	}
	vertex, value := make([][]int32, len(w.Joints)), make([][]float32, len(w.Joints))
	for v, list := range w.Of {
		for _, x := range list {
			vertex[x.Joint] = append(vertex[x.Joint], int32(v))
			value[x.Joint] = append(value[x.Joint], float32(x.Value))
		}
	}
	for j := range out {
		ints(&out[j], "vertex", 1, vertex[j])
		out[j].floats("value", 1, value[j])
	}
	return out
}

// decodeState builds the state from its blobs.
func decodeState(parts Parts, read func(hash string) ([]byte, error)) (*State, error) {
	s := &State{}
	load := func(name string, into any) error {
		h, ok := parts[name]
		if !ok {
			return nil
		}
		data, err := read(h)
		if err != nil {
			return fmt.Errorf("reading the %s: %w", name, err)
		}
		if err := json.Unmarshal(data, into); err != nil {
			return fmt.Errorf("reading the %s: %w", name, err)
		}
		return nil
	}
	if h, ok := parts["mesh"]; ok {
		var table []mesh.Part
		if err := load("parts", &table); err != nil {
			return nil, err
		}
		data, err := read(h)
		if err == nil {
			s.Mesh, err = decodeMesh(data, table)
		}
		if err != nil {
			return nil, fmt.Errorf("reading the mesh: %w", err)
		}
	}
	if _, ok := parts["skeleton"]; ok {
		s.Skeleton = &skeleton.Skeleton{}
	}
	if _, ok := parts["fit"]; ok {
		s.Fit = &fit.Report{}
	}
	if _, ok := parts["bind"]; ok {
		s.Bind = &BindRecord{}
	}
	if _, ok := parts["look"]; ok {
		s.Look = &look.Look{}
	}
	for name, into := range map[string]any{"skeleton": s.Skeleton, "fit": s.Fit, "bind": s.Bind, "look": s.Look, "settings": &s.Settings} {
		if err := load(name, into); err != nil {
			return nil, err
		}
	}
	if s.Bind != nil {
		s.Bind.Report.Stray = s.Bind.Stray
	}
	if h, ok := parts["clips"]; ok {
		data, err := read(h)
		if err == nil {
			s.Clips, err = decodeClips(data)
		}
		if err != nil {
			return nil, fmt.Errorf("reading the motions: %w", err)
		}
	}
	if _, ok := parts["weights"]; ok {
		w, err := decodeWeights(parts, load, read)
		if err != nil {
			return nil, err
		}
		s.Weights = w
	}
	return s, nil
}

func decodeWeights(parts Parts, load func(string, any) error, read func(string) ([]byte, error)) (*weights.Weights, error) {
	var meta struct {
		Joints   []string `json:"joints"`
		Vertices int      `json:"vertices"`
	}
	if err := load("weights", &meta); err != nil {
		return nil, err
	}
	w := weights.New(meta.Joints, meta.Vertices)
	lists := make([][]weights.Influence, meta.Vertices)
	for j, name := range meta.Joints {
		data, err := read(parts["weights/"+name])
		if err != nil {
			return nil, fmt.Errorf("reading the weights of %s: %w", name, err)
		}
		b, err := openBundle(data, nil)
		if err != nil {
			return nil, fmt.Errorf("reading the weights of %s: %w", name, err)
		}
		value := b.readFloats("value")
		for i, v := range b.readInts("vertex") {
			if v < 0 || int(v) >= meta.Vertices {
				return nil, fmt.Errorf("the weights of %s name vertex %d of %d", name, v, meta.Vertices)
			}
			lists[v] = append(lists[v], weights.Influence{Joint: int32(j), Value: float64(value[i])})
		}
	}
	// Not normalised anew, so that storing again gives the same bytes; what was
	// stored sums to 1 within float32.
	for v, list := range lists {
		weights.Sort(list)
		w.Of[v] = list
	}
	return w, w.Validate()
}

// key is a name for a state by its parts, for caches.
func (p Parts) key() string {
	names := make([]string, 0, len(p))
	for n := range p {
		names = append(names, n)
	}
	slices.Sort(names)
	h := sha256.New()
	for _, n := range names {
		fmt.Fprintf(h, "%s=%s\n", n, p[n])
	}
	return hex.EncodeToString(h.Sum(nil))
}

// meshKey is a name for what a check of the mesh depends on: its geometry, and
// of its parts the names and frames.
func (p Parts) meshKey(s *State) string {
	h := sha256.New()
	fmt.Fprintln(h, p["mesh"], s.Settings.Kind)
	for _, x := range s.Mesh.Parts {
		fmt.Fprintln(h, x.Name, x.Frame)
	}
	return hex.EncodeToString(h.Sum(nil))
}
