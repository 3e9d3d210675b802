package studio

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"

	"wisemarrow/core/pose"
	"wisemarrow/core/weights"
	"wisemarrow/formats/bundle"
)

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
			stored := false
			for key, h := range known {
				if r.owns(key) {
					w.parts[key], stored = h, true
				}
			}
			if stored { // not so is what an earlier version did not have, and was made as it was read
				continue
			}
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
	if s.Weights != nil && s.Skeleton != nil && s.Binding == nil {
		// Of before bind poses were recorded: the skin followed the joints from where they stand.
		s.Binding = pose.Recorded(s.Skeleton)
	}
	return s, nil
}
