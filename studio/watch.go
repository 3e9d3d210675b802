package studio

import (
	"maps"
	"sync"
)

// hub tells those who look at a character that something about it has changed.
type hub struct {
	mu       sync.Mutex
	watchers map[string]map[chan struct{}]bool // by character
	over     bool
}

// Watch returns a channel that gets a word whenever the head or the work of one of the
// characters may have changed, and what ends that. Words that nobody has taken yet
// become one. The channel is closed when the process stops (EndWatch).
func (x *Studio) Watch(characters ...string) (<-chan struct{}, func()) {
	told := make(chan struct{}, 1)
	x.hub.mu.Lock()
	defer x.hub.mu.Unlock()
	if x.hub.over {
		close(told)
		return told, func() {}
	}
	if x.hub.watchers == nil {
		x.hub.watchers = map[string]map[chan struct{}]bool{}
	}
	for _, id := range characters {
		if x.hub.watchers[id] == nil {
			x.hub.watchers[id] = map[chan struct{}]bool{}
		}
		x.hub.watchers[id][told] = true
	}
	return told, func() {
		x.hub.mu.Lock()
		defer x.hub.mu.Unlock()
		for _, id := range characters {
			delete(x.hub.watchers[id], told)
			if len(x.hub.watchers[id]) == 0 {
				delete(x.hub.watchers, id)
			}
		}
	}
}

// Wake tells those who watch a character, or with "" all.
func (x *Studio) Wake(character string) {
	x.hub.mu.Lock()
	defer x.hub.mu.Unlock()
	for id, watchers := range x.hub.watchers {
		if character != "" && id != character {
			continue
		}
		for told := range watchers {
			select {
			case told <- struct{}{}:
			default: // it has a word already
			}
		}
	}
}

// EndWatch sends away all who watch, so that the process can stop.
func (x *Studio) EndWatch() {
	x.hub.mu.Lock()
	defer x.hub.mu.Unlock()
	all := map[chan struct{}]bool{}
	for _, watchers := range x.hub.watchers {
		maps.Copy(all, watchers)
	}
	for told := range all {
		close(told)
	}
	x.hub.watchers, x.hub.over = nil, true
}
