package web

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"strings"

	"wisemarrow/formats/reading"
	"wisemarrow/studio"
)

// sentence is what an error says, with a capital and a period.
func sentence(err error) string {
	text := err.Error()
	return strings.ToUpper(text[:1]) + text[1:] + "."
}

// status returns the HTTP status of an error and what to tell a person. What was too
// large stays so however it was wrapped on the way.
func status(err error) (int, string) {
	var stale studio.StaleError
	var tooLarge *http.MaxBytesError
	switch {
	case errors.Is(err, errKeyElsewhere):
		return http.StatusConflict, sentence(err)
	case errors.As(err, &stale):
		return http.StatusConflict, err.Error()
	case errors.Is(err, studio.ErrUnknown):
		return http.StatusServiceUnavailable, "The database went away while it stored this, and whether it did is not known yet. The page shows it when the database is back."
	case errors.Is(err, studio.ErrFull):
		return http.StatusInsufficientStorage, "The disk of the database is full. Nothing was changed, and nothing that was stored is lost. Make room on it, or ask whoever runs the server to, then do this again."
	case errors.Is(err, studio.ErrDown):
		return http.StatusServiceUnavailable, "The database cannot be reached. Nothing was changed; try again in a moment. If it stays away, whoever runs the server has to start it (`make db` starts the project's own)."
	case errors.Is(err, errSignedOut):
		return http.StatusUnauthorized, "You are not signed in any more. Open the sign-in page in another tab, then do this again."
	case errors.Is(err, errMayNot):
		return http.StatusForbidden, sentence(err)
	case errors.Is(err, errNoSpool):
		return http.StatusInsufficientStorage, sentence(err)
	case errors.Is(err, errBusy):
		return http.StatusServiceUnavailable, err.Error()
	case errors.Is(err, errSlow):
		return http.StatusRequestTimeout, errSlow.Error()
	case errors.As(err, &tooLarge), errors.Is(err, reading.ErrTooLarge):
		return http.StatusRequestEntityTooLarge, err.Error()
	case studio.IsInput(err):
		return http.StatusUnprocessableEntity, err.Error()
	case errors.Is(err, studio.ErrNotFound):
		return http.StatusNotFound, "Not found. It may have been removed, or the address is wrong."
	}
	return http.StatusInternalServerError, "Something went wrong on our side. Nothing was changed. The log of the server has the details."
}

// logged is the status of an error of a request and what to tell of it; what is our own fault is logged.
func (s *site) logged(r *http.Request, err error) (int, string) {
	code, text := status(err)
	if code == http.StatusInternalServerError {
		var broken *studio.BrokenError
		if errors.As(err, &broken) {
			slog.Error("operation broke off", "path", r.URL.Path, "panic", broken.Panic, "stack", broken.Stack)
			text = err.Error()
		} else {
			slog.Error("request failed", "path", r.URL.Path, "error", err)
		}
	}
	return code, text
}

// problem answers with an error: JSON under /api, a page elsewhere. A request that
// its sender has given up is no problem of ours.
func (s *site) problem(w http.ResponseWriter, r *http.Request, err error) {
	if errors.Is(err, context.Canceled) && r.Context().Err() != nil {
		return
	}
	code, text := s.logged(r, err)
	if plain(r) {
		var stale studio.StaleError
		body := map[string]any{"error": text}
		if errors.As(err, &stale) {
			body["head"] = stale.Head
		}
		if errors.Is(err, studio.ErrUnknown) {
			body["unknown"] = true // ask again with the same key
		}
		answer(w, code, body)
		return
	}
	w.WriteHeader(code)
	s.pages.render(w, r, "problem", map[string]any{"Code": code, "Text": text})
}

// plain reports whether a request is a program's, which reads JSON, and no person's.
func plain(r *http.Request) bool {
	p := r.URL.Path
	return strings.HasPrefix(p, "/api/") || strings.HasPrefix(p, "/view/") || p == "/healthz" || p == "/readyz"
}
