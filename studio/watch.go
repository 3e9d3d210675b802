package studio

import "sync"

// hub tells those who look at a character that something about it has changed.
type hub struct {
	mu   sync.Mutex
	ears map[string]map[chan struct{}]bool // by character
}

// Watch returns a channel that gets a word whenever the head or the work of a
// character may have changed, and what ends that. Words that nobody has taken yet
// become one.
func (x *Studio) Watch(character string) (<-chan struct{}, func()) {
	ear := make(chan struct{}, 1)
	x.hub.mu.Lock()
	defer x.hub.mu.Unlock()
	if x.hub.ears == nil {
		x.hub.ears = map[string]map[chan struct{}]bool{}
	}
	if x.hub.ears[character] == nil {
		x.hub.ears[character] = map[chan struct{}]bool{}
	}
	x.hub.ears[character][ear] = true
	return ear, func() {
		x.hub.mu.Lock()
		defer x.hub.mu.Unlock()
		delete(x.hub.ears[character], ear)
		if len(x.hub.ears[character]) == 0 {
			delete(x.hub.ears, character)
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
