package studio

import (
	"context"
	"encoding/json"
	"errors"
	"runtime/debug"
	"sync"
	"time"
)

// States of a work.
const (
	WorkQueued    = "queued"
	WorkRunning   = "running"
	WorkDone      = "done"
	WorkFailed    = "failed"
	WorkCancelled = "cancelled"
)

// Work is a long operation on its way.
type Work struct {
	ID        string          `json:"id"`
	Character string          `json:"character"`
	Base      int64           `json:"base"`
	Op        string          `json:"op"`
	Label     string          `json:"label"`
	Params    json.RawMessage `json:"params"`
	Author    string          `json:"author"`
	State     string          `json:"state"`
	What      string          `json:"what"`  // being done
	Share     float64         `json:"share"` // 0..1
	Message   string          `json:"message"`
	Revision  int64           `json:"revision"`
	Attempt   int             `json:"attempt"`
}

// Claim is one attempt's hold on a work. An attempt that was given up, because
// its process died or hung, can no longer store anything.
type Claim struct {
	Work    string
	Attempt int
}

// BeatEvery is how often a running work tells that it is alive, and
// AbandonAfter how long it may be silent before another process takes it up.
const (
	BeatEvery    = time.Second
	AbandonAfter = 8 * time.Second
)

// MostWaiting is how many works one person may have that wait or run.
const MostWaiting = 100

// ErrGivenBack means that a work was not done because its process stops.
var ErrGivenBack = errors.New("returned to the queue: the server is shutting down")

// Run does the named work to its end if its process died, else the one whose turn it is: it claims it, applies the operation and commits
// the revision together with the end of the work, so that a crash in between
// leaves either both or none. It returns nil for a work that is not to be done
// any more, and ErrGivenBack when ctx is cancelled before it is done.
func (x *Studio) Run(ctx context.Context, id string) error {
	w, claim, err := x.store.ClaimWork(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	entry, parsed, err := ParseOperation(w.Op, w.Params)
	if err != nil {
		return x.store.CloseWork(ctx, claim, WorkFailed, err.Error())
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	stopped := make(chan struct{})
	ctx = WithEarlyStop(ctx, stopped)
	beat := newBeat(x.store, claim, cancel, sync.OnceFunc(func() { close(stopped) }))
	err = func() (err error) {
		// A panic outside of the operation itself, as in storing, ends the work too.
		defer func() {
			if r := recover(); r != nil {
				err = &BrokenError{w.Label, r, string(debug.Stack())}
			}
		}()
		if c, err := x.store.Character(ctx, w.Character); err != nil {
			return err
		} else if c.Head != w.Base { // its result could not be kept
			return StaleError{Head: c.Head}
		}
		before, err := x.at(ctx, w.Character, w.Base)
		if err != nil {
			return err
		}
		_, err = x.apply(ctx, change{entry, parsed, w.Params, w.Author, before, &claim}, beat.progress)
		return err
	}()
	beat.stop()
	// The end is told even when the context was cancelled.
	end, done := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
	defer done()
	var stale StaleError
	switch why := beat.lost(); {
	case err == nil:
		return nil
	case errors.Is(why, ErrNotFound):
		return nil // another attempt has it
	case errors.As(why, &stale), errors.As(err, &stale):
		return x.store.CloseWork(
			end,
			claim,
			WorkFailed,
			"the character was changed while this ran, so the result was not kept: start it again on the newest state",
		)
	case errors.Is(ctx.Err(), context.DeadlineExceeded):
		return x.store.CloseWork(
			end,
			claim,
			WorkFailed,
			"the job exceeded its time limit; nothing was changed. Thin the mesh, then try again",
		)
	case ctx.Err() != nil: // this process is told to stop: another may go on at once
		if err := x.store.ReleaseWork(end, claim); err != nil {
			return err
		}
		return ErrGivenBack
	case IsInput(err):
		return x.store.CloseWork(end, claim, WorkFailed, err.Error())
	default:
		_ = x.store.CloseWork(end, claim, WorkFailed, err.Error())
		return err
	}
}

type earlyStopKey struct{}

// WithEarlyStop is a context whose EarlyStop is c.
func WithEarlyStop(ctx context.Context, c <-chan struct{}) context.Context {
	return context.WithValue(ctx, earlyStopKey{}, c)
}

// EarlyStop is closed when who waits for a work has had enough of it: an operation whose entry Keeps
// then ends with the best that it has. It is nil, which is never closed, outside of works.
func EarlyStop(ctx context.Context) <-chan struct{} {
	c, _ := ctx.Value(earlyStopKey{}).(<-chan struct{})
	return c
}

// UntilEarlyStop is a context for one attempt of an operation: it ends with ctx, or when EarlyStop.
func UntilEarlyStop(ctx context.Context) (context.Context, context.CancelFunc) {
	within, cancel := context.WithCancel(ctx)
	if c := EarlyStop(ctx); c != nil {
		go func() {
			select {
			case <-c:
				cancel()
			case <-within.Done():
			}
		}()
	}
	return within, cancel
}

// StopsEarly reports whether EarlyStop is closed.
func StopsEarly(ctx context.Context) bool {
	select {
	case <-EarlyStop(ctx):
		return true
	default:
		return false
	}
}

// beat reports progress at most every BeatEvery, and at least that often.
type beat struct {
	mu     sync.Mutex
	what   string
	share  float64
	gone   error // why the work is not to go on
	stopIt chan struct{}
	ended  chan struct{}
}

func newBeat(store Store, c Claim, cancel, enough func()) *beat {
	b := &beat{stopIt: make(chan struct{}), ended: make(chan struct{})}
	go func() {
		defer close(b.ended)
		tick := time.NewTicker(BeatEvery / 4)
		defer tick.Stop()
		last, sent := time.Time{}, ""
		for {
			select {
			case <-b.stopIt:
				return
			case <-tick.C:
			}
			b.mu.Lock()
			what, share := b.what, b.share
			b.mu.Unlock()
			if what == sent && time.Since(last) < BeatEvery {
				continue
			}
			last, sent = time.Now(), what
			ctx, done := context.WithTimeout(context.Background(), 5*time.Second)
			stop, err := store.Beat(ctx, c, what, share)
			done()
			if err == nil && stop {
				enough()
			}
			// Cancelled, taken over, or begun on what is no longer the newest state: its result could not be kept.
			if stale := (StaleError{}); errors.Is(err, ErrNotFound) || errors.As(err, &stale) {
				b.mu.Lock()
				b.gone = err
				b.mu.Unlock()
				cancel()
				return
			}
		}
	}()
	return b
}

func (b *beat) progress(what string, share float64) {
	b.mu.Lock()
	b.what, b.share = what, share
	b.mu.Unlock()
}

func (b *beat) stop() {
	close(b.stopIt)
	<-b.ended
}

// lost is ErrNotFound or StaleError when a beat was told that the work is not to go on.
func (b *beat) lost() error {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.gone
}
