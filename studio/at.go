package studio

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
)

// At is a revision whose state an operation takes something from; as a parameter it is its number.
type At struct {
	Revision int64
	state    *State
	err      error
}

// Reviser is an operation that takes something from other revisions.
type Reviser interface {
	Revisions() []*At
}

// MarshalJSON implements json.Marshaler.
func (a At) MarshalJSON() ([]byte, error) { return json.Marshal(a.Revision) }

// UnmarshalJSON implements json.Unmarshaler.
func (a *At) UnmarshalJSON(data []byte) error { return json.Unmarshal(data, &a.Revision) }

// State returns the state at the revision.
func (a *At) State() (*State, error) {
	switch {
	case errors.Is(a.err, ErrNotFound):
		return nil, Wrong("there is no revision %d", a.Revision)
	case a.err != nil:
		return nil, fmt.Errorf("revision %d: %w", a.Revision, a.err)
	case a.state == nil:
		return nil, Wrong("revision %d is not at hand: a file has no history, the workbench has", a.Revision)
	}
	return a.state, nil
}

// attachRevisions gives an operation the states that it takes something from.
func (x *Studio) attachRevisions(ctx context.Context, op Operation) {
	r, ok := op.(Reviser)
	if !ok {
		return
	}
	for _, a := range r.Revisions() {
		var rev Revision
		if rev, a.err = x.Revision(ctx, a.Revision); a.err == nil {
			a.state, a.err = x.Load(ctx, rev)
		}
	}
}
