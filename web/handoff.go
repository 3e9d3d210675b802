package web

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"log/slog"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"wisemarrow/stages/handoff"
	"wisemarrow/studio"
)

// mostInfluences is the highest cap that a file can be asked with.
const mostInfluences = 16

// handoff sends a file for the next department; with "at" as the character was at that revision, with "fit" as its profile needs
// it, where "also" are codes of rules that are met though it moves the skin.
func (s *site) handoff(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	q := r.URL.Query()
	if at := q.Get("at"); err == nil && at != "" {
		o, err = s.then(r.Context(), o, at)
	}
	options := handoff.Options{Name: o.Name, Since: o.rev.Time.Truncate(time.Second)}
	if text := q.Get("influences"); err == nil && text != "" {
		if options.Influences, err = strconv.Atoi(text); err != nil || options.Influences < 1 || options.Influences > mostInfluences {
			err = studio.Wrong("influences per vertex is a number from 1 to %d, not %q", mostInfluences, text)
		}
	}
	what := param(r, "what")
	var buf bytes.Buffer
	if err == nil {
		state := *o.state
		options.Stamp = stampOf(o)
		if q.Has("as") { // as it was handed over once, whatever was renamed or kept since
			options.Name, options.Stamp.Name, options.Stamp.Version = q.Get("as"), q.Get("as"), q.Get("version")
		} else if v, failed := s.studio.VersionOf(r.Context(), o.ID, o.rev.ID); failed != nil {
			err = failed
		} else if v != nil {
			options.Stamp.Version = v.Name
		}
		if p := state.Settings.Profile; err == nil && p != nil && q.Get("fit") == "1" {
			options.Profile, options.Stamp.Profile = p, p.Name
			state, _, err = handoff.Meet(r.Context(), state, p, alsoOf(q.Get("also")), nil)
		}
		if err == nil {
			err = handoff.Write(&buf, &state, what, options)
		}
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	// That it was handed over is worth knowing, and no reason to withhold it where it cannot be noted.
	sum, noted := sha256.Sum256(buf.Bytes()), studio.Delivery{
		Character: o.ID, Revision: o.rev.ID, What: what, Asked: asked(q, options.Stamp), Size: int64(buf.Len()), Author: author(r),
	}
	noted.Hash = hex.EncodeToString(sum[:])
	if options.Profile != nil {
		noted.Profile = options.Profile.Name
	}
	if err := s.studio.Delivered(r.Context(), noted); err != nil {
		slog.Error("a file that was handed over is not noted", "character", o.ID, "error", err)
	}
	attach(w, handoff.FileName(o.Name, what), buf.Bytes())
}

// asked is how a file was asked for, at its revision: the same query gives the same file again.
func asked(q url.Values, stamp *handoff.Stamp) string {
	out := url.Values{"at": {strconv.FormatInt(stamp.Revision, 10)}, "as": {stamp.Name}}
	if stamp.Version != "" {
		out.Set("version", stamp.Version)
	}
	for _, name := range []string{"fit", "also", "influences"} {
		if v := q.Get(name); v != "" {
			out.Set(name, v)
		}
	}
	return out.Encode()
}

// alsoOf are the codes of a list with commas.
func alsoOf(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return r == ',' })
}

// stampOf is what a file says of where it comes from.
func stampOf(o opened) *handoff.Stamp {
	out := &handoff.Stamp{Program: "Wise Marrow", Character: o.ID, Name: o.Name, Revision: o.rev.ID, Made: o.rev.Time.UTC().Truncate(time.Second)}
	if sheet := o.state.Sheet; sheet != nil && !sheet.Stale {
		out.Score = &sheet.Score
	}
	return out
}

// handoffPlan answers with what is done about rules of the profile that are not met, measured, and with what each format cannot
// carry of the character.
func (s *site) handoffPlan(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	out := struct {
		Profile string              `json:"profile,omitempty"`
		Steps   []handoff.Step      `json:"steps"`
		Loses   map[string][]string `json:"loses"`
	}{Steps: []handoff.Step{}, Loses: map[string][]string{}}
	if err == nil {
		for _, f := range handoff.Formats {
			if lost := handoff.Loses(o.state, f.Name); len(lost) > 0 {
				out.Loses[f.Name] = lost
			}
		}
		if p := o.state.Settings.Profile; p != nil {
			out.Profile = p.Name
			_, out.Steps, err = handoff.Meet(r.Context(), *o.state, p, nil, nil)
		}
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, out)
}

// handoffCost answers with what each cap of a file, and weights of 8 bits, cost the skin.
func (s *site) handoffCost(w http.ResponseWriter, r *http.Request) {
	o, err := s.open(r.Context(), param(r, "id"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, handoff.Costs(o.state))
}
