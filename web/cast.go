package web

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"strings"

	"wisemarrow/core/wording"
	"wisemarrow/formats"
	"wisemarrow/people"
	"wisemarrow/stages/intake"
	"wisemarrow/studio"
)

// card is a character on the cast page.
type card struct {
	studio.Character
	Stages  []studio.StandingOfStage
	Facts   string
	Pending bool   // how it stands is not known yet; the page asks for it
	Later   bool   // the page asks for all of it when it is about to be seen
	Trouble string // why it cannot be told
}

func cardOf(c studio.Character, st *studio.Standing) card {
	if st == nil {
		return card{Character: c, Pending: true}
	}
	return card{
		Character: c,
		Stages:    st.Stages,
		Facts:     wording.Count(st.Vertices, "vertex", "vertices") + " · " + wording.Length(st.Height) + " tall",
	}
}

// castFirst is how many cards the cast page comes with; those below are asked for as they come into view.
const castFirst = 40

// cast shows every character as far as it is known how it stands; the page asks for
// the rest card by card.
func (s *site) cast(w http.ResponseWriter, r *http.Request) {
	list, err := s.studio.Characters(r.Context())
	if err != nil {
		s.problem(w, r, err)
		return
	}
	first, err := s.cardsOf(r.Context(), list[:min(len(list), castFirst)])
	if err != nil {
		s.problem(w, r, err)
		return
	}
	type production struct {
		Name  string
		Cards []card
	}
	var out []*production
	by := map[string]*production{} // characters come by age, whatever production they are of
	for i, c := range list {
		p := by[c.Production]
		if p == nil {
			p = &production{Name: c.Production}
			by[c.Production] = p
			out = append(out, p)
		}
		if i < len(first) {
			p.Cards = append(p.Cards, first[i])
		} else {
			p.Cards = append(p.Cards, card{Character: c, Later: true})
		}
	}
	names, err := s.studio.Productions(r.Context())
	if err != nil {
		s.problem(w, r, err)
		return
	}
	into := "My production"
	if len(names) > 0 {
		into = names[0]
	}
	s.pages.render(
		w,
		r,
		"cast",
		map[string]any{"Productions": out, "Many": len(list) > 1, "Into": into, "Names": names, "Accept": accepted(),
			"Limit": s.studio.Limits().Bytes >> 20, "Author": author(r)},
	)
}

// cardsOf are the cards of characters, as far as it is known how they stand.
func (s *site) cardsOf(ctx context.Context, list []studio.Character) ([]card, error) {
	ids := make([]int64, len(list))
	for i, c := range list {
		ids[i] = c.Head
	}
	at, err := s.studio.Revisions(ctx, ids)
	if err != nil {
		return nil, err
	}
	revs := make([]studio.Revision, len(list))
	for i, id := range ids {
		revs[i] = at[id]
	}
	standings, err := s.studio.Standings(ctx, revs)
	if err != nil {
		return nil, err
	}
	out := make([]card, len(list))
	for i, c := range list {
		out[i] = cardOf(c, standings[i])
	}
	return out, nil
}

// castCards answers with the cards of up to castFirst characters, in the order in which they are named; those that
// are gone are left out.
func (s *site) castCards(w http.ResponseWriter, r *http.Request) {
	var list []studio.Character
	ids := strings.Split(r.URL.Query().Get("ids"), ",")
	if len(ids) > castFirst {
		s.problem(w, r, studio.Wrong("cards come %d at a time, not %d", castFirst, len(ids)))
		return
	}
	for _, id := range ids {
		c, err := s.studio.Character(r.Context(), id)
		if errors.Is(err, studio.ErrNotFound) {
			continue
		}
		if err != nil {
			s.problem(w, r, err)
			return
		}
		list = append(list, c)
	}
	cards, err := s.cardsOf(r.Context(), list)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	w.Header().Set("Cache-Control", "no-store")
	who, asked := personOf(r.Context())
	s.pages.fragment(
		w,
		"cards",
		map[string]any{"Cards": cards, "Lead": !asked || who.Role.May(people.Lead), "Work": !asked || who.Role.May(people.Work)},
	)
}

