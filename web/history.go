package web

import (
	"bytes"
	"context"
	"mime"
	"net/http"
	"strconv"

	"wisemarrow/stages/handoff"
	"wisemarrow/studio"
)

// historyPage is how many revisions one answer has.
const historyPage = 50

// history answers with a page of revisions, newest first; before is the one that the
// page before ended with.
func (s *site) history(w http.ResponseWriter, r *http.Request) {
	before, _ := strconv.ParseInt(r.URL.Query().Get("before"), 10, 64) // none begins at the newest
	list, err := s.studio.History(r.Context(), param(r, "id"), before, historyPage)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	more := len(list) > 0 && list[len(list)-1].Parent != 0
	answer(w, http.StatusOK, map[string]any{"revisions": list, "more": more})
}

// script sends what was done to a character as a script, to be run on other files.
func (s *site) script(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	var buf bytes.Buffer
	if err == nil {
		err = s.studio.WriteScript(r.Context(), &buf, o.ID, o.rev.ID, r.URL.Query().Get("whole") == "1")
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	attach(w, handoff.FileName(o.Name, "jsonl"), buf.Bytes())
}

// then is a character as it was at an earlier revision.
func (s *site) then(ctx context.Context, o opened, at string) (opened, error) {
	id, err := strconv.ParseInt(at, 10, 64)
	if err != nil {
		return o, studio.ErrNotFound
	}
	before, err := s.earlier(ctx, o.Character, id)
	if err != nil {
		return o, err
	}
	if before == nil {
		return o, studio.ErrNotFound
	}
	return *before, nil
}

func attach(w http.ResponseWriter, name string, data []byte) {
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name})) // RFC 6266
	_, _ = w.Write(data)
}
