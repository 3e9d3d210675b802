package studio

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"wisemarrow/core/fit"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/formats/bundle"
	"wisemarrow/formats/look"
)

// Parts are the hashes of the blobs that make up a state, by key: the name of a
// row of the table, or "row/detail" where a row has several blobs, as "weights/NAME"
// for the column of each joint, so that a change of one joint stores only that.
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

// row is a part of a state: how it is stored, and what becomes of it when another
// part changes. A new part of the state is a row here and its type, nothing else.
type row struct {
	name string
	held func(s *State) bool       // the state has it
	same func(a, b *State) bool    // the two share it, so that it need not be written again
	put  func(s *State, w *writer) // writes its blobs
	get  func(s *State, r *reader) // reads them back
	size func(s *State) int        // bytes in memory, about; nil: few
	// check reports what must not be stored, since it could not be opened again.
	check func(s *State) error

	// What a change of another part does to it; nil: nothing.
	onMesh   func(s *State, origin mesh.Origin)                  // s has the new mesh
	onJoints func(s *State, c JointChange)                       // s has the new skeleton
	onMove   func(s *State, p mesh.Placement, before *mesh.Mesh) // all is brought elsewhere
}

// table holds every part, in the order in which they are read and changed.
var table []row

func init() {
	table = []row{
		{
			name: "mesh",
			held: func(s *State) bool { return s.Mesh != nil },
			same: func(a, b *State) bool { return sameGeometry(a.Mesh, b.Mesh) },
			put:  func(s *State, w *writer) { w.bytes("mesh")(bundle.Mesh(s.Mesh)) },
			get:  func(s *State, r *reader) { s.Mesh = take(r, "mesh", bundle.ReadMesh) },
			size: func(s *State) int {
				n := 24*len(s.Mesh.Points) + 4*len(s.Mesh.Corner) + 4*len(s.Mesh.Start) + 4*len(s.Mesh.Part) + 8*len(s.Mesh.UV) + 12*len(s.Mesh.Normal)
				for _, x := range s.Mesh.Shapes {
					n += 28 * len(x.Vertex)
				}
				for _, x := range s.Mesh.Extra {
					n += 4 * len(x.Values)
				}
				return n
			},
			onMove: func(s *State, p mesh.Placement, m *mesh.Mesh) { s.Mesh = m.Bake(p) },
		},
		{
			name: "parts", // the table of parts of the mesh
			held: func(s *State) bool { return s.Mesh != nil },
			same: func(a, b *State) bool { return a.Mesh == b.Mesh },
			put:  func(s *State, w *writer) { w.json("parts", s.Mesh.Parts) },
			get: func(s *State, r *reader) {
				m := *s.Mesh
				m.Parts = nil
				r.json("parts", &m.Parts)
				s.Mesh = &m
			},
			check: func(s *State) error { return checkMesh(s.Mesh) },
			size:  func(s *State) int { return 200 * len(s.Mesh.Parts) },
		},
		jsonRow("skeleton", func(s *State) **skeleton.Skeleton { return &s.Skeleton }, row{
			check: func(s *State) error { return checkSkeleton(s.Skeleton) },
			size:  func(s *State) int { return 160 * len(s.Skeleton.Joints) },
			onMove: func(s *State, p mesh.Placement, m *mesh.Mesh) {
				if p != mesh.NoPlacement {
					s.Skeleton = s.Skeleton.Transform(p.Similarity(m), p.Rotation())
				}
			},
		}),
		jsonRow("fit", func(s *State) **fit.Report { return &s.Fit }, row{}),
		jsonRow("look", func(s *State) **look.Look { return &s.Look }, row{
			size: func(s *State) int {
				n := 0
				for _, i := range s.Look.Images {
					n += len(i.Data)
				}
				return n
			},
		}),
		{
			name: "clips",
			held: func(s *State) bool { return s.Clips != nil },
			same: func(a, b *State) bool { return same(a.Clips, b.Clips) },
			put:  func(s *State, w *writer) { w.bytes("clips")(bundle.Clips(s.Clips)) },
			get:  func(s *State, r *reader) { s.Clips = take(r, "clips", bundle.ReadClips) },
			size: func(s *State) int {
				n := 0
				for _, c := range s.Clips {
					n += (32*len(c.Joints) + 24) * c.Frames()
				}
				return n
			},
			onJoints: func(s *State, c JointChange) {
				s.Clips = EachClip(s.Clips, func(x *pose.Clip) *pose.Clip { return x.Without(c.Before, c.Removed).Renamed(c.Renamed) })
			},
			onMove: func(s *State, p mesh.Placement, _ *mesh.Mesh) {
				s.Clips = EachClip(s.Clips, func(x *pose.Clip) *pose.Clip { return x.Transform(p.Rotation(), p.Scale) })
			},
		},
		{
			name: "settings",
			held: func(*State) bool { return true },
			same: func(*State, *State) bool { return false },
			put:  func(s *State, w *writer) { w.json("settings", s.Settings) },
			get:  func(s *State, r *reader) { r.json("settings", &s.Settings) },
		},
		{
			name:     "weights",
			held:     func(s *State) bool { return s.Weights != nil },
			same:     func(a, b *State) bool { return a.Weights == b.Weights },
			put:      func(s *State, w *writer) { w.weights("weights", s.Weights) },
			get:      func(s *State, r *reader) { s.Weights = r.weights("weights") },
			size:     func(s *State) int { return sizeOf(s.Weights) },
			onMesh:   func(s *State, o mesh.Origin) { s.Weights = gathered(s.Weights, o) },
			onJoints: func(s *State, c JointChange) { s.Weights = s.Weights.Handed(c.Renamed, c.Removed) },
		},
		jsonRow("bind", func(s *State) **Result { return &s.Bind }, row{
			onMesh: func(s *State, _ mesh.Origin) { *s = s.Recounted() },
			onJoints: func(s *State, c JointChange) {
				s.Bind = s.Bind.renamed(c.Renamed)
				*s = s.Recounted()
			},
			onMove: func(s *State, p mesh.Placement, m *mesh.Mesh) {
				if p != mesh.NoPlacement {
					s.Bind = s.Bind.moved(p, m)
				}
			},
		}),
		{
			name: "kept",
			held: func(s *State) bool { return len(s.Kept) > 0 },
			same: func(a, b *State) bool { return same(a.Kept, b.Kept) },
			put: func(s *State, w *writer) {
				var list []keptHead
				for i, k := range s.Kept {
					list = append(list, keptHead{k.Name, k.Result})
					w.weights(fmt.Sprintf("kept/%d", i), k.Weights)
				}
				w.json("kept", list)
			},
			get: func(s *State, r *reader) {
				var list []keptHead
				r.json("kept", &list)
				s.Kept = nil
				for i, k := range list {
					s.Kept = append(s.Kept, Kept{k.Name, k.Result, r.weights(fmt.Sprintf("kept/%d", i))})
				}
			},
			size: func(s *State) int {
				n := 0
				for _, k := range s.Kept {
					n += sizeOf(k.Weights)
				}
				return n
			},
			onMesh: func(s *State, o mesh.Origin) {
				m := s.Mesh
				s.eachKept(func(k *Kept) {
					k.Weights = gathered(k.Weights, o)
					k.Result = k.Result.recounted(k.Weights, m)
				})
			},
			onJoints: func(s *State, c JointChange) {
				m := s.Mesh
				s.eachKept(func(k *Kept) {
					k.Weights = k.Weights.Handed(c.Renamed, c.Removed)
					k.Result = k.Result.renamed(c.Renamed).recounted(k.Weights, m)
				})
			},
			onMove: func(s *State, p mesh.Placement, m *mesh.Mesh) {
				if p != mesh.NoPlacement {
					s.eachKept(func(k *Kept) { k.Result = k.Result.moved(p, m) })
				}
			},
		},
	}
}

