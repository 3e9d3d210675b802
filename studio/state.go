package studio

import (
	"slices"

	"wisemarrow/core/bind"
	"wisemarrow/core/fit"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/profile"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/formats/look"
)

// State is everything that a character is at one revision. It is a value: an
// operation returns a new one and leaves the parts that it does not touch
// shared. Each part has a row in the table of parts (stored.go), which says how
// it is stored and what becomes of it when another part changes. Skeleton,
// Weights, Fit and Bind are nil before their stage.
type State struct {
	Mesh     *mesh.Mesh
	Skeleton *skeleton.Skeleton
	Weights  *weights.Weights
	Fit      *fit.Report
	Bind     *Result
	// Shapes is how the shape targets of the mesh are used; nil: each is set by hand and off.
	Shapes *shape.Rig
	// Binding is the pose that the skin was bound in, where there are weights.
	Binding *pose.Binding
	// Capsules are those around the bones, for a bind by them; nil until they are sized.
	Capsules *bind.Capsules
	Chosen   *Chosen    // vertices that are kept under names, hidden, or were set by hand; nil is none
	Kept     []Kept     // results of binds beside the current one, by name
	Look     *look.Look // materials as they came, for the handoff; nil without
	// Clips are motions that came with a skeleton. Their turns are about the
	// world's axes at rest, so that joints may be given other axes.
	Clips []*pose.Clip
	// Poses are those that the character keeps under names, one frame each, as clips are.
	Poses    []*pose.Clip
	Sheet    *Sheet // how the skin came through the test reel; nil until it was tried
	Settings Settings
}

// Settings are what a character follows in naming and axes, and where it came
// from.
type Settings struct {
	Source     string              `json:"source"` // file name
	Notes      []string            `json:"notes,omitempty"`
	Joined     int                 `json:"joined,omitempty"` // split vertices that are one here
	Marks      skeleton.Marks      `json:"suffixes"`
	Convention skeleton.Convention `json:"convention"`
	Oriented   bool                `json:"oriented"`           // axes were set by an operation
	Kind       string              `json:"kind,omitempty"`     // of health.Kinds
	Accepted   []string            `json:"accepted,omitempty"` // findings that are meant so, by code
	// Loose: the bind pose follows the joints as they are moved, so that the skin stays.
	Loose bool `json:"loose,omitempty"`
	// Elsewhere: pieces may be bound while the joints are away from the recorded pose.
	Elsewhere bool `json:"elsewhere,omitempty"`
	// Profile is what the receiver needs of the character; nil: it is held against none.
	Profile *profile.Profile `json:"profile,omitempty"`
}

// DefaultSettings are those of a new character.
func DefaultSettings() Settings {
	return Settings{Marks: skeleton.DefaultMarks, Convention: skeleton.DefaultConvention}
}

// WithMesh returns the state with another mesh whose vertices come from the old
// ones by origin; nil means that their numbers did not change.
func (s State) WithMesh(m *mesh.Mesh, origin mesh.Origin) State {
	s.Mesh = m
	for _, r := range table {
		if r.onMesh != nil && r.held(&s) {
			r.onMesh(&s, origin)
		}
	}
	return s
}

// JointChange is what became of the joints of a skeleton: new names by old ones,
// and, of those that were removed, the joint that gets their weights ("" for none).
type JointChange struct {
	Before           *skeleton.Skeleton
	Renamed, Removed map[string]string
}

// WithSkeleton returns the state with another skeleton and all that hangs on the
// names of its joints brought along.
func (s State) WithSkeleton(sk *skeleton.Skeleton, renamed, removed map[string]string) State {
	c := JointChange{s.Skeleton, renamed, removed}
	s.Skeleton = sk
	if len(renamed)+len(removed) == 0 {
		return s
	}
	for _, r := range table {
		if r.onJoints != nil && r.held(&s) {
			r.onJoints(&s, c)
		}
	}
	return s
}

// Moved returns the state with mesh, skeleton and all else that has a place
// brought elsewhere together, so that the skin stays as it was.
func (s State) Moved(p mesh.Placement) State {
	m := s.Mesh
	for _, r := range table {
		if r.onMove != nil && r.held(&s) {
			r.onMove(&s, p, m)
		}
	}
	return s
}

// Recounted returns the state with the vertices without weights counted anew.
func (s State) Recounted() State {
	if s.Bind == nil || s.Weights == nil || s.Mesh == nil {
		return s
	}
	s.Bind = s.Bind.recounted(s.Weights, s.Mesh)
	return s
}

// Stray returns the vertices without weights that are not out of the bind.
func (s State) Stray() []int32 {
	if s.Weights == nil {
		return nil
	}
	return stray(s.Weights, s.Mesh)
}

func stray(w *weights.Weights, m *mesh.Mesh) []int32 {
	list := w.Unweighted()
	if m == nil {
		return list
	}
	_, out := m.Bindable()
	if out == nil {
		return list
	}
	return slices.DeleteFunc(list, func(v int32) bool { return out[v] })
}

// JointsNamed finds joints by name, each once; none, or one that is not there, is
// a mistake of the caller.
func (s State) JointsNamed(names []string) ([]int, error) {
	if len(names) == 0 {
		return nil, Wrong("select at least one joint")
	}
	if s.Skeleton == nil {
		return nil, Wrong("%s", lacking[NeedSkeleton])
	}
	var out []int
	for _, n := range names {
		i, err := s.Skeleton.Find(n)
		if err != nil {
			return nil, Wrong("%v", err)
		}
		if !slices.Contains(out, i) {
			out = append(out, i)
		}
	}
	return out, nil
}

// WithMoved returns the state with joints at other places. A locked joint among
// those that moved, also a partner or one that hangs from what moved, is refused.
func (s State) WithMoved(moved *skeleton.Skeleton) (State, error) {
	if err := s.Skeleton.Held(moved); err != nil {
		return s, Wrong("%v", err)
	}
	s.Skeleton = moved
	return s, nil
}

// MotionOf is a motion as a page lists it.
type MotionOf struct {
	Name    string  `json:"name"`
	Frames  int     `json:"frames"`
	Seconds float64 `json:"seconds"`
}

// Motions lists the clips of a state.
func (s State) Motions() []MotionOf {
	out := []MotionOf{}
	for _, c := range s.Clips {
		out = append(out, MotionOf{c.Name, c.Frames(), c.Step * float64(c.Frames())})
	}
	return out
}
