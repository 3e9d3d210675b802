package web

import (
	"net/http"
	"path/filepath"
	"strings"

	"wisemarrow/formats"
	"wisemarrow/studio"
)

// card is a character on the cast page.
type card struct {
	studio.Character
	Stages []studio.Stage
	Facts  string
	Open   int // findings that block or harm
}

func (s *site) cast(w http.ResponseWriter, r *http.Request) {
	list, err := s.studio.Store().Characters(r.Context())
	if err != nil {
		s.problem(w, r, err)
		return
	}
	type production struct {
		Name  string
		Cards []card
	}
	var out []*production
	for _, c := range list {
		rev, err := s.studio.Store().Revision(r.Context(), c.Head)
		if err != nil {
			s.problem(w, r, err)
			return
		}
		review, err := s.studio.Review(r.Context(), rev)
		if err != nil {
			s.problem(w, r, err)
			return
		}
		k := card{Character: c, Stages: review.Stages, Facts: thousands(review.Facts.Vertices) + " vertices · " + length(review.Facts.Height) + " tall"}
		for _, st := range review.Stages {
			if st.State == "findings" && st.Name != "handoff" {
				k.Open++
			}
		}
		if len(out) == 0 || out[len(out)-1].Name != c.Production {
			out = append(out, &production{Name: c.Production})
		}
		p := out[len(out)-1]
		p.Cards = append(p.Cards, k)
	}
	names, err := s.studio.Store().Productions(r.Context())
	if err != nil {
		s.problem(w, r, err)
		return
	}
	first := "My production"
	if len(names) > 0 {
		first = names[0]
	}
	s.pages.render(w, r, "cast", map[string]any{"Productions": out, "Into": first, "Accept": accepted(),
		"Limit": s.studio.Limits().Bytes >> 20, "Author": author(r)})
}

// bringIn makes a character of uploaded files.
func (s *site) bringIn(w http.ResponseWriter, r *http.Request) {
	u, err := s.upload(w, r, "mesh", formats.Extensions)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	defer u.close()
	c := studio.Character{Production: strings.TrimSpace(r.FormValue("production")), Name: strings.TrimSpace(r.FormValue("name"))}
	if c.Production == "" {
		c.Production = "My production"
	}
	if c.Name == "" {
		c.Name = strings.TrimSuffix(u.name, filepath.Ext(u.name))
	}
	c, err = s.studio.Import(r.Context(), c, author(r), u.name, u.file, u.resolve)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	// Checked now, while the page says so, the character opens at once.
	if rev, err := s.studio.Store().Revision(r.Context(), c.Head); err == nil {
		_, _ = s.studio.Review(r.Context(), rev) // what fails here is told when it is opened
	}
	answer(w, http.StatusCreated, map[string]string{"id": c.ID, "url": "/characters/" + c.ID + "/intake"})
}

func (s *site) remove(w http.ResponseWriter, r *http.Request) {
	if err := s.studio.Store().Remove(r.Context(), param(r, "id")); err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, map[string]bool{"removed": true})
}
