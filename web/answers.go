package web

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"strings"
	"unicode/utf8"

	"wisemarrow/formats/reading"
	"wisemarrow/studio"
)

// answer writes v as JSON. It is encoded before the header is written, so that an
// answer is whole or an error.
func answer(w http.ResponseWriter, status int, v any) {
	var buf bytes.Buffer
	if err := json.NewEncoder(&buf).Encode(v); err != nil {
		slog.Error("answer cannot be written", "error", err)
		buf.Reset()
		status = http.StatusInternalServerError
		buf.WriteString(`{"error":"The answer could not be written. Nothing was changed by asking. The log of the server has the details."}`)
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_, _ = w.Write(buf.Bytes())
}

// status returns the HTTP status of an error and what to tell a person. What was too
// large stays so however it was wrapped on the way.
func status(err error) (int, string) {
	var stale studio.ErrStale
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &stale):
		return http.StatusConflict, err.Error()
	case errors.Is(err, studio.ErrDown):
		return http.StatusServiceUnavailable, "The database cannot be reached. Nothing was changed; try again in a moment."
	case errors.As(err, &tooLarge), errors.Is(err, reading.ErrTooLarge):
		return http.StatusRequestEntityTooLarge, err.Error()
	case studio.IsInput(err):
		return http.StatusUnprocessableEntity, err.Error()
	case errors.Is(err, studio.ErrNotFound):
		return http.StatusNotFound, "This is not here. It may have been removed, or the address is mistyped."
	}
	return http.StatusInternalServerError, "Something went wrong here, and it is not your doing. Nothing was changed. The log of the server has the details."
}

// problem answers with an error: JSON under /api, a page elsewhere. A request that
// its sender has given up is no problem of ours.
func (s *site) problem(w http.ResponseWriter, r *http.Request, err error) {
	if errors.Is(err, context.Canceled) && r.Context().Err() != nil {
		return
	}
	code, text := status(err)
	if code == http.StatusInternalServerError {
		var broken *studio.Broken
		if errors.As(err, &broken) {
			slog.Error("operation broke off", "path", r.URL.Path, "panic", broken.Panic, "stack", broken.Stack)
			text = err.Error()
		} else {
			slog.Error("request failed", "path", r.URL.Path, "error", err)
		}
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

// read decodes a small JSON body. A NUL, which no name may have and the database
// refuses, is told like other mistakes.
func read(w http.ResponseWriter, r *http.Request, into any) error {
	var buf bytes.Buffer
	if _, err := buf.ReadFrom(http.MaxBytesReader(w, r.Body, 1<<20)); err != nil {
		return studio.Wrong("the request cannot be read: %v", err)
	}
	if bytes.Contains(buf.Bytes(), []byte(`\u0000`)) || !utf8.Valid(buf.Bytes()) {
		return studio.ErrInput{What: "the request has a character that no text may have: type it anew"}
	}
	if err := json.Unmarshal(buf.Bytes(), into); err != nil {
		return studio.ErrInput{What: "the request cannot be read: " + studio.Plain(err)}
	}
	return nil
}

func (s *site) health(w http.ResponseWriter, r *http.Request) {
	if err := s.ping(r.Context()); err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, map[string]string{"state": "well"})
}