type keptHead struct {
	Name   string  `json:"name"`
	Result *Result `json:"result"`
}

// jsonRow is the row of a part that is a pointer and is stored as JSON.
func jsonRow[T any](name string, at func(s *State) **T, more row) row {
	more.name = name
	more.held = func(s *State) bool { return *at(s) != nil }
	more.same = func(a, b *State) bool { return *at(a) == *at(b) }
	more.put = func(s *State, w *writer) { w.json(name, *at(s)) }
	more.get = func(s *State, r *reader) {
		*at(s) = new(T)
		r.json(name, *at(s))
	}
	return more
}

// eachKept changes every kept result of a state that has a list of its own.
func (s *State) eachKept(f func(k *Kept)) {
	s.Kept = slices.Clone(s.Kept)
	for i := range s.Kept {
		f(&s.Kept[i])
	}
}

// EachClip returns what f makes of each clip; nil for none.
func EachClip(list []*pose.Clip, f func(*pose.Clip) *pose.Clip) []*pose.Clip {
	var out []*pose.Clip
	for _, c := range list {
		out = append(out, f(c))
	}
	return out
}

func gathered(w *weights.Weights, o mesh.Origin) *weights.Weights {
	if o == nil {
		return w
	}
	return w.Gather(o)
}

func sizeOf(w *weights.Weights) int {
	n := 24 * len(w.Of)
	for _, list := range w.Of {
		n += 16 * len(list)
	}
	return n
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

// owns reports whether a key is of a row.
func (r *row) owns(key string) bool {
	return key == r.name || len(key) > len(r.name) && key[len(r.name)] == '/' && key[:len(r.name)] == r.name
}

// writer gathers the blobs of a state.
type writer struct {
	parts Parts
	data  map[string][]byte // by hash: what was written
	err   error
}

func (w *writer) put(key string, data []byte, err error) {
	if err != nil {
		w.err = cmp.Or(w.err, fmt.Errorf("storing the %s: %w", key, err))
		return
	}
	b := newBlob(data)
	w.parts[key], w.data[b.Hash] = b.Hash, data
}

func (w *writer) json(key string, v any) {
	data, err := json.Marshal(v)
	w.put(key, data, err)
}

func (w *writer) bytes(key string) func([]byte, error) {
	return func(data []byte, err error) { w.put(key, data, err) }
}

// weights writes weights as a list of the joints and a blob for the column of each.
func (w *writer) weights(key string, x *weights.Weights) {
	columns, err := bundle.Columns(x, func(int) bool { return true })
	if err != nil {
		w.put(key, nil, err)
		return
	}
	w.json(key, weightsHead{x.Joints, len(x.Of)})
	for j, name := range x.Joints {
		w.put(key+"/"+name, columns[j], nil)
	}
}

type weightsHead struct {
	Joints   []string `json:"joints"`
	Vertices int      `json:"vertices"`
}

// reader hands out the blobs of a state; the first trouble stays.
type reader struct {
	parts Parts
	data  map[string][]byte // by hash
	err   error
}

func (r *reader) has(key string) bool { _, ok := r.parts[key]; return ok }

func (r *reader) bytes(key string) []byte {
	data, ok := r.data[r.parts[key]]
	if !ok {
		r.fail(key, errors.New("its data is missing in the store"))
	}
	return data
}

func (r *reader) fail(key string, err error) {
	if err != nil && r.err == nil {
		r.err = fmt.Errorf("reading the %s: %w", key, err)
	}
}

func (r *reader) json(key string, into any) {
	if data := r.bytes(key); data != nil {
		r.fail(key, json.Unmarshal(data, into))
	}
}

// take reads a blob with f.
func take[T any](r *reader, key string, f func([]byte) (T, error)) (out T) {
	if data := r.bytes(key); data != nil {
		var err error
		out, err = f(data)
		r.fail(key, err)
	}
	return out
}

func (r *reader) weights(key string) *weights.Weights {
	var head weightsHead
	r.json(key, &head)
	columns := make([][]byte, len(head.Joints))
	for j, name := range head.Joints {
		columns[j] = r.bytes(key + "/" + name)
	}
	if r.err != nil {
		return nil
	}
	w, err := bundle.ReadColumns(head.Joints, head.Vertices, columns)
	r.fail(key, err)
	return w
}

// encodeState turns a state into parts and the blobs that are not among known.
// Rows that before, whose parts known is, shares with the state are not encoded
// again; before may be nil.
//
// The state that comes back is the one that will be read from the store: numbers
// are rounded as they are stored, so that what is computed next does not depend on
// whether the state was read again in between.
func encodeState(s *State, before *State, known Parts) (State, Parts, []Blob, error) {
	w := &writer{parts: Parts{}, data: map[string][]byte{}}
	var anew []row
	for _, r := range table {
		if !r.held(s) {
			continue
		}
		if before != nil && r.held(before) && r.same(before, s) {
			for key, h := range known {
				if r.owns(key) {
					w.parts[key] = h
				}
			}
			continue
		}
		r.put(s, w)
		anew = append(anew, r)
	}
	if w.err != nil {
		return State{}, nil, nil, w.err
	}
	stored := *s
	in := &reader{parts: w.parts, data: w.data}
	for _, r := range anew {
		r.get(&stored, in)
		if in.err == nil && r.check != nil {
			in.err = r.check(&stored)
		}
		if in.err != nil {
			return State{}, nil, nil, Wrong("this would make a character that cannot be opened: %v", in.err)
		}
	}
	have := map[string]bool{}
	for _, h := range known {
		have[h] = true
	}
	var blobs []Blob
	for _, key := range slices.Sorted(maps.Keys(w.parts)) {
		h := w.parts[key]
		if data, ok := w.data[h]; ok && !have[h] {
			have[h] = true
			blobs = append(blobs, Blob{h, data})
		}
	}
	return stored, w.parts, blobs, nil
}

// decodeState builds a state from all its blobs, by hash.
func decodeState(parts Parts, data map[string][]byte) (*State, error) {
	s := &State{}
	r := &reader{parts: parts, data: data}
	for _, row := range table {
		if !r.has(row.name) {
			continue
		}
		if row.get(s, r); r.err != nil {
			return nil, r.err
		}
		if row.check != nil {
			if err := row.check(s); err != nil {
				return nil, fmt.Errorf("reading the %s: %w", row.name, err)
			}
		}
	}
	return s, nil
}

// size returns about how many bytes a state takes in memory.
func (s *State) size() int {
	n := 4096
	for _, r := range table {
		if r.size != nil && r.held(s) {
			n += r.size(s)
		}
	}
	return n
}

// hashes returns the blobs that the parts name, each once.
func (p Parts) hashes() []string {
	out := slices.Sorted(maps.Values(p))
	return slices.Compact(out)
}

// Key is a name for what is read of a state, for caches: of the rows that are
// named, or of all. Two states with equal keys are equal there.
func (p Parts) Key(rows ...string) string {
	h := sha256.New()
	for _, key := range slices.Sorted(maps.Keys(p)) {
		name, _, _ := strings.Cut(key, "/")
		if len(rows) == 0 || slices.Contains(rows, name) {
			fmt.Fprintf(h, "%s=%s\n", key, p[key])
		}
	}
	return hex.EncodeToString(h.Sum(nil))[:32]
}

// Columns returns the hashes of the weights by joint.
func (p Parts) Columns() map[string]string {
	out := map[string]string{}
	for key, h := range p {
		if name, ok := strings.CutPrefix(key, "weights/"); ok {
			out[name] = h
		}
	}
	return out
}
