package studio

import (
	"maps"
	"sync"
)

// hub tells those who look at a character that something about it has changed.
type hub struct {
	mu   sync.Mutex
	ears map[string]map[chan struct{}]bool // by character
	over bool
}

// Watch returns a channel that gets a word whenever the head or the work of one of the
// characters may have changed, and what ends that. Words that nobody has taken yet
// become one. The channel is closed when the process stops (EndWatch).
func (x *Studio) Watch(characters ...string) (<-chan struct{}, func()) {
	ear := make(chan struct{}, 1)
	x.hub.mu.Lock()
	defer x.hub.mu.Unlock()
	if x.hub.over {
		close(ear)
		return ear, func() {}
	}
	if x.hub.ears == nil {
		x.hub.ears = map[string]map[chan struct{}]bool{}
	}
	for _, id := range characters {
		if x.hub.ears[id] == nil {
			x.hub.ears[id] = map[chan struct{}]bool{}
		}
		x.hub.ears[id][ear] = true
	}
	return ear, func() {
		x.hub.mu.Lock()
		defer x.hub.mu.Unlock()
		for _, id := range characters {
			delete(x.hub.ears[id], ear)
			if len(x.hub.ears[id]) == 0 {
				delete(x.hub.ears, id)
			}
		}
	}
}

// Wake tells those who watch a character, or with "" all.
func (x *Studio) Wake(character string) {
	x.hub.mu.Lock()
	defer x.hub.mu.Unlock()
	for id, ears := range x.hub.ears {
		if character != "" && id != character {
			continue
		}
		for ear := range ears {
			select {
			case ear <- struct{}{}:
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
	for _, ears := range x.hub.ears {
		maps.Copy(all, ears)
	}
	for ear := range all {
		close(ear)
	}
	x.hub.ears, x.hub.over = nil, true
}
