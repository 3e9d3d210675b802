package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"wisemarrow/studio"
)

type request struct {
	Op     string          `json:"op"`
	Params json.RawMessage `json:"params"`
	Base   int64           `json:"base"`
}

// operate applies an operation. 200 has the new revision, 202 the work that it
// became; 409 tells that someone else was faster.
func (s *site) operate(w http.ResponseWriter, r *http.Request) {
	var q request
	if err := read(w, r, &q); err != nil {
		s.problem(w, r, err)
		return
	}
	rev, work, err := s.studio.Do(r.Context(), param(r, "id"), q.Base, q.Op, q.Params, author(r))
	switch {
	case err != nil:
		s.problem(w, r, err)
	case work != nil:
		answer(w, http.StatusAccepted, map[string]any{"work": work})
	default:
		answer(w, http.StatusOK, map[string]any{"revision": rev})
	}
}

func (s *site) undo(w http.ResponseWriter, r *http.Request) {
	var q request
	if err := read(w, r, &q); err != nil {
		s.problem(w, r, err)
		return
	}
	rev, err := s.studio.Undo(r.Context(), param(r, "id"), q.Base)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, map[string]any{"revision": rev})
}

func (s *site) redo(w http.ResponseWriter, r *http.Request) {
	var q request
	if err := read(w, r, &q); err != nil {
		s.problem(w, r, err)
		return
	}
	rev, err := s.studio.Redo(r.Context(), param(r, "id"), q.Base)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, map[string]any{"revision": rev})
}

func (s *site) cancelWork(w http.ResponseWriter, r *http.Request) {
	work, err := s.studio.Store().CancelWork(r.Context(), param(r, "work"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, work)
}

// events streams the head and the open work of a character as server-sent
// events, whenever they change.
func (s *site) events(w http.ResponseWriter, r *http.Request) {
	id := param(r, "id")
	if _, err := s.studio.Store().Character(r.Context(), id); err != nil {
		s.problem(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	out := http.NewResponseController(w)
	tick := time.NewTicker(300 * time.Millisecond)
	defer tick.Stop()
	last, quiet := "", time.Now()
	for {
		var body []byte
		c, err := s.studio.Store().Character(r.Context(), id)
		var works []studio.Work
		if err == nil {
			works, err = s.studio.Store().OpenWork(r.Context(), id)
		}
		if err == nil {
			body, err = json.Marshal(map[string]any{"head": c.Head, "works": works})
		}
		if err != nil {
			_, text := status(err)
			body, _ = json.Marshal(map[string]any{"trouble": text})
		}
		if text := string(body); text != last {
			last, quiet = text, time.Now()
			if _, err := fmt.Fprintf(w, "data: %s\n\n", text); err != nil {
				return
			}
		} else if time.Since(quiet) > 15*time.Second {
			quiet = time.Now()
			if _, err := fmt.Fprint(w, ": still here\n\n"); err != nil {
				return
			}
		}
		if err := out.Flush(); err != nil {
			return
		}
		select {
		case <-r.Context().Done():
			return
		case <-tick.C:
		}
	}
}
