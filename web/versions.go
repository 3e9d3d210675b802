package web

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"net/http"
	"slices"
	"strconv"

	"wisemarrow/core/compare"
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

// compared is what differs between two revisions, or a revision and a file.
type compared struct {
	*compare.Report
	Said []string `json:"said"`
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
	report := compare.Compare(handoff.SideOf(from.state), handoff.SideOf(to.state))
	answer(w, http.StatusOK, compared{report, handoff.Said(report)})
}

// which is what is known of a file: by its content, the file that it is, by its stamp, where it comes from, and what was changed in
// it since.
type which struct {
	Handed    []studio.Delivery `json:"handed"` // files of this very content
	Stamp     *handoff.Stamp    `json:"stamp,omitempty"`
	Character string            `json:"character,omitempty"` // its id, where it is in this workbench
	Name      string            `json:"name,omitempty"`
	Revision  int64             `json:"revision,omitempty"`
	Version   *studio.Version   `json:"version,omitempty"`
	Changed   *compared         `json:"changed,omitempty"` // against that revision as it was handed over
	File      *studio.File      `json:"file,omitempty"`    // kept for a day, for what is brought in from it
	Said      string            `json:"said"`
}

// whichOne says which version of which character a file is.
func (s *site) whichOne(w http.ResponseWriter, r *http.Request) {
	u, err := s.upload(r, "file", handoff.Recognized)
	var out which
	if err == nil {
		out, err = s.recognize(r.Context(), u)
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, out)
}

func (s *site) recognize(ctx context.Context, u studio.Upload) (which, error) {
	sum := sha256.Sum256(u.Data)
	out := which{Stamp: handoff.ReadStamp(u.Data)}
	var err error
	if out.Handed, err = s.studio.DeliveriesOf(ctx, hex.EncodeToString(sum[:]), deliveriesShown); err != nil {
		return out, err
	}
	switch {
	case len(out.Handed) > 0:
		out.Character, out.Revision = out.Handed[0].Character, out.Handed[0].Revision
	case out.Stamp != nil:
		out.Character, out.Revision = out.Stamp.Character, out.Stamp.Revision
	default:
		out.Handed, out.Said = []studio.Delivery{}, "This file carries no stamp, and no file of its content was handed over here."
		return out, nil
	}
	c, err := s.studio.Character(ctx, out.Character)
	if errors.Is(err, studio.ErrNotFound) {
		out.Character, out.Revision, out.Said = "", 0, "It comes from a character that is not in this workbench."
		return out, nil
	}
	if err != nil {
		return out, err
	}
	out.Name = c.Name
	at, err := s.earlier(ctx, c, out.Revision)
	if err != nil {
		return out, err
	}
	if at == nil {
		out.Said = "It comes from " + c.Name + ", from a revision that is no longer kept."
		return out, nil
	}
	if out.Version, err = s.studio.VersionOf(ctx, c.ID, out.Revision); err != nil {
		return out, err
	}
	if len(out.Handed) > 0 {
		out.Said = "It is the file that was handed over, byte for byte."
		return out, nil
	}
	report, file, why, err := s.against(ctx, u, out.Stamp, at)
	if err != nil {
		return out, err
	}
	out.Said = why
	if report != nil {
		out.Changed, out.File = &compared{report, handoff.Said(report)}, file
	}
	return out, nil
}

// against compares a file with the revision that it comes from, as that was handed over; why says, where it cannot be read, that.
func (s *site) against(ctx context.Context, u studio.Upload, stamp *handoff.Stamp, at *opened) (*compare.Report, *studio.File, string, error) {
	theirs, err := handoff.ReadBack(u.Name, u.Data, s.studio.Limits())
	if err != nil {
		return nil, nil, "It comes from there, and what has changed in it cannot be read: " + studio.Plain(err), nil
	}
	if theirs == nil {
		return nil, nil, "It comes from there. What has changed in it can be told of GLB and VRM files.", nil
	}
	ours := *at.state
	if p := ours.Settings.Profile; p != nil && stamp != nil && stamp.Profile == p.Name {
		if ours, _, err = handoff.Meet(ctx, ours, p, nil, nil); err != nil {
			return nil, nil, "", err
		}
	}
	report := compare.Compare(handoff.SideOf(&ours), *theirs)
	if report.Same() {
		return report, nil, "It is that revision: nothing in it was changed.", nil
	}
	file, err := s.studio.TakeIn(ctx, u)
	if err != nil {
		return nil, nil, "", err
	}
	return report, &file, "It comes from there, and was changed elsewhere since.", nil
}
