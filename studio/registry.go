package studio

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"reflect"
	"runtime/debug"
	"slices"
	"strings"

	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"
)

// Progress is told how far an operation is.
type Progress = progress.Func

// Operation is anything that a person can do to a character: its parameters as
// a struct, and Apply, which computes the new state and a sentence that tells
// what was done with a number before and after. Apply changes nothing in place.
type Operation interface {
	Apply(ctx context.Context, s State, progress Progress) (State, Outcome, error)
}

// Outcome is what an operation tells of itself.
type Outcome struct {
	Sentence string `json:"sentence"`
	Before   string `json:"before,omitempty"`
	After    string `json:"after,omitempty"`
	// Steps are what an operation made of several did; Left is what it leaves to
	// a person.
	Steps []string `json:"steps,omitempty"`
	Left  []string `json:"left,omitempty"`
	// Joints is what became of each joint, of an operation that takes over many.
	Joints []skeleton.Adopted `json:"joints,omitempty"`
}

// Need is a part of the state that an operation cannot do without.
type Need string

// What operations need.
const (
	NeedMesh     Need = "mesh"
	NeedSkeleton Need = "skeleton"
	NeedWeights  Need = "weights"
	NeedClips    Need = "clips"
	NeedKept     Need = "kept"
)

// lacking says what is missing, and where it is made.
var lacking = map[Need]string{
	NeedMesh:     "the character has no mesh yet",
	NeedSkeleton: "the character has no skeleton yet: fit a starter at Placement first",
	NeedWeights:  "no weights yet: bind first",
	NeedClips:    "the character has no motion",
	NeedKept:     "no result of a bind is kept",
}

// Ways in which a page fills the parameters of an operation that is chosen by its
// name.
const (
	FromNothing = ""       // the defaults are what is meant
	FromJoints  = "joints" // "joints": the names of the chosen ones
	FromJoint   = "joint"  // "joint": the name of the chosen one
	FromFaces   = "faces"  // "faces": the numbers of the chosen ones
	FromForm    = "form"   // a person fills in the form or makes the gesture in the view
)

// Entry is an operation's place in the registry: all that the screen, the command
// line, the jobs and the history know of it.
type Entry struct {
	Name  string // as in scripts and revisions
	Label string // as on screen and in "Undo …"
	Stage string
	Words string // what else the trade calls it, for the finder
	Key   string // that does it at its stage; "" is none
	From  string // how a page fills its parameters
	Needs []Need
	// Long tells whether it runs as a job at that state; nil is never.
	Long func(s *State) bool
	// Keeps tells that a work that is stopped on its way ends with the best that it has (EarlyStop).
	Keeps bool
	// Loses says what of later work would be lost, "" nothing; nil is never.
	Loses func(s *State, op Operation) string
	// New returns the operation with its default parameters, ready to be decoded
	// into.
	New func() Operation
}

// Always is for operations that run as jobs whatever they are applied to.
func Always(*State) bool { return true }

// LargeMesh is for operations on the mesh: from this many vertices on they take
// longer than a person waits without being told how far it is.
func LargeMesh(s *State) bool { return s.Mesh != nil && len(s.Mesh.Points) > 60_000 }

// Missing returns why an operation does not apply to a state; "" if it does.
func (e Entry) Missing(s *State) string {
	have := map[Need]bool{
		NeedMesh:     s.Mesh != nil,
		NeedSkeleton: s.Skeleton != nil,
		NeedWeights:  s.Weights != nil,
		NeedClips:    len(s.Clips) > 0,
		NeedKept:     len(s.Kept) > 0,
	}
	for _, n := range e.Needs {
		if !have[n] {
			return lacking[n]
		}
	}
	return ""
}

// registry holds every operation there is. The screen, the command line, jobs,
// history and tests all go through it.
var registry = map[string]Entry{}

// nameOf finds an operation's name by its type.
var nameOf = map[reflect.Type]string{}

// Register adds operations. Packages of stages call it in their init.
func Register(list ...Entry) {
	for _, e := range list {
		if _, twice := registry[e.Name]; twice {
			panic("two operations are called " + e.Name)
		}
		t := reflect.TypeOf(e.New())
		if other, twice := nameOf[t]; twice {
			panic("two operations are one type: " + e.Name + " and " + other)
		}
		registry[e.Name], nameOf[t] = e, e.Name
	}
}

// Operations returns the registry, by name.
func Operations() []Entry {
	out := make([]Entry, 0, len(registry))
	for _, e := range registry {
		out = append(out, e)
	}
	slices.SortFunc(out, func(a, b Entry) int { return cmp.Compare(a.Name, b.Name) })
	return out
}

// ParseOperation finds an operation, decodes its parameters and checks their bounds; a parameter
// that it does not have, or that is out of its bounds, is an InputError.
func ParseOperation(name string, params json.RawMessage) (Entry, Operation, error) {
	e, ok := registry[name]
	if !ok {
		return Entry{}, nil, Wrong("there is no operation %q", name)
	}
	op := e.New()
	if len(bytes.TrimSpace(params)) > 0 {
		d := json.NewDecoder(bytes.NewReader(params))
		d.DisallowUnknownFields()
		if err := d.Decode(op); err != nil {
			return e, nil, Wrong("the parameters of %s cannot be read: %s", name, Plain(err))
		}
	}
	if err := e.Check(op); err != nil {
		return e, nil, err
	}
	return e, op, nil
}

// Apply does an operation to a state: it is refused where it lacks something, and
// a panic within becomes an error, so that it ends neither a job nor the process.
func Apply(ctx context.Context, e Entry, op Operation, s State, progress Progress) (out State, told Outcome, err error) {
	if why := e.Missing(&s); why != "" {
		return s, Outcome{}, Wrong("%s", why)
	}
	if progress == nil {
		progress = func(string, float64) {}
	}
	defer func() {
		if r := recover(); r != nil {
			out, told, err = s, Outcome{}, &BrokenError{e.Label, r, string(debug.Stack())}
		}
	}()
	if out, told, err = op.Apply(ctx, s, progress); err != nil {
		return s, Outcome{}, err
	}
	if s.Mesh != nil && s.Mesh.Faces() > 0 && (out.Mesh == nil || out.Mesh.Faces() == 0) {
		return s, Outcome{}, Wrong("%s would remove every face, so nothing was done: select fewer, or bring in another file", e.Label)
	}
	if out.Skeleton != nil && out.Skeleton != s.Skeleton {
		if err := out.Skeleton.CheckHelpers(); err != nil { // what a helper joint follows went, or went elsewhere
			return s, Outcome{}, Wrong("%v", err)
		}
	}
	return settled(s, out), told, nil
}

// Said names things in a sentence: up to three by name, more by number.
func Said(names []string) string {
	if len(names) > 3 {
		return fmt.Sprintf("%d joints", len(names))
	}
	return strings.Join(names, ", ")
}
