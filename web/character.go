package web

import (
	"context"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/studio"

	"github.com/go-chi/chi/v5"
)

func param(r *http.Request, name string) string { return chi.URLParam(r, name) }

// opened is a character at its head.
type opened struct {
	studio.Character
	rev    studio.Revision
	state  *studio.State
	review *studio.Review
}

func (s *site) open(ctx context.Context, id string) (opened, error) {
	c, err := s.studio.Store().Character(ctx, id)
	if err != nil {
		return opened{}, err
	}
	rev, err := s.studio.Store().Revision(ctx, c.Head)
	if err != nil {
		return opened{}, err
	}
	state, err := s.studio.Load(ctx, rev)
	if err != nil {
		return opened{}, err
	}
	review, err := s.studio.Review(ctx, rev)
	return opened{c, rev, state, review}, err
}

// toStage leads to the first stage that has something to do.
func (s *site) toStage(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	stage := "handoff"
	for _, st := range o.review.Stages {
		if st.State != "clear" {
			stage = st.Name
			break
		}
	}
	http.Redirect(w, r, "/characters/"+o.ID+"/"+stage, http.StatusSeeOther)
}

func (s *site) workbench(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err == nil && !slices.Contains(studio.StageNames, param(r, "stage")) {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	s.pages.render(w, r, "workbench", map[string]any{"Character": o.Character, "Stage": param(r, "stage"), "Stages": o.review.Stages, "Weights": o.state.Weights != nil, "Author": author(r)})
}

// tray renders the panel of a stage.
func (s *site) tray(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err != nil {
		code, text := status(err)
		http.Error(w, text, code)
		return
	}
	stage := o.review.Stage(param(r, "stage"))
	if stage == nil {
		http.Error(w, "There is no such stage.", http.StatusNotFound)
		return
	}
	others, err := s.colleagues(r, o.Character)
	if err != nil {
		code, text := status(err)
		http.Error(w, text, code)
		return
	}
	shelf, err := s.studio.Shelf(r.Context(), o.ID)
	if err != nil {
		code, text := status(err)
		http.Error(w, text, code)
		return
	}
	w.Header().Set("Cache-Control", "no-store")
	s.pages.fragment(w, "tray_"+stage.Name, map[string]any{"Character": o.Character, "Stage": stage, "State": o.state, "Review": o.review, "Head": o.rev.ID,
		"Kinds": studio.Kinds, "Starters": studio.Starters, "Shelf": shelf, "Others": others, "SkeletonFiles": strings.Join(studio.SkeletonFiles(), ","), "Outcome": o.rev.Outcome, "Accept": accepted()})
}

// jointView is a joint as the views draw it.
type jointView struct {
	Name       string     `json:"name"`
	Parent     int        `json:"parent"`
	Pos        [3]float64 `json:"pos"` // world at rest
	Rot        [4]float64 `json:"rot"` // world at rest: x y z w
	Side       string     `json:"side"`
	Partner    int        `json:"partner"`
	End        bool       `json:"end"`
	Confidence float64    `json:"confidence"`
	Reason     string     `json:"reason"`
	Bound      string     `json:"bound"` // state after the last bind
	Cause      string     `json:"cause"`
	Leads      int        `json:"leads"`
	Pinned     bool       `json:"pinned"`
	Locked     bool       `json:"locked"`
	Hidden     bool       `json:"hidden"`
}

func joints(o opened) []jointView {
	sk := o.state.Skeleton
	if sk == nil {
		return []jointView{}
	}
	children := sk.Children()
	pairs := sk.Pairs(o.state.Settings.Marks)
	out := make([]jointView, len(sk.Joints))
	for i, j := range sk.Joints {
		side := [3]string{"centre", "left", "right"}[pairs.Sides[i]]
		out[i] = jointView{Name: j.Name, Parent: j.Parent, Pos: [3]float64{j.Pos.X, j.Pos.Y, j.Pos.Z}, Rot: [4]float64{j.Rot.Imag, j.Rot.Jmag, j.Rot.Kmag, j.Rot.Real},
			Side: side, Partner: pairs.Partner[i], End: len(children[i]) == 0, Confidence: j.Confidence, Reason: j.Reason, Pinned: j.Pinned, Locked: j.Locked, Hidden: j.Hidden}
	}
	if o.state.Bind != nil {
		for _, b := range o.state.Bind.Report.Joints {
			if i := sk.Index(b.Name); i >= 0 {
				out[i].Bound, out[i].Cause, out[i].Leads = string(b.State), b.Cause, b.Vertices
			}
		}
	}
	return out
}

// partView is a part of the mesh as the tray lists it.
type partView struct {
	Name   string `json:"name"`
	Faces  int    `json:"faces"`
	Hidden bool   `json:"hidden"`
	Out    bool   `json:"out"`
}

// state is all that the workbench needs of the head but the arrays.
func (s *site) state(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	history, err := s.studio.Store().History(r.Context(), o.ID)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	undo, redo := "", ""
	for _, h := range history {
		if h.ID == o.rev.ID && h.Parent != 0 {
			undo = h.Outcome.Sentence
		}
		if h.Parent == o.rev.ID {
			redo = h.Outcome.Sentence
		}
	}
	works, err := s.studio.Store().OpenWork(r.Context(), o.ID)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	stages := slices.Clone(o.review.Stages)
	for i := range stages {
		stages[i].Findings = slices.Clone(stages[i].Findings)
		for k := range stages[i].Findings {
			f := &stages[i].Findings[k]
			f.Where = finding.Where{Joints: f.Where.Joints} // the rest is fetched when shown
		}
	}
	parts := []partView{}
	if o.state.Mesh != nil {
		for i, p := range o.state.Mesh.Parts {
			parts = append(parts, partView{p.Name, o.review.Facts.Parts[i].Faces, p.Hidden, p.Out})
		}
	}
	plane := 0.0
	if o.state.Skeleton != nil {
		plane = o.state.Skeleton.MirrorPlane(o.state.Settings.Marks)
	}
	answer(w, http.StatusOK, map[string]any{
		"id": o.ID, "name": o.Name, "head": o.rev.ID, "undo": undo, "redo": redo,
		"mesh": o.rev.Parts["mesh"], "weights": o.rev.Parts.WeightsKey(), "facts": o.review.Facts, "parts": parts,
		"joints": joints(o), "fit": o.state.Fit, "plane": plane, "stages": stages, "motions": o.state.Motions(), "convention": o.state.Settings.Convention, "works": works,
	})
}

// where returns the places of one finding.
func (s *site) where(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	if stage := o.review.Stage(param(r, "stage")); stage != nil {
		for _, f := range stage.Findings {
			if f.Code == param(r, "code") {
				where := f.Where
				if where.Spots, err = s.studio.Spots(r.Context(), o.rev, where); err != nil {
					s.problem(w, r, err)
					return
				}
				answer(w, http.StatusOK, where)
				return
			}
		}
	}
	s.problem(w, r, studio.ErrNotFound)
}

func (s *site) probe(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	v, err := strconv.Atoi(param(r, "vertex"))
	if err != nil {
		s.problem(w, r, studio.ErrInput{What: "a vertex is a number"})
		return
	}
	p, err := studio.Probe(o.state, v)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, p)
}

func (s *site) history(w http.ResponseWriter, r *http.Request) {
	list, err := s.studio.Store().History(r.Context(), param(r, "id"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, list)
}

func (s *site) handoff(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	influences, _ := strconv.Atoi(r.URL.Query().Get("influences"))
	var buf strings.Builder
	if err := studio.Handoff(&buf, o.state, param(r, "what"), influences); err != nil {
		s.problem(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Content-Disposition", `attachment; filename="`+studio.HandoffName(o.Name, param(r, "what"))+`"`)
	_, _ = w.Write([]byte(buf.String()))
}