// castCard is the card of one character, looked at now. One that cannot be looked at
// says so and can still be removed.
func (s *site) castCard(w http.ResponseWriter, r *http.Request) {
	c, err := s.studio.Character(r.Context(), param(r, "id"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	k := card{Character: c}
	rev, err := s.studio.Revision(r.Context(), c.Head)
	var st studio.Standing
	if err == nil {
		st, err = s.studio.Standing(r.Context(), rev)
	}
	if err == nil {
		k = cardOf(c, &st)
	} else {
		slog.Error("character cannot be looked at", "character", c.ID, "error", err)
		k.Trouble = "It cannot be looked at: its data may be damaged. The log of the server has the details."
	}
	w.Header().Set("Cache-Control", "no-store")
	who, asked := personOf(r.Context())
	s.pages.fragment(
		w,
		"card",
		map[string]any{"C": k, "Lead": !asked || who.Role.May(people.Lead), "Work": !asked || who.Role.May(people.Work)},
	)
}

// bringIn makes a character of uploaded files. A page whose answer was lost asks for
// what came of its key (asked).
func (s *site) bringIn(w http.ResponseWriter, r *http.Request) {
	ctx, err := keyed(r.Context(), r.URL.Query().Get("key"), "bring in")
	if err != nil {
		s.problem(w, r, err)
		return
	}
	u, err := s.upload(r, "mesh", formats.Extensions)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	c := studio.Character{Production: strings.TrimSpace(r.FormValue("production")), Name: strings.TrimSpace(r.FormValue("name"))}
	if c.Production == "" {
		c.Production = "My production"
	}
	if err := s.newProduction(r.Context(), c.Production); err != nil {
		s.problem(w, r, err)
		return
	}
	c, err = intake.Bring(ctx, s.studio, c, author(r), u)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	s.note(r, author(r), "brought in "+c.Name)
	// Checked now, while the page says so, the character opens at once. What fails
	// here is told when it is opened.
	if rev, err := s.studio.Revision(r.Context(), c.Head); err == nil {
		if review, err := s.studio.ReviewSoon(r.Context(), rev); err == nil && !review.Checking() {
			_, _ = s.studio.Standing(r.Context(), rev)
		}
	}
	answer(w, http.StatusCreated, arrived(c.ID))
}

// rename gives a character another name.
func (s *site) rename(w http.ResponseWriter, r *http.Request) {
	var q struct{ Name string }
	err := read(w, r, &q)
	if err == nil {
		err = s.studio.Rename(r.Context(), param(r, "id"), q.Name)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	s.note(r, author(r), "renamed a character to "+strings.TrimSpace(q.Name))
	answer(w, http.StatusOK, map[string]string{"name": strings.TrimSpace(q.Name)})
}

// duplicate makes a character of another as it is now, and does to it what the request has, if anything: a build that is baked
// becomes a character of its own.
func (s *site) duplicate(w http.ResponseWriter, r *http.Request) {
	var q request
	if r.ContentLength > 0 {
		if err := read(w, r, &q); err != nil {
			s.problem(w, r, err)
			return
		}
	}
	c, err := s.studio.Duplicate(r.Context(), param(r, "id"), author(r))
	if err == nil && q.Op != "" {
		if _, _, err = s.studio.Do(r.Context(), c.ID, c.Head, q.Op, q.Params, author(r)); err != nil {
			err = errors.Join(err, s.studio.Remove(r.Context(), c.ID))
		}
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	s.note(r, author(r), "duplicated as "+c.Name)
	answer(w, http.StatusCreated, arrived(c.ID))
}

func (s *site) remove(w http.ResponseWriter, r *http.Request) {
	c, err := s.studio.Character(r.Context(), param(r, "id"))
	if err == nil {
		err = s.studio.Remove(r.Context(), c.ID)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	s.note(r, author(r), "removed "+c.Name)
	answer(w, http.StatusOK, map[string]bool{"removed": true})
}
