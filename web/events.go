package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"wisemarrow/studio"
)

// How often a stream tells its news at most, and how long it is silent before it
// shows that it is there.
const (
	newsEvery  = 100 * time.Millisecond
	silentUpTo = 15 * time.Second
)

// events streams the head and the open work of a character as server-sent events
// whenever the database tells that they have changed.
func (s *site) events(w http.ResponseWriter, r *http.Request) {
	id := param(r, "id")
	if _, err := s.studio.Store().Character(r.Context(), id); err != nil {
		s.problem(w, r, err)
		return
	}
	ear, end := s.studio.Watch(id)
	defer end()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	out := http.NewResponseController(w)
	last := ""
	quiet := time.NewTicker(silentUpTo)
	defer quiet.Stop()
	for {
		text := ": still here\n\n"
		if body := s.news(r, id); body != last {
			text, last = fmt.Sprintf("data: %s\n\n", body), body
		}
		if _, err := fmt.Fprint(w, text); err != nil {
			return
		}
		if err := out.Flush(); err != nil {
			return
		}
		select {
		case <-r.Context().Done():
			return
		case <-quiet.C:
			continue
		case <-ear:
		}
		select { // several changes in a row are told together
		case <-r.Context().Done():
			return
		case <-time.After(newsEvery):
		}
	}
}

// news is the head and the open work of a character, or what is the trouble.
func (s *site) news(r *http.Request, id string) string {
	c, err := s.studio.Store().Character(r.Context(), id)
	var works []studio.Work
	if err == nil {
		works, err = s.studio.Store().OpenWork(r.Context(), id)
	}
	var body []byte
	if err == nil {
		body, err = json.Marshal(map[string]any{"head": c.Head, "works": works})
	}
	if err != nil {
		_, text := status(err)
		body, _ = json.Marshal(map[string]any{"trouble": text}) // a string is always JSON
	}
	return string(body)
}
