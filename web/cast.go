package web

import (
	"net/http"
	"strings"

	"wisemarrow/formats"
	"wisemarrow/stages/intake"
	"wisemarrow/studio"
)

// card is a character on the cast page.
type card struct {
	studio.Character
	Stages []studio.StandingOfStage
	Facts  string
	Open   int // stages with findings that block or harm
}

func (s *site) cast(w http.ResponseWriter, r *http.Request) {
	list, err := s.studio.Store().Characters(r.Context())
	if err != nil {
		s.problem(w, r, err)
		return
	}
	standings, err := s.standings(r, list)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	type production struct {
		Name  string
		Cards []card
	}
	var out []*production
	for i, c := range list {
		st := standings[i]
		k := card{Character: c, Stages: st.Stages, Facts: thousands(st.Vertices) + " vertices · " + length(st.Height) + " tall"}
		for _, one := range st.Stages {
			if one.State == "findings" && one.Name != "handoff" {
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

// standings returns how characters stand at their heads, in their order.
func (s *site) standings(r *http.Request, list []studio.Character) ([]studio.Standing, error) {
	ids := make([]int64, len(list))
	for i, c := range list {
		ids[i] = c.Head
	}
	at, err := s.studio.Store().Revisions(r.Context(), ids)
	if err != nil {
		return nil, err
	}
	revs := make([]studio.Revision, len(list))
	for i, id := range ids {
		revs[i] = at[id]
	}
	return s.studio.Standings(r.Context(), revs)
}

// bringIn makes a character of uploaded files.
func (s *site) bringIn(w http.ResponseWriter, r *http.Request) {
	u, err := s.upload(w, r, "mesh", formats.Extensions)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	c := studio.Character{Production: strings.TrimSpace(r.FormValue("production")), Name: strings.TrimSpace(r.FormValue("name"))}
	if c.Production == "" {
		c.Production = "My production"
	}
	c, err = intake.Bring(r.Context(), s.studio, c, author(r), u)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	// Checked now, while the page says so, the character opens at once. What fails
	// here is told when it is opened.
	_, _ = s.standings(r, []studio.Character{c})
	answer(w, http.StatusCreated, map[string]string{"id": c.ID, "url": "/characters/" + c.ID + "/intake"})
}

func (s *site) remove(w http.ResponseWriter, r *http.Request) {
	if err := s.studio.Store().Remove(r.Context(), param(r, "id")); err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, map[string]bool{"removed": true})
}
