package web

import (
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"net/url"
	"strings"

	"wisemarrow/formats/reading"
	"wisemarrow/studio"
)

// answer writes v as JSON.
func answer(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v)
}

// status returns the HTTP status of an error and what to tell a person.
func status(err error) (int, string) {
	var stale studio.ErrStale
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &stale):
		return http.StatusConflict, err.Error()
	case errors.Is(err, studio.ErrNotFound):
		return http.StatusNotFound, "This is not here. It may have been removed, or the address is mistyped."
	case errors.Is(err, studio.ErrDown):
		return http.StatusServiceUnavailable, "The database cannot be reached. Nothing was changed; try again in a moment."
	case errors.As(err, &tooLarge), errors.Is(err, reading.ErrTooLarge):
		return http.StatusRequestEntityTooLarge, err.Error()
	case studio.IsInput(err):
		return http.StatusUnprocessableEntity, err.Error()
	}
	return http.StatusInternalServerError, "Something went wrong here, and it is not your doing. Nothing was changed. The log of the server has the details."
}

// problem answers with an error: JSON under /api, a page elsewhere.
func (s *site) problem(w http.ResponseWriter, r *http.Request, err error) {
	code, text := status(err)
	if code == http.StatusInternalServerError {
		slog.Error("request failed", "path", r.URL.Path, "error", err)
	}
	if strings.HasPrefix(r.URL.Path, "/api/") || strings.HasPrefix(r.URL.Path, "/view/") || r.URL.Path == "/healthz" {
		var stale studio.ErrStale
		body := map[string]any{"error": text}
		if errors.As(err, &stale) {
			body["head"] = stale.Head
		}
		answer(w, code, body)
		return
	}
	w.WriteHeader(code)
	s.pages.render(w, r, "problem", map[string]any{"Code": code, "Text": text})
}

// read decodes a small JSON body.
func read(w http.ResponseWriter, r *http.Request, into any) error {
	d := json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<20))
	if err := d.Decode(into); err != nil {
		return studio.ErrInput{What: "the request cannot be read: " + err.Error()}
	}
	return nil
}

const authorCookie = "wisemarrow_author"

// author returns the name that this browser works under.
func author(r *http.Request) string {
	if c, err := r.Cookie(authorCookie); err == nil {
		name, err := url.PathUnescape(c.Value) // a cookie holds ASCII alone
		if name = cleanName(name); err == nil && name != "" {
			return name
		}
	}
	return "Rigger"
}

func cleanName(s string) string {
	s = strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' || r == ';' || r == '"' || r == '\\' || r == ',' {
			return -1
		}
		return r
	}, s))
	if runes := []rune(s); len(runes) > 60 {
		s = string(runes[:60])
	}
	return s
}

func (s *site) setAuthor(w http.ResponseWriter, r *http.Request) {
	var body struct {
		Name string `json:"name"`
	}
	if err := read(w, r, &body); err != nil {
		s.problem(w, r, err)
		return
	}
	http.SetCookie(w, &http.Cookie{Name: authorCookie, Value: url.PathEscape(cleanName(body.Name)), Path: "/", MaxAge: 365 * 86400, HttpOnly: true, SameSite: http.SameSiteLaxMode})
	answer(w, http.StatusOK, map[string]string{"name": cleanName(body.Name)})
}

func (s *site) health(w http.ResponseWriter, r *http.Request) {
	if err := s.ping(r.Context()); err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, map[string]string{"state": "well"})
}
