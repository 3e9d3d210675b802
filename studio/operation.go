package studio

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"wisemarrow/core/skeleton"
)

// Progress is told what is being done and how much of it is done (0..1).
type Progress func(what string, share float64)

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

// Entry is an operation's place in the registry.
type Entry struct {
	Name  string // as in scripts and revisions
	Label string // as on screen and in "Undo …"
	Stage string
	Long  bool // runs as a job
	// New returns the operation with its default parameters, ready to be decoded
	// into.
	New func() Operation
}

// registry holds every operation there is. The screen, the command line, jobs,
// history and tests all go through it.
var registry = map[string]Entry{}

func register(list ...Entry) {
	for _, e := range list {
		registry[e.Name] = e
	}
}

// Operations returns the registry, by name.
func Operations() []Entry {
	out := make([]Entry, 0, len(registry))
	for _, e := range registry {
		out = append(out, e)
	}
	slices.SortFunc(out, func(a, b Entry) int { return bytes.Compare([]byte(a.Name), []byte(b.Name)) })
	return out
}

// ErrInput is a mistake in what was asked: an unknown operation, a parameter
// out of range, something missing that an earlier stage makes.
type ErrInput struct{ What string }

func (e ErrInput) Error() string { return e.What }

func wrong(format string, args ...any) error { return ErrInput{fmt.Sprintf(format, args...)} }

// ParseOperation finds an operation and decodes its parameters; a parameter
// that it does not have is an ErrInput.
func ParseOperation(name string, params json.RawMessage) (Entry, Operation, error) {
	e, ok := registry[name]
	if !ok {
		return Entry{}, nil, wrong("there is no operation %q", name)
	}
	op := e.New()
	if len(bytes.TrimSpace(params)) > 0 {
		d := json.NewDecoder(bytes.NewReader(params))
		d.DisallowUnknownFields()
		if err := d.Decode(op); err != nil {
			return e, nil, wrong("the parameters of %s cannot be read: %v", name, err)
		}
	}
	return e, op, nil
}

// IsInput reports whether an error is the caller's, not ours.
func IsInput(err error) bool {
	var e ErrInput
	return errors.As(err, &e)
}

func needMesh(s State) error {
	if s.Mesh == nil {
		return wrong("the character has no mesh yet")
	}
	return nil
}

func needSkeleton(s State) error {
	if s.Skeleton == nil {
		return wrong("the character has no skeleton yet: fit a starter at the placement stage first")
	}
	return nil
}
