package studiotest

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"

	"wisemarrow/studio"
)

// Memory is a store in memory, for what needs no database. It is for one goroutine; what is
// done to characters is done to the first.
type Memory struct {
	All       map[string]studio.Character
	Past      []studio.Revision // every revision, in order
	Blob      map[string][]byte
	Staged    map[string]bool
	Works     map[string]studio.Work
	EarlyStop bool // what a beat answers
	Items     []studio.ShelfItem
	Made      map[string][]byte // what was derived
	Down      bool
	Named     []studio.Version // versions
	Handed    []studio.Delivery
}

// NewMemory returns an empty store.
func NewMemory() *Memory {
	return &Memory{
		All:    map[string]studio.Character{},
		Blob:   map[string][]byte{},
		Staged: map[string]bool{},
		Works:  map[string]studio.Work{},
		Made:   map[string][]byte{},
	}
}

// Productions implements studio.Store.
func (m *Memory) Productions(context.Context) ([]string, error) { return nil, nil }

// Characters implements studio.Store.
func (m *Memory) Characters(context.Context) ([]studio.Character, error) {
	out := slices.Collect(maps.Values(m.All))
	slices.SortFunc(out, func(a, b studio.Character) int { return cmp.Compare(a.Head, b.Head) })
	return out, nil
}

// Remove implements studio.Store.
func (m *Memory) Remove(context.Context, string) error { return nil }

// Rename implements studio.Store.
func (m *Memory) Rename(_ context.Context, id, name string) error {
	c, ok := m.All[id]
	if !ok {
		return studio.ErrNotFound
	}
	c.Name = name
	m.All[id] = c
	return nil
}

// Character implements studio.Store.
func (m *Memory) Character(_ context.Context, id string) (studio.Character, error) {
	if m.Down {
		return studio.Character{}, studio.ErrDown
	}
	c, ok := m.All[id]
	if !ok {
		return c, studio.ErrNotFound
	}
	return c, nil
}

// Create implements studio.Store.
func (m *Memory) Create(_ context.Context, c studio.Character, first studio.Commit) (studio.Character, error) {
	c.ID = "one"
	if n := len(m.All); n > 0 {
		c.ID = fmt.Sprint("one more ", n)
	}
	first.Character = c.ID
	c.Head = m.put(first)
	c.Tip = c.Head
	m.All[c.ID] = c
	return c, nil
}

func (m *Memory) put(c studio.Commit) int64 {
	for _, b := range c.Blobs {
		m.Blob[b.Hash] = b.Data
	}
	for _, h := range c.Files {
		delete(m.Staged, h)
	}
	r := c.Revision
	r.ID = int64(len(m.Past) + 1)
	m.Past = append(m.Past, r)
	return r.ID
}

// Revision implements studio.Store.
func (m *Memory) Revision(_ context.Context, id int64) (studio.Revision, error) {
	if id < 1 || int(id) > len(m.Past) {
		return studio.Revision{}, studio.ErrNotFound
	}
	return m.Past[id-1], nil
}

// Revisions implements studio.Store.
func (m *Memory) Revisions(ctx context.Context, ids []int64) (map[int64]studio.Revision, error) {
	out := map[int64]studio.Revision{}
	for _, id := range ids {
		if r, err := m.Revision(ctx, id); err == nil {
			out[id] = r
		}
	}
	return out, nil
}

// Next implements studio.Store.
func (m *Memory) Next(_ context.Context, _ string, head int64) (studio.Revision, error) {
	for _, r := range slices.Backward(m.Past) {
		if r.Parent == head {
			return r, nil
		}
	}
	return studio.Revision{}, studio.ErrNotFound
}

// History implements studio.Store.
func (m *Memory) History(ctx context.Context, id string, before int64, limit int) ([]studio.Revision, error) {
	to := m.All[id].Tip
	if before > 0 {
		to = m.Past[before-1].Parent
	}
	line, err := m.Line(ctx, id, to)
	slices.Reverse(line)
	for i := range line {
		line[i].Binding = line[i].Parts["binding"]
	}
	return line[:min(limit, len(line))], err
}

// Line implements studio.Store.
func (m *Memory) Line(_ context.Context, _ string, to int64) (out []studio.Revision, err error) {
	for ; to > 0; to = m.Past[to-1].Parent {
		out = append(out, m.Past[to-1])
	}
	slices.Reverse(out)
	return out, nil
}

