package web

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"html/template"
	"net/http"
	"strconv"
	"time"

	"wisemarrow/core/finding"
	"wisemarrow/core/wording"
	"wisemarrow/formats"
	"wisemarrow/formats/bundle"
	"wisemarrow/formats/picture"
	"wisemarrow/stages/intake"
	"wisemarrow/studio"
)

// deliver compares a newer file with the character. Nothing is changed; the answer
// names the operation that would take it.
func (s *site) deliver(w http.ResponseWriter, r *http.Request) {
	file, err := s.takeIn(r, "mesh", formats.Extensions)
	var base int64
	if err == nil {
		base, err = baseOf(r)
	}
	var d intake.Delivery
	if err == nil {
		d, err = intake.CompareDelivery(r.Context(), s.studio, param(r, "id"), base, file)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, d)
}

// smooth is the subdivided surface of a revision, for showing.
func (s *site) smooth(w http.ResponseWriter, r *http.Request) {
	_, state, err := s.atRevision(r)
	levels, _ := strconv.Atoi(param(r, "levels"))
	switch {
	case err == nil && state.Mesh == nil, levels < 1 || levels > 2:
		err = studio.ErrNotFound
	}
	if err == nil && levels > bundle.Smoothest(state.Mesh) {
		err = studio.InputError{What: tooFine(levels)}
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	finer := [...]int{1, 4, 16}[levels]
	data, err := s.drawn(r.Context(), finer*len(state.Mesh.Corner), func() ([]byte, error) { return bundle.SmoothView(state.Mesh, levels) })
	s.send(w, r, data, err)
}

// subdivision tells how the smoothed surface of a revision follows its vertices.
func (s *site) subdivision(w http.ResponseWriter, r *http.Request) {
	_, state, err := s.atRevision(r)
	if err == nil && state.Mesh == nil {
		err = studio.ErrNotFound
	}
	if err == nil && bundle.Smoothest(state.Mesh) < 1 {
		err = studio.InputError{What: tooFine(1)}
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	data, err := s.drawn(r.Context(), 4*len(state.Mesh.Corner), func() ([]byte, error) { return bundle.SubdivisionView(state.Mesh) })
	s.send(w, r, data, err)
}

// tooFine says why there is no preview of so many levels.
func tooFine(levels int) string {
	return fmt.Sprintf(
		"%s of subdivision would make more than %s faces of this mesh, too many to show",
		[...]string{"", "One level", "Two levels"}[levels],
		wording.Thousands(bundle.MaxSmooth),
	)
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
	var review *studio.Review
	if err == nil {
		review, err = s.studio.Review(r.Context(), o.rev)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	var list []reported
	for _, name := range []string{"intake", "placement"} {
		for _, f := range review.Stage(name).Findings {
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
				if err := picture.WriteMarked(&buf, o.state.Mesh, f.Where, 220, 260); err == nil {
					x.Picture = template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(buf.Bytes()))
				}
			}
			list = append(list, x)
		}
	}
	s.pages.render(w, r, "report", map[string]any{"Character": o.Character, "Revision": o.rev, "Review": review, "State": o.state,
		"Findings": list, "Printed": time.Now(), "Head": o.rev.ID})
}
