package web

import (
	"net/http"
	"net/url"
	"strings"
)

const authorCookie = "wisemarrow_author"

// author returns the name that a request is signed with: of the person who signed in, or
// where nobody does what this browser says.
func author(r *http.Request) string {
	if p, ok := personOf(r.Context()); ok {
		return p.Name
	}
	if c, err := r.Cookie(authorCookie); err == nil {
		name, err := url.PathUnescape(c.Value) // a cookie holds ASCII alone
		if name = cleanName(name); err == nil && name != "" {
			return name
		}
	}
	return "Rigger"
}

func cleanName(s string) string {
	s = strings.TrimSpace(strings.Map(func(r rune) rune {
		if r < ' ' || r == ';' || r == '"' || r == '\\' || r == ',' {
			return -1
		}
		return r
	}, s))
	if runes := []rune(s); len(runes) > 60 {
		s = string(runes[:60])
	}
	return s
}

func (s *site) setAuthor(w http.ResponseWriter, r *http.Request) {
	var body struct {
		Name string `json:"name"`
	}
	if err := read(w, r, &body); err != nil {
		s.problem(w, r, err)
		return
	}
	http.SetCookie(
		w,
		&http.Cookie{
			Name:     authorCookie,
			Value:    url.PathEscape(cleanName(body.Name)),
			Path:     "/",
			MaxAge:   365 * 86400,
			HttpOnly: true,
			SameSite: http.SameSiteLaxMode,
		},
	)
	answer(w, http.StatusOK, map[string]string{"name": cleanName(body.Name)})
}
