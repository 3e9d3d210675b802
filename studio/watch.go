package studio

import "sync"

// hub tells those who look at a character that something about it has changed.
type hub struct {
	mu   sync.Mutex
	ears map[string]map[chan struct{}]bool // by character
}

// Watch returns a channel that gets a word whenever the head or the work of one of the
// characters may have changed, and what ends that. Words that nobody has taken yet
// become one.
func (x *Studio) Watch(characters ...string) (<-chan struct{}, func()) {
	ear := make(chan struct{}, 1)
	x.hub.mu.Lock()
	defer x.hub.mu.Unlock()
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
