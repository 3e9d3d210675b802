package web

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"net/http"
	"strings"

	"wisemarrow/studio"
)

// longestKey is the longest key of a change in bytes.
const longestKey = 64

// errKeyElsewhere is a key that was given for another change before.
var errKeyElsewhere = errors.New(
	"the key of this change was given for another change before, and nothing was done. Give each change a key of its own",
)

// keyed is the context of a request whose change has a key; what says what the change is.
func keyed(ctx context.Context, key, what string) (context.Context, error) {
	if len(key) > longestKey || strings.ContainsFunc(key, func(r rune) bool { return r <= ' ' || r > '~' }) {
		return nil, studio.InputError{What: "the key of a change is at most 64 letters and digits"}
	}
	return studio.WithKeyFor(ctx, key, what), nil
}

// what is what a request asks for, whatever it is made on: two that ask for the same have the same.
func (q request) what(r *http.Request) string {
	sum := sha256.Sum256(append([]byte(r.Method+" "+r.URL.Path+"\x00"+q.Op+"\x00"), q.Params...))
	return hex.EncodeToString(sum[:16])
}

// change is a change to a character that a page asks for: it is done once, however
// often it is asked for with its key, and answered each time.
func (s *site) change(
	w http.ResponseWriter,
	r *http.Request,
	do func(ctx context.Context, q request) (studio.Revision, *studio.Work, error),
) {
	var q request
	err := read(w, r, &q)
	var ctx context.Context
	if err == nil {
		ctx, err = keyed(r.Context(), q.Key, q.what(r))
	}
	if err != nil {
		s.problem(w, r, err)
		return
	}
	if q.Again && s.repeated(w, r, q) {
		return
	}
	rev, work, err := do(ctx, q)
	var stale studio.StaleError
	var loses losesError
	switch {
	// What made it stale may have been this very change, asked for before.
	case (errors.Is(err, studio.ErrRepeated) || errors.As(err, &stale)) && s.repeated(w, r, q):
	case errors.As(err, &loses):
		answer(w, http.StatusPreconditionRequired, map[string]any{"error": loses.what, "loses": loses.what})
	case err != nil:
		s.problem(w, r, err)
	case work != nil:
		answer(w, http.StatusAccepted, map[string]any{"work": work})
	default:
		s.changed(w, r, q, rev)
	}
}

// repeated answers with what came of a change before, also to one that was sent at the same time; false if
// nothing did.
func (s *site) repeated(w http.ResponseWriter, r *http.Request, q request) bool {
	if q.Key == "" {
		return false
	}
	receipt, err := s.studio.Receipt(r.Context(), q.Key)
	if errors.Is(err, studio.ErrNotFound) {
		return false
	}
	if err == nil && (receipt.Character != param(r, "id") || receipt.What != "" && receipt.What != q.what(r)) {
		s.problem(w, r, errKeyElsewhere)
		return true
	}
	var work studio.Work
	var rev studio.Revision
	switch {
	case err != nil:
	case receipt.Work != "":
		work, err = s.studio.Work(r.Context(), receipt.Work)
	default:
		rev, err = s.studio.Revision(r.Context(), receipt.Revision)
	}
	switch {
	case err != nil:
		s.problem(w, r, err)
	case receipt.Work != "":
		answer(w, http.StatusAccepted, map[string]any{"work": work})
	default:
		s.changed(w, r, q, rev)
	}
	return true
}

// receipt tells what came of bringing in a mesh, for a page that lost the answer.
func (s *site) receipt(w http.ResponseWriter, r *http.Request) {
	receipt, err := s.studio.Receipt(r.Context(), param(r, "key"))
	if err != nil {
		s.problem(w, r, err)
		return
	}
	answer(w, http.StatusOK, arrived(receipt.Character))
}

// arrived is the answer to a mesh that was brought in.
func arrived(id string) map[string]string {
	return map[string]string{"id": id, "url": "/characters/" + id + "/intake"}
}
