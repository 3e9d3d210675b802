package studio

import (
	"maps"
	"sync"
)

// hub tells those who look at a character that something about it has changed.
type hub struct {
	mu       sync.Mutex
	watchers map[string]map[*Watcher]bool // by character
	over     bool
}

// Watcher hears of some characters.
type Watcher struct {
	// C gets a word whenever the head or the work of one of the characters may have changed; words that nobody
	// has taken yet become one. It is closed when the process stops (EndWatch).
	C <-chan struct{}

	c       chan struct{}
	hub     *hub
	ids     []string
	changed map[string]bool // since Changed
}

// Changed returns the characters that may have changed since the last time.
func (w *Watcher) Changed() map[string]bool {
	w.hub.mu.Lock()
	defer w.hub.mu.Unlock()
	out := w.changed
	w.changed = map[string]bool{}
	return out
}

// Stop ends the watching.
func (w *Watcher) Stop() {
	w.hub.mu.Lock()
	defer w.hub.mu.Unlock()
	for _, id := range w.ids {
		delete(w.hub.watchers[id], w)
		if len(w.hub.watchers[id]) == 0 {
			delete(w.hub.watchers, id)
		}
	}
}

// Watch returns who hears of some characters, until it is stopped.
func (x *Studio) Watch(characters ...string) *Watcher {
	c := make(chan struct{}, 1)
	w := &Watcher{C: c, c: c, hub: &x.hub, ids: characters, changed: map[string]bool{}}
	x.hub.mu.Lock()
	defer x.hub.mu.Unlock()
	if x.hub.over {
		close(c)
		return w
	}
	if x.hub.watchers == nil {
		x.hub.watchers = map[string]map[*Watcher]bool{}
	}
	for _, id := range characters {
		if x.hub.watchers[id] == nil {
			x.hub.watchers[id] = map[*Watcher]bool{}
		}
		x.hub.watchers[id][w] = true
	}
	return w
}

// Wake tells those who watch a character, or with "" all.
func (x *Studio) Wake(character string) {
	x.hub.mu.Lock()
	defer x.hub.mu.Unlock()
	for id, watchers := range x.hub.watchers {
		if character != "" && id != character {
			continue
		}
		for w := range watchers {
			w.changed[id] = true
			select {
			case w.c <- struct{}{}:
			default: // it has a word already
			}
		}
	}
}

// EndWatch sends away all who watch, so that the process can stop.
func (x *Studio) EndWatch() {
	x.hub.mu.Lock()
	defer x.hub.mu.Unlock()
	all := map[*Watcher]bool{}
	for _, watchers := range x.hub.watchers {
		maps.Copy(all, watchers)
	}
	for w := range all {
		close(w.c)
	}
	x.hub.watchers, x.hub.over = nil, true
}
