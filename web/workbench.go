package web

import (
	"bytes"
	"context"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/formats"
	"wisemarrow/stages/intake"
	"wisemarrow/stages/placement"
	"wisemarrow/stages/weights"
	"wisemarrow/studio"

	"github.com/go-chi/chi/v5"
)

func param(r *http.Request, name string) string { return chi.URLParam(r, name) }

// opened is a character at a revision: its head, unless said otherwise.
type opened struct {
	studio.Character
	rev   studio.Revision
	state *studio.State
}

func (s *site) open(ctx context.Context, id string) (opened, error) {
	c, rev, state, err := s.studio.Head(ctx, id)
	return opened{c, rev, state}, err
}

// toStage leads to the first stage that has something to do.
func (s *site) toStage(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	var review *studio.Review
	if err == nil {
		review, err = s.studio.ReviewSoon(r.Context(), o.rev)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	stage := review.Stages[len(review.Stages)-1].Name
	for _, st := range review.Stages {
		if st.State != "clear" {
			stage = st.Name
			break
		}
	}
	http.Redirect(w, r, "/characters/"+o.ID+"/"+stage, http.StatusSeeOther)
}

func (s *site) workbench(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err == nil && !studio.IsStage(param(r, "stage")) {
		err = studio.ErrNotFound
	}
	var review *studio.Review
	if err == nil {
		review, err = s.studio.ReviewSoon(r.Context(), o.rev)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	s.pages.render(
		w,
		r,
		"workbench",
		map[string]any{"Character": o.Character, "Stage": param(r, "stage"), "Stages": review.Stages, "Weights": o.state.Weights != nil,
			"Operations": operations(), "Author": author(r)},
	)
}

// tray renders the panel of a stage.
func (s *site) tray(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	var html []byte
	if err == nil {
		html, err = s.trayOf(r.Context(), o, param(r, "stage"), false)
	}
	if err != nil {
		code, text := s.logged(r, err)
		http.Error(w, text, code)
		return
	}
	w.Header().Set("Cache-Control", "no-store")
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("Panel", s.panels.send(param(r, "stage"), string(html), "").ID)
	_, _ = w.Write(html)
}

// trayOf is the panel of a stage as HTML. After a change that was just made, what others do is shown as it was
// a moment ago.
func (s *site) trayOf(ctx context.Context, o opened, stage string, made bool) ([]byte, error) {
	if !studio.IsStage(stage) {
		return nil, studio.ErrNotFound
	}
	review, err := s.studio.ReviewSoon(ctx, o.rev)
	if err != nil {
		return nil, err
	}
	if !made {
		s.panels.seldom.Remove("others " + o.ID)
		s.panels.seldom.Remove("shelf " + o.ID)
		s.panels.seldom.Remove("style " + o.ID)
	}
	others, err := seldom(s.panels, "others "+o.ID, func() ([]colleague, error) { return s.colleagues(ctx, o.Character) })
	if err != nil {
		return nil, err
	}
	shelf, err := seldom(s.panels, "shelf "+o.ID, func() (studio.Shelf, error) { return s.studio.Shelf(ctx, o.ID) })
	if err != nil {
		return nil, err
	}
	var changes []studio.Revision
	if stage == "bindpose" {
		if changes, err = s.bound(ctx, o); err != nil {
			return nil, err
		}
	}
	var house placement.StyleHere
	if stage == "placement" && o.state.Fit != nil && o.state.Fit.Fitted != nil {
		style, err := seldom(s.panels, "style "+o.ID, func() (studio.HouseStyle, error) { return s.studio.HouseStyle(ctx, o.ID) })
		if err != nil {
			return nil, err
		}
		house = placement.StyleFor(style, o.state)
	}
	var buf bytes.Buffer
	err = s.pages.all.ExecuteTemplate(
		&buf,
		"tray_"+stage,
		map[string]any{"Character": o.Character, "Stage": review.Stage(stage), "State": o.state, "Review": review, "Head": o.rev.ID,
			"Kinds": intake.Kinds, "Starters": placement.Starters, "Shelf": shelf, "Others": others, "SkeletonFiles": strings.Join(placement.SkeletonFiles(),
				","), "Outcome": o.rev.Outcome, "Op": o.rev.Op, "OwnOp": ownOp(stage, o.rev.Op), "Accept": accepted(), "Bound": changes, "House": house},
	)
	return buf.Bytes(), err
}

// ownOp reports whether an operation is one of a stage: what it left to do is told there, and
// not where its buttons would mean something else.
func ownOp(stage, op string) bool {
	return slices.ContainsFunc(studio.Operations(), func(e studio.Entry) bool { return e.Name == op && e.Stage == stage })
}

// Of the last revisions, how many are looked through for changes of the bind pose, and how
// many of those are told.
const (
	boundSought = 200
	boundTold   = 6
)

// bound returns the last revisions that made or changed the bind pose, newest first.
func (s *site) bound(ctx context.Context, o opened) ([]studio.Revision, error) {
	list, err := s.studio.History(ctx, o.ID, 0, boundSought)
	if err != nil {
		return nil, err
	}
	makes := map[string]bool{}
	for _, e := range studio.Operations() {
		makes[e.Name] = e.Stage == "bindpose" && e.Name != "bind_policy"
	}
	var out []studio.Revision
	for i, r := range list {
		before := ""
		if i+1 < len(list) {
			before = list[i+1].Binding
		}
		if (makes[r.Op] || r.Binding != "" && r.Binding != before) && r.ID <= o.rev.ID && len(out) < boundTold {
			out = append(out, r)
		}
	}
	return out, nil
}

// where returns the places of one finding.
func (s *site) where(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	var stage *studio.Reviewed
	if err == nil {
		stage, err = s.studio.ReviewStage(r.Context(), o.rev, param(r, "stage"))
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	i := slices.IndexFunc(stage.Findings, func(f finding.Finding) bool { return f.Code == param(r, "code") })
	if i < 0 {
		s.problem(w, r, studio.ErrNotFound)
		return
	}
	where := stage.Findings[i].Where
	if where.Spots, err = s.studio.Spots(r.Context(), o.rev, where); err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, where)
}

// tries tells which remedies of a stage help, each tried on a copy; where that is not known
// yet, it is under way and the page asks again.
func (s *site) tries(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err == nil && !studio.IsStage(param(r, "stage")) {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	list, known := s.studio.TriesSoon(o.rev, param(r, "stage"))
	if !known {
		answer(w, http.StatusAccepted, map[string]any{"head": o.rev.ID, "waiting": true})
		return
	}
	answer(w, http.StatusOK, map[string]any{"head": o.rev.ID, "tries": list})
}

// measure tells what a pose does to the skin, for a page whose own core does not run.
func (s *site) measure(w http.ResponseWriter, r *http.Request) {
	var angles map[string][4]float64
	s.look(w, r, &angles, func(state *studio.State) (any, error) {
		if name := r.URL.Query().Get("kept"); name != "" {
			var err error
			if state, err = state.WithKept(name); err != nil {
				return nil, err
			}
		}
		return weights.Measure(state, angles)
	})
}

// table takes a table of weights in, to be read by an operation.
func (s *site) table(w http.ResponseWriter, r *http.Request) {
	file, err := s.takeIn(r, "table of weights", []string{".csv", ".json"})
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, map[string]any{"file": file})
}

// guides takes in meshes in poses, to be solved for: one file, and the others beside it.
func (s *site) guides(w http.ResponseWriter, r *http.Request) {
	file, err := s.takeIn(r, "mesh", formats.Extensions)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, map[string]any{"file": file})
}

// traces tells what dropping traces would do.
func (s *site) traces(w http.ResponseWriter, r *http.Request) {
	var q struct {
		Below    float64 `json:"below"`
		Vertices string  `json:"vertices"`
	}
	s.look(w, r, &q, func(state *studio.State) (any, error) { return weights.Traces(state, q.Below, q.Vertices) })
}

// mirror tells what a mirroring would pair.
func (s *site) mirror(w http.ResponseWriter, r *http.Request) {
	var q weights.Mirror
	s.look(w, r, &q, func(state *studio.State) (any, error) {
		if state.Weights == nil || state.Skeleton == nil {
			return nil, studio.Wrong("no weights yet: bind first")
		}
		return q.Pairs(*state)
	})
}

// look answers a question about the head that changes nothing.
func (s *site) look(w http.ResponseWriter, r *http.Request, asked any, f func(*studio.State) (any, error)) {
	err := read(w, r, asked)
	var o opened
	if err == nil {
		o, err = s.open(r.Context(), param(r, "id"))
	}
	var out any
	if err == nil {
		out, err = f(o.state)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, out)
}

func (s *site) probe(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	v, err := strconv.Atoi(param(r, "vertex"))
	if err != nil {
		s.problem(w, r, studio.InputError{What: "a vertex is a number"})
		return
	}
	p, err := weights.Probe(o.state, v)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, p)
}

// remains answers with how far the solved weights leave each vertex from the guide, for a map; with nothing where none
// were solved.
func (s *site) remains(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	if b := o.state.Bind; b != nil && b.Report.Remains != nil {
		left := *b.Report.Remains
		left.Where = nil // Far tells of each vertex
		answer(w, http.StatusOK, left)
		return
	}
	answer(w, http.StatusOK, struct{}{})
}

// capCost answers with what the influence cap of the bind cost at each vertex, for a map; with
// nothing where it cut nothing off.
func (s *site) capCost(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	if b := o.state.Bind; b != nil && b.Report.Capped != nil {
		cost := *b.Report.Capped
		cost.Where = nil // Far tells of each vertex
		answer(w, http.StatusOK, cost)
		return
	}
	answer(w, http.StatusOK, struct{}{})
}
