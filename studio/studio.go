package studio

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strconv"
	"sync"
	"time"

	"wisemarrow/core/fit"
	"wisemarrow/formats/reading"
)

// Studio is the application: characters and what is done to them, on a store.
type Studio struct {
	Records  // what is stored, as it is
	store    Store
	queued   bool // long operations become works of a queue
	limits   reading.Limits
	revs     *cache[Revision] // they never change
	states   *cache[*State]
	measures *cache[*Measured]
	found    *cache[*Reviewed]
	facts    *cache[*Facts]
	tries    *cache[[]Try]
	fits     *cache[*fit.Report] // of other characters of a production
	hub      hub
	looking  chan struct{} // places for those who look at a whole cast
	checking chan struct{} // places for meshes that are checked at the same time
	trying   chan struct{} // one place for remedies that are tried: nobody waits for them

	triesMu    sync.Mutex
	triesBegun map[string]*begunTries // by key
}

// Memory says how much the caches may hold, in bytes.
type Memory struct{ States, Meshes, Findings int64 }

// DefaultMemory suits a server of a few gigabytes.
var DefaultMemory = Memory{States: 512 << 20, Meshes: 512 << 20, Findings: 64 << 20}

// New returns a studio on a store. Long operations run at once, unless there is a queue (Queued).
func New(store Store, limits reading.Limits) *Studio {
	m := DefaultMemory
	return &Studio{
		Records:    store,
		store:      store,
		limits:     limits,
		looking:    make(chan struct{}, 2),
		checking:   make(chan struct{}, 4),
		trying:     make(chan struct{}, 1),
		revs:       newCache[Revision](m.Findings / 8),
		states:     newCache[*State](m.States),
		measures:   newCache[*Measured](m.Meshes),
		found:      newCache[*Reviewed](m.Findings),
		facts:      newCache[*Facts](m.Findings / 8),
		tries:      newCache[[]Try](m.Findings / 8),
		fits:       newCache[*fit.Report](m.Findings / 8),
		triesBegun: map[string]*begunTries{},
	}
}

// Queued says that the store begins what AddWork is given, in whatever process: long operations become works.
func (x *Studio) Queued() { x.queued = true }

// Limits returns what may be uploaded.
func (x *Studio) Limits() reading.Limits { return x.limits }

// Revision returns a revision; ErrNotFound if there is none.
func (x *Studio) Revision(ctx context.Context, id int64) (Revision, error) {
	return x.revs.load(ctx, strconv.FormatInt(id, 10), func(ctx context.Context) (Revision, int, error) {
		r, err := x.store.Revision(ctx, id)
		return r, r.size(), err
	})
}

// size is about how many bytes a revision takes.
func (r *Revision) size() int { return 600 + len(r.Params) + 100*len(r.Parts) }

// Load returns the state at a revision.
func (x *Studio) Load(ctx context.Context, r Revision) (*State, error) {
	return x.states.load(ctx, r.Parts.Key(), func(ctx context.Context) (*State, int, error) {
		data, err := x.store.Blobs(ctx, r.Parts.hashes())
		if err != nil {
			return nil, 0, fmt.Errorf("revision %d: %w", r.ID, err)
		}
		s, err := decodeState(r.Parts, data)
		if err != nil {
			return nil, 0, fmt.Errorf("revision %d: %w", r.ID, err)
		}
		return s, s.size(), nil
	})
}

// Head returns a character, the revision it is at and the state there.
func (x *Studio) Head(ctx context.Context, character string) (Character, Revision, *State, error) {
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return c, Revision{}, nil, err
	}
	rev, err := x.store.Revision(ctx, c.Head)
	if err != nil {
		return c, rev, nil, fmt.Errorf("reading the head of %s: %w", c.Name, err)
	}
	s, err := x.Load(ctx, rev)
	return c, rev, s, err
}

// Bring makes a new character by an operation that needs none before it: the
// import of a file. Its name is taken from the state's source if it has none.
func (x *Studio) Bring(ctx context.Context, c Character, author, op string, params json.RawMessage, more []Blob) (Character, error) {
	if err := CheckName("a production", c.Production); err != nil {
		return c, err
	}
	if err := CheckName("a character", c.Name); err != nil {
		return c, err
	}
	entry, parsed, err := ParseOperation(op, params)
	if err != nil {
		return c, err
	}
	at := map[string][]byte{}
	for _, b := range more {
		at[b.Hash] = b.Data
	}
	AttachFiles(parsed, func(hash string) ([]byte, error) {
		if data, ok := at[hash]; ok {
			return data, nil
		}
		return x.blob(ctx, hash)
	}, x.limits)
	s, told, err := Apply(ctx, entry, parsed, State{Settings: DefaultSettings()}, nil)
	if err != nil {
		return c, err
	}
	rules, err := x.rules(ctx, c.Production)
	if err != nil {
		return c, err
	}
	if rules != nil {
		s.Settings.Convention, s.Settings.Elsewhere = rules.Convention, rules.Elsewhere
	}
	return x.create(ctx, c, Revision{Op: op, Params: params, Author: author, Outcome: told}, s, more)
}