// Commit implements studio.Store.
func (m *Memory) Commit(_ context.Context, c studio.Commit) (studio.Revision, error) {
	now := m.All[c.Character]
	if now.Head != c.Head {
		return c.Revision, studio.StaleError{Head: now.Head}
	}
	r := c.Revision
	r.ID = m.put(c)
	now.Head, now.Tip = r.ID, r.ID
	m.All[r.Character] = now
	return r, nil
}

// SetHead implements studio.Store.
func (m *Memory) SetHead(_ context.Context, id string, _, to int64) error {
	c := m.All[id]
	c.Head = to
	m.All[id] = c
	return nil
}

// Receipt implements studio.Store; nothing is noted here.
func (m *Memory) Receipt(context.Context, string) (studio.Receipt, error) {
	return studio.Receipt{}, studio.ErrNotFound
}

// Blobs implements studio.Store.
func (m *Memory) Blobs(_ context.Context, hashes []string) (map[string][]byte, error) {
	out := map[string][]byte{}
	for _, h := range hashes {
		if b, ok := m.Blob[h]; ok {
			out[h] = b
		}
	}
	return out, nil
}

// Stage implements studio.Store.
func (m *Memory) Stage(_ context.Context, blobs []studio.Blob) error {
	for _, b := range blobs {
		m.Blob[b.Hash], m.Staged[b.Hash] = b.Data, true
	}
	return nil
}

// Derived implements studio.Store.
func (m *Memory) Derived(_ context.Context, keys []string) (map[string][]byte, error) {
	out := map[string][]byte{}
	for _, k := range keys {
		if b, ok := m.Made[k]; ok {
			out[k] = b
		}
	}
	return out, nil
}

// Derive implements studio.Store.
func (m *Memory) Derive(_ context.Context, values map[string][]byte) error {
	for k, v := range values {
		m.Made[k] = v
	}
	return nil
}

// Shelf implements studio.Store.
func (m *Memory) Shelf(_ context.Context, production string) (out []studio.ShelfItem, err error) {
	for _, x := range m.Items {
		if x.Production == production {
			out = append(out, x)
		}
	}
	return out, nil
}

// Shelve implements studio.Store.
func (m *Memory) Shelve(ctx context.Context, item studio.ShelfItem) error {
	_ = m.Discard(ctx, item.Production, item.Kind, item.Name) // replaced if it is there
	m.Items = append(m.Items, item)
	return nil
}

// Discard implements studio.Store.
func (m *Memory) Discard(_ context.Context, production, kind, name string) error {
	n := len(m.Items)
	m.Items = slices.DeleteFunc(m.Items, func(x studio.ShelfItem) bool {
		return x.Production == production && x.Kind == kind && x.Name == name
	})
	if len(m.Items) == n {
		return studio.ErrNotFound
	}
	return nil
}

// AddWork implements studio.Store.
func (m *Memory) AddWork(_ context.Context, w studio.Work) (studio.Work, error) {
	w.ID = "work"
	m.Works[w.ID] = w
	return w, nil
}

// Work implements studio.Store.
func (m *Memory) Work(_ context.Context, id string) (studio.Work, error) { return m.Works[id], nil }

// OpenWork implements studio.Store.
func (m *Memory) OpenWork(context.Context, string) ([]studio.Work, error) { return nil, nil }

// ClaimWork implements studio.Store.
func (m *Memory) ClaimWork(_ context.Context, id string) (studio.Work, studio.Claim, error) {
	return m.Works[id], studio.Claim{Work: id}, nil
}

// Beat implements studio.Store.
func (m *Memory) Beat(context.Context, studio.Claim, string, float64) (bool, error) {
	return m.EarlyStop, nil
}

// CloseWork implements studio.Store.
func (m *Memory) CloseWork(_ context.Context, c studio.Claim, state, message string) error {
	w := m.Works[c.Work]
	w.State, w.Message = state, message
	m.Works[c.Work] = w
	return nil
}

// StopWork implements studio.Store.
func (m *Memory) StopWork(_ context.Context, id string) (studio.Work, error) {
	m.EarlyStop = true
	return m.Works[id], nil
}

// ReleaseWork implements studio.Store.
func (m *Memory) ReleaseWork(_ context.Context, c studio.Claim) error {
	w := m.Works[c.Work]
	w.State = studio.WorkQueued
	m.Works[c.Work] = w
	return nil
}

// CancelWork implements studio.Store.
func (m *Memory) CancelWork(_ context.Context, id string) (studio.Work, error) {
	return m.Works[id], nil
}
