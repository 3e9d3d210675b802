package web

import (
	"net/http"
	"slices"
	"strconv"

	"wisemarrow/stages/handoff"
	"wisemarrow/studio"
)

// deliveriesShown is how many files that were handed over one answer has.
const deliveriesShown = 50

// versions answers with those of a character, the latest first, what has changed from each to the one before it, and the files
// that were handed over.
func (s *site) versions(w http.ResponseWriter, r *http.Request) {
	id := param(r, "id")
	c, err := s.studio.Character(r.Context(), id)
	var list []studio.Version
	if err == nil {
		list, err = s.studio.Versions(r.Context(), id)
	}
	var handed []studio.Delivery
	if err == nil {
		handed, err = s.studio.Deliveries(r.Context(), id, deliveriesShown+1)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	type row struct {
		studio.Version
		Came []string `json:"came"` // findings that the one before had not
		Went []string `json:"went"` // that the one before had
		Head bool     `json:"head"` // the character is as it was
	}
	rows := []row{}
	for i, v := range list {
		x := row{Version: v, Came: []string{}, Went: []string{}, Head: v.Revision == c.Head}
		if i > 0 {
			came, went := v.Since(&list[i-1])
			x.Came, x.Went = append(x.Came, came...), append(x.Went, went...)
		}
		rows = append(rows, x)
	}
	slices.Reverse(rows)
	cut := len(handed) > deliveriesShown
	answer(w, http.StatusOK, map[string]any{"versions": rows, "deliveries": handed[:min(len(handed), deliveriesShown)], "cut": cut, "head": c.Head})
}

// keepVersion keeps the head under a name.
func (s *site) keepVersion(w http.ResponseWriter, r *http.Request) {
	var q struct {
		Base       int64
		Name, Note string
		Picture    []byte
	}
	err := read(w, r, &q)
	var v studio.Version
	if err == nil {
		v, err = s.studio.KeepVersion(r.Context(), param(r, "id"), q.Base, q.Name, q.Note, author(r), q.Picture)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusCreated, v)
}

// withdraw says of a version why it should not be used.
func (s *site) withdraw(w http.ResponseWriter, r *http.Request) {
	var q struct {
		Version int64
		Why     string
	}
	err := read(w, r, &q)
	if err == nil {
		err = s.studio.Withdraw(r.Context(), param(r, "id"), q.Version, q.Why, author(r))
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, map[string]int64{"withdrawn": q.Version})
}

// versionPicture sends the picture of a version.
func (s *site) versionPicture(w http.ResponseWriter, r *http.Request) {
	id, err := strconv.ParseInt(param(r, "version"), 10, 64)
	var data []byte
	if err != nil {
		err = studio.ErrNotFound
	} else {
		data, err = s.studio.Picture(r.Context(), param(r, "id"), id)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "image/png")
	w.Header().Set("Cache-Control", "private, max-age=31536000, immutable")
	_, _ = w.Write(data)
}

// compare answers with what differs between two revisions of a character.
func (s *site) compare(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	from, to := o, o
	for name, into := range map[string]*opened{"from": &from, "to": &to} {
		if at := r.URL.Query().Get(name); err == nil && at != "" {
			*into, err = s.then(r.Context(), o, at)
		}
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, handoff.Differences(from.state, to.state))
}

// whichOne says which version of which character a file is.
func (s *site) whichOne(w http.ResponseWriter, r *http.Request) {
	u, err := s.upload(r, "file", handoff.Recognized)
	var out handoff.Known
	if err == nil {
		out, err = handoff.Recognize(r.Context(), s.studio, u)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, out)
}