// Add makes a new character of a state that no file was read for, as the demo does.
func (x *Studio) Add(ctx context.Context, c Character, author string, s State, sentence string) (Character, error) {
	params, err := json.Marshal(map[string]string{"made": s.Settings.Source})
	if err != nil {
		return c, err
	}
	return x.create(ctx, c, Revision{Op: "made", Params: params, Author: author, Outcome: Outcome{Sentence: sentence}}, s, nil)
}

func (x *Studio) create(ctx context.Context, c Character, first Revision, s State, more []Blob) (Character, error) {
	stored, parts, blobs, err := encodeState(&s, nil, nil)
	if err != nil {
		return c, err
	}
	first.Parts, first.Time = parts, time.Now()
	c, err = x.store.Create(ctx, c, Commit{Revision: first, Blobs: append(blobs, more...)})
	if err == nil {
		x.states.put(parts.Key(), &stored, stored.size())
	}
	return c, err
}

func (x *Studio) blob(ctx context.Context, hash string) ([]byte, error) {
	found, err := x.store.Blobs(ctx, []string{hash})
	if err != nil {
		return nil, err
	}
	data, ok := found[hash]
	if !ok {
		return nil, ErrNotFound
	}
	return data, nil
}

// Attach lets the files of an operation be read from the store.
func (x *Studio) Attach(ctx context.Context, op Operation) {
	AttachFiles(op, func(hash string) ([]byte, error) { return x.blob(ctx, hash) }, x.limits)
	x.attachRevisions(ctx, op)
}

// Do applies an operation to the revision base of a character. A long one
// becomes work for the queue, and the returned Work is not nil.
func (x *Studio) Do(
	ctx context.Context,
	character string,
	base int64,
	op string,
	params json.RawMessage,
	author string,
) (Revision, *Work, error) {
	c, entry, parsed, before, err := x.begin(ctx, character, base, op, params)
	if err != nil {
		return Revision{}, nil, err
	}
	if x.queued && entry.Long != nil && entry.Long(before.state) {
		if why := entry.Missing(before.state); why != "" {
			return Revision{}, nil, Wrong("%s", why)
		}
		w, err := x.store.AddWork(
			ctx,
			Work{Character: c.ID, Base: base, Op: op, Label: entry.Label, Params: params, Author: author, State: WorkQueued},
		)
		if err != nil {
			return Revision{}, nil, err
		}
		return Revision{}, &w, nil
	}
	r, err := x.apply(ctx, change{entry, parsed, params, author, before, nil}, nil)
	return r, nil, err
}

// Loses says what of later work an operation would lose if it were done to the
// revision base; "" is nothing. Pages ask before they do it.
func (x *Studio) Loses(ctx context.Context, character string, base int64, op string, params json.RawMessage) (string, error) {
	if entry, ok := registry[op]; ok && entry.Loses == nil { // what is wrong with it is told when it is done
		return "", nil
	}
	_, entry, parsed, before, err := x.begin(ctx, character, base, op, params)
	if err != nil || entry.Missing(before.state) != "" {
		return "", err
	}
	return entry.Loses(before.state, parsed), nil
}

// at is a revision with its state.
type at struct {
	rev   Revision
	state *State
}

// begin finds all that a change of a character needs.
func (x *Studio) begin(
	ctx context.Context,
	character string,
	base int64,
	op string,
	params json.RawMessage,
) (Character, Entry, Operation, at, error) {
	entry, parsed, err := ParseOperation(op, params)
	if err != nil {
		return Character{}, entry, nil, at{}, err
	}
	c, err := x.store.Character(ctx, character)
	if err == nil && c.Head != base {
		err = StaleError{c.Head}
	}
	if err != nil {
		return c, entry, parsed, at{}, err
	}
	before, err := x.at(ctx, character, base)
	return c, entry, parsed, before, err
}

