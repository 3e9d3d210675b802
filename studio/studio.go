package studio

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"time"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/formats"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"
)

// Character is the entry of a character in the cast.
type Character struct {
	ID         string
	Production string
	Name       string
	Role       string
	Head       int64 // revision that it is at
	Tip        int64 // newest revision on its line; redo goes towards it
}

// Revision is one applied operation.
type Revision struct {
	ID        int64           `json:"id"`
	Character string          `json:"-"`
	Parent    int64           `json:"parent"` // 0 for the first
	Op        string          `json:"op"`
	Params    json.RawMessage `json:"params"`
	Author    string          `json:"author"`
	Outcome   Outcome         `json:"outcome"`
	Parts     Parts           `json:"-"`
	Time      time.Time       `json:"time"`
}

// Errors that a store returns.
var (
	ErrNotFound = errors.New("not found")
	// ErrDown means that the database cannot be reached; nothing was changed.
	ErrDown = errors.New("the database cannot be reached; nothing was changed, try again in a moment")
)

// ErrStale means that someone else changed the character first.
type ErrStale struct{ Head int64 }

func (e ErrStale) Error() string {
	return fmt.Sprintf("the character has changed since you opened it (revision %d is the newest): reload it, then do this again", e.Head)
}

// Store keeps characters, revisions and blobs. Each method is one transaction.
type Store interface {
	Productions(ctx context.Context) ([]string, error)
	Characters(ctx context.Context) ([]Character, error)
	Character(ctx context.Context, id string) (Character, error)
	// Create adds a production if new, and a character with its first revision.
	Create(ctx context.Context, c Character, first Revision, blobs []Blob) (Character, error)
	Remove(ctx context.Context, id string) error
	Revision(ctx context.Context, id int64) (Revision, error)
	// History returns the revisions from the tip back to the first.
	History(ctx context.Context, character string) ([]Revision, error)
	// Commit appends r to the head r.Parent, or fails with an ErrStale. A work
	// that is named is closed in the same transaction, or the commit fails with
	// ErrNotFound when another attempt has taken it over.
	Commit(ctx context.Context, r Revision, blobs []Blob, work *Claim) (Revision, error)
	// SetHead moves the head from one revision to another of the same line.
	SetHead(ctx context.Context, character string, from, to int64) error
	Blob(ctx context.Context, hash string) ([]byte, error)

	// Shelf returns what a production keeps, by kind and name.
	Shelf(ctx context.Context, production string) ([]ShelfItem, error)
	// Shelve keeps an item; one of its kind and name is replaced.
	Shelve(ctx context.Context, item ShelfItem) error
	Discard(ctx context.Context, production, kind, name string) error

	AddWork(ctx context.Context, w Work) (Work, error)
	Work(ctx context.Context, id string) (Work, error)
	OpenWork(ctx context.Context, character string) ([]Work, error)
	// ClaimWork makes a queued or abandoned work this attempt's own.
	ClaimWork(ctx context.Context, id string) (Work, Claim, error)
	Beat(ctx context.Context, c Claim, what string, share float64) error
	CloseWork(ctx context.Context, c Claim, state, message string) error
	CancelWork(ctx context.Context, id string) (Work, error)
}

// Jobs starts long work somewhere.
type Jobs interface {
	Enqueue(ctx context.Context, work string) error
}

// Studio is the application.
type Studio struct {
	store   Store
	jobs    Jobs
	limits  reading.Limits
	states  *lru.Cache[string, *State]
	reviews *lru.Cache[string, *Review]
	meshes  *lru.Cache[string, *measured]
	flight  singleflight.Group
}

// New returns a studio on a store. jobs may be nil: long operations then run at
// once.
func New(store Store, jobs Jobs, limits reading.Limits) *Studio {
	states, _ := lru.New[string, *State](16)
	reviews, _ := lru.New[string, *Review](256)
	meshes, _ := lru.New[string, *measured](6)
	return &Studio{store: store, jobs: jobs, limits: limits, states: states, reviews: reviews, meshes: meshes}
}

