package web

import (
	"bytes"
	"encoding/base64"
	"html/template"
	"net/http"
	"strconv"
	"time"

	"wisemarrow/core/finding"
	"wisemarrow/formats"
	"wisemarrow/studio"
)

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

// deliver compares a newer file with the character; with take=1 it is taken.
func (s *site) deliver(w http.ResponseWriter, r *http.Request) {
	s.uploadOnto(w, r, "mesh", formats.Extensions, func(u uploaded, base int64) (any, error) {
		return s.studio.Deliver(r.Context(), param(r, "id"), base, u.name, u.file, u.resolve, r.FormValue("take") == "1", author(r))
	})
}

// smooth is the subdivided surface of a revision, for showing.
func (s *site) smooth(w http.ResponseWriter, r *http.Request) {
	_, state, err := s.atRevision(r)
	levels, _ := strconv.Atoi(param(r, "levels"))
	switch {
	case err == nil && state.Mesh == nil, levels < 1 || levels > 2:
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	data, err := studio.SmoothView(state.Mesh, levels)
	s.send(w, r, data, err)
}

// reported is a finding of the printed report.
type reported struct {
	finding.Finding
	Spots   []finding.Spot
	More    int
	Picture template.URL
}

// spotsPrinted is how many places of a finding the report lists.
const spotsPrinted = 12

// report is the check as a page to print, for the modeller who has to mend the
// source.
func (s *site) report(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err == nil && o.state.Mesh == nil {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	var list []reported
	for _, name := range []string{"intake", "placement"} {
		for _, f := range o.review.Stage(name).Findings {
			if name == "placement" && f.Code != "too_few_rings" {
				continue
			}
			spots, err := s.studio.Spots(r.Context(), o.rev, f.Where)
			if err != nil {
				s.problem(w, r, err)
				return
			}
			x := reported{Finding: f, Spots: spots[:min(len(spots), spotsPrinted)], More: max(0, len(spots)-spotsPrinted)}
			if len(spots) > 0 {
				var buf bytes.Buffer
				if err := studio.WriteMarked(&buf, o.state.Mesh, f.Where, 220, 260); err == nil {
					x.Picture = template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(buf.Bytes()))
				}
			}
			list = append(list, x)
		}
	}
	s.pages.render(w, r, "report", map[string]any{"Character": o.Character, "Revision": o.rev, "Review": o.review, "State": o.state,
		"Findings": list, "Printed": time.Now(), "Head": o.rev.ID})
}
