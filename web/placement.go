package web

import (
	"context"
	"encoding/json"
	"fmt"
	"mime"
	"net/http"
	"strconv"

	"wisemarrow/stages/placement"
	"wisemarrow/studio"
)

// starter returns the joints of a starter at the size of the character.
func (s *site) starter(w http.ResponseWriter, r *http.Request) {
	var q placement.FitStarter
	if err := read(w, r, &q); err != nil {
		s.problem(w, r, err)
		return
	}
	list, err := placement.PreviewStarter(r.Context(), s.studio, param(r, "id"), &q)
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, list)
}

// shelve keeps a starter or a map of names for the production of a character.
func (s *site) shelve(w http.ResponseWriter, r *http.Request) {
	var q struct {
		Kind, Name, Like string
		Joints           map[string]string
		Style            studio.StyleChoice
		Profile          json.RawMessage
	}
	err := read(w, r, &q)
	var kept any
	switch {
	case err != nil:
	case q.Kind == "starter":
		kept, err = placement.KeepStarter(r.Context(), s.studio, param(r, "id"), q.Name, q.Like)
	case q.Kind == "names":
		kept, err = placement.KeepNames(r.Context(), s.studio, param(r, "id"), q.Name, q.Joints)
	case q.Kind == "rules":
		kept, err = s.studio.KeepRules(r.Context(), param(r, "id"))
	case q.Kind == "style":
		kept, err = s.studio.ChooseStyle(r.Context(), param(r, "id"), q.Style)
	case q.Kind == "profile":
		kept, err = s.studio.KeepProfile(r.Context(), param(r, "id"), q.Profile)
	default:
		err = studio.InputError{What: fmt.Sprintf("a production keeps a \"starter\", \"names\", \"rules\", \"style\" or \"profile\", not %q", q.Kind)}
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, kept)
}

// discard takes something off the shelf.
func (s *site) discard(w http.ResponseWriter, r *http.Request) {
	var q struct{ Kind, Name string }
	err := read(w, r, &q)
	if err == nil {
		err = s.studio.Discard(r.Context(), param(r, "id"), q.Kind, q.Name)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, map[string]string{"discarded": q.Name})
}

// houseStyle sends the house style of a character's production as a file, for the command line.
func (s *site) houseStyle(w http.ResponseWriter, r *http.Request) {
	h, err := s.studio.HouseStyle(r.Context(), param(r, "id"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": "house-style.json"})) // RFC 6266
	answer(w, http.StatusOK, h)
}

// matchCharacter pairs the joints of another character with this one's.
func (s *site) matchCharacter(w http.ResponseWriter, r *http.Request) {
	m, err := placement.MatchCharacter(r.Context(), s.studio, param(r, "id"), r.URL.Query().Get("from"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, m)
}

// matchFile pairs the joints of an uploaded file with this character's.
func (s *site) matchFile(w http.ResponseWriter, r *http.Request) {
	file, err := s.takeIn(r, "skeleton", placement.SkeletonFiles())
	var m placement.Matching
	if err == nil {
		m, err = placement.MatchFile(r.Context(), s.studio, param(r, "id"), file)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, m)
}

// motion sends a motion of a revision, its turns about the joints' own axes.
func (s *site) motion(w http.ResponseWriter, r *http.Request) {
	_, state, err := s.atRevision(r)
	k, bad := strconv.Atoi(param(r, "clip"))
	if err == nil && (bad != nil || k < 0 || k >= len(state.Clips) || state.Skeleton == nil) {
		err = studio.ErrNotFound
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	data, err := placement.Motion(state, k)
	s.send(w, r, data, err)
}

// colleague is another character whose skeleton may be taken over.
type colleague struct{ ID, Name string }

// colleagues lists the other characters of a production.
func (s *site) colleagues(ctx context.Context, c studio.Character) ([]colleague, error) {
	list, err := s.studio.Characters(ctx)
	if err != nil {
		return nil, err
	}
	var out []colleague
	for _, o := range list {
		if o.Production == c.Production && o.ID != c.ID {
			out = append(out, colleague{o.ID, o.Name})
		}
	}
	return out, nil
}
