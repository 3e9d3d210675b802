package web

import (
	"bytes"
	"encoding/base64"
	"html/template"
	"net/http"
	"time"

	"wisemarrow/core/finding"
	"wisemarrow/formats/picture"
	"wisemarrow/stages/motion"
	"wisemarrow/studio"
)

// sheet answers with the reel of the head and its score sheet.
func (s *site) sheet(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err == nil && o.state.Skeleton == nil {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, struct {
		Revision int64 `json:"revision"`
		motion.Reeled
	}{o.rev.ID, motion.Shown(o.state)})
}

// reelView sends the poses of the reel of a revision.
func (s *site) reelView(w http.ResponseWriter, r *http.Request) {
	_, state, err := s.atRevision(r)
	if err == nil && state.Skeleton == nil {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	data, err := motion.ReelBundle(state)
	s.send(w, r, data, err)
}

// hand does to a pose what core does in the page, where that does not run.
func (s *site) hand(w http.ResponseWriter, r *http.Request) {
	var q motion.HandRequest
	s.look(w, r, &q, func(state *studio.State) (any, error) { return motion.Handed(state, q) })
}

// spot measures one place of the score sheet again.
func (s *site) spot(w http.ResponseWriter, r *http.Request) {
	var q motion.SpotRequest
	s.look(w, r, &q, func(state *studio.State) (any, error) { return motion.MeasureSpot(r.Context(), state, q) })
}

// pairs takes a file with a motion in and answers how its joints would be paired.
func (s *site) pairs(w http.ResponseWriter, r *http.Request) {
	file, err := s.takeIn(r, "motion", []string{".bvh", ".gltf", ".glb"})
	var o opened
	if err == nil {
		o, err = s.open(r.Context(), param(r, "id"))
	}
	var m *motion.Laying
	if err == nil {
		m, err = motion.LayingOf(r.Context(), s.studio, o.state, file)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, m)
}

// worstPrinted is how many places of the sheet are printed, each with its picture.
const worstPrinted = 12

// printed is a place of the score sheet with its picture.
type printed struct {
	motion.Place
	Title   string
	Picture template.URL
}

// score is the score sheet of a character, to be printed.
func (s *site) score(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err == nil && (o.state.Sheet == nil || o.state.Mesh == nil) {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	var list []printed
	for _, p := range motion.Places(o.state) {
		if len(list) == worstPrinted {
			break
		}
		x := printed{Place: p, Title: motion.Says[p.Kind].Title}
		if m := motion.Posed(o.state, p.Frame); m != nil && !o.state.Sheet.Stale {
			var buf bytes.Buffer
			if err := picture.WriteMarked(&buf, m, finding.Where{Vertices: studio.Unite(p.Where, []int32{p.Vertex})}, 240,
				280); err == nil {
				x.Picture = template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(buf.Bytes()))
			}
		}
		list = append(list, x)
	}
	s.pages.render(
		w,
		r,
		"score",
		map[string]any{
			"Character": o.Character,
			"Revision":  o.rev,
			"State":     o.state,
			"Sheet":     o.state.Sheet,
			"Places":    list,
			"Head":      o.rev.ID,
			"Printed":   time.Now(),
			"Kinds":     motion.KindRows(o.state.Sheet),
		},
	)
}