func (x *Studio) at(ctx context.Context, character string, id int64) (at, error) {
	rev, err := x.Revision(ctx, id)
	if err == nil && rev.Character != character {
		err = ErrNotFound
	}
	if err != nil {
		return at{}, err
	}
	s, err := x.Load(ctx, rev)
	return at{rev, s}, err
}

// change is an operation to be done to a state and stored.
type change struct {
	entry  Entry
	op     Operation
	params json.RawMessage
	author string
	before at
	work   *Claim
}

func (x *Studio) apply(ctx context.Context, c change, progress Progress) (Revision, error) {
	if progress == nil {
		progress = func(string, float64) {}
	}
	x.Attach(ctx, c.op)
	after, told, err := Apply(ctx, c.entry, c.op, *c.before.state, progress)
	if err != nil {
		return Revision{}, err
	}
	progress("Storing", 0.97)
	stored, parts, blobs, err := encodeState(&after, c.before.state, c.before.rev.Parts)
	if err != nil {
		return Revision{}, err
	}
	if len(c.params) == 0 {
		c.params = json.RawMessage("{}")
	}
	r := Revision{
		Character: c.before.rev.Character,
		Parent:    c.before.rev.ID,
		Op:        c.entry.Name,
		Params:    c.params,
		Author:    c.author,
		Outcome:   told,
		Parts:     parts,
		Time:      time.Now(),
	}
	r.Parent = c.gesture(r)
	r, err = x.store.Commit(
		ctx,
		Commit{Revision: r, Head: c.before.rev.ID, Was: c.before.rev.Parts, Blobs: blobs, Files: blobsOf(c.op), Work: c.work},
	)
	if err == nil {
		x.states.put(parts.Key(), &stored, stored.size())
		x.revs.put(strconv.FormatInt(r.ID, 10), r, r.size())
	}
	return r, err
}

// GestureWithin is how soon a step must follow another to be one gesture with it.
const GestureWithin = 2 * time.Second

// Gesture is an operation that a hand repeats: a nudge, a dab. Follows reports
// whether it goes on with one that was just done, so that doing it to the state
// before that one gives the same as doing both.
type Gesture interface {
	Follows(before Operation) bool
}

// gesture returns the parent of a change: its base, or, where it goes on with the
// gesture that made the base, that one's parent, so that undo takes back the whole
// gesture. The revision in between stays stored.
func (c change) gesture(r Revision) int64 {
	base := c.before.rev
	g, ok := c.op.(Gesture)
	if !ok || base.Parent == 0 || base.Op != r.Op || base.Author != r.Author || r.Time.Sub(base.Time) > GestureWithin || c.work != nil {
		return base.ID
	}
	if _, before, err := ParseOperation(base.Op, base.Params); err == nil && g.Follows(before) {
		return base.Parent
	}
	return base.ID
}

// Undo moves the character back over its newest revision; it returns the
// revision that is the head now.
func (x *Studio) Undo(ctx context.Context, character string, base int64) (Revision, error) {
	r, err := x.headIs(ctx, character, base)
	if err != nil {
		return r, err
	}
	if r.Parent == 0 {
		return r, Wrong("there is nothing to undo: this is how the character came in")
	}
	if err := x.store.SetHead(ctx, character, base, r.Parent); err != nil {
		return r, err
	}
	return x.store.Revision(ctx, r.Parent)
}

// Redo moves the character forward again, towards its tip.
func (x *Studio) Redo(ctx context.Context, character string, base int64) (Revision, error) {
	if _, err := x.headIs(ctx, character, base); err != nil {
		return Revision{}, err
	}
	r, err := x.store.Next(ctx, character, base)
	if errors.Is(err, ErrNotFound) {
		return r, Wrong("there is nothing to redo")
	}
	if err != nil {
		return r, err
	}
	return r, x.store.SetHead(ctx, character, base, r.ID)
}

// headIs returns the revision base of a character, which must be its head.
func (x *Studio) headIs(ctx context.Context, character string, base int64) (Revision, error) {
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return Revision{}, err
	}
	r, err := x.store.Revision(ctx, base)
	switch {
	case err != nil:
		return r, err
	case r.Character != character:
		return r, ErrNotFound
	case c.Head != base:
		return r, StaleError{c.Head}
	}
	return r, nil
}

// ReadFrom reads an upload from a stream, for callers without one in memory.
func ReadFrom(name string, r io.Reader, l reading.Limits) (Upload, error) {
	data, err := reading.All(r, l)
	return Upload{Name: name, Data: data}, err
}
