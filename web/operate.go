package web

import (
	"context"
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
	Key       string          `json:"key"`       // of this change: it is done once
	Again     bool            `json:"again"`     // it was sent before, and not answered
	Panel     string          `json:"panel"`     // the id of the panel that the page has
}

// losesError is what of later work a change would lose, not confirmed yet.
type losesError struct{ what string }

func (e losesError) Error() string { return e.what }

// operate applies an operation. 200 has the new revision and what it changed, 202
// the work that it became; 409 tells that someone else was faster; 428 what of later
// work would be lost, and that it has to be confirmed.
func (s *site) operate(w http.ResponseWriter, r *http.Request) {
	s.change(w, r, func(ctx context.Context, q request) (studio.Revision, *studio.Work, error) {
		id := param(r, "id")
		if !q.Confirmed {
			loses, err := s.studio.Loses(ctx, id, q.Base, q.Op, q.Params)
			if err == nil && loses != "" {
				err = losesError{loses}
			}
			if err != nil {
				return studio.Revision{}, nil, err
			}
		}
		return s.studio.Do(ctx, id, q.Base, q.Op, q.Params, author(r))
	})
}

// changed answers with a revision and what is other at it than at the base.
func (s *site) changed(w http.ResponseWriter, r *http.Request, q request, rev studio.Revision) {
	ctx, id := r.Context(), param(r, "id")
	c, err := seldom(s.panels, "character "+id, func() (studio.Character, error) { return s.studio.Character(ctx, id) })
	var before *opened
	var state *studio.State
	if err == nil {
		before, err = s.earlier(ctx, c, q.Base)
	}
	if err == nil {
		state, err = s.studio.Load(ctx, rev)
	}
	var shown map[string]any
	if err == nil {
		shown, err = s.shown(ctx, opened{c, rev, state}, before, look{stage: q.Stage, panel: q.Panel, made: q.Op != "" && !q.Again})
	}
	rev.Params = nil // they are the page's own
	if err != nil {
		// The change is stored; what it shows can be asked for again.
		answer(w, http.StatusOK, map[string]any{"revision": rev})
		return
	}
	answer(w, http.StatusOK, map[string]any{"revision": rev, "state": shown})
}

func (s *site) undo(w http.ResponseWriter, r *http.Request) { s.step(w, r, s.studio.Undo) }
func (s *site) redo(w http.ResponseWriter, r *http.Request) { s.step(w, r, s.studio.Redo) }

func (s *site) step(
	w http.ResponseWriter,
	r *http.Request,
	to func(ctx context.Context, character string, base int64) (studio.Revision, error),
) {
	s.change(w, r, func(ctx context.Context, q request) (studio.Revision, *studio.Work, error) {
		rev, err := to(ctx, param(r, "id"), q.Base)
		return rev, nil, err
	})
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
	work, err := s.studio.CancelWork(r.Context(), param(r, "work"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, work)
}

// stopWork asks a work to end with the best that it has.
func (s *site) stopWork(w http.ResponseWriter, r *http.Request) {
	work, err := s.studio.StopWork(r.Context(), param(r, "work"))
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
	Keeps bool   `json:"keeps,omitempty"`
	// Fields are what it takes, as far as a page fills it from what is selected and from the fields of a form.
	Fields []fillable `json:"fields"`
}

type fillable struct {
	Name     string      `json:"name"`
	Kind     studio.Kind `json:"kind"`
	Optional bool        `json:"optional,omitempty"`
	Count    int         `json:"count,omitempty"`
}

// described is an operation as the interface describes it: what POST …/ops takes.
type described struct {
	Name   string         `json:"name"`
	Label  string         `json:"label"`
	Stage  string         `json:"stage"`
	Needs  []studio.Need  `json:"needs"`
	Fields []studio.Field `json:"fields"`
}

// describe answers with every operation, its parameters and their bounds.
func (s *site) describe(w http.ResponseWriter, _ *http.Request) {
	all := studio.Operations()
	out := make([]described, len(all))
	for i, e := range all {
		out[i] = described{e.Name, e.Label, e.Stage, e.Needs, e.Fields()}
	}
	answer(w, http.StatusOK, out)
}

func operations() []known {
	var out []known
	for _, e := range studio.Operations() {
		out = append(out, knownOf(e))
	}
	return out
}

func knownOf(e studio.Entry) known {
	out := known{e.Name, e.Label, e.Stage, e.Words, e.Key, e.From, e.Keeps, []fillable{}}
	for _, f := range e.Fields() {
		out.Fields = append(out.Fields, fillable{f.Name, f.Kind, f.Optional, f.Count})
	}
	return out
}