// SetJobs sets the queue, which itself needs the studio.
func (x *Studio) SetJobs(j Jobs) { x.jobs = j }

// Store returns the store, for the queue.
func (x *Studio) Store() Store { return x.store }

// Limits returns what may be uploaded.
func (x *Studio) Limits() reading.Limits { return x.limits }

// Load returns the state at a revision.
func (x *Studio) Load(ctx context.Context, r Revision) (*State, error) {
	key := r.Parts.key()
	if s, ok := x.states.Get(key); ok {
		return s, nil
	}
	v, err, _ := x.flight.Do("state"+key, func() (any, error) {
		s, err := decodeState(r.Parts, func(hash string) ([]byte, error) { return x.store.Blob(ctx, hash) })
		if err != nil {
			return nil, fmt.Errorf("revision %d: %w", r.ID, err)
		}
		x.states.Add(key, s)
		return s, nil
	})
	if err != nil {
		return nil, err
	}
	return v.(*State), nil
}

// Review returns the findings at a revision, cached by the hashes of its parts.
func (x *Studio) Review(ctx context.Context, r Revision) (*Review, error) {
	key := r.Parts.key()
	if v, ok := x.reviews.Get(key); ok {
		return v, nil
	}
	v, err, _ := x.flight.Do("review"+key, func() (any, error) {
		s, err := x.Load(ctx, r)
		if err != nil {
			return nil, err
		}
		var m *measured
		if s.Mesh != nil {
			m = x.measured(r.Parts, s)
		}
		v := review(s, m)
		x.reviews.Add(key, v)
		return v, nil
	})
	if err != nil {
		return nil, err
	}
	return v.(*Review), nil
}

// measured is what the check of a mesh found. It depends on the mesh and the
// kind alone, so that moving a joint does not check the mesh again.
type measured struct {
	surface  *mesh.Surface
	facts    mesh.Facts
	findings []finding.Finding
}

func measure(s *State) *measured {
	m := &measured{surface: s.Mesh.Surface()}
	m.facts, m.findings = health.Check(m.surface, s.Settings.Kind)
	return m
}

// measured is the check of the mesh of a state with those parts, cached.
func (x *Studio) measured(p Parts, s *State) *measured {
	key := p.meshKey(s)
	if m, ok := x.meshes.Get(key); ok {
		return m
	}
	v, _, _ := x.flight.Do("measure"+key, func() (any, error) {
		m := measure(s)
		x.meshes.Add(key, m)
		return m, nil
	})
	return v.(*measured)
}

// Spots returns the single places of a finding at a revision.
func (x *Studio) Spots(ctx context.Context, r Revision, w finding.Where) ([]finding.Spot, error) {
	s, err := x.Load(ctx, r)
	if err != nil || s.Mesh == nil {
		return nil, err
	}
	return health.Spots(x.measured(r.Parts, s).surface, w), nil
}

// Import makes a new character of a mesh file. The name of the character is
// taken from the file if name is empty.
func (x *Studio) Import(ctx context.Context, c Character, author, file string, r io.Reader, resolve gltf.Resolver) (Character, error) {
	scene, err := formats.Decode(file, r, resolve, x.limits)
	if err != nil {
		return c, ErrInput{err.Error()}
	}
	if scene.Mesh == nil {
		return c, wrong("%s holds no mesh", file)
	}
	s := StateOf(scene, file)
	return x.Add(ctx, c, author, s, fmt.Sprintf("Brought in %s: %d vertices, %d faces", file, len(s.Mesh.Points), s.Mesh.Faces()))
}

// StateOf returns the first state of what a file holds.
func StateOf(scene *gltf.Scene, file string) State {
	s := State{Mesh: scene.Mesh, Settings: DefaultSettings()}
	s.Settings.Source, s.Settings.Notes, s.Settings.Joined = file, scene.Notes, scene.Joined
	if !scene.Look.Empty() {
		s.Look = scene.Look
	}
	if scene.Skeleton != nil && len(scene.Skeleton.Joints) > 1 {
		s.Skeleton = scene.Skeleton
		s.Weights = scene.Weights // as the file bound it
	}
	return s
}

