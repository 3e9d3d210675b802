package studio

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"slices"
	"strings"

	"wisemarrow/core/bind"
	"wisemarrow/core/fit"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
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
			same: func(a, b *State) bool { return sameSurface(a.Mesh, b.Mesh) },
			put:  func(s *State, w *writer) { w.bytes("mesh")(bundle.Mesh(s.Mesh)) },
			get: func(s *State, r *reader) {
				given := s.Mesh
				if s.Mesh = take(r, "mesh", bundle.ReadMesh); s.Mesh != nil && given != nil {
					s.Mesh.Shapes = given.Shapes // a row of its own
				}
			},
			size: func(s *State) int {
				n := 24*len(
					s.Mesh.Points,
				) + 4*len(
					s.Mesh.Corner,
				) + 4*len(
					s.Mesh.Start,
				) + 4*len(
					s.Mesh.Part,
				) + 8*len(
					s.Mesh.UV,
				) + 12*len(
					s.Mesh.Normal,
				)
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
			onJoints: func(s *State, c JointChange) {
				m := *s.Mesh
				m.Parts = slices.Clone(m.Parts)
				for i := range m.Parts {
					switch p := &m.Parts[i]; {
					case p.Leader == "":
					case c.Renamed[p.Leader] != "":
						p.Leader = c.Renamed[p.Leader]
					default:
						if heir, gone := c.Removed[p.Leader]; gone {
							p.Leader = heir
							if heir == "" {
								p.Follows = ""
							}
						}
					}
				}
				s.Mesh = &m
			},
		},
		{
			name: "targets", // the shape targets of the mesh, a blob each
			held: func(s *State) bool { return s.Mesh != nil },
			same: func(a, b *State) bool { return same(a.Mesh.Shapes, b.Mesh.Shapes) },
			put: func(s *State, w *writer) {
				w.json("targets", len(s.Mesh.Shapes))
				for i, x := range s.Mesh.Shapes {
					w.bytes(TargetKey(i))(bundle.Target(x))
				}
			},
			get: func(s *State, r *reader) {
				n := 0
				r.json("targets", &n)
				m := *s.Mesh
				m.Shapes = nil
				for i := range n {
					m.Shapes = append(m.Shapes, take(r, TargetKey(i), func(data []byte) (mesh.Shape, error) {
						return bundle.ReadTarget(data, len(m.Points))
					}))
				}
				s.Mesh = &m
			},
			size: func(s *State) int {
				n := 0
				for _, x := range s.Mesh.Shapes {
					n += 28*len(x.Vertex) + 100
				}
				return n
			},
		},
		jsonRow("shapes", func(s *State) **shape.Rig { return &s.Shapes }, row{
			check:    func(s *State) error { return s.Shapes.Validate() },
			size:     func(s *State) int { return s.Shapes.Size() },
			onJoints: func(s *State, c JointChange) { s.Shapes = s.Shapes.Renamed(c.Renamed, c.Removed) },
			onMove: func(s *State, p mesh.Placement, _ *mesh.Mesh) {
				if p != mesh.NoPlacement {
					s.Shapes = s.Shapes.Moved(p.Rotation(), p.Scale)
				}
			},
		}),
		jsonRow("skeleton", func(s *State) **skeleton.Skeleton { return &s.Skeleton }, row{
			check: func(s *State) error { return checkSkeleton(s.Skeleton) },
			size:  func(s *State) int { return 160 * len(s.Skeleton.Joints) },
			onMove: func(s *State, p mesh.Placement, m *mesh.Mesh) {
				if p != mesh.NoPlacement {
					s.Skeleton = s.Skeleton.Transform(p.Similarity(m), p.Rotation())
				}
			},
		}),
		jsonRow("fit", func(s *State) **fit.Report { return &s.Fit }, row{
			size:     func(s *State) int { return 100*len(s.Fit.Fitted) + 1000 },
			onJoints: func(s *State, c JointChange) { s.Fit = s.Fit.Renamed(c.Renamed, c.Removed) },
			onMove: func(s *State, p mesh.Placement, m *mesh.Mesh) {
				if p != mesh.NoPlacement {
					s.Fit = s.Fit.Moved(p.Similarity(m), p.Rotation(), p.Scale)
				}
			},
		}),
		jsonRow("look", func(s *State) **look.Look { return &s.Look }, row{
			size: func(s *State) int {
				n := 0
				for _, i := range s.Look.Images {
					n += len(i.Data)
				}
				return n
			},
		}),
		clipsRow("clips", func(s *State) *[]*pose.Clip { return &s.Clips }),
		clipsRow("poses", func(s *State) *[]*pose.Clip { return &s.Poses }),
		jsonRow("sheet", func(s *State) **Sheet { return &s.Sheet }, row{
			size:   func(s *State) int { return 16*len(s.Sheet.Frames) + 2000*len(s.Sheet.Faults) },
			onMesh: func(s *State, o mesh.Origin) { s.Sheet = s.Sheet.onMesh(o) },
		}),
		{
			name: "settings",
			held: func(*State) bool { return true },
			same: func(*State, *State) bool { return false },
			put:  func(s *State, w *writer) { w.json("settings", s.Settings) },
			get:  func(s *State, r *reader) { r.json("settings", &s.Settings) },
		},
		{
			name: "weights",
			held: func(s *State) bool { return s.Weights != nil },
			same: func(a, b *State) bool { return sameWeights(a.Weights, b.Weights) },
			put:  func(s *State, w *writer) { w.weights("weights", s.Weights) },
			get: func(s *State, r *reader) {
				given := s.Weights
				if s.Weights = r.weights("weights"); s.Weights != nil && given != nil {
					s.Weights.Mix = given.Mix // a row of its own
				}
			},
			size:     func(s *State) int { return sizeOf(s.Weights) },
			onMesh:   func(s *State, o mesh.Origin) { s.Weights = gathered(s.Weights, o) },
			onJoints: func(s *State, c JointChange) { s.Weights = s.Weights.Handed(c.Renamed, c.Removed) },
		},
		{
			name:  "mix",
			held:  func(s *State) bool { return s.Weights != nil && s.Weights.Mix != nil },
			same:  func(a, b *State) bool { return a.Weights.Mix == b.Weights.Mix },
			put:   func(s *State, w *writer) { w.bytes("mix")(bundle.Mix(s.Weights.Mix)) },
			get:   func(s *State, r *reader) { w := *s.Weights; w.Mix = take(r, "mix", bundle.ReadMix); s.Weights = &w },
			check: func(s *State) error { return s.Weights.Mix.Check(len(s.Weights.Of)) },
			size:  func(s *State) int { return 8 * len(s.Weights.Mix.Vertices) },
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
		jsonRow("capsules", func(s *State) **bind.Capsules { return &s.Capsules }, row{
			check: func(s *State) error {
				for i := range s.Capsules.Of {
					if err := s.Capsules.Of[i].Check(); err != nil {
						return err
					}
				}
				return nil
			},
			size:     func(s *State) int { return 500 * len(s.Capsules.Of) },
			onJoints: func(s *State, c JointChange) { s.Capsules = s.Capsules.Renamed(c.Renamed).Without(c.Removed) },
			onMove: func(s *State, p mesh.Placement, _ *mesh.Mesh) {
				if p.Scale != 1 {
					s.Capsules = s.Capsules.Scaled(p.Scale)
				}
			},
		}),
		jsonRow("chosen", func(s *State) **Chosen { return &s.Chosen }, row{
			size: func(s *State) int {
				n := 4 * (len(s.Chosen.Hidden) + len(s.Chosen.ByHand))
				for _, x := range s.Chosen.Named {
					n += 4 * len(x.Vertices)
				}
				return n
			},
			onMesh: func(s *State, o mesh.Origin) {
				if o != nil {
					s.Chosen = s.Chosen.gathered(o)
				}
			},
		}),
		jsonRow("binding", func(s *State) **pose.Binding { return &s.Binding }, row{
			check: func(s *State) error {
				n := 0
				if s.Mesh != nil {
					n = len(s.Mesh.Points)
				}
				return s.Binding.Validate(n)
			},
			size: func(s *State) int {
				n := len(s.Binding.Of)
				for _, r := range s.Binding.Records {
					n += 160 * len(r.Skeleton.Joints)
				}
				return n
			},
			onMesh: func(s *State, o mesh.Origin) {
				if o != nil {
					s.Binding = s.Binding.Gathered(o)
				}
			},
			onJoints: func(s *State, c JointChange) { s.Binding = s.Binding.Renamed(c.Renamed).Without(c.Removed) },
			onMove: func(s *State, p mesh.Placement, m *mesh.Mesh) {
				if p != mesh.NoPlacement {
					s.Binding = s.Binding.Transform(p.Similarity(m), p.Rotation())
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

// TargetKey is the key of the blob of a shape target, by its number.
func TargetKey(k int) string { return fmt.Sprintf("targets/%d", k) }

// clipsRow is the row of a list of motions.
func clipsRow(name string, at func(s *State) *[]*pose.Clip) row {
	return row{
		name: name,
		held: func(s *State) bool { return *at(s) != nil },
		same: func(a, b *State) bool { return same(*at(a), *at(b)) },
		put:  func(s *State, w *writer) { w.bytes(name)(bundle.Clips(*at(s))) },
		get:  func(s *State, r *reader) { *at(s) = take(r, name, bundle.ReadClips) },
		size: func(s *State) int {
			n := 0
			for _, c := range *at(s) {
				n += (32*len(c.Joints) + 24) * c.Frames()
			}
			return n
		},
		onJoints: func(s *State, c JointChange) {
			*at(s) = EachClip(*at(s), func(x *pose.Clip) *pose.Clip { return x.Without(c.Before, c.Removed).Renamed(c.Renamed) })
		},
		onMove: func(s *State, p mesh.Placement, _ *mesh.Mesh) {
			*at(s) = EachClip(*at(s), func(x *pose.Clip) *pose.Clip { return x.Transform(p.Rotation(), p.Scale) })
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

// sameWeights reports whether two weights differ in how vertices blend at most.
func sameWeights(a, b *weights.Weights) bool {
	return a == b || len(a.Of) > 0 && len(a.Of) == len(b.Of) && &a.Of[0] == &b.Of[0] && slices.Equal(a.Joints, b.Joints)
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
	return sameSurface(a, b) && (a == nil || same(a.Shapes, b.Shapes))
}

// sameSurface reports whether two meshes differ in their table of parts and their shape targets at most.
func sameSurface(a, b *mesh.Mesh) bool {
	if a == b {
		return true
	}
	if a == nil || b == nil || len(a.Corner) == 0 || len(b.Corner) == 0 {
		return false
	}
	return same(a.Points, b.Points) && same(a.Start, b.Start) && same(a.Corner, b.Corner) && same(a.Part, b.Part) && same(a.UV, b.UV) &&
		same(a.Normal, b.Normal) && same(a.Extra, b.Extra) && same(a.Lines, b.Lines)
}

// same reports whether two slices are one.
func same[T any](a, b []T) bool {
	return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0])
}

// owns reports whether a key is of a row.
func (r *row) owns(key string) bool {
	return key == r.name || len(key) > len(r.name) && key[len(r.name)] == '/' && key[:len(r.name)] == r.name
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
