package web

import (
	"encoding/json"
	"net/http"

	"wisemarrow/studio"
)

// request is a change that a page asks for.
type request struct {
	Op        string          `json:"op"`
	Params    json.RawMessage `json:"params"`
	Base      int64           `json:"base"`
	Stage     string          `json:"stage"`     // whose panel goes along with the answer
	Confirmed bool            `json:"confirmed"` // what would be lost was told
}

// operate applies an operation. 200 has the new revision and what it changed, 202
// the work that it became; 409 tells that someone else was faster; 428 what of later
// work would be lost, and that it has to be confirmed.
func (s *site) operate(w http.ResponseWriter, r *http.Request) {
	var q request
	if err := read(w, r, &q); err != nil {
		s.problem(w, r, err)
		return
	}
	id := param(r, "id")
	if !q.Confirmed {
		loses, err := s.studio.Loses(r.Context(), id, q.Base, q.Op, q.Params)
		if err != nil {
			s.problem(w, r, err)
			return
		}
		if loses != "" {
			answer(w, http.StatusPreconditionRequired, map[string]any{"error": loses, "loses": loses})
			return
		}
	}
	rev, work, err := s.studio.Do(r.Context(), id, q.Base, q.Op, q.Params, author(r))
	switch {
	case err != nil:
		s.problem(w, r, err)
	case work != nil:
		answer(w, http.StatusAccepted, map[string]any{"work": work})
	default:
		s.changed(w, r, q, rev)
	}
}

// changed answers with a revision and what is other at it than at the base.
func (s *site) changed(w http.ResponseWriter, r *http.Request, q request, rev studio.Revision) {
	c, err := s.studio.Store().Character(r.Context(), param(r, "id"))
	var before *opened
	var state *studio.State
	if err == nil {
		before, err = s.earlier(r.Context(), c, q.Base)
	}
	if err == nil {
		state, err = s.studio.Load(r.Context(), rev)
	}
	var shown map[string]any
	if err == nil {
		shown, err = s.shown(r.Context(), opened{c, rev, state}, before, q.Stage)
	}
	rev.Params = nil // they are the page's own
	if err != nil {
		// The change is stored; what it shows can be asked for again.
		answer(w, http.StatusOK, map[string]any{"revision": rev})
		return
	}
	answer(w, http.StatusOK, map[string]any{"revision": rev, "state": shown})
}

func (s *site) undo(w http.ResponseWriter, r *http.Request) {
	var q request
	err := read(w, r, &q)
	var rev studio.Revision
	if err == nil {
		rev, err = s.studio.Undo(r.Context(), param(r, "id"), q.Base)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	s.changed(w, r, q, rev)
}

func (s *site) redo(w http.ResponseWriter, r *http.Request) {
	var q request
	err := read(w, r, &q)
	var rev studio.Revision
	if err == nil {
		rev, err = s.studio.Redo(r.Context(), param(r, "id"), q.Base)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	s.changed(w, r, q, rev)
}

// preview tells what an operation would do, and changes nothing.
func (s *site) preview(w http.ResponseWriter, r *http.Request) {
	var q request
	if err := read(w, r, &q); err != nil {
		s.problem(w, r, err)
		return
	}
	p, err := s.studio.Preview(r.Context(), param(r, "id"), q.Op, q.Params)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, p)
}

func (s *site) cancelWork(w http.ResponseWriter, r *http.Request) {
	work, err := s.studio.Store().CancelWork(r.Context(), param(r, "work"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, work)
}

// known is an operation of the registry as a page offers it.
type known struct {
	Name  string `json:"name"`
	Label string `json:"label"`
	Stage string `json:"stage"`
	Words string `json:"words"`
	Key   string `json:"key,omitempty"`
	From  string `json:"from,omitempty"`
}

func operations() []known {
	var out []known
	for _, e := range studio.Operations() {
		out = append(out, known{e.Name, e.Label, e.Stage, e.Words, e.Key, e.From})
	}
	return out
}
