package web

import (
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"wisemarrow/studio"
)

// How often a stream tells its news at most, how long it is silent before it shows
// that it is there, and of how many characters it tells.
const (
	newsEvery   = 100 * time.Millisecond
	silentUpTo  = 15 * time.Second
	mostWatched = 40
	watchedFor  = 5 * time.Minute // where people sign in
)

// events streams the heads and the open work of the characters that are asked for, as
// server-sent events, whenever the database tells that they have changed. A browser
// has one such stream for all its tabs: it has six connections to a server, and each
// stream keeps one.
func (s *site) events(w http.ResponseWriter, r *http.Request) {
	ids := r.URL.Query()["character"]
	if len(ids) == 0 || len(ids) > mostWatched {
		s.problem(w, r, studio.Wrong("a stream tells of 1 to %d characters, not of %d", mostWatched, len(ids)))
		return
	}
	watcher := s.studio.Watch(ids...)
	defer watcher.Stop()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(http.StatusOK)
	out := http.NewResponseController(w)
	last := map[string]string{}
	quiet := time.NewTicker(silentUpTo)
	defer quiet.Stop()
	var end <-chan time.Time
	if s.access != nil {
		end = time.After(watchedFor)
	}
	for {
		text, changed := "", watcher.Changed()
		for _, id := range ids {
			// Also what is as it was told last: a change and its undo may lie between, and a page that made the
			// change knows of that alone.
			if body := s.news(r, id); changed[id] || body != last[id] {
				text, last[id] = text+fmt.Sprintf("data: %s\n\n", body), body
			}
		}
		if text == "" {
			text = ": still here\n\n"
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
		case <-end: // the browser asks again, if it still may
			return
		case _, on := <-watcher.C:
			if !on {
				return // this server stops; the browser asks again
			}
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
	c, err := s.studio.Character(r.Context(), id)
	var works []studio.Work
	if err == nil {
		works, err = s.studio.OpenWork(r.Context(), id)
	}
	var body []byte
	if err == nil {
		body, err = json.Marshal(map[string]any{"character": id, "head": c.Head, "works": works})
	}
	if err != nil {
		_, text := status(err)
		body, _ = json.Marshal(map[string]any{"character": id, "trouble": text}) // strings are always JSON
	}
	return string(body)
}