// Add makes a new character of a state.
func (x *Studio) Add(ctx context.Context, c Character, author string, s State, sentence string) (Character, error) {
	parts, blobs, err := encodeState(&s, nil, nil)
	if err != nil {
		return c, err
	}
	params, _ := json.Marshal(map[string]string{"file": s.Settings.Source})
	return x.store.Create(ctx, c, Revision{Op: "import", Params: params, Author: author, Outcome: Outcome{Sentence: sentence}, Parts: parts, Time: time.Now()}, blobs)
}

// Do applies an operation to the revision base of a character. A long one
// becomes work for the queue, and the returned Work is not nil.
func (x *Studio) Do(ctx context.Context, character string, base int64, op string, params json.RawMessage, author string) (Revision, *Work, error) {
	entry, parsed, err := ParseOperation(op, params)
	if err != nil {
		return Revision{}, nil, err
	}
	c, err := x.store.Character(ctx, character)
	if err != nil {
		return Revision{}, nil, err
	}
	if c.Head != base {
		return Revision{}, nil, ErrStale{c.Head}
	}
	if entry.Long && x.jobs != nil {
		w, err := x.store.AddWork(ctx, Work{Character: character, Base: base, Op: op, Label: entry.Label, Params: params, Author: author, State: WorkQueued})
		if err != nil {
			return Revision{}, nil, err
		}
		// If this fails the sweep of the queue finds the work later.
		_ = x.jobs.Enqueue(ctx, w.ID)
		return Revision{}, &w, nil
	}
	r, err := x.apply(ctx, character, base, op, params, parsed, author, nil, nil)
	return r, nil, err
}

func (x *Studio) apply(ctx context.Context, character string, base int64, op string, params json.RawMessage, parsed Operation, author string, claim *Claim, progress Progress) (Revision, error) {
	if progress == nil {
		progress = func(string, float64) {}
	}
	parent, err := x.store.Revision(ctx, base)
	if err != nil {
		return Revision{}, err
	}
	if parent.Character != character {
		return Revision{}, ErrNotFound
	}
	before, err := x.Load(ctx, parent)
	if err != nil {
		return Revision{}, err
	}
	after, outcome, err := parsed.Apply(ctx, *before, progress)
	if err != nil {
		return Revision{}, err
	}
	progress("Storing", 0.97)
	parts, blobs, err := encodeState(&after, before, parent.Parts)
	if err != nil {
		return Revision{}, err
	}
	if len(params) == 0 {
		params = json.RawMessage("{}")
	}
	return x.store.Commit(ctx, Revision{Character: character, Parent: base, Op: op, Params: params, Author: author, Outcome: outcome, Parts: parts, Time: time.Now()}, blobs, claim)
}

// Undo moves the character back over its newest revision; it returns the
// revision that is the head now.
func (x *Studio) Undo(ctx context.Context, character string, base int64) (Revision, error) {
	r, err := x.store.Revision(ctx, base)
	if err != nil {
		return r, err
	}
	if r.Character != character {
		return r, ErrNotFound
	}
	if c, err := x.store.Character(ctx, character); err != nil || c.Head != base {
		return r, cmp.Or(err, error(ErrStale{c.Head}))
	}
	if r.Parent == 0 {
		return r, wrong("there is nothing to undo: this is how the character came in")
	}
	if err := x.store.SetHead(ctx, character, base, r.Parent); err != nil {
		return r, err
	}
	return x.store.Revision(ctx, r.Parent)
}

// Redo moves the character forward again, towards its tip.
func (x *Studio) Redo(ctx context.Context, character string, base int64) (Revision, error) {
	if c, err := x.store.Character(ctx, character); err != nil || c.Head != base {
		return Revision{}, cmp.Or(err, error(ErrStale{c.Head}))
	}
	list, err := x.store.History(ctx, character)
	if err != nil {
		return Revision{}, err
	}
	for _, r := range list {
		if r.Parent == base {
			return r, x.store.SetHead(ctx, character, base, r.ID)
		}
	}
	return Revision{}, wrong("there is nothing to redo")
}
