package web

import (
	"bytes"
	"encoding/json"
	"log/slog"
	"net/http"
	"unicode/utf8"

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
		buf.WriteString(`{"error":"The reply could not be sent; nothing was changed. The log of the server has the details."}`)
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_, _ = w.Write(buf.Bytes())
}

// read decodes a small JSON body. A NUL, which no name may have and the database
// refuses, is told like other mistakes.
func read(w http.ResponseWriter, r *http.Request, into any) error {
	var buf bytes.Buffer
	if _, err := buf.ReadFrom(http.MaxBytesReader(w, r.Body, 1<<20)); err != nil {
		return unread(err, "%d bytes, which no operation needs", 1<<20)
	}
	if bytes.Contains(buf.Bytes(), []byte(`\u0000`)) || !utf8.Valid(buf.Bytes()) {
		return studio.InputError{What: "the request contains an invalid character: type it again"}
	}
	if err := json.Unmarshal(buf.Bytes(), into); err != nil {
		return studio.InputError{What: "the request cannot be read: " + studio.Plain(err)}
	}
	return nil
}

// alive answers as long as the process does; ready when it can do its work.
func (s *site) alive(w http.ResponseWriter, _ *http.Request) {
	answer(w, http.StatusOK, map[string]string{"state": "well"})
}

func (s *site) ready(w http.ResponseWriter, r *http.Request) {
	if err := s.ping(r.Context()); err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, map[string]string{"state": "ready"})
}
