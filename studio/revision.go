package studio

import (
	"context"
	"encoding/json"
	"time"
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
	Params    json.RawMessage `json:"params,omitempty"`
	Author    string          `json:"author"`
	Outcome   Outcome         `json:"outcome"`
	Parts     Parts           `json:"-"`
	Time      time.Time       `json:"time"`
	Bound     bool            `json:"bound,omitempty"` // had weights; only a history tells
	Binding   string          `json:"-"`               // the hash of its bind pose; only a history tells
}

// Commit is a change to be stored.
type Commit struct {
	Revision
	Head  int64    // that the character is at; another head fails with StaleError
	Was   Parts    // of that head: what becomes of them may be stored as what differs
	Blobs []Blob   // new content
	Files []string // blobs that were staged and are named by the parameters
	Work  *Claim   // that ends with it, nil for none
}

// Records are what is stored, for who looks at it: a studio gives them on.
type Records interface {
	Productions(ctx context.Context) ([]string, error)
	Characters(ctx context.Context) ([]Character, error)
	Character(ctx context.Context, id string) (Character, error)
	Remove(ctx context.Context, id string) error
	Revision(ctx context.Context, id int64) (Revision, error)
	// Revisions returns several, by number.
	Revisions(ctx context.Context, ids []int64) (map[int64]Revision, error)
	// Next returns the revision that redo leads to from a head; ErrNotFound at the
	// tip.
	Next(ctx context.Context, character string, head int64) (Revision, error)
	// History returns at most limit revisions from one back to the first, without
	// their parts and parameters. Before 0 begins at the tip.
	History(ctx context.Context, character string, before int64, limit int) ([]Revision, error)
	// Line returns all revisions from the first to one, whole.
	Line(ctx context.Context, character string, to int64) ([]Revision, error)
	// Receipt returns what came of a change with a key (WithKey); ErrNotFound if nothing
	// did. Create, Commit, SetHead and AddWork note it, and fail with ErrRepeated when
	// the key is taken.
	Receipt(ctx context.Context, key string) (Receipt, error)
	// Blobs returns content by hash; what is not there is left out.
	Blobs(ctx context.Context, hashes []string) (map[string][]byte, error)

	Work(ctx context.Context, id string) (Work, error)
	OpenWork(ctx context.Context, character string) ([]Work, error)
	CancelWork(ctx context.Context, id string) (Work, error)
	// StopWork asks a work to end with the best that it has.
	StopWork(ctx context.Context, id string) (Work, error)
}

// Store keeps characters, revisions and blobs. Each method is one transaction.
type Store interface {
	Records
	Versions
	// Create adds a production if new, and a character with its first revision.
	Create(ctx context.Context, c Character, first Commit) (Character, error)
	// Rename gives a character another name; revisions stay as they are.
	Rename(ctx context.Context, id, name string) error
	// Commit stores a change. A work that is named is closed in the same
	// transaction, or the commit fails with ErrNotFound when another attempt has
	// taken it over.
	Commit(ctx context.Context, c Commit) (Revision, error)
	// SetHead moves the head from one revision to another of the same line.
	SetHead(ctx context.Context, character string, from, to int64) error
	// Stage keeps content for a day, unless a commit names it.
	Stage(ctx context.Context, blobs []Blob) error

	// Derived returns what was computed before, by key; nil if it was not.
	Derived(ctx context.Context, keys []string) (map[string][]byte, error)
	Derive(ctx context.Context, values map[string][]byte) error

	// Shelf returns what a production keeps, by kind and name.
	Shelf(ctx context.Context, production string) ([]ShelfItem, error)
	// Shelve keeps an item; one of its kind and name is replaced.
	Shelve(ctx context.Context, item ShelfItem) error
	Discard(ctx context.Context, production, kind, name string) error

	// AddWork stores a work and, in the same transaction, the job that begins it.
	AddWork(ctx context.Context, w Work) (Work, error)
	// ClaimWork makes a work this attempt's own: the named one if it was abandoned, else the queued one whose turn
	// it is, of who has fewest running and has waited longest; ErrNotFound where none waits.
	ClaimWork(ctx context.Context, id string) (Work, Claim, error)
	// Beat tells that a work is alive; it answers whether it shall stop early. It is
	// StaleError when its character has moved on, and ErrNotFound when the attempt no longer holds it.
	Beat(ctx context.Context, c Claim, what string, share float64) (stop bool, err error)
	CloseWork(ctx context.Context, c Claim, state, message string) error
	// ReleaseWork gives a work back that this attempt began, to be begun anew.
	ReleaseWork(ctx context.Context, c Claim) error
}
